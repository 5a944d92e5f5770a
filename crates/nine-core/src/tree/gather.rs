//! From what a scan brings, a folder at a time and in any order, to a tree.

use super::{KINDS, NEVER, NO_FOLDER, Tree, mark};
use crate::item::{Entry, Kind};
use crate::kinds::{self, ItemType};
use crate::names::{fold_key, folds_oddly, is_hidden, is_unfinished, is_untitled, split_extension};

/// The entries of one folder.
#[derive(Debug, Default)]
pub struct Batch {
    names: Vec<u8>,
    entries: Vec<Gathered>,
}

#[derive(Debug)]
struct Gathered {
    start: u32,
    len: u16,
    entry: Entry,
}

impl Batch {
    /// Adds an entry. Names are at most 65,535 bytes, which no file system exceeds.
    pub fn push(&mut self, name: &[u8], entry: Entry) {
        let len = u16::try_from(name.len()).unwrap_or(u16::MAX);
        let start = u32::try_from(self.names.len()).expect("fewer than 2^32 bytes of names in a folder");
        self.names.extend_from_slice(&name[..usize::from(len)]);
        self.entries.push(Gathered { start, len, entry });
    }

    /// Brings the entries into the order in which people count.
    pub fn sort(&mut self) {
        let mut keys: Vec<u8> = Vec::with_capacity(self.names.len() * 2);
        let names = &self.names;
        let mut keyed: Vec<(u32, u32, Gathered)> = Vec::with_capacity(self.entries.len());
        for gathered in self.entries.drain(..) {
            let start = keys.len() as u32;
            fold_key(gathered.name(names), &mut keys);
            keyed.push((start, keys.len() as u32, gathered));
        }
        let key = |it: &(u32, u32, Gathered)| &keys[it.0 as usize..it.1 as usize];
        keyed.sort_unstable_by(|a, b| (key(a), a.2.name(names)).cmp(&(key(b), b.2.name(names))));
        self.entries.extend(keyed.into_iter().map(|(.., gathered)| gathered));
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
    pub fn folders(&self) -> impl Iterator<Item = &[u8]> {
        let folders = self.entries.iter().filter(|gathered| gathered.entry.kind == Kind::Folder);
        folders.map(|gathered| gathered.name(&self.names))
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

/// What a folder was found to hold, and the number of the first folder in it.
#[derive(Debug, Default)]
struct Held {
    batch: Option<Batch>,
    first: u32,
}

/// A tree that is still being gathered.
#[derive(Debug)]
pub struct Gathering {
    root: Entry,
    folders: Vec<Held>,
    rows: usize,
    name_bytes: usize,
}

impl Gathering {
    /// Nothing but the place itself.
    pub fn new(root: Entry) -> Self {
        Self { root, folders: vec![Held::default()], rows: 1, name_bytes: 0 }
    }

    /// Adds what `folder` holds, sorted by [`Batch::sort`]. Returns the number of the first folder
    /// in it; the others follow in order.
    pub fn add(&mut self, folder: FolderNo, batch: Batch) -> FolderNo {
        let first = u32::try_from(self.folders.len()).expect("fewer than 2^32 folders");
        let count = batch.entries.iter().filter(|gathered| gathered.entry.kind == Kind::Folder).count();
        self.folders.resize_with(self.folders.len() + count, Held::default);
        self.rows += batch.entries.len();
        self.name_bytes += batch.names.len();
        self.folders[folder.0 as usize] = Held { batch: Some(batch), first };
        FolderNo(first)
    }

    /// Brings everything into its order and sums up.
    ///
    /// # Panics
    /// If there are more than four thousand million entries or bytes of names.
    pub fn finish(self) -> Tree {
        assert!(u32::try_from(self.rows).is_ok() && u32::try_from(self.name_bytes).is_ok());
        let mut build = Build { tree: Tree::with_room(self.rows, self.name_bytes), open: Vec::new() };
        let mut folders = self.folders;
        build.push(0, b"", &self.root);
        build.open(0, &mut folders);
        while let Some(open) = build.open.last_mut() {
            let Some(gathered) = open.entries.next() else {
                build.close();
                continue;
            };
            let row = open.row;
            let number = open.next_folder;
            let is_folder = gathered.entry.kind == Kind::Folder;
            open.next_folder += u32::from(is_folder);
            // Names are copied out, since the batch they lie in is on the same stack.
            let at = gathered.start as usize;
            let name = open.names[at..at + usize::from(gathered.len)].to_vec();
            build.push(row, &name, &gathered.entry);
            if is_folder {
                build.open(number, &mut folders);
            }
        }
        build.tree
    }
}

/// A folder whose entries are being laid down.
struct Open {
    row: u32,
    names: Vec<u8>,
    entries: std::vec::IntoIter<Gathered>,
    next_folder: u32,
    items: u32,
    newest: i64,
}

struct Build {
    tree: Tree,
    open: Vec<Open>,
}

impl Build {
    fn push(&mut self, parent: u32, name: &[u8], entry: &Entry) {
        let tree = &mut self.tree;
        let is_folder = entry.kind == Kind::Folder;
        let above = tree.marks.get(parent as usize).copied().unwrap_or(0);
        let (item_type, marks) = at_sight(name, entry.kind);
        let own = if tree.rows == 0 { 0 } else { marks | (above & mark::HIDDEN) };
        tree.rows += 1;
        tree.parent.push(parent);
        tree.folder.push(if is_folder { tree.folder_end.len() as u32 } else { NO_FOLDER });
        tree.names.extend_from_slice(name);
        tree.name_end.push(tree.names.len() as u32);
        tree.kind.push(KINDS.iter().position(|kind| *kind == entry.kind).unwrap_or(3) as u8);
        tree.item_type.push(item_type as u8);
        tree.marks.push(own);
        tree.size.push(if is_folder { 0 } else { entry.size });
        tree.modified.push(entry.modified.0);
        tree.opened.push(entry.opened.map_or(NEVER, |at| at.0));
        tree.born.push(entry.born.map_or(NEVER, |at| at.0));
        tree.changed.push(entry.changed.0);
        tree.identity.push(entry.identity.0);
        if is_folder {
            tree.folder_end.push(0);
            tree.folder_items.push(0);
            tree.folder_newest.push(entry.modified.0);
            tree.folder_read.push(0);
        } else if let Some(open) = self.open.last_mut() {
            open.items += 1;
            open.newest = open.newest.max(entry.changed_or_born().0);
            tree.size[open.row as usize] += entry.size;
        }
    }

    fn open(&mut self, number: u32, folders: &mut [Held]) {
        let Held { batch, first } = std::mem::take(&mut folders[number as usize]);
        let row = self.tree.rows as u32 - 1;
        let folder = self.tree.folder[row as usize] as usize;
        self.tree.folder_read[folder] = u8::from(batch.is_some());
        let Batch { names, entries } = batch.unwrap_or_default();
        let entries = entries.into_iter();
        self.open.push(Open { row, names, entries, next_folder: first, items: 0, newest: NEVER });
    }

    /// Sums up the folder that is complete, into itself and into the one above.
    fn close(&mut self) {
        let Some(done) = self.open.pop() else { return };
        let tree = &mut self.tree;
        let folder = tree.folder[done.row as usize] as usize;
        tree.folder_end[folder] = tree.rows as u32;
        tree.folder_items[folder] = done.items;
        if done.items > 0 {
            tree.folder_newest[folder] = done.newest;
        }
        if let Some(above) = self.open.last_mut() {
            above.items += done.items;
            above.newest = above.newest.max(done.newest);
            tree.size[above.row as usize] += tree.size[done.row as usize];
        }
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
    let stem = if kind == Kind::Folder { name } else { split_extension(name).0 };
    set(mark::UNTITLED, is_untitled(stem));
    let item_type = match kind {
        Kind::Folder => ItemType::Folder,
        Kind::Link => ItemType::Shortcut,
        Kind::Other => ItemType::Unknown,
        Kind::File => {
            let promised = kinds::type_of_name(name);
            set(mark::SAYS_LITTLE, promised.is_none());
            promised.unwrap_or(ItemType::Unknown)
        }
    };
    (item_type, marks)
}

impl Tree {
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
