//! Gives every proposal a name that is free.

use std::collections::{HashMap, HashSet};

use super::{Follower, HELD, Proposal};
use crate::item::{Entry, Kind};
use crate::names::{numbered, split_extension};
use crate::place::Spot;
use crate::rules::Clash;
use crate::worklist::{Act, ClashAnswer, Doubt, Standing, Step, Worklist};

/// Makes steps of proposals. `standing` tells what has which name in the folders that
/// [`super::folders_wanted`] listed; a folder that is not in it holds nothing.
pub fn settle(proposals: Vec<Proposal>, standing: &Standing) -> Worklist {
    let mut settler =
        Settler { standing, claimed: HashSet::new(), numbers: HashMap::new(), steps: Vec::new(), sets: 0 };
    for proposal in proposals {
        settler.settle(proposal);
    }
    Worklist { steps: settler.steps }
}

struct Settler<'a> {
    standing: &'a Standing,
    claimed: HashSet<(Spot, Vec<u8>)>,
    /// The last number given to a name in a folder, where the search for the next one starts.
    numbers: HashMap<(Spot, Vec<u8>), usize>,
    steps: Vec<Step>,
    sets: u32,
}

/// What has a name that is wanted.
enum Owner<'a> {
    Nobody,
    Another,
    Standing(&'a (Vec<u8>, Entry)),
}

impl<'a> Settler<'a> {
    fn settle(&mut self, proposal: Proposal) {
        if !proposal.new_tags.is_empty() {
            let to = [proposal.tags.as_slice(), &proposal.new_tags].concat();
            let mut tag = self.step(&proposal, Act::Tag { from: proposal.tags.clone(), to });
            tag.doubts.clear();
            self.steps.push(tag);
        }
        let Some(folder) = proposal.folder.clone() else {
            if !proposal.doubts.is_empty() {
                let step = self.step(&proposal, Act::Leave);
                self.steps.push(step);
            }
            return;
        };
        let name = proposal.name.clone().unwrap_or_else(|| proposal.item.path.name().to_vec());
        if folder == proposal.item.folder() && name == proposal.item.path.name() {
            return;
        }
        self.place(proposal, folder, name);
    }

    /// Finds a free name for the item and all that follows it.
    fn place(&mut self, mut proposal: Proposal, folder: Spot, name: Vec<u8>) {
        let members = |name: &[u8]| -> Vec<Vec<u8>> {
            let followers = proposal.followers.iter().map(|f| follower_name(f, name));
            std::iter::once(name.to_vec()).chain(followers).collect()
        };
        let wanted = members(&name);
        let clash = wanted.iter().find_map(|member| match self.owner(&folder, member, &proposal.item) {
            Owner::Nobody => None,
            Owner::Another => Some((member.clone(), None)),
            Owner::Standing((_, entry)) => Some((member.clone(), Some(entry.clone()))),
        });
        let Some((taken, theirs)) = clash else {
            return self.go(proposal, folder, wanted);
        };
        let answer = self.answer(&proposal, theirs.as_ref());
        proposal.doubts.push(Doubt::Clash { name: taken, theirs, answer });
        match answer {
            ClashAnswer::Left => {
                let step = self.step(&proposal, Act::Leave);
                self.steps.push(step);
            }
            ClashAnswer::Replaced => {
                self.discard_standing(&proposal, &folder, &name);
                self.go(proposal, folder, wanted);
            }
            ClashAnswer::Held => {
                let held = Spot::new(folder.place.clone(), folder.path.join(HELD));
                let free = self.free_name(&held, &name, &proposal, 1);
                let wanted = members(&free);
                self.go(proposal, held, wanted);
            }
            ClashAnswer::Numbered => {
                let free = self.free_name(&folder, &name, &proposal, 2);
                let wanted = members(&free);
                self.go(proposal, folder, wanted);
            }
        }
    }

    /// What the rule wants done, as far as the item allows it.
    fn answer(&self, proposal: &Proposal, theirs: Option<&Entry>) -> ClashAnswer {
        let bound = proposal.followers.iter().any(|f| f.ending.is_none());
        match proposal.clash {
            Clash::Leave => ClashAnswer::Left,
            Clash::Hold => ClashAnswer::Held,
            // A saved page cannot be numbered, since it points to its files by name.
            Clash::Number if bound => ClashAnswer::Left,
            Clash::Number => ClashAnswer::Numbered,
            // Only a file that is there can be replaced, and only by a file that comes alone.
            Clash::Replace => match theirs {
                Some(entry)
                    if entry.kind == Kind::File
                        && proposal.kind == Kind::File
                        && proposal.followers.is_empty() =>
                {
                    ClashAnswer::Replaced
                }
                _ => ClashAnswer::Left,
            },
        }
    }

    fn owner(&self, folder: &Spot, name: &[u8], own: &Spot) -> Owner<'a> {
        let facts = self.standing.get(folder);
        let key = facts.map_or_else(|| name.to_vec(), |f| f.rules.key(name));
        if self.claimed.contains(&(folder.clone(), key.clone())) {
            return Owner::Another;
        }
        match facts.and_then(|f| f.names.get(&key)) {
            // An item may take a form of its own name that differs only in letter case.
            Some((there, _)) if own.folder() == *folder && own.path.name() == there.as_slice() => {
                Owner::Nobody
            }
            Some(found) => Owner::Standing(found),
            None => Owner::Nobody,
        }
    }

    /// The first name, counted from `first`, that is free for the item and all that follows it.
    fn free_name(&mut self, folder: &Spot, name: &[u8], proposal: &Proposal, first: usize) -> Vec<u8> {
        let is_folder = proposal.kind == Kind::Folder;
        let named = |n: usize| if n == 1 { name.to_vec() } else { numbered(name, n, is_folder) };
        let is_free = |number: &usize| {
            let candidate = named(*number);
            let followers = proposal.followers.iter().map(|f| follower_name(f, &candidate));
            std::iter::once(candidate.clone())
                .chain(followers)
                .all(|member| matches!(self.owner(folder, &member, &proposal.item), Owner::Nobody))
        };
        let key = (folder.clone(), name.to_vec());
        let start = self.numbers.get(&key).map_or(first, |last| last + 1);
        let number = (start..).find(is_free).expect("some number is free");
        self.numbers.insert(key, number);
        named(number)
    }

    fn discard_standing(&mut self, proposal: &Proposal, folder: &Spot, name: &[u8]) {
        let Owner::Standing((there, entry)) = self.owner(folder, name, &proposal.item) else {
            return;
        };
        self.steps.push(Step {
            act: Act::Discard,
            item: Spot::new(folder.place.clone(), folder.path.join(there)),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: entry.size,
            modified: entry.modified,
            why: proposal.why.clone(),
            doubts: Vec::new(),
            together: None,
        });
    }

    /// Writes the steps of an item and its followers; `names` are theirs in the same order.
    fn go(&mut self, proposal: Proposal, folder: Spot, names: Vec<Vec<u8>>) {
        let together = (!proposal.followers.is_empty()).then(|| {
            self.sets += 1;
            self.sets
        });
        let mut targets =
            names.into_iter().map(|name| Spot::new(folder.place.clone(), folder.path.join(name)));
        let leader = self.step(&proposal, Act::Leave);
        let followers = proposal.followers.iter().map(|follower| Step {
            item: follower.item.clone(),
            kind: follower.kind,
            stamp: follower.stamp,
            size: follower.size,
            modified: follower.modified,
            doubts: Vec::new(),
            ..leader.clone()
        });
        let members: Vec<Step> = std::iter::once(leader.clone()).chain(followers).collect();
        for mut step in members {
            let Some(to) = targets.next() else { return };
            let facts = self.standing.get(&folder);
            let key = facts.map_or_else(|| to.path.name().to_vec(), |f| f.rules.key(to.path.name()));
            self.claimed.insert((folder.clone(), key));
            step.together = together;
            step.act = Act::Move { to };
            self.steps.push(step);
        }
    }

    fn step(&self, proposal: &Proposal, act: Act) -> Step {
        Step {
            act,
            item: proposal.item.clone(),
            kind: proposal.kind,
            stamp: proposal.stamp,
            size: proposal.size,
            modified: proposal.modified,
            why: proposal.why.clone(),
            doubts: proposal.doubts.clone(),
            together: None,
        }
    }
}

/// A follower's name beside a leader of this name.
fn follower_name(follower: &Follower, leader: &[u8]) -> Vec<u8> {
    match &follower.ending {
        Some(ending) => [split_extension(leader).0, ending].concat(),
        None => follower.item.path.name().to_vec(),
    }
}
