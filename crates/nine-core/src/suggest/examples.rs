//! What lies on the shelves, as examples to learn from.

use rustc_hash::FxHashMap;

use super::feature::{Feature, FeatureKind, FeatureTable, Traits};
use crate::item::Item;
use crate::moment::Moment;
use crate::names::fold_bytes;
use crate::place::{ItemPath, Name, NameBuf, Spot};

/// A folder on a shelf, or a shelf itself.
#[derive(Debug, Clone)]
pub(super) struct FolderNode {
    /// The folder that holds it; none of a shelf.
    pub parent: Option<u32>,
    /// Its name.
    pub name: NameBuf,
    /// The number of its bookcase.
    pub bookcase: u16,
    /// The shelf's number.
    pub shelf: u8,
}

/// One filed item.
#[derive(Debug, Clone)]
pub(super) struct Example {
    /// The number of the folder that it lies in.
    pub folder: u32,
    /// Where its features begin, and how many there are: no name has so many.
    features: (u32, u16),
    /// When it came, in nanoseconds since 1970.
    pub at: i64,
    /// When it was last changed, likewise.
    modified: i64,
    /// A digest of its features, whatever their numbers are.
    digest: u64,
    /// How much it counts; nothing, where it is only there.
    pub weight: u8,
    /// Whether it is a folder, taken as a whole.
    pub is_folder: bool,
    /// Its own number, if it is a folder.
    pub own: Option<u32>,
    /// What the caller knows it by.
    pub reference: u64,
}

/// Where and since when something lies on a shelf.
#[derive(Debug, Clone, Copy)]
pub struct Filed {
    /// The number of the folder that it lies in.
    pub folder: u32,
    /// Its own number, if it is a folder, taken as a whole.
    pub own: Option<u32>,
    /// When it came.
    pub at: Moment,
    /// When it was last changed.
    pub modified: Moment,
    /// How much it counts; with 0 it is only there and teaches nothing.
    pub weight: u8,
    /// What the caller knows it by.
    pub reference: u64,
}

/// All of it.
#[derive(Debug, Clone, Default)]
pub struct Examples {
    pub(super) bookcases: Vec<String>,
    pub(super) folders: Vec<FolderNode>,
    /// The folders by the one that they lie in and their folded names.
    inside: FxHashMap<(u32, String), u32>,
    pub(super) table: FeatureTable,
    pub(super) all: Vec<Example>,
    features: Vec<u32>,
    /// Features of items that were brought back from a folder, with its number.
    pub(super) refused: Vec<(Vec<u32>, u32)>,
}

/// The caller's knowledge of what lies on the shelves.
pub trait Shelved {
    /// An item by its reference, as a pattern needs it.
    fn item(&self, reference: u64) -> Option<Item>;
}

/// In nanoseconds.
const HOUR: i64 = 3600 * 1_000_000_000;

/// How much an example counts that a person gave by hand; any other counts once.
pub const HAND_WEIGHT: u8 = 3;

impl Examples {
    /// The number of a bookcase.
    pub fn bookcase(&mut self, name: &str) -> u16 {
        let at = self.bookcases.iter().position(|known| known == name).unwrap_or_else(|| {
            self.bookcases.push(name.to_owned());
            self.bookcases.len() - 1
        });
        at as u16
    }

    /// Adds a shelf.
    pub fn add_shelf(&mut self, bookcase: u16, shelf: u8, name: NameBuf) -> u32 {
        self.folders.push(FolderNode { parent: None, name, bookcase, shelf });
        self.folders.len() as u32 - 1
    }

    /// Adds a folder; what lies in a folder is added right behind it.
    pub fn add_folder(&mut self, parent: u32, name: Name) -> u32 {
        let FolderNode { bookcase, shelf, .. } = self.folders[parent as usize];
        let number = self.folders.len() as u32;
        self.inside.insert((parent, fold_bytes(&name)), number);
        self.folders.push(FolderNode { parent: Some(parent), name: name.into(), bookcase, shelf });
        number
    }

    /// Adds what lies in a folder.
    pub fn add(&mut self, traits: &Traits, filed: Filed) {
        let start = self.features.len() as u32;
        let digest = self.table.learn(traits, &mut self.features);
        let features = (start, u16::try_from(self.features.len() as u32 - start).unwrap_or(u16::MAX));
        let Filed { folder, own, at, modified, weight, reference } = filed;
        let (at, modified, is_folder) = (at.0, modified.0, traits.is_folder);
        self.all.push(Example { folder, features, at, modified, digest, weight, is_folder, own, reference });
    }

    /// Adds what was brought back from a folder.
    pub fn add_refused(&mut self, folder: u32, traits: &Traits) {
        let mut features = Vec::new();
        self.table.learn(traits, &mut features);
        self.refused.push((features, folder));
    }

    /// How many files there are that teach something.
    pub fn count(&self) -> usize {
        self.all.iter().filter(|example| example.weight > 0 && !example.is_folder).count()
    }

    /// The features of an example, by their numbers.
    pub(super) fn features(&self, example: &Example) -> &[u32] {
        let (start, count) = example.features;
        &self.features[start as usize..start as usize + usize::from(count)]
    }

    /// The folder of a name in another one, letter case and Unicode form ignored.
    pub fn folder_in(&self, parent: u32, name: &[u8]) -> Option<u32> {
        self.inside.get(&(parent, fold_bytes(name))).copied()
    }

    /// The shelf of a number, or of the folder's name.
    pub fn shelf(&self, bookcase: &str, name: &[u8]) -> Option<u32> {
        let is_it = |folder: &FolderNode| {
            folder.parent.is_none()
                && self.bookcases[usize::from(folder.bookcase)] == bookcase
                && *folder.name == *name
        };
        self.folders.iter().position(is_it).map(|at| at as u32)
    }

    /// The folder at a spot, if it is on a shelf.
    pub fn folder_at(&self, spot: &Spot) -> Option<u32> {
        let mut parts = spot.path.parts();
        let shelf = self.shelf(&spot.place, &parts.next()?)?;
        parts.try_fold(shelf, |at, name| self.folder_in(at, &name))
    }

    /// Where a folder is.
    pub fn spot(&self, folder: u32) -> Spot {
        let up = |at: &u32| self.folders[*at as usize].parent;
        let names: Vec<&NameBuf> =
            std::iter::successors(Some(folder), up).map(|at| &self.folders[at as usize].name).collect();
        let path = ItemPath::of_names(names.into_iter().rev().map(NameBuf::as_name));
        Spot::new(self.bookcases[usize::from(self.folders[folder as usize].bookcase)].clone(), path)
    }

    /// The files among them that teach something, each with the folder that it lies in.
    pub fn files(&self) -> impl Iterator<Item = (u64, Spot)> {
        let files = self.all.iter().filter(|example| example.weight > 0 && !example.is_folder);
        files.map(|example| (example.reference, self.spot(example.folder)))
    }

    /// The examples of files, or of folders, in the order in which they came. What came within one hour was brought
    /// by some move or copy of all of it: then it counts when it was last changed. Where that tells nothing either,
    /// any order will do that is not that of the folders, or the last would be of folders that the first know
    /// nothing of.
    pub(super) fn by_time(&self, folders: bool) -> Vec<u32> {
        let teaches = |at: &u32| {
            let example = &self.all[*at as usize];
            example.weight > 0 && example.is_folder == folders
        };
        let mut order: Vec<u32> = (0..self.all.len() as u32).filter(teaches).collect();
        let key = |at: &u32| {
            let example = &self.all[*at as usize];
            (example.at / HOUR, example.modified / HOUR, example.digest, example.folder)
        };
        order.sort_by_key(key);
        order
    }

    /// For each example that has a feature, as a search for it lists them.
    pub(super) fn index(&self) -> ExampleIndex<'_> {
        ExampleIndex::of(self)
    }
}

/// The examples by feature.
#[derive(Debug)]
pub(super) struct ExampleIndex<'l> {
    examples: &'l Examples,
    /// Where the examples of each feature begin.
    starts: Vec<u32>,
    found: Vec<u32>,
    words: Haystack,
    titles: Haystack,
}

/// The texts of features in one, so that those that have a part are found at once.
#[derive(Debug, Default)]
struct Haystack {
    text: String,
    /// Where each ends, and its number.
    ends: Vec<(u32, u32)>,
}

impl Haystack {
    fn of<'t>(texts: impl Iterator<Item = (u32, &'t str)>) -> Self {
        let mut all = Self::default();
        for (number, text) in texts {
            all.text.push_str(text);
            all.text.push('\n');
            all.ends.push((all.text.len() as u32, number));
        }
        all
    }

    fn having(&self, part: &str) -> Vec<u32> {
        let mut found: Vec<u32> = memchr::memmem::find_iter(self.text.as_bytes(), part)
            .map(|at| self.ends[self.ends.partition_point(|(end, _)| *end as usize <= at)].1)
            .collect();
        found.dedup();
        found
    }
}

impl<'l> ExampleIndex<'l> {
    fn of(examples: &'l Examples) -> Self {
        let mut starts = vec![0_u32; examples.table.len() + 1];
        examples.features.iter().for_each(|feature| starts[*feature as usize + 1] += 1);
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut found = vec![0; examples.features.len()];
        for (at, example) in examples.all.iter().enumerate() {
            for feature in examples.features(example) {
                found[next[*feature as usize] as usize] = at as u32;
                next[*feature as usize] += 1;
            }
        }
        let of_kind = |kind| examples.table.of_kind(kind);
        let words = Haystack::of(of_kind(FeatureKind::Word).chain(of_kind(FeatureKind::Extension)));
        Self { examples, starts, found, words, titles: Haystack::of(of_kind(FeatureKind::Title)) }
    }

    fn own(&self, feature: u32) -> &[u32] {
        &self.found[self.starts[feature as usize] as usize..self.starts[feature as usize + 1] as usize]
    }

    /// The examples that a search for a feature lists, among files or among folders, in order.
    pub fn rows(&self, feature: &Feature, folders: bool) -> Vec<u32> {
        let numbers = match feature.kind {
            // A word is also found inside another one, or as an extension.
            FeatureKind::Word => self.words.having(&feature.text),
            FeatureKind::Title => self.titles.having(&feature.text),
            _ => self.examples.table.number(feature).into_iter().collect(),
        };
        let mut rows: Vec<u32> = numbers.iter().flat_map(|number| self.own(*number)).copied().collect();
        rows.retain(|row| self.examples.all[*row as usize].is_folder == folders);
        rows.sort_unstable();
        rows.dedup();
        rows
    }
}
