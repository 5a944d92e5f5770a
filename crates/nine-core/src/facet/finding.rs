//! What comes of asking a facet: answers, where they were found, how sure they are, and doubts in words.

use std::fmt;
use std::ops::Range;

use crate::item::DateOf;

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
    /// A date of the item.
    Date(DateOf),
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
    /// With the vowels of words left out.
    NoVowels,
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
    /// A span of which a part belongs to another answer.
    Several,
    /// Nothing but a date of the item says so.
    ByDate(DateOf),
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
    /// A year, where a part of one is asked for: the words, and the year.
    YearOnly(String, i16),
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

impl fmt::Display for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Source::Told => "your own word",
            Source::Tag => "tag",
            Source::Name => "name",
            Source::Folder => "folder",
            Source::Text => "words inside",
            Source::Date(of) => return write!(f, "date {}", of.word()),
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
            Source::Date(of) => return format!("it was {} on {words}", of.word()),
        };
        let percent = self.confidence;
        let how = match self.how {
            How::Exact => String::new(),
            How::Initials => format!(", the initials of `{}` ({percent} %)", self.spelling),
            How::CutOff => format!(", cut off from `{}` ({percent} %)", self.spelling),
            How::NoVowels => format!(", `{}` without vowels ({percent} %)", self.spelling),
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
            Hint::YearOnly(words, _) => format!("`{words}` says the year only"),
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
            Weak::Several => format!(", which may be a part of the {facet} before"),
            Weak::ByDate(of) => format!(" is only the date on which it was {}", of.word()),
            Weak::NotListed => ", which is none of the listed answers".into(),
        }
    }
}
