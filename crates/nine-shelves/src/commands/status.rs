//! `nine` alone: what is where, and what to do next.

use std::io::Write;

use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_engine::status::{BookcaseStatus, PileStatus, Status, status};

use crate::failure::Done;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::{self};
use crate::session::Session;

/// Piles and bookcases that are told; with the rest of it that makes eight lines.
const MOST: usize = 5;

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(session: &Session) -> Done {
    let workspace = session.workspace()?;
    let status = status(&workspace);
    let mut out = output::out();
    let mut places: Vec<[String; 3]> = status.piles.iter().map(|pile| of_pile(pile, session)).collect();
    places.extend(status.bookcases.iter().map(|case| of_bookcase(case, &status, session)));
    let left = places.len().saturating_sub(MOST);
    places.truncate(MOST);
    let wide = |at: usize| places.iter().map(|place| place[at].chars().count()).max().unwrap_or(0);
    let widths = [wide(0), wide(1)];
    for [name, at, told] in &places {
        let pads = [" ".repeat(widths[0] - name.chars().count()), " ".repeat(widths[1] - at.chars().count())];
        writeln!(out, "{STRONG}{name}{STRONG:#}{}  {FAINT}{at}{FAINT:#}{}  {told}", pads[0], pads[1])?;
    }
    if left > 0 {
        writeln!(out, "{FAINT}{} more; nine check names them all{FAINT:#}", count(left as u64))?;
    }
    if let Some(last) = &status.last {
        let (command, at) = (session.look.text(&plain(&last.command)), last.at.get(..16).unwrap_or(&last.at));
        writeln!(out, "{FAINT}last run {}: {command}, {}{FAINT:#}", last.run, at.replace('T', " "))?;
    }
    if status.waiting > 0 {
        let items = counted(status.waiting as u64, "item waits", "items wait");
        writeln!(out, "{DOUBT}{items} to be looked at{DOUBT:#}")?;
    }
    writeln!(out, "{}", next(&status))?;
    Ok(out.flush()?)
}

fn of_pile(pile: &PileStatus, session: &Session) -> [String; 3] {
    let told = match &pile.loose {
        Ok((0, _)) => "nothing lies loose".to_owned(),
        Ok((loose, oldest)) => {
            let things = counted(*loose, "thing lies loose", "things lie loose");
            let oldest = oldest.map(|at| format!(", the oldest {}", session.now().age(at)));
            format!("{things}{}", oldest.unwrap_or_default())
        }
        Err(why) => format!("{DOUBT}{}{DOUBT:#}", plain(why)),
    };
    [pile.name.clone(), session.environment.shown_at(&pile.at), told]
}

fn of_bookcase(case: &BookcaseStatus, status: &Status, session: &Session) -> [String; 3] {
    let told = match &case.shelves {
        Ok((there, 0)) => format!("{}, {}", counted(*there, "shelf", "shelves"), rules(status)),
        Ok((there, missing)) => {
            let missing = counted(*missing, "is", "are");
            format!("{}, {DOUBT}{missing} not there yet{DOUBT:#}", counted(*there, "shelf", "shelves"))
        }
        Err(why) => format!("{DOUBT}{}{DOUBT:#}", plain(why)),
    };
    [case.name.clone(), session.environment.shown_at(&case.at), told]
}

fn rules(status: &Status) -> String {
    counted(status.rules as u64, "rule", "rules")
}

/// What to do next, the most pressing first.
fn next(status: &Status) -> String {
    let is_missing = |case: &BookcaseStatus| matches!(case.shelves, Ok((_, 1..)) | Err(_));
    let loose: u64 = status.piles.iter().filter_map(|pile| Some(pile.loose.as_ref().ok()?.0)).sum();
    let (command, what) = match status {
        Status { open, .. } if !open.is_empty() => {
            ("nine history", "tells of a run that was cut off and waits for its place")
        }
        Status { waiting: 1.., .. } => {
            ("nine review", "goes through what was in doubt while nobody was there")
        }
        Status { bookcases, .. } if bookcases.is_empty() => {
            ("nine setup", "makes shelves and a configuration; `nine demo` shows it all in a sample world")
        }
        Status { bookcases, .. } if bookcases.iter().any(|case| case.is_away) => {
            ("nine check", "shows which place is unavailable, and why")
        }
        Status { bookcases, .. } if bookcases.iter().any(is_missing) => {
            ("nine shelves make", "makes the folders that are not there")
        }
        Status { rules: 0, .. } => {
            ("nine rule add", "makes a rule; `nine sweep` puts all into one dated folder")
        }
        _ if loose > 0 => ("nine tidy", "shows what the rules would do"),
        _ => ("nine shelves", "shows the shelves as they stand"),
    };
    format!("Next: {STRONG}{command}{STRONG:#} {what}")
}
