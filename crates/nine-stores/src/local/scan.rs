//! The parallel walk: one `getdents64` per folder block and one `statx` an entry.

use std::mem::MaybeUninit;

use nine_core::item::Entry;
use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags, OFlags, RawDir};
use rustix::io::Errno;

use super::{LocalStore, WANTED, entry_of};
use crate::walk::walk;
use crate::{Scan, Scope, Store, StoreError, StoreResult, Watch};

/// Walking waits for the disk more than for the processor; more threads than this gain nothing.
const MOST_THREADS: usize = 8;

/// Room for the names that the kernel gives at once.
const BLOCK: usize = 64 * 1024;

const READ_FLAGS: OFlags =
    OFlags::RDONLY.union(OFlags::DIRECTORY).union(OFlags::CLOEXEC).union(OFlags::NOFOLLOW);

/// What a folder holds, in no order.
pub(super) fn list(store: &LocalStore, folder: &ItemPath) -> StoreResult<Vec<(Vec<u8>, Entry)>> {
    let mut found = Vec::new();
    let mut block = Vec::with_capacity(BLOCK);
    read_folder(store, folder, block.spare_capacity_mut(), |name, entry| found.push((name.to_vec(), entry)))?;
    Ok(found)
}

/// Hands each entry of a folder to `found`.
fn read_folder(
    store: &LocalStore,
    path: &ItemPath,
    block: &mut [MaybeUninit<u8>],
    mut found: impl FnMut(&[u8], Entry),
) -> StoreResult<()> {
    let folder = store.open_at(path, READ_FLAGS)?;
    let mut names = RawDir::new(&folder, block);
    while let Some(name) = names.next() {
        let name = name?;
        let bytes = name.file_name().to_bytes();
        if bytes == b"." || bytes == b".." {
            continue;
        }
        match fs::statx(&folder, name.file_name(), AtFlags::SYMLINK_NOFOLLOW, WANTED) {
            Ok(facts) => found(bytes, entry_of(&facts, store.settings.believes_births)),
            Err(Errno::NOENT) => {} // gone since it was listed
            Err(other) => return Err(other.into()),
        }
    }
    Ok(())
}

/// Reads everything below the place, with as many threads as there are processors.
pub(super) fn scan(store: &LocalStore, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
    let root = store.entry(&ItemPath::root())?.ok_or(StoreError::NotThere)?;
    let threads = std::thread::available_parallelism().map_or(2, usize::from).min(MOST_THREADS);
    let room = || Vec::with_capacity(BLOCK);
    walk(root, threads, scope, watch, room, |block: &mut Vec<u8>, path, batch| {
        read_folder(store, path, block.spare_capacity_mut(), |name, entry| batch.push(name, entry))
    })
}
