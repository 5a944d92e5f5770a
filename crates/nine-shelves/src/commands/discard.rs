//! `nine discard`: a selection into the trash.

use clap::Args;
use nine_core::amount::{counted, readable};
use nine_engine::Workspace;
use nine_engine::discard::{self, Discarded, KeptBy};
use nine_stores::drive::DISCARDED;

use crate::args::{SelectionArgs, ShowArgs};
use crate::failure::Done;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine discard letter.pdf old/                shows them, then asks\n  nine discard --where type installer         one type through all folders, listed first\n  nine discard --saved installers --sure      leaves what is in doubt\n  nine search ext tmp --format paths0 | nine discard - -0 --yes\n\nThe desktop's own trash shows what was discarded and can restore it; so can nine undo."
)]
pub struct DiscardArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: DiscardArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(&args, &workspace)?)
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan(args: &DiscardArgs, workspace: &Workspace) -> Done<PlanToShow<'static>> {
    let Discarded { plan, selected, bytes, kept_by } =
        discard::plan(workspace, &args.selection.selection()?)?;
    let selected = format!("{} selected, {}", counted(selected, "item", "items"), readable(bytes));
    let keeper = match kept_by {
        KeptBy::Trash => "the trash".to_owned(),
        KeptBy::Drive => format!("the folder {DISCARDED} on the drive"),
        KeptBy::Both => format!("the trash, or on a drive the folder {DISCARDED},"),
    };
    Ok(PlanToShow::new(plan, move |_, out| {
        writeln!(out, "{FAINT}{selected}; nothing is deleted, {keeper} keeps it{FAINT:#}")
    }))
}
