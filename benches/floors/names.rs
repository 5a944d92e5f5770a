//! Careless names against a long list of answers.

use std::time::{Duration, Instant};

use nine_core::facet::{Answer, Answers, Facet, List, Spelling};
use nine_core::moment::Now;

use crate::Ground;
use crate::chance::Chance;
use crate::figures::Figures;

/// How many answers there are.
pub const ANSWERS: usize = 200;
/// How many names are read.
pub const NAMES: usize = 10_000;

const SYLLABLES: [&str; 24] = [
    "har", "row", "kit", "ti", "wake", "lan", "tern", "mar", "ram", "pel", "low", "bran", "nock", "gre",
    "ven", "sol", "da", "fen", "mill", "brook", "ash", "by", "cor", "mor",
];

fn word(chance: &mut Chance) -> String {
    (0..2 + chance.below(2)).map(|_| SYLLABLES[chance.below(SYLLABLES.len())]).collect()
}

/// A facet with many answers, and names in which one of them is misspelled, with its number.
pub fn make() -> (Facet, Vec<(String, String)>) {
    const KINDS: [&str; 5] = ["Trust", "Society", "Museum", "Archive", "Collection"];
    let mut chance = Chance(7);
    let value = |chance: &mut Chance| {
        format!("{} {} {}", word(chance), word(chance), KINDS[chance.below(KINDS.len())])
    };
    let values: Vec<String> = (0..ANSWERS).map(|_| value(&mut chance)).collect();
    let names = (0..NAMES)
        .map(|number| {
            let value = &values[chance.below(ANSWERS)];
            let mut letters: Vec<char> = value.chars().collect();
            let at = 1 + chance.below(letters.len() - 2);
            letters.swap(at, at - 1);
            let written: String = letters.into_iter().collect();
            let written = if chance.below(6) == 0 { written.replace(' ', "") } else { written };
            (format!("letter {written} no {number} 30-31"), value.clone())
        })
        .collect();
    let answers = values.into_iter().map(|value| Answer { value, spellings: Vec::new() }).collect();
    let list = List::new(answers, Spelling::Close);
    (
        Facet {
            name: "lender".into(),
            answers: Answers::Listed(Box::new(list)),
            reads_text: false,
            or_else: None,
            to_fill_in: Vec::new(),
        },
        names,
    )
}

/// Reads all names; how long it took, how many were right, and how many wrong ones nobody was told of.
pub fn read(facet: &Facet, names: &[(String, String)], now: &Now) -> (Duration, usize, usize) {
    let start = Instant::now();
    let found: Vec<_> =
        names.iter().map(|(name, _)| facet.read(name, std::iter::empty(), None, now)).collect();
    let time = start.elapsed();
    let pairs = || found.iter().zip(names);
    let right = pairs().filter(|(finding, (_, truth))| finding.value() == Some(truth)).count();
    let silent = pairs().filter(|(f, (_, truth))| f.is_sure() && f.value() != Some(truth)).count();
    (time, right, silent)
}

/// Names that are read for a facet with many answers.
pub fn section(figures: &mut Figures, _: &Ground) {
    let now = Now::new(jiff::Timestamp::now().to_zoned_datetime(jiff::tz::TimeZone::UTC));
    let (facet, names) = make();
    let all: Vec<_> = (0..crate::figures::ROUNDS).map(|_| read(&facet, &names, &now)).collect();
    let (_, right, silent) = all[0];
    figures.begin(&format!("{right} of {NAMES} names are read right, {silent} wrong without a doubt"));
    let times: Vec<f64> = all.iter().map(|(time, ..)| time.as_secs_f64()).collect();
    figures.seconds(&format!("{NAMES} names against {ANSWERS} answers"), &times, 2.0);
}
