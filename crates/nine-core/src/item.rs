//! An item as rules and conditions see it.

use std::fmt;

use jiff::civil::Date;

use crate::keep_together::Together;
use crate::kinds::{self, Content, ItemType, Verdict};
use crate::metadata::Metadata;
use crate::moment::{Moment, Now};
use crate::names;
use crate::place::{ItemPath, Spot};
use crate::worklist::Original;

/// A date of an item that may stand in for an answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)]
pub enum DateOf {
    Modified,
    Created,
    Taken,
    Sent,
}

impl DateOf {
    /// All of them with their words.
    pub const ALL: [(&'static str, DateOf); 4] = [
        ("modified", DateOf::Modified),
        ("created", DateOf::Created),
        ("taken", DateOf::Taken),
        ("sent", DateOf::Sent),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, date)| *date == self).map_or("", |(word, _)| word)
    }
}

/// What stands under a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A file with content.
    File,
    /// A folder.
    Folder,
    /// A symbolic link, never followed.
    Link,
    /// A device, pipe or socket: shown, never moved.
    Other,
}

/// What a store knows an item by, whatever its name: 128 bits that no other item there has.
///
/// Only the store that made it knows what it means; everyone else compares.
#[derive(Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
pub struct Identity(pub [u64; 2]);

impl Identity {
    /// Reads what `to_string` wrote.
    pub fn parse(text: &str) -> Option<Self> {
        let (a, b) = text.split_once('.')?;
        let number = |text| u64::from_str_radix(text, 16).ok();
        Some(Self([number(a)?, number(b)?]))
    }
}

impl fmt::Display for Identity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:x}.{:x}", self.0[0], self.0[1])
    }
}

impl fmt::Debug for Identity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self}")
    }
}

/// What a store tells of one name, without opening anything.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Entry {
    /// File, folder, link or other.
    pub kind: Kind,
    /// Bytes of content.
    pub size: u64,
    /// When the content was last changed.
    pub modified: Moment,
    /// When it was last opened, where that is kept.
    pub opened: Option<Moment>,
    /// When it came to be in this store, where that is kept and believed.
    pub born: Option<Moment>,
    /// When content, name or attributes were last changed, which nobody can set; where that is not
    /// kept, as `modified`.
    pub changed: Moment,
    /// What the store knows it by.
    pub identity: Identity,
}

impl Entry {
    /// What must still hold when a step is carried out.
    pub fn stamp(&self) -> Stamp {
        let size = if self.kind == Kind::Folder { 0 } else { self.size };
        Stamp { size, modified: self.modified, identity: self.identity }
    }

    /// The later of modified and arrived.
    pub fn changed_or_born(&self) -> Moment {
        self.born.map_or(self.modified, |born| born.max(self.modified))
    }
}

/// By what an item is known again: if any of it differs, it is not what was planned.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Stamp {
    /// Bytes of content; 0 for a folder.
    pub size: u64,
    /// When it was last changed.
    pub modified: Moment,
    /// What the store knows it by.
    pub identity: Identity,
}

impl Stamp {
    /// Of what is not there yet.
    pub fn none() -> Self {
        Self { size: 0, modified: Moment(0), identity: Identity([0, 0]) }
    }
}

/// An item with all that conditions may ask of it.
#[derive(Debug, Clone)]
pub struct Item {
    /// Where it lies.
    pub spot: Spot,
    /// What the store tells of it.
    pub entry: Entry,
    /// Bytes; of a folder, the sum of what lies in it.
    pub size: u64,
    /// How many files lie in it, at all depths; `None` for what is no folder, or was not read.
    pub items: Option<u64>,
    /// When it was last changed; of a folder, the newest thing inside.
    pub newest: Moment,
    /// The later of changed and arrived; of a folder, of all that lies in it.
    pub latest: Moment,
    /// Its tags.
    pub tags: Vec<String>,
    /// Tags that stand in its own text, where it is a note.
    pub note_tags: Vec<String>,
    /// Answers that the person gave for it: facet, answer.
    pub told: Vec<(String, String)>,
    /// Its first bytes, recognised; `None` as long as nobody looked.
    pub content: Option<Content>,
    /// The words inside; `None` if nobody read them.
    pub text: Option<String>,
    /// What it says of itself; `None` if nobody read it.
    pub said: Option<Metadata>,
    /// Whether it is a link that leads nowhere.
    pub broken: bool,
    /// Whether it lies in a folder that others see.
    pub shared: bool,
    /// Why it is moved as one or not at all, if it is.
    pub together: Option<Together>,
    /// How many items have its bytes, itself counted; `None` if nobody compared them.
    pub copies: Option<u32>,
    /// What has its bytes and stays, where the item itself is not needed.
    pub stays: Option<Stays>,
}

/// What stays in place of an item that is not needed, since both have the same bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stays {
    /// Where and what it is.
    pub original: Original,
    /// What spoke for it, in words.
    pub because: String,
    /// Tags of the item that it does not have.
    pub lost_tags: Vec<String>,
}

impl Item {
    /// An item of which nothing is known but what a scan tells.
    pub fn new(spot: Spot, entry: Entry) -> Self {
        Self {
            size: entry.size,
            items: None,
            newest: entry.modified,
            latest: entry.modified.max(entry.changed_or_born_if_file()),
            tags: Vec::new(),
            note_tags: Vec::new(),
            told: Vec::new(),
            content: None,
            text: None,
            said: None,
            broken: false,
            shared: false,
            together: None,
            copies: None,
            stays: None,
            spot,
            entry,
        }
    }

    /// The same as it would lie loose somewhere, whatever the folders are that it lies in.
    pub fn as_loose(self) -> Self {
        let name = ItemPath::of_names(self.spot.path.last().into_iter());
        Self { spot: Spot::new("loose", name), ..self }
    }

    /// The name.
    pub fn name(&self) -> &[u8] {
        self.spot.path.name()
    }

    /// The name without its extension; a folder's whole name.
    pub fn stem(&self) -> &[u8] {
        if self.is_folder() { self.name() } else { names::split_extension(self.name()).0 }
    }

    /// The extension with its dot; empty if there is none.
    pub fn extension(&self) -> &[u8] {
        if self.is_folder() { b"" } else { names::split_extension(self.name()).1 }
    }

    /// The extension that its content asks for, without a dot, where that contradicts its name.
    pub fn right_extension(&self) -> Option<&'static str> {
        let is_file = self.entry.kind == Kind::File;
        is_file.then(|| kinds::right_extension(self.name(), self.content.as_ref())).flatten()
    }

    /// Whether it is a folder.
    pub fn is_folder(&self) -> bool {
        self.entry.kind == Kind::Folder
    }

    /// Type and evidence.
    pub fn verdict(&self) -> Verdict {
        match self.entry.kind {
            Kind::Folder => Verdict { item_type: ItemType::Folder, evidence: kinds::Evidence::Folder },
            Kind::File => kinds::decide(self.name(), self.content.as_ref()),
            Kind::Link => Verdict { item_type: ItemType::Shortcut, evidence: kinds::Evidence::Link },
            Kind::Other => Verdict { item_type: ItemType::Unknown, evidence: kinds::Evidence::None },
        }
    }

    /// The time from which `age` counts: the later of modified and arrived.
    pub fn age_from(&self) -> Moment {
        self.latest.max(self.entry.changed_or_born_if_file())
    }

    /// The time from which `idle` counts: the latest of modified, arrived and opened.
    pub fn idle_from(&self) -> Moment {
        let opened = self.entry.opened.filter(|_| !self.is_folder());
        opened.map_or(self.age_from(), |opened| opened.max(self.age_from()))
    }

    /// The day of a date that may stand in for the answer of a facet.
    pub fn day(&self, of: DateOf, now: &Now) -> Option<Date> {
        match of {
            DateOf::Modified => now.day_of(self.newest),
            DateOf::Created => now.day_of(self.entry.born?),
            DateOf::Taken => self.said.as_ref()?.taken?.day(now),
            DateOf::Sent => now.day_of(self.said.as_ref()?.sent?),
        }
    }

    /// Whether it lies directly in its pile.
    pub fn is_loose(&self) -> bool {
        self.spot.path.depth() == 1
    }

    /// Whether its name, or that of a folder above it, starts with a dot.
    pub fn is_hidden(&self) -> bool {
        self.spot.path.parts().any(|name| names::is_hidden(&name))
    }

    /// Whether its name marks a partial download.
    pub fn is_unfinished(&self) -> bool {
        names::is_unfinished(self.name())
    }

    /// Whether it holds nothing: no byte, or no file at any depth.
    pub fn is_empty(&self) -> bool {
        match self.entry.kind {
            Kind::File => self.size == 0,
            Kind::Folder => self.items == Some(0),
            Kind::Link | Kind::Other => false,
        }
    }

    /// Whether its content contradicts its extension.
    pub fn is_mislabelled(&self) -> bool {
        matches!(self.verdict().evidence, kinds::Evidence::Contradiction(_))
    }
}

impl Entry {
    /// A folder's own times tell when something was put in or taken out, which is no change to it.
    fn changed_or_born_if_file(&self) -> Moment {
        if self.kind == Kind::Folder { Moment(i64::MIN) } else { self.changed_or_born() }
    }
}
