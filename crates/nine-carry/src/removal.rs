//! What may be taken away for good, and under which conditions: an original of which a copy is in place, piece by
//! piece and each only as what it was compared, and what was made under a temporary name.

use nine_core::item::Kind;
use nine_core::place::ItemPath;
use nine_stores::{ReadStore, Store, StoreError, StoreResult, aside};

use crate::pieces::{CopiesInPlace, Piece, pieces};

/// What stayed behind of an original.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Stayed {
    /// Things that came or changed meanwhile, or could not be taken away.
    pub count: usize,
    /// Whether some of them can be taken away once the place can be worked with again.
    pub for_now: bool,
}

impl Stayed {
    /// Counts a thing that could not be taken away, since this happened.
    pub(crate) fn count_one(&mut self, why: StoreError) {
        self.count += 1;
        // A disk that answers with errors may have been pulled out; the next command looks again.
        self.for_now |= why.is_passing() || matches!(why, StoreError::Faulty(_) | StoreError::System(_));
    }
}

/// Takes a piece of an original away if it is as it was compared, and its copy too. Says whether it is gone.
///
/// # Errors
/// If it cannot be taken away, or is another by now.
pub(crate) fn remove_piece(
    source: &dyn Store,
    item: &ItemPath,
    piece: &Piece,
    copies: &CopiesInPlace,
) -> StoreResult<bool> {
    let path = item.join_path(&piece.below);
    if piece.entry.kind == Kind::Folder {
        // What came into it meanwhile keeps it.
        return match source.remove_empty_folder(&path) {
            Ok(false) => Ok(source.entry(&path)?.is_none()),
            other => other,
        };
    }
    if !copies.has(&piece.below) {
        return Ok(source.entry(&path)?.is_none());
    }
    match source.remove_copied(&path, &piece.entry.stamp()) {
        Ok(()) | Err(StoreError::NotThere) => Ok(true),
        Err(other) => Err(other),
    }
}

/// The names that something may have for a moment before it goes: on its way to the first of them it may have the
/// second.
fn besides(store: &dyn ReadStore, token: &str, path: &ItemPath) -> StoreResult<Vec<ItemPath>> {
    if !store.abilities().sets_aside || token.is_empty() {
        return Ok(Vec::new());
    }
    let first = aside(token, path);
    let second = aside(token, &first);
    let mut found = Vec::new();
    for beside in [first, second] {
        if store.entry(&beside)?.is_some() {
            found.push(beside);
        }
    }
    Ok(found)
}

/// Whether something has been set aside before it was to go.
///
/// # Errors
/// If that cannot be looked at.
pub(crate) fn is_set_aside(store: &dyn ReadStore, token: &str, path: &ItemPath) -> StoreResult<bool> {
    Ok(!besides(store, token, path)?.is_empty())
}

/// Gives what was set aside before it was to go its name back, if the program was cut off just then; see
/// [`aside`]. What has gone by then is no error. `there` is where it was on its way to: if it has that name already,
/// the one of ours is taken away. Says whether there was any.
///
/// # Errors
/// If it cannot be given its name back.
pub(crate) fn settle_aside(
    store: &dyn Store,
    token: &str,
    path: &ItemPath,
    there: Option<(&dyn Store, &ItemPath)>,
) -> StoreResult<bool> {
    let besides = besides(store, token, path)?;
    besides.iter().try_for_each(|beside| name_again(store, beside, path, there))?;
    Ok(!besides.is_empty())
}

/// Gives something its name back, or the next free one with a number.
fn name_again(
    store: &dyn Store,
    beside: &ItemPath,
    path: &ItemPath,
    there: Option<(&dyn Store, &ItemPath)>,
) -> StoreResult<()> {
    let Some(entry) = store.entry(beside)? else { return Ok(()) };
    if let Some((target, to)) = there
        && target.entry(to)?.is_some_and(|now| now.identity == entry.identity)
    {
        // The second name of a file takes the place of the first, which is ours.
        return store.rename(beside, &entry.stamp(), target, to).map(drop);
    }
    let free = |number: usize| match number {
        1 => path.clone(),
        number => path.last().map_or_else(|| path.clone(), |own| path.beside(&own.numbered(number, false))),
    };
    for number in 1..1000 {
        match store.rename(beside, &entry.stamp(), store, &free(number)) {
            Err(StoreError::Taken) => {}
            moved => return moved.map(drop),
        }
    }
    Err(StoreError::Taken)
}

/// Takes away a file that was made under a name of ours. One that is not there is no error.
pub(crate) fn remove_own_file(store: &dyn Store, path: &ItemPath) -> StoreResult<()> {
    match store.entry(path)? {
        None => Ok(()),
        Some(entry) => store.remove_copied(path, &entry.stamp()),
    }
}

/// Takes away what was made under a temporary name, and nothing else that may lie there. Says whether nothing is
/// left.
///
/// # Errors
/// If something of it cannot be taken away.
pub(crate) fn remove_made<'a>(
    store: &dyn Store,
    temporary: &ItemPath,
    made: impl DoubleEndedIterator<Item = (&'a ItemPath, Kind)>,
) -> StoreResult<bool> {
    for (below, kind) in made.rev() {
        let path = temporary.join_path(below);
        match kind {
            Kind::Folder => drop(store.remove_empty_folder(&path)?),
            _ => remove_own_file(store, &path)?,
        }
    }
    Ok(store.entry(temporary)?.is_none())
}

/// Takes away what was made under a name that no other has, with all in it.
///
/// # Errors
/// If something of it cannot be taken away.
pub(crate) fn remove_tree(store: &dyn Store, path: &ItemPath) -> StoreResult<bool> {
    let Some(top) = store.entry(path)? else { return Ok(false) };
    let found = pieces(store, path, top)?;
    let made = found.iter().map(|piece| (&piece.below, piece.entry.kind));
    remove_made(store, path, made)?;
    Ok(true)
}
