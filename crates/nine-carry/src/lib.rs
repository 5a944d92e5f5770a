//! Worklists carried out: facts gathered for their check, the daybook, the carrier, recovery of what
//! was cut off, and undo.
//!
//! This is the only part of the program that changes the user's files, and it does so through
//! [`nine_stores::Store`] alone. It never prints, never reads the environment and is handed the time.

mod at_once;
mod carrier;
mod copies;
pub mod daybook;
mod facts;
mod folders;
mod lists;
mod lock;
mod outcome;
mod packing;
mod recovery;
mod transfer;
mod undo;

pub use carrier::Carrier;
pub use facts::{facts, standing};
pub use lock::{AtWork, Lock, lock};
pub use outcome::{Failed, Outcome};
pub use recovery::{Recovered, open_runs, recover};
pub use transfer::same_bytes;
pub use undo::{UndoPlan, plan_undo};

/// Tells the time, where a record wants it.
pub type Clock<'a> = &'a dyn Fn() -> jiff::ZonedDateTime;
