//! What is discarded, and taken back.

use std::sync::Arc;

use nine_core::item::Stamp;
use nine_core::place::ItemPath;

use super::{ReadStore, Store};
use crate::StoreResult;

/// The trash of a place.
pub trait TrashStore: ReadStore {
    /// Puts an item into the trash; returns what [`TrashStore::restore`] knows it by. `day` is the local
    /// time as `2031-04-07T09:00:00`.
    fn discard(&self, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>>;
    /// Takes an item out of the trash, onto a free name. `stamp` is what it had when it was discarded. Returns as
    /// what it is found then, where that is another stamp.
    fn restore(&self, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<Option<Stamp>>;
    /// What the trash knows a discarded item by, if it is there.
    fn find_discarded(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>>;
    /// Where a discarded item lies: a store, and its path there.
    fn discarded(&self, kept_as: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)>;
}
