//! Where things are, as a person types it: a path of this machine, or the address of a drive. Inside the program
//! an address has its escapes undone, `https://host/my papers`, so that it is a path like any other; where it is
//! printed or typed it has them, `https://host/my%20papers`.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use nine_core::place::ItemPath;
use nine_stores::drive::Address;

/// Whether a path is the address of a drive.
pub fn is_on_drive(path: &Path) -> bool {
    Address::is_one(path.as_os_str().as_encoded_bytes())
}

/// A path with links resolved as far as it exists.
pub fn real(path: &Path) -> PathBuf {
    if is_on_drive(path) {
        return path.to_owned();
    }
    std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}

/// A path as it is printed: the address of a drive has its escapes.
pub fn written(path: &Path) -> OsString {
    match Address::of_path(path).filter(|_| is_on_drive(path)) {
        Some(address) => address.of(&ItemPath::root(), false).into(),
        None => path.as_os_str().to_owned(),
    }
}
