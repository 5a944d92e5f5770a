//! Which of several copies stays, as the configuration says it.

use serde::Deserialize;

use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::copies::Keep;
use crate::diagnostic::{Diagnostic, any_of, nearest};

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct CopiesText {
    /// Which of several copies stays, the most important preference first: shelf, in:PLACE/FOLDER, tagged, unmarked, older, newer, shorter.
    keep: Vec<Spanned<String>>,
}

impl CopiesText {
    /// Reads the preferences; places are known by these names.
    pub(super) fn read(&self, reader: &mut ConfigReader, places: &[&str]) -> Vec<Keep> {
        let mut keep = Vec::new();
        for word in &self.keep {
            let text = word.get_ref();
            match Keep::parse(text) {
                Some(Keep::In(spot)) if !places.contains(&&*spot.place) => {
                    let known = any_of(places.iter().copied());
                    let finding = Diagnostic::new(word.span(), format!("there is no place `{}`", spot.place));
                    reader.find(finding.help(format!("known are {known}")));
                }
                Some(preference) => keep.push(preference),
                None => {
                    let finding = Diagnostic::new(word.span(), format!("`{text}` is no preference"));
                    reader.find(match nearest(text, Keep::words()) {
                        Some(near) => finding.help(format!("did you mean `{near}`?")),
                        None => finding.help(format!("here can stand {}", any_of(Keep::words()))),
                    });
                }
            }
        }
        keep
    }
}
