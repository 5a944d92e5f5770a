//! All that a scan found below a place, in little memory: 64 bytes and the name for each entry.

use crate::item::{Entry, Kind};
use crate::moment::Moment;
use crate::names::natural_key;
use crate::place::ItemPath;

/// The number of an entry in its tree. The place itself is [`Tree::ROOT`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct NodeId(u32);

impl NodeId {
    /// The number of the entry `by` places further on in one batch.
    pub fn plus(self, by: u32) -> Self {
        Self(self.0 + by)
    }
}

const NO_FOLDER: u32 = u32::MAX;

#[derive(Debug)]
struct Node {
    parent: u32,
    name_at: u32,
    name_len: u16,
    folder: u32,
    entry: Entry,
}

/// What a folder holds, at all depths.
#[derive(Debug, Clone, Default)]
struct Folder {
    first_child: u32,
    children: u32,
    totals: Totals,
    read: bool,
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
}

/// The entries of one folder, gathered before they are added to a tree.
#[derive(Debug, Default)]
pub struct Batch {
    names: Vec<u8>,
    entries: Vec<(u16, Entry)>,
}

impl Batch {
    /// Adds an entry. Names are at most 65,535 bytes, which no file system exceeds.
    pub fn push(&mut self, name: &[u8], entry: Entry) {
        let len = u16::try_from(name.len()).unwrap_or(u16::MAX);
        self.names.extend_from_slice(&name[..usize::from(len)]);
        self.entries.push((len, entry));
    }

    /// Empties it for another folder.
    pub fn clear(&mut self) {
        self.names.clear();
        self.entries.clear();
    }

    /// How many entries there are.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }
}

/// Everything below one place. Filled by [`Tree::add`], a folder at a time, parents first.
#[derive(Debug)]
pub struct Tree {
    nodes: Vec<Node>,
    names: Vec<u8>,
    folders: Vec<Folder>,
}

impl Tree {
    /// The place itself.
    pub const ROOT: NodeId = NodeId(0);

    /// A tree of nothing but its root.
    pub fn new(root: Entry) -> Self {
        let node = Node { parent: 0, name_at: 0, name_len: 0, folder: 0, entry: root };
        Self { nodes: vec![node], names: Vec::new(), folders: vec![Folder::default()] }
    }

    /// Adds what `folder` holds. Returns the number of the first of them; the others follow it in
    /// the order of the batch.
    ///
    /// # Panics
    /// If the tree would hold more than four thousand million entries or bytes of names.
    pub fn add(&mut self, folder: NodeId, batch: &Batch) -> NodeId {
        let first = u32::try_from(self.nodes.len()).expect("fewer than 2^32 entries");
        let mut name_at = u32::try_from(self.names.len()).expect("fewer than 2^32 bytes of names");
        self.names.extend_from_slice(&batch.names);
        for (len, entry) in &batch.entries {
            let folder_no = if entry.kind == Kind::Folder {
                self.folders.push(Folder::default());
                self.folders.len() as u32 - 1
            } else {
                NO_FOLDER
            };
            self.nodes.push(Node {
                parent: folder.0,
                name_at,
                name_len: *len,
                folder: folder_no,
                entry: entry.clone(),
            });
            name_at += u32::from(*len);
        }
        let held = &mut self.folders[self.nodes[folder.0 as usize].folder as usize];
        (held.first_child, held.children, held.read) = (first, batch.len() as u32, true);
        NodeId(first)
    }

    /// Sums sizes, counts and newest times upwards. To be called once all has been added.
    pub fn sum_up(&mut self) {
        for folder in &mut self.folders {
            folder.totals = Totals::default();
        }
        for at in (1..self.nodes.len()).rev() {
            let node = &self.nodes[at];
            let own = self.own_totals(at);
            let parent = &mut self.folders[self.nodes[node.parent as usize].folder as usize].totals;
            parent.newest = if parent.items == 0 && own.items == 0 {
                parent.newest.max(own.newest)
            } else if own.items == 0 {
                parent.newest
            } else if parent.items == 0 {
                own.newest
            } else {
                parent.newest.max(own.newest)
            };
            parent.size += own.size;
            parent.items += own.items;
        }
    }

    /// What an entry adds to the folder above it.
    fn own_totals(&self, at: usize) -> Totals {
        let node = &self.nodes[at];
        let entry = &node.entry;
        match self.folders.get(node.folder as usize) {
            Some(folder) if folder.totals.items > 0 => folder.totals,
            Some(_) => Totals { size: 0, items: 0, newest: entry.modified },
            None => Totals { size: entry.size, items: 1, newest: entry.changed_or_born() },
        }
    }

    /// How many entries there are, the root not counted.
    pub fn len(&self) -> usize {
        self.nodes.len() - 1
    }

    /// Whether the place is empty.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Every entry but the root, parents before what they hold.
    pub fn ids(&self) -> impl Iterator<Item = NodeId> + use<> {
        (1..self.nodes.len() as u32).map(NodeId)
    }

    fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    /// The entry's own facts.
    pub fn entry(&self, id: NodeId) -> &Entry {
        &self.node(id).entry
    }

    /// The entry's name; empty for the root.
    pub fn name(&self, id: NodeId) -> &[u8] {
        let node = self.node(id);
        let start = node.name_at as usize;
        &self.names[start..start + usize::from(node.name_len)]
    }

    /// The folder that holds the entry; the root for the root.
    pub fn parent(&self, id: NodeId) -> NodeId {
        NodeId(self.node(id).parent)
    }

    /// The path from the root to the entry.
    pub fn path(&self, id: NodeId) -> ItemPath {
        let mut names = Vec::new();
        let mut here = id;
        while here != Self::ROOT {
            names.push(self.name(here));
            here = self.parent(here);
        }
        names.into_iter().rev().fold(ItemPath::root(), |path, name| path.join(name))
    }

    /// What a folder holds, in the order in which it was found; nothing for a file.
    pub fn children(&self, id: NodeId) -> impl DoubleEndedIterator<Item = NodeId> + use<> {
        let folder = self.folders.get(self.node(id).folder as usize);
        let range = folder.map_or(0..0, |f| f.first_child..f.first_child + f.children);
        range.map(NodeId)
    }

    /// What a folder holds, by name, the way people count.
    pub fn children_by_name(&self, id: NodeId) -> Vec<NodeId> {
        let mut children: Vec<NodeId> = self.children(id).collect();
        children.sort_by_cached_key(|id| (natural_key(self.name(*id)), self.name(*id).to_vec()));
        children
    }

    /// The sums of a folder, or a file's own size and time; see [`Tree::sum_up`].
    pub fn totals(&self, id: NodeId) -> Totals {
        self.own_totals(id.0 as usize)
    }

    /// Whether this is a folder whose contents could not be read (or were not asked for).
    pub fn is_unread_folder(&self, id: NodeId) -> bool {
        self.folders.get(self.node(id).folder as usize).is_some_and(|folder| !folder.read)
    }

    /// The entry at a path, if there is one.
    pub fn find(&self, path: &ItemPath) -> Option<NodeId> {
        path.parts()
            .try_fold(Self::ROOT, |at, part| self.children(at).find(|child| self.name(*child) == part))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::Identity;

    fn entry(kind: Kind, size: u64, modified: i64) -> Entry {
        Entry { kind, size, modified: Moment(modified), opened: None, born: None, identity: Identity([0, 0]) }
    }

    #[test]
    fn sums_run_upwards_and_folders_own_times_count_only_when_empty() {
        let mut tree = Tree::new(entry(Kind::Folder, 0, 1));
        let mut top = Batch::default();
        top.push(b"letters", entry(Kind::Folder, 4096, 900));
        top.push(b"a.txt", entry(Kind::File, 5, 10));
        top.push(b"void", entry(Kind::Folder, 4096, 800));
        let first = tree.add(Tree::ROOT, &top);
        let mut inner = Batch::default();
        inner.push(b"b.txt", entry(Kind::File, 7, 20));
        inner.push(b"c.txt", entry(Kind::File, 1, 30));
        tree.add(first, &inner);
        tree.add(tree.find(&ItemPath::new("void").unwrap()).unwrap(), &Batch::default());
        tree.sum_up();
        let totals = |path: &str| tree.totals(tree.find(&ItemPath::new(path).unwrap()).unwrap());
        assert_eq!(totals("letters"), Totals { size: 8, items: 2, newest: Moment(30) });
        assert_eq!(totals("void"), Totals { size: 0, items: 0, newest: Moment(800) });
        assert_eq!(tree.totals(Tree::ROOT), Totals { size: 13, items: 3, newest: Moment(30) });
        assert_eq!(
            tree.path(tree.find(&ItemPath::new("letters/c.txt").unwrap()).unwrap()).as_bytes(),
            b"letters/c.txt"
        );
        assert_eq!(tree.find(&ItemPath::new("letters/d").unwrap()), None);
        assert_eq!(tree.len(), 5);
    }
}
