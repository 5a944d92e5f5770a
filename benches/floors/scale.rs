//! One, two and four million items: time and memory grow in a line, whatever the work.

use crate::figures::{Figures, timed};
use crate::{Ground, bare, program, tree};

/// How many times the files of the first size.
const SIZES: [usize; 3] = [1, 2, 4];

/// How much more a file may take of the largest than of the smallest.
const LINE: f64 = 1.25;

/// The work, each with its words.
const WORK: [(&str, &[&str]); 5] = [
    ("first scan", &["search", "name is nothing"]),
    ("refresh", &["search", "name is nothing"]),
    ("search", &["search", "--known", "--limit", "20", "name has 99999"]),
    ("copies, second run", &["copies"]),
    ("tidy", &["tidy", "pile"]),
];

const RULES: &str = "[[rule]]\nreach = \"deep\"\nwhen = \"ext docx\"\nput = \"1/{modified:year}\"\n";

pub fn section(figures: &mut Figures, ground: &Ground) {
    let mut all: Vec<Vec<(f64, u64)>> = Vec::new();
    for times in SIZES {
        let (files, root) = (ground.rows * times, ground.folder("scale"));
        let (pile, home) = (root.join("pile"), root.join("home"));
        tree::make(&pile, files);
        program::configure(&home, &pile, RULES);
        let walk = timed(|| bare::walk(&pile)).as_secs_f64();
        figures.begin(&format!("{files} files; the bare walk {walk:.2} s"));
        let work = |(what, words): &(&str, &[&str])| {
            if *what == "copies, second run" {
                program::run(ground.program(), &home, words);
            }
            let shown = ground.folder("shown.txt");
            let (time, memory) = program::measured(ground.program(), &home, words, &shown);
            println!("  {what:44} {:8.3} s  {:6} MB", time.as_secs_f64(), memory / 1_000_000);
            (time.as_secs_f64(), memory)
        };
        all.push(WORK.iter().map(work).collect());
        std::fs::remove_dir_all(&root).expect("the tree goes");
    }
    let (first, last) = (&all[0], &all[SIZES.len() - 1]);
    let times = SIZES[SIZES.len() - 1] as f64;
    for (number, (what, _)) in WORK.iter().enumerate() {
        let ((time, memory), (later, more)) = (first[number], last[number]);
        figures.at_most(&format!("scale: {what}, time a file"), later / time / times, LINE, "");
        figures.at_most(
            &format!("scale: {what}, memory a file"),
            more as f64 / memory as f64 / times,
            LINE,
            "",
        );
        if *what != "search" {
            figures.at_most(&format!("memory: {what}"), (memory / 1_000_000) as f64, 300.0, "MB");
        }
    }
}
