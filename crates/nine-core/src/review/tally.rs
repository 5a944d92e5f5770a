//! What the items come to, kept as they change: a list may be long, and each key asks for it.

use std::collections::HashMap;

use super::{ReviewItem, State};
use crate::place::Spot;
use crate::plan::Proposal;
use crate::worklist::Act;

/// How far a review is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Progress {
    /// Items in all.
    pub items: usize,
    /// Those to be carried out.
    pub wanted: usize,
    /// Those that are left.
    pub left: usize,
    /// Those of which nothing was decided, and of which something is proposed without a doubt.
    pub open_sure: usize,
}

impl Progress {
    /// Those of which nothing was decided.
    pub fn open(&self) -> usize {
        self.items - self.wanted - self.left
    }
}

/// Counts of items.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Tally {
    pub progress: Progress,
    /// How many come into each folder.
    pub added: HashMap<Spot, u64>,
}

impl Tally {
    pub fn of(items: &[ReviewItem]) -> Self {
        let mut tally = Self::default();
        items.iter().for_each(|item| tally.add(item));
        tally
    }

    pub fn add(&mut self, item: &ReviewItem) {
        let counted = counts(item);
        self.progress.items += counted.items;
        self.progress.wanted += counted.wanted;
        self.progress.left += counted.left;
        self.progress.open_sure += counted.open_sure;
        if let Some(folder) = comes_into(item) {
            *self.added.entry(folder).or_default() += 1;
        }
    }

    pub fn take(&mut self, item: &ReviewItem) {
        let counted = counts(item);
        self.progress.items -= counted.items;
        self.progress.wanted -= counted.wanted;
        self.progress.left -= counted.left;
        self.progress.open_sure -= counted.open_sure;
        let Some(folder) = comes_into(item) else { return };
        if let Some(many) = self.added.get_mut(&folder) {
            *many -= 1;
            if *many == 0 {
                self.added.remove(&folder);
            }
        }
    }
}

fn counts(item: &ReviewItem) -> Progress {
    let one = |holds: bool| usize::from(holds);
    let is_sure = item.state == State::Open && item.is_proposed() && !item.is_in_doubt();
    Progress {
        items: one(item.state != State::Gone),
        wanted: one(item.state == State::Wanted),
        left: one(item.state == State::Left),
        open_sure: one(is_sure),
    }
}

/// The folder that an item is to come into by what was decided.
fn comes_into(item: &ReviewItem) -> Option<Spot> {
    if item.state != State::Wanted {
        return None;
    }
    let proposal: &Proposal = &item.proposal;
    match (proposal.placing(), proposal.exactly()) {
        (Some(placing), _) if proposal.moves() => Some(placing.folder.clone()),
        (_, Some(Act::Move { to } | Act::Copy { to })) => Some(to.folder()),
        _ => None,
    }
}
