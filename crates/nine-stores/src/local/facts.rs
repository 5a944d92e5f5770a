//! What a file system can hold, and what may be done where.

use nine_core::place::ItemPath;
use nine_core::worklist::NameRules;
use rustix::fs::{self, Access, AtFlags, StatFs};

use super::LocalStore;
use super::kinds::{EXFAT, FAT, NCP, NTFS, NTFS3, SMB, SMB2, kind_of, mount_of};
use crate::{Ground, StoreError, StoreResult};

/// Kinds of file system on which names that differ in letter case only are one name, and which
/// refuse some characters (see statfs(2)): FAT, exFAT, NTFS, and shares of systems that fold.
const FOLDING: [i64; 7] = [FAT, EXFAT, NTFS, NTFS3, SMB, SMB2, NCP];

/// Apple's, which fold but refuse nothing.
const FOLDING_ONLY: [i64; 3] = [0x4244, 0x482b, 0x4250_5346];

/// See [`crate::Store::ground`].
pub(super) fn ground(store: &LocalStore, folder: &ItemPath) -> StoreResult<Ground> {
    let mut here = folder.clone();
    let mut blocked = None;
    let open = loop {
        match store.folder(&here) {
            Ok(open) => break open,
            Err(StoreError::NotThere) => {}
            Err(StoreError::NotAFolder | StoreError::LeadsElsewhere) => blocked = Some(here.clone()),
            Err(other) => return Err(other),
        }
        here = here.parent().ok_or(StoreError::NotThere)?;
    };
    let writable = fs::accessat(&open, ".", Access::WRITE_OK | Access::EXEC_OK, AtFlags::EACCESS).is_ok();
    let system = fs::fstatfs(&open)?;
    let entry = fs::statx(&open, "", AtFlags::EMPTY_PATH, super::WANTED)?;
    Ok(Ground {
        existing: here,
        blocked,
        writable,
        rules: rules_of(&system),
        domain: store.entry_of(&entry, || open.try_clone().ok()).identity.0[0],
        free: room_of(&system),
        mount: mount_of(&system, &entry),
    })
}

/// Free bytes; `None` of a file system that tells no sizes.
// The kernel's fields have other widths on other processors.
#[allow(clippy::unnecessary_cast)]
fn room_of(system: &StatFs) -> Option<u64> {
    let tells = system.f_blocks > 0 && system.f_bsize > 0;
    tells.then(|| (system.f_bavail as u64).saturating_mul(system.f_bsize as u64))
}

#[allow(clippy::unnecessary_cast)]
fn rules_of(system: &StatFs) -> NameRules {
    let kind = kind_of(system);
    let strict = FOLDING.contains(&kind);
    NameRules {
        folds: strict || FOLDING_ONLY.contains(&kind),
        longest: usize::try_from(system.f_namelen).unwrap_or(255).clamp(1, 255),
        strict,
        refused: b"",
    }
}
