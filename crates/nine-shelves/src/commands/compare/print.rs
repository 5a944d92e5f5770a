//! What `compare` prints: what is missing, or what is found and where.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::copies::Member;
use nine_core::escape::escape;
use nine_core::worklist::table::no_formula;
use nine_engine::compare::LeftOut;
use nine_engine::looking::Looking;
use nine_engine::search::Hit;
use serde::Serialize;

use super::Shown;
use crate::args::Format;
use crate::failure::Done;
use crate::output::items::{ItemListing, USUAL, print_paths};
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// A file for programs, with where its bytes are, or what has its name.
#[derive(Serialize)]
pub(super) struct Record {
    pub item: String,
    pub path: String,
    pub size: u64,
    pub modified: String,
    /// `missing` or `found`.
    pub r#as: &'static str,
    /// Where its bytes are, joined by ` | `.
    pub r#where: String,
    /// What has its name and other bytes.
    pub same_name: String,
    pub blake3: String,
}

impl Record {
    /// A file of a view, about which nothing is said yet.
    pub fn of(looking: &Looking, session: &Session, member: Member, r#as: &'static str) -> Self {
        let view = &looking.views[member.view as usize];
        let digest = view.tree.digest(member.id);
        Self {
            item: no_formula(view.spot(member.id).to_string()),
            path: no_formula(escape(view.location(member.id).as_typed().as_encoded_bytes())),
            size: view.tree.size(member.id),
            modified: session.now().minute(view.tree.newest(member.id)),
            r#as,
            r#where: String::new(),
            same_name: String::new(),
            blake3: digest.map_or(String::new(), |digest| digest.to_string()),
        }
    }
}

impl Shown<'_> {
    pub(super) fn print(&self) -> Done {
        let shown: Vec<Member> = match self.args.found {
            true => self.compared.across.found.iter().map(|(member, _)| *member).collect(),
            false => self.compared.across.missing.clone(),
        };
        let format = self.args.show.format;
        match format {
            Format::Paths => return print_paths(&self.compared.looking, &hits(&shown), b"\n"),
            Format::Paths0 => return print_paths(&self.compared.looking, &hits(&shown), b"\0"),
            Format::Csv | Format::Json => return records::print_as(self.records(&shown).into_iter(), format),
            Format::Table => {}
        }
        let mut out = output::out();
        if self.args.found {
            self.print_found(&mut out)?;
        } else {
            let same_name = if self.args.names { self.same_names() } else { Vec::new() };
            let plain: Vec<Member> = shown
                .iter()
                .filter(|member| !same_name.iter().any(|(named, _)| named == *member))
                .copied()
                .collect();
            self.print_missing(&mut out, &plain)?;
            self.print_same_names(&mut out, &same_name)?;
        }
        for line in self.summary() {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }

    fn print_missing(&self, out: &mut impl Write, missing: &[Member]) -> std::io::Result<()> {
        if missing.is_empty() {
            return Ok(());
        }
        self.listing().print_table(out, &hits(missing), &mut None, 0, true)?;
        writeln!(out)
    }

    fn print_found(&self, out: &mut impl Write) -> std::io::Result<()> {
        if self.compared.across.found.is_empty() {
            return Ok(());
        }
        let look = &self.session.look;
        use TableColumn::{Right, Shortened, Squeezed};
        let mut table = Table::new(&[Shortened, Squeezed(1), Right, Squeezed(2)]);
        table.line(["name", "location", "size", "is there as"].map(|word| styled(word, FAINT)).to_vec());
        for (member, there) in &self.compared.across.found {
            let spot = self.compared.looking.spot(*member);
            let tree = &self.compared.looking.views[member.view as usize].tree;
            let more = match there.len() {
                1 => String::new(),
                many => format!(" and {} more", count(many as u64 - 1)),
            };
            table.line(vec![
                cell(look.name(spot.path.name()).into_owned()),
                styled(look.text(&spot.folder().to_string()), FAINT),
                cell(readable(tree.size(member.id))),
                cell(format!("{}{more}", look.text(&self.compared.looking.spot(there[0]).to_string()))),
            ]);
        }
        table.print(out, look)?;
        writeln!(out)
    }

    fn same_names(&self) -> Vec<(Member, Vec<Member>)> {
        self.compared.same_names()
    }

    fn listing(&self) -> ItemListing<'_> {
        ItemListing {
            looking: &self.compared.looking,
            look: &self.session.look,
            archive: &[],
            columns: &USUAL,
        }
    }

    fn print_same_names(&self, out: &mut impl Write, named: &[(Member, Vec<Member>)]) -> std::io::Result<()> {
        let look = &self.session.look;
        use TableColumn::{Left, Right, Shortened, Squeezed, Yielding};
        let mut table = Table::new(&[Left, Shortened, Squeezed(1), Right, Yielding]).indented(2);
        for (member, others) in named {
            for one in std::iter::once(member).chain(others) {
                let (side, weight) = if one == member { ("missing", STRONG) } else { ("there", FAINT) };
                let spot = self.compared.looking.spot(*one);
                let tree = &self.compared.looking.views[one.view as usize].tree;
                table.line(vec![
                    styled(side, weight),
                    cell(look.name(spot.path.name()).into_owned()),
                    styled(look.text(&spot.folder().to_string()), FAINT),
                    cell(readable(tree.size(one.id))),
                    styled(self.session.now().minute(tree.newest(one.id)), FAINT),
                ]);
            }
        }
        if named.is_empty() {
            return Ok(());
        }
        writeln!(out, "{STRONG}The same name, other bytes{STRONG:#}")?;
        table.print(out, look)?;
        writeln!(out)
    }

    fn records(&self, shown: &[Member]) -> Vec<Record> {
        let named = if self.args.names { self.same_names() } else { Vec::new() };
        let joined = |members: &[Member]| {
            let spots = members.iter().map(|member| self.compared.looking.spot(*member).to_string());
            no_formula(spots.collect::<Vec<_>>().join(" | "))
        };
        let of = |pairs: &[(Member, Vec<Member>)], member: &Member| {
            let at = pairs.binary_search_by_key(member, |(known, _)| *known);
            at.map_or(String::new(), |at| joined(&pairs[at].1))
        };
        let r#as = if self.args.found { "found" } else { "missing" };
        let record = |member: &Member| Record {
            r#where: of(&self.compared.across.found, member),
            same_name: of(&named, member),
            ..Record::of(&self.compared.looking, self.session, *member, r#as)
        };
        shown.iter().map(record).collect()
    }

    /// `12 files of import (34 MB) are nowhere in home; 240 (1.2 GB) are there`.
    pub(super) fn summary(&self) -> Vec<String> {
        let bases: Vec<String> = self
            .compared
            .looking
            .views
            .iter()
            .map(|view| self.session.look.text(&view.area.base.to_string()))
            .collect();
        let (a, b) = (bases[0].clone(), bases[1..].join(", "));
        let (asked, beside) = if self.args.reverse { (b, a) } else { (a, b) };
        let missing = self.sum(self.compared.across.missing.iter());
        let found = self.sum(self.compared.across.found.iter().map(|(member, _)| member));
        summary_lines(
            &asked,
            &beside,
            missing,
            found,
            self.compared.left_out(),
            self.compared.looking.troubles,
        )
    }

    fn sum<'m>(&self, members: impl Iterator<Item = &'m Member>) -> (u64, u64) {
        let size = |member: &Member| self.compared.looking.views[member.view as usize].tree.size(member.id);
        members.fold((0, 0), |(many, bytes), member| (many + 1, bytes + size(member)))
    }
}

/// How many files are missing and how many are found, with their bytes.
pub(super) fn summary_lines(
    asked: &str,
    beside: &str,
    missing: (u64, u64),
    found: (u64, u64),
    left_out: &LeftOut,
    troubles: usize,
) -> Vec<String> {
    let files =
        |(many, bytes): (u64, u64)| format!("{} ({})", counted(many, "file", "files"), readable(bytes));
    let first = match (missing.0, found.0) {
        (0, 0) => format!("{STRONG}There is no file with bytes in {asked}{STRONG:#}"),
        (0, _) => {
            format!("{STRONG}Nothing of {asked} is missing in {beside}: {} found{STRONG:#}", files(found))
        }
        _ => {
            let are = if missing.0 == 1 { "is" } else { "are" };
            let found = match found.0 {
                0 => "none of it is there".to_owned(),
                _ => format!("{} found there", files(found)),
            };
            let found = format!("{FAINT}; {found}{FAINT:#}");
            format!("{STRONG}{} of {asked} {are} nowhere in {beside}{STRONG:#}{found}", files(missing))
        }
    };
    let parts = [
        (left_out.empty, "empty file", "empty files"),
        (left_out.links, "link or other thing without bytes", "links or other things without bytes"),
        (left_out.hidden, "hidden file", "hidden files"),
    ];
    let parts: Vec<String> = parts
        .iter()
        .filter(|(many, ..)| *many > 0)
        .map(|(many, one, more)| counted(*many, one, more))
        .collect();
    let mut lines = vec![first];
    if !parts.is_empty() {
        lines.push(format!("{FAINT}Not compared: {}{FAINT:#}", parts.join(", ")));
    }
    if troubles > 0 {
        lines.push(format!(
            "{DOUBT}{} could not be read; what is missing may be there{DOUBT:#}",
            counted(troubles as u64, "item", "items")
        ));
    }
    lines
}

pub(super) fn hits(members: &[Member]) -> Vec<Hit> {
    members.iter().map(|member| Hit { view: member.view, id: member.id }).collect()
}
