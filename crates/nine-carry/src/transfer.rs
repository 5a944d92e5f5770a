//! A move between file systems or stores: copied to a temporary name beside the target, compared,
//! put in place, and only then taken away from where it was.

use std::collections::HashMap;
use std::io::Read;

use nine_core::item::{Identity, Kind, Stamp};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_stores::{Meta, OWN, ReadStore, Store, StoreError, StoreResult, Watch, sum_of};

use crate::pieces::{CopiesInPlace, Piece, is_as_copied, pieces};
use crate::removal::{self, Stayed, remove_made};
use crate::same::{Counted, Depth, ItemOf, same_item};

/// How often a file is sent again from its start.
const TRIES: u32 = 3;

/// Whose names these are: a run's token, and its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Names<'a> {
    /// What no other run on any machine has in its names; empty in daybooks of format 2.
    pub token: &'a str,
    /// The run's number.
    pub run: u64,
}

impl Names<'_> {
    /// The name under which a step's copy is made, beside its target.
    pub fn temporary(&self, step: usize, target: &Spot) -> ItemPath {
        let number = step + 1;
        let name = match self.token {
            "" => format!("{OWN}{}-{number}", self.run),
            token => format!("{OWN}{token}-{number}"),
        };
        target.path.beside(&NameBuf::new(name).expect("a token holds no slash"))
    }
}

/// A copy under its temporary name, or in the making.
#[derive(Debug)]
#[must_use]
pub struct Copying {
    /// Everything, parents first; the first is the item itself.
    pub pieces: Vec<Piece>,
    /// How many of them have been made, or half-made.
    made: usize,
}

impl Copying {
    /// As what the copy is found, once it was compared.
    pub fn stamp(&self) -> StoreResult<Stamp> {
        self.pieces.first().and_then(|piece| piece.copy).ok_or(StoreError::CopyDiffers)
    }

    /// Notes as what the copy is found now, where that is another stamp.
    pub(crate) fn found_as(&mut self, stamp: Stamp) {
        if let Some(top) = self.pieces.first_mut() {
            top.copy = Some(stamp);
        }
    }

    /// Whether it is more than one file.
    pub fn is_folder(&self) -> bool {
        self.pieces.first().is_some_and(|piece| piece.entry.kind == Kind::Folder)
    }
}

/// What became of a copy that was taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Retracted {
    /// It is gone.
    Gone,
    /// It has its temporary name, and something of it could not be taken away.
    HalfLeft,
    /// It is where it was put.
    InPlace,
}

/// What a transfer works between.
pub struct Route<'a> {
    /// Where the item is.
    pub source: &'a dyn Store,
    /// Its path there.
    pub from: &'a ItemPath,
    /// Where it goes.
    pub target: &'a dyn Store,
    /// The temporary path there.
    pub temporary: &'a ItemPath,
    /// Told of the bytes that pass; ends the transfer when it is stopped.
    pub watch: &'a Watch,
}

impl Route<'_> {
    /// Looks at all that is to be copied, and whether its name is free.
    ///
    /// # Errors
    /// If it is not what was planned, or cannot be looked at; [`StoreError::Taken`].
    pub fn survey(&self, stamp: &Stamp, to: &ItemPath) -> StoreResult<Copying> {
        if self.target.entry(to)?.is_some() {
            return Err(StoreError::Taken);
        }
        let top = self.source.entry(self.from)?.ok_or(StoreError::NotThere)?;
        if !self.source.is_same(&top, stamp) {
            return Err(StoreError::Changed);
        }
        Ok(Copying { pieces: pieces(self.source, self.from, top)?, made: 0 })
    }

    /// Copies the item to the temporary name and compares it.
    ///
    /// # Errors
    /// If anything could not be copied with all that belongs to it, or did not come out the same.
    /// The caller then takes the temporary copy away with [`Route::take_away`].
    pub fn copy(&self, copying: &mut Copying) -> StoreResult<()> {
        let mut linked: HashMap<Identity, usize> = HashMap::new();
        for at in 0..copying.pieces.len() {
            let piece = &copying.pieces[at];
            let first = linked.get(&piece.entry.identity).map(|first| &copying.pieces[*first].below);
            let made = match first {
                Some(first) => self.link_piece(first, piece),
                None => self.copy_piece(piece),
            };
            // What could not be begun since the name is taken is somebody else's.
            copying.made = if matches!(made, Err(StoreError::Taken)) { at } else { at + 1 };
            made?;
            if piece.entry.kind == Kind::File {
                linked.entry(piece.entry.identity).or_insert(at);
            }
        }
        // Filled folders get their times last, the deepest first.
        for piece in copying.pieces.iter().rev().filter(|piece| piece.entry.kind == Kind::Folder) {
            let meta = self.source.meta(&self.from.join_path(&piece.below))?;
            self.target.set_folder_meta(&self.temporary.join_path(&piece.below), &meta)?;
        }
        self.compare_all(copying)
    }

    /// Writes a single file under the temporary name. Only once the store has flushed it, it may be compared.
    ///
    /// # Errors
    /// As [`Route::copy`].
    pub fn write_unflushed(&self, copying: &mut Copying) -> StoreResult<()> {
        let [piece] = copying.pieces.as_slice() else { return Err(StoreError::Special) };
        let written = self.copy_file(piece, self.from, self.temporary, |content, meta| {
            self.target.write_unflushed(self.temporary, content, Some(piece.entry.size), meta)
        });
        copying.made = usize::from(!matches!(written, Err(StoreError::Taken)));
        written
    }

    /// Compares what was copied, once it is on the disk.
    ///
    /// # Errors
    /// As [`Route::copy`].
    pub fn compare_all(&self, copying: &mut Copying) -> StoreResult<()> {
        for piece in &mut copying.pieces {
            piece.copy = Some(self.compare(piece)?);
        }
        Ok(())
    }

    fn copy_piece(&self, piece: &Piece) -> StoreResult<()> {
        let from = self.from.join_path(&piece.below);
        let to = self.temporary.join_path(&piece.below);
        match piece.entry.kind {
            Kind::Folder => self.target.make_folder(&to).and_then(|made| match made {
                true => Ok(()),
                false => Err(StoreError::Taken),
            }),
            Kind::Link => {
                self.target.link_new(&to, &self.source.read_link(&from)?, &self.source.meta(&from)?)
            }
            Kind::File => self.copy_file(piece, &from, &to, |content, meta| {
                self.target.write_new(&to, content, Some(piece.entry.size), meta)
            }),
            Kind::Other => Err(StoreError::Special),
        }
    }

    /// Makes another name of a file that was copied under a first one, where the target has such names.
    fn link_piece(&self, first: &ItemPath, piece: &Piece) -> StoreResult<()> {
        let (first, name) = (self.temporary.join_path(first), self.temporary.join_path(&piece.below));
        match self.target.link_again(&first, &name)? {
            true => Ok(()),
            false => self.copy_piece(piece),
        }
    }

    fn copy_file(
        &self,
        piece: &Piece,
        from: &ItemPath,
        to: &ItemPath,
        write: impl Fn(&mut dyn Read, &Meta) -> StoreResult<u64>,
    ) -> StoreResult<()> {
        let meta = self.source.meta(from)?;
        let written = again_from_start(self.target, to, &mut || {
            write(&mut Counted::open(self.source, from, self.watch)?, &meta)
        })?;
        if written == piece.entry.size { Ok(()) } else { Err(StoreError::Changed) }
    }

    /// Reads both sides again and holds them against one another. Returns as what the copy was found.
    fn compare(&self, piece: &Piece) -> StoreResult<Stamp> {
        let from = self.from.join_path(&piece.below);
        let to = self.temporary.join_path(&piece.below);
        let (original, copy) = (ItemOf::new(self.source, &from), ItemOf::new(self.target, &to));
        let unchanged = || match original.is_still(&piece.entry)? {
            true => Ok(()),
            false => Err(StoreError::Changed),
        };
        unchanged()?;
        let made = self.target.entry(&to)?.ok_or(StoreError::CopyDiffers)?;
        let same = match self.same_sum(piece, &from, &to)? {
            Some(same) => made.kind == Kind::File && made.size == piece.entry.size && same,
            None => same_item((original, &piece.entry), (copy, &made), Depth::Content, self.watch)?,
        };
        unchanged()?;
        if same { Ok(made.stamp()) } else { Err(StoreError::CopyDiffers) }
    }

    /// Whether two files have the same checksum, where one side tells it by itself.
    fn same_sum(&self, piece: &Piece, from: &ItemPath, to: &ItemPath) -> StoreResult<Option<bool>> {
        if piece.entry.kind != Kind::File {
            return Ok(None);
        }
        let sum = |store: &dyn ReadStore, path: &ItemPath| sum_of(store, path, self.watch).map(|sum| sum.0);
        if let Some(told) = self.target.told_sum(to)? {
            return Ok(Some(told == sum(self.source, from)?));
        }
        match self.source.told_sum(from)? {
            Some(told) => Ok(Some(told == sum(self.target, to)?)),
            None => Ok(None),
        }
    }

    /// Puts the copy in place under the target's free name; from here on the move counts.
    ///
    /// # Errors
    /// If the name is taken, or cannot be given or kept.
    pub fn publish(&self, copying: &mut Copying, target: &ItemPath) -> StoreResult<()> {
        let before = copying.stamp()?;
        let stamp = publish(self.target, self.temporary, &before, target)?;
        copying.found_as(stamp);
        Ok(())
    }

    /// Takes the original away, as far as it is still what was copied. Some of it may stay behind; the move
    /// counts all the same.
    ///
    /// # Errors
    /// If the copy is not what was put in place, or nothing of the original can be taken away: then the copy at
    /// `target` goes again, and nothing has happened.
    pub(crate) fn remove_original(&self, copying: &Copying, target: &ItemPath) -> StoreResult<Stayed> {
        let mut stayed = Stayed::default();
        let copies = CopiesInPlace::look(self.target, target, &copying.pieces).map_err(|error| {
            // What is in place and cannot be looked at now is looked at by the next command.
            match self.retract(copying, target) {
                Retracted::Gone => error,
                Retracted::InPlace | Retracted::HalfLeft => StoreError::Unsure(error.to_string()),
            }
        })?;
        if !copies.has(&ItemPath::root()) {
            return Err(StoreError::CopyDiffers);
        }
        for (nth, piece) in copying.pieces.iter().rev().enumerate() {
            match removal::remove_piece(self.source, self.from, piece, &copies) {
                Ok(true) => {}
                // It has a name of ours for now; the next command gives it its own back.
                Err(StoreError::Unsure(_)) => {
                    stayed.count += 1;
                    stayed.for_now = true;
                }
                Err(error) if nth == 0 => match self.retract(copying, target) {
                    Retracted::Gone => return Err(error),
                    Retracted::HalfLeft => return Err(StoreError::Unsure(error.to_string())),
                    Retracted::InPlace => stayed.count_one(error),
                },
                Ok(false) => stayed.count += 1,
                Err(error) => stayed.count_one(error),
            }
        }
        Ok(stayed)
    }

    /// Takes a copy back that is in place beside its whole original.
    pub(crate) fn retract(&self, copying: &Copying, target: &ItemPath) -> Retracted {
        let Ok(stamp) = copying.stamp() else { return Retracted::InPlace };
        let moved = self.target.rename(target, &stamp, self.target, self.temporary);
        let is_touched = || !is_as_copied(self.target, self.temporary, &copying.pieces).unwrap_or(true);
        if moved.is_ok() && is_touched() {
            // Somebody has saved something in it since, which stays where it was put.
            let now = self.target.entry(self.temporary).ok().flatten();
            let stamp = now.map_or(stamp, |now| now.stamp());
            return match self.target.rename(self.temporary, &stamp, self.target, target) {
                Ok(_) => Retracted::InPlace,
                Err(_) => Retracted::HalfLeft,
            };
        }
        match moved {
            Ok(_) if self.take_away(copying).is_ok() => {
                // With the power it could come back, and the step is written down as failed.
                match self.target.sync_folder(&target.parent().unwrap_or_default()) {
                    Ok(()) => Retracted::Gone,
                    Err(_) => Retracted::HalfLeft,
                }
            }
            // It has its temporary name, or that is not known.
            Ok(_) | Err(StoreError::Unsure(_)) => Retracted::HalfLeft,
            Err(_) => Retracted::InPlace,
        }
    }

    /// Takes away what was made under the temporary name; says whether nothing is left there.
    ///
    /// # Errors
    /// If something of it cannot be taken away.
    pub(crate) fn take_away(&self, copying: &Copying) -> StoreResult<bool> {
        let made = copying.pieces[..copying.made].iter().map(|piece| (&piece.below, piece.entry.kind));
        remove_made(self.target, self.temporary, made)
    }
}

/// Gives what was made under a temporary name its own, and makes sure that it keeps it. If that is not sure
/// it has its temporary name again, so that nothing counts that may be gone after a loss of power. Returns as
/// what it is found then.
///
/// # Errors
/// If the name is taken, or cannot be given or kept.
pub(crate) fn publish(
    store: &dyn Store,
    temporary: &ItemPath,
    stamp: &Stamp,
    target: &ItemPath,
) -> StoreResult<Stamp> {
    let stamp = store.rename(temporary, stamp, store, target)?.unwrap_or(*stamp);
    store.sync_folder(&target.parent().unwrap_or_default()).inspect_err(|_| {
        let _ = store.rename(target, &stamp, store, temporary);
    })?;
    Ok(stamp)
}

/// Writes a file under a name of ours, again from its start where the connection to a drive broke.
///
/// # Errors
/// What the last try came to.
pub(crate) fn again_from_start(
    target: &dyn Store,
    own: &ItemPath,
    write: &mut dyn FnMut() -> StoreResult<u64>,
) -> StoreResult<u64> {
    for _ in 1..TRIES {
        match write() {
            Err(StoreError::Broken(_)) => removal::remove_own_file(target, own)?,
            done => return done,
        }
    }
    write()
}
