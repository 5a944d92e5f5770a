//! Items that are the same, put together from what is known of their bytes.

use std::collections::HashSet;

use super::question::is_in_sight;
use super::{Candidates, Digest, Meet, Member, Side};
use crate::item::{Identity, Kind};
use crate::tree::{NodeId, Tree};

/// One of the items that are the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Alike {
    /// Which it is.
    pub member: Member,
    /// Other names of the same file (hard links). They take no space.
    pub links: Vec<Member>,
    /// Whether it lies in a folder that stays as a whole: the one of several that are the same, or one
    /// that is kept together.
    pub bound: bool,
}

/// Items that are the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    /// Files, or folders with all that lies in them.
    pub kind: Kind,
    /// Of the bytes; of a folder, of all names and bytes in it. `None` for empty files.
    pub digest: Option<Digest>,
    /// The bytes of each.
    pub size: u64,
    /// The items, two or more, in the order in which people read them.
    pub items: Vec<Alike>,
}

/// Which files count.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Taken {
    /// Hidden files too.
    pub hidden: bool,
    /// Empty files are copies of one another.
    pub empty: bool,
}

/// The groups of files whose digests are the same; `same_spot` says whether two members are one and
/// the same name, seen through two places.
pub fn groups(trees: &[&Tree], taken: Taken, same_spot: impl Fn(Member, Member) -> bool) -> Vec<Group> {
    // A part of the digest serves to sort; the whole is looked at only where that is the same.
    let part = |digest: Option<Digest>| digest.map_or(0, |digest| u64::from_be_bytes(digest.start()));
    let mut seen: Vec<(u64, Member)> = Vec::new();
    for (view, tree) in trees.iter().enumerate() {
        let files = tree.ids().filter(|id| tree.kind(*id) == Kind::File);
        let known = |id: &NodeId| match tree.size(*id) {
            0 => taken.empty,
            _ => tree.digest(*id).is_some(),
        };
        let files = files.filter(|id| taken.hidden || is_in_sight(tree, *id)).filter(known);
        seen.extend(files.map(|id| (part(tree.digest(id)), Member::new(view, id))));
    }
    seen.sort_unstable();
    let digest = |member: &Member| member.tree(trees).digest(member.id);
    let mut found = Vec::new();
    for alike in seen.chunk_by_mut(|a, b| a.0 == b.0).filter(|alike| alike.len() > 1) {
        alike.sort_by_key(|(_, member)| digest(member));
        for same in alike.chunk_by(|a, b| digest(&a.1) == digest(&b.1)).filter(|same| same.len() > 1) {
            let items = by_identity(same.iter().map(|(_, member)| *member), trees, &same_spot);
            if items.len() > 1 {
                let size = items[0].member.tree(trees).size(items[0].member.id);
                found.push(Group { kind: Kind::File, digest: digest(&same[0].1), size, items });
            }
        }
    }
    found
}

/// Puts the names of one file together. What is seen through two places counts once.
fn by_identity(
    members: impl Iterator<Item = Member>,
    trees: &[&Tree],
    same_spot: impl Fn(Member, Member) -> bool,
) -> Vec<Alike> {
    let mut items: Vec<Alike> = Vec::new();
    let mut numbers: rustc_hash::FxHashMap<Identity, usize> = Default::default();
    for member in members {
        match numbers.entry(member.tree(trees).identity(member.id)) {
            std::collections::hash_map::Entry::Vacant(free) => {
                free.insert(items.len());
                items.push(Alike { member, links: Vec::new(), bound: false });
            }
            std::collections::hash_map::Entry::Occupied(known) => {
                let item = &mut items[*known.get()];
                let names = std::iter::once(&item.member).chain(&item.links);
                if !names.copied().any(|name| same_spot(name, member)) {
                    item.links.push(member);
                }
            }
        }
    }
    items
}

/// How much copies take, as far as that is known.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct CopiesTake {
    /// Files that are not needed, since another with the same bytes would stay.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Bytes of files that share their size with another and were not compared yet.
    pub unread: u64,
}

/// How much copies take among the files in sight of some trees, without reading anything. `own` says
/// of which trees it is told; what lies in the others stays.
pub fn copies_take(trees: &[&Tree], own: impl Fn(usize) -> bool) -> CopiesTake {
    let mut out = CopiesTake::default();
    let is_own = |member: Member| own(member.view as usize);
    for group in groups(trees, Taken::default(), |_, _| false) {
        let ours = group.items.iter().filter(|item| is_own(item.member)).count();
        // Where none lies elsewhere, one of ours stays.
        let files = ours.min(group.items.len() - 1) as u64;
        out.files += files;
        out.bytes += files * group.size;
    }
    let side = |member: Member| {
        let side = if is_own(member) { Side::Asked } else { Side::Beside };
        is_in_sight(member.tree(trees), member.id).then_some(side)
    };
    let candidates = Candidates::of(trees, side, Meet::Any, HashSet::new());
    for number in 0..candidates.len() {
        for file in candidates.run(number, trees).iter().filter(|file| file.asked) {
            let (tree, id) = (file.member.tree(trees), file.member.id);
            let known = tree.digest(id).is_some() || tree.ends(id).is_some();
            out.unread += if known { 0 } else { file.size };
        }
    }
    out
}
