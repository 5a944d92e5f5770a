//! Worklists carried out: facts gathered for their check, the daybook, the carrier, recovery of what
//! was cut off, and undo.
//!
//! This is the only part of the program that changes the user's files, and it does so through
//! [`nine_stores::Store`] alone. It never prints, never reads the environment and is handed the time.

mod across;
mod acts;
mod at_once;
mod batch;
mod carrier;
pub mod daybook;
mod facts;
mod folders;
mod lists;
mod lock;
mod original;
mod outcome;
mod packing;
mod pieces;
mod private;
mod recovery;
mod removal;
mod run;
mod same;
mod texts;
mod transfer;
mod undo;
mod undo_made;

pub use carrier::Carrier;
pub use daybook::open_runs;
pub use facts::{Sources, facts, sources, standing};
pub use folders::clear_away;
pub use lock::{AtWork, Lock, lock, lock_as};
pub use outcome::{Failed, Outcome, Trace};
pub use pieces::Piece;
pub use private::{close_to_others, make_private, new_private, replace_private, set_aside, write_private};
pub use recovery::{Patience, Recovered, Unseen, recover, unseen};
pub use removal::Stayed;
pub use same::same_bytes;
pub use transfer::Names;
pub use undo::{UndoPlan, plan_undo};

/// Tells the time, where a record wants it.
pub type Clock<'a> = &'a dyn Fn() -> jiff::ZonedDateTime;
