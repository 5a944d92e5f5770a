//! The planner of `put --merge`: what lies in one folder goes into another, folder into folder.

use std::collections::HashMap;

use super::copies::{copy_words, lost_tags};
use super::followers::{Siblings, with_followers};
use super::{Intent, Placing, Proposal};
use crate::item::{Entry, Kind, Stamp};
use crate::keep_together;
use crate::names::fold_bytes;
use crate::place::{NameBuf, Spot};
use crate::rules::Clash;
use crate::worklist::{Act, Doubt, Original};

/// What is asked of the world while two folders are brought together.
pub trait MergeSides {
    /// What lies in a folder.
    fn listed(&self, folder: &Spot) -> Siblings;
    /// Whether two files hold the same bytes; `false` where one cannot be read.
    fn same(&self, a: &Spot, b: &Spot) -> bool;
    /// An item's tags.
    fn tags(&self, item: &Spot) -> Vec<String>;
    /// Bytes and time of a folder that moves as one.
    fn totals(&self, folder: &Spot, entry: &Entry) -> (u64, crate::moment::Moment);
    /// Whether a link's target is counted from where the link lies.
    fn is_relative_link(&self, link: &Spot) -> bool;
}

/// What bringing two folders together comes to.
#[derive(Debug, Default)]
pub struct MergeProposals {
    /// What is wanted.
    pub proposals: Vec<Proposal>,
    /// The folders that are empty then.
    pub emptied: Vec<Spot>,
}

/// Brings all that lies in `from` into `into`. What is there already with the same bytes, under whatever
/// name, is discarded as a copy.
pub fn plan(from: &Spot, into: &Spot, clash: Clash, sides: &dyn MergeSides) -> MergeProposals {
    let mut merge = Merge { from, clash, sides, by_size: HashMap::new(), out: MergeProposals::default() };
    merge.note_files(into);
    let mut open = vec![(from.clone(), into.clone())];
    while let Some((here, there)) = open.pop() {
        merge.folder(&here, &there, &mut open);
        merge.out.emptied.push(here);
    }
    merge.out
}

struct Merge<'a> {
    from: &'a Spot,
    clash: Clash,
    sides: &'a dyn MergeSides,
    /// The files that are there already, by their size.
    by_size: HashMap<u64, Vec<(Spot, Stamp)>>,
    out: MergeProposals,
}

impl Merge<'_> {
    fn note_files(&mut self, into: &Spot) {
        let mut open = vec![into.clone()];
        while let Some(folder) = open.pop() {
            for (name, entry) in self.sides.listed(&folder) {
                let spot = Spot::new(folder.place.clone(), folder.path.join(&name));
                match entry.kind {
                    // The one folder may lie in the other.
                    Kind::Folder if spot != *self.from => open.push(spot),
                    Kind::File if entry.size > 0 => {
                        self.by_size.entry(entry.size).or_default().push((spot, entry.stamp()));
                    }
                    _ => {}
                }
            }
        }
    }

    fn folder(&mut self, here: &Spot, there: &Spot, open: &mut Vec<(Spot, Spot)>) {
        let ours = self.sides.listed(here);
        let theirs: HashMap<String, NameBuf> = self
            .sides
            .listed(there)
            .into_iter()
            .filter(|(_, entry)| entry.kind == Kind::Folder)
            .map(|(name, _)| (fold_bytes(&name), name))
            .collect();
        let mut moving = Vec::new();
        for (name, entry) in &ours {
            let item = Spot::new(here.place.clone(), here.path.join(name));
            let twin = theirs.get(&fold_bytes(name)).filter(|_| entry.kind == Kind::Folder);
            let twin = twin.map(|twin| Spot::new(there.place.clone(), there.path.join(twin)));
            match twin.filter(|twin| twin != self.from && !self.is_kept_together(&item)) {
                Some(twin) => open.push((item, twin)),
                None => match self.copy(&item, entry) {
                    Some(copy) => self.out.proposals.push(copy),
                    None => moving.push(self.moving(item, entry, there)),
                },
            }
        }
        let beside = |_: &Spot| ours.clone();
        self.out.proposals.extend(with_followers(moving, &beside));
    }

    fn is_kept_together(&self, folder: &Spot) -> bool {
        let inside = self.sides.listed(folder);
        keep_together::folder(folder.path.name(), inside.iter().map(|(name, _)| &**name)).is_some()
    }

    /// A file whose bytes are there already.
    fn copy(&self, item: &Spot, entry: &Entry) -> Option<Proposal> {
        let candidates = self.by_size.get(&entry.size).filter(|_| entry.kind == Kind::File)?;
        let (stays, stamp) = candidates.iter().find(|(spot, _)| self.sides.same(item, spot))?;
        let mut lost = self.sides.tags(item);
        let kept = self.sides.tags(stays);
        lost.retain(|tag| !kept.contains(tag));
        let original = Original { item: stays.clone(), stamp: *stamp };
        let new = Proposal::new(item.clone(), entry.kind, entry.stamp(), Vec::new());
        Some(Proposal {
            why: copy_words(stays, "").into(),
            doubts: lost_tags(&lost, "").into_iter().collect(),
            intent: Intent::Exactly(Act::Discard { copy_of: Some(original) }),
            ..new
        })
    }

    fn moving(&self, item: Spot, entry: &Entry, there: &Spot) -> Proposal {
        let turns = entry.kind == Kind::Link && self.sides.is_relative_link(&item);
        let (size, modified) = match entry.kind {
            Kind::Folder => self.sides.totals(&item, entry),
            _ => (entry.size, entry.modified),
        };
        let new = Proposal::new(item, entry.kind, entry.stamp(), Vec::new());
        let placing = Placing { clash: self.clash, ..Placing::into(there.clone()) };
        Proposal {
            size,
            modified,
            intent: if turns { Intent::Stay } else { Intent::Place(placing) },
            doubts: if turns { vec![Doubt::RelativeLink] } else { Vec::new() },
            why: "merged".into(),
            ..new
        }
    }
}
