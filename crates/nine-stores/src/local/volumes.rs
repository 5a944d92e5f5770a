//! File systems and the things on them, known by what lives through a reboot, a remount and another device number.
//!
//! An [`Identity`] of the local store is two words. The first stands for the file system: a digest of the id that it
//! has itself (`f_fsid` of statfs(2), where that is not made of the device number), else of the device number. Its
//! upper bits say which, and whether inode numbers there outlive a remount. The second is the inode number, turned
//! by [`TURNED`] bits so that it sorts as files lie on the disk, with the birth time mixed into the bits below, so
//! that a number that is given again is another identity.
//! Identities of format 2 of the daybook were device and inode, and have none of these bits.

use std::os::fd::{AsFd, OwnedFd};
use std::sync::{Arc, Mutex};

use nine_core::item::{Entry, Identity, Stamp};
use rustix::fs::{self, StatFs, Statx, StatxFlags};

use super::kinds::{EXFAT, FAT, FUSE, NCP, SMB, SMB2, is_virtual, kind_of};
use crate::mark;
use crate::work::held;

/// The first word is as described here, and no device number.
const IS_VOLUME: u64 = 1 << 63;
/// It is made of the file system's own id.
const HAS_OWN_ID: u64 = 1 << 62;
/// Inode numbers outlive a remount.
const KEEPS_INODES: u64 = 1 << 61;

/// By how many bits an inode number is turned.
const TURNED: u32 = 24;

/// The bits of an inode number that nothing is mixed into.
const INODE: u64 = u64::MAX >> TURNED;

/// FAT, exFAT, FUSE, and shares of systems that number their files otherwise (see statfs(2)): inode numbers are
/// made up anew at each mount.
const FORGETS_INODES: [i64; 6] = [FAT, EXFAT, FUSE, NCP, SMB, SMB2];

/// An overlay gives a file another birth time once it is written to.
const OVERLAY: i64 = 0x794c_7630;

/// File systems of this machine's own disks and memory (see statfs(2)) that date a folder with every name that is put
/// in, taken out or changed, as POSIX has it: ext4 and its elders, XFS, Btrfs, tmpfs. No others, until tried.
const DATES_FOLDERS: [i64; 4] = [0xef53, 0x5846_5342, 0x9123_683e, 0x0102_1994];

/// The file systems that a store has met.
#[derive(Debug, Clone, Default)]
pub(super) struct Volumes(Arc<Mutex<Vec<Volume>>>);

impl Volumes {
    /// The file system that an entry lies on; `open` opens the entry, should it be a new one.
    pub fn of(&self, found: &Statx, open: impl FnOnce() -> Option<OwnedFd>) -> Volume {
        let known = held(&self.0).iter().find(|volume| volume.holds(found)).copied();
        known.unwrap_or_else(|| match open() {
            Some(open) => {
                let volume = Volume::of(&open, found);
                held(&self.0).push(volume);
                volume
            }
            // What cannot be opened is known by its device.
            None => Volume::unknown(device_of(found)),
        })
    }

    /// Whether the file system of something that was met here gives a folder another time whenever a name in it is put
    /// in, taken out or changed.
    pub fn dates_folders(&self, identity: &Identity) -> bool {
        held(&self.0).iter().any(|volume| volume.word == identity.0[0] && volume.dates_folders)
    }

    /// Others may have been mounted since.
    pub fn forget(&self) {
        held(&self.0).clear();
    }
}

/// A mounted file system.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Volume {
    device: u64,
    word: u64,
    trusts_births: bool,
    dates_folders: bool,
    /// Whether the kernel makes up what is in it.
    pub is_virtual: bool,
}

impl Volume {
    /// The file system on which an open file or folder lies; `found` is what statx tells of that.
    pub fn of(fd: impl AsFd, found: &Statx) -> Self {
        let device = device_of(found);
        match (fs::fstatfs(&fd), fs::fstatvfs(&fd)) {
            (Ok(system), Ok(told)) => Self::described(device, &system, told.f_fsid),
            _ => Self::unknown(device),
        }
    }

    fn unknown(device: u64) -> Self {
        Self {
            device,
            word: IS_VOLUME | mark(&device.to_le_bytes()) >> 3,
            trusts_births: false,
            dates_folders: false,
            is_virtual: false,
        }
    }

    // The kernel's fields have other widths on other processors.
    #[allow(clippy::unnecessary_cast)]
    fn described(device: u64, system: &StatFs, id: u64) -> Self {
        let kind = kind_of(system);
        let is_own = id != 0 && !is_made_of(id, device);
        let text = format!("{kind:x} {:x}", if is_own { id } else { device });
        let keeps = !FORGETS_INODES.contains(&kind);
        let bits = IS_VOLUME | if is_own { HAS_OWN_ID } else { 0 } | if keeps { KEEPS_INODES } else { 0 };
        Self {
            device,
            word: bits | mark(text.as_bytes()) >> 3,
            trusts_births: keeps && kind != OVERLAY,
            dates_folders: DATES_FOLDERS.contains(&kind),
            is_virtual: is_virtual(system),
        }
    }

    /// Whether an entry lies on it.
    pub fn holds(&self, found: &Statx) -> bool {
        self.device == device_of(found)
    }

    /// What an entry on it is known by.
    pub fn identity(&self, found: &Statx) -> Identity {
        let has_birth = self.trusts_births && found.stx_mask & StatxFlags::BTIME.bits() != 0;
        let nanos = if has_birth {
            let birth = found.stx_btime;
            (birth.tv_sec as u64).wrapping_mul(1_000_000_000).wrapping_add(u64::from(birth.tv_nsec))
        } else {
            0
        };
        // A number that is made up at each mount may be given to another file meanwhile; what a file's stamp tells tells
        // these apart. A folder's changes whenever something comes into it.
        let is_folder = found.stx_mode & 0o170_000 == 0o040_000;
        let nanos = match self.word & KEEPS_INODES == 0 && !is_folder {
            true => mark_of_content(found),
            false => nanos,
        };
        // Fibonacci hashing: the upper bits of the product are well mixed.
        let mixed = nanos.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> (u64::BITS - TURNED);
        Identity([self.word, found.stx_ino.rotate_left(TURNED) ^ mixed])
    }
}

/// Size and time of a file in one number.
fn mark_of_content(found: &Statx) -> u64 {
    let time = found.stx_mtime;
    (time.tv_sec as u64).wrapping_mul(1_000_000_000).wrapping_add(u64::from(time.tv_nsec))
        ^ found.stx_size.rotate_left(40)
}

fn device_of(found: &Statx) -> u64 {
    u64::from(found.stx_dev_major) << 32 | u64::from(found.stx_dev_minor)
}

/// Whether an id is the device number as the kernel folds it (`huge_encode_dev`), in either order of words.
fn is_made_of(id: u64, device: u64) -> bool {
    let (major, minor) = (device >> 32, device & 0xffff_ffff);
    let folded = (minor & 0xff) | (major << 8) | ((minor & !0xff) << 12);
    id == folded || id.rotate_left(32) == folded
}

/// Whether two identities may be of one thing, of which `recorded` was written down some time ago. Where a file
/// system has an id of its own that decides; a device number may be another by now; and where inode numbers do
/// not last, nothing but size and time, which the caller compares, can tell.
pub(super) fn is_same(now: &Identity, recorded: &Identity) -> bool {
    let ([volume, item], [then, was]) = (now.0, recorded.0);
    if now == recorded {
        return true;
    }
    if then & IS_VOLUME == 0 {
        return volume & KEEPS_INODES == 0 || was & INODE == item >> TURNED;
    }
    let (bits, were) = (volume & (HAS_OWN_ID | KEEPS_INODES), then & (HAS_OWN_ID | KEEPS_INODES));
    match bits {
        _ if bits != were => false,
        bits if bits & KEEPS_INODES == 0 => bits & HAS_OWN_ID == 0 || volume == then,
        bits => bits & HAS_OWN_ID == 0 && item == was,
    }
}

/// Whether two identities are on one file system, of which `recorded` was written down some time ago. Where a file system
/// has no id of its own, only the same item shows that.
pub(super) fn is_same_volume(now: &Identity, recorded: &Identity) -> bool {
    now.0[0] == recorded.0[0] || is_same(now, recorded)
}

/// Whether an entry is what was recorded with this stamp.
pub(super) fn is_as_recorded(now: &Entry, recorded: &Stamp) -> bool {
    let stamp = now.stamp();
    (stamp.size, stamp.modified) == (recorded.size, recorded.modified)
        && is_same(&stamp.identity, &recorded.identity)
}

#[cfg(test)]
mod tests {
    use super::*;

    const EXT4: u64 = IS_VOLUME | HAS_OWN_ID | KEEPS_INODES;
    const XFS: u64 = IS_VOLUME | KEEPS_INODES;
    const FAT: u64 = IS_VOLUME;

    #[test]
    fn a_file_system_with_an_id_of_its_own_is_known_by_it() {
        assert!(is_same(&Identity([EXT4 | 5, 77]), &Identity([EXT4 | 5, 77])));
        assert!(!is_same(&Identity([EXT4 | 6, 77]), &Identity([EXT4 | 5, 77])));
        assert!(!is_same(&Identity([XFS | 5, 77]), &Identity([EXT4 | 5, 77])));
    }

    #[test]
    fn another_device_number_is_the_same_file_system_where_the_item_is_the_same() {
        assert!(is_same(&Identity([XFS | 6, 77]), &Identity([XFS | 5, 77])));
        assert!(!is_same(&Identity([XFS | 6, 78]), &Identity([XFS | 5, 77])));
    }

    #[test]
    fn where_inode_numbers_do_not_last_size_and_time_decide() {
        assert!(is_same(&Identity([FAT | 6, 1]), &Identity([FAT | 5, 77])));
    }

    /// A number that is made up may be given again while the catalogue still has the file that had it.
    #[test]
    fn a_made_up_number_is_believed_with_size_and_time_alone() {
        let dir = tempfile::tempdir().unwrap();
        let told = |text: &str| {
            let path = dir.path().join("a");
            std::fs::write(&path, text).unwrap();
            let mut found = fs::statx(fs::CWD, &path, fs::AtFlags::empty(), StatxFlags::BASIC_STATS).unwrap();
            found.stx_ino = 77;
            (found.stx_mtime.tv_sec, found.stx_mtime.tv_nsec) = (1_900_000_000, 0);
            found
        };
        let (one, same, other) = (told("of the tides"), told("of the boats"), told("longer than those"));
        let of =
            |word| Volume { device: 0, word, trusts_births: false, dates_folders: false, is_virtual: false };
        assert_eq!(of(FAT).identity(&one), of(FAT).identity(&same));
        assert_ne!(of(FAT).identity(&one), of(FAT).identity(&other));
        assert_eq!(
            of(EXT4).identity(&one),
            of(EXT4).identity(&other),
            "of a number that lasts nothing else is asked"
        );
        let mut folder =
            fs::statx(fs::CWD, dir.path(), fs::AtFlags::empty(), StatxFlags::BASIC_STATS).unwrap();
        let before = of(FAT).identity(&folder);
        folder.stx_mtime.tv_sec += 1;
        assert_eq!(of(FAT).identity(&folder), before, "a folder is the same whatever comes into it");
    }

    #[test]
    fn identities_of_old_daybooks_are_read() {
        let (device, inode) = (8 << 32 | 1, 4711);
        assert!(is_same(&Identity([EXT4 | 5, inode << TURNED | 3]), &Identity([device, inode])));
        assert!(!is_same(&Identity([EXT4 | 5, 4712 << TURNED]), &Identity([device, inode])));
    }

    #[test]
    fn device_numbers_are_no_ids() {
        assert!(is_made_of(0x0801, 8 << 32 | 1));
        assert!(is_made_of(0x0801 << 32, 8 << 32 | 1));
        assert!(!is_made_of(0x1234_5678_9abc, 8 << 32 | 1));
    }
}
