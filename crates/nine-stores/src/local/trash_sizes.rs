//! `directorysizes`, in which a trash keeps how much room its folders take (Trash specification 1.0): a line a
//! folder, `SIZE TIME NAME`, with the bytes on the disk, the time of the folder's note, and the name escaped. A
//! cache: other programs make it anew where it is missing, so that no failure here is one of the discard.

use std::ffi::OsStr;
use std::io::{self, Write};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

use crate::fault::point;
use crate::random_token;

const NAME: &str = "directorysizes";

/// Bytes of a block as `stat` counts them.
const BLOCK: u64 = 512;

/// Adds the line of a folder that the trash keeps under `kept`, whose escaped form is `written`.
pub(super) fn add(trash: &Path, kept: &[u8], written: &str) {
    let line = || -> io::Result<String> {
        let note = [kept, b".trashinfo"].concat();
        let time = std::fs::metadata(trash.join("info").join(OsStr::from_bytes(&note)))?.mtime();
        let size = on_disk(&trash.join("files").join(OsStr::from_bytes(kept)))?;
        Ok(format!("{size} {time} {written}\n"))
    };
    if let Ok(line) = line() {
        let _ = rewrite(trash, written, &line);
    }
}

/// Takes out the line of a folder that has left the trash.
pub(super) fn forget(trash: &Path, written: &str) {
    let _ = rewrite(trash, written, "");
}

/// Writes the list anew, beside it first, so that others never read half of it.
fn rewrite(trash: &Path, written: &str, line: &str) -> io::Result<()> {
    let list = trash.join(NAME);
    let old = match std::fs::read_to_string(&list) {
        Ok(old) => old,
        Err(error) if error.kind() == io::ErrorKind::NotFound => String::new(),
        Err(error) => return Err(error),
    };
    let is_other = |old: &&str| old.split(' ').next_back() != Some(written);
    let mut text: String = old.lines().filter(is_other).map(|old| format!("{old}\n")).collect();
    text.push_str(line);
    let beside = trash.join(format!("{NAME}.nine-{}", random_token()));
    point();
    let written = std::fs::File::create_new(&beside).and_then(|mut file| file.write_all(text.as_bytes()));
    point();
    let moved = written.and_then(|()| std::fs::rename(&beside, &list));
    point();
    moved.inspect_err(|_| drop(std::fs::remove_file(&beside)))
}

/// The room that a folder and all that lies in it take. Folders may be nested deeper than the stack is.
fn on_disk(folder: &Path) -> io::Result<u64> {
    let mut room = std::fs::symlink_metadata(folder)?.blocks() * BLOCK;
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(&folder)? {
            let entry = entry?;
            let found = entry.metadata()?;
            room += found.blocks() * BLOCK;
            if found.is_dir() {
                open.push(entry.path());
            }
        }
    }
    Ok(room)
}
