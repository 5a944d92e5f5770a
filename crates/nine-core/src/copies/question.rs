//! Which files must be read to know whether they have the same bytes: those that share their size.

use std::collections::HashSet;
use std::ops::Range;

use super::Member;
use crate::item::{Identity, Kind};
use crate::tree::{NodeId, Tree};

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
        let mut files = Vec::new();
        for (view, tree) in trees.iter().enumerate() {
            let of_tree = tree.ids().filter(|id| tree.kind(*id) == Kind::File && tree.size(*id) > 0);
            files.extend(of_tree.filter_map(|id| {
                let member = Member::new(view, id);
                let side = side(member)?;
                let (asked, beside) = (side == Side::Asked, side == Side::Beside);
                Some(Candidate { size: tree.size(id), member, asked, beside })
            }));
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

/// The files of a tree that people see: no hidden ones.
pub(super) fn is_in_sight(tree: &Tree, id: NodeId) -> bool {
    !tree.has_mark(id, crate::tree::mark::HIDDEN)
}
