//! Names that look like those of copies although the bytes differ.

use rustc_hash::FxHashMap;

use super::question::is_in_sight;
use super::{Digest, Member};
use crate::correct::{has_copy_mark, without_copy_marks};
use crate::item::{Identity, Kind};
use crate::names::{fold, split_extension};
use crate::tree::{NodeId, Tree};

/// Files whose names are the same but for copy marks, and which are not all the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookAlike {
    /// The files, in the order in which people read them.
    pub items: Vec<Member>,
    /// Whether one of them calls itself a copy: `plan (1)`, `copy of plan`.
    pub marked: bool,
}

/// Finds them among the files in sight that hold a byte; those that call themselves copies first.
pub fn look_alikes(trees: &[&Tree], same_spot: impl Fn(Member, Member) -> bool) -> Vec<LookAlike> {
    // The names themselves would take too much room; two that share 64 bits are held against each
    // other afterwards.
    let mut keys: Vec<(u64, Member)> = Vec::new();
    for (view, tree) in trees.iter().enumerate() {
        let files = tree
            .ids()
            .filter(|id| tree.kind(*id) == Kind::File && tree.size(*id) > 0 && is_in_sight(tree, *id));
        keys.extend(files.map(|id| (short(&key(tree.name(id)).0), Member::new(view, id))));
    }
    keys.sort_unstable();
    let mut found = Vec::new();
    for alike in keys.chunk_by(|a, b| a.0 == b.0).filter(|alike| alike.len() > 1) {
        let mut by_name: FxHashMap<String, LookAlike> = FxHashMap::default();
        for (_, member) in alike {
            let (name, marked) = key(member.tree(trees).name(member.id));
            let group = by_name.entry(name).or_insert_with(|| LookAlike { items: Vec::new(), marked: false });
            if !group.items.last().is_some_and(|last| same_spot(*last, *member)) {
                group.items.push(*member);
                group.marked |= marked;
            }
        }
        found.extend(by_name.into_values().filter(|group| differ(&group.items, trees)));
    }
    found.sort_by_key(|group| (!group.marked, group.items[0]));
    found
}

/// A name without its copy marks and letter case, and whether it had any.
fn key(name: &[u8]) -> (String, bool) {
    let (stem, extension) = split_extension(name);
    let (stem, extension) = (String::from_utf8_lossy(stem), String::from_utf8_lossy(extension));
    let marked = has_copy_mark(&stem);
    let plain = if marked { without_copy_marks(&stem) } else { stem.into_owned() };
    (fold(&format!("{}{extension}", plain.trim())), marked)
}

fn short(key: &str) -> u64 {
    use std::hash::Hasher;
    let mut hasher = rustc_hash::FxHasher::default();
    hasher.write(key.as_bytes());
    hasher.finish()
}

/// Whether two of these files differ: they are neither names of one file nor known to have the same
/// bytes.
fn differ(items: &[Member], trees: &[&Tree]) -> bool {
    let bytes = |member: &Member| -> (u64, Option<Digest>, Option<Identity>) {
        let (tree, id): (&Tree, NodeId) = (member.tree(trees), member.id);
        let digest = tree.digest(id);
        (tree.size(id), digest, if digest.is_some() { None } else { Some(tree.identity(id)) })
    };
    items.windows(2).any(|pair| bytes(&pair[0]) != bytes(&pair[1]))
}
