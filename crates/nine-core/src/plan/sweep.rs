//! The planner of `sweep`: all that lies loose in a pile, into one folder there.

use std::collections::{BTreeMap, HashSet};

use super::followers::with_followers;
use super::leave::{LeaveCheck, Left};
use super::tidy::Pass;
use super::{Intent, Placing, Proposal};
use crate::config::Pile;
use crate::item::Kind;
use crate::moment::Now;
use crate::place::{ItemPath, Name, NameBuf, Spot};
use crate::tree::{NodeId, Tree};
use crate::worklist::Doubt;

/// The standing folder of what is to be sorted later.
pub const LATER: &str = "Sort later";

/// Where a pile's loose items go.
#[derive(Debug, Clone, Copy)]
pub enum To<'a> {
    /// A folder with the day's date, and a number if there is one already.
    Dated,
    /// The standing folder, and only these.
    Later(&'a HashSet<NodeId>),
}

/// What is swept together.
#[derive(Debug, Default)]
pub struct SweepProposals {
    /// Items that move.
    pub proposals: Vec<Proposal>,
    /// How many are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// How many were looked at.
    pub looked_at: u64,
    /// The folder that they go to.
    pub folder: ItemPath,
}

/// Sweeps a pile. What is hidden, still arriving, changed just now or a place of its own is left, and so
/// are the folders into which something was swept before.
pub fn plan(pass: &Pass, pile: &Pile, tree: &Tree, to: To) -> SweepProposals {
    let leave = LeaveCheck::of_loose(pass, pile, tree);
    let name = match to {
        To::Dated => dated(tree, pass.now),
        To::Later(_) => Name::constant(LATER).into(),
    };
    let folder = Spot::new(pile.name.clone(), ItemPath::root().join(&name));
    let mut out = SweepProposals { folder: folder.path.clone(), ..SweepProposals::default() };
    let mut items = Vec::new();
    for id in tree.children(Tree::ROOT) {
        out.looked_at += 1;
        let path = ItemPath::root().join(tree.name_of(id));
        let was_swept = tree.is_folder(id) && is_swept(tree.name(id));
        let is_meant = match to {
            To::Dated => true,
            To::Later(ids) => ids.contains(&id),
        };
        match leave.why(id, || path.clone()).or(was_swept.then_some(Left::Swept)) {
            Some(why) => *out.left.entry(why).or_default() += 1,
            None if is_meant => items.push(proposal(pass, pile, tree, id, &folder)),
            None => {}
        }
    }
    let beside = |_: &Spot| {
        let loose = tree.children(Tree::ROOT).map(|id| (tree.name_of(id).into(), tree.entry(id)));
        loose.collect()
    };
    out.proposals = with_followers(items, &beside);
    out
}

fn proposal(pass: &Pass, pile: &Pile, tree: &Tree, id: NodeId, folder: &Spot) -> Proposal {
    let spot = Spot::new(pile.name.clone(), tree.path(id));
    let turns = tree.kind(id) == Kind::Link && pass.details.is_relative_link(&spot.path);
    let new = Proposal::new(spot, tree.kind(id), tree.entry(id).stamp(), Vec::new());
    Proposal {
        size: tree.size(id),
        modified: tree.newest(id),
        intent: if turns { Intent::Stay } else { Intent::Place(Placing::into(folder.clone())) },
        doubts: if turns { vec![Doubt::RelativeLink] } else { Vec::new() },
        why: "swept".into(),
        ..new
    }
}

/// A name with the day's date that nothing in the pile has.
fn dated(tree: &Tree, now: &Now) -> NameBuf {
    let date = NameBuf::held(now.today().to_string().into_bytes());
    let taken = |name: &[u8]| tree.children(Tree::ROOT).any(|id| tree.name(id) == name);
    let named = |n: usize| if n == 1 { date.clone() } else { date.as_name().numbered(n, true) };
    (1..).map(named).find(|name| !taken(name)).expect("some number is free")
}

/// Whether a folder's name is one that sweeping gives.
pub fn is_swept(name: &[u8]) -> bool {
    let is_date = |date: &[u8]| {
        date.iter().enumerate().all(|(at, byte)| match at {
            4 | 7 => *byte == b'-',
            _ => byte.is_ascii_digit(),
        })
    };
    let is_number = |rest: &[u8]| match rest {
        [] => true,
        [b' ', b'(', digits @ .., b')'] => !digits.is_empty() && digits.iter().all(u8::is_ascii_digit),
        _ => false,
    };
    name == LATER.as_bytes()
        || name.split_at_checked(10).is_some_and(|(date, rest)| is_date(date) && is_number(rest))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_that_were_swept_into_are_known_by_their_names() {
        for name in ["2031-04-07", "2031-04-07 (2)", "Sort later"] {
            assert!(is_swept(name.as_bytes()), "{name}");
        }
        for name in ["2031-04-07 trip", "2031-4-7", "2031", "2031-04-07 ()", "sorted later"] {
            assert!(!is_swept(name.as_bytes()), "{name}");
        }
    }
}
