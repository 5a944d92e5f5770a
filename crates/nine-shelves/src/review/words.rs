//! The review's words: for groups, decisions, and what becomes of an item.

use nine_core::escape::{escape, plain};
use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::plan::{HELD, Intent, PlacedBy, Proposal};
use nine_core::review::{Decision, GroupKey, ReviewItem, State};
use nine_core::rules::Clash;
use nine_core::worklist::Act;

/// A folder as it is told: without its bookcase, where there is only one.
pub fn folder(spot: &Spot, names_places: bool, is_shelf: bool) -> String {
    match (spot.path.is_root(), names_places || !is_shelf) {
        (true, _) => spot.place.to_string(),
        (false, true) => spot.to_string(),
        (false, false) => spot.path.to_text(),
    }
}

/// What the items of a group share.
pub fn group(key: &GroupKey, names_places: bool, is_shelf: impl Fn(&Spot) -> bool) -> String {
    match key {
        GroupKey::Into(spot) => folder(spot, names_places, is_shelf(spot)),
        GroupKey::In(spot) => folder(spot, true, false),
        GroupKey::Tagged => "get tags and stay".into(),
        GroupKey::Trash => "the trash".into(),
        GroupKey::OutOfTrash => "out of the trash".into(),
        GroupKey::Other => "other steps".into(),
        GroupKey::Undecided => "for you to decide".into(),
        GroupKey::Unproposed => "nothing is proposed".into(),
        GroupKey::Type(word) => (*word).into(),
        GroupKey::Refused => "cannot be done".into(),
        GroupKey::Clash => "a name is taken".into(),
        GroupKey::InDoubt => "in doubt".into(),
        GroupKey::Sure => "without a doubt".into(),
    }
}

/// The name of an item, a folder's with a slash.
pub fn name(proposal: &Proposal) -> String {
    let slash = if proposal.kind == Kind::Folder { "/" } else { "" };
    format!("{}{slash}", escape(proposal.item.path.name()))
}

/// Where an item would go and what it would be called there, in a few words; `None` if it stays.
pub fn target(proposal: &Proposal, names_places: bool, is_shelf: impl Fn(&Spot) -> bool) -> Option<String> {
    let into = |spot: &Spot| folder(spot, names_places, is_shelf(spot));
    let renamed = |name: &[u8]| match name == proposal.item.path.name() {
        true => String::new(),
        false => format!(" as {}", escape(name)),
    };
    match &proposal.intent {
        Intent::Place(placing) if proposal.moves() => {
            let own = proposal.item.path.name();
            let name = placing.name.as_deref().unwrap_or(own);
            let copied = if placing.by == PlacedBy::Copy { "a copy into " } else { "" };
            Some(match placing.folder == proposal.item.folder() {
                true => format!("as {}", escape(name)),
                false => format!("{copied}{}{}", into(&placing.folder), renamed(name)),
            })
        }
        Intent::Exactly(Act::Move { to } | Act::Copy { to } | Act::Unpack { to }) => {
            Some(format!("{}{}", into(&to.folder()), renamed(to.path.name())))
        }
        Intent::Exactly(Act::Discard { .. }) => Some("the trash".into()),
        Intent::Exactly(Act::Restore { .. }) => Some("back out of the trash".into()),
        Intent::Exactly(act) => Some(act.word().into()),
        Intent::Stay | Intent::Place(_) => None,
    }
}

/// The tags that an item gets and loses.
pub fn tags(proposal: &Proposal) -> Option<String> {
    let after = proposal.becomes.as_ref()?;
    let given = after.iter().filter(|tag| !proposal.tags.contains(tag)).map(|tag| format!("+{}", plain(tag)));
    let taken = proposal.tags.iter().filter(|tag| !after.contains(tag)).map(|tag| format!("-{}", plain(tag)));
    Some(given.chain(taken).collect::<Vec<_>>().join(" "))
}

/// How far the person is with an item.
pub fn state(item: &ReviewItem) -> &'static str {
    match item.state {
        State::Open => "nothing is decided",
        State::Wanted => "to be done",
        State::Left => "left",
        State::Gone => "gone",
    }
}

/// What was decided.
pub fn decision(decision: &Decision, names_places: bool, is_shelf: impl Fn(&Spot) -> bool) -> String {
    let list = |tags: &[String], sign: &str| {
        tags.iter().map(|tag| format!("{sign}{}", plain(tag))).collect::<Vec<_>>().join(" ")
    };
    match decision {
        Decision::Take => "taken".into(),
        Decision::Leave => "left".into(),
        Decision::Into(spot) => format!("into {}", folder(spot, names_places, is_shelf(spot))),
        Decision::PutOff(spot) => format!("put off, into {}", folder(spot, names_places, is_shelf(spot))),
        Decision::Discard => "into the trash".into(),
        Decision::Archive => "into the archive".into(),
        Decision::Tags { give, take } => [list(give, "+"), list(take, "-")]
            .into_iter()
            .filter(|text| !text.is_empty())
            .collect::<Vec<_>>()
            .join(" "),
        Decision::Name(name) => format!("called {}", escape(name)),
        Decision::Told(told) => {
            let told: Vec<String> =
                told.iter().map(|(facet, value)| format!("{facet} is {}", plain(value))).collect();
            told.join(", ")
        }
        Decision::Clash(Clash::Number) => "numbered".into(),
        Decision::Clash(Clash::Leave) => "left".into(),
        Decision::Clash(Clash::Hold) => format!("held in {HELD}"),
        Decision::Clash(Clash::Replace) => "in place of the other, which goes into the trash".into(),
        Decision::Reopen => "open again".into(),
    }
}
