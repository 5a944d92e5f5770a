//! Patterns: where things go and what they are called, such as `2/{type}/{modified:year}`.
//!
//! `{subject}`, `{subject:form}`, `{subject|written where unknown}`; `{{` and `}}` are braces.

mod fill;
mod parse;

pub use fill::{Filled, Unknown};

/// A pattern for one name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    pieces: Vec<Piece>,
}

/// A piece of a pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Piece {
    Literal(String),
    Value { subject: Subject, form: Form, fallback: Option<String> },
}

/// What a pattern may speak of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Subject {
    Type,
    Ext,
    Stem,
    Name,
    Pile,
    Today,
    Modified,
    Created,
    Opened,
    Arrived,
}

/// How a value is written.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Form {
    Plain,
    Initial,
    Tidy,
    /// A `strftime` format.
    Date(String),
}

/// A pattern for a place to put things: a shelf, and folders below it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutPattern {
    /// The bookcase, where it is named.
    pub bookcase: Option<String>,
    /// The shelf's number, 1 to 9.
    pub shelf: u8,
    /// A pattern for each folder below the shelf.
    pub folders: Vec<Pattern>,
}

impl Pattern {
    /// Whether filling it needs the item's type.
    pub fn asks_for_type(&self) -> bool {
        self.pieces.iter().any(|piece| matches!(piece, Piece::Value { subject: Subject::Type, .. }))
    }
}

#[cfg(test)]
mod tests;
