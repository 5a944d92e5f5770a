//! The parallel walk: one `getdents64` per folder block and one `statx` an entry.

use std::mem::MaybeUninit;
use std::sync::{Condvar, Mutex, PoisonError};

use nine_core::item::Entry;
use nine_core::place::ItemPath;
use nine_core::tree::{Batch, FolderNo, Gathering};
use rustix::fs::{self, AtFlags, OFlags, RawDir};
use rustix::io::Errno;

use super::{LocalStore, WANTED, entry_of};
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

/// A folder that waits to be read.
struct Task {
    path: ItemPath,
    number: FolderNo,
}

struct Queue {
    tasks: Vec<Task>,
    /// Folders that are being read, and may yet bring more tasks.
    busy: usize,
}

struct Walk<'a> {
    store: &'a LocalStore,
    scope: &'a Scope,
    watch: &'a Watch,
    queue: Mutex<Queue>,
    more: Condvar,
    gathering: Mutex<Gathering>,
    troubles: Mutex<Vec<(ItemPath, StoreError)>>,
}

/// Reads everything below the place, with as many threads as there are processors.
pub(super) fn scan(store: &LocalStore, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
    let root = store.entry(&ItemPath::root())?.ok_or(StoreError::NotThere)?;
    let first = Task { path: ItemPath::root(), number: FolderNo::ROOT };
    let walk = Walk {
        store,
        scope,
        watch,
        queue: Mutex::new(Queue { tasks: vec![first], busy: 0 }),
        more: Condvar::new(),
        gathering: Mutex::new(Gathering::new(root)),
        troubles: Mutex::default(),
    };
    let threads = std::thread::available_parallelism().map_or(2, usize::from).min(MOST_THREADS);
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| walk.work());
        }
    });
    let tree = walk.gathering.into_inner().unwrap_or_else(PoisonError::into_inner).finish();
    let mut troubles = walk.troubles.into_inner().unwrap_or_else(PoisonError::into_inner);
    troubles.sort_by(|a, b| a.0.cmp(&b.0));
    match troubles.first() {
        Some((path, _)) if path.is_root() => Err(troubles.swap_remove(0).1),
        _ => Ok(Scan { tree, troubles }),
    }
}

impl Walk<'_> {
    fn work(&self) {
        let (mut block, mut batch) = (Vec::with_capacity(BLOCK), Batch::default());
        while let Some(task) = self.next() {
            let more = self.read(&task, block.spare_capacity_mut(), &mut batch);
            let mut queue = self.queue.lock().unwrap_or_else(PoisonError::into_inner);
            queue.busy -= 1;
            queue.tasks.extend(more);
            self.more.notify_all();
        }
    }

    /// The next folder to read; `None` once all have been read.
    fn next(&self) -> Option<Task> {
        let mut queue = self.queue.lock().unwrap_or_else(PoisonError::into_inner);
        loop {
            if self.watch.is_stopped() {
                return None;
            }
            if let Some(task) = queue.tasks.pop() {
                queue.busy += 1;
                return Some(task);
            }
            if queue.busy == 0 {
                return None;
            }
            queue = self.more.wait(queue).unwrap_or_else(PoisonError::into_inner);
        }
    }

    /// Reads a folder; returns the folders in it.
    fn read(&self, task: &Task, block: &mut [MaybeUninit<u8>], room: &mut Batch) -> Vec<Task> {
        let read = read_folder(self.store, &task.path, block, |name, entry| room.push(name, entry));
        let batch = room.take_sorted();
        self.watch.saw(batch.len() as u64);
        if let Err(error) = read {
            let mut troubles = self.troubles.lock().unwrap_or_else(PoisonError::into_inner);
            troubles.push((task.path.clone(), error));
            if batch.is_empty() {
                return Vec::new();
            }
        }
        let paths: Vec<ItemPath> = batch.folders().map(|name| task.path.join(name)).collect();
        let mut gathering = self.gathering.lock().unwrap_or_else(PoisonError::into_inner);
        let first = gathering.add(task.number, batch);
        drop(gathering);
        let tasks = (0..).zip(paths).map(|(at, path)| Task { path, number: first.plus(at) });
        tasks.filter(|task| !self.scope.closed.contains(&task.path)).collect()
    }
}
