//! Content read and written, with what travels with it.

use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::sync::Arc;
use std::sync::atomic::Ordering;

use nine_core::item::{Entry, Kind};
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use rustix::fd::{AsFd, BorrowedFd};
use rustix::fs::{self, Advice, AtFlags, Gid, Mode, OFlags, Timespec, Timestamps, Uid, XattrFlags};
use rustix::io::Errno;

use super::entries::entry_of;
use super::volumes::Volumes;
use super::{Counters, LocalStore, WANTED};
use crate::bounded;
use crate::fault::{Op, before, point};
use crate::{Meta, OpenFile, StoreError, StoreResult};

const READ_FLAGS: OFlags =
    OFlags::RDONLY.union(OFlags::NOFOLLOW).union(OFlags::NONBLOCK).union(OFlags::CLOEXEC);

/// Bytes that are copied at once.
const BLOCK: usize = 1 << 20;

/// Opens a file for reading; where that is allowed, without marking it as opened by the person.
pub(super) fn open(store: &LocalStore, path: &ItemPath) -> StoreResult<File> {
    open_of_size(store, path).map(|(file, _)| file)
}

/// The same, and its bytes.
fn open_of_size(store: &LocalStore, path: &ItemPath) -> StoreResult<(File, u64)> {
    let (folder, name) = store.parent(path)?;
    open_below(store, folder.as_fd(), name)
}

/// The same of what an open folder holds.
fn open_below(store: &LocalStore, folder: BorrowedFd, name: &[u8]) -> StoreResult<(File, u64)> {
    store.settings.counters.opens.fetch_add(1, Ordering::Relaxed);
    before(Op::Open)?;
    let open = |flags| fs::openat(folder, name, flags, Mode::empty());
    let file = match open(READ_FLAGS | OFlags::NOATIME) {
        Err(Errno::PERM) => open(READ_FLAGS)?,
        other => other?,
    };
    let found = fs::fstat(&file)?;
    if fs::FileType::from_raw_mode(found.st_mode) != fs::FileType::RegularFile {
        return Err(StoreError::Special);
    }
    Ok((file.into(), found.st_size as u64))
}

/// See [`crate::Store::open_file`].
pub(super) struct OpenedFile {
    file: File,
    counters: Arc<Counters>,
    believes_births: bool,
    volumes: Volumes,
}

impl OpenedFile {
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

impl OpenFile for OpenedFile {
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
    read_first(open_of_size(store, path)?, most)
}

/// The same of what an open folder holds.
pub(super) fn first_bytes_below(
    store: &LocalStore,
    folder: BorrowedFd,
    name: &[u8],
    most: usize,
) -> StoreResult<Vec<u8>> {
    read_first(open_below(store, folder, name)?, most)
}

fn read_first((file, size): (File, u64), most: usize) -> StoreResult<Vec<u8>> {
    // One more, so that the end is found without more room.
    let mut bytes = Vec::with_capacity(size.min(most as u64) as usize + 1);
    bounded::append(file, most as u64, &mut bytes)?;
    Ok(bytes)
}

/// See [`crate::Store::meta`]. Links have no mode and no attributes of their own.
pub(super) fn meta(store: &LocalStore, path: &ItemPath) -> StoreResult<Meta> {
    let (folder, name) = store.parent(path)?;
    let entry = store.look_in(&folder, name)?.ok_or(StoreError::NotThere)?;
    let mut meta = Meta { modified: entry.modified, opened: entry.opened, ..Meta::default() };
    if matches!(entry.kind, Kind::File | Kind::Folder) {
        let item = fs::openat(&folder, name, READ_FLAGS, Mode::empty())?;
        let found = fs::fstat(&item)?;
        meta.mode = Some(found.st_mode & 0o7777);
        meta.owner = Some((found.st_uid, found.st_gid));
        meta.is_sparse = entry.kind == Kind::File && is_sparse(&found);
        meta.attributes = attributes(&item)?;
    }
    Ok(meta)
}

/// Bytes of a block as stat(2) counts them.
const STAT_BLOCK: u64 = 512;

// The kernel's fields have other widths on other processors.
#[allow(clippy::unnecessary_cast)]
fn is_sparse(found: &fs::Stat) -> bool {
    (found.st_blocks as u64).saturating_mul(STAT_BLOCK) < found.st_size as u64
}

/// Attributes that travel: the person's own, access control lists, and the capabilities of a program.
fn travels(name: &[u8]) -> bool {
    name.starts_with(b"user.") || OF_THE_SYSTEM.contains(&name)
}

/// Attributes of the system that travel where the target has them.
const OF_THE_SYSTEM: [&[u8]; 3] =
    [b"system.posix_acl_access", b"system.posix_acl_default", b"security.capability"];

fn attributes(item: impl AsFd) -> StoreResult<Vec<(Vec<u8>, Vec<u8>)>> {
    let mut names = vec![0; 64 * 1024];
    let length = match fs::flistxattr(&item, &mut names[..]) {
        Ok(length) => length,
        Err(Errno::OPNOTSUPP) => 0,
        Err(other) => return Err(other.into()),
    };
    let mut found = Vec::new();
    for name in names[..length].split(|b| *b == 0).filter(|name| travels(name)) {
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
    let (file, written) = write_unflushed(store, path, content, meta)?;
    flush_file(store, &file)?;
    Ok(written)
}

/// See [`crate::Store::write_unflushed`].
pub(super) fn write_unflushed(
    store: &LocalStore,
    path: &ItemPath,
    content: &mut dyn Read,
    meta: &Meta,
) -> StoreResult<(File, u64)> {
    let (file, written) = create(store, path, content, meta.is_sparse)?;
    apply(&file, meta)?;
    // The system begins to write at once, so that a flush later on waits for little.
    let _ = fs::fadvise(&file, 0, None, Advice::DontNeed);
    Ok((file, written))
}

/// See [`crate::Store::flush`]. The first makes the file system write down what it knows of all of them, since that
/// is in its hands by then: the others find little left to do.
pub(super) fn flush(store: &LocalStore, written: &[&ItemPath]) -> Vec<StoreResult<()>> {
    let flush = |path: &&ItemPath| {
        let (folder, name) = store.parent(path)?;
        let file = File::from(fs::openat(&folder, name, READ_FLAGS, Mode::empty())?);
        flush_file(store, &file)
    };
    written.iter().map(flush).collect()
}

fn flush_file(store: &LocalStore, file: &File) -> StoreResult<()> {
    store.sync(file)?;
    // What is compared next must come from the disk, not from memory.
    let _ = fs::fadvise(file, 0, None, Advice::DontNeed);
    Ok(())
}

/// Makes a file under a free name and fills it. Nobody else may read it yet. Of a sparse one blocks of zeros are left
/// out.
pub(super) fn create(
    store: &LocalStore,
    path: &ItemPath,
    content: &mut dyn Read,
    is_sparse: bool,
) -> StoreResult<(File, u64)> {
    let (folder, name) = store.parent(path)?;
    let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    before(Op::Create)?;
    let mut file = File::from(fs::openat(&folder, name, flags, Mode::from_raw_mode(0o600))?);
    point();
    let mut block = vec![0; BLOCK];
    let (mut written, mut unflushed) = (0, 0);
    loop {
        let length = match content.read(&mut block) {
            Ok(0) => break,
            Ok(length) => length,
            Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
            Err(e) => return Err(e.into()),
        };
        before(Op::Write)?;
        write_block(&mut file, &block[..length], is_sparse)?;
        point();
        written += length as u64;
        unflushed += length;
        if unflushed >= FLUSHED_AT_ONCE {
            // What is flushed as it comes need not be waited for at the end, when nobody could stop it.
            file.sync_data()?;
            unflushed = 0;
        }
    }
    if is_sparse {
        // A hole at the end is nothing that was written.
        file.set_len(written)?;
    }
    Ok((file, written))
}

/// Bytes that are flushed at once while a file is written.
const FLUSHED_AT_ONCE: usize = 64 << 20;

/// What a hole is made of.
const HOLE: usize = 4096;

/// Writes a block, or passes over those parts of it that are holes.
fn write_block(file: &mut File, block: &[u8], is_sparse: bool) -> io::Result<()> {
    if !is_sparse {
        return file.write_all(block);
    }
    for part in block.chunks(HOLE) {
        match part.iter().all(|byte| *byte == 0) {
            true => drop(file.seek_relative(part.len() as i64)?),
            false => file.write_all(part)?,
        }
    }
    Ok(())
}

/// Gives an open file or folder its owner, attributes, mode and times, in this order: a new owner takes away
/// capabilities and set-user bits, setting attributes needs the right to write, and the times come last. Owner, access
/// lists and capabilities are kept where that is allowed and the file system has them; their loss was a doubt.
fn apply(item: impl AsFd, meta: &Meta) -> StoreResult<()> {
    before(Op::Tags)?;
    let keeps_owner = take_owner(&item, meta.owner)?;
    for (name, value) in &meta.attributes {
        let set = fs::fsetxattr(&item, name.as_slice(), value, XattrFlags::empty());
        match set {
            Err(_) if OF_THE_SYSTEM.contains(&name.as_slice()) => {}
            Err(Errno::OPNOTSUPP | Errno::RANGE | Errno::TOOBIG | Errno::NOSPC) => {
                return Err(StoreError::NoTags);
            }
            other => other?,
        }
    }
    if let Some(mode) = meta.mode {
        // A set-user bit never changes hands: it would give the rights of whoever has the file now.
        let mode = if keeps_owner { mode } else { mode & !SET_ID };
        fs::fchmod(&item, Mode::from_raw_mode(mode))?;
    }
    Ok(fs::futimens(&item, &times(meta))?)
}

/// The set-user and set-group bits.
const SET_ID: u32 = 0o6000;

/// Gives an item user and group; says whether it has both now. Without the right to it, the group alone is tried.
fn take_owner(item: impl AsFd, owner: Option<(u32, u32)>) -> StoreResult<bool> {
    let Some((user, group)) = owner else { return Ok(false) };
    let is_so = |found: fs::Stat| (found.st_uid, found.st_gid) == (user, group);
    if is_so(fs::fstat(&item)?) {
        return Ok(true);
    }
    let (user, group) = (Uid::from_raw(user), Gid::from_raw(group));
    if fs::fchown(&item, Some(user), Some(group)).is_err() {
        let _ = fs::fchown(&item, None, Some(group));
    }
    Ok(is_so(fs::fstat(&item)?))
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
