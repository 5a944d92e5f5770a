//! Carries out the steps of a checked worklist.

use std::collections::{BTreeSet, HashMap};
use std::io;

use nine_core::archive::{Form, in_pack};
use nine_core::item::{Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step};
use nine_stores::packs::Pack;
use nine_stores::{Places, Store, StoreError, StoreResult, Watch};

use crate::Clock;
use crate::batch::Batch;
use crate::daybook::{Writer, stamp};
use crate::folders::Folders;
use crate::lists::Lists;
use crate::outcome::{Failed, Outcome, Trace};
use crate::packing::{self, Side};
use crate::transfer::{self, Copying, Piece, Retracted, Route};
use crate::{at_once, copies, removal};

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
    /// Folders that were packed, with all that lay in them as it was compared.
    packed: HashMap<Spot, Vec<Piece>>,
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
        let (folders, packed) = (Folders::default(), HashMap::new());
        Self { places, daybook, watch, clock, progress, folders, half_left: false, packed }
    }

    /// Carries out the steps. Those that belong together are done all or not at all.
    ///
    /// # Errors
    /// If the daybook cannot be written: then no further step is begun.
    pub fn carry(&mut self, steps: &[Step]) -> io::Result<Outcome> {
        // The person was asked in between, and may have taken a while.
        self.places.look_anew();
        self.places.name_own(self.daybook.names().token);
        let mut outcome = Outcome::default();
        let (lists, items): (Vec<_>, Vec<_>) =
            steps.iter().enumerate().partition(|(_, step)| step.act == Act::List);
        self.carry_items(steps, &items, &mut outcome)?;
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
        if !outcome.failed.is_empty() || outcome.not_begun > 0 {
            // Nothing came into some of the folders that were made for it.
            let made = std::mem::take(&mut self.folders.made);
            outcome.is_open |= self.clear_away(&made).1;
        }
        self.note_not_shown(steps, &mut outcome)?;
        outcome.unsure = self.sync_touched();
        Ok(outcome)
    }

    /// Takes off what was moved and does not show where it was moved to, since somebody else was there at the same
    /// moment: that is no move.
    fn note_not_shown(&mut self, steps: &[Step], outcome: &mut Outcome) -> io::Result<()> {
        for spot in self.not_shown() {
            let is_it = |at: &usize| steps[*at].target() == Some(&spot);
            let Some(at) = outcome.carried.iter().copied().find(is_it) else { continue };
            outcome.carried.retain(|carried| *carried != at);
            let because = format!("it was moved to {spot}, and something else has its place there now");
            self.daybook.failed(at, &because, None)?;
            outcome.failed.push(Failed { step: at, because });
        }
        Ok(())
    }

    fn carry_items(
        &mut self,
        steps: &[Step],
        items: &[(usize, &Step)],
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let mut sets: HashMap<u32, Vec<usize>> = HashMap::new();
        for (at, step) in items {
            if let Some(set) = step.together {
                sets.entry(set).or_default().push(*at);
            }
        }
        let mut over = BTreeSet::new();
        let mut batch = Batch::default();
        let mut left = items;
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

    /// Writes down what came of a step.
    pub(crate) fn note(
        &mut self,
        at: usize,
        steps: &[Step],
        came: StoreResult<Trace>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let trace = match came {
            Ok(trace) => trace,
            Err(error) => return self.note_failure(at, &error, None, outcome),
        };
        if trace.stayed.for_now {
            // What is not written down is looked at by the next command, which takes the rest away.
            outcome.is_open = true;
        } else {
            self.daybook.done(at, &trace)?;
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
        Ok(())
    }

    /// Writes down that a step could not be done; `stamp` is as what its item is found now, if that is another.
    fn note_failure(
        &mut self,
        at: usize,
        error: &StoreError,
        stamp: Option<Stamp>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let because = error.to_string();
        // What is not written down is looked at by the next command.
        let is_open = std::mem::take(&mut self.half_left) || matches!(error, StoreError::Unsure(_));
        outcome.is_open |= is_open;
        if !is_open {
            self.daybook.failed(at, &because, stamp)?;
        }
        outcome.failed.push(Failed { step: at, because });
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
        let listed = Lists { places: self.places, dated, names, at, now, watch: self.watch };
        listed.update(done)
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
                Ok(trace) if trace.stamp.is_none() && !self.moved_away(&steps[*at]).is_empty() => {
                    traces.push((*at, trace));
                    Err(StoreError::FolderMoved)
                }
                done => done.map(|trace| traces.push((*at, trace))),
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
            self.look_anew();
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
            self.look_anew();
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
    /// if that is gone or has changed by the time it is in the trash, or if anything in it has.
    fn discard(&mut self, store: &dyn Store, step: &Step, copy_of: Option<&Original>) -> StoreResult<Trace> {
        let compared = copy_of.map(|original| copies::expect_same(self.places, &step.item, original));
        let seen = match compared {
            Some(compared) => Some(compared?),
            // What was packed goes only as what was packed.
            None => self.packed.remove(&step.item),
        };
        let day = (self.clock)().strftime("%Y-%m-%dT%H:%M:%S").to_string();
        self.touch(&step.item.folder());
        let kept = store.discard(&step.item.path, &step.stamp, &day)?;
        let is_as_seen = |seen: &Vec<Piece>| {
            let (trash, path) = store.discarded(&kept)?;
            copies::is_as_seen(&*trash, &path, seen)
        };
        let gone = match seen.filter(|_| step.kind == Kind::Folder).map(|seen| is_as_seen(&seen)) {
            Some(Ok(false)) => Err(StoreError::Changed),
            Some(Err(error)) => Err(error),
            _ => copy_of.map_or(Ok(()), |original| copies::expect_there(self.places, original)),
        };
        if let Err(gone) = gone {
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
        let temporary = self.daybook.names().temporary(at, to);
        let (from, watch) = (&step.item.path, self.watch);
        let route = Route { source, from, target, temporary: &temporary, watch };
        let copying = match self.publish(&route, at, step, to)? {
            Ok(copying) => copying,
            Err(error) => return Ok(Err(error)),
        };
        if !self.moved_away(step).is_empty() {
            self.half_left |= route.retract(&copying, &to.path) != Retracted::Gone;
            return Ok(Err(StoreError::FolderMoved));
        }
        // The way to the copy must be as safe as the copy before its original goes.
        for folder in std::mem::take(&mut self.folders.made_in) {
            let _ = self.places.of(&folder).and_then(|store| store.sync_folder(&folder.path));
        }
        Ok(copying.stamp().and_then(|stamp| {
            let stayed = route.remove_original(&copying, &to.path)?;
            Ok(Trace { stamp: Some(stamp), stayed, kept_as: None })
        }))
    }

    fn copy_item(&mut self, at: usize, step: &Step, to: &Spot) -> io::Result<StoreResult<Trace>> {
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        self.touch(&to.folder());
        let temporary = self.daybook.names().temporary(at, to);
        let (from, watch) = (&step.item.path, self.watch);
        let route = Route { source, from, target, temporary: &temporary, watch };
        let published = self.publish(&route, at, step, to)?;
        Ok(published.and_then(|copying| Ok(Trace::at(Some(copying.stamp()?)))))
    }

    /// Makes a whole copy and puts it in place under its free name, or leaves nothing of it.
    fn publish(
        &mut self,
        route: &Route,
        at: usize,
        step: &Step,
        to: &Spot,
    ) -> io::Result<StoreResult<Copying>> {
        let is_free = match route.target.entry(&to.path) {
            Ok(None) => Ok(()),
            Ok(Some(_)) => Err(StoreError::Taken),
            Err(error) => Err(error),
        };
        let mut copying = match is_free.and_then(|()| route.survey(&step.stamp)) {
            Ok(copying) => copying,
            Err(error) => return Ok(Err(error)),
        };
        // What is copied must be found again if the program is killed meanwhile.
        match copying.is_folder() {
            true => self.daybook.pieces(at, &copying.pieces)?,
            false => self.daybook.flush()?,
        }
        let mut published = route.copy(&mut copying);
        if published.is_ok() && copying.is_folder() {
            self.daybook.copied(at, &copying.pieces)?;
        }
        published = published.and_then(|()| route.publish(&mut copying, &to.path));
        Ok(match published {
            Ok(()) => Ok(copying),
            Err(error) => {
                // The copy is ours and incomplete; the original has not been touched.
                self.half_left |= route.take_away(&copying).is_err();
                Err(error)
            }
        })
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
        let temporary = self.daybook.names().temporary(at, to);
        let now = Moment::from_timestamp((self.clock)().timestamp());
        let made = match &step.act {
            Act::Pack { .. } => packed((source, target), step, to, &temporary, (now, self.watch)),
            _ => unpacked((source, target), step, &temporary, self.watch).map(|stamp| (stamp, Vec::new())),
        };
        let made = made.and_then(|(stamp, seen)| {
            let stamp = transfer::publish(target, &temporary, &stamp, &to.path)?;
            self.packed.insert(step.item.clone(), seen);
            Ok(Trace::at(Some(stamp)))
        });
        Ok(made.inspect_err(|error| {
            // What could not be begun since the name is taken is somebody else's.
            if !matches!(error, StoreError::Taken) {
                self.half_left |= removal::remove_tree(target, &temporary).is_err();
            }
        }))
    }

    /// Takes a step back. Returns as what its item is found now, if it had to be copied back; or why it stays.
    pub(crate) fn take_back(
        &mut self,
        at: usize,
        step: &Step,
        trace: &Trace,
    ) -> io::Result<StoreResult<Option<Stamp>>> {
        let stamp = trace.stamp.unwrap_or(step.stamp);
        let (act, item) = match (&step.act, &trace.kept_as) {
            (Act::Move { to }, _) => match self.move_back(step, to, &stamp) {
                Err(StoreError::OtherDomain) => (Act::Move { to: step.item.clone() }, to.clone()),
                back => return Ok(back),
            },
            (Act::Tag { from, to }, _) => {
                (Act::Tag { from: to.clone(), to: from.clone() }, step.item.clone())
            }
            (Act::Copy { to } | Act::Pack { to } | Act::Unpack { to }, _) => (Act::discard(), to.clone()),
            (Act::Discard { .. }, Some(kept)) => {
                let restored = self.places.of(&step.item);
                return Ok(restored.and_then(|store| store.restore(kept, &step.stamp, &step.item.path)));
            }
            _ => return Ok(Ok(None)),
        };
        let back = Step { act, item, stamp, ..step.clone() };
        Ok(self.step(at, &back)?.map(|trace| trace.stamp))
    }

    /// Moves an item back to where it was, through the folders that it came through, wherever these are by now.
    fn move_back(&self, step: &Step, to: &Spot, stamp: &Stamp) -> StoreResult<Option<Stamp>> {
        let (source, target) = (self.places.of(&step.item)?, self.places.of(to)?);
        target.rename(&to.path, stamp, source, &step.item.path)
    }
}

/// Writes a folder that is still what was planned into a pack under a temporary name.
fn packed(
    (source, target): (&dyn Store, &dyn Store),
    step: &Step,
    to: &Spot,
    temporary: &ItemPath,
    (now, watch): (Moment, &Watch),
) -> StoreResult<(Stamp, Vec<Piece>)> {
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
        Some(entry) if store.is_same(&entry, stamp) => Ok(()),
        Some(_) => Err(StoreError::Changed),
        None => Err(StoreError::NotThere),
    }
}
