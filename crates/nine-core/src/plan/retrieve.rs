//! The planner of `retrieve`: what was archived or swept, back to where it came from or onto a shelf.

use super::followers::{Siblings, with_followers};
use super::{Intent, PlacedBy, Placing, Proposal};
use crate::place::{NameBuf, Spot};
use crate::rules::Clash;

/// Something that is to come back, and where it came from.
#[derive(Debug, Clone)]
pub struct Away {
    /// The item as it is now.
    pub item: Proposal,
    /// Where it lay before.
    pub from: Spot,
    /// Whether it lies in a pack.
    pub is_packed: bool,
}

/// Brings items back, or into the folder `on`. `siblings` lists what lies in a folder, so that what is kept
/// together goes along.
pub fn plan(
    away: Vec<Away>,
    on: Option<&Spot>,
    clash: Clash,
    siblings: &dyn Fn(&Spot) -> Siblings,
) -> Vec<Proposal> {
    let back = |Away { item, from, is_packed }: Away| {
        let (folder, name) = match on {
            Some(folder) => (folder.clone(), None),
            None => (from.folder(), from.path.last().map(NameBuf::from)),
        };
        let name = name.filter(|name| **name != *item.item.path.name());
        let by = if is_packed { PlacedBy::Unpack } else { PlacedBy::Move };
        let intent = Intent::Place(Placing { name, by, clash, ..Placing::into(folder) });
        Proposal { intent, why: "retrieved".into(), ..item }
    };
    let (packed, plain): (Vec<Away>, Vec<Away>) = away.into_iter().partition(|away| away.is_packed);
    let mut proposals = with_followers(plain.into_iter().map(back).collect(), siblings);
    proposals.extend(packed.into_iter().map(back));
    proposals
}
