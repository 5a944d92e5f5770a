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
#[path = "program/tidy.rs"]
mod tidy;
