//! A routine's parts, carried out one after the other.

use std::collections::BTreeMap;
use std::time::Duration;

use nine_carry::daybook::Occasion;
use nine_core::routine::{Routine, Unattended};

use super::loose;
use super::record::{OccasionRecord, PartRecord, last_times, remember};
use crate::left_alone::LeftAlone;
use crate::plan::{Agreed, Carried, Draft, Plan};
use crate::review::keep_waiting;
use crate::workspace::Workspace;
use crate::{Error, Result, displays};

/// The parts of a routine, as whoever knows the commands does them.
pub trait Parts {
    /// What goes wrong.
    type Error: From<Error>;
    /// A workspace as it is now, after the parts before.
    ///
    /// # Errors
    /// What is wrong with the configuration, or with a run that was cut off.
    fn workspace(&self) -> Result<Workspace, Self::Error>;
    /// What a part wants; `None` if it only prints.
    ///
    /// # Errors
    /// If it cannot be planned.
    fn plan(&self, part: usize, workspace: &Workspace) -> Result<Option<Plan>, Self::Error>;
    /// Does a part that only prints.
    ///
    /// # Errors
    /// If it cannot.
    fn print(&self, part: usize) -> Result<(), Self::Error>;
    /// Whether a part that only prints leaves something to be read later, so that it is done with nobody there as well.
    fn keeps(&self, _part: usize) -> bool {
        false
    }
    /// Told what came of a part. Returns why it failed, in words.
    fn ended(&self, part: usize, end: &PartEnd<Self::Error>) -> Option<String>;
}

/// What is done in one go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Course {
    /// The routine's name.
    pub routine: String,
    /// The commands of its parts.
    pub commands: Vec<String>,
    /// Whether a routine is taken back, and not run.
    pub takes_back: bool,
}

impl Course {
    /// A routine that is run.
    pub fn of(routine: &Routine) -> Self {
        let commands = routine.parts.iter().map(|part| part.text.clone()).collect();
        Self { routine: routine.name.clone(), commands, takes_back: false }
    }
}

/// What may be done.
#[derive(Debug)]
pub enum Permitted {
    /// What was agreed to, for each part.
    Agreed(Vec<Agreed>),
    /// What may be done with nobody there.
    Unattended(Unattended),
}

/// What came of a part.
pub enum PartEnd<E> {
    /// It only prints, and did so, unless nobody was there.
    Printed,
    /// It was planned, and what may be done was done.
    Planned(PartDone),
    /// It could not be begun.
    Failed(E),
}

/// What was done of a part.
pub struct PartDone {
    /// What came of the steps, if there were any.
    pub carried: Option<Carried>,
    /// Items that were left, since they were not what was agreed to any more.
    pub left: usize,
    /// Items that wait to be looked at.
    pub in_doubt: usize,
    /// What stood in the way, and was told.
    pub troubles: usize,
}

/// The account of a routine.
#[derive(Debug, Clone)]
pub struct Account {
    /// What was done.
    pub record: OccasionRecord,
    /// How many things lay loose in each pile after the last time.
    pub before: Option<BTreeMap<String, u64>>,
}

/// How often another program at work is waited for with nobody there, and how long between.
const TRIES: usize = 24;
const PAUSE: Duration = Duration::from_secs(5);

/// Carries the parts out, in order. One that fails does not keep the others from being done.
///
/// # Errors
/// If no workspace can be had at the end, to write down what came of it.
pub fn run<P: Parts>(course: &Course, parts: &P, how: &Permitted) -> Result<Account, P::Error> {
    let workspace = parts.workspace()?;
    let routine = &course.routine;
    let before = last_times(&workspace).remove(routine).map(|last| last.loose);
    let began = workspace.moment().to_rfc3339();
    let occasion = Occasion { routine: routine.clone(), began: began.clone() };
    let occasion = (!course.takes_back).then_some(&occasion);
    let mut waiting: Option<Draft> = None;
    let mut records = Vec::new();
    for (nth, command) in course.commands.iter().enumerate() {
        let end = one(parts, nth, how, occasion, &mut waiting).unwrap_or_else(PartEnd::Failed);
        let failed = parts.ended(nth, &end);
        records.push(PartRecord { command: command.clone(), failed, ..recorded(&end) });
        if workspace.watch().is_stopped() {
            break;
        }
    }
    let workspace = parts.workspace()?;
    displays::refresh_all(&workspace);
    let unattended = matches!(how, Permitted::Unattended(_));
    if unattended {
        let frame = waiting.unwrap_or_else(|| Draft::new("", Vec::new(), &workspace.opened().places));
        keep_waiting(&workspace, routine, Draft { command: format!("nine routine {routine}"), ..frame })?;
    }
    let loose = loose(&workspace);
    let record = OccasionRecord { routine: routine.clone(), began, unattended, parts: records, loose };
    if !course.takes_back {
        remember(&workspace, record.clone()).map_err(Error::Io)?;
    }
    Ok(Account { record, before })
}

fn one<P: Parts>(
    parts: &P,
    nth: usize,
    how: &Permitted,
    occasion: Option<&Occasion>,
    waiting: &mut Option<Draft>,
) -> Result<PartEnd<P::Error>, P::Error> {
    let workspace = parts.workspace()?;
    let Some(mut plan) = parts.plan(nth, &workspace)? else {
        // Nobody reads what is printed where nobody is.
        if matches!(how, Permitted::Agreed(_)) || parts.keeps(nth) {
            parts.print(nth)?;
        }
        return Ok(PartEnd::Printed);
    };
    plan.draft.occasion = occasion.cloned();
    // What an earlier part left for a person to look at waits for that, and no later part takes it away meanwhile.
    let open = waiting.iter().flat_map(|waiting| &waiting.proposals).map(|proposal| proposal.item.clone());
    plan.leave_items(&open.collect());
    let (left, in_doubt) = match how {
        Permitted::Agreed(agreed) => (plan.keep_to(&agreed[nth]), agreed[nth].declined()),
        Permitted::Unattended(may) => (0, keep_to_sure(&workspace, &mut plan, *may, waiting)),
    };
    let waits = matches!(how, Permitted::Unattended(_));
    let carried = match plan.checked.order.is_empty() {
        true => None,
        false => Some(carry(&plan, &workspace, waits)?),
    };
    Ok(PartEnd::Planned(PartDone { carried, left, in_doubt, troubles: plan.troubles() }))
}

/// Leaves in a plan what may be done with nobody there, and puts what is in doubt with what waits. Returns how many
/// items that are.
fn keep_to_sure(
    workspace: &Workspace,
    plan: &mut Plan,
    may: Unattended,
    waiting: &mut Option<Draft>,
) -> usize {
    plan.leave_alone(&LeftAlone::read(workspace));
    let open = match may {
        // A suggestion is a guess, however sure it is.
        Unattended::Sure if plan.suggests() => plan.leave_all(),
        Unattended::Sure => plan.leave_what_is_in_doubt(),
        Unattended::Nothing => plan.leave_all(),
    };
    let in_doubt = open.len();
    let open = plan.draft.with(open);
    match waiting {
        Some(waiting) => waiting.add(open),
        None => *waiting = Some(open),
    }
    in_doubt
}

/// Carries a plan out; with nobody there, another program that is at work is waited for.
fn carry(plan: &Plan, workspace: &Workspace, waits: bool) -> Result<Carried> {
    for _ in 1..TRIES {
        match plan.carry(workspace) {
            Err(Error::AtWork(_)) if waits && !workspace.watch().is_stopped() => std::thread::sleep(PAUSE),
            other => return other,
        }
    }
    plan.carry(workspace)
}

fn recorded<E>(end: &PartEnd<E>) -> PartRecord {
    match end {
        PartEnd::Printed => PartRecord { prints: true, ..PartRecord::default() },
        PartEnd::Planned(PartDone { carried, left, in_doubt, troubles }) => PartRecord {
            run: carried.as_ref().map(|carried| carried.run),
            done: carried.as_ref().map_or(0, |carried| carried.outcome.done() as u64),
            not_done: (carried.as_ref().map_or(0, Carried::troubles) + troubles) as u64,
            left: *left as u64,
            in_doubt: *in_doubt as u64,
            ..PartRecord::default()
        },
        PartEnd::Failed(_) => PartRecord::default(),
    }
}
