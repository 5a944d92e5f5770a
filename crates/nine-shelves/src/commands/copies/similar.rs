//! Pictures that look alike, for looking only.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::copies::similar::{NEAR, Picture};
use nine_core::escape::escape;
use nine_core::worklist::table::no_formula;
use nine_engine::Workspace;
use nine_engine::copies::{Request, Similar, similar};
use serde::Serialize;

use super::CopiesArgs;
use crate::args::Format;
use crate::failure::{Done, unless};
use crate::output::style::{FAINT, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::session::Session;

/// Looks at all pictures and lists those that look alike.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CopiesArgs, request: &Request, workspace: &Workspace, session: &Session) -> Done {
    let found = similar(workspace, request)?;
    let shown = Shown { args, session, found: &found };
    match args.show.format {
        Format::Table => shown.print()?,
        Format::Paths => shown.print_paths(b"\n")?,
        Format::Paths0 => shown.print_paths(b"\0")?,
        format => records::print_as(shown.records().into_iter(), format)?,
    }
    unless(found.looking.troubles)
}

/// A picture of a group, for programs.
#[derive(Serialize)]
struct Record {
    group: usize,
    item: String,
    path: String,
    width: u32,
    height: u32,
    size: u64,
    modified: String,
    /// In how many of the 64 bits of its print it differs from the first of its group.
    differs: u32,
}

struct Shown<'a> {
    args: &'a CopiesArgs,
    session: &'a Session,
    found: &'a Similar<'a>,
}

impl Shown<'_> {
    fn shown(&self) -> &[Vec<Picture>] {
        &self.found.groups[..self.args.limit.unwrap_or(usize::MAX).min(self.found.groups.len())]
    }

    fn print(&self) -> std::io::Result<()> {
        let mut out = output::out();
        let look = &self.session.look;
        use TableColumn::{Left, Right, Shortened, Squeezed};
        let new = || Table::new(&[Shortened, Squeezed(1), Right, Right, Left]).indented(2);
        let mut whole = new();
        self.shown().iter().flatten().for_each(|picture| whole.line(self.cells(picture)));
        let widths = whole.widths(look);
        for group in self.shown() {
            let first = self.found.looking.spot(group[0].member);
            let many = counted(group.len() as u64, "picture", "pictures");
            let name = look.name(first.path.name());
            writeln!(out, "{STRONG}{name}{STRONG:#}  {FAINT}{many} that look alike{FAINT:#}")?;
            let mut table = new();
            group.iter().for_each(|picture| table.line(self.cells(picture)));
            table.print_with(&mut out, look, &widths)?;
            writeln!(out)?;
        }
        let groups = counted(self.found.groups.len() as u64, "group", "groups");
        let pictures = counted(self.found.looked_at as u64, "picture", "pictures");
        writeln!(out, "{STRONG}{groups}{STRONG:#} {FAINT}among {pictures}{FAINT:#}")?;
        writeln!(
            out,
            "{FAINT}Alike: at most {NEAR} of 64 brightness steps differ. Look before you discard any; nothing is done here.{FAINT:#}"
        )?;
        out.flush()
    }

    fn cells(&self, picture: &Picture) -> Vec<Cell<'static>> {
        let look = &self.session.look;
        let spot = self.found.looking.spot(picture.member);
        let (across, down) = picture.looks.pixels;
        let tree = &self.found.looking.views[picture.member.view as usize].tree;
        vec![
            cell(look.name(spot.path.name()).into_owned()),
            styled(look.text(&spot.folder().to_string()), FAINT),
            cell(look.text(&format!("{} x {}", count(across.into()), count(down.into())))),
            cell(readable(picture.size)),
            styled(self.session.now().age(tree.newest(picture.member.id)), FAINT),
        ]
    }

    fn print_paths(&self, end: &[u8]) -> std::io::Result<()> {
        let mut out = output::raw();
        for picture in self.shown().iter().flatten() {
            let view = &self.found.looking.views[picture.member.view as usize];
            out.write_all(view.location(picture.member.id).as_typed().as_encoded_bytes())?;
            out.write_all(end)?;
        }
        out.flush()
    }

    fn records(&self) -> Vec<Record> {
        let record = |(at, first, picture): (usize, Picture, &Picture)| {
            let view = &self.found.looking.views[picture.member.view as usize];
            Record {
                group: at,
                item: no_formula(view.spot(picture.member.id).to_string()),
                path: no_formula(escape(view.location(picture.member.id).as_typed().as_encoded_bytes())),
                width: picture.looks.pixels.0,
                height: picture.looks.pixels.1,
                size: picture.size,
                modified: self.session.now().minute(view.tree.newest(picture.member.id)),
                differs: (picture.looks.print ^ first.looks.print).count_ones(),
            }
        };
        let groups = self.shown().iter().zip(1..);
        groups
            .flat_map(|(group, at)| group.iter().map(move |picture| (at, group[0], picture)))
            .map(record)
            .collect()
    }
}
