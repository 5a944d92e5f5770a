//! The one interface of all places: a folder of the local file system, or a folder of a drive.
//!
//! It is split by what is needed. What only reads takes a [`ReadStore`], and so can change nothing.

mod abilities;
mod change;
mod read;
mod scan;
mod transfer;
mod trash;
mod watch;

use std::sync::Arc;

use nine_core::place::ItemPath;

pub use abilities::{Abilities, Keeps};
pub use change::ChangeStore;
pub use read::{Ground, Mount, OpenFile, ReadStore};
pub use scan::{Earlier, EarlierScan, OnlyNames, Scan, Scope};
pub use transfer::{Meta, TransferStore};
pub use trash::TrashStore;
pub use watch::Watch;

use crate::StoreResult;

/// A store: one place, and all below it. Paths are below the place.
pub trait Store: ReadStore + ChangeStore + TrashStore + TransferStore {
    /// A folder in the place as a place of its own.
    ///
    /// # Errors
    /// If it is not there or not a folder.
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>>;
    /// Forgets which folder had which name, since others may have moved them about.
    fn look_anew(&self) {}
    /// Names that are made for a moment carry this from now on, so that a later recovery finds them, and so that
    /// no other program or machine has such names. See [`aside`].
    fn name_own(&self, token: &str);
}
