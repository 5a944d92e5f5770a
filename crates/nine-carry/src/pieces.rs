//! All that belongs to an item: itself, and of a folder what lies in it.

use std::collections::{BTreeMap, BTreeSet};

use nine_core::item::{Entry, Kind, Stamp};
use nine_core::place::ItemPath;
use nine_stores::{ReadStore, StoreError, StoreResult};

/// One thing of what belongs to an item.
#[derive(Debug, Clone)]
pub struct Piece {
    /// Its path below the item.
    pub below: ItemPath,
    /// What the source told of it before it was copied.
    pub entry: Entry,
    /// As what its copy was compared; `None` as long as that was not done.
    pub copy: Option<Stamp>,
}

/// The item and all that lies in it, parents first.
pub(crate) fn pieces(store: &dyn ReadStore, path: &ItemPath, top: Entry) -> StoreResult<Vec<Piece>> {
    let mut found = vec![Piece { below: ItemPath::root(), entry: top, copy: None }];
    let mut at = 0;
    while let Some(piece) = found.get(at) {
        if piece.entry.kind == Kind::Folder {
            let below = piece.below.clone();
            let listed = store.list(&path.join_path(&below))?.into_iter();
            found.extend(listed.map(|(name, entry)| Piece { below: below.join(&name), entry, copy: None }));
        }
        at += 1;
    }
    Ok(found)
}

/// The copies that are still in place as what they were compared, by path below the item.
pub(crate) struct CopiesInPlace(BTreeSet<ItemPath>);

impl CopiesInPlace {
    /// Looks at the copies of pieces below `target`, folder by folder.
    ///
    /// # Errors
    /// If the target cannot be looked at.
    pub fn look(target: &dyn ReadStore, at: &ItemPath, pieces: &[Piece]) -> StoreResult<Self> {
        let mut found = BTreeSet::new();
        let Some(top) = target.entry(at)? else { return Ok(Self(found)) };
        let wanted = |piece: &Piece| piece.copy.map(|stamp| (piece.below.clone(), (piece.entry.kind, stamp)));
        let wanted: BTreeMap<ItemPath, (Kind, Stamp)> = pieces.iter().filter_map(wanted).collect();
        let is_as_compared = |below: &ItemPath, entry: &Entry| {
            wanted.get(below).is_some_and(|(kind, stamp)| match kind {
                Kind::Folder => entry.kind == Kind::Folder,
                // A drive knows a copy in a folder that has been moved by its entity tag.
                kind => entry.kind == *kind && target.is_it(entry, stamp),
            })
        };
        if is_as_compared(&ItemPath::root(), &top) {
            found.insert(ItemPath::root());
        }
        for folder in pieces.iter().filter(|piece| piece.entry.kind == Kind::Folder) {
            let listed = match target.list(&at.join_path(&folder.below)) {
                Ok(listed) => listed,
                Err(StoreError::NotThere | StoreError::NotAFolder | StoreError::LeadsElsewhere) => continue,
                Err(error) => return Err(error),
            };
            let named = listed.into_iter().map(|(name, entry)| (folder.below.join(&name), entry));
            found.extend(named.filter(|(below, entry)| is_as_compared(below, entry)).map(|(below, _)| below));
        }
        Ok(Self(found))
    }

    /// Whether the copy of a piece is in place.
    pub fn has(&self, below: &ItemPath) -> bool {
        self.0.contains(below)
    }
}

/// Whether a copy is what was compared, at all depths: nothing in it was saved, made or taken away since.
///
/// # Errors
/// If it cannot be looked at.
pub(crate) fn is_as_copied(target: &dyn ReadStore, at: &ItemPath, copied: &[Piece]) -> StoreResult<bool> {
    let Some(top) = target.entry(at)? else { return Ok(false) };
    let there = pieces(target, at, top)?.len();
    let copies = CopiesInPlace::look(target, at, copied)?;
    Ok(there == copied.len() && copied.iter().all(|piece| copies.has(&piece.below)))
}

/// Whether something that was moved since, to `at`, is at all depths what was seen before: nothing came, went or was
/// saved meanwhile.
///
/// # Errors
/// If it cannot be looked at.
pub(crate) fn is_as_seen(store: &dyn ReadStore, at: &ItemPath, seen: &[Piece]) -> StoreResult<bool> {
    let as_seen = |piece: &Piece| Piece { copy: Some(piece.entry.stamp()), ..piece.clone() };
    is_as_copied(store, at, &seen.iter().map(as_seen).collect::<Vec<_>>())
}
