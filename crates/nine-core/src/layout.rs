//! Layouts: ready-made sets of shelves with folders, marks, rules and facets to begin with.
//!
//! A layout is a TOML file. Its shelves are written as those of a bookcase, each perhaps with `folders`; what else is
//! in it is written as in `shelves.toml` and goes there as it stands.

use toml_edit::DocumentMut;

use crate::config::{Config, LayoutText, Marks, ShelfConfig};
use crate::diagnostic::Diagnostic;

/// A ready-made set of shelves.
#[derive(Debug, Clone)]
pub struct Layout {
    /// Its name.
    pub name: String,
    /// What it is for.
    pub about: String,
    /// Its shelves.
    pub shelves: Vec<LayoutShelf>,
    /// Where their marks stand.
    pub marks: Marks,
    /// What goes into the configuration besides: rules, facets, searches, the archive; TOML.
    pub text: String,
    /// The same, read.
    pub config: Config,
}

/// A shelf of a layout.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LayoutShelf {
    /// The shelf.
    pub shelf: ShelfConfig,
    /// Folders on it, with `/` between those in one another.
    pub folders: Vec<String>,
}

/// The layouts that ship with the program, in the order in which they are shown.
const OURS: [(&str, &str); 6] = [
    ("in-hand", include_str!("data/layouts/in-hand.toml")),
    ("clients", include_str!("data/layouts/clients.toml")),
    ("letters", include_str!("data/layouts/letters.toml")),
    ("terms", include_str!("data/layouts/terms.toml")),
    ("household", include_str!("data/layouts/household.toml")),
    ("kinds", include_str!("data/layouts/kinds.toml")),
];

/// The names of the layouts that ship with the program.
pub fn names() -> impl Iterator<Item = &'static str> {
    OURS.iter().map(|(name, _)| *name)
}

impl Layout {
    /// One that ships with the program.
    pub fn ours(name: &str) -> Option<Self> {
        let (name, text) = OURS.iter().find(|(known, _)| *known == name)?;
        Some(Self::parse(name, text).expect("a test reads every layout"))
    }

    /// All that ship with the program.
    pub fn all() -> impl Iterator<Item = Self> {
        names().filter_map(Self::ours)
    }

    /// Reads the text of a layout.
    ///
    /// # Errors
    /// Everything that is wrong with it, in the order of the text.
    pub fn parse(name: &str, text: &str) -> Result<Self, Vec<Diagnostic>> {
        let read = LayoutText::parse(text)?;
        let mut document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
            vec![Diagnostic::new(error.span().unwrap_or(0..0), error.message())]
        })?;
        for own in LayoutText::OWN {
            document.remove(own);
        }
        let text = document.to_string().trim().to_owned();
        Ok(Self {
            name: name.to_owned(),
            about: read.about,
            shelves: read.shelves,
            marks: read.marks,
            text,
            config: read.config,
        })
    }

    /// The folders of a shelf, as names in one another.
    pub fn folders<'l>(&'l self, shelf: &'l LayoutShelf) -> impl Iterator<Item = Vec<&'l str>> {
        shelf.folders.iter().map(|folder| folder.split('/').collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_layout_is_read_and_has_its_shelves() {
        let numbers = |layout: &Layout| layout.shelves.iter().map(|s| s.shelf.number).collect::<Vec<_>>();
        let all: Vec<Layout> = Layout::all().collect();
        assert_eq!(all.len(), OURS.len());
        for layout in &all {
            assert!(numbers(layout).ends_with(&[8, 9]), "{}", layout.name);
            assert!(!layout.about.is_empty() && layout.text.contains("[[rule]]"));
            assert!(!layout.text.contains("about =") && !layout.text.contains("shelves ="));
        }
        assert_eq!(numbers(&all[0]), [1, 2, 3, 8, 9]);
    }

    #[test]
    fn a_broken_layout_is_told_with_its_place() {
        let text = "about = \"x\"\nshelves = [{ title = \"A\", folders = [\"ok/in\", \"no:\"] }]\n\
            [[rule]]\nwhen = \"tipe image\"\nput = \"4\"\n";
        let found = Layout::parse("mine", text).unwrap_err();
        let told: Vec<(&str, &str)> =
            found.iter().map(|f| (&text[f.span.clone()], f.message.as_str())).collect();
        assert_eq!(told[0].1, "`no:` cannot be the name of a folder everywhere");
        assert_eq!(told[1].0, "tipe");
        assert_eq!(told[2].1, "the bookcase `home` has no shelf 4");
        assert!(Layout::parse("mine", "about = \"x\"\nshelfs = []").unwrap_err()[0].help.is_some());
    }
}
