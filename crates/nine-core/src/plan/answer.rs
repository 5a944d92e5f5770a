//! What a person decides for one proposal, and what becomes of it then: the one way for tables, prompts and the review.

use serde::{Deserialize, Serialize};

use super::{Intent, Placing, Proposal};
use crate::place::{NameBuf, Spot};
use crate::rules::Clash;
use crate::worklist::Act;

/// What a person decided for one proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Answer {
    /// What to do where the name is taken.
    Clash(Clash),
    /// What the person knows: answers of facets by their names, or under `tag` the tag that files it.
    Told(Vec<(String, String)>),
    /// Where it goes, with the name that it has there.
    To(Spot),
    /// The folder that it goes into, whatever else was wanted.
    Into(Spot),
    /// What it is called, wherever it goes.
    Name(NameBuf),
    /// The tags that it has afterwards.
    Tags(Vec<String>),
    /// It goes into the trash, whatever else there is.
    Discard,
    /// It is left.
    Leave,
}

/// An item that can go nowhere else, such as one that comes out of the trash.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0} cannot go elsewhere")]
pub struct FixedTarget(pub Spot);

/// Applies the rules once more to an item of which so much is told.
pub type Again<'a, E> = dyn FnMut(&Spot, &[(String, String)]) -> Result<Option<Proposal>, E> + 'a;

/// A proposal after an answer; `None` if the rules know nothing to do with what was told.
///
/// # Errors
/// If the item can go nowhere else, or what `again` answers.
pub fn answered<E: From<FixedTarget>>(
    old: &Proposal,
    answer: &Answer,
    again: &mut Again<E>,
) -> Result<Option<Proposal>, E> {
    let mut new = old.clone();
    let fixed = || FixedTarget(old.item.clone());
    match answer {
        Answer::Clash(clash) => with_clash(&mut new, *clash),
        Answer::Leave => new.leave(),
        Answer::Tags(tags) => new.becomes = Some(tags.clone()).filter(|tags| *tags != new.tags),
        Answer::To(to) => new.intent = to_there(&old.intent, to).ok_or_else(fixed)?,
        Answer::Into(folder) if stands_there(&old.intent) => {
            let name = old.placing().and_then(|placing| placing.name.clone());
            new.intent = Intent::Place(Placing { name, ..Placing::into(folder.clone()) });
        }
        Answer::Name(name) if stands_there(&old.intent) => new.intent = named(old, name),
        Answer::Discard if stands_there(&old.intent) => {
            (new.intent, new.becomes) = (Intent::Exactly(Act::discard()), None);
        }
        Answer::Into(_) | Answer::Name(_) | Answer::Discard => return Err(fixed().into()),
        Answer::Told(told) => {
            // What was answered already stays so, also where the rules would find something else now.
            let known = old.answers.iter().filter_map(|(facet, value)| Some((facet.clone(), value.clone()?)));
            let mut all = told.clone();
            all.extend(known.filter(|(facet, _)| !told.iter().any(|(other, _)| other == facet)));
            let Some(found) = again(&old.item, &all)? else { return Ok(None) };
            // As what it was proposed, so that a change since is noticed.
            let Proposal { stamp, size, modified, .. } = *old;
            new = Proposal { stamp, size, modified, ..found };
            if let Some(placing) = old.placing() {
                with_clash(&mut new, placing.clash);
            }
        }
    }
    Ok(Some(new))
}

/// Has something else done where the name is taken.
fn with_clash(proposal: &mut Proposal, clash: Clash) {
    if let Intent::Place(placing) = &mut proposal.intent {
        placing.clash = clash;
    }
}

/// Whether the item lies where it is said to lie, so that anything may be done to it.
pub(crate) fn stands_there(intent: &Intent) -> bool {
    use super::PlacedBy::Unpack;
    match intent {
        Intent::Stay => true,
        Intent::Place(placing) => placing.by != Unpack,
        Intent::Exactly(act) => matches!(act, Act::Move { .. } | Act::Copy { .. } | Act::Discard { .. }),
    }
}

/// What is wanted of an item that gets another name.
fn named(old: &Proposal, name: &NameBuf) -> Intent {
    match &old.intent {
        Intent::Place(placing) => {
            Intent::Place(Placing { name: Some(name.clone()), number: None, ..placing.clone() })
        }
        Intent::Exactly(Act::Move { to }) => {
            let to = Spot::new(to.place.clone(), to.path.beside(name));
            Intent::Exactly(Act::Move { to })
        }
        _ => Intent::Place(Placing { name: Some(name.clone()), ..Placing::into(old.item.folder()) }),
    }
}

/// What is wanted of an item that is to go elsewhere; `None` if it cannot.
fn to_there(intent: &Intent, to: &Spot) -> Option<Intent> {
    let (folder, name) = (to.folder(), to.path.last().map(NameBuf::from));
    match intent {
        Intent::Exactly(Act::Restore { .. } | Act::Discard { .. }) => None,
        Intent::Exactly(_) => Some(Intent::Exactly(Act::Move { to: to.clone() })),
        Intent::Stay => Some(Intent::Place(Placing { name, ..Placing::into(folder) })),
        Intent::Place(placing) => Some(Intent::Place(Placing { folder, name, ..placing.clone() })),
    }
}
