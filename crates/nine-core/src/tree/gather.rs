//! From what a scan brings, a folder at a time and in any order, to a tree.

use std::ops::Range;

use super::batch::{Batch, Gathered};
use super::before::FolderState;
use super::{Children, FOLDER, KINDS, NEVER, NO_FOLDER, NodeId, Tree, mark};
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
enum Held {
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
struct HeldFolder {
    held: Held,
    first: u32,
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
    pub fn finish_with(self, before: &Tree) -> Tree {
        assert!(u32::try_from(self.rows).is_ok() && u32::try_from(self.name_bytes).is_ok());
        let mut tree = Tree::with_room(self.rows, self.name_bytes);
        tree.push_all(b"", [Gathered::of_place(self.root)].iter());
        tree.begin_folder(0);
        let (folders, arrived) = (&self.folders, &self.arrived);
        let mut open = vec![Open::new(&mut tree, (arrived, before), &folders[0])];
        while let Some(top) = open.last_mut() {
            if !top.lay_until_folder(&mut tree) {
                close(&mut tree, &mut open);
                continue;
            }
            let number = top.next_folder as usize;
            top.next_folder += 1;
            open.push(Open::new(&mut tree, (arrived, before), &folders[number]));
        }
        tree
    }
}

/// What is to be laid down of a folder that is open: rows of a tree.
enum Waiting<'t> {
    Arrived(&'t Tree, Range<u32>),
    AsBefore(Children<'t>),
}

/// A folder whose entries are being laid down.
struct Open<'t> {
    row: u32,
    waiting: Waiting<'t>,
    next_folder: u32,
    items: u32,
    newest: i64,
    latest: i64,
}

impl<'t> Open<'t> {
    /// Opens the folder that was laid down last.
    fn new(tree: &mut Tree, (arrived, before): (&'t Tree, &'t Tree), folder: &HeldFolder) -> Self {
        let (state, waiting) = match &folder.held {
            Held::Unread => (FolderState::Unread, Waiting::Arrived(arrived, 0..0)),
            Held::Listed { rows, is_partial } => {
                let state = if *is_partial { FolderState::Partial } else { FolderState::Read };
                (state, Waiting::Arrived(arrived, rows.clone()))
            }
            Held::AsBefore(was) => (FolderState::Read, Waiting::AsBefore(before.children(*was))),
        };
        tree.folder_read.push(state as u8);
        let row = tree.rows as u32 - 1;
        Self { row, waiting, next_folder: folder.first, items: 0, newest: NEVER, latest: NEVER }
    }

    /// Lays down what comes before the next folder, and that folder; `false` once there is none.
    fn lay_until_folder(&mut self, tree: &mut Tree) -> bool {
        loop {
            let (from, run) = match &mut self.waiting {
                Waiting::Arrived(from, rows) => {
                    let run = from.first_run(rows.clone());
                    rows.start = run.end;
                    (*from, run)
                }
                Waiting::AsBefore(children) => (children.tree, children.next_run()),
            };
            if run.is_empty() {
                return false;
            }
            let start = tree.rows;
            tree.push_rows(from, run, self.row);
            if tree.kind[start] == FOLDER {
                tree.begin_folder(start);
                return true;
            }
            self.sum_up(tree, start);
        }
    }

    /// Sums up the files that were laid down from this row on.
    fn sum_up(&mut self, tree: &mut Tree, start: usize) {
        self.items += (tree.rows - start) as u32;
        for row in start..tree.rows {
            self.newest = self.newest.max(tree.modified[row]);
            self.latest = self.latest.max(tree.modified[row].max(tree.born[row]));
        }
        let size: u64 = tree.size[start..].iter().sum();
        tree.size[self.row as usize] += size;
    }
}

/// Sums up the folder that is complete, into itself and into the one above.
fn close(tree: &mut Tree, open: &mut Vec<Open>) {
    let Some(done) = open.pop() else { return };
    let folder = tree.folder[done.row as usize] as usize;
    tree.folder_end[folder] = tree.rows as u32;
    tree.folder_items[folder] = done.items;
    if done.items > 0 {
        tree.folder_newest[folder] = done.newest;
        tree.folder_latest[folder] = done.latest;
    }
    if let Some(above) = open.last_mut() {
        above.items += done.items;
        above.newest = above.newest.max(done.newest);
        above.latest = above.latest.max(done.latest);
        tree.size[above.row as usize] += tree.size[done.row as usize];
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

    /// Lays down rows of another tree that lie in the folder of the row `parent`.
    fn push_rows(&mut self, from: &Tree, rows: Range<u32>, parent: u32) {
        let rows = rows.start as usize..rows.end as usize;
        let names = from.span_of_names(rows.clone());
        let (first, start) = (self.rows, self.names.len() as u32);
        self.names.extend_from_slice(&from.names[names.clone()]);
        let ends = from.name_end[rows.clone()].iter();
        self.name_end.extend(ends.map(|end| end - names.start as u32 + start));
        self.kind.extend_from_slice(&from.kind[rows.clone()]);
        self.item_type.extend_from_slice(&from.item_type[rows.clone()]);
        self.marks.extend_from_slice(&from.marks[rows.clone()]);
        self.size.extend_from_slice(&from.size[rows.clone()]);
        self.modified.extend_from_slice(&from.modified[rows.clone()]);
        self.opened.extend_from_slice(&from.opened[rows.clone()]);
        self.born.extend_from_slice(&from.born[rows.clone()]);
        self.changed.extend_from_slice(&from.changed[rows.clone()]);
        self.identity.extend_from_slice(&from.identity[rows.clone()]);
        self.rows += rows.len();
        self.parent.resize(self.rows, parent);
        self.folder.resize(self.rows, NO_FOLDER);
        if self.marks[parent as usize] & mark::HIDDEN != 0 {
            self.marks[first..].iter_mut().for_each(|marks| *marks |= mark::HIDDEN);
        }
    }

    /// The first of some rows, if it is a folder, or else all before the first folder.
    pub(super) fn first_run(&self, rows: Range<u32>) -> Range<u32> {
        let kinds = self.kind.get(rows.start as usize..rows.end as usize).unwrap_or_default();
        let files = kinds.iter().position(|kind| *kind == FOLDER).unwrap_or(kinds.len());
        rows.start..rows.start + files.max(1).min(kinds.len()) as u32
    }

    /// Makes a folder of a row, whose sums come later.
    fn begin_folder(&mut self, row: usize) {
        self.parent.resize(self.rows, 0);
        self.folder.resize(self.rows, NO_FOLDER);
        self.folder[row] = self.folder_end.len() as u32;
        self.size[row] = 0;
        self.folder_end.push(0);
        self.folder_items.push(0);
        self.folder_newest.push(self.modified[row]);
        self.folder_latest.push(self.modified[row]);
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
