//! The facts of an entry, from what the kernel tells.

use nine_core::item::{Entry, Kind};
use nine_core::moment::Moment;
use rustix::fs::{self, Statx, StatxFlags, StatxTimestamp};

use super::volumes::Volume;

/// The facts of an entry, from what the kernel tells.
pub(super) fn entry_of(found: &Statx, believes_births: bool, volume: &Volume) -> Entry {
    let moment = |at: StatxTimestamp| Moment::from_unix(at.tv_sec, at.tv_nsec);
    // Some file systems say that they know births, and give 0 for each.
    let is_told = found.stx_mask & StatxFlags::BTIME.bits() != 0 && found.stx_btime.tv_sec != 0;
    let born = believes_births && is_told;
    Entry {
        kind: match fs::FileType::from_raw_mode(found.stx_mode.into()) {
            fs::FileType::RegularFile => Kind::File,
            fs::FileType::Directory => Kind::Folder,
            fs::FileType::Symlink => Kind::Link,
            _ => Kind::Other,
        },
        size: found.stx_size,
        modified: moment(found.stx_mtime),
        opened: Some(moment(found.stx_atime)),
        born: born.then(|| moment(found.stx_btime)),
        changed: moment(found.stx_ctime),
        identity: volume.identity(found),
    }
}
