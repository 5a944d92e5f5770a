//! Trees for tests, made of paths.

use std::collections::BTreeMap;

use super::{Batch, FolderNo, Gathering, Tree};
use crate::item::{Entry, Identity, Kind};
use crate::moment::Moment;
use crate::place::Name;

/// A tree of files with their sizes, and the folders that they lie in. A path that ends in `/` is a folder.
pub(crate) fn tree_of(items: &[(&str, u64)]) -> Tree {
    tree_with_times(&items.iter().map(|(path, size)| (*path, *size, Moment(0))).collect::<Vec<_>>())
}

/// The same, with when each was last changed.
pub(crate) fn tree_with_times(items: &[(&str, u64, Moment)]) -> Tree {
    // By path; a folder's ends in a slash.
    let mut all: BTreeMap<String, (u64, Moment)> = BTreeMap::new();
    for (path, size, modified) in items {
        for (at, _) in path.match_indices('/') {
            all.entry(path[..=at].to_owned()).or_insert((0, *modified));
        }
        all.insert((*path).to_owned(), (*size, *modified));
    }
    let entry = |kind, size, modified, number| Entry {
        kind,
        size,
        modified,
        opened: None,
        born: None,
        changed: modified,
        identity: Identity([1, number]),
    };
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, Moment(0), 0));
    let mut waiting = vec![(FolderNo::ROOT, String::new())];
    while let Some((number, above)) = waiting.pop() {
        let mut batch = Batch::default();
        for (at, (path, (size, modified))) in all.iter().enumerate() {
            let kind = if path.ends_with('/') { Kind::Folder } else { Kind::File };
            let Some(name) = path.trim_end_matches('/').strip_prefix(&above) else { continue };
            if !name.is_empty() && !name.contains('/') {
                batch.push(Name::new(name.as_bytes()).unwrap(), entry(kind, *size, *modified, at as u64 + 1));
            }
        }
        batch.sort();
        let names: Vec<String> =
            batch.folders().map(|name| format!("{above}{}/", String::from_utf8_lossy(&name))).collect();
        let first = gathering.add(number, &batch);
        waiting.extend((0..).zip(names).map(|(at, name)| (first.plus(at), name)));
    }
    gathering.finish()
}
