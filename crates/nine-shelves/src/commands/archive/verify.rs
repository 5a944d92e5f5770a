//! `nine archive verify`: the archive held against its checksums.

use std::collections::BTreeMap;
use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::archive::{CONTENTS, SUMS, Sum, Sums};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::ItemPath;
use nine_stores::packs::{self, Pack, read_list};
use nine_stores::{Scope, Store, StoreError, StoreResult, Watch, sum_of, sum_of_stream};
use serde::Serialize;

use super::{all_dated, chosen};
use crate::archive::Dated;
use crate::cli::PlainFormat;
use crate::error::{Done, Failure, Kind as FailureKind};
use crate::output::style::{CHANGE, FAINT, REFUSED, STRONG};
use crate::output::{self, records};
use crate::progress;
use crate::session::{Opened, Session};

/// How many names of each kind are told where not all are asked for.
const NAMES: usize = 10;

/// What was found of a dated folder.
#[derive(Serialize, Default)]
struct Report {
    name: String,
    form: &'static str,
    files: u64,
    bytes: u64,
    missing: Vec<String>,
    changed: Vec<String>,
    extra: Vec<String>,
    trouble: String,
}

impl Report {
    fn is_whole(&self) -> bool {
        let lists = [&self.missing, &self.changed, &self.extra];
        self.trouble.is_empty() && lists.iter().all(|list| list.is_empty())
    }
}

/// Reads every byte and tells what differs.
pub(super) fn run(names: &[String], format: PlainFormat, session: &Session, opened: &Opened) -> Done {
    let all = all_dated(opened);
    let chosen = chosen(&all, names, session)?;
    let watch = Watch::default();
    for dated in &chosen {
        let bytes = dated.listed().0.values().map(|line| line.size).sum();
        watch.expect(bytes);
    }
    let reports: Vec<Report> = progress::of_bytes("verifying", &watch, || {
        chosen.iter().map(|dated| report(opened, dated, &watch)).collect()
    });
    let whole = reports.iter().all(Report::is_whole);
    match format {
        PlainFormat::Table => print(&reports, session)?,
        // A list in a cell would be no cell; so there is a line for each thing that is wrong.
        PlainFormat::Csv => records::print(reports.iter().flat_map(findings), format)?,
        PlainFormat::Json => records::print(reports.iter(), format)?,
    }
    if whole { Ok(()) } else { Err(Failure::new(FailureKind::Partly, "")) }
}

fn report(opened: &Opened, dated: &Dated, watch: &Watch) -> Report {
    let form = dated.form.map_or("folder", |form| &form.extension()[1..]);
    let mut report = Report { name: escape(&dated.name()), form, ..Report::default() };
    let found =
        opened.store(&dated.at.place).ok_or(StoreError::NotThere).and_then(|store| match dated.form {
            None => verify_folder(&**store, dated, watch, &mut report),
            Some(_) => verify_pack(&**store, dated, watch, &mut report),
        });
    if let Err(error) = found {
        report.trouble = error.to_string();
    } else if let Err(why) = dated.contents() {
        report.trouble = format!("{CONTENTS}: {why}");
    }
    report
}

fn verify_folder(
    store: &dyn nine_stores::Store,
    dated: &Dated,
    watch: &Watch,
    report: &mut Report,
) -> StoreResult<()> {
    let mut bytes = Vec::new();
    std::io::Read::read_to_end(&mut *store.read(&dated.at.path.join(SUMS))?, &mut bytes)?;
    let mut check = Check::new(dated, Sums::parse(&bytes));
    let scan = store.inside(&dated.at.path)?.scan(&Scope::default(), &Watch::default())?;
    for (path, error) in scan.troubles {
        report.changed.push(format!("{path} ({error})"));
    }
    for id in scan.tree.ids() {
        let path = scan.tree.path(id);
        let kind = scan.tree.kind(id);
        let sum = || sum_of(store, &dated.at.path.join_path(&path), watch);
        check.see(&path, kind, scan.tree.size(id), sum, report);
    }
    check.end(report);
    Ok(())
}

fn verify_pack(store: &dyn Store, dated: &Dated, watch: &Watch, report: &mut Report) -> StoreResult<()> {
    let pack = Pack::named(store, &dated.at.path)?;
    let sums = Sums::parse(&read_list(&pack, SUMS)?);
    let mut check = Check::new(dated, sums);
    packs::visit(&pack, &ItemPath::root(), &mut |member, content| {
        let sum = || sum_of_stream(content, watch);
        check.see(&member.path, member.kind, member.size, sum, report);
        Ok(true)
    })?;
    check.end(report);
    Ok(())
}

/// What is still to be found.
struct Check {
    sums: Sums,
    /// Links, which have no sums, and whatever else the list of contents has.
    listed: BTreeMap<ItemPath, Kind>,
}

impl Check {
    fn new(dated: &Dated, sums: Sums) -> Self {
        let contents = dated.listed();
        let listed = contents.0.iter().filter(|(path, _)| !sums.of.contains_key(*path));
        let listed = listed.map(|(path, line)| (path.clone(), line.kind)).collect();
        Self { sums, listed }
    }

    /// Takes note of something that is there.
    fn see(
        &mut self,
        path: &ItemPath,
        kind: Kind,
        size: u64,
        sum: impl FnOnce() -> StoreResult<Sum>,
        report: &mut Report,
    ) {
        let is_own = path.depth() == 1 && [SUMS, CONTENTS].iter().any(|own| own.as_bytes() == path.name());
        if is_own {
            return;
        }
        let listed = self.listed.remove(path);
        match (kind, self.sums.of.remove(path)) {
            (Kind::File, Some(wanted)) => {
                (report.files, report.bytes) = (report.files + 1, report.bytes + size);
                match sum() {
                    Ok(sum) if sum == wanted => {}
                    Ok(_) => report.changed.push(path.to_string()),
                    Err(error) => report.changed.push(format!("{path} ({error})")),
                }
            }
            (_, Some(_)) => report.changed.push(path.to_string()),
            // Folders between have no lines of their own.
            (Kind::Folder, None) => {}
            (kind, None) if listed == Some(kind) && kind != Kind::File => {}
            (_, None) => report.extra.push(path.to_string()),
        }
    }

    fn end(self, report: &mut Report) {
        let left = self.sums.of.into_keys().chain(self.listed.into_keys());
        report.missing.extend(left.map(|path| path.to_string()));
    }
}

#[derive(Serialize)]
struct Finding<'r> {
    name: &'r str,
    found: &'static str,
    path: &'r str,
}

fn findings(report: &Report) -> Vec<Finding<'_>> {
    let name = report.name.as_str();
    let lists = [("missing", &report.missing), ("changed", &report.changed), ("extra", &report.extra)];
    let mut found: Vec<Finding> = lists
        .into_iter()
        .flat_map(|(found, list)| list.iter().map(move |path| Finding { name, found, path }))
        .collect();
    if !report.trouble.is_empty() {
        found.push(Finding { name, found: "unreadable", path: &report.trouble });
    } else if found.is_empty() {
        found.push(Finding { name, found: "whole", path: "" });
    }
    found
}

fn print(reports: &[Report], session: &Session) -> Done {
    let mut out = output::out();
    for report in reports {
        let note = format!("{}, {}", counted(report.files, "file", "files"), readable(report.bytes));
        let (style, word) = match (report.is_whole(), report.trouble.is_empty()) {
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
    let bad = reports.iter().filter(|report| !report.is_whole()).count() as u64;
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
