//! One look at what is due of a pile: what is sure is filed, what is not waits to be looked at.

use std::collections::{BTreeMap, HashSet};

use nine_core::config::Pile;
use nine_core::moment::Moment;
use nine_core::place::{NameBuf, Spot};
use nine_core::plan::Proposal;

use super::agenda::Due;
use crate::left_alone::{LeftAlone, WATCH};
use crate::plan::{Carried, Draft};
use crate::review::{keep_waiting, waiting};
use crate::rules_at_work::RulesAtWork;
use crate::workspace::Workspace;
use crate::{Result, displays};

/// The name of the list that waits.
const LIST: &str = "watch";

/// With more names than these it is quicker to look at everything.
const MOST_NAMES: usize = 500;

/// What came of a look.
pub(super) struct Passed {
    /// What was carried out, if anything was to be.
    pub carried: Option<Carried>,
    /// Steps that were refused before.
    pub refused: Vec<(Spot, String)>,
    /// What is left for now, and when it was last changed.
    pub waits: BTreeMap<NameBuf, Moment>,
    /// How many items came to the list that waits; why it could not be written, if it could not.
    pub in_doubt: Result<usize>,
}

impl Passed {
    /// Nothing was looked at.
    pub fn nothing() -> Self {
        Self { carried: None, refused: Vec::new(), waits: BTreeMap::new(), in_doubt: Ok(0) }
    }
}

/// Looks at what is due of a pile.
///
/// # Errors
/// If another program is at work, or the daybook cannot be written.
pub(super) fn pass(workspace: &Workspace, pile: &Pile, due: &Due) -> Result<Passed> {
    let mut at_work = match due {
        Due::Names(names) if names.len() <= MOST_NAMES => RulesAtWork::look_in(workspace, pile, names)?,
        _ => RulesAtWork::look(workspace, &[pile])?,
    };
    let gathered = at_work.propose();
    drop(at_work);
    let proposals = gathered.proposals.into_iter().filter(|proposal| is_due(proposal, due)).collect();
    let draft = Draft { by_rules: true, ..Draft::new(WATCH, proposals, &workspace.opened().places) };
    let mut plan = draft.draw_up();
    plan.leave_alone(&LeftAlone::read(workspace));
    let open = plan.leave_what_is_in_doubt();
    let refused = plan.checked.refused.iter();
    let refused =
        refused.map(|(at, why)| (plan.settled.worklist.steps[*at].item.clone(), why.words())).collect();
    let carried = if plan.checked.order.is_empty() { None } else { Some(plan.carry(workspace)?) };
    if carried.is_some() {
        displays::refresh_all(workspace);
    }
    // What was done is told, whatever becomes of the list.
    let in_doubt = keep(workspace, &pile.name, due, plan.draft.with(open));
    let waits = gathered.waits.into_iter().filter_map(|(spot, at)| Some((spot.path.last()?.into(), at)));
    let mut latest: BTreeMap<NameBuf, Moment> = BTreeMap::new();
    for (name, at) in waits.filter(|(name, _)| is_named(name, due)) {
        let known = latest.entry(name).or_insert(at);
        *known = at.max(*known);
    }
    Ok(Passed { carried, refused, waits: latest, in_doubt })
}

fn is_named(name: &NameBuf, due: &Due) -> bool {
    match due {
        Due::Whole => true,
        Due::Names(names) => names.contains(name),
    }
}

/// Whether an item, or something that goes where it goes, is due.
fn is_due(proposal: &Proposal, due: &Due) -> bool {
    let spots =
        std::iter::once(&proposal.item).chain(proposal.followers.iter().map(|follower| &follower.item));
    spots.filter_map(|spot| spot.path.parts().next()).any(|name| is_named(&name.into(), due))
}

/// Puts what is in doubt onto the list that waits, in place of what stood there of the same. Returns how many items are
/// new on it.
fn keep(workspace: &Workspace, pile: &str, due: &Due, open: Draft) -> Result<usize> {
    let list = waiting(workspace).into_iter().find(|list| list.name == LIST);
    if list.is_none() && open.proposals.is_empty() {
        return Ok(0);
    }
    let old = list.map(|list| list.read(workspace)).transpose()?;
    let mut all = old.unwrap_or_else(|| Draft::new("", Vec::new(), &workspace.opened().places));
    let known: HashSet<Spot> = all.proposals.iter().map(|proposal| proposal.item.clone()).collect();
    let before = all.proposals.clone();
    all.proposals.retain(|proposal| *proposal.item.place != *pile || !is_due(proposal, due));
    let new = open.proposals.iter().filter(|proposal| !known.contains(&proposal.item)).count();
    all.add(open);
    if all.proposals != before {
        keep_waiting(workspace, LIST, Draft { command: WATCH.to_owned(), by_rules: true, ..all })?;
    }
    Ok(new)
}
