//! Watching: what it takes while nothing happens, how soon one file is filed, and whether all of many are.

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

use crate::Ground;
use crate::figures::Figures;

/// A pile in which nothing has to settle, so that all of the time is the program's.
pub struct Watched {
    pile: PathBuf,
    shelf: PathBuf,
    child: Child,
}

/// Nothing takes longer than this.
const PATIENCE: Duration = Duration::from_secs(600);

impl Watched {
    /// A pile with so many files that no rule is for, and the program watching it.
    pub fn begin(program: &Path, world: &Path, files: usize) -> Self {
        let (pile, home, case) = (world.join("watched"), world.join("watch-home"), world.join("watch-case"));
        let shelf = case.join("1 Papers");
        for folder in [&pile, &home, &shelf] {
            fs::create_dir_all(folder).expect("a folder is made");
        }
        for number in 0..files {
            File::create(pile.join(format!("note {number}.md"))).expect("a file is made");
        }
        let (at, case) = (pile.display(), case.display());
        let config = format!(
            "[pile.watched]\nat = '{at}'\nbirths = \"ignore\"\nsettle = \"0min\"\n\n[bookcase.case]\nat = '{case}'\nshelves = [\"Papers\"]\n\n[[rule]]\nwhen = \"ext pdf\"\nput = \"1\"\n"
        );
        fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
        let log = world.join("watch.log");
        let mut command = Command::new(program);
        command.arg("watch").env("NINE_HOME", &home).stdout(Stdio::null());
        let child = command.stderr(File::create(&log).expect("a log")).spawn().expect("it starts");
        until(|| fs::read_to_string(&log).is_ok_and(|log| log.contains("watching, ")));
        let watched = Self { pile, shelf, child };
        // Until the first look is over: the last thing that it does is to sleep.
        until(|| watched.sleeps());
        watched
    }

    fn sleeps(&self) -> bool {
        let waits = self.wakings();
        std::thread::sleep(Duration::from_millis(300));
        waits == self.wakings()
    }

    /// How often its threads were woken so far.
    pub fn wakings(&self) -> u64 {
        let tasks = fs::read_dir(format!("/proc/{}/task", self.child.id())).into_iter().flatten().flatten();
        let of = |status: String| number(&status, "voluntary_ctxt_switches:");
        tasks.map(|task| of(fs::read_to_string(task.path().join("status")).unwrap_or_default())).sum()
    }

    /// Bytes of memory that it has now.
    pub fn memory(&self) -> u64 {
        let status = fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap_or_default();
        number(&status, "VmRSS:") * 1024
    }

    /// So many files arrive at once; the time until all are filed.
    pub fn arrive(&self, files: usize, round: usize) -> Duration {
        let old = SystemTime::UNIX_EPOCH + Duration::from_secs(1_700_000_000);
        let start = Instant::now();
        for number in 0..files {
            let file =
                File::create(self.pile.join(format!("paper {round} {number}.pdf"))).expect("a file is made");
            file.set_modified(old).expect("its time is set");
        }
        let is_filed = |number: usize| self.shelf.join(format!("paper {round} {number}.pdf")).exists();
        until(|| is_filed(files - 1) && is_filed(0));
        until(|| (0..files).all(is_filed));
        start.elapsed()
    }
}

fn number(status: &str, name: &str) -> u64 {
    let line = status.lines().find_map(|line| line.strip_prefix(name));
    line.and_then(|line| line.split_whitespace().next()?.parse().ok()).unwrap_or(0)
}

fn until(holds: impl Fn() -> bool) {
    let end = Instant::now() + PATIENCE;
    while !holds() {
        assert!(Instant::now() < end, "it takes too long");
        std::thread::sleep(Duration::from_millis(2));
    }
}

impl Drop for Watched {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// What watching takes: nothing happens for a minute, one file arrives, 10,000 do; in a pile of 1,000 files, and of
/// 100,000. Nothing has to settle, so that runs are a minute apart at least: each figure is of a program begun anew, and
/// of 10,000 files the first are filed at once, the others a minute later.
pub fn section(figures: &mut Figures, ground: &Ground) {
    for files in [1_000, 100_000] {
        figures.begin(&format!("Watching a pile of {files} files"));
        let world = ground.folder(&format!("watch-{files}"));
        let watched = Watched::begin(ground.program(), &world, files);
        let (before, memory) = (watched.wakings(), watched.memory());
        std::thread::sleep(Duration::from_secs(60));
        figures.at_most("watch: wake-ups in a quiet minute", (watched.wakings() - before) as f64, 0.0, "");
        figures.at_most("watch: memory", (memory / 1_000_000) as f64, 40.0, "MB");
        figures.seconds("watch: until one file is filed", &[watched.arrive(1, 0).as_secs_f64()], 1.0);
        drop(watched);
        let watched = Watched::begin(ground.program(), &world, 0);
        figures.seconds("watch: until 10,000 are filed", &[watched.arrive(10_000, 1).as_secs_f64()], 70.0);
    }
}
