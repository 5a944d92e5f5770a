//! A run that was cut off: found out how far it got, and finished or taken back.
//!
//! The daybook tells what was intended; what happened is read from both ends of each step. A step that was not begun
//! stays undone. One that was half-done is finished if its copy is in place, and taken back if it is not. A run of
//! which a place is away stays open.

mod look;

use std::collections::BTreeSet;
use std::io;
use std::path::Path;

use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};
use nine_stores::{Places, Watch};

use self::look::{Half, Inspection, Reached};
use crate::carrier::Carrier;
use crate::daybook::{self, Ended, Run, Writer};
use crate::folders::{Folders, clear_away};
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
    /// Items that are neither at their old nor at their new place, or could not be looked at, and why.
    pub lost_sight: Vec<(Spot, String)>,
    /// Items of which something stayed at the old place, since it is not what was copied, and how much.
    pub stayed: Vec<(Spot, usize)>,
    /// Why it could not be found out yet: a place cannot be worked with. The run stays open.
    pub waits_for: Option<String>,
}

/// What recovery may do without.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Patience {
    /// A run of which a place is away stays open.
    #[default]
    Waits,
    /// It is closed with what can be seen.
    GivesUp,
}

/// Recovers a run that was cut off; `None` if it is over by now. The lock shows that no other process is at work on it.
///
/// # Errors
/// If the daybook cannot be read or written.
pub fn recover(
    data: &Path,
    _lock: &Lock,
    number: u64,
    open: &dyn Fn(&Run) -> Places,
    patience: Patience,
    clock: Clock,
) -> io::Result<Option<Recovered>> {
    let run = daybook::read(data, number)?;
    // Another process may have been at work on it until just before it let go of the lock.
    if run.closed {
        return Ok(None);
    }
    let mut places = open(&run);
    if patience == Patience::Waits {
        places.expect_roots(&run.roots);
    }
    places.name_own(&run.token);
    let writer = Writer::resume(data, &run, clock)?;
    let recovered = Recovered { run: number, command: run.command.clone(), ..Recovered::default() };
    let recovering = Recovering { data, places: &places, run: &run, writer, recovered, patience, clock };
    recovering.recover().map(Some)
}

/// What will not be known of a run that is closed although a place of it is away.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Unseen {
    /// The run's command.
    pub command: String,
    /// How many steps it has.
    pub steps: usize,
    /// Why places cannot be worked with, each reason once.
    pub away: Vec<String>,
    /// Why the run's file cannot be read; then it is set aside.
    pub unreadable: Option<String>,
    /// The items of which nobody can see whether they are at their old place or at the new one.
    pub items: Vec<Spot>,
}

/// What would not be known of a run that was cut off, if it were closed now. Nothing is written.
///
/// # Errors
/// If the daybook cannot be read.
pub fn unseen(data: &Path, number: u64, open: &dyn Fn(&Run) -> Places) -> io::Result<Unseen> {
    let run = match daybook::read(data, number) {
        Ok(run) => run,
        Err(error) => return Ok(Unseen { unreadable: Some(error.to_string()), ..Unseen::default() }),
    };
    let mut places = open(&run);
    places.expect_roots(&run.roots);
    let steps = run.steps.len();
    let mut unseen = Unseen { command: run.command.clone(), steps, ..Unseen::default() };
    for (_, step) in steps_left(&run) {
        let ends = std::iter::once(&step.item).chain(step.target());
        let why: Vec<String> = ends.filter_map(|spot| places.of(spot).err()).map(|e| e.to_string()).collect();
        if !why.is_empty() {
            unseen.items.push(step.item.clone());
        }
        why.into_iter().for_each(|why| {
            if !unseen.away.contains(&why) {
                unseen.away.push(why);
            }
        });
    }
    Ok(unseen)
}

struct Recovering<'a> {
    data: &'a Path,
    places: &'a Places,
    run: &'a Run,
    writer: Writer,
    recovered: Recovered,
    patience: Patience,
    clock: Clock<'a>,
}

impl Recovering<'_> {
    fn recover(mut self) -> io::Result<Recovered> {
        if self.run.planned {
            self.recovered.waits_for = self.missing_place();
            if self.recovered.waits_for.is_some() || !self.look_at_steps()? || !self.list()? {
                return Ok(self.recovered);
            }
            // A drive that cannot be reached has been named by then.
            let token = self.run.token.as_str();
            if !token.is_empty() {
                self.places.all().for_each(|store| drop(store.clear_leftovers(token)));
            }
            self.clear_unused_folders();
            if !self.flush_folders() {
                self.writer.flush()?;
                return Ok(self.recovered);
            }
        }
        self.writer.end(self.clock)?;
        Ok(self.recovered)
    }

    /// Why a place of a step whose end is not known cannot be worked with.
    fn missing_place(&self) -> Option<String> {
        if self.patience == Patience::GivesUp {
            return None;
        }
        let spots =
            steps_left(self.run).flat_map(|(_, step)| std::iter::once(&step.item).chain(step.target()));
        let away = spots.filter_map(|spot| self.places.of(spot).err().filter(|error| error.is_passing()));
        away.map(|error| error.to_string()).next()
    }

    /// Finds out about each step; says whether that could be done. What waits for a place is looked at again by the
    /// next command, and nothing is written down until then.
    fn look_at_steps(&mut self) -> io::Result<bool> {
        let watch = Watch::default();
        let looking = Inspection::new(self.places, self.run, &watch);
        let mut pending = Vec::new();
        // Tags last: with the power a file may have lost those that its copy has, which takes its place now.
        let is_tag = |(_, step): &(usize, &Step)| matches!(step.act, Act::Tag { .. });
        let (tags, others): (Vec<_>, Vec<_>) = self.run.steps.iter().enumerate().partition(is_tag);
        for (at, step) in others.into_iter().chain(tags) {
            let reached = match self.run.ended.get(&at) {
                Some(ended) => match looking.look_again(at, step, ended) {
                    Ok(reached) => reached,
                    Err(error) => Some(Reached::of_error(&error)),
                },
                None => Some(looking.look(at, step).unwrap_or_else(|error| Reached::of_error(&error))),
            };
            pending.extend(reached.map(|reached| (at, step, reached)));
        }
        if self.patience == Patience::Waits {
            self.recovered.waits_for = pending.iter().find_map(|(.., reached)| match reached {
                Reached::Waits(why) => Some(why.clone()),
                _ => None,
            });
        }
        if self.recovered.waits_for.is_some() {
            return Ok(false);
        }
        let seen_again: BTreeSet<usize> = pending.iter().map(|(at, ..)| *at).collect();
        let done = self.run.ended.iter().filter(|(at, _)| !seen_again.contains(at));
        let done = done.filter(|(at, _)| **at < self.run.steps.len());
        self.recovered.done = done.filter(|(_, ended)| matches!(ended, Ended::Done { .. })).count();
        let sets = half_done_sets(self.run, &pending);
        for (at, step, reached) in pending {
            let reached = match reached {
                Reached::NotBegun { .. } if step.together.is_some_and(|set| sets.contains(&set)) => {
                    self.finish_member(at, step)?
                }
                reached => reached,
            };
            if let Reached::Waits(why) = &reached
                && self.patience == Patience::Waits
            {
                self.recovered.waits_for = Some(why.clone());
                return Ok(false);
            }
            self.note(at, step, reached)?;
        }
        Ok(true)
    }

    /// Moves what belongs to a set whose other members have been moved.
    fn finish_member(&mut self, at: usize, step: &Step) -> io::Result<Reached> {
        let watch = Watch::default();
        let mut quiet = |_| {};
        let mut carrier = Carrier::new(self.places, &mut self.writer, &watch, self.clock, &mut quiet);
        Ok(match carrier.step(at, step)? {
            Ok(trace) => Reached::Done { trace, finished: true },
            Err(error) => Reached::of_error(&error),
        })
    }

    fn note(&mut self, at: usize, step: &Step, reached: Reached) -> io::Result<()> {
        let recovered = &mut self.recovered;
        match reached {
            Reached::Done { trace, finished } => {
                recovered.done += 1;
                recovered.finished += usize::from(finished);
                if trace.stayed.count > 0 {
                    recovered.stayed.push((step.item.clone(), trace.stayed.count));
                }
                self.writer.done(at, &trace)
            }
            Reached::NotBegun { half } => {
                recovered.not_begun += 1;
                recovered.taken_back += usize::from(half == Half::Gone);
                if let Half::Holds(spot) = half {
                    let why = "something that is not of this run lies in it, and was left there".to_owned();
                    recovered.lost_sight.push((spot, why));
                }
                self.writer.failed(at, "not begun when the run was cut off", None)
            }
            Reached::Unclear(why) | Reached::Waits(why) => {
                recovered.lost_sight.push((step.item.clone(), why.clone()));
                self.writer.not_known(at, &why)
            }
        }
    }

    /// Brings the lists of the archive up to date with what was done; says whether that could be done.
    fn list(&mut self) -> io::Result<bool> {
        let watch = Watch::default();
        self.writer.flush()?;
        let known = daybook::read(self.data, self.run.number)?;
        let done: Vec<&Step> = known
            .ended
            .iter()
            .filter(|(_, ended)| matches!(ended, Ended::Done { .. }))
            .filter_map(|(at, _)| self.run.steps.get(*at))
            .collect();
        let lists = (self.run.steps.len()..).zip(&self.run.lists);
        for (at, dated) in lists.filter(|(at, _)| !self.run.ended.contains_key(at)) {
            let mut quiet = |_| {};
            let mut carrier = Carrier::new(self.places, &mut self.writer, &watch, self.clock, &mut quiet);
            match carrier.list(at, dated, done.iter().copied()) {
                Ok(()) => self.writer.listed(at)?,
                Err(error) if error.may_pass() && self.patience == Patience::Waits => {
                    self.recovered.waits_for = Some(error.to_string());
                    return Ok(false);
                }
                Err(error) => {
                    self.recovered.lost_sight.push((dated.clone(), error.to_string()));
                    self.writer.not_known(at, &error.to_string())?;
                }
            }
        }
        Ok(true)
    }

    /// Takes away folders that were made for steps that then did not happen, and, where an undo was cut off, those
    /// of the run that it takes back.
    fn clear_unused_folders(&mut self) {
        let mut made = self.run.made.clone();
        let is_wanted =
            |folder: &Spot| self.run.steps.iter().any(|step| step.act == Act::Make && step.item == *folder);
        made.retain(|folder| !is_wanted(folder));
        if let Some(undone) = self.run.undoes {
            // An old run's file may have been put away; then its folders stay.
            made.extend(daybook::read(self.data, undone).map(|run| run.made).unwrap_or_default());
        }
        clear_away(self.places, &made);
    }

    /// Flushes the folders of all steps before the daybook says that the run is over. Returns whether it may say so.
    fn flush_folders(&mut self) -> bool {
        let mut folders = Folders::default();
        for step in &self.run.steps {
            folders.touch(&step.item.folder());
            step.target().into_iter().for_each(|to| folders.touch(&to.folder()));
        }
        self.run.lists.iter().for_each(|dated| folders.touch(&dated.folder()));
        let mut unsure = folders.sync_touched(self.places).into_iter();
        if self.patience == Patience::Waits {
            let waits = unsure.find(|(_, error)| error.may_pass());
            self.recovered.waits_for = waits.map(|(folder, error)| format!("{folder}: {error}"));
        }
        self.recovered.waits_for.is_none()
    }
}

/// The steps of which it is not known how they ended.
fn steps_left(run: &Run) -> impl Iterator<Item = (usize, &Step)> {
    run.steps.iter().enumerate().filter(|(at, _)| !run.ended.contains_key(at))
}

/// Sets of which some members were moved and others were not.
fn half_done_sets(run: &Run, pending: &[(usize, &Step, Reached)]) -> Vec<u32> {
    let done_now = pending.iter().filter(|(.., reached)| matches!(reached, Reached::Done { .. }));
    let done_now = done_now.filter_map(|(_, step, _)| step.together);
    let seen_again: BTreeSet<usize> = pending.iter().map(|(at, ..)| *at).collect();
    let ended = run.ended.iter().filter(|(at, _)| !seen_again.contains(at));
    let ended = ended.filter(|(_, ended)| matches!(ended, Ended::Done { .. }));
    done_now.chain(ended.filter_map(|(at, _)| run.steps.get(*at)?.together)).collect()
}
