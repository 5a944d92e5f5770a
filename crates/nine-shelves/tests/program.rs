//! The built program, driven on files in temporary folders.

#[path = "program/support.rs"]
mod support;

#[path = "program/archive.rs"]
mod archive;
#[path = "program/bad_input.rs"]
mod bad_input;
#[path = "program/clashes.rs"]
mod clashes;
#[path = "program/compare.rs"]
mod compare;
#[path = "program/copies.rs"]
mod copies;
#[path = "program/demo.rs"]
mod demo;
#[path = "program/discard.rs"]
mod discard;
#[path = "program/facets.rs"]
mod facets;
#[path = "program/faults.rs"]
mod faults;
#[path = "program/guards.rs"]
mod guards;
#[path = "program/lean.rs"]
mod lean;
#[path = "program/looks.rs"]
mod looks;
#[path = "program/mounts.rs"]
mod mounts;
#[path = "program/output.rs"]
mod output;
#[path = "program/put.rs"]
mod put;
#[path = "program/report.rs"]
mod report;
#[path = "program/routine.rs"]
mod routine;
#[path = "program/rule.rs"]
mod rule;
#[path = "program/safe.rs"]
mod safe;
#[path = "program/said.rs"]
mod said;
#[path = "program/saved.rs"]
mod saved;
#[path = "program/search.rs"]
mod search;
#[path = "program/setup.rs"]
mod setup;
#[path = "program/shelves.rs"]
mod shelves;
#[path = "program/similar.rs"]
mod similar;
#[path = "program/suggest.rs"]
mod suggest;
#[path = "program/survey.rs"]
mod survey;
#[path = "program/sweep.rs"]
mod sweep;
#[path = "program/tags.rs"]
mod tags;
#[path = "program/tidy.rs"]
mod tidy;
#[path = "program/watch.rs"]
mod watch;
#[path = "program/words.rs"]
mod words;
#[path = "program/worklist.rs"]
mod worklist;
