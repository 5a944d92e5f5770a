//! The lines of a daybook file.

use std::collections::BTreeMap;

use nine_core::escape::{escape, unescape};
use nine_core::item::{Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Original, Step};
use serde::{Deserialize, Serialize};

/// One line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
pub enum Line {
    /// The first line: the run itself.
    Run {
        /// The format of the file.
        format: u32,
        /// The run's number.
        run: u64,
        /// When it began.
        at: String,
        /// The command.
        command: String,
        /// The run that it takes back.
        #[serde(skip_serializing_if = "Option::is_none")]
        undoes: Option<u64>,
        /// Where each place is.
        places: BTreeMap<String, String>,
    },
    /// A step that is about to be carried out.
    Step(Box<StepLine>),
    /// All steps are written.
    Planned {
        /// How many there are.
        steps: usize,
    },
    /// A folder is about to be made.
    Folder {
        /// Where.
        at: String,
    },
    /// The folder was there already, so it is not this run's.
    FolderThere {
        /// Where.
        at: String,
    },
    /// A step was done.
    Done {
        /// Its number, counted from 1.
        step: usize,
        /// What the trash knows the item by.
        #[serde(skip_serializing_if = "Option::is_none")]
        kept_as: Option<String>,
        /// The item's new stamp, if it was copied.
        #[serde(skip_serializing_if = "Option::is_none")]
        stamp: Option<StampLine>,
    },
    /// A step was not done.
    Failed {
        /// Its number, counted from 1.
        step: usize,
        /// Why.
        because: String,
        /// The item's new stamp, if it was copied back and forth.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stamp: Option<StampLine>,
    },
    /// A later command found the run cut off; what follows is what it found.
    Recovered {
        /// When.
        at: String,
    },
    /// The run is over.
    End {
        /// When.
        at: String,
        /// How many steps were done.
        done: usize,
        /// How many were tried and not done.
        failed: usize,
    },
}

/// A stamp, written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StampLine {
    size: u64,
    /// Nanoseconds since 1970.
    modified: i64,
    identity: String,
}

/// A step, written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StepLine {
    step: usize,
    #[serde(rename = "do")]
    act: String,
    item: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    to: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    had: Option<Vec<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    tags: Option<Vec<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    kept_as: Option<String>,
    kind: String,
    #[serde(flatten)]
    stamp: StampLine,
    bytes: u64,
    why: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    together: Option<u32>,
    /// What stays, where the item goes as a copy of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    copy_of: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    original: Option<StampLine>,
}

impl From<Stamp> for StampLine {
    fn from(stamp: Stamp) -> Self {
        Self { size: stamp.size, modified: stamp.modified.0, identity: stamp.identity.to_string() }
    }
}

impl StampLine {
    /// The stamp, if it is readable.
    pub fn read(&self) -> Option<Stamp> {
        let identity = Identity::parse(&self.identity)?;
        Some(Stamp { size: self.size, modified: Moment(self.modified), identity })
    }
}

const KINDS: [(&str, Kind); 4] =
    [("file", Kind::File), ("folder", Kind::Folder), ("link", Kind::Link), ("other", Kind::Other)];

impl StepLine {
    /// Writes a step; `number` is counted from 1.
    pub fn write(number: usize, step: &Step) -> Self {
        let kind = KINDS.iter().find(|(_, kind)| *kind == step.kind).map_or("other", |(word, _)| word);
        let mut line = Self {
            step: number,
            act: step.act.word().to_owned(),
            item: step.item.to_string(),
            to: None,
            had: None,
            tags: None,
            kept_as: None,
            kind: kind.to_owned(),
            stamp: step.stamp.into(),
            bytes: step.size,
            why: step.why.clone(),
            together: step.together,
            copy_of: None,
            original: None,
        };
        match &step.act {
            Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to } => {
                line.to = Some(to.to_string())
            }
            Act::Tag { from, to } => (line.had, line.tags) = (Some(from.clone()), Some(to.clone())),
            Act::Restore { kept_as } => line.kept_as = Some(escape(kept_as)),
            Act::Discard { copy_of: Some(original) } => {
                line.copy_of = Some(original.item.to_string());
                line.original = Some(original.stamp.into());
            }
            Act::Discard { copy_of: None } | Act::List | Act::Leave => {}
        }
        line
    }

    /// What stays where the item goes as a copy; the outer `None` says that it cannot be read.
    fn original(&self) -> Option<Option<Original>> {
        let Some(item) = &self.copy_of else { return Some(None) };
        let (item, stamp) = (Spot::parse(item).ok()?, self.original.as_ref()?.read()?);
        Some(Some(Original { item, stamp }))
    }

    /// The number, counted from 1, and the step, if the line is readable.
    pub fn read(&self) -> Option<(usize, Step)> {
        let to = || Spot::parse(self.to.as_deref()?).ok();
        let act = match self.act.as_str() {
            "move" => Act::Move { to: to()? },
            "copy" => Act::Copy { to: to()? },
            "pack" => Act::Pack { to: to()? },
            "unpack" => Act::Unpack { to: to()? },
            "list" => Act::List,
            "tag" => Act::Tag { from: self.had.clone()?, to: self.tags.clone()? },
            "discard" => Act::Discard { copy_of: self.original()? },
            "restore" => Act::Restore { kept_as: unescape(self.kept_as.as_deref()?).ok()? },
            _ => return None,
        };
        let stamp = self.stamp.read()?;
        let step = Step {
            act,
            item: Spot::parse(&self.item).ok()?,
            kind: KINDS.iter().find(|(word, _)| *word == self.kind)?.1,
            stamp,
            size: self.bytes,
            modified: stamp.modified,
            why: self.why.clone(),
            doubts: Vec::new(),
            together: self.together,
        };
        Some((self.step, step))
    }
}
