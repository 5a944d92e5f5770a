//! Answers to what a planner asks beyond the scan: what is known already, else what the store says.

use std::collections::HashMap;

use nine_core::item::Stays;
use nine_core::kinds::Content;
use nine_core::metadata::Metadata;
use nine_core::place::ItemPath;
use nine_core::plan::Details;
use nine_core::tree::{NodeId, TagsOf, Tree, mark};

use crate::reading::note_tags;
use crate::recognition::{ContainerReader, content_of};
use crate::{Catalogue, ReadStore};

/// Asks a store. What cannot be read is not known.
pub struct StoreDetails<'a> {
    /// The store.
    pub store: &'a dyn ReadStore,
    /// Looks into containers.
    pub containers: &'a dyn ContainerReader,
    /// What was learned of the entries.
    pub tree: &'a Tree,
    /// Where the words inside are kept.
    pub catalogue: Option<&'a Catalogue>,
    /// What stays in place of entries that are not needed, where that was found out.
    pub stays: Option<&'a HashMap<NodeId, Stays>>,
}

impl Details for StoreDetails<'_> {
    fn tags(&self, id: NodeId, path: &ItemPath) -> Vec<String> {
        match self.tree.tags(id) {
            TagsOf::Known(tags) => tags.to_vec(),
            TagsOf::NotAsked => self.store.tags(path).unwrap_or_default(),
        }
    }

    fn note_tags(&self, id: NodeId, path: &ItemPath) -> Vec<String> {
        match self.tree.tags(id) {
            TagsOf::Known(_) => self.tree.note_tags(id).to_vec(),
            TagsOf::NotAsked if self.store.abilities().may_read => note_tags(self.store, path),
            TagsOf::NotAsked => Vec::new(),
        }
    }

    fn content(&self, id: NodeId, path: &ItemPath) -> Option<Content> {
        if self.tree.has_mark(id, mark::LOOKED) {
            return self.tree.content(id).copied();
        }
        content_of(self.store, self.containers, path, self.tree.size(id)).ok()
    }

    fn text(&self, id: NodeId) -> Option<String> {
        let number = self.tree.text(id);
        let kept = self.catalogue.filter(|_| number != 0)?.text(number);
        kept.ok().flatten().map(|reading| reading.body)
    }

    fn said(&self, id: NodeId) -> Option<Metadata> {
        let number = self.tree.text(id);
        self.catalogue.filter(|_| number != 0)?.said(number).ok().flatten()
    }

    fn stays(&self, id: NodeId) -> Option<Stays> {
        self.stays?.get(&id).cloned()
    }

    fn is_broken(&self, path: &ItemPath) -> bool {
        self.store.link_is_broken(path).unwrap_or(false)
    }

    fn is_shared(&self, path: &ItemPath) -> bool {
        self.store.seen_by(path).is_some()
    }

    fn is_relative_link(&self, path: &ItemPath) -> bool {
        self.store.read_link(path).is_ok_and(|target| !target.starts_with(b"/"))
    }
}
