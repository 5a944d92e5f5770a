//! What is open in a plan, and what becomes of it once it is answered.

use nine_core::config::Pile;
use nine_core::place::{NameBuf, Spot};
use nine_core::plan::{ClashFound, Intent, Placing, Proposal};
use nine_core::rules::Clash;
use nine_core::worklist::{Act, Doubt};

use super::Plan;
use crate::rules_at_work::RulesAtWork;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What a person may decide. Proposals are named by their number in [`super::Draft::proposals`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Question {
    /// A name is taken; the rule's answer stands until there is another.
    Clash(ClashFound),
    /// Several tags could file an item.
    WhichTag {
        /// The proposal.
        proposal: usize,
        /// The tags.
        tags: Vec<String>,
    },
    /// What a facet answers is not known.
    Unknown {
        /// The proposal.
        proposal: usize,
        /// The facet.
        facet: String,
    },
}

/// What a person decided for one proposal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    /// What to do where the name is taken.
    Clash(Clash),
    /// What the person knows: answers of facets by their names, or under `tag` the tag that files it.
    Told(Vec<(String, String)>),
    /// Where it goes.
    To(Spot),
    /// The tags that it has afterwards.
    Tags(Vec<String>),
    /// It is left.
    Leave,
}

impl Plan {
    /// All that is open.
    pub fn questions(&self) -> Vec<Question> {
        let mut found: Vec<Question> = self.settled.clashes.iter().cloned().map(Question::Clash).collect();
        for (at, proposal) in self.draft.proposals.iter().enumerate() {
            for doubt in &proposal.doubts {
                if let Doubt::WhichTag(tags) = doubt {
                    found.push(Question::WhichTag { proposal: at, tags: tags.clone() });
                }
            }
            let unknown = proposal.answers.iter().filter(|(_, value)| value.is_none());
            let unknown = unknown.filter(|_| !proposal.doubts.is_empty());
            found.extend(unknown.map(|(facet, _)| Question::Unknown { proposal: at, facet: facet.clone() }));
        }
        found
    }

    /// Takes answers, and is the plan as it is then. What the rules know nothing to do with stays as it was.
    ///
    /// # Errors
    /// If the piles cannot be looked at again, or a step that can have no other target gets one.
    pub fn answer(&mut self, workspace: &Workspace, answers: &[(usize, Answer)]) -> Result {
        let mut rules = Rules::of(workspace, self.draft.proposals.iter().map(|proposal| &proposal.item));
        for (at, answer) in answers {
            let clash = self.settled.clashes.iter().find(|clash| clash.proposal == *at);
            let answer = match (answer, clash) {
                (Answer::Clash(wanted), Some(clash)) => &Answer::Clash(allowed(clash, *wanted)),
                _ => answer,
            };
            if let Some(answered) = answered(&self.draft.proposals[*at], answer, &mut rules)? {
                self.draft.proposals[*at] = answered;
            }
        }
        self.draw_up_again();
        Ok(())
    }
}

/// An answer as far as the clash allows it.
fn allowed(clash: &ClashFound, wanted: Clash) -> Clash {
    let (numbers, replaces) = clash.allowed;
    let is_allowed = match wanted {
        Clash::Number => numbers,
        Clash::Replace => replaces,
        Clash::Leave | Clash::Hold => true,
    };
    if is_allowed { wanted } else { Clash::Leave }
}

/// A proposal after an answer; `None` if the rules know nothing to do with what was told.
///
/// # Errors
/// As [`Plan::answer`].
pub(crate) fn answered(old: &Proposal, answer: &Answer, rules: &mut Rules) -> Result<Option<Proposal>> {
    let mut new = old.clone();
    match answer {
        Answer::Clash(clash) => with_clash(&mut new, *clash),
        Answer::Leave => new.leave(),
        Answer::Tags(tags) => new.becomes = Some(tags.clone()).filter(|tags| *tags != new.tags),
        Answer::To(to) => {
            new.intent = to_there(&old.intent, to).ok_or(Error::FixedTarget(old.item.clone()))?
        }
        Answer::Told(told) => {
            // What was answered already stays so, also where the rules would find something else now.
            let known = old.answers.iter().filter_map(|(facet, value)| Some((facet.clone(), value.clone()?)));
            let mut all = told.clone();
            all.extend(known.filter(|(facet, _)| !told.iter().any(|(other, _)| other == facet)));
            let Some(again) = rules.again(&old.item, &all)? else { return Ok(None) };
            // As what it was proposed, so that a change since is noticed.
            let Proposal { stamp, size, modified, .. } = *old;
            new = Proposal { stamp, size, modified, ..again };
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

/// The rules, which are looked up only once something hangs on them.
pub(crate) struct Rules<'w> {
    workspace: &'w Workspace,
    piles: Vec<&'w Pile>,
    at_work: Option<RulesAtWork<'w>>,
}

impl<'w> Rules<'w> {
    /// The rules for the piles that some items lie in.
    pub fn of<'i>(workspace: &'w Workspace, items: impl Iterator<Item = &'i Spot>) -> Self {
        let places: std::collections::HashSet<&str> = items.map(|item| item.place.as_str()).collect();
        let piles = workspace.config().piles.iter().filter(|pile| places.contains(pile.name.as_str()));
        Self { workspace, piles: piles.collect(), at_work: None }
    }

    /// What they want for an item now that so much is told.
    fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Result<Option<Proposal>> {
        if self.at_work.is_none() {
            self.at_work = Some(RulesAtWork::look(self.workspace, &self.piles)?);
        }
        Ok(self.at_work.as_mut().and_then(|at_work| at_work.again(item, told)))
    }
}
