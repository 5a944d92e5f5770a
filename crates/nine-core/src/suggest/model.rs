//! How likely each place is, learned from examples: a naive Bayes classifier over what items have in common (Manning,
//! Raghavan, Schütze, *Introduction to Information Retrieval*, 2008, chapter 13), with Dirichlet smoothing.
//!
//! Two things are otherwise than in the book. A clue counts by how much more of a place has it than of the average
//! place, within bounds, so that a place with thousands does not swallow all and a place with two teaches little. And
//! `no place at all` is one of the answers, so that nothing is said where nothing speaks.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::clue::{ClueKind, has_letter};
use super::lessons::{BY_HAND, Lessons};
use super::places::Places;
use super::shares::Trial;

/// The weight of what the average place has, in examples, when a place is asked what it has.
const SMOOTHING: f32 = 3.0;

/// The most and the least that one clue says, as natural logarithms of a ratio.
const MOST: f32 = 3.6;
const LEAST: f32 = -1.8;

/// So many examples say half of what very many would.
const CHANCE: f32 = 0.7;

/// How much the number of examples of a place counts by itself, as a power of it.
const SIZE_COUNTS: f32 = 0.25;

/// What `no place at all` has for itself, and for each word that was never met: something new may have come.
const NO_PLACE: f32 = 1.6;
const NEW_WORD: f32 = 0.8;

/// New words that count.
const MOST_NEW: usize = 3;

/// Places that are weighed for an item at most.
const CANDIDATES: usize = 48;

/// A clue that more places have proposes none of them.
const TOO_COMMON: usize = 4000;

/// Places that a general clue proposes.
const GENERAL: usize = 12;

/// After so many nanoseconds an example says half as much of what a place is for now: a year.
const HALVED: i64 = 365 * 24 * 3600 * 1_000_000_000;

/// One example's part of what a place is for now.
const WHOLE: u32 = 1 << 10;

/// What was learned of files, or of folders.
#[derive(Debug, Clone, Default)]
pub(super) struct Model {
    pub places: Arc<Places>,
    /// For each place its examples, by weight.
    sizes: Vec<u32>,
    /// The same, with old ones counting less, in parts of [`WHOLE`].
    recent: Vec<u64>,
    /// For each clue where its entries begin.
    starts: Vec<u32>,
    /// Place and number of examples there.
    entries: Vec<(u32, u32)>,
    /// For each clue the share of examples that have it in the average place.
    average: Vec<f32>,
    /// Of clues that very many places have, those that have it most.
    most: FxHashMap<u32, Vec<u32>>,
    /// How far its odds are to be believed.
    pub trial: Trial,
}

/// A place with how likely it is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Ranked {
    pub place: u32,
    /// The natural logarithm of its odds.
    pub odds: f32,
}

impl Model {
    /// Learns from these lessons. Folders that are named by a value teach nothing themselves: nobody filed them.
    pub fn of(lessons: &Lessons, used: &[u32], values: &[bool], places: &Arc<Places>) -> Self {
        let mut model = Self { places: Arc::clone(places), ..Self::default() };
        let newest = used.iter().map(|at| lessons.all[*at as usize].at).max().unwrap_or(0);
        model.sizes = vec![0; model.places.all.len()];
        model.recent = vec![0; model.places.all.len()];
        let mut pairs: Vec<(u32, u32)> = Vec::with_capacity(used.len() * 8);
        for at in used {
            let lesson = &lessons.all[*at as usize];
            let place = model.places.of[lesson.folder as usize];
            if lesson.own.is_some_and(|own| values.get(own as usize).copied().unwrap_or(false)) {
                continue;
            }
            model.sizes[place as usize] += u32::from(lesson.weight);
            model.recent[place as usize] +=
                u64::from(freshness(newest, lesson.at)) * u64::from(lesson.weight);
            for _ in 0..lesson.weight {
                pairs.extend(lessons.clues(lesson).iter().map(|clue| (*clue, place)));
            }
        }
        model.add_names(lessons, &mut pairs);
        model.count(lessons, pairs);
        model
    }

    /// A place's own name says what it is for, like one more example.
    fn add_names(&mut self, lessons: &Lessons, pairs: &mut Vec<(u32, u32)>) {
        for (number, place) in self.places.all.iter().enumerate() {
            if self.sizes[number] == 0 {
                continue;
            }
            self.sizes[number] += 1;
            let mut words = Vec::new();
            for name in place.names(lessons).rev().take(2) {
                lessons.lexicon.words(name, &mut words);
            }
            words.sort_unstable();
            words.dedup();
            pairs.extend(words.into_iter().map(|clue| (clue, number as u32)));
        }
    }

    fn count(&mut self, lessons: &Lessons, mut pairs: Vec<(u32, u32)>) {
        pairs.sort_unstable();
        let mut refused: FxHashMap<(u32, u32), u32> = FxHashMap::default();
        for (clues, folder) in &lessons.refused {
            let place = self.places.of[*folder as usize];
            clues.iter().for_each(|clue| *refused.entry((*clue, place)).or_default() += u32::from(BY_HAND));
        }
        let clues = lessons.lexicon.len();
        self.starts = vec![0; clues + 1];
        self.average = vec![0.0; clues];
        let places = self.sizes.iter().filter(|size| **size > 0).count().max(1) as f32;
        for same in pairs.chunk_by(|a, b| a == b) {
            let (clue, place) = same[0];
            let taken = refused.get(&same[0]).copied().unwrap_or(0);
            let number = (same.len() as u32).saturating_sub(taken);
            if number == 0 {
                continue;
            }
            self.entries.push((place, number));
            self.starts[clue as usize + 1] += 1;
            self.average[clue as usize] += number as f32 / self.sizes[place as usize] as f32 / places;
        }
        for at in 1..self.starts.len() {
            self.starts[at] += self.starts[at - 1];
        }
        for clue in 0..clues as u32 {
            let entries = self.entries_of(clue);
            if entries.len() > GENERAL && lessons.lexicon.kind(clue).is_general() {
                let mut most = entries.to_vec();
                most.sort_by_key(|(place, number)| (std::cmp::Reverse(*number), *place));
                let most = most[..GENERAL].iter().map(|(place, _)| *place).collect();
                self.most.insert(clue, most);
            }
        }
    }

    fn entries_of(&self, clue: u32) -> &[(u32, u32)] {
        &self.entries[self.starts[clue as usize] as usize..self.starts[clue as usize + 1] as usize]
    }

    /// How many examples a place has, its own name counted.
    pub fn size(&self, place: u32) -> u32 {
        self.sizes[place as usize]
    }

    /// What a clue says for a place, in parts of [`ONE`]: the natural logarithm of how much more of it has the clue than
    /// of the average.
    pub fn says(&self, lessons: &Lessons, clue: u32, place: u32) -> i64 {
        let average = self.average[clue as usize];
        if average == 0.0 {
            return 0;
        }
        let entries = self.entries_of(clue);
        let number = match entries.binary_search_by_key(&place, |(place, _)| *place) {
            Ok(at) => entries[at].1 as f32,
            Err(_) => 0.0,
        };
        let here = (number + SMOOTHING * average) / (self.sizes[place as usize] as f32 + SMOOTHING);
        let says = weight(lessons.lexicon.kind(clue)) * (here / average).ln().clamp(LEAST, MOST);
        // What one example has in common with the item may be chance.
        fixed(if says > 0.0 { says * number / (number + CHANCE) } else { says })
    }

    /// Places that something of an item speaks for.
    fn candidates(&self, lessons: &Lessons, clues: &[u32]) -> Vec<u32> {
        let mut found: FxHashMap<u32, i64> = FxHashMap::default();
        for clue in clues {
            let general = lessons.lexicon.kind(*clue).is_general();
            let entries = self.entries_of(*clue);
            if let Some(most) = self.most.get(clue) {
                most.iter().for_each(|place| {
                    found.entry(*place).or_default();
                });
            } else if entries.len() <= TOO_COMMON {
                for (place, _) in entries {
                    let says = if general { 0 } else { self.says(lessons, *clue, *place) };
                    *found.entry(*place).or_default() += says;
                }
            }
        }
        in_order(found.into_iter().collect()).into_iter().take(CANDIDATES).map(|(place, _)| place).collect()
    }

    /// The places for an item with these clues, and so many words more that are in no lesson, the likeliest first.
    pub fn rank(&self, lessons: &Lessons, clues: &[u32], unknown: usize) -> Vec<Ranked> {
        let score = |place: u32| {
            let recent = self.recent[place as usize] as f32 / WHOLE as f32;
            let says: i64 = clues.iter().map(|clue| self.says(lessons, *clue, place)).sum();
            says + fixed(SIZE_COUNTS * (1.0 + recent).ln())
        };
        let candidates = self.candidates(lessons, clues).into_iter();
        let found = in_order(candidates.map(|place| (place, score(place))).collect());
        let is_new = |clue: &&u32| self.average[**clue as usize] == 0.0 && is_telling(lessons, **clue);
        let new = clues.iter().filter(is_new).count() + unknown;
        let none = fixed(NO_PLACE + NEW_WORD * new.min(MOST_NEW) as f32);
        let top = found.first().map_or(none, |(_, score)| none.max(*score));
        let part = |score: i64| ((score - top) as f64 / ONE).exp();
        let all = found.iter().map(|(_, score)| part(*score)).sum::<f64>() + part(none);
        let odds = |score: i64| {
            let own = part(score);
            (own.max(f64::MIN_POSITIVE) / (all - own).max(1e-6)).ln() as f32
        };
        found.into_iter().map(|(place, score)| Ranked { place, odds: odds(score) }).collect()
    }
}

/// One, as what is added up: whole numbers, so that the order in which they are does not matter.
const ONE: f64 = 1e6;

fn fixed(value: f32) -> i64 {
    (f64::from(value) * ONE).round() as i64
}

/// The greatest first.
fn in_order(mut scores: Vec<(u32, i64)>) -> Vec<(u32, i64)> {
    scores.sort_unstable_by_key(|(place, score)| (std::cmp::Reverse(*score), *place));
    scores
}

/// Whether a clue is a word that is no number.
fn is_telling(lessons: &Lessons, clue: u32) -> bool {
    lessons.lexicon.kind(clue) == ClueKind::Word && has_letter(lessons.lexicon.text(clue))
}

/// How much a clue of a kind says beside the others, which say some of the same.
fn weight(kind: ClueKind) -> f32 {
    match kind {
        ClueKind::Word | ClueKind::Tag | ClueKind::Series | ClueKind::Sender | ClueKind::Author => 1.0,
        ClueKind::Title | ClueKind::Origin | ClueKind::Made => 0.7,
        ClueKind::Extension | ClueKind::Type | ClueKind::Figures => 0.6,
    }
}

/// What an example says of now, in parts of [`WHOLE`].
fn freshness(newest: i64, at: i64) -> u32 {
    let age = newest.saturating_sub(at).max(0) as f64 / HALVED as f64;
    (f64::from(WHOLE) * 0.5_f64.powf(age.min(20.0))) as u32
}
