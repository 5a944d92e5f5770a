//! What is gone through: all that lies loose in piles, a selection, a table, or a plan in hand.

use std::collections::{HashMap, HashSet};
use std::path::Path;

use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::kinds::ItemType;
use nine_core::metadata::{SaidField, TextField};
use nine_core::place::Spot;
use nine_core::plan::{Proposal, with_followers};
use nine_core::review::{Concerns, Review, ReviewItem};
use nine_core::tree::NodeId;
use nine_core::worklist::{Act, Doubt};

use super::OpenReview;
use crate::carry::{Doubts, Edited, read};
use crate::error::WantedOfPlace;
use crate::looking::{Looking, WantsInside};
use crate::plan::{Draft, Plan};
use crate::rules_at_work::{Gathered, RulesAtWork};
use crate::selection::Selection;
use crate::suggest::{Effort, all_loose, suggest_for};
use crate::workspace::{Workspace, listed};
use crate::{Error, Result};

/// All that lies loose in piles: what rules want for it, and what nothing is wanted for.
///
/// # Errors
/// If there is no such pile.
pub fn of_piles<'w>(workspace: &'w Workspace, names: &[String]) -> Result<OpenReview<'w>> {
    let piles = workspace.piles(names)?;
    if piles.is_empty() {
        return Err(Error::NothingToSweep);
    }
    let away = workspace.tell_closed(&piles);
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let Gathered { mut proposals, left, loose, .. } = at_work.propose();
    let places = &workspace.opened().places;
    let (mut unruled, items) = all_loose(&mut at_work, loose, Effort::Little);
    suggest_for(workspace, &mut unruled, &items)?;
    proposals.extend(unruled);
    let senders = senders(&mut at_work.looking, &proposals);
    let words = std::iter::once("nine review").chain(names.iter().map(String::as_str));
    let command = words.collect::<Vec<_>>().join(" ");
    let troubles = away + at_work.looking.troubles;
    at_work.looking.keep();
    let draft = Draft { troubles, by_rules: true, ..Draft::new(command, proposals, places) };
    drop(at_work);
    let mut open = open(workspace, draft);
    // Of what lies loose and no rule is for, nothing is left alone here.
    open.left = left;
    for why in [nine_core::plan::Left::NoRule, nine_core::plan::Left::InPlace] {
        open.left.remove(&why);
    }
    if !senders.is_empty() {
        open.set_senders(&senders);
    }
    Ok(open)
}

/// Any selection, wherever it lies; what rules want for it stands with it.
///
/// # Errors
/// If it cannot be found, or is a place.
pub fn of_selection<'w>(workspace: &'w Workspace, selection: &Selection) -> Result<OpenReview<'w>> {
    let selected = selection.select(workspace)?;
    if let Some(place) = selected.items.iter().find(|item| workspace.is_place(&item.item)) {
        return Err(Error::IsAPlace { item: place.item.clone(), wanted: WantedOfPlace::Put });
    }
    let piles = &workspace.config().piles;
    let holds = |pile: &str| selected.items.iter().any(|item| *item.item.place == *pile);
    let piles: Vec<_> = piles.iter().filter(|pile| holds(&pile.name)).collect();
    let mut by_rules: HashMap<Spot, Proposal> = HashMap::new();
    if !piles.is_empty() && !workspace.config().rules.is_empty() {
        let proposed = RulesAtWork::look(workspace, &piles)?.propose().proposals;
        by_rules.extend(proposed.into_iter().map(|proposal| (proposal.item.clone(), proposal)));
    }
    let items = with_followers(selected.items, &|folder| listed(&selected.places, folder));
    let items = items.into_iter().map(|item| by_rules.remove(&item.item).unwrap_or(item)).collect();
    let draft = Draft { troubles: selected.troubles, ..Draft::new("nine review", items, &selected.places) };
    Ok(open(workspace, draft))
}

/// A worklist from a table, as the person left it.
///
/// # Errors
/// What in the file cannot be understood.
pub fn of_file<'w>(workspace: &'w Workspace, file: &Path) -> Result<(OpenReview<'w>, Edited)> {
    let (draft, edited) = read(workspace, file, Doubts::ToBeSeen)?;
    Ok((open(workspace, draft), edited))
}

pub(super) fn open(workspace: &Workspace, draft: Draft) -> OpenReview<'_> {
    let (items, frame) = items_of(draft.draw_up(), true);
    OpenReview::new(workspace, Review::new(items), frame)
}

/// Who sent the mails among some items, as they say themselves. Nothing is read on drives for that.
fn senders(looking: &mut Looking, proposals: &[Proposal]) -> HashMap<Spot, String> {
    let wanted: HashSet<&Spot> = proposals.iter().map(|proposal| &proposal.item).collect();
    let mut found = HashMap::new();
    for view in 0..looking.views.len() {
        let of = &looking.views[view];
        if !of.store().is_some_and(|store| store.abilities().may_read) {
            continue;
        }
        let is_mail =
            |id: &NodeId| of.tree.item_type(*id) == ItemType::Mail && of.tree.kind(*id) == Kind::File;
        let mails = of.tree.ids().filter(is_mail).map(|id| (of.spot(id), id));
        let mails: Vec<(Spot, NodeId)> = mails.filter(|(spot, _)| wanted.contains(spot)).collect();
        if mails.is_empty() {
            continue;
        }
        let mut rows = Rows::none(of.tree.rows());
        mails.iter().for_each(|(_, id)| rows.add(id.row()));
        looking.read_words(view, &rows, WantsInside { said: true, ..WantsInside::default() });
        let sender = |id: NodeId| {
            let said = looking.said_by(&looking.views[view], id)?;
            said.written(SaidField::Text(TextField::Sender), looking.workspace.now())
        };
        found.extend(mails.into_iter().filter_map(|(spot, id)| Some((spot, sender(id)?))));
    }
    found
}

/// The items of a plan with what it has against each, and what of it belongs to the run. With `all` also what no
/// step came of.
pub(super) fn items_of(plan: Plan, all: bool) -> (Vec<ReviewItem>, Draft) {
    let Plan { mut draft, settled, checked } = plan;
    let proposals = std::mem::take(&mut draft.proposals);
    let mut has_step = vec![all; proposals.len()];
    let mut concerns: HashMap<usize, Concerns> = HashMap::new();
    let steps = settled.worklist.steps.into_iter().enumerate();
    for ((at, step), of) in steps.zip(settled.of) {
        has_step[of] = true;
        let refused = checked.refused.get(&at);
        if step.doubts.is_empty() && refused.is_none() {
            continue;
        }
        let concern = concerns.entry(of).or_default();
        let own = &proposals[of].doubts;
        let is_new = |doubt: &&Doubt| !own.contains(doubt) && step.act != Act::Leave || is_clash(doubt);
        let found: Vec<Doubt> = step.doubts.iter().filter(is_new).cloned().collect();
        for doubt in found {
            if !concern.doubts.contains(&doubt) {
                concern.doubts.push(doubt);
            }
        }
        concern.refused = concern.refused.take().or_else(|| refused.map(|problem| problem.words()));
    }
    for clash in settled.clashes {
        let of = clash.proposal;
        has_step[of] = true;
        concerns.entry(of).or_default().clash = Some(clash);
    }
    let items = proposals.into_iter().enumerate().filter(|(at, _)| has_step[*at]);
    let items =
        items.map(|(at, proposal)| ReviewItem::new(proposal).with(concerns.remove(&at).unwrap_or_default()));
    (items.collect(), draft)
}

fn is_clash(doubt: &Doubt) -> bool {
    matches!(doubt, Doubt::Clash { .. })
}

impl OpenReview<'_> {
    fn set_senders(&mut self, senders: &HashMap<Spot, String>) {
        for at in 0..self.review.items().len() {
            if let Some(sender) = senders.get(&self.review.items()[at].proposal.item) {
                self.review.set_sender(at, sender);
            }
        }
    }
}
