//! A store's answers to what a planner asks beyond the scan.

use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::place::ItemPath;
use nine_core::plan::Details;

use crate::Store;

/// Asks a store. What cannot be read is not known.
#[derive(Debug)]
pub struct StoreDetails<'a>(pub &'a dyn Store);

impl Details for StoreDetails<'_> {
    fn tags(&self, path: &ItemPath) -> Vec<String> {
        self.0.tags(path).unwrap_or_default()
    }

    fn content(&self, path: &ItemPath) -> Option<Content> {
        self.0.first_bytes(path, FIRST_BYTES).ok().map(|bytes| recognise(&bytes))
    }

    fn is_broken(&self, path: &ItemPath) -> bool {
        self.0.link_is_broken(path).unwrap_or(false)
    }

    fn is_relative_link(&self, path: &ItemPath) -> bool {
        self.0.read_link(path).is_ok_and(|target| !target.starts_with(b"/"))
    }
}
