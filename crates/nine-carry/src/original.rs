//! A copy held against what stays in its place, at the moment at which it is to go.

use nine_core::place::Spot;
use nine_core::worklist::Original;
use nine_stores::{Places, StoreError, StoreResult, Watch};

use crate::pieces::Piece;
use crate::same::{Depth, ItemOf, Trees};

/// Makes sure that what stays is what was planned and holds all that the copy holds: of a folder, the
/// same names with the same bytes all the way down, and nothing more.
///
/// Returns all that lies in the copy, as what it was compared.
///
/// # Errors
/// [`StoreError::OriginalGone`], [`StoreError::NoCopy`], or why one of them cannot be read.
pub fn expect_same(
    places: &Places,
    copy: &Spot,
    original: &Original,
    watch: &Watch,
) -> StoreResult<Vec<Piece>> {
    expect_there(places, original)?;
    let left = ItemOf::new(places.of(copy)?, &copy.path);
    let right = ItemOf::new(places.of(&original.item)?, &original.item.path);
    let trees = Trees::look(left, right, Depth::Content)?.ok_or(StoreError::NotThere)?;
    if !trees.are_same(watch)? {
        return Err(StoreError::NoCopy(original.item.to_string()));
    }
    expect_there(places, original)?;
    Ok(trees.left)
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
