//! Small files that go to another file system, several at once: all are written, then flushed together, compared, put
//! in place, and only then their originals go. Each is at every moment where a single one could be, so that recovery
//! knows nothing of it.

use std::collections::{BTreeMap, BTreeSet, HashMap, VecDeque};
use std::io;

use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::{Store, StoreError, StoreResult, Watch};

use crate::at_once::TakenSpots;
use crate::carrier::Carrier;
use crate::folders::expect_in_place;
use crate::outcome::{Outcome, Trace};
use crate::transfer::{Copying, Retracted, Route};

/// Bytes of a file at most: of larger ones the bytes cost more than the flush.
const SMALL: u64 = 4 << 20;

/// Files of a batch at most, and their bytes. All may be there twice for a moment.
const MOST: usize = 128;
const MOST_BYTES: u64 = 64 << 20;

/// Steps that are looked at to find some.
const LOOKED_AT: usize = 512;

/// For each folder that steps lead to, the file system on which it lies or will lie.
pub(crate) type Domains = HashMap<Spot, Option<u64>>;

/// A file on its way.
struct Crossing<'a> {
    way: Way<'a>,
    copying: Copying,
}

/// Where it goes.
struct Way<'a> {
    at: usize,
    step: &'a Step,
    to: &'a Spot,
    source: &'a dyn Store,
    target: &'a dyn Store,
    temporary: ItemPath,
}

impl Way<'_> {
    fn moves(&self) -> bool {
        matches!(self.step.act, Act::Move { .. })
    }

    fn route<'r>(&'r self, watch: &'r Watch) -> Route<'r> {
        let (source, target, from) = (self.source, self.target, &self.step.item.path);
        Route { source, from, target, temporary: &self.temporary, watch }
    }
}

/// Where a step leads, if a file is moved or copied.
fn target_of(step: &Step) -> Option<&Spot> {
    match &step.act {
        Act::Move { to } | Act::Copy { to } if step.kind == Kind::File => Some(to),
        _ => None,
    }
}

impl<'a> Carrier<'a> {
    /// The next steps that can cross together; fewer than two if there are none. None of them waits for another, nor
    /// for one before it that is not over.
    pub(crate) fn next_across(&mut self, items: &[(usize, &Step)], over: &BTreeSet<usize>) -> Vec<usize> {
        let (mut found, mut bytes, mut taken) = (Vec::new(), 0, TakenSpots::default());
        let left = items.iter().filter(|(at, _)| !over.contains(at)).take(LOOKED_AT);
        for (at, step) in left {
            if found.is_empty() && !self.crosses(step) {
                break;
            }
            if taken.is_free(step) && self.crosses(step) {
                if bytes + step.size > MOST_BYTES || found.len() >= MOST {
                    break;
                }
                bytes += step.size;
                found.push(*at);
            }
            taken.take(step);
        }
        found
    }

    /// Whether a step copies a small file to another file system, where many can be flushed together.
    fn crosses(&mut self, step: &Step) -> bool {
        let Some(to) = target_of(step).filter(|_| step.together.is_none() && step.size <= SMALL) else {
            return false;
        };
        let places = self.places;
        let (Ok(source), Ok(target)) = (places.of(&step.item), places.of(to)) else { return false };
        if !source.abilities().flushes_together || !target.abilities().flushes_together {
            return false;
        }
        if matches!(step.act, Act::Copy { .. }) {
            return true;
        }
        let folder = to.folder();
        let ground = |folder: &Spot| target.ground(&folder.path).ok().map(|ground| ground.domain);
        let there = *self.domains.entry(folder).or_insert_with_key(ground);
        there.is_some_and(|there| source.domain(&step.stamp.identity) != there)
    }

    /// Carries these steps out together. Returns those that are over, and whether the person did not ask to stop.
    pub(crate) fn carry_across(
        &mut self,
        steps: &[Step],
        batch: &[usize],
        outcome: &mut Outcome,
    ) -> io::Result<(Vec<usize>, bool)> {
        let mut over = Vec::with_capacity(batch.len());
        let mut begun = Vec::with_capacity(batch.len());
        for at in batch {
            match self.crossing(*at, &steps[*at])? {
                Ok(crossing) => begun.push(crossing),
                Err(error) => {
                    over.push(*at);
                    self.note(*at, steps, Err(error), outcome)?;
                }
            }
        }
        // What is copied must be found again if the program is killed meanwhile.
        self.daybook.flush()?;
        let (mut crossings, mut goes_on) = (Vec::with_capacity(begun.len()), true);
        for Crossing { way, mut copying } in begun {
            match way.route(self.watch).write_unflushed(&mut copying) {
                Ok(()) => crossings.push(Crossing { way, copying }),
                Err(StoreError::Stopped) => {
                    goes_on = false;
                    outcome.is_open |= way.route(self.watch).take_away(&copying).is_err();
                    break;
                }
                Err(error) => over.push(self.give_up(&Crossing { way, copying }, error, steps, outcome)?),
            }
        }
        over.extend(crossings.iter().map(|crossing| crossing.way.at));
        self.flush_and_compare(&mut crossings, steps, outcome)?;
        self.put_in_place(&mut crossings, steps, outcome)?;
        self.leave_where_folders_went(&mut crossings, steps, outcome)?;
        self.make_ways_safe(&mut crossings, steps, outcome)?;
        for crossing in crossings {
            let came = self.remove_original(&crossing);
            self.note(crossing.way.at, steps, came, outcome)?;
        }
        Ok((over, goes_on))
    }

    /// Looks at both ends of a step, and makes the folder that it leads to.
    fn crossing<'c>(&mut self, at: usize, step: &'c Step) -> io::Result<StoreResult<Crossing<'c>>>
    where
        'a: 'c,
    {
        let Some(to) = target_of(step) else { return Ok(Err(StoreError::Special)) };
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        if matches!(step.act, Act::Move { .. }) {
            if let Err(error) = self.expect_movable(step) {
                return Ok(Err(error));
            }
            self.folders.touch(&step.item.folder());
        }
        self.folders.touch(&to.folder());
        let way = Way { at, step, to, source, target, temporary: self.daybook.names().temporary(at, to) };
        let copying = way.route(self.watch).survey(&step.stamp, &to.path);
        Ok(copying.map(|copying| Crossing { way, copying }))
    }

    /// Takes the copy of a step away that failed; it is ours and incomplete, and the original has not been touched.
    fn give_up(
        &mut self,
        crossing: &Crossing<'_>,
        error: StoreError,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<usize> {
        let Crossing { way, copying } = crossing;
        self.half_left |= way.route(self.watch).take_away(copying).is_err();
        self.note(way.at, steps, Err(error), outcome)?;
        Ok(way.at)
    }

    fn flush_and_compare(
        &mut self,
        crossings: &mut Vec<Crossing<'_>>,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let mut by_place: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        for (number, crossing) in crossings.iter().enumerate() {
            by_place.entry(&crossing.way.to.place).or_default().push(number);
        }
        let mut flushed: VecDeque<StoreResult<()>> = crossings.iter().map(|_| Ok(())).collect();
        for numbers in by_place.into_values() {
            let written: Vec<&ItemPath> =
                numbers.iter().map(|number| &crossings[*number].way.temporary).collect();
            let came = crossings[numbers[0]].way.target.flush(&written);
            numbers.into_iter().zip(came).for_each(|(number, came)| flushed[number] = came);
        }
        // What is written is brought to its end, although the person asked to stop meanwhile.
        let to_the_end = Watch::default();
        self.keep_those(crossings, steps, outcome, |carrier, Crossing { way, copying }| {
            flushed.pop_front().unwrap_or(Ok(()))?;
            match way.route(carrier.watch).compare_all(copying) {
                Err(StoreError::Stopped) => way.route(&to_the_end).compare_all(copying),
                compared => compared,
            }
        })
    }

    /// Goes on with the crossings of which something more succeeds, and gives up the others.
    fn keep_those<'c>(
        &mut self,
        crossings: &mut Vec<Crossing<'c>>,
        steps: &[Step],
        outcome: &mut Outcome,
        mut goes_on: impl FnMut(&Self, &mut Crossing<'c>) -> StoreResult<()>,
    ) -> io::Result<()> {
        for mut crossing in std::mem::take(crossings) {
            match goes_on(self, &mut crossing) {
                Ok(()) => crossings.push(crossing),
                Err(error) => drop(self.give_up(&crossing, error, steps, outcome)?),
            }
        }
        Ok(())
    }

    /// Gives the copies their free names, and makes sure of that in each folder once. Where it is not sure, they have
    /// their temporary names again, so that nothing counts that may be gone after a loss of power.
    fn put_in_place(
        &mut self,
        crossings: &mut Vec<Crossing<'_>>,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        self.keep_those(crossings, steps, outcome, |_, crossing| {
            let Crossing { way, copying } = crossing;
            let stamp = copying.stamp()?;
            let moved = way.target.rename(&way.temporary, &stamp, way.target, &way.to.path)?;
            copying.found_as(moved.unwrap_or(stamp));
            Ok(())
        })?;
        let mut sure: BTreeMap<Spot, Option<StoreError>> = BTreeMap::new();
        self.keep_those(crossings, steps, outcome, |_, crossing| {
            let Way { to, target, temporary, .. } = &crossing.way;
            let sync = |folder: &Spot| target.sync_folder(&folder.path).err();
            let came = sure.entry(to.folder()).or_insert_with_key(sync);
            let Some(error) = came else { return Ok(()) };
            let stamp = crossing.copying.stamp()?;
            let _ = target.rename(&to.path, &stamp, *target, temporary);
            Err(StoreError::System(error.to_string()))
        })
    }

    /// Takes copies back that went elsewhere with their folder, or whose originals did.
    fn leave_where_folders_went(
        &mut self,
        crossings: &mut Vec<Crossing<'_>>,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let places = self.places;
        let mut known: HashMap<Spot, Option<StoreError>> = HashMap::new();
        let mut trouble = |folder: Spot| {
            let check = |folder: &Spot| expect_in_place(places, folder).err();
            known.entry(folder).or_insert_with_key(check).clone()
        };
        let before = crossings.len();
        for crossing in std::mem::take(crossings) {
            let way = &crossing.way;
            // Of a copy, others may do with the original what they want.
            let of_item = way.moves().then(|| trouble(way.step.item.folder())).flatten();
            match trouble(way.to.folder()).or(of_item) {
                None => crossings.push(crossing),
                Some(error) => self.retract(&crossing, error, steps, outcome)?,
            }
        }
        if crossings.len() < before {
            self.folders.look_anew(places);
        }
        Ok(())
    }

    /// Flushes the folders that were made on the way. If that fails, no original goes: the copies are taken back.
    fn make_ways_safe(
        &mut self,
        crossings: &mut Vec<Crossing<'_>>,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let Err(error) = self.folders.sync_made_in(self.places) else { return Ok(()) };
        let crossings = std::mem::take(crossings);
        crossings.iter().try_for_each(|crossing| self.retract(crossing, error.clone(), steps, outcome))
    }

    /// Takes back a copy that is in place beside its whole original.
    fn retract(
        &mut self,
        crossing: &Crossing<'_>,
        error: StoreError,
        steps: &[Step],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let Crossing { way, copying } = crossing;
        self.half_left |= way.route(self.watch).retract(copying, &way.to.path) != Retracted::Gone;
        self.note(way.at, steps, Err(error), outcome)
    }

    fn remove_original(&self, crossing: &Crossing<'_>) -> StoreResult<Trace> {
        let Crossing { way, copying } = crossing;
        let stamp = copying.stamp()?;
        if !way.moves() {
            return Ok(Trace::at(Some(stamp)));
        }
        let stayed = way.route(self.watch).remove_original(copying, &way.to.path)?;
        Ok(Trace { stamp: Some(stamp), stayed, ..Trace::default() })
    }
}
