//! The planner of `tidy`: applies the rules to what lies in a pile.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use super::copies::{belongs_to_it, copy_words, lost_tags};
pub use super::items::{item, needs_of};
use super::leave::{LeaveCheck, Left, arriving, in_use};
use super::shared_words::SharedWords;
use super::{Details, Follower, Intent, Placing, Proposal};
use crate::condition::Needs;
use crate::config::{Config, Pile};
use crate::escape::escape;
use crate::item::{Identity, Item, Kind, Stays};
use crate::keep_together::{self, Set};
use crate::moment::Now;
use crate::names::{fold_bytes, split_extension};
use crate::pattern::Unknown;
use crate::place::{ItemPath, NameBuf, Spot};
use crate::rules::{Clash, Effect, Reach, Rule, RuleStatus, apply, explain};
use crate::shelving::Shelving;
use crate::tree::{NodeId, Tree};
use crate::worklist::{Act, Doubt};

/// What the rules make of a pile.
#[derive(Debug, Default)]
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
    pub places: &'a dyn Fn(&ItemPath) -> bool,
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
    let mut walk = TidyWalk::new(pass, pile, tree);
    walk.everything();
    walk.out
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
    let mut walk = TidyWalk::new(pass, pile, tree);
    let path = tree.path(id);
    let siblings: Vec<NodeId> = tree.children(tree.parent(id)).collect();
    let set = walk.sets(&siblings).remove(&id).unwrap_or_default();
    let spot = Spot::new(pile.name.clone(), path);
    let item = Item { told, ..item(tree, id, spot, pass.details, walk.needs) };
    let outcome = apply(&pass.config.rules, &item, pass.now);
    walk.out = Proposed::default();
    walk.proposal(&item, outcome, &set)
}

/// What a person should look at, of what the rules made of an item.
fn doubts(outcome: &Effect, rules: &[Rule]) -> Vec<Doubt> {
    let mut doubts = Vec::new();
    let mut told: Vec<&str> = Vec::new();
    for (rule, unknown) in &outcome.unknown {
        let rule = rules[*rule].name.clone();
        doubts.push(match unknown {
            Unknown::Value(subject) => Doubt::Unknown { subject: (*subject).to_owned(), rule },
            Unknown::Tag(tags) if tags.is_empty() => Doubt::Unknown { subject: "tag".into(), rule },
            Unknown::Tag(tags) => Doubt::WhichTag(tags.clone()),
            Unknown::Answer(facet, why) => {
                told.push(facet);
                Doubt::Answer(format!("{why}; the rule `{rule}` needs it"))
            }
        });
    }
    let unsure = outcome.answers.iter().filter(|(facet, _)| !told.contains(&facet.as_str()));
    let unsure = unsure.filter(|(_, finding)| finding.found.is_some() && !finding.is_sure());
    doubts.extend(unsure.filter_map(|(facet, finding)| finding.doubt(facet)).map(Doubt::Answer));
    doubts
}

struct TidyWalk<'a> {
    pass: &'a Pass<'a>,
    /// The pile's name, which all spots here share.
    place: Arc<str>,
    tree: &'a Tree,
    leave: LeaveCheck<'a>,
    deep: bool,
    needs: Needs,
    shared: SharedWords,
    out: Proposed,
}

/// A folder that the walk is in.
struct OpenFolder {
    children: std::vec::IntoIter<NodeId>,
    /// For each leader among the children, what follows it.
    sets: HashMap<NodeId, Vec<(NodeId, Set)>>,
    following: HashSet<NodeId>,
    path: ItemPath,
}

impl<'a> TidyWalk<'a> {
    fn new(pass: &'a Pass<'a>, pile: &'a Pile, tree: &'a Tree) -> Self {
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
            shared: SharedWords::default(),
            out: Proposed::default(),
        }
    }

    fn leave(&mut self, why: Left) {
        *self.out.left.entry(why).or_default() += 1;
    }

    /// Walks everything below the pile in the order in which people read it. Folders may be nested
    /// deeper than the stack is, so the walk keeps its own.
    fn everything(&mut self) {
        let mut open = vec![self.open(Tree::ROOT, ItemPath::root())];
        while let Some(folder) = open.last_mut() {
            let Some(child) = folder.children.next() else {
                open.pop();
                continue;
            };
            if folder.following.contains(&child) {
                continue;
            }
            let set = folder.sets.remove(&child).unwrap_or_default();
            let path = folder.path.join(self.tree.name_of(child));
            if self.entry(child, path.clone(), set) {
                open.push(self.open(child, path));
            }
        }
    }

    fn open(&self, id: NodeId, path: ItemPath) -> OpenFolder {
        let children: Vec<NodeId> = self.tree.children(id).collect();
        let sets = self.sets(&children);
        let following = sets.values().flatten().map(|(id, _)| *id).collect();
        OpenFolder { children: children.into_iter(), sets, following, path }
    }

    /// For each leader among the children, what follows it.
    fn sets(&self, children: &[NodeId]) -> HashMap<NodeId, Vec<(NodeId, Set)>> {
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

    /// Tries the rules on an entry; says whether what lies in it is to be looked at too.
    fn entry(&mut self, id: NodeId, path: ItemPath, set: Vec<(NodeId, Set)>) -> bool {
        self.out.looked_at += 1 + set.len() as u64;
        let is_folder = self.tree.is_folder(id);
        if let Some(why) = self.leave.why(id, &path) {
            // A folder that is still being filled, or in use, may hold much that has settled.
            let is_for_now = matches!(why, Left::Settling | Left::InUse | Left::Unfinished);
            let descend = is_for_now && is_folder && self.deep;
            // That a partial download beside them is complete, its new name tells.
            if is_for_now && (is_folder || why != Left::Unfinished) {
                self.out.waits.push(id);
            }
            if !descend {
                self.leave(why);
            }
            return descend;
        }
        let spot = Spot::new(Arc::clone(&self.place), path);
        let item = item(self.tree, id, spot, self.pass.details, self.needs);
        if self.pass.counts_rules {
            self.count(&item);
        }
        let outcome = apply(&self.pass.config.rules, &item, self.pass.now);
        let untouched = outcome.applied.is_empty();
        // What a rule only tags, or cannot file since something is not known, stays where it is: rules for what
        // lies in it are for that still.
        let stays = outcome.put.is_none() && outcome.discard.is_none() && outcome.name.is_none();
        let proposal = self.proposal(&item, outcome, &set);
        if proposal.is_none() && item.is_loose() {
            self.out.loose.push(id);
        }
        let is_whole = !is_folder || item.together.is_some();
        match proposal {
            Some(proposal) => {
                // What was found last is the folder above it, if it lies in one that is loose.
                self.out.loose.pop_if(|folder| self.tree.holds(*folder, id));
                self.out.proposals.push(proposal);
            }
            None if is_whole || !self.deep => {
                if untouched {
                    self.out.unruled.push(id);
                }
                self.leave(if untouched { Left::NoRule } else { Left::InPlace })
            }
            None => {}
        }
        stays && !is_whole && self.deep
    }

    /// Counts an item for the rules that act on it, or would.
    fn count(&mut self, item: &Item) {
        let rules = &self.pass.config.rules;
        self.out.counts.resize(rules.len(), RuleCount::default());
        for (count, status) in self.out.counts.iter_mut().zip(explain(rules, item, self.pass.now)) {
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

    fn proposal(&mut self, item: &Item, outcome: Effect, set: &[(NodeId, Set)]) -> Option<Proposal> {
        if outcome.applied.is_empty() && outcome.unknown.is_empty() {
            return None;
        }
        let rules = &self.pass.config.rules;
        let mut proposal = Proposal::for_item(item);
        if outcome.discard.is_some()
            && let Some(stays) = &item.stays
        {
            return Some(self.discarded(proposal, &outcome, stays, set));
        }
        proposal.why = self.shared.why(rules, &outcome.applied);
        proposal.drop_tags(&outcome.lost);
        proposal.add_tags(&outcome.tags);
        proposal.followers = set.iter().map(|(id, set)| self.follower(*id, *set, item)).collect();
        proposal.doubts = doubts(&outcome, rules);
        proposal.answers = outcome
            .answers
            .iter()
            .map(|(facet, finding)| (facet.clone(), finding.value().map(str::to_owned)))
            .collect();
        let mut name = outcome.name;
        if name.is_some() && set.iter().any(|(_, set)| *set == Set::Page) {
            name = None;
            proposal.doubts.push(Doubt::PageKeepsName);
        }
        let last = outcome.applied.iter().rev().find(|rule| rules[**rule].rename.is_some());
        let (folder, clash) = match &outcome.put {
            Some((rule, folders)) => match self.folder(&rules[*rule], folders) {
                Ok(folder) => (folder.map(|folder| self.shared.folder(folder)), rules[*rule].clash),
                Err(doubt) => {
                    name = None;
                    proposal.doubts.push(*doubt);
                    (None, Clash::Number)
                }
            },
            None => (None, last.map_or(Clash::Number, |rule| rules[*rule].clash)),
        };
        let own = item.spot.folder();
        let mut folder = folder.or_else(|| name.is_some().then(|| own.clone()));
        if folder.as_ref().is_some_and(|folder| *folder != own)
            && item.entry.kind == Kind::Link
            && self.pass.details.is_relative_link(&item.spot.path)
        {
            folder = None;
            proposal.doubts.push(Doubt::RelativeLink);
        }
        if let Some(folder) = folder.filter(|folder| *folder != own || name.is_some()) {
            let number = outcome.number.filter(|_| name.is_some());
            proposal.intent = Intent::Place(Placing { name, number, clash, ..Placing::into(folder) });
        }
        let wanted = proposal.becomes.is_some() || proposal.placing().is_some();
        (wanted || !proposal.doubts.is_empty()).then_some(proposal)
    }

    /// A copy that goes into the trash. What belongs to it does not go with it, since nobody compared
    /// that; a person should look.
    fn discarded(
        &self,
        mut proposal: Proposal,
        outcome: &Effect,
        stays: &Stays,
        set: &[(NodeId, Set)],
    ) -> Proposal {
        let rules = outcome.applied.last().map(|rule| self.pass.config.rules[*rule].name.as_str());
        let original = stays.original.clone();
        proposal.why =
            format!("{}: {}", rules.unwrap_or_default(), copy_words(&original.item, &stays.because)).into();
        proposal.intent = Intent::Exactly(Act::Discard { copy_of: Some(original) });
        proposal.doubts.extend(lost_tags(&stays.lost_tags, ""));
        for (id, _) in set {
            proposal.doubts.push(belongs_to_it(self.tree.name(*id)));
        }
        proposal
    }

    /// The folder that a rule puts an item in; `None` if its bookcase is not there.
    fn folder(&self, rule: &Rule, folders: &[NameBuf]) -> Result<Option<Spot>, Box<Doubt>> {
        let shelving = || {
            let bookcase = self.pass.config.bookcase(rule.put.as_ref()?.bookcase.as_deref())?;
            self.pass.shelvings.iter().find(|shelving| shelving.bookcase == bookcase.name)
        };
        let (Some(put), Some(shelving)) = (&rule.put, shelving()) else { return Ok(None) };
        let twice = || {
            let found = shelving.shelf(put.shelf).map(|shelf| &shelf.found).into_iter().flatten();
            let folders = found.map(|name| escape(name)).collect();
            Box::new(Doubt::ShelfTwice { number: put.shelf, folders })
        };
        let shelf = shelving.spot(put.shelf).ok_or_else(twice)?;
        let path = folders.iter().fold(shelf.path, |path, folder| path.join(folder));
        Ok(Some(Spot::new(shelf.place, path)))
    }

    fn follower(&self, id: NodeId, set: Set, leader: &Item) -> Follower {
        let entry = self.tree.entry(id);
        let totals = self.tree.totals(id);
        let name = self.tree.name_of(id);
        let stem = split_extension(leader.name()).0;
        Follower {
            item: Spot::new(Arc::clone(&self.place), leader.spot.folder().path.join(name)),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: totals.size,
            modified: totals.newest,
            ending: (set == Set::Photo).then(|| name[stem.len().min(name.len())..].to_vec()),
        }
    }
}
