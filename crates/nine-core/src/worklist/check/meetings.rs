//! Steps that would meet: in one item, under one target, or one inside the other.

use std::collections::{BTreeMap, BTreeSet};

use super::super::{Act, Problem, Step};
use super::Checker;
use crate::place::{Address, Spot, itself_and_above};
use foldhash::{HashMap, HashMapExt};

/// For each item that leaves the place where it lies, the step that takes it away.
pub(super) type Leaving<'a> = HashMap<Address<'a>, usize>;

/// For each folder, by number, and the form of a name in it, the step that leads there.
type LandingThere<'l> = HashMap<(usize, &'l [u8]), usize>;

/// What steps count on.
#[derive(Default)]
pub(super) struct Waits {
    /// For each step whose target has a name that another step frees, that one.
    pub on: HashMap<usize, usize>,
    /// The same the other way round.
    waiting: HashMap<usize, Vec<usize>>,
    /// Steps that are done all or not at all.
    sets: HashMap<u32, Vec<usize>>,
}

impl<'a> Checker<'a> {
    /// Which items leave, by the first step that takes each away; and the other steps that would.
    pub(super) fn leaving(&self) -> (Leaving<'a>, Vec<(usize, Problem)>) {
        let (mut leaving, mut found) = (Leaving::with_capacity(self.steps.len()), Vec::new());
        for (at, step) in self.active().filter(|(_, step)| step.vacates()) {
            let other = *leaving.entry(step.item.address()).or_insert(at);
            if other != at {
                found.push((at, Problem::SameItem(other)));
            }
        }
        (leaving, found)
    }

    pub(super) fn waits(&self, leaving: &Leaving) -> Waits {
        let mut waits = Waits::default();
        for (at, _) in self.active() {
            let Some((occupant, _)) = self.occupant(at) else { continue };
            let Some(first) = leaving.get(&occupant.address()).filter(|first| **first != at) else {
                continue;
            };
            waits.on.insert(at, *first);
            waits.waiting.entry(*first).or_default().push(at);
        }
        for (at, step) in self.steps.iter().enumerate() {
            if let Some(set) = step.together {
                waits.sets.entry(set).or_default().push(at);
            }
        }
        waits
    }

    pub(super) fn judge_meetings(&mut self, leaving: &Leaving<'a>, twice: Vec<(usize, Problem)>) {
        let mut found = twice;
        let mut landing = LandingThere::with_capacity(self.steps.len());
        for (at, _) in self.active() {
            let Some(target) = &self.landings[at] else { continue };
            let other = *landing.entry((target.folder, &*target.key)).or_insert(at);
            if other != at {
                found.push((at, Problem::SameTarget(other)));
            }
        }
        found.extend(self.originals_that_go(leaving));
        let unstable = self.unstable_folders(leaving, &landing);
        let mut above = MovedWith { leaving, last: None };
        for (at, step) in self.active() {
            found.extend(self.meeting(at, step, &mut above, &unstable).map(|problem| (at, problem)));
        }
        self.refuse_all(found);
    }

    /// Copies of what is itself discarded, as a whole, with its folder, or in part.
    fn originals_that_go(&self, leaving: &Leaving) -> Vec<(usize, Problem)> {
        let copies = || self.active().filter_map(|(at, step)| Some((at, &step.original()?.item)));
        if copies().next().is_none() {
            return Vec::new();
        }
        let is_discarded = |at: &usize| matches!(self.steps[*at].act, Act::Discard { .. });
        let whole: HashMap<Address, usize> =
            leaving.iter().filter(|(_, at)| is_discarded(at)).map(|(item, at)| (*item, *at)).collect();
        let mut in_part: HashMap<Address, usize> = HashMap::new();
        for (item, at) in &whole {
            // Of several the first is named, whatever the order in which they are gone through.
            for folder in itself_and_above(*item).skip(1) {
                in_part.entry(folder).and_modify(|first| *first = (*first).min(*at)).or_insert(*at);
            }
        }
        let goes = |original: &Spot| {
            let with = itself_and_above(original.address()).find_map(|address| whole.get(&address));
            with.or_else(|| in_part.get(&original.address())).copied()
        };
        copies().filter_map(|(at, original)| Some((at, Problem::OriginalGoes(goes(original)?)))).collect()
    }

    /// For each folder that steps lead to, the step that takes it away, or puts something where it or
    /// a folder above it would have to be.
    fn unstable_folders(&self, leaving: &Leaving, landing: &LandingThere) -> Vec<Option<usize>> {
        let numbers: HashMap<Address, usize> = self.folders.iter().map(Spot::address).zip(0..).collect();
        let changed_by = |(place, path): Address| {
            let landed = || {
                let (above, name) = match path.iter().rposition(|byte| *byte == b'/') {
                    Some(slash) => (&path[..slash], &path[slash + 1..]),
                    None => (b"".as_slice(), path),
                };
                let number = *numbers.get(&(place, above))?;
                let facts = self.facts.targets.get(&self.folders[number]);
                let key = facts.map_or_else(|| name.to_vec(), |facts| facts.rules.key(name));
                landing.get(&(number, key.as_slice())).copied()
            };
            // Whoever comes first makes a folder that others come into.
            let landed = || landed().filter(|at| self.steps[*at].act != Act::Make);
            leaving.get(&(place, path)).copied().or_else(landed)
        };
        let folders = self.folders.iter();
        folders.map(|folder| itself_and_above(folder.address()).find_map(changed_by)).collect()
    }

    fn meeting(
        &self,
        at: usize,
        step: &'a Step,
        above: &mut MovedWith<'_, 'a>,
        unstable: &[Option<usize>],
    ) -> Option<Problem> {
        if step.vacates()
            && let Some(other) = above.of(&step.item)
        {
            return Some(Problem::MovedWith(other));
        }
        let landing = self.landings[at].as_ref()?;
        if let Some(other) = unstable[landing.folder].filter(|other| *other != at) {
            return Some(Problem::TargetUnstable(other));
        }
        let (occupant, entry) = self.occupant(at)?;
        if occupant == step.item && matches!(step.act, Act::Move { .. }) {
            return None; // only letter case or Unicode form changes
        }
        match above.leaving.get(&occupant.address()) {
            Some(other) if *other != at => None,
            _ => Some(Problem::Taken(Box::new(entry.clone()))),
        }
    }

    /// Refuses what cannot be done since other steps were refused, from one on of those that were: what wants a name
    /// that one of them would have freed, what belongs together with them, and so on.
    pub(super) fn refuse_what_counts_on_it(&mut self, from: usize, waits: &Waits) {
        let mut next = from;
        while next < self.news.len() {
            let first = next;
            next = self.news.len();
            let taken: BTreeSet<usize> =
                self.news[first..].iter().filter_map(|at| waits.waiting.get(at)).flatten().copied().collect();
            for at in taken {
                if let Some((_, entry)) = self.occupant(at) {
                    self.refuse(at, Problem::Taken(Box::new(entry.clone())));
                }
            }
            self.refuse_sets(first, waits);
        }
    }

    /// Refuses what belongs together with a refused step, from one on of those that were.
    pub(super) fn refuse_sets(&mut self, from: usize, waits: &Waits) {
        let mut broken: BTreeMap<u32, usize> = BTreeMap::new();
        for at in &self.news[from..] {
            if let Some(set) = self.steps[*at].together {
                broken.entry(set).and_modify(|first| *first = (*first).min(*at)).or_insert(*at);
            }
        }
        for (set, by) in broken {
            for at in waits.sets[&set].iter().filter(|at| self.steps[**at].act != Act::Leave) {
                self.refuse(*at, Problem::TogetherWith(by));
            }
        }
    }
}

/// The step that takes away the folder that an item lies in, or one above; many in a row lie in one.
struct MovedWith<'l, 'a> {
    leaving: &'l Leaving<'a>,
    last: Option<(Address<'a>, Option<usize>)>,
}

impl<'a> MovedWith<'_, 'a> {
    fn of(&mut self, item: &'a Spot) -> Option<usize> {
        let folder = itself_and_above(item.address()).nth(1)?;
        match self.last {
            Some((last, by)) if last == folder => by,
            _ => {
                let by = itself_and_above(folder).find_map(|folder| self.leaving.get(&folder)).copied();
                self.last = Some((folder, by));
                by
            }
        }
    }
}
