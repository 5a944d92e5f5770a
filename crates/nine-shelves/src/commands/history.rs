//! `nine history`: the daybook.

use std::collections::BTreeMap;
use std::io::Write;

use nine_carry::daybook::{self, Ended, Run};
use nine_core::amount::counted;
use nine_core::escape::plain;
use nine_core::worklist::Act;
use serde::Serialize;

use crate::cli::{HistoryArgs, PlainFormat};
use crate::error::{Done, Failure};
use crate::output::style::{CHANGE, DOUBT, FAINT, REFUSED, STRONG};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, records};
use crate::recovery;
use crate::session::Session;

/// Runs it.
///
/// # Errors
/// If the daybook cannot be read, or there is no such run.
pub fn run(args: &HistoryArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    if let (Some(number), true) = (args.run, args.give_up) {
        return recovery::give_up(session, &loaded.config, number);
    }
    recovery::before_reading(session, &loaded.config);
    match args.run {
        Some(number) => one_run(&read_run(session, number)?, args.format, session),
        None => all_runs(args, session),
    }
}

/// Reads a run that the person named.
///
/// # Errors
/// If there is none of this number.
pub fn read_run(session: &Session, number: u64) -> Done<Run> {
    let run = daybook::read(&session.data, number).map_err(|e| match e.kind() {
        std::io::ErrorKind::NotFound => {
            Failure::words(format!("there is no run {number}")).hint("`nine history` lists them")
        }
        _ => Failure::system(e.to_string()),
    })?;
    tell_broken(&run)?;
    Ok(run)
}

/// The runs of these numbers as far as they can be read; the others are named.
///
/// # Errors
/// If nobody reads the messages any more.
pub fn readable(session: &Session, numbers: impl Iterator<Item = u64>) -> Done<Vec<Run>> {
    let mut runs = Vec::new();
    for number in numbers {
        match daybook::read(&session.data, number) {
            Ok(run) => {
                tell_broken(&run)?;
                runs.push(run);
            }
            Err(error) => {
                let error = plain(&error.to_string());
                writeln!(output::err(), "{DOUBT}run {number}{DOUBT:#} cannot be read: {error}")?;
            }
        }
    }
    Ok(runs)
}

/// Names the lines of a run that could not be read.
fn tell_broken(run: &Run) -> Done {
    if !run.broken.is_empty() {
        let mut err = output::err();
        let lines: Vec<String> = run.broken.iter().map(usize::to_string).collect();
        let (line, was) = if lines.len() == 1 { ("line", "was") } else { ("lines", "were") };
        writeln!(
            err,
            "{DOUBT}run {}{DOUBT:#}: {line} {} of its daybook cannot be read and {was} passed over",
            run.number,
            lines.join(", ")
        )?;
    }
    Ok(())
}

/// Which runs have been taken back, and by which. One whose undo was cut off has not.
pub fn taken_back(runs: &[Run]) -> BTreeMap<u64, u64> {
    let whole = |run: &&Run| run.done() > 0 && run.done() == run.items();
    runs.iter().filter(whole).filter_map(|run| Some((run.undoes?, run.number))).collect()
}

#[derive(Serialize)]
struct RunRecord {
    run: u64,
    at: String,
    command: String,
    moved: usize,
    tagged: usize,
    discarded: usize,
    restored: usize,
    packed: usize,
    unpacked: usize,
    not_done: usize,
    undoes: Option<u64>,
    undone_by: Option<u64>,
    cut_off: bool,
}

fn record(run: &Run, taken_back: &BTreeMap<u64, u64>) -> RunRecord {
    let many = |word: &str| {
        let done = run.ended.iter().filter(|(_, ended)| matches!(ended, Ended::Done { .. }));
        done.filter(|(at, _)| run.steps.get(**at).is_some_and(|step| step.act.word() == word)).count()
    };
    RunRecord {
        run: run.number,
        at: run.at.clone(),
        command: run.command.clone(),
        moved: many("move"),
        tagged: many("tag"),
        discarded: many("discard"),
        restored: many("restore"),
        packed: many("pack"),
        unpacked: many("unpack"),
        not_done: run.items() - run.done(),
        undoes: run.undoes,
        undone_by: taken_back.get(&run.number).copied(),
        cut_off: run.cut_off,
    }
}

fn all_runs(args: &HistoryArgs, session: &Session) -> Done {
    let runs = readable(session, daybook::runs(&session.data)?.into_iter())?;
    let taken_back = taken_back(&runs);
    let newest = runs.iter().rev().take(args.limit).map(|run| record(run, &taken_back));
    if args.format != PlainFormat::Table {
        return records::print(newest, args.format);
    }
    let mut out = output::out();
    if runs.is_empty() {
        writeln!(out, "Nothing has been carried out yet.")?;
    }
    let mut table = Table::new(&[Column::Right, Column::Left, Column::Shortened, Column::Left, Column::Left]);
    for run in newest {
        table.line(vec![
            styled(run.run.to_string(), STRONG),
            styled(run.at.get(..16).unwrap_or(&run.at).replace('T', " "), FAINT),
            cell(session.look.text(&plain(&run.command))),
            cell(counts(&run)),
            note(&run),
        ]);
    }
    table.print(&mut out, &session.look)?;
    let more = runs.len().saturating_sub(args.limit);
    if more > 0 {
        writeln!(out, "{FAINT}{} more; --limit shows them{FAINT:#}", counted(more as u64, "run", "runs"))?;
    }
    Ok(out.flush()?)
}

fn counts(run: &RunRecord) -> String {
    let parts = [
        (run.moved, "moved"),
        (run.tagged, "tagged"),
        (run.discarded, "discarded"),
        (run.restored, "restored"),
        (run.packed, "packed"),
        (run.unpacked, "unpacked"),
        (run.not_done, "not done"),
    ];
    let parts: Vec<String> =
        parts.iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}")).collect();
    if parts.is_empty() { "nothing done".into() } else { parts.join(", ") }
}

fn note(run: &RunRecord) -> output::table::Cell {
    match (run.undone_by, run.undoes, run.cut_off) {
        (Some(by), ..) => styled(format!("taken back by run {by}"), FAINT),
        (None, Some(of), _) if run.not_done > 0 => styled(format!("takes back run {of} in part"), DOUBT),
        (None, Some(of), _) => styled(format!("takes back run {of}"), CHANGE),
        (None, None, true) => styled("was cut off", DOUBT),
        _ => cell(""),
    }
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
        why: step.why.clone(),
        size: step.size,
        result: match run.ended.get(&at) {
            Some(Ended::Done { .. }) => "done".into(),
            Some(Ended::Failed { because, .. }) => because.clone(),
            None => "not begun".into(),
        },
    });
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
    let mut table = Table::new(&[Column::Left, Column::Shortened, Column::Shortened, Column::Left]);
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
