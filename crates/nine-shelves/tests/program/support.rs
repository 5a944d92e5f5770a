//! A world in a temporary folder, and the program run in it with nothing of the person's own.
#![allow(dead_code)] // not all of it is used by every test program

use std::collections::BTreeMap;
use std::fs;
use std::io::{Read, Write};
use std::os::fd::OwnedFd;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::sync::LazyLock;

use nine_core::escape::escape;
use nine_standin::Disk;

pub struct World {
    pub dir: tempfile::TempDir,
    pub shelves: PathBuf,
    /// Where `nine` keeps its own.
    pub data: PathBuf,
    /// File systems of its own.
    pub disks: Vec<Disk>,
    /// Whether its file systems lack the rename that replaces nothing.
    pub lacks_rename_flags: bool,
}

/// What a run of the program left.
pub struct Ran {
    pub status: i32,
    pub out: String,
    pub err: String,
}

impl Ran {
    pub fn new(output: Output) -> Self {
        Self {
            status: output.status.code().unwrap_or(-1),
            out: String::from_utf8(output.stdout).expect("output is UTF-8"),
            err: String::from_utf8(output.stderr).expect("messages are UTF-8"),
        }
    }

    /// Expects this exit status; shows everything if it is another.
    #[track_caller]
    pub fn ends(self, status: i32) -> Self {
        assert_eq!(self.status, status, "\n--- out\n{}\n--- err\n{}", self.out, self.err);
        self
    }

    /// Expects a text on standard output.
    #[track_caller]
    pub fn says(self, text: &str) -> Self {
        assert!(self.out.contains(text), "`{text}` is not in\n{}\n--- err\n{}", self.out, self.err);
        self
    }

    /// Expects a text on standard error.
    #[track_caller]
    pub fn warns(self, text: &str) -> Self {
        assert!(self.err.contains(text), "`{text}` is not in\n{}", self.err);
        self
    }
}

pub const DAY: &str = "2031-04-07T09:00";

impl World {
    pub fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let shelves = dir.path().join("Shelves");
        Self::with_shelves(dir, shelves, Vec::new())
    }

    /// A world whose bookcase lies on another file system.
    pub fn across_file_systems() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let disk = Disk::new().unwrap();
        let device = |path: &Path| fs::metadata(path).unwrap().dev();
        assert_ne!(device(dir.path()), device(disk.path()), "this test needs a second file system");
        let shelves = disk.path().join("Shelves");
        Self::with_shelves(dir, shelves, vec![disk])
    }

    /// A world on disks that can lose their power: all of it on the first one, or the bookcase on the second; with
    /// the data folder on the last one, if `data_last`. An error where nothing may be mounted.
    pub fn on_disks(number: usize, data_last: bool) -> std::io::Result<Self> {
        let disks = (0..number).map(|_| Disk::in_a_file(48)).collect::<std::io::Result<Vec<_>>>()?;
        let dir = tempfile::tempdir_in(disks[0].path())?;
        let last = disks[number - 1].path();
        let (shelves, data) = (last.join("Shelves"), last.join("data"));
        let shelves = if number == 1 { dir.path().join("Shelves") } else { shelves };
        let mut world = Self::with_shelves(dir, shelves, disks);
        if data_last {
            fs::create_dir(&data)?;
            world.data = data;
        }
        Ok(world)
    }

    fn with_shelves(dir: tempfile::TempDir, shelves: PathBuf, disks: Vec<Disk>) -> Self {
        for folder in [&dir.path().join("Downloads"), &dir.path().join("nine"), &shelves] {
            fs::create_dir(folder).unwrap();
        }
        let data = dir.path().join("nine");
        Self { dir, shelves, data, disks, lacks_rename_flags: false }
    }

    /// The trash of the configuration, on the bookcase's file system.
    pub fn trash(&self) -> PathBuf {
        self.shelves.parent().unwrap().join("Trash")
    }

    pub fn at(&self, path: &str) -> PathBuf {
        self.dir.path().join(path)
    }

    /// Writes `shelves.toml`: the pile, the bookcase with three shelves, and these rules.
    pub fn rules(&self, rules: &str) -> &Self {
        let text = format!(
            "[pile.downloads]\nat = \"{}\"\nbirths = \"ignore\"\n\n[bookcase.home]\nat = \"{}\"\nshelves = [\"Boats\", \"Loans\", \"Grants\"]\n\n[trash]\nat = \"{}\"\n\n{rules}",
            self.at("Downloads").display(),
            self.shelves.display(),
            self.trash().display(),
        );
        self.config(&text)
    }

    pub fn config(&self, text: &str) -> &Self {
        expect_in_schema(text);
        fs::write(self.data.join("shelves.toml"), text).unwrap();
        self
    }

    /// Writes a file in the pile that was last changed long ago.
    pub fn file(&self, path: &str, text: &str) -> &Self {
        self.old_file(&self.at("Downloads").join(path), text);
        self
    }

    pub fn old_file(&self, at: &Path, text: &str) {
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, text).unwrap();
        let then = std::time::UNIX_EPOCH + std::time::Duration::new(1_900_000_000, 987_654_321);
        fs::File::options().write(true).open(at).unwrap().set_modified(then).unwrap();
    }

    /// The program with a clean environment.
    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_nine"));
        command
            .env_clear()
            .env("HOME", self.dir.path())
            .env("NINE_HOME", &self.data)
            .env("NINE_TODAY", DAY)
            .env("LC_ALL", "C.UTF-8")
            .env("TZ", "UTC")
            .current_dir(self.dir.path())
            .stdin(std::process::Stdio::null())
            .args(words);
        if self.lacks_rename_flags {
            command.env("NINE_LACKS_RENAME_FLAGS", "1");
        }
        command
    }

    pub fn nine(&self, words: &[&str]) -> Ran {
        Ran::new(self.command(words).output().unwrap())
    }

    /// What the program prints, byte for byte.
    pub fn nine_raw(&self, words: &[&str]) -> Vec<u8> {
        self.command(words).output().unwrap().stdout
    }

    /// Everything in the pile and on the shelves: names, bytes, times of files, modes, tags.
    pub fn picture(&self) -> BTreeMap<String, String> {
        let mut picture = picture_of(&self.at("Downloads"));
        picture.extend(
            picture_of(&self.shelves).into_iter().map(|(name, what)| (format!("Shelves{name}"), what)),
        );
        picture
    }
}

/// What the program reads as a configuration the schema lets through.
fn expect_in_schema(text: &str) {
    static SCHEMA: LazyLock<jsonschema::Validator> = LazyLock::new(|| {
        let schema = serde_json::from_str(nine_core::config::SCHEMA).unwrap();
        jsonschema::validator_for(&schema).unwrap()
    });
    if nine_core::config::parse(text).is_ok() {
        let value: toml::Value = toml::from_str(text).unwrap();
        let value = serde_json::to_value(value).unwrap();
        let found: Vec<String> = SCHEMA.iter_errors(&value).map(|error| error.to_string()).collect();
        assert!(found.is_empty(), "the schema refuses {found:?}:\n{text}");
    }
}

/// What lies in a folder, at all depths.
pub fn picture_of(folder: &Path) -> BTreeMap<String, String> {
    let mut out = BTreeMap::new();
    draw(folder, "", &mut out);
    out
}

/// The same of one thing, a file or a folder.
pub fn picture_at(path: &Path) -> BTreeMap<String, String> {
    let mut out = BTreeMap::new();
    draw_one(path, "", &mut out);
    out
}

fn draw(folder: &Path, name: &str, out: &mut BTreeMap<String, String>) {
    for entry in fs::read_dir(folder).unwrap() {
        draw_one(&entry.unwrap().path(), name, out);
    }
}

fn draw_one(path: &Path, above: &str, out: &mut BTreeMap<String, String>) {
    let name = format!("{above}/{}", escape(path.file_name().unwrap().as_bytes()));
    let found = fs::symlink_metadata(path).unwrap();
    if found.is_dir() {
        draw(path, &name, out);
        out.insert(format!("{name}/"), tags_of(path));
    } else if found.is_symlink() {
        out.insert(name, format!("-> {:?}", fs::read_link(path).unwrap()));
    } else {
        let bytes = fs::read(path).unwrap();
        let (time, nanos, mode) = (found.mtime(), found.mtime_nsec(), found.mode());
        out.insert(name, format!("{} {time} {nanos} {mode:o} {}", escape(&bytes), tags_of(path)));
    }
}

pub fn tags_of(path: &Path) -> String {
    let mut value = vec![0; 4096];
    let length = rustix::fs::getxattr(path, "user.xdg.tags", &mut value[..]).unwrap_or(0);
    String::from_utf8_lossy(&value[..length]).into_owned()
}

/// Runs the program on a terminal of its own, with these answers, one a line and each given to one question; its status
/// and what was shown.
pub fn on_a_terminal(world: &World, words: &[&str], answer: &str) -> (i32, String) {
    let mut left = answer.split_inclusive('\n');
    let mut given = 0;
    let mut answer_to = |shown: &str| {
        let is_asked = shown.matches("] ").count() > given;
        let answer = if is_asked { left.next()? } else { return None };
        given += 1;
        Some(answer.to_owned())
    };
    let (status, shown) = talk(world.command(words), &mut answer_to);
    (status.unwrap(), shown)
}

/// The same; once `seen` has been shown `act` is done, and only then the answers are given.
pub fn on_a_terminal_once(
    world: &World,
    words: &[&str],
    seen: &str,
    act: impl FnOnce(),
    answer: &str,
) -> (i32, String) {
    let mut act = Some(act);
    let mut answer_to = |shown: &str| {
        let act = shown.contains(seen).then(|| act.take()).flatten()?;
        act();
        Some(answer.to_owned())
    };
    let (status, shown) = talk(world.command(words), &mut answer_to);
    assert!(act.is_none(), "`{seen}` was never shown: {shown}");
    (status.unwrap(), shown)
}

/// Runs the program in a session of its own, whose terminal it controls, so that Ctrl-C reaches it. Each answer is given
/// once the words before it were shown. `None`: a signal ended it.
pub fn in_a_session(world: &World, words: &[&str], answers: &[(&str, &str)]) -> (Option<i32>, String) {
    let command = with_a_session(&world.command(words), world.dir.path());
    let mut left = answers.iter();
    let mut next = left.next();
    let mut answer_to = |shown: &str| {
        let (_, answer) = next.filter(|(seen, _)| shown.contains(seen))?;
        next = left.next();
        Some((*answer).to_owned())
    };
    talk(command, &mut answer_to)
}

/// A program in a session of its own, whose terminal it controls.
pub fn with_a_session(program: &Command, folder: &Path) -> Command {
    let mut command = Command::new("/usr/bin/env");
    // Whoever started the tests may ignore the signal.
    command
        .args(["--default-signal=INT", "/usr/bin/setsid", "--ctty", "--wait"])
        .arg(program.get_program())
        .args(program.get_args());
    command.env_clear().env("PATH", "/usr/bin:/bin").current_dir(folder);
    command.envs(program.get_envs().filter_map(|(name, value)| Some((name, value?))));
    command
}

/// Starts a command on a terminal.
pub fn start_on(terminal: &str, mut command: Command) -> std::process::Child {
    let side = || -> OwnedFd { fs::File::options().read(true).write(true).open(terminal).unwrap().into() };
    command.stdin(Stdio::from(side())).stdout(Stdio::from(side())).stderr(Stdio::from(side()));
    command.spawn().unwrap()
}

/// Runs a command on a terminal, where `answer_to` is asked after everything that is shown what is typed then.
fn talk(command: Command, answer_to: &mut dyn FnMut(&str) -> Option<String>) -> (Option<i32>, String) {
    let (mut main, name) = terminal(50, 100);
    let mut child = start_on(&name, command);
    let mut shown = Vec::new();
    let mut block = [0; 4096];
    loop {
        if let Some(answer) = answer_to(&String::from_utf8_lossy(&shown)) {
            main.write_all(answer.as_bytes()).unwrap();
        }
        let Some(length) = read_terminal(&mut main, &mut block) else { break };
        shown.extend_from_slice(&block[..length]);
    }
    (child.wait().unwrap().code(), String::from_utf8_lossy(&shown).into_owned())
}

/// A new terminal: our end, and the name of the other.
pub fn terminal(rows: u16, columns: u16) -> (fs::File, String) {
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    let main = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
    grantpt(&main).unwrap();
    unlockpt(&main).unwrap();
    let name = ptsname(&main, Vec::new()).unwrap().into_string().unwrap();
    let main = main.into();
    set_size(&main, rows, columns);
    (main, name)
}

/// Reads our end of a terminal; nothing once the last program has left it, which reads as an error. The kernel may tell
/// the error before what was written just before it, so it is believed the second time.
pub fn read_terminal(main: &mut fs::File, block: &mut [u8]) -> Option<usize> {
    (0..2).find_map(|_| main.read(block).ok().filter(|length| *length > 0))
}

/// Gives a terminal so many rows and columns of eight by sixteen pixels.
pub fn set_size(terminal: &fs::File, rows: u16, columns: u16) {
    use rustix::termios::{Winsize, tcsetwinsize};
    let size = Winsize { ws_row: rows, ws_col: columns, ws_xpixel: columns * 8, ws_ypixel: rows * 16 };
    tcsetwinsize(terminal, size).unwrap();
}

/// What a command prints on a terminal of so many columns, with nobody to answer.
pub fn printed_on_a_terminal(mut command: Command, columns: u16) -> String {
    let (mut main, name) = terminal(50, columns);
    let side: OwnedFd = fs::File::options().read(true).write(true).open(&name).unwrap().into();
    command.stdin(Stdio::null()).stdout(Stdio::from(side)).stderr(Stdio::null());
    let mut child = command.spawn().unwrap();
    drop(command);
    let (mut shown, mut block) = (Vec::new(), [0; 4096]);
    while let Some(length) = read_terminal(&mut main, &mut block) {
        shown.extend_from_slice(&block[..length]);
    }
    child.wait().unwrap();
    String::from_utf8(shown).unwrap().replace("\r\n", "\n")
}
