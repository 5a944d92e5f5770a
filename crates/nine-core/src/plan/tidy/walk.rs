//! The way through what lies in a pile, in the order in which people read it.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use super::super::Proposal;
use super::super::items::together;
use super::super::leave::Left;
use super::super::shared_words::SharedWords;
use super::{Proposed, RuleCount, Tidying, item};
use crate::item::Item;
use crate::keep_together::{self, Set};
use crate::names::{fold_bytes, split_extension};
use crate::place::{ItemPath, Spot};
use crate::rules::{RuleStatus, apply, explain};
use crate::tree::{NodeId, Tree};

/// An entry that follows none, and what follows it.
type Leader = (NodeId, Vec<(NodeId, Set)>);

/// Some entries of one folder that are gone through one after the other, each with all that lies in it.
pub struct Part {
    /// What was found on the way to it.
    pub(super) before: Proposed,
    /// The folder.
    path: ItemPath,
    entries: Vec<Leader>,
}

/// The way of one thread.
pub(super) struct TidyWalk<'a> {
    pub all: &'a Tidying<'a>,
    pub shared: SharedWords,
    out: Proposed,
}

/// What came of the rules for an entry.
struct Tried {
    proposal: Option<Proposal>,
    /// No rule applies to it.
    untouched: bool,
    /// It stays where it is. What a rule only tags, or cannot file since something is not known, does: rules for what lies
    /// in it are for that still.
    stays: bool,
    /// It is a folder that is kept together.
    together: bool,
}

/// A folder that the walk is in.
struct OpenFolder {
    path: ItemPath,
    entries: std::vec::IntoIter<Leader>,
}

impl OpenFolder {
    /// Takes the next entries with about so many rows in all, up to one that has more by itself, which comes second.
    fn take(&mut self, rows: usize, tree: &Tree) -> (Vec<Leader>, Option<Leader>) {
        let (mut taken, mut sum) = (Vec::new(), 0);
        while sum < rows {
            let Some(entry) = self.entries.next() else { break };
            let own = 1 + tree.inside(entry.0).len();
            if own > rows {
                return (taken, Some(entry));
            }
            sum += own;
            taken.push(entry);
        }
        (taken, None)
    }
}

impl Tidying<'_> {
    /// What is found where nothing lies.
    fn nothing(&self) -> Proposed {
        let rules = if self.pass.counts_rules { self.pass.config.rules.len() } else { 0 };
        Proposed { counts: vec![RuleCount::default(); rules], ..Proposed::default() }
    }

    fn open(&self, id: NodeId, path: ItemPath) -> OpenFolder {
        let children: Vec<NodeId> = self.tree.children(id).collect();
        let mut sets = self.sets(&children);
        let following: HashSet<NodeId> = sets.values().flatten().map(|(id, _)| *id).collect();
        let leaders = children.into_iter().filter(|child| !following.contains(child));
        let entries: Vec<Leader> = leaders.map(|id| (id, sets.remove(&id).unwrap_or_default())).collect();
        OpenFolder { path, entries: entries.into_iter() }
    }

    /// For each leader among the children, what follows it.
    pub(super) fn sets(&self, children: &[NodeId]) -> HashMap<NodeId, Vec<(NodeId, Set)>> {
        let is_folder = |id: NodeId| self.tree.is_folder(id);
        let keys = |id: NodeId| keep_together::leader_key(self.tree.name(id), is_folder(id));
        let may_follow: Vec<(NodeId, String)> =
            children.iter().filter_map(|id| Some((*id, keys(*id)?))).collect();
        let mut found: HashMap<NodeId, Vec<(NodeId, Set)>> = HashMap::new();
        if may_follow.is_empty() {
            return found;
        }
        let mut leaders: HashMap<String, Vec<NodeId>> = HashMap::new();
        for id in children.iter().copied().filter(|id| !is_folder(*id)) {
            let name = self.tree.name(id);
            leaders.entry(fold_bytes(split_extension(name).0)).or_default().push(id);
            leaders.entry(fold_bytes(name)).or_default().push(id);
        }
        for (follower, key) in may_follow {
            let name = self.tree.name(follower);
            let candidates = leaders.get(&key).into_iter().flatten().filter(|id| **id != follower);
            let leader = candidates.copied().find_map(|leader| {
                let set = keep_together::follows(self.tree.name(leader), name, is_folder(follower))?;
                Some((leader, set))
            });
            if let Some((leader, set)) = leader {
                found.entry(leader).or_default().push((follower, set));
            }
        }
        found
    }
}

impl<'a> TidyWalk<'a> {
    pub fn new(all: &'a Tidying<'a>) -> Self {
        Self { all, shared: SharedWords::default(), out: all.nothing() }
    }

    /// Goes through a part. Folders may be nested deeper than the stack is, so the walk keeps its own.
    pub fn through(mut self, part: &Part) -> Proposed {
        for (id, set) in &part.entries {
            let mut open = Vec::new();
            self.step(*id, &part.path, set, &mut open);
            while let Some(folder) = open.last_mut() {
                let Some((id, set)) = folder.entries.next() else {
                    open.pop();
                    continue;
                };
                let path = folder.path.clone();
                self.step(id, &path, &set, &mut open);
            }
        }
        self.out
    }

    /// Cuts everything below the pile into parts of about so many rows. A folder that holds more is tried here.
    pub fn cut(mut self, rows: usize) -> Vec<Part> {
        let mut parts = Vec::new();
        let mut open = vec![self.all.open(Tree::ROOT, ItemPath::root())];
        while let Some(folder) = open.last_mut() {
            let (entries, large) = folder.take(rows, self.all.tree);
            let path = folder.path.clone();
            if entries.is_empty() && large.is_none() {
                open.pop();
                continue;
            }
            let before = std::mem::replace(&mut self.out, self.all.nothing());
            parts.push(Part { before, path: path.clone(), entries });
            if let Some((id, set)) = large {
                self.step(id, &path, &set, &mut open);
            }
        }
        // What was tried last and is not gone into.
        parts.push(Part { before: self.out, path: ItemPath::root(), entries: Vec::new() });
        parts
    }

    /// Tries the rules on an entry of a folder, and opens it where what lies in it is to be looked at too.
    fn step(&mut self, id: NodeId, folder: &ItemPath, set: &[(NodeId, Set)], open: &mut Vec<OpenFolder>) {
        if self.entry(id, folder, set) {
            open.push(self.all.open(id, folder.join(self.all.tree.name_of(id))));
        }
    }

    fn leave(&mut self, why: Left) {
        *self.out.left.entry(why).or_default() += 1;
    }

    /// Tries the rules on an entry; says whether what lies in it is to be looked at too.
    fn entry(&mut self, id: NodeId, folder: &ItemPath, set: &[(NodeId, Set)]) -> bool {
        self.out.looked_at += 1 + set.len() as u64;
        let tree = self.all.tree;
        let (is_folder, path) = (tree.is_folder(id), || folder.join(tree.name_of(id)));
        if let Some(why) = self.all.leave.why(id, path) {
            // A folder that is still being filled, or in use, may hold much that has settled.
            let is_for_now = matches!(why, Left::Settling | Left::InUse | Left::Unfinished);
            let descend = is_for_now && is_folder && self.all.deep;
            // That a partial download beside them is complete, its new name tells.
            if is_for_now && (is_folder || why != Left::Unfinished) {
                self.out.waits.push(id);
            }
            if !descend {
                self.leave(why);
            }
            return descend;
        }
        let Tried { proposal, untouched, stays, together } = match self.all.reached().has(id.row()) {
            true => self.try_rules(id, path(), set),
            false => {
                Tried { proposal: None, untouched: true, stays: true, together: together(tree, id).is_some() }
            }
        };
        if proposal.is_none() && tree.parent(id) == Tree::ROOT {
            self.out.loose.push(id);
        }
        let is_whole = !is_folder || together;
        match proposal {
            Some(proposal) => {
                // What was found last is the folder above it, if it lies in one that is loose.
                self.out.loose.pop_if(|folder| tree.holds(*folder, id));
                self.out.first.get_or_insert(id);
                self.out.proposals.push(proposal);
            }
            None if is_whole || !self.all.deep => {
                if untouched {
                    self.out.unruled.push(id);
                }
                self.leave(if untouched { Left::NoRule } else { Left::InPlace })
            }
            None => {}
        }
        stays && !is_whole && self.all.deep
    }

    fn try_rules(&mut self, id: NodeId, path: ItemPath, set: &[(NodeId, Set)]) -> Tried {
        let spot = Spot::new(Arc::clone(&self.all.place), path);
        let item = item(self.all.tree, id, spot, self.all.pass.details, self.all.needs);
        if self.all.pass.counts_rules {
            self.count(&item);
        }
        let outcome = apply(&self.all.pass.config.rules, &item, self.all.pass.now);
        Tried {
            untouched: outcome.applied.is_empty(),
            stays: outcome.put.is_none() && outcome.discard.is_none() && outcome.name.is_none(),
            together: item.together.is_some(),
            proposal: self.proposal(&item, outcome, set),
        }
    }

    /// Counts an item for the rules that act on it, or would.
    fn count(&mut self, item: &Item) {
        let rules = &self.all.pass.config.rules;
        for (count, status) in self.out.counts.iter_mut().zip(explain(rules, item, self.all.pass.now)) {
            match status {
                RuleStatus::Applies => {
                    count.items += 1;
                    count.bytes += item.size;
                }
                RuleStatus::Preceded(by) => *count.taken_by.entry(by).or_default() += 1,
                _ => {}
            }
        }
    }
}
