//! Conditions: the language of rules, searches and `--where`.
//!
//! ```text
//! condition = all { "or" all }          all = one { "and" one }
//! one       = "not" one | "(" condition ")" | test
//! ```
//!
//! [`parse`] reads it, `Display` writes it in its one canonical form, [`Condition::holds`] answers
//! for one item and [`Condition::explain`] says which test decided.

mod eval;
mod expected;
mod lexer;
mod needs;
mod parse;
mod print;
mod typed;
mod vocabulary;

pub use eval::{Explanation, TestFailure};
pub use expected::{Expected, ValueKind, expected};
pub use needs::{Need, Needs};
pub use parse::{Resolve, parse, parse_with};
pub use print::in_condition;
pub use typed::from_typed;
pub use vocabulary::is_subject;

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::amount::Bytes;
use crate::facet::Facet;
use crate::kinds::ItemType;
use crate::metadata::{FigureField, TextField};
use crate::moment::{Day, Span};
use crate::names::fold;

/// A condition.
#[derive(Debug, Clone, PartialEq)]
pub enum Condition {
    /// Every one of two or more holds.
    All(Vec<Condition>),
    /// At least one of two or more holds.
    Any(Vec<Condition>),
    /// It does not hold.
    Not(Box<Condition>),
    /// `saved big`: the saved search of this name, and what it asks.
    Saved(String, Box<Condition>),
    /// A single test.
    Test(Test),
}

impl Condition {
    /// All of these; nested ones are joined. One alone is itself.
    pub fn all(parts: Vec<Condition>) -> Self {
        let flat = parts.into_iter().flat_map(|part| match part {
            Condition::All(inner) => inner,
            other => vec![other],
        });
        Self::one_or(flat.collect(), Condition::All)
    }

    /// Any of these; nested ones are joined. One alone is itself.
    pub fn any(parts: Vec<Condition>) -> Self {
        let flat = parts.into_iter().flat_map(|part| match part {
            Condition::Any(inner) => inner,
            other => vec![other],
        });
        Self::one_or(flat.collect(), Condition::Any)
    }

    fn one_or(mut parts: Vec<Condition>, many: fn(Vec<Condition>) -> Condition) -> Self {
        if parts.len() == 1 { parts.remove(0) } else { many(parts) }
    }

    /// Whether of nearly everything only its tags can tell whether it holds.
    pub fn hangs_on_tags(&self) -> bool {
        match self {
            Condition::All(parts) => parts.iter().all(Self::hangs_on_tags),
            Condition::Any(parts) => parts.iter().any(Self::hangs_on_tags),
            Condition::Not(inner) | Condition::Saved(_, inner) => inner.hangs_on_tags(),
            Condition::Test(test) => matches!(test, Test::Tag(_)),
        }
    }

    /// Every test in it, from left to right.
    pub fn tests(&self) -> Vec<&Test> {
        let mut tests = Vec::new();
        self.each_test(&mut |test| tests.push(test));
        tests
    }

    /// The same one by one and without a list, since a rule is asked for its facets at every item.
    fn each_test<'c>(&'c self, each: &mut impl FnMut(&'c Test)) {
        match self {
            Condition::All(parts) | Condition::Any(parts) => {
                parts.iter().for_each(|part| part.each_test(each));
            }
            Condition::Not(inner) | Condition::Saved(_, inner) => inner.each_test(each),
            Condition::Test(test) => each(test),
        }
    }

    /// Whether it speaks of this flag.
    pub fn mentions(&self, flag: Flag) -> bool {
        self.tests().iter().any(|test| **test == Test::Flag(flag))
    }

    /// The tests of the words inside.
    pub fn text_tests(&self) -> Vec<&WordTest> {
        let of = |test| match test {
            &Test::Words(WordSubject::Text, ref words) => Some(words),
            _ => None,
        };
        self.tests().into_iter().filter_map(of).collect()
    }

    /// The tests that are answered from what was read inside files: of their words, and of what they say of
    /// themselves.
    pub fn inside_tests(&self) -> Vec<&Test> {
        let is_inside =
            |test: &&Test| matches!(test, Test::Words(WordSubject::Text, _)) || test.said_field().is_some();
        self.tests().into_iter().filter(is_inside).collect()
    }

    /// Whether it asks about folders, so that leaving them out would leave nothing.
    pub fn asks_for_folders(&self) -> bool {
        let folders = |test: &Test| match test {
            Test::Type(types) => types.contains(&ItemType::Folder),
            Test::Count(subject, ..) => *subject == CountSubject::Items,
            _ => false,
        };
        self.tests().iter().any(|test| folders(test))
    }

    /// The facets that it speaks of, each once.
    pub fn facets(&self) -> Vec<&Arc<Facet>> {
        let mut facets: Vec<&Arc<Facet>> = Vec::new();
        self.each_test(&mut |test| {
            if let Test::Facet(facet, _) = test
                && !facets.contains(&facet)
            {
                facets.push(facet);
            }
        });
        facets
    }
}

/// A single test.
#[derive(Debug, Clone, PartialEq)]
pub enum Test {
    /// `type image,video`
    Type(Vec<ItemType>),
    /// `ext pdf`, without dots, in small letters
    Ext(Vec<String>),
    /// `name has budget`
    Words(WordSubject, WordTest),
    /// `tag todo`
    Tag(TagTest),
    /// `size over 1GB`
    Size(Compare, Bytes),
    /// `depth over 3`, `items under 5`
    Count(CountSubject, Compare, u64),
    /// `modified before 2030-01-01`
    Date(DateSubject, DateTest),
    /// `age over 90d`
    Age(AgeSubject, Compare, Span),
    /// `lender is "Harrow Dock Trust"`
    Facet(Arc<Facet>, FacetTest),
    /// `empty`
    Flag(Flag),
}

/// What is asked of a facet's answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FacetTest {
    /// It is one of these.
    Is(Vec<String>),
    /// There is one.
    Known,
    /// There is none.
    Unknown,
}

impl FacetTest {
    /// Whether it holds for an answer.
    pub fn holds(&self, answer: Option<&str>) -> bool {
        match self {
            FacetTest::Is(wanted) => {
                answer.is_some_and(|answer| wanted.iter().any(|value| fold(value) == fold(answer)))
            }
            FacetTest::Known => answer.is_some(),
            FacetTest::Unknown => answer.is_none(),
        }
    }
}

/// Subjects that are texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum WordSubject {
    Name,
    Stem,
    Folder,
    Path,
    Text,
    /// What the item says of itself.
    Said(TextField),
}

/// What a text is asked.
#[derive(Debug, Clone, PartialEq)]
pub enum WordTest {
    /// Equals, holds, starts or ends with one of the values.
    Plain(PlainTest, Vec<String>),
    /// Fits one of the shapes, where `*` is anything and `?` one character.
    Like(Vec<String>),
    /// A regular expression finds something in it.
    Matches(Pattern),
}

/// How a text is compared with a value, letter case and Unicode form ignored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum PlainTest {
    Is,
    Has,
    Starts,
    Ends,
}

/// A regular expression together with its text.
#[derive(Debug, Clone)]
pub struct Pattern {
    text: String,
    regex: regex::Regex,
}

impl Pattern {
    /// Compiles the expression.
    ///
    /// # Errors
    /// What the regular expression lacks.
    pub fn new(text: &str) -> Result<Self, String> {
        let compiled = regex::RegexBuilder::new(text).size_limit(1 << 20).build();
        compiled
            .map(|regex| Self { text: text.to_owned(), regex })
            .map_err(|e| e.to_string().lines().last().unwrap_or_default().trim().to_owned())
    }

    /// Texts with one of which all that it finds begins, letter by letter; none where that is not known, or where they
    /// are so many or so short that nothing is gained.
    pub(crate) fn beginnings(&self) -> Vec<String> {
        use regex_syntax::hir::literal::Extractor;
        let Ok(parsed) = regex_syntax::parse(&self.text) else { return Vec::new() };
        // Classes are taken apart only where they are a letter in all its cases.
        let begins = Extractor::new().limit_class(3).limit_total(64).extract(&parsed);
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).to_ascii_lowercase();
        let literals = begins.literals().unwrap_or_default();
        let texts: BTreeSet<String> = literals.iter().map(|literal| text(literal.as_bytes())).collect();
        let is_worth = texts.len() <= 8 && texts.iter().all(|text| text.len() >= 3);
        if is_worth { texts.into_iter().collect() } else { Vec::new() }
    }
}

/// What is asked of tags.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TagTest {
    /// There is at least one.
    Any,
    /// There is none.
    None,
    /// One of these is there, or one nested below it; `client/*` asks for those below only.
    Named(Vec<String>),
}

/// Subjects that are counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum CountSubject {
    Depth,
    Items,
    Copies,
    /// What the item says of itself.
    Said(FigureField),
}

/// How figures are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Compare {
    Over,
    Under,
    Is,
}

/// Subjects that are dates.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum DateSubject {
    Modified,
    Created,
    Opened,
    Arrived,
    Taken,
    Sent,
}

/// What a date is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DateTest {
    /// Earlier than the first moment of a day, month or year.
    Before(Day),
    /// Not earlier than that.
    Since(Day),
    /// Within it.
    On(Day),
    /// From the first moment of one to the last of another.
    Between(Day, Day),
    /// Longer ago than a span.
    Over(Span),
    /// Not longer ago than a span.
    Within(Span),
}

/// Subjects that are lengths of time until now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum AgeSubject {
    Age,
    Idle,
}

/// Tests that are a word by themselves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Flag {
    File,
    Loose,
    Empty,
    Untitled,
    Unfinished,
    Mislabelled,
    Hidden,
    Link,
    Broken,
    Copy,
    Shared,
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

#[cfg(test)]
mod tests;
