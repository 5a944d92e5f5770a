//! A small world on the disk, the whole pipeline over it, and a picture of it to compare.
#![allow(dead_code)]

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_carry::daybook::{Heading, Run, Writer};
use nine_carry::{Carrier, Outcome, UndoPlan, clear_away, daybook, facts, lock, plan_undo, standing};
use nine_core::config::{self, Config};
use nine_core::moment::Now;
use nine_core::place::ItemPath;
use nine_core::plan::{folders_wanted, settle, tidy};
use nine_core::shelving::Shelving;
use nine_core::worklist::{Checked, Facts, Step, Worklist, check};
use nine_standin::{Disk, Standin};
use nine_stores::drive::{Address, Drive, DriveSettings, DriveStore};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{LocalStore, NoContainers, Places, Scope, Store, StoreDetails, Watch};

pub struct World {
    pub dir: tempfile::TempDir,
    /// The bookcase's folder, perhaps on another file system.
    pub shelves: PathBuf,
    pub counters: Arc<Counters>,
    _disk: Option<Disk>,
    /// The drive that the places are on, and who serves it.
    drive: Option<(Arc<Drive>, Standin)>,
}

pub fn clock() -> jiff::ZonedDateTime {
    "2031-04-07T09:00:00+00:00[UTC]".parse().unwrap()
}

pub fn now() -> Now {
    Now::new(clock())
}

impl World {
    pub fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let shelves = dir.path().join("shelves");
        Self::with_shelves(dir, shelves, None)
    }

    /// A world whose bookcase lies on another file system than its pile.
    pub fn across_file_systems() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let disk = Disk::new().unwrap();
        let device = |path: &Path| fs::metadata(path).unwrap().dev();
        assert_ne!(device(dir.path()), device(disk.path()), "this test needs a second file system");
        let shelves = disk.path().join("shelves");
        Self::with_shelves(dir, shelves, Some(disk))
    }

    /// A world whose pile and bookcase are on a drive.
    pub fn on_a_drive() -> Self {
        let world = Self::new();
        let settings = nine_standin::Settings { root: world.dir.path().to_owned(), ..Default::default() };
        let standin = Standin::start(settings).unwrap();
        let drive = Drive::new(&Address::parse(&standin.url()).unwrap(), DriveSettings::default());
        Self { drive: Some((drive, standin)), ..world }
    }

    fn with_shelves(dir: tempfile::TempDir, shelves: PathBuf, disk: Option<Disk>) -> Self {
        fs::create_dir(dir.path().join("pile")).unwrap();
        fs::create_dir(&shelves).unwrap();
        Self { dir, shelves, counters: Arc::default(), _disk: disk, drive: None }
    }

    pub fn pile(&self, path: &str) -> PathBuf {
        self.dir.path().join("pile").join(path)
    }

    pub fn data(&self) -> PathBuf {
        self.dir.path().join("data")
    }

    /// Writes a file in the pile that was last changed long ago.
    pub fn write(&self, path: &str, text: &str) {
        self.write_bytes(path.as_bytes(), text);
    }

    pub fn write_bytes(&self, path: &[u8], text: &str) {
        let at = self.dir.path().join("pile").join(std::ffi::OsStr::from_bytes(path));
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(&at, text).unwrap();
        let then = std::time::UNIX_EPOCH
            + std::time::Duration::new(1_900_000_000 - text.len() as u64 % 1000 * 86_400, 123_456_789);
        fs::File::options().write(true).open(&at).unwrap().set_modified(then).unwrap();
    }

    pub fn tag(&self, path: &str, tags: &str) {
        let (name, value) = match self.drive {
            None => ("user.xdg.tags".to_owned(), tags.to_owned()),
            Some(_) => (on_the_drive(), format!("<n:tags xmlns:n=\"{NAMESPACE}\">{tags}</n:tags>")),
        };
        let at = self.pile(path);
        rustix::fs::setxattr(at, name, value.as_bytes(), rustix::fs::XattrFlags::empty()).unwrap();
    }

    pub fn config(&self, rules: &str) -> Config {
        let text = format!(
            "[pile.pile]\nat = \"/pile\"\n[bookcase.home]\nat = \"/s\"\nshelves = [\"Boats\", \"Loans\", \"Grants\"]\n{rules}"
        );
        config::parse(&text).unwrap_or_else(|e| panic!("{text}: {e:?}"))
    }

    fn store(&self, at: &Path) -> Arc<dyn Store> {
        if let Some((drive, standin)) = &self.drive {
            let below = at.strip_prefix(self.dir.path()).unwrap().to_str().unwrap();
            let address = Address::parse(&format!("{}{below}", standin.url())).unwrap();
            return Arc::new(DriveStore::new(Arc::clone(drive), address));
        }
        let settings = LocalSettings {
            believes_births: false,
            home_trash: self.dir.path().join("share/Trash"),
            one_trash: false,
            reads_mounts: true,
            counters: Arc::clone(&self.counters),
        };
        Arc::new(LocalStore::open(at, settings).unwrap())
    }

    pub fn places(&self) -> Places {
        let mut places = Places::default();
        places.add("pile", self.store(&self.pile("")));
        places.add("home", self.store(&self.shelves));
        places
    }

    /// Plans a tidy of the pile.
    pub fn plan(&self, rules: &str) -> (Worklist, Checked) {
        let config = self.config(rules);
        let store = self.store(&self.pile(""));
        let scan = store.scan(&Scope::default(), &Watch::default()).unwrap();
        let home = self.store(&self.shelves).list(&ItemPath::root()).unwrap();
        let shelvings =
            vec![Shelving::new(&config.bookcases[0], home.iter().map(|(name, _)| name.as_name()))];
        let details = StoreDetails {
            store: &*store,
            containers: &NoContainers,
            tree: &scan.tree,
            catalogue: None,
            stays: None,
        };
        let pass = tidy::Pass {
            config: &config,
            shelvings: &shelvings,
            places: &|_| false,
            now: &now(),
            details: &details,
            in_use: &Default::default(),
            counts_rules: false,
        };
        let proposed = tidy::propose(&pass, &config.piles[0], &scan.tree);
        let places = self.places();
        let standing = standing(&places, folders_wanted(&proposed.proposals));
        let worklist = settle(&proposed.proposals, &standing).worklist;
        let checked =
            check(&worklist, &facts(&places, &worklist, Facts { targets: standing, ..Facts::default() }));
        (worklist, checked)
    }

    /// Carries out the steps that the check allows; returns the run's number.
    pub fn carry(&self, worklist: &Worklist, checked: &Checked, undoes: Option<u64>) -> (u64, Outcome) {
        let steps: Vec<Step> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
        self.carry_steps(&steps, undoes, &Watch::default())
    }

    /// Carries steps out; `meanwhile` is told after each how many are over.
    pub fn carry_while(&self, steps: &[Step], mut meanwhile: impl FnMut(usize)) -> Outcome {
        let _lock = lock(&self.data(), "test").unwrap().unwrap();
        let places = self.places();
        let heading = Heading::new("test", None, &places);
        let mut writer = Writer::begin(&self.data(), &heading, steps.iter(), &clock).unwrap();
        let watch = Watch::default();
        let outcome =
            Carrier::new(&places, &mut writer, &watch, &clock, &mut meanwhile).carry(steps, &[]).unwrap();
        writer.end(&clock).unwrap();
        outcome
    }

    pub fn carry_steps(&self, steps: &[Step], undoes: Option<u64>, watch: &Watch) -> (u64, Outcome) {
        let _lock = lock(&self.data(), "test").unwrap().unwrap();
        let places = self.places();
        let heading = Heading::new("test", undoes, &places);
        let mut writer = Writer::begin(&self.data(), &heading, steps.iter(), &clock).unwrap();
        let run = writer.run();
        let mut progress = |_| {};
        let outcome =
            Carrier::new(&places, &mut writer, watch, &clock, &mut progress).carry(steps, &[]).unwrap();
        writer.end(&clock).unwrap();
        (run, outcome)
    }

    /// Tidies in one go, expecting nothing to be refused.
    pub fn tidy(&self, rules: &str) -> (u64, Outcome) {
        let (worklist, checked) = self.plan(rules);
        assert!(checked.refused.is_empty(), "{:?}", checked.refused);
        self.carry(&worklist, &checked, None)
    }

    pub fn run(&self, number: u64) -> Run {
        daybook::read(&self.data(), number).unwrap()
    }

    /// Takes a run back; returns what was planned and what came of it.
    pub fn undo(&self, number: u64) -> (UndoPlan, Outcome) {
        let places = self.places();
        let plan = plan_undo(&self.run(number), &[], &places);
        let checked = check(&plan.worklist, &facts(&places, &plan.worklist, Default::default()));
        assert!(checked.refused.is_empty(), "{:?}", checked.refused);
        let (_, outcome) = self.carry(&plan.worklist, &checked, Some(number));
        let writer = Writer::begin(&self.data(), &Heading::default(), std::iter::empty(), &clock).unwrap();
        clear_away(&places, &plan.made);
        writer.end(&clock).unwrap();
        (plan, outcome)
    }

    /// Everything in pile and shelves: names, kinds, bytes, times of files, modes and attributes.
    pub fn picture(&self) -> BTreeMap<String, String> {
        let mut picture = BTreeMap::new();
        draw(&self.pile(""), "pile", &mut picture);
        draw(&self.shelves, "shelves", &mut picture);
        picture
    }
}

/// The namespace of our own properties.
const NAMESPACE: &str = "urn:nine-shelves:drive";

/// The attribute in which the stand-in keeps tags.
fn on_the_drive() -> String {
    let written: String = NAMESPACE.bytes().map(|byte| format!("{byte:02x}")).collect();
    format!("user.dav.{written}.tags")
}

fn draw(folder: &Path, name: &str, out: &mut BTreeMap<String, String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        // There is no trash on a drive.
        if path.ends_with(nine_stores::drive::DISCARDED) {
            continue;
        }
        let name = format!("{name}/{}", nine_core::escape::escape(path.file_name().unwrap().as_bytes()));
        let found = fs::symlink_metadata(&path).unwrap();
        if found.is_dir() {
            out.insert(format!("{name}/"), tags_of(&path));
            draw(&path, &name, out);
        } else if found.is_symlink() {
            out.insert(name, format!("-> {:?}", fs::read_link(&path).unwrap()));
        } else {
            let text = String::from_utf8_lossy(&fs::read(&path).unwrap()).into_owned();
            let time = (found.mtime(), found.mtime_nsec());
            out.insert(name, format!("{text:?} {time:?} {:o} {}", found.mode(), tags_of(&path)));
        }
    }
}

fn tags_of(path: &Path) -> String {
    let mut value = vec![0; 4096];
    let mut read = |name: &str| {
        let length = rustix::fs::getxattr(path, name, &mut value[..]).unwrap_or(0);
        String::from_utf8_lossy(&value[..length]).into_owned()
    };
    let property = read(&on_the_drive());
    let inside = property.rsplit("</").nth(1).and_then(|rest| rest.rsplit('>').next());
    format!("{}{}", read("user.xdg.tags"), inside.unwrap_or_default())
}
