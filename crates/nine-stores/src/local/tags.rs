//! Tags in the extended attribute `user.xdg.tags` (freedesktop.org, common extended attributes).

use std::os::fd::{AsRawFd, OwnedFd};

use nine_core::item::{Kind, Stamp};
use nine_core::place::{ItemPath, Name};
use nine_core::tags;
use rustix::fs::{self, Mode, OFlags, XattrFlags};
use rustix::io::Errno;

use super::{FOLDER_FLAGS, LocalStore};
use crate::fault::{Op, before, point};
use crate::{StoreError, StoreResult};

/// The attribute's name.
pub const ATTRIBUTE: &str = "user.xdg.tags";

/// See [`crate::Store::tags`]. A file system without attributes has no tags.
pub(super) fn read(store: &LocalStore, path: &ItemPath) -> StoreResult<Vec<String>> {
    let (folder, name) = store.parent(path)?;
    read_at(&mut link_to(&folder), name, &mut vec![0; USUAL])
}

/// See [`crate::Store::tags_in`].
pub(super) fn read_in(store: &LocalStore, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
    let Ok(open) = store.open_at(folder, FOLDER_FLAGS) else {
        return vec![Vec::new(); names.len()];
    };
    let (mut at, mut value) = (link_to(&open), vec![0; USUAL]);
    names.iter().map(|name| read_at(&mut at, name, &mut value).unwrap_or_default()).collect()
}

/// The room that nearly every list of tags fits in.
const USUAL: usize = 1024;

/// Attributes in which a download keeps the address that it came from (freedesktop.org), the better one first.
const ORIGINS: [&str; 2] = ["user.xdg.origin.url", "user.xdg.referrer.url"];

/// See [`crate::ReadStore::origin`].
pub(super) fn origin(store: &LocalStore, path: &ItemPath) -> StoreResult<Option<String>> {
    let (folder, name) = store.parent(path)?;
    let mut at = link_to(&folder);
    at.extend_from_slice(name);
    let mut value = vec![0; 4 * USUAL];
    for attribute in ORIGINS {
        match fs::lgetxattr(at.as_slice(), attribute, &mut value[..]) {
            Ok(length) if length > 0 => {
                return Ok(Some(String::from_utf8_lossy(&value[..length]).into_owned()));
            }
            Ok(_) | Err(Errno::NODATA | Errno::OPNOTSUPP | Errno::RANGE) => {}
            Err(other) => return Err(other.into()),
        }
    }
    Ok(None)
}

/// The kernel has no call for attributes below an open folder; its own link to the folder serves.
fn link_to(folder: &OwnedFd) -> Vec<u8> {
    format!("/proc/self/fd/{}/", folder.as_raw_fd()).into_bytes()
}

fn read_at(at: &mut Vec<u8>, name: &[u8], value: &mut Vec<u8>) -> StoreResult<Vec<String>> {
    let folder = at.len();
    at.extend_from_slice(name);
    let read = loop {
        match fs::lgetxattr(at.as_slice(), ATTRIBUTE, &mut value[..]) {
            Ok(length) => break Ok(tags::from_attribute(&value[..length])),
            Err(Errno::NODATA | Errno::OPNOTSUPP) => break Ok(Vec::new()),
            Err(Errno::RANGE) if value.len() < 64 * 1024 => value.resize(64 * 1024, 0),
            Err(other) => break Err(other.into()),
        }
    };
    at.truncate(folder);
    read
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
