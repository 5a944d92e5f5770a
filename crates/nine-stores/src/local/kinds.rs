//! Kinds of file systems, by the numbers that statfs(2) tells.

use rustix::fs::{StatFs, Statx};

use crate::Mount;

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

/// File systems that others change without this kernel's being told (statfs(2)), and of which reading goes far.
const FAR: [i64; 9] = [
    0x6969, // NFS
    NCP,
    SMB,
    SMB2,
    0x0102_1997, // 9P
    0x00c3_6400, // Ceph
    0x5346_414f, // AFS
    0x7375_7245, // Coda
    0x786f_4256, // folders shared with a virtual machine
];

/// File systems that the kernel makes up (statfs(2)): what is in them is no one's files, and reading it may never end.
const VIRTUAL: [i64; 19] = [
    0x9fa0,      // proc
    0x6265_6572, // sysfs
    0x0027_e0eb, // cgroup
    0x6367_7270, // cgroup2
    0x6462_6720, // debugfs
    0x7472_6163, // tracefs
    0x7363_6673, // securityfs
    0xf97c_ff8c, // selinux
    0xcafe_4a11, // bpf
    0x6165_676c, // pstore
    0xde5e_81e4, // EFI variables
    0x6265_6570, // configfs
    0x1cd1,      // devpts
    0x1980_0202, // mqueue
    0x9584_58f6, // hugetlbfs
    0x6573_5543, // control of FUSE
    0x4249_4e4d, // binfmt_misc
    0x6759_6969, // rpc_pipefs
    0x0187,      // autofs
];

/// Whether the kernel makes up what is in a file system.
pub(super) fn is_virtual(system: &StatFs) -> bool {
    VIRTUAL.contains(&kind_of(system))
}

/// Whether a file system is one that others change without this kernel's being told.
pub(super) fn is_far(system: &StatFs) -> bool {
    kind_of(system) == FUSE || FAR.contains(&kind_of(system))
}

/// What a folder is mounted by, if that is a network or a program. A program that serves a disk of this machine
/// (`fuseblk`) has that disk's device number; one that makes its files up has none of a device (major 0).
pub(super) fn mount_of(system: &StatFs, folder: &Statx) -> Option<Mount> {
    let kind = kind_of(system);
    match kind {
        FUSE => (folder.stx_dev_major == 0).then_some(Mount::Program),
        _ => FAR.contains(&kind).then_some(Mount::Network),
    }
}

/// The number of a file system. The field is as wide as a word of the machine, and may be filled up with ones.
pub(super) fn kind_of(system: &StatFs) -> i64 {
    #[allow(clippy::unnecessary_cast)] // it is narrower on some machines
    let kind = system.f_type as i64;
    kind & 0xffff_ffff
}
