//! What a list of contents says, as a tree that can be searched like any other.

use std::collections::BTreeMap;

use super::{Contents, ContentsLine};
use crate::item::{Entry, Identity, Kind};
use crate::moment::Moment;
use crate::place::{ItemPath, NameBuf};
use crate::tree::{Batch, FolderNo, Gathering, Tree};

impl Contents {
    /// The tree of all that is listed, with the folders between, which have no lines of their own.
    pub fn tree(&self) -> Tree {
        let mut folders: BTreeMap<ItemPath, BTreeMap<NameBuf, Entry>> = BTreeMap::new();
        for (number, (path, line)) in (0..).zip(&self.0) {
            let mut here = path.clone();
            let mut entry = entry(line, number);
            while let Some(above) = here.parent() {
                let known = folders.entry(above.clone()).or_default();
                if let Some(name) = here.last() {
                    known.entry(NameBuf::from(name)).or_insert(entry);
                }
                entry = folder(u64::MAX - number);
                here = above;
            }
        }
        let mut gathering = Gathering::new(folder(u64::MAX));
        let mut open = vec![(FolderNo::ROOT, ItemPath::root())];
        while let Some((number, path)) = open.pop() {
            let mut batch = Batch::default();
            folders
                .remove(&path)
                .unwrap_or_default()
                .into_iter()
                .for_each(|(name, e)| batch.push(name.as_name(), e));
            batch.sort();
            let inside: Vec<ItemPath> = batch.folders().map(|name| path.join(name)).collect();
            let first = gathering.add(number, &batch);
            open.extend((0..).zip(inside).map(|(nth, path)| (first.plus(nth), path)));
        }
        let mut tree = gathering.finish();
        for id in tree.ids() {
            let tags = self.0.get(&tree.path(id)).map(|line| line.tags.clone()).unwrap_or_default();
            tree.learn_tags(id, &tags, &[]);
        }
        tree
    }
}

fn entry(line: &ContentsLine, number: u64) -> Entry {
    Entry {
        kind: line.kind,
        size: line.size,
        modified: line.modified,
        opened: None,
        born: None,
        changed: line.modified,
        identity: Identity([0, number]),
    }
}

fn folder(number: u64) -> Entry {
    let never = Moment(i64::MIN);
    Entry {
        kind: Kind::Folder,
        size: 0,
        modified: never,
        opened: None,
        born: None,
        changed: never,
        identity: Identity([0, number]),
    }
}
