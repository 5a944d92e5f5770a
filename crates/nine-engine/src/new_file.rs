//! New files of the person's: whole, or not there at all, and never in the place of another.

use std::fs::File;
use std::io::{self, Write};
use std::os::fd::AsRawFd;
use std::path::Path;

use rustix::fs::{AtFlags, CWD, Mode, OFlags, linkat, open};
use rustix::io::Errno;

use crate::{Error, Result};

/// Writes a file that nobody else may read, and that must not be there yet.
///
/// # Errors
/// If something has its name already, or it cannot be written; then nothing of it is left.
pub fn write_new(file: &Path, bytes: &[u8]) -> Result {
    let written = new(file, bytes).and_then(|()| File::open(folder_of(file))?.sync_all());
    written.map_err(|source| Error::FileUnwritable { file: file.to_owned(), source })
}

/// The same of what can be made again: if the power fails at once, it may not be there, but never is half of it.
///
/// # Errors
/// As [`write_new`].
pub fn write_whole(file: &Path, bytes: &[u8]) -> Result {
    new(file, bytes).map_err(|source| Error::FileUnwritable { file: file.to_owned(), source })
}

fn folder_of(file: &Path) -> &Path {
    file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

fn new(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = folder_of(file);
    // A file without a name (open(2), O_TMPFILE) gets one once all of it is on the disk.
    match open(folder, OFlags::TMPFILE | OFlags::WRONLY | OFlags::CLOEXEC, Mode::RUSR | Mode::WUSR) {
        Ok(nameless) => {
            let mut new = File::from(nameless);
            write(&mut new, bytes)?;
            let held = format!("/proc/self/fd/{}", new.as_raw_fd());
            linkat(CWD, held.as_str(), CWD, file, AtFlags::SYMLINK_FOLLOW)?;
        }
        Err(Errno::OPNOTSUPP | Errno::ISDIR | Errno::INVAL) => in_its_place(file, bytes)?,
        Err(error) => return Err(error.into()),
    }
    Ok(())
}

/// The same where the file system knows no files without a name.
fn in_its_place(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut new = nine_carry::new_private(file)?;
    // Half a file must not be taken for a whole one. It is ours: it was made just now.
    write(&mut new, bytes).inspect_err(|_| drop(std::fs::remove_file(file)))
}

fn write(new: &mut File, bytes: &[u8]) -> io::Result<()> {
    new.write_all(bytes)?;
    new.sync_all()
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn a_new_file_takes_the_place_of_none() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("list.csv");
        for write in [new, in_its_place] {
            write(&file, b"whole").unwrap();
            assert_eq!(std::fs::read(&file).unwrap(), b"whole");
            assert_eq!(std::fs::metadata(&file).unwrap().permissions().mode() & 0o777, 0o600);
            for again in [new, in_its_place] {
                assert_eq!(again(&file, b"other").unwrap_err().kind(), io::ErrorKind::AlreadyExists);
            }
            assert_eq!(std::fs::read(&file).unwrap(), b"whole");
            std::fs::remove_file(&file).unwrap();
        }
        assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 0);
        assert!(write_new(&dir.path().join("none/list.csv"), b"x").is_err());
    }
}
