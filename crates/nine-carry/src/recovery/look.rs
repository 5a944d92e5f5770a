//! How far a step got, read from both of its ends. What is half-done is finished if its copy is in place, and taken
//! back if it is not; what lies there that is not ours is left.

use std::collections::HashMap;

use nine_core::archive::in_pack;
use nine_core::item::{Entry, Kind, Stamp};
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::packs::Pack;
use nine_stores::{Places, ReadStore, Store, StoreError, StoreResult, Watch};

use crate::daybook::{Ended, Run};
use crate::outcome::Trace;
use crate::packing::{self, PackSide};
use crate::pieces::CopiesInPlace;
use crate::pieces::Piece;
use crate::removal::{self, Stayed, is_set_aside, remove_made, remove_piece, settle_aside};
use crate::same::{Depth, ItemOf, Trees};
use crate::texts;

/// How far a step got.
#[derive(Debug)]
pub(super) enum Reached {
    Done {
        trace: Trace,
        finished: bool,
    },
    NotBegun {
        half: Half,
    },
    Unclear(String),
    /// It cannot be looked at for now.
    Waits(String),
}

/// What became of what was half-made under a temporary name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Half {
    /// There was nothing.
    Nothing,
    /// It has been taken away.
    Gone,
    /// Something that is not the run's lies in it, and stays.
    Holds(Spot),
}

impl Reached {
    fn done(trace: Trace) -> Self {
        Self::Done { trace, finished: false }
    }

    /// Of a step that could not be looked at.
    pub fn of_error(error: &StoreError) -> Self {
        match error.may_pass() {
            true => Self::Waits(error.to_string()),
            false => Self::Unclear(error.to_string()),
        }
    }
}

/// A run that is looked at, in its places.
pub(super) struct Inspection<'a> {
    pub places: &'a Places,
    pub run: &'a Run,
    pub watch: &'a Watch,
    /// Where the run moves items to.
    moves: HashMap<&'a Spot, &'a Spot>,
    /// The tags that it gives: before and after.
    tags: HashMap<&'a Spot, (&'a [String], &'a [String])>,
}

impl<'a> Inspection<'a> {
    pub fn new(places: &'a Places, run: &'a Run, watch: &'a Watch) -> Self {
        let moves = run.steps.iter().filter_map(|step| match &step.act {
            Act::Move { to } => Some((&step.item, to)),
            _ => None,
        });
        let tags = run.steps.iter().filter_map(|step| match &step.act {
            Act::Tag { from, to } => Some((&step.item, (from.as_slice(), to.as_slice()))),
            _ => None,
        });
        Self { places, run, watch, moves: moves.collect(), tags: tags.collect() }
    }

    /// Looks at both ends of a step.
    pub fn look(&self, at: usize, step: &Step) -> StoreResult<Reached> {
        let store = self.places.of(&step.item)?;
        self.settle(step)?;
        let is_here = || -> StoreResult<bool> {
            Ok(store.entry(&step.item.path)?.is_some_and(|entry| store.is_same(&entry, &step.stamp)))
        };
        Ok(match &step.act {
            Act::Leave => Reached::done(Trace::default()),
            Act::Pack { .. } | Act::Unpack { .. } => self.look_at_pack(at, step)?,
            Act::Tag { from, to } => self.look_at_tags(step, from, to)?,
            Act::Make | Act::Unmake => {
                let is_there = store.entry(&step.item.path)?.is_some_and(|entry| entry.kind == Kind::Folder);
                match is_there == (step.act == Act::Make) {
                    true => Reached::done(Trace::default()),
                    false => Reached::NotBegun { half: Half::Nothing },
                }
            }
            Act::Write { from, to } => self.look_at_text(at, step, from.as_deref(), to)?,
            Act::Discard { .. } => match store.find_discarded(&step.item.path, &step.stamp)? {
                Some(kept) => Reached::done(Trace { kept_as: Some(kept), ..Trace::default() }),
                None if is_here()? => Reached::NotBegun { half: Half::Nothing },
                None => Reached::Unclear("it is neither in its place nor in the trash".into()),
            },
            Act::Restore { .. } => {
                // Inspection for it also takes away the note of what has left the trash.
                let kept = store.find_discarded(&step.item.path, &step.stamp)?;
                match (is_here()?, kept) {
                    (true, _) => Reached::done(Trace::default()),
                    (false, Some(_)) => Reached::NotBegun { half: Half::Nothing },
                    (false, None) => Reached::Unclear("it is neither in its place nor in the trash".into()),
                }
            }
            Act::Move { to } => self.look_at_move(store, at, step, to)?,
            Act::Copy { to } => self.look_at_copy(store, at, step, to)?,
        })
    }

    /// Looks again at a step that is written down as done: with the power the daybook may have kept what the places
    /// have lost. `None` if it is so still.
    pub fn look_again(&self, at: usize, step: &Step, ended: &Ended) -> StoreResult<Option<Reached>> {
        let store = self.places.of(&step.item)?;
        let is_here = |entry: Option<Entry>| entry.is_some_and(|entry| store.is_same(&entry, &step.stamp));
        if let Ended::Failed { .. } = ended {
            if let Some(to) = step.target() {
                self.take_back(at, step, self.places.of(to)?, to)?;
            }
            return Ok(None);
        }
        let is_lost = match &step.act {
            Act::Move { .. } => {
                self.settle(step)?;
                self.is_whole_again(store, step)?
            }
            Act::Discard { .. } => is_here(store.entry(&step.item.path)?),
            Act::Restore { .. } => {
                let is_back = is_here(store.entry(&step.item.path)?);
                !is_back && store.find_discarded(&step.item.path, &step.stamp)?.is_some()
            }
            Act::Tag { from, to } => {
                let (store, path) = self.tagged(step)?;
                from != to && store.entry(path)?.is_some() && store.tags(path)? == *from
            }
            Act::Make => store.entry(&step.item.path)?.is_none(),
            Act::Write { from, to } => {
                let now = texts::read(store, &step.item.path)?.map(|(bytes, _)| bytes);
                now.as_deref() == from.as_deref().map(str::as_bytes) && from.as_ref() != Some(to)
            }
            _ => false,
        };
        if is_lost { self.look(at, step).map(Some) } else { Ok(None) }
    }

    /// A text has its name at once; until then it is taken away.
    fn look_at_text(&self, at: usize, step: &Step, from: Option<&str>, to: &str) -> StoreResult<Reached> {
        let store = self.places.of(&step.item)?;
        let half = self.take_back(at, step, store, &step.item)?;
        Ok(match texts::read(store, &step.item.path)? {
            Some((now, stamp)) if now == to.as_bytes() => Reached::done(Trace::at(Some(stamp))),
            now if now.as_ref().map(|(now, _)| now.as_slice()) == from.map(str::as_bytes) => {
                Reached::NotBegun { half }
            }
            _ => Reached::Unclear("its text is neither the old nor the new one".into()),
        })
    }

    /// Gives what has a name of ours at one end of a step its own back.
    fn settle(&self, step: &Step) -> StoreResult<()> {
        let (token, store, path) = (&self.run.token, self.places.of(&step.item)?, &step.item.path);
        if let Some(to) = step.target() {
            let target = self.places.of(to)?;
            settle_aside(store, token, path, Some((target, &to.path)))?;
            settle_aside(target, token, &to.path, Some((store, path)))?;
        } else if is_set_aside(store, token, path)? {
            let kept = store.find_discarded(path, &step.stamp)?;
            let trash = kept.map(|kept| store.discarded(&kept)).transpose()?;
            settle_aside(store, token, path, trash.as_ref().map(|(trash, path)| (&**trash, path)))?;
        }
        Ok(())
    }

    /// Whether an item that was moved away is at its old place.
    fn is_whole_again(&self, store: &dyn ReadStore, step: &Step) -> StoreResult<bool> {
        let here = store.entry(&step.item.path)?;
        Ok(here.is_some_and(|entry| {
            let is_it = store.same_identity(&entry.identity, &step.stamp.identity);
            is_it && entry.kind == step.kind
        }))
    }

    /// A tagged item may have been moved by a later step of the run.
    fn tagged<'s>(&'s self, step: &'s Step) -> StoreResult<(&'s dyn ReadStore, &'s ItemPath)> {
        let store = self.places.of(&step.item)?;
        match self.moves.get(&step.item) {
            Some(moved) if store.entry(&step.item.path)?.is_none() => {
                Ok((self.places.of(moved)?, &moved.path))
            }
            _ => Ok((store, &step.item.path)),
        }
    }

    fn look_at_tags(&self, step: &Step, from: &[String], to: &[String]) -> StoreResult<Reached> {
        let (store, path) = self.tagged(step)?;
        Ok(match store.tags(path)? {
            tags if tags == to => Reached::done(Trace::default()),
            tags if tags == from => Reached::NotBegun { half: Half::Nothing },
            _ => Reached::Unclear("its tags are neither the old nor the new ones".into()),
        })
    }

    /// Takes away what was half-made under the temporary name of a step. What the daybook does not know as ours stays.
    fn take_back(&self, at: usize, step: &Step, target: &dyn Store, to: &Spot) -> StoreResult<Half> {
        let temporary = self.run.names().temporary(at, to);
        if self.run.token.is_empty() || target.entry(&temporary)?.is_none() {
            return Ok(Half::Nothing);
        }
        match self.run.pieces.get(&at) {
            Some(pieces) => {
                let made = pieces.iter().map(|piece| (&piece.below, piece.entry.kind));
                remove_made(target, &temporary, made)?;
            }
            // What comes out of a pack is listed nowhere before.
            None if matches!(step.act, Act::Unpack { .. }) => {
                removal::remove_tree(target, &temporary)?;
            }
            None => removal::remove_own_file(target, &temporary)?,
        }
        Ok(match target.entry(&temporary)? {
            None => Half::Gone,
            Some(_) => Half::Holds(Spot::new(to.place.clone(), temporary)),
        })
    }

    fn look_at_move(&self, source: &dyn Store, at: usize, step: &Step, to: &Spot) -> StoreResult<Reached> {
        let target = self.places.of(to)?;
        let half = self.take_back(at, step, target, to)?;
        let (old, new) = (source.entry(&step.item.path)?, target.entry(&to.path)?);
        let Some(new) = new else {
            return Ok(match old {
                Some(_) => Reached::NotBegun { half },
                None => Reached::Unclear("it is neither at its old nor at its new place".into()),
            });
        };
        // Where inode numbers do not last a copy may look like its original.
        let is_here = old.as_ref().is_some_and(|old| source.is_same(old, &step.stamp));
        let is_moved = target.is_same(&new, &step.stamp) && !is_here;
        if is_moved || old.is_none() && target.is_it(&new, &step.stamp) {
            let stamp = Some(new.stamp()).filter(|stamp| *stamp != step.stamp);
            return Ok(Reached::done(Trace { stamp, ..Trace::default() }));
        }
        match (old, self.run.pieces.get(&at)) {
            (old, Some(pieces)) if self.is_published(target, &new, pieces) => {
                self.finish(source, step, (target, to), &new, pieces, old.is_some())
            }
            // Whole beside its copy: nothing of it can have gone, and it goes only if all of it is there twice.
            (Some(old), _) if source.same_identity(&old.identity, &step.stamp.identity) => {
                let tags = self.tags.get(&step.item).copied();
                let ends = (ItemOf::new(source, &step.item.path), ItemOf::new(target, &to.path));
                let trees = Trees::look(ends.0, ends.1, Depth::All(tags))?;
                match trees.map(|trees| trees.compare(self.watch)).transpose()? {
                    Some((same, 0)) => self.finish(source, step, (target, to), &new, &same, true),
                    _ => Ok(Reached::NotBegun { half }),
                }
            }
            (Some(_), _) => Ok(Reached::NotBegun { half }),
            (None, _) if new.kind == step.kind && new.stamp().size == step.stamp.size => {
                Ok(Reached::done(Trace::at(Some(new.stamp()))))
            }
            (None, _) => Ok(Reached::Unclear("it is gone, and what is at its new place is another".into())),
        }
    }

    /// Whether what lies at a target is the copy that was compared and put there.
    fn is_published(&self, target: &dyn ReadStore, new: &Entry, pieces: &[Piece]) -> bool {
        pieces.first().and_then(|top| top.copy).is_some_and(|copy| {
            let is_copy = target.same_identity(&new.identity, &copy.identity);
            new.kind == pieces[0].entry.kind && (is_copy || target.is_it(new, &copy))
        })
    }

    /// Takes the original of a copy away that is in place, each piece only as it was compared; the rest stays, and is
    /// told.
    fn finish(
        &self,
        source: &dyn Store,
        step: &Step,
        (target, to): (&dyn Store, &Spot),
        new: &Entry,
        pieces: &[Piece],
        mut was_half: bool,
    ) -> StoreResult<Reached> {
        // The copy must be safe before its original goes, and so must the folders that were made for it.
        let made_in = self.run.made.iter().filter(|made| to.is_inside(made)).map(Spot::folder);
        for folder in made_in.chain([to.folder()]) {
            target.sync_folder(&folder.path)?;
        }
        let copies = CopiesInPlace::look(target, &to.path, pieces)?;
        let mut stayed = Stayed::default();
        for piece in pieces.iter().rev() {
            let path = step.item.path.join_path(&piece.below);
            was_half |= settle_aside(source, &self.run.token, &path, None)?;
            match remove_piece(source, &step.item.path, piece, &copies) {
                Ok(true) => {}
                Err(error) if error.is_passing() => return Err(error),
                _ => stayed.count += 1,
            }
        }
        let trace = Trace { stamp: Some(new.stamp()), stayed, ..Trace::default() };
        Ok(Reached::Done { trace, finished: was_half })
    }

    /// What was packed or unpacked counts once it has its name and both sides are the same.
    fn look_at_pack(&self, at: usize, step: &Step) -> StoreResult<Reached> {
        let store = self.places.of(&step.item)?;
        let (target, to) = match &step.act {
            Act::Pack { to } | Act::Unpack { to } => (self.places.of(to)?, to),
            _ => return Ok(Reached::NotBegun { half: Half::Nothing }),
        };
        let half = self.take_back(at, step, target, to)?;
        let (pack, inside, disk) = match &step.act {
            Act::Pack { .. } => (to.clone(), ItemPath::root(), (store, &step.item.path)),
            _ => {
                let (pack, inside) = in_pack(&step.item).unwrap_or((step.item.clone(), ItemPath::root()));
                (pack, inside, (target, &to.path))
            }
        };
        let side = PackSide { pack: Pack::named(self.places.of(&pack)?, &pack.path)?, at: &inside };
        let made = target.entry(&to.path)?;
        let both = side.pack.store.entry(side.pack.path)?.is_some() && disk.0.entry(disk.1)?.is_some();
        // The folder may have gone into the trash after it was packed.
        let same = || packing::compare(&side, disk.0, disk.1, None, self.watch).is_ok();
        Ok(match made.filter(|_| !both || same()) {
            Some(made) => Reached::done(Trace::at(Some(made.stamp()))),
            None => Reached::NotBegun { half },
        })
    }

    /// A copy counts once it has its name; until then it is taken away.
    fn look_at_copy(&self, source: &dyn Store, at: usize, step: &Step, to: &Spot) -> StoreResult<Reached> {
        let target = self.places.of(to)?;
        let half = self.take_back(at, step, target, to)?;
        let original = source.entry(&step.item.path)?;
        let Some(copy) = target.entry(&to.path)? else {
            return Ok(Reached::NotBegun { half });
        };
        let stamp: Stamp = copy.stamp();
        let is_copy = match original {
            // A later step of the run took the original away; size and time travel with a copy.
            None => stamp.size == step.stamp.size && copy.modified == step.stamp.modified,
            Some(_) => {
                let ends = (ItemOf::new(source, &step.item.path), ItemOf::new(target, &to.path));
                let trees = Trees::look(ends.0, ends.1, Depth::All(None))?;
                matches!(trees.map(|trees| trees.compare(self.watch)).transpose()?, Some((_, 0)))
            }
        };
        Ok(match is_copy {
            true => Reached::done(Trace::at(Some(stamp))),
            false => Reached::NotBegun { half },
        })
    }
}
