//! Everything below a place, read a folder at a time by several threads at once.

use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Condvar, Mutex, PoisonError};

use std::collections::HashMap;

use nine_core::item::Entry;
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId, Tree, settled_by};

use crate::work::{OnPanic, held, on_threads, released, with_item_named};
use crate::{Earlier, EarlierScan, Location, Scan, Scope, StoreError, StoreResult, Watch};

/// A folder that waits to be read.
struct FolderTask {
    path: ItemPath,
    number: FolderNo,
    /// What had its path in the earlier tree.
    was: Option<NodeId>,
    /// Whether that is it still, with nothing put in or taken out since.
    is_same: bool,
}

/// A folder that is read.
pub(crate) struct Visit<'w> {
    pub path: &'w ItemPath,
    /// Its row in the earlier tree, where the names in it are as they were if its store dates that.
    pub before: Option<(NodeId, &'w Before)>,
}

/// What came of reading a folder.
pub(crate) enum Found {
    /// What it holds is in the batch, but for these names.
    Listed(NotSeen),
    /// All that it holds is what this row of the earlier tree does; but these were opened since.
    AsBefore(NodeId, Vec<OpenedSince>),
}

/// A row of the earlier tree, and when it was last opened by now.
pub(crate) type OpenedSince = (NodeId, Option<Moment>);

/// An earlier tree.
pub(crate) struct Before {
    pub tree: Tree,
    /// What was last changed before this moment is as it was then.
    settled: Moment,
}

impl Before {
    /// Whether an entry is the same now, and was seen when it had settled.
    pub fn is_same(&self, id: NodeId, now: &Entry) -> bool {
        self.tree.is_as_scanned(id, now) && self.has_settled(id)
    }

    fn has_settled(&self, id: NodeId) -> bool {
        self.tree.changed(id) < self.settled
    }
}

struct FolderQueue {
    tasks: Vec<FolderTask>,
    /// Folders that are being read, and may yet bring more tasks.
    busy: usize,
    /// Threads that wait for a task. To wake nobody would cost a system call a folder.
    waiting: usize,
    /// Whether a thread has ended in a panic: its folder stays busy, so the others must not wait for it.
    has_failed: bool,
}

struct Walk<'a, R> {
    location: &'a (dyn Fn(&ItemPath) -> Location + Sync),
    scope: &'a Scope,
    bounds: Bounds,
    before: Before,
    /// Things that were seen.
    seen: AtomicU64,
    watch: &'a Watch,
    read: R,
    queue: Mutex<FolderQueue>,
    more: Condvar,
    gathering: Mutex<Gathering>,
    opened: Mutex<Vec<OpenedSince>>,
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

/// What is walked through, and how.
pub(crate) struct Walking<'a> {
    /// The place's own entry.
    pub root: Entry,
    /// Where a folder of the place is, for messages.
    pub location: &'a (dyn Fn(&ItemPath) -> Location + Sync),
    pub threads: usize,
    pub scope: &'a Scope,
    pub bounds: Bounds,
    /// What was found earlier, where folders may be found as they were.
    pub earlier: Option<EarlierScan>,
}

/// Reads everything below a place. `read` puts what a folder holds into a batch, or says that it is as before;
/// `room` makes what each thread needs for it.
pub(crate) fn walk<S>(
    walking: Walking,
    watch: &Watch,
    room: impl Fn() -> S + Sync,
    read: impl Fn(&mut S, &Visit, &mut Batch) -> StoreResult<Found> + Sync,
) -> StoreResult<Scan> {
    let Walking { root, location, threads, scope, bounds, earlier } = walking;
    let (tree, kept) = earlier.map_or_else(Default::default, |it| (it.tree, Some((it.at, it.sync_token))));
    let settled = settled_by(kept.as_ref().map_or(Moment(0), |(at, _)| *at));
    let before = Before { tree, settled };
    let was = kept.is_some().then_some(Tree::ROOT);
    let is_same = was.is_some_and(|was| before.is_same(was, &root));
    let opened = Mutex::new(was.map(|was| (was, root.opened)).into_iter().collect());
    let first = FolderTask { path: ItemPath::root(), number: FolderNo::ROOT, was, is_same };
    let walk = Walk {
        location,
        scope,
        bounds,
        before,
        seen: AtomicU64::new(0),
        watch,
        read,
        queue: Mutex::new(FolderQueue { tasks: vec![first], busy: 0, waiting: 0, has_failed: false }),
        more: Condvar::new(),
        gathering: Mutex::new(Gathering::new(root)),
        opened,
        troubles: Mutex::default(),
    };
    on_threads(threads, || walk.work(room()), || ());
    let mut troubles = released(walk.troubles);
    troubles.sort_by(|a, b| a.0.cmp(&b.0));
    if troubles.first().is_some_and(|(path, _)| path.is_root()) {
        return Err(troubles.swap_remove(0).1);
    }
    let (gathering, mut tree) = (released(walk.gathering), walk.before.tree);
    let Some((at, sync_token)) = kept else {
        return Ok(Scan { tree: gathering.finish(), troubles, sync_token: None, earlier: Earlier::Unknown });
    };
    if gathering.is_as_before(&tree) {
        released(walk.opened).into_iter().for_each(|(id, opened)| tree.set_opened(id, opened));
        return Ok(Scan { tree, troubles, sync_token: None, earlier: Earlier::Same(at) });
    }
    let now = gathering.finish_with(&tree);
    let earlier = Earlier::Differs(Box::new(EarlierScan { tree, at, sync_token }));
    Ok(Scan { tree: now, troubles, sync_token: None, earlier })
}

impl<R> Walk<'_, R> {
    fn work<S>(&self, mut room: S)
    where
        R: Fn(&mut S, &Visit, &mut Batch) -> StoreResult<Found>,
    {
        let _ends_the_others = OnPanic(|| {
            held(&self.queue).has_failed = true;
            self.more.notify_all();
        });
        let mut batch = Batch::default();
        while let Some(task) = self.next() {
            let item = || (self.location)(&task.path).to_string();
            let more = with_item_named(item, || self.read(&task, &mut room, &mut batch));
            let mut queue = held(&self.queue);
            queue.busy -= 1;
            queue.tasks.extend(more);
            let (waiting, is_over) = (queue.waiting, queue.busy == 0);
            let tasks = queue.tasks.len();
            drop(queue);
            if waiting > 0 && (is_over || tasks > 0) {
                self.more.notify_all();
            }
        }
    }

    fn is_too_far(&self, folder: &ItemPath) -> Option<&'static str> {
        // To count takes a moment, and most are bounded by nothing.
        if self.bounds.depth < usize::MAX && folder.depth() > self.bounds.depth {
            return Some("its folders are nested too deep");
        }
        let too_many = self.seen.load(Ordering::Relaxed) > self.bounds.entries;
        too_many.then_some("it names more things than can be")
    }

    /// The next folder to read; `None` once all have been read.
    fn next(&self) -> Option<FolderTask> {
        let mut queue = held(&self.queue);
        loop {
            if self.watch.is_stopped() || queue.has_failed {
                return None;
            }
            if let Some(task) = queue.tasks.pop() {
                queue.busy += 1;
                return Some(task);
            }
            if queue.busy == 0 {
                return None;
            }
            queue.waiting += 1;
            queue = self.more.wait(queue).unwrap_or_else(PoisonError::into_inner);
            queue.waiting -= 1;
        }
    }

    /// Reads a folder; returns the folders in it.
    fn read<S>(&self, task: &FolderTask, room: &mut S, batch: &mut Batch) -> Vec<FolderTask>
    where
        R: Fn(&mut S, &Visit, &mut Batch) -> StoreResult<Found>,
    {
        let before = task.was.filter(|was| task.is_same && self.before.tree.was_wholly_read(*was));
        let visit = Visit { path: &task.path, before: before.map(|was| (was, &self.before)) };
        let read = match self.is_too_far(&task.path) {
            Some(why) => Err(StoreError::Malformed(why.into())),
            None => (self.read)(room, &visit, batch),
        };
        let mut tasks = match read {
            Ok(Found::AsBefore(was, opened)) => self.add_as_before(task, was, opened),
            Ok(Found::Listed(not_seen)) => self.add_listed(task, batch, Ok(not_seen)),
            Err(error) => self.add_listed(task, batch, Err(error)),
        };
        tasks.retain(|task| !self.scope.closed.contains(&task.path));
        tasks
    }

    fn saw(&self, entries: usize) {
        self.watch.saw(entries as u64);
        self.seen.fetch_add(entries as u64, Ordering::Relaxed);
    }

    fn add_listed(
        &self,
        task: &FolderTask,
        batch: &mut Batch,
        read: StoreResult<NotSeen>,
    ) -> Vec<FolderTask> {
        if !matches!(&read, Ok(not_seen) if not_seen.is_empty()) {
            batch.lacks_some();
        }
        batch.sort();
        self.saw(batch.len());
        let is_read = read.is_ok();
        let here: Vec<(ItemPath, StoreError)> = match read {
            Ok(not_seen) => not_seen.into_iter().map(|(name, why)| (task.path.join(&name), why)).collect(),
            Err(error) => vec![(task.path.clone(), error)],
        };
        if !here.is_empty() {
            held(&self.troubles).extend(here);
        }
        let mut tasks = Vec::new();
        if is_read || !batch.is_empty() {
            tasks = self.tasks_of(task, batch);
            let first = held(&self.gathering).add(task.number, batch);
            number(&mut tasks, first);
        }
        batch.clear();
        tasks
    }

    /// The folders in a folder that was listed, which are not numbered yet.
    fn tasks_of(&self, task: &FolderTask, batch: &Batch) -> Vec<FolderTask> {
        let tree = &self.before.tree;
        let known = task.was.into_iter().flat_map(|was| tree.children(was)).filter(|id| tree.is_folder(*id));
        let known: HashMap<&[u8], NodeId> = known.map(|id| (tree.name(id), id)).collect();
        let each = batch.folder_entries().map(|(name, entry)| {
            let was = known.get(&*name).copied();
            let is_same = was.is_some_and(|was| self.before.is_same(was, entry));
            FolderTask { path: task.path.join(name), number: FolderNo::ROOT, was, is_same }
        });
        each.collect()
    }

    fn add_as_before(&self, task: &FolderTask, was: NodeId, opened: Vec<OpenedSince>) -> Vec<FolderTask> {
        let tree = &self.before.tree;
        let mut tasks = Vec::new();
        let mut entries = 0;
        for id in tree.children(was) {
            entries += 1;
            if tree.is_folder(id) {
                let path = task.path.join(tree.name_of(id));
                tasks.push(FolderTask { path, number: FolderNo::ROOT, was: Some(id), is_same: true });
            }
        }
        self.saw(entries);
        if !opened.is_empty() {
            held(&self.opened).extend(opened);
        }
        let first = held(&self.gathering).add_as_before(task.number, was, tree, tasks.len());
        number(&mut tasks, first);
        tasks
    }
}

/// Numbers the folders of one batch from the first one's number on.
fn number(tasks: &mut [FolderTask], first: FolderNo) {
    (0..).zip(tasks).for_each(|(at, task)| task.number = first.plus(at));
}
