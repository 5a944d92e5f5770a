//! The trash, by the freedesktop.org Trash specification 1.0: `files/NAME` beside
//! `info/NAME.trashinfo`, in the person's home or at the top of another file system.

use std::fmt::Write as _;
use std::fs::File;
use std::io::Write;
use std::os::fd::OwnedFd;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

use nine_core::item::{Kind, Stamp};
use nine_core::names::{numbered, shorten};
use nine_core::place::{ItemPath, NameBuf};
use rustix::fs::{self, AtFlags, Mode, OFlags};
use rustix::io::Errno;

use super::{LocalStore, changes, trash_sizes as sizes};
use crate::bounded;
use crate::fault::{Op, before, point};
use crate::{ChangeStore, ReadStore, StoreError, StoreResult};

const ENDING: &[u8] = b".trashinfo";

/// How many names are tried before the trash is given up.
const MOST_TRIES: usize = FIRST_LOOKED_AT + 64;

/// How many numbered names are looked at to find a discarded item again, before the trash is listed.
const FIRST_LOOKED_AT: usize = 100;

/// An open trash.
struct Trash {
    path: PathBuf,
    files: OwnedFd,
    info: OwnedFd,
    /// In a trash at the top of a file system, paths are written from that top.
    top: Option<PathBuf>,
}

/// See [`crate::Store::discard`].
pub(super) fn discard(store: &LocalStore, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>> {
    let (folder, name) = store.parent(path)?;
    let entry = store.expect(&folder, name, stamp)?;
    if entry.kind == Kind::Other {
        return Err(StoreError::Special);
    }
    let trash = Trash::for_item(store, path)?;
    let content = trash.info_text(&real(store, path), day);
    for try_number in 1..MOST_TRIES {
        let number = if try_number < FIRST_LOOKED_AT { try_number } else { random_number() };
        let kept = kept_name(name, number, entry.kind == Kind::Folder);
        let Some(info) = trash.reserve(&kept)? else {
            continue;
        };
        let mut info = File::from(info);
        let written = before(Op::Write).map_err(StoreError::from);
        let written = written.and_then(|()| Ok(info.write_all(content.as_bytes())?));
        let put = written.and_then(|()| {
            store.sync(&info)?;
            let beside = changes::beside(&store.token(), path);
            changes::move_name((&folder, name), (&trash.files, &kept), entry.kind, beside.as_deref())
        });
        match put {
            Ok(()) => {
                // Between the look and the move somebody may have saved it, or put something else there.
                if let Err(error) = store.expect(&trash.files, &kept, stamp) {
                    changes::put_back((&trash.files, &kept), (&folder, name), entry.kind)?;
                    let _ = fs::unlinkat(&trash.info, info_name(&kept), AtFlags::empty());
                    return Err(error);
                }
                if entry.kind == Kind::Folder {
                    store.forget_below(path);
                    sizes::add(&trash.path, &kept, &percent_encode(&kept));
                }
                return Ok(trash.kept_as(&kept));
            }
            // It may be in the trash, and recovery looks for its note.
            Err(error @ StoreError::Unsure(_)) => return Err(error),
            Err(error) => {
                // The reserved note is our own and describes nothing.
                let _ = fs::unlinkat(&trash.info, info_name(&kept), AtFlags::empty());
                match error {
                    StoreError::Taken => {}
                    StoreError::OtherDomain => return Err(trash.elsewhere()),
                    other => return Err(other),
                }
            }
        }
    }
    Err(StoreError::Trash("it holds too many items of one name".into()))
}

/// A number that is most likely free: to try one after the other takes a call for each item of the same name.
fn random_number() -> usize {
    FIRST_LOOKED_AT + (crate::mark(crate::random_token().as_bytes()) % 999_000_000) as usize
}

/// The name under which the trash keeps an item, short enough for its note to have a name too.
fn kept_name(name: &[u8], number: usize, is_folder: bool) -> Vec<u8> {
    // The longest number has nine digits, in brackets behind a space.
    let short = shorten(name, 255 - ENDING.len() - 14);
    if number == 1 { short } else { numbered(&short, number, is_folder) }
}

fn info_name(kept: &[u8]) -> Vec<u8> {
    [kept, ENDING].concat()
}

impl Trash {
    /// The trash for an item of this file system: the home trash on its own, otherwise one at the
    /// top of the item's.
    fn for_item(store: &LocalStore, path: &ItemPath) -> StoreResult<Self> {
        let home = &store.settings.home_trash;
        std::fs::create_dir_all(home.parent().unwrap_or(home)).map_err(|e| trash_error(home, &e.into()))?;
        let folder = nearest_folder(store, path)?;
        let device = device_of(&folder);
        if store.settings.one_trash || device == device_of(home.parent().unwrap_or(home)) {
            return Self::open(home.clone(), None);
        }
        // Another file system may be mounted anywhere between the place and the item.
        let mut top = folder;
        while let Some(above) = top.parent().filter(|above| device_of(above) == device) {
            top = above.to_owned();
        }
        let user = rustix::process::getuid().as_raw();
        let shared = top.join(".Trash");
        // The specification: a shared trash counts only if it is a real folder with the sticky bit.
        let usable = fs::lstat(&shared).is_ok_and(|found| {
            let mode = found.st_mode;
            fs::FileType::from_raw_mode(mode) == fs::FileType::Directory && mode & 0o1000 != 0
        });
        if usable && let Ok(trash) = Self::open(shared.join(user.to_string()), Some(top.clone())) {
            return Ok(trash);
        }
        Self::open(top.join(format!(".Trash-{user}")), Some(top))
    }

    /// Opens a trash, making what is missing of it. None of its own folders may be a link.
    fn open(path: PathBuf, top: Option<PathBuf>) -> StoreResult<Self> {
        let told = |errno: Errno| trash_error(&path, &errno.into());
        let make = |at: &Path| match fs::mkdir(at, Mode::from_raw_mode(0o700)) {
            Ok(()) | Err(Errno::EXIST) => Ok(()),
            Err(other) => Err(told(other)),
        };
        make(&path)?;
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let trash = fs::open(&path, flags, Mode::empty()).map_err(told)?;
        let inner = |name: &str| {
            make(&path.join(name))?;
            fs::openat(&trash, name, flags, Mode::empty()).map_err(told)
        };
        Ok(Self { files: inner("files")?, info: inner("info")?, path, top })
    }

    /// Takes a name by making its note; `None` if it is taken.
    fn reserve(&self, kept: &[u8]) -> StoreResult<Option<OwnedFd>> {
        let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC;
        before(Op::Create)?;
        match fs::openat(&self.info, info_name(kept), flags, Mode::from_raw_mode(0o600)) {
            Ok(info) => Ok(Some(info)),
            Err(Errno::EXIST) => Ok(None),
            Err(other) => Err(trash_error(&self.path, &other.into())),
        }
    }

    fn elsewhere(&self) -> StoreError {
        let path = nine_core::escape::escape(self.path.as_os_str().as_bytes());
        StoreError::Trash(format!("{path} lies on another file system than the item"))
    }

    fn info_text(&self, item: &Path, day: &str) -> String {
        format!("[Trash Info]\nPath={}\nDeletionDate={day}\n", self.written(item))
    }

    /// An item's path as a note has it.
    fn written(&self, item: &Path) -> String {
        let from = self.top.as_ref().and_then(|top| item.strip_prefix(top).ok());
        percent_encode(from.unwrap_or(item).as_os_str().as_bytes())
    }
}

fn trash_error(path: &Path, error: &StoreError) -> StoreError {
    StoreError::Trash(format!("{}: {error}", nine_core::escape::escape(path.as_os_str().as_bytes())))
}

fn device_of(path: &Path) -> Option<u64> {
    Some(fs::stat(path).ok()?.st_dev)
}

/// Where an item is, with the links resolved by which its place may be reached: a desktop sees a trash only at the
/// top of the file system itself.
fn real(store: &LocalStore, path: &ItemPath) -> PathBuf {
    let root = std::fs::canonicalize(&store.path).unwrap_or_else(|_| store.path.clone());
    if path.is_root() { root } else { root.join(std::ffi::OsStr::from_bytes(path.as_bytes())) }
}

/// The nearest folder above an item that is there.
fn nearest_folder(store: &LocalStore, path: &ItemPath) -> StoreResult<PathBuf> {
    let above = path.parent().unwrap_or_default();
    Ok(real(store, &super::facts::ground(store, &above)?.existing))
}

/// RFC 2396 escapes, `/` left as it is.
fn percent_encode(bytes: &[u8]) -> String {
    let mut out = String::new();
    for b in bytes {
        if b.is_ascii_alphanumeric() || b"-_.!~*'()/".contains(b) {
            out.push(char::from(*b));
        } else {
            let _ = write!(out, "%{b:02X}");
        }
    }
    out
}

/// The trash, and the name in it, of what `discard` returned.
fn opened(kept_as: &[u8]) -> StoreResult<(Trash, NameBuf)> {
    let path = PathBuf::from(std::ffi::OsString::from_vec(kept_as.to_vec()));
    let name = path.file_name().and_then(|name| NameBuf::new(name.as_bytes()));
    match path.parent().zip(name) {
        Some((files, name)) if files.file_name().is_some_and(|n| n == "files") => {
            let trash = Trash::open(files.parent().unwrap_or(files).to_owned(), None)?;
            Ok((trash, name))
        }
        _ => Err(StoreError::NotThere),
    }
}

/// See [`crate::Store::restore`].
pub(super) fn restore(store: &LocalStore, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<()> {
    let (trash, name) = opened(kept_as)?;
    let entry = store.expect(&trash.files, &name, stamp)?;
    let (folder, to_name) = store.parent(to)?;
    changes::move_name((&trash.files, &name), (&folder, to_name), entry.kind, None)?;
    // The note belongs to the item, which is no longer in the trash.
    point();
    let _ = fs::unlinkat(&trash.info, info_name(&name), AtFlags::empty());
    if entry.kind == Kind::Folder {
        sizes::forget(&trash.path, &percent_encode(&name));
    }
    Ok(())
}

/// See [`crate::Store::discarded`].
pub(super) fn discarded(store: &LocalStore, kept_as: &[u8]) -> StoreResult<(LocalStore, ItemPath)> {
    let (trash, name) = opened(kept_as)?;
    Ok((LocalStore::open(&trash.path.join("files"), store.settings.clone())?, ItemPath::root().join(&name)))
}

/// Bytes of a note that are read.
const LONGEST_NOTE: u64 = 64 * 1024;

/// See [`crate::TrashStore::find_discarded`]. A note whose item never came is taken away.
pub(super) fn find(store: &LocalStore, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
    let trash = Trash::for_item(store, path)?;
    // As it is written now, and as it was before links were resolved.
    let notes = [real(store, path), store.path_of(path)];
    let notes = notes.map(|path| format!("\nPath={}\n", trash.written(&path)));
    let wanted = Wanted { store, path, notes, stamp };
    for number in 1..FIRST_LOOKED_AT {
        // A folder's number stands at its end, a file's before its extension.
        for is_folder in [false, true] {
            let kept = kept_name(path.name(), number, is_folder);
            if trash.keeps(&kept, &wanted)? {
                return Ok(Some(trash.kept_as(&kept)));
            }
        }
    }
    if store.entry(path)?.is_some_and(|entry| store.is_same(&entry, stamp)) {
        return Ok(None);
    }
    // Very many items of one name.
    for kept in trash.all_kept(path.name())? {
        if trash.keeps(&kept, &wanted)? {
            return Ok(Some(trash.kept_as(&kept)));
        }
    }
    Ok(None)
}

impl Trash {
    /// What [`restore`] knows an item by that has this name in the trash: its whole path.
    fn kept_as(&self, kept: &[u8]) -> Vec<u8> {
        self.path.join("files").join(std::ffi::OsStr::from_bytes(kept)).into_os_string().into_vec()
    }

    /// The names of all that the trash keeps of items called `name`, and perhaps of some others.
    fn all_kept(&self, name: &[u8]) -> StoreResult<Vec<Vec<u8>>> {
        // Numbers go behind it, and only what is longer is cut.
        let stem = shorten(name.split(|b| *b == b'.').next().unwrap_or_default(), 100);
        let is_of_it = |kept: &[u8]| stem.is_empty() || kept.windows(stem.len()).any(|part| part == stem);
        let told = |errno: Errno| trash_error(&self.path, &errno.into());
        let mut all = Vec::new();
        for note in fs::Dir::read_from(&self.info).map_err(told)? {
            let note = note.map_err(told)?;
            let kept = note.file_name().to_bytes().strip_suffix(ENDING);
            all.extend(kept.filter(|kept| is_of_it(kept)).map(<[u8]>::to_vec));
        }
        Ok(all)
    }

    /// Whether the trash keeps an item under this name. What has two names, here and at its place, was cut off on its
    /// way between them; it is at its place.
    fn keeps(&self, kept: &[u8], wanted: &Wanted) -> StoreResult<bool> {
        let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let Ok(note) = fs::openat(&self.info, info_name(kept), flags, Mode::empty()) else {
            return Ok(false);
        };
        let text = bounded::up_to(File::from(note), LONGEST_NOTE).unwrap_or_default();
        let text = String::from_utf8_lossy(&text);
        let found = wanted.store.look_in(&self.files, kept)?;
        let is_its = wanted.notes.iter().any(|note| text.contains(note));
        let is_kept = found.as_ref().is_some_and(|entry| wanted.store.is_same(entry, wanted.stamp)) && is_its;
        let has_two_names = is_kept && self.is_at_its_place(kept, wanted);
        if has_two_names {
            fs::unlinkat(&self.files, kept, AtFlags::empty())?;
        }
        if has_two_names || found.is_none() && (text.is_empty() || is_its) {
            let _ = fs::unlinkat(&self.info, info_name(kept), AtFlags::empty());
        }
        Ok(is_kept && !has_two_names)
    }

    fn is_at_its_place(&self, kept: &[u8], wanted: &Wanted) -> bool {
        let Ok((folder, name)) = wanted.store.parent(wanted.path) else { return false };
        changes::is_one_file((&self.files, kept), (&folder, name)).unwrap_or(false)
    }
}

/// An item that is looked for in a trash.
struct Wanted<'a> {
    store: &'a LocalStore,
    path: &'a ItemPath,
    /// What its note may say.
    notes: [String; 2],
    stamp: &'a Stamp,
}
