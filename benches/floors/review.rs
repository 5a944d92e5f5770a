//! The review on a terminal: how long a list takes to be on the screen, and each key.

use std::fs::File;
use std::io::{Read, Write};
use std::os::fd::OwnedFd;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};

use crate::Ground;
use crate::figures::{Figures, ROUNDS};

/// How a frame ends: the cursor is put away, or shown.
const FRAME: [&[u8]; 2] = [b"\x1b[?25l", b"\x1b[?25h"];

/// What a terminal without pictures answers to `DA1`.
const ATTRIBUTES: &[u8] = b"\x1b[?62;22c";

/// Keys, each with what it is called here.
pub const KEYS: [(&str, &str); 14] = [
    ("j", "down"),
    ("G", "to the end"),
    ("g", "to the beginning"),
    (" ", "take"),
    ("l", "leave"),
    ("d", "discard"),
    ("u", "undo"),
    ("1", "the folders of a shelf"),
    ("N", "a letter of a folder"),
    ("\r", "onto a shelf"),
    ("=", "what is alike"),
    ("\x1b", "back"),
    ("v", "other groups"),
    ("n", "the next open one"),
];

/// The program on a terminal of its own.
pub struct Screen {
    child: Child,
    main: File,
    seen: Vec<u8>,
}

/// A pile of so many files, all of which a rule is for; the folder with its configuration.
pub fn make(world: &Path, files: usize) -> std::path::PathBuf {
    let (pile, home) = (world.join("loose"), world.join("review-home"));
    let words =
        ["invoice", "letter", "photo", "plan", "report", "budget", "minutes", "survey", "list", "licence"];
    let shelf = world.join("case/1 Papers");
    for folder in [&pile, &home, &shelf] {
        std::fs::create_dir_all(folder).expect("a folder is made");
    }
    let old = SystemTime::UNIX_EPOCH + Duration::from_secs(1_700_000_000);
    for number in 0..files {
        let (one, other) = (words[number % 10], words[number / 10 % 10]);
        let ext = ["pdf", "txt", "jpg", "docx"][number % 4];
        let file = File::create(pile.join(format!("{one} {other} {number}.{ext}"))).expect("a file is made");
        file.set_modified(old).expect("its time is set");
    }
    let config = format!(
        "[pile.loose]\nat = '{}'\nbirths = \"ignore\"\n\n[bookcase.case]\nat = '{}'\nshelves = [\"Papers\"]\n\n[[rule]]\nname = \"all\"\nwhen = \"size under 1gb\"\nput = \"1/{{modified:year}}\"\n",
        pile.display(),
        world.join("case").display()
    );
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
    home
}

impl Screen {
    /// Starts a command, in a window of 40 lines of 120 columns.
    pub fn start(program: &Path, home: &Path, words: &[&str]) -> Self {
        let main = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).expect("a terminal");
        grantpt(&main).and_then(|()| unlockpt(&main)).expect("it can be opened");
        let size = Winsize { ws_row: 40, ws_col: 120, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(&main, size).expect("it has a size");
        let name = ptsname(&main, Vec::new()).expect("it has a name").into_string().expect("a plain one");
        let side = || -> OwnedFd {
            File::options().read(true).write(true).open(&name).expect("its other end opens").into()
        };
        let mut command = Command::new(program);
        command.args(words).env("NINE_HOME", home).env("LC_ALL", "C.UTF-8").env("TERM", "xterm-256color");
        command.stdin(Stdio::from(side())).stdout(Stdio::from(side())).stderr(Stdio::from(side()));
        let child = command.spawn().expect("it starts");
        drop(command);
        Self { child, main: main.into(), seen: Vec::new() }
    }

    /// Types something; the time until one of these was shown.
    pub fn types(&mut self, keys: &str, until: &[&[u8]]) -> Duration {
        // What was shown for earlier keys is no answer to these.
        let mut block = [0; 65536];
        while rustix::io::ioctl_fionread(&self.main).expect("the terminal is there") > 0 {
            let _ = self.main.read(&mut block).expect("the program is there");
        }
        self.seen.clear();
        let start = Instant::now();
        self.main.write_all(keys.as_bytes()).expect("keys are typed");
        self.shows(until);
        start.elapsed()
    }

    /// Waits until one of these was shown.
    pub fn shows(&mut self, until: &[&[u8]]) {
        let mut block = [0; 65536];
        while !until.iter().any(|text| has(&self.seen, text)) {
            let length = self.main.read(&mut block).expect("the program is there");
            self.seen.extend_from_slice(&block[..length]);
            if has(&block[..length], b"\x1b[c") {
                self.main.write_all(ATTRIBUTES).expect("the terminal answers");
            }
        }
    }

    /// Bytes of memory that it has now, and had at most.
    pub fn memory(&self) -> (u64, u64) {
        let text = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap_or_default();
        let of = |name: &str| {
            let line = text.lines().find_map(|line| line.strip_prefix(name));
            let kib = line.and_then(|line| line.split_whitespace().next()?.parse::<u64>().ok());
            kib.unwrap_or(0) * 1024
        };
        (of("VmRSS:"), of("VmHWM:"))
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn has(bytes: &[u8], text: &[u8]) -> bool {
    bytes.windows(text.len()).any(|part| part == text)
}

/// Opens the review of a plan of all that lies loose, and types each key: how long the opening took, the keys, and the
/// memory afterwards.
pub fn go_through(program: &Path, home: &Path) -> (Duration, Vec<Duration>, (u64, u64)) {
    let _ = std::fs::remove_file(home.join("review.jsonl"));
    let mut screen = Screen::start(program, home, &["tidy"]);
    screen.shows(&[b"/n]"]);
    let open = screen.types("r\n", &[b" open"]);
    let key = |(key, _): &(&str, &str)| {
        // As a person does, who looks first.
        std::thread::sleep(Duration::from_millis(400));
        screen.types(key, &FRAME)
    };
    let keys = KEYS.iter().map(key).collect();
    (open, keys, screen.memory())
}

/// A plan of 100,000 steps gone through on a terminal: until it is seen, and from a key to the screen.
pub fn section(figures: &mut Figures, ground: &Ground) {
    figures.begin("The review of 100,000 steps");
    let home = make(&ground.root, 100_000);
    let rounds: Vec<_> = (0..ROUNDS).map(|_| go_through(ground.program(), &home)).collect();
    let opened: Vec<f64> = rounds.iter().map(|round| round.0.as_secs_f64()).collect();
    figures.seconds("review: on the screen", &opened, 0.3);
    for (at, (_, name)) in KEYS.iter().enumerate() {
        let shown: Vec<f64> = rounds.iter().map(|round| round.1[at].as_secs_f64()).collect();
        figures.seconds(&format!("review: {name}"), &shown, 0.016);
    }
    let (now, most) = rounds[0].2;
    figures.at_most("review: memory", (now / 1_000_000) as f64, 150.0, "MB");
    figures.at_most("review: memory with the plan", (most / 1_000_000) as f64, 300.0, "MB");
}
