//! A worklist as a table that a person reads and edits: a line an item, its tags with it, what is in
//! doubt first.
//!
//! What was proposed is kept beside the table ([`KeptWorklist`]), so that the table need not hold what only
//! the program wants, and so that what a person changed can be told.

mod edits;
mod read;
mod write;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

pub use edits::{Change, Choice, Edits, edits};
pub use read::{Cells, TableRow, Wrong, read};
pub use write::{no_formula, to_csv, to_json};

use super::{Act, Checked, Doubt, Step, one_line};
use crate::moment::Now;
use crate::place::Spot;
use crate::plan::{Proposal, Settled};

/// The columns that every table has.
pub const COLUMNS: [&str; 8] = ["step", "do", "item", "to", "why", "doubt", "size", "modified"];
/// The column of the tags that an item has afterwards.
pub const TAGS: &str = "tags";

/// A line of the table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Line {
    /// Its number, counted from 1.
    pub step: usize,
    /// What is done, as a word.
    #[serde(rename = "do")]
    pub act: String,
    /// To what.
    pub item: Spot,
    /// Where it will be.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub to: Option<Spot>,
    /// The rule, or the person's own word.
    pub why: String,
    /// Why a person should look at it, in words.
    pub doubt: String,
    /// Bytes.
    pub size: u64,
    /// When it was last changed, to the minute.
    pub modified: String,
    /// The tags that it has afterwards, where they change.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub tags: Option<Vec<String>>,
    /// What facets answer.
    #[serde(flatten)]
    pub answers: BTreeMap<String, Option<String>>,
}

/// What was proposed when a table was written.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct KeptWorklist {
    /// The command that proposed it.
    pub command: String,
    /// Whether the rules proposed it, so that other answers lead to another target.
    pub by_rules: bool,
    /// The run that it takes back.
    pub undoes: Option<u64>,
    /// Folders to take away afterwards if they are empty.
    pub clear_away: Vec<Spot>,
    /// Dated folders of the archive that come to be.
    #[serde(default)]
    pub dated: Vec<Spot>,
    /// Where each place is.
    pub places: BTreeMap<String, String>,
    /// The facets that have columns.
    pub facets: Vec<String>,
    /// The lines of the table.
    pub lines: Vec<Line>,
    /// What each line stands for, in the same order.
    pub proposals: Vec<Proposal>,
}

/// Makes the lines of a table, each with the number of the proposal that it is of.
pub fn lines(
    proposals: &[Proposal],
    settled: &Settled,
    checked: &Checked,
    now: &Now,
) -> (Vec<Line>, Vec<usize>) {
    let mut steps: Vec<Vec<usize>> = vec![Vec::new(); proposals.len()];
    settled.of.iter().enumerate().for_each(|(step, proposal)| steps[*proposal].push(step));
    let own = proposals.iter().zip(&steps).enumerate().filter(|(_, (_, steps))| !steps.is_empty());
    let made = own.map(|(at, (proposal, steps))| (line(proposal, steps, settled, checked, now), at));
    let mut made: Vec<(Line, usize)> = made.collect();
    made.sort_by_key(|(line, _)| line.doubt.is_empty());
    made.iter_mut().zip(1..).for_each(|((line, _), number)| line.step = number);
    made.into_iter().unzip()
}

fn line(proposal: &Proposal, steps: &[usize], settled: &Settled, checked: &Checked, now: &Now) -> Line {
    let of = |step: &usize| -> &Step { &settled.worklist.steps[*step] };
    let own = |step: &&usize| of(step).item == proposal.item;
    let refused = steps.iter().find_map(|step| checked.refused.get(step));
    let mut doubts: Vec<String> = refused.iter().map(|problem| problem.words()).collect();
    for doubt in steps.iter().flat_map(|step| &of(step).doubts).map(|doubt: &Doubt| doubt.words(now)) {
        if !doubts.contains(&doubt) {
            doubts.push(doubt);
        }
    }
    // Of an item that is tagged and moved, the move says what is done.
    // Of a folder that is packed and discarded, the pack.
    let weight = |step: &&usize| match of(step).act {
        Act::Tag { .. } => 0,
        Act::Pack { .. } => 2,
        _ => 1,
    };
    let main = steps.iter().filter(own).max_by_key(weight);
    let act = main.map_or(Act::Leave.word(), |step| of(step).act.word());
    let tags = steps.iter().filter(own).find_map(|step| match &of(step).act {
        Act::Tag { to, .. } => Some(to.clone()),
        _ => None,
    });
    Line {
        step: 0,
        act: if refused.is_some() { Act::Leave.word() } else { act }.to_owned(),
        item: proposal.item.clone(),
        to: main.and_then(|step| of(step).target().cloned()),
        why: one_line(&proposal.why),
        doubt: doubts.join("; "),
        size: proposal.size,
        modified: now.minute(proposal.modified),
        tags,
        answers: proposal.answers.iter().cloned().collect(),
    }
}

#[cfg(test)]
mod tests;
