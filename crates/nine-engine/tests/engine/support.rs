//! A world in a temporary folder, its environment, and a reporter that keeps what it is told.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use jiff::tz::TimeZone;
use nine_core::moment::Now;
use nine_core::worklist::Step;
use nine_engine::plan::Plan;
use nine_engine::workspace::ReaderProgram;
use nine_engine::{Environment, Notice, Reporter, Task, Workspace};
use nine_stores::Watch;

pub struct World {
    pub dir: tempfile::TempDir,
    pub told: Arc<Told>,
}

/// What was told, in words that only tests read.
#[derive(Default)]
pub struct Told {
    pub notices: Mutex<Vec<String>>,
    pub tasks: Mutex<Vec<String>>,
}

impl Reporter for Told {
    fn notice(&self, notice: &Notice) {
        self.notices.lock().unwrap().push(format!("{notice:?}"));
    }

    fn during(&self, task: Task, _: &Watch, work: &mut dyn FnMut()) {
        let task = format!("{task:?}");
        self.tasks.lock().unwrap().push(task.split([' ', '(']).next().unwrap_or_default().to_owned());
        work();
    }
}

impl World {
    /// A pile and a bookcase of three shelves and an archive, with these rules.
    pub fn new(rules: &str) -> Self {
        let dir = tempfile::tempdir().unwrap();
        let world = Self { dir, told: Arc::default() };
        for folder in ["Downloads", "Shelves", "nine"] {
            fs::create_dir(world.at(folder)).unwrap();
        }
        let root = world.dir.path().display();
        let config = format!(
            "[pile.downloads]\nat = \"{root}/Downloads\"\nbirths = \"ignore\"\n\n[bookcase.home]\nat = \"{root}/Shelves\"\nshelves = [\"Boats\", \"Loans\", \"Archive\"]\n\n[trash]\nat = \"{root}/Trash\"\n\n{rules}"
        );
        fs::write(world.at("nine/shelves.toml"), config).unwrap();
        world
    }

    pub fn at(&self, path: &str) -> PathBuf {
        self.dir.path().join(path)
    }

    /// Writes a file that was changed a year ago.
    pub fn file(&self, path: &str, text: &str) -> &Self {
        let path = self.at(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(&path, text).unwrap();
        let old = std::time::SystemTime::UNIX_EPOCH + Duration::from_secs(1_900_000_000);
        fs::File::options().write(true).open(&path).unwrap().set_modified(old).unwrap();
        self
    }

    fn environment(&self) -> Arc<Environment> {
        Arc::new(Environment {
            collation: Arc::default(),
            config_file: self.at("nine/shelves.toml"),
            data: self.at("nine"),
            home: self.dir.path().to_owned(),
            trash: self.at("Trash"),
            bookmarks: self.at("bookmarks"),
            side_bar: self.at("side-bar.xbel"),
            documents: self.at("Documents"),
            usual_piles: vec![("downloads".into(), self.at("Downloads"))],
            now: Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap(),
            clock: Arc::new(|| "2031-04-07T09:00[UTC]".parse().unwrap()),
            variable: |_| None,
            reader: ReaderProgram {
                program: "/nonexistent".into(),
                argument: String::new(),
                variables: Vec::new(),
                patience: Duration::from_secs(1),
            },
            watch: Arc::default(),
            reads_drives: false,
            drive_pause: None,
            process: 1,
            units: self.at("units"),
            has_systemd: true,
            program: vec!["/usr/bin/nine".into()],
            part: |_| Ok(()),
        })
    }

    pub fn open(&self) -> Workspace {
        Workspace::open(self.environment(), self.told.clone()).unwrap()
    }

    /// What lies in a folder, in order.
    pub fn names(&self, folder: &str) -> Vec<String> {
        let mut names: Vec<String> = read(&self.at(folder));
        names.sort();
        names
    }
}

fn read(folder: &Path) -> Vec<String> {
    let name = |entry: fs::DirEntry| entry.file_name().into_string().unwrap();
    fs::read_dir(folder).into_iter().flatten().map(|entry| name(entry.unwrap())).collect()
}

/// The steps of a plan, a line each.
pub fn lines(plan: &Plan) -> Vec<String> {
    let line = |step: &Step| match step.target() {
        Some(to) => format!("{} {} -> {to}", step.act.word(), step.item),
        None => format!("{} {}", step.act.word(), step.item),
    };
    plan.steps().iter().map(line).collect()
}
