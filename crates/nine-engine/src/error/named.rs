//! What a word should have named, what there was none of, and what was wanted of a place.

use nine_core::escape::plain;

/// What kind of word names nothing that there is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Named {
    /// A saved search.
    Search,
    /// A pile.
    Pile,
    /// A bookcase.
    Bookcase,
    /// A pile or bookcase on this machine.
    Place,
    /// A dated folder of the archive.
    Dated,
    /// A preference among copies.
    Preference,
    /// What a list can be grouped by.
    Group,
    /// Something odd that a survey looks for.
    Oddity,
    /// A tag.
    Tag,
    /// A layout.
    Layout,
    /// A rule.
    Rule,
    /// A facet.
    Facet,
    /// A routine.
    Routine,
}

impl Named {
    pub(super) fn words(self, word: &str) -> String {
        let word = plain(word);
        match self {
            Named::Search => format!("there is no saved search `{word}`"),
            Named::Pile => format!("there is no pile `{word}`"),
            Named::Bookcase => format!("there is no bookcase `{word}`"),
            Named::Place => format!("there is no pile or bookcase `{word}` on this machine"),
            Named::Dated => format!("the archive has no `{word}`"),
            Named::Preference => format!("`{word}` is no preference"),
            Named::Group => format!("nothing can be grouped by `{word}`"),
            Named::Oddity => format!("`{word}` is nothing that is looked for"),
            Named::Facet => format!("there is no facet `{word}`"),
            Named::Routine => format!("there is no routine `{word}`"),
            Named::Rule => format!("there is no rule `{word}`"),
            Named::Layout => format!("there is no layout `{word}`"),
            Named::Tag => format!("no item has the tag `{word}`"),
        }
    }
}

/// Of what a command found none at all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Nowhere {
    /// No place to look in, for a search.
    Search,
    /// No place to look in, for copies.
    Copies,
    /// No pile, for a survey.
    Survey,
    /// No place, for a report.
    Report,
    /// No bookcase, for its shelves.
    Shelves,
    /// No bookcase from which to learn, or no pile.
    Suggest,
}

/// What was wanted of a place, where an item is wanted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedOfPlace {
    /// To be archived.
    Archive,
    /// To be discarded.
    Discard,
    /// To be put onto a shelf.
    Put,
}
