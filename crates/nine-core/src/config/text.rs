//! `shelves.toml` as it is written, before anything in it is checked.

use std::collections::BTreeMap;

use std::fmt;

use serde::de::{self, Visitor};
use serde::{Deserialize, Deserializer};

use super::archive::ArchiveText;
use super::copies::CopiesText;
use super::dates::DatesText;
use super::drives::DriveText;
use super::facets::FacetText;
use super::routines::{RoutineText, WatchText};
use super::spanned::Spanned;
use super::{Color, Marks};

#[derive(Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, default)]
pub(super) struct FileText {
    /// Places where things land and lie loose, by their names.
    pub pile: BTreeMap<Spanned<String>, PileText>,
    /// Folders under which shelves stand, by their names.
    pub bookcase: BTreeMap<Spanned<String>, BookcaseText>,
    /// What is stale, and where it goes.
    pub archive: Option<ArchiveText>,
    /// Servers that speak WebDAV, and who you are to them.
    pub drive: BTreeMap<Spanned<String>, DriveText>,
    /// Which of several copies stays.
    pub copies: Option<CopiesText>,
    /// Questions with a fixed list of answers, by their names.
    pub facet: BTreeMap<Spanned<String>, FacetText>,
    /// Rules, in the order in which they are tried.
    pub rule: Vec<Spanned<RuleText>>,
    /// Saved searches, by their names.
    pub search: BTreeMap<Spanned<String>, SearchText>,
    /// Where saved searches are kept as folders of links.
    pub displays: Option<DisplaysText>,
    /// How tags look, by their names.
    pub tag: BTreeMap<Spanned<String>, TagText>,
    /// Where discarded items go instead of the desktop's trash.
    pub trash: Option<TrashText>,
    /// How dates in names are read.
    pub dates: Option<DatesText>,
    /// Named lists of commands, by their names.
    pub routine: BTreeMap<Spanned<String>, RoutineText>,
    /// What `nine watch` watches.
    pub watch: Option<WatchText>,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct PileText {
    /// Its folder: begins with / or ~/, or is an address on a drive.
    pub at: Spanned<String>,
    /// What changed more recently is left alone, such as `10min`.
    pub settle: Option<Spanned<String>>,
    /// Whether the birth times of its files are believed.
    pub births: Option<Births>,
    /// Whether the words inside its files are kept for searches.
    #[serde(default)]
    pub text: bool,
}

/// Whether birth times are believed. A restored backup gives everything one birth time.
#[derive(Deserialize, Clone, Copy, PartialEq)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub(super) enum Births {
    Believe,
    Ignore,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct BookcaseText {
    /// Its folder: begins with / or ~/, or is an address on a drive.
    pub at: Spanned<String>,
    /// Its shelves, in the order of their numbers.
    pub shelves: Vec<Spanned<ShelfText>>,
    /// Where the marks of shelves stand.
    #[serde(default)]
    pub marks: Marks,
    /// Whether the words inside its files are kept for searches.
    #[serde(default)]
    pub text: bool,
}

/// A shelf: its title alone, or a table.
pub(super) struct ShelfText(pub ShelfTable);

#[cfg(test)]
impl schemars::JsonSchema for ShelfText {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Shelf".into()
    }

    fn json_schema(of: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let table = of.subschema_for::<ShelfTable>();
        schemars::json_schema!({ "anyOf": [{ "type": "string", "description": "Its title" }, table] })
    }
}

#[derive(Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct ShelfTable {
    /// Its title without the number.
    pub title: String,
    /// 1 to 9; counted on from the one before, if left out.
    pub number: Option<u8>,
    /// A sign by which it is told apart, such as ⚓.
    pub mark: Option<String>,
    /// Its colour.
    pub color: Option<Color>,
    /// Who else sees what stands on it.
    pub shared: Option<String>,
    /// Only in layouts.
    #[serde(default)]
    pub folders: Vec<String>,
}

// By hand, since the derived choice between the two would lose where they stand in the text.
impl<'de> Deserialize<'de> for ShelfText {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct EitherForm;
        impl<'de> Visitor<'de> for EitherForm {
            type Value = ShelfText;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a shelf's title, or a table such as { title = \"Loans\", mark = \"⚓\" }")
            }

            fn visit_str<E: de::Error>(self, title: &str) -> Result<ShelfText, E> {
                Ok(ShelfText(ShelfTable { title: title.to_owned(), ..ShelfTable::default() }))
            }

            fn visit_map<A: de::MapAccess<'de>>(self, map: A) -> Result<ShelfText, A::Error> {
                ShelfTable::deserialize(de::value::MapAccessDeserializer::new(map)).map(ShelfText)
            }
        }
        deserializer.deserialize_any(EitherForm)
    }
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct SearchText {
    /// What must hold.
    pub r#where: Spanned<String>,
    /// Whether it is also kept as a folder of links.
    #[serde(default)]
    pub display: bool,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct DisplaysText {
    /// The folder.
    pub at: Spanned<String>,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct TagText {
    /// Its colour.
    pub color: Option<Color>,
    /// A sign, such as ⚓.
    pub mark: Option<Spanned<String>>,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct TrashText {
    /// The folder, on the file system of what is discarded.
    pub at: Spanned<String>,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct RuleText {
    /// Its name.
    pub name: Option<Spanned<String>>,
    /// The piles that it is for; all, if left out.
    #[serde(default)]
    pub piles: Vec<Spanned<String>>,
    /// Whether it sees what lies loose alone, or into folders too.
    #[serde(default)]
    pub reach: ReachText,
    /// The condition.
    pub when: Spanned<String>,
    /// Tags that it gives.
    #[serde(default)]
    pub tag: Vec<Spanned<String>>,
    /// What items are called, as a pattern.
    pub rename: Option<Spanned<String>>,
    /// The shelf and folders on it, as a pattern: `2/{lender}`.
    pub put: Option<Spanned<String>>,
    /// What is done where a name is taken.
    #[serde(default)]
    pub clash: ClashText,
    /// Which tag goes first where {tag} may be one of several.
    #[serde(default)]
    pub precedence: Vec<String>,
    /// Whether a wrong extension is corrected.
    #[serde(default)]
    pub extension: ExtensionText,
    /// Clears copies away, in place of put, rename and tag.
    pub discard: Option<DiscardText>,
}

#[derive(Deserialize, Clone, Copy, PartialEq)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub(super) enum DiscardText {
    Copies,
}

#[derive(Deserialize, Default, Clone, Copy, PartialEq)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub(super) enum ExtensionText {
    #[default]
    Keep,
    Correct,
}

#[derive(Deserialize, Default, Clone, Copy)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub(super) enum ReachText {
    #[default]
    Loose,
    Deep,
}

#[derive(Deserialize, Default, Clone, Copy)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub(super) enum ClashText {
    #[default]
    Number,
    Leave,
    Hold,
    Replace,
}
