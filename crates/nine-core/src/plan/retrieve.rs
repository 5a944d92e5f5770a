//! The planner of `retrieve`: what was archived or swept, back to where it came from or onto a shelf.

use super::Proposal;
use super::followers::{Siblings, with_followers};
use crate::place::Spot;
use crate::rules::Clash;

/// Something that is to come back, and where it came from.
#[derive(Debug, Clone)]
pub struct Away {
    /// The item as it is now.
    pub item: Proposal,
    /// Where it lay before.
    pub from: Spot,
}

/// Brings items back, or into the folder `on`. `siblings` lists what lies in a folder, so that what is kept
/// together goes along.
pub fn plan(
    away: Vec<Away>,
    on: Option<&Spot>,
    clash: Clash,
    siblings: &dyn Fn(&Spot) -> Siblings,
) -> Vec<Proposal> {
    let back = |Away { item, from }: Away| {
        let (folder, name) = match on {
            Some(folder) => (folder.clone(), None),
            None => (from.folder(), Some(from.path.name().to_vec())),
        };
        let name = name.filter(|name| *name != item.item.path.name());
        Proposal { folder: Some(folder), name, clash, why: "retrieved".into(), ..item }
    };
    let (packed, plain): (Vec<Proposal>, Vec<Proposal>) =
        away.into_iter().map(back).partition(|item| item.unpacks);
    let mut proposals = with_followers(plain, siblings);
    proposals.extend(packed);
    proposals
}
