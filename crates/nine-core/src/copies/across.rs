//! What of one side is on the other by its bytes, whatever the folders, names and dates.

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Digest, Member};
use crate::item::Identity;
use crate::names::fold_bytes;
use crate::tree::Tree;

/// What came of holding one side against the other.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Across {
    /// What is nowhere on the other side.
    pub missing: Vec<Member>,
    /// What is there, each with where, in the order in which people read.
    pub found: Vec<(Member, Vec<Member>)>,
}

/// Holds files against others. What is in question must have been read; a file whose bytes are not
/// known shares its size with none, and so is missing. Two names of one file have the same bytes.
pub fn across(trees: &[&Tree], asked: &[Member], beside: &[Member]) -> Across {
    let digest = |member: &Member| member.tree(trees).digest(member.id);
    let mut by_digest: FxHashMap<Digest, Vec<Member>> = FxHashMap::default();
    for member in asked {
        if let Some(digest) = digest(member) {
            by_digest.entry(digest).or_default();
        }
    }
    for member in beside {
        if let Some(known) = digest(member).and_then(|digest| by_digest.get_mut(&digest)) {
            known.push(*member);
        }
    }
    let is_found = |member: &&Member| {
        digest(member).and_then(|digest| by_digest.get(&digest)).is_some_and(|there| !there.is_empty())
    };
    let identity = |member: &Member| member.tree(trees).identity(member.id);
    let left: FxHashSet<Identity> = asked.iter().filter(|member| !is_found(member)).map(identity).collect();
    let mut names: FxHashMap<Identity, Vec<Member>> = FxHashMap::default();
    for member in beside.iter().filter(|member| left.contains(&identity(member))) {
        names.entry(identity(member)).or_default().push(*member);
    }
    let mut out = Across::default();
    for member in asked {
        let there =
            digest(member).and_then(|digest| by_digest.get(&digest)).filter(|there| !there.is_empty());
        match there.or_else(|| names.get(&identity(member))) {
            Some(there) => out.found.push((*member, there.clone())),
            None => out.missing.push(*member),
        }
    }
    out
}

/// For each of these files, others with the same name, letter case and Unicode form ignored.
pub fn same_names(trees: &[&Tree], missing: &[Member], beside: &[Member]) -> Vec<(Member, Vec<Member>)> {
    let name = |member: &Member| fold_bytes(member.tree(trees).name(member.id));
    let mut by_name: FxHashMap<String, Vec<Member>> =
        missing.iter().map(|member| (name(member), Vec::new())).collect();
    for member in beside {
        if let Some(known) = by_name.get_mut(&name(member)) {
            known.push(*member);
        }
    }
    let with = missing.iter().map(|member| (*member, by_name[&name(member)].clone()));
    with.filter(|(_, others)| !others.is_empty()).collect()
}
