//! What was discarded, read by a second reader that is written from the Trash specification alone.

use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::fs;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::place::{ItemPath, Name};
use nine_stores::local::LocalSettings;
use nine_stores::{LocalStore, ReadStore, TrashStore};

const DAY: &str = "2031-04-07T09:00:00";

/// A trash as another program sees it.
struct Reader {
    trash: PathBuf,
    /// Where relative paths count from; a home trash has none.
    top: Option<PathBuf>,
}

/// An entry of the trash.
#[derive(Debug, PartialEq, Eq)]
struct Trashed {
    kept: PathBuf,
    from: PathBuf,
    date: String,
}

impl Reader {
    fn list(&self) -> Vec<Trashed> {
        self.list_of("")
    }

    /// Those whose note has this part in it: others use the trash of a whole file system too.
    fn list_of(&self, part: &str) -> Vec<Trashed> {
        let notes = fs::read_dir(self.trash.join("info")).unwrap().map(|note| note.unwrap().path());
        let notes = notes.filter(|note| fs::read_to_string(note).is_ok_and(|text| text.contains(part)));
        let mut found: Vec<Trashed> = notes.map(|note| self.read(note.file_name().unwrap())).collect();
        found.sort_by(|a, b| a.kept.cmp(&b.kept));
        found
    }

    fn read(&self, note: &OsStr) -> Trashed {
        let name = note.as_bytes().strip_suffix(b".trashinfo").expect("every note ends so");
        let text = fs::read_to_string(self.trash.join("info").join(note)).expect("a note is text");
        let mut lines = text.lines();
        assert_eq!(lines.next(), Some("[Trash Info]"));
        let pairs: BTreeMap<&str, &str> = lines.map(|line| line.split_once('=').unwrap()).collect();
        let path = PathBuf::from(OsString::from_vec(decoded(pairs["Path"])));
        let from = match &self.top {
            Some(top) => {
                assert!(path.is_relative() && !path.components().any(|part| part.as_os_str() == ".."));
                top.join(path)
            }
            None => path,
        };
        assert!(from.is_absolute());
        let kept = self.trash.join("files").join(OsStr::from_bytes(name));
        assert!(kept.symlink_metadata().is_ok(), "{note:?} is of nothing");
        Trashed { kept, from, date: pairs["DeletionDate"].to_owned() }
    }

    /// Size and time by the name of each folder in the trash.
    fn sizes(&self) -> BTreeMap<Vec<u8>, (u64, i64)> {
        let text = fs::read_to_string(self.trash.join("directorysizes")).unwrap_or_default();
        let line = |line: &str| {
            let [size, time, name] = line.split(' ').collect::<Vec<_>>()[..] else { panic!("{line}") };
            (decoded(name), (size.parse().unwrap(), time.parse().unwrap()))
        };
        text.lines().map(line).collect()
    }

    /// Restores as a desktop does: moves the file back, then takes the note away.
    fn restore(&self, item: &Trashed) {
        fs::rename(&item.kept, &item.from).unwrap();
        let note = [item.kept.file_name().unwrap().as_bytes(), b".trashinfo"].concat();
        fs::remove_file(self.trash.join("info").join(OsStr::from_bytes(&note))).unwrap();
    }
}

fn decoded(text: &str) -> Vec<u8> {
    let mut out = Vec::new();
    let mut bytes = text.bytes();
    while let Some(byte) = bytes.next() {
        out.push(match byte {
            b'%' => {
                let pair = [bytes.next().unwrap(), bytes.next().unwrap()];
                u8::from_str_radix(std::str::from_utf8(&pair).unwrap(), 16).unwrap()
            }
            other => other,
        });
    }
    out
}

fn store(at: &Path, home: &Path) -> LocalStore {
    let settings = LocalSettings {
        believes_births: true,
        home_trash: home.join("Trash"),
        one_trash: false,
        reads_mounts: true,
        counters: Arc::default(),
    };
    LocalStore::open(at, settings).unwrap()
}

fn discard(store: &LocalStore, path: &ItemPath) -> Vec<u8> {
    let stamp = store.entry(path).unwrap().unwrap().stamp();
    store.discard(path, &stamp, DAY).unwrap()
}

const NAMES: [&[u8]; 6] =
    [b"plain.txt", b"100% sure.txt", b"caf\xe9", b"new\nline=x", "ключ 🐚".as_bytes(), b"-x"];

#[test]
fn a_second_reader_lists_and_restores_what_was_discarded() {
    let (home, pile) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let store = store(pile.path(), home.path());
    let reader = Reader { trash: home.path().join("Trash"), top: None };
    let at = |name: &[u8]| pile.path().join(OsStr::from_bytes(name));
    // Each name twice, so that the second one gets a number in the trash.
    for text in ["first", "second"] {
        for name in NAMES {
            fs::write(at(name), text).unwrap();
            discard(&store, &ItemPath::root().join(Name::new(name).unwrap()));
        }
    }
    let listed = reader.list();
    assert_eq!(listed.len(), 2 * NAMES.len());
    for name in NAMES {
        let of_it: Vec<&Trashed> = listed.iter().filter(|item| item.from == at(name)).collect();
        assert_eq!(of_it.len(), 2, "{name:?}");
        assert!(of_it.iter().all(|item| item.date == DAY));
    }
    let second = listed.iter().find(|item| fs::read(&item.kept).unwrap() == b"second").unwrap();
    reader.restore(second);
    assert_eq!(fs::read_to_string(&second.from).unwrap(), "second");
    assert_eq!(reader.list().len(), 2 * NAMES.len() - 1);
    assert_eq!(fs::metadata(&reader.trash).unwrap().permissions().mode() & 0o777, 0o700);
}

/// Recovery finds each again, however many of one name there are.
#[test]
fn the_last_of_many_of_one_name_is_found() {
    let (home, pile) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let store = store(pile.path(), home.path());
    for name in ["plan.txt", ".nothing before the dot"] {
        let path = ItemPath::new(name).unwrap();
        let mut last = None;
        for nth in 0..130 {
            fs::write(pile.path().join(name), format!("{nth}")).unwrap();
            let stamp = store.entry(&path).unwrap().unwrap().stamp();
            last = Some((stamp, store.discard(&path, &stamp, DAY).unwrap()));
        }
        let (stamp, kept) = last.unwrap();
        assert_eq!(store.find_discarded(&path, &stamp).unwrap(), Some(kept));
    }
}

#[test]
fn the_sizes_of_folders_are_kept_as_the_specification_says() {
    let (home, pile) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let store = store(pile.path(), home.path());
    let reader = Reader { trash: home.path().join("Trash"), top: None };
    for name in ["my folder", "other"] {
        fs::create_dir_all(pile.path().join(name).join("inner")).unwrap();
        fs::write(pile.path().join(name).join("inner/file"), vec![1; 70_000]).unwrap();
        discard(&store, &ItemPath::new(name).unwrap());
    }
    let kept = reader.trash.join("files/my folder");
    let blocks = |path: &Path| fs::symlink_metadata(path).unwrap().blocks() * 512;
    let size = blocks(&kept) + blocks(&kept.join("inner")) + blocks(&kept.join("inner/file"));
    let time = fs::metadata(reader.trash.join("info/my folder.trashinfo")).unwrap().mtime();
    let sizes = reader.sizes();
    assert_eq!(sizes[&b"my folder"[..]], (size, time));
    assert_eq!(sizes.len(), 2);
    // What is restored has no line any more.
    let stamp = store_stamp(&kept);
    store.restore(kept.as_os_str().as_bytes(), &stamp, &ItemPath::new("back").unwrap()).unwrap();
    assert_eq!(reader.sizes().into_keys().collect::<Vec<_>>(), [b"other"]);
    assert!(
        !fs::read_dir(&reader.trash)
            .unwrap()
            .any(|e| { e.unwrap().file_name().as_bytes().starts_with(b"directorysizes.") })
    );
}

fn store_stamp(item: &Path) -> nine_core::item::Stamp {
    let folder = item.parent().unwrap();
    let name = ItemPath::new(item.file_name().unwrap().as_bytes()).unwrap();
    store(folder, folder).entry(&name).unwrap().unwrap().stamp()
}

/// On another file system the trash stands at its top, also if that is mounted inside the place.
#[test]
fn another_file_system_has_a_trash_at_its_top() {
    let home = tempfile::tempdir().unwrap();
    let other = nine_standin::Disk::new().unwrap();
    let device = |path: &Path| fs::metadata(path).unwrap().dev();
    assert_ne!(device(home.path()), device(other.path()), "this test needs a second file system");
    let user = rustix::process::getuid().as_raw();
    let top = other.top().to_owned();
    let reader = Reader { trash: top.join(format!(".Trash-{user}")), top: Some(top) };
    fs::write(other.path().join("on the other side.txt"), "x").unwrap();
    // The place is the root of everything, far above the mount.
    for root in [other.path(), Path::new("/")] {
        let store = store(root, home.path());
        let item = other.path().join("on the other side.txt");
        let path = item.strip_prefix(root).unwrap();
        discard(&store, &ItemPath::new(path.as_os_str().as_bytes()).unwrap());
        assert!(!item.exists());
        let own = other.path().strip_prefix(other.top()).unwrap().to_str().unwrap();
        let listed = reader.list_of(own);
        let found = listed.iter().find(|trashed| trashed.from == item).expect("the reader finds it");
        reader.restore(found);
        assert!(item.exists());
    }
}
