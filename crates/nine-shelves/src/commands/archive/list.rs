//! `nine archive list`: the dated folders and packs.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_engine::archive::{self, Dated};
use serde::Serialize;

use crate::args::PlainFormat;
use crate::failure::Done;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
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
}

fn record(dated: &Dated) -> Record {
    let contents = dated.listed();
    let files = || contents.0.values().filter(|line| line.kind == Kind::File);
    Record {
        name: escape(&dated.name()),
        form: dated.form.map_or("folder", |form| &form.extension()[1..]),
        items: contents.items().count() as u64,
        files: files().count() as u64,
        bytes: files().map(|line| line.size).sum(),
        at: dated.at.to_string(),
        trouble: dated.contents().err().unwrap_or_default().to_owned(),
    }
}

/// Prints them.
pub(super) fn run(format: PlainFormat, session: &Session) -> Done {
    let workspace = session.to_read()?;
    let all = archive::list(&workspace);
    let records: Vec<Record> = all.iter().map(record).collect();
    if format != PlainFormat::Table {
        return records::print(records.into_iter(), format);
    }
    let mut out = output::out();
    let mut table = Table::new(&[
        TableColumn::Left,
        TableColumn::Right,
        TableColumn::Right,
        TableColumn::Left,
        TableColumn::Squeezed,
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
