//! All that a scan found below a place, in columns: about 80 bytes and the name for each entry.
//!
//! Rows stand in the order in which people read: a folder, then all that lies in it, by name the way
//! people count, then what comes after the folder. So a row's number is its rank in a sorted list, and
//! what lies in a folder is a range of rows. [`Gathering`] makes a tree from what a scan brings in any
//! order; [`Column`] is how a catalogue keeps one.

mod batch;
mod before;
mod bytes;
mod columns;
mod gather;
mod lay;
mod learned;
#[cfg(test)]
pub(crate) mod sample;

pub use batch::Batch;
pub use before::AT_SIGHT;
pub use bytes::Looks;
pub use columns::Column;
pub use gather::{FolderNo, Gathering};
pub use learned::{CarriedRows, TagSet, TagsOf, Unlearned, settled_by};

use std::ops::Range;

use crate::item::{Entry, Identity, Kind};
use crate::kinds::{Content, ItemType, TYPES};
use crate::moment::Moment;
use crate::place::{ItemPath, Name};

/// The number of an entry in its tree. The place itself is [`Tree::ROOT`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct NodeId(u32);

impl NodeId {
    /// The row of this number.
    pub fn new(row: usize) -> Self {
        Self(row as u32)
    }

    /// The row's number.
    pub fn row(self) -> usize {
        self.0 as usize
    }
}

const NO_FOLDER: u32 = u32::MAX;

/// How a moment is kept that is not known.
const NEVER: i64 = i64::MIN;

/// What a name tells at sight, and whether the content was looked at; bits of [`Column::Marks`].
pub mod mark {
    /// The name, or that of a folder above, starts with a dot.
    pub const HIDDEN: u8 = 1;
    /// The name does not tell the type.
    pub const SAYS_LITTLE: u8 = 2;
    /// The name says nothing: `Untitled 2`.
    pub const UNTITLED: u8 = 4;
    /// The name is that of a partial download.
    pub const UNFINISHED: u8 = 8;
    /// The content was looked at; the type is that of name and content.
    pub const LOOKED: u8 = 16;
    /// The content contradicts the name.
    pub const MISLABELLED: u8 = 32;
    /// The name is ASCII, so that its letters fold byte by byte.
    pub const ASCII: u8 = 64;
    /// A letter outside ASCII folds into ASCII, so that a search of the bytes may miss something.
    pub const FOLDS_ODDLY: u8 = 128;
}

/// The sum of what lies in a folder, at all depths.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Totals {
    /// Bytes of all files.
    pub size: u64,
    /// How many files, links and other things that are not folders.
    pub items: u64,
    /// When the newest of them was changed; the folder's own time if there is none.
    pub newest: Moment,
    /// When the last of them was changed or arrived.
    pub latest: Moment,
}

/// Everything below one place. A tree from a catalogue may lack columns that nobody asked for; to
/// ask for what is not there is a mistake of the caller's and panics.
#[derive(Debug, Clone, Default)]
pub struct Tree {
    rows: usize,
    parent: Vec<u32>,
    folder: Vec<u32>,
    name_end: Vec<u32>,
    names: Vec<u8>,
    kind: Vec<u8>,
    item_type: Vec<u8>,
    marks: Vec<u8>,
    /// Bytes; of a folder, all that lies in it.
    size: Vec<u64>,
    modified: Vec<i64>,
    opened: Vec<i64>,
    born: Vec<i64>,
    changed: Vec<i64>,
    identity: Vec<[u64; 2]>,
    tags: Vec<u32>,
    content: Vec<u8>,
    text: Vec<u32>,
    arrived: Vec<i64>,
    /// Only where it comes from a catalogue.
    age_from: Vec<i64>,
    folder_end: Vec<u32>,
    folder_items: Vec<u32>,
    folder_newest: Vec<i64>,
    folder_latest: Vec<i64>,
    folder_read: Vec<u8>,
    tag_sets: Vec<TagSet>,
    contents: Vec<Content>,
    ends: Vec<u64>,
    whole: Vec<u32>,
    digests: Vec<[u8; 32]>,
    /// Never in a catalogue.
    copies: Vec<u32>,
    pixels: Vec<u64>,
    prints: Vec<u64>,
}

/// In the order of [`Kind`], whose numbers are kept.
const KINDS: [Kind; 4] = [Kind::File, Kind::Folder, Kind::Link, Kind::Other];

/// The place of [`Kind::Folder`] in [`KINDS`].
const FOLDER: u8 = 1;

impl Tree {
    /// The place itself.
    pub const ROOT: NodeId = NodeId(0);

    /// How many rows there are, that of the place itself included.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// How many entries there are, the root not counted.
    pub fn len(&self) -> usize {
        self.rows.saturating_sub(1)
    }

    /// Whether the place is empty.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Every entry but the root, parents before what they hold.
    pub fn ids(&self) -> impl DoubleEndedIterator<Item = NodeId> + use<> {
        (1..self.rows as u32).map(NodeId)
    }

    /// The entry's own facts. A folder's size is that of all that lies in it.
    pub fn entry(&self, id: NodeId) -> Entry {
        let at = id.row();
        Entry {
            kind: self.kind(id),
            size: self.size[at],
            modified: Moment(self.modified[at]),
            opened: known(self.opened[at]),
            born: self.born(id),
            changed: Moment(self.changed[at]),
            identity: Identity(self.identity[at]),
        }
    }

    /// File, folder, link or other.
    pub fn kind(&self, id: NodeId) -> Kind {
        KINDS[usize::from(self.kind[id.row()])]
    }

    /// Whether it is a folder.
    pub fn is_folder(&self, id: NodeId) -> bool {
        self.kind[id.row()] == FOLDER
    }

    /// The size of a file, or of all that lies in a folder.
    pub fn size(&self, id: NodeId) -> u64 {
        self.size[id.row()]
    }

    /// What is known of the type: from the name, and from the content where that was looked at.
    pub fn item_type(&self, id: NodeId) -> ItemType {
        TYPES[usize::from(self.item_type[id.row()])].1
    }

    /// Whether one of these bits of [`mark`] is set.
    pub fn has_mark(&self, id: NodeId, mark: u8) -> bool {
        self.marks[id.row()] & mark != 0
    }

    /// When it came to be in this store: by the file system, or else when it was first seen here.
    pub fn born(&self, id: NodeId) -> Option<Moment> {
        known(self.born[id.row()]).or_else(|| self.arrived.get(id.row()).and_then(|at| known(*at)))
    }

    /// When it was last opened, where that is kept.
    pub fn opened(&self, id: NodeId) -> Option<Moment> {
        known(self.opened[id.row()])
    }

    /// What the store knows it by.
    pub fn identity(&self, id: NodeId) -> Identity {
        Identity(self.identity[id.row()])
    }

    /// The entry's name; empty for the root.
    pub fn name(&self, id: NodeId) -> &[u8] {
        let at = id.row();
        let start = if at == 0 { 0 } else { self.name_end[at - 1] as usize };
        &self.names[start..self.name_end[at] as usize]
    }

    /// The name of anything but the root.
    pub fn name_of(&self, id: NodeId) -> Name<'_> {
        Name::held(self.name(id))
    }

    /// The names of the rows from one on, one behind the other, up to about so many bytes but at least
    /// one name; and the row behind them.
    pub fn names_from(&self, row: usize, most: usize) -> (usize, &[u8]) {
        let start = if row == 0 { 0 } else { self.name_end[row - 1] as usize };
        let fit = self.name_end[row..].partition_point(|end| *end as usize <= start + most);
        let next = row + fit.max(1);
        (next, &self.names[start..self.name_end[next - 1] as usize])
    }

    /// The row among these in whose name the byte at `at` stands, and where that name ends; both
    /// counted from the first of these names.
    pub fn name_with_byte(&self, rows: Range<usize>, at: usize) -> (usize, usize) {
        let start = if rows.start == 0 { 0 } else { self.name_end[rows.start - 1] as usize };
        let ends = &self.name_end[rows.clone()];
        let by = ends.partition_point(|end| *end as usize <= start + at);
        (rows.start + by, ends[by] as usize - start)
    }

    /// The folder that holds the entry; the root for the root.
    pub fn parent(&self, id: NodeId) -> NodeId {
        NodeId(self.parent[id.row()])
    }

    /// The path from the root to the entry.
    pub fn path(&self, id: NodeId) -> ItemPath {
        let up = |id: NodeId| Some(id).filter(|id| *id != Self::ROOT);
        let rows = std::iter::successors(up(id), |id| up(self.parent(*id)));
        ItemPath::of_names_upward(rows.map(|row| self.name_of(row)))
    }

    /// How many steps below the place: 1 for what lies loose in it.
    pub fn depth(&self, id: NodeId) -> usize {
        let up = |id: &NodeId| (*id != Self::ROOT).then(|| self.parent(*id));
        std::iter::successors(Some(id), up).count() - 1
    }

    /// [`Tree::depth`] of all rows. What holds a row stands before it.
    pub fn depths(&self) -> Vec<u32> {
        let mut depths = vec![0; self.rows];
        (1..self.rows).for_each(|row| depths[row] = depths[self.parent[row] as usize] + 1);
        depths
    }

    /// The row behind the last of what lies in a folder; the next row for what is no folder.
    fn end(&self, id: NodeId) -> u32 {
        match self.folder[id.row()] {
            NO_FOLDER => id.0 + 1,
            folder => self.folder_end[folder as usize],
        }
    }

    /// Whether an entry lies in a folder, at any depth.
    pub fn holds(&self, folder: NodeId, id: NodeId) -> bool {
        folder.0 < id.0 && id.0 < self.end(folder)
    }

    /// What lies in a folder, at all depths.
    pub fn inside(&self, id: NodeId) -> impl ExactSizeIterator<Item = NodeId> + use<> {
        (id.0 + 1..self.end(id)).map(NodeId)
    }

    /// What lies directly in a folder, by name, the way people count; nothing for a file.
    pub fn children(&self, id: NodeId) -> Children<'_> {
        Children { tree: self, next: id.0 + 1, end: self.end(id) }
    }

    /// The sums of a folder, or a file's own size and time.
    pub fn totals(&self, id: NodeId) -> Totals {
        let (at, size) = (id.row(), self.size[id.row()]);
        match self.folder[at] {
            NO_FOLDER => {
                let newest = Moment(self.modified[at]);
                Totals {
                    size,
                    items: 1,
                    newest,
                    latest: self.born(id).map_or(newest, |born| born.max(newest)),
                }
            }
            folder => {
                let newest = Moment(self.folder_newest[folder as usize]);
                let latest = Moment(self.folder_latest[folder as usize]);
                Totals { size, items: self.folder_items[folder as usize].into(), newest, latest }
            }
        }
    }

    /// When it was last changed; of a folder, the newest thing inside.
    pub fn newest(&self, id: NodeId) -> Moment {
        match self.folder[id.row()] {
            NO_FOLDER => Moment(self.modified[id.row()]),
            folder => Moment(self.folder_newest[folder as usize]),
        }
    }

    /// The time from which an age counts: the later of modified and arrived; see [`Tree::newest`].
    pub fn age_from(&self, id: NodeId) -> Moment {
        if let Some(known) = self.age_from.get(id.row()) {
            return Moment(*known);
        }
        match self.folder[id.row()] {
            NO_FOLDER => self.born(id).unwrap_or(Moment(NEVER)).max(Moment(self.modified[id.row()])),
            folder => Moment(self.folder_latest[folder as usize]),
        }
    }

    /// When somebody last had to do with it: the latest of modified, arrived and opened.
    pub fn touched(&self, id: NodeId) -> Moment {
        let opened = self.opened(id).filter(|_| !self.is_folder(id));
        opened.map_or(self.age_from(id), |opened| opened.max(self.age_from(id)))
    }

    /// How many files lie in a folder, at all depths; `None` for what is no folder, and for a folder
    /// that was not read.
    pub fn items(&self, id: NodeId) -> Option<u64> {
        let folder = self.folder[id.row()];
        let is_read = folder != NO_FOLDER && self.folder_read[folder as usize] != 0;
        is_read.then(|| self.folder_items[folder as usize].into())
    }

    /// How many folders there are, that of the place itself included.
    pub fn folders(&self) -> usize {
        self.folder_read.len()
    }

    /// The number of a folder among all of them.
    pub fn folder_number(&self, id: NodeId) -> Option<usize> {
        Some(self.folder[id.row()]).filter(|folder| *folder != NO_FOLDER).map(|folder| folder as usize)
    }

    /// Whether this is a folder whose contents could not be read (or were not asked for).
    pub fn is_unread_folder(&self, id: NodeId) -> bool {
        let folder = self.folder[id.row()];
        folder != NO_FOLDER && self.folder_read[folder as usize] == 0
    }

    /// The entry at a path, if there is one.
    pub fn find(&self, path: &ItemPath) -> Option<NodeId> {
        path.parts()
            .try_fold(Self::ROOT, |at, part| self.children(at).find(|child| self.name(*child) == &*part))
    }
}

/// What lies directly in a folder.
#[derive(Debug, Clone)]
pub struct Children<'t> {
    tree: &'t Tree,
    next: u32,
    end: u32,
}

impl Children<'_> {
    /// The rows of the next, if it is a folder, or else of all before the next folder.
    fn next_run(&mut self) -> Range<u32> {
        let run = self.tree.first_run(self.next..self.end);
        self.next = match run.is_empty() || self.tree.kind[run.start as usize] != FOLDER {
            true => run.end,
            false => self.tree.end(NodeId(run.start)),
        };
        run
    }
}

impl Iterator for Children<'_> {
    type Item = NodeId;

    fn next(&mut self) -> Option<NodeId> {
        let child = (self.next < self.end).then_some(NodeId(self.next))?;
        // What comes out of a damaged file must come to an end, too.
        self.next = self.tree.end(child).max(child.0 + 1);
        Some(child)
    }
}

fn known(moment: i64) -> Option<Moment> {
    (moment != NEVER).then_some(Moment(moment))
}

#[cfg(test)]
mod tests;
