//! Where things would go by the example of what is filed already.

mod corrections;
mod filed;
mod loose;
mod rules;

use std::cmp::Reverse;
use std::collections::HashSet;

use nine_core::condition::Condition;
use nine_core::item::Item;
use nine_core::kinds::ItemType;
use nine_core::place::Spot;
use nine_core::plan::{Intent, Placing, Proposal};
use nine_core::suggest::{
    Calibrations, Classifier, LearningContext, Measured, Reason, Reasons, SURE, measure as tried,
};
use nine_core::worklist::Doubt;
use nine_stores::Watch;

pub use nine_core::suggest::{FoundRule, SaidAndTrue};
pub use rules::{Contradiction, RulesFound, add_rules, rules};

use crate::error::Nowhere;
use crate::looking::learned::{keep, kept};
use crate::plan::{Draft, Plan};
use crate::reporter::Task;
use crate::rules_at_work::{Gathered, RulesAtWork};
use crate::workspace::Workspace;
use crate::{Error, Result};
use corrections::Corrections;
use filed::OnShelves;
pub(crate) use filed::most_common;
pub(crate) use loose::{LooseItem, LooseItems, all_loose};

/// A share that is never reached: where things are gone through one by one, every suggestion is looked at.
const NEVER: u8 = 101;

/// From which share on, in percent, another folder is told.
const WORTH_TELLING: u8 = 5;

/// What the catalogue keeps it under how far suggestions are to be believed; another name once that means something
/// else, or what was kept would go on being told.
const CALIBRATIONS: &str = "calibrations 2";

/// How much is read to suggest something.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Effort {
    /// Nothing is looked into, and drives are taken as they are known: something else was asked for, and this comes
    /// with it.
    Little,
    /// The newest are read for what they say of themselves, and small files that may lie there twice are compared.
    #[default]
    Usual,
    /// All is read, however long that takes.
    All,
}

/// What is asked for.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// The names of piles; all, if there are none.
    pub piles: Vec<String>,
    /// Only what is as likely as this, in percent; where it is not said, what is likely enough by what was tried.
    pub over: Option<u8>,
    /// How much is read.
    pub effort: Effort,
}

/// What was suggested.
pub struct Suggested {
    /// The plan.
    pub plan: Plan,
    /// From how much it was learned.
    pub learned: LearnedFrom,
    /// How many loose items were asked about.
    pub asked: u64,
    /// For how many nothing speaks clearly.
    pub unclear: u64,
    /// How many are filed by rules.
    pub ruled: u64,
}

/// From how much something was learned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LearnedFrom {
    /// Filed items.
    pub items: usize,
    /// Folders; those that are named by a value are one.
    pub folders: usize,
}

/// Knows what is filed, and where other things would go.
pub(crate) struct Suggester<'w> {
    workspace: &'w Workspace,
    shelves: OnShelves<'w>,
    learned: Classifier,
    corrections: Corrections,
}

/// A suggestion with its reasons and, for each, the condition of a search that lists what it counts.
#[derive(Debug, Clone)]
pub struct Explained {
    /// The folders, the likeliest first, each with its share in percent.
    pub folders: Vec<(Spot, u8)>,
    /// What is not sure of the first one's name.
    pub unsure: Option<String>,
    /// Whether its folder is there already.
    pub is_there: bool,
    /// Whether it is likely enough to be said.
    pub speaks: bool,
    /// What speaks for the first.
    pub reasons: Vec<(Reason, Condition)>,
    /// The bookcases in which such a search looks.
    pub bookcases: Vec<String>,
}

impl<'w> Suggester<'w> {
    /// Learns from all bookcases.
    ///
    /// # Errors
    /// If there are none, or they cannot be looked at.
    pub fn read(workspace: &'w Workspace, effort: Effort) -> Result<Self> {
        if workspace.config().bookcases.is_empty() {
            return Err(Error::Nowhere(Nowhere::Suggest));
        }
        let (shelves, examples, corrections) = OnShelves::read(workspace, effort)?;
        let known =
            LearningContext { facets: &workspace.config().facets, now: workspace.now(), shelved: &shelves };
        let earlier: Option<Calibrations> = kept(shelves.catalogue(), CALIBRATIONS);
        let learn = || Classifier::of(examples, &known, earlier.as_ref());
        let learned = workspace.during(Task::Learning, workspace.watch(), learn);
        let calibrations = learned.calibrations();
        if earlier.as_ref() != Some(&calibrations) {
            keep(shelves.catalogue(), CALIBRATIONS, &calibrations);
        }
        Ok(Self { workspace, shelves, learned, corrections })
    }

    /// The same beside something else that was asked for; `None` where there is no bookcase.
    ///
    /// # Errors
    /// If they cannot be looked at.
    fn beside(workspace: &'w Workspace) -> Result<Option<Self>> {
        match workspace.config().bookcases.is_empty() {
            true => Ok(None),
            false => Self::read(workspace, Effort::Little).map(Some),
        }
    }

    fn known(&self) -> LearningContext<'_> {
        LearningContext {
            facets: &self.workspace.config().facets,
            now: self.workspace.now(),
            shelved: &self.shelves,
        }
    }

    /// From how much was learned.
    pub fn learned_from(&self) -> LearnedFrom {
        LearnedFrom { items: self.learned.examples.count(), folders: self.learned.destinations() }
    }

    /// Where one item would go.
    fn of<'l>(&'l self, reasons: &Reasons<'l>, loose: &LooseItem) -> Option<Explained> {
        let traits = loose.traits();
        let mut found = self.learned.suggest(&traits, &loose.item, &self.known());
        let at = self.address(&loose.item.spot).unwrap_or_default();
        let refused = self.corrections.refused_at(&at);
        found.retain(|suggestion| self.is_fit(&suggestion.folder.folder, &loose.item, &refused));
        let first = found.first()?;
        let scope = &self.shelves.scope;
        let with_search = |reason: Reason| scope.condition(&reason).map(|search| (reason, search));
        Some(Explained {
            unsure: first.folder.unsure.clone(),
            is_there: first.folder.is_there,
            speaks: first.share >= self.learned.speaks_from(traits.is_folder),
            reasons: reasons.of(&traits, first).into_iter().filter_map(with_search).collect(),
            bookcases: scope.bookcases.clone(),
            folders: found.into_iter().map(|one| (one.folder.folder, one.share)).collect(),
        })
    }

    /// Where something of a place is, as it is written.
    fn address(&self, spot: &Spot) -> Option<String> {
        Some(self.workspace.store(&spot.place)?.location(&spot.path).to_string())
    }

    /// Whether a folder may be named: the item was not brought back from there, does not lie there, and no key comes
    /// before the eyes of others.
    fn is_fit(&self, folder: &Spot, item: &Item, refused: &HashSet<&str>) -> bool {
        let is_shared =
            || self.workspace.store(&folder.place).is_some_and(|store| store.seen_by(&folder.path).is_some());
        let is_key = item.verdict().item_type == ItemType::Key;
        let was_refused =
            || !refused.is_empty() && self.address(folder).is_some_and(|at| refused.contains(at.as_str()));
        *folder != item.spot.folder() && !(is_key && is_shared()) && !was_refused()
    }

    /// What is known of the reasons.
    pub fn reasons(&self) -> Reasons<'_> {
        self.learned.reasons()
    }
}

impl Explained {
    /// The share of the first folder, in percent.
    pub fn share(&self) -> u8 {
        self.folders.first().map_or(0, |(_, share)| *share)
    }

    /// Has a proposal say so. From `sure_from` on, in percent, it is no doubt.
    fn propose(self, proposal: &mut Proposal, sure_from: u8) {
        let Some((folder, share)) = self.folders.first().cloned() else { return };
        proposal.why = self.why(&folder).into();
        proposal.intent = Intent::Place(Placing::into(folder));
        proposal.doubts.extend((share < sure_from).then_some(Doubt::Suggested { share }));
        proposal.doubts.extend(self.unsure.map(Doubt::Answer));
        proposal.suggested = self.folders;
    }

    /// The share, then the reasons, then where else it may go.
    fn why(&self, folder: &Spot) -> String {
        let mut lines = vec![format!("{} %", self.share())];
        lines.extend(self.reasons.iter().map(|(reason, _)| reason.to_string()));
        if !self.is_there {
            lines.push("a new folder, named as those beside it are".to_owned());
        }
        let others =
            self.folders.iter().skip(1).filter(|(_, share)| *share >= WORTH_TELLING).map(|(place, _)| {
                match place.place == folder.place {
                    true => place.path.to_text(),
                    false => place.to_string(),
                }
            });
        let others: Vec<String> = others.collect();
        if !others.is_empty() {
            lines.push(format!("or {}", others.join(", or ")));
        }
        lines.join("\n")
    }
}

/// Plans where all that lies loose would go, as far as something speaks for it.
///
/// # Errors
/// If there is no bookcase, or no such pile.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Suggested> {
    let piles = workspace.piles(&request.piles)?;
    if piles.is_empty() {
        return Err(Error::Nowhere(Nowhere::Suggest));
    }
    let away = workspace.tell_closed(&piles);
    let suggester = Suggester::read(workspace, request.effort)?;
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let Gathered { loose, proposals: ruled, .. } = at_work.propose();
    let (mut proposals, items) = all_loose(&mut at_work, loose, request.effort);
    at_work.looking.keep();
    let troubles = away + at_work.looking.troubles + suggester.shelves.troubles();
    // What was read of the piles is not needed any more, and may be much.
    drop(at_work);
    let asked = proposals.len() as u64;
    let reasons = suggester.reasons();
    let watch = Watch::default();
    let suggest = || {
        proposals.retain_mut(|proposal| {
            watch.saw(1);
            let found = items.get(&proposal.item).and_then(|item| suggester.of(&reasons, item));
            let is_said = |found: &Explained| request.over.map_or(found.speaks, |over| found.share() >= over);
            let Some(found) = found.filter(is_said) else { return false };
            found.propose(proposal, SURE);
            true
        });
    };
    workspace.during(Task::Suggesting(asked), &watch, suggest);
    let unclear = asked - proposals.len() as u64;
    let words = std::iter::once("nine suggest").chain(request.piles.iter().map(String::as_str));
    let command = words.collect::<Vec<_>>().join(" ");
    let draft = Draft { troubles, ..Draft::new(command, proposals, &workspace.opened().places) };
    Ok(Suggested {
        plan: draft.draw_up(),
        learned: suggester.learned_from(),
        asked,
        unclear,
        ruled: ruled.iter().filter(|proposal| proposal.moves()).count() as u64,
    })
}

/// How good suggestions are on these shelves.
///
/// # Errors
/// As [`plan`].
pub fn measure(workspace: &Workspace, effort: Effort) -> Result<(Measured, LearnedFrom)> {
    let suggester = Suggester::read(workspace, effort)?;
    let measured = tried(&suggester.learned.examples, &suggester.known());
    Ok((measured, suggester.learned_from()))
}

/// Things that are gone through one by one and get a suggestion at most: the newest.
const GONE_THROUGH: usize = 5000;

/// Gives proposals that want nothing their suggestions, as far as something speaks for them.
pub(crate) fn suggest_for(workspace: &Workspace, proposals: &mut [Proposal], items: &LooseItems) -> Result {
    let mut of: Vec<&mut Proposal> =
        proposals.iter_mut().filter(|proposal| items.contains_key(&proposal.item)).collect();
    of.sort_by_key(|proposal| Reverse(proposal.modified));
    of.truncate(GONE_THROUGH);
    if of.is_empty() {
        return Ok(());
    }
    let Some(suggester) = Suggester::beside(workspace)? else { return Ok(()) };
    let reasons = suggester.reasons();
    for proposal in of {
        match suggester.of(&reasons, &items[&proposal.item]) {
            Some(found) if found.speaks => found.propose(proposal, NEVER),
            // What is too little to be proposed may be picked all the same.
            Some(found) => proposal.suggested = found.folders,
            None => {}
        }
    }
    Ok(())
}

/// Where one item would go, with reasons; `None` if nothing is filed that speaks for a folder.
///
/// # Errors
/// If the bookcases cannot be looked at.
pub(crate) fn suggest_one(workspace: &Workspace, item: &LooseItem) -> Result<Option<Explained>> {
    let Some(suggester) = Suggester::beside(workspace)? else { return Ok(None) };
    let reasons = suggester.reasons();
    Ok(suggester.of(&reasons, item))
}
