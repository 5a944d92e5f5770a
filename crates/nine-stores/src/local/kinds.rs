//! Kinds of file systems, by the numbers that statfs(2) tells.

use rustix::fs::StatFs;

pub(super) const FAT: i64 = 0x4d44;
pub(super) const EXFAT: i64 = 0x2011_bab0;
pub(super) const ISO: i64 = 0x9660;
pub(super) const NTFS: i64 = 0x5346_544e;
pub(super) const NTFS3: i64 = 0x7366_746e;
pub(super) const FUSE: i64 = 0x6573_5546;
/// A share of a system that numbers its files otherwise: the oldest protocol.
pub(super) const NCP: i64 = 0x517b;
pub(super) const SMB: i64 = 0xff53_4d42;
pub(super) const SMB2: i64 = 0xfe53_4d42;

/// The number of a file system. The field is as wide as a word of the machine, and may be filled up with ones.
pub(super) fn kind_of(system: &StatFs) -> i64 {
    #[allow(clippy::unnecessary_cast)] // it is narrower on some machines
    let kind = system.f_type as i64;
    kind & 0xffff_ffff
}
