//! The built program, driven on files in temporary folders.

#[path = "program/support.rs"]
mod support;

#[path = "program/bad_input.rs"]
mod bad_input;
#[path = "program/demo.rs"]
mod demo;
#[path = "program/killed.rs"]
mod killed;
#[path = "program/output.rs"]
mod output;
#[path = "program/saved.rs"]
mod saved;
#[path = "program/search.rs"]
mod search;
#[path = "program/survey.rs"]
mod survey;
#[path = "program/tags.rs"]
mod tags;
#[path = "program/tidy.rs"]
mod tidy;
#[path = "program/words.rs"]
mod words;
