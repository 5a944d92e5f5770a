//! Where an item lies: the name of a place, and a path below it.

use std::fmt;

use crate::escape::{BadEscape, escape, unescape};

/// A path below the root of a place: names joined by `/`, any bytes but NUL, never `.` or `..`.
///
/// The empty path is the place itself.
#[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ItemPath(Vec<u8>);

impl ItemPath {
    /// The place itself.
    pub fn root() -> Self {
        Self::default()
    }

    /// Reads a path. Empty parts are passed over; `None` if a part is `.` or `..` or holds a NUL.
    pub fn new(bytes: impl AsRef<[u8]>) -> Option<Self> {
        let mut path = Self::root();
        for part in bytes.as_ref().split(|b| *b == b'/') {
            if part == b"." || part == b".." || part.contains(&0) {
                return None;
            }
            if !part.is_empty() {
                path.push(part);
            }
        }
        Some(path)
    }

    /// The path of these names, from the top down. Each must be a single part.
    pub fn of_names<'n>(names: impl Iterator<Item = &'n [u8]>) -> Self {
        let mut path = Self::root();
        names.for_each(|name| path.push(name));
        path
    }

    /// This path with one more name at its end. The name must be a single part.
    pub fn join(&self, name: impl AsRef<[u8]>) -> Self {
        let mut path = self.clone();
        path.push(name.as_ref());
        path
    }

    /// This path with all of `below` at its end.
    pub fn join_path(&self, below: &ItemPath) -> Self {
        below.parts().fold(self.clone(), |mut path, part| {
            path.push(part);
            path
        })
    }

    fn push(&mut self, name: &[u8]) {
        debug_assert!(!name.contains(&b'/') && !name.is_empty());
        if !self.0.is_empty() {
            self.0.push(b'/');
        }
        self.0.extend_from_slice(name);
    }

    /// The bytes, names joined by `/`.
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// Whether this is the place itself.
    pub fn is_root(&self) -> bool {
        self.0.is_empty()
    }

    /// The last name; empty for the place itself.
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
        Some(ItemPath(self.0[..end].to_vec()))
    }

    /// The names from the top down.
    pub fn parts(&self) -> impl DoubleEndedIterator<Item = &[u8]> {
        self.0.split(|b| *b == b'/').filter(|part| !part.is_empty())
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

    /// The written form; see [`crate::escape`].
    pub fn to_text(&self) -> String {
        escape(&self.0)
    }
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
    pub place: String,
    /// The path below it.
    pub path: ItemPath,
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
    pub fn new(place: impl Into<String>, path: ItemPath) -> Self {
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

    /// Whether this lies inside the folder at `other`.
    pub fn is_inside(&self, other: &Spot) -> bool {
        self.place == other.place && self.path.is_inside(&other.path)
    }
}

impl fmt::Display for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.path.is_root() {
            return f.write_str(&self.place);
        }
        write!(f, "{}/{}", self.place, self.path)
    }
}

impl fmt::Debug for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
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
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn path(text: &str) -> ItemPath {
        ItemPath::new(text).unwrap()
    }

    #[test]
    fn paths_never_lead_upwards() {
        assert_eq!(ItemPath::new("a/../b"), None);
        assert_eq!(ItemPath::new("./a"), None);
        assert_eq!(ItemPath::new(b"a\0b"), None);
        assert_eq!(path("/a//b/"), path("a/b"));
        assert_eq!(Spot::parse("downloads/../x"), Err(BadSpot::Path("downloads/../x".into())));
        assert!(Spot::parse("/etc/passwd").is_err());
    }

    #[test]
    fn inside_means_below_and_not_beside() {
        assert!(path("a/b/c").is_inside(&path("a/b")));
        assert!(!path("a/bc").is_inside(&path("a/b")));
        assert!(!path("a/b").is_inside(&path("a/b")));
        assert!(path("a").is_inside(&ItemPath::root()));
    }

    #[test]
    fn parents_names_and_depth() {
        assert_eq!(path("a/b").parent(), Some(path("a")));
        assert_eq!(path("a").parent(), Some(ItemPath::root()));
        assert_eq!(ItemPath::root().parent(), None);
        assert_eq!(path("a/b").name(), b"b");
        assert_eq!(path("a/b/c").depth(), 3);
    }

    proptest! {
        #[test]
        fn spots_survive_being_written(parts in proptest::collection::vec(
            proptest::collection::vec(1u8.., 1..12), 0..4)) {
            let bytes: Vec<u8> = parts.join(&b'/');
            if let Some(path) = ItemPath::new(&bytes) {
                let spot = Spot::new("downloads", path);
                prop_assert_eq!(Spot::parse(&spot.to_string()).unwrap(), spot);
            }
        }
    }
}
