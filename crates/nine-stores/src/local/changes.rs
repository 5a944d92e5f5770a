//! Changes that copy nothing: names moved, folders made and taken away.

use std::os::fd::OwnedFd;

use nine_core::escape::escape;
use nine_core::item::{Kind, Stamp};
use nine_core::names::numbered;
use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags, Mode, RenameFlags};
use rustix::io::Errno;

use super::LocalStore;
use crate::fault::{Op, before, point};
use crate::{OWN, StoreError, StoreResult, aside, is_own, random_token};

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
        store.forget_below(from);
        to_store.forget_below(to);
    }
    // Between the look and the move another program may have put something else there.
    match to_store.look_in(&to_folder, to_name) {
        Ok(Some(moved)) if moved.identity == entry.identity => Ok(()),
        Ok(_) => {
            move_name((&to_folder, to_name), (&from_folder, from_name), entry.kind)?;
            Err(StoreError::Changed)
        }
        Err(error) => Err(StoreError::Unsure(error.to_string())),
    }
}

type At<'a> = (&'a OwnedFd, &'a [u8]);

/// Moves a name onto a free one.
pub(super) fn move_name(from: At<'_>, to: At<'_>, kind: Kind) -> StoreResult<()> {
    before(Op::Rename)?;
    let moved = fs::renameat_with(from.0, from.1, to.0, to.1, RenameFlags::NOREPLACE);
    let moved = match moved {
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) if kind == Kind::File => move_by_link(from, to),
        Err(Errno::INVAL) => {
            return Err(StoreError::System(
                "this file system cannot move it without risking what is there".into(),
            ));
        }
        other => other.map_err(StoreError::from),
    };
    point();
    moved
}

/// The same on a file system without the no-replace rename: a second name is refused if it is taken. The first one
/// is set aside before it goes, since somebody may have saved another file under it meanwhile.
fn move_by_link(from: At<'_>, to: At<'_>) -> StoreResult<()> {
    fs::linkat(from.0, from.1, to.0, to.1, AtFlags::empty())?;
    // Nobody else has this name, so the plain rename takes no other's place.
    let aside = format!("{OWN}{}", random_token()).into_bytes();
    fs::renameat(from.0, from.1, from.0, &*aside)?;
    let of = |at: At<'_>| fs::statat(at.0, at.1, AtFlags::SYMLINK_NOFOLLOW).map(|found| found.st_ino);
    if of((from.0, &aside))? != of(to)? {
        // The file that was saved meanwhile has its name back; what was to be moved is at its new one.
        let _ = fs::linkat(from.0, &*aside, from.0, from.1, AtFlags::empty())
            .and_then(|()| fs::unlinkat(from.0, &*aside, AtFlags::empty()));
        return Ok(());
    }
    Ok(fs::unlinkat(from.0, &*aside, AtFlags::empty())?)
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

/// See [`crate::Store::remove_empty_folder`]. The kernel takes no folder away that holds anything.
pub(super) fn remove_empty_folder(store: &LocalStore, path: &ItemPath) -> StoreResult<bool> {
    let (folder, name) = match store.parent(path) {
        Err(StoreError::NotThere) => return Ok(false),
        other => other?,
    };
    before(Op::Remove)?;
    match fs::unlinkat(folder, name, AtFlags::REMOVEDIR) {
        Ok(()) => {
            store.forget_below(path);
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
    let token = store.token();
    if is_own(&token, path) {
        // Nobody else saves there.
        before(Op::Remove)?;
        fs::unlinkat(&folder, name, AtFlags::empty())?;
        point();
        return Ok(());
    }
    let aside = aside(&token, path);
    move_name((&folder, name), (&folder, aside.name()), entry.kind)?;
    // Nothing may come between the look and the act.
    let gone = before(Op::Remove).map_err(StoreError::from).and_then(|()| {
        store.expect(&folder, aside.name(), stamp)?;
        Ok(fs::unlinkat(&folder, aside.name(), AtFlags::empty())?)
    });
    if let Err(error) = gone {
        return Err(match put_back((&folder, aside.name()), (&folder, name), entry.kind) {
            Ok(()) => error,
            Err(StoreError::SetAside(name)) => StoreError::SetAside(name),
            // It has a name of ours as long as the disk does not answer.
            Err(_) => StoreError::Unsure(error.to_string()),
        });
    }
    point();
    Ok(())
}

/// Gives what was set aside its name back, or, if that is taken by now, the next free one with a number.
pub(super) fn put_back(aside: At<'_>, name: At<'_>, kind: Kind) -> StoreResult<()> {
    let mut free = name.1.to_vec();
    for number in 2..MOST_NAMES {
        match move_name(aside, (name.0, &free), kind) {
            Err(StoreError::Taken) => free = numbered(name.1, number, kind == Kind::Folder),
            Ok(()) if free != name.1 => return Err(StoreError::SetAside(escape(&free))),
            done => return done,
        }
    }
    Err(StoreError::SetAside(escape(aside.1)))
}

/// How many names are tried.
const MOST_NAMES: usize = 10_000;
