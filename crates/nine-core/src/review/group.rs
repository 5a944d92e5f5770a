//! The items of a review in groups.

use std::collections::BTreeMap;

use super::{Review, ReviewItem, State};
use crate::collation::Collation;
use crate::kinds::ItemType;
use crate::place::Spot;
use crate::plan::Intent;
use crate::worklist::Act;

/// By what items are put into groups.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GroupBy {
    /// Where they would go.
    Target,
    /// What is in doubt.
    Doubt,
    /// Their types.
    Type,
    /// The folders that they lie in.
    Folder,
}

impl GroupBy {
    /// All of them, in the order in which a key goes through them.
    pub const ALL: [GroupBy; 4] = [GroupBy::Target, GroupBy::Doubt, GroupBy::Type, GroupBy::Folder];

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            GroupBy::Target => "target",
            GroupBy::Doubt => "doubt",
            GroupBy::Type => "type",
            GroupBy::Folder => "folder",
        }
    }

    /// The next one.
    pub fn next(self) -> Self {
        let at = Self::ALL.iter().position(|by| *by == self).unwrap_or(0);
        Self::ALL[(at + 1) % Self::ALL.len()]
    }
}

/// What the items of a group share. Groups stand in this order.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum GroupKey {
    /// They go into a folder.
    Into(Spot),
    /// They get tags and stay where they are.
    Tagged,
    /// They go into the trash.
    Trash,
    /// They come out of it.
    OutOfTrash,
    /// Something else is done to them.
    Other,
    /// A person should decide.
    Undecided,
    /// Nothing is proposed for them.
    Unproposed,
    /// They lie in a folder.
    In(Spot),
    /// They are of a type.
    Type(&'static str),
    /// The plan refuses them.
    Refused,
    /// Their name is taken.
    Clash,
    /// Another doubt.
    InDoubt,
    /// No doubt.
    Sure,
}

/// Items that share something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    /// What they share.
    pub key: GroupKey,
    /// Their numbers, in the order of their names.
    pub items: Vec<usize>,
}

impl Review {
    /// The numbers of all items in the order of their names.
    pub fn by_name(&self, collation: &Collation) -> Vec<usize> {
        let mut all: Vec<usize> = (0..self.items().len()).collect();
        collation.sort(&mut all, |at, key| key(self.items()[*at].proposal.item.path.name()));
        all
    }

    /// All items in groups. `order` is [`Review::by_name`], which takes longer than this.
    pub fn groups(&self, by: GroupBy, order: &[usize]) -> Vec<Group> {
        // Items are large, so they are looked at where they lie, and only then put in order.
        let mut numbers: BTreeMap<GroupKey, usize> = BTreeMap::new();
        let mut group_of: Vec<Option<usize>> = vec![None; self.items().len()];
        // Neighbours are mostly of one group, and to compare them costs less than to make a key.
        let mut last: Option<(&ReviewItem, usize)> = None;
        for (item, group) in
            self.items().iter().zip(&mut group_of).filter(|(item, _)| item.state != State::Gone)
        {
            let next = numbers.len();
            let known =
                last.filter(|(before, _)| are_of_one_group(before, item, by)).map(|(_, number)| number);
            let number = known.unwrap_or_else(|| *numbers.entry(key(item, by)).or_insert(next));
            last = Some((item, number));
            *group = Some(number);
        }
        let mut groups: Vec<Vec<usize>> = vec![Vec::new(); numbers.len()];
        for at in order {
            if let Some(group) = group_of[*at] {
                groups[group].push(*at);
            }
        }
        let group =
            |(key, number): (GroupKey, usize)| Group { key, items: std::mem::take(&mut groups[number]) };
        numbers.into_iter().map(group).collect()
    }
}

/// Whether two items are of one group for certain.
fn are_of_one_group(one: &ReviewItem, other: &ReviewItem, by: GroupBy) -> bool {
    match by {
        GroupBy::Target => match (one.proposal.placing(), other.proposal.placing()) {
            (Some(a), Some(b)) => a.folder == b.folder && one.proposal.moves() && other.proposal.moves(),
            _ => false,
        },
        GroupBy::Folder => one.proposal.item.is_beside(&other.proposal.item),
        GroupBy::Type | GroupBy::Doubt => false,
    }
}

pub(super) fn key(item: &ReviewItem, by: GroupBy) -> GroupKey {
    match by {
        GroupBy::Target => target(item),
        GroupBy::Folder => GroupKey::In(item.proposal.item.folder()),
        GroupBy::Type => match item.item_type() {
            ItemType::Unknown => GroupKey::Type("unknown"),
            known => GroupKey::Type(known.word()),
        },
        GroupBy::Doubt => match item.concerns() {
            Some(concerns) if concerns.refused.is_some() => GroupKey::Refused,
            Some(concerns) if concerns.clash.is_some() => GroupKey::Clash,
            _ if item.is_in_doubt() => GroupKey::InDoubt,
            _ if !item.is_proposed() => GroupKey::Unproposed,
            _ => GroupKey::Sure,
        },
    }
}

fn target(item: &ReviewItem) -> GroupKey {
    let proposal = &item.proposal;
    match &proposal.intent {
        Intent::Place(placing) if proposal.moves() => GroupKey::Into(placing.folder.clone()),
        Intent::Exactly(Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to }) => {
            GroupKey::Into(to.folder())
        }
        Intent::Exactly(Act::Discard { .. }) => GroupKey::Trash,
        Intent::Exactly(Act::Restore { .. }) => GroupKey::OutOfTrash,
        Intent::Exactly(_) => GroupKey::Other,
        Intent::Stay | Intent::Place(_) if proposal.becomes.is_some() => GroupKey::Tagged,
        Intent::Stay | Intent::Place(_) if item.is_in_doubt() => GroupKey::Undecided,
        Intent::Stay | Intent::Place(_) => GroupKey::Unproposed,
    }
}
