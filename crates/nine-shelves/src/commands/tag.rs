//! `nine tag`: add, drop, rename, merge and list tags.

use std::collections::BTreeMap;
use std::io::Write;

use nine_core::amount::{count, counted, readable};
use nine_core::config::Config;
use nine_core::diagnostic::nearest;
use nine_core::escape::plain;
use nine_core::item::Kind;
use nine_core::names::{fold, natural_key};
use nine_core::plan::Proposal;
use nine_core::plan::tag::{TagChange, of_place, plan};
use nine_core::survey::Part;
use nine_core::tags::answers_to;
use nine_core::tree::{NodeId, TagsOf, Unlearned};
use nine_stores::Places;
use serde::Serialize;

use crate::cli::{PlainFormat, SelectionArgs, ShowArgs, TagArgs, TagCommand};
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, all_grounds, all_rows};
use crate::output::style::{DOUBT, FAINT};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, bars, records, tags};
use crate::pipeline::{Planned, show_ask_carry};
use crate::selection::tagged;
use crate::session::{Opened, Session};
use crate::{paste, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &TagArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let config = &loaded.config;
    let opened = session.open(config);
    let act = Act { session, config, opened: &opened };
    match &args.command {
        None if args.from_folder => act.tag_by_place(&args.selection, &args.show),
        None if args.selection.is_empty() => act.list(PlainFormat::Table),
        None => Err(Failure::words("what is to become of these items' tags is not said")
            .hint("say `nine tag add TAG`, `nine tag drop TAG` or `nine tag --from-folder`")),
        Some(TagCommand::List { format }) => act.list(*format),
        Some(TagCommand::Add { tags, selection, show }) => {
            act.on_selection("add", tags, TagChange::Add(checked(tags)?), selection, show)
        }
        Some(TagCommand::Drop { tags, selection, show }) => {
            act.on_selection("drop", tags, TagChange::Drop(checked(tags)?), selection, show)
        }
        Some(TagCommand::Rename { from, to, show }) => act.everywhere("rename", from, to, false, show),
        Some(TagCommand::Merge { from, to, show }) => act.everywhere("merge", from, to, true, show),
    }
}

/// Tags as they were typed, joined by commas.
fn checked(tags: &str) -> Done<Vec<String>> {
    let check = |tag: &str| {
        let tag = tag.trim();
        if tag.is_empty() || tag.contains(char::is_control) {
            return Err(Failure::words("a tag cannot be empty or hold control characters")
                .hint("write tags as words joined by commas: todo,loans"));
        }
        if tag.starts_with('/') || tag.ends_with('/') || tag.contains("//") {
            return Err(Failure::words(format!("`{}` is not a nested tag", plain(tag)))
                .hint("a nested tag is written client/Harrow"));
        }
        Ok(tag.to_owned())
    };
    tags.split(',').map(check).collect()
}

/// A single tag.
fn one(tag: &str) -> Done<String> {
    match checked(tag)?.as_slice() {
        [tag] => Ok(tag.clone()),
        _ => Err(Failure::words(format!("`{}` is more than one tag", plain(tag)))
            .hint("rename and merge take one tag at a time")),
    }
}

struct Act<'a> {
    session: &'a Session,
    config: &'a Config,
    opened: &'a Opened,
}

/// A tag with the items that have it.
#[derive(Serialize)]
struct Record {
    tag: String,
    items: u64,
    bytes: u64,
}

impl Act<'_> {
    fn on_selection(
        &self,
        word: &str,
        tags: &str,
        change: TagChange,
        selection: &SelectionArgs,
        show: &ShowArgs,
    ) -> Done {
        let selected = selection.select(self.session, self.config, self.opened)?;
        let command = format!("nine tag {word} {}", plain(tags));
        self.carry(selected.items, &selected.places, &change, command, selected.troubles, show)
    }

    /// Gives items the tags that their places say.
    fn tag_by_place(&self, selection: &SelectionArgs, show: &ShowArgs) -> Done {
        let selected = selection.select(self.session, self.config, self.opened)?;
        let count = selected.items.len() as u64;
        let give = |mut item: Proposal| {
            item.why = "its folder".into();
            item.add_tags(&of_place(&item.item, self.config, &self.session.now));
            item.becomes.is_some().then_some(item)
        };
        let proposals: Vec<Proposal> = selected.items.into_iter().filter_map(give).collect();
        let same = count - proposals.len() as u64;
        let command = "nine tag --from-folder".to_owned();
        let planned =
            Planned { troubles: selected.troubles, ..Planned::new(command, proposals, &selected.places) };
        show_ask_carry(self.session, self.opened, planned, show, |_, out| {
            let selected = counted(count, "item", "items");
            writeln!(out, "{FAINT}{selected} selected; {same} the right tags already, or no folder{FAINT:#}")
        })
    }

    /// Renames a tag on every item in every place.
    fn everywhere(&self, word: &str, from: &str, to: &str, merges: bool, show: &ShowArgs) -> Done {
        recovery::before_changing(self.session, self.config)?;
        let (from, to) = (one(from)?, one(to)?);
        let (items, troubles) = self.all_tagged()?;
        let has = |tag: &str| items.iter().any(|item| item.tags.iter().any(|have| answers_to(have, tag)));
        if !has(&from) {
            return Err(self.unknown(&items, &from));
        }
        let is_same = fold(&from) == fold(&to);
        if !merges && has(&to) && !is_same && !answers_to(&to, &from) {
            return Err(Failure::words(format!("there are items with the tag `{}` already", plain(&to)))
                .hint(format!(
                    "`nine tag merge {} {}` makes the two one",
                    paste::word(&from),
                    paste::word(&to)
                )));
        }
        if merges && !has(&to) {
            return Err(self.unknown(&items, &to));
        }
        let command = format!("nine tag {word} {} {}", plain(&from), plain(&to));
        let change = TagChange::Rename { from, to };
        self.carry(items, &self.opened.places, &change, command, troubles, show)
    }

    fn unknown(&self, items: &[Proposal], tag: &str) -> Failure {
        let known = || items.iter().flat_map(|item| &item.tags).map(String::as_str);
        let failure = Failure::words(format!("no item has the tag `{}`", plain(tag)));
        match nearest(tag, known()) {
            Some(near) => failure.hint(format!("did you mean `{}`?", plain(near))),
            None => failure.hint("`nine tag` lists all tags"),
        }
    }

    /// Every item that has a tag.
    fn all_tagged(&self) -> Done<(Vec<Proposal>, usize)> {
        let grounds = all_grounds(self.session, self.config, self.opened);
        let mut looking = Looking::look(self.session, grounds, &How::Now)?;
        let mut items = Vec::new();
        for view in 0..looking.views.len() {
            let rows = all_rows(&looking.views[view].tree);
            looking.learn(view, &rows, Unlearned { tags: true, content: false });
            let tree = &looking.views[view].tree;
            let have = |row| matches!(tree.tags(NodeId::new(row)), TagsOf::Known(tags) if !tags.is_empty());
            let rows = rows.filter(have);
            items.extend(tagged(&mut looking, view, &rows));
        }
        looking.keep();
        Ok((items, looking.troubles))
    }

    fn carry(
        &self,
        items: Vec<Proposal>,
        places: &Places,
        change: &TagChange,
        command: String,
        troubles: usize,
        show: &ShowArgs,
    ) -> Done {
        // Tags in a note's text are the person's to change.
        let gone = |item: &&Proposal| {
            let after = change.apply(&item.note_tags);
            !matches!(change, TagChange::Add(_)) && after != item.note_tags
        };
        let in_notes = items.iter().filter(gone).count() as u64;
        let selected = items.len() as u64;
        let proposals = plan(items, change, "by hand");
        let unchanged = selected - proposals.len() as u64;
        let planned = Planned { name_places: false, troubles, ..Planned::new(command, proposals, places) };
        show_ask_carry(self.session, self.opened, planned, show, |_, out| {
            let selected = counted(selected, "item", "items");
            let same = counted(unchanged, "has", "have");
            if in_notes > 0 {
                let notes = counted(in_notes, "note has", "notes have");
                writeln!(out, "{DOUBT}{notes} it in the text, where only you can change it{DOUBT:#}")?;
            }
            writeln!(out, "{FAINT}{selected} selected; {same} the right tags already{FAINT:#}")
        })
    }

    fn list(&self, format: PlainFormat) -> Done {
        let grounds = all_grounds(self.session, self.config, self.opened);
        let mut looking = Looking::look(self.session, grounds, &How::Now)?;
        let mut found: BTreeMap<Vec<u8>, (String, Part)> = BTreeMap::new();
        let mut items = 0;
        for view in 0..looking.views.len() {
            let rows = all_rows(&looking.views[view].tree);
            looking.learn(view, &rows, Unlearned { tags: true, content: false });
            let tree = &looking.views[view].tree;
            for id in rows.ids() {
                let tags = tree.all_tags(id).unwrap_or_default();
                items += u64::from(!tags.is_empty());
                for tag in tags {
                    let key = natural_key(tag.as_bytes());
                    let (_, part) = found.entry(key).or_insert_with(|| (tag, Part::default()));
                    part.count += 1;
                    part.bytes += if tree.kind(id) == Kind::File { tree.size(id) } else { 0 };
                }
            }
        }
        looking.keep();
        let troubles = looking.troubles;
        let records =
            found.into_values().map(|(tag, part)| Record { tag, items: part.count, bytes: part.bytes });
        match format {
            PlainFormat::Table => self.print(&records.collect::<Vec<_>>(), items)?,
            other => records::print(records, other)?,
        }
        match troubles {
            0 => Ok(()),
            _ => Err(Failure::new(crate::error::Kind::Partly, "")),
        }
    }

    fn print(&self, found: &[Record], items: u64) -> Done {
        let look = &self.session.look;
        let most = found.iter().map(|record| record.items).max().unwrap_or(0);
        let mut table = Table::new(&[Column::Shortened, Column::Right, Column::Right, Column::Left]);
        for record in found {
            let tag = tags::marked(self.config, look, &record.tag);
            table.line(vec![
                styled(look.text(&tag), tags::style(self.config, &record.tag).bold()),
                cell(count(record.items)),
                styled(readable(record.bytes), FAINT),
                styled(bars::bar(look, record.items, most, bars::WIDTH), FAINT),
            ]);
        }
        let mut out = output::out();
        table.print(&mut out, look)?;
        if !found.is_empty() {
            writeln!(out)?;
        }
        let tags = counted(found.len() as u64, "tag", "tags");
        writeln!(out, "{tags} on {}", counted(items, "item", "items"))?;
        Ok(out.flush()?)
    }
}
