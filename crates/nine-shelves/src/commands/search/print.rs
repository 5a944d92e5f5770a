//! What a search prints.

use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::survey::Part;
use nine_engine::search::{Hit, HitGroup, group};

use super::Shown;
use crate::args::Format;
use crate::failure::{Done, Failure};
use crate::notices::known_since;
use crate::output::items::{ItemColumn, ItemListing};
use crate::output::style::{FAINT, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, bars, records};

/// How many lines of a file are shown.
const GLANCE: u8 = 12;

impl Shown<'_> {
    /// Prints what was found.
    pub(super) fn print(&self) -> Done {
        if self.args.show {
            return self.show();
        }
        let found = self.found;
        let shown = &found.hits[..self.args.limit.unwrap_or(usize::MAX).min(found.hits.len())];
        let listing = self.listing();
        match self.args.format {
            Format::Table => self.print_table(&listing, shown),
            Format::Json | Format::Csv if self.args.totals => self.print_totals(shown),
            Format::Json => records::print_json(shown.iter().map(|hit| listing.record(*hit))),
            Format::Csv => output::items::print_csv(&listing, shown),
            Format::Paths => output::items::print_paths(&found.looking, shown, b"\n"),
            Format::Paths0 => output::items::print_paths(&found.looking, shown, b"\0"),
        }
    }

    fn listing(&self) -> ItemListing<'_> {
        let (looking, look) = (&self.found.looking, &self.session.look);
        let archive = &self.workspace.opened().archive;
        ItemListing { looking, look, archive, columns: self.columns }
    }

    fn print_table(&self, listing: &ItemListing, shown: &[Hit]) -> Done {
        let mut out = output::out();
        match &self.args.by {
            Some(by) => {
                let groups = group(shown, listing.looking, by);
                match self.args.totals {
                    true => self.print_group_totals(&mut out, &groups)?,
                    false => self.print_groups(&mut out, listing, &groups, shown)?,
                }
            }
            None if shown.is_empty() => {}
            None => {
                listing.print_table(&mut out, shown, &mut None, 0, true)?;
                writeln!(out)?;
            }
        }
        writeln!(out, "{}", self.summary(listing, shown))?;
        Ok(out.flush()?)
    }

    fn print_groups(
        &self,
        out: &mut impl Write,
        listing: &ItemListing,
        groups: &[HitGroup],
        shown: &[Hit],
    ) -> std::io::Result<()> {
        let mut widths = Some(listing.widths(shown, 2));
        for HitGroup { name, hits, part } in groups {
            let Part { count, bytes } = part;
            let note = format!("{}, {}", counted(*count, "item", "items"), readable(*bytes));
            writeln!(out, "{STRONG}{}{STRONG:#}  {FAINT}{note}{FAINT:#}", listing.look.text(name))?;
            listing.print_table(out, hits, &mut widths, 2, false)?;
            writeln!(out)?;
        }
        Ok(())
    }

    fn print_group_totals(&self, out: &mut impl Write, groups: &[HitGroup]) -> std::io::Result<()> {
        let look = &self.session.look;
        let most = groups.iter().map(|group| group.part.count).max().unwrap_or(0);
        let mut table =
            Table::new(&[TableColumn::Shortened, TableColumn::Right, TableColumn::Right, TableColumn::Left]);
        for HitGroup { name, part, .. } in groups {
            table.line(vec![
                styled(look.text(name), STRONG),
                cell(count(part.count)),
                cell(readable(part.bytes)),
                styled(bars::bar(look, part.count, most, bars::WIDTH), FAINT),
            ]);
        }
        table.print(out, look)?;
        writeln!(out)
    }

    /// `36 files and 3 folders, 45 MB; 12 hidden left out`.
    fn summary(&self, listing: &ItemListing, shown: &[Hit]) -> String {
        let found = self.found;
        let files = found.files;
        let all = files + found.folders;
        let mut parts = Vec::new();
        if files > 0 || found.folders == 0 {
            parts.push(counted(files, "file", "files"));
        }
        if found.folders > 0 {
            parts.push(counted(found.folders, "folder", "folders"));
        }
        let mut notes = Vec::new();
        if (shown.len() as u64) < all {
            notes.push(format!("the first {} shown", count(shown.len() as u64)));
        }
        if found.hidden > 0 {
            notes.push(format!("{} hidden left out, --hidden shows them", count(found.hidden)));
        }
        let unread = found.unread;
        if unread > 0 {
            let files = counted(unread, "file was", "files were");
            notes.push(format!("the words of {files} never read, --text reads them"));
        }
        let known = listing.looking.views.iter().filter(|view| view.is_known).map(|view| view.at).min();
        if let Some(oldest) = known {
            notes.push(known_since(oldest));
        }
        let notes: String = notes.iter().map(|note| format!("; {note}")).collect();
        let bytes = if files > 0 { format!(", {}", readable(found.bytes)) } else { String::new() };
        format!("{STRONG}{}{bytes}{STRONG:#}{FAINT}{notes}{FAINT:#}", parts.join(" and "))
    }

    fn print_totals(&self, shown: &[Hit]) -> Done {
        #[derive(serde::Serialize)]
        struct Total {
            group: String,
            items: u64,
            bytes: u64,
        }
        let groups = match &self.args.by {
            Some(by) => group(shown, &self.found.looking, by),
            None => Vec::new(),
        };
        let totals = groups.into_iter().map(|group| Total {
            group: group.name,
            items: group.part.count,
            bytes: group.part.bytes,
        });
        records::print_as(totals, self.args.format)
    }

    /// A short look into the one item that was found.
    fn show(&self) -> Done {
        let (found, looking) = (self.found, &self.found.looking);
        let ([hit], 1) = (found.hits.as_slice(), found.files + found.folders) else {
            let many = counted(found.files + found.folders, "item was", "items were");
            return Err(Failure::words(format!("--show looks into one item, and {many} found"))
                .hint("narrow the condition, or leave out --show to see the list"));
        };
        let mut out = output::out();
        let listing = ItemListing {
            columns: &[ItemColumn::Type, ItemColumn::Size, ItemColumn::Modified],
            ..self.listing()
        };
        let view = &looking.views[hit.view as usize];
        let name = self.session.look.name(view.tree.name(hit.id));
        writeln!(
            out,
            "{STRONG}{name}{STRONG:#}  {FAINT}{}{FAINT:#}",
            listing.text(*hit, ItemColumn::Location)
        )?;
        listing.print_table(&mut out, &[*hit], &mut None, 0, false)?;
        let words = looking.glance(hit.view as usize, hit.id, GLANCE);
        for line in words.body.lines() {
            writeln!(out, "  {}", self.session.look.text(line))?;
        }
        if !words.note.is_empty() {
            writeln!(out, "  {FAINT}{}{FAINT:#}", words.note)?;
        }
        Ok(out.flush()?)
    }
}
