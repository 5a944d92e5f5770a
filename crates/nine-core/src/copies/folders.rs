//! Folders that are the same in all names and bytes below them, told as one instead of file by file.

use rustc_hash::FxHashMap;

use super::together::Together;
use super::{Alike, Chosen, Digest, Group, Member};
use crate::item::Kind;
use crate::tree::{NodeId, Tree, mark};

/// A group, and which of its items stays.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Folded {
    /// The items.
    pub group: Group,
    /// The one that stays, and why.
    pub chosen: Chosen,
}

/// What becomes of an item of a group, or of another name of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// It stays.
    Stays,
    /// It lies in a folder that stays as a whole.
    Bound,
    /// It is not needed.
    Copy,
    /// Another name of the same file (a hard link).
    Link {
        /// Whether the file is not needed.
        goes: bool,
    },
}

/// Puts whole folders in place of the files in them, and chooses in each group what stays.
///
/// What lies in a folder that goes is not told again; what lies in one that stays is bound to it.
/// Folders that hold others are decided first, so that no choice is undone by a later one.
pub fn fold(
    trees: &[&Tree],
    files: Vec<Group>,
    same_spot: &dyn Fn(Member, Member) -> bool,
    choose: &dyn Fn(&Group) -> Chosen,
) -> Vec<Folded> {
    let mut folders = groups_of_folders(trees, false, same_spot);
    let inside = |group: &Group| {
        let member = group.items[0].member;
        member.tree(trees).inside(member.id).count()
    };
    folders.sort_by_key(|group| std::cmp::Reverse(inside(group)));
    let together = Together::new(trees);
    let mut decided = Decided { trees, together: &together, stays: FxHashMap::default() };
    let mut out = Vec::new();
    for group in folders.into_iter().chain(files) {
        let Some(group) = decided.what_is_left(group) else { continue };
        let chosen = choose(&group);
        if group.kind == Kind::Folder {
            for (at, item) in group.items.iter().enumerate().filter(|(_, item)| !item.bound) {
                decided.stays.insert(item.member, at == chosen.at);
            }
        }
        out.push(Folded { group, chosen });
    }
    // A folder whose twin is all that is free, and which stays, leaves nothing to do. A file that stays beside one
    // that is bound is told all the same: they are copies.
    let stays = |item: &Alike| item.bound && decided.around(item.member) == Some(true);
    let is_told = |folded: &Folded| {
        folded.group.kind == Kind::File && !folded.kept().bound && folded.group.items.iter().any(stays)
    };
    out.retain(|folded| folded.going().next().is_some() || is_told(folded));
    out
}

impl Folded {
    /// The items that are not needed: neither the one that stays nor bound to a folder that does.
    pub fn going(&self) -> impl Iterator<Item = &Alike> {
        let items = self.group.items.iter().enumerate();
        items.filter(|(at, item)| *at != self.chosen.at && !item.bound).map(|(_, item)| item)
    }

    /// All items, the one that stays first, each followed by its other names.
    pub fn parts(&self) -> impl Iterator<Item = (Member, Part)> {
        let others = self.group.items.iter().enumerate().filter(|(at, _)| *at != self.chosen.at);
        let others = others.map(|(_, item)| (item, if item.bound { Part::Bound } else { Part::Copy }));
        std::iter::once((self.kept(), Part::Stays)).chain(others).flat_map(|(item, part)| {
            let link = Part::Link { goes: part == Part::Copy };
            std::iter::once((item.member, part)).chain(item.links.iter().map(move |name| (*name, link)))
        })
    }

    /// The item that stays.
    pub fn kept(&self) -> &Alike {
        &self.group.items[self.chosen.at]
    }

    /// Bytes that are free once the others are gone.
    pub fn to_be_won(&self) -> u64 {
        self.group.size * self.going().count() as u64
    }
}

/// Folders of which it is known whether they stay.
struct Decided<'a> {
    trees: &'a [&'a Tree],
    together: &'a Together<'a>,
    stays: FxHashMap<Member, bool>,
}

impl Decided<'_> {
    /// The outermost folder around an entry that was decided about: whether it stays.
    fn around(&self, member: Member) -> Option<bool> {
        let tree = member.tree(self.trees);
        if self.stays.is_empty() {
            return None;
        }
        let (mut here, mut found) = (member.id, None);
        while here != Tree::ROOT {
            here = tree.parent(here);
            found = self.stays.get(&Member { id: here, ..member }).copied().or(found);
        }
        found
    }

    /// A group without what goes with a folder; `None` if that leaves nothing to choose.
    fn what_is_left(&self, mut group: Group) -> Option<Group> {
        group.items = group.items.into_iter().filter_map(|item| self.item(item)).collect();
        let free = group.items.iter().any(|item| !item.bound);
        (group.items.len() > 1 && free).then_some(group)
    }

    /// An item under the names that are left of it.
    fn item(&self, mut item: Alike) -> Option<Alike> {
        let mut bound = false;
        let mut is_left = |name: Member| {
            let around = self.around(name);
            bound |= around == Some(true) || self.together.holds(name);
            around != Some(false)
        };
        let has_its_name = is_left(item.member);
        item.links.retain(|name| is_left(*name));
        if !has_its_name {
            if item.links.is_empty() {
                return None;
            }
            item.member = item.links.remove(0);
        }
        Some(Alike { bound, ..item })
    }
}

/// Hidden files that were not read and lie in folders that are the same in all that people see: only
/// they can tell whether the folders are the same in all.
pub fn hidden_in_question(trees: &[&Tree]) -> Vec<Member> {
    let is_unread = |tree: &Tree, id: NodeId| {
        tree.has_mark(id, mark::HIDDEN)
            && tree.kind(id) == Kind::File
            && tree.size(id) > 0
            && tree.digest(id).is_none()
    };
    if !trees.iter().any(|tree| tree.ids().any(|id| is_unread(tree, id))) {
        return Vec::new();
    }
    let mut found = Vec::new();
    for group in groups_of_folders(trees, true, &|_, _| false) {
        for Alike { member, .. } in group.items {
            let tree = member.tree(trees);
            let unread = tree.inside(member.id).filter(|id| is_unread(tree, *id));
            found.extend(unread.map(|id| Member { id, ..member }));
        }
    }
    found.sort_unstable();
    found.dedup();
    found
}

/// Groups of folders that are the same; with `in_sight`, in all but what is hidden.
fn groups_of_folders(
    trees: &[&Tree],
    in_sight: bool,
    same_spot: &dyn Fn(Member, Member) -> bool,
) -> Vec<Group> {
    let mut seen: Vec<(Digest, Member)> = Vec::new();
    for (view, tree) in trees.iter().enumerate() {
        digests_of_folders(tree, in_sight, |id, digest| seen.push((digest, Member::new(view, id))));
    }
    seen.sort_unstable();
    let mut groups = Vec::new();
    for same in seen.chunk_by(|a, b| a.0 == b.0).filter(|same| same.len() > 1) {
        let mut items: Vec<Alike> = Vec::new();
        for (_, member) in same {
            // What two places show is one folder; within one place no two are, and they stand place by place.
            let mut elsewhere = items.iter().take_while(|item| item.member.view != member.view);
            if !elsewhere.any(|item| same_spot(item.member, *member)) {
                items.push(Alike { member: *member, links: Vec::new(), bound: false });
            }
        }
        if items.len() > 1 {
            let size = items[0].member.tree(trees).size(items[0].member.id);
            groups.push(Group { kind: Kind::Folder, digest: Some(same[0].0), size, items });
        }
    }
    groups
}

/// What is known of a folder while what it holds is gone through from the end.
struct FolderSum {
    hasher: blake3::Hasher,
    /// Whether everything in it is known.
    whole: bool,
    /// Whether there is a byte in it.
    holds: bool,
}

impl FolderSum {
    fn new() -> Self {
        Self { hasher: blake3::Hasher::new(), whole: true, holds: false }
    }
}

/// The sum of a folder around the row in hand.
fn sum_of(open: &mut Vec<(NodeId, FolderSum)>, folder: NodeId) -> &mut FolderSum {
    if open.last().is_none_or(|(innermost, _)| *innermost != folder) {
        open.push((folder, FolderSum::new()));
    }
    let last = open.len() - 1;
    &mut open[last].1
}

/// Tells the digest of each folder in sight whose files were all read and that holds a byte. A folder
/// with a link or a device in it has none, since nothing is known of where they lead.
fn digests_of_folders(tree: &Tree, in_sight: bool, mut tell: impl FnMut(NodeId, Digest)) {
    if !tree.has_digests() {
        return;
    }
    // From the end, what a folder holds comes before the folder, and only the folders above the row in
    // hand are open, the innermost last.
    let mut open: Vec<(NodeId, FolderSum)> = Vec::new();
    for id in tree.ids().rev() {
        let hidden = tree.has_mark(id, mark::HIDDEN);
        if in_sight && hidden {
            continue;
        }
        let (sort, digest) = match tree.kind(id) {
            Kind::File if tree.size(id) == 0 => (b'e', Some(Digest([0; 32]))),
            Kind::File => (b'f', tree.digest(id)),
            Kind::Folder if tree.is_unread_folder(id) => (b'd', None),
            Kind::Folder => {
                let own = open.pop_if(|(folder, _)| *folder == id).map(|(_, sum)| sum);
                let sum = own.unwrap_or_else(FolderSum::new);
                let digest = sum.whole.then(|| Digest(*sum.hasher.finalize().as_bytes()));
                if let Some(digest) = digest.filter(|_| sum.holds && !hidden) {
                    tell(id, digest);
                }
                if sum.holds && tree.parent(id) != Tree::ROOT {
                    sum_of(&mut open, tree.parent(id)).holds = true;
                }
                (b'd', digest)
            }
            Kind::Link | Kind::Other => (b'l', None),
        };
        let above = tree.parent(id);
        if above == Tree::ROOT {
            continue;
        }
        let sum = sum_of(&mut open, above);
        sum.holds |= sort == b'f';
        match digest {
            Some(digest) if sum.whole => {
                let name = tree.name(id);
                sum.hasher.update(&[sort]).update(&(name.len() as u64).to_le_bytes());
                sum.hasher.update(name).update(&digest.0);
            }
            _ => sum.whole = false,
        }
    }
}
