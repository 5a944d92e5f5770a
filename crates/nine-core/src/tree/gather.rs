//! From what a scan brings, a folder at a time and in any order, to a tree.

use std::ops::Range;

use super::batch::{Batch, Gathered};
use super::before::FolderState;
use super::{FOLDER, KINDS, NEVER, NodeId, TagSet, Tree};
use crate::item::{Entry, Kind};

/// The number of a folder while a tree is gathered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FolderNo(u32);

impl FolderNo {
    /// The place itself.
    pub const ROOT: FolderNo = FolderNo(0);

    /// The number of the folder `by` places further on in one batch.
    pub fn plus(self, by: u32) -> Self {
        Self(self.0 + by)
    }
}

/// What a folder was found to hold.
#[derive(Debug, Default)]
pub(super) enum Held {
    /// It was not read.
    #[default]
    Unread,
    /// These rows of what has arrived.
    Listed { rows: Range<u32>, is_partial: bool },
    /// What this row of the earlier tree holds.
    AsBefore(NodeId),
}

/// What a folder was found to hold, and the number of the first folder in it.
#[derive(Debug, Default)]
pub(super) struct HeldFolder {
    pub held: Held,
    pub first: u32,
}

/// A tree that is still being gathered.
#[derive(Debug)]
pub struct Gathering {
    root: Entry,
    folders: Vec<HeldFolder>,
    /// What was listed, as it came: a row for each entry. Of the columns of folders it has none.
    arrived: Tree,
    rows: usize,
    name_bytes: usize,
}

impl Gathering {
    /// Nothing but the place itself.
    pub fn new(root: Entry) -> Self {
        let (folders, arrived) = (vec![HeldFolder::default()], Tree::default());
        Self { root, folders, arrived, rows: 1, name_bytes: 0 }
    }

    /// Adds what `folder` holds, as [`Batch::sort`] has put it in order. Returns the number of the first folder in
    /// it; the others follow in order.
    pub fn add(&mut self, folder: FolderNo, batch: &Batch) -> FolderNo {
        let start = self.arrived.rows as u32;
        let folders = batch.in_order().filter(|gathered| gathered.entry.kind == Kind::Folder).count();
        self.arrived.push_all(&batch.names, batch.in_order());
        self.rows += batch.len();
        self.name_bytes += batch.names.len();
        let rows = start..self.arrived.rows as u32;
        for (at, TagSet { own, inside }) in batch.tags_in_order() {
            self.arrived.learn_tags(NodeId(start + at), own, inside);
        }
        self.hold(folder, Held::Listed { rows, is_partial: batch.is_partial }, folders)
    }

    /// Says that `folder` holds what a row of the earlier tree does, with so many `folders` in it. Numbers them as
    /// [`Gathering::add`] does.
    pub fn add_as_before(
        &mut self,
        folder: FolderNo,
        was: NodeId,
        before: &Tree,
        folders: usize,
    ) -> FolderNo {
        for child in before.children(was) {
            self.rows += 1;
            self.name_bytes += before.name(child).len();
        }
        self.hold(folder, Held::AsBefore(was), folders)
    }

    fn hold(&mut self, folder: FolderNo, held: Held, folders: usize) -> FolderNo {
        let first = u32::try_from(self.folders.len()).expect("fewer than 2^32 folders");
        self.folders.resize_with(self.folders.len() + folders, HeldFolder::default);
        self.folders[folder.0 as usize] = HeldFolder { held, first };
        FolderNo(first)
    }

    /// Whether everything was found as it was in the earlier tree, whose own row is as the place is now.
    pub fn is_as_before(&self, before: &Tree) -> bool {
        let as_before = |folder: &&HeldFolder| matches!(folder.held, Held::AsBefore(_));
        let listed = |folder: &HeldFolder| matches!(folder.held, Held::Listed { .. });
        !self.folders.iter().any(listed)
            && self.folders.iter().filter(as_before).count() == before.folders_in_state(FolderState::Read)
    }

    /// Brings everything into its order and sums up.
    ///
    /// # Panics
    /// If there are more than four thousand million entries or bytes of names.
    pub fn finish(self) -> Tree {
        self.finish_with(&Tree::default())
    }

    /// The same, where some folders hold what they did in an earlier tree.
    ///
    /// # Panics
    /// As [`Gathering::finish`].
    pub fn finish_with(mut self, before: &Tree) -> Tree {
        if before.rows > 0 {
            // Its tags are numbered otherwise, so that they are carried over, and what is new is asked once more.
            self.arrived.tags.clear();
        } else if !self.arrived.tags.is_empty() {
            self.arrived.tags.resize(self.arrived.rows, 0);
        }
        assert!(u32::try_from(self.rows).is_ok() && u32::try_from(self.name_bytes).is_ok());
        let mut tree = Tree::with_room(self.rows, self.name_bytes);
        tree.push_all(b"", [Gathered::of_place(self.root)].iter());
        tree.lay_down(&self.folders, &self.arrived, before);
        tree
    }
}

impl Tree {
    /// Adds what a scan tells of some entries, a column at a time; what makes a tree of them comes later.
    fn push_all<'g>(&mut self, names: &[u8], all: impl ExactSizeIterator<Item = &'g Gathered> + Clone) {
        self.rows += all.len();
        for gathered in all.clone() {
            self.names.extend_from_slice(gathered.name(names));
            self.name_end.push(self.names.len() as u32);
        }
        let kind = |kind| KINDS.iter().position(|known| *known == kind).unwrap_or(3) as u8;
        self.kind.extend(all.clone().map(|gathered| kind(gathered.entry.kind)));
        self.item_type.extend(all.clone().map(|gathered| gathered.item_type));
        self.marks.extend(all.clone().map(|gathered| gathered.marks));
        let entries = all.map(|gathered| &gathered.entry);
        self.size.extend(entries.clone().map(|entry| entry.size));
        self.modified.extend(entries.clone().map(|entry| entry.modified.0));
        self.opened.extend(entries.clone().map(|entry| entry.opened.map_or(NEVER, |at| at.0)));
        self.born.extend(entries.clone().map(|entry| entry.born.map_or(NEVER, |at| at.0)));
        self.changed.extend(entries.clone().map(|entry| entry.changed.0));
        self.identity.extend(entries.map(|entry| entry.identity.0));
    }

    /// The first of some rows, if it is a folder, or else all before the first folder.
    pub(super) fn first_run(&self, rows: Range<u32>) -> Range<u32> {
        let kinds = self.kind.get(rows.start as usize..rows.end as usize).unwrap_or_default();
        let files = kinds.iter().position(|kind| *kind == FOLDER).unwrap_or(kinds.len());
        rows.start..rows.start + files.max(1).min(kinds.len()) as u32
    }

    fn with_room(rows: usize, name_bytes: usize) -> Self {
        let mut tree = Self { names: Vec::with_capacity(name_bytes), ..Self::default() };
        for column in [&mut tree.parent, &mut tree.folder, &mut tree.name_end] {
            column.reserve_exact(rows);
        }
        for column in [&mut tree.kind, &mut tree.item_type, &mut tree.marks] {
            column.reserve_exact(rows);
        }
        for column in [&mut tree.modified, &mut tree.opened, &mut tree.born, &mut tree.changed] {
            column.reserve_exact(rows);
        }
        tree.size.reserve_exact(rows);
        tree.identity.reserve_exact(rows);
        tree
    }
}
