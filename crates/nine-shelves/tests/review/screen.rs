//! The program on a terminal that is drawn as a person would see it.

use std::fs;
use std::io::Write;
use std::process::{Child, Command};
use std::sync::{Arc, Mutex};
use std::thread::sleep;
use std::time::{Duration, Instant};

use snapbox::{Data, assert_data_eq};

use super::support::{World, read_terminal, set_size, start_on, terminal, with_a_session};

pub const ENTER: &str = "\r";
pub const ESC: &str = "\x1b";
/// Ctrl-C, which closes what is asked as an escape does, and is no part of another key if the program is slow.
pub const BACK: &str = "\x03";
pub const TAB: &str = "\t";
pub const DOWN: &str = "\x1b[B";

/// What a test waits for at most.
const PATIENCE: Duration = Duration::from_secs(30);

/// A terminal without pictures in pixels, and one with them, as they tell it (`DA1` of ECMA-48).
pub const PLAIN: &str = "\x1b[?62;22c";
pub const SIXELS: &str = "\x1b[?62;4;22c";

struct Seen {
    parser: vt100::Parser,
    raw: Vec<u8>,
    /// Whether the program has left.
    is_over: bool,
}

/// The program on a terminal of its own.
pub struct Screen {
    child: Child,
    main: fs::File,
    seen: Arc<Mutex<Seen>>,
}

impl Screen {
    pub fn start(world: &World, words: &[&str], rows: u16, columns: u16) -> Self {
        Self::start_with(world, words, rows, columns, &[("TERM", "xterm-256color")], PLAIN)
    }

    pub fn start_with(
        world: &World,
        words: &[&str],
        rows: u16,
        columns: u16,
        variables: &[(&str, &str)],
        attributes: &'static str,
    ) -> Self {
        let mut command = world.command(words);
        command.envs(variables.iter().copied());
        Self::of(&command, world, (rows, columns), attributes)
    }

    /// Any program on a terminal of its own.
    pub fn of(
        command: &Command,
        world: &World,
        (rows, columns): (u16, u16),
        attributes: &'static str,
    ) -> Self {
        let (main, name) = terminal(rows, columns);
        let child = start_on(&name, with_a_session(command, world.dir.path()));
        let parser = vt100::Parser::new(some(rows), some(columns), 0);
        let seen = Arc::new(Mutex::new(Seen { parser, raw: Vec::new(), is_over: false }));
        let (reads, keeps) = (main.try_clone().unwrap(), Arc::clone(&seen));
        std::thread::spawn(move || read_all(reads, &keeps, attributes));
        Self { child, main, seen }
    }

    pub fn text(&self) -> String {
        let seen = self.seen.lock().unwrap();
        let text: Vec<String> =
            seen.parser.screen().contents().lines().map(|line| line.trim_end().to_owned()).collect();
        text.join("\n")
    }

    /// All bytes that were shown.
    pub fn raw(&self) -> String {
        String::from_utf8_lossy(&self.seen.lock().unwrap().raw).into_owned()
    }

    /// The colour of the letter in a cell.
    pub fn foreground(&self, row: u16, column: u16) -> vt100::Color {
        self.seen.lock().unwrap().parser.screen().cell(row, column).unwrap().fgcolor()
    }

    /// Waits until a text is shown.
    #[track_caller]
    pub fn until(&self, text: &str) -> &Self {
        self.until_so(text, || self.text().contains(text))
    }

    /// Expects a text on the screen of a program that has ended.
    #[track_caller]
    pub fn until_over(&self, text: &str) {
        assert!(self.text().contains(text), "`{text}` is not in\n{}", self.text());
    }

    /// Waits until a text is not shown any more.
    #[track_caller]
    pub fn until_not(&self, text: &str) -> &Self {
        self.until_so(text, || !self.text().contains(text))
    }

    /// Waits until something holds.
    #[track_caller]
    pub fn until_so(&self, what: &str, holds: impl Fn() -> bool) -> &Self {
        let end = Instant::now() + PATIENCE;
        loop {
            // What was shown last counts, too.
            let is_over = self.seen.lock().unwrap().is_over;
            if holds() {
                break;
            }
            assert!(
                !is_over && Instant::now() < end,
                "`{what}` is waited for; what is shown:\n{}",
                self.text()
            );
            sleep(Duration::from_millis(3));
        }
        self
    }

    /// Types keys, a moment apart, as a hand does.
    pub fn keys(&self, keys: &[&str]) -> &Self {
        for key in keys {
            (&self.main).write_all(key.as_bytes()).unwrap();
            // An escape is a key of its own only if nothing follows at once.
            sleep(Duration::from_millis(if *key == ESC { 60 } else { 5 }));
        }
        self
    }

    pub fn resize(&self, rows: u16, columns: u16) -> &Self {
        self.seen.lock().unwrap().parser.screen_mut().set_size(some(rows), some(columns));
        set_size(&self.main, rows, columns);
        self
    }

    /// Expects the screen to look so, before long.
    #[track_caller]
    pub fn looks(&self, wanted: impl Into<Data>) -> &Self {
        let wanted = wanted.into();
        let text = wanted.to_string();
        let end = Instant::now() + Duration::from_secs(10);
        while self.text().trim_end() != text.trim_end() && Instant::now() < end {
            sleep(Duration::from_millis(5));
        }
        assert_data_eq!(format!("{}\n", self.text().trim_end()), wanted);
        self
    }

    /// The number of the program's process.
    pub fn process(&self) -> i32 {
        // setsid starts it as its child.
        let id = self.child.id();
        let end = Instant::now() + PATIENCE;
        loop {
            let children = fs::read_to_string(format!("/proc/{id}/task/{id}/children")).unwrap_or_default();
            match children.split_whitespace().next() {
                Some(child) => return child.parse().unwrap(),
                // It became the program itself.
                None if self.is_program(id) => return id as i32,
                None => assert!(Instant::now() < end, "the program was never started"),
            }
            sleep(Duration::from_millis(3));
        }
    }

    fn is_program(&self, id: u32) -> bool {
        fs::read_link(format!("/proc/{id}/exe")).is_ok_and(|exe| exe.ends_with("nine"))
    }

    pub fn send(&self, signal: rustix::process::Signal) {
        let process = rustix::process::Pid::from_raw(self.process()).unwrap();
        rustix::process::kill_process(process, signal).unwrap();
    }

    /// Whether lines are typed and shown again as they are for a shell, and everything that the screen had switched on
    /// is switched off.
    pub fn expect_given_back(&self) {
        use rustix::termios::{LocalModes, tcgetattr};
        let modes = tcgetattr(&self.main).unwrap().local_modes;
        assert!(modes.contains(LocalModes::ICANON | LocalModes::ECHO | LocalModes::ISIG), "{modes:?}");
        let seen = self.seen.lock().unwrap();
        let screen = seen.parser.screen();
        assert!(!screen.alternate_screen() && !screen.hide_cursor() && !screen.bracketed_paste());
        assert_eq!(screen.mouse_protocol_mode(), vt100::MouseProtocolMode::None);
    }

    /// Waits for the end; the status, if no signal ended it.
    #[track_caller]
    pub fn ends(&mut self) -> Option<i32> {
        let end = Instant::now() + PATIENCE;
        loop {
            let status = self.child.try_wait().unwrap();
            if let Some(status) = status.filter(|_| self.seen.lock().unwrap().is_over) {
                return status.code();
            }
            assert!(Instant::now() < end, "it does not end; what is shown:\n{}", self.text());
            sleep(Duration::from_millis(3));
        }
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn some(number: u16) -> std::num::NonZero<u16> {
    number.try_into().unwrap()
}

fn read_all(mut main: fs::File, seen: &Mutex<Seen>, attributes: &str) {
    let mut block = [0; 65536];
    let mut was_asked = false;
    while let Some(length) = read_terminal(&mut main, &mut block) {
        let mut seen = seen.lock().unwrap();
        seen.raw.extend_from_slice(&block[..length]);
        seen.parser.process(&block[..length]);
        let asks = !was_asked && seen.raw.windows(3).any(|part| part == b"\x1b[c");
        drop(seen);
        if asks {
            was_asked = true;
            main.write_all(attributes.as_bytes()).unwrap();
        }
    }
    seen.lock().unwrap().is_over = true;
}
