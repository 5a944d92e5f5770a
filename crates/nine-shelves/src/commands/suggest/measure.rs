//! `nine suggest --measure`: how often suggestions are right.

use std::io::Write;

use nine_core::amount::{count, counted};
use nine_engine::Workspace;
use nine_engine::suggest::{Effort, SaidAndTrue, measure};
use serde::Serialize;

use super::{learned_from, say_nothing_filed};
use crate::args::PlainFormat;
use crate::failure::Done;
use crate::output::style::{FAINT, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, Look, records};

/// Suggestions of about one share.
#[derive(Serialize)]
struct ShareRecord {
    from: u8,
    suggestions: usize,
    said: usize,
    right: usize,
}

/// Measures and prints.
///
/// # Errors
/// If there is nothing to learn from, or it cannot be printed.
pub fn run(workspace: &Workspace, effort: Effort, format: PlainFormat, look: &Look) -> Done {
    let (measured, learned) = measure(workspace, effort)?;
    let lines: Vec<SaidAndTrue> = measured.table.iter().filter(|line| line.number > 0).copied().collect();
    if format != PlainFormat::Table {
        let record = |line: SaidAndTrue| {
            let (said, right) = line.shares();
            ShareRecord { from: line.from, suggestions: line.number, said, right }
        };
        return records::print(lines.into_iter().map(record), format);
    }
    if measured.asked == 0 {
        return say_nothing_filed();
    }
    let mut out = output::out();
    let of = |part: usize, whole: usize| format!("{} of {}", part * 100 / whole.max(1), 100);
    writeln!(out, "{STRONG}{}{STRONG:#}", learned_from(learned))?;
    writeln!(
        out,
        "{FAINT}The later half was asked about, each item with what was filed before it came.{FAINT:#}\n"
    )?;
    use TableColumn::{Left, Right};
    let mut table = Table::new(&[Left, Right, Left]).indented(2);
    let asked = counted(measured.asked as u64, "item", "items");
    table.line(vec![cell("asked about"), cell(asked), cell("")]);
    let silent = (measured.asked - measured.spoke) as u64;
    let new = match measured.new_folder {
        0 => String::new(),
        new => format!("{} of all were the first in their folder", count(new as u64)),
    };
    table.line(vec![cell("a folder was named for"), cell(of(measured.spoke, measured.asked)), cell("")]);
    table.line(vec![cell("nothing was said of"), cell(count(silent)), styled(new, FAINT)]);
    table.line(vec![cell("the first was right for"), cell(of(measured.right, measured.spoke)), cell("")]);
    table.line(vec![
        cell("one of three was right for"),
        cell(of(measured.in_three, measured.spoke)),
        cell(""),
    ]);
    table.print(&mut out, look)?;
    writeln!(out, "\n{STRONG}What was said and what was true{STRONG:#}")?;
    let mut table = Table::new(&[Left, Right, Right]).indented(2);
    table.line(vec![styled("said", FAINT), styled("right", FAINT), styled("suggestions", FAINT)]);
    for line in lines {
        let (said, right) = line.shares();
        table.line(vec![
            cell(format!("{said} %")),
            cell(format!("{right} %")),
            cell(count(line.number as u64)),
        ]);
    }
    table.print(&mut out, look)?;
    Ok(out.flush()?)
}
