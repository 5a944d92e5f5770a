//! `nine undo`: take a run back.

use std::io::Write;

use clap::Args;
use nine_core::amount::counted;
use nine_core::escape::plain;
use nine_engine::undo::{Undone, plan};

use crate::args::ShowArgs;
use crate::failure::Done;
use crate::output;
use crate::preview::Preview;
use crate::session::Session;

/// Take a run back
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine undo                     the last run that has not been taken back\n  nine undo 12                  run 12; a run that was itself an undo can be taken back too"
)]
pub struct UndoArgs {
    /// The run's number, as `nine history` shows it
    #[arg(value_name = "RUN")]
    pub run: Option<u64>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: UndoArgs, session: &Session) -> Done {
    let workspace = session.to_change()?;
    let Undone { run, plan } = plan(&workspace, args.run)?;
    let Some(plan) = plan else {
        writeln!(output::err(), "Run {} has nothing left to take back.", run.number)?;
        return Ok(());
    };
    let command = session.look.text(&plain(&run.command));
    let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
    let done = counted(run.done() as u64, "step", "steps");
    let preview = Preview { names_places: true, ..Preview::new(session, &workspace, &args.show) };
    preview.show_ask_carry(plan, |_, out| {
        writeln!(out, "Takes back run {}: {command}, {at}, {done} done", run.number)
    })
}
