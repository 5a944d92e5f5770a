//! The configuration, `shelves.toml`: piles, bookcases, rules.

mod read;

pub use read::parse;

use std::ops::Range;

use crate::moment::Span;
use crate::rules::Rule;

/// What `shelves.toml` says, checked.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Config {
    /// The places where things land.
    pub piles: Vec<Pile>,
    /// The folders under which shelves stand. The first serves where a rule names none.
    pub bookcases: Vec<Bookcase>,
    /// The rules, in the order in which they are tried.
    pub rules: Vec<Rule>,
    /// Where discarded items go instead of the desktop's trash.
    pub trash: Option<String>,
}

/// A place where things land and lie loose.
#[derive(Debug, Clone, PartialEq)]
pub struct Pile {
    /// Its name.
    pub name: String,
    /// Its folder, as written.
    pub at: String,
    /// Where in the text that is written.
    pub at_span: Range<usize>,
    /// What changed more recently than this is left alone.
    pub settle: Span,
    /// Whether the file system's birth times tell when things arrived.
    pub believes_births: bool,
}

/// A folder under which shelves stand.
#[derive(Debug, Clone, PartialEq)]
pub struct Bookcase {
    /// Its name.
    pub name: String,
    /// Its folder, as written.
    pub at: String,
    /// Where in the text that is written.
    pub at_span: Range<usize>,
    /// The titles of its shelves, the first one's number being 1.
    pub shelves: Vec<String>,
}

/// How long things settle where the configuration does not say.
pub fn usual_settle() -> Span {
    Span::minutes(10)
}

impl Config {
    /// The pile of this name.
    pub fn pile(&self, name: &str) -> Option<&Pile> {
        self.piles.iter().find(|pile| pile.name == name)
    }

    /// The bookcase of this name, or the first where none is named.
    pub fn bookcase(&self, name: Option<&str>) -> Option<&Bookcase> {
        match name {
            Some(name) => self.bookcases.iter().find(|bookcase| bookcase.name == name),
            None => self.bookcases.first(),
        }
    }
}

#[cfg(test)]
mod tests;
