//! Suggestions: where an item belongs, by the example of what is filed.
//!
//! [`Lessons`] hold what lies on the shelves, [`Learned`] what was learned of it. Each suggestion has a share that was
//! tried on what came later than what was learned, and [`Reason`]s that a search can list.

mod clue;
mod induce;
mod lessons;
mod measure;
mod model;
mod places;
mod shares;

use std::cell::RefCell;
use std::cmp::Reverse;
use std::fmt;
use std::rc::Rc;
use std::sync::Arc;

pub use clue::{Clue, ClueKind, Traits};
pub use induce::{FoundRule, RuleTally, rules};
pub use lessons::{BY_HAND, Filed, Lessons, Shelved};
pub use measure::{Measured, SaidAndTrue, measure};
pub use places::{FilledPlace, Known, Place};
pub use shares::Trials;

use rustc_hash::FxHashMap;

use crate::item::Item;
use crate::place::{ItemPath, Spot};
use lessons::Evidence;
use model::{Model, Ranked};
use places::Places;
use shares::{Trial, Tried};

/// Places that are named for an item at most.
pub const PLACES: usize = 3;

/// From which share on a suggestion is called sure, in percent.
pub const SURE: u8 = 90;

/// Questions by which shares are learned at most, in each of four parts of time.
const TRIED: usize = 250;

/// With fewer examples nothing is tried.
const FEWEST_TRIED: usize = 24;

/// What was learned.
#[derive(Debug, Clone, Default)]
pub struct Learned {
    /// From what.
    pub lessons: Lessons,
    files: Model,
    folders: Model,
}

/// A place for an item.
#[derive(Debug, Clone, PartialEq)]
pub struct Suggestion {
    /// The folder.
    pub folder: FilledPlace,
    /// In how many of a hundred such cases it is the right one.
    pub share: u8,
    /// As a pattern, in words; the same as the folder where there is none.
    pub pattern: String,
    /// The number of the place.
    place: u32,
}

/// What speaks for a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reason {
    /// In what the item is like others.
    pub clue: Clue,
    /// How many filed items are like it.
    pub all: usize,
    /// How many of these lie in the place.
    pub there: usize,
    /// Whether they are folders.
    pub folders: bool,
    /// The place, in words.
    pub place: String,
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
        let place = crate::escape::plain(&self.place);
        let Self { clue, all, there, .. } = self;
        match all {
            1 => write!(f, "the one {things} {clue} is in {place}"),
            all if all == there => write!(f, "all {all} {things} {clue} are in {place}"),
            all if *there == 1 => write!(f, "1 of {all} {things} {clue} is in {place}"),
            all => write!(f, "{there} of {all} {things} {clue} are in {place}"),
        }
    }
}

impl Learned {
    /// Learns from what lies on the shelves. How far that is to be believed was tried earlier, or is tried now.
    pub fn of(lessons: Lessons, known: &Known, earlier: Option<&Trials>) -> Self {
        let of = |folders: bool| earlier.map(|trials| if folders { &trials.folders } else { &trials.files });
        let files = trained(&lessons, &lessons.by_time(false), &[], known, of(false));
        let folders = trained(&lessons, &lessons.by_time(true), &files.places.is_value, known, of(true));
        Self { lessons, files, folders }
    }

    /// What was tried, to be kept for the next time.
    pub fn trials(&self) -> Trials {
        Trials { files: self.files.trial.clone(), folders: self.folders.trial.clone() }
    }

    fn model(&self, folders: bool) -> &Model {
        if folders { &self.folders } else { &self.files }
    }

    /// From which share on something is said, in percent.
    pub fn speaks_from(&self, folders: bool) -> u8 {
        percent(self.model(folders).trial.shares.cut)
    }

    /// How many places were learned of, patterns as one.
    pub fn places(&self) -> usize {
        (0..self.files.places.all.len() as u32).filter(|place| self.files.size(*place) > 0).count()
    }

    /// The patterns that folders were understood as, in words.
    pub fn patterns(&self) -> Vec<String> {
        let patterns = self.files.places.all.iter().filter(|place| place.is_pattern());
        let mut found: Vec<String> = patterns.map(|place| place.words(&self.lessons)).collect();
        found.sort_unstable();
        found
    }

    /// The places for an item, the likeliest first; [`PLACES`] at most. The others have the share that is left to
    /// them.
    pub fn suggest(&self, traits: &Traits, item: &Item, known: &Known) -> Vec<Suggestion> {
        let (clues, unknown) = self.lessons.lexicon.find(traits);
        let model = self.model(traits.is_folder);
        let mut found: Vec<Suggestion> = Vec::new();
        for (folder, ranked, place) in filled(model, &self.lessons, (&clues, unknown), item, known) {
            let share = percent(model.trial.shares.share(ranked.odds));
            let left = found.first().map_or(100, |first| 100 - first.share);
            if found.iter().all(|other| other.folder.folder != folder.folder) {
                let pattern = place.words(&self.lessons);
                found.push(Suggestion { folder, share: share.min(left), pattern, place: ranked.place });
            }
            if found.len() == PLACES {
                break;
            }
        }
        found
    }

    /// What filed items tell, as a search lists it.
    pub fn reasons(&self) -> Reasons<'_> {
        Reasons { learned: self, evidence: self.lessons.evidence(), asked: RefCell::default() }
    }
}

/// Gives the reasons of suggestions.
pub struct Reasons<'l> {
    learned: &'l Learned,
    evidence: Evidence<'l>,
    /// What was asked of the evidence before.
    asked: RefCell<Asked>,
}

/// The lessons of clues, of files or folders.
type Asked = FxHashMap<(u32, bool), Rc<[u32]>>;

/// Reasons that are given at most.
const REASONS: usize = 3;

impl Reasons<'_> {
    /// What speaks for a suggestion, the strongest first.
    pub fn of(&self, traits: &Traits, suggestion: &Suggestion) -> Vec<Reason> {
        let (lessons, model) = (&self.learned.lessons, self.learned.model(traits.is_folder));
        let says = |clue: &u32| (*clue, model.says(lessons, *clue, suggestion.place));
        let mut clues: Vec<(u32, i64)> = lessons.lexicon.find(traits).0.iter().map(says).collect();
        clues.retain(|(_, says)| *says > 0);
        clues.sort_by_key(|(clue, says)| (Reverse(*says), lessons.lexicon.text(*clue)));
        let mut found: Vec<Reason> = Vec::new();
        for (number, _) in clues {
            let clue = lessons.lexicon.clue(number);
            let rows = self.rows(number, &clue, traits.is_folder);
            let is_there =
                |row: &&u32| model.places.of[lessons.all[**row as usize].folder as usize] == suggestion.place;
            let there = rows.iter().filter(is_there).count();
            // Of what is mostly elsewhere, one is told where nothing says more.
            if there == 0 || (there * 2 < rows.len() && !found.is_empty()) {
                continue;
            }
            let place = suggestion.pattern.clone();
            let is_weak = |reason: &Reason| reason.there * 2 < reason.all;
            if found.first().is_some_and(is_weak) {
                found.clear();
            }
            found.push(Reason { clue, all: rows.len(), there, folders: traits.is_folder, place });
            if found.len() == REASONS {
                break;
            }
        }
        found
    }

    fn rows(&self, number: u32, clue: &Clue, folders: bool) -> Rc<[u32]> {
        let mut asked = self.asked.borrow_mut();
        let rows = asked.entry((number, folders)).or_insert_with(|| self.evidence.rows(clue, folders).into());
        Rc::clone(rows)
    }
}

/// The places for some clues that can be filled for an item, the likeliest first.
fn filled<'m>(
    model: &'m Model,
    lessons: &'m Lessons,
    (clues, unknown): (&[u32], usize),
    item: &'m Item,
    known: &'m Known,
) -> impl Iterator<Item = (FilledPlace, Ranked, &'m Place)> {
    model.rank(lessons, clues, unknown).into_iter().filter_map(move |ranked| {
        let place = &model.places.all[ranked.place as usize];
        Some((place.fill(lessons, known, item).ok()?, ranked, place))
    })
}

/// Learns, and tries what was learned of the earlier on the later, to know how far to believe it.
fn trained(
    lessons: &Lessons,
    used: &[u32],
    values: &[bool],
    known: &Known,
    earlier: Option<&Trial>,
) -> Model {
    let places = Arc::new(Places::of(lessons, used, known));
    let mut model = Model::of(lessons, used, values, &places);
    if let Some(earlier) = earlier.filter(|trial| trial.counts_for(used.len())) {
        model.trial = earlier.clone();
    } else if used.len() >= FEWEST_TRIED {
        model.trial = tried(lessons, used, values, &places, known);
    }
    model
}

/// Learns from the earlier, and asks about the later.
fn tried(lessons: &Lessons, used: &[u32], values: &[bool], places: &Arc<Places>, known: &Known) -> Trial {
    let mut tried = Vec::new();
    for (from, to) in [(6, 7), (7, 8), (8, 9), (9, 10)] {
        let (from, to) = (used.len() * from / 10, used.len() * to / 10);
        let earlier = Model::of(lessons, &used[..from], values, places);
        tried.extend(asked(&used[from..to], TRIED).filter_map(|at| {
            let answer = answer(&earlier, lessons, at, known)?;
            Some(Tried { odds: answer.first?, right: answer.rank == Some(0) })
        }));
    }
    Trial { lessons: used.len(), shares: shares::Shares::of(&tried) }
}

/// So many of these at most, from all parts of them.
fn asked(all: &[u32], most: usize) -> impl Iterator<Item = u32> {
    all.iter().step_by(all.len().div_ceil(most).max(1)).copied()
}

/// What a model answers where the right answer is known.
struct TriedAnswer {
    /// The odds of the first place; `None` if there is none.
    first: Option<f32>,
    /// The rank of the right place among the first [`PLACES`].
    rank: Option<usize>,
}

/// Asks a model of a lesson. `None` if the item is not to be had.
fn answer(model: &Model, lessons: &Lessons, lesson: u32, known: &Known) -> Option<TriedAnswer> {
    let lesson = &lessons.all[lesson as usize];
    let item = loose(known, lesson.reference)?;
    let right = lessons.spot(lesson.folder);
    let mut places = Vec::new();
    let mut first = None;
    for (folder, ranked, _) in filled(model, lessons, (lessons.clues(lesson), 0), &item, known) {
        first = first.or(Some(ranked.odds));
        if !places.contains(&folder.folder) {
            places.push(folder.folder);
        }
        if places.len() == PLACES {
            break;
        }
    }
    Some(TriedAnswer { first, rank: places.iter().position(|place| *place == right) })
}

/// A filed item as it would lie loose: its folders would answer for it.
fn loose(known: &Known, reference: u64) -> Option<Item> {
    let mut item = known.shelved.item(reference)?;
    item.spot = Spot::new("loose", ItemPath::of_names(item.spot.path.last().into_iter()));
    Some(item)
}

fn percent(share: f32) -> u8 {
    (share * 100.0).floor().clamp(0.0, 100.0) as u8
}

#[cfg(test)]
mod tests;
