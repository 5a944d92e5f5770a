//! What one folder holds, as a walk lists it.

use crate::item::{Entry, Kind};
use crate::kinds::{self, ItemType};
use crate::names::{fold_key, folds_oddly, is_hidden, is_unfinished, is_untitled, split_extension};
use crate::place::Name;

use super::mark;

/// The entries of one folder. The room that they take stays for those of the next.
#[derive(Debug, Default)]
pub struct Batch {
    pub(super) names: Vec<u8>,
    entries: Vec<Gathered>,
    /// For each entry, in their order, where its key begins and ends, and its number.
    order: Vec<(u32, u32, u32)>,
    keys: Vec<u8>,
    /// Something in the folder could not be looked at.
    pub(super) is_partial: bool,
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
        self.order.push((0, 0, self.entries.len() as u32));
        self.entries.push(Gathered { start, len, item_type: item_type as u8, marks, entry });
    }

    /// Puts the entries in the order in which people count.
    pub fn sort(&mut self) {
        self.keys.clear();
        for (start, end, number) in &mut self.order {
            *start = self.keys.len() as u32;
            fold_key(self.entries[*number as usize].name(&self.names), &mut self.keys);
            *end = self.keys.len() as u32;
        }
        let key = |it: &(u32, u32, u32)| &self.keys[it.0 as usize..it.1 as usize];
        let name = |it: &(u32, u32, u32)| self.entries[it.2 as usize].name(&self.names);
        self.order.sort_unstable_by(|a, b| key(a).cmp(key(b)).then_with(|| name(a).cmp(name(b))));
    }

    /// Takes out what was put in.
    pub fn clear(&mut self) {
        self.names.clear();
        self.entries.clear();
        self.order.clear();
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

    pub(super) fn in_order(&self) -> impl ExactSizeIterator<Item = &Gathered> + Clone {
        self.order.iter().map(|(.., number)| &self.entries[*number as usize])
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
