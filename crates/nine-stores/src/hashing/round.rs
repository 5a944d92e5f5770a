//! Files that are worked at together by all threads.

use std::collections::HashMap;
use std::sync::Arc;

use nine_core::copies::{Candidate, Candidates, Digest, END, Member};
use nine_core::tree::Tree;

use super::ends::{AlikeSoFar, Ends};
use super::queue::{Bench, Queue, Work};
use crate::work::{OnPanic, on_threads, with_item_named};
use crate::{OpenFile, ReadStore, StoreError, StoreResult, Watch};

/// Bytes that are read at once: more would not stay in the processor's own memory, and a file that is
/// mapped as a whole ends the program if somebody cuts it short meanwhile.
const BLOCK: usize = 64 * 1024;

/// Ends that are kept of the files of one size at most; of more, they are read again.
const ENDS_AT_HAND: usize = 1024;

/// What was found out of one file.
pub struct HashAnswer {
    /// Which file.
    pub member: Member,
    /// What was learned, or why nothing was.
    pub learned: StoreResult<Learned>,
}

/// What was learned.
pub enum Learned {
    /// The mark of both ends.
    Ends(u64),
    /// The digest of the whole.
    Whole(Digest),
}

/// A file that is to be read as a whole, with its ends if they are at hand.
pub struct Whole {
    /// Which file.
    pub member: Member,
    /// Its ends.
    pub ends: Option<Arc<Ends>>,
}

/// The files of some sizes that are worked at together.
pub struct Round<'a> {
    pub candidates: &'a Candidates,
    pub trees: &'a [&'a Tree],
    pub stores: &'a [Option<&'a dyn ReadStore>],
    pub watch: &'a Watch,
    /// The files of each size, the largest first.
    pub runs: Vec<Vec<Candidate>>,
}

impl Round<'_> {
    /// Reads what is in question.
    pub fn work(&self) -> Vec<HashAnswer> {
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

    /// Reads these files as a whole.
    pub fn read_all(&self, members: Vec<Member>) -> Vec<HashAnswer> {
        let wholes = members.into_iter().map(|member| Whole { member, ends: None }).collect();
        self.share_out(Queue { wholes, ..Queue::default() })
    }

    fn share_out(&self, queue: Queue) -> Vec<HashAnswer> {
        if queue.wholes.is_empty() && queue.runs.is_empty() {
            return Vec::new();
        }
        let bench = Bench::new(queue);
        on_threads(crate::threads(), || self.work_at(&bench), || ());
        bench.into_found()
    }

    fn work_at(&self, bench: &Bench) {
        let _ends_the_others = OnPanic(|| bench.close());
        let mut block = vec![0; BLOCK];
        while let Some(work) = bench.take(self.trees).filter(|_| !self.watch.is_stopped()) {
            let (mut found, mut wholes, was_run) = (Vec::new(), Vec::new(), matches!(work, Work::Run(_)));
            match work {
                Work::Run(run) => self.look_at_run(&self.runs[run], &mut found, &mut wholes),
                Work::Wholes(files) => found.extend(files.iter().filter_map(|file| {
                    let learned =
                        self.on(file.member, || self.read_whole(file, &mut block))?.map(Learned::Whole);
                    Some(HashAnswer { member: file.member, learned })
                })),
            }
            let mut queue = bench.lock();
            queue.found.append(&mut found);
            queue.wholes.append(&mut wholes);
            queue.busy = queue.busy.saturating_sub(usize::from(was_run));
            bench.tell_all();
        }
        // A thread that was stopped must not leave the others waiting.
        if self.watch.is_stopped() {
            bench.close();
        }
    }

    /// Does `work` on a file; a panic in it names the file.
    fn on<T>(&self, member: Member, work: impl FnOnce() -> T) -> T {
        let item = || {
            let path = member.tree(self.trees).path(member.id);
            let store = self.stores[member.view as usize];
            store.map_or_else(|| path.to_string(), |store| store.location(&path).to_string())
        };
        with_item_named(item, work)
    }

    /// Reads the ends of files of one size where that is not known, and says which are to be read as a
    /// whole.
    fn look_at_run(&self, run: &[Candidate], found: &mut Vec<HashAnswer>, wholes: &mut Vec<Whole>) {
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
                None => match self.on(file.member, || self.read_ends(file)) {
                    Ok(Some(ends)) => {
                        let mark = ends.mark();
                        found.push(HashAnswer { member: file.member, learned: Ok(Learned::Ends(mark)) });
                        (mark, Some(ends))
                    }
                    Ok(None) => continue,
                    Err(error) => {
                        self.watch.spare(size);
                        found.push(HashAnswer { member: file.member, learned: Err(error) });
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
