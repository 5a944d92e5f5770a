//! A harness that tries to make the program lose a file: killed, refused, given hostile names, run at once
//! with others. `cargo test` runs it in a short form; the long one is
//!
//!     NINE_HARNESS=long cargo test --test harness -- --nocapture
//!
//! which tries every point and every refusal and tells how many cases there were.

// The long form is read by a person.
#![allow(clippy::print_stderr)]

#[path = "program/support.rs"]
mod support;

#[path = "harness/scenes.rs"]
mod scenes;

#[path = "harness/at_once.rs"]
mod at_once;
#[path = "harness/between.rs"]
mod between;
#[path = "drive/drive.rs"]
#[allow(dead_code)]
mod drive;
#[path = "harness/drives.rs"]
mod drives;
#[path = "harness/hands.rs"]
mod hands;
#[path = "harness/hostile.rs"]
mod hostile;
#[path = "harness/killed.rs"]
mod killed;
#[path = "harness/plain_renames.rs"]
mod plain_renames;
#[path = "harness/power.rs"]
mod power;
#[path = "harness/refused.rs"]
mod refused;
#[path = "harness/year.rs"]
mod year;
