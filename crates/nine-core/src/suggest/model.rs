//! How likely each destination is, learned from examples: a naive Bayes classifier over what items have in common
//! (Manning, Raghavan, Schütze, *Introduction to Information Retrieval*, 2008, chapter 13), with Dirichlet
//! smoothing.
//!
//! Two things are otherwise than in the book. A feature counts by how much more of a destination has it than of the
//! average destination, within bounds, so that a destination with thousands does not swallow all and a destination
//! with two teaches little. And `no destination at all` is one of the answers, so that nothing is said where
//! nothing speaks.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::calibration::Calibration;
use super::destinations::Destinations;
use super::examples::{Examples, HAND_WEIGHT};
use super::feature::{FeatureKind, has_letter};

/// The weight of what the average destination has, in examples, when a destination is asked what it has.
const SMOOTHING: f32 = 3.0;

/// The most and the least that one feature says, as natural logarithms of a ratio.
const MOST: f32 = 3.6;
const LEAST: f32 = -1.8;

/// So many examples say half of what very many would.
const CHANCE: f32 = 1.5;

/// How much the number of examples of a destination counts by itself, as a power of it.
const SIZE_COUNTS: f32 = 0.25;

/// So many more destinations are thought of that have no feature at all, or of two none would say much.
const UNKNOWN: f32 = 8.0;

/// What `no destination at all` has for itself, and for each word that was never met: something new may have come.
const NOWHERE: f32 = 1.6;
const NEW_WORD: f32 = 0.8;

/// New words that count.
const MOST_NEW: usize = 3;

/// Destinations that are weighed for an item at most.
const CANDIDATES: usize = 48;

/// A feature that more destinations have proposes none of them.
const TOO_COMMON: usize = 4000;

/// Destinations that a general feature proposes.
const GENERAL: usize = 12;

/// After so many nanoseconds an example says half as much of what a destination is for now: a year.
const HALVED: i64 = 365 * 24 * 3600 * 1_000_000_000;

/// One example's part of what a destination is for now.
const WHOLE: u32 = 1 << 10;

/// What was learned of files, or of folders.
#[derive(Debug, Clone, Default)]
pub(super) struct NaiveBayes {
    pub destinations: Arc<Destinations>,
    /// For each destination its examples, by weight.
    sizes: Vec<u32>,
    /// The same, with old ones counting less, in parts of [`WHOLE`].
    recent: Vec<u64>,
    /// For each feature where its entries begin.
    starts: Vec<u32>,
    /// Destination and number of examples there.
    entries: Vec<(u32, u32)>,
    /// For each feature the share of examples that have it in the average destination.
    average: Vec<f32>,
    /// Of features that very many destinations have, those that have it most.
    most: FxHashMap<u32, Vec<u32>>,
    /// How far its odds are to be believed.
    pub calibration: Calibration,
}

/// A destination with how likely it is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Ranked {
    pub destination: u32,
    /// The natural logarithm of its odds.
    pub odds: f32,
}

impl NaiveBayes {
    /// Learns from these examples. Folders that are named by a value teach nothing themselves: nobody filed them.
    pub fn of(examples: &Examples, used: &[u32], values: &[bool], destinations: &Arc<Destinations>) -> Self {
        let mut model = Self { destinations: Arc::clone(destinations), ..Self::default() };
        let newest = used.iter().map(|at| examples.all[*at as usize].at).max().unwrap_or(0);
        model.sizes = vec![0; model.destinations.all.len()];
        model.recent = vec![0; model.destinations.all.len()];
        let mut pairs: Vec<(u32, u32)> = Vec::with_capacity(used.len() * 10);
        for at in used {
            let example = &examples.all[*at as usize];
            let destination = model.destinations.of[example.folder as usize];
            if example.own.is_some_and(|own| values.get(own as usize).copied().unwrap_or(false)) {
                continue;
            }
            model.sizes[destination as usize] += u32::from(example.weight);
            model.recent[destination as usize] +=
                u64::from(freshness(newest, example.at)) * u64::from(example.weight);
            for _ in 0..example.weight {
                pairs.extend(examples.features(example).iter().map(|feature| (*feature, destination)));
            }
        }
        model.add_names(examples, &mut pairs);
        model.count(examples, pairs);
        model
    }

    /// A destination's own name says what it is for, like one more example.
    fn add_names(&mut self, examples: &Examples, pairs: &mut Vec<(u32, u32)>) {
        for (number, destination) in self.destinations.all.iter().enumerate() {
            if self.sizes[number] == 0 {
                continue;
            }
            self.sizes[number] += 1;
            let mut words = Vec::new();
            for name in destination.names(examples).rev().take(2) {
                examples.table.words(name, &mut words);
            }
            words.sort_unstable();
            words.dedup();
            pairs.extend(words.into_iter().map(|feature| (feature, number as u32)));
        }
    }

    fn count(&mut self, examples: &Examples, mut pairs: Vec<(u32, u32)>) {
        pairs.sort_unstable();
        let mut refused: FxHashMap<(u32, u32), u32> = FxHashMap::default();
        for (features, folder) in &examples.refused {
            let destination = self.destinations.of[*folder as usize];
            features.iter().for_each(|feature| {
                *refused.entry((*feature, destination)).or_default() += u32::from(HAND_WEIGHT)
            });
        }
        let features = examples.table.len();
        self.starts = vec![0; features + 1];
        self.average = vec![0.0; features];
        let destinations = self.sizes.iter().filter(|size| **size > 0).count() as f32 + UNKNOWN;
        for same in pairs.chunk_by(|a, b| a == b) {
            let (feature, destination) = same[0];
            let taken = refused.get(&same[0]).copied().unwrap_or(0);
            let number = (same.len() as u32).saturating_sub(taken);
            if number == 0 {
                continue;
            }
            self.entries.push((destination, number));
            self.starts[feature as usize + 1] += 1;
            self.average[feature as usize] +=
                number as f32 / self.sizes[destination as usize] as f32 / destinations;
        }
        for at in 1..self.starts.len() {
            self.starts[at] += self.starts[at - 1];
        }
        for feature in 0..features as u32 {
            let entries = self.entries_of(feature);
            if entries.len() > GENERAL && examples.table.kind(feature).is_general() {
                let mut most = entries.to_vec();
                most.sort_by_key(|(destination, number)| (std::cmp::Reverse(*number), *destination));
                let most = most[..GENERAL].iter().map(|(destination, _)| *destination).collect();
                self.most.insert(feature, most);
            }
        }
    }

    fn entries_of(&self, feature: u32) -> &[(u32, u32)] {
        &self.entries[self.starts[feature as usize] as usize..self.starts[feature as usize + 1] as usize]
    }

    /// How many examples a destination has, its own name counted.
    pub fn size(&self, destination: u32) -> u32 {
        self.sizes[destination as usize]
    }

    /// In how many cases a destination is right that was ranked so. By the rule of succession it is never more sure
    /// than its examples allow, had all of them been right.
    pub fn share(&self, ranked: Ranked) -> f32 {
        let examples = self.sizes[ranked.destination as usize].saturating_sub(1) as f32;
        self.calibration.share(ranked.odds).min((examples + 1.0) / (examples + 2.0))
    }

    /// What a feature says for a destination, in parts of [`ONE`]: the natural logarithm of how much more of it has
    /// the feature than of the average.
    pub fn says(&self, examples: &Examples, feature: u32, destination: u32) -> i64 {
        let average = self.average[feature as usize];
        if average == 0.0 {
            return 0;
        }
        let entries = self.entries_of(feature);
        let number = match entries.binary_search_by_key(&destination, |(destination, _)| *destination) {
            Ok(at) => entries[at].1 as f32,
            Err(_) => 0.0,
        };
        let here = (number + SMOOTHING * average) / (self.sizes[destination as usize] as f32 + SMOOTHING);
        let says = weight(examples.table.kind(feature)) * (here / average).ln().clamp(LEAST, MOST);
        // What one example has in common with the item may be chance.
        fixed(if says > 0.0 { says * number / (number + CHANCE) } else { says })
    }

    /// Destinations that something of an item speaks for.
    fn candidates(&self, examples: &Examples, features: &[u32]) -> Vec<u32> {
        let mut found: FxHashMap<u32, i64> = FxHashMap::default();
        for feature in features {
            let general = examples.table.kind(*feature).is_general();
            let entries = self.entries_of(*feature);
            if let Some(most) = self.most.get(feature) {
                most.iter().for_each(|destination| {
                    found.entry(*destination).or_default();
                });
            } else if entries.len() <= TOO_COMMON {
                for (destination, _) in entries {
                    let says = if general { 0 } else { self.says(examples, *feature, *destination) };
                    *found.entry(*destination).or_default() += says;
                }
            }
        }
        in_order(found.into_iter().collect())
            .into_iter()
            .take(CANDIDATES)
            .map(|(destination, _)| destination)
            .collect()
    }

    /// The destinations for an item with these features, and so many words more that are in no example, the
    /// likeliest first.
    pub fn rank(&self, examples: &Examples, features: &[u32], unknown: usize) -> Vec<Ranked> {
        let score = |destination: u32| {
            let recent = self.recent[destination as usize] as f32 / WHOLE as f32;
            let says: i64 = features.iter().map(|feature| self.says(examples, *feature, destination)).sum();
            says + fixed(SIZE_COUNTS * (1.0 + recent).ln())
        };
        let candidates = self.candidates(examples, features).into_iter();
        let found = in_order(candidates.map(|destination| (destination, score(destination))).collect());
        let is_new =
            |feature: &&u32| self.average[**feature as usize] == 0.0 && is_telling(examples, **feature);
        let new = features.iter().filter(is_new).count() + unknown;
        let none = fixed(NOWHERE + NEW_WORD * new.min(MOST_NEW) as f32);
        let top = found.first().map_or(none, |(_, score)| none.max(*score));
        let part = |score: i64| ((score - top) as f64 / ONE).exp();
        let all = found.iter().map(|(_, score)| part(*score)).sum::<f64>() + part(none);
        let odds = |score: i64| {
            let own = part(score);
            (own.max(f64::MIN_POSITIVE) / (all - own).max(1e-6)).ln() as f32
        };
        found.into_iter().map(|(destination, score)| Ranked { destination, odds: odds(score) }).collect()
    }
}

/// One, as what is added up: whole numbers, so that the order in which they are does not matter.
const ONE: f64 = 1e6;

fn fixed(value: f32) -> i64 {
    (f64::from(value) * ONE).round() as i64
}

/// The greatest first.
fn in_order(mut scores: Vec<(u32, i64)>) -> Vec<(u32, i64)> {
    scores.sort_unstable_by_key(|(destination, score)| (std::cmp::Reverse(*score), *destination));
    scores
}

/// Whether a feature is a word that is no number.
fn is_telling(examples: &Examples, feature: u32) -> bool {
    examples.table.kind(feature) == FeatureKind::Word && has_letter(examples.table.text(feature))
}

/// How much a feature of a kind says beside the others, which say some of the same.
fn weight(kind: FeatureKind) -> f32 {
    match kind {
        FeatureKind::Word
        | FeatureKind::Tag
        | FeatureKind::Series
        | FeatureKind::Sender
        | FeatureKind::Author => 1.0,
        FeatureKind::Title | FeatureKind::Origin | FeatureKind::Made => 0.7,
        FeatureKind::Extension | FeatureKind::Type | FeatureKind::Figures => 0.6,
    }
}

/// What an example says of now, in parts of [`WHOLE`].
fn freshness(newest: i64, at: i64) -> u32 {
    let age = newest.saturating_sub(at).max(0) as f64 / HALVED as f64;
    (f64::from(WHOLE) * 0.5_f64.powf(age.min(20.0))) as u32
}
