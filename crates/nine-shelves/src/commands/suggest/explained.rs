//! Where one item would go by the example of what is filed, with the searches that list what speaks for it.

use std::io::Write;

use nine_core::condition::Condition;
use nine_core::escape::plain;
use nine_core::place::Spot;
use nine_core::suggest::Reason;
use nine_engine::suggest::Explained;
use serde::Serialize;

use crate::output::Look;
use crate::output::style::{CHANGE, FAINT, STRONG};
use nine_core::paste;

/// A folder for an item.
#[derive(Serialize)]
pub struct FolderRecord {
    folder: String,
    /// In percent.
    share: u8,
}

/// What speaks for the first folder.
#[derive(Serialize)]
pub struct ReasonRecord {
    reason: String,
    all: usize,
    there: usize,
    /// A command that lists these.
    search: String,
}

/// Where an item would go.
#[derive(Serialize)]
pub struct ExplainedRecord {
    /// Whether it is likely enough to be suggested.
    suggested: bool,
    folders: Vec<FolderRecord>,
    reasons: Vec<ReasonRecord>,
}

impl ExplainedRecord {
    pub fn of(found: &Explained) -> Self {
        let record =
            |(folder, share): &(Spot, u8)| FolderRecord { folder: folder.to_string(), share: *share };
        let reason = |(reason, search): &(Reason, Condition)| ReasonRecord {
            reason: reason.to_string(),
            all: reason.all,
            there: reason.there,
            search: command(search, &found.bookcases),
        };
        Self {
            suggested: found.speaks,
            folders: found.folders.iter().map(record).collect(),
            reasons: found.reasons.iter().map(reason).collect(),
        }
    }
}

/// The command that lists what a reason counts, to be pasted.
fn command(search: &Condition, bookcases: &[String]) -> String {
    let mut words = vec!["nine".to_owned(), "search".to_owned(), paste::word(&search.to_string())];
    words.extend(bookcases.iter().map(|bookcase| format!("--in {}", paste::word(bookcase))));
    words.push("--no-archive".to_owned());
    words.join(" ")
}

/// From which share on, in percent, a folder is told that is too little to be suggested.
const WORTH_TELLING: u8 = 25;

/// Whether it is worth telling people.
pub fn says_something(found: &Explained) -> bool {
    found.speaks || found.share() >= WORTH_TELLING
}

/// Prints it.
///
/// # Errors
/// If it cannot be printed.
pub fn print(found: &Explained, look: &Look, out: &mut impl Write) -> std::io::Result<()> {
    let note = if found.speaks { "" } else { "  too little to suggest it" };
    writeln!(out, "  {STRONG}by the example of what is filed{STRONG:#}{FAINT}{note}{FAINT:#}")?;
    for (at, (folder, share)) in found.folders.iter().enumerate() {
        let style = if at == 0 && found.speaks { CHANGE } else { FAINT };
        writeln!(out, "      {style}{share:>2} %  {}{style:#}", look.text(&folder.to_string()))?;
        if at > 0 {
            continue;
        }
        for (reason, search) in &found.reasons {
            for line in look.lines(&plain(&reason.to_string()), 12) {
                writeln!(out, "            {line}")?;
            }
            writeln!(out, "            {FAINT}{}{FAINT:#}", look.text(&command(search, &found.bookcases)))?;
        }
    }
    Ok(())
}
