//! `nine retrieve`: what was archived or swept, back to where it came from or onto a shelf.

use clap::Args;
use nine_core::amount::counted;
use nine_engine::Workspace;
use nine_engine::retrieve::{self, Request, Retrieved};

use super::put::folder_typed;
use crate::args::{ClashWord, SelectionArgs, ShowArgs, WHAT, WHERE_TO};
use crate::failure::Done;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine retrieve ~/Shelves/'9 Archive'/2031-04-07/downloads/plan.pdf\n  nine retrieve 'home/9 Archive/2031-04-07.zip/downloads/plan.pdf'   out of a pack, which stays as it is\n  nine retrieve --where name has sextant        whatever of it is archived or swept\n  nine retrieve --run 12                        all that run 12 moved\n  nine retrieve desktop/2031-04-07/letter.odt   what was swept goes back to the desktop\n  nine retrieve --where tag loans --on 2/Back   onto a shelf instead"
)]
pub struct RetrieveArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    /// All that a run moved away
    #[arg(long, value_name = "RUN", conflicts_with_all = ["paths", "condition", "saved"], help_heading = WHAT)]
    pub run: Option<u64>,
    /// Onto this shelf, not to where it came from
    #[arg(long, value_name = "SHELF[/FOLDER]", help_heading = WHERE_TO)]
    pub on: Option<String>,
    /// Make the folder although one that exists is called nearly the same
    #[arg(long, requires = "on", help_heading = WHERE_TO, hide_short_help = true)]
    pub new_folder: bool,
    /// Name taken: number, leave, hold or replace
    #[arg(long, value_name = "WHAT", default_value = "number", help_heading = WHERE_TO, hide_possible_values = true)]
    pub clash: ClashWord,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: RetrieveArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(&args, &workspace)?)
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan(args: &RetrieveArgs, workspace: &Workspace) -> Done<PlanToShow<'static>> {
    let onto = args.on.as_deref().map(|on| folder_typed(workspace, on, args.new_folder, &args.show));
    let (selection, clash) = (args.selection.selection()?, args.clash.into());
    let request = Request { selection, run: args.run, onto: onto.transpose()?, clash };
    let Retrieved { plan, selected } = retrieve::plan(workspace, &request)?;
    let count = counted(selected, "item", "items");
    let planned = PlanToShow::new(plan, move |_, out| {
        writeln!(out, "{FAINT}{count} selected; a pack stays as it is{FAINT:#}")
    });
    Ok(planned.naming_places(true))
}
