//! Which of several copies stays: an ordered list of preferences.

use std::fmt;

use crate::item::Kind;
use crate::moment::Moment;
use crate::place::Spot;

/// A reason to keep one copy rather than another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Keep {
    /// On a shelf rather than in a pile.
    Shelf,
    /// In this place, or in this folder of it.
    In(Spot),
    /// With tags.
    Tagged,
    /// Changed earlier.
    Older,
    /// Changed later.
    Newer,
    /// With a name that has no copy mark.
    Unmarked,
    /// With the shorter path.
    Shorter,
}

/// The words of the preferences that need nothing more.
const WORDS: [(&str, Keep); 6] = [
    ("shelf", Keep::Shelf),
    ("tagged", Keep::Tagged),
    ("older", Keep::Older),
    ("newer", Keep::Newer),
    ("unmarked", Keep::Unmarked),
    ("shorter", Keep::Shorter),
];

impl Keep {
    /// What is preferred where nothing else is asked for.
    pub fn usual() -> Vec<Keep> {
        vec![Keep::Shelf, Keep::Tagged, Keep::Unmarked, Keep::Older, Keep::Shorter]
    }

    /// Reads a preference: one of `shelf`, `tagged`, `older`, `newer`, `unmarked`, `shorter`, or
    /// `in:PLACE/FOLDER`.
    pub fn parse(word: &str) -> Option<Self> {
        if let Some(place) = word.strip_prefix("in:") {
            return Spot::parse(place.trim_end_matches('/')).ok().map(Keep::In);
        }
        WORDS.iter().find(|(known, _)| *known == word).map(|(_, keep)| keep.clone())
    }

    /// All that may be written.
    pub fn words() -> impl Iterator<Item = &'static str> {
        WORDS.iter().map(|(word, _)| *word).chain(["in:PLACE"])
    }

    /// How well a copy does by it; the least stays.
    fn rank(&self, item: &KeepFacts) -> i128 {
        match self {
            Keep::Shelf => i128::from(!item.on_shelf),
            Keep::In(place) => i128::from(!(item.spot == *place || item.spot.is_inside(place))),
            Keep::Tagged => i128::from(!item.tagged),
            Keep::Older => item.modified.0.into(),
            Keep::Newer => -i128::from(item.modified.0),
            Keep::Unmarked => i128::from(item.marked),
            Keep::Shorter => item.spot.to_string().chars().count() as i128,
        }
    }

    fn because(&self) -> String {
        match self {
            Keep::Shelf => "on a shelf".into(),
            Keep::In(place) => format!("in {place}"),
            Keep::Tagged => "with tags".into(),
            Keep::Older => "older".into(),
            Keep::Newer => "newer".into(),
            Keep::Unmarked => "without a copy mark".into(),
            Keep::Shorter => "shorter path".into(),
        }
    }
}

impl fmt::Display for Keep {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Keep::In(place) => write!(f, "in:{place}"),
            plain => f.write_str(WORDS.iter().find(|(_, keep)| keep == plain).map_or("", |(word, _)| word)),
        }
    }
}

/// What preferences ask of a copy.
#[derive(Debug, Clone)]
pub struct KeepFacts {
    /// Where it lies.
    pub spot: Spot,
    /// File or folder.
    pub kind: Kind,
    /// Whether it lies on a shelf.
    pub on_shelf: bool,
    /// Whether it has tags.
    pub tagged: bool,
    /// When it was last changed; of a folder, the newest thing inside.
    pub modified: Moment,
    /// Whether its name says that it is a copy.
    pub marked: bool,
}

/// Which copy stays, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chosen {
    /// Its number.
    pub at: usize,
    /// What spoke for it, in words.
    pub because: String,
}

/// Chooses among two or more copies, of which only the best so far is kept. Where no preference tells two apart, the
/// first by path stays.
///
/// # Panics
/// If there are none.
pub fn choose(items: impl IntoIterator<Item = KeepFacts>, preferences: &[Keep]) -> Chosen {
    let mut items = items.into_iter().enumerate();
    let (mut at, mut best) = items.next().expect("there are copies to choose from");
    // Which preferences, and last the paths, tell something from the best that is its equal by all before.
    let mut told = vec![false; preferences.len() + 1];
    for (number, item) in items {
        let ranks = preferences.iter().map(|preference| preference.rank(&item).cmp(&preference.rank(&best)));
        let (by, order) = ranks
            .enumerate()
            .find(|(_, order)| order.is_ne())
            .unwrap_or_else(|| (preferences.len(), item.spot.cmp(&best.spot)));
        told[by] = true;
        if order.is_lt() {
            told[by + 1..].fill(false);
            (at, best) = (number, item);
        }
    }
    let reasons = preferences.iter().map(Keep::because).chain(["first by name".into()]);
    let because: Vec<String> = reasons.zip(told).filter(|(_, told)| *told).map(|(why, _)| why).collect();
    Chosen { at, because: because.join(", ") }
}

#[cfg(test)]
mod tests;
