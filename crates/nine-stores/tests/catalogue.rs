//! The catalogue: it answers as a fresh scan does, whatever happened to the tree, and is only a cache.

use std::collections::BTreeMap;
use std::fs;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::{Duration, SystemTime};

use jiff::tz::{TimeZone, offset};
use nine_core::condition::{Condition, Test, WordSubject, parse};
use nine_core::find::Rows;
use nine_core::item::Item;
use nine_core::metadata::{FigureField, Metadata, Taken, TextField};
use nine_core::moment::{Moment, Now};
use nine_core::place::{ItemPath, Name, Spot};
use nine_core::tree::{Column, NodeId, TagsOf, Tree, Unlearned};
use nine_stores::catalogue::{CarriedOver, CatalogueError, Reading, Window};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{Catalogue, Earlier, LocalStore, NoContainers, ReadStore, Scan, Scope, Watch, learn};
use proptest::prelude::*;
use tempfile::TempDir;

const EVERYTHING: Unlearned = Unlearned { tags: true, content: true };

/// What a scan tells, whatever is learned beside it. (When folders were opened is changed by listing them.)
const SCANNED: [Column; 12] = [
    Column::Parent,
    Column::Folder,
    Column::NameEnd,
    Column::Names,
    Column::Kind,
    Column::Size,
    Column::Modified,
    Column::Changed,
    Column::Identity,
    Column::FolderEnd,
    Column::FolderItems,
    Column::FolderRead,
];

struct World {
    dir: TempDir,
    store: LocalStore,
    counters: Arc<Counters>,
}

fn world(believes_births: bool) -> World {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("pile")).unwrap();
    let counters = Arc::new(Counters::default());
    let settings = LocalSettings {
        believes_births,
        home_trash: dir.path().join("Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::clone(&counters),
    };
    let store = LocalStore::open(&dir.path().join("pile"), settings).unwrap();
    World { dir, store, counters }
}

/// A time at which everything on the disk has settled, so that as much as may be is carried over.
fn later(seconds: i64) -> Moment {
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap();
    Moment::from_unix(now.as_secs() as i64 + seconds, 0)
}

impl World {
    fn at(&self, path: &str) -> PathBuf {
        self.dir.path().join("pile").join(path)
    }

    fn catalogue(&self) -> Catalogue {
        Catalogue::open(&self.dir.path().join("catalogue.sqlite")).unwrap().0
    }

    fn scan(&self) -> Tree {
        self.store.scan(&Scope::default(), &Watch::default()).unwrap().tree
    }

    /// A scan with what the catalogue knows of an earlier one.
    fn rescan(&self, catalogue: &Catalogue) -> Scan {
        let (scope, watch) = Default::default();
        match catalogue.earlier(&self.store.address()).unwrap() {
            Some(earlier) => self.store.refresh(earlier, &scope, &watch).unwrap(),
            None => self.store.scan(&scope, &watch).unwrap(),
        }
    }

    /// Everything that is known of every path, learned without a catalogue.
    fn fresh(&self) -> BTreeMap<String, String> {
        let mut tree = self.scan();
        let ids: Vec<NodeId> = tree.ids().collect();
        learn((&self.store, &NoContainers), &mut tree, ids, EVERYTHING, &Watch::default());
        picture(&tree)
    }

    /// The same with what the catalogue knows; returns also how many entries had to be asked about.
    fn refreshed(&self, at: Moment) -> (BTreeMap<String, String>, usize) {
        let (mut catalogue, address) = (self.catalogue(), self.store.address());
        let Scan { mut tree, earlier, .. } = self.rescan(&catalogue);
        let anew = self.scan();
        for column in SCANNED {
            assert_eq!(tree.bytes(column), anew.bytes(column), "{column:?}");
        }
        let carried = catalogue.carry_over(&address, &mut tree, at, earlier).unwrap();
        let ids: Vec<NodeId> = tree.ids().collect();
        let asked = learn((&self.store, &NoContainers), &mut tree, ids, EVERYTHING, &Watch::default());
        catalogue.keep(&address, &tree, at, carried).unwrap();
        let kept = catalogue.load(&address, &Column::ALL).unwrap().unwrap();
        assert_eq!(picture(&kept.tree), picture(&tree), "what is kept is what was seen");
        (picture(&tree), asked)
    }
}

fn picture(tree: &Tree) -> BTreeMap<String, String> {
    let of = |id: NodeId| {
        let tags = match tree.tags(id) {
            TagsOf::Known(tags) => tags.join(","),
            TagsOf::NotAsked => "not asked".into(),
        };
        let totals = tree.totals(id);
        let what = format!(
            "{:?} {} {:?} {:?} [{tags}] {:?} {:?}",
            tree.kind(id),
            tree.size(id),
            tree.entry(id).modified,
            tree.item_type(id),
            tree.content(id),
            (totals.size, totals.items),
        );
        (tree.path(id).to_text(), what)
    };
    tree.ids().map(of).collect()
}

/// A change to a tree; numbers choose among what is there.
#[derive(Debug, Clone)]
enum Change {
    Create(usize, usize),
    Write(usize, usize),
    SameSizeAndTime(usize, usize),
    Rename(usize, usize),
    Delete(usize),
    SwapFolders,
    Tag(usize, usize),
}

const CONTENTS: [&[u8]; 4] = [b"%PDF-1.7 xx", b"<!doctype h", b"just a note", b"\x89PNG\r\n\x1a\n..."];
const NAMES: [&str; 5] = ["a.pdf", "b.txt", "c", "d.png", "e.html"];

fn changes() -> impl Strategy<Value = Vec<Change>> {
    let (n, m) = (0..64usize, 0..64usize);
    let one = (0..7, n, m).prop_map(|(what, n, m)| match what {
        0 => Change::Create(n, m),
        1 => Change::Write(n, m),
        2 => Change::SameSizeAndTime(n, m),
        3 => Change::Rename(n, m),
        4 => Change::Delete(n),
        5 => Change::SwapFolders,
        _ => Change::Tag(n, m),
    });
    proptest::collection::vec(one, 1..8)
}

fn files(root: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for folder in ["one", "two", "."] {
        let listed = fs::read_dir(root.join(folder)).unwrap().map(|entry| entry.unwrap().path());
        found.extend(listed.filter(|path| path.is_file()));
    }
    found.sort();
    found
}

fn apply(root: &Path, change: &Change) {
    let files = files(root);
    let pick = |n: usize| files.get(n % files.len().max(1)).cloned();
    let free = |n: usize, m: usize| root.join(["one", "two", "."][n % 3]).join(NAMES[m % NAMES.len()]);
    match *change {
        Change::Create(n, m) => fs::write(free(n, m), CONTENTS[(n + m) % 4]).unwrap(),
        Change::Write(n, m) => drop(pick(n).map(|at| fs::write(at, CONTENTS[m % 4]).unwrap())),
        Change::SameSizeAndTime(n, m) => {
            let Some(at) = pick(n) else { return };
            let was = fs::metadata(&at).unwrap();
            let mut bytes = CONTENTS[m % 4].to_vec();
            bytes.resize(was.len() as usize, b'.');
            // A new file under the old name, as programs write that save safely.
            let aside = root.join("aside");
            fs::write(&aside, bytes).unwrap();
            let file = fs::File::options().write(true).open(&aside).unwrap();
            file.set_modified(was.modified().unwrap()).unwrap();
            fs::rename(&aside, &at).unwrap();
        }
        Change::Rename(n, m) => drop(pick(n).map(|at| fs::rename(at, free(m, n)).unwrap())),
        Change::Delete(n) => drop(pick(n).map(|at| fs::remove_file(at).unwrap())),
        Change::SwapFolders => {
            fs::rename(root.join("one"), root.join("swap")).unwrap();
            fs::rename(root.join("two"), root.join("one")).unwrap();
            fs::rename(root.join("swap"), root.join("two")).unwrap();
        }
        Change::Tag(n, m) => {
            let Some(at) = pick(n) else { return };
            let value = ["todo", "keep", "loans,todo"][m % 3].as_bytes();
            rustix::fs::setxattr(at, "user.xdg.tags", value, rustix::fs::XattrFlags::empty()).unwrap();
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..Default::default() })]

    #[test]
    fn it_answers_as_a_fresh_scan_does(rounds in proptest::collection::vec(changes(), 1..4)) {
        let world = world(true);
        for folder in ["one", "two"] {
            fs::create_dir(world.at(folder)).unwrap();
            fs::write(world.at(folder).join("first.txt"), b"just a note").unwrap();
        }
        for (number, round) in rounds.iter().enumerate() {
            let (seen, _) = world.refreshed(later(10 + number as i64));
            prop_assert_eq!(seen, world.fresh());
            // The clock of the file system must tick, or nobody could tell the change.
            std::thread::sleep(Duration::from_millis(15));
            for change in round {
                apply(&world.at(""), change);
            }
        }
        let (seen, _) = world.refreshed(later(60));
        prop_assert_eq!(seen, world.fresh());
    }
}

#[test]
fn what_is_unchanged_is_never_read_again() {
    let world = world(true);
    for number in 0..50 {
        fs::write(world.at(&format!("{number}.pdf")), b"%PDF-1.7").unwrap();
    }
    let (_, asked) = world.refreshed(later(10));
    // For each its tags and its first bytes.
    assert_eq!((asked, world.counters.opens.load(Ordering::Relaxed)), (100, 50));
    let (_, asked) = world.refreshed(later(11));
    assert_eq!((asked, world.counters.opens.load(Ordering::Relaxed)), (0, 50));
    // A rename changes no content, but the moment of the last change, so it is looked at once more.
    fs::rename(world.at("7.pdf"), world.at("seven.pdf")).unwrap();
    let (_, asked) = world.refreshed(later(12));
    assert_eq!(asked, 2);
}

#[test]
fn of_a_place_that_is_as_it_was_all_is_taken_over() {
    let world = world(true);
    fs::create_dir_all(world.at("box/inner")).unwrap();
    fs::write(world.at("box/inner/a.pdf"), b"%PDF-1.7").unwrap();
    fs::write(world.at("b.txt"), b"a note").unwrap();
    let is_same = |world: &World| matches!(world.rescan(&world.catalogue()).earlier, Earlier::Same(_));
    world.refreshed(later(10));
    assert!(is_same(&world));
    // Only that it was opened is new, and is told.
    let file = fs::File::open(world.at("b.txt")).unwrap();
    file.set_times(fs::FileTimes::new().set_accessed(SystemTime::UNIX_EPOCH)).unwrap();
    drop(file);
    world.refreshed(later(11));
    let scan = world.rescan(&world.catalogue());
    let note = scan.tree.ids().find(|id| scan.tree.name(*id) == b"b.txt").unwrap();
    assert_eq!(scan.tree.opened(note), Some(Moment(0)));
    // A name that is taken away, one that comes, a content that changes deep below: each is seen.
    let tick = || std::thread::sleep(Duration::from_millis(15));
    tick();
    fs::write(world.at("box/inner/new.txt"), b"a note").unwrap();
    assert!(!is_same(&world));
    world.refreshed(later(12));
    assert!(is_same(&world));
    tick();
    fs::write(world.at("box/inner/a.pdf"), b"%PDF-1.4").unwrap();
    assert!(!is_same(&world));
    world.refreshed(later(13));
    tick();
    fs::remove_dir_all(world.at("box/inner")).unwrap();
    assert!(!is_same(&world));
    world.refreshed(later(14));
    assert!(is_same(&world));
    // What a program kept that read names by other rules tells nothing of names.
    let db = rusqlite::Connection::open(world.dir.path().join("catalogue.sqlite")).unwrap();
    assert_eq!(db.execute("UPDATE part SET bytes = zeroblob(8) WHERE id % 64 = 63", []).unwrap(), 1);
    drop(db);
    assert!(world.catalogue().earlier(&world.store.address()).unwrap().is_none());
    world.refreshed(later(15));
    assert!(is_same(&world));
}

#[test]
fn a_new_catalogue_maps_its_pages() {
    let world = world(true);
    world.refreshed(later(10));
    let db = rusqlite::Connection::open(world.dir.path().join("catalogue.sqlite")).unwrap();
    let asked = |what: &str| db.pragma_query_value(None, what, |row| row.get::<_, i64>(0)).unwrap();
    // 2: the map is kept, and nothing is moved about.
    assert_eq!((asked("page_size"), asked("auto_vacuum")), (32_768, 2));
}

#[test]
fn a_folder_that_is_closed_now_is_not_taken_over() {
    let world = world(true);
    fs::create_dir(world.at("box")).unwrap();
    fs::write(world.at("box/a.pdf"), b"%PDF-1.7").unwrap();
    world.refreshed(later(10));
    let scope =
        Scope { closed: [ItemPath::root().join(Name::new(b"box").unwrap())].into(), ..Scope::default() };
    let earlier = world.catalogue().earlier(&world.store.address()).unwrap().unwrap();
    let scan = world.store.refresh(earlier, &scope, &Watch::default()).unwrap();
    assert_eq!(scan.tree.len(), 1);
    assert!(matches!(scan.earlier, Earlier::Differs(_)));
}

#[test]
fn what_changed_just_before_the_scan_is_not_trusted() {
    let world = world(true);
    fs::write(world.at("a.pdf"), b"%PDF-1.7").unwrap();
    assert_eq!(world.refreshed(later(0)).1, 2);
    assert_eq!(world.refreshed(later(1)).1, 2, "it might have been changed within the same tick");
}

#[test]
fn arrivals_are_dated_where_no_births_are_kept() {
    let world = world(false);
    fs::write(world.at("old.txt"), b"1").unwrap();
    world.refreshed(later(10));
    fs::write(world.at("new.txt"), b"22").unwrap();
    let at = later(20);
    world.refreshed(at);
    let kept = world.catalogue().load(&world.store.address(), &Column::ALL).unwrap().unwrap();
    let born = |name: &str| {
        let id = kept.tree.ids().find(|id| kept.tree.name(*id) == name.as_bytes()).unwrap();
        kept.tree.born(id)
    };
    assert_eq!(born("old.txt"), None, "what was there at the first look may be of any age");
    assert_eq!(born("new.txt"), Some(at));
    world.refreshed(later(30));
    assert_eq!(born("new.txt"), Some(at));
}

#[test]
fn a_moved_item_keeps_what_is_known_in_its_new_place() {
    let world = world(true);
    let settings = LocalSettings {
        believes_births: true,
        home_trash: world.at("../Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::clone(&world.counters),
    };
    fs::create_dir(world.dir.path().join("other")).unwrap();
    let other = LocalStore::open(&world.dir.path().join("other"), settings).unwrap();
    fs::create_dir(world.at("box")).unwrap();
    fs::write(world.at("box/a.pdf"), b"%PDF-1.7").unwrap();
    world.refreshed(later(10));
    fs::rename(world.at("box"), world.dir.path().join("other/box")).unwrap();
    let mut tree = other.scan(&Scope::default(), &Watch::default()).unwrap().tree;
    let at = later(20);
    world.catalogue().carry_over(&other.address(), &mut tree, at, Earlier::Unknown).unwrap();
    let file = tree.ids().find(|id| tree.name(*id) == b"a.pdf").unwrap();
    assert!(tree.content(file).is_some(), "only the folder was renamed, so the file is known");
}

#[test]
fn a_damaged_or_newer_catalogue_is_set_aside() {
    let world = world(true);
    let file = world.dir.path().join("catalogue.sqlite");
    fs::write(&file, b"this is no database at all, but it is long enough to look like one".repeat(40))
        .unwrap();
    let (_, aside) = Catalogue::open(&file).unwrap();
    let aside = aside.unwrap();
    assert_eq!(aside.because, "damaged");
    assert!(fs::read(&aside.to).unwrap().starts_with(b"this is no database"));
    let newer = rusqlite::Connection::open(&file).unwrap();
    newer.pragma_update(None, "user_version", 99).unwrap();
    drop(newer);
    let (_, aside) = Catalogue::open(&file).unwrap();
    assert_eq!(aside.unwrap().because, "of another version");
    assert!(Catalogue::open(&file).unwrap().1.is_none());
}

/// The note that says a catalogue was not waited for; 0 if there is none.
fn note(file: &Path) -> i32 {
    let db = rusqlite::Connection::open(file).unwrap();
    db.pragma_query_value(None, "application_id", |row| row.get(0)).unwrap()
}

#[test]
fn a_new_catalogue_is_made_sure_of_when_it_is_opened_again() {
    let world = world(true);
    fs::write(world.at("a.pdf"), b"%PDF-1.7").unwrap();
    let (fresh, file) = (world.fresh(), world.dir.path().join("catalogue.sqlite"));
    world.refreshed(later(10));
    let told = note(&file);
    assert_ne!(told, 0);
    // Whoever only reads leaves it as it is.
    Catalogue::open_to_read(&file).unwrap();
    Catalogue::open_beside_others(&file).unwrap();
    assert_eq!(note(&file), told);
    assert!(Catalogue::open(&file).unwrap().1.is_none());
    assert_eq!(note(&file), 0);
    assert_eq!(world.refreshed(later(20)), (fresh, 0));
}

#[test]
fn what_was_not_on_the_disk_when_the_system_stopped_is_not_believed() {
    let world = world(true);
    fs::write(world.at("a.pdf"), b"%PDF-1.7").unwrap();
    world.refreshed(later(10));
    let file = world.dir.path().join("catalogue.sqlite");
    let db = rusqlite::Connection::open(&file).unwrap();
    db.pragma_update(None, "application_id", 7).unwrap();
    drop(db);
    assert!(Catalogue::open_to_read(&file).is_err() && Catalogue::open_beside_others(&file).is_err());
    let (catalogue, aside) = Catalogue::open(&file).unwrap();
    assert_eq!(aside.unwrap().because, "not yet on the disk when the system stopped");
    assert!(catalogue.load(&world.store.address(), &Column::ALL).unwrap().is_none());
}

#[test]
fn what_was_learned_is_kept_in_a_catalogue_that_has_no_table_for_it_yet() {
    let world = world(true);
    let catalogue = world.catalogue();
    assert_eq!(catalogue.learned("trials").unwrap(), None);
    catalogue.keep_learned("trials", b"first").unwrap();
    catalogue.keep_learned("trials", b"second").unwrap();
    drop(catalogue);
    assert_eq!(world.catalogue().learned("trials").unwrap().as_deref(), Some(&b"second"[..]));
    assert_eq!(world.catalogue().learned("others").unwrap(), None);
}

#[test]
fn cut_columns_are_noticed() {
    let world = world(true);
    fs::write(world.at("a.pdf"), b"%PDF-1.7").unwrap();
    world.refreshed(later(10));
    let db = rusqlite::Connection::open(world.dir.path().join("catalogue.sqlite")).unwrap();
    db.execute("UPDATE part SET bytes = zeroblob(3) WHERE id % 64 = ?1", [Column::Parent as i64]).unwrap();
    drop(db);
    assert!(world.catalogue().load(&world.store.address(), &Column::ALL).is_err());
}

/// The columns that a search asks window by window.
const IN_WINDOWS: [Column; 11] = [
    Column::Names,
    Column::NameEnd,
    Column::Kind,
    Column::Type,
    Column::Marks,
    Column::Opened,
    Column::Born,
    Column::AgeFrom,
    Column::Tags,
    Column::Text,
    Column::Words,
];

#[test]
fn windows_show_what_is_kept_row_by_row() {
    let world = world(true);
    fs::create_dir(world.at("box")).unwrap();
    for n in 0..67_000 {
        let name = format!("{}{n}.{}", "x".repeat(n % 9), ["pdf", "txt", ""][n % 3]);
        let file = fs::File::create(world.at(&name)).unwrap();
        file.set_len(n as u64 % 5).unwrap();
    }
    fs::write(world.at("box/behind all.txt"), "seven b").unwrap();
    let (mut catalogue, tree, at) = (world.catalogue(), world.scan(), later(10));
    let address = world.store.address();
    catalogue.keep(&address, &tree, at, CarriedOver::Anew).unwrap();
    let wanted = Rows::all(tree.rows()).filter(|row| row % 7 == 0 || row > 66_000);
    let (mut next, mut bytes) = (0, 0);
    catalogue
        .in_windows(&address, &IN_WINDOWS, |window| {
            let (part, rows) = (window.tree(), window.rows());
            assert_eq!((rows.start, part.rows(), rows.start % 64), (next, rows.len(), 0));
            for row in rows.clone() {
                let (here, there) = (NodeId::new(row - rows.start), NodeId::new(row));
                assert_eq!(part.name(here), tree.name(there));
                assert_eq!(
                    (part.kind(here), part.item_type(here), part.born(here), part.opened(here)),
                    (tree.kind(there), tree.item_type(there), tree.born(there), tree.opened(there))
                );
                assert_eq!(part.age_from(here), tree.age_from(there));
            }
            next = rows.end;
            let wanted = Rows::all(part.rows()).filter(|row| wanted.has(rows.start + row));
            bytes += window.bytes_of(&wanted)?;
            Ok(ControlFlow::Continue(()))
        })
        .unwrap();
    assert_eq!((next, bytes), (tree.rows(), wanted.ids().map(|id| tree.size(id)).sum::<u64>()));
    // Whoever has seen enough is shown no more; and what was cut is noticed.
    let mut seen = 0;
    let once = |_: &mut Window| {
        seen += 1;
        Ok(ControlFlow::Break(()))
    };
    catalogue.in_windows(&address, &[Column::Size], once).unwrap();
    assert_eq!(seen, 1);
    let db = rusqlite::Connection::open(world.dir.path().join("catalogue.sqlite")).unwrap();
    let cut = "UPDATE part SET bytes = substr(bytes, 1, length(bytes) - 3) WHERE id % 64 = ?1";
    db.execute(cut, [Column::Names as i64]).unwrap();
    let all = |_: &mut Window| Ok(ControlFlow::Continue(()));
    assert!(matches!(catalogue.in_windows(&address, &IN_WINDOWS, all), Err(CatalogueError::Damaged)));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, failure_persistence: None, ..Default::default() })]

    /// A byte that is not as it was is noticed, or makes no difference to what a look tells.
    #[test]
    fn a_spoilt_column_tells_nothing_that_is_not_so(column in 0..SCANNED.len(), at in 0..4096usize, bits in 1..=255u8) {
        let world = world(true);
        fs::create_dir_all(world.at("box/inner")).unwrap();
        fs::create_dir(world.at("void")).unwrap();
        for path in ["a.pdf", "box/b.txt", "box/inner/c.png", "box/inner/d", "z.html"] {
            fs::write(world.at(path), path).unwrap();
        }
        world.refreshed(later(10));
        let db = rusqlite::Connection::open(world.dir.path().join("catalogue.sqlite")).unwrap();
        let column = SCANNED[column] as i64;
        let read = "SELECT bytes FROM part WHERE id % 64 = ?1";
        let mut bytes: Vec<u8> = db.query_row(read, [column], |row| row.get(0)).unwrap();
        let at = at % bytes.len();
        bytes[at] ^= bits;
        db.execute("UPDATE part SET bytes = ?2 WHERE id % 64 = ?1", (column, bytes)).unwrap();
        drop(db);
        let Ok(Some(earlier)) = world.catalogue().earlier(&world.store.address()) else { return Ok(()) };
        let scan = world.store.refresh(earlier, &Scope::default(), &Watch::default()).unwrap();
        let fresh = world.scan();
        for column in SCANNED {
            prop_assert_eq!(scan.tree.bytes(column), fresh.bytes(column), "{:?}", column);
        }
    }
}

#[test]
fn several_programs_may_use_it_at_once() {
    let world = world(true);
    for number in 0..200 {
        fs::write(world.at(&format!("{number}.txt")), b"a note").unwrap();
    }
    let fresh = world.fresh();
    std::thread::scope(|scope| {
        for _ in 0..4 {
            scope.spawn(|| {
                for round in 0..5 {
                    assert_eq!(world.refreshed(later(10 + round)).0, fresh);
                }
            });
        }
    });
}

fn text_test(text: &str) -> Condition {
    parse(text).unwrap()
}

#[test]
fn words_are_found_by_the_index_as_a_rule_finds_them() {
    let world = world(true);
    let texts = [
        ("1.txt", "Condition report: the sextant of Müller, brass."),
        ("2.txt", "reported conditions of the loan"),
        ("3.txt", ""),
        ("4.txt", "Loan no. 17/b (Harrow Dock) condition-report"),
    ];
    for (name, text) in texts {
        fs::write(world.at(name), text).unwrap();
    }
    let at = later(10);
    world.refreshed(at);
    let (mut catalogue, mut tree) = (world.catalogue(), world.scan());
    let address = world.store.address();
    let carried = catalogue.carry_over(&address, &mut tree, at, Earlier::Unknown).unwrap();
    assert_eq!(carried, CarriedOver::UnchangedSince(at));
    catalogue.keep(&address, &tree, at, carried).unwrap();
    let readings: Vec<Reading> = texts
        .iter()
        .map(|(name, text)| Reading {
            id: tree.ids().find(|id| tree.name(*id) == name.as_bytes()).unwrap(),
            body: (*text).to_owned(),
            note: String::new(),
            said: String::new(),
        })
        .collect();
    catalogue.keep_texts(&address, &mut tree, at, &readings).unwrap();
    for asked in [
        "text has condition",
        "text has \"condition report\"",
        "text has muller",
        "text has \"condition rep\",sext",
        "text has \"17 b\"",
        "text like *harrow*condition*",
        "text matches ^reported",
        "text has nothing",
        "text has \"\\\"\"",
    ] {
        let condition = text_test(asked);
        let Condition::Test(Test::Words(WordSubject::Text, words)) = &condition else { panic!("{asked}") };
        let answers = catalogue.answers(&condition.inside_tests(), &now()).unwrap();
        let found = &answers[&condition.to_string()];
        let numbers = readings.iter().map(|reading| (tree.text(reading.id), &reading.body));
        for (number, body) in numbers {
            assert_eq!(found.has(number), words.holds_for_text(body), "{asked}: {body}");
        }
    }
    fs::remove_file(world.at("2.txt")).unwrap();
    world.refreshed(later(20));
    assert_eq!(catalogue.drop_unused_texts().unwrap(), 1);
    assert_eq!(catalogue.drop_unused_texts().unwrap(), 0);
}

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::fixed(offset(2))).unwrap()
}

const SAID_TESTS: [&str; 14] = [
    "camera is \"Lumen 3\"",
    "camera has lumen,ombra",
    "camera matches ^O",
    "title like *tide*",
    "author starts ß",
    "width over 4000",
    "width is 4000",
    "duration under 100s",
    "taken since 2031-04-07",
    "taken on 2031-04-06",
    "taken over 2d",
    "sent before 2031-04",
    "sent between 2031-03 and 2031-04",
    "origin has quay",
];

fn metadata() -> impl Strategy<Value = Metadata> {
    let text = |values: &'static [&'static str]| proptest::option::of(proptest::sample::select(values));
    let texts = (
        text(&["Lumen 3", "lumen 3", "Ombra X", "Böttcher"]),
        text(&["Tide tables", "TIDES", "On rope"]),
        text(&["ßen", "SSen", "Anna"]),
        text(&["https://quay.example/a", "https://other.example/"]),
    );
    let figures = (proptest::option::of(3_999u64..4_002), proptest::option::of(98u64..102));
    // Hours around the midnights that the tests speak of, in zones on both sides.
    let hour = 1_933_200_000i64..1_933_200_000 + 72 * 3_600;
    let taken = proptest::option::of((hour, proptest::option::of(-720i16..720)));
    let sent = proptest::option::of(1_930_000_000i64..1_934_000_000);
    (texts, figures, taken, sent).prop_map(
        |((camera, title, author, origin), (width, length), taken, sent)| {
            let mut said = Metadata::default();
            said.taken = taken.map(|(clock, ahead)| Taken::new(clock, ahead));
            said.sent = sent.map(|at| Moment::from_unix(at, 0));
            let texts = [
                (TextField::Camera, camera),
                (TextField::Title, title),
                (TextField::Author, author),
                (TextField::Origin, origin),
            ];
            texts.into_iter().for_each(|(field, text)| said.set_text(field, text.unwrap_or_default()));
            width.into_iter().for_each(|width| said.set_figure(FigureField::Width, width));
            length.into_iter().for_each(|length| said.set_figure(FigureField::Duration, length));
            said
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn what_files_say_is_found_as_a_rule_finds_it_and_forgotten_with_them(
        // Some say what very many others do.
        all in proptest::collection::vec((metadata(), prop_oneof![4 => Just(1), 1 => Just(25)]), 1..8),
        gone in proptest::collection::vec(any::<bool>(), 8 * 25),
    ) {
        let all: Vec<Metadata> = all.into_iter().flat_map(|(said, many)| vec![said; many]).collect();
        let world = world(true);
        for n in 0..all.len() {
            fs::write(world.at(&format!("{n}.jpg")), "picture").unwrap();
        }
        let at = later(10);
        world.refreshed(at);
        let (mut catalogue, mut tree) = (world.catalogue(), world.scan());
        let address = world.store.address();
        let carried = catalogue.carry_over(&address, &mut tree, at, Earlier::Unknown).unwrap();
        catalogue.keep(&address, &tree, at, carried).unwrap();
        let id_of = |n: usize| tree.ids().find(|id| tree.name(*id) == format!("{n}.jpg").as_bytes()).unwrap();
        let ids: Vec<NodeId> = (0..all.len()).map(id_of).collect();
        let reading = |(n, said): (usize, &Metadata)| Reading {
            id: ids[n],
            body: String::new(),
            note: String::new(),
            said: said.to_json(),
        };
        let readings: Vec<Reading> = all.iter().enumerate().map(reading).collect();
        catalogue.keep_texts(&address, &mut tree, at, &readings).unwrap();
        let numbers: Vec<u32> = ids.iter().map(|id| tree.text(*id)).collect();
        let answer = |catalogue: &Catalogue, asked: &str| {
            let condition = parse(asked).unwrap();
            let answers = catalogue.answers(&condition.inside_tests(), &now()).unwrap();
            (answers[&condition.to_string()].clone(), condition)
        };
        for asked in SAID_TESTS {
            let (found, condition) = answer(&catalogue, asked);
            for (n, said) in all.iter().enumerate() {
                let id = ids[n];
                let mut item = Item::new(Spot::new("pile", tree.path(id)), tree.entry(id));
                item.said = Some(said.clone());
                prop_assert_eq!(found.has(numbers[n]), condition.holds(&item, &now()), "{}: {:?}", asked, said);
            }
        }
        let gone: Vec<usize> = (0..all.len()).filter(|n| gone[*n]).collect();
        gone.iter().for_each(|n| fs::remove_file(world.at(&format!("{n}.jpg"))).unwrap());
        world.refreshed(later(20));
        prop_assert_eq!(catalogue.drop_unused_texts().unwrap(), gone.len());
        for asked in SAID_TESTS {
            let (found, _) = answer(&catalogue, asked);
            prop_assert!(gone.iter().all(|n| !found.has(numbers[*n])), "{}", asked);
        }
    }
}
