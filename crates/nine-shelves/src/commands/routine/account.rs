//! The one account at the end of a routine.

use std::io::Write;

use nine_core::amount::count;
use nine_core::escape::plain;
use nine_engine::routine::{Account, Course, PartRecord};

use super::joined;
use crate::failure::Done;
use crate::output;
use crate::output::style::{DOUBT, FAINT, REFUSED, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::session::Session;

/// What came of a part, in a few words.
pub fn words(part: &PartRecord) -> String {
    if let Some(why) = &part.failed {
        return format!("x {}", plain(why));
    }
    if part.prints { "only tells".to_owned() } else { joined(&numbers(part)) }
}

fn numbers(part: &PartRecord) -> [(u64, &'static str); 4] {
    [(part.done, "done"), (part.not_done, "not done"), (part.left, "left"), (part.in_doubt, "in doubt")]
}

/// The whole account in one line: `87 done, 2 in doubt; 1 command failed`.
pub fn one_line(account: &Account) -> String {
    let record = &account.record;
    let sum = |of: fn(&PartRecord) -> u64| record.sum(of);
    let counts = joined(&[
        (sum(|part| part.done), "done"),
        (sum(|part| part.not_done), "not done"),
        (sum(|part| part.left), "left"),
        (sum(|part| part.in_doubt), "in doubt"),
    ]);
    let failed = record.parts.iter().filter(|part| part.failed.is_some()).count() as u64;
    let failed = match failed {
        0 => String::new(),
        1 => "; 1 command failed".to_owned(),
        more => format!("; {} commands failed", count(more)),
    };
    format!("{counts}{failed}")
}

/// Whether a person wants to hear of it who did not ask.
pub fn is_worth_telling(account: &Account) -> bool {
    let record = &account.record;
    !record.went_well() || record.sum(|part| part.done + part.in_doubt) > 0
}

/// Prints the account: each part, what lies loose now against the last time, and how to take it back.
pub fn print(account: &Account, course: &Course, session: &Session) -> Done {
    let (record, look) = (&account.record, &session.look);
    let mut out = output::out();
    writeln!(out, "\n{STRONG}{}{STRONG:#}  {}", course.routine, one_line(account))?;
    let columns = [TableColumn::Shortened, TableColumn::Left, TableColumn::Shortened];
    let mut table = Table::new(&columns).indented(2);
    for part in &record.parts {
        let run = part.run.map(|run| format!("run {run}")).unwrap_or_default();
        let style = if part.failed.is_some() || part.not_done > 0 { REFUSED } else { FAINT };
        let command = look.text(&plain(&part.command));
        table.line(vec![cell(command), styled(run, FAINT), styled(look.text(&words(part)), style)]);
    }
    table.print(&mut out, look)?;
    let loose: Vec<String> = record.loose.iter().map(|(pile, now)| loose(account, pile, *now)).collect();
    if !loose.is_empty() {
        writeln!(out, "{FAINT}loose now:{FAINT:#} {}", loose.join(", "))?;
    }
    if record.sum(|part| part.done) > 0 && !course.takes_back {
        writeln!(out, "{FAINT}nine undo {} takes all of it back{FAINT:#}", course.routine)?;
    }
    if record.sum(|part| part.left) > 0 {
        writeln!(
            out,
            "{DOUBT}What was left changed after it was shown.{DOUBT:#} {FAINT}nine routine {} looks again{FAINT:#}",
            course.routine
        )?;
    }
    Ok(out.flush()?)
}

/// `desktop 12 (40 last time)`.
fn loose(account: &Account, pile: &str, now: u64) -> String {
    let before = account.before.as_ref().and_then(|before| before.get(pile));
    match before.filter(|before| **before != now) {
        Some(before) => format!("{pile} {} ({} last time)", count(now), count(*before)),
        None => format!("{pile} {}", count(now)),
    }
}
