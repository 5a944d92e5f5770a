//! A place held against a list of files from elsewhere.

use std::collections::{HashMap, HashSet};
use std::io::Write;
use std::path::Path;

use nine_core::amount::readable;
use nine_core::config::Config;
use nine_core::copies::{Digest, Listed, Meet, Member, Side, read_listing};
use nine_core::find::Rows;
use nine_core::worklist::table::no_formula;

use super::print::{Record, hits, summary_lines};
use super::{LeftOut, is_compared};
use crate::cli::{CompareArgs, Format};
use crate::error::{Done, Failure, Kind};
use crate::looking::Looking;
use crate::output::items::{Listing, USUAL, print_paths};
use crate::output::style::FAINT;
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// Reads the list.
///
/// # Errors
/// If the file cannot be read or is none.
pub fn read(session: &Session, file: &Path) -> Done<Vec<Listed>> {
    let shown = session.shown(file);
    let text =
        std::fs::read(file).map_err(|error| Failure::words(format!("{shown} cannot be read: {error}")))?;
    let (listed, _) = read_listing(&text).map_err(|wrong| {
        Failure::words(format!("{shown} is not a list of files with digests: {wrong}"))
            .hint("make it there with nine search --format csv --with-hash")
    })?;
    Ok(listed)
}

/// Compares and prints.
///
/// # Errors
/// As the exit status has it.
pub fn run(
    args: &CompareArgs,
    session: &Session,
    config: &Config,
    mut looking: Looking,
    rows: &Option<Rows>,
    listed: &[Listed],
) -> Done {
    let mut left_out = LeftOut::default();
    let tree = &looking.views[0].tree;
    let asked: Vec<Member> = tree
        .ids()
        .filter(|id| rows.as_ref().is_none_or(|rows| rows.has(id.row())))
        .filter(|id| is_compared(tree, *id, args.hidden, Some(&mut left_out)))
        .map(|id| Member::new(0, id))
        .collect();
    let is_asked: HashSet<Member> = asked.iter().copied().collect();
    let sizes: HashSet<u64> = listed.iter().map(|one| one.size).collect();
    looking.compare(|_, member| is_asked.contains(&member).then_some(Side::Asked), Meet::Across, sizes);
    looking.keep();
    let held = Held::new(args, session, config, &looking, listed, asked, left_out);
    if args.reverse {
        held.print_reverse()?
    } else {
        held.print()?
    }
    if looking.troubles > 0 { Err(Failure::new(Kind::Partly, "")) } else { Ok(()) }
}

/// What came of it.
struct Held<'a> {
    args: &'a CompareArgs,
    session: &'a Session,
    config: &'a Config,
    looking: &'a Looking<'a>,
    listed: &'a [Listed],
    /// Files of A with those in the list that have their bytes.
    found: Vec<(Member, Vec<&'a Listed>)>,
    missing: Vec<Member>,
    left_out: LeftOut,
}

impl<'a> Held<'a> {
    fn new(
        args: &'a CompareArgs,
        session: &'a Session,
        config: &'a Config,
        looking: &'a Looking<'a>,
        listed: &'a [Listed],
        asked: Vec<Member>,
        left_out: LeftOut,
    ) -> Self {
        let mut by_digest: HashMap<Digest, Vec<&Listed>> = HashMap::new();
        for one in listed {
            by_digest.entry(one.digest).or_default().push(one);
        }
        let tree = &looking.views[0].tree;
        let (mut found, mut missing) = (Vec::new(), Vec::new());
        for member in asked {
            match tree.digest(member.id).and_then(|digest| by_digest.get(&digest)) {
                Some(there) => found.push((member, there.clone())),
                None => missing.push(member),
            }
        }
        Self { args, session, config, looking, listed, found, missing, left_out }
    }

    fn print(&self) -> Done {
        let shown: Vec<Member> = match self.args.found {
            true => self.found.iter().map(|(member, _)| *member).collect(),
            false => self.missing.clone(),
        };
        match self.args.show.format {
            Format::Paths => return print_paths(self.looking, &hits(&shown), b"\n"),
            Format::Paths0 => return print_paths(self.looking, &hits(&shown), b"\0"),
            Format::Csv | Format::Json => {
                let there: HashMap<Member, &Vec<&Listed>> =
                    self.found.iter().map(|(m, there)| (*m, there)).collect();
                let records = shown.iter().map(|member| self.record(*member, there.get(member).copied()));
                return records::print_as(records, self.args.show.format);
            }
            Format::Table => {}
        }
        let mut out = output::out();
        let session = self.session;
        let (now, look) = (&session.now, &session.look);
        let list =
            Listing { looking: self.looking, config: self.config, now, look, archive: &[], columns: &USUAL };
        if !shown.is_empty() {
            list.print_table(&mut out, &hits(&shown), &mut None, 0, true)?;
            writeln!(out)?;
        }
        let size = |member: &Member| self.looking.views[0].tree.size(member.id);
        let missing = (self.missing.len() as u64, self.missing.iter().map(size).sum());
        let found = (self.found.len() as u64, self.found.iter().map(|(member, _)| size(member)).sum());
        let base = look.text(&self.looking.views[0].ground.base.to_string());
        for line in summary_lines(&base, "the list", missing, found, &self.left_out, self.looking.troubles) {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }

    fn record(&self, member: Member, there: Option<&Vec<&Listed>>) -> Record {
        let r#as = if there.is_some() { "found" } else { "missing" };
        let items: Vec<String> = there.into_iter().flatten().map(|one| one.item.clone()).collect();
        let record = Record::of(self.looking, self.session, member, r#as);
        Record { r#where: no_formula(items.join(" | ")), ..record }
    }

    /// What of the list is nowhere in A.
    fn print_reverse(&self) -> Done {
        let tree = &self.looking.views[0].tree;
        let has: HashSet<Digest> =
            self.found.iter().filter_map(|(member, _)| tree.digest(member.id)).collect();
        let missing: Vec<&Listed> = self.listed.iter().filter(|one| !has.contains(&one.digest)).collect();
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
        let mut table = Table::new(&[Column::Shortened, Column::Right]);
        for one in &missing {
            table.line(vec![cell(look.text(&one.item)), styled(readable(one.size), FAINT)]);
        }
        table.print(&mut out, look)?;
        if !missing.is_empty() {
            writeln!(out)?;
        }
        let bytes = |list: &[&Listed]| list.iter().map(|one| one.size).sum::<u64>();
        let all: Vec<&Listed> = self.listed.iter().collect();
        let found = (all.len() - missing.len()) as u64;
        let base = look.text(&self.looking.views[0].ground.base.to_string());
        let (gone, there) = ((missing.len() as u64, bytes(&missing)), (found, bytes(&all) - bytes(&missing)));
        for line in summary_lines("the list", &base, gone, there, &LeftOut::default(), self.looking.troubles)
        {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }
}
