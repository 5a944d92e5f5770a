//! Planners: they read, and return a worklist.
//!
//! Planning has two halves, so that no planner needs a disk: [`tidy::propose`] says what each item
//! wants, and [`settle`] gives every one a name that is free, from what stands at the targets.

mod answer;
pub mod archive;
pub mod copies;
pub mod discard;
mod followers;
mod items;
mod leave;
pub mod merge;
pub mod pack;
pub mod put;
pub mod retrieve;
mod settle;
mod shared_words;
pub mod sweep;
pub mod tag;
pub mod tidy;

pub use answer::{Answer, FixedTarget, answered};
pub use followers::{Siblings, with_followers};
pub use leave::Left;
pub use settle::{ClashFound, Settled, settle};

use std::collections::BTreeSet;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::item::{Item, Kind, Stamp, Stays};
use crate::kinds::Content;
use crate::metadata::Metadata;
use crate::moment::Moment;
use crate::pattern::NumberAt;
use crate::place::{ItemPath, Name, NameBuf, Spot};
use crate::rules::Clash;
use crate::tags;
use crate::tree::NodeId;
use crate::worklist::{Act, Doubt, Step};

/// What a planner may ask of an entry of a tree beyond what a scan tells. Asked only where it
/// matters. `path` is the entry's path in its store.
pub trait Details: Sync {
    /// The tags.
    fn tags(&self, id: NodeId, path: &ItemPath) -> Vec<String>;
    /// The tags that stand in a note's own text.
    fn note_tags(&self, id: NodeId, path: &ItemPath) -> Vec<String>;
    /// The first bytes, recognised; `None` if they cannot be read.
    fn content(&self, id: NodeId, path: &ItemPath) -> Option<Content>;
    /// The words inside; `None` if nobody read them.
    fn text(&self, id: NodeId) -> Option<String>;
    /// What it says of itself; `None` if nobody read it.
    fn said(&self, id: NodeId) -> Option<Metadata> {
        let _ = id;
        None
    }
    /// What has an entry's bytes and stays, where the entry is not needed.
    fn stays(&self, id: NodeId) -> Option<Stays> {
        let _ = id;
        None
    }
    /// Whether a link leads nowhere.
    fn is_broken(&self, path: &ItemPath) -> bool;
    /// Whether something lies in a folder that others see.
    fn is_shared(&self, path: &ItemPath) -> bool {
        let _ = path;
        false
    }
    /// Whether a link's target is counted from where the link lies, so that it must not be moved.
    fn is_relative_link(&self, path: &ItemPath) -> bool;
}

/// An item and what is wanted for it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proposal {
    /// Where it lies.
    pub item: Spot,
    /// File, folder or link.
    pub kind: Kind,
    /// As what it must be found.
    pub stamp: Stamp,
    /// Its bytes, all of a folder's.
    pub size: u64,
    /// When it was last changed; of a folder, the newest thing inside.
    pub modified: Moment,
    /// The tags that it has.
    pub tags: Vec<String>,
    /// The tags that stand in its own text, where it is a note.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub note_tags: Vec<String>,
    /// The tags that it has afterwards, where they change.
    pub becomes: Option<Vec<String>>,
    /// What facets answer, with their names; `None` where that is not known.
    pub answers: Vec<(String, Option<String>)>,
    /// What is wanted besides.
    pub intent: Intent,
    /// Why.
    pub why: Arc<str>,
    /// Reasons for a person to look.
    pub doubts: Vec<Doubt>,
    /// What goes where this goes.
    pub followers: Vec<Follower>,
    /// Where it may go by the example of what is filed, the likeliest first, each with its share in percent.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub suggested: Vec<(Spot, u8)>,
}

/// What is wanted for an item besides its tags.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Intent {
    /// It stays as it is; if there are doubts, a person should look.
    Stay,
    /// It gets a place or a name.
    Place(Placing),
    /// Exactly this is done to it, and nothing is left to be settled.
    Exactly(Act),
}

/// Where an item goes, and how.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Placing {
    /// The folder that it goes to; the one it lies in if it only gets a name.
    pub folder: Spot,
    /// The name that it gets, where that is a new one.
    pub name: Option<NameBuf>,
    /// Where in that name the first number stands that makes it another than all names there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub number: Option<NumberAt>,
    /// How it comes there.
    pub by: PlacedBy,
    /// What to do if the name is taken.
    pub clash: Clash,
    /// Whether what has its name holds the same bytes, where that was looked at.
    pub same: Option<bool>,
}

/// How an item comes to its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PlacedBy {
    /// It moves.
    Move,
    /// Another like it is made, and it stays where it is.
    Copy,
    /// It is taken out of a pack, which stays as it is.
    Unpack,
}

impl Placing {
    /// A move into a folder, under the item's own name or a number behind it.
    pub fn into(folder: Spot) -> Self {
        Self { folder, name: None, number: None, by: PlacedBy::Move, clash: Clash::Number, same: None }
    }
}

/// A file or folder that is moved with its leader or not at all.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Follower {
    /// Where it lies.
    pub item: Spot,
    /// File or folder.
    pub kind: Kind,
    /// As what it must be found.
    pub stamp: Stamp,
    /// Its bytes.
    pub size: u64,
    /// When it was last changed.
    pub modified: Moment,
    /// What its name has behind the leader's stem, if it is renamed like it.
    #[serde(with = "crate::escape::written::maybe")]
    pub ending: Option<Vec<u8>>,
}

impl Proposal {
    /// A proposal that wants nothing yet.
    pub fn for_item(item: &Item) -> Self {
        let tags = item.tags.clone();
        let new = Self::new(item.spot.clone(), item.entry.kind, item.entry.stamp(), tags);
        Self { size: item.size, modified: item.newest, note_tags: item.note_tags.clone(), ..new }
    }

    /// The same for what little is known of something.
    pub fn new(item: Spot, kind: Kind, stamp: Stamp, tags: Vec<String>) -> Self {
        Self {
            item,
            kind,
            stamp,
            size: stamp.size,
            modified: stamp.modified,
            tags,
            note_tags: Vec::new(),
            becomes: None,
            answers: Vec::new(),
            intent: Intent::Stay,
            why: "".into(),
            doubts: Vec::new(),
            followers: Vec::new(),
            suggested: Vec::new(),
        }
    }

    /// What is to be done exactly as a step says it.
    pub fn fixed(step: Step) -> Self {
        let new = Self::new(step.item, step.kind, step.stamp, Vec::new());
        let (why, doubts) = (step.why, step.doubts);
        let intent = Intent::Exactly(step.act);
        Self { size: step.size, modified: step.modified, intent, why, doubts, ..new }
    }

    /// Gives it tags, each once.
    pub fn add_tags<'t>(&mut self, tags: impl IntoIterator<Item = &'t String>) {
        let mut after = self.becomes.clone().unwrap_or_else(|| self.tags.clone());
        tags.into_iter().for_each(|tag| {
            tags::add(&mut after, tag);
        });
        self.becomes = Some(after).filter(|after| *after != self.tags);
    }

    /// Takes tags from it.
    pub fn drop_tags(&mut self, gone: &[String]) {
        let mut after = self.becomes.clone().unwrap_or_else(|| self.tags.clone());
        after.retain(|tag| !gone.contains(tag));
        self.becomes = Some(after).filter(|after| *after != self.tags);
    }

    /// Where it goes, if it gets a place or a name.
    pub fn placing(&self) -> Option<&Placing> {
        match &self.intent {
            Intent::Place(placing) => Some(placing),
            Intent::Stay | Intent::Exactly(_) => None,
        }
    }

    /// What exactly is done to it, if that is fixed.
    pub fn exactly(&self) -> Option<&Act> {
        match &self.intent {
            Intent::Exactly(act) => Some(act),
            Intent::Stay | Intent::Place(_) => None,
        }
    }

    /// Whether it says where the item goes or what it is called, and that is otherwise than it is.
    pub fn moves(&self) -> bool {
        self.placing().is_some_and(|placing| {
            let own = self.item.path.last();
            let is_own = |name: &NameBuf| match placing.number {
                // With whatever number it has already.
                Some(number) => own.is_some_and(|own| number.is_like(name, own)),
                None => own == Some(name.as_name()),
            };
            placing.name.as_ref().is_some_and(|name| !is_own(name)) || !self.item.lies_in(&placing.folder)
        })
    }

    /// Whether the item may come to leave the place where it lies.
    pub fn vacates(&self) -> bool {
        match &self.intent {
            Intent::Stay => false,
            Intent::Place(placing) => placing.by == PlacedBy::Move && self.moves(),
            Intent::Exactly(act) => act.vacates(),
        }
    }

    /// Leaves the item as it is, with its doubts.
    pub fn leave(&mut self) {
        (self.intent, self.becomes) = (Intent::Stay, None);
    }
}

/// The reason of what a person decided.
pub const BY_HAND: &str = "by hand";

/// The name of the side folder in which items are held whose name is taken.
pub const HELD: &str = "Held";
pub(crate) const HELD_NAME: Name = Name::constant(HELD);

/// The folders whose names must be known before the proposals can be settled.
pub fn folders_wanted(proposals: &[Proposal]) -> Vec<Spot> {
    let placings = || proposals.iter().filter_map(Proposal::placing);
    let mut folders: BTreeSet<Spot> = BTreeSet::new();
    let mut add = |folder: &Spot| {
        if !folders.contains(folder) {
            folders.insert(folder.clone());
        }
    };
    placings().for_each(|placing| add(&placing.folder));
    let held = placings().filter(|placing| placing.clash == Clash::Hold).map(|placing| &placing.folder);
    held.for_each(|folder| add(&Spot::new(folder.place.clone(), folder.path.join(HELD_NAME))));
    folders.into_iter().collect()
}

#[cfg(test)]
mod tests;
