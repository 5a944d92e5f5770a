//! Content read and written, with what travels with it.

use std::fs::File;
use std::io::{self, Read, Write};
use std::sync::Arc;
use std::sync::atomic::Ordering;

use nine_core::item::{Entry, Kind};
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use rustix::fd::AsFd;
use rustix::fs::{self, Advice, AtFlags, Mode, OFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;

use super::volumes::Volumes;
use super::{Counters, LocalStore, WANTED, entry_of};
use crate::fault::{Op, before, point};
use crate::{Meta, OpenFile, StoreError, StoreResult};

const READ_FLAGS: OFlags =
    OFlags::RDONLY.union(OFlags::NOFOLLOW).union(OFlags::NONBLOCK).union(OFlags::CLOEXEC);

/// Bytes that are copied at once.
const BLOCK: usize = 1 << 20;

/// Opens a file for reading; where that is allowed, without marking it as opened by the person.
pub(super) fn open(store: &LocalStore, path: &ItemPath) -> StoreResult<File> {
    let (folder, name) = store.parent(path)?;
    store.settings.counters.opens.fetch_add(1, Ordering::Relaxed);
    before(Op::Open)?;
    let open = |flags| fs::openat(&folder, name, flags, Mode::empty());
    let file = match open(READ_FLAGS | OFlags::NOATIME) {
        Err(Errno::PERM) => open(READ_FLAGS)?,
        other => other?,
    };
    let kind = fs::FileType::from_raw_mode(fs::fstat(&file)?.st_mode);
    if kind != fs::FileType::RegularFile {
        return Err(StoreError::Special);
    }
    Ok(file.into())
}

/// See [`crate::Store::open_file`].
pub(super) struct Opened {
    file: File,
    counters: Arc<Counters>,
    believes_births: bool,
    volumes: Volumes,
}

impl Opened {
    /// Opens by the whole path at once, since files are taken here in the order of their sizes and not
    /// folder by folder.
    pub(super) fn open(store: &LocalStore, path: &ItemPath) -> StoreResult<Self> {
        store.settings.counters.opens.fetch_add(1, Ordering::Relaxed);
        let file = match store.open_at(path, READ_FLAGS | OFlags::NOATIME) {
            Err(StoreError::NoRight) => store.open_at(path, READ_FLAGS)?,
            other => other?,
        };
        let counters = Arc::clone(&store.settings.counters);
        let (believes_births, volumes) = (store.settings.believes_births, store.volumes.clone());
        Ok(Self { file: file.into(), counters, believes_births, volumes })
    }
}

impl OpenFile for Opened {
    fn entry(&self) -> StoreResult<Entry> {
        let found = fs::statx(&self.file, "", AtFlags::EMPTY_PATH, WANTED)?;
        let volume = self.volumes.of(&found, || self.file.try_clone().ok().map(Into::into));
        Ok(entry_of(&found, self.believes_births, &volume))
    }

    fn read_at(&self, room: &mut [u8], offset: u64) -> StoreResult<usize> {
        before(Op::Read)?;
        let mut filled = 0;
        while filled < room.len() {
            match rustix::io::pread(&self.file, &mut room[filled..], offset + filled as u64) {
                Ok(0) => break,
                Ok(length) => filled += length,
                Err(Errno::INTR) => {}
                Err(other) => return Err(other.into()),
            }
        }
        self.counters.bytes.fetch_add(filled as u64, Ordering::Relaxed);
        Ok(filled)
    }
}

/// See [`crate::Store::first_bytes`].
pub(super) fn first_bytes(store: &LocalStore, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>> {
    let mut bytes = Vec::new();
    open(store, path)?.take(most as u64).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// See [`crate::Store::meta`]. Links have no mode and no attributes of their own.
pub(super) fn meta(store: &LocalStore, path: &ItemPath) -> StoreResult<Meta> {
    let (folder, name) = store.parent(path)?;
    let entry = store.look_in(&folder, name)?.ok_or(StoreError::NotThere)?;
    let mut meta = Meta { modified: entry.modified, opened: entry.opened, ..Meta::default() };
    if matches!(entry.kind, Kind::File | Kind::Folder) {
        let item = fs::openat(&folder, name, READ_FLAGS, Mode::empty())?;
        meta.mode = Some(fs::fstat(&item)?.st_mode & 0o7777);
        meta.attributes = attributes(&item)?;
    }
    Ok(meta)
}

fn attributes(item: impl AsFd) -> StoreResult<Vec<(Vec<u8>, Vec<u8>)>> {
    let mut names = vec![0; 64 * 1024];
    let length = match fs::flistxattr(&item, &mut names[..]) {
        Ok(length) => length,
        Err(Errno::OPNOTSUPP) => 0,
        Err(other) => return Err(other.into()),
    };
    let mut found = Vec::new();
    for name in names[..length].split(|b| *b == 0).filter(|name| name.starts_with(b"user.")) {
        let mut value = vec![0; 64 * 1024];
        let length = fs::fgetxattr(&item, name, &mut value[..])?;
        value.truncate(length);
        found.push((name.to_vec(), value));
    }
    // File systems name them in no order.
    found.sort();
    Ok(found)
}

/// See [`crate::Store::write_new`].
pub(super) fn write_new(
    store: &LocalStore,
    path: &ItemPath,
    content: &mut dyn Read,
    meta: &Meta,
) -> StoreResult<u64> {
    let (file, written) = create(store, path, content)?;
    apply(&file, meta)?;
    store.sync(&file)?;
    // What is compared next must come from the disk, not from memory.
    let _ = fs::fadvise(&file, 0, None, Advice::DontNeed);
    Ok(written)
}

/// Makes a file under a free name and fills it. Nobody else may read it yet.
pub(super) fn create(
    store: &LocalStore,
    path: &ItemPath,
    content: &mut dyn Read,
) -> StoreResult<(File, u64)> {
    let (folder, name) = store.parent(path)?;
    let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    before(Op::Create)?;
    let mut file = File::from(fs::openat(&folder, name, flags, Mode::from_raw_mode(0o600))?);
    point();
    let mut block = vec![0; BLOCK];
    let mut written = 0;
    loop {
        let length = match content.read(&mut block) {
            Ok(0) => break,
            Ok(length) => length,
            Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
            Err(e) => return Err(e.into()),
        };
        before(Op::Write)?;
        file.write_all(&block[..length])?;
        point();
        written += length as u64;
    }
    Ok((file, written))
}

/// Gives an open file or folder its attributes, mode and times, in this order: setting attributes
/// needs the right to write, and the times come last.
fn apply(item: impl AsFd, meta: &Meta) -> StoreResult<()> {
    before(Op::Tags)?;
    for (name, value) in &meta.attributes {
        let set = fs::fsetxattr(&item, name.as_slice(), value, XattrFlags::empty());
        set.map_err(|errno| match errno {
            Errno::OPNOTSUPP | Errno::RANGE | Errno::TOOBIG | Errno::NOSPC => StoreError::NoTags,
            other => other.into(),
        })?;
    }
    if let Some(mode) = meta.mode {
        fs::fchmod(&item, Mode::from_raw_mode(mode))?;
    }
    Ok(fs::futimens(&item, &times(meta))?)
}

fn times(meta: &Meta) -> Timestamps {
    let of = |moment: Moment| {
        let (seconds, nanos) = moment.to_unix();
        Timespec { tv_sec: seconds, tv_nsec: nanos.into() }
    };
    Timestamps { last_access: of(meta.opened.unwrap_or(meta.modified)), last_modification: of(meta.modified) }
}

/// See [`crate::Store::link_again`].
pub(super) fn link_again(store: &LocalStore, first: &ItemPath, name: &ItemPath) -> StoreResult<bool> {
    let ((from, old), (to, new)) = (store.parent(first)?, store.parent(name)?);
    before(Op::Create)?;
    let linked = match fs::linkat(&from, old, &to, new, AtFlags::empty()) {
        Ok(()) => true,
        Err(Errno::PERM | Errno::OPNOTSUPP | Errno::NOSYS | Errno::MLINK) => false,
        Err(other) => return Err(other.into()),
    };
    point();
    Ok(linked)
}

/// See [`crate::Store::link_new`].
pub(super) fn link_new(store: &LocalStore, path: &ItemPath, target: &[u8], meta: &Meta) -> StoreResult<()> {
    let (folder, name) = store.parent(path)?;
    before(Op::Create)?;
    fs::symlinkat(target, &folder, name)?;
    point();
    Ok(fs::utimensat(&folder, name, &times(meta), AtFlags::SYMLINK_NOFOLLOW)?)
}

/// See [`crate::Store::set_folder_meta`].
pub(super) fn set_folder_meta(store: &LocalStore, path: &ItemPath, meta: &Meta) -> StoreResult<()> {
    let (folder, name) = store.parent(path)?;
    let item = fs::openat(&folder, name, READ_FLAGS | OFlags::DIRECTORY, Mode::empty())?;
    apply(&item, meta)?;
    store.sync(&item)
}
