//! What is open in a plan, and what becomes of it once it is answered.

use nine_core::config::Pile;
use nine_core::place::Spot;
pub use nine_core::plan::Answer;
use nine_core::plan::{ClashFound, Proposal};
use nine_core::worklist::Doubt;

use super::Plan;
use crate::Result;
use crate::rules_at_work::RulesAtWork;
use crate::workspace::Workspace;

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
                (Answer::Clash(wanted), Some(clash)) => &Answer::Clash(clash.allows(*wanted)),
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

/// A proposal after an answer; `None` if the rules know nothing to do with what was told.
///
/// # Errors
/// As [`Plan::answer`].
pub(crate) fn answered(old: &Proposal, answer: &Answer, rules: &mut Rules) -> Result<Option<Proposal>> {
    nine_core::plan::answered(old, answer, &mut |item, told| rules.again(item, told))
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
        let places: std::collections::HashSet<&str> = items.map(|item| &*item.place).collect();
        let piles = workspace.config().piles.iter().filter(|pile| places.contains(pile.name.as_str()));
        Self { workspace, piles: piles.collect(), at_work: None }
    }

    /// What they want for an item now that so much is told.
    pub fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Result<Option<Proposal>> {
        if self.at_work.is_none() {
            self.at_work = Some(RulesAtWork::look(self.workspace, &self.piles)?);
        }
        Ok(self.at_work.as_mut().and_then(|at_work| at_work.again(item, told)))
    }
}
