//! System calls for which no kept crate has a safe wrapper yet. Unsafe code is allowed in this crate alone, and each
//! block says why it is sound.

use std::ffi::CStr;
use std::io;
use std::os::fd::{AsFd, AsRawFd, BorrowedFd};
use std::sync::OnceLock;

/// The number of `getxattrat(2)`, the same on every processor: numbers from 424 on are shared (Linux 5.1 and later).
const GETXATTRAT: libc::c_long = 464;

/// What the kernel's `struct xattr_args` holds (include/uapi/linux/xattr.h, Linux 6.13).
#[repr(C, align(8))]
struct AttributeArgs {
    /// Where the value goes, as an address.
    value: u64,
    /// Bytes of room there.
    size: u32,
    /// None for reading.
    flags: u32,
}

/// Reads an extended attribute of what has a name in an open folder, no link followed, into `value`. Returns its
/// length in bytes; `ERANGE` if there is not enough room, `ENODATA` if it has no such attribute.
///
/// The name is one step of a path: with slashes in it the kernel would follow links on the way.
///
/// # Errors
/// What the kernel says: `ENOSYS` before Linux 6.13; see [`has_getxattrat`].
pub fn getxattrat(
    folder: BorrowedFd<'_>,
    name: &CStr,
    attribute: &CStr,
    value: &mut [u8],
) -> io::Result<usize> {
    // Of an empty room the kernel tells the length of the value and writes nothing, so that the length would not be
    // that of what was read.
    debug_assert!(!value.is_empty());
    let size = u32::try_from(value.len()).unwrap_or(u32::MAX);
    let mut args = AttributeArgs { value: value.as_mut_ptr().expose_provenance() as u64, size, flags: 0 };
    // SAFETY: the folder is open as long as it is borrowed. Both names end with a zero and outlive the call. `args` is
    // laid out as the kernel's structure, whose size is told, and outlives the call; its address points to at least
    // `size` bytes that nobody else has while `value` is borrowed, and the kernel writes at most `size` there. It
    // keeps none of the pointers.
    let length = unsafe {
        libc::syscall(
            GETXATTRAT,
            folder.as_raw_fd(),
            name.as_ptr(),
            libc::AT_SYMLINK_NOFOLLOW,
            attribute.as_ptr(),
            &raw mut args,
            size_of::<AttributeArgs>(),
        )
    };
    usize::try_from(length).map_err(|_| io::Error::last_os_error())
}

/// Whether the kernel has [`getxattrat`], asked once. A filter of calls that refuses it counts as a kernel without.
pub fn has_getxattrat() -> bool {
    static HAS: OnceLock<bool> = OnceLock::new();
    *HAS.get_or_init(|| {
        let Ok(root) = std::fs::File::open("/") else { return false };
        let asked = getxattrat(root.as_fd(), c".", c"user.nine.none", &mut [0; 1]);
        let said = asked.err().and_then(|error| error.raw_os_error());
        matches!(said, None | Some(libc::ENODATA | libc::EOPNOTSUPP | libc::ERANGE))
    })
}
