//! Tags in the extended attribute `user.xdg.tags` (freedesktop.org, common extended attributes).

use std::ffi::CStr;
use std::os::fd::{AsFd, AsRawFd, BorrowedFd};

use nine_core::item::{Kind, Stamp};
use nine_core::place::{ItemPath, Name};
use nine_core::tags;
use nine_sys::has_getxattrat;
use rustix::fs::{self, Mode, OFlags, XattrFlags};
use rustix::io::Errno;

use super::LocalStore;
use crate::fault::{Op, before, point};
use crate::{StoreError, StoreResult};

/// The attribute's name.
pub const ATTRIBUTE: &str = "user.xdg.tags";

/// The same as the kernel takes it.
const C_ATTRIBUTE: &CStr = c"user.xdg.tags";

/// See [`crate::Store::tags`]. A file system without attributes has no tags.
pub(super) fn read(store: &LocalStore, path: &ItemPath) -> StoreResult<Vec<String>> {
    let (folder, name) = store.parent(path)?;
    read_at(&mut Attributes::below(folder.as_fd()), name, &mut vec![0; USUAL])
}

/// See [`crate::Store::tags_in`].
pub(super) fn read_in(store: &LocalStore, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
    // Kept at hand, since notes in it are read next.
    let Ok(open) = store.folder(folder) else {
        return vec![Vec::new(); names.len()];
    };
    let mut tags = TagsBelow::new(open.as_fd());
    names.iter().map(|name| tags.of(name)).collect()
}

/// The tags of what an open folder holds, asked for one by one.
pub(super) struct TagsBelow<'f> {
    attributes: Attributes<'f>,
    value: Vec<u8>,
}

impl<'f> TagsBelow<'f> {
    pub fn new(folder: BorrowedFd<'f>) -> Self {
        Self { attributes: Attributes::below(folder), value: vec![0; USUAL] }
    }

    /// The folder.
    pub fn folder(&self) -> BorrowedFd<'f> {
        self.attributes.folder
    }

    /// The tags of what has a name here; none where they cannot be read.
    pub fn of(&mut self, name: &[u8]) -> Vec<String> {
        read_at(&mut self.attributes, name, &mut self.value).unwrap_or_default()
    }
}

/// The room that nearly every list of tags fits in.
const USUAL: usize = 1024;

/// Attributes in which a download keeps the address that it came from (freedesktop.org), the better one first.
const ORIGINS: [&CStr; 2] = [c"user.xdg.origin.url", c"user.xdg.referrer.url"];

/// See [`crate::ReadStore::origin`].
pub(super) fn origin(store: &LocalStore, path: &ItemPath) -> StoreResult<Option<String>> {
    let (folder, name) = store.parent(path)?;
    let mut attributes = Attributes::below(folder.as_fd());
    let mut value = vec![0; 4 * USUAL];
    for attribute in ORIGINS {
        match attributes.get(name, attribute, &mut value) {
            Ok(length) if length > 0 => {
                return Ok(Some(String::from_utf8_lossy(&value[..length]).into_owned()));
            }
            Ok(_) | Err(Errno::NODATA | Errno::OPNOTSUPP | Errno::RANGE) => {}
            Err(other) => return Err(other.into()),
        }
    }
    Ok(None)
}

/// The attributes of what an open folder holds.
struct Attributes<'f> {
    folder: BorrowedFd<'f>,
    /// Where the kernel has no call for attributes below an open folder: its own link to the folder, which serves as
    /// well but is looked up anew for each name. Otherwise empty.
    link: Vec<u8>,
    /// The link and the name that is asked about.
    path: Vec<u8>,
}

impl<'f> Attributes<'f> {
    fn below(folder: BorrowedFd<'f>) -> Self {
        let link = if has_getxattrat() {
            Vec::new()
        } else {
            format!("/proc/self/fd/{}/", folder.as_raw_fd()).into_bytes()
        };
        Self { folder, link, path: Vec::new() }
    }

    /// Reads an attribute of what has a name here; returns its length.
    fn get(&mut self, name: &[u8], attribute: &CStr, value: &mut [u8]) -> Result<usize, Errno> {
        self.path.clear();
        self.path.extend_from_slice(&self.link);
        self.path.extend_from_slice(name);
        self.path.push(0);
        let path = CStr::from_bytes_with_nul(&self.path).map_err(|_| Errno::INVAL)?;
        if !self.link.is_empty() {
            return fs::lgetxattr(path, attribute, value);
        }
        let read = nine_sys::getxattrat(self.folder, path, attribute, value);
        read.map_err(|error| Errno::from_io_error(&error).unwrap_or(Errno::IO))
    }
}

fn read_at(attributes: &mut Attributes, name: &[u8], value: &mut Vec<u8>) -> StoreResult<Vec<String>> {
    loop {
        match attributes.get(name, C_ATTRIBUTE, value) {
            Ok(length) => return Ok(tags::from_attribute(&value[..length])),
            Err(Errno::NODATA | Errno::OPNOTSUPP) => return Ok(Vec::new()),
            Err(Errno::RANGE) if value.len() < 64 * 1024 => value.resize(64 * 1024, 0),
            Err(other) => return Err(other.into()),
        }
    }
}

/// See [`crate::Store::set_tags`].
pub(super) fn write(store: &LocalStore, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()> {
    let (folder, name) = store.parent(path)?;
    let entry = store.expect(&folder, name, stamp)?;
    if !matches!(entry.kind, Kind::File | Kind::Folder) {
        return Err(StoreError::NoTags);
    }
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let item = fs::openat(&folder, name, flags, Mode::empty())?;
    before(Op::Tags)?;
    let written = if tags.is_empty() {
        match fs::fremovexattr(&item, ATTRIBUTE) {
            Err(Errno::NODATA) => Ok(()),
            other => other,
        }
    } else {
        fs::fsetxattr(&item, ATTRIBUTE, tags::to_attribute(tags).as_bytes(), XattrFlags::empty())
    };
    point();
    written.map_err(|errno| match errno {
        Errno::OPNOTSUPP | Errno::RANGE | Errno::TOOBIG => StoreError::NoTags,
        other => other.into(),
    })
}
