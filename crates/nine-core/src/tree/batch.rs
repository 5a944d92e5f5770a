//! What one folder holds, as a walk lists it.

use crate::item::{Entry, Kind};
use crate::kinds::{self, ItemType};
use crate::names::{
    folds_oddly, has_unfinished_extension, is_hidden, is_lock, is_untitled, natural_key_begins,
    split_extension, write_natural_key,
};
use crate::place::Name;

use super::{TagSet, mark};

/// The entries of one folder. The room that they take stays for those of the next.
#[derive(Debug, Default)]
pub struct Batch {
    pub(super) names: Vec<u8>,
    entries: Vec<Gathered>,
    order: Vec<Sorted>,
    /// Whole keys of entries whose keys begin alike.
    keys: Vec<u8>,
    /// The tags of entries that were asked for them, by their numbers, in the order in which they were added.
    tags: Vec<(u32, TagSet)>,
    /// Something in the folder could not be looked at.
    pub(super) is_partial: bool,
}

/// An entry in its order.
#[derive(Debug, Clone, Copy)]
struct Sorted {
    /// How its key begins.
    begins: u128,
    number: u32,
    /// Where its whole key lies, if it was asked for.
    start: u32,
    end: u32,
}

/// An entry, and what its name tells.
#[derive(Debug, Clone)]
pub(super) struct Gathered {
    pub start: u32,
    pub len: u16,
    pub item_type: u8,
    pub marks: u8,
    pub entry: Entry,
}

impl Batch {
    /// Adds an entry. Names are at most 65,535 bytes, which no file system exceeds.
    pub fn push(&mut self, name: Name, entry: Entry) {
        let len = u16::try_from(name.len()).unwrap_or(u16::MAX);
        let start = u32::try_from(self.names.len()).expect("fewer than 2^32 bytes of names in a folder");
        self.names.extend_from_slice(&name[..usize::from(len)]);
        // Told here and not when the tree is put together, since batches are filled by many threads.
        let (item_type, marks) = at_sight(&name, entry.kind);
        let number = self.entries.len() as u32;
        self.order.push(Sorted { begins: 0, number, start: 0, end: 0 });
        self.entries.push(Gathered { start, len, item_type: item_type as u8, marks, entry });
    }

    /// Adds an entry with its tags.
    pub fn push_tagged(&mut self, name: Name, entry: Entry, tags: TagSet) {
        self.tags.push((self.entries.len() as u32, tags));
        self.push(name, entry);
    }

    /// Puts the entries in the order in which people count.
    pub fn sort(&mut self) {
        let Self { names, entries, order, keys, .. } = self;
        let name = |it: &Sorted| entries[it.number as usize].name(names);
        for it in &mut *order {
            it.begins = natural_key_begins(name(it));
        }
        order.sort_unstable_by_key(|it| it.begins);
        // Nearly all are told apart by how their keys begin.
        for alike in order.chunk_by_mut(|a, b| a.begins == b.begins).filter(|alike| alike.len() > 1) {
            keys.clear();
            for it in &mut *alike {
                it.start = keys.len() as u32;
                write_natural_key(name(it), keys);
                it.end = keys.len() as u32;
            }
            let key = |it: &Sorted| &keys[it.start as usize..it.end as usize];
            alike.sort_unstable_by(|a, b| key(a).cmp(key(b)).then_with(|| name(a).cmp(name(b))));
        }
    }

    /// Takes out what was put in.
    pub fn clear(&mut self) {
        self.names.clear();
        self.entries.clear();
        self.order.clear();
        self.tags.clear();
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
        let folders = self.in_order().filter(|gathered| gathered.entry.kind == Kind::Folder);
        folders.map(|gathered| (Name::held(gathered.name(&self.names)), &gathered.entry))
    }

    /// The tags that are known, each with the place of its entry in the order.
    pub(super) fn tags_in_order(&self) -> impl Iterator<Item = (u32, &TagSet)> {
        let of = |number| self.tags.binary_search_by_key(&number, |(of, _)| *of).ok();
        let each = (0..).zip(&self.order).filter(|_| !self.tags.is_empty());
        each.filter_map(move |(at, it)| Some((at, &self.tags[of(it.number)?].1)))
    }

    pub(super) fn in_order(&self) -> impl ExactSizeIterator<Item = &Gathered> + Clone {
        self.order.iter().map(|it| &self.entries[it.number as usize])
    }
}

impl Gathered {
    pub fn name<'n>(&self, names: &'n [u8]) -> &'n [u8] {
        &names[self.start as usize..self.start as usize + usize::from(self.len)]
    }

    pub fn of_place(entry: Entry) -> Self {
        Self { start: 0, len: 0, item_type: ItemType::Folder as u8, marks: 0, entry }
    }
}

/// What a name tells without a look at the content.
fn at_sight(name: &[u8], kind: Kind) -> (ItemType, u8) {
    let mut marks = 0;
    let mut set = |bit: u8, yes: bool| marks |= if yes { bit } else { 0 };
    let is_ascii = name.is_ascii();
    set(mark::HIDDEN, is_hidden(name));
    set(mark::ASCII, is_ascii);
    set(mark::FOLDS_ODDLY, !is_ascii && folds_oddly(name));
    let (stem, extension) = if kind == Kind::Folder { (name, b"".as_slice()) } else { split_extension(name) };
    let promised = kinds::type_of_extension(extension);
    set(mark::UNFINISHED, is_lock(name) || promised.is_none() && has_unfinished_extension(name));
    set(mark::UNTITLED, is_untitled(stem));
    set(mark::SAYS_LITTLE, kind == Kind::File && promised.is_none());
    let item_type = match kind {
        Kind::Folder => ItemType::Folder,
        Kind::Link => ItemType::Shortcut,
        Kind::Other => ItemType::Unknown,
        Kind::File => promised.unwrap_or(ItemType::Unknown),
    };
    (item_type, marks)
}
