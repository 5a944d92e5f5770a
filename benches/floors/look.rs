//! Looking through the catalogue, through the same calls that the program's commands make.

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::Ordering;

use nine_core::item::{Entry, Identity, Kind};
use nine_core::kinds::ItemType;
use nine_core::metadata::{FigureField, Metadata, Taken, TextField};
use nine_core::moment::Moment;
use nine_core::place::Name;
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId, Tree, Unlearned};
use nine_stores::catalogue::{CarriedOver, Reading};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{Catalogue, LocalStore, NoContainers, ReadStore, Scan, Scope, Watch, learn};

use crate::figures::{Figures, Pair, timed};
use crate::{Ground, bare};

/// A place and its catalogue.
pub struct Look {
    store: LocalStore,
    counters: Arc<Counters>,
    at: i64,
}

impl Look {
    pub fn new(pile: &Path) -> Self {
        let (store, counters) = open(pile);
        Self { store, counters, at: settled() }
    }

    /// Reads the place and brings the catalogue in `file` up to date, as a search does, by tag or not.
    pub fn refresh(&mut self, file: &Path, tags: bool) -> usize {
        self.at += 1;
        let at = Moment::from_unix(self.at, 0);
        let (mut catalogue, _) = Catalogue::open(file).expect("the catalogue opens");
        let address = self.store.address();
        let scope = Scope { tags, ..Scope::default() };
        let (mut tree, carried) = scan_with(&self.store, &scope, &catalogue, at);
        if tags {
            let ids: Vec<NodeId> = tree.ids().collect();
            learn(
                (&self.store, &NoContainers),
                &mut tree,
                ids,
                Unlearned { tags: true, content: false },
                &Watch::default(),
            );
        }
        catalogue.keep(&address, &tree, at, carried).expect("the catalogue is written");
        // With tags the notes are opened, since they carry tags of their own.
        let opened = self.counters.opens.swap(0, Ordering::Relaxed);
        assert!(tags || opened == 0, "a scan opens no file");
        tree.len()
    }
}

/// Reads a place with what the catalogue knows of it.
pub fn scan_with(
    store: &LocalStore,
    scope: &Scope,
    catalogue: &Catalogue,
    at: Moment,
) -> (Tree, CarriedOver) {
    let (address, watch) = (store.address(), Watch::default());
    let scan = match catalogue.earlier(&address).expect("the catalogue is read") {
        Some(earlier) => store.refresh(earlier, scope, &watch),
        None => store.scan(scope, &watch),
    };
    let Scan { mut tree, earlier, .. } = scan.expect("the place is read");
    let carried = catalogue.carry_over(&address, &mut tree, at, earlier).expect("the catalogue is read");
    (tree, carried)
}

/// A place, and what is counted of it.
pub fn open(place: &Path) -> (LocalStore, Arc<Counters>) {
    let counters = Arc::new(Counters::default());
    let settings = LocalSettings {
        believes_births: true,
        home_trash: place.join("Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::clone(&counters),
    };
    (LocalStore::open(place, settings).expect("the place opens"), counters)
}

/// A second by which everything has settled.
pub fn settled() -> i64 {
    jiff::Timestamp::now().as_second() + 3600
}

const EXTENSIONS: [&str; 10] = ["jpg", "pdf", "txt", "png", "docx", "csv", "md", "mp4", "zip", "html"];
const CAMERAS: [&str; 5] = ["Lumen 3", "Lumen 4", "Ombra X", "Terrapin", "Quayside S"];
const WORDS: [&str; 8] =
    ["scan", "loan agreement", "tide table", "report", "ledger", "invoice", "photo", "plan"];

/// A catalogue that knows of so many files in one place, without there being any.
pub fn catalogue_of(file: &Path, place: &Path, files: usize) {
    let mut tree = tree_of(files);
    for id in tree.ids().collect::<Vec<_>>() {
        let tags: &[String] = if id.row().is_multiple_of(50) { &["loans".into()] } else { &[] };
        tree.learn_tags(id, tags, &[]);
    }
    let address = nine_core::escape::escape(place.as_os_str().as_encoded_bytes());
    let (mut catalogue, _) = Catalogue::open(file).expect("the catalogue opens");
    let at = Moment::from_timestamp(jiff::Timestamp::now());
    catalogue.keep(&address, &tree, at, CarriedOver::Anew).expect("the catalogue is written");
    let is_read = |id: &NodeId| id.row().is_multiple_of(100) || says_something(&tree, *id);
    let readings: Vec<_> = tree.ids().filter(is_read).map(|id| reading(&tree, id)).collect();
    catalogue.keep_texts(&address, &mut tree, at, &readings).expect("the catalogue is written");
}

fn says_something(tree: &Tree, id: NodeId) -> bool {
    !tree.is_folder(id) && tree.may_say(id)
}

/// One file in a hundred has words, each picture a camera and a time, each document a title and an author.
fn reading(tree: &Tree, id: NodeId) -> Reading {
    let row = id.row();
    let has_words = row.is_multiple_of(100);
    let body = format!("{} number {} of the sextant", WORDS[row % 8], row % 1000);
    let mut said = Metadata::default();
    if says_something(tree, id) && tree.item_type(id) == ItemType::Image {
        said.set_text(TextField::Camera, CAMERAS[row / 10 % CAMERAS.len()]);
        said.set_figure(FigureField::Width, 3_000 + row as u64 % 3_000);
        said.taken = Some(Taken::new(1_900_000_000 - (row as i64 * 7919) % 100_000_000, Some(60)));
    } else if says_something(tree, id) {
        said.set_text(TextField::Title, &format!("{} of item {row}", WORDS[row % 8]));
        said.set_text(TextField::Author, &format!("Clerk {}", row % 400));
    }
    let body = if has_words { body } else { String::new() };
    Reading { id, body, note: String::new(), said: said.to_json() }
}

/// A hundred files to a folder, folders in one row.
fn tree_of(files: usize) -> Tree {
    let entry = |kind, number: usize| {
        let modified = Moment::from_unix(1_900_000_000 - (number as i64 * 7919) % 100_000_000, 0);
        Entry {
            kind,
            size: (number as u64 * 104_729) % 3_000_000_000,
            modified,
            opened: Some(modified),
            born: Some(modified),
            changed: modified,
            identity: Identity([1, number as u64]),
        }
    };
    let mut gathering = Gathering::new(entry(Kind::Folder, 0));
    let mut top = Batch::default();
    let folders = files.div_ceil(100);
    (0..folders).for_each(|n| {
        top.push(Name::new(format!("folder {n}").as_bytes()).unwrap(), entry(Kind::Folder, n + 1))
    });
    top.sort();
    let first = gathering.add(FolderNo::ROOT, &top);
    for folder in 0..folders {
        let mut batch = Batch::default();
        for number in folder * 100..(folder * 100 + 100).min(files) {
            let name = format!("{} {number}.{}", WORDS[number % 8], EXTENSIONS[number % 10]);
            batch.push(Name::new(name.as_bytes()).unwrap(), entry(Kind::File, folders + number + 1));
        }
        batch.sort();
        gathering.add(first.plus(folder as u32), &batch);
    }
    gathering.finish()
}

/// Away with a catalogue.
pub fn forget(file: &Path) {
    for ending in ["", "-wal", "-shm"] {
        let mut name = file.as_os_str().to_owned();
        name.push(ending);
        let _ = std::fs::remove_file(name);
    }
}

/// The first scan into the catalogue, and the refresh of what has not changed.
pub fn section(figures: &mut Figures, ground: &Ground) {
    let (pile, file) = (ground.tree(), ground.root.join("catalogue.sqlite"));
    let mut look = Look::new(pile);
    figures.begin(&format!("{} files scanned", ground.files));
    let walk = || timed(|| bare::walk(pile));
    let scan = Pair::measure(walk, || timed(|| crate::work::scan(pile)));
    figures.ratio("scan alone", "bare walk, 2 threads", None, &scan);
    let first = Pair::measure(walk, || {
        forget(&file);
        timed(|| look.refresh(&file, false))
    });
    figures.ratio("first scan into the catalogue", "bare walk, 2 threads", Some(1.5), &first);
    let tags = Pair::measure(
        || timed(|| bare::walk_with_tags(pile)),
        || {
            forget(&file);
            timed(|| look.refresh(&file, true))
        },
    );
    figures.ratio("the same with tags", "bare walk, getxattr, notes read", Some(1.3), &tags);
    let again = Pair::measure(walk, || timed(|| look.refresh(&file, false)));
    figures.ratio("refresh, nothing changed", "bare walk, 2 threads", Some(1.3), &again);
}
