//! All that lies loose, into one folder.

use std::collections::BTreeMap;

use nine_core::place::Spot;
use nine_core::plan::Left;

use crate::plan::{Draft, Plan};
use crate::rules_at_work::RulesAtWork;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What is to be swept.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// The names of piles; all, if there are none.
    pub piles: Vec<String>,
    /// Only what no rule is for, into a standing folder.
    pub sort_later: bool,
}

/// What would be swept.
pub struct Swept {
    /// The plan.
    pub plan: Plan,
    /// The folders that something comes into, and how many loose items.
    pub folders: Vec<(Spot, u64)>,
    /// How many items are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// How many were looked at.
    pub looked_at: u64,
}

/// Plans a sweep.
///
/// # Errors
/// If there is no such pile.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Swept> {
    let piles = workspace.piles(&request.piles)?;
    if piles.is_empty() {
        return Err(Error::NothingToSweep);
    }
    let away = workspace.tell_closed(&piles);
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let troubles = away + at_work.looking.troubles;
    let (mut left, mut looked_at): (BTreeMap<Left, u64>, u64) = (BTreeMap::new(), 0);
    let (mut proposals, mut folders) = (Vec::new(), Vec::new());
    for (pile, swept) in at_work.sweep(request.sort_later) {
        swept.left.iter().for_each(|(why, number)| *left.entry(*why).or_default() += number);
        looked_at += swept.looked_at;
        let moved = swept.proposals.iter().filter(|proposal| proposal.moves());
        let many: u64 = moved.map(|proposal| 1 + proposal.followers.len() as u64).sum();
        if many > 0 {
            folders.push((Spot::new(pile, swept.folder), many));
        }
        proposals.extend(swept.proposals);
    }
    let command = if request.sort_later { "nine sweep --sort-later" } else { "nine sweep" };
    let draft = Draft { troubles, ..Draft::new(command, proposals, &workspace.opened().places) };
    Ok(Swept { plan: draft.draw_up(), folders, left, looked_at })
}
