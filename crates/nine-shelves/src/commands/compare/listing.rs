//! A place held against a list of files from elsewhere.

use std::collections::HashMap;
use std::io::Write;
use std::path::Path;

use nine_core::amount::readable;
use nine_core::copies::{Listed, Member};
use nine_core::worklist::table::no_formula;
use nine_engine::Workspace;
use nine_engine::compare::{HeldAgainstList, LeftOut, Request, against_listing};

use super::CompareArgs;
use super::print::{Record, hits, summary_lines};
use crate::args::Format;
use crate::failure::{Done, unless};
use crate::output::items::{ItemListing, USUAL, print_paths};
use crate::output::style::FAINT;
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// Compares and prints.
///
/// # Errors
/// As the exit status has it.
pub fn run(
    args: &CompareArgs,
    request: &Request,
    file: &Path,
    workspace: &Workspace,
    session: &Session,
) -> Done {
    let held = against_listing(workspace, request, file)?;
    let shown = Shown { args, session, held: &held };
    match args.reverse {
        true => shown.print_reverse()?,
        false => shown.print()?,
    }
    unless(held.looking.troubles)
}

/// What came of it.
struct Shown<'a> {
    args: &'a CompareArgs,
    session: &'a Session,
    held: &'a HeldAgainstList<'a>,
}

impl Shown<'_> {
    fn print(&self) -> Done {
        let shown: Vec<Member> = match self.args.found {
            true => self.held.found.iter().map(|(member, _)| *member).collect(),
            false => self.held.missing.clone(),
        };
        match self.args.show.format {
            Format::Paths => return print_paths(&self.held.looking, &hits(&shown), b"\n"),
            Format::Paths0 => return print_paths(&self.held.looking, &hits(&shown), b"\0"),
            Format::Csv | Format::Json => {
                let there: HashMap<Member, &Vec<usize>> =
                    self.held.found.iter().map(|(m, there)| (*m, there)).collect();
                let records = shown.iter().map(|member| self.record(*member, there.get(member).copied()));
                return records::print_as(records, self.args.show.format);
            }
            Format::Table => {}
        }
        let mut out = output::out();
        let session = self.session;
        let look = &session.look;
        let list = ItemListing { looking: &self.held.looking, look, archive: &[], columns: &USUAL };
        if !shown.is_empty() {
            list.print_table(&mut out, &hits(&shown), &mut None, 0, true)?;
            writeln!(out)?;
        }
        let size = |member: &Member| self.held.looking.views[0].tree.size(member.id);
        let missing = (self.held.missing.len() as u64, self.held.missing.iter().map(size).sum());
        let found =
            (self.held.found.len() as u64, self.held.found.iter().map(|(member, _)| size(member)).sum());
        let base = look.text(&self.held.looking.views[0].area.base.to_string());
        for line in
            summary_lines(&base, "the list", missing, found, &self.held.left_out, self.held.looking.troubles)
        {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }

    fn record(&self, member: Member, there: Option<&Vec<usize>>) -> Record {
        let r#as = if there.is_some() { "found" } else { "missing" };
        let items: Vec<String> =
            there.into_iter().flatten().map(|at| self.held.listed[*at].item.clone()).collect();
        let record = Record::of(&self.held.looking, self.session, member, r#as);
        Record { r#where: no_formula(items.join(" | ")), ..record }
    }

    /// What of the list is nowhere in A.
    fn print_reverse(&self) -> Done {
        let missing = self.held.missing_of_list();
        // They lie elsewhere, so their places as the list has them are all the path there is.
        let end = match self.args.show.format {
            Format::Paths => Some("\n"),
            Format::Paths0 => Some("\0"),
            _ => None,
        };
        if let Some(end) = end {
            let mut out = output::raw();
            missing.iter().try_for_each(|one| write!(out, "{}{end}", one.item))?;
            return Ok(out.flush()?);
        }
        let mut out = output::out();
        if self.args.show.format != Format::Table {
            let records = missing.iter().map(|one| Record {
                item: no_formula(one.item.clone()),
                path: String::new(),
                size: one.size,
                modified: String::new(),
                r#as: "missing",
                r#where: String::new(),
                same_name: String::new(),
                blake3: one.digest.to_string(),
            });
            return records::print_as(records, self.args.show.format);
        }
        let look = &self.session.look;
        let mut table = Table::new(&[TableColumn::Shortened, TableColumn::Right]);
        for one in &missing {
            table.line(vec![cell(look.text(&one.item)), styled(readable(one.size), FAINT)]);
        }
        table.print(&mut out, look)?;
        if !missing.is_empty() {
            writeln!(out)?;
        }
        let bytes = |list: &[&Listed]| list.iter().map(|one| one.size).sum::<u64>();
        let all: Vec<&Listed> = self.held.listed.iter().collect();
        let found = (all.len() - missing.len()) as u64;
        let base = look.text(&self.held.looking.views[0].area.base.to_string());
        let (gone, there) = ((missing.len() as u64, bytes(&missing)), (found, bytes(&all) - bytes(&missing)));
        for line in
            summary_lines("the list", &base, gone, there, &LeftOut::default(), self.held.looking.troubles)
        {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }
}
