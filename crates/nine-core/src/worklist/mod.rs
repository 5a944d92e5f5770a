//! The proposed changes: a list of steps, and its check as a whole.

mod check;
mod doubt;
mod problem;
pub mod table;

pub use check::{Checked, Facts, FolderFacts, NameRules, NamesThere, check};
pub use doubt::{ClashAnswer, Doubt, kind_words};
pub use problem::Problem;

use std::sync::Arc;

use crate::item::{Kind, Stamp};
use crate::moment::Moment;
use crate::place::Spot;

/// What a step does to its item.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Act {
    /// Gives the item another place or name.
    Move {
        /// Where it will be.
        to: Spot,
    },
    /// Makes another item like it, and leaves it where it is.
    Copy {
        /// Where the other will be.
        to: Spot,
    },
    /// Gives the item these tags in place of those.
    Tag {
        /// The tags that it has.
        from: Vec<String>,
        /// The tags that it will have.
        to: Vec<String>,
    },
    /// Puts the item into the trash.
    Discard {
        /// What stays and must hold the same bytes at that moment, where the item goes as a copy.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        copy_of: Option<Original>,
    },
    /// Takes the item back out of the trash, to where the step says it lay.
    Restore {
        /// The name under which the trash keeps it.
        #[serde(with = "crate::escape::written")]
        kept_as: Vec<u8>,
    },
    /// Writes a folder into one file, which is read back and compared; the folder stays.
    Pack {
        /// Where that file will be. Its extension says in which form.
        to: Spot,
    },
    /// Takes an item out of a pack, which stays as it is. The item's spot leads into the pack, and its
    /// stamp is the pack's.
    Unpack {
        /// Where the item will be.
        to: Spot,
    },
    /// Makes the folder, and those above it.
    Make,
    /// Takes the folder away, if nothing is in it.
    Unmake,
    /// Writes a file of text anew: the configuration, or what the desktop reads.
    Write {
        /// Its text as it is; `None` if there is no such file.
        from: Option<String>,
        /// Its text as it will be.
        to: String,
    },
    /// Nothing: a person should look first.
    Leave,
}

/// The one of several copies that stays.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Original {
    /// Where it lies.
    pub item: Spot,
    /// As what it must be found.
    pub stamp: Stamp,
}

impl Act {
    /// Puts the item into the trash, whatever else there is.
    pub fn discard() -> Self {
        Act::Discard { copy_of: None }
    }

    /// Whether the item leaves the place where it lies.
    pub fn vacates(&self) -> bool {
        matches!(self, Act::Move { .. } | Act::Discard { .. })
    }

    /// The act's word in worklists and the daybook.
    pub fn word(&self) -> &'static str {
        match self {
            Act::Move { .. } => "move",
            Act::Copy { .. } => "copy",
            Act::Tag { .. } => "tag",
            Act::Discard { .. } => "discard",
            Act::Restore { .. } => "restore",
            Act::Pack { .. } => "pack",
            Act::Unpack { .. } => "unpack",
            Act::Make => "make",
            Act::Unmake => "unmake",
            Act::Write { .. } => "write",
            Act::Leave => "leave",
        }
    }
}

/// A reason of several lines in one.
pub fn one_line(why: &str) -> String {
    why.lines().collect::<Vec<_>>().join("; ")
}

/// One change to one item.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// What is done.
    pub act: Act,
    /// To what.
    pub item: Spot,
    /// File, folder or link.
    pub kind: Kind,
    /// As what the item must be found.
    pub stamp: Stamp,
    /// Its bytes; of a folder, all that lies in it.
    pub size: u64,
    /// When it was last changed; of a folder, the newest thing inside.
    pub modified: Moment,
    /// The rule, or the person's own word. Further lines tell more.
    pub why: Arc<str>,
    /// Why a person should look at it.
    pub doubts: Vec<Doubt>,
    /// Steps with one number are carried out all or not at all.
    pub together: Option<u32>,
}

impl Step {
    /// Makes a folder.
    pub fn make(item: Spot) -> Self {
        Self::new(Act::Make, item, Kind::Folder, Stamp::none())
    }

    /// Why, in one line.
    pub fn why_in_short(&self) -> &str {
        self.why.lines().next().unwrap_or_default()
    }

    /// Writes a text in place of another, `stamp` being as what the file of that was found.
    pub fn write(item: Spot, stamp: Option<Stamp>, from: Option<String>, to: String) -> Self {
        Self::new(Act::Write { from, to }, item, Kind::File, stamp.unwrap_or(Stamp::none()))
    }

    fn new(act: Act, item: Spot, kind: Kind, stamp: Stamp) -> Self {
        let (size, modified) = (stamp.size, stamp.modified);
        Self { act, item, kind, stamp, size, modified, why: "".into(), doubts: Vec::new(), together: None }
    }

    /// Where the item will be, if the step moves it.
    pub fn target(&self) -> Option<&Spot> {
        match &self.act {
            Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to } => Some(to),
            Act::Restore { .. } | Act::Make | Act::Write { from: None, .. } => Some(&self.item),
            _ => None,
        }
    }

    /// What must stay if the item goes as a copy of it.
    pub fn original(&self) -> Option<&Original> {
        match &self.act {
            Act::Discard { copy_of } => copy_of.as_ref(),
            _ => None,
        }
    }

    /// Whether something new comes to the target, and the item stays where it is.
    pub fn adds(&self) -> bool {
        matches!(self.act, Act::Copy { .. } | Act::Pack { .. } | Act::Unpack { .. })
    }

    /// Whether the item leaves the place where it lies.
    pub fn vacates(&self) -> bool {
        self.act.vacates()
    }
}

/// The proposed changes, in the order in which they are to be carried out.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Worklist {
    /// The steps.
    pub steps: Vec<Step>,
}

#[cfg(test)]
mod tests;
