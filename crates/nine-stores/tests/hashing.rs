//! Which files have the same bytes: held against a plain reference that reads everything.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::fs;
use std::os::unix::fs::symlink;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use nine_core::copies::{Candidates, Meet, Side, Taken, groups};
use nine_core::place::ItemPath;
use nine_core::tree::{NodeId, Tree};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{HashSource, Hashed, LocalStore, ReadStore, Scope, StoreError, Watch, hash, read_digests};
use proptest::prelude::*;
use sha2::{Digest as _, Sha256};
use tempfile::TempDir;

/// More than both ends, so that there is something between them.
const LARGE: usize = 50_000;

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
        home_trash: dir.path().join("Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::clone(&counters),
    };
    let store = LocalStore::open(&dir.path().join("pile"), settings).unwrap();
    World { dir, store, counters }
}

impl World {
    fn at(&self, path: &str) -> PathBuf {
        self.dir.path().join("pile").join(path)
    }

    fn write(&self, path: &str, bytes: &[u8]) {
        let at = self.at(path);
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, bytes).unwrap();
    }

    fn scan(&self) -> Tree {
        self.store.scan(&Scope::default(), &Watch::default()).unwrap().tree
    }

    /// Reads what is in question and returns how many bytes were read for it.
    fn hash(&self, tree: &mut Tree) -> (Hashed, u64) {
        let before = self.counters.bytes.load(Ordering::Relaxed);
        let candidates = Candidates::unread_of(&[tree], |_| Some(Side::Asked), Meet::Any, HashSet::new());
        let mut sources = [HashSource { store: Some(&self.store), tree }];
        let hashed = hash(&mut sources, &candidates, &Watch::default());
        (hashed, self.counters.bytes.load(Ordering::Relaxed) - before)
    }

    /// The names of the files that are the same, a set for each group.
    fn found(&self, tree: &Tree) -> BTreeSet<BTreeSet<String>> {
        let groups = groups(&[tree], Taken::default(), |_, _| false);
        let names = |item: &nine_core::copies::Alike| {
            let all = std::iter::once(item.member).chain(item.links.iter().copied());
            all.map(|member| tree.path(member.id).to_text()).collect::<Vec<_>>()
        };
        groups.iter().map(|group| group.items.iter().flat_map(names).collect()).collect()
    }

    /// The same, from a full digest of every file. A group counts if it has two inodes.
    fn reference(&self) -> BTreeSet<BTreeSet<String>> {
        use std::os::unix::fs::MetadataExt;
        let mut by_digest: BTreeMap<Vec<u8>, (BTreeSet<String>, BTreeSet<u64>)> = BTreeMap::new();
        let mut folders = vec![self.at("")];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                let meta = fs::symlink_metadata(&path).unwrap();
                if meta.is_dir() {
                    folders.push(path);
                } else if meta.is_file() && meta.len() > 0 {
                    let digest = Sha256::digest(fs::read(&path).unwrap()).to_vec();
                    let name = path.strip_prefix(self.at("")).unwrap().to_string_lossy().into_owned();
                    let group = by_digest.entry(digest).or_default();
                    group.0.insert(name);
                    group.1.insert(meta.ino());
                }
            }
        }
        by_digest.into_values().filter(|(_, inodes)| inodes.len() > 1).map(|(names, _)| names).collect()
    }
}

/// What a random file holds.
#[derive(Debug, Clone)]
enum Content {
    Empty,
    Small(u8),
    /// As long as others, told apart by a byte at this place.
    Large(usize, u8),
    LinkTo(usize),
    PointerTo(usize),
}

fn contents() -> impl Strategy<Value = Vec<(u8, Content)>> {
    let content = prop_oneof![
        1 => Just(Content::Empty),
        3 => (0..4u8).prop_map(Content::Small),
        // The first byte, one in the middle, the last.
        4 => (prop_oneof![Just(0), Just(LARGE / 2), Just(LARGE - 1)], 0..2u8)
            .prop_map(|(at, byte)| Content::Large(at, byte)),
        1 => (0..30usize).prop_map(Content::LinkTo),
        1 => (0..30usize).prop_map(Content::PointerTo),
    ];
    prop::collection::vec((0..4u8, content), 2..30)
}

fn lay_out(world: &World, files: &[(u8, Content)]) {
    let name = |at: usize| format!("folder {}/file {at}", files[at].0);
    for (at, (folder, content)) in files.iter().enumerate() {
        fs::create_dir_all(world.at(&format!("folder {folder}"))).unwrap();
        let other = |to: usize| world.at(&name(to % files.len()));
        match content {
            Content::Empty => world.write(&name(at), b""),
            Content::Small(byte) => world.write(&name(at), &[*byte; 700]),
            Content::Large(place, byte) => {
                let mut bytes = vec![7; LARGE];
                bytes[*place] = *byte;
                world.write(&name(at), &bytes);
            }
            Content::LinkTo(to) => {
                let _ = fs::hard_link(other(*to), world.at(&name(at)));
            }
            Content::PointerTo(to) => symlink(other(*to), world.at(&name(at))).unwrap(),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn the_same_are_found_as_by_reading_everything(files in contents()) {
        let world = world();
        lay_out(&world, &files);
        let mut tree = world.scan();
        let (hashed, _) = world.hash(&mut tree);
        prop_assert!(hashed.troubles.is_empty());
        prop_assert_eq!(world.found(&tree), world.reference());
        // What is known is not read again, nor looked at.
        prop_assert_eq!(world.hash(&mut tree).1, 0);
        let unread = Candidates::unread_of(&[&tree], |_| Some(Side::Asked), Meet::Any, HashSet::new());
        prop_assert!(unread.is_empty());
    }

    #[test]
    fn whatever_is_known_already_the_same_are_found(files in contents(), known in prop::collection::vec(0..4u8, 64)) {
        let world = world();
        lay_out(&world, &files);
        let mut all = world.scan();
        world.hash(&mut all);
        // A run that was cut off may have left any of it.
        let mut tree = world.scan();
        for (id, known) in tree.ids().collect::<Vec<_>>().into_iter().zip(known) {
            if let Some(ends) = all.ends(id).filter(|_| known & 1 != 0) {
                tree.learn_ends(id, ends);
            }
            if let Some(digest) = all.digest(id).filter(|_| known & 2 != 0) {
                tree.learn_digest(id, digest);
            }
        }
        prop_assert!(world.hash(&mut tree).0.troubles.is_empty());
        prop_assert_eq!(world.found(&tree), world.reference());
    }
}

#[test]
fn no_byte_is_read_twice_and_none_without_need() {
    let world = world();
    let size = 3 * 1024 * 1024;
    let mut bytes = vec![1; size];
    world.write("twin 1", &bytes);
    world.write("twin 2", &bytes);
    bytes[size - 1] = 2;
    world.write("other end", &bytes);
    world.write("alone", &vec![1; size + 1]);
    let mut tree = world.scan();
    let (hashed, read) = world.hash(&mut tree);
    assert_eq!(world.found(&tree).len(), 1);
    // Both twins as a whole, the third by its ends, the fourth not at all.
    let needed = 2 * size as u64 + 32 * 1024;
    assert_eq!((read, hashed.troubles.len()), (needed, 0));
}

#[test]
fn files_of_which_only_the_middle_differs_are_told_apart() {
    let world = world();
    let mut bytes = vec![1; LARGE];
    world.write("a", &bytes);
    bytes[LARGE / 2] = 2;
    world.write("b", &bytes);
    let mut tree = world.scan();
    world.hash(&mut tree);
    let digest = |name: &str| tree.digest(tree.find(&ItemPath::new(name).unwrap()).unwrap());
    assert!(digest("a").is_some() && digest("b").is_some() && digest("a") != digest("b"));
    assert_eq!(digest("b").unwrap().to_string(), blake3::hash(&bytes).to_string());
}

#[test]
fn names_of_one_file_are_no_copies() {
    let world = world();
    world.write("a", &[1; LARGE]);
    fs::hard_link(world.at("a"), world.at("b")).unwrap();
    let mut tree = world.scan();
    assert_eq!(world.hash(&mut tree).1, 0, "one file needs no comparison with itself");
    assert!(world.found(&tree).is_empty());
}

#[test]
fn what_has_changed_since_the_scan_is_not_taken_for_what_it_was() {
    let world = world();
    world.write("a", &[1; LARGE]);
    world.write("b", &[1; LARGE]);
    let mut tree = world.scan();
    world.write("b", &[2; LARGE]);
    let (hashed, _) = world.hash(&mut tree);
    assert!(matches!(hashed.troubles.as_slice(), [(_, StoreError::Changed)]), "{hashed:?}");
    assert!(world.found(&tree).is_empty());
}

#[test]
fn what_changes_while_it_is_read_is_never_noted_as_read() {
    let world = world();
    let size = 24 * 1024 * 1024;
    for name in ["a", "b"] {
        world.write(name, &vec![1; size]);
    }
    let digest_before = blake3::hash(&vec![1; size]).to_string();
    for _ in 0..4 {
        let mut tree = world.scan();
        let over = AtomicBool::new(false);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                use std::os::unix::fs::FileExt;
                let file = fs::OpenOptions::new().write(true).open(world.at("b")).unwrap();
                let mut byte = 2;
                while !over.load(Ordering::Relaxed) {
                    file.write_all_at(&[byte], size as u64 / 2).unwrap();
                    byte = byte.wrapping_add(1);
                }
            });
            let (hashed, _) = world.hash(&mut tree);
            over.store(true, Ordering::Relaxed);
            assert!(hashed.troubles.iter().all(|(_, error)| matches!(error, StoreError::Changed)));
        });
        let noted = tree.digest(tree.find(&ItemPath::new("b").unwrap()).unwrap());
        assert!(noted.is_none(), "it was written to all the while, and noted as {noted:?}");
        let kept = tree.digest(tree.find(&ItemPath::new("a").unwrap()).unwrap());
        assert!(kept.is_none_or(|digest| digest.to_string() == digest_before));
    }
}

#[test]
fn whole_files_are_read_where_only_digests_are_known_elsewhere() {
    let world = world();
    world.write("a", &[1; LARGE]);
    world.write("b", &[1; 10]);
    let mut tree = world.scan();
    let sizes = HashSet::from([LARGE as u64]);
    let candidates = Candidates::of(&[&tree], |_| Some(Side::Asked), Meet::Across, sizes);
    hash(&mut [HashSource { store: Some(&world.store), tree: &mut tree }], &candidates, &Watch::default());
    let digest = |tree: &Tree, name: &str| tree.digest(tree.find(&ItemPath::new(name).unwrap()).unwrap());
    assert!(digest(&tree, "a").is_some() && digest(&tree, "b").is_none());
    let rows: Vec<NodeId> = tree.ids().collect();
    let watch = Watch::default();
    read_digests(&mut HashSource { store: Some(&world.store), tree: &mut tree }, &rows, &watch);
    assert_eq!(digest(&tree, "b").unwrap().to_string(), blake3::hash(&[1; 10]).to_string());
}
