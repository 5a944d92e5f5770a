//! From what a scan brings, a folder at a time and in any order, to a tree.

use super::before::FolderState;
use super::{Children, KINDS, NEVER, NO_FOLDER, NodeId, Tree, mark};
use crate::item::{Entry, Kind};
use crate::kinds::{self, ItemType};
use crate::names::{fold_key, folds_oddly, is_hidden, is_unfinished, is_untitled, split_extension};
use crate::place::Name;

/// The entries of one folder.
#[derive(Debug, Default)]
pub struct Batch {
    names: Vec<u8>,
    entries: Vec<Gathered>,
    /// Something in the folder could not be looked at.
    is_partial: bool,
    /// Room in which the entries are put in order.
    keys: Vec<u8>,
    order: Vec<(u32, u32, u32)>,
}

#[derive(Debug, Clone)]
struct Gathered {
    start: u32,
    len: u16,
    item_type: u8,
    marks: u8,
    entry: Entry,
}

impl Batch {
    /// Adds an entry. Names are at most 65,535 bytes, which no file system exceeds.
    pub fn push(&mut self, name: Name, entry: Entry) {
        let len = u16::try_from(name.len()).unwrap_or(u16::MAX);
        let start = u32::try_from(self.names.len()).expect("fewer than 2^32 bytes of names in a folder");
        self.names.extend_from_slice(&name[..usize::from(len)]);
        // Told here and not when the tree is put together, since batches are filled by many threads.
        let (item_type, marks) = at_sight(&name, entry.kind);
        self.entries.push(Gathered { start, len, item_type: item_type as u8, marks, entry });
    }

    /// Takes the entries out, in the order in which people count and in no more memory than they need;
    /// the room stays for the next folder.
    pub fn take_sorted(&mut self) -> Batch {
        self.keys.clear();
        self.order.clear();
        for (number, gathered) in (0..).zip(&self.entries) {
            let start = self.keys.len() as u32;
            fold_key(gathered.name(&self.names), &mut self.keys);
            self.order.push((start, self.keys.len() as u32, number));
        }
        let key = |it: &(u32, u32, u32)| &self.keys[it.0 as usize..it.1 as usize];
        let name = |it: &(u32, u32, u32)| self.entries[it.2 as usize].name(&self.names);
        self.order.sort_unstable_by(|a, b| key(a).cmp(key(b)).then_with(|| name(a).cmp(name(b))));
        let sorted = self.order.iter().map(|(.., number)| self.entries[*number as usize].clone());
        let (names, is_partial) = (self.names.clone(), self.is_partial);
        let taken = Batch { names, entries: sorted.collect(), is_partial, ..Batch::default() };
        self.clear();
        taken
    }

    /// Takes out what was put in.
    pub fn clear(&mut self) {
        self.names.clear();
        self.entries.clear();
        self.is_partial = false;
    }

    /// Says that something in the folder could not be looked at, so that it will be listed again whatever it tells.
    pub fn lacks_some(&mut self) {
        self.is_partial = true;
    }

    /// How many entries there are.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// The names of the folders among the entries, in order.
    pub fn folders(&self) -> impl Iterator<Item = Name<'_>> {
        self.folder_entries().map(|(name, _)| name)
    }

    /// The folders among the entries, in order.
    pub fn folder_entries(&self) -> impl Iterator<Item = (Name<'_>, &Entry)> {
        let folders = self.entries.iter().filter(|gathered| gathered.entry.kind == Kind::Folder);
        folders.map(|gathered| (Name::held(gathered.name(&self.names)), &gathered.entry))
    }
}

impl Gathered {
    fn name<'n>(&self, names: &'n [u8]) -> &'n [u8] {
        &names[self.start as usize..self.start as usize + usize::from(self.len)]
    }
}

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
    Listed(Batch),
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
    rows: usize,
    name_bytes: usize,
    /// Folders that were listed, and not found as they were.
    listed: usize,
}

impl Gathering {
    /// Nothing but the place itself.
    pub fn new(root: Entry) -> Self {
        Self { root, folders: vec![HeldFolder::default()], rows: 1, name_bytes: 0, listed: 0 }
    }

    /// Adds what `folder` holds, sorted by [`Batch::take_sorted`]. Returns the number of the first folder
    /// in it; the others follow in order.
    pub fn add(&mut self, folder: FolderNo, batch: Batch) -> FolderNo {
        let count = batch.folders().count();
        self.rows += batch.entries.len();
        self.name_bytes += batch.names.len();
        self.listed += 1;
        self.hold(folder, Held::Listed(batch), count)
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
        let reads = |held: &&HeldFolder| matches!(held.held, Held::AsBefore(_));
        self.listed == 0
            && self.rows == before.rows
            && self.folders.iter().filter(reads).count() == before.folders_in_state(FolderState::Read)
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
        let mut folders = self.folders;
        let root = Laid { name: b"", item_type: ItemType::Folder as u8, marks: 0, entry: &self.root };
        tree.push(0, &root);
        let mut open = vec![Open::new(&mut tree, before, std::mem::take(&mut folders[0]))];
        while let Some(top) = open.last_mut() {
            let row = top.row;
            let Some(is_folder) = top.lay_next(&mut tree, before) else {
                close(&mut tree, &mut open);
                continue;
            };
            if is_folder {
                let number = top.next_folder as usize;
                top.next_folder += 1;
                open.push(Open::new(&mut tree, before, std::mem::take(&mut folders[number])));
            } else {
                let laid = tree.rows - 1;
                top.items += 1;
                top.newest = top.newest.max(tree.modified[laid]);
                top.latest = top.latest.max(tree.modified[laid].max(tree.born[laid]));
                tree.size[row as usize] += tree.size[laid];
            }
        }
        tree
    }
}

/// What is to be laid down of a folder that is open.
enum Waiting<'b> {
    Listed { names: Vec<u8>, entries: std::vec::IntoIter<Gathered> },
    AsBefore(Children<'b>),
}

/// A folder whose entries are being laid down.
struct Open<'b> {
    row: u32,
    waiting: Waiting<'b>,
    next_folder: u32,
    items: u32,
    newest: i64,
    latest: i64,
}

impl<'b> Open<'b> {
    /// Opens the folder that was laid down last.
    fn new(tree: &mut Tree, before: &'b Tree, folder: HeldFolder) -> Self {
        let row = tree.rows as u32 - 1;
        let (state, waiting) = match folder.held {
            Held::Unread => (FolderState::Unread, Waiting::of(Batch::default())),
            Held::Listed(batch) if batch.is_partial => (FolderState::Partial, Waiting::of(batch)),
            Held::Listed(batch) => (FolderState::Read, Waiting::of(batch)),
            Held::AsBefore(was) => (FolderState::Read, Waiting::AsBefore(before.children(was))),
        };
        tree.folder_read.push(state as u8);
        Self { row, waiting, next_folder: folder.first, items: 0, newest: NEVER, latest: NEVER }
    }

    /// Lays down the next entry and says whether it is a folder; `None` once all are.
    fn lay_next(&mut self, tree: &mut Tree, before: &Tree) -> Option<bool> {
        match &mut self.waiting {
            Waiting::Listed { names, entries } => {
                let Gathered { start, len, item_type, marks, ref entry } = entries.next()?;
                let name = &names[start as usize..start as usize + usize::from(len)];
                tree.push(self.row, &Laid { name, item_type, marks, entry });
                Some(entry.kind == Kind::Folder)
            }
            Waiting::AsBefore(children) => {
                let was = children.next()?;
                let (name, entry) = (before.name(was), &before.scanned(was));
                let (item_type, marks) = (before.item_type[was.row()], before.marks[was.row()]);
                tree.push(self.row, &Laid { name, item_type, marks, entry });
                Some(entry.kind == Kind::Folder)
            }
        }
    }
}

impl Waiting<'_> {
    fn of(batch: Batch) -> Self {
        Self::Listed { names: batch.names, entries: batch.entries.into_iter() }
    }
}

/// An entry as it is laid down.
struct Laid<'a> {
    name: &'a [u8],
    item_type: u8,
    marks: u8,
    entry: &'a Entry,
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

/// What a name tells without a look at the content.
fn at_sight(name: &[u8], kind: Kind) -> (ItemType, u8) {
    let mut marks = 0;
    let mut set = |bit: u8, yes: bool| marks |= if yes { bit } else { 0 };
    set(mark::HIDDEN, is_hidden(name));
    set(mark::ASCII, name.is_ascii());
    set(mark::FOLDS_ODDLY, !name.is_ascii() && folds_oddly(name));
    set(mark::UNFINISHED, is_unfinished(name));
    let (stem, extension) = if kind == Kind::Folder { (name, b"".as_slice()) } else { split_extension(name) };
    set(mark::UNTITLED, is_untitled(stem));
    let item_type = match kind {
        Kind::Folder => ItemType::Folder,
        Kind::Link => ItemType::Shortcut,
        Kind::Other => ItemType::Unknown,
        Kind::File => {
            let promised = kinds::type_of_extension(extension);
            set(mark::SAYS_LITTLE, promised.is_none());
            promised.unwrap_or(ItemType::Unknown)
        }
    };
    (item_type, marks)
}

impl Tree {
    /// Lays down an entry. Of a folder the sums come later.
    fn push(&mut self, parent: u32, laid: &Laid) {
        let entry = laid.entry;
        let is_folder = entry.kind == Kind::Folder;
        let above = self.marks.get(parent as usize).copied().unwrap_or(0);
        self.rows += 1;
        self.parent.push(parent);
        self.folder.push(if is_folder { self.folder_end.len() as u32 } else { NO_FOLDER });
        self.names.extend_from_slice(laid.name);
        self.name_end.push(self.names.len() as u32);
        self.kind.push(KINDS.iter().position(|kind| *kind == entry.kind).unwrap_or(3) as u8);
        self.item_type.push(laid.item_type);
        self.marks.push(laid.marks | (above & mark::HIDDEN));
        self.size.push(if is_folder { 0 } else { entry.size });
        self.modified.push(entry.modified.0);
        self.opened.push(entry.opened.map_or(NEVER, |at| at.0));
        self.born.push(entry.born.map_or(NEVER, |at| at.0));
        self.changed.push(entry.changed.0);
        self.identity.push(entry.identity.0);
        if is_folder {
            self.folder_end.push(0);
            self.folder_items.push(0);
            self.folder_newest.push(entry.modified.0);
            self.folder_latest.push(entry.modified.0);
        }
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
