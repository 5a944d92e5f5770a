//! `nine archive list`: the dated folders and packs.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::moment::Now;
use nine_engine::archive::{self, DatedAccount};
use serde::Serialize;

use crate::args::PlainFormat;
use crate::failure::Done;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

#[derive(Serialize)]
struct Record {
    name: String,
    form: &'static str,
    items: u64,
    files: u64,
    bytes: u64,
    at: String,
    trouble: String,
    /// When it was last verified; empty if never.
    verified: String,
    /// Whether it was whole then.
    whole: Option<bool>,
}

fn record(dated: &DatedAccount, now: &Now) -> Record {
    let DatedAccount { name, form, items, files, bytes, at, trouble, verified } = dated.clone();
    let whole = verified.map(|last| last.whole);
    let verified = verified.map(|last| now.minute(last.at)).unwrap_or_default();
    Record { name, form, items, files, bytes, at, trouble, verified, whole }
}

/// When it was verified, in words.
fn verified(record: &Record) -> Cell<'_> {
    match (record.whole, record.verified.get(..10)) {
        (Some(true), Some(day)) => styled(format!("whole on {day}"), FAINT),
        (Some(false), Some(day)) => styled(format!("not whole on {day}"), DOUBT),
        _ => styled("not verified yet", FAINT),
    }
}

/// Prints them.
pub(super) fn run(format: PlainFormat, session: &Session) -> Done {
    let workspace = session.workspace()?;
    archive::complete_lists(&workspace);
    let all = archive::accounts(&workspace);
    let records: Vec<Record> = all.iter().map(|dated| record(dated, session.now())).collect();
    if format != PlainFormat::Table {
        return records::print(records.into_iter(), format);
    }
    let mut out = output::out();
    let mut table = Table::new(&[
        TableColumn::Left,
        TableColumn::Right,
        TableColumn::Right,
        TableColumn::Left,
        TableColumn::Left,
        TableColumn::Squeezed(1),
    ]);
    for record in &records {
        let note = match record.trouble.as_str() {
            "" => styled(session.look.text(&record.at), FAINT),
            why => styled(format!("its list cannot be read: {why}"), DOUBT),
        };
        table.line(vec![
            styled(record.name.clone(), STRONG),
            cell(counted(record.items, "item", "items")),
            cell(readable(record.bytes)),
            styled(record.form, FAINT),
            verified(record),
            note,
        ]);
    }
    table.print(&mut out, &session.look)?;
    let (items, bytes) = (records.iter().map(|r| r.items).sum(), records.iter().map(|r| r.bytes).sum());
    match records.len() {
        0 => writeln!(out, "Nothing has been archived yet.")?,
        many => {
            let items = format!("{} {}", count(items), if items == 1 { "item" } else { "items" });
            let dates = counted(many as u64, "dated folder", "dated folders");
            writeln!(out, "\n{STRONG}{dates}: {items}, {}{STRONG:#}", readable(bytes))?;
        }
    }
    Ok(out.flush()?)
}
