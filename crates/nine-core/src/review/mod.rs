//! A worklist gone through item by item: takes decisions, and gives the proposals that were agreed to.
//!
//! Nothing is carried out here, and nothing is looked up: what a decision needs beyond the proposal is asked of
//! [`Knows`]. Every decision is a [`Turn`] that can be taken back exactly, and that is written down and read again.

mod alike;
mod decide;
mod group;
mod rule;
mod tally;

pub use alike::{Alike, AlikeSearch, Likeness};
pub use decide::{Decision, Knows, Refusal};
pub use group::{Group, GroupBy, GroupKey};
pub use rule::{NoRule, RuleDraft, rule_of};
pub use tally::Progress;

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use crate::item::Kind;
use crate::kinds::{ItemType, type_of_name};
use crate::place::Spot;
use crate::plan::{ClashFound, Proposal};
use crate::worklist::Doubt;
use tally::Tally;

/// How far a person is with an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// Nothing was decided.
    Open,
    /// What its proposal says is to be done.
    Wanted,
    /// It is left as it is.
    Left,
    /// It is not what it was, so that nothing is decided of it any more.
    Gone,
}

/// What the plan says against an item's proposal.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Concerns {
    /// The name that is taken.
    pub clash: Option<ClashFound>,
    /// Reasons to look first.
    pub doubts: Vec<Doubt>,
    /// Why it cannot be done, in words.
    pub refused: Option<String>,
}

impl Concerns {
    fn is_none(&self) -> bool {
        self.clash.is_none() && self.doubts.is_empty() && self.refused.is_none()
    }
}

/// An item that is gone through.
#[derive(Debug, Clone, PartialEq)]
pub struct ReviewItem {
    /// What is wanted for it by now.
    pub proposal: Proposal,
    /// How far the person is with it.
    pub state: State,
    /// Who sent it, where it is a mail that says so.
    pub sender: Option<Box<str>>,
    /// Its type, as far as its name tells.
    item_type: ItemType,
    concerns: Option<Box<Concerns>>,
}

impl ReviewItem {
    /// An item of which nothing is decided.
    pub fn new(proposal: Proposal) -> Self {
        let item_type = match proposal.kind {
            Kind::Folder => ItemType::Folder,
            _ => type_of_name(proposal.item.path.name()).unwrap_or(ItemType::Unknown),
        };
        Self { proposal, state: State::Open, sender: None, item_type, concerns: None }
    }

    /// The same with what the plan says against it.
    pub fn with(self, concerns: Concerns) -> Self {
        Self { concerns: (!concerns.is_none()).then(|| Box::new(concerns)), ..self }
    }

    /// The same, sent by somebody.
    pub fn sent_by(self, sender: Option<String>) -> Self {
        Self { sender: sender.map(Into::into), ..self }
    }

    /// What the plan says against it.
    pub fn concerns(&self) -> Option<&Concerns> {
        self.concerns.as_deref()
    }

    /// Reasons to look first: those of the proposal, and those that the plan found.
    pub fn doubts(&self) -> impl Iterator<Item = &Doubt> {
        let own = &self.proposal.doubts;
        let found = self.concerns.iter().flat_map(|concerns| &concerns.doubts);
        own.iter().chain(found.filter(move |doubt| !own.contains(doubt)))
    }

    /// Whether a person should look at it first.
    pub fn is_in_doubt(&self) -> bool {
        !self.proposal.doubts.is_empty() || self.concerns.is_some()
    }

    /// Whether anything is wanted for it.
    pub fn is_proposed(&self) -> bool {
        wants(&self.proposal)
    }

    /// Its type, as far as its name tells.
    pub fn item_type(&self) -> ItemType {
        self.item_type
    }
}

/// Whether a proposal asks for anything.
pub(crate) fn wants(proposal: &Proposal) -> bool {
    proposal.becomes.is_some() || proposal.exactly().is_some() || proposal.moves()
}

/// An item as a decision left it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Outcome {
    /// Its number.
    pub item: usize,
    /// What is wanted for it.
    pub proposal: Proposal,
    /// How far the person is with it.
    pub state: State,
}

/// A line of the record of a review.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Record {
    /// A decision, and what came of it.
    Turn(Decision, Vec<Outcome>),
    /// The last decision was taken back.
    Back,
    /// A rule to be written with the run.
    Rule(RuleDraft),
    /// Items that are not what they were.
    Gone(Vec<usize>),
}

/// A decision that was taken, with the items as they were before.
#[derive(Debug, Clone, PartialEq)]
struct Turn {
    decision: Option<Decision>,
    before: Vec<(usize, ReviewItem)>,
}

/// What came of a decision.
#[derive(Debug, Clone, PartialEq)]
pub struct Decided {
    /// What is to be written down; `None` if nothing came of it.
    pub record: Option<Record>,
    /// Items that are otherwise now.
    pub changed: Vec<usize>,
    /// Items of which it cannot be, and why not.
    pub refused: Vec<(usize, Refusal)>,
}

/// A worklist that is gone through.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Review {
    items: Vec<ReviewItem>,
    turns: Vec<Turn>,
    rules: Vec<RuleDraft>,
    tally: Tally,
}

impl Review {
    /// A review of these items, of which nothing is decided.
    pub fn new(items: Vec<ReviewItem>) -> Self {
        let tally = Tally::of(&items);
        Self { items, turns: Vec::new(), rules: Vec::new(), tally }
    }

    /// The items.
    pub fn items(&self) -> &[ReviewItem] {
        &self.items
    }

    /// Rules to be written with the run.
    pub fn rules(&self) -> &[RuleDraft] {
        &self.rules
    }

    /// How many decisions were taken and stand.
    pub fn turns(&self) -> usize {
        self.turns.len()
    }

    /// The last decision that stands, and the first of the items that it was for.
    pub fn last(&self) -> Option<(usize, &Decision)> {
        let last = |turn: &'_ Turn| turn.decision.is_some();
        let turn = self.turns.iter().rev().find(|turn| last(turn))?;
        Some((turn.before.first()?.0, turn.decision.as_ref()?))
    }

    /// Says who sent an item.
    pub fn set_sender(&mut self, at: usize, sender: &str) {
        self.items[at].sender = Some(sender.into());
    }

    /// Says what the plan has against an item's proposal as it is now.
    pub fn set_concerns(&mut self, at: usize, concerns: Concerns) {
        self.change(at, |item| item.concerns = (!concerns.is_none()).then(|| Box::new(concerns)));
    }

    /// Changes an item, and what the items come to with it.
    fn change(&mut self, at: usize, change: impl FnOnce(&mut ReviewItem)) {
        let Some(item) = self.items.get_mut(at) else { return };
        self.tally.take(item);
        change(item);
        self.tally.add(item);
    }

    /// Decides something for items. What cannot be for one of them is done for the others.
    pub fn decide(&mut self, items: &[usize], decision: &Decision, knows: &mut dyn Knows) -> Decided {
        let (mut before, mut outcomes, mut refused) = (Vec::new(), Vec::new(), Vec::new());
        for &at in items {
            let item = &self.items[at];
            let decided = match decision {
                _ if item.state == State::Gone => continue,
                Decision::Reopen => Ok((self.first_of(at), State::Open)),
                decision => decide::outcome(item, decision, knows),
            };
            match decided {
                Err(refusal) => refused.push((at, refusal)),
                Ok((proposal, state)) if proposal == item.proposal && state == item.state => {}
                Ok((proposal, state)) => {
                    before.push((at, item.clone()));
                    outcomes.push(Outcome { item: at, proposal, state });
                }
            }
        }
        let changed: Vec<usize> = outcomes.iter().map(|outcome| outcome.item).collect();
        if changed.is_empty() {
            return Decided { record: None, changed, refused };
        }
        outcomes.iter().for_each(|outcome| self.set(outcome.clone()));
        self.turns.push(Turn { decision: Some(decision.clone()), before });
        Decided { record: Some(Record::Turn(decision.clone(), outcomes)), changed, refused }
    }

    /// Has a rule written with the run.
    pub fn add_rule(&mut self, rule: RuleDraft) -> Record {
        self.rules.push(rule.clone());
        self.turns.push(Turn { decision: None, before: Vec::new() });
        Record::Rule(rule)
    }

    /// The items that the last decision changed.
    pub fn last_changed(&self) -> impl Iterator<Item = usize> + '_ {
        self.turns.last().into_iter().flat_map(|turn| turn.before.iter().map(|(at, _)| *at))
    }

    /// Takes the last decision back. The items that were decided are as they were before.
    pub fn back(&mut self) -> Option<(Record, Vec<usize>)> {
        let turn = self.turns.pop()?;
        if turn.decision.is_none() {
            self.rules.pop();
        }
        let changed = turn.before.iter().map(|(at, _)| *at).collect();
        for (at, item) in turn.before {
            if self.items[at].state != State::Gone {
                self.change(at, |now| *now = item);
            }
        }
        Some((Record::Back, changed))
    }

    /// Does again what was written down. Outcomes of items that are not gone through any more are passed over.
    pub fn replay(&mut self, record: Record) {
        match record {
            Record::Turn(decision, outcomes) => {
                let known = outcomes.into_iter().filter(|outcome| outcome.item < self.items.len());
                let known: Vec<Outcome> = known.collect();
                let before = known.iter().map(|outcome| (outcome.item, self.items[outcome.item].clone()));
                self.turns.push(Turn { decision: Some(decision), before: before.collect() });
                known.into_iter().for_each(|outcome| self.set(outcome));
            }
            Record::Back => drop(self.back()),
            Record::Rule(rule) => drop(self.add_rule(rule)),
            Record::Gone(items) => drop(self.lose(items)),
        }
    }

    /// Items that are not what they were are gone through no more.
    pub fn lose(&mut self, items: Vec<usize>) -> Record {
        for at in &items {
            self.change(*at, |item| item.state = State::Gone);
        }
        Record::Gone(items)
    }

    fn set(&mut self, outcome: Outcome) {
        self.change(outcome.item, |item| {
            if item.state == State::Gone {
                return;
            }
            // What the plan said was of what was wanted before.
            if item.proposal != outcome.proposal {
                item.concerns = None;
            }
            (item.proposal, item.state) = (outcome.proposal, outcome.state);
        });
    }

    /// What was wanted for an item at first.
    fn first_of(&self, at: usize) -> Proposal {
        let first = self.turns.iter().flat_map(|turn| &turn.before).find(|(item, _)| *item == at);
        first.map_or_else(|| self.items[at].proposal.clone(), |(_, item)| item.proposal.clone())
    }

    /// How far it is.
    pub fn progress(&self) -> Progress {
        self.tally.progress
    }

    /// The folders that items come into by what was decided, with how many.
    pub fn added(&self) -> &HashMap<Spot, u64> {
        &self.tally.added
    }

    /// The proposals that were agreed to; with `open_sure` also those that nobody decided and that are not in doubt.
    /// The person has seen the doubts of what was decided, and let it stand.
    pub fn agreed(&self, open_sure: bool) -> Vec<Proposal> {
        let is_agreed = |item: &&ReviewItem| match item.state {
            State::Wanted => true,
            State::Left | State::Gone => false,
            State::Open => open_sure && item.is_proposed() && !item.is_in_doubt(),
        };
        let seen = |item: &ReviewItem| Proposal { doubts: Vec::new(), ..item.proposal.clone() };
        self.items.iter().filter(is_agreed).map(seen).collect()
    }
}

#[cfg(test)]
mod tests;
