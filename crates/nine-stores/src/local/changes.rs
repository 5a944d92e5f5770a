//! Changes that copy nothing: names moved, folders made and taken away.

use nine_core::item::{Kind, Stamp};
use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags, Mode, RenameFlags};
use rustix::io::Errno;

use super::LocalStore;
use crate::fault::{Op, before, point};
use crate::{StoreError, StoreResult};

/// See [`crate::Store::rename`].
pub(super) fn rename(
    store: &LocalStore,
    from: &ItemPath,
    stamp: &Stamp,
    to_store: &LocalStore,
    to: &ItemPath,
) -> StoreResult<()> {
    let (from_folder, from_name) = store.parent(from)?;
    let (to_folder, to_name) = to_store.parent(to)?;
    let entry = store.expect(&from_folder, from_name, stamp)?;
    if entry.kind == Kind::Other {
        return Err(StoreError::Special);
    }
    move_name((&from_folder, from_name), (&to_folder, to_name), entry.kind)?;
    if entry.kind == Kind::Folder {
        store.forget_folders();
        to_store.forget_folders();
    }
    // Between the look and the move another program may have put something else there.
    let moved = store.look_in(&to_folder, to_name)?;
    if moved.is_none_or(|moved| moved.identity != stamp.identity) {
        move_name((&to_folder, to_name), (&from_folder, from_name), entry.kind)?;
        return Err(StoreError::Changed);
    }
    Ok(())
}

type At<'a> = (&'a std::os::fd::OwnedFd, &'a [u8]);

/// Moves a name onto a free one.
pub(super) fn move_name(from: At<'_>, to: At<'_>, kind: Kind) -> StoreResult<()> {
    before(Op::Rename)?;
    let moved = fs::renameat_with(from.0, from.1, to.0, to.1, RenameFlags::NOREPLACE);
    let moved = match moved {
        // A file system without the no-replace rename: a second name is refused if it is taken.
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) if kind == Kind::File => {
            fs::linkat(from.0, from.1, to.0, to.1, AtFlags::empty())
                .and_then(|()| fs::unlinkat(from.0, from.1, AtFlags::empty()))
        }
        Err(Errno::INVAL) => {
            return Err(StoreError::System(
                "this file system cannot move it without risking what is there".into(),
            ));
        }
        other => other,
    };
    point();
    Ok(moved?)
}

/// See [`crate::Store::make_folder`].
pub(super) fn make_folder(store: &LocalStore, path: &ItemPath) -> StoreResult<bool> {
    let (folder, name) = store.parent(path)?;
    before(Op::MakeFolder)?;
    let made = match fs::mkdirat(&folder, name, Mode::from_raw_mode(0o777)) {
        Ok(()) => true,
        Err(Errno::EXIST) => match store.look_in(&folder, name)?.map(|entry| entry.kind) {
            Some(Kind::Folder) => false,
            Some(Kind::Link) => return Err(StoreError::LeadsElsewhere),
            _ => return Err(StoreError::NotAFolder),
        },
        Err(other) => return Err(other.into()),
    };
    point();
    Ok(made)
}

/// See [`crate::Store::remove_empty_folder`].
pub(super) fn remove_empty_folder(store: &LocalStore, path: &ItemPath) -> StoreResult<bool> {
    let (folder, name) = match store.parent(path) {
        Err(StoreError::NotThere) => return Ok(false),
        other => other?,
    };
    before(Op::Remove)?;
    match fs::unlinkat(folder, name, AtFlags::REMOVEDIR) {
        Ok(()) => {
            store.forget_folders();
            point();
            Ok(true)
        }
        Err(Errno::NOTEMPTY | Errno::EXIST | Errno::NOENT | Errno::NOTDIR) => Ok(false),
        Err(other) => Err(other.into()),
    }
}

/// See [`crate::Store::remove_copied`].
pub(super) fn remove_copied(store: &LocalStore, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
    let (folder, name) = store.parent(path)?;
    let entry = store.expect(&folder, name, stamp)?;
    if matches!(entry.kind, Kind::Folder) {
        return Err(StoreError::NotEmpty);
    }
    before(Op::Remove)?;
    fs::unlinkat(folder, name, AtFlags::empty())?;
    point();
    Ok(())
}
