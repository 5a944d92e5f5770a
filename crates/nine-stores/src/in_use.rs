//! Which files other programs have open, as far as the kernel tells this one: advice, not a lock.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_core::item::Identity;
use rustix::fs::{self, FileType};

use crate::local::identity_of_open;

/// What is open in any other process whose files this one may see. Nothing where there is no `/proc`.
pub fn in_use() -> HashSet<Identity> {
    let own = std::process::id().to_string();
    let mut found = HashSet::new();
    for process in folder(Path::new("/proc")) {
        let is_other = process
            .file_name()
            .and_then(|name| name.to_str())
            .is_some_and(|name| name != own && name.bytes().all(|b| b.is_ascii_digit()));
        if is_other {
            found.extend(folder(&process.join("fd")).filter_map(|open| regular(&open)));
            found.extend(shared_mappings(&process));
        }
    }
    found
}

/// The files that a process has mapped so that it can write to them without a descriptor; see proc_pid_maps(5).
fn shared_mappings(process: &Path) -> Vec<Identity> {
    let maps = std::fs::read(process.join("maps")).unwrap_or_default();
    let lines = maps.split(|byte| *byte == b'\n');
    let identity = |line: &[u8]| {
        let mut parts = line.splitn(6, |byte| *byte == b' ');
        let (range, rights) = (parts.next()?, parts.next()?);
        let inode = parts.nth(2)?;
        if rights.get(3) != Some(&b's') || inode == b"0" {
            return None;
        }
        // The link leads to the file itself; without the right to follow it, the path may lead there.
        let link = process.join("map_files").join(OsStr::from_bytes(range));
        let path = parts.next().unwrap_or_default().trim_ascii_start();
        regular(&link).or_else(|| regular(Path::new(OsStr::from_bytes(path))))
    };
    lines.filter_map(identity).collect()
}

fn folder(at: &Path) -> impl Iterator<Item = std::path::PathBuf> + use<> {
    let entries = std::fs::read_dir(at).ok().into_iter().flatten();
    entries.filter_map(|entry| Some(entry.ok()?.path()))
}

/// The identity of an open file; `None` for pipes, devices and folders.
fn regular(open: &Path) -> Option<Identity> {
    let found = fs::stat(open).ok()?;
    if FileType::from_raw_mode(found.st_mode) != FileType::RegularFile {
        return None;
    }
    identity_of_open(open)
}
