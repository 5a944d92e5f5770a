//! Where things are, as a person types it: a path of this machine, or the address of a drive. Inside the program
//! an address has its escapes undone, `https://host/my papers`, so that it is a path like any other; where it is
//! printed or typed it has them, `https://host/my%20papers`.

use std::path::{Path, PathBuf};

/// A path with links resolved as far as it exists.
pub fn real(path: &Path) -> PathBuf {
    std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}
