//! Which files must be read to know whether they have the same bytes: those that share their size.

use std::collections::HashSet;
use std::ops::Range;

use rustc_hash::FxHashSet;

use super::Member;
use crate::item::{Identity, Kind};
use crate::tree::{NodeId, Tree};

/// Bytes of either end of a file, by which most that differ are told apart. A file of no more than two such blocks is
/// read as a whole at once.
pub const END: u64 = 16 * 1024;

/// What is wanted of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// To know what has its bytes.
    Asked,
    /// Only that others are held against it.
    Beside,
}

/// Which files with the same bytes matter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meet {
    /// Any two, one of which is asked about.
    Any,
    /// One that is asked about and one beside it.
    Across,
}

/// A file whose size others have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Candidate {
    /// Its bytes.
    pub size: u64,
    /// Which it is.
    pub member: Member,
    /// Whether it is asked about.
    pub asked: bool,
    /// Whether others are held against it. One file may be both, under two names.
    pub beside: bool,
}

/// Files that may have the same bytes: the largest first, those of one size together, and of those the
/// names of one file side by side.
#[derive(Debug, Clone, Default)]
pub struct Candidates {
    files: Vec<Candidate>,
    runs: Vec<Range<usize>>,
    meet: Option<Meet>,
    /// Sizes of files of which only the digests are known.
    elsewhere: HashSet<u64>,
}

impl Candidates {
    /// Gathers the files of some trees. `side` says what is wanted of each; empty files are never in
    /// question. `elsewhere` has the sizes of files that are known by their digest alone.
    pub fn of(
        trees: &[&Tree],
        side: impl Fn(Member) -> Option<Side>,
        meet: Meet,
        elsewhere: HashSet<u64>,
    ) -> Self {
        let asked = Asked { trees, side: &side };
        let sizes = asked.shared_sizes(&elsewhere);
        Self::of_sizes(&asked, &sizes, meet, elsewhere)
    }

    /// The same without the sizes of which everything is known that reading could tell.
    pub fn unread_of(
        trees: &[&Tree],
        side: impl Fn(Member) -> Option<Side>,
        meet: Meet,
        elsewhere: HashSet<u64>,
    ) -> Self {
        let asked = Asked { trees, side: &side };
        let sizes = asked.unread_sizes(&asked.shared_sizes(&elsewhere), &elsewhere);
        Self::of_sizes(&asked, &sizes, meet, elsewhere)
    }

    fn of_sizes(asked: &Asked, sizes: &FxHashSet<u64>, meet: Meet, elsewhere: HashSet<u64>) -> Self {
        let trees = asked.trees;
        let mut files: Vec<Candidate> = Vec::new();
        if !sizes.is_empty() {
            files.extend(asked.files().filter(|file| sizes.contains(&file.size)));
        }
        let identity = |file: &Candidate| file.member.tree(trees).identity(file.member.id).0;
        files.sort_unstable_by(|a, b| {
            b.size.cmp(&a.size).then_with(|| identity(a).cmp(&identity(b))).then(a.member.cmp(&b.member))
        });
        let mut candidates = Self { files, runs: Vec::new(), meet: Some(meet), elsewhere };
        let mut start = 0;
        for run in candidates.files.chunk_by(|a, b| a.size == b.size) {
            let range = start..start + run.len();
            start = range.end;
            let once = distinct(run, |file| file.member.tree(trees).identity(file.member.id));
            if candidates.elsewhere.contains(&run[0].size) || candidates.meets(&once) {
                candidates.runs.push(range);
            }
        }
        candidates
    }

    /// How many sizes are in question.
    pub fn len(&self) -> usize {
        self.runs.len()
    }

    /// Whether nothing is in question.
    pub fn is_empty(&self) -> bool {
        self.runs.is_empty()
    }

    /// The files of one size, each file once although it may have several names.
    pub fn run(&self, number: usize, trees: &[&Tree]) -> Vec<Candidate> {
        let run = &self.files[self.runs[number].clone()];
        distinct(run, |file| file.member.tree(trees).identity(file.member.id))
    }

    /// Further names of the files of one size, each with the name under which [`Candidates::run`] has the
    /// file.
    pub fn further_names(&self, number: usize, trees: &[&Tree]) -> Vec<(Member, Member)> {
        let run = &self.files[self.runs[number].clone()];
        let identity = |file: &Candidate| file.member.tree(trees).identity(file.member.id);
        let files = run.chunk_by(|a, b| identity(a) == identity(b));
        files.flat_map(|names| names[1..].iter().map(|name| (names[0].member, name.member))).collect()
    }

    /// Whether files that are alike so far are still in question.
    pub fn meets(&self, alike: &[Candidate]) -> bool {
        let across = self.meet == Some(Meet::Across);
        alike.len() > 1
            && alike.iter().any(|file| file.asked)
            && (!across || alike.iter().any(|file| file.beside))
    }

    /// Whether files of this size are held against digests alone.
    pub fn is_elsewhere(&self, size: u64) -> bool {
        self.elsewhere.contains(&size)
    }
}

/// What is asked about of some trees.
struct Asked<'a> {
    trees: &'a [&'a Tree],
    side: &'a dyn Fn(Member) -> Option<Side>,
}

impl<'a> Asked<'a> {
    /// The files with bytes in them of which something is wanted.
    fn files(&self) -> impl Iterator<Item = Candidate> {
        self.trees.iter().enumerate().flat_map(move |(view, tree)| {
            let of_tree = tree.ids().filter(|id| tree.kind(*id) == Kind::File && tree.size(*id) > 0);
            of_tree.filter_map(move |id| {
                let member = Member::new(view, id);
                let side = (self.side)(member)?;
                let (asked, beside) = (side == Side::Asked, side == Side::Beside);
                Some(Candidate { size: tree.size(id), member, asked, beside })
            })
        })
    }

    /// The sizes that more than one name has, or files elsewhere. Most files have a size of their own, and are not
    /// looked at any further.
    fn shared_sizes(&self, elsewhere: &HashSet<u64>) -> FxHashSet<u64> {
        shared(self.files().map(|file| file.size).collect(), elsewhere)
    }

    /// Those of some sizes of which reading could tell more: a file was never read, or both ends of two are the same
    /// and one was not read as a whole.
    fn unread_sizes(&self, sizes: &FxHashSet<u64>, elsewhere: &HashSet<u64>) -> FxHashSet<u64> {
        let mut unread = FxHashSet::default();
        // Ends of files that were not read as a whole, by a digest of size and ends; two that meet in it by chance
        // are only looked at once more.
        let mut open: Vec<(u64, [u64; 2], u64)> = Vec::new();
        let key = |size: u64, ends: u64| ends ^ size.wrapping_mul(0x9e37_79b9_7f4a_7c15);
        for file in self.files().filter(|file| sizes.contains(&file.size)) {
            let (tree, size) = (file.member.tree(self.trees), file.size);
            let by_ends = size > 2 * END && !elsewhere.contains(&size);
            match (tree.digest(file.member.id), tree.ends(file.member.id)) {
                (None, Some(ends)) if by_ends => {
                    open.push((key(size, ends), tree.identity(file.member.id).0, size));
                }
                (Some(_), ends) if !by_ends || ends.is_some() => {}
                _ => drop(unread.insert(size)),
            }
        }
        open.sort_unstable();
        let meet = |two: &&[(u64, [u64; 2], u64)]| two[0].0 == two[1].0 && two[0].1 != two[1].1;
        unread.extend(open.windows(2).filter(meet).map(|two| two[0].2));
        for file in self.files().filter(|file| !open.is_empty() && sizes.contains(&file.size)) {
            let tree = file.member.tree(self.trees);
            let Some(ends) = tree.ends(file.member.id).filter(|_| tree.digest(file.member.id).is_some())
            else {
                continue;
            };
            if open.binary_search_by_key(&key(file.size, ends), |one| one.0).is_ok() {
                unread.insert(file.size);
            }
        }
        unread
    }
}

/// Each file once: by the first of its names, and asked about or beside if one of them is. Names of one file
/// stand side by side.
fn distinct(run: &[Candidate], identity: impl Fn(&Candidate) -> Identity) -> Vec<Candidate> {
    let files = run.chunk_by(|a, b| identity(a) == identity(b));
    let one = |names: &[Candidate]| {
        let (asked, beside) = (names.iter().any(|name| name.asked), names.iter().any(|name| name.beside));
        Candidate { asked, beside, ..names[0] }
    };
    files.map(one).collect()
}

/// Those of the sizes of some names that two have, or files elsewhere: sorted, since a table of all of them would take
/// several times the room.
pub(super) fn shared(mut sizes: Vec<u64>, elsewhere: &HashSet<u64>) -> FxHashSet<u64> {
    sizes.sort_unstable();
    let is_shared = |same: &&[u64]| same.len() > 1 || elsewhere.contains(&same[0]);
    sizes.chunk_by(|a, b| a == b).filter(is_shared).map(|same| same[0]).collect()
}

/// The files of a tree that people see: no hidden ones.
pub(super) fn is_in_sight(tree: &Tree, id: NodeId) -> bool {
    !tree.has_mark(id, crate::tree::mark::HIDDEN)
}
