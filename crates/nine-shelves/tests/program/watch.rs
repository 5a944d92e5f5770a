//! Watching: what arrives is filed once it is complete and sure, and nothing else is.

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::thread::sleep;
use std::time::{Duration, Instant};

use nine_standin::Disk;
use rustix::process::{Pid, Signal, kill_process};

use super::support::World;

/// What a test waits for at most.
const PATIENCE: Duration = Duration::from_secs(30);

/// Long enough that something that should not be done would have been.
const WHILE: Duration = Duration::from_millis(900);

/// Texts to the first shelf, pictures to the second.
const RULES: &str = "[[rule]]\nname = \"texts\"\nwhen = \"ext txt\"\nput = \"1\"\nclash = \"hold\"\n\n\
                     [[rule]]\nname = \"pictures\"\nwhen = \"ext png\"\nput = \"2\"\n";

/// A world in which nothing has to settle.
fn world() -> World {
    let world = World::new();
    configure(&world, RULES);
    world
}

fn configure(world: &World, rules: &str) {
    world.rules(rules);
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    let text = text.replacen("births = \"ignore\"", "births = \"ignore\"\nsettle = \"0min\"", 1);
    // As an editor writes it.
    fs::write(world.data.join("new"), text).unwrap();
    fs::rename(world.data.join("new"), world.data.join("shelves.toml")).unwrap();
}

/// The program while it watches.
struct Watching {
    child: Child,
    log: PathBuf,
}

impl Watching {
    fn begin(world: &World) -> Self {
        let watching = Self::start(world, world.command(&["watch"]));
        watching.until("watching, ");
        watching
    }

    fn start(world: &World, mut command: Command) -> Self {
        let log = world.at("watch.log");
        let out = fs::File::create(&log).unwrap();
        // Today is the day of the clock here, as for anybody who watches.
        command.env_remove("NINE_TODAY").env("NINE_WATCH_PACE_MS", "300");
        let child = command.stdout(Stdio::null()).stderr(out).spawn().unwrap();
        Self { child, log }
    }

    fn said(&self) -> String {
        fs::read_to_string(&self.log).unwrap()
    }

    #[track_caller]
    fn until(&self, text: &str) -> &Self {
        until(&format!("`{text}` is said"), || self.said().contains(text), || self.said());
        self
    }

    fn signal(&self, signal: Signal) {
        kill_process(Pid::from_child(&self.child), signal).unwrap();
    }

    /// Ends it as a system does that goes down.
    #[track_caller]
    fn end(mut self) -> String {
        self.signal(Signal::TERM);
        let status = self.child.wait().unwrap();
        assert!(status.success(), "{status}: {}", self.said());
        self.said()
    }
}

impl Drop for Watching {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[track_caller]
fn until(what: &str, holds: impl Fn() -> bool, told: impl Fn() -> String) {
    let end = Instant::now() + PATIENCE;
    while !holds() {
        assert!(Instant::now() < end, "{what} is waited for in vain:\n{}", told());
        sleep(Duration::from_millis(10));
    }
}

#[track_caller]
fn until_there(path: &Path) {
    until(&path.display().to_string(), || path.exists(), String::new);
}

fn shelf(world: &World, name: &str) -> PathBuf {
    world.shelves.join("1 Boats").join(name)
}

#[test]
fn what_lies_there_and_what_arrives_is_filed() {
    let world = world();
    world.file("before.txt", "it lay there already");
    let watching = Watching::begin(&world);
    until_there(&shelf(&world, "before.txt"));
    world.file("after.txt", "it came");
    until_there(&shelf(&world, "after.txt"));
    // Moved in from elsewhere, as a whole folder, and with nothing a rule is for.
    fs::write(world.at("elsewhere.txt"), "moved").unwrap();
    fs::rename(world.at("elsewhere.txt"), world.at("Downloads/elsewhere.txt")).unwrap();
    until_there(&shelf(&world, "elsewhere.txt"));
    // The catalogue may go at any time.
    for entry in fs::read_dir(&world.data).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.to_str().unwrap().contains("catalogue") {
            fs::remove_file(entry).unwrap();
        }
    }
    world.file("without.txt", "the catalogue is gone");
    until_there(&shelf(&world, "without.txt"));
    world.file("note.md", "no rule is for it");
    sleep(WHILE);
    assert!(world.at("Downloads/note.md").exists());
    let said = watching.end();
    assert_eq!(said.lines().filter(|line| line.contains("run ")).count(), 4, "a line each run:\n{said}");
    assert!(said.contains("1 moved  nine undo 3"), "{said}");
    world.nine(&["history"]).ends(0).says("nine watch");
}

#[test]
fn what_grows_is_open_or_is_partial_is_left_until_it_is_complete() {
    let world = world();
    let _watching = Watching::begin(&world);
    let mut slow = fs::File::create(world.at("Downloads/slow.txt")).unwrap();
    fs::write(world.at("Downloads/film.txt.part"), "half").unwrap();
    for _ in 0..6 {
        slow.write_all(b".").unwrap();
        sleep(Duration::from_millis(200));
    }
    assert!(world.at("Downloads/slow.txt").exists(), "it is open");
    drop(slow);
    until_there(&shelf(&world, "slow.txt"));
    assert_eq!(fs::read_to_string(shelf(&world, "slow.txt")).unwrap(), "......");
    assert!(world.at("Downloads/film.txt.part").exists());
    fs::rename(world.at("Downloads/film.txt.part"), world.at("Downloads/film.txt")).unwrap();
    until_there(&shelf(&world, "film.txt"));
}

#[test]
fn a_folder_in_which_something_still_arrives_is_left_as_a_whole() {
    let world = world();
    configure(&world, "[[rule]]\nwhen = \"type folder\"\nput = \"2\"\n");
    world.file("film/disc/cover.txt", "complete").file("film/disc/film.mkv.part", "half");
    world.file("album/track.ogg", "complete");
    world.nine(&["watch", "--once"]).ends(0).warns("1 moved");
    assert!(
        world.at("Downloads/film/disc/cover.txt").exists() && world.shelves.join("2 Loans/album").exists()
    );
    world.nine(&["tidy"]).ends(0).says("1 partial downloads");
    fs::rename(world.at("Downloads/film/disc/film.mkv.part"), world.at("Downloads/film/disc/film.mkv"))
        .unwrap();
    world.nine(&["watch", "--once"]).ends(0).warns("1 moved");
    assert!(world.shelves.join("2 Loans/film/disc/film.mkv").exists());
}

#[test]
fn nothing_is_touched_before_it_has_settled() {
    let world = world();
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    world.config(&text.replace("0min", "1min"));
    world.file("before.txt", "it lay there already");
    let _watching = Watching::begin(&world);
    until_there(&shelf(&world, "before.txt"));
    fs::write(world.at("Downloads/fresh.txt"), "just now").unwrap();
    world.file("old.txt", "it came just now, with a time of long ago");
    sleep(WHILE);
    assert!(world.at("Downloads/fresh.txt").exists() && world.at("Downloads/old.txt").exists());
}

#[test]
fn what_is_taken_back_is_left_alone_until_it_changes() {
    let world = world();
    let watching = Watching::begin(&world);
    world.file("letter.txt", "filed wrongly");
    watching.until("run 1: 1 moved");
    world.nine(&["undo", "--yes"]).ends(0);
    sleep(WHILE);
    assert!(world.at("Downloads/letter.txt").exists(), "{}", watching.said());
    // Not by the next one that watches either.
    watching.end();
    let watching = Watching::begin(&world);
    sleep(WHILE);
    assert!(world.at("Downloads/letter.txt").exists(), "{}", watching.said());
    fs::write(world.at("Downloads/letter.txt"), "it was written anew").unwrap();
    until_there(&shelf(&world, "letter.txt"));
}

#[test]
fn what_it_moved_itself_is_not_moved_again() {
    let world = world();
    configure(&world, "[[rule]]\nwhen = \"ext txt\"\nrename = \"{stem}x{ext}\"\n");
    let watching = Watching::begin(&world);
    world.file("round.txt", "round and round");
    watching.until("run 1: 1 moved");
    sleep(Duration::from_secs(2));
    let said = watching.end();
    assert!(world.at("Downloads/roundx.txt").exists() && said.matches("1 moved").count() == 1, "{said}");
}

#[test]
fn what_is_not_sure_waits_for_the_review() {
    let world = world();
    world.old_file(&shelf(&world, "plan.txt"), "another plan");
    let watching = Watching::begin(&world);
    world.file("plan.txt", "the name is taken");
    watching.until("1 in doubt waits for nine review");
    assert_eq!(fs::read_to_string(shelf(&world, "plan.txt")).unwrap(), "another plan");
    world.nine(&[]).ends(0).says("1 item waits to be looked at");
    // Once it is gone, it does not wait any more.
    fs::remove_file(world.at("Downloads/plan.txt")).unwrap();
    world.file("other.txt", "something else");
    until_there(&shelf(&world, "other.txt"));
    world.file("plan.txt", "the name is taken again");
    until("the list is there", || world.data.join("waiting/watch.jsonl").exists(), String::new);
}

#[test]
fn a_new_configuration_is_read_and_a_broken_one_is_not() {
    let world = world();
    let watching = Watching::begin(&world);
    world.config("[[rule]\n");
    watching.until("the configuration is kept as it was");
    world.file("still.txt", "the old rules stand");
    until_there(&shelf(&world, "still.txt"));
    configure(&world, &RULES.replace("ext txt", "ext odt"));
    watching.until("the configuration was read anew");
    world.file("text.txt", "no rule is for it now");
    world.file("new.odt", "but for this");
    until_there(&shelf(&world, "new.odt"));
    assert!(world.at("Downloads/text.txt").exists());
    let before = watching.said().matches("read anew").count();
    watching.signal(Signal::HUP);
    until(
        "it is read once more",
        || watching.said().matches("read anew").count() > before,
        || watching.said(),
    );
}

#[test]
fn a_pile_that_is_renamed_is_away_and_seen_coming_back() {
    let world = world();
    let watching = Watching::begin(&world);
    fs::rename(world.at("Downloads"), world.at("Elsewhere")).unwrap();
    watching.until("downloads is away");
    fs::write(world.at("Elsewhere/while.txt"), "it came while the pile was away").unwrap();
    sleep(WHILE);
    assert!(world.at("Elsewhere/while.txt").exists(), "another folder is no pile");
    fs::rename(world.at("Elsewhere"), world.at("Downloads")).unwrap();
    watching.until("downloads is there again");
    until_there(&shelf(&world, "while.txt"));
    let said = watching.end();
    assert_eq!(said.matches("is away").count(), 1, "{said}");
    // Of one whose folder above is not there either, each is seen coming.
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    let far = world.at("disk/far");
    world.config(&format!("{text}\n[pile.far]\nat = \"{}\"\nsettle = \"0min\"\n", far.display()));
    let watching = Watching::begin(&world);
    watching.until("far is away");
    fs::create_dir(world.at("disk")).unwrap();
    sleep(Duration::from_millis(200));
    fs::create_dir(&far).unwrap();
    watching.until("far is there again");
    fs::write(far.join("farther.txt"), "from far").unwrap();
    until_there(&shelf(&world, "farther.txt"));
}

#[test]
fn a_disk_that_is_taken_out_is_away_and_watched_again_when_it_is_back() {
    // Where nothing may be mounted, a renamed folder stands for it (above).
    let Ok(disk) = Disk::in_a_file(48) else { return };
    let disk = std::cell::RefCell::new(disk);
    let world = world();
    let pile = disk.borrow().path().join("pile");
    fs::create_dir(&pile).unwrap();
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    world.config(&format!("{text}\n[pile.disk]\nat = \"{}\"\nsettle = \"0min\"\n", pile.display()));
    let watching = Watching::begin(&world);
    fs::write(pile.join("one.txt"), "on the disk").unwrap();
    until_there(&shelf(&world, "one.txt"));
    // Once the run is over, watching keeps nothing from being taken out.
    until("the disk is free", || disk.borrow_mut().take_out().is_ok(), || watching.said());
    watching.until("disk is away");
    disk.borrow_mut().mount().unwrap();
    watching.until("disk is there again");
    fs::write(pile.join("two.txt"), "on the disk again").unwrap();
    until_there(&shelf(&world, "two.txt"));
}

#[test]
fn another_program_at_work_is_waited_for() {
    let world = world();
    let lock = fs::File::create(world.data.join("lock")).unwrap();
    lock.lock().unwrap();
    let watching = Watching::begin(&world);
    world.file("letter.txt", "it waits");
    watching.until("downloads waits");
    assert!(world.at("Downloads/letter.txt").exists());
    drop(lock);
    until_there(&shelf(&world, "letter.txt"));
}

#[test]
fn more_than_the_kernel_can_tell_is_looked_at_once() {
    let world = world();
    let most: usize =
        fs::read_to_string("/proc/sys/fs/inotify/max_queued_events").unwrap().trim().parse().unwrap();
    let watching = Watching::begin(&world);
    watching.signal(Signal::STOP);
    // What a name is given again and again is told once; two in turn are told each time.
    for nth in 0..most / 2 + 100 {
        for name in ["a.log", "b.log"] {
            fs::rename(world.at("watch.log"), world.at(&format!("Downloads/{name}"))).unwrap();
            fs::rename(world.at(&format!("Downloads/{name}")), world.at("watch.log")).unwrap();
        }
        if nth == most / 2 {
            world.file("late.txt", "nobody was told of it");
        }
    }
    watching.signal(Signal::CONT);
    watching.until("more happened than the kernel could tell");
    until_there(&shelf(&world, "late.txt"));
}

#[test]
fn where_the_kernel_watches_no_more_folders_they_are_looked_at() {
    let world = world();
    let nine = env!("CARGO_BIN_EXE_nine");
    let script = format!("echo 1 > /proc/sys/user/max_inotify_watches && exec {nine} watch");
    let plain = world.command(&[]);
    let mut command = Command::new("/usr/bin/unshare");
    command.args(["--user", "--map-root-user", "sh", "-c", &script]).env_clear();
    command
        .envs(plain.get_envs().filter_map(|(name, value)| Some((name, value?))))
        .env("PATH", "/usr/bin:/bin");
    command.current_dir(world.dir.path());
    let mut may = Command::new("/usr/bin/unshare");
    may.args(["--user", "--map-root-user", "sh", "-c", "echo 1 > /proc/sys/user/max_inotify_watches"]);
    if !may.stderr(Stdio::null()).status().is_ok_and(|status| status.success()) {
        // No user namespace may be made here, in which the limit could be set.
        return;
    }
    world.file("before.txt", "it is looked at");
    let watching = Watching::start(&world, command);
    watching.until("the kernel watches no more folders").until("looked at from time to time");
    until_there(&shelf(&world, "before.txt"));
}

#[test]
fn rules_that_reach_into_folders_see_what_arrives_there() {
    let world = world();
    configure(&world, "[[rule]]\nreach = \"deep\"\nwhen = \"ext txt\"\nput = \"1\"\n");
    fs::create_dir_all(world.at("Downloads/deep/deeper")).unwrap();
    let watching = Watching::begin(&world);
    watching.until("4 folders");
    fs::write(world.at("Downloads/deep/deeper/a.txt"), "deep").unwrap();
    until_there(&shelf(&world, "a.txt"));
    fs::create_dir_all(world.at("Downloads/new/newer")).unwrap();
    fs::write(world.at("Downloads/new/newer/b.txt"), "in a new one").unwrap();
    until_there(&shelf(&world, "b.txt"));
    fs::create_dir_all(world.at("Downloads/new/newer/newest")).unwrap();
    sleep(Duration::from_millis(400));
    fs::write(world.at("Downloads/new/newer/newest/c.txt"), "deeper still").unwrap();
    until_there(&shelf(&world, "c.txt"));
}

/// How often its threads were woken so far.
fn wakings(child: &Child) -> u64 {
    let tasks = fs::read_dir(format!("/proc/{}/task", child.id())).unwrap();
    let statuses = tasks.map(|task| fs::read_to_string(task.unwrap().path().join("status")).unwrap());
    let of = |status: String| {
        let line =
            status.lines().find(|line| line.starts_with("voluntary_ctxt_switches")).unwrap().to_owned();
        line.rsplit('\t').next().unwrap().parse::<u64>().unwrap()
    };
    statuses.map(of).sum()
}

#[test]
fn nothing_wakes_it_while_nothing_happens() {
    let world = world();
    world.file("note.md", "no rule is for it");
    let watching = Watching::begin(&world);
    sleep(Duration::from_secs(1));
    let before = wakings(&watching.child);
    let seconds = if std::env::var_os("NINE_HARNESS").is_some() { 60 } else { 4 };
    sleep(Duration::from_secs(seconds));
    assert_eq!(wakings(&watching.child), before);
}

#[test]
fn what_is_due_is_done_once() {
    let world = world();
    world.file("one.txt", "1").file("two.txt", "2").file("three.png", "3");
    let mut command = world.command(&["watch", "--once"]);
    let ran = super::support::Ran::new(command.output().unwrap()).ends(0);
    assert!(ran.out.is_empty() && ran.err.contains("run 1: 3 moved"), "{}", ran.err);
    assert_eq!(world.picture().keys().filter(|name| name.starts_with("Shelves/")).count(), 5);
    world.nine(&["watch", "--once"]).ends(0);
    world.nine(&["watch", "nowhere"]).ends(2).warns("there is no pile `nowhere`");
    configure(&world, "");
    world.nine(&["watch"]).ends(2).warns("there are no rules");
}
