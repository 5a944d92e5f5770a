//! Items that are the same, put together from what is known of their bytes.

use std::collections::HashSet;

use rustc_hash::{FxHashMap, FxHashSet};

use super::question::{is_in_sight, shared};
use super::{Digest, Member};
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
    let identity = |member: Member| member.tree(trees).identity(member.id);
    let mut items: Vec<Alike> = Vec::new();
    // Most groups are of two or three, of which no table has to be made.
    let mut numbers: FxHashMap<Identity, usize> = Default::default();
    for member in members {
        let known = match items.len() {
            ..FEW => items.iter().position(|item| identity(item.member) == identity(member)),
            _ => numbers.get(&identity(member)).copied(),
        };
        let Some(known) = known else {
            items.push(Alike { member, links: Vec::new(), bound: false });
            match items.len() {
                ..FEW => {}
                FEW => numbers.extend(items.iter().map(|item| identity(item.member)).zip(0..)),
                many => drop(numbers.insert(identity(member), many - 1)),
            }
            continue;
        };
        let item = &mut items[known];
        let names = std::iter::once(&item.member).chain(&item.links);
        if !names.copied().any(|name| same_spot(name, member)) {
            item.links.push(member);
        }
    }
    // All groups are at hand at once.
    items.shrink_to_fit();
    items
}

/// So many items are gone through one by one.
const FEW: usize = 8;

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

/// How much copies take among the files in sight of some trees, without reading anything: in each of the first `own`
/// of them, if what lies in the others stays, and last in all of these together.
pub fn copies_take(trees: &[&Tree], own: usize) -> Vec<CopiesTake> {
    let mut takes = vec![CopiesTake::default(); own + 1];
    for group in groups(trees, Taken::default(), |_, _| false) {
        let mut take = |which: usize, ours: usize| {
            // Where none lies elsewhere, one of ours stays.
            let files = ours.min(group.items.len() - 1) as u64;
            takes[which].files += files;
            takes[which].bytes += files * group.size;
        };
        let of_view =
            |view: usize| group.items.iter().filter(|item| item.member.view as usize == view).count();
        let counts: Vec<usize> = (0..own).map(of_view).collect();
        counts.iter().enumerate().for_each(|(view, ours)| take(view, *ours));
        take(own, counts.iter().sum());
    }
    add_unread(trees, own, &mut takes);
    takes
}

/// Adds the bytes of files that share their size with another and of which nothing was read; of several names of one
/// file one counts.
fn add_unread(trees: &[&Tree], own: usize, takes: &mut [CopiesTake]) {
    let sizes = |tree| files_in_sight(tree).map(|id| tree.size(id));
    let shared = shared(trees.iter().copied().flat_map(sizes).collect(), &HashSet::new());
    let linked = linked(trees, &shared);
    let mut unread: Vec<(u64, [u64; 2], usize)> = Vec::new();
    for (view, tree) in trees.iter().enumerate().take(own) {
        let is_unread = |id: &NodeId| tree.digest(*id).is_none() && tree.ends(*id).is_none();
        for id in files_in_sight(tree).filter(is_unread).filter(|id| shared.contains(&tree.size(*id))) {
            let (size, identity) = (tree.size(id), tree.identity(id).0);
            // Nearly all have one name.
            if linked.contains(&identity[1]) {
                unread.push((size, identity, view));
            } else {
                takes[own].unread += size;
                takes[view].unread += size;
            }
        }
    }
    unread.sort_unstable();
    let alone = of_one_file(trees, &unread);
    for file in
        unread.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)).filter(|file| !alone.contains_key(&file[0].0))
    {
        let size = file[0].0;
        takes[own].unread += size;
        file.chunk_by(|a, b| a.2 == b.2).for_each(|names| takes[names[0].2].unread += size);
    }
}

/// The inodes of files of some sizes that have several names; by chance also some of files on different devices.
fn linked(trees: &[&Tree], sizes: &FxHashSet<u64>) -> FxHashSet<u64> {
    let of_tree = |tree| {
        let files = files_in_sight(tree).filter(move |id| sizes.contains(&tree.size(*id)));
        files.map(move |id| tree.identity(id).0[1])
    };
    let mut inodes: Vec<u64> = trees.iter().copied().flat_map(of_tree).collect();
    inodes.sort_unstable();
    inodes.windows(2).filter(|two| two[0] == two[1]).map(|two| two[0]).collect()
}

/// The sizes of these files, sorted, that only the names of one file have, and that file.
fn of_one_file(trees: &[&Tree], unread: &[(u64, [u64; 2], usize)]) -> FxHashMap<u64, [u64; 2]> {
    let sizes = unread.chunk_by(|a, b| a.0 == b.0).filter(|same| same[0].1 == same[same.len() - 1].1);
    let mut alone: FxHashMap<u64, [u64; 2]> = sizes.map(|same| (same[0].0, same[0].1)).collect();
    if alone.is_empty() {
        return alone;
    }
    for tree in trees {
        for id in files_in_sight(tree) {
            if alone.get(&tree.size(id)).is_some_and(|one| *one != tree.identity(id).0) {
                alone.remove(&tree.size(id));
            }
        }
    }
    alone
}

/// Files with bytes in them that people see.
fn files_in_sight(tree: &Tree) -> impl Iterator<Item = NodeId> {
    tree.ids().filter(|id| tree.kind(*id) == Kind::File && tree.size(*id) > 0 && is_in_sight(tree, *id))
}
