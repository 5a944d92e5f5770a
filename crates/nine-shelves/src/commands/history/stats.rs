//! `nine history --stats`: what was done in all, command by command.

use std::io::Write;

use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_engine::history::{CommandStats, Stats};

use crate::args::PlainFormat;
use crate::failure::Done;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// The columns of figures.
const FIGURES: [&str; 6] = ["runs", "moved", "tagged", "discarded", "other", "not done"];

/// Prints it.
///
/// # Errors
/// If nobody reads it.
pub fn print(stats: &Stats, format: PlainFormat, session: &Session) -> Done {
    if format != PlainFormat::Table {
        return records::print(stats.commands.iter(), format);
    }
    let mut out = output::out();
    if stats.commands.is_empty() {
        writeln!(out, "Nothing has been carried out yet.")?;
        return Ok(out.flush()?);
    }
    let mut columns = vec![TableColumn::Shortened];
    columns.extend(FIGURES.map(|_| TableColumn::Right));
    let mut table = Table::new(&columns);
    let heading = std::iter::once("").chain(FIGURES);
    table.line(heading.map(|word| styled(word, FAINT)).collect());
    for line in &stats.commands {
        let mut cells = vec![styled(session.look.text(&plain(&line.command)), STRONG)];
        cells.extend(figures(line));
        table.line(cells);
    }
    table.print(&mut out, &session.look)?;
    let since = stats.since.get(..10).unwrap_or(&stats.since);
    let runs = counted(stats.runs as u64, "run", "runs");
    writeln!(out, "\n{runs} since {since}, {} done", counted(stats.done as u64, "step", "steps"))?;
    let notes = [(stats.taken_back, "taken back"), (stats.cut_off, "cut off")];
    for (many, what) in notes.into_iter().filter(|(many, _)| *many > 0) {
        writeln!(out, "{DOUBT}{}{DOUBT:#} {what}", counted(many as u64, "run", "runs"))?;
    }
    Ok(out.flush()?)
}

/// The figures of a command; nothing stands where there is none.
fn figures(line: &CommandStats) -> [Cell<'_>; 6] {
    let all = [line.runs, line.moved, line.tagged, line.discarded, line.other, line.not_done];
    all.map(|many| cell(if many > 0 { count(many as u64) } else { String::new() }))
}
