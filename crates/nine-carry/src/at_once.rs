//! Steps on a drive that can be done at once: each of them is a request, and waits for its answer.

use std::collections::{BTreeSet, HashSet};
use std::io;

use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};
use nine_stores::{Places, ReadStore, StoreError, StoreResult, side_by_side};

use crate::carrier::Carrier;
use crate::outcome::Trace;

/// Steps that are looked at to find some that can be done at once.
const LOOKED_AT: usize = 1024;

/// Steps that are done before they are written down.
const MOST: usize = 512;

/// What the steps so far need to be left alone.
#[derive(Default)]
pub(crate) struct TakenSpots {
    spots: HashSet<Spot>,
    /// All folders above these.
    above: HashSet<Spot>,
}

impl TakenSpots {
    /// Whether a step has nothing to do with those so far.
    pub fn is_free(&self, step: &Step) -> bool {
        spots(step).all(|spot| {
            let clear = !self.spots.contains(spot) && !self.above.contains(spot);
            clear && folders_above(spot).all(|folder| !self.spots.contains(&folder))
        })
    }

    pub fn take(&mut self, step: &Step) {
        for spot in spots(step) {
            self.spots.insert(spot.clone());
            self.above.extend(folders_above(spot));
        }
    }
}

fn spots(step: &Step) -> impl Iterator<Item = &Spot> {
    std::iter::once(&step.item).chain(step.target())
}

fn folders_above(spot: &Spot) -> impl Iterator<Item = Spot> {
    let mut here = spot.clone();
    std::iter::from_fn(move || {
        (!here.path.is_root()).then(|| {
            here = here.folder();
            here.clone()
        })
    })
    // The place itself is no step's item.
    .filter(|folder| !folder.path.is_root())
}

/// How many requests the places of a step take at once; 1 where it is not one request by itself.
fn at_once(places: &Places, step: &Step) -> usize {
    let Ok(source) = places.of(&step.item) else { return 1 };
    if step.together.is_some() {
        return 1;
    }
    match &step.act {
        Act::Tag { .. } => source.abilities().at_once,
        Act::Move { to } => match places.of(to) {
            Ok(target) if is_one_domain(source, target, step) => source.abilities().at_once,
            _ => 1,
        },
        _ => 1,
    }
}

fn is_one_domain(source: &dyn ReadStore, target: &dyn ReadStore, step: &Step) -> bool {
    source.domain(&step.stamp.identity) == target.domain(&step.stamp.identity)
}

/// The next steps that can be done at once, and by how many threads; fewer than two if there are none. None
/// of them waits for another, nor for one before it that is not over.
pub(crate) fn next(places: &Places, items: &[(usize, &Step)], over: &BTreeSet<usize>) -> (Vec<usize>, usize) {
    let (mut taken, mut found, mut threads) = (TakenSpots::default(), Vec::new(), 1);
    let left = items.iter().filter(|(at, _)| !over.contains(at)).take(LOOKED_AT);
    for (at, step) in left {
        let most = at_once(places, step);
        if found.is_empty() && most < 2 {
            break;
        }
        if most > 1 && taken.is_free(step) {
            found.push(*at);
            threads = threads.max(most);
        }
        if found.len() >= MOST || step.together.is_some() {
            break;
        }
        taken.take(step);
    }
    (found, threads)
}

impl Carrier<'_> {
    /// Does these steps at once; what came of each, in their order.
    pub(crate) fn steps_at_once(
        &mut self,
        steps: &[Step],
        batch: &[usize],
        threads: usize,
    ) -> io::Result<Vec<StoreResult<Trace>>> {
        let mut ready = Vec::with_capacity(batch.len());
        for at in batch {
            let step = &steps[*at];
            ready.push(match step.target() {
                Some(to) => self.folders.make(&to.folder(), self.places, self.daybook)?.map(|()| {
                    self.folders.touch(&step.item.folder());
                    self.folders.touch(&to.folder());
                }),
                None => Ok(()),
            });
        }
        let places = self.places;
        let mut came: Vec<Option<StoreResult<Trace>>> = Vec::with_capacity(batch.len());
        came.extend(ready.into_iter().map(|ready| ready.err().map(Err)));
        let left: Vec<usize> = (0..batch.len()).filter(|slot| came[*slot].is_none()).collect();
        let work = |(): &mut (), slot: &usize| Some(one(places, &steps[batch[*slot]]));
        side_by_side(&left, threads, || (), work, |at, answer| came[left[at]] = Some(answer));
        Ok(came.into_iter().map(|came| came.unwrap_or(Err(StoreError::NotThere))).collect())
    }
}

fn one(places: &Places, step: &Step) -> StoreResult<Trace> {
    let store = places.of(&step.item)?;
    match &step.act {
        Act::Tag { to, .. } => store.set_tags(&step.item.path, &step.stamp, to).map(|()| Trace::default()),
        Act::Move { to } => {
            let moved = store.rename(&step.item.path, &step.stamp, places.of(to)?, &to.path);
            moved.map(Trace::at)
        }
        _ => Err(StoreError::NotThere),
    }
}
