//! Reasons why a person should look at a step before it is carried out.

use crate::amount::readable;
use crate::escape::escape;
use crate::item::Entry;
use crate::moment::Now;

/// What is to be done with an item whose target's name is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ClashAnswer {
    /// The new one got a number.
    Numbered,
    /// The new one stays where it is.
    Left,
    /// The new one goes into a side folder.
    Held,
    /// The old one goes into the trash.
    Replaced,
}

/// Why a person should look at a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Doubt {
    /// A pattern needs a value that is not known.
    Unknown {
        /// The subject.
        subject: String,
        /// The rule whose pattern it is.
        rule: String,
    },
    /// The target's name is taken.
    Clash {
        /// The name that is taken.
        name: Vec<u8>,
        /// What has it; `None` if another step of this list takes it.
        theirs: Option<Entry>,
        /// What was decided.
        answer: ClashAnswer,
    },
    /// The saved page cannot be renamed, since it points to the folder of its files by name.
    PageKeepsName,
    /// The link points to a place counted from where it lies, and would lead nowhere from elsewhere.
    RelativeLink,
    /// Two folders carry the number of the shelf.
    ShelfTwice {
        /// The shelf's number.
        number: u8,
        /// The folders' names.
        folders: Vec<Vec<u8>>,
    },
}

impl Doubt {
    /// The doubt in words.
    pub fn words(&self, now: &Now) -> String {
        match self {
            Doubt::Unknown { subject, rule } => {
                let what = match subject.as_str() {
                    "arrived" => "when it arrived",
                    "created" => "when it was created",
                    "opened" => "when it was last opened",
                    "type" => "its type",
                    "ext" => "its extension",
                    _ => "a name for it",
                };
                format!("{what} is not known, and the rule `{rule}` needs it")
            }
            Doubt::Clash { name, theirs, answer } => {
                let taken = match theirs {
                    Some(entry) => format!(
                        "`{}` is there already ({}, {})",
                        escape(name),
                        readable(entry.size),
                        now.minute(entry.modified)
                    ),
                    None => format!("another step takes the name `{}`", escape(name)),
                };
                let answer = match answer {
                    ClashAnswer::Numbered => "the new one gets a number",
                    ClashAnswer::Left => "the new one is left where it is",
                    ClashAnswer::Held => "the new one is held in a side folder",
                    ClashAnswer::Replaced => "the old one goes into the trash",
                };
                format!("{taken}; {answer}")
            }
            Doubt::PageKeepsName => {
                "a saved page keeps its name, since it points to the folder of its files".into()
            }
            Doubt::RelativeLink => {
                "it is a link that is counted from where it lies; moved, it would lead nowhere".into()
            }
            Doubt::ShelfTwice { number, folders } => {
                let names: Vec<String> = folders.iter().map(|f| format!("`{}`", escape(f))).collect();
                format!("several folders have the number {number}: {}; rename all but one", names.join(", "))
            }
        }
    }
}
