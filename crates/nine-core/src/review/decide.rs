//! What may be decided for an item, and what comes of it.

use serde::{Deserialize, Serialize};

use super::{ReviewItem, State, wants};
use crate::place::{NameBuf, Spot};
use crate::plan::{Answer, BY_HAND, FixedTarget, Intent, Proposal, answered};
use crate::rules::Clash;
use crate::tags;
use crate::worklist::{Act, Doubt, Original};

/// What a person decides.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Decision {
    /// As it is proposed.
    Take,
    /// It is left.
    Leave,
    /// Into this folder.
    Into(Spot),
    /// Into this folder, for later.
    PutOff(Spot),
    /// Into the trash.
    Discard,
    /// Into the archive.
    Archive,
    /// These tags are given and those are taken away.
    Tags {
        /// Tags that it gets.
        give: Vec<String>,
        /// Tags that it loses.
        take: Vec<String>,
    },
    /// It is called so.
    Name(NameBuf),
    /// Answers of facets by their names, or under `tag` the tag that files it.
    Told(Vec<(String, String)>),
    /// What is done where the name is taken.
    Clash(Clash),
    /// Nothing is decided any more.
    Reopen,
}

/// Why something cannot be decided for an item.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// There is nothing to take.
    #[error("nothing is proposed for it")]
    NothingProposed,
    /// It can go nowhere else.
    #[error(transparent)]
    Fixed(#[from] FixedTarget),
    /// It would stay where it is.
    #[error("it lies there already")]
    LiesThere,
    /// It would come into itself.
    #[error("a folder cannot come into itself")]
    IntoItself,
    /// The rules know nothing to do with an answer.
    #[error("with that, the rules still do not know where it goes")]
    StillUnknown,
    /// Its name is not taken.
    #[error("no name is taken")]
    NoClash,
    /// Another answer is not possible.
    #[error("{0}")]
    Not(String),
}

/// What decisions ask for beyond the proposals.
pub trait Knows {
    /// What the rules want for an item of which so much is told.
    ///
    /// # Errors
    /// Why that cannot be known.
    fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Result<Option<Proposal>, Refusal>;

    /// The folder of the archive that an item would go into.
    ///
    /// # Errors
    /// Why it cannot go there.
    fn archive_folder(&mut self, item: &Proposal) -> Result<Spot, Refusal>;
}

/// What comes of a decision for an item.
pub(super) fn outcome(
    item: &ReviewItem,
    decision: &Decision,
    knows: &mut dyn Knows,
) -> Result<(Proposal, State), Refusal> {
    let old = &item.proposal;
    let answer = match decision {
        Decision::Leave => return Ok((old.clone(), State::Left)),
        Decision::Take if wants(old) => return Ok((old.clone(), State::Wanted)),
        Decision::Take | Decision::Reopen => return Err(Refusal::NothingProposed),
        // A copy that is proposed to go is held against what stays, which must be so also if it was asked for by hand.
        Decision::Discard if matches!(old.exactly(), Some(Act::Discard { .. })) => {
            return Ok((old.clone(), State::Wanted));
        }
        Decision::Into(folder) | Decision::PutOff(folder) => Answer::Into(folder.clone()),
        Decision::Archive => Answer::Into(knows.archive_folder(old)?),
        Decision::Discard => Answer::Discard,
        Decision::Name(name) => Answer::Name(name.clone()),
        Decision::Told(told) => Answer::Told(told.clone()),
        Decision::Tags { give, take } => Answer::Tags(tagged(old, give, take)),
        Decision::Clash(wanted) => {
            let clash = item.concerns().and_then(|concerns| concerns.clash.as_ref());
            clash.ok_or(Refusal::NoClash)?;
            if *wanted == Clash::Leave {
                return Ok((old.clone(), State::Left));
            }
            allowed(item, *wanted)?;
            Answer::Clash(*wanted)
        }
    };
    if let Answer::Into(folder) = &answer
        && (*folder == old.item || folder.is_inside(&old.item))
    {
        return Err(Refusal::IntoItself);
    }
    let mut new =
        answered(old, &answer, &mut |item, told| knows.again(item, told))?.ok_or(Refusal::StillUnknown)?;
    let state = match decision {
        // Tags alone are agreed to; of what else is proposed nothing was said.
        Decision::Tags { .. } if wants(old) && item.state != State::Wanted => item.state,
        _ => State::Wanted,
    };
    match decision {
        Decision::Into(_) | Decision::PutOff(_) | Decision::Archive if !wants(&new) => {
            return Err(Refusal::LiesThere);
        }
        // What was in doubt about the rule's own answer is no more.
        Decision::Into(_) | Decision::PutOff(_) | Decision::Archive | Decision::Discard => {
            new.doubts.clear();
            new.why = BY_HAND.into();
        }
        Decision::Told(_) if !wants(&new) => return Err(Refusal::StillUnknown),
        _ => {}
    }
    if *decision == Decision::Discard
        && let Some(original) = same_there(item)
    {
        new.intent = Intent::Exactly(Act::Discard { copy_of: Some(original) });
    }
    let is_nothing = !wants(&new) && state == State::Wanted;
    Ok((new, if is_nothing { State::Open } else { state }))
}

/// What has the item's name where it was to go, if it holds the same bytes.
fn same_there(item: &ReviewItem) -> Option<Original> {
    let clash = item.concerns()?.clash.as_ref()?;
    let is_same = item.doubts().any(|doubt| matches!(doubt, Doubt::Clash { same: Some(true), .. }));
    let stamp = clash.theirs.as_ref().filter(|_| is_same)?.stamp();
    Some(Original { item: clash.at.clone(), stamp })
}

/// The tags of an item after some were given and some taken.
fn tagged(old: &Proposal, give: &[String], take: &[String]) -> Vec<String> {
    let mut after = old.becomes.clone().unwrap_or_else(|| old.tags.clone());
    after.retain(|tag| !take.contains(tag));
    for tag in give {
        tags::add(&mut after, tag);
    }
    after
}

/// Whether a clash may be decided so.
fn allowed(item: &ReviewItem, wanted: Clash) -> Result<(), Refusal> {
    let clash = item.concerns().and_then(|concerns| concerns.clash.as_ref());
    match clash.map(|clash| clash.allows(wanted)) {
        Some(allowed) if allowed == wanted => Ok(()),
        _ if wanted == Clash::Number => Err(Refusal::Not(
            "the files of a saved page point to it by name, so it can have no number".into(),
        )),
        _ => Err(Refusal::Not("only a file that is there can be replaced, and only by a file".into())),
    }
}
