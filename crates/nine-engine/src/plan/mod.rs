//! A plan: what a planner wants, with free names for all of it, checked as a whole, and with what is open in it.
//!
//! Whoever shows a plan (a table, a prompt, a screen) answers its [`Question`]s in its own way, all through
//! [`Plan::answer`], and has it carried out by [`Plan::carry`] as it is then.

mod agreed;
mod answers;
mod carry;
mod clashes;
mod doubts;
mod file;
mod lists;

use std::collections::HashSet;

use nine_carry::daybook::Occasion;
use nine_carry::{Sources, facts, sources, standing};
use nine_core::moment::Now;
use nine_core::place::Spot;
use nine_core::plan::{ClashFound, Proposal, Settled, folders_wanted, settle};
use nine_core::worklist::table::Line;
use nine_core::worklist::{Act, Checked, ClashAnswer, Doubt, Facts, Step, check, table};
use nine_stores::{Places, beside};

use crate::left_alone::LeftAlone;
pub use agreed::Agreed;
pub use answers::{Answer, Question};
pub(crate) use answers::{Rules, answered};
pub use carry::Carried;
pub use file::Written;
pub(crate) use file::load;

/// What a planner hands over: what is wanted, and what belongs to the run.
#[derive(Clone)]
pub struct Draft {
    /// What is wanted for each item.
    pub proposals: Vec<Proposal>,
    /// The places that they speak of.
    pub places: Places,
    /// The command, as the daybook keeps it.
    pub command: String,
    /// The run that is taken back.
    pub undoes: Option<u64>,
    /// Folders to take away afterwards if they are empty.
    pub clear_away: Vec<Spot>,
    /// Dated folders of the archive that come to be.
    pub dated: Vec<Spot>,
    /// What went wrong before there were steps.
    pub troubles: usize,
    /// Whether all of it is done or none.
    pub as_one: bool,
    /// Whether the rules proposed it.
    pub by_rules: bool,
    /// The facets that have columns in a table.
    pub facets: Vec<String>,
    /// The routine that it is a part of.
    pub occasion: Option<Occasion>,
}

impl Draft {
    /// What a command without rules proposes.
    pub fn new(command: impl Into<String>, proposals: Vec<Proposal>, places: &Places) -> Self {
        Self {
            proposals,
            places: places.clone(),
            command: command.into(),
            undoes: None,
            clear_away: Vec::new(),
            dated: Vec::new(),
            troubles: 0,
            as_one: false,
            by_rules: false,
            facets: Vec::new(),
            occasion: None,
        }
    }

    /// The same with other proposals.
    pub(crate) fn with(&self, proposals: Vec<Proposal>) -> Self {
        let Self { places, command, clear_away, dated, facets, occasion, .. } = self;
        let Self { undoes, troubles, as_one, by_rules, .. } = *self;
        Self {
            proposals,
            places: places.clone(),
            command: command.clone(),
            clear_away: clear_away.clone(),
            dated: dated.clone(),
            facets: facets.clone(),
            occasion: occasion.clone(),
            undoes,
            troubles,
            as_one,
            by_rules,
        }
    }

    /// Adds what another planner proposes. An item stands in it once, as it was proposed first.
    pub(crate) fn add(&mut self, other: Self) {
        let known: HashSet<Spot> = self.proposals.iter().map(|proposal| proposal.item.clone()).collect();
        self.proposals.extend(other.proposals.into_iter().filter(|proposal| !known.contains(&proposal.item)));
        self.places.add_all(&other.places);
        self.clear_away.extend(other.clear_away);
        self.dated.extend(other.dated);
        self.by_rules &= other.by_rules;
        self.facets.extend(other.facets);
    }

    /// Settles and checks. Where names are taken by files of the same size, their bytes are compared, and what turns
    /// out to be a copy is flagged as one.
    pub fn draw_up(mut self) -> Plan {
        let (settled, checked) = settle_and_check(&self.places, &mut self.proposals, self.as_one);
        Plan { draft: self, settled, checked }
    }
}

fn settle_and_check(places: &Places, proposals: &mut [Proposal], as_one: bool) -> (Settled, Checked) {
    let targets = standing(places, folders_wanted(proposals));
    let leaving = || proposals.iter().filter(|proposal| proposal.vacates()).map(|proposal| &proposal.item);
    // Names are given while folders are looked at.
    let give_names = || settle(proposals, &targets);
    let (mut settled, seen) = beside(give_names, || sources(places, leaving()));
    if clashes::compare(places, proposals, &settled.clashes) {
        settled = settle(proposals, &targets);
    }
    if as_one {
        settled.worklist.steps.iter_mut().for_each(|step| step.together = Some(1));
    }
    let Sources { domains, open_to } = seen;
    let worklist = &settled.worklist;
    let check = || check(worklist, &facts(places, worklist, Facts { targets, sources: domains }));
    let (checked, found) = beside(check, || doubts::find(places, &open_to, &worklist.steps));
    let steps = settled.worklist.steps.iter_mut();
    steps.zip(found).for_each(|(step, found)| step.doubts.extend(found));
    (settled, checked)
}

/// What a planner wants, with free names for all of it, checked as a whole.
pub struct Plan {
    /// What the planner handed over.
    pub draft: Draft,
    /// The steps, and which names were taken.
    pub settled: Settled,
    /// Which of them can be done, in which order.
    pub checked: Checked,
}

impl Plan {
    /// The steps that can be done, in the order in which they are to be.
    pub fn steps(&self) -> Vec<Step> {
        self.doable().cloned().collect()
    }

    /// The same to look at.
    pub fn doable(&self) -> impl Iterator<Item = &Step> {
        self.checked.order.iter().map(|at| &self.settled.worklist.steps[*at])
    }

    /// What a person should know of: what went wrong on the way here, and what cannot be done.
    pub fn troubles(&self) -> usize {
        self.draft.troubles + self.checked.refused.len()
    }

    /// Whether a person should look at some of it first.
    pub fn is_in_doubt(&self) -> bool {
        self.doable().any(|step| !step.doubts.is_empty())
    }

    /// Whether it can be gone through item by item: not what is done as a whole or not at all, and not what makes
    /// folders or writes texts.
    pub fn may_be_reviewed(&self) -> bool {
        let is_of_items = |step: &Step| !matches!(step.act, Act::Make | Act::Unmake | Act::Write { .. });
        !self.draft.as_one && self.doable().all(is_of_items)
    }

    /// What a person should look at: what would be done with a doubt, and what is only in doubt.
    pub fn in_doubt(&self) -> Vec<Proposal> {
        self.proposals_where(|step| !step.doubts.is_empty())
    }

    /// All that something is wanted for, or that is in doubt.
    fn wanted(&self) -> Vec<Proposal> {
        self.proposals_where(|step| step.act != Act::Leave)
    }

    /// The proposals of some steps, and those that are in doubt without any.
    fn proposals_where(&self, is_meant: impl Fn(&Step) -> bool) -> Vec<Proposal> {
        let steps = self.settled.worklist.steps.iter().zip(&self.settled.of);
        let meant: HashSet<usize> =
            steps.filter(|(step, _)| is_meant(step)).map(|(_, proposal)| *proposal).collect();
        let proposals = self.draft.proposals.iter().enumerate();
        let is_open = |at: usize, proposal: &Proposal| meant.contains(&at) || !proposal.doubts.is_empty();
        proposals.filter(|(at, proposal)| is_open(*at, proposal)).map(|(_, one)| one.clone()).collect()
    }

    /// Takes out what a person should look at first; it stays in the list with its doubts. Returns it as it was
    /// proposed. Nothing else comes to be in doubt by that: no item counts on a name that another one leaves.
    pub fn leave_what_is_in_doubt(&mut self) -> Vec<Proposal> {
        let left = self.in_doubt();
        for (step, proposal) in self.settled.worklist.steps.iter().zip(&self.settled.of) {
            if step.doubts.is_empty() {
                continue;
            }
            let proposal = &mut self.draft.proposals[*proposal];
            proposal.doubts.clone_from(&step.doubts);
            for doubt in &mut proposal.doubts {
                if let Doubt::Clash { answer, .. } = doubt {
                    *answer = ClashAnswer::Left;
                }
            }
            proposal.leave();
        }
        self.draw_up_again();
        left
    }

    /// Whether it goes by the example of what is filed.
    pub(crate) fn suggests(&self) -> bool {
        self.draft.proposals.iter().any(|proposal| !proposal.suggested.is_empty())
    }

    /// Leaves all of it. Returns what was wanted, and what is in doubt.
    pub(crate) fn leave_all(&mut self) -> Vec<Proposal> {
        let left = self.wanted();
        self.draft.proposals.iter_mut().for_each(Proposal::leave);
        self.draw_up_again();
        left
    }

    /// Leaves what the person took back, or what was filed before and has not changed since: it is not in doubt.
    pub(crate) fn leave_alone(&mut self, alone: &LeftAlone) {
        let places = self.draft.places.clone();
        self.leave_where(|proposal| alone.has(&places, proposal));
    }

    /// Leaves these items; they are not in doubt.
    pub(crate) fn leave_items(&mut self, items: &HashSet<Spot>) {
        self.leave_where(|proposal| items.contains(&proposal.item));
    }

    fn leave_where(&mut self, is_left: impl Fn(&Proposal) -> bool) {
        let mut any = false;
        for proposal in self.draft.proposals.iter_mut().filter(|proposal| is_left(proposal)) {
            proposal.leave();
            proposal.doubts.clear();
            any = true;
        }
        if any {
            self.draw_up_again();
        }
    }

    fn draw_up_again(&mut self) {
        let drawn = settle_and_check(&self.draft.places, &mut self.draft.proposals, self.draft.as_one);
        (self.settled, self.checked) = drawn;
    }

    /// The lines of a table.
    pub fn lines(&self, now: &Now) -> Vec<Line> {
        table::lines(&self.draft.proposals, &self.settled, &self.checked, now).0
    }

    /// The same, and the proposals in their order.
    fn lines_and_proposals(&self, now: &Now) -> (Vec<Line>, Vec<Proposal>) {
        let (lines, of) = table::lines(&self.draft.proposals, &self.settled, &self.checked, now);
        (lines, of.into_iter().map(|proposal| self.draft.proposals[proposal].clone()).collect())
    }

    /// The names that are taken.
    pub fn clashes(&self) -> &[ClashFound] {
        &self.settled.clashes
    }

    /// The folders that the steps lead to and that are not there yet, each with those above it.
    pub fn new_folders(&self) -> Vec<Spot> {
        let (mut missing, mut seen) = (Vec::new(), HashSet::new());
        for step in self.doable() {
            let (Act::Move { to } | Act::Copy { to }) = &step.act else { continue };
            let mut folder = to.folder();
            while !folder.path.is_root() && seen.insert(folder.clone()) {
                let entry = self.draft.places.of(&folder).and_then(|store| store.entry(&folder.path));
                if !matches!(entry, Ok(None)) {
                    break;
                }
                missing.push(folder.clone());
                folder = folder.folder();
            }
        }
        missing.sort();
        missing
    }
}
