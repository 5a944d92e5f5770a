//! A move between file systems or stores: copied to a temporary name beside the target, compared,
//! put in place, and only then taken away from where it was.

use nine_core::item::{Entry, Kind, Stamp};
use nine_core::place::{ItemPath, Spot};
use nine_stores::{Places, Store, StoreError, StoreResult, Watch, sum_of};
use std::io::Read;

/// How often a file is sent again from its start.
const TRIES: u32 = 3;

/// The name under which a step's copy is made, beside its target.
pub fn temporary(run: u64, step: usize, target: &Spot) -> ItemPath {
    let folder = target.path.parent().unwrap_or_default();
    folder.join(format!(".nine-{run}-{}", step + 1))
}

/// One thing of what is copied.
pub(crate) struct Piece {
    /// Its path below the item.
    pub below: ItemPath,
    pub entry: Entry,
}

/// A copy that was made and compared, under its temporary name.
#[must_use]
pub struct Copied {
    pieces: Vec<Piece>,
    stamp: Stamp,
}

impl Copied {
    /// As what the copy is found.
    pub fn stamp(&self) -> Stamp {
        self.stamp
    }
}

/// What stayed behind of an original.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Stayed {
    /// Things that came or changed meanwhile, or could not be taken away.
    pub count: usize,
    /// Whether some of them can be taken away once the drive can be worked with again.
    pub for_now: bool,
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
    /// Told of the bytes that pass.
    pub watch: &'a Watch,
}

/// A stream whose bytes are counted as they pass.
struct Counted<'a> {
    from: Box<dyn Read + Send>,
    watch: &'a Watch,
}

impl Read for Counted<'_> {
    fn read(&mut self, room: &mut [u8]) -> std::io::Result<usize> {
        let length = self.from.read(room)?;
        self.watch.read(length as u64);
        Ok(length)
    }
}

fn joined(path: &ItemPath, below: &ItemPath) -> ItemPath {
    path.join_path(below)
}

impl Route<'_> {
    /// Copies the item to the temporary name and compares it.
    ///
    /// # Errors
    /// If anything could not be copied with all that belongs to it, or did not come out the same.
    /// The caller then takes the temporary copy away with [`remove_copy`].
    pub fn copy(&self, stamp: &Stamp) -> StoreResult<Copied> {
        let top = self.source.entry(self.from)?.ok_or(StoreError::NotThere)?;
        if top.stamp() != *stamp {
            return Err(StoreError::Changed);
        }
        let pieces = pieces(self.source, self.from, top)?;
        for piece in &pieces {
            self.copy_piece(piece)?;
        }
        // Filled folders get their times last, the deepest first.
        for piece in pieces.iter().rev().filter(|piece| piece.entry.kind == Kind::Folder) {
            let meta = self.source.meta(&joined(self.from, &piece.below))?;
            self.target.set_folder_meta(&joined(self.temporary, &piece.below), &meta)?;
        }
        for piece in &pieces {
            self.compare(piece)?;
        }
        let copy = self.target.entry(self.temporary)?.ok_or(StoreError::CopyDiffers)?;
        Ok(Copied { pieces, stamp: copy.stamp() })
    }

    fn copy_piece(&self, piece: &Piece) -> StoreResult<()> {
        let from = joined(self.from, &piece.below);
        let to = joined(self.temporary, &piece.below);
        match piece.entry.kind {
            Kind::Folder => self.target.make_folder(&to).and_then(|made| match made {
                true => Ok(()),
                false => Err(StoreError::Taken),
            }),
            Kind::Link => {
                self.target.link_new(&to, &self.source.read_link(&from)?, &self.source.meta(&from)?)
            }
            Kind::File => self.copy_file(piece, &from, &to),
            Kind::Other => Err(StoreError::Special),
        }
    }

    /// Copies a file, from its start again where the connection to a drive broke.
    fn copy_file(&self, piece: &Piece, from: &ItemPath, to: &ItemPath) -> StoreResult<()> {
        let meta = self.source.meta(from)?;
        for tries in 1.. {
            let mut content = self.counted(self.source, from)?;
            match self.target.write_new(to, &mut content, Some(piece.entry.size), &meta) {
                Ok(written) if written == piece.entry.size => break,
                Ok(_) => return Err(StoreError::Changed),
                Err(StoreError::Broken(_)) if tries < TRIES => drop(remove_copy(self.target, to)?),
                Err(error) => return Err(error),
            }
        }
        Ok(())
    }

    fn counted(&self, store: &dyn Store, path: &ItemPath) -> StoreResult<Counted<'_>> {
        Ok(Counted { from: store.read(path)?, watch: self.watch })
    }

    /// Whether two files are the same: by the checksum that one side tells of itself, or else by reading both.
    fn same_file(&self, from: &ItemPath, to: &ItemPath) -> StoreResult<bool> {
        let sum = |store: &dyn Store, path: &ItemPath| sum_of(store, path, self.watch).map(|sum| sum.0);
        if let Some(told) = self.target.told_sum(to)? {
            return Ok(told == sum(self.source, from)?);
        }
        if let Some(told) = self.source.told_sum(from)? {
            return Ok(told == sum(self.target, to)?);
        }
        same_content(&mut *self.source.read(from)?, &mut self.counted(self.target, to)?)
    }

    /// Reads both sides again and holds them against one another.
    fn compare(&self, piece: &Piece) -> StoreResult<()> {
        let from = joined(self.from, &piece.below);
        let to = joined(self.temporary, &piece.below);
        let now = self.source.entry(&from)?.ok_or(StoreError::Changed)?;
        if now.stamp() != piece.entry.stamp() {
            return Err(StoreError::Changed);
        }
        let same = match piece.entry.kind {
            Kind::File => self.same_file(&from, &to)?,
            Kind::Link => self.source.read_link(&from)? == self.target.read_link(&to)?,
            Kind::Folder | Kind::Other => true,
        };
        let copy = self.target.entry(&to)?.ok_or(StoreError::CopyDiffers)?;
        let alike = copy.kind == piece.entry.kind && (copy.kind != Kind::File || copy.size == now.size);
        if same && alike { Ok(()) } else { Err(StoreError::CopyDiffers) }
    }

    /// Puts the copy in place under the target's free name; from here on the move counts.
    pub fn publish(&self, copied: Copied, target: &ItemPath) -> StoreResult<Copied> {
        let stamp = publish(self.target, self.temporary, &copied.stamp, target)?;
        Ok(Copied { stamp, ..copied })
    }

    /// Takes the original away, as far as it is still what was copied. Some of it may stay behind; the move
    /// counts all the same.
    ///
    /// # Errors
    /// If nothing of it can be taken away: then the copy at `target` goes again, and nothing has happened.
    pub(crate) fn remove_original(&self, copied: &Copied, target: &ItemPath) -> StoreResult<Stayed> {
        let mut stayed = Stayed::default();
        for (nth, piece) in copied.pieces.iter().rev().enumerate() {
            let from = joined(self.from, &piece.below);
            let gone = match piece.entry.kind {
                Kind::Folder => self.source.remove_empty_folder(&from),
                _ => self.source.remove_copied(&from, &piece.entry.stamp()).map(|()| true),
            };
            match gone {
                Ok(true) | Err(StoreError::NotThere) => {}
                Err(error) if nth == 0 && self.retract(copied, target) => return Err(error),
                other => {
                    stayed.count += 1;
                    stayed.for_now |= other.is_err_and(|error| error.is_passing());
                }
            }
        }
        Ok(stayed)
    }

    /// Takes a copy back that is in place beside its whole original; says whether it is gone.
    fn retract(&self, copied: &Copied, target: &ItemPath) -> bool {
        let back = self.target.rename(target, &copied.stamp, self.target, self.temporary);
        back.and_then(|_| remove_copy(self.target, self.temporary)).is_ok()
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

/// The item and all that lies in it, parents first.
pub(crate) fn pieces(store: &dyn Store, path: &ItemPath, top: Entry) -> StoreResult<Vec<Piece>> {
    let mut found = vec![Piece { below: ItemPath::root(), entry: top }];
    let mut at = 0;
    while let Some(piece) = found.get(at) {
        if piece.entry.kind == Kind::Folder {
            let below = piece.below.clone();
            let listed = store.list(&joined(path, &below))?;
            found.extend(listed.into_iter().map(|(name, entry)| Piece { below: below.join(name), entry }));
        }
        at += 1;
    }
    Ok(found)
}

/// Whether two files hold the same bytes.
///
/// # Errors
/// If one of them cannot be read.
pub fn same_bytes(places: &Places, a: &Spot, b: &Spot) -> StoreResult<bool> {
    same_content(&mut *places.of(a)?.read(&a.path)?, &mut *places.of(b)?.read(&b.path)?)
}

/// Whether two streams hold the same bytes.
pub(crate) fn same_content(a: &mut dyn Read, b: &mut dyn Read) -> StoreResult<bool> {
    let (mut left, mut right) = (vec![0; 1 << 18], vec![0; 1 << 18]);
    loop {
        let m = fill(a, &mut left)?;
        let n = fill(b, &mut right)?;
        if left[..m] != right[..n] {
            return Ok(false);
        }
        if m == 0 {
            return Ok(true);
        }
    }
}

/// Reads until the block is full or the stream ends.
fn fill(from: &mut dyn Read, block: &mut [u8]) -> StoreResult<usize> {
    let mut filled = 0;
    while filled < block.len() {
        match from.read(&mut block[filled..]) {
            Ok(0) => break,
            Ok(length) => filled += length,
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e.into()),
        }
    }
    Ok(filled)
}

/// Takes away a temporary copy. Only for paths that [`temporary`] made.
pub fn remove_copy(store: &dyn Store, temporary: &ItemPath) -> StoreResult<bool> {
    let Some(top) = store.entry(temporary)? else {
        return Ok(false);
    };
    for piece in pieces(store, temporary, top)?.iter().rev() {
        let path = joined(temporary, &piece.below);
        match piece.entry.kind {
            Kind::Folder => drop(store.remove_empty_folder(&path)?),
            _ => store.remove_copied(&path, &piece.entry.stamp())?,
        }
    }
    Ok(true)
}

/// Whether two items of different stores are the same in content, times and attributes, the tags
/// among them, all the way down.
pub fn is_copy(a: &dyn Store, at: &ItemPath, b: &dyn Store, bt: &ItemPath) -> StoreResult<bool> {
    let (Some(left), Some(right)) = (a.entry(at)?, b.entry(bt)?) else {
        return Ok(false);
    };
    if left.kind != right.kind {
        return Ok(false);
    }
    match left.kind {
        Kind::File => {
            let bare = !a.keeps_all() || !b.keeps_all();
            let alike = left.size == right.size
                && (bare
                    || left.modified == right.modified && a.meta(at)?.attributes == b.meta(bt)?.attributes);
            Ok(alike && same_content(&mut *a.read(at)?, &mut *b.read(bt)?)?)
        }
        Kind::Link => Ok(a.read_link(at)? == b.read_link(bt)?),
        Kind::Other => Ok(false),
        Kind::Folder => {
            for (name, _) in a.list(at)? {
                if !is_copy(a, &at.join(&name), b, &bt.join(&name))? {
                    return Ok(false);
                }
            }
            Ok(true)
        }
    }
}

/// Takes away an original whose copy is in place and was found the same by [`is_copy`].
pub fn remove_found_original(store: &dyn Store, path: &ItemPath) -> StoreResult<usize> {
    let Some(top) = store.entry(path)? else {
        return Ok(0);
    };
    let mut stayed = 0;
    for piece in pieces(store, path, top)?.iter().rev() {
        let path = joined(path, &piece.below);
        match piece.entry.kind {
            Kind::Folder => stayed += usize::from(!store.remove_empty_folder(&path)?),
            _ => store.remove_copied(&path, &piece.entry.stamp())?,
        }
    }
    Ok(stayed)
}
