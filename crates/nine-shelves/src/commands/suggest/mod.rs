//! `nine suggest`: where what lies loose would go, by the example of what is filed.

pub mod explained;
mod measure;
mod rules;

use std::io::Write;

use clap::Args;
use nine_core::amount::{count, counted};
use nine_engine::Workspace;
use nine_engine::suggest::{Effort, LearnedFrom, Request, Suggested, plan as suggest};

use crate::args::{PlainFormat, ShowArgs, WHAT};
use crate::failure::{Done, Failure};
use crate::output;
use crate::output::style::{FAINT, STRONG};
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine suggest                    all piles: shows where things would go and why, then asks\n  nine suggest downloads --sure   only what is 90 % sure or more\n  nine suggest --over 75%         only what is as sure as that\n  nine suggest --worklist w.csv   the same as a table, to be read and edited\n  nine suggest --rules            rules that say most of it, to be read, picked and written\n  nine suggest --measure          how often it is right on your shelves\n\nIt learns on this machine, from names, types, tags and what files say of themselves. What the archive holds, what is put off and what lies there twice teaches nothing; what you file by hand, or take back, counts more. `nine why PATH` tells more of one item."
)]
pub struct SuggestArgs {
    /// The piles; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    /// Only what is so sure, such as 80%
    ///
    /// Of those said to be 80 % sure, 8 in 10 are right.
    #[arg(long, value_name = "SHARE", value_parser = share, conflicts_with_all = ["rules", "measure"], help_heading = WHAT)]
    pub over: Option<u8>,
    /// A few rules that say most of what is filed
    #[arg(long, help_heading = "As rules")]
    pub rules: bool,
    /// With --rules: write these, such as 1,3
    #[arg(
        long,
        value_name = "NUMBERS",
        value_delimiter = ',',
        requires = "rules",
        help_heading = "As rules"
    )]
    pub only: Vec<usize>,
    /// How often it is right on your shelves
    ///
    /// Learned from what came earlier, asked about what came later.
    #[arg(long, conflicts_with_all = ["rules", "piles"], help_heading = WHAT)]
    pub measure: bool,
    /// Read first what all filed items say of themselves
    ///
    /// Their titles, authors and senders, however long that takes.
    #[arg(long, help_heading = WHAT)]
    pub read: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// `80`, `80%`, `80 %`.
fn share(typed: &str) -> Result<u8, String> {
    let number = typed.trim().trim_end_matches('%').trim_end();
    let share = number.parse().ok().filter(|share| *share <= 100);
    share.ok_or_else(|| "give a share of a hundred, such as 80%".to_owned())
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: SuggestArgs, session: &Session) -> Done {
    if args.measure {
        args.show.expect_action(false, "nothing to it; it only measures")?;
        let format = plain_format(&args)?;
        return measure::run(&session.workspace()?, effort(&args), format, &session.look);
    }
    let workspace = session.workspace()?;
    if args.rules {
        return rules::run(&args, session, &workspace);
    }
    Preview::new(session, &workspace, &args.show).propose(plan(&args, &workspace)?)
}

/// How much is read.
fn effort(args: &SuggestArgs) -> Effort {
    if args.read { Effort::All } else { Effort::Usual }
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan<'a>(args: &SuggestArgs, workspace: &Workspace) -> Done<PlanToShow<'a>> {
    let request = Request { piles: args.piles.clone(), over: args.over, effort: effort(args) };
    let found = suggest(workspace, &request)?;
    let Suggested { plan, learned, asked, unclear, ruled } = found;
    Ok(PlanToShow::new(plan, move |plan, out| {
        if learned.items == 0 {
            return nothing_filed(out);
        }
        let named = plan.draft.proposals.len() as u64;
        let parts = [(named, "with a folder"), (unclear, "for which nothing speaks clearly")];
        let parts: Vec<String> = parts
            .iter()
            .filter(|(number, _)| *number > 0)
            .map(|(number, words)| format!("{} {words}", count(*number)))
            .collect();
        let parts = if parts.is_empty() { String::new() } else { format!(": {}", parts.join(", ")) };
        let asked = counted(asked, "loose item", "loose items");
        writeln!(out, "{FAINT}{}; {asked}{parts}{FAINT:#}", learned_from(learned))?;
        if ruled > 0 {
            let ruled = counted(ruled, "item is", "items are");
            writeln!(out, "{FAINT}{ruled} left to your rules: nine tidy{FAINT:#}")?;
        }
        Ok(())
    }))
}

/// `learned from 412 items in 23 folders`.
fn learned_from(learned: LearnedFrom) -> String {
    let items = counted(learned.items as u64, "item", "items");
    let places = counted(learned.folders as u64, "folder", "folders");
    format!("learned from {items} in {places}")
}

fn nothing_filed(out: &mut dyn Write) -> std::io::Result<()> {
    writeln!(
        out,
        "Nothing is filed yet, so there is no example to follow. File some things by hand with {STRONG}nine review{STRONG:#} or {STRONG}nine put{STRONG:#}, or write a rule with {STRONG}nine rule add{STRONG:#}; then ask again."
    )
}

/// The format of what is only a list.
fn plain_format(args: &SuggestArgs) -> Done<PlainFormat> {
    use crate::args::Format;
    match args.show.format {
        Format::Table => Ok(PlainFormat::Table),
        Format::Csv => Ok(PlainFormat::Csv),
        Format::Json => Ok(PlainFormat::Json),
        Format::Paths | Format::Paths0 => {
            Err(Failure::words("there are no paths to print here").hint("say table, csv or json"))
        }
    }
}

/// Prints a message where there is nothing to show.
fn say_nothing_filed() -> Done {
    let mut out = output::out();
    nothing_filed(&mut out)?;
    Ok(out.flush()?)
}
