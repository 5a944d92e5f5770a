//! Reads the files in question: both ends first, and the whole only where the ends left a question.
//!
//! Two kinds of work are handed to as many threads as there are processors, so that one reads while
//! another computes. A file whose ends were found the same as another's is read on from there: no byte
//! is read twice.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

use nine_core::copies::{Candidate, Candidates, Digest, Member};
use nine_core::tree::{NodeId, Tree};

use crate::{OpenFile, Store, StoreError, StoreResult, Watch};

/// Bytes of either end. A file of no more than two such blocks is read as a whole at once.
const END: u64 = 16 * 1024;

/// Bytes that are read at once: more would not stay in the processor's own memory, and a file that is
/// mapped as a whole ends the program if somebody cuts it short meanwhile.
const BLOCK: usize = 64 * 1024;

/// Files that are worked at before what was found out is noted down.
const ROUND: usize = 64 * 1024;

/// Bytes of the files that are worked at before that.
const ROUND_BYTES: u64 = 4 << 30;

/// Small files that a thread takes at once.
const SHARE: usize = 32;

/// Ends that are kept of the files of one size at most; of more, they are read again.
const ENDS_AT_HAND: usize = 1024;

/// A tree, and where its files can be read.
pub struct Source<'a> {
    /// The store; `None` where the place cannot be reached, so that its files are not read.
    pub store: Option<&'a dyn Store>,
    /// The tree.
    pub tree: &'a mut Tree,
}

/// What came of it.
#[derive(Debug, Default)]
pub struct Hashed {
    /// How many files were read.
    pub read: usize,
    /// Files that could not be read, or changed meanwhile.
    pub troubles: Vec<(Member, StoreError)>,
}

/// Reads what must be read to know which of the candidates have the same bytes, and notes it down in
/// the trees. What the trees know already is not read.
pub fn hash(sources: &mut [Source], candidates: &Candidates, watch: &Watch) -> Hashed {
    expect(sources, candidates, watch);
    let (mut out, mut next) = (Hashed::default(), 0);
    while next < candidates.len() && !watch.is_stopped() {
        let (round, after) = hash_round(sources, candidates, next, watch);
        out.read += round.read;
        out.troubles.extend(round.troubles);
        next = after;
    }
    out
}

/// Tells a watch how many bytes may have to be read.
pub fn expect(sources: &[Source], candidates: &Candidates, watch: &Watch) {
    let trees: Vec<&Tree> = sources.iter().map(|source| &*source.tree).collect();
    watch.expect((0..candidates.len()).map(|run| unread_in(&trees, &candidates.run(run, &trees))).sum());
}

/// The same as [`hash`] for some of the sizes in question, from one on, so that the caller can keep what
/// is known before all is. Returns the number of the size to go on with.
pub fn hash_round(
    sources: &mut [Source],
    candidates: &Candidates,
    from: usize,
    watch: &Watch,
) -> (Hashed, usize) {
    let mut out = Hashed::default();
    let trees: Vec<&Tree> = sources.iter().map(|source| &*source.tree).collect();
    let stores: Vec<Option<&dyn Store>> = sources.iter().map(|source| source.store).collect();
    let (mut runs, mut names) = (Vec::new(), Vec::new());
    let (mut next, mut files, mut bytes) = (from, 0, 0);
    while next < candidates.len() && files < ROUND && bytes < ROUND_BYTES {
        let run = candidates.run(next, &trees);
        files += run.len();
        bytes += unread_in(&trees, &run);
        runs.push(run);
        names.extend(candidates.further_names(next, &trees));
        next += 1;
    }
    let found = Round { candidates, trees: &trees, stores: &stores, watch, runs }.work();
    out.read = found.len();
    note(sources, found, &mut out);
    names.into_iter().for_each(|(first, other)| note_other_name(sources, first, other));
    (out, next)
}

/// What is known of a file is known under each of its names.
fn note_other_name(sources: &mut [Source], first: Member, other: Member) {
    let tree = &*sources[first.view as usize].tree;
    let (ends, digest) = (tree.ends(first.id), tree.digest(first.id));
    let tree = &mut *sources[other.view as usize].tree;
    if let Some(ends) = ends {
        tree.learn_ends(other.id, ends);
    }
    if let Some(digest) = digest.filter(|_| tree.digest(other.id).is_none()) {
        tree.learn_digest(other.id, digest);
    }
}

/// Reads these files as a whole, whatever shares their size.
pub fn read_digests(source: &mut Source, rows: &[NodeId], watch: &Watch) -> Hashed {
    let mut out = Hashed::default();
    let none = Candidates::default();
    watch.expect(rows.iter().map(|id| source.tree.size(*id)).sum());
    for share in rows.chunks(ROUND) {
        let found = {
            let (trees, stores) = ([&*source.tree], [source.store]);
            let round = Round { candidates: &none, trees: &trees, stores: &stores, watch, runs: Vec::new() };
            round.read_all(share.iter().map(|id| Member::new(0, *id)).collect())
        };
        out.read += found.len();
        note(std::slice::from_mut(source), found, &mut out);
    }
    out
}

fn note(sources: &mut [Source], found: Vec<Answer>, out: &mut Hashed) {
    for Answer { member, learned } in found {
        let tree = &mut *sources[member.view as usize].tree;
        match learned {
            Ok(Learned::Ends(ends)) => tree.learn_ends(member.id, ends),
            Ok(Learned::Whole(digest)) => tree.learn_digest(member.id, digest),
            Err(error) => out.troubles.push((member, error)),
        }
    }
}

/// Bytes of files of one size that may have to be read.
fn unread_in(trees: &[&Tree], run: &[Candidate]) -> u64 {
    let unread = run.iter().filter(|file| {
        let (tree, id) = (file.member.tree(trees), file.member.id);
        tree.digest(id).is_none() && tree.ends(id).is_none()
    });
    unread.map(|file| file.size).sum()
}

/// What was found out of one file.
struct Answer {
    member: Member,
    learned: StoreResult<Learned>,
}

enum Learned {
    Ends(u64),
    Whole(Digest),
}

/// A file that is to be read as a whole, with its ends if they are at hand.
struct Whole {
    member: Member,
    ends: Option<Arc<Ends>>,
}

/// The first and the last block of a file.
#[derive(PartialEq, Eq, Hash)]
struct Ends {
    first: Vec<u8>,
    last: Vec<u8>,
}

impl Ends {
    /// The first 64 bits of a digest of both; not 0.
    fn mark(&self) -> u64 {
        let mut hasher = blake3::Hasher::new();
        hasher.update(&self.first).update(&self.last);
        let bytes = *hasher.finalize().as_bytes();
        u64::from_le_bytes([0, 1, 2, 3, 4, 5, 6, 7].map(|at| bytes[at])).max(1)
    }
}

/// Files of one size that have the same mark.
#[derive(Default)]
struct AlikeSoFar {
    files: Vec<Candidate>,
    /// For each, whether its ends are the ones at hand.
    has_ends: Vec<bool>,
    ends: Option<Arc<Ends>>,
}

impl AlikeSoFar {
    fn add(&mut self, file: Candidate, ends: Option<Ends>, room: bool) {
        if self.ends.is_none() && room {
            self.ends = ends.map(Arc::new);
            self.has_ends.push(self.ends.is_some());
        } else {
            // A mark is short, so the ends themselves decide.
            self.has_ends.push(ends.is_some() && self.ends.as_deref() == ends.as_ref());
        }
        self.files.push(file);
    }
}

/// The files of some sizes that are worked at together.
struct Round<'a> {
    candidates: &'a Candidates,
    trees: &'a [&'a Tree],
    stores: &'a [Option<&'a dyn Store>],
    watch: &'a Watch,
    runs: Vec<Vec<Candidate>>,
}

/// Work that is left, and what was found out.
#[derive(Default)]
struct Queue {
    /// Before anything else, so that the ends at hand are few.
    wholes: Vec<Whole>,
    /// Numbers of runs of files that are larger than their ends.
    runs: Range<usize>,
    /// Threads that may yet add to the wholes.
    busy: usize,
    found: Vec<Answer>,
}

enum Work {
    Run(usize),
    Wholes(Vec<Whole>),
}

struct Bench {
    queue: Mutex<Queue>,
    more: Condvar,
}

impl Bench {
    fn lock(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The next piece of work; waits while another thread may add some.
    fn take(&self, trees: &[&Tree]) -> Option<Work> {
        let mut queue = self.lock();
        loop {
            if let Some(last) = queue.wholes.last() {
                let small = last.member.tree(trees).size(last.member.id) <= 2 * END;
                let many = if small { SHARE.min(queue.wholes.len()) } else { 1 };
                let from = queue.wholes.len() - many;
                return Some(Work::Wholes(queue.wholes.split_off(from)));
            }
            if let Some(run) = queue.runs.next() {
                queue.busy += 1;
                return Some(Work::Run(run));
            }
            if queue.busy == 0 {
                return None;
            }
            queue = self.more.wait(queue).unwrap_or_else(PoisonError::into_inner);
        }
    }
}

impl Round<'_> {
    fn work(&self) -> Vec<Answer> {
        // The largest stand first, so the small ones are the last runs.
        let large = self.runs.partition_point(|run| run[0].size > 2 * END);
        let (mut found, mut wholes) = (Vec::new(), Vec::new());
        self.runs[large..].iter().for_each(|run| self.look_at_run(run, &mut found, &mut wholes));
        // Side by side as they were made, which is where the disk has them; the last is taken first.
        let identity = |whole: &Whole| whole.member.tree(self.trees).identity(whole.member.id).0;
        wholes.sort_unstable_by_key(|whole| std::cmp::Reverse(identity(whole)));
        found.extend(self.share_out(Queue { runs: 0..large, ..Queue::default() }));
        found.extend(self.share_out(Queue { wholes, ..Queue::default() }));
        found
    }

    fn read_all(&self, members: Vec<Member>) -> Vec<Answer> {
        let wholes = members.into_iter().map(|member| Whole { member, ends: None }).collect();
        self.share_out(Queue { wholes, ..Queue::default() })
    }

    fn share_out(&self, queue: Queue) -> Vec<Answer> {
        if queue.wholes.is_empty() && queue.runs.is_empty() {
            return Vec::new();
        }
        let bench = Bench { queue: Mutex::new(queue), more: Condvar::new() };
        let threads = std::thread::available_parallelism().map_or(1, usize::from).min(8);
        std::thread::scope(|scope| (0..threads).for_each(|_| drop(scope.spawn(|| self.work_at(&bench)))));
        bench.queue.into_inner().unwrap_or_else(PoisonError::into_inner).found
    }

    fn work_at(&self, bench: &Bench) {
        let mut block = vec![0; BLOCK];
        while let Some(work) = bench.take(self.trees).filter(|_| !self.watch.is_stopped()) {
            let (mut found, mut wholes, was_run) = (Vec::new(), Vec::new(), matches!(work, Work::Run(_)));
            match work {
                Work::Run(run) => self.look_at_run(&self.runs[run], &mut found, &mut wholes),
                Work::Wholes(files) => found.extend(files.iter().filter_map(|file| {
                    let learned = self.read_whole(file, &mut block)?.map(Learned::Whole);
                    Some(Answer { member: file.member, learned })
                })),
            }
            let mut queue = bench.lock();
            queue.found.append(&mut found);
            queue.wholes.append(&mut wholes);
            queue.busy -= usize::from(was_run);
            bench.more.notify_all();
        }
        // A thread that was stopped must not leave the others waiting.
        let mut queue = bench.lock();
        if self.watch.is_stopped() {
            *queue = Queue { found: std::mem::take(&mut queue.found), ..Queue::default() };
            bench.more.notify_all();
        }
    }

    /// Reads the ends of files of one size where that is not known, and says which are to be read as a
    /// whole.
    fn look_at_run(&self, run: &[Candidate], found: &mut Vec<Answer>, wholes: &mut Vec<Whole>) {
        let size = run[0].size;
        let digest = |file: &Candidate| file.member.tree(self.trees).digest(file.member.id);
        if size <= 2 * END || self.candidates.is_elsewhere(size) {
            let unread = run.iter().filter(|file| digest(file).is_none());
            return wholes.extend(unread.map(|file| Whole { member: file.member, ends: None }));
        }
        let mut alike: HashMap<u64, AlikeSoFar> = HashMap::new();
        for file in run {
            let known = file.member.tree(self.trees).ends(file.member.id);
            let (mark, ends) = match known {
                Some(mark) => (mark, None),
                None => match self.read_ends(file) {
                    Ok(Some(ends)) => {
                        let mark = ends.mark();
                        found.push(Answer { member: file.member, learned: Ok(Learned::Ends(mark)) });
                        (mark, Some(ends))
                    }
                    Ok(None) => continue,
                    Err(error) => {
                        self.watch.spare(size);
                        found.push(Answer { member: file.member, learned: Err(error) });
                        continue;
                    }
                },
            };
            let room = alike.len() < ENDS_AT_HAND;
            alike.entry(mark).or_default().add(*file, ends, room);
        }
        for AlikeSoFar { files, has_ends, ends } in alike.into_values() {
            let is_left = self.candidates.meets(&files);
            for (file, has_ends) in files.iter().zip(has_ends).filter(|(file, _)| digest(file).is_none()) {
                let was_known = file.member.tree(self.trees).ends(file.member.id).is_some();
                match (is_left, was_known) {
                    (true, true) => self.watch.expect(size),
                    (false, false) => self.watch.spare(size - 2 * END),
                    _ => {}
                }
                if is_left {
                    wholes.push(Whole { member: file.member, ends: ends.clone().filter(|_| has_ends) });
                }
            }
        }
    }

    /// Opens a file that is still what the tree says; `None` where its place cannot be reached.
    fn open(&self, member: Member) -> Option<StoreResult<Box<dyn OpenFile>>> {
        let store = self.stores[member.view as usize]?;
        let path = member.tree(self.trees).path(member.id);
        Some(store.open_file(&path).and_then(|file| self.expect(member, &*file).map(|()| file)))
    }

    /// Makes sure that what is read is what the tree says: also its last change by whatever clock.
    fn expect(&self, member: Member, file: &dyn OpenFile) -> StoreResult<()> {
        let (now, was) = (file.entry()?, member.tree(self.trees).entry(member.id));
        let same = now.kind == was.kind && now.stamp() == was.stamp() && now.changed == was.changed;
        if same { Ok(()) } else { Err(StoreError::Changed) }
    }

    fn read_ends(&self, file: &Candidate) -> StoreResult<Option<Ends>> {
        let Some(open) = self.open(file.member) else { return Ok(None) };
        let open = open?;
        let block = |offset| -> StoreResult<Vec<u8>> {
            let mut block = vec![0; END as usize];
            match open.read_at(&mut block, offset)? {
                length if length == block.len() => Ok(block),
                _ => Err(StoreError::Changed),
            }
        };
        let ends = Ends { first: block(0)?, last: block(file.size - END)? };
        self.expect(file.member, &*open)?;
        self.watch.read(2 * END);
        Ok(Some(ends))
    }

    /// The digest of a whole file; `None` where its place cannot be reached.
    fn read_whole(&self, file: &Whole, block: &mut [u8]) -> Option<StoreResult<Digest>> {
        let open = self.open(file.member)?;
        let size = file.member.tree(self.trees).size(file.member.id);
        Some(open.and_then(|open| {
            let mut hasher = blake3::Hasher::new();
            let (mut at, end) = match &file.ends {
                Some(ends) => {
                    hasher.update(&ends.first);
                    (END, size - END)
                }
                None => (0, size),
            };
            while at < end {
                let most = block.len().min((end - at) as usize);
                let length = open.read_at(&mut block[..most], at)?;
                if length == 0 {
                    return Err(StoreError::Changed);
                }
                hasher.update(&block[..length]);
                self.watch.read(length as u64);
                at += length as u64;
            }
            if let Some(ends) = &file.ends {
                hasher.update(&ends.last);
            }
            self.expect(file.member, &*open)?;
            Ok(Digest(*hasher.finalize().as_bytes()))
        }))
    }
}
