//! Reasons to leave an item that can be seen without any rule.

use std::collections::HashSet;

use super::tidy::Pass;
use crate::config::Pile;
use crate::item::{Identity, Kind};
use crate::moment::Moment;
use crate::names::is_hidden;
use crate::place::ItemPath;
use crate::tree::{NodeId, Tree, mark};

/// Why an item is left where it is, without being worth a line of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Left {
    /// No rule is for it.
    NoRule,
    /// A rule is for it and it lies there already.
    InPlace,
    /// It is hidden.
    Hidden,
    /// It is a partial download.
    Unfinished,
    /// It changed too recently.
    Settling,
    /// It could not be read.
    Unreadable,
    /// It is a place of its own: another pile, a bookcase, a shelf.
    Place,
    /// It is a device, pipe or socket.
    Special,
    /// It is a folder into which something was swept.
    Swept,
    /// Some program has it open.
    InUse,
    /// It is not stale.
    Fresh,
    /// It is in the archive.
    Archived,
}

impl Left {
    /// The reason in words.
    pub fn words(self) -> &'static str {
        match self {
            Left::NoRule => "without a rule",
            Left::InPlace => "in place already",
            Left::Hidden => "hidden",
            Left::Unfinished => "partial downloads",
            Left::Settling => "changed just now",
            Left::Unreadable => "unreadable",
            Left::Place => "places of their own",
            Left::Special => "devices or pipes",
            Left::Swept => "swept before",
            Left::InUse => "open in a program",
            Left::Fresh => "not stale",
            Left::Archived => "in the archive already",
        }
    }
}

/// What tells at sight whether an item of a pile is left.
pub(super) struct LeaveCheck<'a> {
    pub tree: &'a Tree,
    /// Folders in the pile that are other piles, bookcases or shelves.
    pub places: &'a (dyn Fn(&ItemPath) -> bool + Sync),
    /// What changed after this has not settled.
    pub unsettled: Moment,
    pub now: Moment,
    /// Whether hidden items are asked for.
    pub hidden: bool,
    /// Whether partial downloads are.
    pub unfinished: bool,
    /// What some program has open, and the folders that it lies in.
    pub in_use: HashSet<NodeId>,
    /// Folders in which a partial download lies.
    pub arriving: HashSet<NodeId>,
}

/// The entries of a tree that some program has open, with the folders that they lie in.
pub(super) fn in_use(tree: &Tree, open: &HashSet<Identity>) -> HashSet<NodeId> {
    match open.is_empty() {
        true => HashSet::new(),
        false => with_folders(tree, tree.ids().filter(|id| open.contains(&tree.identity(*id)))),
    }
}

/// The folders of a tree in which a partial download lies.
pub(super) fn arriving(tree: &Tree) -> HashSet<NodeId> {
    let partial = tree.ids().filter(|id| tree.has_mark(*id, mark::UNFINISHED));
    with_folders(tree, partial.map(|id| tree.parent(id)))
}

/// Some entries, and all folders that they lie in but the place itself.
fn with_folders(tree: &Tree, ids: impl Iterator<Item = NodeId>) -> HashSet<NodeId> {
    let mut found = HashSet::new();
    for id in ids {
        let mut here = id;
        while here != Tree::ROOT && found.insert(here) {
            here = tree.parent(here);
        }
    }
    found
}

impl<'a> LeaveCheck<'a> {
    /// For what lies loose in a pile, where neither hidden items nor partial downloads are asked for.
    pub fn of_loose(pass: &'a Pass, pile: &Pile, tree: &'a Tree) -> Self {
        Self {
            tree,
            places: pass.places,
            unsettled: pass.now.before(pile.settle),
            now: pass.now.moment(),
            hidden: false,
            unfinished: false,
            in_use: in_use(tree, pass.in_use),
            arriving: arriving(tree),
        }
    }

    /// Why an entry is left, if it is.
    pub fn why(&self, id: NodeId, path: impl FnOnce() -> ItemPath) -> Option<Left> {
        let entry = self.tree.entry(id);
        let is_folder = entry.kind == Kind::Folder;
        if is_hidden(self.tree.name(id)) && !self.hidden {
            return Some(Left::Hidden);
        }
        let is_partial = self.tree.has_mark(id, mark::UNFINISHED);
        if (is_partial || self.arriving.contains(&id)) && !self.unfinished {
            return Some(Left::Unfinished);
        }
        if entry.kind == Kind::Other {
            return Some(Left::Special);
        }
        if is_folder && (self.places)(&path()) {
            return Some(Left::Place);
        }
        if is_folder && self.tree.is_unread_folder(id) {
            return Some(Left::Unreadable);
        }
        if self.in_use.contains(&id) {
            return Some(Left::InUse);
        }
        let changed = if is_folder { self.tree.totals(id).latest } else { entry.changed_or_born() };
        // What seems to come from the future comes from a wrong clock, and has settled.
        (changed > self.unsettled && changed <= self.now).then_some(Left::Settling)
    }
}
