//! Which files other programs have open, as far as the kernel tells this one: advice, not a lock.

use std::collections::HashSet;
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
        }
    }
    found
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
