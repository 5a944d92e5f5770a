//! `shelves.toml` as it is written, before anything in it is checked.

use std::collections::BTreeMap;

use std::fmt;

use serde::de::{self, Visitor};
use serde::{Deserialize, Deserializer};
use toml::Spanned;

use super::archive::ArchiveText;
use super::copies::CopiesText;
use super::dates::DatesText;
use super::drives::DriveText;
use super::facets::FacetText;
use super::routines::{RoutineText, WatchText};
use super::{Color, Marks};

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
pub(super) struct FileText {
    pub pile: BTreeMap<Spanned<String>, PileText>,
    pub bookcase: BTreeMap<Spanned<String>, BookcaseText>,
    pub archive: Option<ArchiveText>,
    pub drive: BTreeMap<Spanned<String>, DriveText>,
    pub copies: Option<CopiesText>,
    pub facet: BTreeMap<Spanned<String>, FacetText>,
    pub rule: Vec<Spanned<RuleText>>,
    pub search: BTreeMap<Spanned<String>, SearchText>,
    pub displays: Option<DisplaysText>,
    pub tag: BTreeMap<Spanned<String>, TagText>,
    pub trash: Option<TrashText>,
    pub dates: Option<DatesText>,
    pub routine: BTreeMap<Spanned<String>, RoutineText>,
    pub watch: Option<WatchText>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PileText {
    pub at: Spanned<String>,
    pub settle: Option<Spanned<String>>,
    pub births: Option<Births>,
    #[serde(default)]
    pub text: bool,
}

/// Whether birth times are believed. A restored backup gives everything one birth time.
#[derive(Deserialize, Clone, Copy, PartialEq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Births {
    Believe,
    Ignore,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct BookcaseText {
    pub at: Spanned<String>,
    pub shelves: Vec<Spanned<ShelfText>>,
    #[serde(default)]
    pub marks: Marks,
    #[serde(default)]
    pub text: bool,
}

/// A shelf: its title alone, or a table.
pub(super) struct ShelfText(pub ShelfTable);

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct ShelfTable {
    pub title: String,
    pub number: Option<u8>,
    pub mark: Option<String>,
    pub color: Option<Color>,
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
#[serde(deny_unknown_fields)]
pub(super) struct SearchText {
    pub r#where: Spanned<String>,
    #[serde(default)]
    pub display: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct DisplaysText {
    pub at: Spanned<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct TagText {
    pub color: Option<Color>,
    pub mark: Option<Spanned<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct TrashText {
    pub at: Spanned<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RuleText {
    pub name: Option<Spanned<String>>,
    #[serde(default)]
    pub piles: Vec<Spanned<String>>,
    #[serde(default)]
    pub reach: ReachText,
    pub when: Spanned<String>,
    #[serde(default)]
    pub tag: Vec<Spanned<String>>,
    pub rename: Option<Spanned<String>>,
    pub put: Option<Spanned<String>>,
    #[serde(default)]
    pub clash: ClashText,
    #[serde(default)]
    pub precedence: Vec<String>,
    #[serde(default)]
    pub extension: ExtensionText,
    pub discard: Option<DiscardText>,
}

#[derive(Deserialize, Clone, Copy, PartialEq)]
#[serde(rename_all = "lowercase")]
pub(super) enum DiscardText {
    Copies,
}

#[derive(Deserialize, Default, Clone, Copy, PartialEq)]
#[serde(rename_all = "lowercase")]
pub(super) enum ExtensionText {
    #[default]
    Keep,
    Correct,
}

#[derive(Deserialize, Default, Clone, Copy)]
#[serde(rename_all = "lowercase")]
pub(super) enum ReachText {
    #[default]
    Loose,
    Deep,
}

#[derive(Deserialize, Default, Clone, Copy)]
#[serde(rename_all = "lowercase")]
pub(super) enum ClashText {
    #[default]
    Number,
    Leave,
    Hold,
    Replace,
}
