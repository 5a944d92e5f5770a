//! The terminal, taken for the review and given back whole: also after a panic, a signal or an error.

use std::collections::VecDeque;
use std::io::{self, IsTerminal, Write};
use std::os::fd::AsFd;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, KeyCode,
    KeyEvent, poll, read,
};
use ratatui::crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::crossterm::{cursor, execute};
use rustix::event::{PollFd, PollFlags, Timespec};

use crate::failure::{Done, Failure};
use crate::interruption;
use crate::session::Session;

/// Whether the terminal is ours.
static TAKEN: AtomicBool = AtomicBool::new(false);

/// Held while something is drawn, so that nothing is drawn any more once a signal has given the terminal back.
static DRAWING: Mutex<()> = Mutex::new(());

/// How long a terminal may take to say what it can.
const PATIENCE: Duration = Duration::from_millis(80);

/// The terminal while the review has it.
pub struct Screen {
    terminal: Terminal<CrosstermBackend<io::Stdout>>,
    /// Keys that came before the terminal said what it can.
    typed_ahead: VecDeque<KeyEvent>,
    /// Whether it draws pictures in pixels (sixels, DEC STD 070).
    pub draws_sixels: bool,
    session_watch: std::sync::Arc<nine_stores::Watch>,
}

/// Whether a review can be shown here; why not, in words.
///
/// # Errors
/// What is missing, and what to use instead.
pub fn expect_screen() -> Done {
    let term = std::env::var("TERM").unwrap_or_default();
    let why = match term.as_str() {
        _ if !io::stdin().is_terminal() || !io::stdout().is_terminal() => "the review needs a terminal",
        "" => "it is not said which terminal this is (TERM), so the review cannot be shown",
        "dumb" | "emacs" | "unknown" => "this terminal can show no review",
        _ => return Ok(()),
    };
    Err(Failure::words(why)
        .hint("a table does the same: nine tidy --worklist list.csv, then nine carry list.csv"))
}

/// Whether the review can be offered.
pub fn has_screen() -> bool {
    expect_screen().is_ok()
}

impl Screen {
    /// Takes the terminal.
    ///
    /// # Errors
    /// If it cannot be taken.
    pub fn take(session: &Session) -> Done<Self> {
        let session_watch = std::sync::Arc::clone(&session.environment.watch);
        interruption::on_screen(true, &session_watch);
        give_back_after_a_panic();
        TAKEN.store(true, Ordering::SeqCst);
        let taken = take_over();
        if taken.is_err() {
            give_back();
            interruption::on_screen(false, &session_watch);
        }
        let (terminal, draws_sixels, typed_ahead) = taken?;
        Ok(Self { terminal, typed_ahead, draws_sixels, session_watch })
    }

    /// Draws a frame.
    ///
    /// # Errors
    /// If the terminal is gone.
    pub fn draw(&mut self, draw: impl FnOnce(&mut ratatui::Frame)) -> Done {
        let _drawing = DRAWING.lock();
        self.terminal.draw(draw)?;
        Ok(())
    }

    /// Has everything drawn anew.
    ///
    /// # Errors
    /// If the terminal is gone.
    pub fn clear(&mut self) -> Done {
        let _drawing = DRAWING.lock();
        Ok(self.terminal.clear()?)
    }

    /// Writes a picture in pixels at a place of the screen.
    ///
    /// # Errors
    /// If the terminal is gone.
    pub fn write_at(&mut self, column: u16, row: u16, bytes: &[u8]) -> Done {
        let _drawing = DRAWING.lock();
        let mut out = io::stdout();
        execute!(out, cursor::MoveTo(column, row))?;
        out.write_all(bytes)?;
        Ok(out.flush()?)
    }

    /// What happens next, if anything does so soon.
    ///
    /// # Errors
    /// If the terminal is gone.
    pub fn event(&mut self, within: Duration) -> Done<Option<Event>> {
        if let Some(key) = self.typed_ahead.pop_front() {
            return Ok(Some(Event::Key(key)));
        }
        Ok(if poll(within)? { Some(read()?) } else { None })
    }

    /// Pixels of one cell across and down, where the terminal says that.
    pub fn cell_pixels(&self) -> Option<(u16, u16)> {
        let size = ratatui::crossterm::terminal::window_size().ok()?;
        let known = size.width > 0 && size.height > 0 && size.columns > 0 && size.rows > 0;
        known.then(|| (size.width / size.columns, size.height / size.rows))
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
        interruption::on_screen(false, &self.session_watch);
        crate::notices::tell_held_back();
    }
}

/// Switches on what the review needs, in turn; what came before an error is still on then.
fn take_over() -> io::Result<(Terminal<CrosstermBackend<io::Stdout>>, bool, VecDeque<KeyEvent>)> {
    enable_raw_mode()?;
    let (draws_sixels, typed_ahead) = ask_for_sixels();
    execute!(io::stdout(), EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste, cursor::Hide)?;
    Ok((Terminal::new(CrosstermBackend::new(io::stdout()))?, draws_sixels, typed_ahead))
}

/// Gives the terminal back as it was, if it is ours.
fn give_back() {
    if !TAKEN.swap(false, Ordering::SeqCst) {
        return;
    }
    let _ = execute!(
        io::stdout(),
        DisableBracketedPaste,
        DisableMouseCapture,
        LeaveAlternateScreen,
        cursor::Show
    );
    let _ = disable_raw_mode();
}

/// The same from another thread, before the program ends: what is being drawn is drawn to its end first, and nothing
/// more is. A terminal that takes nothing any more is not waited for.
pub fn give_back_for_good() {
    let mut drawing = DRAWING.try_lock();
    for _ in 0..50 {
        if drawing.is_ok() {
            break;
        }
        std::thread::sleep(Duration::from_millis(10));
        drawing = DRAWING.try_lock();
    }
    give_back();
    std::mem::forget(drawing);
}

fn give_back_after_a_panic() {
    static ONCE: std::sync::Once = std::sync::Once::new();
    ONCE.call_once(|| {
        let usual = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |what| {
            give_back();
            usual(what);
        }));
    });
}

/// Asks the terminal for its primary device attributes (`DA1` of ECMA-48), among which 4 means sixels. What was typed
/// meanwhile comes back as keys.
fn ask_for_sixels() -> (bool, VecDeque<KeyEvent>) {
    let mut out = io::stdout();
    if out.write_all(b"\x1b[c").and_then(|()| out.flush()).is_err() {
        return (false, VecDeque::new());
    }
    let (end, mut answer) = (Instant::now() + PATIENCE, Vec::new());
    let mut block = [0; 256];
    while !has_answer(&answer) {
        let left = end.saturating_duration_since(Instant::now());
        let Ok(timeout) = Timespec::try_from(left) else { break };
        let stdin = io::stdin();
        let mut waits = [PollFd::from_borrowed_fd(stdin.as_fd(), PollFlags::IN)];
        if !matches!(rustix::event::poll(&mut waits, Some(&timeout)), Ok(1..)) {
            break;
        }
        // Unbuffered, so that what comes behind the answer is not swallowed.
        let Ok(length @ 1..) = rustix::io::read(io::stdin().as_fd(), &mut block) else { break };
        answer.extend_from_slice(&block[..length]);
    }
    read_answer(&answer)
}

fn answer_at(bytes: &[u8]) -> Option<(usize, usize)> {
    let start = bytes.windows(3).position(|part| part == b"\x1b[?")?;
    let end = bytes[start..].iter().position(|byte| *byte == b'c')? + start;
    Some((start, end))
}

fn has_answer(bytes: &[u8]) -> bool {
    answer_at(bytes).is_some()
}

fn read_answer(bytes: &[u8]) -> (bool, VecDeque<KeyEvent>) {
    let keys = |bytes: &[u8]| {
        let key = |byte: &u8| match byte {
            b' '..=b'~' => Some(KeyCode::Char(char::from(*byte))),
            b'\r' | b'\n' => Some(KeyCode::Enter),
            b'\t' => Some(KeyCode::Tab),
            _ => None,
        };
        bytes.iter().filter_map(key).map(KeyEvent::from).collect::<VecDeque<_>>()
    };
    let Some((start, end)) = answer_at(bytes) else { return (false, keys(bytes)) };
    let attributes = bytes[start + 3..end].split(|byte| *byte == b';');
    let draws = attributes.into_iter().any(|attribute| attribute == b"4");
    let typed = [&bytes[..start], &bytes[end + 1..]].concat();
    (draws, keys(&typed))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_answer_of_the_terminal_is_parted_from_what_was_typed() {
        let told = |bytes: &[u8]| {
            let (draws, keys) = read_answer(bytes);
            (draws, keys.into_iter().map(|key| key.code.to_string()).collect::<String>())
        };
        assert_eq!(told(b"\x1b[?62;4;22c"), (true, String::new()));
        assert_eq!(told(b"j\x1b[?62;22c k"), (false, "jSpacek".into()));
        assert_eq!(told(b"q"), (false, "q".into()));
        assert_eq!(told(b"\x1b[?6"), (false, "[?6".into()));
    }
}
