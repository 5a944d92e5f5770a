//! The local store on real files in a temporary folder.

use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::Ordering;

use nine_core::item::Kind;
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_core::tree::{NodeId, Tree, Unlearned};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{
    ChangeStore, LocalStore, NoContainers, OnlyNames, ReadStore, Scope, StoreError, TransferStore,
    TrashStore, Watch, learn,
};
use tempfile::TempDir;

struct World {
    dir: TempDir,
    store: LocalStore,
    counters: Arc<Counters>,
}

fn world() -> World {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("pile")).unwrap();
    let counters = Arc::new(Counters::default());
    let settings = LocalSettings {
        believes_births: true,
        home_trash: dir.path().join("share/Trash"),
        one_trash: false,
        reads_mounts: true,
        counters: Arc::clone(&counters),
    };
    let store = LocalStore::open(&dir.path().join("pile"), settings).unwrap();
    World { dir, store, counters }
}

impl World {
    fn at(&self, path: &str) -> std::path::PathBuf {
        self.dir.path().join("pile").join(path)
    }

    fn write(&self, path: &str, text: &str) {
        let at = self.at(path);
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, text).unwrap();
    }

    fn stamp(&self, of: &str) -> nine_core::item::Stamp {
        self.store.entry(&path(of)).unwrap().unwrap().stamp()
    }
}

fn path(text: &str) -> ItemPath {
    ItemPath::new(text).unwrap()
}

#[test]
fn a_scan_sees_all_opens_no_file_and_follows_no_link() {
    let world = world();
    world.write("a.txt", "12345");
    world.write("letters/old/b.txt", "1");
    symlink(world.dir.path(), world.at("out")).unwrap();
    symlink("nowhere", world.at("broken")).unwrap();
    fs::write(world.at("").join(std::ffi::OsStr::from_bytes(b"caf\xe9\n")), "x").unwrap();
    let watch = Watch::default();
    let scan = world.store.scan(&Scope::default(), &watch).unwrap();
    let mut paths: Vec<String> = scan.tree.ids().map(|id| scan.tree.path(id).to_text()).collect();
    paths.sort();
    assert_eq!(
        paths,
        ["a.txt", "broken", "caf\\xe9\\n", "letters", "letters/old", "letters/old/b.txt", "out"]
    );
    assert_eq!((watch.entries(), world.counters.opens.load(Ordering::Relaxed)), (7, 0));
    let letters = scan.tree.find(&path("letters")).unwrap();
    assert_eq!((scan.tree.totals(letters).items, scan.tree.totals(letters).size), (1, 1));
    assert_eq!(scan.tree.entry(scan.tree.find(&path("out")).unwrap()).kind, Kind::Link);
    assert!(world.store.link_is_broken(&path("broken")).unwrap());
    assert!(!world.store.link_is_broken(&path("out")).unwrap());
    let born = world.store.entry(&path("a.txt")).unwrap().unwrap().born.unwrap();
    let modified = fs::metadata(world.at("a.txt")).unwrap().mtime();
    assert!((born.to_unix().0 - modified).abs() < 5);
}

#[test]
fn closed_folders_are_listed_but_not_entered() {
    let world = world();
    world.write("shelf/a", "");
    world.write("other/b", "");
    let scope = Scope { closed: [path("shelf")].into(), ..Scope::default() };
    let scan = world.store.scan(&scope, &Watch::default()).unwrap();
    assert!(scan.tree.find(&path("shelf")).is_some_and(|id| scan.tree.is_unread_folder(id)));
    assert!(scan.tree.find(&path("shelf/a")).is_none() && scan.tree.find(&path("other/b")).is_some());
}

#[test]
fn tags_that_are_asked_for_on_the_way_are_those_that_are_asked_for_afterwards() {
    let world = world();
    world.write("z/note.md", "---\ntags: [loans]\n---\nand #boats/oars\n");
    world.write("z/empty.md", "");
    world.write("z/bytes.md", "#no\0tag\n");
    world.write("z/other.txt", "#is-no-note\n");
    world.write("a/10.pdf", "%PDF-1.7");
    world.write("a/.hidden.md", "#loans\n");
    world.write(".box/note.md", "#loans\n");
    world.write("a/9.pdf", "%PDF-1.7");
    symlink("9.pdf", world.at("a/link.md")).unwrap();
    for (item, tags) in [("z", "whole folder"), ("z/note.md", "given"), ("a/9.pdf", "nine,oars")] {
        let given = rustix::fs::XattrFlags::empty();
        rustix::fs::setxattr(world.at(item), "user.xdg.tags", tags.as_bytes(), given).unwrap();
    }
    let scanned =
        |tags| world.store.scan(&Scope { tags, ..Scope::default() }, &Watch::default()).unwrap().tree;
    let told = |tree: &Tree| -> Vec<String> {
        let of = |id| format!("{} {:?} {:?}", tree.path(id), tree.tags(id), tree.note_tags(id));
        tree.ids().map(of).collect()
    };
    let (mut after, mut on_the_way) = (scanned(false), scanned(true));
    let learned = |tree: &mut Tree| {
        let all: Vec<NodeId> = tree.ids().collect();
        learn(
            (&world.store, &NoContainers),
            tree,
            all,
            Unlearned { tags: true, content: false },
            &Watch::default(),
        )
    };
    // What is hidden is not asked unless somebody wants it.
    assert_eq!((learned(&mut after), learned(&mut on_the_way)), (12, 3));
    assert_eq!(told(&on_the_way), told(&after));
    assert!(told(&after).contains(&"z/note.md Known([\"given\"]) [\"loans\", \"boats/oars\"]".to_owned()));
}

#[test]
fn of_a_few_names_only_these_and_what_belongs_to_them_are_looked_at() {
    let world = world();
    for file in ["Page.html", "Page.css", "page_files/deep/a", "other/b", "other.txt"] {
        world.write(file, "");
    }
    let only = OnlyNames::new([NameBuf::new("Page.html").unwrap()].into());
    let scan = world.store.scan(&Scope { only: Some(only), ..Scope::default() }, &Watch::default()).unwrap();
    let mut seen: Vec<String> = scan.tree.inside(Tree::ROOT).map(|id| scan.tree.path(id).to_text()).collect();
    seen.sort();
    assert_eq!(seen, ["Page.css", "Page.html", "page_files", "page_files/deep", "page_files/deep/a"]);
}

#[test]
fn a_rename_never_overwrites_and_refuses_what_has_changed() {
    let world = world();
    world.write("a", "new");
    world.write("b", "old");
    let stamp = world.stamp("a");
    let rename = |from: &str, to: &str| world.store.rename(&path(from), &stamp, &world.store, &path(to));
    assert!(matches!(rename("a", "b"), Err(StoreError::Taken)));
    assert!(matches!(rename("c", "d"), Err(StoreError::NotThere)));
    assert!(matches!(rename("b", "d"), Err(StoreError::Changed)));
    assert!(matches!(rename("a", "missing/d"), Err(StoreError::NotThere)));
    world.write("a", "newer!");
    assert!(matches!(rename("a", "d"), Err(StoreError::Changed)));
    assert_eq!(fs::read_to_string(world.at("b")).unwrap(), "old");
    let stamp = world.stamp("a");
    world.store.rename(&path("a"), &stamp, &world.store, &path("d")).unwrap();
    assert_eq!(fs::read_to_string(world.at("d")).unwrap(), "newer!");
    assert_eq!(world.stamp("d"), stamp);
}

#[test]
fn no_link_leads_out() {
    let world = world();
    world.write("a", "x");
    symlink(world.dir.path(), world.at("out")).unwrap();
    let stamp = world.stamp("a");
    let moved = world.store.rename(&path("a"), &stamp, &world.store, &path("out/a"));
    assert!(matches!(moved, Err(StoreError::LeadsElsewhere | StoreError::NotAFolder)), "{moved:?}");
    assert!(world.store.make_folder(&path("out/new")).is_err());
    assert!(matches!(world.store.make_folder(&path("out")), Err(StoreError::LeadsElsewhere)));
    assert!(world.store.first_bytes(&path("out/pile/a"), 9).is_err());
    let ground = world.store.ground(&path("out/deeper")).unwrap();
    assert_eq!(ground.blocked, Some(path("out")));
    assert!(!world.dir.path().join("new").exists());
}

#[test]
fn very_long_paths_are_reached() {
    let world = world();
    let name = "d".repeat(200);
    let mut here = ItemPath::root();
    for _ in 0..30 {
        here = here.join(Name::new(name.as_bytes()).unwrap());
        assert!(world.store.make_folder(&here).unwrap());
    }
    assert!(here.as_bytes().len() > 4096);
    let scan = world.store.scan(&Scope::default(), &Watch::default()).unwrap();
    assert_eq!((scan.tree.len(), scan.troubles.len()), (30, 0));
}

#[test]
fn tags_live_in_the_attribute_and_leave_others_alone() {
    let world = world();
    world.write("a", "x");
    let file = world.at("a");
    rustix::fs::setxattr(&file, "user.other", b"kept", rustix::fs::XattrFlags::empty()).unwrap();
    let stamp = world.stamp("a");
    let tags = vec!["loans".to_owned(), "client/Harrow, Ltd".to_owned()];
    world.store.set_tags(&path("a"), &stamp, &tags).unwrap();
    assert_eq!(world.store.tags(&path("a")).unwrap(), tags);
    let mut raw = [0; 100];
    let length = rustix::fs::getxattr(&file, "user.xdg.tags", &mut raw[..]).unwrap();
    assert_eq!(&raw[..length], br"loans,client/Harrow\, Ltd");
    assert_eq!(world.stamp("a"), stamp);
    world.store.set_tags(&path("a"), &stamp, &[]).unwrap();
    assert!(world.store.tags(&path("a")).unwrap().is_empty());
    assert!(rustix::fs::getxattr(&file, "user.xdg.tags", &mut raw[..]).is_err());
    assert!(rustix::fs::getxattr(&file, "user.other", &mut raw[..]).is_ok());
}

#[test]
fn the_trash_follows_the_specification_and_gives_back() {
    let world = world();
    for text in ["first", "second"] {
        world.write("Plan für Möwe.txt", text);
        let stamp = world.stamp("Plan für Möwe.txt");
        let kept = world.store.discard(&path("Plan für Möwe.txt"), &stamp, "2031-04-07T09:00:00").unwrap();
        assert_eq!(
            world.store.find_discarded(&path("Plan für Möwe.txt"), &stamp).unwrap(),
            Some(kept.clone())
        );
        assert!(!world.at("Plan für Möwe.txt").exists());
        assert!(Path::new(std::ffi::OsStr::from_bytes(&kept)).exists());
    }
    let trash = world.dir.path().join("share/Trash");
    assert_eq!(fs::metadata(&trash).unwrap().permissions().mode() & 0o777, 0o700);
    let note = fs::read_to_string(trash.join("info/Plan für Möwe (2).txt.trashinfo")).unwrap();
    let whole = world.at("Plan für Möwe.txt").display().to_string();
    let encoded = whole.replace(' ', "%20").replace('ü', "%C3%BC").replace('ö', "%C3%B6");
    assert_eq!(note, format!("[Trash Info]\nPath={encoded}\nDeletionDate=2031-04-07T09:00:00\n"));
    let kept = trash.join("files/Plan für Möwe (2).txt");
    let found = rustix::fs::stat(&kept).unwrap();
    assert_eq!(found.st_size, 6);
    let stamp = nine_core::item::Stamp { size: 6, ..stamp_of(&kept) };
    world.store.restore(kept.as_os_str().as_bytes(), &stamp, &path("back.txt")).unwrap();
    assert_eq!(fs::read_to_string(world.at("back.txt")).unwrap(), "second");
    assert!(!trash.join("info/Plan für Möwe (2).txt.trashinfo").exists());
    assert!(world.store.restore(b"/etc/passwd", &stamp, &path("x")).is_err());
}

/// The stamp of a file that lies outside the store.
fn stamp_of(file: &Path) -> nine_core::item::Stamp {
    let settings = LocalSettings {
        believes_births: true,
        home_trash: "/nowhere".into(),
        one_trash: false,
        reads_mounts: true,
        counters: Arc::default(),
    };
    let store = LocalStore::open(file.parent().unwrap(), settings).unwrap();
    store.entry(&ItemPath::new(file.file_name().unwrap().as_bytes()).unwrap()).unwrap().unwrap().stamp()
}

#[test]
fn a_look_at_the_content_leaves_no_trace() {
    let world = world();
    world.write("a", "0123456789");
    let long_ago = rustix::fs::Timespec { tv_sec: 1_000_000, tv_nsec: 0 };
    let times = rustix::fs::Timestamps { last_access: long_ago, last_modification: long_ago };
    rustix::fs::utimensat(rustix::fs::CWD, world.at("a"), &times, rustix::fs::AtFlags::empty()).unwrap();
    assert_eq!(world.store.first_bytes(&path("a"), 4).unwrap(), b"0123");
    assert_eq!(fs::metadata(world.at("a")).unwrap().atime(), 1_000_000);
    rustix::fs::mkfifoat(rustix::fs::CWD, world.at("pipe"), rustix::fs::Mode::RWXU).unwrap();
    assert!(matches!(world.store.first_bytes(&path("pipe"), 4), Err(StoreError::Special)));
}

#[test]
fn unreadable_and_missing_folders() {
    let world = world();
    let missing = LocalStore::open(
        &world.at("missing"),
        LocalSettings {
            believes_births: true,
            home_trash: "/nowhere".into(),
            one_trash: false,
            reads_mounts: true,
            counters: Arc::default(),
        },
    );
    assert!(matches!(missing, Err(StoreError::NotThere)));
    world.write("file", "x");
    let ground = world.store.ground(&path("file/below")).unwrap();
    assert_eq!((ground.blocked, ground.existing), (Some(path("file")), ItemPath::root()));
    assert!(!world.store.remove_empty_folder(&path("nothing")).unwrap());
    world.write("full/x", "");
    assert!(!world.store.remove_empty_folder(&path("full")).unwrap());
    assert!(world.store.remove_copied(&path("full"), &world.stamp("full")).is_err());
}
