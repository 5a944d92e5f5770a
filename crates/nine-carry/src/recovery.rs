//! A run that was cut off: found out how far it got, and finished or taken back.
//!
//! The daybook tells what was intended; what happened is read from both ends of each step. A step
//! that was not begun stays undone. One that was half-done is finished if its copy is in place, and
//! taken back if it is not.

use std::collections::{BTreeSet, HashMap};
use std::io;
use std::path::Path;

use nine_core::archive::in_pack;
use nine_core::item::{Entry, Stamp};
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::packs::Pack;
use nine_stores::{Places, Store, StoreError, StoreResult, Watch};

use crate::carrier::Carrier;
use crate::daybook::{self, Ended, Run, Writer};
use crate::packing::{self, Side};
use crate::transfer::{self, temporary};
use crate::{Clock, Lock};

/// What was found of a run that was cut off.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Recovered {
    /// The run's number.
    pub run: u64,
    /// Its command.
    pub command: String,
    /// Steps that were done, in all.
    pub done: usize,
    /// Steps that were half-done and have been finished now.
    pub finished: usize,
    /// Copies that were half-made and have been taken away.
    pub taken_back: usize,
    /// Steps that had not begun.
    pub not_begun: usize,
    /// Items that are neither at their old nor at their new place, or could not be looked at.
    pub lost_sight: Vec<(Spot, String)>,
    /// Why it could not be found out yet: a drive cannot be worked with. The run stays open.
    pub waits_for: Option<String>,
}

/// How far a step got.
enum Found {
    Done {
        stamp: Option<Stamp>,
        kept_as: Option<Vec<u8>>,
        finished: bool,
    },
    NotBegun {
        taken_back: bool,
    },
    Unclear(String),
    /// It cannot be looked at for now.
    Waits(String),
}

/// How many runs are looked back at for one that is open.
const LOOKED_BACK: usize = 32;

/// The runs that were cut off and have not been recovered, the oldest first.
///
/// # Errors
/// If the daybook cannot be read.
pub fn open_runs(data: &Path) -> io::Result<Vec<u64>> {
    let runs = daybook::runs(data)?;
    let mut open = Vec::new();
    for run in &runs[runs.len().saturating_sub(LOOKED_BACK)..] {
        if !daybook::is_over(data, *run)? {
            open.push(*run);
        }
    }
    Ok(open)
}

/// Where the run moves items to.
type Moves<'a> = HashMap<&'a Spot, &'a Spot>;

/// Recovers a run that was cut off. The lock shows that nobody is at work on it.
///
/// # Errors
/// If the daybook cannot be read or written.
pub fn recover(
    data: &Path,
    _lock: &Lock,
    number: u64,
    open: &dyn Fn(&Run) -> Places,
    clock: Clock,
) -> io::Result<Recovered> {
    let run = daybook::read(data, number)?;
    let places = open(&run);
    let mut writer = Writer::resume(data, &run, clock)?;
    let mut recovered = Recovered { run: number, command: run.command.clone(), ..Recovered::default() };
    recovered.done = run.done();
    if run.planned {
        let moves: Moves = run
            .steps
            .iter()
            .filter_map(|step| match &step.act {
                Act::Move { to } => Some((&step.item, to)),
                _ => None,
            })
            .collect();
        let mut pending = Vec::new();
        for (at, step) in steps_left(&run).filter(|(_, step)| step.act != Act::List) {
            let found = look(&places, number, at, step, &moves);
            pending.push((at, step, found.unwrap_or_else(|error| not_seen(&error))));
        }
        recovered.waits_for = pending.iter().find_map(|(.., found)| match found {
            Found::Waits(why) => Some(why.clone()),
            _ => None,
        });
        if recovered.waits_for.is_some() {
            return Ok(recovered);
        }
        let sets = half_done_sets(&run, &pending);
        let mut done: BTreeSet<usize> = run.ended.iter().filter_map(done_before).collect();
        for (at, step, found) in pending {
            let found = match found {
                Found::NotBegun { .. } if step.together.is_some_and(|set| sets.contains(&set)) => {
                    finish_member(&places, &mut writer, at, step, clock)?
                }
                found => found,
            };
            if matches!(found, Found::Done { .. }) {
                done.insert(at);
            }
            if let Found::Waits(why) = found {
                recovered.waits_for = Some(why);
                return Ok(recovered);
            }
            note(&mut recovered, &mut writer, at, step, found)?;
        }
        list(&places, &mut writer, &run, &done, &mut recovered, clock)?;
        if recovered.waits_for.is_some() {
            return Ok(recovered);
        }
        // A drive that cannot be reached has been named by then.
        places.all().for_each(|store| drop(store.clear_leftovers()));
        clear_unused_folders(data, &places, &mut writer, &run, clock);
    }
    writer.end(clock)?;
    Ok(recovered)
}

fn not_seen(error: &StoreError) -> Found {
    if error.is_passing() { Found::Waits(error.to_string()) } else { Found::Unclear(error.to_string()) }
}

/// The steps of which it is not known how they ended.
fn steps_left(run: &Run) -> impl Iterator<Item = (usize, &Step)> {
    run.steps.iter().enumerate().filter(|(at, _)| !run.ended.contains_key(at))
}

fn done_before((at, ended): (&usize, &Ended)) -> Option<usize> {
    matches!(ended, Ended::Done { .. }).then_some(*at)
}

/// Brings the lists of the archive up to date with what was done.
fn list(
    places: &Places,
    writer: &mut Writer,
    run: &Run,
    done: &BTreeSet<usize>,
    recovered: &mut Recovered,
    clock: Clock,
) -> io::Result<()> {
    let watch = Watch::default();
    for (at, step) in steps_left(run).filter(|(_, step)| step.act == Act::List) {
        let steps = done.iter().filter_map(|at| run.steps.get(*at));
        let mut quiet = |_| {};
        let listed = Carrier::new(places, writer, &watch, clock, &mut quiet).list(at, &step.item, steps);
        match listed {
            Ok(()) => writer.listed(at)?,
            Err(error) if error.is_passing() => recovered.waits_for = Some(error.to_string()),
            Err(error) => note(recovered, writer, at, step, Found::Unclear(error.to_string()))?,
        }
    }
    Ok(())
}

/// Sets of which some members were moved and others were not.
fn half_done_sets(run: &Run, pending: &[(usize, &Step, Found)]) -> Vec<u32> {
    let found = pending.iter().filter(|(.., found)| matches!(found, Found::Done { .. }));
    let done_now = found.filter_map(|(_, step, _)| step.together);
    let ended = run.ended.iter().filter(|(_, ended)| matches!(ended, Ended::Done { .. }));
    done_now.chain(ended.filter_map(|(at, _)| run.steps.get(*at)?.together)).collect()
}

/// Moves what belongs to a set whose other members have been moved.
fn finish_member(
    places: &Places,
    writer: &mut Writer,
    at: usize,
    step: &Step,
    clock: Clock,
) -> io::Result<Found> {
    let watch = Watch::default();
    let mut quiet = |_| {};
    let mut carrier = Carrier::new(places, writer, &watch, clock, &mut quiet);
    let moved = carrier.step(at, step)?;
    let _ = carrier.sync_touched();
    Ok(match moved {
        Ok(trace) => Found::Done { stamp: trace.stamp, kept_as: trace.kept_as, finished: true },
        Err(error) => not_seen(&error),
    })
}

fn note(
    recovered: &mut Recovered,
    writer: &mut Writer,
    at: usize,
    step: &Step,
    found: Found,
) -> io::Result<()> {
    match found {
        Found::Done { stamp, kept_as, finished } => {
            recovered.done += 1;
            recovered.finished += usize::from(finished);
            writer.done(at, stamp, kept_as.as_deref())
        }
        Found::NotBegun { taken_back } => {
            recovered.not_begun += 1;
            recovered.taken_back += usize::from(taken_back);
            writer.failed(at, "not begun when the run was cut off", None)
        }
        Found::Unclear(why) | Found::Waits(why) => {
            recovered.lost_sight.push((step.item.clone(), why.clone()));
            writer.failed(at, &why, None)
        }
    }
}

/// Looks at both ends of a step.
fn look(places: &Places, run: u64, at: usize, step: &Step, moves: &Moves) -> StoreResult<Found> {
    let store = places.of(&step.item)?;
    let is_here = |path| -> StoreResult<bool> {
        Ok(store.entry(path)?.is_some_and(|entry| entry.stamp() == step.stamp))
    };
    let done = |kept_as| Found::Done { stamp: None, kept_as, finished: false };
    Ok(match &step.act {
        Act::Leave | Act::List => done(None),
        Act::Pack { to } => {
            let target = places.of(to)?;
            let side = Side { pack: Pack::named(target, &to.path)?, at: &ItemPath::root() };
            look_at_packed(&side, store, &step.item.path, (run, at, to), target)?
        }
        Act::Unpack { to } => {
            let (pack, inside) = in_pack(&step.item).unwrap_or((step.item.clone(), ItemPath::root()));
            let side = Side { pack: Pack::named(store, &pack.path)?, at: &inside };
            let target = places.of(to)?;
            look_at_packed(&side, target, &to.path, (run, at, to), target)?
        }
        Act::Tag { from, to } => {
            // A tagged item may have been moved by a later step of the run.
            let tags = match moves
                .get(&step.item)
                .filter(|_| store.entry(&step.item.path).is_ok_and(|e| e.is_none()))
            {
                Some(moved) => places.of(moved)?.tags(&moved.path)?,
                None => store.tags(&step.item.path)?,
            };
            match tags {
                tags if tags == *to => done(None),
                tags if tags == *from => Found::NotBegun { taken_back: false },
                _ => Found::Unclear("its tags are neither the old nor the new ones".into()),
            }
        }
        Act::Discard { .. } => match store.find_discarded(&step.item.path, &step.stamp)? {
            Some(kept) => done(Some(kept)),
            None if is_here(&step.item.path)? => Found::NotBegun { taken_back: false },
            None => Found::Unclear("it is neither in its place nor in the trash".into()),
        },
        Act::Restore { .. } => {
            // Looking for it also takes away the note of what has left the trash.
            let kept = store.find_discarded(&step.item.path, &step.stamp)?;
            match (is_here(&step.item.path)?, kept) {
                (true, _) => done(None),
                (false, Some(_)) => Found::NotBegun { taken_back: false },
                (false, None) => Found::Unclear("it is neither in its place nor in the trash".into()),
            }
        }
        Act::Move { to } => look_at_move(store, places.of(to)?, run, at, step, to)?,
        Act::Copy { to } => look_at_copy(store, places.of(to)?, run, at, step, to)?,
    })
}

fn look_at_move(
    source: &dyn Store,
    target: &dyn Store,
    run: u64,
    at: usize,
    step: &Step,
    to: &Spot,
) -> StoreResult<Found> {
    let half = transfer::remove_copy(target, &temporary(run, at, to))?;
    let old = source.entry(&step.item.path)?;
    let new = target.entry(&to.path)?;
    let copied = |new: &Entry| target.domain(&new.identity) != source.domain(&step.stamp.identity);
    Ok(match (old, new) {
        (old, Some(new))
            if new.stamp() == step.stamp
                || old.is_none() && !copied(&new) && target.is_it(&new, &step.stamp) =>
        {
            let stamp = Some(new.stamp()).filter(|stamp| *stamp != step.stamp);
            Found::Done { stamp, kept_as: None, finished: false }
        }
        (Some(old), Some(new)) if copied(&new) => {
            // A copy in place beside its original, all or part of which is still there.
            if old.identity == step.stamp.identity
                && transfer::is_copy(source, &step.item.path, target, &to.path)?
            {
                transfer::remove_found_original(source, &step.item.path)?;
                Found::Done { stamp: Some(new.stamp()), kept_as: None, finished: true }
            } else {
                Found::NotBegun { taken_back: half }
            }
        }
        (Some(_), _) => Found::NotBegun { taken_back: half },
        (None, Some(new)) if copied(&new) => {
            Found::Done { stamp: Some(new.stamp()), kept_as: None, finished: false }
        }
        (None, _) => Found::Unclear("it is neither at its old nor at its new place".into()),
    })
}

/// What was packed or unpacked counts once it has its name and both sides are the same.
fn look_at_packed(
    side: &Side,
    disk: &dyn Store,
    path: &ItemPath,
    (run, at, to): (u64, usize, &Spot),
    target: &dyn Store,
) -> StoreResult<Found> {
    let half = transfer::remove_copy(target, &temporary(run, at, to))?;
    let made = target.entry(&to.path)?;
    let both = side.pack.store.entry(side.pack.path)?.is_some() && disk.entry(path)?.is_some();
    // The folder may have gone into the trash after it was packed.
    let is_done =
        made.is_some() && (!both || packing::compare(side, disk, path, None, &Watch::default()).is_ok());
    Ok(match made.filter(|_| is_done) {
        Some(made) => Found::Done { stamp: Some(made.stamp()), kept_as: None, finished: false },
        None => Found::NotBegun { taken_back: half },
    })
}

/// A copy counts once it has its name; until then it is taken away.
fn look_at_copy(
    source: &dyn Store,
    target: &dyn Store,
    run: u64,
    at: usize,
    step: &Step,
    to: &Spot,
) -> StoreResult<Found> {
    let half = transfer::remove_copy(target, &temporary(run, at, to))?;
    let original = source.entry(&step.item.path)?;
    Ok(match target.entry(&to.path)? {
        // A later step of the run took the original away; size and time travel with a copy.
        Some(copy)
            if original.is_none()
                && copy.stamp().size == step.stamp.size
                && copy.modified == step.stamp.modified =>
        {
            Found::Done { stamp: Some(copy.stamp()), kept_as: None, finished: false }
        }
        Some(copy) if transfer::is_copy(source, &step.item.path, target, &to.path)? => {
            Found::Done { stamp: Some(copy.stamp()), kept_as: None, finished: false }
        }
        _ => Found::NotBegun { taken_back: half },
    })
}

/// Takes away folders that were made for steps that then did not happen, and, where an undo was cut
/// off, those of the run that it takes back.
fn clear_unused_folders(data: &Path, places: &Places, writer: &mut Writer, run: &Run, clock: Clock) {
    let mut made = run.made.clone();
    if let Some(undone) = run.undoes {
        // An old run's file may have been put away; then its folders stay.
        made.extend(daybook::read(data, undone).map(|run| run.made).unwrap_or_default());
    }
    let watch = Watch::default();
    let mut quiet = |_| {};
    Carrier::new(places, writer, &watch, clock, &mut quiet).clear_away(&made);
}
