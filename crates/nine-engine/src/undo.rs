//! A run taken back.

use nine_carry::daybook::{self, Run};
use nine_carry::{UndoPlan, plan_undo};
use nine_core::plan::Proposal;
use nine_stores::{Location, Places};

use crate::error::ScheduleError;
use crate::history::{self, readable, taken_back};
use crate::plan::{Draft, Plan};
use crate::reporter::Notice;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What would be taken back.
pub struct Undone {
    /// The run.
    pub run: Run,
    /// The plan; `None` if nothing of the run is left to take back.
    pub plan: Option<Plan>,
}

/// Plans to take a run back; the last one that has not been, if none is named.
///
/// # Errors
/// If there is no such run, or none at all.
pub fn plan(workspace: &Workspace, run: Option<u64>) -> Result<Undone> {
    let (run, places, found) = match run {
        Some(number) => plan_for(workspace, history::run(workspace, number)?)?,
        None => last_run(workspace)?,
    };
    for (item, why) in &found.refused {
        workspace.notice(&Notice::NotUndone(item, why));
    }
    if found.worklist.steps.is_empty() && found.refused.is_empty() {
        return Ok(Undone { run, plan: None });
    }
    let proposals = found.worklist.steps.into_iter().map(Proposal::fixed).collect();
    let draft = Draft {
        undoes: Some(run.number),
        clear_away: found.made,
        dated: found.dated,
        troubles: found.refused.len(),
        ..Draft::new(format!("nine undo {}", run.number), proposals, &places)
    };
    Ok(Undone { run, plan: Some(draft.draw_up()) })
}

/// The runs of the last time that a routine was run and of which something is left to take back, the newest first.
///
/// # Errors
/// If there is none.
pub fn runs_of_routine(workspace: &Workspace, routine: &str) -> Result<Vec<u64>> {
    let runs = readable(workspace, daybook::runs(workspace.data())?.into_iter());
    let taken_back = taken_back(&runs);
    let open = |run: &&Run| run.done() > 0 && !taken_back.contains_key(&run.number);
    let of_it = |run: &&Run| run.occasion.as_ref().is_some_and(|occasion| occasion.routine == routine);
    let mut left = runs.iter().rev().filter(of_it).filter(open).peekable();
    let last = left.peek().and_then(|run| run.occasion.clone());
    let numbers: Vec<u64> = left.filter(|run| run.occasion == last).map(|run| run.number).collect();
    if numbers.is_empty() { Err(ScheduleError::NothingLeft(routine.to_owned()).into()) } else { Ok(numbers) }
}

fn plan_for(workspace: &Workspace, run: Run) -> Result<(Run, Places, UndoPlan)> {
    let places = Places::from_addresses(&run.places, &|at: &Location| workspace.open_store(at, true));
    let plan = plan_undo(&run, &earlier(workspace, &run)?, &places);
    Ok((run, places, plan))
}

/// The runs that took back a part of a run.
fn earlier(workspace: &Workspace, run: &Run) -> Result<Vec<Run>> {
    let numbers = daybook::runs(workspace.data())?.into_iter().filter(|number| *number > run.number);
    let later = readable(workspace, numbers);
    let taken_back = taken_back(&later);
    let counts = |later: &Run| later.undoes == Some(run.number) && !taken_back.contains_key(&later.number);
    Ok(later.into_iter().filter(counts).collect())
}

/// The newest run that did something, is no undo itself, and of which something is left to take back.
fn last_run(workspace: &Workspace) -> Result<(Run, Places, UndoPlan)> {
    let runs = readable(workspace, daybook::runs(workspace.data())?.into_iter());
    let taken_back = taken_back(&runs);
    let open = |run: &Run| run.done() > 0 && run.undoes.is_none() && !taken_back.contains_key(&run.number);
    for run in runs.into_iter().rev().filter(open) {
        let (run, places, plan) = plan_for(workspace, run)?;
        if !plan.worklist.steps.is_empty() || !plan.refused.is_empty() {
            return Ok((run, places, plan));
        }
    }
    Err(Error::NothingToUndo)
}
