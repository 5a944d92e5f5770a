//! What belongs together, so that a copy of a part of it is not taken out.

use std::cell::RefCell;

use rustc_hash::FxHashMap;

use super::Member;
use crate::keep_together;
use crate::tree::{NodeId, Tree};

/// Answers whether entries lie in folders that are kept together.
pub(super) struct Together<'a> {
    trees: &'a [&'a Tree],
    /// For folders, whether they or one above them are kept together.
    known: RefCell<FxHashMap<Member, bool>>,
}

impl<'a> Together<'a> {
    pub(super) fn new(trees: &'a [&'a Tree]) -> Self {
        Self { trees, known: RefCell::default() }
    }

    /// Whether a folder above an entry is moved as one or not at all: a checkout, a bundle, one marked
    /// `.keep-together`, the files of a saved page.
    pub(super) fn holds(&self, member: Member) -> bool {
        let tree = member.tree(self.trees);
        let (mut here, mut passed) = (member.id, Vec::new());
        let mut answer = false;
        while here != Tree::ROOT {
            here = tree.parent(here);
            let folder = Member { id: here, ..member };
            if here == Tree::ROOT {
                break;
            }
            if let Some(known) = self.known.borrow().get(&folder) {
                answer = *known;
                break;
            }
            passed.push(folder);
            if is_one(tree, here) {
                answer = true;
                break;
            }
        }
        self.known.borrow_mut().extend(passed.into_iter().map(|folder| (folder, answer)));
        answer
    }
}

/// Whether a folder is kept together.
fn is_one(tree: &Tree, id: NodeId) -> bool {
    let children = tree.children(id).map(|child| tree.name(child));
    keep_together::folder(tree.name(id), children).is_some() || leader(tree, id).is_some()
}

/// What an entry follows among those beside it: the page of its files, the photo of a sidecar.
pub fn leader(tree: &Tree, id: NodeId) -> Option<NodeId> {
    let (name, is_folder) = (tree.name(id), tree.is_folder(id));
    keep_together::leader_key(name, is_folder)?;
    let mut beside = tree.children(tree.parent(id)).filter(|other| *other != id && !tree.is_folder(*other));
    beside.find(|other| keep_together::follows(tree.name(*other), name, is_folder).is_some())
}

/// What follows an entry among those beside it.
pub fn followers(tree: &Tree, id: NodeId) -> Vec<NodeId> {
    let name = tree.name(id);
    let beside = tree.children(tree.parent(id)).filter(|other| *other != id);
    let follows =
        |other: &NodeId| keep_together::follows(name, tree.name(*other), tree.is_folder(*other)).is_some();
    if tree.is_folder(id) { Vec::new() } else { beside.filter(follows).collect() }
}
