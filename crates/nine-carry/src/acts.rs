//! One step done: a name moved, an item copied and compared, packed, discarded, tagged; and taken back.

use std::io;

use nine_core::archive::{Form, in_pack};
use nine_core::item::{Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step};
use nine_stores::packs::Pack;
use nine_stores::{ReadStore, Store, StoreError, StoreResult, Watch, in_use};

use crate::carrier::Carrier;
use crate::folders::expect_both_in_place;
use crate::original::{expect_same, expect_there};
use crate::outcome::Trace;
use crate::packing::{self, PackSide};
use crate::pieces::{self, Piece};
use crate::removal;
use crate::texts;
use crate::transfer::{self, Copying, Retracted, Route};

impl<'a> Carrier<'a> {
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
            Act::Restore { kept_as } => {
                match self.folders.make(&step.item.folder(), self.places, self.daybook)? {
                    Ok(()) => {
                        self.folders.touch(&step.item.folder());
                        let restored = store.restore(kept_as, &step.stamp, &step.item.path);
                        restored.map(Trace::at)
                    }
                    Err(error) => Err(error),
                }
            }
            Act::Make => {
                let made = self.folders.make(&step.item, self.places, self.daybook)?;
                made.map(|()| Trace::default())
            }
            Act::Unmake => {
                self.folders.touch(&step.item.folder());
                match store.remove_empty_folder(&step.item.path) {
                    Ok(true) => Ok(Trace::default()),
                    Ok(false) => Err(StoreError::NotEmpty),
                    Err(error) => Err(error),
                }
            }
            Act::Write { from, to } => return self.write_text(at, step, from.as_deref(), to),
            Act::Move { to } => return self.move_item(at, step, to),
            Act::Copy { to } => return self.copy_item(at, step, to),
            Act::Pack { to } => return self.pack_or_unpack(at, step, to),
            Act::Unpack { to } => return self.pack_or_unpack(at, step, to),
        })
    }

    /// Puts an item into the trash. A copy goes only if what stays holds the same bytes, and comes back
    /// if that is gone or has changed by the time it is in the trash, or if anything in it has.
    fn discard(&mut self, store: &dyn Store, step: &Step, copy_of: Option<&Original>) -> StoreResult<Trace> {
        let compared = copy_of.map(|original| expect_same(self.places, &step.item, original, self.watch));
        let seen = match compared {
            Some(compared) => Some(compared?),
            // What was packed goes only as what was packed.
            None => self.packed.remove(&step.item),
        };
        let day = (self.clock)().strftime("%Y-%m-%dT%H:%M:%S").to_string();
        self.folders.touch(&step.item.folder());
        let kept = store.discard(&step.item.path, &step.stamp, &day)?;
        let is_as_seen = |seen: &Vec<Piece>| {
            let (trash, path) = store.discarded(&kept)?;
            pieces::is_as_seen(&*trash, &path, seen)
        };
        let gone = match seen.filter(|_| step.kind == Kind::Folder).map(|seen| is_as_seen(&seen)) {
            Some(Ok(false)) => Err(StoreError::Changed),
            Some(Err(error)) => Err(error),
            _ => copy_of.map_or(Ok(()), |original| expect_there(self.places, original)),
        };
        let Err(gone) = gone else { return Ok(Trace { kept_as: Some(kept), ..Trace::default() }) };
        match store.restore(&kept, &step.stamp, &step.item.path) {
            Ok(_) => Err(gone),
            // Written down as done, so that `undo` knows where it is.
            Err(stays) => {
                let remark = format!("{gone}; the item is in the trash and could not be restored: {stays}");
                Ok(Trace { kept_as: Some(kept), remark: Some(remark), ..Trace::default() })
            }
        }
    }

    /// Puts a text in the place of the one that was planned with.
    fn write_text(
        &mut self,
        at: usize,
        step: &Step,
        from: Option<&str>,
        to: &str,
    ) -> io::Result<StoreResult<Trace>> {
        if let Err(error) = self.folders.make(&step.item.folder(), self.places, self.daybook)? {
            return Ok(Err(error));
        }
        self.folders.touch(&step.item.folder());
        // What is half-written must be found again if the program is killed meanwhile.
        self.daybook.flush()?;
        let temporary = self.daybook.names().temporary(at, &step.item);
        let store = self.places.of(&step.item);
        Ok(store.and_then(|store| texts::write(store, &step.item.path, from, to, &temporary).map(Trace::at)))
    }

    /// The stores of an item and of its target, whose folder is made.
    pub(crate) fn both_ends(
        &mut self,
        step: &Step,
        to: &Spot,
    ) -> io::Result<StoreResult<(&'a dyn Store, &'a dyn Store)>> {
        if let Err(error) = self.folders.make(&to.folder(), self.places, self.daybook)? {
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
        self.folders.touch(&step.item.folder());
        self.folders.touch(&to.folder());
        match source.rename(&step.item.path, &step.stamp, target, &to.path) {
            Err(StoreError::OtherDomain) => {}
            moved => return Ok(moved.map(Trace::at)),
        }
        let temporary = self.daybook.names().temporary(at, to);
        let (from, watch) = (&step.item.path, self.watch);
        let route = Route { source, from, target, temporary: &temporary, watch };
        let published = match self.expect_movable(step) {
            Ok(()) => self.publish(&route, at, step, to)?,
            Err(error) => Err(error),
        };
        let copying = match published {
            Ok(copying) => copying,
            Err(error) => return Ok(Err(error)),
        };
        let is_safe = expect_both_in_place(self.places, step);
        if let Err(error) = is_safe.and_then(|()| self.folders.sync_made_in(self.places)) {
            self.half_left |= route.retract(&copying, &to.path) != Retracted::Gone;
            return Ok(Err(error));
        }
        Ok(copying.stamp().and_then(|stamp| {
            let stayed = route.remove_original(&copying, &to.path)?;
            Ok(Trace { stamp: Some(stamp), stayed, ..Trace::default() })
        }))
    }

    /// Makes sure, before anything of an item is copied to another file system, that all of the original can go
    /// afterwards, and that no other program writes to it.
    ///
    /// # Errors
    /// [`StoreError::InUse`], [`StoreError::Protected`], or why it cannot be looked at.
    pub(crate) fn expect_movable(&mut self, step: &Step) -> StoreResult<()> {
        let (store, path) = (self.places.of(&step.item)?, &step.item.path);
        // A drive shows neither.
        if store.location(path).local().is_none() {
            return Ok(());
        }
        let top = store.entry(path)?.ok_or(StoreError::NotThere)?;
        let in_use = self.in_use.get_or_init(in_use);
        for piece in pieces::pieces(store, path, top)? {
            if in_use.contains(&piece.entry.identity) {
                return Err(StoreError::InUse);
            }
            let whole = path.join_path(&piece.below);
            if store.is_protected(&whole)? {
                return Err(StoreError::Protected(whole.to_string()));
            }
        }
        Ok(())
    }

    fn copy_item(&mut self, at: usize, step: &Step, to: &Spot) -> io::Result<StoreResult<Trace>> {
        let (source, target) = match self.both_ends(step, to)? {
            Ok(ends) => ends,
            Err(error) => return Ok(Err(error)),
        };
        self.folders.touch(&to.folder());
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
        let mut copying = match route.survey(&step.stamp, &to.path) {
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
        self.folders.touch(&to.folder());
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
            (Act::Make, _) => (Act::Unmake, step.item.clone()),
            (Act::Unmake, _) => (Act::Make, step.item.clone()),
            (Act::Write { from: None, .. }, _) => (Act::discard(), step.item.clone()),
            (Act::Write { from: Some(from), to }, _) => {
                (Act::Write { from: Some(to.clone()), to: from.clone() }, step.item.clone())
            }
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
    packing::unpack(&PackSide { pack: Pack::named(source, &pack.path)?, at: &at }, target, temporary, watch)
}

fn expect(store: &dyn ReadStore, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
    match store.entry(path)? {
        Some(entry) if store.is_same(&entry, stamp) => Ok(()),
        Some(_) => Err(StoreError::Changed),
        None => Err(StoreError::NotThere),
    }
}
