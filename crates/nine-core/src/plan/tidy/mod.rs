//! The planner of `tidy`: applies the rules to what lies in a pile.

mod proposal;
mod reached;
mod walk;

use std::collections::{BTreeMap, HashSet};
use std::sync::{Arc, OnceLock};

pub use super::items::{item, needs_of};
use super::leave::{LeaveCheck, Left, arriving, in_use};
use super::{Details, Proposal};
use crate::condition::Needs;
use crate::config::{Config, Pile};
use crate::find::Rows;
use crate::item::{Identity, Item};
use crate::moment::Now;
use crate::place::{ItemPath, Spot};
use crate::rules::{Reach, Rule, apply};
use crate::shelving::Shelving;
use crate::tree::{NodeId, Tree};
use reached::reached;
pub use walk::Part;
use walk::TidyWalk;

/// What the rules make of a pile.
#[derive(Debug, Default, PartialEq)]
pub struct Proposed {
    /// Items for which something is wanted or doubtful, in the order in which people read them.
    pub proposals: Vec<Proposal>,
    /// How many items are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// How many items were looked at.
    pub looked_at: u64,
    /// Those that are left for now alone: they changed just now, or a program has them open.
    pub waits: Vec<NodeId>,
    /// Those that no rule is for.
    pub unruled: Vec<NodeId>,
    /// What lies loose and nothing is wanted for; of a folder, nor for anything in it.
    pub loose: Vec<NodeId>,
    /// For each rule what it acts on, where that was asked for.
    pub counts: Vec<RuleCount>,
    /// The first for which something is wanted or doubtful.
    first: Option<NodeId>,
}

impl Proposed {
    /// Adds what was found in what comes next.
    fn add(&mut self, tree: &Tree, next: Proposed) {
        // What was found last is the folder that it lies in, if that is loose.
        self.loose.pop_if(|folder| next.first.is_some_and(|first| tree.holds(*folder, first)));
        self.first = self.first.or(next.first);
        self.loose.extend(next.loose);
        self.proposals.extend(next.proposals);
        self.waits.extend(next.waits);
        self.unruled.extend(next.unruled);
        self.looked_at += next.looked_at;
        next.left.iter().for_each(|(why, items)| *self.left.entry(*why).or_default() += items);
        let rules = self.counts.len().max(next.counts.len());
        self.counts.resize(rules, RuleCount::default());
        self.counts.iter_mut().zip(&next.counts).for_each(|(all, more)| all.add(more));
    }
}

/// What one rule acts on.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RuleCount {
    /// Items that it acts on.
    pub items: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Items that it is for too and that an earlier rule files, by that rule's number.
    pub taken_by: BTreeMap<usize, u64>,
}

impl RuleCount {
    /// Adds what the same rule acts on elsewhere.
    pub fn add(&mut self, other: &RuleCount) {
        self.items += other.items;
        self.bytes += other.bytes;
        other.taken_by.iter().for_each(|(rule, items)| *self.taken_by.entry(*rule).or_default() += items);
    }
}

/// What [`propose`] works from.
pub struct Pass<'a> {
    /// The configuration.
    pub config: &'a Config,
    /// The bookcases as they stand.
    pub shelvings: &'a [Shelving],
    /// Folders in the pile that are other piles, bookcases or shelves.
    pub places: &'a (dyn Fn(&ItemPath) -> bool + Sync),
    /// The time from which ages are counted.
    pub now: &'a Now,
    /// Tags, contents and links.
    pub details: &'a dyn Details,
    /// What some program has open.
    pub in_use: &'a HashSet<Identity>,
    /// Whether it is counted for each rule what it acts on.
    pub counts_rules: bool,
}

/// Applies the rules to all that lies in a pile.
pub fn propose(pass: &Pass, pile: &Pile, tree: &Tree) -> Proposed {
    let tidying = Tidying::new(pass, pile, tree);
    let parts = tidying.parts(usize::MAX);
    let found = parts.iter().map(|part| tidying.propose(part)).collect();
    tidying.together(parts, found)
}

/// Applies the rules once more to one item, with what the person told of it: answers of facets, and
/// the tag that files it, under `tag`. `None` if nothing is wanted for it then.
pub fn propose_again(
    pass: &Pass,
    pile: &Pile,
    tree: &Tree,
    id: NodeId,
    told: Vec<(String, String)>,
) -> Option<Proposal> {
    let tidying = Tidying::new(pass, pile, tree);
    let siblings: Vec<NodeId> = tree.children(tree.parent(id)).collect();
    let set = tidying.sets(&siblings).remove(&id).unwrap_or_default();
    let spot = Spot::new(pile.name.clone(), tree.path(id));
    let item = Item { told, ..item(tree, id, spot, pass.details, tidying.needs) };
    let outcome = apply(&pass.config.rules, &item, pass.now);
    TidyWalk::new(&tidying).proposal(&item, outcome, &set)
}

/// The rules at a pile. Much may lie there, so that it is gone through in [parts](Tidying::parts), which may be done side
/// by side.
pub struct Tidying<'a> {
    pass: &'a Pass<'a>,
    /// The pile's name, which all spots here share.
    place: Arc<str>,
    tree: &'a Tree,
    leave: LeaveCheck<'a>,
    deep: bool,
    needs: Needs,
    /// What some rule may be for, once that was asked.
    reached: OnceLock<Rows>,
}

impl<'a> Tidying<'a> {
    /// The rules of a pass at a pile.
    pub fn new(pass: &'a Pass<'a>, pile: &Pile, tree: &'a Tree) -> Self {
        let rules = pass.config.rules.iter().filter(|rule| rule.is_for_pile(&pile.name));
        Self {
            pass,
            place: pile.name.as_str().into(),
            tree,
            leave: LeaveCheck {
                tree,
                places: pass.places,
                unsettled: pass.now.before(pile.settle),
                now: pass.now.moment(),
                hidden: rules.clone().any(Rule::asks_for_hidden),
                unfinished: rules.clone().any(Rule::asks_for_unfinished),
                in_use: in_use(tree, pass.in_use),
                arriving: arriving(tree),
            },
            deep: rules.clone().any(|rule| rule.reach == Reach::Deep),
            needs: needs_of(rules),
            reached: OnceLock::new(),
        }
    }

    /// The same, trying the rules on everything.
    #[cfg(test)]
    pub(crate) fn on_everything(self) -> Self {
        Self { reached: Rows::all_but_root(self.tree.rows()).into(), ..self }
    }

    /// What some rule may be for.
    fn reached(&self) -> &Rows {
        let rules = self.pass.config.rules.iter().filter(|rule| rule.is_for_pile(&self.place));
        self.reached.get_or_init(|| reached(rules, self.tree, self.pass.now))
    }

    /// Cuts what lies in the pile into parts of not many more than so many rows each, in the order in which people read it.
    pub fn parts(&self, rows: usize) -> Vec<Part> {
        TidyWalk::new(self).cut(rows)
    }

    /// Applies the rules to a part.
    pub fn propose(&self, part: &Part) -> Proposed {
        TidyWalk::new(self).through(part)
    }

    /// Puts together what was found in all parts.
    pub fn together(&self, parts: Vec<Part>, found: Vec<Proposed>) -> Proposed {
        let mut all = Proposed::default();
        all.proposals.reserve_exact(found.iter().map(|found| found.proposals.len()).sum());
        for (part, found) in parts.into_iter().zip(found) {
            all.add(self.tree, part.before);
            all.add(self.tree, found);
        }
        all
    }
}

#[cfg(test)]
mod tests;
