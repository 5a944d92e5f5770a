//! Where things would go by the example of what is filed already.

mod corrections;
mod filed;
mod loose;
mod rules;
mod scope;

use std::collections::HashMap;

use nine_core::item::Kind;
use nine_core::kinds::ItemType;
use nine_core::place::Spot;
use nine_core::plan::{Intent, Placing, Proposal, with_followers};
use nine_core::suggest::{
    Calibrations, Known, Learned, Measured, Reason, Reasons, SURE, Suggestion, measure as tried,
};
use nine_core::worklist::Doubt;
use nine_stores::{Location, Places};

pub use nine_core::suggest::{FoundRule, RuleTally, SaidAndTrue};
pub use rules::{Contradiction, RulesFound, add_rules, rules};

use crate::error::Nowhere;
use crate::plan::{Draft, Plan};
use crate::reporter::Task;
use crate::rules_at_work::{Gathered, RulesAtWork};
use crate::workspace::{Workspace, listed};
use crate::{Error, Result};
use corrections::Corrections;
use filed::OnShelves;
pub(crate) use filed::most_common;
pub(crate) use loose::{LooseItem, loose_items};

/// A share that is never reached: where things are gone through one by one, every suggestion is looked at.
const NEVER: u8 = 101;

/// From which share on, in percent, another folder is told.
const WORTH_TELLING: u8 = 5;

/// What the catalogue keeps it under how far suggestions are to be believed.
const CALIBRATIONS: &str = "calibrations";

/// What is asked for.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// The names of piles; all, if there are none.
    pub piles: Vec<String>,
    /// Only what is as likely as this, in percent; where it is not said, what is likely enough by what was tried.
    pub over: Option<u8>,
    /// Whether all that is filed is read for what it says of itself, however long that takes.
    pub reads_all: bool,
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
    /// From which share on something is said, in percent.
    pub speaks_from: u8,
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
    learned: Learned,
    corrections: Corrections,
}

/// A suggestion with its reasons and, for each, the words of a search that lists what it counts.
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
    pub reasons: Vec<(Reason, Vec<String>)>,
}

impl<'w> Suggester<'w> {
    /// Learns from all bookcases.
    ///
    /// # Errors
    /// If there are none, or they cannot be looked at.
    pub fn read(workspace: &'w Workspace, reads_all: bool) -> Result<Self> {
        if workspace.config().bookcases.is_empty() {
            return Err(Error::Nowhere(Nowhere::Suggest));
        }
        let (shelves, examples, corrections) = OnShelves::read(workspace, reads_all)?;
        let known = Known { facets: &workspace.config().facets, now: workspace.now(), shelved: &shelves };
        let catalogue = shelves.catalogue();
        let earlier = catalogue.and_then(|catalogue| catalogue.learned(CALIBRATIONS).ok().flatten());
        let earlier: Option<Calibrations> = earlier.and_then(|kept| serde_json::from_slice(&kept).ok());
        let learn = || Learned::of(examples, &known, earlier.as_ref());
        let learned = workspace.during(Task::Learning, workspace.watch(), learn);
        let calibrations =
            Some(learned.calibrations()).filter(|calibrations| earlier.as_ref() != Some(calibrations));
        let value = calibrations.and_then(|calibrations| serde_json::to_vec(&calibrations).ok());
        let kept =
            catalogue.zip(value).map(|(catalogue, value)| catalogue.keep_learned(CALIBRATIONS, &value));
        if let Some(Err(error)) = kept {
            tracing::info!(%error, "what was tried is not kept");
        }
        Ok(Self { workspace, shelves, learned, corrections })
    }

    fn known(&self) -> Known<'_> {
        Known { facets: &self.workspace.config().facets, now: self.workspace.now(), shelved: &self.shelves }
    }

    /// From how much was learned.
    pub fn learned_from(&self) -> LearnedFrom {
        LearnedFrom { items: self.learned.examples.count(), folders: self.learned.destinations() }
    }

    /// Where one item would go.
    pub fn of<'l>(&'l self, reasons: &Reasons<'l>, loose: &LooseItem, places: &Places) -> Option<Explained> {
        let traits = loose.traits();
        let mut found = self.learned.suggest(&traits, &loose.item, &self.known());
        let at = places.of(&loose.item.spot).ok().map(|store| store.location(&loose.item.spot.path));
        let item_type = loose.item.verdict().item_type;
        found.retain(|suggestion| self.is_fit(suggestion, at.as_ref(), item_type, &loose.item.spot));
        let first = found.first()?;
        let with_search = |reason: Reason| {
            let search = self.shelves.scope.command(&reason);
            (reason, search)
        };
        Some(Explained {
            unsure: first.folder.unsure.clone(),
            is_there: first.folder.is_there,
            speaks: first.share >= self.learned.speaks_from(traits.is_folder),
            reasons: reasons.of(&traits, first).into_iter().map(with_search).collect(),
            folders: found.iter().map(|one| (one.folder.folder.clone(), one.share)).collect(),
        })
    }

    /// Whether a folder may be named: the item was not brought back from there, does not lie there, and no key comes
    /// before the eyes of others.
    fn is_fit(
        &self,
        suggestion: &Suggestion,
        at: Option<&Location>,
        item_type: ItemType,
        item: &Spot,
    ) -> bool {
        let folder = &suggestion.folder.folder;
        let store = self.workspace.store(&folder.place);
        let is_shared = || store.is_some_and(|store| store.seen_by(&folder.path).is_some());
        let was_refused = || {
            let folder = store.map(|store| store.location(&folder.path));
            at.zip(folder).is_some_and(|(at, folder)| self.corrections.was_refused(at, &folder))
        };
        *folder != item.folder() && !(item_type == ItemType::Key && is_shared()) && !was_refused()
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
        proposal.why = self.why(&folder);
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
    let suggester = Suggester::read(workspace, request.reads_all)?;
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let Gathered { loose, proposals: ruled, .. } = at_work.propose();
    let mut items: HashMap<Spot, LooseItem> = HashMap::new();
    let mut proposals = Vec::new();
    for (view, ids) in loose {
        for item in loose_items(&mut at_work.looking, view, &ids) {
            proposals.push(item.proposal());
            items.insert(item.item.spot.clone(), item);
        }
    }
    let places = &workspace.opened().places;
    let mut proposals = with_followers(proposals, &|folder| listed(places, folder));
    at_work.looking.keep();
    let troubles = away + at_work.looking.troubles + suggester.shelves.troubles();
    drop(at_work);
    let asked = proposals.len() as u64;
    let reasons = suggester.reasons();
    proposals.retain_mut(|proposal| {
        let found = items.get(&proposal.item).and_then(|item| suggester.of(&reasons, item, places));
        let is_said = |found: &Explained| request.over.map_or(found.speaks, |over| found.share() >= over);
        let found = found.filter(is_said);
        let is_some = found.is_some();
        found.into_iter().for_each(|found| found.propose(proposal, SURE));
        is_some
    });
    let unclear = asked - proposals.len() as u64;
    let words = std::iter::once("nine suggest").chain(request.piles.iter().map(String::as_str));
    let command = words.collect::<Vec<_>>().join(" ");
    let draft = Draft { troubles, ..Draft::new(command, proposals, places) };
    Ok(Suggested {
        plan: draft.draw_up(),
        learned: suggester.learned_from(),
        asked,
        unclear,
        ruled: ruled.iter().filter(|proposal| proposal.moves()).count() as u64,
        speaks_from: suggester.learned.speaks_from(false),
    })
}

/// How good suggestions are on these shelves.
///
/// # Errors
/// As [`plan`].
pub fn measure(workspace: &Workspace, reads_all: bool) -> Result<(Measured, LearnedFrom)> {
    let suggester = Suggester::read(workspace, reads_all)?;
    let measured = tried(&suggester.learned.examples, &suggester.known());
    Ok((measured, suggester.learned_from()))
}

/// Gives proposals that want nothing their suggestions, as far as something speaks for them.
pub(crate) fn suggest_for(
    workspace: &Workspace,
    proposals: &mut [Proposal],
    items: &HashMap<Spot, LooseItem>,
) -> Result<()> {
    if workspace.config().bookcases.is_empty() || items.is_empty() {
        return Ok(());
    }
    let suggester = Suggester::read(workspace, false)?;
    let reasons = suggester.reasons();
    let places = &workspace.opened().places;
    for proposal in proposals.iter_mut().filter(|proposal| proposal.kind != Kind::Other) {
        let found = items.get(&proposal.item).and_then(|item| suggester.of(&reasons, item, places));
        match found {
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
    if workspace.config().bookcases.is_empty() {
        return Ok(None);
    }
    let suggester = Suggester::read(workspace, false)?;
    let reasons = suggester.reasons();
    Ok(suggester.of(&reasons, item, &workspace.opened().places))
}
