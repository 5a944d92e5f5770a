//! A file system in memory that may lose what was not synced, change its number, go away and come back.

use std::collections::{BTreeMap, BTreeSet};

use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_stores::{StoreError, StoreResult};

/// A file or a folder.
#[derive(Debug, Clone)]
pub struct Node {
    pub kind: Kind,
    pub bytes: Vec<u8>,
    pub modified: i64,
    pub tags: Vec<String>,
    pub children: BTreeMap<NameBuf, u64>,
}

/// All that is on a disk, by number.
#[derive(Debug, Clone)]
struct State {
    nodes: BTreeMap<u64, Node>,
    next: u64,
}

/// The folder of all, and the one of what was discarded.
const ROOT: u64 = 1;
const TRASH: u64 = 2;

#[derive(Debug)]
pub struct Disk {
    /// What the system calls it for now.
    pub number: u64,
    pub is_away: bool,
    now: State,
    /// As it was after each change that was not synced yet, the synced one first.
    unsynced: Vec<State>,
    /// Files whose content was not flushed: after a loss of power they may be there and hold nothing.
    unflushed: BTreeSet<u64>,
}

impl Disk {
    pub fn new(number: u64) -> Self {
        let folder = || Node {
            kind: Kind::Folder,
            bytes: Vec::new(),
            modified: 0,
            tags: Vec::new(),
            children: BTreeMap::new(),
        };
        let now = State { nodes: BTreeMap::from([(ROOT, folder()), (TRASH, folder())]), next: TRASH + 1 };
        Self { number, is_away: false, unsynced: vec![now.clone()], now, unflushed: BTreeSet::new() }
    }

    /// All that was done is on the disk for sure.
    pub fn sync(&mut self) {
        self.unsynced = vec![self.now.clone()];
    }

    /// The power fails: of what was not synced a part is there, in the order in which it was done.
    pub fn lose_power(&mut self, choice: usize) {
        self.now = self.unsynced[choice % self.unsynced.len()].clone();
        for id in std::mem::take(&mut self.unflushed) {
            self.now.nodes.entry(id).and_modify(|node| node.bytes.clear());
        }
        self.sync();
    }

    /// Writes a file whose content is not on the disk for sure.
    pub fn write_unflushed(&mut self, id: u64, bytes: Vec<u8>) {
        self.unflushed.insert(id);
        self.change(id, |node| node.bytes = bytes);
    }

    /// Makes sure of the content of a file.
    pub fn flush(&mut self, id: u64) {
        self.unflushed.remove(&id);
        // What is there since is that as well.
        let bytes = self.node(id).bytes.clone();
        for state in &mut self.unsynced {
            state.nodes.entry(id).and_modify(|node| node.bytes.clone_from(&bytes));
        }
    }

    fn changed(&mut self) {
        self.unsynced.push(self.now.clone());
    }

    pub fn find(&self, path: &ItemPath) -> Option<u64> {
        path.parts().try_fold(ROOT, |at, name| self.now.nodes[&at].children.get(&*name).copied())
    }

    pub fn node(&self, id: u64) -> &Node {
        &self.now.nodes[&id]
    }

    pub fn entry_of(&self, id: u64) -> Entry {
        let node = self.node(id);
        Entry {
            kind: node.kind,
            size: node.bytes.len() as u64,
            modified: Moment(node.modified),
            opened: None,
            born: None,
            changed: Moment(node.modified),
            identity: Identity([self.number, id]),
        }
    }

    pub fn entry(&self, path: &ItemPath) -> Option<Entry> {
        self.find(path).map(|id| self.entry_of(id))
    }

    pub fn list(&self, path: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>> {
        let id = self.find(path).ok_or(StoreError::NotThere)?;
        if self.node(id).kind != Kind::Folder {
            return Err(StoreError::NotAFolder);
        }
        Ok(self.node(id).children.iter().map(|(name, id)| (name.clone(), self.entry_of(*id))).collect())
    }

    fn parent(&self, path: &ItemPath) -> StoreResult<u64> {
        let parent = self.find(&path.parent().unwrap_or_default()).ok_or(StoreError::NotThere)?;
        if self.node(parent).kind == Kind::Folder { Ok(parent) } else { Err(StoreError::NotAFolder) }
    }

    fn children(&mut self, id: u64) -> &mut BTreeMap<NameBuf, u64> {
        &mut self.now.nodes.get_mut(&id).unwrap().children
    }

    /// Makes something under a free name.
    pub fn make(&mut self, path: &ItemPath, node: Node) -> StoreResult<()> {
        let parent = self.parent(path)?;
        if self.children(parent).contains_key(path.name()) {
            return Err(StoreError::Taken);
        }
        let id = self.now.next;
        self.now.next += 1;
        self.now.nodes.insert(id, node);
        self.children(parent).insert(path.last().unwrap().into(), id);
        self.changed();
        Ok(())
    }

    pub fn change(&mut self, id: u64, change: impl FnOnce(&mut Node)) {
        change(self.now.nodes.get_mut(&id).unwrap());
        self.changed();
    }

    /// Moves a name onto a free one.
    pub fn rename(&mut self, from: &ItemPath, to: &ItemPath) -> StoreResult<()> {
        let id = self.find(from).ok_or(StoreError::NotThere)?;
        let (old, new) = (self.parent(from)?, self.parent(to)?);
        if self.children(new).contains_key(to.name()) {
            return Err(StoreError::Taken);
        }
        if to.is_inside(from) {
            return Err(StoreError::System("into itself".into()));
        }
        self.children(old).remove(from.name());
        self.children(new).insert(to.last().unwrap().into(), id);
        self.changed();
        Ok(())
    }

    pub fn remove(&mut self, path: &ItemPath) -> StoreResult<()> {
        let id = self.find(path).ok_or(StoreError::NotThere)?;
        if !self.node(id).children.is_empty() {
            return Err(StoreError::NotEmpty);
        }
        let parent = self.parent(path)?;
        self.children(parent).remove(path.name());
        self.changed();
        Ok(())
    }

    /// Takes a name into the trash; returns under which.
    pub fn discard(&mut self, path: &ItemPath) -> StoreResult<Vec<u8>> {
        let id = self.find(path).ok_or(StoreError::NotThere)?;
        let parent = self.parent(path)?;
        self.children(parent).remove(path.name());
        let kept = format!("{id}").into_bytes();
        self.children(TRASH).insert(NameBuf::new(kept.clone()).unwrap(), id);
        self.changed();
        Ok(kept)
    }

    pub fn discarded(&self, kept: &[u8]) -> Option<u64> {
        self.node(TRASH).children.get(kept).copied()
    }

    pub fn find_discarded(&self, stamp: &Stamp) -> Option<Vec<u8>> {
        let is_it = |id: u64| {
            let now = self.entry_of(id).stamp();
            (now.size, now.modified, now.identity.0[1]) == (stamp.size, stamp.modified, stamp.identity.0[1])
        };
        let found = self.node(TRASH).children.iter().find(|(_, id)| is_it(**id));
        found.map(|(kept, _)| kept.to_vec())
    }

    pub fn restore(&mut self, kept: &[u8], to: &ItemPath) -> StoreResult<()> {
        let id = self.discarded(kept).ok_or(StoreError::NotThere)?;
        let parent = self.parent(to)?;
        if self.children(parent).contains_key(to.name()) {
            return Err(StoreError::Taken);
        }
        self.children(TRASH).remove(kept);
        self.children(parent).insert(to.last().unwrap().into(), id);
        self.changed();
        Ok(())
    }

    /// Everything on it, the trash as `(trash)`, with paths from its top.
    pub fn all(&self) -> Vec<(ItemPath, u64)> {
        let mut found = Vec::new();
        let mut left =
            vec![(ItemPath::root(), ROOT), (ItemPath::root().join(Name::constant("(trash)")), TRASH)];
        while let Some((path, id)) = left.pop() {
            left.extend(self.node(id).children.iter().map(|(name, child)| (path.join(name), *child)));
            found.push((path, id));
        }
        found
    }
}
