//! Patterns: where things go and what they are called, such as `2/{type}/{modified:year}`.
//!
//! `{subject}`, `{subject:form}`, `{subject|written where unknown}`; `{{` and `}}` are braces.

mod counter;
mod fill;
mod parse;

pub use counter::NumberAt;
pub use fill::{Filled, FilledName, Filling, Unknown};
pub use parse::is_subject;

use std::fmt;
use std::sync::Arc;

use crate::condition::{Need, Needs};
use crate::facet::Facet;
use crate::metadata::TextField;
use crate::moment::Unit;

/// A pattern for one name.
#[derive(Debug, Clone, PartialEq)]
pub struct Pattern {
    pieces: Vec<PatternPart>,
    /// As it was written.
    written: String,
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.written)
    }
}

impl fmt::Display for PutPattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(bookcase) = &self.bookcase {
            write!(f, "{bookcase}/")?;
        }
        write!(f, "{}", self.shelf)?;
        self.folders.iter().try_for_each(|folder| write!(f, "/{folder}"))
    }
}

/// A piece of a pattern.
#[derive(Debug, Clone, PartialEq)]
enum PatternPart {
    Literal(String),
    Value {
        subject: Subject,
        form: Form,
        fallback: Option<String>,
    },
    /// A facet's answer.
    Answer {
        facet: Arc<Facet>,
        fallback: Option<String>,
    },
    /// The number among what is named alike, with so many digits at least.
    Counter {
        digits: usize,
    },
    /// The item's own tag; tags below these are answers of facets and do not count.
    Tag {
        facets: Vec<String>,
        fallback: Option<String>,
    },
}

/// What a pattern may speak of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Subject {
    Type,
    Ext,
    Stem,
    Name,
    /// The name of the folder that it lies in.
    Folder,
    Pile,
    Today,
    Modified,
    Created,
    Opened,
    Arrived,
    Taken,
    Sent,
    /// A text that the item says of itself.
    Said(TextField),
}

/// How a value is written.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Form {
    Plain,
    Initial,
    Tidy,
    Upper,
    Lower,
    /// The quarter or week in which it lies, such as `2031-Q2`.
    Around(Unit),
    /// What no facet of the pattern was read from.
    Rest,
    /// The year that a name tells without a doubt.
    YearInName,
    /// A `strftime` format.
    Date(String),
}

/// A pattern for a place to put things: a shelf, and folders below it.
#[derive(Debug, Clone, PartialEq)]
pub struct PutPattern {
    /// The bookcase, where it is named.
    pub bookcase: Option<String>,
    /// The shelf's number, 1 to 9.
    pub shelf: u8,
    /// A pattern for each folder below the shelf.
    pub folders: Vec<Pattern>,
}

impl Pattern {
    /// The facets that it speaks of.
    pub fn facets(&self) -> impl Iterator<Item = &Arc<Facet>> {
        self.pieces.iter().filter_map(|piece| match piece {
            PatternPart::Answer { facet, .. } => Some(facet),
            _ => None,
        })
    }

    fn counters(&self) -> usize {
        self.pieces.iter().filter(|piece| matches!(piece, PatternPart::Counter { .. })).count()
    }

    /// What must be known of an item to fill it, beside what its entry tells.
    pub fn needs(&self) -> Needs {
        let of = |piece: &PatternPart| match piece {
            PatternPart::Tag { .. } | PatternPart::Answer { .. } => Some(Need::Tags),
            PatternPart::Value { subject: Subject::Type, .. } => Some(Need::Type),
            PatternPart::Value { subject: Subject::Taken | Subject::Sent | Subject::Said(_), .. } => {
                Some(Need::Said)
            }
            _ => None,
        };
        self.pieces.iter().filter_map(of).collect()
    }

    /// Whether it is a tag and nothing else, so that a nested one makes nested folders.
    pub fn is_tag(&self) -> bool {
        matches!(self.pieces.as_slice(), [PatternPart::Tag { .. }])
    }

    /// The facet that it is, and nothing else.
    pub fn only_facet(&self) -> Option<&Arc<Facet>> {
        match self.pieces.as_slice() {
            [PatternPart::Answer { facet, .. }] => Some(facet),
            _ => None,
        }
    }

    /// Its text, if it is plain.
    pub fn literal(&self) -> Option<&str> {
        match self.pieces.as_slice() {
            [PatternPart::Literal(text)] => Some(text),
            _ => None,
        }
    }

    /// Whether it names the day on which it is filled.
    pub fn names_today(&self) -> bool {
        self.pieces.iter().any(|piece| matches!(piece, PatternPart::Value { subject: Subject::Today, .. }))
    }
}

/// A text as a pattern that is nothing else: braces doubled.
pub fn literal(text: &str) -> String {
    text.replace('{', "{{").replace('}', "}}")
}

#[cfg(test)]
mod tests;
