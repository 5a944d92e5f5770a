//! The routines: what each does, when, and how it went.

use std::io::Write;

use jiff::ZonedDateTime;
use nine_core::escape::plain;
use nine_core::moment::Moment;
use nine_engine::Workspace;
use nine_engine::routine::{KnownRoutine, OccasionRecord, all};
use serde::Serialize;

use super::account::words;
use super::joined;
use crate::args::PlainFormat;
use crate::failure::Done;
use crate::output;
use crate::output::records;
use crate::output::style::{DOUBT, FAINT, REFUSED, STRONG};
use crate::session::Session;
use nine_core::paste;

/// A routine as other programs read it.
#[derive(Serialize)]
struct RoutineLine {
    name: String,
    run: String,
    when: Option<String>,
    next: Option<String>,
    scheduled: bool,
    last: Option<String>,
    done: Option<u64>,
    not_done: Option<u64>,
    in_doubt: Option<u64>,
    went_well: Option<bool>,
}

/// `Fri 2031-04-11 16:00`.
pub fn at(time: &ZonedDateTime) -> String {
    time.strftime("%a %Y-%m-%d %H:%M").to_string()
}

fn record(known: &KnownRoutine) -> RoutineLine {
    let parts: Vec<&str> = known.routine.parts.iter().map(|part| part.text.as_str()).collect();
    let last = known.last.as_ref();
    RoutineLine {
        name: known.routine.name.clone(),
        run: parts.join("; "),
        when: known.routine.when.as_ref().map(ToString::to_string),
        next: known.next.as_ref().map(|next| next.timestamp().to_string()),
        scheduled: known.is_scheduled,
        last: last.map(|last| last.began.clone()),
        done: last.map(|last| last.sum(|part| part.done)),
        not_done: last.map(|last| last.sum(|part| part.not_done)),
        in_doubt: last.map(|last| last.sum(|part| part.in_doubt)),
        went_well: last.map(OccasionRecord::went_well),
    }
}

/// Prints the list.
pub fn print(workspace: &Workspace, format: PlainFormat, session: &Session) -> Done {
    let all = all(workspace);
    if format != PlainFormat::Table {
        return records::print(all.iter().map(record), format);
    }
    let mut out = output::out();
    if all.is_empty() {
        writeln!(out, "There are no routines yet. This makes one, and asks before it is written:")?;
        let command =
            "nine routine friday --part tidy --part 'copies --flag' --part archive --when 'Friday 16:00'";
        writeln!(out, "  {STRONG}{command}{STRONG:#}")?;
        return Ok(out.flush()?);
    }
    for (nth, known) in all.iter().enumerate() {
        if nth > 0 {
            writeln!(out)?;
        }
        one(known, session, &mut out)?;
    }
    let next = &all[0].routine.name;
    writeln!(out, "\n{FAINT}nine routine {next} shows what it would do, and asks{FAINT:#}")?;
    Ok(out.flush()?)
}

fn one(known: &KnownRoutine, session: &Session, out: &mut dyn Write) -> Done {
    let name = &known.routine.name;
    let when = known.routine.when.as_ref().map(ToString::to_string).unwrap_or_default();
    writeln!(out, "{STRONG}{name}{STRONG:#}  {when}")?;
    for part in &known.routine.parts {
        writeln!(out, "  {}", session.look.text(&plain(&part.text)))?;
    }
    match (&known.next, known.is_scheduled) {
        (Some(next), true) => writeln!(out, "  {FAINT}next{FAINT:#}  {}, by its timer", at(next))?,
        (Some(next), false) => writeln!(
            out,
            "  {FAINT}next{FAINT:#}  {}, {DOUBT}but nothing runs it then{DOUBT:#}: {} --schedule",
            at(next),
            paste::word(&format!("nine routine {name}")).trim_matches('\'')
        )?,
        (None, _) => writeln!(out, "  {FAINT}next{FAINT:#}  when you run it; --when says its times")?,
    }
    match &known.last {
        Some(last) => last_time(last, session, out),
        None => Ok(writeln!(out, "  {FAINT}last{FAINT:#}  never")?),
    }
}

fn last_time(last: &OccasionRecord, session: &Session, out: &mut dyn Write) -> Done {
    let moment = Moment::from_rfc3339(&last.began).unwrap_or_default();
    let counts = joined(&[
        (last.sum(|part| part.done), "done"),
        (last.sum(|part| part.not_done), "not done"),
        (last.sum(|part| part.in_doubt), "in doubt"),
    ]);
    let by = if last.unattended { ", by itself" } else { "" };
    writeln!(out, "  {FAINT}last{FAINT:#}  {}{by}: {counts}", session.now().minute(moment))?;
    for part in last.parts.iter().filter(|part| part.failed.is_some()) {
        let command = session.look.text(&plain(&part.command));
        writeln!(out, "        {command}  {REFUSED}{}{REFUSED:#}", session.look.text(&words(part)))?;
    }
    Ok(())
}
