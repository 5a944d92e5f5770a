//! What `copies` prints.

use std::borrow::Cow;
use std::io::{self, Write};

use nine_core::amount::{count, counted, readable};
use nine_core::copies::{Folded, Member, Part, copies_take};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::worklist::table::no_formula;
use serde::Serialize;

use super::Shown;
use crate::args::Format;
use crate::failure::Done;
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, records};

/// Lines of a group that are shown where not all are asked for.
const LINES: usize = 12;
/// The column of names.
const NAME: usize = 1;

/// A line of a group for programs.
#[derive(Serialize)]
struct Record {
    group: usize,
    /// `stays`, `copy`, `bound` (to a folder that stays) or `link` (another name of the file before).
    r#as: &'static str,
    item: String,
    path: String,
    kind: &'static str,
    size: u64,
    modified: String,
    because: String,
    digest: String,
}

impl Shown<'_> {
    /// Prints what was found.
    pub(super) fn print(&self) -> Done {
        if self.args.names {
            return self.print_names();
        }
        let shown = &self.copies.found[..self.args.limit.unwrap_or(usize::MAX).min(self.copies.found.len())];
        match self.args.show.format {
            Format::Table => self.print_table(shown),
            Format::Paths => self.print_paths(shown, b"\n"),
            Format::Paths0 => self.print_paths(shown, b"\0"),
            format => {
                let records = shown.iter().enumerate().flat_map(|(at, folded)| self.records(at + 1, folded));
                records::print_as(records, format)
            }
        }
    }

    fn print_table(&self, shown: &[Folded]) -> Done {
        let mut out = output::out();
        let mut table = table();
        for folded in shown {
            self.shown_parts(folded)
                .for_each(|(member, part)| table.measure(&self.cells(folded, member, part)));
        }
        let widths = table.widths(&self.session.look);
        for folded in shown {
            writeln!(out, "{}", self.heading(folded))?;
            self.print_lines(&mut out, &table, &widths, folded)?;
            let more = folded.parts().count() - self.shown_parts(folded).count();
            if more > 0 {
                let more = counted(more as u64, "more line", "more lines");
                writeln!(out, "  {FAINT}{} {more}; --all shows them{FAINT:#}", self.session.look.text("…"))?;
            }
            writeln!(out)?;
        }
        for line in self.summary(shown.len()) {
            writeln!(out, "{line}")?;
        }
        Ok(out.flush()?)
    }

    /// Prints the lines of a group. None is kept: there may be as many as there are files.
    fn print_lines(
        &self,
        out: &mut impl Write,
        all: &Table,
        widths: &[usize],
        folded: &Folded,
    ) -> io::Result<()> {
        let look = &self.session.look;
        let mut table = all.without_lines();
        table.measure_like(all);
        let names = self.shown_parts(folded).map(|(member, _)| Cow::Owned(self.name(member)));
        table.tell_apart(NAME, names, widths, look);
        let line = |(member, part)| table.print_line(out, look, widths, &self.cells(folded, member, part));
        self.shown_parts(folded).try_for_each(line)
    }

    /// `letter.pdf  3 copies of 2.4 MB, 4.8 MB to be won`.
    fn heading(&self, folded: &Folded) -> String {
        let group = &folded.group;
        let name = self.name(folded.kept().member);
        let many = match group.kind {
            Kind::Folder => {
                let files = self.files_in(folded.kept().member);
                let files = counted(files, "file", "files");
                format!("{} folders with the same {files}", count(group.items.len() as u64))
            }
            _ => format!("{} with the same bytes", counted(group.items.len() as u64, "file", "files")),
        };
        let won = match folded.to_be_won() {
            0 => String::new(),
            won => format!(", {} to be won", readable(won)),
        };
        let size = readable(group.size);
        format!("{STRONG}{name}{STRONG:#}  {FAINT}{many}, {size} each{won}{FAINT:#}")
    }

    /// How many files lie in a folder.
    fn files_in(&self, member: Member) -> u64 {
        self.copies.looking.views[member.view as usize].tree.items(member.id).unwrap_or(0)
    }

    fn name(&self, member: Member) -> String {
        let tree = &self.copies.looking.views[member.view as usize].tree;
        let slash = if tree.is_folder(member.id) { "/" } else { "" };
        format!("{}{slash}", self.session.look.name(tree.name(member.id)))
    }

    /// The first lines of a group; all of them, if all are asked for.
    fn shown_parts<'f>(&self, folded: &'f Folded) -> impl Iterator<Item = (Member, Part)> + use<'f> {
        let all = self.args.show.all || !self.session.look.terminal;
        let is_short = folded.parts().nth(LINES + 3).is_none();
        folded.parts().take(if all || is_short { usize::MAX } else { LINES })
    }

    /// What stands in the line of an item or of another name of it.
    fn cells(&self, folded: &Folded, member: Member, part: Part) -> Vec<Cell<'static>> {
        let look = &self.session.look;
        let (mark, style, note) = match part {
            Part::Stays => ("=", PLAIN, format!("stays: {}", folded.chosen.because)),
            Part::Bound => ("=", PLAIN, BOUND.to_owned()),
            Part::Copy => ("-", CHANGE, String::new()),
            Part::Link { goes } => (if goes { "-" } else { "=" }, FAINT, LINK.to_owned()),
        };
        let newest = self.copies.looking.views[member.view as usize].tree.newest(member.id);
        vec![
            styled(mark, style),
            cell(self.name(member)),
            styled(look.text(&self.copies.looking.spot(member).folder_written()), FAINT),
            styled(self.session.now().age(newest), FAINT),
            styled(note, FAINT),
        ]
    }

    /// How many copies, how much space, and what else there is to look at.
    fn summary(&self, shown: usize) -> Vec<String> {
        let going: u64 = self.copies.found.iter().map(|folded| folded.going().count() as u64).sum();
        let won: u64 = self.copies.found.iter().map(Folded::to_be_won).sum();
        let groups = self.copies.found.len() as u64;
        let mut first = match groups {
            0 => format!("{STRONG}No two items have the same bytes{STRONG:#}"),
            _ => format!(
                "{STRONG}{}: {} not needed, {} to be won{STRONG:#}",
                counted(groups, "group", "groups"),
                counted(going, "item is", "items are"),
                readable(won)
            ),
        };
        if (shown as u64) < groups {
            first.push_str(&format!("{FAINT}; the first {} shown{FAINT:#}", count(shown as u64)));
        }
        let mut lines = vec![first];
        let alike = &self.copies.names;
        let marked = alike.iter().filter(|alike| alike.marked).count() as u64;
        let named = alike.len() as u64 - marked;
        if marked + named > 0 {
            let parts = [
                (marked, "with a copy mark in a name", "with copy marks in their names"),
                (named, "with equal names", "with equal names"),
            ];
            let parts: Vec<String> = parts
                .iter()
                .filter(|(many, ..)| *many > 0)
                .map(|(many, one, more)| {
                    format!("{} {}", counted(*many, "group", "groups"), if *many == 1 { one } else { more })
                })
                .collect();
            lines.push(format!("{FAINT}Other bytes: {}; --names lists them{FAINT:#}", parts.join(", ")));
        }
        if self.copies.looking.troubles > 0 {
            let trees = self.copies.looking.trees();
            let unread = copies_take(&trees, trees.len()).last().map_or(0, |take| take.unread);
            lines.push(format!("{DOUBT}{} could not be compared{DOUBT:#}", readable(unread)));
        }
        lines
    }

    fn records<'f>(&'f self, group: usize, folded: &'f Folded) -> impl Iterator<Item = Record> + use<'f> {
        let digest = folded.group.digest.filter(|_| folded.group.kind == Kind::File);
        folded.parts().map(move |(member, part)| {
            let view = &self.copies.looking.views[member.view as usize];
            Record {
                group,
                r#as: match part {
                    Part::Stays => "stays",
                    Part::Bound => "bound",
                    Part::Copy => "copy",
                    Part::Link { .. } => "link",
                },
                item: no_formula(view.spot(member.id).to_string()),
                path: no_formula(escape(view.location(member.id).as_typed().as_encoded_bytes())),
                kind: if folded.group.kind == Kind::Folder { "folder" } else { "file" },
                size: view.tree.size(member.id),
                modified: self.session.now().minute(view.tree.newest(member.id)),
                because: if part == Part::Stays { folded.chosen.because.clone() } else { String::new() },
                digest: digest.map_or(String::new(), |digest| digest.to_string()),
            }
        })
    }

    fn print_paths(&self, shown: &[Folded], end: &[u8]) -> Done {
        let mut out = output::raw();
        for item in shown.iter().flat_map(Folded::going) {
            let view = &self.copies.looking.views[item.member.view as usize];
            out.write_all(view.location(item.member.id).as_typed().as_encoded_bytes())?;
            out.write_all(end)?;
        }
        Ok(out.flush()?)
    }

    /// Names that suggest a copy although the bytes differ.
    fn print_names(&self) -> Done {
        let alike = &self.copies.names;
        if self.args.show.format != Format::Table {
            let record = |(at, member): (usize, Member)| {
                let view = &self.copies.looking.views[member.view as usize];
                NameRecord {
                    group: at,
                    item: no_formula(view.spot(member.id).to_string()),
                    size: view.tree.size(member.id),
                    modified: self.session.now().minute(view.tree.newest(member.id)),
                }
            };
            let members =
                alike.iter().zip(1..).flat_map(|(group, at)| group.items.iter().map(move |m| (at, *m)));
            return records::print_as(members.map(record), self.args.show.format);
        }
        let mut out = output::out();
        let shown = &alike[..self.args.limit.unwrap_or(usize::MAX).min(alike.len())];
        let new = || {
            Table::new(&[
                TableColumn::Shortened,
                TableColumn::Squeezed(1),
                TableColumn::Right,
                TableColumn::Yielding,
            ])
            .indented(2)
        };
        let all = self.args.show.all || !self.session.look.terminal;
        let line = |member: &Member| {
            let view = &self.copies.looking.views[member.view as usize];
            vec![
                cell(self.name(*member)),
                styled(self.session.look.text(&view.spot(member.id).folder().to_string()), FAINT),
                cell(readable(view.tree.size(member.id))),
                styled(self.session.now().minute(view.tree.newest(member.id)), FAINT),
            ]
        };
        let most = |items: &[Member]| if all || items.len() <= LINES + 3 { items.len() } else { LINES };
        let mut whole = new();
        shown
            .iter()
            .for_each(|alike| alike.items[..most(&alike.items)].iter().for_each(|m| whole.line(line(m))));
        let widths = whole.widths(&self.session.look);
        for alike in shown {
            let name = self.name(alike.items[0]);
            let files = counted(alike.items.len() as u64, "file", "files");
            let note =
                if alike.marked { "a copy by name, with other bytes" } else { "one name, other bytes" };
            writeln!(out, "{STRONG}{name}{STRONG:#}  {FAINT}{files}: {note}{FAINT:#}")?;
            let mut lines = new();
            let most = most(&alike.items);
            alike.items[..most].iter().for_each(|member| lines.line(line(member)));
            lines.print_with(&mut out, &self.session.look, &widths)?;
            if most < alike.items.len() {
                let more = counted((alike.items.len() - most) as u64, "more line", "more lines");
                writeln!(out, "  {FAINT}{} {more}; --all shows them{FAINT:#}", self.session.look.text("…"))?;
            }
            writeln!(out)?;
        }
        writeln!(out, "{STRONG}{}{STRONG:#}", counted(alike.len() as u64, "group", "groups"))?;
        Ok(out.flush()?)
    }
}

/// A file whose name suggests a copy, for programs.
#[derive(Serialize)]
struct NameRecord {
    group: usize,
    item: String,
    size: u64,
    modified: String,
}

const LINK: &str = "another name of the same file";
const BOUND: &str = "in a folder that stays";

fn table() -> Table<'static> {
    use TableColumn::{Left, Shortened, Squeezed, Yielding};
    Table::new(&[Left, Shortened, Squeezed(1), Yielding, Squeezed(2)]).indented(2)
}
