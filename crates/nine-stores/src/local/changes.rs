//! Changes that copy nothing: names moved, folders made and taken away.

use std::os::fd::OwnedFd;

use nine_core::escape::escape;
use nine_core::item::{Kind, Stamp};
use nine_core::names::numbered;
use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags, Mode, RenameFlags};
use rustix::io::Errno;

use super::LocalStore;
use crate::fault::{Op, before, point, rename_flags};
use crate::{ChangeStore, Store, StoreError, StoreResult, aside, is_own};

/// See [`crate::Store::rename`].
pub(super) fn rename(
    store: &LocalStore,
    from: &ItemPath,
    stamp: &Stamp,
    to_store: &dyn Store,
    to: &ItemPath,
) -> StoreResult<()> {
    let (from_folder, from_name) = store.parent(from)?;
    let to_parent = to.parent().ok_or(StoreError::LeadsElsewhere)?;
    let (to_folder, to_name) =
        (to_store.local_folder(&to_parent)?.ok_or(StoreError::OtherDomain)?, to.name());
    let entry = store.expect(&from_folder, from_name, stamp)?;
    if entry.kind == Kind::Other {
        return Err(StoreError::Special);
    }
    let token = store.token();
    let beside = beside(&token, from);
    match move_name((&from_folder, from_name), (&to_folder, to_name), entry.kind, beside.as_deref()) {
        // It has that name already, by a move that was cut off; the other one is ours.
        Err(StoreError::Taken)
            if is_own(&token, from) && is_one_file((&from_folder, from_name), (&to_folder, to_name))? =>
        {
            fs::unlinkat(&from_folder, from_name, AtFlags::empty())?;
        }
        moved => moved?,
    }
    if entry.kind == Kind::Folder {
        store.forget_below(from);
        to_store.forget_below(to);
    }
    // Between the look and the move another program may have put something else there.
    match store.look_in(&to_folder, to_name) {
        Ok(Some(moved)) if moved.identity == entry.identity => Ok(()),
        Ok(_) => {
            let beside = self::beside(&token, to);
            move_name((&to_folder, to_name), (&from_folder, from_name), entry.kind, beside.as_deref())?;
            Err(StoreError::Changed)
        }
        Err(error) => Err(StoreError::Unsure(error.to_string())),
    }
}

type At<'a> = (&'a OwnedFd, &'a [u8]);

/// The name that something has for a moment on a file system without the no-replace rename; `None` of what has a
/// name of ours, under which nobody else saves.
pub(super) fn beside(token: &str, path: &ItemPath) -> Option<Vec<u8>> {
    (!is_own(token, path)).then(|| aside(token, path).name().to_vec())
}

/// Moves a name onto a free one. `beside` is a name of ours beside it, `None` if nobody else saves under the first.
///
/// # Errors
/// [`StoreError::Taken`], or [`StoreError::Unsure`] if it has both names for now.
pub(super) fn move_name(from: At<'_>, to: At<'_>, kind: Kind, beside: Option<&[u8]>) -> StoreResult<()> {
    before(Op::Rename)?;
    let moved =
        rename_flags().and_then(|()| fs::renameat_with(from.0, from.1, to.0, to.1, RenameFlags::NOREPLACE));
    let moved = match moved {
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) if kind != Kind::Folder => {
            return move_by_link(from, to, beside);
        }
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
/// is set aside before it goes, since somebody may have saved another file under it meanwhile. Cut off in between, it
/// has two names of one file, which recovery sees.
fn move_by_link(from: At<'_>, to: At<'_>, beside: Option<&[u8]>) -> StoreResult<()> {
    fs::linkat(from.0, from.1, to.0, to.1, AtFlags::empty())?;
    point();
    drop_name(from, to, beside).map_err(|errno| StoreError::Unsure(StoreError::from(errno).to_string()))
}

/// Takes the first of two names of a file away, if it is one still.
fn drop_name(from: At<'_>, to: At<'_>, beside: Option<&[u8]>) -> Result<(), Errno> {
    let Some(beside) = beside else {
        before(Op::Remove)?;
        fs::unlinkat(from.0, from.1, AtFlags::empty())?;
        point();
        return Ok(());
    };
    before(Op::Rename)?;
    // Nobody else has this name, so the plain rename takes no other's place.
    fs::renameat(from.0, from.1, from.0, beside)?;
    point();
    if is_one_file((from.0, beside), to)? {
        before(Op::Remove)?;
        fs::unlinkat(from.0, beside, AtFlags::empty())?;
    } else if fs::linkat(from.0, beside, from.0, from.1, AtFlags::empty()).is_ok() {
        // The file that was saved meanwhile has its name back; what was to be moved is at its new one.
        fs::unlinkat(from.0, beside, AtFlags::empty())?;
    }
    point();
    Ok(())
}

/// Whether two names are those of one file.
pub(super) fn is_one_file(a: At<'_>, b: At<'_>) -> Result<bool, Errno> {
    let of = |at: At<'_>| fs::statat(at.0, at.1, AtFlags::SYMLINK_NOFOLLOW);
    let (a, b) = (of(a)?, of(b)?);
    Ok((a.st_dev, a.st_ino) == (b.st_dev, b.st_ino) && a.st_nlink > 1)
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
    let beside = crate::aside(&token, &aside);
    move_name((&folder, name), (&folder, aside.name()), entry.kind, Some(beside.name()))?;
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
        match move_name(aside, (name.0, &free), kind, None) {
            Err(StoreError::Taken) => free = numbered(name.1, number, kind == Kind::Folder),
            Ok(()) if free != name.1 => return Err(StoreError::SetAside(escape(&free))),
            done => return done,
        }
    }
    Err(StoreError::SetAside(escape(aside.1)))
}

/// How many names are tried.
const MOST_NAMES: usize = 10_000;
