//! Routines and what is watched: `[routine.NAME]` and `[watch]`.

use serde::Deserialize;

use super::Config;
use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::diagnostic::Diagnostic;
use crate::moment::{EXPECTED_SPAN, Span};
use crate::routine::{Routine, RoutinePart, Unattended, WatchConfig};
use crate::schedule::Schedule;

/// How the program is called in a part that somebody copied from a terminal.
const PROGRAM: &str = "nine";

/// What waits and units are called after what is watched.
const WATCH: &str = "watch";

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct RoutineText {
    /// Its commands, in order.
    run: Spanned<Vec<Spanned<String>>>,
    /// When it is run by itself, such as `Friday 16:00`.
    when: Option<Spanned<String>>,
    /// What is done with nobody there.
    #[serde(default)]
    unattended: Unattended,
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct WatchText {
    /// The piles that are watched; all, if left out.
    #[serde(default)]
    piles: Vec<Spanned<String>>,
    /// How often drives and network mounts are looked at, such as `15min`.
    look: Option<Spanned<String>>,
}

impl RoutineText {
    pub(super) fn read(&self, reader: &mut ConfigReader, name: &Spanned<String>) -> Routine {
        let text = name.get_ref();
        let plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_');
        // A number would be a run's.
        if !text.chars().all(plain) || !text.starts_with(char::is_alphabetic) || text == WATCH {
            let what = format!("`{text}` cannot be the name of a routine");
            reader.find(Diagnostic::new(name.span(), what).help(
                "a name begins with a letter, is made of letters, digits, - and _, and is not `watch`",
            ));
        }
        if self.run.get_ref().is_empty() {
            let finding = Diagnostic::new(self.run.span(), "a routine without a command does nothing");
            reader.find(finding.help("write its commands, such as `run = [\"tidy\", \"archive\"]`"));
        }
        let parts = self.run.get_ref().iter().filter_map(|part| read_part(reader, part)).collect();
        let when = self.when.as_ref().and_then(|when| {
            Schedule::parse(when.get_ref()).map_err(|finding| reader.find_inside(when, finding)).ok()
        });
        Routine { name: text.clone(), parts, when, unattended: self.unattended }
    }
}

fn read_part(reader: &mut ConfigReader, part: &Spanned<String>) -> Option<RoutinePart> {
    let text = part.get_ref().trim();
    let text = text.strip_prefix(PROGRAM).filter(|rest| rest.starts_with(' ')).unwrap_or(text).trim();
    let words = shlex::split(text).filter(|words| !words.is_empty());
    if words.is_none() {
        let what =
            if text.is_empty() { "a command is missing here" } else { "a quote in this command has no end" };
        reader.find(
            Diagnostic::new(part.span(), what).help("write a command as you would type it, such as \"tidy\""),
        );
    }
    Some(RoutinePart { text: text.to_owned(), words: words?, span: part.span() })
}

impl WatchText {
    pub(super) fn read(&self, reader: &mut ConfigReader, config: &Config) -> WatchConfig {
        reader.check_piles(&self.piles, config);
        let look = self.look.as_ref().and_then(|look| {
            let span = Span::parse(look.get_ref());
            if span.is_none() {
                let what = format!("`{}` is not a span of time", look.get_ref());
                reader.find(Diagnostic::new(look.span(), what).help(format!("expected {EXPECTED_SPAN}")));
            }
            span
        });
        WatchConfig { piles: self.piles.iter().map(|pile| pile.get_ref().clone()).collect(), look }
    }
}
