//! `nine tidy`: apply the rules.

use std::collections::BTreeMap;
use std::io::Write;

use clap::Args;
use nine_core::amount::{count, counted};
use nine_core::plan::Left;
use nine_engine::Workspace;
use nine_engine::tidy::{self, Request, Tidied};

use super::shelves;
use crate::args::ShowArgs;
use crate::failure::Done;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine tidy                     all piles: shows what would be done, then asks\n  nine tidy downloads           one pile\n  nine tidy --yes               carries it out without asking\n  nine tidy --format csv        the worklist as a table for other programs; changes nothing"
)]
pub struct TidyArgs {
    /// The piles to tidy; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: TidyArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(&args, session, &workspace)?)
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan<'a>(args: &TidyArgs, session: &'a Session, workspace: &'a Workspace) -> Done<PlanToShow<'a>> {
    let request = Request { piles: args.piles.clone() };
    let Tidied { plan, left, looked_at } = tidy::plan(workspace, &request)?;
    Ok(PlanToShow::new(plan, move |plan, out| {
        if !plan.checked.order.is_empty() {
            shelves::print_pictures_with(session, workspace, plan, out)?;
        }
        print_left(&left, looked_at, out)
    }))
}

/// `12 items looked at; left alone: 3 without a rule, 1 hidden`.
pub fn print_left(left: &BTreeMap<Left, u64>, looked_at: u64, out: &mut dyn Write) -> std::io::Result<()> {
    let reasons: Vec<String> =
        left.iter().map(|(why, number)| format!("{} {}", count(*number), why.words())).collect();
    let looked_at = counted(looked_at, "item", "items");
    let left = if reasons.is_empty() {
        "nothing left alone".to_owned()
    } else {
        format!("left alone: {}", reasons.join(", "))
    };
    writeln!(out, "{FAINT}{looked_at} looked at; {left}{FAINT:#}")
}
