//! `nine undo`: take a run back.

use std::io::Write;
use std::path::Path;

use nine_carry::daybook::{self, Run};
use nine_carry::{UndoPlan, plan_undo};
use nine_core::amount::counted;
use nine_core::plan::Proposal;
use nine_stores::Places;

use super::history::{read_run, readable, taken_back};
use crate::cli::UndoArgs;
use crate::error::{Done, Failure};
use crate::output::style::REFUSED;
use crate::pipeline::{Planned, show_ask_carry};
use crate::recovery;
use crate::session::Session;

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &UndoArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::before_changing(session, &loaded.config)?;
    let opened = session.open(&loaded.config);
    let open = |at: &Path| session.open_store(&loaded.config, at, true);
    let plan_for = |run: Run| -> Done<(Run, Places, UndoPlan)> {
        let places = Places::from_addresses(&run.places, &open);
        let plan = plan_undo(&run, &earlier(session, &run)?, &places);
        Ok((run, places, plan))
    };
    let (run, places, plan) = match args.run {
        Some(number) => plan_for(read_run(session, number)?)?,
        None => last_run(session, &plan_for)?,
    };
    let mut err = crate::output::err();
    for (item, why) in &plan.refused {
        writeln!(err, "{REFUSED}x {item}{REFUSED:#} cannot be taken back: {why}")?;
    }
    drop(err);
    if plan.worklist.steps.is_empty() && plan.refused.is_empty() {
        writeln!(crate::output::err(), "Run {} has nothing left to take back.", run.number)?;
        return Ok(());
    }
    let proposals = plan.worklist.steps.into_iter().map(Proposal::fixed).collect();
    let planned = Planned {
        undoes: Some(run.number),
        clear_away: plan.made,
        dated: plan.dated,
        troubles: plan.refused.len(),
        ..Planned::new(format!("nine undo {}", run.number), proposals, &places)
    };
    let command = session.look.text(&nine_core::escape::plain(&run.command));
    let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
    let done = counted(run.done() as u64, "step", "steps");
    show_ask_carry(session, &opened, planned, &args.show, |_, out| {
        writeln!(out, "Takes back run {}: {command}, {at}, {done} done", run.number)
    })
}

/// The runs that took back a part of a run.
fn earlier(session: &Session, run: &Run) -> Done<Vec<Run>> {
    let numbers = daybook::runs(&session.data)?.into_iter().filter(|number| *number > run.number);
    let later = readable(session, numbers)?;
    let taken_back = taken_back(&later);
    let counts = |later: &Run| later.undoes == Some(run.number) && !taken_back.contains_key(&later.number);
    Ok(later.into_iter().filter(counts).collect())
}

/// The newest run that did something, is no undo itself, and of which something is left to take back.
fn last_run(
    session: &Session,
    plan_for: &dyn Fn(Run) -> Done<(Run, Places, UndoPlan)>,
) -> Done<(Run, Places, UndoPlan)> {
    let runs = readable(session, daybook::runs(&session.data)?.into_iter())?;
    let taken_back = taken_back(&runs);
    let open = |run: &Run| run.done() > 0 && run.undoes.is_none() && !taken_back.contains_key(&run.number);
    for run in runs.into_iter().rev().filter(open) {
        let (run, places, plan) = plan_for(run)?;
        if !plan.worklist.steps.is_empty() || !plan.refused.is_empty() {
            return Ok((run, places, plan));
        }
    }
    Err(Failure::words("there is no run to take back")
        .hint("`nine history` lists what was carried out; `nine undo RUN` names one"))
}
