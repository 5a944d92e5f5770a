//! Saved searches: kept, listed with what each finds now, and forgotten.

use std::io::Write;

use nine_core::amount::{count, readable};
use nine_core::condition::Condition;
use nine_engine::Workspace;
use nine_engine::search;
use serde::Serialize;

use super::{SearchArgs, YesNo, request};
use crate::args::Format;
use crate::failure::Done;
use crate::output::style::{CHANGE, FAINT, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// Keeps a search in the configuration; answers with the workspace as it is then.
pub fn save(
    args: &SearchArgs,
    workspace: &Workspace,
    session: &Session,
    name: &str,
    condition: &Condition,
) -> Done<Workspace> {
    let display = args.display.map(|answer| answer == YesNo::Yes);
    let (workspace, was_there) = search::save(workspace, name, condition, display)?;
    let kept = if was_there { "changed" } else { "saved" };
    let file = session.shown(&session.environment.config_file);
    writeln!(output::err(), "{CHANGE}{kept}{CHANGE:#} as `{name}` in {file}: {condition}\n")?;
    Ok(workspace)
}

/// Forgets a saved search, and the folder of links that displayed it.
pub fn forget(workspace: &Workspace, name: &str) -> Done {
    search::forget(workspace, name)?;
    let mut out = output::out();
    writeln!(out, "The saved search `{name}` is dropped. What it found stays where it is.")?;
    Ok(out.flush()?)
}

#[derive(Serialize)]
struct Record {
    name: String,
    r#where: String,
    files: u64,
    bytes: u64,
    display: bool,
    starter: bool,
}

/// Lists the saved searches with what each finds now.
pub fn print_all(args: &SearchArgs, workspace: &Workspace, session: &Session) -> Done {
    let found = search::list(workspace, &request(args, None, &[]))?;
    let record = |(search, part): (&nine_core::saved::SavedSearch, nine_core::survey::Part)| Record {
        name: search.name.clone(),
        r#where: search.condition.to_string(),
        files: part.count,
        bytes: part.bytes,
        display: search.display,
        starter: search.starter,
    };
    let found: Vec<Record> = found.into_iter().map(record).collect();
    match args.format {
        Format::Table => print_table(session, &found),
        other => records::print_as(found.into_iter(), other),
    }
}

fn print_table(session: &Session, found: &[Record]) -> Done {
    let look = &session.look;
    let mut table = Table::new(&[
        TableColumn::Shortened,
        TableColumn::Right,
        TableColumn::Right,
        TableColumn::Left,
        TableColumn::Squeezed(1),
    ]);
    for record in found {
        let (files, bytes) = match record.files {
            0 => (styled("-", FAINT), styled("-", FAINT)),
            files => (cell(count(files)), cell(readable(record.bytes))),
        };
        let note = match (record.starter, record.display) {
            (true, _) => "ships with nine",
            (false, true) => "displayed",
            (false, false) => "",
        };
        table.line(vec![
            styled(look.text(&record.name), STRONG),
            files,
            bytes,
            styled(note, FAINT),
            styled(look.text(&record.r#where), FAINT),
        ]);
    }
    let mut out = output::out();
    table.print(&mut out, look)?;
    Ok(out.flush()?)
}
