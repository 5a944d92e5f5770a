//! Whether two things are the same: the one comparison of items, and of trees, piece by piece.

use std::collections::BTreeMap;
use std::io::Read;

use nine_core::item::{Entry, Kind};
use nine_core::place::{ItemPath, Spot};
use nine_stores::local::TAGS_ATTRIBUTE;
use nine_stores::{Places, ReadStore, StoreError, StoreResult, Watch};

use crate::pieces::{Piece, pieces};

/// An item of a store.
#[derive(Clone, Copy)]
pub(crate) struct ItemOf<'a> {
    pub store: &'a dyn ReadStore,
    pub path: &'a ItemPath,
}

impl<'a> ItemOf<'a> {
    pub fn new(store: &'a dyn ReadStore, path: &'a ItemPath) -> Self {
        Self { store, path }
    }

    /// Whether it is still what it was.
    pub fn is_still(&self, was: &Entry) -> StoreResult<bool> {
        Ok(self.store.entry(self.path)?.is_some_and(|now| now.stamp() == was.stamp()))
    }

    /// What it holds, open to be read.
    pub fn open(&self, kind: Kind, watch: &'a Watch) -> StoreResult<Held<'a>> {
        Ok(match kind {
            Kind::Folder => Held::Folder,
            Kind::Link => Held::Link(self.store.read_link(self.path)?),
            Kind::File => Held::File(Box::new(Counted::open(self.store, self.path, watch)?)),
            Kind::Other => Held::Other,
        })
    }
}

/// What is compared of a thing, without what lies in it.
pub(crate) enum Held<'a> {
    Folder,
    /// Where it leads.
    Link(Vec<u8>),
    /// Its bytes.
    File(Box<dyn Read + 'a>),
    Other,
}

/// Whether two things hold the same. What is neither file, link nor folder is the same as nothing.
///
/// # Errors
/// If one of them cannot be read.
pub(crate) fn same_held(a: Held<'_>, b: Held<'_>) -> StoreResult<bool> {
    match (a, b) {
        (Held::Folder, Held::Folder) => Ok(true),
        (Held::Link(a), Held::Link(b)) => Ok(a == b),
        (Held::File(mut a), Held::File(mut b)) => same_content(&mut a, &mut b),
        _ => Ok(false),
    }
}

/// How much must be the same.
#[derive(Clone, Copy)]
pub(crate) enum Depth<'a> {
    /// Kinds, bytes, and where links lead.
    Content,
    /// Times and attributes too, where both sides keep them. An item's tags may be the first on the left while they
    /// are the second on the right: a run that was cut off gave them, and they may not have reached the disk.
    All(Option<(&'a [String], &'a [String])>),
}

/// Whether one thing is as another, without what lies in it. Neither may change while it is read.
///
/// # Errors
/// If one of them cannot be read.
pub(crate) fn same_item(
    (a, left): (ItemOf, &Entry),
    (b, right): (ItemOf, &Entry),
    depth: Depth,
    watch: &Watch,
) -> StoreResult<bool> {
    let is_file = left.kind == Kind::File;
    if left.kind != right.kind || is_file && left.size != right.size {
        return Ok(false);
    }
    if let Depth::All(tags) = depth
        && is_file
        && a.store.keeps_all()
        && b.store.keeps_all()
        && !(left.modified == right.modified && same_attributes(a, b, tags)?)
    {
        return Ok(false);
    }
    let same = same_held(a.open(left.kind, watch)?, b.open(right.kind, watch)?)?;
    Ok(same && (!is_file || a.is_still(left)? && b.is_still(right)?))
}

/// Whether all attributes are the same; see [`Depth::All`].
fn same_attributes(a: ItemOf, b: ItemOf, tags: Option<(&[String], &[String])>) -> StoreResult<bool> {
    type Attributes = Vec<(Vec<u8>, Vec<u8>)>;
    // Those of the system are kept where the target has them.
    let own = |of: ItemOf| -> StoreResult<Attributes> {
        let all = of.store.meta(of.path)?.attributes.into_iter();
        Ok(all.filter(|(name, _)| name.starts_with(b"user.")).collect())
    };
    let (left, right) = (own(a)?, own(b)?);
    if left == right {
        return Ok(true);
    }
    let Some((before, after)) = tags else { return Ok(false) };
    let others = |all: Attributes| -> Attributes {
        all.into_iter().filter(|(name, _)| name != TAGS_ATTRIBUTE.as_bytes()).collect()
    };
    Ok(others(left) == others(right) && a.store.tags(a.path)? == before && b.store.tags(b.path)? == after)
}

/// Two trees, with what each holds.
pub(crate) struct Trees<'a> {
    a: ItemOf<'a>,
    b: ItemOf<'a>,
    /// All on the left, parents first.
    pub left: Vec<Piece>,
    right: BTreeMap<ItemPath, Entry>,
    depth: Depth<'a>,
}

impl<'a> Trees<'a> {
    /// Looks at both; `None` if one of them is not there.
    ///
    /// # Errors
    /// If they cannot be looked at.
    pub fn look(a: ItemOf<'a>, b: ItemOf<'a>, depth: Depth<'a>) -> StoreResult<Option<Self>> {
        let (Some(left), Some(right)) = (a.store.entry(a.path)?, b.store.entry(b.path)?) else {
            return Ok(None);
        };
        let right = pieces(b.store, b.path, right)?.into_iter().map(|piece| (piece.below, piece.entry));
        Ok(Some(Self { a, b, left: pieces(a.store, a.path, left)?, right: right.collect(), depth }))
    }

    /// As what the same thing is found on the right.
    ///
    /// # Errors
    /// If one of them cannot be read.
    pub fn same(&self, piece: &Piece, watch: &Watch) -> StoreResult<Option<&Entry>> {
        let Some(right) = self.right.get(&piece.below) else { return Ok(None) };
        let depth = match self.depth {
            Depth::All(_) if !piece.below.is_root() => Depth::All(None),
            depth => depth,
        };
        let (at, bt) = (self.a.path.join_path(&piece.below), self.b.path.join_path(&piece.below));
        let left = (ItemOf::new(self.a.store, &at), &piece.entry);
        Ok(same_item(left, (ItemOf::new(self.b.store, &bt), right), depth, watch)?.then_some(right))
    }

    /// Whether both hold the same, and neither holds more.
    ///
    /// # Errors
    /// If something cannot be read.
    pub fn are_same(&self, watch: &Watch) -> StoreResult<bool> {
        let kind_there = |piece: &Piece| self.right.get(&piece.below).map(|entry| entry.kind);
        let same_names = self.left.len() == self.right.len()
            && self.left.iter().all(|piece| kind_there(piece) == Some(piece.entry.kind));
        if !same_names {
            return Ok(false);
        }
        for piece in &self.left {
            if self.same(piece, watch)?.is_none() {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// What is the same, parents first, as what it was compared; and how many things of the left are not.
    ///
    /// # Errors
    /// If something cannot be read.
    pub fn compare(&self, watch: &Watch) -> StoreResult<(Vec<Piece>, usize)> {
        let mut same = Vec::new();
        for piece in &self.left {
            if let Some(copy) = self.same(piece, watch)? {
                same.push(Piece { copy: Some(copy.stamp()), ..piece.clone() });
            }
        }
        let others = self.left.len() - same.len();
        Ok((same, others))
    }
}

/// A stream whose bytes are counted as they pass, and that ends when the person asks for it.
pub(crate) struct Counted<'a> {
    from: Box<dyn Read + Send>,
    watch: &'a Watch,
}

impl<'a> Counted<'a> {
    pub fn open(store: &dyn ReadStore, path: &ItemPath, watch: &'a Watch) -> StoreResult<Self> {
        Ok(Self { from: store.read(path)?, watch })
    }
}

impl Read for Counted<'_> {
    fn read(&mut self, room: &mut [u8]) -> std::io::Result<usize> {
        if self.watch.is_stopped() {
            return Err(std::io::Error::other(StoreError::Stopped));
        }
        let length = self.from.read(room)?;
        self.watch.read(length as u64);
        Ok(length)
    }
}

/// Whether two files hold the same bytes.
///
/// # Errors
/// If one of them cannot be read.
pub fn same_bytes(places: &Places, a: &Spot, b: &Spot) -> StoreResult<bool> {
    same_content(&mut *places.of(a)?.read(&a.path)?, &mut *places.of(b)?.read(&b.path)?)
}

/// Whether two streams hold the same bytes.
fn same_content(a: &mut dyn Read, b: &mut dyn Read) -> StoreResult<bool> {
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
