//! The planner of `undo`: from a run to the worklist that takes it back.

use std::collections::{HashMap, HashSet};

use nine_core::item::{Entry, Kind, Stamp};
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step, Worklist};
use nine_stores::{Places, Store, StoreError};

use crate::daybook::{Ended, Run};
use crate::pieces::Piece;
use crate::undo_made::undo_made;

/// How a run can be taken back.
#[derive(Debug, Clone, Default)]
pub struct UndoPlan {
    /// The steps that take it back, the last one first.
    pub worklist: Worklist,
    /// Items that cannot be taken back, and why.
    pub refused: Vec<(Spot, String)>,
    /// Folders that the run made, to be taken away if they are empty then.
    pub made: Vec<Spot>,
    /// Dated folders of the archive whose lists the run brought up to date.
    pub dated: Vec<Spot>,
}

/// Plans to take back all that a run did and that has not been taken back already. `earlier` are the runs that
/// took back a part of it: what is back by way of another file system is another file now, and only they know.
pub fn plan_undo(run: &Run, earlier: &[Run], places: &Places) -> UndoPlan {
    let back: HashSet<&Spot> = earlier.iter().flat_map(Run::done_items).collect();
    // What lies in its old place again, and as what.
    let returned: HashMap<&Spot, Stamp> = earlier.iter().flat_map(returned).collect();
    let moved = moved(run);
    let mut plan = UndoPlan { made: run.made.clone(), dated: run.lists.clone(), ..UndoPlan::default() };
    for (at, step) in run.steps.iter().enumerate().rev() {
        let (stamp, kept_as, stayed) = match run.ended.get(&at) {
            Some(Ended::Done { stamp, kept_as, stayed }) => (stamp, kept_as, stayed),
            Some(Ended::NotKnown { because }) => {
                let why = format!("the run was cut off, and what became of it is not known: {because}");
                plan.refused.push((step.item.clone(), why));
                continue;
            }
            Some(Ended::Failed { .. }) | None => continue,
        };
        let stamp = stamp.unwrap_or(step.stamp);
        if let (Act::Move { to }, 1..) = (&step.act, stayed) {
            let pieces = run.pieces.get(&at).map_or(&[][..], Vec::as_slice);
            if let Err(error) = (Rejoining { places, step, to, pieces, plan: &mut plan }).rejoin() {
                plan.refused.push((to.clone(), error.to_string()));
            }
            continue;
        }
        let back_step = match &step.act {
            Act::Move { to } => reversed(step, to, stamp, Act::Move { to: step.item.clone() }),
            Act::Copy { to } | Act::Unpack { to } => reversed(step, to, stamp, Act::discard()),
            Act::Pack { to } => {
                let pack = Step { kind: Kind::File, size: stamp.size, ..step.clone() };
                reversed(&pack, to, stamp, Act::discard())
            }
            Act::Tag { from, to } => {
                let (at, stamp) = match returned.get(&step.item) {
                    Some(stamp) => (&step.item, Some(*stamp)),
                    None => moved.get(&step.item).map_or((&step.item, None), |found| *found),
                };
                let act = Act::Tag { from: to.clone(), to: from.clone() };
                reversed(step, at, stamp.unwrap_or(step.stamp), act)
            }
            Act::Discard { .. } => match kept_as {
                Some(kept) => reversed(step, &step.item, stamp, Act::Restore { kept_as: kept.clone() }),
                None => continue,
            },
            Act::Restore { .. } => reversed(step, &step.item, stamp, Act::discard()),
            Act::Make | Act::Unmake | Act::Write { .. } => {
                match undo_made(run, step, stamp, places) {
                    Ok(back) => plan.worklist.steps.extend(back),
                    Err(why) => plan.refused.push((step.item.clone(), why)),
                }
                continue;
            }
            Act::Leave => continue,
        };
        let back_step = with_folder_as_it_is(back_step, places);
        match judge(&back_step, places) {
            Judged::Can(stamp) => plan.worklist.steps.push(Step { stamp, ..back_step }),
            Judged::IsBack => {}
            Judged::Cannot(_) if back.contains(&back_step.item) => {}
            Judged::Cannot(why) => plan.refused.push((back_step.item, why)),
        }
    }
    plan
}

/// Where items that were tagged and then moved are to be found now.
fn moved(run: &Run) -> HashMap<&Spot, (&Spot, Option<Stamp>)> {
    let steps = run.steps.iter().enumerate();
    let moved = steps.filter_map(|(at, step)| match &step.act {
        Act::Move { to } => match run.ended.get(&at)? {
            Ended::Done { stamp, .. } => Some((&step.item, (to, *stamp))),
            // It was taken back, and by way of another file system it is another file.
            Ended::Failed { stamp, .. } => Some((&step.item, (&step.item, Some((*stamp)?)))),
            Ended::NotKnown { .. } => None,
        },
        _ => None,
    });
    moved.collect()
}

/// Where a run moved items to, and as what they are found there.
fn returned(run: &Run) -> impl Iterator<Item = (&Spot, Stamp)> {
    run.steps.iter().enumerate().filter_map(|(at, step)| match (&step.act, run.ended.get(&at)?) {
        (Act::Move { to }, Ended::Done { stamp, .. }) => Some((to, stamp.unwrap_or(step.stamp))),
        _ => None,
    })
}

pub(crate) fn reversed(step: &Step, item: &Spot, stamp: Stamp, act: Act) -> Step {
    Step { act, item: item.clone(), stamp, why: "undo".into(), doubts: Vec::new(), ..step.clone() }
}

/// A folder is taken back with all that has been put into it since, so its own times do not count.
fn with_folder_as_it_is(step: Step, places: &Places) -> Step {
    let now = places.of(&step.item).and_then(|store| store.entry(&step.item.path));
    match now {
        Ok(Some(entry)) if entry.kind == Kind::Folder && is_it(places, &step, &entry) => {
            Step { stamp: entry.stamp(), ..step }
        }
        _ => step,
    }
}

fn is_it(places: &Places, step: &Step, entry: &Entry) -> bool {
    places.of(&step.item).is_ok_and(|store| store.same_identity(&entry.identity, &step.stamp.identity))
}

enum Judged {
    /// And as what its item is found now: numbers of file systems may have changed since.
    Can(Stamp),
    IsBack,
    Cannot(String),
}

/// Whether a step that takes something back can be done, or has been done before.
fn judge(step: &Step, places: &Places) -> Judged {
    let store = match places.of(&step.item) {
        Ok(store) => store,
        Err(error) => return Judged::Cannot(error.to_string()),
    };
    let here = store.entry(&step.item.path);
    let is_it = |spot: &Spot| {
        let there = places.of(spot).and_then(|store| Ok((store, store.entry(&spot.path)?)));
        let alike = |(store, entry): (&dyn Store, Option<Entry>)| {
            entry.is_some_and(|now| {
                store.same_identity(&now.identity, &step.stamp.identity) || store.is_it(&now, &step.stamp)
            })
        };
        there.is_ok_and(alike)
    };
    match &step.act {
        Act::Restore { .. } => match here {
            Ok(Some(entry)) if store.is_same(&entry, &step.stamp) => Judged::IsBack,
            // Whether the trash still has it shows when it is carried out.
            _ => Judged::Can(step.stamp),
        },
        act => match here {
            Ok(Some(entry)) if store.is_same(&entry, &step.stamp) => match act {
                Act::Tag { from, to } => match store.tags(&step.item.path) {
                    Ok(tags) if tags == *from => Judged::Can(entry.stamp()),
                    Ok(tags) if tags == *to => Judged::IsBack,
                    Ok(_) => Judged::Cannot("its tags have been changed since".into()),
                    Err(error) => Judged::Cannot(error.to_string()),
                },
                _ => Judged::Can(entry.stamp()),
            },
            Ok(Some(_)) => Judged::Cannot("it has been changed since".into()),
            Ok(None) => match step.target().map(is_it) {
                Some(true) => Judged::IsBack,
                _ => Judged::Cannot("it is not there any more".into()),
            },
            Err(StoreError::LeadsElsewhere) => Judged::Cannot("a link stands in its way".into()),
            Err(error) => Judged::Cannot(error.to_string()),
        },
    }
}

/// An item of which a part stayed at its old place, brought back to that part by part.
struct Rejoining<'a> {
    places: &'a Places,
    step: &'a Step,
    /// Where its copy is.
    to: &'a Spot,
    /// All of it as it was compared; nothing for a single file.
    pieces: &'a [Piece],
    plan: &'a mut UndoPlan,
}

impl Rejoining<'_> {
    /// Adds the steps to the plan.
    fn rejoin(&mut self) -> Result<(), StoreError> {
        let (there, here) = (self.places.of(self.to)?, self.places.of(&self.step.item)?);
        let mut left = vec![ItemPath::root()];
        while let Some(below) = left.pop() {
            let (from, old) = (self.to.path.join_path(&below), self.step.item.path.join_path(&below));
            let Some(copy) = there.entry(&from)? else { continue };
            match here.entry(&old)? {
                None => self.add(&below, &copy, Act::Move { to: self.old(&below) }),
                Some(stayed) if stayed.kind == Kind::Folder && copy.kind == Kind::Folder => {
                    self.plan.made.push(Spot::new(self.to.place.clone(), from.clone()));
                    left.extend(there.list(&from)?.into_iter().map(|(name, _)| below.join(&name)));
                }
                // It could not be taken away, and is there twice.
                Some(stayed) if here.is_same(&stayed, &self.stamp_of(&below)) => {
                    let original = Original { item: self.old(&below), stamp: stayed.stamp() };
                    self.add(&below, &copy, Act::Discard { copy_of: Some(original) });
                }
                Some(_) => {
                    let why = format!("something else is at its old place, {}", self.old(&below));
                    self.plan.refused.push((Spot::new(self.to.place.clone(), from), why));
                }
            }
        }
        Ok(())
    }

    fn old(&self, below: &ItemPath) -> Spot {
        Spot::new(self.step.item.place.clone(), self.step.item.path.join_path(below))
    }

    /// As what a piece of the original was compared.
    fn stamp_of(&self, below: &ItemPath) -> Stamp {
        let piece = self.pieces.iter().find(|piece| piece.below == *below);
        piece.map_or(self.step.stamp, |piece| piece.entry.stamp())
    }

    fn add(&mut self, below: &ItemPath, copy: &Entry, act: Act) {
        let item = Spot::new(self.to.place.clone(), self.to.path.join_path(below));
        let back = reversed(self.step, &item, copy.stamp(), act);
        let size = if below.is_root() { self.step.size } else { copy.stamp().size };
        self.plan.worklist.steps.push(Step { kind: copy.kind, size, together: None, ..back });
    }
}
