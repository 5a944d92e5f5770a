//! `nine history`: the daybook.

mod give_up;
mod stats;

use std::io::Write;

use clap::{Args, Subcommand};
use nine_carry::daybook::{Ended, Occasion, Run};
use nine_core::amount::counted;
use nine_core::escape::plain;
use nine_core::worklist::{Act, one_line};
use nine_engine::Workspace;
use nine_engine::history::{self, History, RunAccount, RunNote};
use serde::Serialize;

use crate::args::{CARRIED, PlainFormat, SHOWN};
use crate::failure::Done;
use crate::output::style::{CHANGE, DOUBT, FAINT, REFUSED, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_long_help = "Examples:\n  nine history                  the last runs\n  nine history 12               every step of run 12\n  nine history --stats          what was done in all, command by command\n  nine history --format json\n  nine history give-up 12       closes a run that was cut off and whose place is gone for good"
)]
pub struct HistoryArgs {
    #[command(subcommand)]
    pub command: Option<HistoryCommand>,
    /// A run, to see its steps
    #[arg(value_name = "RUN")]
    pub run: Option<u64>,
    /// What was done in all, command by command
    #[arg(long, conflicts_with_all = ["run", "limit"], help_heading = SHOWN)]
    pub stats: bool,
    /// How many runs to show
    #[arg(long, value_name = "N", default_value_t = 20, help_heading = SHOWN)]
    pub limit: usize,
    /// As table, csv or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: PlainFormat,
}

/// What is done with runs
#[derive(Debug, Subcommand)]
pub enum HistoryCommand {
    /// Close a run that was cut off and whose place is gone for good
    #[command(
        after_long_help = "Examples:\n  nine history give-up 12       says what will not be known, and asks\n  nine history give-up 12 --yes\n\nA run of which a place is away waits, and each command looks again. Once it is closed nobody looks any more;\nno file is touched."
    )]
    GiveUp {
        /// The run
        #[arg(value_name = "RUN")]
        run: u64,
        /// Close it without asking
        #[arg(short, long, help_heading = CARRIED)]
        yes: bool,
    },
}

/// Runs it.
///
/// # Errors
/// If the daybook cannot be read, or there is no such run.
pub fn run(args: HistoryArgs, session: &Session) -> Done {
    if let Some(HistoryCommand::GiveUp { run, yes }) = args.command {
        return give_up::run(run, yes, session);
    }
    let workspace = session.workspace()?;
    match args.run {
        Some(number) => one_run(&history::run(&workspace, number)?, args.format, session),
        None if args.stats => stats::print(&history::stats(&history::all(&workspace)?), args.format, session),
        None => all_runs(&args, &workspace, session),
    }
}

fn all_runs(args: &HistoryArgs, workspace: &Workspace, session: &Session) -> Done {
    let History { runs, taken_back } = history::all(workspace)?;
    let newest = runs.iter().rev().take(args.limit).map(|run| RunAccount::of(run, &taken_back));
    if args.format != PlainFormat::Table {
        return records::print(newest, args.format);
    }
    let mut out = output::out();
    if runs.is_empty() {
        writeln!(out, "Nothing has been carried out yet.")?;
    }
    let mut table = Table::new(&[
        TableColumn::Right,
        TableColumn::Left,
        TableColumn::Shortened,
        TableColumn::Left,
        TableColumn::Left,
    ]);
    let mut occasion = None;
    for run in newest {
        let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
        // The runs of one time that a routine was run stand under one heading.
        if run.occasion != occasion
            && let Some(Occasion { routine, .. }) = &run.occasion
        {
            let name = styled(session.look.text(&plain(routine)), STRONG);
            table.line(vec![cell(""), styled(at.clone(), FAINT), name, styled("a routine", FAINT), cell("")]);
        }
        let indent = if run.occasion.is_some() { "  " } else { "" };
        table.line(vec![
            styled(run.run.to_string(), STRONG),
            styled(at, FAINT),
            cell(format!("{indent}{}", session.look.text(&plain(&run.command)))),
            cell(run.in_words()),
            note(&run),
        ]);
        occasion = run.occasion;
    }
    table.print(&mut out, &session.look)?;
    let more = runs.len().saturating_sub(args.limit);
    if more > 0 {
        writeln!(out, "{FAINT}{} more; --limit shows them{FAINT:#}", counted(more as u64, "run", "runs"))?;
    }
    Ok(out.flush()?)
}

fn note(run: &RunAccount) -> output::table::Cell<'static> {
    let Some(note) = run.note() else { return cell("") };
    let style = match note {
        RunNote::TakenBack(_) => FAINT,
        RunNote::TakesBack(_) => CHANGE,
        RunNote::TakesBackInPart(_) | RunNote::CutOff => DOUBT,
    };
    styled(note.to_string(), style)
}

#[derive(Serialize)]
struct StepRecord {
    step: usize,
    r#do: &'static str,
    item: String,
    to: String,
    why: String,
    size: u64,
    result: String,
}

/// How the step of this number ended, counted from 0.
fn result(run: &Run, at: usize) -> String {
    match run.ended.get(&at) {
        Some(Ended::Done { .. }) => "done".into(),
        Some(Ended::Failed { because, .. }) => because.clone(),
        Some(Ended::NotKnown { because }) => format!("not known: {because}"),
        None => "not begun".into(),
    }
}

fn one_run(run: &Run, format: PlainFormat, session: &Session) -> Done {
    let steps = run.steps.iter().enumerate().map(|(at, step)| StepRecord {
        step: at + 1,
        r#do: step.act.word(),
        item: step.item.to_string(),
        to: match &step.act {
            Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to } => to.to_string(),
            Act::Tag { to, .. } => nine_core::tags::to_attribute(to),
            _ => String::new(),
        },
        why: one_line(&step.why),
        size: step.size,
        result: result(run, at),
    });
    let lists = run.lists.iter().enumerate().map(|(nth, dated)| StepRecord {
        step: run.steps.len() + nth + 1,
        r#do: "list",
        item: dated.to_string(),
        to: String::new(),
        why: String::new(),
        size: 0,
        result: result(run, run.steps.len() + nth),
    });
    let steps = steps.chain(lists);
    if format != PlainFormat::Table {
        return records::print(steps, format);
    }
    let mut out = output::out();
    let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
    writeln!(
        out,
        "{STRONG}Run {}{STRONG:#}  {at}  {}\n",
        run.number,
        session.look.text(&plain(&run.command))
    )?;
    let mut table =
        Table::new(&[TableColumn::Left, TableColumn::Shortened, TableColumn::Shortened, TableColumn::Left]);
    for step in steps {
        let done = step.result == "done";
        let result = if done { cell("") } else { styled(format!("x {}", plain(&step.result)), REFUSED) };
        table.line(vec![
            styled(step.r#do, FAINT),
            cell(session.look.text(&step.item)),
            styled(session.look.text(&plain(&step.to)), CHANGE),
            result,
        ]);
    }
    table.print(&mut out, &session.look)?;
    writeln!(out, "\n{}", counted(run.done() as u64, "step done", "steps done"))?;
    Ok(out.flush()?)
}
