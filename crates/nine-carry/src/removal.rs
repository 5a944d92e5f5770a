//! What may be taken away for good, and under which conditions: an original of which a copy is in place, piece by
//! piece and each only as what it was compared, and what was made under a temporary name.

use std::collections::BTreeSet;

use nine_core::item::{Kind, Stamp};
use nine_core::place::ItemPath;
use nine_stores::{Store, StoreError, StoreResult, Watch, aside};

use crate::transfer::{Counted, Piece, pieces, same_content};

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
        self.for_now |= why.is_passing() || matches!(why, StoreError::System(_));
    }
}

/// The copies that are still in place as what they were compared, by path below the item.
pub(crate) struct Copies(BTreeSet<ItemPath>);

impl Copies {
    /// Looks at the copies of pieces below `target`, folder by folder.
    ///
    /// # Errors
    /// If the target cannot be looked at.
    pub fn look(target: &dyn Store, at: &ItemPath, pieces: &[Piece]) -> StoreResult<Self> {
        let mut found = BTreeSet::new();
        let Some(top) = target.entry(at)? else { return Ok(Self(found)) };
        let wanted = |piece: &Piece| piece.copy.map(|stamp| (piece.below.clone(), (piece.entry.kind, stamp)));
        let wanted: std::collections::BTreeMap<ItemPath, (Kind, Stamp)> =
            pieces.iter().filter_map(wanted).collect();
        let is_as_compared = |below: &ItemPath, entry: &nine_core::item::Entry| {
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
            let named = listed.into_iter().map(|(name, entry)| (folder.below.join(name), entry));
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
pub(crate) fn is_as_copied(target: &dyn Store, at: &ItemPath, copied: &[Piece]) -> StoreResult<bool> {
    let Some(top) = target.entry(at)? else { return Ok(false) };
    let there = pieces(target, at, top)?.len();
    let copies = Copies::look(target, at, copied)?;
    Ok(there == copied.len() && copied.iter().all(|piece| copies.has(&piece.below)))
}

/// Takes a piece of an original away if it is as it was compared, and its copy too. Says whether it is gone.
///
/// # Errors
/// If it cannot be taken away, or is another by now.
pub(crate) fn remove_piece(
    source: &dyn Store,
    item: &ItemPath,
    piece: &Piece,
    copies: &Copies,
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
fn besides(store: &dyn Store, token: &str, path: &ItemPath) -> StoreResult<Vec<ItemPath>> {
    // A drive takes away what it knows by its entity tag in one request.
    if store.is_remote() || token.is_empty() {
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
pub(crate) fn is_set_aside(store: &dyn Store, token: &str, path: &ItemPath) -> StoreResult<bool> {
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
        number => {
            let name = nine_core::names::numbered(path.name(), number, false);
            path.parent().unwrap_or_default().join(name)
        }
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

/// What a comparison of an original with what may be its copy has found.
#[derive(Debug)]
pub(crate) struct Compared {
    /// What is the same on both sides, parents first, as what it was compared.
    pub same: Vec<Piece>,
    /// How many things of the original have no such copy.
    pub others: usize,
}

/// Holds an original against what may be its copy, all the way down: kinds, bytes, links, times and attributes.
/// `tags` are those of the item before and after the run, which may not have reached the disk with the original.
///
/// # Errors
/// If one of them cannot be read.
pub(crate) fn compare(
    (a, from): (&dyn Store, &ItemPath),
    (b, to): (&dyn Store, &ItemPath),
    tags: Option<(&[String], &[String])>,
    watch: &Watch,
) -> StoreResult<Compared> {
    let (Some(left), Some(right)) = (a.entry(from)?, b.entry(to)?) else {
        return Ok(Compared { same: Vec::new(), others: 1 });
    };
    let copies = pieces(b, to, right)?;
    let copies: std::collections::BTreeMap<&ItemPath, &nine_core::item::Entry> =
        copies.iter().map(|piece| (&piece.below, &piece.entry)).collect();
    let mut compared = Compared { same: Vec::new(), others: 0 };
    for piece in pieces(a, from, left)? {
        let copy = copies.get(&piece.below).filter(|copy| copy.kind == piece.entry.kind);
        let tags = tags.filter(|_| piece.below.is_root());
        let (at, bt) = (from.join_path(&piece.below), to.join_path(&piece.below));
        match copy {
            Some(copy) if is_copy((a, &at, &piece.entry), (b, &bt, copy), tags, watch)? => {
                compared.same.push(Piece { copy: Some(copy.stamp()), ..piece });
            }
            _ => compared.others += 1,
        }
    }
    Ok(compared)
}

type Side<'a> = (&'a dyn Store, &'a ItemPath, &'a nine_core::item::Entry);

/// Whether one thing is a copy of another, without what lies in it. Neither may change while it is read.
fn is_copy(
    (a, at, left): Side,
    (b, bt, right): Side,
    tags: Option<(&[String], &[String])>,
    watch: &Watch,
) -> StoreResult<bool> {
    match left.kind {
        Kind::Folder => return Ok(true),
        Kind::Link => return Ok(a.read_link(at)? == b.read_link(bt)?),
        Kind::Other => return Ok(false),
        Kind::File => {}
    }
    let bare = !a.keeps_all() || !b.keeps_all();
    if left.size != right.size || !bare && left.modified != right.modified {
        return Ok(false);
    }
    if !bare && !same_attributes((a, at), (b, bt), tags)? {
        return Ok(false);
    }
    let mut other = Counted::open(b, bt, watch)?;
    let same = same_content(&mut Counted::open(a, at, watch)?, &mut other)?;
    let unchanged = |store: &dyn Store, path: &ItemPath, was: &nine_core::item::Entry| {
        Ok::<_, StoreError>(store.entry(path)?.is_some_and(|now| now.stamp() == was.stamp()))
    };
    Ok(same && unchanged(a, at, left)? && unchanged(b, bt, right)?)
}

/// Whether all attributes of an original are in its copy; its tags may be those from before the run, where the
/// copy has those from after it.
fn same_attributes(
    (a, at): (&dyn Store, &ItemPath),
    (b, bt): (&dyn Store, &ItemPath),
    tags: Option<(&[String], &[String])>,
) -> StoreResult<bool> {
    // Those of the system are kept where the target has them.
    let own = |store: &dyn Store, path: &ItemPath| -> StoreResult<Vec<(Vec<u8>, Vec<u8>)>> {
        let all = store.meta(path)?.attributes.into_iter();
        Ok(all.filter(|(name, _)| name.starts_with(b"user.")).collect())
    };
    let (left, right) = (own(a, at)?, own(b, bt)?);
    if left == right {
        return Ok(true);
    }
    let Some((before, after)) = tags else { return Ok(false) };
    let others = |all: &[(Vec<u8>, Vec<u8>)]| -> Vec<(Vec<u8>, Vec<u8>)> {
        let is_other = |(name, _): &&(Vec<u8>, Vec<u8>)| {
            name.as_slice() != nine_stores::local::TAGS_ATTRIBUTE.as_bytes()
        };
        all.iter().filter(is_other).cloned().collect()
    };
    Ok(others(&left) == others(&right) && a.tags(at)? == before && b.tags(bt)? == after)
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
