//! Gives every proposal a name that is free.

mod clash;
mod folder;

pub use clash::ClashFound;
use clash::{answer, is_bound, may_replace};
use folder::{FoldedName, FolderNames, Owner};

use super::{Follower, Intent, PlacedBy, Placing, Proposal};
use crate::archive::{Form, list_beside};
use crate::correct::has_copy_mark;
use crate::item::{Entry, Kind};
use crate::names::split_extension;
use crate::place::{Name, NameBuf, Spot};
use crate::worklist::{Act, ClashAnswer, Doubt, NamesThere, Step, Worklist};
use foldhash::{HashMap, HashMapExt, HashSet};

/// What proposals come to.
#[derive(Debug, Clone, Default)]
pub struct Settled {
    /// The steps.
    pub worklist: Worklist,
    /// For each step, the number of the proposal that it is of.
    pub of: Vec<usize>,
    /// Names that were taken.
    pub clashes: Vec<ClashFound>,
}

impl Settled {
    /// None yet, with room for what so many proposals come to.
    fn for_proposals(many: usize) -> Self {
        let worklist = Worklist { steps: Vec::with_capacity(many) };
        Self { worklist, of: Vec::with_capacity(many), clashes: Vec::new() }
    }
}

/// Makes steps of proposals. `standing` tells what has which name in the folders that
/// [`super::folders_wanted`] listed; a folder that is not in it holds nothing.
pub fn settle(proposals: &[Proposal], standing: &NamesThere) -> Settled {
    let mut settler = Settler {
        standing,
        proposals,
        numbers: HashMap::new(),
        folders: Vec::new(),
        out: Settled::for_proposals(proposals.len()),
        sets: 0,
        now: 0,
    };
    // Of two that come to one name, the one that calls itself a copy comes second.
    let is_copy = |at: &usize| {
        let stem = split_extension(proposals[*at].item.path.name()).0;
        has_copy_mark(&String::from_utf8_lossy(stem))
    };
    let (copies, first): (Vec<usize>, Vec<usize>) = (0..proposals.len()).partition(is_copy);
    for at in first.into_iter().chain(copies) {
        settler.now = at;
        settler.settle(&proposals[at]);
    }
    let mut out = settler.out;
    drop_tags_of_what_goes(&mut out, proposals);
    // They stand in the order of the proposals all the same.
    if !out.of.is_sorted() {
        let mut steps: Vec<(usize, Step)> = out.of.into_iter().zip(out.worklist.steps).collect();
        steps.sort_by_key(|(of, _)| *of);
        (out.of, out.worklist.steps) = steps.into_iter().unzip();
    }
    out.clashes.sort_by_key(|clash| clash.proposal);
    out
}

/// An item that another one replaces goes into the trash as it is: tags that a rule would give it first would have to be
/// taken back from something that lies elsewhere by then.
fn drop_tags_of_what_goes(settled: &mut Settled, proposals: &[Proposal]) {
    let (steps, of) = (&mut settled.worklist.steps, &mut settled.of);
    let goes = steps.iter().filter(|step| matches!(step.act, Act::Discard { .. }));
    let goes: HashSet<Spot> = goes.map(|step| step.item.clone()).collect();
    let is_fixed = |of: usize| matches!(proposals[of].intent, Intent::Exactly(_));
    let stays = |(step, of): (&Step, &usize)| {
        !matches!(step.act, Act::Tag { .. }) || is_fixed(*of) || !goes.contains(&step.item)
    };
    let stays: Vec<bool> = steps.iter().zip(&*of).map(stays).collect();
    let mut those = stays.iter().copied();
    steps.retain(|_| those.next().unwrap_or(true));
    let mut those = stays.iter().copied();
    of.retain(|_| those.next().unwrap_or(true));
}

struct Settler<'a> {
    standing: &'a NamesThere,
    proposals: &'a [Proposal],
    /// The numbers of folders that proposals lead to.
    numbers: HashMap<Spot, FolderNo>,
    /// What is known of them.
    folders: Vec<FolderNames<'a>>,
    out: Settled,
    sets: u32,
    /// The number of the proposal in hand.
    now: usize,
}

/// The number of a folder among those that proposals lead to.
type FolderNo = usize;

/// The names that an item and its followers get in a folder.
struct FreeNames {
    folder: FolderNo,
    /// The item's first.
    names: Vec<FoldedName>,
    /// The number of a set that they belong to already.
    together: Option<u32>,
}

impl<'a> Settler<'a> {
    fn push(&mut self, step: Step) {
        self.out.worklist.steps.push(step);
        self.out.of.push(self.now);
    }

    fn settle(&mut self, proposal: &Proposal) {
        match &proposal.intent {
            Intent::Exactly(Act::Pack { to }) => return self.pack(proposal, to),
            Intent::Exactly(act) => return self.exactly(proposal, act.clone()),
            Intent::Stay | Intent::Place(_) => {}
        }
        if let Some(to) = &proposal.becomes {
            let mut tag = step(proposal, Act::Tag { from: proposal.tags.clone(), to: to.clone() });
            if proposal.moves() {
                tag.doubts.clear();
            }
            self.push(tag);
        }
        match proposal.placing().filter(|_| proposal.moves()) {
            Some(placing) => self.place(proposal, placing),
            None if !proposal.doubts.is_empty() && proposal.becomes.is_none() => {
                self.push(step(proposal, Act::Leave));
            }
            None => {}
        }
    }

    /// Does what is wanted to the item, and the same to what follows it: to all or to none.
    fn exactly(&mut self, proposal: &Proposal, act: Act) {
        let leader = step(proposal, act);
        let together = self.set_for(proposal);
        let followers = followers_like(&leader, proposal);
        for step in std::iter::once(leader).chain(followers) {
            self.push(Step { together, ..step });
        }
    }

    /// Packs a folder, puts a copy of its list beside the pack, and only then puts the folder into the
    /// trash: all or nothing.
    fn pack(&mut self, proposal: &Proposal, to: &Spot) {
        let together = self.set_for(proposal);
        let pack = step(proposal, Act::Pack { to: to.clone() });
        let stem = Form::of_name(to.path.name()).map(|(_, stem)| stem).or_else(|| to.path.last());
        let Some(stem) = stem else { return };
        let beside = Spot::new(to.place.clone(), to.path.beside(&list_beside(stem)));
        let lists = followers_like(&Step { act: Act::Copy { to: beside }, ..pack.clone() }, proposal);
        let trash = Step { act: Act::discard(), doubts: Vec::new(), ..pack.clone() };
        for step in std::iter::once(pack).chain(lists).chain([trash]) {
            self.push(Step { together, ..step });
        }
    }

    /// The number of a set, if anything follows the item.
    fn set_for(&mut self, proposal: &Proposal) -> Option<u32> {
        (!proposal.followers.is_empty()).then(|| {
            self.sets += 1;
            self.sets
        })
    }

    /// Finds a free name for the item and all that follows it.
    fn place(&mut self, proposal: &Proposal, placing: &Placing) {
        let Placing { folder, name, number, clash, .. } = placing;
        let own = || proposal.item.path.last().map(NameBuf::from);
        let Some(mut name) = name.clone().or_else(own) else { return };
        let folder = self.folder(folder);
        if let Some(number) = number {
            name = self.first_free(folder, &name, proposal, 1, |n| number.with(&name, n));
        }
        let wanted: Vec<FoldedName> = members(&name, proposal).collect();
        let taken =
            wanted.iter().find_map(|member| match self.folders[folder].owner(member, &proposal.item) {
                Owner::Nobody => None,
                Owner::Another(rival) => Some((member.name.clone(), None, Some(rival))),
                Owner::Standing((_, entry)) => Some((member.name.clone(), Some(entry.clone()), None)),
            });
        let Some((taken, theirs, rival)) = taken else {
            let doubts = proposal.doubts.clone();
            return self.go(proposal, doubts, FreeNames { folder, names: wanted, together: None });
        };
        let answer = answer(*clash, proposal, theirs.as_ref());
        let found = self.clash(proposal, folder, (&name, &taken), theirs.clone(), rival);
        self.out.clashes.push(found);
        let rival = rival.map(|rival| &self.proposals[rival]);
        let rival = rival.map(|rival| (rival.item.clone(), rival.size, rival.modified));
        let (ours, same) = ((proposal.size, proposal.modified), placing.same);
        let mut doubts = proposal.doubts.clone();
        doubts.push(Doubt::Clash { name: taken, ours, theirs, rival, same, answer });
        match answer {
            ClashAnswer::Left => self.push(Step { doubts, ..step(proposal, Act::Leave) }),
            ClashAnswer::Replaced => self.replace(proposal, doubts, folder, name),
            ClashAnswer::Held => {
                let Spot { place, path } = &self.folders[folder].spot;
                let held = Spot::new(place.clone(), path.join(super::HELD_NAME));
                let folder = self.folder(&held);
                let names = members(&self.free_name(folder, &name, proposal, 1), proposal).collect();
                self.go(proposal, doubts, FreeNames { folder, names, together: None });
            }
            ClashAnswer::Numbered => {
                let names = members(&self.free_name(folder, &name, proposal, 2), proposal).collect();
                self.go(proposal, doubts, FreeNames { folder, names, together: None });
            }
        }
    }

    /// What is to be said of a name that is wanted, of which one, its own or a follower's, is taken.
    fn clash(
        &self,
        proposal: &Proposal,
        folder: FolderNo,
        (name, taken): (&NameBuf, &NameBuf),
        theirs: Option<Entry>,
        rival: Option<usize>,
    ) -> ClashFound {
        // The files of a saved page keep their name, so no number frees it.
        let numbered = match is_bound(proposal) {
            true => name.clone(),
            false => {
                let named = behind(name, proposal);
                named(self.free_number(folder, name, proposal, 2, &named))
            }
        };
        let allowed = (!is_bound(proposal), may_replace(proposal, theirs.as_ref()));
        let folder = &self.folders[folder].spot;
        let at = Spot::new(folder.place.clone(), folder.path.join(taken));
        ClashFound { proposal: self.now, at, theirs, rival, numbered, allowed }
    }

    /// The number of a folder.
    fn folder(&mut self, folder: &Spot) -> FolderNo {
        if let Some(number) = self.numbers.get(folder) {
            return *number;
        }
        let number = self.folders.len();
        self.folders.push(FolderNames::new(folder.clone(), self.standing.get(folder)));
        self.numbers.insert(folder.clone(), number);
        number
    }

    /// The first name, counted from `first`, that is free for the item and all that follows it.
    fn free_name(&mut self, folder: FolderNo, name: &NameBuf, proposal: &Proposal, first: usize) -> NameBuf {
        self.first_free(folder, name, proposal, first, behind(name, proposal))
    }

    /// The same with the names that `named` makes of numbers; `name` stands for all of them.
    fn first_free(
        &mut self,
        folder: FolderNo,
        name: &NameBuf,
        proposal: &Proposal,
        first: usize,
        named: impl Fn(usize) -> NameBuf,
    ) -> NameBuf {
        let number = self.free_number(folder, name, proposal, first, &named);
        self.folders[folder].give_number(name.clone(), number);
        named(number)
    }

    fn free_number(
        &self,
        folder: FolderNo,
        name: &NameBuf,
        proposal: &Proposal,
        first: usize,
        named: impl Fn(usize) -> NameBuf,
    ) -> usize {
        let names = &self.folders[folder];
        let is_free = |number: &usize| {
            let is_free = |member| matches!(names.owner(&member, &proposal.item), Owner::Nobody);
            members(&named(*number), proposal).all(is_free)
        };
        let start = names.last_number(name).map_or(first, |last| last + 1);
        (start..).find(is_free).expect("some number is free")
    }

    /// Puts what has the name into the trash and the item in its place: both or neither.
    fn replace(&mut self, proposal: &Proposal, doubts: Vec<Doubt>, folder: FolderNo, name: NameBuf) {
        let (names, name) = (&self.folders[folder], FoldedName::from(name));
        let Owner::Standing((there, entry)) = names.owner(&name, &proposal.item) else {
            return;
        };
        self.sets += 1;
        let together = Some(self.sets);
        self.push(Step {
            act: Act::discard(),
            item: Spot::new(names.spot.place.clone(), names.spot.path.join(there)),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: entry.size,
            modified: entry.modified,
            why: proposal.why.clone(),
            doubts: Vec::new(),
            together,
        });
        self.go(proposal, doubts, FreeNames { folder, names: vec![name], together });
    }

    /// Writes the steps of an item and its followers; the names are theirs in the same order.
    fn go(&mut self, proposal: &Proposal, doubts: Vec<Doubt>, names: FreeNames) {
        let FreeNames { folder, names, together } = names;
        let together = together.or_else(|| self.set_for(proposal));
        let by = proposal.placing().map_or(PlacedBy::Move, |placing| placing.by);
        let leader = Step { doubts, together, ..step(proposal, Act::Leave) };
        let followers = followers_like(&leader, proposal);
        let first = self.out.worklist.steps.len();
        self.push(leader);
        followers.into_iter().for_each(|follower| self.push(follower));
        let folder = &mut self.folders[folder];
        for (step, name) in self.out.worklist.steps[first..].iter_mut().zip(names) {
            let to = Spot::new(folder.spot.place.clone(), folder.spot.path.join(&name.name));
            step.doubts.extend(folder.claim(name, &step.item, self.now));
            step.act = match by {
                PlacedBy::Unpack => Act::Unpack { to },
                PlacedBy::Copy => Act::Copy { to },
                PlacedBy::Move => Act::Move { to },
            };
        }
    }
}

fn step(proposal: &Proposal, act: Act) -> Step {
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

/// Names with a number behind their stem; the first has none.
fn behind(name: &NameBuf, proposal: &Proposal) -> impl Fn(usize) -> NameBuf + use<> {
    let (name, is_folder) = (name.clone(), proposal.kind == Kind::Folder);
    move |n| if n == 1 { name.clone() } else { name.as_name().numbered(n, is_folder) }
}

/// Steps for what follows an item, like the item's own.
fn followers_like(leader: &Step, proposal: &Proposal) -> Vec<Step> {
    let step = |follower: &Follower| Step {
        item: follower.item.clone(),
        kind: follower.kind,
        stamp: follower.stamp,
        size: follower.size,
        modified: follower.modified,
        doubts: Vec::new(),
        ..leader.clone()
    };
    proposal.followers.iter().map(step).collect()
}

/// The names of an item that is to be called so, and of all that follows it; the item's first.
fn members<'p>(name: &NameBuf, proposal: &'p Proposal) -> impl Iterator<Item = FoldedName> + use<'p> {
    let name = name.clone();
    let followers = proposal.followers.iter();
    let own = std::iter::once(name.clone());
    own.chain(followers.map(move |follower| follower_name(follower, name.as_name()))).map(FoldedName::from)
}

/// A follower's name beside a leader of this name.
fn follower_name(follower: &Follower, leader: Name) -> NameBuf {
    match (&follower.ending, follower.item.path.last()) {
        (None, Some(own)) => own.into(),
        (ending, _) => {
            let ending = ending.as_deref().unwrap_or_default();
            NameBuf::held([split_extension(&leader).0, ending].concat())
        }
    }
}
