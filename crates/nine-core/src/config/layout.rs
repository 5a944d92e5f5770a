//! A layout as it is written.

use std::collections::BTreeMap;

use serde::Deserialize;

use super::archive::ArchiveText;
use super::dates::DatesText;
use super::facets::FacetText;
use super::read::from_toml;
use super::reader::ConfigReader;
use super::spanned::Spanned;
use super::text::{BookcaseText, FileText, RuleText, SearchText, ShelfText};
use super::{Config, Marks};
use crate::diagnostic::Diagnostic;
use crate::layout::LayoutShelf;
use crate::names::make_safe;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    about: String,
    #[serde(default)]
    marks: Marks,
    shelves: Vec<Spanned<ShelfText>>,
    archive: Option<ArchiveText>,
    #[serde(default)]
    facet: BTreeMap<Spanned<String>, FacetText>,
    #[serde(default)]
    rule: Vec<Spanned<RuleText>>,
    #[serde(default)]
    search: BTreeMap<Spanned<String>, SearchText>,
    dates: Option<DatesText>,
}

/// What a layout says, checked.
pub struct LayoutText {
    /// What it is for.
    pub about: String,
    /// Its shelves.
    pub shelves: Vec<LayoutShelf>,
    /// Where their marks stand.
    pub marks: Marks,
    /// What goes into the configuration besides, with a bookcase of these shelves.
    pub config: Config,
}

impl LayoutText {
    /// Its own keys, which are not those of a configuration.
    pub const OWN: [&str; 3] = ["about", "marks", "shelves"];

    /// Reads the text of a layout.
    ///
    /// # Errors
    /// Everything that is wrong with it, in the order of the text.
    pub fn parse(text: &str) -> Result<Self, Vec<Diagnostic>> {
        let written: Written = toml::from_str(text).map_err(|error| vec![from_toml(text, &error)])?;
        let mut reader = ConfigReader { text, findings: Vec::new() };
        let (about, marks) = (written.about, written.marks);
        let folders: Vec<Vec<String>> = written
            .shelves
            .iter()
            .map(|shelf| {
                let folders = &shelf.get_ref().0.folders;
                for folder in folders.iter().filter(|folder| !are_names(folder)) {
                    let what = format!("`{folder}` cannot be the name of a folder everywhere");
                    let help = "leave out < > : \" | ? * and spaces at either end; / stands between folders in one another";
                    reader.find(Diagnostic::new(shelf.span(), what).help(help));
                }
                folders.clone()
            })
            .collect();
        let mut shelves = written.shelves;
        shelves.iter_mut().for_each(|shelf| shelf.as_mut().0.folders.clear());
        let bookcase = BookcaseText { at: Spanned::new(0..0, "/".to_owned()), shelves, marks, text: false };
        let file = FileText {
            bookcase: BTreeMap::from([(Spanned::new(0..0, "home".to_owned()), bookcase)]),
            archive: written.archive,
            facet: written.facet,
            rule: written.rule,
            search: written.search,
            dates: written.dates,
            ..FileText::default()
        };
        let config = reader.config(file);
        if !reader.findings.is_empty() {
            reader.findings.sort_by_key(|finding| finding.span.start);
            return Err(reader.findings);
        }
        let shelves = config.bookcases[0].shelves.iter().cloned().zip(folders);
        let shelves = shelves.map(|(shelf, folders)| LayoutShelf { shelf, folders }).collect();
        Ok(Self { about, shelves, marks, config })
    }
}

fn are_names(folder: &str) -> bool {
    folder.split('/').all(|name| !name.is_empty() && make_safe(name.as_bytes()) == name.as_bytes())
}
