//! A copy held against what stays in its place, at the moment at which it is to go.

use std::collections::BTreeMap;

use nine_core::item::{Entry, Kind};
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::Original;
use nine_stores::{Places, Store, StoreError, StoreResult};

use crate::transfer::{Piece, pieces, same_content};

/// Makes sure that what stays is what was planned and holds all that the copy holds: of a folder, the
/// same names with the same bytes all the way down, and nothing more.
///
/// Returns all that lies in the copy, as what it was compared.
///
/// # Errors
/// [`StoreError::OriginalGone`], [`StoreError::NoCopy`], or why one of them cannot be read.
pub fn expect_same(places: &Places, copy: &Spot, original: &Original) -> StoreResult<Vec<Piece>> {
    expect_there(places, original)?;
    let (left, right) = (places.of(copy)?, places.of(&original.item)?);
    let top = left.entry(&copy.path)?.ok_or(StoreError::NotThere)?;
    let seen = pieces(left, &copy.path, top)?;
    let mut pairs = vec![(copy.path.clone(), original.item.path.clone())];
    while let Some((here, there)) = pairs.pop() {
        if !same(left, &here, right, &there, &mut pairs)? {
            return Err(StoreError::NoCopy(original.item.to_string()));
        }
    }
    expect_there(places, original)?;
    Ok(seen)
}

/// Whether something that was moved since, to `path` of `store`, is at all depths what was seen before: nothing came,
/// went or was saved meanwhile.
///
/// # Errors
/// If it cannot be looked at.
pub(crate) fn is_as_seen(store: &dyn Store, path: &ItemPath, seen: &[Piece]) -> StoreResult<bool> {
    let Some(top) = store.entry(path)? else { return Ok(false) };
    let now: BTreeMap<ItemPath, Entry> =
        pieces(store, path, top)?.into_iter().map(|piece| (piece.below, piece.entry)).collect();
    let is_same = |piece: &Piece| {
        now.get(&piece.below).is_some_and(|entry| match piece.entry.kind {
            Kind::Folder => entry.kind == Kind::Folder,
            _ => store.is_it(entry, &piece.entry.stamp()),
        })
    };
    Ok(now.len() == seen.len() && seen.iter().all(is_same))
}

/// Makes sure that what stays is where and what it was planned.
///
/// # Errors
/// [`StoreError::OriginalGone`].
pub fn expect_there(places: &Places, original: &Original) -> StoreResult<()> {
    let now = places.of(&original.item).and_then(|store| store.entry(&original.item.path));
    match now {
        Ok(Some(entry)) if places.of(&original.item)?.is_same(&entry, &original.stamp) => Ok(()),
        _ => Err(StoreError::OriginalGone(original.item.to_string())),
    }
}

/// Whether two entries are the same; of folders, as far as their names tell, and what lies in them is
/// still to be compared.
fn same(
    left: &dyn Store,
    here: &ItemPath,
    right: &dyn Store,
    there: &ItemPath,
    pairs: &mut Vec<(ItemPath, ItemPath)>,
) -> StoreResult<bool> {
    let (Some(a), Some(b)) = (left.entry(here)?, right.entry(there)?) else {
        return Ok(false);
    };
    if a.kind != b.kind {
        return Ok(false);
    }
    match a.kind {
        Kind::File => {
            let same = a.size == b.size
                && same_content(&mut *left.read(here)?, &mut *right.read(there)?)?
                // Neither was written to while they were compared.
                && left.entry(here)?.is_some_and(|now| now.stamp() == a.stamp())
                && right.entry(there)?.is_some_and(|now| now.stamp() == b.stamp());
            Ok(same)
        }
        Kind::Link => Ok(left.read_link(here)? == right.read_link(there)?),
        Kind::Other => Ok(false),
        Kind::Folder => {
            let names = |listed: Vec<(Vec<u8>, Entry)>| -> BTreeMap<Vec<u8>, Kind> {
                listed.into_iter().map(|(name, entry)| (name, entry.kind)).collect()
            };
            let (ours, theirs) = (names(left.list(here)?), names(right.list(there)?));
            if ours != theirs {
                return Ok(false);
            }
            pairs.extend(ours.into_keys().map(|name| (here.join(&name), there.join(&name))));
            Ok(true)
        }
    }
}
