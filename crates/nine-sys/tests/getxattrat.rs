//! The call against a real kernel: what it reads, what it leaves alone, and what it says where it cannot. On a kernel
//! without it (and under valgrind, where it does not know the call) nothing but the answer to the question is asked.

use std::ffi::CString;
use std::fs::File;
use std::io;
use std::os::fd::AsFd;

use nine_sys::{getxattrat, has_getxattrat};
use rustix::fs::{XattrFlags, fsetxattr};
use rustix::io::Errno;

/// A folder with a file that has an attribute of so many bytes; `None` where the kernel cannot be asked.
fn folder_with(length: usize) -> Option<(tempfile::TempDir, File, Vec<u8>)> {
    let folder = tempfile::tempdir().unwrap();
    let file = File::create(folder.path().join("ledger.txt")).unwrap();
    let value: Vec<u8> = (0..length).map(|at| at as u8 | 1).collect();
    let set = fsetxattr(&file, "user.xdg.tags", &value, XattrFlags::empty());
    let open = File::open(folder.path()).unwrap();
    let asked = getxattrat(open.as_fd(), c"ledger.txt", c"user.xdg.tags", &mut [0; 4096]);
    match has_getxattrat() {
        false => {
            let said = asked.expect_err("a kernel without the call refuses it").raw_os_error();
            assert!(
                matches!(said.map(Errno::from_raw_os_error), Some(Errno::NOSYS | Errno::PERM)),
                "{said:?}"
            );
            None
        }
        true => set.is_ok().then_some((folder, open, value)),
    }
}

fn said(result: io::Result<usize>) -> Option<Errno> {
    result.err()?.raw_os_error().map(Errno::from_raw_os_error)
}

#[test]
fn a_value_is_read_and_nothing_beside_it_is_written() {
    let Some((_folder, open, value)) = folder_with(100) else { return };
    let mut room = [0xee; 300];
    let length = getxattrat(open.as_fd(), c"ledger.txt", c"user.xdg.tags", &mut room[100..250]).unwrap();
    assert_eq!(&room[100..100 + length], value);
    assert!(room[..100].iter().chain(&room[200..]).all(|byte| *byte == 0xee));
}

#[test]
fn too_little_room_is_said_and_nothing_is_written() {
    let Some((_folder, open, _)) = folder_with(100) else { return };
    let mut room = [0xee; 300];
    let read = getxattrat(open.as_fd(), c"ledger.txt", c"user.xdg.tags", &mut room[..99]);
    assert_eq!(said(read), Some(Errno::RANGE));
    assert!(room[99..].iter().all(|byte| *byte == 0xee));
}

#[test]
fn what_is_not_there_is_said_and_no_link_is_followed() {
    let Some((folder, open, _)) = folder_with(5) else { return };
    let ask = |name: &str, attribute: &str| {
        let (name, attribute) = (CString::new(name).unwrap(), CString::new(attribute).unwrap());
        said(getxattrat(open.as_fd(), &name, &attribute, &mut [0; 64]))
    };
    assert_eq!(ask("nothing", "user.xdg.tags"), Some(Errno::NOENT));
    assert_eq!(ask("ledger.txt", "user.other"), Some(Errno::NODATA));
    std::os::unix::fs::symlink("ledger.txt", folder.path().join("link")).unwrap();
    assert!(matches!(ask("link", "user.xdg.tags"), Some(Errno::NODATA | Errno::OPNOTSUPP)));
}
