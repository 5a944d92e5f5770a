//! Facets: questions with fixed answers (lender, paper, season), read from careless names.
//!
//! The person's own word counts first, then a tag `lender/Harrow Dock Trust`, then the name, then the
//! names of the folders from the nearest up, then, where asked for, the words inside. Every answer
//! says where it was found, in which words, and how sure it is; what is not sure is a doubt.

mod assemble;
mod close;
mod list;
mod words;
mod year;

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

pub use list::{Answer, List, Spelling, is_small};
pub use words::folded;
pub use year::{MONTHS, Year};

use crate::item::Item;
use crate::moment::Now;
use crate::names::fold;

/// The facets of a configuration.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Facets(Vec<Arc<Facet>>);

impl Facets {
    /// Adds a facet.
    pub fn add(&mut self, facet: Facet) {
        self.0.push(Arc::new(facet));
    }

    /// The facet of this name.
    pub fn get(&self, name: &str) -> Option<&Arc<Facet>> {
        self.0.iter().find(|facet| facet.name == name)
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Arc<Facet>> + Clone {
        self.0.iter()
    }

    /// Their names.
    pub fn names(&self) -> impl Iterator<Item = &str> + Clone {
        self.0.iter().map(|facet| facet.name.as_str())
    }

    /// Whether a tag is the answer of one of them.
    pub fn has_tag(&self, tag: &str) -> bool {
        self.0.iter().any(|facet| facet.value_of_tag(tag).is_some())
    }
}

/// A question with a fixed list of answers.
#[derive(Clone)]
pub struct Facet {
    /// Its name, which is also the tag above its answers.
    pub name: String,
    /// What its answers are.
    pub answers: Answers,
    /// Whether the words inside are asked where name and folders say nothing.
    pub reads_text: bool,
}

/// What the answers of a facet are.
#[derive(Debug, Clone)]
pub enum Answers {
    /// A list that the person wrote.
    Listed(Box<List>),
    /// Years.
    Years(Year),
}

/// Where an answer was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    /// The person said so.
    Told,
    /// A tag of the item.
    Tag,
    /// Its name.
    Name,
    /// The name of a folder above it.
    Folder,
    /// The words inside.
    Text,
}

/// How what stands there came to be taken for the answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    /// It stands there.
    Exact,
    /// With a space too many or too few.
    Spaced,
    /// With other letters.
    Misspelt,
    /// With words cut off.
    CutOff,
    /// With words missing.
    Part,
    /// By the first letters of its words.
    Initials,
}

/// An answer that was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// The answer as it is to be written.
    pub value: String,
    /// Where.
    pub source: Source,
    /// The words that say so, as they stand there.
    pub words: String,
    /// The spelling that they were taken for.
    pub spelling: String,
    /// How they came to be.
    pub how: How,
    /// How close they are, 0 to 100.
    pub confidence: u8,
    /// What keeps it from being sure.
    pub weak: Option<Weak>,
    /// Where the words stand in the name without its extension, in bytes; empty for other sources.
    pub at: Vec<Range<usize>>,
}

/// Why an answer is not sure.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Weak {
    /// Too little of it stands there.
    Far,
    /// It stands inside, where others may be spoken of too.
    Inside,
    /// The year alone, while answers begin in another month.
    YearAlone,
    /// Two digits alone may be another number.
    TwoDigits,
    /// Day and month may be the other way round.
    DayOrMonth,
    /// Two years stand there.
    TwoYears,
    /// The tag is none of the answers.
    NotListed,
}

/// What came of asking a facet of an item.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Finding {
    /// The best answer.
    pub found: Option<Found>,
    /// Other answers that are hardly worse.
    pub rivals: Vec<Found>,
    /// What stands there and would be an answer if more were known.
    pub hint: Option<Hint>,
}

/// What stands in a name without giving an answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Hint {
    /// These words are no date that there is.
    NoSuchDate(String),
    /// A month without a year: the words, and the month from 1 to 12.
    MonthAlone(String, u8),
    /// These words may mean one of several answers.
    OneOf(String, Vec<String>),
}

impl Finding {
    /// An answer that nothing speaks against.
    pub fn sure(found: Found) -> Self {
        Self { found: Some(found), ..Self::default() }
    }

    /// The answer.
    pub fn value(&self) -> Option<&str> {
        self.found.as_ref().map(|found| found.value.as_str())
    }

    /// Whether a person need not look.
    pub fn is_sure(&self) -> bool {
        self.rivals.is_empty() && self.hint.is_none() && self.found.as_ref().is_some_and(|f| f.weak.is_none())
    }
}

impl Facet {
    /// Asks it of an item.
    pub fn ask(&self, item: &Item, now: &Now) -> Finding {
        if let Some((_, value)) = item.told.iter().find(|(facet, _)| *facet == self.name) {
            return Finding::sure(self.plain(value, Source::Told));
        }
        if let Some(finding) = self.tagged(item.tags.iter().chain(&item.note_tags)) {
            return finding;
        }
        let folders = item.spot.path.parent().unwrap_or_default();
        let folders: Vec<String> =
            folders.parts().map(|part| String::from_utf8_lossy(&part).into_owned()).collect();
        let above = folders.iter().rev().map(|folder| self.look_at_folder(folder, now));
        self.read(&String::from_utf8_lossy(item.stem()), above, item.text.as_deref(), now)
    }

    /// Asks it of a name without its extension, of what [`Facet::look_at_folder`] says of the folders
    /// above it from the nearest up, and of the words inside.
    pub fn read(
        &self,
        stem: &str,
        folders: impl Iterator<Item = Finding>,
        text: Option<&str>,
        now: &Now,
    ) -> Finding {
        let mut finding = self.look(stem, Source::Name, now);
        for above in folders {
            if finding.is_sure() {
                break;
            }
            finding = self.with_folder(finding, above, now);
        }
        if let (None, Some(text), true) = (&finding.found, text, self.reads_text) {
            let inside = self.look(text, Source::Text, now);
            if inside.found.is_some() {
                return inside;
            }
        }
        finding
    }

    /// What the name of a folder says to it.
    pub fn look_at_folder(&self, name: &str, now: &Now) -> Finding {
        self.look(name, Source::Folder, now)
    }

    fn look(&self, text: &str, source: Source, now: &Now) -> Finding {
        match &self.answers {
            Answers::Listed(list) if source == Source::Text => list.find_inside(text),
            Answers::Listed(list) => list.find(text, source),
            Answers::Years(year) => year.find(text, source, now),
        }
    }

    /// What a folder's name adds to what is found already: it decides where the name says nothing, and
    /// confirms or questions what the name says weakly.
    fn with_folder(&self, finding: Finding, above: Finding, now: &Now) -> Finding {
        if let (Answers::Years(year), Some(Hint::MonthAlone(words, month))) = (&self.answers, &finding.hint)
            && let Some(joined) = year.month_in(words, *month, &above, now)
        {
            return joined;
        }
        match (&finding.found, &above.found) {
            (None, Some(_)) => above,
            (Some(own), Some(folder)) if above.is_sure() && own.value == folder.value => above,
            (Some(own), Some(folder)) if above.is_sure() && own.value != folder.value => {
                let known = finding.rivals.iter().any(|rival| rival.value == folder.value);
                let rivals = finding.rivals.iter().cloned().chain((!known).then(|| folder.clone())).collect();
                Finding { rivals, ..finding }
            }
            _ => finding,
        }
    }

    /// The answer that a tag is, `Harrow Dock Trust` of `lender/Harrow Dock Trust`.
    pub fn value_of_tag<'t>(&self, tag: &'t str) -> Option<&'t str> {
        let (above, value) = tag.split_once('/')?;
        (!value.is_empty() && fold(above) == fold(&self.name)).then_some(value)
    }

    /// What the item's own tags say.
    pub fn tagged<'t>(&self, tags: impl Iterator<Item = &'t String>) -> Option<Finding> {
        let mut found: Vec<Found> = Vec::new();
        for value in tags.filter_map(|tag| self.value_of_tag(tag)) {
            let tagged = self.plain(value, Source::Tag);
            if !found.iter().any(|other| other.value == tagged.value) {
                found.push(tagged);
            }
        }
        let mut found = found.into_iter();
        let first = found.next()?;
        Some(Finding { found: Some(first), rivals: found.collect(), hint: None })
    }

    /// An answer that somebody gave.
    fn plain(&self, value: &str, source: Source) -> Found {
        let known = self.canonical(value);
        let value = value.trim().to_owned();
        Found {
            weak: known.is_none().then_some(Weak::NotListed),
            value: known.unwrap_or_else(|| value.clone()),
            source,
            words: value.clone(),
            spelling: value,
            how: How::Exact,
            confidence: 100,
            at: Vec::new(),
        }
    }

    /// An answer in the form in which it is written, letter case ignored; `None` if it is none.
    pub fn canonical(&self, value: &str) -> Option<String> {
        match &self.answers {
            Answers::Listed(list) => list.canonical(value),
            Answers::Years(year) => year.canonical(value),
        }
    }

    /// The answers that there are, where they are listed.
    pub fn listed(&self) -> Vec<&str> {
        match &self.answers {
            Answers::Listed(list) => list.answers().iter().map(|answer| answer.value.as_str()).collect(),
            Answers::Years(_) => Vec::new(),
        }
    }

    /// An answer as an example of how they are written.
    pub fn example(&self) -> String {
        match &self.answers {
            Answers::Listed(list) => list.answers().first().map_or_else(String::new, |a| a.value.clone()),
            Answers::Years(year) => year.written(2030),
        }
    }

    /// The tag as which an answer is kept.
    pub fn tag(&self, value: &str) -> String {
        format!("{}/{value}", self.name)
    }
}

impl PartialEq for Facet {
    /// Facets are told apart by their names, of which a configuration has each once.
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl fmt::Debug for Facet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the facet {}", self.name)
    }
}

impl fmt::Display for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Source::Told => "your own word",
            Source::Tag => "tag",
            Source::Name => "name",
            Source::Folder => "folder",
            Source::Text => "words inside",
        })
    }
}

impl Found {
    /// What says so, for people: `` `harow dok` in the name, close to `harrow dock` (89 %) ``.
    pub fn evidence(&self) -> String {
        let words = crate::escape::escape(self.words.as_bytes());
        let place = match self.source {
            Source::Told => return "you said so".into(),
            Source::Tag => return format!("the tag `{words}`"),
            Source::Name => "in the name",
            Source::Folder => "in the folder's name",
            Source::Text => "in the words inside",
        };
        let percent = self.confidence;
        let how = match self.how {
            How::Exact => String::new(),
            How::Initials => format!(", the initials of `{}` ({percent} %)", self.spelling),
            How::CutOff => format!(", cut off from `{}` ({percent} %)", self.spelling),
            How::Part => format!(", a part of `{}` ({percent} %)", self.spelling),
            How::Spaced | How::Misspelt => format!(", close to `{}` ({percent} %)", self.spelling),
        };
        format!("`{words}` {place}{how}")
    }

    /// The words that it was read from, and how sure that is.
    fn seen(&self) -> String {
        let words = crate::escape::shortened(&crate::escape::escape(self.words.as_bytes()), 24);
        match self.confidence {
            100 => format!("`{words}`"),
            percent => format!("`{words}` ({percent} %)"),
        }
    }
}

impl Finding {
    /// Why a person should look, in words; `None` if nobody need look.
    pub fn doubt(&self, facet: &str) -> Option<String> {
        let Some(found) = &self.found else {
            let seen = match &self.hint {
                Some(hint) => format!(": {}", hint.words()),
                None => String::new(),
            };
            return Some(format!("the {facet} is not known{seen}"));
        };
        if !self.rivals.is_empty() {
            let all = std::iter::once(found).chain(&self.rivals);
            let told: Vec<String> = all.map(|found| format!("`{}`", found.value)).collect();
            return Some(format!("the {facet} may be {}", told.join(" or ")));
        }
        if let Some(hint) = &self.hint {
            return Some(format!("{facet} `{}`: {}", found.value, hint.words()));
        }
        let why = found.weak.as_ref()?.words(facet);
        Some(format!("{facet} `{}` is not sure: {}{why}", found.value, found.seen()))
    }
}

impl Hint {
    fn words(&self) -> String {
        match self {
            Hint::NoSuchDate(words) => format!("`{words}` is no date that there is"),
            Hint::MonthAlone(words, _) => format!("`{words}` is a month without a year"),
            Hint::OneOf(words, values) => {
                let values: Vec<String> = values.iter().map(|value| format!("`{value}`")).collect();
                format!("`{words}` may mean {}", values.join(" or "))
            }
        }
    }
}

impl Weak {
    fn words(&self, facet: &str) -> String {
        match self {
            Weak::Far => String::new(),
            Weak::Inside => ", in the words inside, perhaps of another".into(),
            Weak::YearAlone => format!(", a part of which is the next {facet}"),
            Weak::TwoDigits => ", which may be another number".into(),
            Weak::DayOrMonth => ", where day and month may be the other way round".into(),
            Weak::TwoYears => ", which are two years".into(),
            Weak::NotListed => ", which is none of the listed answers".into(),
        }
    }
}

#[cfg(test)]
mod tests;
