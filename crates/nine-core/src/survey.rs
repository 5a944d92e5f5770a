//! What lies around in a place: counts and bytes by type, age and size, and what is odd.

use std::collections::HashMap;

use crate::condition::parse;
use crate::find::{Query, Rows};
use crate::keep_together;
use crate::kinds::{ItemType, TYPES};
use crate::moment::{Moment, Now, Span};
use crate::names::{fold_bytes, is_refused_elsewhere};
use crate::tree::{NodeId, Tree, mark};

/// A number of files and their bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Part {
    /// How many.
    pub count: u64,
    /// Their bytes.
    pub bytes: u64,
}

impl Part {
    /// Counts one more.
    pub fn add(&mut self, bytes: u64) {
        self.count += 1;
        self.bytes += bytes;
    }
}

/// The age bands: a name, and the span under which an age lies in it.
pub const AGES: [(&str, &str); 5] = [
    ("under a week", "1w"),
    ("under a month", "1mo"),
    ("under 3 months", "3mo"),
    ("under a year", "1y"),
    ("older", ""),
];

/// The size bands: a name, and the bytes under which a size lies in it.
pub const SIZES: [(&str, u64); 6] = [
    ("empty", 1),
    ("under 100 KB", 100_000),
    ("under 1 MB", 1_000_000),
    ("under 100 MB", 100_000_000),
    ("under 1 GB", 1_000_000_000),
    ("larger", u64::MAX),
];

/// The bands of [`AGES`], counted from one moment.
#[derive(Debug, Clone)]
pub struct AgeBands([Moment; AGES.len()]);

impl AgeBands {
    /// The bands as they lie now.
    pub fn new(now: &Now) -> Self {
        let from = |(_, span): (&str, &str)| Span::parse(span).map_or(Moment(i64::MIN), |s| now.before(s));
        Self(AGES.map(from))
    }

    /// The band that an entry lies in.
    pub fn of(&self, tree: &Tree, id: NodeId) -> usize {
        let from = tree.age_from(id);
        self.0.iter().position(|limit| from >= *limit).unwrap_or(AGES.len() - 1)
    }
}

/// The band of [`SIZES`] that a size lies in.
pub fn size_band(size: u64) -> usize {
    SIZES.iter().position(|(_, under)| size < *under).unwrap_or(SIZES.len() - 1)
}

/// A place in figures.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Survey {
    /// All files.
    pub files: Part,
    /// Folders at all depths.
    pub folders: u64,
    /// Files that lie loose.
    pub loose: Part,
    /// By type; those that there are.
    pub types: Vec<(ItemType, Part)>,
    /// By the bands of [`AGES`].
    pub ages: [Part; AGES.len()],
    /// By the bands of [`SIZES`].
    pub sizes: [Part; SIZES.len()],
    /// The largest files, the largest first.
    pub largest: Vec<NodeId>,
}

/// Sums up the entries in `among`; keeps the `most` largest.
pub fn survey(tree: &Tree, among: &Rows, now: &Now, most: usize) -> Survey {
    let mut survey = Survey::default();
    let mut types = [Part::default(); TYPES.len()];
    let bands = AgeBands::new(now);
    let mut largest: Vec<(u64, NodeId)> = Vec::new();
    for id in among.ids() {
        if tree.is_folder(id) {
            survey.folders += 1;
            continue;
        }
        let size = tree.size(id);
        survey.files.add(size);
        if tree.parent(id) == Tree::ROOT {
            survey.loose.add(size);
        }
        types[tree.item_type(id) as usize].add(size);
        survey.ages[bands.of(tree, id)].add(size);
        survey.sizes[size_band(size)].add(size);
        if largest.len() < most * 2 || largest.iter().any(|(least, _)| size > *least) {
            largest.push((size, id));
        }
        if largest.len() > most * 64 {
            keep_largest(&mut largest, most);
        }
    }
    keep_largest(&mut largest, most);
    survey.largest = largest.into_iter().map(|(_, id)| id).collect();
    survey.types = TYPES.iter().map(|(_, t)| (*t, types[*t as usize])).filter(|(_, p)| p.count > 0).collect();
    survey.types.sort_by_key(|(_, part)| std::cmp::Reverse(part.count));
    survey
}

fn keep_largest(largest: &mut Vec<(u64, NodeId)>, most: usize) {
    largest.sort_by_key(|(size, id)| (std::cmp::Reverse(*size), *id));
    largest.truncate(most);
}

/// Something that is odd about items.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum Oddity {
    Untitled,
    EmptyFiles,
    EmptyFolders,
    Unfinished,
    Mislabelled,
    Shortcuts,
    Installers,
    SameName,
    Crowded,
    Deep,
    Broken,
    Refused,
}

use Oddity::*;

/// How many things directly in one folder are too many.
pub const CROWD: usize = 500;

/// How deep is too deep.
const DEEP: &str = "depth over 8";

impl Oddity {
    /// Every oddity, in the order in which they are told.
    pub const ALL: [Oddity; 12] = [
        Untitled,
        EmptyFiles,
        EmptyFolders,
        Unfinished,
        Mislabelled,
        Shortcuts,
        Installers,
        SameName,
        Crowded,
        Deep,
        Broken,
        Refused,
    ];

    /// Its word on the command line.
    pub fn word(self) -> &'static str {
        match self {
            Untitled => "untitled",
            EmptyFiles => "empty-files",
            EmptyFolders => "empty-folders",
            Unfinished => "unfinished",
            Mislabelled => "mislabelled",
            Shortcuts => "shortcuts",
            Installers => "installers",
            SameName => "same-name",
            Crowded => "crowded",
            Deep => "deep",
            Broken => "broken",
            Refused => "refused",
        }
    }

    /// What it is, for people.
    pub fn words(self) -> &'static str {
        match self {
            Untitled => "without a real name",
            EmptyFiles => "empty files",
            EmptyFolders => "empty folders",
            Unfinished => "partial downloads",
            Mislabelled => "not what their extension says",
            Shortcuts => "shortcuts",
            Installers => "installers",
            SameName => "folders that share a name",
            Crowded => "folders with over 500 things in them",
            Deep => "more than 8 folders deep",
            Broken => "links that lead nowhere",
            Refused => "names that other systems refuse",
        }
    }

    /// The condition that finds such items, where the language can say it.
    pub fn condition(self) -> Option<&'static str> {
        match self {
            Untitled => Some("untitled"),
            EmptyFiles => Some("file and empty"),
            EmptyFolders => Some("type folder and empty"),
            Unfinished => Some("unfinished"),
            Mislabelled => Some("mislabelled and loose"),
            Shortcuts => Some("type shortcut"),
            Installers => Some("type installer"),
            Deep => Some(DEEP),
            Broken => Some("broken"),
            SameName | Crowded | Refused => None,
        }
    }
}

/// The rows in `among` that have an oddity. The inside of what is kept together counts as its own
/// affair where folders are judged.
pub fn odd(query: &Query, among: &Rows, oddity: Oddity) -> Rows {
    let tree = query.tree;
    let of_their_own = || among.clone().without(&inside_of_kept_together(tree));
    if let Some(condition) = oddity.condition().and_then(|text| parse(text).ok()) {
        let among = if oddity == EmptyFolders || oddity == Deep { of_their_own() } else { among.clone() };
        return query.find(&condition, &among).yes;
    }
    match oddity {
        SameName => same_name(tree, &of_their_own()),
        Crowded => of_their_own().filter(|row| {
            let id = NodeId::new(row);
            tree.is_folder(id) && tree.children(id).nth(CROWD).is_some()
        }),
        _ => among.filter(|row| is_refused_elsewhere(tree.name(NodeId::new(row)))),
    }
}

/// Folders whose name, letter case and Unicode form ignored, another has as well.
fn same_name(tree: &Tree, among: &Rows) -> Rows {
    let folders = among.filter(|row| tree.is_folder(NodeId::new(row)));
    let mut counts: HashMap<String, u32> = HashMap::new();
    for id in folders.ids() {
        *counts.entry(fold_bytes(tree.name(id))).or_default() += 1;
    }
    folders.filter(|row| counts[&fold_bytes(tree.name(NodeId::new(row)))] > 1)
}

/// Everything inside folders that are moved as one.
fn inside_of_kept_together(tree: &Tree) -> Rows {
    let mut inside = Rows::none(tree.rows());
    for id in tree.ids().filter(|id| tree.is_folder(*id)) {
        let is_inside = inside.has(id.row());
        let children = || tree.children(id).map(|child| tree.name(child));
        if is_inside || keep_together::folder(tree.name(id), children()).is_some() {
            tree.children(id).for_each(|child| inside.add(child.row()));
        }
    }
    inside
}

/// All entries that are not hidden.
pub fn visible(tree: &Tree) -> Rows {
    Rows::all(tree.rows()).filter(|row| row > 0 && !tree.has_mark(NodeId::new(row), mark::HIDDEN))
}

#[cfg(test)]
mod tests;
