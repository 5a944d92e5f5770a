//! What must be known of an item before a question about it can be answered. The one place that says so: what is
//! learned, which columns of the catalogue are read, and with which details an item is tried all follow from it.

use crate::metadata::TextField;

use super::{AgeSubject, Condition, CountSubject, DateSubject, Flag, Test, WordSubject, WordTest};

/// One thing that must be known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Need {
    /// Its name.
    Name,
    /// The folders above it.
    Folder,
    /// Its type, from its first bytes where its name does not tell.
    Type,
    /// The first bytes of every file.
    Contents,
    /// Its tags.
    Tags,
    /// The words inside.
    Text,
    /// What it says of itself.
    Said,
    /// The address that it came from, of whatever type it is.
    Origin,
    /// What else has its bytes.
    Copies,
    /// Its size.
    Size,
    /// How many things a folder holds.
    Items,
    /// How deep it lies.
    Depth,
    /// When it was last changed; of a folder, what lies in it.
    Modified,
    /// When it was last opened.
    Opened,
    /// When it was made, or arrived.
    Arrived,
    /// From when its age is counted.
    Age,
}

/// Some of them.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Needs(u32);

impl Needs {
    /// Whether this is one of them.
    pub fn has(self, need: Need) -> bool {
        self.0 & 1 << need as u32 != 0
    }

    /// Whether one of these is among them.
    pub fn has_any(self, needs: &[Need]) -> bool {
        needs.iter().any(|need| self.has(*need))
    }

    /// These, and those.
    pub fn and(self, more: impl IntoIterator<Item = Need>) -> Self {
        more.into_iter().fold(self, |all, need| Self(all.0 | 1 << need as u32))
    }

    /// All of both.
    pub fn union(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }
}

impl FromIterator<Need> for Needs {
    fn from_iter<I: IntoIterator<Item = Need>>(needs: I) -> Self {
        Self::default().and(needs)
    }
}

impl Test {
    /// What it is answered from, beside kind and marks, which are always known.
    pub fn needs(&self) -> &'static [Need] {
        match self {
            Test::Type(_) => &[Need::Type],
            Test::Ext(_) | Test::Words(WordSubject::Name | WordSubject::Stem, _) => &[Need::Name],
            Test::Words(WordSubject::Folder | WordSubject::Path, _) | Test::Flag(Flag::Shared) => {
                &[Need::Name, Need::Folder]
            }
            Test::Words(WordSubject::Text, _) => &[Need::Text],
            Test::Words(WordSubject::Said(TextField::Origin), _) => &[Need::Said, Need::Origin],
            Test::Words(WordSubject::Said(_), _) | Test::Count(CountSubject::Said(_), ..) => &[Need::Said],
            Test::Date(DateSubject::Taken | DateSubject::Sent, _) => &[Need::Said],
            Test::Tag(_) => &[Need::Tags],
            // What is said comes with the words, so it is not asked for by itself.
            Test::Facet(facet, _) if facet.reads_text => &[Need::Tags, Need::Name, Need::Folder, Need::Text],
            Test::Facet(facet, _) if facet.asks_what_is_said() => {
                &[Need::Tags, Need::Name, Need::Folder, Need::Said]
            }
            Test::Facet(..) => &[Need::Tags, Need::Name, Need::Folder],
            Test::Size(..) => &[Need::Size],
            Test::Count(CountSubject::Copies, ..) | Test::Flag(Flag::Copy) => &[Need::Copies],
            Test::Count(CountSubject::Items, ..) => &[Need::Items],
            Test::Flag(Flag::Empty) => &[Need::Size, Need::Items],
            Test::Count(CountSubject::Depth, ..) | Test::Flag(Flag::Loose) => &[Need::Depth],
            Test::Date(DateSubject::Modified, _) => &[Need::Modified],
            Test::Date(DateSubject::Opened, _) => &[Need::Opened],
            Test::Date(DateSubject::Created | DateSubject::Arrived, _) => &[Need::Arrived],
            Test::Age(AgeSubject::Age, ..) => &[Need::Age],
            Test::Age(AgeSubject::Idle, ..) => &[Need::Age, Need::Opened],
            Test::Flag(Flag::Mislabelled) => &[Need::Type, Need::Contents],
            Test::Flag(_) => &[],
        }
    }
}

impl Condition {
    /// Whether each name is held against an expression, so that two threads share the names: that pays where many are
    /// asked about at once.
    pub fn asks_long(&self) -> bool {
        let is_long = |test: &&Test| match test {
            Test::Words(_, WordTest::Matches(pattern)) => pattern.beginnings().is_empty(),
            _ => false,
        };
        self.tests().iter().any(is_long)
    }

    /// What its answer may depend on.
    pub fn needs(&self) -> Needs {
        self.tests().into_iter().flat_map(Test::needs).copied().collect()
    }
}
