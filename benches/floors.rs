//! What the program's work costs, as ratios to a floor: the same work with nothing that could be left
//! out, measured in turn on the same tree in one run.
//!
//! `cargo bench -p nine-benches --bench floors` makes a tree of 200,000 small files and a catalogue of a million rows,
//! and prints every figure with its goal, and a table of all at the end. Words choose parts (`-- scan copies`), numbers
//! sizes (`-- FILES MOVES ROWS`, such as `-- 20000 2000 100000`, or `-- 1000000 report`). `-- scale` alone takes ROWS
//! files, twice and four times as many.
#![allow(clippy::print_stdout, missing_docs)]

#[path = "floors/across.rs"]
mod across;
#[path = "floors/bare.rs"]
mod bare;
#[path = "chance.rs"]
mod chance;
#[path = "floors/copies.rs"]
mod copies;
#[path = "floors/drive.rs"]
mod drive;
#[path = "floors/figures.rs"]
mod figures;
#[path = "floors/look.rs"]
mod look;
#[path = "floors/names.rs"]
mod names;
#[path = "floors/program.rs"]
mod program;
#[path = "floors/report.rs"]
mod report;
#[path = "floors/review.rs"]
mod review;
#[path = "floors/scale.rs"]
mod scale;
#[path = "floors/search.rs"]
mod search;
#[path = "floors/tree.rs"]
mod tree;
#[path = "floors/watch.rs"]
mod watch;
#[path = "floors/work.rs"]
mod work;

use std::cell::OnceCell;
use std::path::{Path, PathBuf};

use figures::Figures;

/// A part of the table, by its word.
type Section = (&'static str, fn(&mut Figures, &Ground));

const SECTIONS: [Section; 12] = [
    ("names", names::section),
    ("scan", look::section),
    ("tidy", work::tidy),
    ("moves", work::section),
    ("across", across::section),
    ("copies", copies::section),
    ("search", search::section),
    ("report", report::section),
    ("review", review::section),
    ("watch", watch::section),
    ("drive", drive::section),
    (SCALE, scale::section),
];

/// The part that is measured only where it is named: it takes half an hour, and 20 GB of the temporary folder.
const SCALE: &str = "scale";

/// Where everything is made, and how much of it.
pub struct Ground {
    pub root: PathBuf,
    pub files: usize,
    pub moves: usize,
    pub rows: usize,
    tree: OnceCell<PathBuf>,
    program: OnceCell<PathBuf>,
}

impl Ground {
    /// A folder, which need not be there.
    pub fn folder(&self, name: &str) -> PathBuf {
        self.root.join(name)
    }

    /// The tree of small files.
    pub fn tree(&self) -> &Path {
        self.tree.get_or_init(|| {
            let pile = self.folder("pile");
            let made = tree::make(&pile, self.files);
            println!("\na tree of {} files in {} folders", made.files, made.folders);
            pile
        })
    }

    /// The program, built as a package has it.
    pub fn program(&self) -> &Path {
        self.program.get_or_init(program::build)
    }
}

fn main() {
    let numbers: Vec<usize> = std::env::args().filter_map(|word| word.parse().ok()).collect();
    // Cargo adds options of its own.
    let words: Vec<String> = std::env::args().skip(1).filter(|word| !word.starts_with('-')).collect();
    let is_part = |word: &str| SECTIONS.iter().any(|(known, _)| *known == word);
    if let Some(word) = words.iter().find(|word| !is_part(word) && word.parse::<usize>().is_err()) {
        let known: Vec<&str> = SECTIONS.iter().map(|(known, _)| *known).collect();
        println!("no part is called `{word}`; there are {}", known.join(", "));
        std::process::exit(2);
    }
    let world = tempfile::tempdir().expect("a temporary folder");
    let ground = Ground {
        root: world.path().to_owned(),
        files: numbers.first().copied().unwrap_or(200_000),
        moves: numbers.get(1).copied().unwrap_or(100_000),
        rows: numbers.get(2).copied().unwrap_or(1_000_000),
        tree: OnceCell::new(),
        program: OnceCell::new(),
    };
    println!("{} rounds; ratios to the floor: median (smallest to largest)", figures::ROUNDS);
    let mut figures = Figures::default();
    let named = |word: &str| words.iter().any(|own| own == word);
    let all = !SECTIONS.iter().any(|(word, _)| named(word));
    let sections = SECTIONS.iter().filter(|(word, _)| named(word) || all && *word != SCALE);
    sections.for_each(|(_, section)| section(&mut figures, &ground));
    figures.table();
}
