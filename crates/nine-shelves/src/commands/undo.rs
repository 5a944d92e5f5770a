//! `nine undo`: take a run back, or all of a routine.

use std::io::Write;

use clap::Args;
use nine_core::amount::counted;
use nine_core::escape::plain;
use nine_engine::Workspace;
use nine_engine::plan::Plan;
use nine_engine::routine::{Course, Foresight, PartDone, PartEnd, Parts};
use nine_engine::undo::{Undone, plan, runs_of_routine};

use super::routine;
use crate::args::ShowArgs;
use crate::failure::{Done, Failure};
use crate::output;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview, tell};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine undo                     the last run that has not been taken back\n  nine undo 12                  run 12; a run that was itself an undo can be taken back too\n  nine undo friday              all that the routine `friday` did the last time, the last part first"
)]
pub struct UndoArgs {
    /// The run's number, as `nine history` shows it, or the name of a routine
    #[arg(value_name = "RUN|ROUTINE")]
    pub run: Option<String>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: UndoArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let number = match args.run.as_deref().map(|typed| (typed, typed.parse())) {
        None => None,
        Some((_, Ok(number))) => Some(number),
        Some((typed, Err(_))) => return of_routine(&workspace, typed, &args.show, session),
    };
    match planned(&workspace, number, session)? {
        Some(planned) => Preview::new(session, &workspace, &args.show).propose(planned),
        None => Ok(()),
    }
}

/// What would be taken back; nothing, which is told, where nothing of the run is left.
fn planned<'a>(
    workspace: &Workspace,
    run: Option<u64>,
    session: &'a Session,
) -> Done<Option<PlanToShow<'a>>> {
    let Undone { run, plan } = plan(workspace, run)?;
    let Some(plan) = plan else {
        writeln!(output::err(), "Run {} has nothing left to take back.", run.number)?;
        return Ok(None);
    };
    let command = session.look.text(&plain(&run.command));
    let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
    let done = counted(run.done() as u64, "step", "steps");
    let planned = PlanToShow::new(plan, move |_, out| {
        writeln!(out, "Takes back run {}: {command}, {at}, {done} done", run.number)
    });
    Ok(Some(planned.naming_places(true)))
}

/// Takes back all that a routine did, run by run, the last one first.
fn of_routine(workspace: &Workspace, name: &str, show: &ShowArgs, session: &Session) -> Done {
    if runs_of_routine(workspace, name).is_err() {
        // A word that is no routine is told as such.
        nine_engine::routine::named(workspace, name)?;
    }
    let runs = runs_of_routine(workspace, name)?;
    let foresight = Foresight::of(workspace);
    let mut plans = Vec::new();
    for run in &runs {
        writeln!(output::out())?;
        let plan = match planned(foresight.workspace(), Some(*run), session)? {
            Some(PlanToShow { plan, epilogue, .. }) => {
                let preview = Preview::new(session, foresight.workspace(), show);
                Preview { names_places: true, ..preview }.print(&plan, epilogue)?;
                foresight.carry(&plan);
                Some(plan)
            }
            None => None,
        };
        plans.push(plan);
    }
    let commands = runs.iter().map(|run| format!("undo {run}")).collect();
    let course = Course { routine: name.to_owned(), commands, takes_back: true };
    let parts = Undos { runs, session };
    routine::go(&course, &parts, plans, &routine::Asking { plan: false, yes: show.yes }, session)
}

/// Runs that are taken back one after the other.
struct Undos<'a> {
    runs: Vec<u64>,
    session: &'a Session,
}

impl Parts for Undos<'_> {
    type Error = Failure;

    fn workspace(&self) -> Done<Workspace> {
        self.session.workspace()
    }

    fn plan(&self, part: usize, workspace: &Workspace) -> Done<Option<Plan>> {
        Ok(planned(workspace, Some(self.runs[part]), self.session)?.map(|planned| planned.plan))
    }

    fn print(&self, _part: usize) -> Done {
        Ok(())
    }

    fn ended(&self, part: usize, end: &PartEnd<Failure>) -> Option<String> {
        match end {
            PartEnd::Failed(failure) => Some(failure.told(&self.session.environment).message),
            PartEnd::Printed | PartEnd::Planned(PartDone { carried: None, .. }) => None,
            PartEnd::Planned(PartDone { carried: Some(carried), .. }) => {
                let mut out = output::out();
                let _ = write!(out, "\n{FAINT}undo of run {}{FAINT:#}", self.runs[part]);
                let _ = tell(carried.run, &carried.outcome, &carried.steps, out);
                None
            }
        }
    }
}
