//! `nine sweep`: all that lies loose, into one folder.

use clap::Args;
use nine_core::amount::counted;
use nine_engine::Workspace;
use nine_engine::sweep::{self, Request, Swept};

use super::tidy::print_left;
use crate::args::{ShowArgs, WHAT};
use crate::failure::Done;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine sweep desktop            clears the desktop: everything into desktop/2031-04-07\n  nine sweep                    all piles, each into a folder of its own\n  nine sweep --sort-later       only what no rule is for, into the standing folder `Sort later`\n  nine retrieve desktop/2031-04-07/plan.pdf    pulls one back\n\nWhat is hidden, still arriving or changed just now stays, and so do folders of earlier sweeps."
)]
pub struct SweepArgs {
    /// The piles to sweep; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    /// Only what no rule is for, into a standing folder
    #[arg(long, help_heading = WHAT)]
    pub sort_later: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: SweepArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(&args, session, &workspace)?)
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan<'a>(args: &SweepArgs, session: &'a Session, workspace: &Workspace) -> Done<PlanToShow<'a>> {
    let request = Request { piles: args.piles.clone(), sort_later: args.sort_later };
    let Swept { plan, folders, left, looked_at } = sweep::plan(workspace, &request)?;
    let planned = PlanToShow::new(plan, move |_, out| {
        for (folder, many) in &folders {
            let folder = session.look.text(&folder.to_string());
            writeln!(out, "{} into {folder}", counted(*many, "loose item", "loose items"))?;
        }
        print_left(&left, looked_at, out)?;
        writeln!(
            out,
            "{FAINT}nine retrieve FILE pulls one of them back, nine put files it; nine undo takes all back{FAINT:#}"
        )
    });
    Ok(planned.naming_places(true))
}
