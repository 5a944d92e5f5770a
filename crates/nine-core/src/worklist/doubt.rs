//! Reasons why a person should look at a step before it is carried out.

use crate::amount::readable;
use crate::escape::{escape, shortened};
use crate::item::{Entry, Kind};
use crate::kinds::type_of_name;
use crate::moment::{Moment, Now};
use crate::place::{NameBuf, Spot};
use crate::plan::HELD;

/// What is to be done with an item whose target's name is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
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
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub enum Doubt {
    /// A pattern needs a value that is not known.
    Unknown {
        /// The subject.
        subject: String,
        /// The rule whose pattern it is.
        rule: String,
    },
    /// A facet's answer is not sure, or not known; in words.
    Answer(String),
    /// By the example of what is filed it may go there, and may not.
    Suggested {
        /// In how many of a hundred such cases that is right.
        share: u8,
    },
    /// Several tags of the item could file it.
    WhichTag(Vec<String>),
    /// The target's name is taken.
    Clash {
        /// The name that is taken.
        name: NameBuf,
        /// The new one's bytes and last change.
        ours: (u64, Moment),
        /// What has the name; `None` if another step of this list takes it.
        theirs: Option<Entry>,
        /// The item of that step, its bytes and last change.
        #[serde(default)]
        rival: Option<(Spot, u64, Moment)>,
        /// Whether both hold the same bytes, where that was looked at.
        same: Option<bool>,
        /// What was decided.
        answer: ClashAnswer,
    },
    /// The saved page cannot be renamed, since it points to the folder of its files by name.
    PageKeepsName,
    /// The link points to a place counted from where it lies, and would lead nowhere from elsewhere.
    RelativeLink,
    /// It comes into a folder that others see, or leaves one.
    Sight {
        /// The folder that it comes into, written, and who will see it.
        gains: Option<(String, String)>,
        /// The folder that it leaves, and who will not see it any more.
        loses: Option<(String, String)>,
    },
    /// It leaves a folder that only its owner may enter, for one that others on this machine may.
    Opens {
        /// The folder that it leaves, written.
        from: String,
        /// The folder that it comes into, written.
        to: String,
    },
    /// What of it is not kept where it goes, in words.
    Loses(Vec<String>),
    /// Beside it comes or stands another whose name differs in letter case only.
    DiffersInCase(NameBuf),
    /// Two folders carry the number of the shelf.
    ShelfTwice {
        /// The shelf's number.
        number: u8,
        /// The folders' names, written.
        folders: Vec<String>,
    },
}

/// What stands under a name, as far as that tells.
pub fn kind_words(kind: Kind, name: &[u8]) -> String {
    match (kind, type_of_name(name)) {
        (Kind::File, Some(known)) => format!("type {}", known.word()),
        (Kind::File, None) => "a file".into(),
        (Kind::Folder, _) => "a folder".into(),
        (Kind::Link, _) => "a link".into(),
        (Kind::Other, _) => "a device or pipe".into(),
    }
}

impl ClashAnswer {
    /// What becomes of the new one.
    pub fn words(self) -> String {
        match self {
            ClashAnswer::Numbered => "numbered".into(),
            ClashAnswer::Left => "left".into(),
            ClashAnswer::Held => format!("held in {HELD}"),
            ClashAnswer::Replaced => "that one goes into the trash".into(),
        }
    }
}

/// The most characters of a name that are told beside what it is about.
const LONGEST: usize = 36;

/// How an item differs from what has the name that it wants.
fn clash_with(
    theirs: &Entry,
    name: &[u8],
    same: Option<bool>,
    side: &dyn Fn(u64, Moment) -> String,
) -> String {
    let there = side(theirs.size, theirs.modified);
    let name = shortened(&escape(name), LONGEST);
    match (theirs.kind, same) {
        (_, Some(true)) => format!("same bytes as the `{name}` there ({there})"),
        (Kind::File, Some(false)) => format!("other bytes than the `{name}` there ({there})"),
        (Kind::File, None) => format!("`{name}` is there ({there})"),
        (kind, _) => format!("{} called `{name}` is there", kind_words(kind, name.as_bytes())),
    }
}

/// What is not known of an item, by the word of patterns.
fn unknown_words(subject: &str) -> &'static str {
    match subject {
        "arrived" => "when it arrived",
        "created" => "when it was created",
        "opened" => "when it was last opened",
        "taken" => "when it was taken",
        "sent" => "when it was sent",
        "title" => "its title",
        "author" => "its author",
        "sender" => "its sender",
        "subject" => "its subject",
        "artist" => "its artist",
        "album" => "its album",
        "camera" => "its camera",
        "origin" => "where it came from",
        "type" => "its type",
        "ext" => "its extension",
        "tag" => "a tag of it",
        _ => "a name for it",
    }
}

impl Doubt {
    /// The doubt in words: the fact first, and then what follows from it.
    pub fn words(&self, now: &Now) -> String {
        match self {
            Doubt::Unknown { subject, rule } => {
                let what = unknown_words(subject);
                format!("{what} is not known, and the rule `{rule}` needs it")
            }
            Doubt::Answer(words) => words.clone(),
            Doubt::Suggested { share } => {
                format!("a guess: {share} of a hundred such are right")
            }
            Doubt::WhichTag(tags) => {
                let tags: Vec<String> =
                    tags.iter().map(|tag| format!("`{}`", escape(tag.as_bytes()))).collect();
                format!("it has several tags: {}; which one files it", tags.join(", "))
            }
            Doubt::Clash { name, theirs, rival, same, answer, .. } => {
                let side = |size: u64, at: Moment| {
                    let day = now.format(at, "%Y-%m-%d").unwrap_or_default();
                    format!("{}, {day}", readable(size))
                };
                let fact = match (theirs, rival) {
                    (Some(entry), _) => clash_with(entry, name, *same, &side),
                    (None, Some((item, size, at))) => {
                        let item = shortened(&item.to_string(), LONGEST);
                        match same {
                            Some(true) => format!("same bytes as {item}, which takes the name"),
                            Some(false) => format!("other bytes than {item}, which takes the name"),
                            None => format!("{item} ({}) takes the name", side(*size, *at)),
                        }
                    }
                    (None, None) => "another step takes the name".to_owned(),
                };
                format!("{fact}: {}", answer.words())
            }
            Doubt::PageKeepsName => {
                "a saved page keeps its name, since it points to the folder of its files".into()
            }
            Doubt::RelativeLink => {
                "it is a link that is counted from where it lies; moved, it would lead nowhere".into()
            }
            Doubt::Sight { gains, loses } => {
                let gains = gains.as_ref().map(|(folder, who)| format!("{who} will see it in {folder}"));
                let loses = loses.as_ref().map(|(folder, who)| {
                    format!("it leaves {folder}, and {who} will not see it there any more")
                });
                gains.into_iter().chain(loses).collect::<Vec<_>>().join("; ")
            }
            Doubt::Opens { from, to } => {
                format!("only you may enter {from}; others on this machine may look into {to}")
            }
            Doubt::Loses(what) => what.join("; "),
            Doubt::DiffersInCase(other) => {
                let other = shortened(&escape(other), LONGEST);
                format!("only letter case tells it from `{other}` there; elsewhere they are one name")
            }
            Doubt::ShelfTwice { number, folders } => {
                let names: Vec<String> = folders.iter().map(|f| format!("`{f}`")).collect();
                format!("several folders have the number {number}: {}; rename all but one", names.join(", "))
            }
        }
    }
}
