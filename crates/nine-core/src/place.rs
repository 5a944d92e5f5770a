//! Where an item lies: the name of a place, and a path below it.

use std::borrow::Borrow;
use std::fmt;
use std::ops::Deref;
use std::sync::Arc;

use crate::escape::{BadEscape, escape, unescape};

/// The name of an item: bytes of any kind but `/` and NUL, never empty, `.` or `..`.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Name<'n>(&'n [u8]);

/// The same, owned.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct NameBuf(Vec<u8>);

fn is_name(bytes: &[u8]) -> bool {
    !matches!(bytes, b"" | b"." | b"..") && memchr::memchr2(b'/', 0, bytes).is_none()
}

/// The same at build time.
const fn is_constant_name(bytes: &[u8]) -> bool {
    let mut at = 0;
    while at < bytes.len() {
        if bytes[at] == b'/' || bytes[at] == 0 {
            return false;
        }
        at += 1;
    }
    !matches!(bytes, b"" | b"." | b"..")
}

impl<'n> Name<'n> {
    /// Reads a name; `None` if it is none.
    pub fn new(bytes: &'n [u8]) -> Option<Self> {
        is_name(bytes).then_some(Self(bytes))
    }

    /// A name that the program gives. Anything else does not compile, in a constant.
    pub const fn constant(text: &'static str) -> Name<'static> {
        assert!(is_constant_name(text.as_bytes()), "this is no name");
        Name(text.as_bytes())
    }

    /// A name out of something that holds names alone.
    pub(crate) fn held(bytes: &'n [u8]) -> Self {
        debug_assert!(is_name(bytes));
        Self(bytes)
    }

    /// Its bytes.
    pub fn as_bytes(self) -> &'n [u8] {
        self.0
    }
}

impl NameBuf {
    /// Reads a name; `None` if it is none.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Option<Self> {
        let bytes = bytes.into();
        is_name(&bytes).then_some(Self(bytes))
    }

    /// A name that was put together from others.
    pub(crate) fn held(bytes: Vec<u8>) -> Self {
        debug_assert!(is_name(&bytes));
        Self(bytes)
    }

    /// The same, borrowed.
    pub fn as_name(&self) -> Name<'_> {
        Name(&self.0)
    }
}

impl Deref for Name<'_> {
    type Target = [u8];
    fn deref(&self) -> &[u8] {
        self.0
    }
}

impl Deref for NameBuf {
    type Target = [u8];
    fn deref(&self) -> &[u8] {
        &self.0
    }
}

impl AsRef<[u8]> for NameBuf {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

impl Borrow<[u8]> for NameBuf {
    fn borrow(&self) -> &[u8] {
        &self.0
    }
}

impl<'n> From<&'n NameBuf> for Name<'n> {
    fn from(name: &'n NameBuf) -> Self {
        name.as_name()
    }
}

impl<'n> From<&Name<'n>> for Name<'n> {
    fn from(name: &Name<'n>) -> Self {
        *name
    }
}

impl From<Name<'_>> for NameBuf {
    fn from(name: Name<'_>) -> Self {
        Self(name.0.to_vec())
    }
}

impl fmt::Display for Name<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&escape(self.0))
    }
}

impl fmt::Debug for Name<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
    }
}

impl fmt::Display for NameBuf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.as_name().fmt(f)
    }
}

impl fmt::Debug for NameBuf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
    }
}

/// A path below the root of a place: names joined by `/`, any bytes but NUL, never `.` or `..`.
///
/// The empty path is the place itself. Plans hold many paths several times over, so that a clone shares its bytes.
#[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ItemPath(Arc<[u8]>);

impl ItemPath {
    /// The place itself.
    pub fn root() -> Self {
        Self::default()
    }

    /// Reads a path. Empty parts are passed over; `None` if a part is `.` or `..` or holds a NUL.
    pub fn new(bytes: impl AsRef<[u8]>) -> Option<Self> {
        let bytes = bytes.as_ref();
        let mut path = Vec::with_capacity(bytes.len());
        for part in bytes.split(|b| *b == b'/').filter(|part| !part.is_empty()) {
            push(&mut path, Name::new(part)?);
        }
        Some(Self(path.into()))
    }

    /// The path of these names, from the top down.
    pub fn of_names<'n>(names: impl Iterator<Item = Name<'n>>) -> Self {
        let mut path = Vec::new();
        names.for_each(|name| push(&mut path, name));
        Self(path.into())
    }

    /// The path of these names, from the bottom up.
    pub fn of_names_upward<'n>(names: impl Iterator<Item = Name<'n>> + Clone) -> Self {
        let length = names.clone().map(|name| name.len() + 1).sum::<usize>().saturating_sub(1);
        let (mut path, mut start) = (vec![b'/'; length], length);
        for name in names {
            path[start - name.len()..start].copy_from_slice(&name);
            // What stays between two names is the slash.
            start = (start - name.len()).saturating_sub(1);
        }
        Self(path.into())
    }

    /// This path with one more name at its end.
    pub fn join<'n>(&self, name: impl Into<Name<'n>>) -> Self {
        let name = name.into();
        let mut path = Vec::with_capacity(self.0.len() + 1 + name.len());
        path.extend_from_slice(&self.0);
        push(&mut path, name);
        Self(path.into())
    }

    /// This path with all of `below` at its end.
    pub fn join_path(&self, below: &ItemPath) -> Self {
        match (self.is_root(), below.is_root()) {
            (true, _) => below.clone(),
            (_, true) => self.clone(),
            _ => Self([&self.0, b"/".as_slice(), &below.0].concat().into()),
        }
    }

    /// The path of what lies beside this one under another name. Beside the place itself nothing lies; then it is
    /// below it.
    pub fn beside<'n>(&self, name: impl Into<Name<'n>>) -> Self {
        self.parent().unwrap_or_default().join(name)
    }

    /// The bytes, names joined by `/`.
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// Whether this is the place itself.
    pub fn is_root(&self) -> bool {
        self.0.is_empty()
    }

    /// The last name; `None` for the place itself.
    pub fn last(&self) -> Option<Name<'_>> {
        (!self.is_root()).then(|| Name(self.name()))
    }

    /// The bytes of the last name; none for the place itself.
    pub fn name(&self) -> &[u8] {
        let start = self.0.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
        &self.0[start..]
    }

    /// The folder that holds this; `None` for the place itself.
    pub fn parent(&self) -> Option<ItemPath> {
        if self.is_root() {
            return None;
        }
        let end = self.0.iter().rposition(|b| *b == b'/').unwrap_or(0);
        Some(ItemPath(self.0[..end].into()))
    }

    /// The names from the top down.
    pub fn parts(&self) -> impl DoubleEndedIterator<Item = Name<'_>> + Clone {
        self.0.split(|b| *b == b'/').filter(|part| !part.is_empty()).map(Name)
    }

    /// How many steps below the place: 1 for what lies loose in it.
    pub fn depth(&self) -> usize {
        self.parts().count()
    }

    /// Whether this lies inside `folder`, at any depth, and is not `folder` itself.
    pub fn is_inside(&self, folder: &ItemPath) -> bool {
        if folder.is_root() {
            return !self.is_root();
        }
        self.0.len() > folder.0.len() && self.0.starts_with(&folder.0) && self.0[folder.0.len()] == b'/'
    }

    /// Whether this lies in `folder` and in none below it.
    pub fn is_directly_in(&self, folder: &ItemPath) -> bool {
        let between = usize::from(!folder.is_root());
        self.is_inside(folder) && folder.0.len() + between + self.name().len() == self.0.len()
    }

    /// The written form; see [`crate::escape`].
    pub fn to_text(&self) -> String {
        escape(&self.0)
    }
}

fn push(path: &mut Vec<u8>, name: Name) {
    if !path.is_empty() {
        path.push(b'/');
    }
    path.extend_from_slice(&name);
}

impl fmt::Display for ItemPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.to_text())
    }
}

impl fmt::Debug for ItemPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
    }
}

/// An item's whole address: `downloads/sub/name`.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Spot {
    /// The name that the configuration gives to the pile or bookcase.
    pub place: Arc<str>,
    /// The path below it.
    pub path: ItemPath,
}

/// A place's name and the bytes of a path below it.
pub type Address<'s> = (&'s str, &'s [u8]);

/// An address and those of the folders that it lies in, nearest first, the place itself left out.
pub fn itself_and_above<'s>((place, path): Address<'s>) -> impl Iterator<Item = Address<'s>> {
    let parent = |path: &&'s [u8]| path.iter().rposition(|byte| *byte == b'/').map(|slash| &path[..slash]);
    std::iter::successors(Some(path).filter(|path| !path.is_empty()), parent).map(move |path| (place, path))
}

/// The written form of an address, as [`Spot::to_string`] has it.
pub fn written((place, path): Address) -> String {
    if path.is_empty() { place.to_owned() } else { [place, "/", &escape(path)].concat() }
}

/// Why a written spot could not be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadSpot {
    /// An escape that is not known.
    #[error(transparent)]
    Escape(#[from] BadEscape),
    /// `.`, `..`, a NUL, or nothing before the first `/`.
    #[error("`{0}` is not a place and a path below it, such as downloads/letters/name.txt")]
    Path(String),
}

impl Spot {
    /// A spot in `place`.
    pub fn new(place: impl Into<Arc<str>>, path: ItemPath) -> Self {
        Self { place: place.into(), path }
    }

    /// Reads what [`Spot::to_string`] wrote.
    ///
    /// # Errors
    /// An unknown escape, an empty place name, or a part that would lead elsewhere.
    pub fn parse(text: &str) -> Result<Self, BadSpot> {
        let bad = || BadSpot::Path(text.to_owned());
        let (place, path) = text.split_once('/').unwrap_or((text, ""));
        let path = ItemPath::new(unescape(path)?).ok_or_else(bad)?;
        if place.is_empty() {
            return Err(bad());
        }
        Ok(Self::new(place, path))
    }

    /// The spot of the folder that holds this one; the place itself for what lies loose.
    pub fn folder(&self) -> Spot {
        Spot::new(self.place.clone(), self.path.parent().unwrap_or_default())
    }

    /// The written form of the folder that holds this one.
    pub fn folder_written(&self) -> String {
        written(self.folder_address())
    }

    /// The address of the folder that holds this one.
    pub fn folder_address(&self) -> Address<'_> {
        let end = self.path.0.iter().rposition(|byte| *byte == b'/').unwrap_or(0);
        (&self.place, &self.path.0[..end])
    }

    /// The place and the bytes of the path: to look it up without a copy.
    pub fn address(&self) -> Address<'_> {
        (&self.place, &self.path.0)
    }

    /// Whether this lies in the folder at `folder`, directly.
    pub fn lies_in(&self, folder: &Spot) -> bool {
        let above = self.path.0.len() - self.path.name().len();
        self.place == folder.place
            && !self.path.is_root()
            && self.path.0[..above.saturating_sub(1)] == *folder.path.0
    }

    /// Whether both lie in one folder.
    pub fn is_beside(&self, other: &Spot) -> bool {
        let above = |path: &ItemPath| path.0.len() - path.name().len();
        let (one, two) = (above(&self.path), above(&other.path));
        self.place == other.place && self.path.0[..one] == other.path.0[..two]
    }

    /// Whether this lies inside the folder at `other`.
    pub fn is_inside(&self, other: &Spot) -> bool {
        self.place == other.place && self.path.is_inside(&other.path)
    }
}

impl fmt::Display for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&written(self.address()))
    }
}

impl fmt::Debug for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
    }
}

impl serde::Serialize for NameBuf {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> serde::Deserialize<'de> for NameBuf {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = <String as serde::Deserialize>::deserialize(from)?;
        let bytes = unescape(&text).map_err(serde::de::Error::custom)?;
        Self::new(bytes).ok_or_else(|| serde::de::Error::custom(format!("`{text}` is no name")))
    }
}

impl serde::Serialize for Spot {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> serde::Deserialize<'de> for Spot {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = <String as serde::Deserialize>::deserialize(from)?;
        Self::parse(&text).map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests;
