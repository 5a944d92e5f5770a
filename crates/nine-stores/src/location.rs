//! Where something is: a path of this machine, or an address of a drive.

use std::ffi::{OsStr, OsString};
use std::fmt;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

use nine_core::escape::{BadEscape, escape, unescape};
use nine_core::place::ItemPath;

use crate::drive::{Address, BadAddress};

/// Where a folder or an item is. `Display` gives the written form, which [`Location::read`] reads again: a path as
/// [`nine_core::escape`] has it, an address with its escapes (RFC 3986).
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Location {
    /// In the local file system.
    Local(PathBuf),
    /// On a drive.
    Drive(Address),
}

/// Why a written location could not be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadLocation {
    /// An escape that is not known.
    #[error(transparent)]
    Escape(#[from] BadEscape),
    /// It begins like an address, and is none.
    #[error(transparent)]
    Address(#[from] BadAddress),
}

impl Location {
    /// What a person typed: bytes as the shell gives them, an address with its escapes.
    ///
    /// # Errors
    /// If it begins like an address, and is none.
    pub fn typed(typed: &Path) -> Result<Self, BadAddress> {
        let bytes = typed.as_os_str().as_bytes();
        if !Address::is_one(bytes) {
            return Ok(Self::Local(typed.to_owned()));
        }
        let text = std::str::from_utf8(bytes).map_err(|_| BadAddress::Path)?;
        Ok(Self::Drive(Address::parse(text)?))
    }

    /// Reads the written form.
    ///
    /// # Errors
    /// An unknown escape, or an address that is none.
    pub fn read(written: &str) -> Result<Self, BadLocation> {
        if Address::is_one(written.as_bytes()) {
            return Ok(Self::Drive(Address::parse(written)?));
        }
        Ok(Self::Local(PathBuf::from(OsString::from_vec(unescape(written)?))))
    }

    /// What lies below.
    pub fn join(&self, below: &ItemPath) -> Self {
        match self {
            Self::Local(path) if below.is_root() => Self::Local(path.clone()),
            Self::Local(path) => Self::Local(path.join(OsStr::from_bytes(below.as_bytes()))),
            Self::Drive(at) => Self::Drive(Address { path: at.path.join_path(below), ..at.clone() }),
        }
    }

    /// The path from `top` to this; the root for `top` itself, `None` for what lies elsewhere.
    pub fn below(&self, top: &Self) -> Option<ItemPath> {
        match (self, top) {
            (Self::Local(path), Self::Local(top)) => {
                ItemPath::new(path.strip_prefix(top).ok()?.as_os_str().as_bytes())
            }
            (Self::Drive(at), Self::Drive(top)) if top.holds(at) => {
                Some(ItemPath::of_names(at.path.parts().skip(top.path.depth())))
            }
            _ => None,
        }
    }

    /// The same with links resolved, as far as it exists.
    pub fn real(&self) -> Self {
        match self {
            Self::Local(path) => Self::Local(std::fs::canonicalize(path).unwrap_or_else(|_| path.clone())),
            Self::Drive(_) => self.clone(),
        }
    }

    /// The same as a whole path, where it was one below the working folder; links are not resolved.
    pub fn absolute(&self) -> Self {
        match self {
            Self::Local(path) => Self::Local(std::path::absolute(path).unwrap_or_else(|_| path.clone())),
            Self::Drive(_) => self.clone(),
        }
    }

    /// The path in the local file system, if it is there.
    pub fn local(&self) -> Option<&Path> {
        match self {
            Self::Local(path) => Some(path),
            Self::Drive(_) => None,
        }
    }

    /// The last name; `None` at the top.
    pub fn name(&self) -> Option<&[u8]> {
        match self {
            Self::Local(path) => path.file_name().map(OsStr::as_bytes),
            Self::Drive(at) => Some(at.path.name()).filter(|name| !name.is_empty()),
        }
    }

    /// As a person would type it: the bytes of a path, an address with its escapes.
    pub fn as_typed(&self) -> OsString {
        match self {
            Self::Local(path) => path.as_os_str().to_owned(),
            Self::Drive(at) => at.to_string().into(),
        }
    }
}

impl fmt::Display for Location {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Local(path) => f.write_str(&escape(path.as_os_str().as_bytes())),
            Self::Drive(at) => at.fmt(f),
        }
    }
}

impl From<PathBuf> for Location {
    fn from(path: PathBuf) -> Self {
        Self::Local(path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> Location {
        Location::typed(Path::new(text)).unwrap()
    }

    #[test]
    fn what_lies_below_is_told_by_names_and_not_by_text() {
        let below = |path: &str, top: &str| at(path).below(&at(top)).map(|path| path.to_string());
        assert_eq!(below("/home/ada/letters/a", "/home/ada"), Some("letters/a".into()));
        assert_eq!(below("/home/adam", "/home/ada"), None);
        assert_eq!(below("https://host/my%20papers/a", "https://HOST/my papers"), Some("a".into()));
        assert_eq!(below("https://host/papers", "https://host/papers/"), Some(String::new()));
        assert_eq!(below("https://other/papers/a", "https://host/papers"), None);
        assert_eq!(below("https://host/papers", "/"), None);
    }

    #[test]
    fn the_written_form_reads_back() {
        for text in ["/home/a\u{301}/x\\y\n", "https://host/my%20papers/50%25"] {
            assert_eq!(Location::read(&at(text).to_string()), Ok(at(text)));
        }
        let odd = Location::Local(PathBuf::from(OsStr::from_bytes(b"/home/\xff")));
        assert_eq!(Location::read(&odd.to_string()), Ok(odd));
        assert_eq!(Location::read("https://host/../x"), Err(BadAddress::Path.into()));
    }

    #[test]
    fn what_was_joined_lies_below() {
        let path = ItemPath::new("letters/a").unwrap();
        for top in [at("/home/ada"), at("https://host/my%20papers")] {
            assert_eq!(top.join(&path).below(&top), Some(path.clone()));
            assert_eq!(top.join(&ItemPath::root()), top);
        }
        assert_eq!(at("https://host/a%20b").join(&path).as_typed(), "https://host/a%20b/letters/a");
    }
}
