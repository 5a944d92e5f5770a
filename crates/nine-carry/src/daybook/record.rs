//! The lines of a daybook file.

use std::collections::BTreeMap;
use std::sync::Arc;

use nine_core::escape::{escape, unescape};
use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step};
use serde::{Deserialize, Serialize};

use crate::pieces::Piece;

/// One time that a routine was run; each of its parts is a run of its own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Occasion {
    /// The routine's name.
    pub routine: String,
    /// When it began, to the nanosecond, which tells it from every other one.
    pub began: String,
}

/// One line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
pub enum DaybookLine {
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
        /// What the names have in them that the run makes for a moment.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        token: String,
        /// What the folder of each local place is known by.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        roots: BTreeMap<String, String>,
        /// What it is a part of.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        occasion: Option<Occasion>,
    },
    /// A step that is about to be carried out.
    Step(Box<StepLine>),
    /// A dated folder of the archive whose lists follow from the steps.
    List {
        /// Its number, counted from 1, on from those of the steps.
        step: usize,
        /// The folder.
        item: String,
    },
    /// All steps are written.
    Planned {
        /// How many there are, with the lists.
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
    /// A folder is about to be copied: all that lies in it, parents first.
    Pieces {
        /// The step's number, counted from 1.
        step: usize,
        /// What it was when it was looked at.
        pieces: Vec<PieceLine>,
    },
    /// All of these were copied and compared. From here on the copy may be put in place and the original go.
    Copied {
        /// The step's number, counted from 1.
        step: usize,
        /// As what the copies are found, in the order of the pieces.
        copies: Vec<StampLine>,
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
        /// How many things of the original stayed where they were.
        #[serde(default, skip_serializing_if = "is_zero")]
        stayed: usize,
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
    /// What became of a step could not be found out after the run was cut off.
    NotKnown {
        /// Its number, counted from 1.
        step: usize,
        /// Why.
        because: String,
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

fn is_zero(number: &usize) -> bool {
    *number == 0
}

/// A piece of what is copied, written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PieceLine {
    /// Its path below the item.
    at: String,
    kind: String,
    #[serde(flatten)]
    stamp: StampLine,
}

impl PieceLine {
    /// Writes a piece.
    pub fn write(piece: &Piece) -> Self {
        let kind = word_of(piece.entry.kind).to_owned();
        Self { at: piece.below.to_string(), kind, stamp: piece.entry.stamp().into() }
    }

    /// The piece, if the line is readable.
    pub fn read(&self) -> Option<Piece> {
        let bytes = unescape(&self.at).ok()?;
        let below = if bytes.is_empty() { ItemPath::root() } else { ItemPath::new(&bytes)? };
        let (kind, Stamp { size, modified, identity }) = (kind_of(&self.kind)?, self.stamp.read()?);
        let entry = Entry { kind, size, modified, opened: None, born: None, changed: modified, identity };
        Some(Piece { below, entry, copy: None })
    }
}

/// What a line says that was planned.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Planned {
    /// A step.
    Step(Box<Step>),
    /// A dated folder whose lists follow from the steps.
    List(Spot),
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
    /// The text that is written, and the one before it.
    #[serde(skip_serializing_if = "Option::is_none")]
    text: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    had_text: Option<String>,
    kind: String,
    #[serde(flatten)]
    stamp: StampLine,
    bytes: u64,
    why: Arc<str>,
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

fn word_of(kind: Kind) -> &'static str {
    KINDS.iter().find(|(_, known)| *known == kind).map_or("other", |(word, _)| word)
}

fn kind_of(word: &str) -> Option<Kind> {
    Some(KINDS.iter().find(|(known, _)| *known == word)?.1)
}

impl StepLine {
    /// Writes a step; `number` is counted from 1.
    pub fn write(number: usize, step: &Step) -> Self {
        let mut line = Self {
            step: number,
            act: step.act.word().to_owned(),
            item: step.item.to_string(),
            to: None,
            had: None,
            tags: None,
            kept_as: None,
            text: None,
            had_text: None,
            kind: word_of(step.kind).to_owned(),
            stamp: step.stamp.into(),
            bytes: step.size,
            why: Arc::clone(&step.why),
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
            Act::Write { from, to } => (line.had_text, line.text) = (from.clone(), Some(to.clone())),
            Act::Discard { copy_of: None } | Act::Make | Act::Unmake | Act::Leave => {}
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
    pub fn read(&self) -> Option<(usize, Planned)> {
        // Before format 4 the lists of the archive were steps.
        if self.act == "list" {
            return Some((self.step, Planned::List(Spot::parse(&self.item).ok()?)));
        }
        let to = || Spot::parse(self.to.as_deref()?).ok();
        let act = match self.act.as_str() {
            "move" => Act::Move { to: to()? },
            "copy" => Act::Copy { to: to()? },
            "pack" => Act::Pack { to: to()? },
            "unpack" => Act::Unpack { to: to()? },
            "tag" => Act::Tag { from: self.had.clone()?, to: self.tags.clone()? },
            "discard" => Act::Discard { copy_of: self.original()? },
            "make" => Act::Make,
            "unmake" => Act::Unmake,
            "write" => Act::Write { from: self.had_text.clone(), to: self.text.clone()? },
            "restore" => Act::Restore { kept_as: unescape(self.kept_as.as_deref()?).ok()? },
            _ => return None,
        };
        let stamp = self.stamp.read()?;
        let step = Step {
            act,
            item: Spot::parse(&self.item).ok()?,
            kind: kind_of(&self.kind)?,
            stamp,
            size: self.bytes,
            modified: stamp.modified,
            why: Arc::clone(&self.why),
            doubts: Vec::new(),
            together: self.together,
        };
        Some((self.step, Planned::Step(Box::new(step))))
    }
}
