//! `nine archive verify`: the archive held against its checksums.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_engine::archive::{Verified, verify};
use serde::Serialize;

use crate::args::PlainFormat;
use crate::failure::{Done, unless};
use crate::output::style::{CHANGE, FAINT, REFUSED, STRONG};
use crate::output::{self, records};
use crate::session::Session;

/// How many names of each kind are told where not all are asked for.
const NAMES: usize = 10;

/// What was found of a dated folder, for programs.
#[derive(Serialize)]
struct Record {
    name: String,
    form: &'static str,
    files: u64,
    bytes: u64,
    missing: Vec<String>,
    changed: Vec<String>,
    extra: Vec<String>,
    trouble: String,
    #[serde(skip)]
    is_whole: bool,
}

impl From<Verified> for Record {
    fn from(found: Verified) -> Self {
        let is_whole = found.is_whole();
        let Verified { name, form, files, bytes, missing, changed, extra, trouble } = found;
        let form = form.map_or("folder", |form| &form.extension()[1..]);
        Self { name, form, files, bytes, missing, changed, extra, trouble, is_whole }
    }
}

/// Reads every byte and tells what differs.
pub(super) fn run(names: &[String], format: PlainFormat, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let reports: Vec<Record> = verify(&workspace, names)?.into_iter().map(Record::from).collect();
    match format {
        PlainFormat::Table => print(&reports, session)?,
        // A list in a cell would be no cell; so there is a line for each thing that is wrong.
        PlainFormat::Csv => records::print(reports.iter().flat_map(findings), format)?,
        PlainFormat::Json => records::print(reports.iter(), format)?,
    }
    unless(reports.iter().filter(|report| !report.is_whole).count())
}

#[derive(Serialize)]
struct Difference<'r> {
    name: &'r str,
    found: &'static str,
    path: &'r str,
}

fn findings(report: &Record) -> Vec<Difference<'_>> {
    let name = report.name.as_str();
    let lists = [("missing", &report.missing), ("changed", &report.changed), ("extra", &report.extra)];
    let mut found: Vec<Difference> = lists
        .into_iter()
        .flat_map(|(found, list)| list.iter().map(move |path| Difference { name, found, path }))
        .collect();
    if !report.trouble.is_empty() {
        found.push(Difference { name, found: "unreadable", path: &report.trouble });
    } else if found.is_empty() {
        found.push(Difference { name, found: "whole", path: "" });
    }
    found
}

fn print(reports: &[Record], session: &Session) -> Done {
    let mut out = output::out();
    for report in reports {
        let note = format!("{}, {}", counted(report.files, "file", "files"), readable(report.bytes));
        let (style, word) = match (report.is_whole, report.trouble.is_empty()) {
            (true, _) => (CHANGE, "whole".to_owned()),
            (false, true) => (REFUSED, "not as its lists say".to_owned()),
            (false, false) => (REFUSED, format!("cannot be verified: {}", report.trouble)),
        };
        let name = session.look.text(&report.name);
        writeln!(
            out,
            "{STRONG}{name}{STRONG:#}  {FAINT}{}, {note}{FAINT:#}  {style}{word}{style:#}",
            report.form
        )?;
        for (what, list) in
            [("missing", &report.missing), ("changed", &report.changed), ("extra", &report.extra)]
        {
            for path in list.iter().take(NAMES) {
                writeln!(out, "  {REFUSED}{what}{REFUSED:#}  {}", session.look.text(path))?;
            }
            if list.len() > NAMES {
                let more = count((list.len() - NAMES) as u64);
                writeln!(out, "  {FAINT}{more} more {what}; --format csv tells all{FAINT:#}")?;
            }
        }
    }
    let bad = reports.iter().filter(|report| !report.is_whole).count() as u64;
    let all = counted(reports.len() as u64, "dated folder", "dated folders");
    let bytes = readable(reports.iter().map(|report| report.bytes).sum());
    match (reports.len(), bad) {
        (0, _) => writeln!(out, "Nothing has been archived yet.")?,
        (_, 0) => {
            writeln!(out, "\n{STRONG}{all} verified, {bytes}: every byte is as its checksum says{STRONG:#}")?
        }
        (_, bad) => writeln!(out, "\n{STRONG}{all} verified, {bytes}: {bad} not as the lists say{STRONG:#}")?,
    }
    Ok(out.flush()?)
}
