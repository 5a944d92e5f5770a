//! Names that are taken, and what may be done then.

use crate::item::{Entry, Kind};
use crate::place::{NameBuf, Spot};
use crate::plan::Proposal;
use crate::rules::Clash;
use crate::worklist::ClashAnswer;

/// A name that a proposal wants and that is taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClashFound {
    /// The number of the proposal.
    pub proposal: usize,
    /// Where the name is wanted.
    pub at: Spot,
    /// What has it; `None` if another proposal takes it.
    pub theirs: Option<Entry>,
    /// The number of the proposal that takes it.
    pub rival: Option<usize>,
    /// The name that it would get by number.
    pub numbered: NameBuf,
    /// Whether it may be numbered, and whether it may replace what is there.
    pub allowed: (bool, bool),
}

impl ClashFound {
    /// What may be done of what is wanted; what may not be is left.
    pub fn allows(&self, wanted: Clash) -> Clash {
        let (numbers, replaces) = self.allowed;
        let is_allowed = match wanted {
            Clash::Number => numbers,
            Clash::Replace => replaces,
            Clash::Leave | Clash::Hold => true,
        };
        if is_allowed { wanted } else { Clash::Leave }
    }
}

/// What is wanted where a name is taken, as far as the item allows it.
pub(super) fn answer(wanted: Clash, proposal: &Proposal, theirs: Option<&Entry>) -> ClashAnswer {
    match wanted {
        Clash::Leave => ClashAnswer::Left,
        Clash::Hold => ClashAnswer::Held,
        Clash::Number if is_bound(proposal) => ClashAnswer::Left,
        Clash::Number => ClashAnswer::Numbered,
        Clash::Replace if may_replace(proposal, theirs) => ClashAnswer::Replaced,
        Clash::Replace => ClashAnswer::Left,
    }
}

/// Whether something follows that points to it by name, as a saved page does.
pub(super) fn is_bound(proposal: &Proposal) -> bool {
    proposal.followers.iter().any(|follower| follower.ending.is_none())
}

/// Only a file that is there can be replaced, and only by a file that comes alone.
pub(super) fn may_replace(proposal: &Proposal, theirs: Option<&Entry>) -> bool {
    theirs.is_some_and(|entry| entry.kind == Kind::File)
        && proposal.kind == Kind::File
        && proposal.followers.is_empty()
}
