//! A place in the local file system.
//!
//! Everything happens relative to one open folder, the place's root. Paths below it are opened with
//! `openat2(2)` so that no link is followed on the way and nothing above the root can be reached.

mod changes;
mod content;
mod entries;
pub mod events;
mod facts;
mod kinds;
mod lists;
mod rights;
mod scan;
mod store;
mod tags;
mod trash;
mod trash_sizes;
mod volumes;

pub use tags::ATTRIBUTE as TAGS_ATTRIBUTE;

use std::collections::HashMap;
use std::ffi::OsStr;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, OnceLock};

use entries::entry_of;
use kinds::mount_of;
use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::place::{ItemPath, Name};
use rustix::fs::{self, AtFlags, Mode, OFlags, ResolveFlags, Statx, StatxFlags};
use rustix::io::Errno;
use volumes::{Volume, Volumes};

use crate::fault::{Op, before};
use crate::work::held;
use crate::{Mount, ReadStore, StoreError, StoreResult, random_token};

/// How many system calls of the costly kinds were made; the same for all stores that share it.
#[derive(Debug, Default)]
pub struct Counters {
    /// Waits until something is on the disk for sure.
    pub syncs: AtomicU64,
    /// Files opened to read their content.
    pub opens: AtomicU64,
    /// Bytes of content read through [`OpenFile`].
    pub bytes: AtomicU64,
}

/// How a place is to be opened.
#[derive(Debug, Clone)]
pub struct LocalSettings {
    /// Whether birth times tell when things arrived.
    pub believes_births: bool,
    /// The trash of the person's home, as the freedesktop.org specification has it.
    pub home_trash: PathBuf,
    /// Whether everything goes into `home_trash`, also from other file systems.
    pub one_trash: bool,
    /// Whether whole files may be read to answer a question where reading goes over a network, or through a program.
    pub reads_mounts: bool,
    /// Counters to share.
    pub counters: Arc<Counters>,
}

/// A place in the local file system.
#[derive(Debug)]
pub struct LocalStore {
    root: Arc<OwnedFd>,
    path: PathBuf,
    settings: LocalSettings,
    folders: Mutex<AtHand>,
    /// Whether folders lie on file systems that keep neither owners nor attributes.
    plain: Mutex<HashMap<ItemPath, bool>>,
    /// The file systems that were met.
    volumes: Volumes,
    /// What is in all names that are made for a moment.
    token: Mutex<String>,
    /// Folders that others see, and who these are.
    shared: Vec<(ItemPath, String)>,
    /// What its folder is mounted by, if that is a network or a program; asked once.
    mount: OnceLock<Option<Mount>>,
}

/// Folders that are held open.
#[derive(Debug, Default)]
struct AtHand {
    open: HashMap<ItemPath, Arc<OwnedFd>>,
    /// How often they were forgotten.
    forgotten: u64,
}

impl AtHand {
    /// Forgets some of them, also where a thread is just opening one.
    fn forget(&mut self, which: impl Fn(&ItemPath) -> bool) {
        self.open.retain(|path, _| !which(path));
        self.forgotten += 1;
    }
}

/// How many open folders are kept at hand.
const FOLDERS_AT_HAND: usize = 32;

const FOLDER_FLAGS: OFlags =
    OFlags::PATH.union(OFlags::DIRECTORY).union(OFlags::CLOEXEC).union(OFlags::NOFOLLOW);

impl LocalStore {
    /// Opens the folder at `path`, which is followed if it is a link: the person named it.
    ///
    /// # Errors
    /// If it is not there or not a folder.
    pub fn open(path: &Path, settings: LocalSettings) -> StoreResult<Self> {
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let root = fs::open(path, flags, Mode::empty())?;
        Ok(Self::of_root(root, std::path::absolute(path)?, settings))
    }

    fn of_root(root: OwnedFd, path: PathBuf, settings: LocalSettings) -> Self {
        let token = Mutex::new(random_token());
        let (folders, plain, volumes) = Default::default();
        Self {
            root: Arc::new(root),
            path,
            settings,
            folders,
            plain,
            volumes,
            token,
            shared: Vec::new(),
            mount: OnceLock::new(),
        }
    }

    /// What its folder is mounted by, if that is a network or a program.
    fn mount(&self) -> Option<Mount> {
        let ask = || {
            let found = fs::statx(&self.root, "", AtFlags::EMPTY_PATH, StatxFlags::TYPE).ok()?;
            mount_of(&fs::fstatfs(&*self.root).ok()?, &found)
        };
        *self.mount.get_or_init(ask)
    }

    /// Whether the place itself is on a file system that the kernel makes up: then the user asked for that one.
    fn is_virtual(&self) -> bool {
        fs::fstatfs(&*self.root).is_ok_and(|system| kinds::is_virtual(&system))
    }

    /// The same with folders that others see.
    #[must_use]
    pub fn with_shared(mut self, shared: Vec<(ItemPath, String)>) -> Self {
        self.shared = shared;
        self
    }

    /// The facts of an entry, from what the kernel tells; `open` opens it, should its file system be new.
    fn entry_of(&self, found: &Statx, open: impl FnOnce() -> Option<OwnedFd>) -> Entry {
        entry_of(found, self.settings.believes_births, &self.volumes.of(found, open))
    }

    fn token(&self) -> String {
        held(&self.token).clone()
    }

    fn sync(&self, fd: impl AsFd) -> StoreResult<()> {
        self.settings.counters.syncs.fetch_add(1, Ordering::Relaxed);
        before(Op::Flush)?;
        Ok(fs::fsync(fd)?)
    }

    /// Opens a folder to work in, never through a link.
    fn folder(&self, path: &ItemPath) -> StoreResult<Arc<OwnedFd>> {
        if path.is_root() {
            return Ok(Arc::clone(&self.root));
        }
        let forgotten = {
            let at_hand = held(&self.folders);
            if let Some(folder) = at_hand.open.get(path) {
                return Ok(Arc::clone(folder));
            }
            at_hand.forgotten
        };
        // Nobody waits while another thread looks.
        let folder = match self.open_at(path, FOLDER_FLAGS) {
            Ok(folder) => Arc::new(folder),
            Err(StoreError::NotAFolder) => {
                let is_link = matches!(self.entry(path), Ok(Some(entry)) if entry.kind == Kind::Link);
                return Err(if is_link { StoreError::LeadsElsewhere } else { StoreError::NotAFolder });
            }
            Err(other) => return Err(other),
        };
        let mut at_hand = held(&self.folders);
        if at_hand.forgotten != forgotten {
            return Ok(folder);
        }
        if at_hand.open.len() >= FOLDERS_AT_HAND {
            at_hand.open.clear();
        }
        // All work in the one that was there first.
        Ok(Arc::clone(at_hand.open.entry(path.clone()).or_insert(folder)))
    }

    /// Forgets open folders.
    fn forget_folders(&self) {
        held(&self.folders).forget(|_| true);
    }

    /// The whole path of something, as the person named the place.
    fn path_of(&self, path: &ItemPath) -> PathBuf {
        if path.is_root() { self.path.clone() } else { self.path.join(OsStr::from_bytes(path.as_bytes())) }
    }

    /// Whether the path of a folder still leads to the one that is held open for it. Others may have moved that
    /// elsewhere, and what is done in it happens there.
    fn still_stands(&self, path: &ItemPath) -> StoreResult<bool> {
        let Some(at_hand) = held(&self.folders).open.get(path).cloned() else { return Ok(true) };
        before(Op::Check)?;
        let there = match self.open_at(path, FOLDER_FLAGS) {
            Ok(there) => there,
            Err(StoreError::NotThere | StoreError::NotAFolder | StoreError::LeadsElsewhere) => {
                return Ok(false);
            }
            Err(other) => return Err(other),
        };
        let (there, at_hand) = (fs::fstat(&there)?, fs::fstat(&*at_hand)?);
        Ok((there.st_dev, there.st_ino) == (at_hand.st_dev, at_hand.st_ino))
    }

    /// The folder that holds an item, open, and the item's name in it.
    fn parent<'p>(&self, path: &'p ItemPath) -> StoreResult<(Arc<OwnedFd>, &'p [u8])> {
        let parent = path.parent().ok_or(StoreError::LeadsElsewhere)?;
        Ok((self.folder(&parent)?, path.name()))
    }

    fn open_at(&self, path: &ItemPath, flags: OFlags) -> StoreResult<OwnedFd> {
        let bytes = if path.is_root() { b".".as_slice() } else { path.as_bytes() };
        match fs::openat2(&self.root, bytes, flags, Mode::empty(), within()) {
            // A path longer than the kernel takes at once, or a kernel without this call.
            Err(Errno::NAMETOOLONG | Errno::NOSYS) => self.open_stepwise(path, flags),
            other => Ok(other?),
        }
    }

    /// Opens a path in pieces that the kernel takes at once; one name at a time, if it does not know the call.
    fn open_stepwise(&self, path: &ItemPath, flags: OFlags) -> StoreResult<OwnedFd> {
        let mut here = fs::openat(&self.root, ".", FOLDER_FLAGS, Mode::empty())?;
        let names: Vec<Name> = path.parts().collect();
        let (mut at, mut most) = (0, LONGEST_PIECE);
        while at < names.len() {
            let mut piece = names[at].to_vec();
            let mut end = at + 1;
            while end < names.len() && piece.len() + 1 + names[end].len() <= most {
                piece.push(b'/');
                piece.extend_from_slice(&names[end]);
                end += 1;
            }
            let flags = if end == names.len() { flags | OFlags::NOFOLLOW } else { FOLDER_FLAGS };
            here = match fs::openat2(&here, piece.as_slice(), flags, Mode::empty(), within()) {
                Err(Errno::NOSYS) if end > at + 1 => {
                    most = 0;
                    continue;
                }
                Err(Errno::NOSYS) => fs::openat(&here, piece.as_slice(), flags, Mode::empty())?,
                other => other?,
            };
            at = end;
        }
        Ok(here)
    }

    fn look_in(&self, folder: impl AsFd, name: &[u8]) -> StoreResult<Option<Entry>> {
        let flags = AtFlags::SYMLINK_NOFOLLOW;
        match before(Op::Entry).and_then(|()| fs::statx(&folder, name, flags, WANTED)) {
            Ok(found) => Ok(Some(self.entry_of(&found, || open_to_look(&folder, name)))),
            Err(Errno::NOENT) => Ok(None),
            Err(other) => Err(other.into()),
        }
    }

    /// Makes sure that an item is still what was planned.
    fn expect(&self, folder: impl AsFd, name: &[u8], stamp: &Stamp) -> StoreResult<Entry> {
        let entry = self.look_in(folder, name)?.ok_or(StoreError::NotThere)?;
        if !volumes::is_as_recorded(&entry, stamp) {
            return Err(StoreError::Changed);
        }
        Ok(entry)
    }
}

/// Bytes of a path that the kernel takes at once, with room to spare.
const LONGEST_PIECE: usize = 4000;

/// What keeps a path below where it starts, and from following any link.
fn within() -> ResolveFlags {
    ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS
}

const WANTED: StatxFlags = StatxFlags::BASIC_STATS.union(StatxFlags::BTIME);

/// Opens something only to be asked on which file system it lies.
fn open_to_look(folder: impl AsFd, name: &[u8]) -> Option<OwnedFd> {
    let flags = OFlags::PATH | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    fs::openat(folder, name, flags, Mode::empty()).ok()
}

/// What something that is open is known by, on whatever file system it lies.
pub(crate) fn identity_of_open(path: &Path) -> Option<Identity> {
    let open = fs::open(path, OFlags::PATH | OFlags::CLOEXEC, Mode::empty()).ok()?;
    let found = fs::statx(&open, "", AtFlags::EMPTY_PATH, WANTED).ok()?;
    Some(Volume::of(&open, &found).identity(&found))
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::MetadataExt;
    use std::sync::atomic::AtomicBool;

    use super::*;

    #[test]
    fn a_folder_that_was_forgotten_while_another_thread_opened_it_is_opened_anew() {
        let dir = tempfile::tempdir().unwrap();
        let at = |name: &str| dir.path().join(name);
        let settings = LocalSettings {
            believes_births: true,
            home_trash: at("Trash"),
            one_trash: true,
            reads_mounts: false,
            counters: Arc::default(),
        };
        let store = LocalStore::open(dir.path(), settings).unwrap();
        let (path, is_over) = (ItemPath::new("box").unwrap(), AtomicBool::new(false));
        std::fs::create_dir(at("box")).unwrap();
        std::thread::scope(|scope| {
            // More than there are processors, so that some are stopped between their look and what comes of it.
            for _ in 0..8 {
                scope.spawn(|| {
                    while !is_over.load(Ordering::Relaxed) {
                        let _ = store.folder(&path);
                    }
                });
            }
            for round in 0..1_000 {
                store.forget_folders();
                std::fs::rename(at("box"), at(&format!("old {round}"))).unwrap();
                std::fs::create_dir(at("box")).unwrap();
                store.forget_folders();
                let open = store.folder(&path).ok().and_then(|open| Some(fs::fstat(&*open).ok()?.st_ino));
                if open != Some(std::fs::metadata(at("box")).unwrap().ino()) {
                    is_over.store(true, Ordering::Relaxed);
                    panic!("round {round}: another folder is held open");
                }
            }
            is_over.store(true, Ordering::Relaxed);
        });
    }
}
