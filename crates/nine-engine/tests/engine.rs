//! What the capabilities decide, without a terminal and without a process.

#[path = "engine/support.rs"]
mod support;

#[path = "engine/archive.rs"]
mod archive;
#[path = "engine/copies.rs"]
mod copies;
#[path = "engine/look.rs"]
mod look;
#[path = "engine/plan.rs"]
mod plan;
#[path = "engine/put.rs"]
mod put;
#[path = "engine/recovery.rs"]
mod recovery;
#[path = "engine/review.rs"]
mod review;
