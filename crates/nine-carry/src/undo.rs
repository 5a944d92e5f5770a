//! The planner of `undo`: from a run to the worklist that takes it back.

use std::collections::{HashMap, HashSet};

use nine_core::item::{Entry, Kind, Stamp};
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step, Worklist};
use nine_stores::{Places, Store, StoreError};

use crate::daybook::{Ended, Run};

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
    let done: HashMap<usize, (Option<Stamp>, Option<Vec<u8>>)> = run
        .ended
        .iter()
        .filter_map(|(at, ended)| match ended {
            Ended::Done { stamp, kept_as } => Some((*at, (*stamp, kept_as.clone()))),
            Ended::Failed { .. } => None,
        })
        .collect();
    // Where an item that was tagged and then moved is to be found now.
    let moved: HashMap<&Spot, (&Spot, Option<Stamp>)> = run
        .steps
        .iter()
        .enumerate()
        .filter_map(|(at, step)| match &step.act {
            Act::Move { to } => match run.ended.get(&at)? {
                Ended::Done { stamp, .. } => Some((&step.item, (to, *stamp))),
                // It was taken back, and by way of another file system it is another file.
                Ended::Failed { stamp, .. } => Some((&step.item, (&step.item, Some((*stamp)?)))),
            },
            _ => None,
        })
        .collect();
    let mut plan = UndoPlan { made: run.made.clone(), dated: run.dated(), ..UndoPlan::default() };
    for (at, step) in run.steps.iter().enumerate().rev() {
        let Some((stamp, kept_as)) = done.get(&at) else {
            continue;
        };
        let stamp = stamp.unwrap_or(step.stamp);
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
            Act::List | Act::Leave => continue,
        };
        let back_step = with_folder_as_it_is(back_step, places);
        match judge(&back_step, places) {
            Judged::Can => plan.worklist.steps.push(back_step),
            Judged::IsBack => {}
            Judged::Cannot(_) if back.contains(&back_step.item) => {}
            Judged::Cannot(why) => plan.refused.push((back_step.item, why)),
        }
    }
    plan
}

/// Where a run moved items to, and as what they are found there.
fn returned(run: &Run) -> impl Iterator<Item = (&Spot, Stamp)> {
    run.steps.iter().enumerate().filter_map(|(at, step)| match (&step.act, run.ended.get(&at)?) {
        (Act::Move { to }, Ended::Done { stamp, .. }) => Some((to, stamp.unwrap_or(step.stamp))),
        _ => None,
    })
}

fn reversed(step: &Step, item: &Spot, stamp: Stamp, act: Act) -> Step {
    Step { act, item: item.clone(), stamp, why: "undo".into(), doubts: Vec::new(), ..step.clone() }
}

/// A folder is taken back with all that has been put into it since, so its own times do not count.
fn with_folder_as_it_is(step: Step, places: &Places) -> Step {
    let now = places.of(&step.item).and_then(|store| store.entry(&step.item.path));
    match now {
        Ok(Some(entry)) if entry.kind == Kind::Folder && entry.identity == step.stamp.identity => {
            Step { stamp: entry.stamp(), ..step }
        }
        _ => step,
    }
}

enum Judged {
    Can,
    IsBack,
    Cannot(String),
}

/// Whether a step that takes something back can be done, or has been done before.
fn judge(step: &Step, places: &Places) -> Judged {
    let store = match places.of(&step.item) {
        Ok(store) => store,
        Err(error) => return Judged::Cannot(error.to_string()),
    };
    let stamp_at =
        |spot: &Spot| places.of(spot).and_then(|s| s.entry(&spot.path)).map(|e| e.map(|e| e.stamp()));
    let is_it = |spot: &Spot| {
        let there = places.of(spot).and_then(|store| Ok((store, store.entry(&spot.path)?)));
        let alike = |(store, entry): (&dyn Store, Option<Entry>)| {
            entry.is_some_and(|now| now.identity == step.stamp.identity || store.is_it(&now, &step.stamp))
        };
        there.is_ok_and(alike)
    };
    match &step.act {
        Act::Restore { .. } => match stamp_at(&step.item) {
            Ok(Some(stamp)) if stamp == step.stamp => Judged::IsBack,
            // Whether the trash still has it shows when it is carried out.
            _ => Judged::Can,
        },
        act => match stamp_at(&step.item) {
            Ok(Some(stamp)) if stamp == step.stamp => match act {
                Act::Tag { from, to } => match store.tags(&step.item.path) {
                    Ok(tags) if tags == *from => Judged::Can,
                    Ok(tags) if tags == *to => Judged::IsBack,
                    Ok(_) => Judged::Cannot("its tags have been changed since".into()),
                    Err(error) => Judged::Cannot(error.to_string()),
                },
                _ => Judged::Can,
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
