//! Folders and files that are the person's alone.

use std::fs::{DirBuilder, File, OpenOptions, Permissions};
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};

use rustix::fs::{CWD, RenameFlags, renameat_with};
use rustix::io::Errno;

/// Makes a folder, and those above it that are missing, that nobody else may enter.
///
/// # Errors
/// If it cannot be made.
pub fn make_private(folder: &Path) -> io::Result<()> {
    DirBuilder::new().recursive(true).mode(0o700).create(folder)
}

/// Makes a new file that nobody else may read.
///
/// # Errors
/// If it is there already, or cannot be made.
pub fn new_private(file: &Path) -> io::Result<File> {
    OpenOptions::new().write(true).create_new(true).mode(0o600).open(file)
}

/// Writes a file that nobody else may read, in the place of an older one.
///
/// # Errors
/// If it cannot be written.
pub fn write_private(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut open = OpenOptions::new();
    open.write(true).create(true).truncate(true).mode(0o600).open(file)?.write_all(bytes)
}

/// Writes a file that nobody else may read; at each moment the whole old or the whole new one has the name.
///
/// # Errors
/// If it cannot be written; the old one stands then.
pub fn replace_private(file: &Path, write: impl FnOnce(&File) -> io::Result<()>) -> io::Result<()> {
    let beside = file.with_extension("new");
    let mut open = OpenOptions::new();
    let new = open.write(true).create(true).truncate(true).mode(0o600).open(&beside)?;
    let replaced = write(&new).and_then(|()| new.sync_data()).and_then(|()| std::fs::rename(&beside, file));
    if replaced.is_err() {
        let _ = std::fs::remove_file(&beside);
    }
    replaced
}

/// Renames a file that cannot be used to its name with another extension, numbered if that name is taken. Returns the
/// new path.
///
/// # Errors
/// If it cannot be renamed.
pub fn set_aside(file: &Path, extension: &str) -> io::Result<PathBuf> {
    for number in 1.. {
        let aside = match number {
            1 => file.with_extension(extension),
            number => file.with_extension(format!("{number}.{extension}")),
        };
        match renameat_with(CWD, file, CWD, &aside, RenameFlags::NOREPLACE) {
            Err(Errno::EXIST) => {}
            renamed => return Ok(renamed.map(|()| aside)?),
        }
    }
    Err(io::ErrorKind::AlreadyExists.into())
}

/// What is kept in a data folder. Other things may lie in it where the person chose it.
const OURS: [&str; 14] = [
    "catalogue.sqlite",
    "daybook",
    "displays.json",
    "drives",
    "left-alone.json",
    "lock",
    "places.json",
    "reports",
    "review.jsonl",
    "routines.jsonl",
    "routines.lock",
    "verified.json",
    "waiting",
    "worklists",
];

/// Closes the data folder and what is in it to others, where an earlier version left it open. Returns how many things
/// were open to them.
///
/// # Errors
/// If one of them cannot be looked at or closed.
pub fn close_to_others(data: &Path) -> io::Result<usize> {
    let names = match std::fs::read_dir(data) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(0),
        names => names?.map(|entry| Ok(entry?.file_name())).collect::<io::Result<Vec<_>>>()?,
    };
    let is_ours = |name: &&std::ffi::OsString| {
        let name = name.to_string_lossy();
        OURS.iter().any(|own| *name == **own || name.starts_with("catalogue.sqlite"))
    };
    let mut left: Vec<PathBuf> = names.iter().filter(is_ours).map(|name| data.join(name)).collect();
    // A folder with other things in it is the person's to open.
    if left.len() == names.iter().filter(|name| *name != "shelves.toml").count() {
        close(data)?;
    }
    let mut closed = 0;
    while let Some(path) = left.pop() {
        let (is_folder, was_open) = match close(&path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            found => found?,
        };
        closed += usize::from(was_open);
        if is_folder {
            for entry in std::fs::read_dir(&path)? {
                left.push(entry?.path());
            }
        }
    }
    Ok(closed)
}

/// Closes one thing; says whether it is a folder, and whether it was open.
fn close(path: &Path) -> io::Result<(bool, bool)> {
    let found = std::fs::symlink_metadata(path)?;
    let mode = found.permissions().mode();
    let is_open = !found.is_symlink() && mode & 0o077 != 0;
    if is_open {
        std::fs::set_permissions(path, Permissions::from_mode(mode & 0o7700))?;
    }
    Ok((found.is_dir(), is_open))
}
