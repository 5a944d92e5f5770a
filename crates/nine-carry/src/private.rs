//! Folders that are the person's alone.

use std::fs::{DirBuilder, Permissions};
use std::io;
use std::os::unix::fs::{DirBuilderExt, PermissionsExt};
use std::path::Path;

/// Makes a folder, and those above it that are missing, that nobody else may enter.
///
/// # Errors
/// If it cannot be made.
pub fn make_private(folder: &Path) -> io::Result<()> {
    DirBuilder::new().recursive(true).mode(0o700).create(folder)
}

/// Closes a folder and what is in it to others, where an earlier version left it open. Returns how many things were
/// open to them.
///
/// # Errors
/// If one of them cannot be closed.
pub fn close_to_others(folder: &Path) -> io::Result<usize> {
    let mut closed = 0;
    let mut left = vec![folder.to_owned()];
    while let Some(path) = left.pop() {
        let found = match std::fs::symlink_metadata(&path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            found => found?,
        };
        let mode = found.permissions().mode();
        if !found.is_symlink() && mode & 0o077 != 0 {
            std::fs::set_permissions(&path, Permissions::from_mode(mode & 0o7700))?;
            closed += 1;
        }
        if found.is_dir() {
            for entry in std::fs::read_dir(&path)? {
                left.push(entry?.path());
            }
        }
    }
    Ok(closed)
}
