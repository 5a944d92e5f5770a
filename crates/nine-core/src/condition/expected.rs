//! What may come next in a condition that is being typed, word by word.
//!
//! It follows the words as the parser would, but takes every value for a right one: a person who is typing has not come
//! to the end yet.

use super::vocabulary::{
    AGE_TESTS, DATE_TESTS, FACET_TESTS, FIGURE_TESTS, JOINTS, SUBJECTS, Subject, TEXT_TESTS,
};
use super::{CountSubject, WordSubject};
use crate::facet::{Facet, Facets};
use crate::metadata::FigureField;
use crate::moment::Day;

/// What may come next.
#[derive(Debug, Clone, Default)]
pub struct Expected<'f> {
    /// Words of the language, and names of facets.
    pub words: Vec<&'f str>,
    /// A value of this kind.
    pub value: Option<ValueKind<'f>>,
}

/// What a value says.
#[derive(Debug, Clone, Copy)]
pub enum ValueKind<'f> {
    /// A type.
    Type,
    /// An extension.
    Extension,
    /// A tag.
    Tag,
    /// The name of a saved search.
    Saved,
    /// An answer of a facet.
    Answer(&'f Facet),
    /// The name of a folder.
    Folder,
    /// Any text.
    Text,
    /// A size with its unit.
    Size,
    /// A number.
    Number,
    /// A length of a recording.
    Length,
    /// A length of time.
    Span,
    /// A date.
    Date,
}

/// Where in a condition the next word stands.
#[derive(Debug, Clone, Copy)]
enum At<'f> {
    /// A test begins.
    Test,
    /// How a subject is tested.
    HowTested(Subject),
    /// How a facet is tested.
    HowAnswered(&'f Facet),
    /// A value, before which `is` may stand.
    MaybeIs(ValueKind<'f>),
    /// A value.
    Value(ValueKind<'f>),
    /// A unit after a number, or what comes after a test.
    Unit(&'static [&'static str]),
    /// `week` after `this`.
    Period {
        /// Whether it is the first of two dates.
        is_first: bool,
    },
    /// The first of two dates.
    FirstDate,
    /// What stands between two dates.
    BetweenDates,
    /// A test has ended.
    Joint,
    /// A word before it has no meaning here.
    Lost,
}

const SIZE_UNITS: [&str; 6] = ["KB", "MB", "GB", "KiB", "MiB", "GiB"];
const SPAN_UNITS: [&str; 6] = ["min", "hours", "days", "weeks", "months", "years"];
const LENGTH_UNITS: [&str; 3] = ["s", "min", "h"];
const PERIODS: [&str; 4] = ["week", "month", "quarter", "year"];

/// What may come after these words, as a shell hands them on.
pub fn expected<'f>(before: &[String], facets: &'f Facets) -> Expected<'f> {
    let mut at = At::Test;
    for word in before {
        at = at.after(word, facets);
    }
    at.expected(facets)
}

impl<'f> At<'f> {
    /// Where it goes on after a word.
    fn after(self, typed: &str, facets: &'f Facets) -> Self {
        let word = typed.to_ascii_lowercase();
        match self {
            At::Test => Self::after_subject(typed.trim_start_matches('('), facets),
            At::HowTested(subject) => Self::after_operator(subject, &word),
            At::HowAnswered(facet) => match word.trim_end_matches(')') {
                "is" => At::Value(ValueKind::Answer(facet)),
                "known" | "unknown" => At::Joint,
                _ => At::Lost,
            },
            At::MaybeIs(kind) if word == "is" => At::Value(kind),
            At::MaybeIs(kind) | At::Value(kind) => Self::after_value(kind, &word),
            At::Unit(_) if JOINTS.contains(&word.as_str()) => At::Joint.after(typed, facets),
            At::Unit(_) | At::Period { is_first: false } => At::Joint,
            At::FirstDate if Day::begins(&word) => At::Period { is_first: true },
            At::FirstDate | At::Period { is_first: true } => At::BetweenDates,
            At::BetweenDates if word == "and" => At::Value(ValueKind::Date),
            At::Joint if word.chars().all(|c| c == ')') => At::Joint,
            At::Joint if word == "and" || word == "or" => At::Test,
            At::BetweenDates | At::Joint | At::Lost => At::Lost,
        }
    }

    fn after_subject(typed: &str, facets: &'f Facets) -> Self {
        let word = typed.trim_end_matches(')').to_ascii_lowercase();
        if word.is_empty() || word == "not" {
            return At::Test;
        }
        if let Some(facet) = facets.get(&word) {
            return At::HowAnswered(facet);
        }
        match SUBJECTS.iter().find(|(subject, _)| *subject == word).map(|(_, subject)| *subject) {
            Some(Subject::Flag(_)) => At::Joint,
            Some(Subject::Type) => At::MaybeIs(ValueKind::Type),
            Some(Subject::Ext) => At::MaybeIs(ValueKind::Extension),
            Some(Subject::Tag) => At::MaybeIs(ValueKind::Tag),
            Some(Subject::Saved) => At::Value(ValueKind::Saved),
            Some(subject) => At::HowTested(subject),
            None => At::Lost,
        }
    }

    fn after_operator(subject: Subject, word: &str) -> Self {
        if !operators(subject).contains(&word) {
            return At::Lost;
        }
        match (subject, word) {
            (Subject::Words(WordSubject::Folder), "is" | "has" | "starts" | "ends") => {
                At::Value(ValueKind::Folder)
            }
            (Subject::Words(_), _) => At::Value(ValueKind::Text),
            (Subject::Size, _) => At::Value(ValueKind::Size),
            (Subject::Count(CountSubject::Said(FigureField::Duration)), _) => At::Value(ValueKind::Length),
            (Subject::Count(_), _) => At::Value(ValueKind::Number),
            (Subject::Age(_), _) | (Subject::Date(_), "over" | "within") => At::Value(ValueKind::Span),
            (Subject::Date(_), "between") => At::FirstDate,
            _ => At::Value(ValueKind::Date),
        }
    }

    /// A number may have its unit behind a space, and a date has two words after `this`.
    fn after_value(kind: ValueKind<'f>, word: &str) -> Self {
        let is_number = word.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
        match kind {
            ValueKind::Size if is_number => At::Unit(&SIZE_UNITS),
            ValueKind::Span if is_number => At::Unit(&SPAN_UNITS),
            ValueKind::Length if is_number => At::Unit(&LENGTH_UNITS),
            ValueKind::Date if Day::begins(word) => At::Period { is_first: false },
            _ => At::Joint,
        }
    }

    fn expected(self, facets: &'f Facets) -> Expected<'f> {
        let words = |words: &[&'f str]| Expected { words: words.to_vec(), value: None };
        let value = |kind| Expected { words: Vec::new(), value: Some(kind) };
        match self {
            At::Test => {
                let subjects = SUBJECTS.iter().map(|(word, _)| *word);
                Expected { words: subjects.chain(facets.names()).chain(["not"]).collect(), value: None }
            }
            At::HowTested(subject) => words(operators(subject)),
            At::HowAnswered(_) => words(&FACET_TESTS),
            At::MaybeIs(kind) | At::Value(kind) => value(kind),
            At::FirstDate => value(ValueKind::Date),
            At::Unit(units) => {
                Expected { words: units.iter().copied().chain(["and", "or"]).collect(), value: None }
            }
            At::Period { .. } => words(&PERIODS),
            At::BetweenDates => words(&["and"]),
            At::Joint => words(&["and", "or"]),
            At::Lost => Expected::default(),
        }
    }
}

/// The words that say how a subject is tested.
fn operators(subject: Subject) -> &'static [&'static str] {
    match subject {
        Subject::Words(_) => &TEXT_TESTS,
        Subject::Size | Subject::Count(_) => &FIGURE_TESTS,
        Subject::Date(_) => &DATE_TESTS,
        Subject::Age(_) => &AGE_TESTS,
        Subject::Type | Subject::Ext | Subject::Tag | Subject::Saved | Subject::Flag(_) => &[],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn after(text: &str) -> Vec<String> {
        let words: Vec<String> = text.split_whitespace().map(ToOwned::to_owned).collect();
        let none = Facets::default();
        let found = expected(&words, &none);
        let kind = found.value.map(|kind| format!("{kind:?}"));
        found.words.iter().map(|word| (*word).to_owned()).chain(kind).collect()
    }

    #[test]
    fn each_word_says_what_comes_next() {
        assert!(after("").contains(&"type".to_owned()) && after("").contains(&"not".to_owned()));
        for (text, wanted) in [
            ("type", "Type"),
            ("type is", "Type"),
            ("type image", "and or"),
            ("size", "over under is"),
            ("size over", "Size"),
            ("size over 1GB", "and or"),
            ("size over 1", "KB MB GB KiB MiB GiB and or"),
            ("size over 1 GB", "and or"),
            ("size over 1 and age", "over under"),
            ("duration over", "Length"),
            ("modified between", "Date"),
            ("modified between 2030", "and"),
            ("modified between last year", "and"),
            ("modified between 2030 and", "Date"),
            ("modified between 2030 and 2031", "and or"),
            ("modified since this", "week month quarter year"),
            ("modified since this week", "and or"),
            ("age over", "Span"),
            ("( type image or empty )", "and or"),
            ("(type image or empty) and folder has", "Folder"),
            ("not saved", "Saved"),
            ("name has plan", "and or"),
            ("tag any and name", "is has starts ends like matches"),
            ("nonsense", ""),
            ("type image image", ""),
        ] {
            assert_eq!(after(text).join(" "), wanted, "after `{text}`");
        }
    }
}
