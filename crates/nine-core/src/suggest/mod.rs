//! Suggestions: where an item belongs, by the example of what is filed.
//!
//! [`Examples`] hold what lies on the shelves, [`Classifier`] what was learned of it. Each suggestion has a share
//! that was tried on what came later than what was learned, and [`Reason`]s that a search can list.

mod calibration;
mod destinations;
mod examples;
mod feature;
mod induce;
mod measure;
mod model;
mod name_parts;
mod named_by_value;
mod rule_test;
mod scope;

use std::cell::RefCell;
use std::cmp::Reverse;
use std::fmt;
use std::rc::Rc;
use std::sync::Arc;

pub use calibration::Calibrations;
pub use destinations::{FilledDestination, LearningContext};
pub use examples::{Examples, Filed, HAND_WEIGHT, Shelved};
pub use feature::{Feature, FeatureKind, Traits};
pub use induce::{FoundRule, RuleTally, rules};
pub use measure::{Measured, SaidAndTrue, measure};
pub use scope::{SearchScope, is_put_aside};

use rustc_hash::FxHashMap;

use crate::item::Item;
use calibration::{Calibration, Trial};
use destinations::{Destination, Destinations};
use examples::ExampleIndex;
use model::{NaiveBayes, Ranked};

/// Destinations that are named for an item at most.
pub const SUGGESTED: usize = 3;

/// From which share on a suggestion is called sure, in percent.
pub const SURE: u8 = 90;

/// Questions by which it is calibrated at most, in each of four parts of time.
const TRIED: usize = 500;

/// Examples that are learned from at most, the newest ones.
const MOST: usize = 250_000;

/// With fewer examples nothing is tried.
const FEWEST_TRIED: usize = 24;

/// What was learned.
#[derive(Debug, Clone, Default)]
pub struct Classifier {
    /// From what.
    pub examples: Examples,
    files: NaiveBayes,
    folders: NaiveBayes,
}

/// A destination for an item.
#[derive(Debug, Clone, PartialEq)]
pub struct Suggestion {
    /// The folder.
    pub folder: FilledDestination,
    /// In how many of a hundred such cases it is the right one.
    pub share: u8,
    /// As a pattern, in words; the same as the folder where there is none.
    pub pattern: String,
    /// The number of the destination.
    destination: u32,
}

/// What speaks for a destination.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reason {
    /// In what the item is like others.
    pub feature: Feature,
    /// How many filed items are like it.
    pub all: usize,
    /// How many of these lie in the destination.
    pub there: usize,
    /// Whether they are folders.
    pub folders: bool,
    /// The destination, in words.
    pub destination: String,
}

impl fmt::Display for Reason {
    /// `11 of 12 files with "invoice" in the name are in 6 Office/Invoices`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let things = match (self.folders, self.all) {
            (false, 1) => "file",
            (false, _) => "files",
            (true, 1) => "folder",
            (true, _) => "folders",
        };
        let destination = crate::escape::plain(&self.destination);
        let Self { feature, all, there, .. } = self;
        match all {
            1 => write!(f, "the one {things} {feature} is in {destination}"),
            all if all == there => write!(f, "all {all} {things} {feature} are in {destination}"),
            all if *there == 1 => write!(f, "1 of {all} {things} {feature} is in {destination}"),
            all => write!(f, "{there} of {all} {things} {feature} are in {destination}"),
        }
    }
}

impl Classifier {
    /// Learns from what lies on the shelves. How far that is to be believed was tried earlier, or is tried now.
    pub fn of(examples: Examples, known: &LearningContext, earlier: Option<&Calibrations>) -> Self {
        let of =
            |folders: bool| earlier.map(|earlier| if folders { &earlier.folders } else { &earlier.files });
        let files = trained(&examples, &examples.by_time(false), &[], known, of(false));
        let folders =
            trained(&examples, &examples.by_time(true), &files.destinations.is_value, known, of(true));
        Self { examples, files, folders }
    }

    /// What was tried, to be kept for the next time.
    pub fn calibrations(&self) -> Calibrations {
        Calibrations { files: self.files.calibration.clone(), folders: self.folders.calibration.clone() }
    }

    fn model(&self, folders: bool) -> &NaiveBayes {
        if folders { &self.folders } else { &self.files }
    }

    /// From which share on something is said, in percent.
    pub fn speaks_from(&self, folders: bool) -> u8 {
        percent(self.model(folders).calibration.cut)
    }

    /// How many destinations were learned of, patterns as one.
    pub fn destinations(&self) -> usize {
        (0..self.files.destinations.all.len() as u32)
            .filter(|destination| self.files.size(*destination) > 0)
            .count()
    }

    /// The patterns that folders were understood as, in words.
    pub fn patterns(&self) -> Vec<String> {
        let patterns = self.files.destinations.all.iter().filter(|destination| destination.is_pattern());
        let mut found: Vec<String> = patterns.map(|destination| destination.words(&self.examples)).collect();
        found.sort_unstable();
        found
    }

    /// The destinations for an item, the likeliest first; [`SUGGESTED`] at most. The others have the share that is
    /// left to them.
    pub fn suggest(&self, traits: &Traits, item: &Item, known: &LearningContext) -> Vec<Suggestion> {
        let (features, unknown) = self.examples.table.find(traits);
        let model = self.model(traits.is_folder);
        let mut found: Vec<Suggestion> = Vec::new();
        for (folder, ranked, destination) in filled(model, &self.examples, (&features, unknown), item, known)
        {
            let share = percent(model.share(ranked));
            let left = found.first().map_or(100, |first| 100 - first.share);
            if found.iter().all(|other| other.folder.folder != folder.folder) {
                let pattern = destination.words(&self.examples);
                found.push(Suggestion {
                    folder,
                    share: share.min(left),
                    pattern,
                    destination: ranked.destination,
                });
            }
            if found.len() == SUGGESTED {
                break;
            }
        }
        found
    }

    /// What filed items tell, as a search lists it.
    pub fn reasons(&self) -> Reasons<'_> {
        Reasons { learned: self, index: self.examples.index(), asked: RefCell::default() }
    }
}

/// Gives the reasons of suggestions.
pub struct Reasons<'l> {
    learned: &'l Classifier,
    index: ExampleIndex<'l>,
    /// What was asked of the index before.
    asked: RefCell<CountsOfFeatures>,
}

/// How many examples have a feature, and how many of them lie in each destination.
struct Counts {
    all: usize,
    by_destination: FxHashMap<u32, usize>,
}

/// The counts of features, among files or folders.
type CountsOfFeatures = FxHashMap<(u32, bool), Rc<Counts>>;

/// Reasons that are given at most.
const REASONS: usize = 3;

impl Reasons<'_> {
    /// What speaks for a suggestion, the strongest first.
    pub fn of(&self, traits: &Traits, suggestion: &Suggestion) -> Vec<Reason> {
        let (examples, model) = (&self.learned.examples, self.learned.model(traits.is_folder));
        let says = |feature: &u32| (*feature, model.says(examples, *feature, suggestion.destination));
        let mut features: Vec<(u32, i64)> = examples.table.find(traits).0.iter().map(says).collect();
        features.retain(|(_, says)| *says > 0);
        features.sort_by_key(|(feature, says)| (Reverse(*says), examples.table.text(*feature)));
        // Of what is mostly elsewhere, one is told where nothing says more.
        let (mut found, mut weak) = (Vec::new(), None);
        for (number, _) in features {
            let feature = examples.table.feature(number);
            let counts = self.counts(number, &feature, traits.is_folder);
            let there = counts.by_destination.get(&suggestion.destination).copied().unwrap_or(0);
            let destination = suggestion.pattern.clone();
            let reason = Reason { feature, all: counts.all, there, folders: traits.is_folder, destination };
            match there * 2 {
                0 => {}
                twice if twice < counts.all => weak = weak.or(Some(reason)),
                _ => found.push(reason),
            }
            if found.len() == REASONS {
                break;
            }
        }
        if found.is_empty() { weak.into_iter().collect() } else { found }
    }

    fn counts(&self, number: u32, feature: &Feature, folders: bool) -> Rc<Counts> {
        let count = || {
            let rows = self.index.rows(feature, folders);
            let (examples, model) = (&self.learned.examples, self.learned.model(folders));
            let mut by_destination: FxHashMap<u32, usize> = FxHashMap::default();
            for row in &rows {
                let folder = examples.all[*row as usize].folder as usize;
                *by_destination.entry(model.destinations.of[folder]).or_default() += 1;
            }
            Rc::new(Counts { all: rows.len(), by_destination })
        };
        Rc::clone(self.asked.borrow_mut().entry((number, folders)).or_insert_with(count))
    }
}

/// The destinations for some features that can be filled for an item, the likeliest first.
fn filled<'m>(
    model: &'m NaiveBayes,
    examples: &'m Examples,
    (features, unknown): (&[u32], usize),
    item: &'m Item,
    known: &'m LearningContext,
) -> impl Iterator<Item = (FilledDestination, Ranked, &'m Destination)> {
    model.rank(examples, features, unknown).into_iter().filter_map(move |ranked| {
        let destination = &model.destinations.all[ranked.destination as usize];
        Some((destination.fill(examples, known, item).ok()?, ranked, destination))
    })
}

/// Learns, and tries what was learned of the earlier on the later, to know how far to believe it.
fn trained(
    examples: &Examples,
    used: &[u32],
    values: &[bool],
    known: &LearningContext,
    earlier: Option<&Calibration>,
) -> NaiveBayes {
    let all = used.len();
    let used = &used[all.saturating_sub(MOST)..];
    let destinations = Arc::new(Destinations::of(examples, used, known));
    let mut model = NaiveBayes::of(examples, used, values, &destinations);
    if let Some(earlier) = earlier.filter(|earlier| earlier.counts_for(all)) {
        model.calibration = earlier.clone();
    } else if used.len() >= FEWEST_TRIED {
        model.calibration = tried(examples, used, values, &destinations, known);
        model.calibration.examples = all;
    }
    model
}

/// Learns from the earlier, and asks about the later.
fn tried(
    examples: &Examples,
    used: &[u32],
    values: &[bool],
    destinations: &Arc<Destinations>,
    known: &LearningContext,
) -> Calibration {
    let mut tried = Vec::new();
    for (from, to) in [(6, 7), (7, 8), (8, 9), (9, 10)] {
        let (from, to) = (used.len() * from / 10, used.len() * to / 10);
        let earlier = NaiveBayes::of(examples, &used[..from], values, destinations);
        tried.extend(asked(&used[from..to], TRIED).filter_map(|at| {
            let answer = answer(&earlier, examples, at, known)?;
            Some(Trial { odds: answer.first?.odds, right: answer.rank == Some(0) })
        }));
    }
    Calibration::of(&tried)
}

/// So many of these at most, from all parts of them.
fn asked(all: &[u32], most: usize) -> impl Iterator<Item = u32> {
    all.iter().step_by(all.len().div_ceil(most).max(1)).copied()
}

/// What a model answers where the right answer is known.
struct TriedAnswer {
    /// The first destination; `None` if there is none.
    first: Option<Ranked>,
    /// The rank of the right destination among the first [`SUGGESTED`].
    rank: Option<usize>,
}

/// Asks a model of an example. `None` if the item is not to be had.
fn answer(
    model: &NaiveBayes,
    examples: &Examples,
    example: u32,
    known: &LearningContext,
) -> Option<TriedAnswer> {
    let example = &examples.all[example as usize];
    let item = loose(known, example.reference)?;
    let right = examples.spot(example.folder);
    let mut destinations = Vec::new();
    let mut first = None;
    for (folder, ranked, _) in filled(model, examples, (examples.features(example), 0), &item, known) {
        first = first.or(Some(ranked));
        if !destinations.contains(&folder.folder) {
            destinations.push(folder.folder);
        }
        if destinations.len() == SUGGESTED {
            break;
        }
    }
    Some(TriedAnswer { first, rank: destinations.iter().position(|destination| *destination == right) })
}

/// A filed item as it would lie loose: its folders would answer for it.
fn loose(known: &LearningContext, reference: u64) -> Option<Item> {
    Some(known.shelved.item(reference)?.as_loose())
}

fn percent(share: f32) -> u8 {
    (share * 100.0).floor().clamp(0.0, 100.0) as u8
}

#[cfg(test)]
mod tests;
