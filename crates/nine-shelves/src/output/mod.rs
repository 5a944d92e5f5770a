//! What people see: how wide, in which characters, with which weights.

pub mod bars;
pub mod bookcase;
pub mod items;
pub mod records;
mod side_by_side;
pub mod style;
pub mod table;
pub mod tags;
pub mod worklist;

use std::borrow::Cow;
use std::io::{BufWriter, IsTerminal, Write};

use nine_core::escape::showable_name;
use unicode_width::UnicodeWidthStr;

/// Standard error. Whether anybody reads it decides nothing, so that writing to it never fails.
pub fn err() -> impl Write {
    Unheeded(anstream::stderr())
}

/// A writer whose troubles are nobody's.
struct Unheeded<W>(W);

impl<W: Write> Write for Unheeded<W> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        Ok(self.0.write(bytes).unwrap_or(bytes.len()))
    }

    fn flush(&mut self) -> std::io::Result<()> {
        let _ = self.0.flush();
        Ok(())
    }
}

/// How to draw for this terminal, or for none.
#[derive(Debug, Clone, Copy)]
pub struct Look {
    /// Columns.
    pub width: usize,
    /// Whether only ASCII is understood.
    pub ascii: bool,
    /// Whether standard output is a terminal.
    pub terminal: bool,
    /// Whether there are weights and colours.
    pub color: bool,
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
            color: has_color(),
        }
    }

    /// The bytes of a name, safe to show here.
    pub fn name<'n>(&self, bytes: &'n [u8]) -> Cow<'n, str> {
        self.shown(showable_name(bytes))
    }

    /// [`Look::text`] of what nobody else needs.
    pub fn shown<'t>(&self, text: impl Into<Cow<'t, str>>) -> Cow<'t, str> {
        let text = text.into();
        if self.ascii { Cow::Owned(self.text(&text)) } else { text }
    }

    /// What stands between a condition and what follows from it.
    pub fn arrow(&self) -> &'static str {
        if self.ascii { "->" } else { "→" }
    }

    /// A mark and a space behind it, all marks being equally wide; nothing where only ASCII is understood.
    pub fn mark(&self, mark: Option<&str>) -> String {
        match mark.filter(|_| !self.ascii) {
            Some(mark) => format!("{mark}{}", " ".repeat(3_usize.saturating_sub(mark.width()).max(1))),
            None if self.ascii => String::new(),
            None => "   ".to_owned(),
        }
    }

    /// A text in lines that fit behind some room at the left, parted between words. On no terminal it is
    /// one line.
    pub fn lines(&self, text: &str, indent: usize) -> Vec<String> {
        let room = self.width.saturating_sub(indent).max(20);
        let mut lines = vec![String::new()];
        for word in self.text(text).split(' ') {
            let line = lines.last_mut().expect("there is always one");
            if !self.terminal || line.is_empty() || line.width() + 1 + word.width() <= room {
                if !line.is_empty() {
                    line.push(' ');
                }
                line.push_str(word);
            } else {
                lines.push(word.to_owned());
            }
        }
        lines
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

/// What stands between two blocks of lines that are printed beside one another.
const BETWEEN: usize = 4;

/// The least room in which a list is worth reading.
const READABLE: usize = 60;

/// How wide a block may be that is to stand to the left of another, if that is possible at all; else
/// as wide as the terminal.
pub fn width_beside(look: &Look, right: &[u8]) -> usize {
    let room = look.width.saturating_sub(widest(&lines(right)) + BETWEEN);
    if room >= READABLE { room } else { look.width }
}

/// Prints two blocks of lines beside one another if the terminal is wide enough, else one below the
/// other with a blank line between; and a blank line behind both.
///
/// # Errors
/// If they cannot be written.
pub fn print_beside(out: &mut impl Write, look: &Look, left: &[u8], right: &[u8]) -> std::io::Result<()> {
    let (left, right) = (lines(left), lines(right));
    let room = widest(&left) + BETWEEN;
    if left.is_empty() || right.is_empty() || room + widest(&right) > look.width {
        for block in [&left, &right].into_iter().filter(|block| !block.is_empty()) {
            block.iter().try_for_each(|line| writeln!(out, "{line}"))?;
            writeln!(out)?;
        }
        return Ok(());
    }
    for at in 0..left.len().max(right.len()) {
        let line = left.get(at).cloned().unwrap_or_default();
        match right.get(at) {
            Some(beside) => writeln!(out, "{line}{}{beside}", " ".repeat(room - width(&line)))?,
            None => writeln!(out, "{line}")?,
        }
    }
    writeln!(out)
}

fn lines(block: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(block).lines().map(str::to_owned).collect()
}

/// The columns that a line takes, its colours not counted.
fn width(line: &str) -> usize {
    anstream::adapter::strip_str(line).to_string().width()
}

fn widest(lines: &[String]) -> usize {
    lines.iter().map(|line| width(line)).max().unwrap_or(0)
}

/// Whether standard output has colours.
pub fn has_color() -> bool {
    anstream::AutoStream::choice(&std::io::stdout()) != anstream::ColorChoice::Never
}

/// Standard output for records and paths: every byte goes out as it is.
pub fn raw() -> impl Write {
    BufWriter::with_capacity(BLOCK, std::io::stdout().lock())
}

/// Standard output, its colours kept only where they are wanted.
pub fn out() -> impl Write {
    let stdout = std::io::stdout().lock();
    if has_color() {
        return BufWriter::new(Box::new(stdout) as Box<dyn Write>);
    }
    // What is left between colours comes in pieces, and would go out with a system call for each line.
    let blocks: Box<dyn Write> = Box::new(BufWriter::with_capacity(BLOCK, stdout));
    BufWriter::new(Box::new(anstream::StripStream::new(blocks)) as Box<dyn Write>)
}

/// Bytes that go out at once where no person waits for the first lines.
const BLOCK: usize = 64 * 1024;

#[cfg(test)]
mod tests {
    use super::*;

    fn beside(width: usize) -> String {
        let look = Look { width, ascii: false, terminal: false, color: true };
        let mut out = Vec::new();
        let left = b"\x1b[1mlargest\x1b[0m\n  a\n  b\n";
        print_beside(&mut out, &look, left, b"odd\n  1 empty\n").unwrap();
        anstream::adapter::strip_bytes(&out).into_vec().iter().map(|b| *b as char).collect()
    }

    #[test]
    fn blocks_stand_beside_one_another_where_there_is_room() {
        assert_eq!(beside(20), "largest    odd\n  a          1 empty\n  b\n\n");
        assert_eq!(beside(19), "largest\n  a\n  b\n\nodd\n  1 empty\n\n");
        let look = |width| Look { width, ascii: false, terminal: false, color: true };
        assert_eq!(width_beside(&look(100), b"12345"), 91);
        assert_eq!(width_beside(&look(66), b"12345"), 66);
    }

    #[test]
    fn long_texts_are_parted_between_words_on_a_terminal_alone() {
        let text = "another step takes the name `plan of the quay.pdf` for downloads/plan.pdf";
        let narrow = Look { width: 40, ascii: false, terminal: true, color: true };
        let lines = narrow.lines(text, 5);
        assert!(lines.len() > 1 && lines.iter().all(|line| line.width() <= 35), "{lines:?}");
        assert_eq!(lines.join(" "), text);
        assert_eq!(Look { terminal: false, ..narrow }.lines(text, 5), [text]);
    }
}
