//! What Nine Shelves decides: conditions, patterns, rules, plans and their check.
//!
//! Values in, values out. Nothing in this crate prints, opens a file, reads the environment or
//! asks for the time; callers hand all of that in.

pub mod amount;
pub mod archive;
pub mod collation;
pub mod condition;
pub mod config;
pub mod copies;
pub mod correct;
pub mod desktop_entry;
pub mod diagnostic;
pub mod escape;
pub mod facet;
pub mod favourites;
pub mod find;
pub mod flaws;
pub mod folder_numbers;
pub mod item;
pub mod keep_together;
pub mod kinds;
pub mod layout;
pub mod marks;
pub mod merging;
pub mod metadata;
pub mod moment;
pub mod names;
pub mod paste;
pub mod pattern;
pub mod place;
pub mod plan;
pub mod report;
pub mod review;
pub mod routine;
pub mod rules;
pub mod saved;
pub mod schedule;
pub mod shelving;
pub mod suggest;
pub mod survey;
pub mod tags;
pub mod tree;
pub mod words;
pub mod worklist;
