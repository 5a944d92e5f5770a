//! Names that look like those of copies although the bytes differ.

use rustc_hash::FxHashMap;

use super::question::is_in_sight;
use super::{Digest, Member};
use crate::correct::{has_copy_mark, may_have_copy_mark, without_copy_marks};
use crate::item::{Identity, Kind};
use crate::names::{fold, split_extension};
use crate::tree::{NodeId, Tree, mark};

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
        keys.extend(files.map(|id| (short(tree, id), Member::new(view, id))));
    }
    keys.sort_unstable();
    let mut found = Vec::new();
    for alike in keys.chunk_by(|a, b| a.0 == b.0).filter(|alike| alike.len() > 1) {
        let name_of = |member: &Member| member.tree(trees).name(member.id);
        let first = name_of(&alike[0].1);
        // Mostly they are the same to the letter, and need be looked at once.
        let is_one_name = alike.iter().all(|(_, member)| name_of(member) == first);
        let one = is_one_name.then(|| key(first));
        let mut by_name: FxHashMap<String, LookAlike> = FxHashMap::default();
        for (_, member) in alike {
            let (name, marked) = one.clone().unwrap_or_else(|| key(name_of(member)));
            let group = by_name.entry(name).or_insert_with(|| LookAlike { items: Vec::new(), marked: false });
            // What two places show is one file; within one place no two names are the same.
            let mut elsewhere = group.items.iter().take_while(|known| known.view != member.view);
            let is_known = elsewhere.any(|known| same_spot(*known, *member));
            if !is_known {
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
    let plain = if marked { without_copy_marks(&stem).trim().to_owned() } else { stem.into_owned() };
    (fold(&format!("{plain}{extension}")), marked)
}

/// A number that files with one key share.
fn short(tree: &Tree, id: NodeId) -> u64 {
    use std::hash::Hasher;
    let (name, mut hasher) = (tree.name(id), rustc_hash::FxHasher::default());
    // Nearly all names are plain, and need no string of their own.
    if tree.has_mark(id, mark::ASCII) && !may_have_copy_mark(name) {
        name.iter().for_each(|byte| hasher.write_u8(byte.to_ascii_lowercase()));
    } else {
        key(name).0.bytes().for_each(|byte| hasher.write_u8(byte));
    }
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
