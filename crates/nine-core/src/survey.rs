//! What lies around in a place: counts and bytes by type, age and size, and what is odd.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};

use crate::amount::{count, counted, readable};
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

impl std::ops::AddAssign for Part {
    fn add_assign(&mut self, other: Self) {
        self.count += other.count;
        self.bytes += other.bytes;
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
    /// By type; those that there are, the most frequent first.
    pub types: Vec<(ItemType, Part)>,
    /// Of each of these types, in the same order, by the bands of [`AGES`].
    pub types_by_age: Vec<[Part; AGES.len()]>,
    /// By the bands of [`AGES`].
    pub ages: [Part; AGES.len()],
    /// By the bands of [`SIZES`].
    pub sizes: [Part; SIZES.len()],
    /// The largest files, the largest first.
    pub largest: Vec<NodeId>,
    /// The files that nobody touched for longest, these first; see [`Tree::touched`].
    pub oldest: Vec<NodeId>,
}

impl Survey {
    /// Adds a band of ages of a type.
    fn add_type(&mut self, item_type: ItemType, by_age: [Part; AGES.len()]) {
        let mut all = Part::default();
        for (part, age) in by_age.iter().zip(&mut self.ages) {
            all += *part;
            *age += *part;
        }
        self.types.push((item_type, all));
        self.types_by_age.push(by_age);
    }
}

/// Sums up the entries in `among`; names the `most` largest, and as many that were not touched for longest.
pub fn survey(tree: &Tree, among: &Rows, now: &Now, most: usize) -> Survey {
    let mut survey = Survey::default();
    let mut types = [[Part::default(); AGES.len()]; TYPES.len()];
    let bands = AgeBands::new(now);
    let (mut largest, mut oldest) = (First::new(most), First::new(most));
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
        types[tree.item_type(id) as usize][bands.of(tree, id)].add(size);
        survey.sizes[size_band(size)].add(size);
        largest.offer(Reverse(size), id);
        oldest.offer(tree.touched(id), id);
    }
    survey.largest = largest.into_ids();
    survey.oldest = oldest.into_ids();
    let mut found: Vec<(ItemType, _)> = TYPES.iter().map(|(_, t)| (*t, types[*t as usize])).collect();
    let count = |by_age: &[Part; AGES.len()]| by_age.iter().map(|part| part.count).sum::<u64>();
    found.retain(|(_, by_age)| count(by_age) > 0);
    found.sort_by_key(|(_, by_age)| Reverse(count(by_age)));
    found.into_iter().for_each(|(item_type, by_age)| survey.add_type(item_type, by_age));
    survey
}

/// The first of many by a key, and of one key by their rows.
struct First<K> {
    most: usize,
    held: BinaryHeap<(K, NodeId)>,
}

impl<K: Ord> First<K> {
    fn new(most: usize) -> Self {
        Self { most, held: BinaryHeap::with_capacity(most + 1) }
    }

    fn offer(&mut self, key: K, id: NodeId) {
        if self.held.len() < self.most {
            self.held.push((key, id));
        } else if let Some(mut last) = self.held.peek_mut()
            && (&key, id) < (&last.0, last.1)
        {
            *last = (key, id);
        }
    }

    fn into_ids(self) -> Vec<NodeId> {
        self.held.into_sorted_vec().into_iter().map(|(_, id)| id).collect()
    }
}

/// A place in one line: `387 files, 1.2 GB, 12 folders; 40 loose`.
pub fn in_words(files: Part, folders: u64, loose: u64) -> String {
    let (many, bytes) = (counted(files.count, "file", "files"), readable(files.bytes));
    format!("{many}, {bytes}, {}; {} loose", counted(folders, "folder", "folders"), count(loose))
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

/// What oddities are looked for among.
pub struct Among {
    /// All that counts.
    pub all: Rows,
    /// The same without the inside of what is kept together, which is its own affair where folders are judged.
    of_their_own: Rows,
}

impl Among {
    /// All that counts of a tree.
    pub fn new(tree: &Tree, all: Rows) -> Self {
        let of_their_own = all.clone().without(&inside_of_kept_together(tree));
        Self { all, of_their_own }
    }
}

/// The rows that have an oddity.
pub fn odd(query: &Query, among: &Among, oddity: Oddity) -> Rows {
    let tree = query.tree;
    let Among { all, of_their_own } = among;
    if let Some(condition) = oddity.condition().and_then(|text| parse(text).ok()) {
        let judges_folders = oddity == EmptyFolders || oddity == Deep;
        return query.find(&condition, if judges_folders { of_their_own } else { all }).yes;
    }
    match oddity {
        SameName => same_name(tree, of_their_own),
        Crowded => of_their_own.filter(|row| {
            let id = NodeId::new(row);
            tree.is_folder(id) && tree.children(id).nth(CROWD).is_some()
        }),
        _ => all.filter(|row| is_refused_elsewhere(tree.name(NodeId::new(row)))),
    }
}

/// Folders whose name, letter case and Unicode form ignored, another has as well.
fn same_name(tree: &Tree, among: &Rows) -> Rows {
    let folders = among.clone().and(&Rows::folders(tree));
    let mut named: HashMap<String, Vec<NodeId>> = HashMap::new();
    for id in folders.ids() {
        named.entry(fold_bytes(tree.name(id))).or_default().push(id);
    }
    let mut shared = Rows::none(tree.rows());
    let several = named.into_values().filter(|ids| ids.len() > 1);
    several.flatten().for_each(|id| shared.add(id.row()));
    shared
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
    Rows::all_but_root(tree.rows()).without(&Rows::marked(tree, mark::HIDDEN))
}

#[cfg(test)]
mod tests;
