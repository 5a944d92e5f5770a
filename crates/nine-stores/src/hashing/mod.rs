//! Reads the files in question: both ends first, and the whole only where the ends left a question.
//!
//! Two kinds of work are handed to as many threads as there are processors, so that one reads while
//! another computes. A file whose ends were found the same as another's is read on from there: no byte
//! is read twice.

mod ends;
mod queue;
mod round;

use nine_core::copies::{Candidate, Candidates, Member};
use nine_core::tree::{NodeId, Tree};

use crate::{ReadStore, StoreError, Watch};
use round::{HashAnswer, Learned, Round};

/// Files that are worked at before what was found out is noted down.
const ROUND: usize = 64 * 1024;

/// Bytes of the files that are worked at before that.
const ROUND_BYTES: u64 = 4 << 30;

/// A tree, and where its files can be read.
pub struct HashSource<'a> {
    /// The store; `None` where the place cannot be reached, so that its files are not read.
    pub store: Option<&'a dyn ReadStore>,
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
pub fn hash(sources: &mut [HashSource], candidates: &Candidates, watch: &Watch) -> Hashed {
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
pub fn expect(sources: &[HashSource], candidates: &Candidates, watch: &Watch) {
    let trees: Vec<&Tree> = sources.iter().map(|source| &*source.tree).collect();
    watch.expect((0..candidates.len()).map(|run| unread_in(&trees, &candidates.run(run, &trees))).sum());
}

/// The same as [`hash`] for some of the sizes in question, from one on, so that the caller can keep what
/// is known before all is. Returns the number of the size to go on with.
pub fn hash_round(
    sources: &mut [HashSource],
    candidates: &Candidates,
    from: usize,
    watch: &Watch,
) -> (Hashed, usize) {
    let mut out = Hashed::default();
    let trees: Vec<&Tree> = sources.iter().map(|source| &*source.tree).collect();
    let stores: Vec<Option<&dyn ReadStore>> = sources.iter().map(|source| source.store).collect();
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
fn note_other_name(sources: &mut [HashSource], first: Member, other: Member) {
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
pub fn read_digests(source: &mut HashSource, rows: &[NodeId], watch: &Watch) -> Hashed {
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

fn note(sources: &mut [HashSource], found: Vec<HashAnswer>, out: &mut Hashed) {
    for HashAnswer { member, learned } in found {
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
