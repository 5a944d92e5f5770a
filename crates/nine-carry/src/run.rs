//! A run: its steps one after the other, in batches, side by side, or all or none of a set.

use std::cell::OnceCell;
use std::collections::{BTreeSet, HashMap};
use std::io;

use nine_core::item::{Kind, Stamp};
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};
use nine_stores::{StoreError, StoreResult};

use crate::at_once;
use crate::batch::StepBatch;
use crate::carrier::Carrier;
use crate::daybook::stamp;
use crate::folders::{clear_away, expect_both_in_place};
use crate::lists::{Arrival, Lists};
use crate::outcome::{Failed, Outcome, Trace};

impl Carrier<'_> {
    /// Carries out the steps. Those that belong together are done all or not at all. `lists` are the dated folders of
    /// the archive whose lists are brought up to date afterwards, as the run's [`crate::daybook::Heading`] has them.
    ///
    /// # Errors
    /// If the daybook cannot be written: then no further step is begun.
    pub fn carry(&mut self, steps: &[Step], lists: &[Spot]) -> io::Result<Outcome> {
        // The person was asked in between, and may have taken a while.
        self.places.look_anew();
        self.places.name_own(self.daybook.names().token);
        let mut outcome = Outcome::default();
        self.carry_items(steps, &mut outcome)?;
        // Also after it was stopped, since the lists must say what lies in the archive now.
        for (at, dated) in (steps.len()..).zip(lists) {
            let carried = outcome.carried.iter().map(|at| &steps[*at]);
            if let Err(error) = self.list(at, dated, carried) {
                // Left open in the daybook, so that the next command tries again.
                outcome.unlisted.push((dated.clone(), error.to_string()));
                outcome.is_open = true;
            } else {
                self.daybook.listed(at)?;
            }
        }
        if !outcome.failed.is_empty() || !outcome.unlisted.is_empty() || outcome.not_begun > 0 {
            // Nothing came into some of the folders that were made for it.
            let mut made = std::mem::take(&mut self.folders.made);
            let is_wanted = |at: &usize| steps[*at].act == Act::Make;
            let wanted: BTreeSet<&Spot> =
                outcome.carried.iter().filter(|at| is_wanted(at)).map(|at| &steps[*at].item).collect();
            made.retain(|folder| !wanted.contains(folder));
            outcome.is_open |= clear_away(self.places, &made).1;
        }
        self.note_not_shown(steps, &mut outcome)?;
        let unsure = self.folders.sync_touched(self.places);
        // The next command flushes them again before the run is over.
        outcome.is_open |= unsure.iter().any(|(_, error)| error.may_pass());
        outcome.unsure = unsure.into_iter().map(|(folder, error)| (folder, error.to_string())).collect();
        Ok(outcome)
    }

    /// Takes off what was moved and does not show where it was moved to, since somebody else was there at the same
    /// moment: that is no move.
    fn note_not_shown(&mut self, steps: &[Step], outcome: &mut Outcome) -> io::Result<()> {
        for spot in self.folders.not_shown(self.places) {
            let is_it = |at: &usize| steps[*at].target() == Some(&spot);
            let Some(at) = outcome.carried.iter().copied().find(is_it) else { continue };
            outcome.carried.retain(|carried| *carried != at);
            let because = format!("it was moved to {spot}, and something else has its place there now");
            self.daybook.failed(at, &because, None)?;
            outcome.failed.push(Failed { step: at, because });
        }
        Ok(())
    }

    fn carry_items(&mut self, steps: &[Step], outcome: &mut Outcome) -> io::Result<()> {
        let items: Vec<(usize, &Step)> = steps.iter().enumerate().collect();
        let mut sets: HashMap<u32, Vec<usize>> = HashMap::new();
        for (at, step) in &items {
            if let Some(set) = step.together {
                sets.entry(set).or_default().push(*at);
            }
        }
        let mut over = BTreeSet::new();
        let mut batch = StepBatch::default();
        let mut left = items.as_slice();
        while let Some(((at, step), rest)) = left.split_first() {
            if over.contains(at) {
                left = rest;
                continue;
            }
            if self.watch.is_stopped() {
                break;
            }
            let (at_once, threads) = at_once::next(self.places, left, &over);
            if at_once.len() > 1 {
                for (at, came) in at_once.iter().zip(self.steps_at_once(steps, &at_once, threads)?) {
                    self.note(*at, steps, came, outcome)?;
                }
                over.extend(at_once);
                (self.progress)(over.len());
                continue;
            }
            let across = self.next_across(left, &over);
            if across.len() > 1 {
                self.settle(steps, &mut batch, outcome)?;
                let (done, goes_on) = self.carry_across(steps, &across, outcome)?;
                over.extend(done);
                if !goes_on {
                    break;
                }
            } else if batch.takes(step) {
                if !self.carry_in_batch(steps, *at, &mut batch, outcome)? {
                    break;
                }
                over.insert(*at);
            } else {
                self.settle(steps, &mut batch, outcome)?;
                let members =
                    step.together.and_then(|set| sets.get(&set).cloned()).unwrap_or_else(|| vec![*at]);
                if !self.carry_together(steps, &members, outcome)? {
                    break;
                }
                over.extend(members);
            }
            (self.progress)(over.len());
        }
        self.settle(steps, &mut batch, outcome)?;
        outcome.not_begun = items.len() - over.len();
        Ok(())
    }

    /// Brings the lists of a dated folder up to date with the steps that were done.
    pub(crate) fn list<'s>(
        &mut self,
        at: usize,
        dated: &Spot,
        done: impl Iterator<Item = &'s Step>,
    ) -> StoreResult<()> {
        let now = stamp(self.clock);
        // What is listed must be found again if the program is killed meanwhile.
        self.daybook.flush()?;
        let names = self.daybook.names();
        // Read only if something is in no list.
        let arrivals: OnceCell<HashMap<Spot, Arrival>> = OnceCell::new();
        let arrival = |at: &Spot| arrivals.get_or_init(|| self.daybook.arrivals(dated)).get(at).cloned();
        let (places, watch) = (self.places, self.watch);
        Lists { places, dated, names, at, now, watch, arrival: &arrival }.update(done)
    }

    /// Carries out steps all or not at all. Says whether the person did not ask to stop meanwhile; if so none of them
    /// is done.
    fn carry_together(
        &mut self,
        steps: &[Step],
        members: &[usize],
        outcome: &mut Outcome,
    ) -> io::Result<bool> {
        let mut traces: Vec<(usize, Trace)> = Vec::new();
        for at in members {
            let done = match self.step(*at, &steps[*at])? {
                // An item that was copied has been looked after before its original went.
                Ok(trace) => {
                    let is_copied = trace.stamp.is_some();
                    traces.push((*at, trace));
                    if is_copied { Ok(()) } else { expect_both_in_place(self.places, &steps[*at]) }
                }
                Err(error) => Err(error),
            };
            if let Err(error) = done {
                self.give_up_set(steps, (members, *at), &error, traces, outcome)?;
                return Ok(!matches!(error, StoreError::Stopped));
            }
        }
        for (at, trace) in traces {
            self.note(at, steps, Ok(trace), outcome)?;
        }
        if members.iter().any(|at| steps[*at].kind == Kind::Folder) {
            // What is held open in it, perhaps by another place, has another path now.
            self.folders.look_anew(self.places);
        }
        Ok(true)
    }

    /// Takes back what was done of a set of which `at` could not be done.
    fn give_up_set(
        &mut self,
        steps: &[Step],
        (members, at): (&[usize], usize),
        error: &StoreError,
        traces: Vec<(usize, Trace)>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let mut anew: HashMap<usize, Stamp> = HashMap::new();
        let mut stays = BTreeSet::new();
        let failed = std::mem::take(&mut self.half_left);
        for (done, trace) in traces.into_iter().rev() {
            match self.take_back(done, &steps[done], &trace)? {
                Ok(stamp) => anew.extend(stamp.map(|stamp| (done, stamp))),
                Err(why) => {
                    stays.insert(done);
                    self.note(done, steps, Ok(trace), outcome)?;
                    let because = format!("it was done, and could not be taken back: {why}");
                    outcome.failed.push(Failed { step: done, because });
                }
            }
        }
        if matches!(error, StoreError::FolderMoved) {
            self.folders.look_anew(self.places);
        }
        if matches!(error, StoreError::Stopped) {
            outcome.is_open |= failed;
            return Ok(());
        }
        self.half_left = failed;
        self.note_failure(at, error, anew.get(&at).copied(), outcome)?;
        for member in members.iter().filter(|member| **member != at && !stays.contains(*member)) {
            let because = format!("it belongs together with step {}, which failed: {error}", at + 1);
            self.daybook.failed(*member, &because, anew.get(member).copied())?;
            outcome.failed.push(Failed { step: *member, because });
        }
        Ok(())
    }
}
