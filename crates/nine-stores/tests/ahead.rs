//! Places as they will stand: the same as after the steps were really carried out.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::item::{Identity, Kind};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::tree::Tree;
use nine_core::worklist::{Act, Step};
use nine_stores::ahead::Ahead;
use nine_stores::local::LocalSettings;
use nine_stores::{LocalStore, Places, Scope, Store, Watch};
use proptest::prelude::*;

const NOW: Moment = Moment(1_934_000_000_000_000_000);

fn path(text: &str) -> ItemPath {
    ItemPath::new(text).unwrap()
}

/// `pile`, and `case` in it, which is a place of its own; as they are or as they will stand.
fn places(root: &Path, seen: impl Fn(Arc<dyn Store>) -> Arc<dyn Store>) -> Places {
    let mut places = Places::default();
    for (name, folder) in [("pile", "pile"), ("case", "pile/case")] {
        let settings = LocalSettings {
            believes_births: true,
            home_trash: root.join("trash"),
            one_trash: true,
            reads_mounts: true,
            counters: Arc::default(),
        };
        places.add(name, seen(Arc::new(LocalStore::open(&root.join(folder), settings).unwrap())));
    }
    places
}

fn step(places: &Places, item: &str, act: Act) -> Step {
    let item = Spot::parse(item).unwrap();
    let entry = places.of(&item).unwrap().entry(&item.path).unwrap().unwrap();
    Step { act, kind: entry.kind, stamp: entry.stamp(), ..Step::make(item) }
}

fn filled() -> tempfile::TempDir {
    let dir = tempfile::tempdir().unwrap();
    for folder in ["pile/a/b", "pile/c", "pile/case/1 Shelf/deep"] {
        fs::create_dir_all(dir.path().join(folder)).unwrap();
    }
    for file in ["pile/x", "pile/y", "pile/a/one", "pile/a/b/two", "pile/c/three", "pile/case/1 Shelf/four"] {
        fs::write(dir.path().join(file), file).unwrap();
    }
    dir
}

/// Everything below a place, by its path: what it is known by; a folder that is not there yet by nothing.
fn seen(store: &dyn Store) -> BTreeMap<ItemPath, Option<Identity>> {
    let tree = store.scan(&Scope::default(), &Watch::default()).unwrap().tree;
    let of = |id| (tree.path(id), (tree.kind(id) == Kind::File).then(|| tree.identity(id)));
    tree.inside(Tree::ROOT).map(of).collect()
}

/// Folders and files by name: what the test holds all against.
#[derive(Debug, Clone)]
enum Move {
    Item(usize, usize, u8),
    Discard(usize),
}

fn moves() -> impl Strategy<Value = Vec<Move>> {
    let one = prop_oneof![
        4 => (0..64_usize, 0..64_usize, 0..3_u8).prop_map(|(item, folder, name)| Move::Item(item, folder, name)),
        1 => (0..64_usize).prop_map(Move::Discard),
    ];
    proptest::collection::vec(one, 1..8)
}

fn below(root: &Path) -> (Vec<PathBuf>, Vec<PathBuf>) {
    let (mut all, mut folders) = (Vec::new(), vec![root.to_owned()]);
    let mut at = 0;
    while at < folders.len() {
        let mut inside: Vec<_> =
            fs::read_dir(&folders[at]).unwrap().map(|entry| entry.unwrap().path()).collect();
        inside.sort();
        folders.extend(inside.iter().filter(|path| path.is_dir()).cloned());
        all.extend(inside);
        at += 1;
    }
    (all, folders)
}

/// As a person writes it: by the nearest place.
fn spot(root: &Path, path: &Path) -> String {
    let below = path.strip_prefix(root).unwrap().to_str().unwrap();
    below.strip_prefix("pile/case/").map_or_else(|| below.to_owned(), |below| format!("case/{below}"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn what_is_foreseen_is_what_comes(moves in moves()) {
        let (real, copy) = (filled(), tempfile::tempdir().unwrap());
        let case = real.path().join("pile/case");
        let now = places(real.path(), |store| store);
        let ahead = Ahead::new(NOW);
        let then = places(real.path(), |store| ahead.store(&store));
        let before = seen(then.of(&Spot::parse("pile/x").unwrap()).unwrap());
        prop_assert!(before.contains_key(&path("a/b/two")));
        // The steps are foreseen in one world, and carried out in another that began the same.
        for (nth, one) in moves.iter().enumerate() {
            let world = if nth == 0 { copied(real.path(), copy.path()) } else { copy.path().to_owned() };
            let (all, folders) = below(&world.join("pile"));
            let world_case = world.join("pile/case");
            let all: Vec<_> = all.into_iter().filter(|path| *path != world_case && *path != case).collect();
            let (item, act, target) = match one {
                Move::Discard(item) => (&all[item % all.len()], Act::discard(), None),
                Move::Item(item, folder, name) => {
                    let new = folders[folder % folders.len()].join(format!("new {name}")).join(format!("n{name}"));
                    let item = &all[item % all.len()];
                    if new.starts_with(item) || new.exists() {
                        continue;
                    }
                    let to = Spot::parse(&spot(&world, &new)).unwrap();
                    (item, Act::Move { to }, Some(new))
                }
            };
            let step = step(&then, &spot(&world, item), act);
            ahead.carry(&then, [&step]);
            match target {
                Some(new) => {
                    fs::create_dir_all(new.parent().unwrap()).unwrap();
                    fs::rename(item, new).unwrap();
                }
                None if item.is_dir() => fs::remove_dir_all(item).unwrap(),
                None => fs::remove_file(item).unwrap(),
            }
        }
        if copy.path().join("pile").is_dir() {
            let come = places(copy.path(), |store| store);
            for place in ["pile", "case"] {
                let any = Spot::new(place, ItemPath::root());
                let foreseen = seen(then.of(&any).unwrap());
                let come = seen(come.of(&any).unwrap());
                prop_assert_eq!(foreseen.keys().collect::<Vec<_>>(), come.keys().collect::<Vec<_>>());
            }
        }
        // Nothing was touched.
        prop_assert_eq!(seen(now.of(&Spot::parse("pile/x").unwrap()).unwrap()), before);
    }
}

fn copied(from: &Path, to: &Path) -> PathBuf {
    for file in below(&from.join("pile")).0 {
        let new = to.join(file.strip_prefix(from).unwrap());
        if file.is_dir() {
            fs::create_dir_all(new).unwrap();
        } else {
            fs::create_dir_all(new.parent().unwrap()).unwrap();
            fs::copy(&file, new).unwrap();
        }
    }
    to.to_owned()
}

#[test]
fn what_is_moved_is_read_where_it_is_and_nothing_is_changed() {
    let dir = filled();
    let ahead = Ahead::new(NOW);
    let then = places(dir.path(), |store| ahead.store(&store));
    let pile = then.of(&Spot::parse("pile/x").unwrap()).unwrap();
    let first = step(&then, "pile/a", Act::Move { to: Spot::parse("case/2 New/a").unwrap() });
    ahead.carry(&then, [&first]);
    let inside = Spot::parse("case/2 New/a/b/two").unwrap();
    let case = then.of(&inside).unwrap();
    assert_eq!(case.first_bytes(&inside.path, 99).unwrap(), b"pile/a/b/two");
    assert_eq!(
        case.location(&inside.path).local().unwrap(),
        dir.path().canonicalize().unwrap().join("pile/a/b/two")
    );
    assert!(pile.entry(&path("a")).unwrap().is_none() && pile.entry(&path("a/one")).unwrap().is_none());
    assert!(
        pile.entry(&path("case/2 New/a/one")).unwrap().is_some(),
        "the place in it is seen from the outer one"
    );
    let time = |store: &dyn Store, at: &str| store.entry(&path(at)).unwrap().unwrap().modified;
    assert_eq!((time(case, "2 New"), time(case, "2 New/a") == NOW), (NOW, false));
    // A step of a step, and tags that go with it.
    let tags = vec!["tides".to_owned()];
    let second = step(&then, "case/2 New/a/one", Act::Tag { from: Vec::new(), to: tags.clone() });
    let third = step(&then, "case/2 New/a/one", Act::Move { to: Spot::parse("pile/back").unwrap() });
    ahead.carry(&then, [&second, &third]);
    assert_eq!(pile.tags(&path("back")).unwrap(), tags);
    assert_eq!(time(case, "2 New/a"), NOW, "something was taken out of it");
    assert_eq!(pile.ground(&path("k/l")).unwrap().existing, ItemPath::root());
    assert_eq!(case.ground(&path("2 New/a/z")).unwrap().existing, path("2 New/a"));
    let blocked = pile.ground(&path("back/m/n")).unwrap();
    assert_eq!((blocked.existing, blocked.blocked), (ItemPath::root(), Some(path("back"))));
    // It is only looked at.
    let stamp = pile.entry(&path("x")).unwrap().unwrap().stamp();
    assert!(pile.set_tags(&path("x"), &stamp, &tags).is_err());
    assert!(pile.rename(&path("x"), &stamp, pile, &path("z")).is_err());
    assert!(dir.path().join("pile/a/one").exists() && dir.path().join("pile/x").exists());
}
