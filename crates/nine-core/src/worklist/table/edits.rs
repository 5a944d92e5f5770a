//! What a person changed in a table.

use std::collections::BTreeMap;

use super::write::{as_written, written_tags};
use super::{COLUMNS, KeptWorklist, Line, TAGS, TableRow, Wrong};
use crate::diagnostic::{any_of, nearest};
use crate::escape::{escape, plain, unescape};
use crate::facet::Facets;
use crate::item::Kind;
use crate::names::split_extension;
use crate::place::Spot;
use crate::tags::from_attribute;
use crate::worklist::Act;

/// What the person wants for a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Choice {
    /// As it was proposed.
    AsProposed,
    /// The line was deleted.
    Deleted,
    /// The person wrote `leave`.
    Left,
    /// Something else.
    Changed(Change),
}

/// What is to be otherwise.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Change {
    /// Another target.
    pub to: Option<Spot>,
    /// Other tags.
    pub tags: Option<Vec<String>>,
    /// Other answers: facet, answer.
    pub answers: Vec<(String, String)>,
}

/// A table that was understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edits {
    /// For each kept line, what the person wants.
    pub choices: Vec<Choice>,
    /// Columns that are not read.
    pub unread: Vec<String>,
}

/// Holds what was read against what was proposed.
///
/// # Errors
/// Every line that cannot be understood.
pub fn edits(rows: &[TableRow], kept: &KeptWorklist, facets: &Facets) -> Result<Edits, Vec<Wrong>> {
    let reader = EditReader { kept, facets };
    let mut wrong = Vec::new();
    let unread = reader.unread_columns(rows, &mut wrong);
    let mut found: Vec<Option<(u64, Choice)>> = vec![None; kept.lines.len()];
    for row in rows {
        let read = reader.line_of(row).and_then(|at| Ok((at, reader.choice(row, &kept.lines[at])?)));
        match read {
            Err(why) => wrong.push(why),
            Ok((at, choice)) => match &found[at] {
                Some((first, other)) if *other != choice => wrong.push(Wrong::at(
                    row.line,
                    format!("this line and line {first} want different things for one item"),
                    "delete one of them",
                )),
                Some(_) => {}
                None => found[at] = Some((row.line, choice)),
            },
        }
    }
    if !wrong.is_empty() {
        return Err(wrong);
    }
    let choices = found.into_iter().map(|found| found.map_or(Choice::Deleted, |(_, choice)| choice));
    Ok(Edits { choices: choices.collect(), unread })
}

/// The number in a cell, which a spreadsheet may have written as `1.0`.
fn step_number(cell: &str) -> Option<usize> {
    cell.strip_suffix(".0").unwrap_or(cell).parse().ok()
}

struct EditReader<'a> {
    kept: &'a KeptWorklist,
    facets: &'a Facets,
}

impl EditReader<'_> {
    /// Columns of the person's own. One that is nearly called like one that counts is a mistake.
    fn unread_columns(&self, rows: &[TableRow], wrong: &mut Vec<Wrong>) -> Vec<String> {
        let Some(first) = rows.first() else { return Vec::new() };
        let facets = self.kept.facets.iter().map(String::as_str);
        let known: Vec<&str> = COLUMNS.into_iter().chain([TAGS]).chain(facets).collect();
        let mut unread = Vec::new();
        for name in first.cells.keys().filter(|name| !known.contains(&&***name)) {
            match nearest(name, known.iter().copied()) {
                Some(near) => wrong.push(Wrong {
                    line: None,
                    message: format!("there is no column `{}`", plain(name)),
                    help: format!(
                        "did you mean `{near}`? give a column of your own a name that is not so near"
                    ),
                }),
                None => unread.push(name.to_string()),
            }
        }
        unread
    }

    /// The kept line that a row is about.
    fn line_of(&self, row: &TableRow) -> Result<usize, Wrong> {
        let item = self.spot(row, "item")?.ok_or_else(|| {
            Wrong::at(row.line, "this line names no item", "delete it, or make the worklist anew")
        })?;
        let step = row.cells.get("step").map_or("", |step| step.trim());
        if !step.is_empty() {
            let at = step_number(step).and_then(|number| number.checked_sub(1));
            let line = at.and_then(|at| self.kept.lines.get(at));
            if line.is_some_and(|line| line.item == item) {
                return Ok(at.unwrap_or_default());
            }
            return Err(Wrong::at(
                row.line,
                format!("`{item}` is not step {} of this worklist", plain(step)),
                "leave `step` and `item` as they are; only `do`, `to`, tags and answers may be changed",
            ));
        }
        let mut same = self.kept.lines.iter().enumerate().filter(|(_, line)| line.item == item);
        match (same.next(), same.next()) {
            (Some((at, _)), None) => Ok(at),
            (None, _) => Err(Wrong::at(
                row.line,
                format!("`{item}` is not in this worklist"),
                "only what was proposed can be carried out; leave `item` as it is",
            )),
            (Some(_), Some(_)) => Err(Wrong::at(
                row.line,
                format!("`{item}` has several steps, and this line does not say which"),
                "write the number of the step in the column `step`",
            )),
        }
    }

    fn spot(&self, row: &TableRow, column: &str) -> Result<Option<Spot>, Wrong> {
        let text = row.cells.get(column).map_or("", String::as_str);
        if text.is_empty() {
            return Ok(None);
        }
        let help = "places are written NAME/folder/name, as in the column `item`";
        let wrong =
            |why: String| Wrong::at(row.line, format!("`{}` under `{column}` {why}", plain(text)), help);
        let spot = Spot::parse(&as_written(text)).map_err(|error| wrong(format!("is no place: {error}")))?;
        if !self.kept.places.contains_key(&*spot.place) {
            let known = any_of(self.kept.places.keys().map(String::as_str));
            return Err(wrong(format!("is in no place that is known here ({known})")));
        }
        Ok(Some(spot))
    }

    fn choice(&self, row: &TableRow, line: &Line) -> Result<Choice, Wrong> {
        let cell = |name: &str| row.cells.get(name).map_or("", String::as_str);
        let (act, leave) = (cell("do").trim().to_lowercase(), Act::Leave.word());
        if act == leave && line.act != leave {
            return Ok(Choice::Left);
        }
        let change = self.change(row, line)?;
        // What was left for the person to decide may be moved once it is said where to.
        let is_decided = line.act == leave && act == "move" && change != Change::default();
        if act != line.act && !is_decided {
            let message = format!("`{}` under `do`, where `{}` was proposed", plain(cell("do")), line.act);
            return Err(Wrong::at(row.line, message, "only `leave` may be put there instead"));
        }
        Ok(if change == Change::default() { Choice::AsProposed } else { Choice::Changed(change) })
    }

    fn change(&self, row: &TableRow, line: &Line) -> Result<Change, Wrong> {
        let mut change = Change::default();
        let cell = |name: &str| row.cells.get(name).map(String::as_str);
        let to = self.target(row, line)?;
        if to != line.to {
            let Some(to) = to.filter(|to| !to.path.is_root()) else {
                let message = "the target under `to` is gone";
                return Err(Wrong::at(
                    row.line,
                    message,
                    "write `leave` under `do` to leave the item where it is",
                ));
            };
            change.to = Some(to);
        }
        let tags = line.tags.as_ref().map(|tags| written_tags(tags)).unwrap_or_default();
        if let Some(text) = cell(TAGS).filter(|text| unescape(text).ok() != unescape(&tags).ok()) {
            let bytes = unescape(text).map_err(|error| {
                Wrong::at(row.line, error.to_string(), "write tags as words joined by commas")
            })?;
            change.tags = Some(from_attribute(&bytes));
        }
        for facet in &self.kept.facets {
            let Some(text) = cell(facet.as_str()) else { continue };
            let proposed = line.answers.get(facet).cloned().flatten().unwrap_or_default();
            let value =
                unescape(text).ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default();
            if value.trim() != proposed {
                change.answers.push((facet.clone(), self.answer(row, facet, &value)?));
            }
        }
        change
            .answers
            .retain(|(facet, value)| line.answers.get(facet).cloned().flatten().as_ref() != Some(value));
        Ok(change)
    }

    /// The target of a line. With a `/` behind it a folder is meant, in which the name stays.
    fn target(&self, row: &TableRow, line: &Line) -> Result<Option<Spot>, Wrong> {
        let Some(to) = self.spot(row, "to")? else { return Ok(None) };
        let kept_name = line.to.as_ref().unwrap_or(&line.item).path.last();
        let is_folder = row.cells.get("to").is_some_and(|text| text.ends_with('/'));
        if let Some(kept_name) = kept_name.filter(|_| is_folder) {
            return Ok(Some(Spot::new(to.place, to.path.join(kept_name))));
        }
        let is_file =
            self.kept.proposals.get(line.step.wrapping_sub(1)).is_some_and(|p| p.kind == Kind::File);
        let (had, has) = (split_extension(line.item.path.name()).1, split_extension(to.path.name()).1);
        if is_file && !had.is_empty() && has.is_empty() && line.to.as_ref() != Some(&to) {
            let message = format!("`{to}` under `to` is a name without {}", escape(had));
            return Err(Wrong::at(
                row.line,
                message,
                "write the whole name, or a / at the end to mean a folder",
            ));
        }
        Ok(Some(to))
    }

    fn answer(&self, row: &TableRow, facet: &str, value: &str) -> Result<String, Wrong> {
        let Some(known) = self.facets.get(facet) else {
            let message = format!("there is no facet `{facet}` any more");
            return Err(Wrong::at(row.line, message, "make the worklist anew"));
        };
        if value.trim().is_empty() {
            let message = format!("the {facet} is gone");
            return Err(Wrong::at(row.line, message, "write another answer, or `leave` under `do`"));
        }
        known.canonical(value).ok_or_else(|| {
            let listed = known.listed();
            let help = match nearest(value, listed.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None if listed.is_empty() => format!("answers are written such as {}", known.example()),
                None => format!("its answers are {}", any_of(listed)),
            };
            Wrong::at(row.line, format!("`{}` is no answer of {facet}", plain(value)), help)
        })
    }
}

impl Change {
    /// What is otherwise, for people.
    pub fn words(&self, line: &Line) -> String {
        let mut parts = Vec::new();
        if let Some(to) = &self.to {
            parts.push(match &line.to {
                Some(old) => format!("to {to}, not {old}"),
                None => format!("to {to}"),
            });
        }
        if let Some(tags) = &self.tags {
            parts.push(format!("tags {}", plain(&tags.join(", "))));
        }
        let old: &BTreeMap<String, Option<String>> = &line.answers;
        parts.extend(self.answers.iter().map(|(facet, value)| match old.get(facet).cloned().flatten() {
            Some(before) => format!("{facet} {}, not {}", plain(value), plain(&before)),
            None => format!("{facet} {}", plain(value)),
        }));
        parts.join("; ")
    }
}

impl KeptWorklist {
    /// Whether a row is about one of its lines.
    pub fn has(&self, row: &TableRow) -> bool {
        let Ok(item) = Spot::parse(&as_written(row.cells.get("item").map_or("", String::as_str))) else {
            return false;
        };
        match row.cells.get("step").and_then(|step| step_number(step.trim())) {
            Some(step) => step > 0 && self.lines.get(step - 1).is_some_and(|line| line.item == item),
            None => self.lines.iter().any(|line| line.item == item),
        }
    }
}
