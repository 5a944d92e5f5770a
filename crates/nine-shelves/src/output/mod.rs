//! What people see: how wide, in which characters, with which weights.

pub mod bars;
pub mod bookcase;
pub mod items;
pub mod records;
pub mod style;
pub mod table;
pub mod tags;
pub mod worklist;

use std::io::{IsTerminal, Write};

use nine_core::escape::escape;
use unicode_width::UnicodeWidthStr;

/// How to draw for this terminal, or for none.
#[derive(Debug, Clone, Copy)]
pub struct Look {
    /// Columns.
    pub width: usize,
    /// Whether only ASCII is understood.
    pub ascii: bool,
    /// Whether standard output is a terminal.
    pub terminal: bool,
}

/// The width of output that goes to no terminal.
const USUAL_WIDTH: usize = 100;

impl Look {
    /// Looks at the terminal and the locale.
    pub fn of_terminal() -> Self {
        let width = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
        let terminal = std::io::stdout().is_terminal();
        Self {
            width: width.filter(|_| terminal).unwrap_or(USUAL_WIDTH).clamp(40, 200),
            ascii: !is_utf8(),
            terminal,
        }
    }

    /// The bytes of a name, safe to show here.
    pub fn name(&self, bytes: &[u8]) -> String {
        self.text(&escape(bytes))
    }

    /// Text that is already safe, in the characters that are understood here.
    pub fn text(&self, text: &str) -> String {
        if !self.ascii {
            return text.to_owned();
        }
        let mut out = String::new();
        for c in text.chars() {
            match c {
                '→' => out.push_str("->"),
                '…' => out.push_str("..."),
                c if c.is_ascii() => out.push(c),
                c => out.push_str(&format!("\\u{{{:x}}}", c as u32)),
            }
        }
        out
    }
}

/// The locale's character set, by the order of precedence of POSIX.
fn is_utf8() -> bool {
    let set = |name: &str| std::env::var(name).ok().filter(|value| !value.is_empty());
    let locale = set("LC_ALL").or_else(|| set("LC_CTYPE")).or_else(|| set("LANG")).unwrap_or_default();
    let locale = locale.to_ascii_lowercase();
    locale.contains("utf-8") || locale.contains("utf8")
}

/// Prints two blocks of lines beside one another if the terminal is wide enough, else one below the
/// other, each with a blank line behind it.
///
/// # Errors
/// If they cannot be written.
pub fn print_beside(out: &mut impl Write, look: &Look, left: &[u8], right: &[u8]) -> std::io::Result<()> {
    let lines =
        |block: &[u8]| -> Vec<String> { String::from_utf8_lossy(block).lines().map(str::to_owned).collect() };
    let (left, right) = (lines(left), lines(right));
    let width = |line: &String| anstream::adapter::strip_str(line).to_string().width();
    let widest = |block: &[String]| block.iter().map(width).max().unwrap_or(0);
    let (room, gap) = (widest(&left), 4);
    if left.is_empty() || right.is_empty() || room + gap + widest(&right) > look.width {
        for block in [&left, &right].into_iter().filter(|block| !block.is_empty()) {
            block.iter().try_for_each(|line| writeln!(out, "{line}"))?;
            writeln!(out)?;
        }
        return Ok(());
    }
    for at in 0..left.len().max(right.len()) {
        let line = left.get(at).cloned().unwrap_or_default();
        match right.get(at) {
            Some(beside) => writeln!(out, "{line}{}{beside}", " ".repeat(room + gap - width(&line)))?,
            None => writeln!(out, "{line}")?,
        }
    }
    writeln!(out)
}

/// Standard output for records and paths: every byte goes out as it is.
pub fn raw() -> impl Write {
    std::io::BufWriter::new(std::io::stdout().lock())
}

/// Standard output, its colours kept only where they are wanted.
pub fn out() -> impl Write {
    std::io::BufWriter::new(anstream::stdout().lock())
}
