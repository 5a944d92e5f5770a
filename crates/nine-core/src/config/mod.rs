//! The configuration, `shelves.toml`: piles, bookcases, rules.

mod answers;
mod archive;
mod compose;
mod copies;
mod dates;
mod drives;
mod edit;
mod facets;
mod layout;
mod read;
mod reader;
mod routines;
mod rules;
mod schema;
mod shelves;
mod spanned;
mod text;

pub use answers::{AnswerChange, change_answers};
pub use compose::{Additions, Composed, NewBookcase, compose, free_name, layout_text};
pub use drives::{DriveLogin, PasswordFrom, is_address};
pub use edit::{RoutineEdit, drop_routine, drop_search, save_routine, save_search};
pub use layout::LayoutText;
pub use read::parse;
pub use rules::{RuleChange, RuleEdit, change_rules};
pub use schema::{SCHEMA, SCHEMA_LINE, SCHEMA_NAME};
pub use shelves::{renumber_rules, set_shelves};

use std::ops::Range;

use crate::archive::Archive;
use crate::copies::Keep;
use crate::facet::Facets;
use crate::moment::Span;
use crate::place::NameBuf;
use crate::routine::{Routine, WatchConfig};
use crate::rules::Rule;
use crate::saved::{self, SavedSearch};
use crate::tags;

/// What `shelves.toml` says, checked.
#[derive(Debug, Clone, PartialEq)]
pub struct Config {
    /// The places where things land.
    pub piles: Vec<Pile>,
    /// The folders under which shelves stand. The first serves where a rule names none.
    pub bookcases: Vec<Bookcase>,
    /// The drives on which places may be.
    pub drives: Vec<DriveLogin>,
    /// The rules, in the order in which they are tried.
    pub rules: Vec<Rule>,
    /// The facets.
    pub facets: Facets,
    /// The saved searches: the starter set, and the person's own.
    pub searches: Vec<SavedSearch>,
    /// What goes to the archive, and where that is, if there is one.
    pub archive: Option<Archive>,
    /// Which of several copies stays, the most important first.
    pub keep: Vec<Keep>,
    /// How tags are shown.
    pub tags: Vec<TagLook>,
    /// Where saved searches are kept as folders of links, if not in `~/Displays`.
    pub displays: Option<String>,
    /// Where discarded items go instead of the desktop's trash.
    pub trash: Option<String>,
    /// The routines, in the order of the text.
    pub routines: Vec<Routine>,
    /// What is watched.
    pub watching: WatchConfig,
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
    /// Whether the words inside its files are kept for searches.
    pub text: bool,
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
    /// Its shelves, in the order of their numbers.
    pub shelves: Vec<ShelfConfig>,
    /// Where the marks of its shelves stand.
    pub marks: Marks,
    /// Whether the words inside its files are kept for searches.
    pub text: bool,
}

/// A shelf of a bookcase.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ShelfConfig {
    /// 1 to 9.
    pub number: u8,
    /// Its name without the number, such as `Grants`.
    pub title: String,
    /// A sign by which it is told apart.
    pub mark: Option<String>,
    /// Its colour.
    pub color: Option<Color>,
    /// Who else sees what stands on it.
    pub shared: Option<String>,
}

impl ShelfConfig {
    /// What its folder is called: `3 Grants`, `2 ⚓ Loans`.
    pub fn folder_name(&self, marks: Marks) -> NameBuf {
        let mark = self.mark.as_ref().filter(|_| marks == Marks::Name);
        let mark = mark.map_or(String::new(), |mark| format!("{mark} "));
        // Neither a title nor a mark holds a slash.
        NameBuf::held(format!("{} {mark}{}", self.number, self.title).into_bytes())
    }
}

/// Where the marks of shelves stand.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, serde::Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Marks {
    /// In the folder's name: `2 ⚓ Loans`.
    #[default]
    Name,
    /// As the folder's icon.
    Icon,
    /// Only where this program shows them.
    None,
}

/// How a tag is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TagLook {
    /// The tag; those nested below it look the same unless they have a look of their own.
    pub tag: String,
    /// Its colour.
    pub color: Option<Color>,
    /// What stands before it.
    pub mark: Option<String>,
}

/// The colours that every terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs)]
pub enum Color {
    Red,
    Green,
    Yellow,
    Blue,
    Magenta,
    Cyan,
}

impl Color {
    /// All of them with their words.
    pub const ALL: [(&'static str, Color); 6] = [
        ("red", Color::Red),
        ("green", Color::Green),
        ("yellow", Color::Yellow),
        ("blue", Color::Blue),
        ("magenta", Color::Magenta),
        ("cyan", Color::Cyan),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, color)| *color == self).map_or("", |(word, _)| word)
    }
}

/// How long things settle where the configuration does not say.
pub fn usual_settle() -> Span {
    Span::minutes(10)
}

impl Default for Config {
    /// Nothing but the starter set of saved searches.
    fn default() -> Self {
        Self {
            piles: Vec::new(),
            bookcases: Vec::new(),
            drives: Vec::new(),
            rules: Vec::new(),
            facets: Facets::default(),
            searches: saved::starters(),
            archive: None,
            keep: Keep::usual(),
            tags: Vec::new(),
            displays: None,
            trash: None,
            routines: Vec::new(),
            watching: WatchConfig::default(),
        }
    }
}

impl Config {
    /// The saved search of this name.
    pub fn search(&self, name: &str) -> Option<&SavedSearch> {
        self.searches.iter().find(|search| search.name == name)
    }

    /// The routine of this name.
    pub fn routine(&self, name: &str) -> Option<&Routine> {
        self.routines.iter().find(|routine| routine.name == name)
    }

    /// How a tag is shown: as the nearest of those above it that has a look.
    pub fn tag_look(&self, tag: &str) -> Option<&TagLook> {
        let looks = self.tags.iter().filter(|look| tags::answers_to(tag, &look.tag));
        looks.max_by_key(|look| look.tag.len())
    }

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
