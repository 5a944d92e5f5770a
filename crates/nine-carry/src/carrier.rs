//! Carries out the steps of a checked worklist.

use std::collections::{BTreeSet, HashMap};
use std::io;

use nine_core::archive::{Form, in_pack};
use nine_core::item::Stamp;
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step};
use nine_stores::packs::Pack;
use nine_stores::{Places, Store, StoreError, StoreResult, Watch};

use crate::Clock;
use crate::daybook::{Writer, stamp};
use crate::folders::Folders;
use crate::lists::Lists;
use crate::outcome::{Failed, Outcome, Trace};
use crate::packing::{self, Side};
use crate::transfer::{self, Copied, Route, temporary};
use crate::{at_once, copies};

/// Carries out steps, in the order in which they are given, and writes the daybook.
pub struct Carrier<'a> {
    /// Where items live.
    pub places: &'a Places,
    /// Where it is written down.
    pub daybook: &'a mut Writer,
    /// Asks it to stop after the step in hand.
    pub watch: &'a Watch,
    /// Tells the time.
    pub clock: Clock<'a>,
    /// Told after each step how many are over.
    pub progress: &'a mut dyn FnMut(usize),
    pub(crate) folders: Folders,
    /// Whether half of a copy could not be taken away.
    half_left: bool,
}

impl<'a> Carrier<'a> {
    /// A carrier that has done nothing yet.
    pub fn new(
        places: &'a Places,
        daybook: &'a mut Writer,
        watch: &'a Watch,
        clock: Clock<'a>,
        progress: &'a mut dyn FnMut(usize),
    ) -> Self {
        Self { places, daybook, watch, clock, progress, folders: Folders::default(), half_left: false }
    }

    /// Carries out the steps. Those that belong together are done all or not at all.
    ///
    /// # Errors
    /// If the daybook cannot be written: then no further step is begun.
    pub fn carry(&mut self, steps: &[Step]) -> io::Result<Outcome> {
        // The person was asked in between, and may have taken a while.
        self.places.look_anew();
        let mut outcome = Outcome::default();
        let mut sets: HashMap<u32, Vec<usize>> = HashMap::new();
        for (at, step) in steps.iter().enumerate() {
            if let Some(set) = step.together {
                sets.entry(set).or_default().push(at);
            }
        }
        let mut over = BTreeSet::new();
        let (lists, items): (Vec<_>, Vec<_>) =
            steps.iter().enumerate().partition(|(_, step)| step.act == Act::List);
        let mut left = items.as_slice();
        while let Some(((at, step), rest)) = left.split_first() {
            if over.contains(at) {
                left = rest;
                continue;
            }
            if self.watch.is_stopped() {
                outcome.not_begun = items.len() - over.len();
                break;
            }
            let (batch, threads) = at_once::next(self.places, left, &over);
            if batch.len() > 1 {
                for (at, came) in batch.iter().zip(self.steps_at_once(steps, &batch, threads)?) {
                    self.note(*at, steps, came, &mut outcome)?;
                }
                over.extend(batch);
                (self.progress)(over.len());
                continue;
            }
            let members = step.together.and_then(|set| sets.get(&set).cloned()).unwrap_or_else(|| vec![*at]);
            self.carry_together(steps, &members, &mut outcome)?;
            over.extend(members);
            (self.progress)(over.len());
        }
        // Also after it was stopped, since the lists must say what lies in the archive now.
        for (at, step) in lists {
            let carried = outcome.carried.iter().map(|at| &steps[*at]);
            if let Err(error) = self.list(at, &step.item, carried) {
                // Left open in the daybook, so that the next command tries again.
                outcome.failed.push(Failed { step: at, because: error.to_string() });
                outcome.is_open = true;
            } else {
                self.daybook.listed(at)?;
            }
        }
        if !outcome.failed.is_empty() {
            // Nothing came into some of the folders that were made for it.
            let made = std::mem::take(&mut self.folders.made);
            self.clear_away(&made);
        }
        outcome.unsure = self.sync_touched();
        Ok(outcome)
    }

    /// Writes down what came of a step that was done by itself.
    fn note(
        &mut self,
        at: usize,
        steps: &[Step],
        came: StoreResult<Trace>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        match came {
            Ok(trace) => {
                self.daybook.done(at, trace.stamp, trace.kept_as.as_deref())?;
                outcome.carried.push(at);
                outcome.bytes += if steps[at].target().is_some() { steps[at].size } else { 0 };
            }
            Err(error) => {
                let because = error.to_string();
                self.daybook.failed(at, &because, None)?;
                outcome.failed.push(Failed { step: at, because });
            }
        }
        Ok(())
    }

    /// Brings the lists of a dated folder up to date with the steps that were done.
    pub(crate) fn list<'s>(
        &mut self,
        at: usize,
        dated: &Spot,
        done: impl Iterator<Item = &'s Step>,
    ) -> StoreResult<()> {
        let (run, now) = (self.daybook.run(), stamp(self.clock));
        // What is listed must be found again if the program is killed meanwhile.
        self.daybook.flush()?;
        let listed = Lists { places: self.places, dated, at: (run, at), now, watch: self.watch };
        listed.update(done)
    }

    /// Carries out steps all or not at all.
    fn carry_together(&mut self, steps: &[Step], members: &[usize], outcome: &mut Outcome) -> io::Result<()> {
        let mut traces: Vec<(usize, Trace)> = Vec::new();
        for at in members {
            match self.step(*at, &steps[*at])? {
                Ok(trace) => traces.push((*at, trace)),
                Err(error) => {
                    let because = error.to_string();
                    let is_open = std::mem::take(&mut self.half_left);
                    outcome.is_open |= is_open;
                    let mut anew: HashMap<usize, Stamp> = HashMap::new();
                    for (done, trace) in traces.iter().rev() {
                        let stamp = self.take_back(*done, &steps[*done], trace)?;
                        anew.extend(stamp.map(|stamp| (*done, stamp)));
                    }
                    for member in members {
                        let because =
                            if member == at { because.clone() } else { together_words(*at, &because) };
                        // What is not written down is looked at by the next command.
                        if !(is_open && member == at) {
                            self.daybook.failed(*member, &because, anew.get(member).copied())?;
                        }
                        outcome.failed.push(Failed { step: *member, because });
                    }
                    return Ok(());
                }
            }
        }
        for (at, trace) in traces {
            if trace.stayed.for_now {
                // What is not written down is looked at by the next command, which takes the rest away.
                outcome.is_open = true;
            } else {
                self.daybook.done(at, trace.stamp, trace.kept_as.as_deref())?;
            }
            outcome.carried.push(at);
            outcome.bytes += if steps[at].target().is_some() { steps[at].size } else { 0 };
            if trace.stayed.count > 0 {
                let because = format!(
                    "moved, but {} of it stayed at the old place: new or changed meanwhile, or no right to it",
                    trace.stayed.count
                );
                outcome.stayed.push(Failed { step: at, because });
            }
        }
        Ok(())
    }

    /// Does one step. The outer error is the daybook's, the inner one the step's.
    pub(crate) fn step(&mut self, at: usize, step: &Step) -> io::Result<StoreResult<Trace>> {
        let store = match self.places.of(&step.item) {
            Ok(store) => store,
            Err(error) => return Ok(Err(error)),
        };
        Ok(match &step.act {
            Act::Leave => Ok(Trace::default()),
            Act::Tag { to, .. } => {
                store.set_tags(&step.item.path, &step.stamp, to).map(|()| Trace::default())
            }
            Act::Discard { copy_of } => self.discard(store, step, copy_of.as_ref()),
            Act::Restore { kept_as } => match self.make_folders(&step.item.folder())? {
                Ok(()) => {
                    self.touch(&step.item.folder());
                    let restored = store.restore(kept_as, &step.stamp, &step.item.path);
                    restored.map(Trace::at)
                }
                Err(error) => Err(error),
            },
            Act::Move { to } => return self.move_item(at, step, to),
            Act::Copy { to } => return self.copy_item(at, step, to),
            Act::Pack { to } => return self.pack_or_unpack(at, step, to),
            Act::Unpack { to } => return self.pack_or_unpack(at, step, to),
            // Done when all else is; see `carry`.
            Act::List => Ok(Trace::default()),
        })
    }

    /// Puts an item into the trash. A copy goes only if what stays holds the same bytes, and comes back
    /// if that is gone or has changed by the time it is in the trash.
    fn discard(&mut self, store: &dyn Store, step: &Step, copy_of: Option<&Original>) -> StoreResult<Trace> {
        if let Some(original) = copy_of {
            copies::expect_same(self.places, &step.item, original)?;
        }
        let day = (self.clock)().strftime("%Y-%m-%dT%H:%M:%S").to_string();
        self.touch(&step.item.folder());
        let kept = store.discard(&step.item.path, &step.stamp, &day)?;
        if let Some(Err(gone)) = copy_of.map(|original| copies::expect_there(self.places, original)) {
            store.restore(&kept, &step.stamp, &step.item.path)?;
            return Err(gone);
        }
        Ok(Trace { kept_as: Some(kept), ..Trace::default() })
    }

    /// The stores of an item and of its target, whose folder is made.
    fn both_ends(
        &mut self,
        step: &Step,
        to: &Spot,
    ) -> io::Result<StoreResult<(&'a dyn Store, &'a dyn Store)>> {
        if let Err(error) = self.make_folders(&to.folder())? {
            return Ok(Err(error));
        }
        let places = self.places;
        Ok(places.of(&step.item).and_then(|source| Ok((source, places.of(to)?))))
    }

    fn move_item(&mut self, at: usize, step: &Step, to: &Spot) -> io::Result<StoreResult<Trace>> {
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        self.touch(&step.item.folder());
        self.touch(&to.folder());
        match source.rename(&step.item.path, &step.stamp, target, &to.path) {
            Err(StoreError::OtherDomain) => {}
            moved => return Ok(moved.map(Trace::at)),
        }
        let temporary = temporary(self.daybook.run(), at, to);
        let (from, watch) = (&step.item.path, self.watch);
        let route = Route { source, from, target, temporary: &temporary, watch };
        let published = self.publish(&route, step, to)?;
        Ok(published.and_then(|copied| {
            // The way to the copy must be as safe as the copy before its original goes.
            for folder in std::mem::take(&mut self.folders.made_in) {
                let _ = self.places.of(&folder).and_then(|store| store.sync_folder(&folder.path));
            }
            let stayed = route.remove_original(&copied, &to.path)?;
            Ok(Trace { stamp: Some(copied.stamp()), stayed, kept_as: None })
        }))
    }

    fn copy_item(&mut self, at: usize, step: &Step, to: &Spot) -> io::Result<StoreResult<Trace>> {
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        self.touch(&to.folder());
        let temporary = temporary(self.daybook.run(), at, to);
        let (from, watch) = (&step.item.path, self.watch);
        let route = Route { source, from, target, temporary: &temporary, watch };
        let published = self.publish(&route, step, to)?;
        Ok(published.map(|copied| Trace::at(Some(copied.stamp()))))
    }

    /// Makes a whole copy and puts it in place under its free name, or leaves nothing of it.
    fn publish(&mut self, route: &Route, step: &Step, to: &Spot) -> io::Result<StoreResult<Copied>> {
        // What is copied must be found again if the program is killed meanwhile.
        self.daybook.flush()?;
        let published = match route.target.entry(&to.path) {
            Ok(None) => route.copy(&step.stamp).and_then(|copied| route.publish(copied, &to.path)),
            Ok(Some(_)) => Err(StoreError::Taken),
            Err(error) => Err(error),
        };
        Ok(published.inspect_err(|_| {
            // The copy is ours and incomplete; the original has not been touched.
            self.half_left |= transfer::remove_copy(route.target, route.temporary).is_err();
        }))
    }

    /// Writes a folder into a pack, or takes an item out of one: under a temporary name, compared, and only
    /// then under its own.
    fn pack_or_unpack(&mut self, at: usize, step: &Step, to: &Spot) -> io::Result<StoreResult<Trace>> {
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        self.touch(&to.folder());
        self.daybook.flush()?;
        let temporary = temporary(self.daybook.run(), at, to);
        let now = Moment::from_timestamp((self.clock)().timestamp());
        let made = match &step.act {
            Act::Pack { .. } => packed((source, target), step, to, &temporary, (now, self.watch)),
            _ => unpacked((source, target), step, &temporary, self.watch),
        };
        let made = made.and_then(|stamp| {
            let stamp = transfer::publish(target, &temporary, &stamp, &to.path)?;
            Ok(Trace::at(Some(stamp)))
        });
        Ok(made.inspect_err(|_| self.half_left |= transfer::remove_copy(target, &temporary).is_err()))
    }

    /// Takes a member of a set back, since another could not be done. Returns as what it is found now, if
    /// it had to be copied back.
    fn take_back(&mut self, at: usize, step: &Step, trace: &Trace) -> io::Result<Option<Stamp>> {
        let stamp = trace.stamp.unwrap_or(step.stamp);
        let (act, item) = match (&step.act, &trace.kept_as) {
            (Act::Move { to }, _) => (Act::Move { to: step.item.clone() }, to.clone()),
            (Act::Copy { to } | Act::Pack { to } | Act::Unpack { to }, _) => (Act::discard(), to.clone()),
            (Act::Discard { .. }, Some(kept)) => (Act::Restore { kept_as: kept.clone() }, step.item.clone()),
            _ => return Ok(None),
        };
        let back = Step { act, item, stamp, ..step.clone() };
        match self.step(at, &back)? {
            Ok(trace) => Ok(trace.stamp),
            Err(error) => {
                self.daybook.done(at, trace.stamp, trace.kept_as.as_deref())?;
                Err(io::Error::other(format!("{} could not be taken back: {error}", step.item)))
            }
        }
    }
}

/// Writes a folder that is still what was planned into a pack under a temporary name.
fn packed(
    (source, target): (&dyn Store, &dyn Store),
    step: &Step,
    to: &Spot,
    temporary: &ItemPath,
    (now, watch): (Moment, &Watch),
) -> StoreResult<Stamp> {
    expect(source, &step.item.path, &step.stamp)?;
    if target.entry(&to.path)?.is_some() {
        return Err(StoreError::Taken);
    }
    let (form, _) = Form::of_name(to.path.name()).ok_or(StoreError::NotThere)?;
    packing::pack(source, &step.item.path, target, temporary, now, form, watch)
}

/// Takes an item out of a pack that is still what was planned, under a temporary name.
fn unpacked(
    (source, target): (&dyn Store, &dyn Store),
    step: &Step,
    temporary: &ItemPath,
    watch: &Watch,
) -> StoreResult<Stamp> {
    let (pack, at) = in_pack(&step.item).ok_or(StoreError::NotThere)?;
    expect(source, &pack.path, &step.stamp)?;
    packing::unpack(&Side { pack: Pack::named(source, &pack.path)?, at: &at }, target, temporary, watch)
}

fn expect(store: &dyn Store, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
    match store.entry(path)? {
        Some(entry) if entry.stamp() == *stamp => Ok(()),
        Some(_) => Err(StoreError::Changed),
        None => Err(StoreError::NotThere),
    }
}

fn together_words(step: usize, because: &str) -> String {
    format!("it belongs together with step {}, which failed: {because}", step + 1)
}
