//! What goes to the archive and where, as the configuration says it.

use serde::Deserialize;

use super::Config;
use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::archive::{Archive, USUAL_WHEN};
use crate::condition;
use crate::diagnostic::Diagnostic;
use crate::names::fold;
use crate::pattern::PutPattern;
use crate::saved;

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct ArchiveText {
    /// What is stale.
    when: Option<Spanned<String>>,
    /// The dated folder and folders in it, as a pattern: `9/{today}/{pile}`.
    put: Option<Spanned<String>>,
}

impl ArchiveText {
    /// Reads what is stale and where it goes.
    pub(super) fn read(
        &self,
        reader: &mut ConfigReader,
        config: &Config,
        searches: &dyn Fn(&str) -> Option<String>,
    ) -> Option<Archive> {
        let usual = usual_archive(config);
        let facets = &config.facets;
        let resolve = |name: &str| saved::resolve(name, &[], facets, searches);
        let when = self.when.as_ref().map(|when| {
            let read = condition::parse_with(when.get_ref(), facets, &resolve);
            read.map_err(|finding| reader.find_inside(when, finding)).ok()
        });
        let when = when.unwrap_or_else(|| condition::parse(USUAL_WHEN).ok());
        let Some(text) = &self.put else { return Some(Archive { when: when?, put: usual?.put }) };
        let put = PutPattern::parse(text.get_ref(), facets);
        let put = put.map_err(|finding| reader.find_inside(text, finding)).ok()?;
        reader.check_shelf(text, &put, config);
        if !put.folders.iter().any(crate::pattern::Pattern::names_today) {
            let finding = Diagnostic::new(text.span(), "no folder here has the day of archiving in its name");
            reader.find(finding.help("write `{today}` into it, such as \"9/{today}/{pile}\""));
        }
        Some(Archive { when: when?, put })
    }
}

/// The archive where the configuration says nothing of it: a shelf that is called so.
pub(super) fn usual_archive(config: &Config) -> Option<Archive> {
    let of = |case: &super::Bookcase| {
        let shelf = case.shelves.iter().find(|shelf| fold(&shelf.title) == "archive")?.number;
        Some(format!("{}/{shelf}/{{today}}/{{pile}}", case.name))
    };
    let put = config.bookcases.iter().find_map(of)?;
    let put = PutPattern::parse(&put, &config.facets).ok()?;
    Some(Archive { when: condition::parse(USUAL_WHEN).ok()?, put })
}
