//! A year of a person's: things arrive, are written, renamed and thrown away; a routine each week, watching in between,
//! the archive each month, an undo now and then, two crashes, and a week without the drive. What the person did not throw
//! away is there at the end, once.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

use nine_core::moment::Now;
use nine_standin::{Settings, Standin};

use super::drive::Drive;
use super::support::{Ran, picture_of};

const RULES: &str = r#"
[archive]
when = "idle over 120d and not tag keep"
put = "home/3/{today}/{pile}"

[[rule]]
name = "minutes"
when = "name starts minutes"
put = "cloud/1/{modified:year}"

[[rule]]
name = "texts"
when = "ext txt"
tag = ["text"]
put = "home/1/{modified:year}"

[[rule]]
name = "pictures"
when = "ext jpg"
put = "home/2"
clash = "hold"

[routine.weekly]
run = ["tidy", "copies --flag", "archive", "survey"]
when = "Friday 16:00"
"#;

/// The person, and what they have.
struct Person {
    drive: Drive,
    chance: fastrand::Rng,
    /// The contents that they did not throw away.
    has: BTreeSet<String>,
    made: usize,
    now: jiff::civil::Date,
}

impl Person {
    fn new() -> Self {
        let drive = Drive::with(Settings::default());
        drive.rules(RULES);
        let config = drive.world.data.join("shelves.toml");
        let text = fs::read_to_string(&config).unwrap();
        fs::write(config, text.replacen("births = \"ignore\"", "births = \"ignore\"\nsettle = \"0min\"", 1))
            .unwrap();
        let chance = fastrand::Rng::with_seed(2031);
        Self { drive, chance, has: BTreeSet::new(), made: 0, now: jiff::civil::date(2031, 1, 1) }
    }

    /// A content that nothing else has.
    fn content(&mut self) -> String {
        self.made += 1;
        let content = format!("thing {} of the year", self.made);
        self.has.insert(content.clone());
        content
    }

    fn write(&mut self, path: &Path) {
        let content = self.content();
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
        self.touch(path);
    }

    /// It was changed today, at nine.
    fn touch(&self, path: &Path) {
        let now = Now::parse(&format!("{}T09:00", self.now), &jiff::tz::TimeZone::UTC).unwrap();
        let (seconds, _) = now.moment().to_unix();
        let time = std::time::UNIX_EPOCH + std::time::Duration::from_secs(seconds.unsigned_abs());
        fs::File::options().write(true).open(path).unwrap().set_modified(time).unwrap();
    }

    fn arrivals(&mut self) {
        let kinds = ["txt", "txt", "jpg", "md", "pdf"];
        for _ in 0..self.chance.usize(0..4) {
            let ending = kinds[self.chance.usize(..kinds.len())];
            // Some names come again and again.
            let name = match self.chance.usize(0..5) {
                0 => format!("scan.{ending}"),
                1 => format!("minutes {}.{ending}", self.chance.usize(0..9)),
                _ => format!("paper {}.{ending}", self.made),
            };
            let place = if self.chance.usize(0..6) == 0 {
                self.drive.root.clone()
            } else {
                self.drive.world.at("Downloads")
            };
            let path = place.join(name);
            if !path.exists() {
                self.write(&path);
            }
        }
    }

    /// All files that the person has in hand: nothing in the archive, the trash or among the program's own.
    fn files(&self) -> Vec<PathBuf> {
        let mut files = Vec::new();
        for root in
            [self.drive.world.at("Downloads"), self.drive.world.shelves.clone(), self.drive.root.clone()]
        {
            let names = picture_of(&root).into_keys().filter(|name| !name.ends_with('/'));
            let names = names.filter(|name| !name.contains("/3 Grants/") && !name.contains("/."));
            files.extend(names.map(|name| root.join(name.trim_start_matches('/'))));
        }
        files.sort();
        files
    }

    fn lives(&mut self) {
        let files = self.files();
        if files.is_empty() {
            return;
        }
        let file = files[self.chance.usize(..files.len())].clone();
        let old = fs::read_to_string(&file).unwrap();
        match self.chance.usize(0..9) {
            0 => {
                self.has.remove(&old);
                self.write(&file);
            }
            1 => {
                fs::remove_file(&file).unwrap();
                self.has.remove(&old);
            }
            2 => {
                let name = file.file_name().unwrap().to_str().unwrap();
                let new = file.with_file_name(format!("my {name}"));
                if !new.exists() {
                    fs::rename(&file, new).unwrap();
                }
            }
            _ => {}
        }
    }

    fn nine_with(&self, words: &[&str], variable: Option<(&str, &str)>) -> Ran {
        let mut command = self.drive.command(words);
        command.env("NINE_TODAY", format!("{}T16:00", self.now));
        variable.map(|(name, value)| command.env(name, value));
        Ran::new(command.output().unwrap())
    }

    fn nine(&self, words: &[&str]) -> Ran {
        self.nine_with(words, None)
    }

    /// A command whose account may say that something could not be done.
    #[track_caller]
    fn does(&self, words: &[&str]) {
        let ran = self.nine(words);
        assert!(
            (0..=1).contains(&ran.status),
            "{}: {words:?}: {} {}{}",
            self.now,
            ran.status,
            ran.out,
            ran.err
        );
        assert!(!ran.err.contains("panicked"), "{}: {words:?}: {}", self.now, ran.err);
    }

    /// A command that is killed at some point.
    fn is_killed(&self, words: &[&str], point: &str) {
        let ran = self.nine_with(words, Some(("NINE_KILL_AT", point)));
        assert_eq!(ran.status, -1, "{}: {words:?} is to be killed", self.now);
    }

    /// How often each content is anywhere.
    fn there(&self) -> BTreeMap<String, usize> {
        let world = &self.drive.world;
        let mut there = BTreeMap::new();
        let roots = [world.at("Downloads"), world.shelves.clone(), self.drive.root.clone(), world.trash()];
        for root in roots.iter().filter(|root| root.exists()) {
            for (name, _) in picture_of(root).into_iter().filter(|(name, _)| !name.ends_with('/')) {
                let text = fs::read_to_string(root.join(name.trim_start_matches('/'))).unwrap();
                if text.starts_with("thing ") {
                    *there.entry(text).or_default() += 1;
                }
            }
        }
        there
    }

    #[track_caller]
    fn has_all_once(&self) {
        let there = self.there();
        let lost: Vec<&String> = self.has.iter().filter(|content| !there.contains_key(*content)).collect();
        assert!(lost.is_empty(), "{}: lost: {lost:?}", self.now);
        let twice: Vec<_> =
            there.iter().filter(|(content, many)| self.has.contains(*content) && **many > 1).collect();
        assert!(twice.is_empty(), "{}: there twice: {twice:?}", self.now);
    }
}

#[test]
fn a_year_loses_nothing() {
    let mut person = Person::new();
    let mut port = 0;
    for day in 0..365_u32 {
        match day {
            // The drive is away for a week, and comes back where it was.
            200 => {
                port = person.drive.standin.as_ref().unwrap().port();
                person.drive.standin = None;
            }
            207 => {
                let settings = Settings { root: person.drive.root.clone(), port, ..Settings::default() };
                person.drive.standin = Some(Standin::start(settings).unwrap());
            }
            _ => {}
        }
        let is_away = (200..207).contains(&day);
        if !is_away {
            person.arrivals();
            (0..3).for_each(|_| person.lives());
        }
        match day {
            100 => person.is_killed(&["routine", "weekly", "--unattended"], "4"),
            250 => person.is_killed(&["watch", "--once"], "3"),
            _ if day % 7 == 4 => person.does(&["routine", "weekly", "--unattended"]),
            _ if day % 30 == 15 => person.does(&["archive", "--yes"]),
            _ if day % 3 == 0 => person.does(&["watch", "--once"]),
            _ => {}
        }
        if day % 41 == 40 && !is_away {
            person.does(&["undo", "--yes"]);
        }
        if day % 60 == 59 {
            person.has_all_once();
        }
        person.now = person.now.tomorrow().unwrap();
    }
    person.has_all_once();
    assert!(person.has.len() > 200, "{} things", person.has.len());
    // The catalogue knows what a fresh look finds.
    let (find, known) =
        (["search", "file", "--format", "csv"], ["search", "file", "--format", "csv", "--known"]);
    let found = person.nine(&find).ends(0).out;
    assert_eq!(person.nine(&known).ends(0).out, found);
    for entry in fs::read_dir(&person.drive.world.data).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.file_name().unwrap().to_str().unwrap().starts_with("catalogue") {
            fs::remove_file(entry).unwrap();
        }
    }
    assert_eq!(person.nine(&find).ends(0).out.lines().count(), found.lines().count());
    // Every run can be read, and what is kept of them is bounded and told.
    let history = person.nine(&["history", "--limit", "100000", "--format", "json"]).ends(0);
    assert_eq!(history.err, "");
    let folder = nine_carry::daybook::folder(&person.drive.world.data);
    let runs: Vec<u64> = nine_carry::daybook::runs(&person.drive.world.data).unwrap();
    assert_eq!((history.out.lines().count(), runs.len() > 100), (runs.len(), true), "{} runs", runs.len());
    let steps: u64 = runs
        .iter()
        .map(|run| nine_carry::daybook::read(&person.drive.world.data, *run).unwrap().steps.len() as u64)
        .sum();
    let bytes: u64 =
        fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().metadata().unwrap().len()).sum();
    assert!(
        bytes < runs.len() as u64 * 2048 + steps * 1024,
        "{bytes} bytes for {} runs of {steps} steps",
        runs.len()
    );
    person.nine(&["check"]).ends(0).says(&format!("{} runs, ", runs.len()));
    let rest = ["routines.jsonl", "left-alone.json"]
        .map(|name| fs::metadata(person.drive.world.data.join(name)).unwrap().len());
    assert!(rest.iter().sum::<u64>() < 300_000, "{rest:?}");
    // The last ten are taken back, as far as nobody changed anything since.
    for _ in 0..10 {
        person.does(&["undo", "--yes"]);
    }
    person.has_all_once();
}
