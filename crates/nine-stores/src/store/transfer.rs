//! What is written where content goes from one domain to another, and taken away once its copy is there.

use std::io::Read;

use nine_core::item::Stamp;
use nine_core::moment::Moment;
use nine_core::place::ItemPath;

use super::ReadStore;
use crate::StoreResult;

/// What travels with an item's content when it is copied.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Meta {
    /// When the content was last changed.
    pub modified: Moment,
    /// When it was last opened.
    pub opened: Option<Moment>,
    /// Permission bits, where there are any.
    pub mode: Option<u32>,
    /// User and group, where there are any.
    pub owner: Option<(u32, u32)>,
    /// Whether it takes less room than its size says: blocks of zeros need not be kept.
    pub is_sparse: bool,
    /// Extended attributes, the tags among them.
    pub attributes: Vec<(Vec<u8>, Vec<u8>)>,
}

/// New files, links and folders, and originals that were copied. None overwrites anything.
pub trait TransferStore: ReadStore {
    /// Writes a new file with its meta, and makes sure that it survives a loss of power. `size` is how many bytes
    /// there will be, where that is known. Returns how many it holds.
    fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64>;
    /// The same, but that it survives a loss of power only after [`TransferStore::flush`]. Of a store that does not
    /// [flush together](crate::Abilities::flushes_together) it does at once.
    fn write_unflushed(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        self.write_new(path, content, size, meta)
    }
    /// Makes sure that files which were written just now survive a loss of power; what came of each. Together it takes
    /// little more than for one.
    fn flush(&self, written: &[&ItemPath]) -> Vec<StoreResult<()>> {
        written.iter().map(|_| Ok(())).collect()
    }
    /// Makes another name (a hard link) of a file that was just written; says whether the store has such names.
    fn link_again(&self, _first: &ItemPath, _name: &ItemPath) -> StoreResult<bool> {
        Ok(false)
    }
    /// Makes a new link.
    fn link_new(&self, path: &ItemPath, target: &[u8], meta: &Meta) -> StoreResult<()>;
    /// Gives a folder its meta, once it is filled.
    fn set_folder_meta(&self, path: &ItemPath, meta: &Meta) -> StoreResult<()>;
    /// Takes away a file or link whose copy has been verified, or a copy that was never finished. It is first moved
    /// [`aside`], where nobody saves to, and looked at again there; what is another thing by then goes back to its
    /// name.
    ///
    /// # Errors
    /// [`StoreError::Changed`], or [`StoreError::SetAside`] if its name was taken meanwhile.
    fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()>;
}
