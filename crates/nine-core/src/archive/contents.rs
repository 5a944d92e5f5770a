//! `contents.csv`: a line for each thing in a dated folder, with where it came from.
//!
//! A line whose folder has no line of its own is of an item; those below it are its parts.

use std::collections::BTreeMap;

use super::{CONTENTS, SUMS};
use crate::escape::{escape, unescape};
use crate::item::Kind;
use crate::moment::Moment;
use crate::place::{ItemPath, Spot};
use crate::tags::{from_attribute, to_attribute};
use crate::worklist::table::no_formula;

const COLUMNS: [&str; 9] = ["path", "kind", "size", "modified", "tags", "from", "archived", "why", "run"];

/// What the list says of one thing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ContentsLine {
    /// File, folder or link.
    pub kind: Kind,
    /// Bytes; 0 for a folder.
    pub size: u64,
    /// When it was last changed.
    pub modified: Moment,
    /// Its tags.
    pub tags: Vec<String>,
    /// Where it lay before.
    pub from: Spot,
    /// When it came here, as the daybook writes it.
    pub archived: String,
    /// Why.
    pub why: String,
    /// The run that moved it.
    pub run: u64,
}

/// The list, by path below the dated folder.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Contents(pub BTreeMap<ItemPath, ContentsLine>);

/// Why a list could not be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadContents {
    /// The heading is another.
    #[error("it does not begin with the heading of such a list")]
    Heading,
    /// A line that cannot be understood, counted from 1.
    #[error("line {0} cannot be understood")]
    ContentsLine(u64),
}

impl Contents {
    /// Reads a list.
    ///
    /// # Errors
    /// Where it is not one.
    pub fn parse(bytes: &[u8]) -> Result<Self, BadContents> {
        let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(bytes);
        let heading = reader.headers().map_err(|_| BadContents::Heading)?;
        if heading.iter().map(|name| name.trim_start_matches('\u{feff}')).ne(COLUMNS) {
            return Err(BadContents::Heading);
        }
        let mut lines = BTreeMap::new();
        for (record, at) in reader.records().zip(2..) {
            let (path, line) = record.ok().and_then(|r| read(&r)).ok_or(BadContents::ContentsLine(at))?;
            lines.insert(path, line);
        }
        Ok(Self(lines))
    }

    /// The list as CSV with a heading. No cell starts like a formula.
    pub fn to_csv(&self) -> Vec<u8> {
        let mut out = csv::Writer::from_writer(Vec::new());
        out.write_record(COLUMNS).expect("a record goes into memory");
        for (path, line) in &self.0 {
            out.write_record(write(path, line)).expect("records of one length go into memory");
        }
        out.into_inner().expect("memory takes all of it")
    }

    /// The items: what came here as one.
    pub fn items(&self) -> impl Iterator<Item = (&ItemPath, &ContentsLine)> {
        self.0.iter().filter(|(path, _)| self.item_of(path).is_some_and(|item| item == **path))
    }

    /// The item that a path is or is a part of.
    pub fn item_of(&self, path: &ItemPath) -> Option<ItemPath> {
        let mut here = Some(path.clone());
        let above = std::iter::from_fn(|| {
            let now = here.take()?;
            here = now.parent();
            Some(now)
        });
        above.filter(|path| self.0.contains_key(path)).last()
    }

    /// What is listed at a path and below it.
    pub fn below<'c>(&'c self, path: &'c ItemPath) -> impl Iterator<Item = (&'c ItemPath, &'c ContentsLine)> {
        self.0
            .range(path.clone()..)
            .take_while(move |(at, _)| *at == path || at.as_bytes().starts_with(path.as_bytes()))
            .filter(move |(at, _)| *at == path || at.is_inside(path))
    }

    /// Takes out what is listed at a path and below it; returns it, by path below that.
    pub fn take_out(&mut self, path: &ItemPath) -> BTreeMap<ItemPath, ContentsLine> {
        let gone: Vec<ItemPath> = self.below(path).map(|(at, _)| at.clone()).collect();
        let skipped = path.depth();
        let below = |at: &ItemPath| ItemPath::of_names(at.parts().skip(skipped));
        gone.into_iter().filter_map(|at| Some((below(&at), self.0.remove(&at)?))).collect()
    }
}

/// Whether a path below a dated folder is one of its own two lists.
pub(super) fn is_list(path: &ItemPath) -> bool {
    path.as_bytes() == SUMS.as_bytes() || path.as_bytes() == CONTENTS.as_bytes()
}

const KINDS: [(&str, Kind); 4] =
    [("file", Kind::File), ("folder", Kind::Folder), ("link", Kind::Link), ("other", Kind::Other)];

fn write(path: &ItemPath, line: &ContentsLine) -> [String; 9] {
    let kind = KINDS.iter().find(|(_, kind)| *kind == line.kind).map_or("other", |(word, _)| word);
    [
        no_formula(path.to_text()),
        kind.to_owned(),
        line.size.to_string(),
        line.modified.to_rfc3339(),
        no_formula(escape(to_attribute(&line.tags).as_bytes())),
        no_formula(line.from.to_string()),
        line.archived.clone(),
        no_formula(escape(line.why.as_bytes())),
        line.run.to_string(),
    ]
}

fn read(record: &csv::StringRecord) -> Option<(ItemPath, ContentsLine)> {
    let bytes = |at: usize| unescape(record.get(at)?).ok();
    let text = |at: usize| String::from_utf8(bytes(at)?).ok();
    let path = ItemPath::new(bytes(0)?).filter(|path| !path.is_root())?;
    let from = record.get(5)?;
    let from = match from.strip_prefix("\\x2d") {
        Some(rest) => Spot::parse(&format!("-{rest}")),
        None => Spot::parse(from),
    };
    let line = ContentsLine {
        kind: KINDS.iter().find(|(word, _)| Some(*word) == record.get(1))?.1,
        size: record.get(2)?.parse().ok()?,
        modified: Moment::from_rfc3339(record.get(3)?)?,
        tags: from_attribute(&bytes(4)?),
        from: from.ok()?,
        archived: record.get(6)?.to_owned(),
        why: text(7)?,
        run: record.get(8)?.parse().ok()?,
    };
    Some((path, line))
}
