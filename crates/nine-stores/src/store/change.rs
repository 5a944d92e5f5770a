//! Changes that copy nothing.

use std::os::fd::OwnedFd;
use std::sync::Arc;

use nine_core::item::Stamp;
use nine_core::place::ItemPath;

use super::{ReadStore, Store};
use crate::StoreResult;

/// Tags, names and folders. Changes take the stamp under which the item was planned and refuse an item that is
/// another by now. None overwrites anything, but for the lists of the archive.
pub trait ChangeStore: ReadStore {
    /// Replaces an item's tags.
    fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()>;
    /// Makes one folder; says whether it was not there before.
    fn make_folder(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Takes away a folder if it is empty; says whether it did.
    fn remove_empty_folder(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Takes away what a run of this token left that was cut off while it took away an empty folder.
    fn clear_leftovers(&self, _token: &str) -> StoreResult<()> {
        Ok(())
    }
    /// Moves an item, perhaps into another store of the same domain, onto a free name. Returns as what it is found
    /// there, where that is another stamp.
    ///
    /// # Errors
    /// [`StoreError::OtherDomain`] where it would have to be copied.
    fn rename(
        &self,
        from: &ItemPath,
        stamp: &Stamp,
        to_store: &dyn Store,
        to: &ItemPath,
    ) -> StoreResult<Option<Stamp>>;
    /// Makes sure that what was done in a folder survives a loss of power.
    fn sync_folder(&self, folder: &ItemPath) -> StoreResult<()>;
    /// Puts a list of the archive in the place of an older one, or where there is none: it is written
    /// under `temporary` first, and at each moment the whole old or the whole new list has the name. The one
    /// thing that is ever replaced, since the new list is made from the old one. `old` is as what that was read.
    /// `open_to` are the rights of others that it may have at most; see [`Store::open_to`].
    fn update_text(
        &self,
        path: &ItemPath,
        old: Option<&Stamp>,
        temporary: &ItemPath,
        content: &[u8],
        open_to: u32,
    ) -> StoreResult<()>;
    /// The folder, open, where it is one of the local file system: names move between two such in one call.
    fn local_folder(&self, _folder: &ItemPath) -> StoreResult<Option<Arc<OwnedFd>>> {
        Ok(None)
    }
    /// Forgets what it holds open at a path and below: something else was put there.
    fn forget_below(&self, _path: &ItemPath) {}
}
