//! Everything below a place, read a folder at a time by several threads at once.

use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Condvar, Mutex, PoisonError};

use nine_core::item::Entry;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tree::{Batch, FolderNo, Gathering};

use crate::work::{held, released};
use crate::{Scan, Scope, StoreError, StoreResult, Watch};

/// A folder that waits to be read.
struct FolderTask {
    path: ItemPath,
    number: FolderNo,
}

struct FolderQueue {
    tasks: Vec<FolderTask>,
    /// Folders that are being read, and may yet bring more tasks.
    busy: usize,
}

struct Walk<'a, R> {
    scope: &'a Scope,
    bounds: Bounds,
    /// Things that were seen.
    seen: AtomicU64,
    watch: &'a Watch,
    read: R,
    queue: Mutex<FolderQueue>,
    more: Condvar,
    gathering: Mutex<Gathering>,
    troubles: Mutex<Vec<(ItemPath, StoreError)>>,
}

/// Names in a folder that could not be looked at, and why.
pub(crate) type NotSeen = Vec<(NameBuf, StoreError)>;

/// How far a walk goes at most: what a server makes up must come to an end.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Bounds {
    /// Folders within folders.
    pub depth: usize,
    /// Things in all.
    pub entries: u64,
}

impl Bounds {
    /// Those of a disk, which holds what it holds.
    pub const NONE: Self = Self { depth: usize::MAX, entries: u64::MAX };
}

/// Reads everything below the place whose own entry is `root`. `read` puts what a folder holds into a batch;
/// `room` makes what each thread needs for it.
pub(crate) fn walk<S>(
    root: Entry,
    threads: usize,
    (scope, bounds): (&Scope, Bounds),
    watch: &Watch,
    room: impl Fn() -> S + Sync,
    read: impl Fn(&mut S, &ItemPath, &mut Batch) -> StoreResult<NotSeen> + Sync,
) -> StoreResult<Scan> {
    let first = FolderTask { path: ItemPath::root(), number: FolderNo::ROOT };
    let walk = Walk {
        scope,
        bounds,
        seen: AtomicU64::new(0),
        watch,
        read,
        queue: Mutex::new(FolderQueue { tasks: vec![first], busy: 0 }),
        more: Condvar::new(),
        gathering: Mutex::new(Gathering::new(root)),
        troubles: Mutex::default(),
    };
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| walk.work(room()));
        }
    });
    let tree = released(walk.gathering).finish();
    let mut troubles = released(walk.troubles);
    troubles.sort_by(|a, b| a.0.cmp(&b.0));
    match troubles.first() {
        Some((path, _)) if path.is_root() => Err(troubles.swap_remove(0).1),
        _ => Ok(Scan { tree, troubles, sync_token: None }),
    }
}

impl<R> Walk<'_, R> {
    fn work<S>(&self, mut room: S)
    where
        R: Fn(&mut S, &ItemPath, &mut Batch) -> StoreResult<NotSeen>,
    {
        let mut batch = Batch::default();
        while let Some(task) = self.next() {
            let more = self.read(&task, &mut room, &mut batch);
            let mut queue = held(&self.queue);
            queue.busy -= 1;
            queue.tasks.extend(more);
            self.more.notify_all();
        }
    }

    fn is_too_far(&self, folder: &ItemPath) -> Option<&'static str> {
        if folder.depth() > self.bounds.depth {
            return Some("its folders are nested too deep");
        }
        let too_many = self.seen.load(Ordering::Relaxed) > self.bounds.entries;
        too_many.then_some("it names more things than can be")
    }

    /// The next folder to read; `None` once all have been read.
    fn next(&self) -> Option<FolderTask> {
        let mut queue = held(&self.queue);
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
    fn read<S>(&self, task: &FolderTask, room: &mut S, batch: &mut Batch) -> Vec<FolderTask>
    where
        R: Fn(&mut S, &ItemPath, &mut Batch) -> StoreResult<NotSeen>,
    {
        let read = match self.is_too_far(&task.path) {
            Some(why) => Err(StoreError::Malformed(why.into())),
            None => (self.read)(room, &task.path, batch),
        };
        let batch = batch.take_sorted();
        self.watch.saw(batch.len() as u64);
        self.seen.fetch_add(batch.len() as u64, Ordering::Relaxed);
        let is_read = read.is_ok();
        let here: Vec<(ItemPath, StoreError)> = match read {
            Ok(not_seen) => not_seen.into_iter().map(|(name, why)| (task.path.join(&name), why)).collect(),
            Err(error) => vec![(task.path.clone(), error)],
        };
        if !here.is_empty() {
            held(&self.troubles).extend(here);
        }
        if !is_read && batch.is_empty() {
            return Vec::new();
        }
        let paths: Vec<ItemPath> = batch.folders().map(|name| task.path.join(name)).collect();
        let mut gathering = held(&self.gathering);
        let first = gathering.add(task.number, batch);
        drop(gathering);
        let tasks = (0..).zip(paths).map(|(at, path)| FolderTask { path, number: first.plus(at) });
        tasks.filter(|task| !self.scope.closed.contains(&task.path)).collect()
    }
}
