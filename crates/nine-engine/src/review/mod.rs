//! Going through a worklist, or through all that lies loose, item by item.
//!
//! The [`OpenReview`] takes decisions, keeps each of them in the data folder, and gives the plan that was agreed to.
//! What takes time (looking inside, holding a decision against what stands at its target, reading the shelves) is
//! done by [`Inside`], [`Checker`] and [`Bookcases`] beside whoever shows it.

mod bookcases;
mod checker;
mod gather;
mod inside;
mod kept;
mod knows;
mod waiting;

use std::collections::{BTreeMap, HashMap, HashSet};

use nine_core::config::{RuleChange, change_rules, free_name};
use nine_core::names::fold_bytes;
use nine_core::place::Spot;
use nine_core::plan::{Intent, Left, Proposal};
use nine_core::review::{
    Decided, Decision, Likeness, NoRule, Record, Review, ReviewItem, RuleDraft, State, rule_of,
};
use nine_core::shelving::Shelving;
use nine_core::tree::Column;
use nine_stores::{Catalogue, Location};

pub use bookcases::{Bookcases, FolderChoice};
pub use checker::{Checked, Checker};
pub use gather::{of_file, of_piles, of_selection};
pub use inside::{FolderInside, Inside, InsideAnswer, InsideQuestion};
pub use kept::{Kept, LostItem, kept};
pub use waiting::{Waiting, keep_waiting, open_waiting, waiting};

use crate::configuration::ConfigChange;
use crate::looking::{Area, all_areas};
use crate::plan::{Draft, Plan};
use crate::rule::{self, Tried};
use crate::workspace::Workspace;
use crate::{Result, archive};
use kept::Keeper;
use knows::Knowledge;

/// The folder in a pile for what is put off, where no shelf is for that.
const SORT_LATER: &str = nine_core::plan::sweep::LATER;

/// A review at work.
pub struct OpenReview<'w> {
    /// The items, and what was decided.
    pub review: Review,
    /// How many other items are left alone, and why.
    pub left: BTreeMap<Left, u64>,
    /// The bookcases as they stand.
    pub shelvings: Vec<Shelving>,
    workspace: &'w Workspace,
    /// What belongs to the run besides the proposals.
    frame: Draft,
    knowledge: Knowledge<'w>,
    /// For each target, by a digest of it, the items that are to have it by what was decided.
    claims: HashMap<u64, Vec<u32>>,
    keeper: Option<Keeper>,
}

impl<'w> OpenReview<'w> {
    /// A review of a plan in hand.
    pub fn of_plan(workspace: &'w Workspace, plan: Plan) -> Self {
        let (items, frame) = gather::items_of(plan, false);
        let command = format!("{}, reviewed", frame.command);
        Self::new(workspace, Review::new(items), Draft { command, ..frame })
    }

    fn new(workspace: &'w Workspace, review: Review, frame: Draft) -> Self {
        let shelvings = workspace.shelvings();
        let knowledge = Knowledge::new(workspace, &frame.places, review.items());
        let wanted = review.items().iter().enumerate().filter(|(_, item)| item.state == State::Wanted);
        let wanted: Vec<usize> = wanted.map(|(at, _)| at).collect();
        let mut new = Self {
            review,
            left: BTreeMap::new(),
            shelvings,
            workspace,
            frame,
            knowledge,
            claims: HashMap::new(),
            keeper: None,
        };
        wanted.into_iter().for_each(|at| new.claim(at));
        new
    }

    /// Holds all items against what stands at their targets.
    fn check_all(&mut self) {
        let wanted = |item: &ReviewItem| match item.state {
            State::Left | State::Gone => Proposal { intent: Intent::Stay, ..item.proposal.clone() },
            State::Open | State::Wanted => item.proposal.clone(),
        };
        let proposals = self.review.items().iter().map(wanted).collect();
        let (found, _) = gather::items_of(Draft { proposals, ..self.frame.clone() }.draw_up(), true);
        for (at, found) in found.iter().enumerate() {
            self.review.set_concerns(at, found.concerns().cloned().unwrap_or_default());
        }
    }

    /// What the run would be called in the daybook.
    pub fn command(&self) -> &str {
        &self.frame.command
    }

    /// How many things stood in the way of looking at all of it; each was told.
    pub fn troubles(&self) -> usize {
        self.frame.troubles
    }

    /// The workspace that it is open in.
    pub fn workspace(&self) -> &'w Workspace {
        self.workspace
    }

    /// Where something of its places is.
    pub fn location(&self, spot: &Spot) -> Option<Location> {
        Some(self.frame.places.of(spot).ok()?.location(&spot.path))
    }

    /// Looks inside items of its places.
    pub fn inside(&self) -> Inside {
        Inside::new(&self.workspace.environment.reader, &self.frame.places)
    }

    /// Holds decisions against what stands at their targets.
    pub fn checker(&self) -> Checker {
        Checker::new(&self.frame.places)
    }

    /// Keeps all that is decided from now on, so that it can be gone on with. A long list is written in parts, by
    /// [`OpenReview::keep_more`] or before the first decision, so that nobody waits for it.
    ///
    /// # Errors
    /// If that cannot be written, or another review is open.
    pub fn keep(&mut self) -> Result {
        if self.keeper.is_none() {
            self.keeper = Some(Keeper::begin(self.workspace, &self.frame, self.review.items().len())?);
        }
        Ok(())
    }

    /// Writes a part of what is kept; says whether there is more of it.
    ///
    /// # Errors
    /// If that cannot be written.
    pub fn keep_more(&mut self) -> Result<bool> {
        match &mut self.keeper {
            Some(keeper) => keeper.write_items(self.review.items()),
            None => Ok(false),
        }
    }

    /// Items are kept as they were before the first decision.
    fn keep_rest(&mut self) -> Result {
        while self.keep_more()? {}
        Ok(())
    }

    /// Has what was decided outlast a loss of power.
    pub fn flush(&mut self) {
        if let Some(keeper) = &mut self.keeper {
            keeper.flush();
        }
    }

    /// Items of which nothing was decided.
    pub fn undecided(&self) -> HashSet<Spot> {
        let open = self.review.items().iter().filter(|item| item.state == State::Open);
        open.map(|item| item.proposal.item.clone()).collect()
    }

    /// Forgets what was kept: it was carried out, written, or dropped.
    pub fn end(&mut self) {
        if let Some(keeper) = self.keeper.take() {
            keeper.end();
        }
    }

    /// Decides something for items.
    ///
    /// # Errors
    /// If the decision cannot be kept; it stands all the same.
    pub fn decide(&mut self, items: &[usize], decision: &Decision) -> Result<Decided> {
        let kept = self.keep_rest();
        items.iter().for_each(|at| self.unclaim(*at));
        self.knowledge.refresh();
        let decided = self.review.decide(items, decision, &mut self.knowledge);
        items.iter().for_each(|at| self.claim(*at));
        kept?;
        if let Some(record) = &decided.record {
            self.write(record)?;
        }
        Ok(decided)
    }

    /// Takes the last decision back; says which items are otherwise.
    ///
    /// # Errors
    /// As [`OpenReview::decide`].
    pub fn back(&mut self) -> Result<Option<Vec<usize>>> {
        self.keep_rest()?;
        let before: Vec<usize> = self.review.last_changed().collect();
        before.into_iter().for_each(|at| self.unclaim(at));
        let Some((record, changed)) = self.review.back() else { return Ok(None) };
        changed.iter().for_each(|at| self.claim(*at));
        self.write(&record)?;
        Ok(Some(changed))
    }

    fn write(&mut self, record: &Record) -> Result {
        match &mut self.keeper {
            Some(keeper) => keeper.write(record),
            None => Ok(()),
        }
    }

    /// Says what the plan has against items, if they are still what was asked about.
    pub fn take_concerns(&mut self, checked: Vec<Checked>) {
        for Checked { item, proposal, concerns } in checked {
            if self.review.items().get(item).is_some_and(|now| now.proposal == proposal) {
                self.review.set_concerns(item, concerns);
            }
        }
    }

    /// What must be held against what stands at the targets after items were decided: these, and those that are to
    /// have the same names.
    pub fn to_check(&self, changed: &[usize]) -> Vec<(usize, Proposal)> {
        let mut all: Vec<usize> = Vec::new();
        for at in changed {
            let rivals = self.digest(*at).and_then(|digest| self.claims.get(&digest));
            all.extend(rivals.into_iter().flatten().map(|rival| *rival as usize));
            all.push(*at);
        }
        all.sort_unstable();
        all.dedup();
        all.into_iter().map(|at| (at, self.review.items()[at].proposal.clone())).collect()
    }

    fn digest(&self, at: usize) -> Option<u64> {
        use std::hash::{DefaultHasher, Hash, Hasher};
        let proposal = &self.review.items()[at].proposal;
        let placing = proposal.placing().filter(|_| proposal.moves())?;
        let name = placing.name.as_deref().unwrap_or(proposal.item.path.name());
        let mut hasher = DefaultHasher::new();
        (&placing.folder, fold_bytes(name)).hash(&mut hasher);
        Some(hasher.finish())
    }

    fn claim(&mut self, at: usize) {
        if self.review.items()[at].state != State::Wanted {
            return;
        }
        if let Some(digest) = self.digest(at) {
            self.claims.entry(digest).or_default().push(at as u32);
        }
    }

    fn unclaim(&mut self, at: usize) {
        if let Some(claims) = self.digest(at).and_then(|digest| self.claims.get_mut(&digest)) {
            claims.retain(|other| *other as usize != at);
        }
    }

    /// The folder for what is put off: the shelf that is called so, or a folder of the item's pile.
    pub fn later(&self, item: &Spot) -> Spot {
        let shelf = self.shelvings.iter().find_map(|shelving| {
            let shelf = shelving.shelves.iter().find(|shelf| shelf.is_for_later())?;
            shelving.spot(shelf.number)
        });
        shelf.unwrap_or_else(|| {
            let name = nine_core::place::Name::constant(SORT_LATER);
            Spot::new(item.place.clone(), nine_core::place::ItemPath::root().join(name))
        })
    }

    /// The rule that would do for all alike what was decided last.
    ///
    /// # Errors
    /// Why there can be none.
    pub fn rule_of(&self, likeness: &Likeness) -> Result<RuleDraft, NoRule> {
        let (_, last) = self.review.last().ok_or(NoRule::NotThis)?;
        let mut rule = rule_of(likeness, last, &self.shelvings)?;
        let names = self.workspace.config().rules.iter().map(|rule| rule.name.as_str());
        rule.name =
            free_name(&rule.name, names.chain(self.review.rules().iter().map(|rule| rule.name.as_str())));
        Ok(rule)
    }

    /// What such a rule would do in all piles.
    ///
    /// # Errors
    /// If it cannot be written, or the piles cannot be looked at.
    pub fn try_rule(&self, draft: &RuleDraft) -> Result<Tried> {
        rule::try_out(self.workspace, &draft.edit(), None)
    }

    /// Has a rule written with the run.
    ///
    /// # Errors
    /// As [`OpenReview::decide`].
    pub fn add_rule(&mut self, draft: RuleDraft) -> Result {
        self.keep_rest()?;
        let record = self.review.add_rule(draft);
        self.write(&record)
    }

    /// The plan of all that was agreed to; with `open_sure` also of what is proposed without doubt and was not decided.
    ///
    /// # Errors
    /// If a rule cannot be written into the configuration.
    pub fn plan(&self, open_sure: bool) -> Result<Plan> {
        let mut draft = Draft { proposals: self.review.agreed(open_sure), ..self.frame.clone() };
        let dated = archive::dated_folders(self.workspace, &self.shelvings, &draft.proposals);
        draft.dated.extend(dated.into_iter().filter(|dated| !self.frame.dated.contains(dated)));
        if !self.review.rules().is_empty() {
            let change = ConfigChange::of(self.workspace, |text| {
                self.review.rules().iter().try_fold(text.to_owned(), |text, rule| {
                    let change = RuleChange::Add { name: rule.name.clone(), rule: rule.edit(), before: None };
                    change_rules(&text, &change)
                })
            })?;
            let step = change.into_step(&mut draft.places);
            draft.proposals.push(Proposal::fixed(step));
        }
        Ok(draft.draw_up())
    }
}

/// Tags that a person may want to give: those that items have, that rules give, and that facets answer.
pub fn known_tags(open: &OpenReview) -> Vec<String> {
    let config = open.workspace.config();
    let mut tags: BTreeMap<String, String> = BTreeMap::new();
    let mut add = |tag: &str| {
        tags.entry(nine_core::names::fold(tag)).or_insert_with(|| tag.to_owned());
    };
    open.review.items().iter().flat_map(|item| &item.proposal.tags).for_each(|tag| add(tag));
    config.rules.iter().flat_map(|rule| &rule.tag).for_each(|tag| add(tag));
    config.tags.iter().for_each(|look| add(&look.tag));
    for facet in config.facets.iter() {
        facet.listed().into_iter().for_each(|value| add(&facet.tag(value)));
    }
    known_in_catalogue(open.workspace).iter().for_each(|tag| add(tag));
    tags.into_values().collect()
}

/// The tags that the catalogue knows of, wherever items have them.
fn known_in_catalogue(workspace: &Workspace) -> Vec<String> {
    let Ok(catalogue) = Catalogue::open_to_read(&workspace.data().join("catalogue.sqlite")) else {
        return Vec::new();
    };
    let columns = [Column::Tags, Column::Words];
    let known = |area: Area| catalogue.load(&area.address, &columns).ok().flatten();
    let trees: Vec<_> = all_areas(workspace).into_iter().filter_map(known).collect();
    let sets = trees.iter().flat_map(|kept| kept.tree.tag_sets()).map(|(_, set)| set.own.clone());
    sets.collect::<Vec<_>>().concat()
}
