//! The lists of the archive's dated folders, replaced as a whole.

use nine_core::item::{Kind, Stamp};
use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags, Mode, RenameFlags};
use rustix::io::Errno;

use super::{LocalStore, changes, content};
use crate::fault::{Op, before, point, rename_flags};
use crate::{StoreError, StoreResult};

/// The mode of a new list of things that all may read.
const USUAL_MODE: u32 = 0o644;

/// See [`crate::Store::update_text`].
pub(super) fn update(
    store: &LocalStore,
    path: &ItemPath,
    old: Option<&Stamp>,
    temporary: &ItemPath,
    text: &[u8],
    open_to: u32,
) -> StoreResult<()> {
    let (folder, name) = store.parent(path)?;
    let side = temporary.name();
    let mode = match old {
        Some(_) => content::meta(store, path)?.mode,
        None => None,
    };
    let (file, _) = content::create(store, temporary, &mut &text[..], false)?;
    // As closed as the most closed thing that it tells of.
    let mode = mode.unwrap_or(USUAL_MODE) & (0o700 | open_to);
    fs::fchmod(&file, Mode::from_raw_mode(mode))?;
    store.sync(&file)?;
    let Some(old) = old else {
        return changes::move_name((&folder, side), (&folder, name), Kind::File, None);
    };
    store.expect(&folder, name, old)?;
    before(Op::Rename)?;
    let exchanged =
        rename_flags().and_then(|()| fs::renameat_with(&folder, side, &folder, name, RenameFlags::EXCHANGE));
    match exchanged {
        Ok(()) => {}
        // Without the exchange, the plain rename does it just as whole.
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) => {
            fs::renameat(&folder, side, &folder, name)?;
            point();
            return Ok(());
        }
        Err(other) => return Err(other.into()),
    }
    point();
    // Between the look and the exchange somebody may have written to it.
    if store.expect(&folder, side, old).is_err() {
        fs::renameat_with(&folder, side, &folder, name, RenameFlags::EXCHANGE)?;
        fs::unlinkat(&folder, side, AtFlags::empty())?;
        return Err(StoreError::Changed);
    }
    before(Op::Remove)?;
    fs::unlinkat(&folder, side, AtFlags::empty())?;
    point();
    Ok(())
}
