//! Aligned columns without frames.

use std::borrow::Cow;
use std::fmt::Write as _;
use std::io::{self, Write};

use anstyle::Style;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::Look;
use super::style::PLAIN;

/// What stands in one column of one line.
#[derive(Debug, Clone)]
pub struct Cell {
    text: String,
    style: Style,
}

/// A cell of plain weight.
pub fn cell(text: impl Into<String>) -> Cell {
    Cell { text: text.into(), style: PLAIN }
}

/// A cell of another weight or colour.
pub fn styled(text: impl Into<String>, style: Style) -> Cell {
    Cell { text: text.into(), style }
}

/// How a column is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TableColumn {
    /// Words, as wide as the widest.
    Left,
    /// Figures.
    Right,
    /// Words that may be shortened in their middle where the line is too narrow.
    Shortened,
    /// The same for words that matter less: these are shortened first.
    Squeezed,
}

/// Lines of cells.
pub struct Table {
    columns: Vec<TableColumn>,
    lines: Vec<Vec<Cell>>,
    /// The widest cell of each column, of all lines that are or were here.
    widest: Vec<usize>,
    indent: usize,
}

const GAP: usize = 2;
/// A shortened column keeps at least this much.
const LEAST: usize = 14;

impl Table {
    /// An empty table of these columns.
    pub fn new(columns: &[TableColumn]) -> Self {
        Self { columns: columns.to_vec(), lines: Vec::new(), widest: vec![0; columns.len()], indent: 0 }
    }

    /// The same, set in by some spaces.
    pub fn indented(mut self, indent: usize) -> Self {
        self.indent = indent;
        self
    }

    /// Adds a line.
    pub fn line(&mut self, cells: Vec<Cell>) {
        self.measure(&cells);
        self.lines.push(cells);
    }

    /// Makes room for a line that is printed by itself.
    pub fn measure(&mut self, cells: &[Cell]) {
        for (widest, cell) in self.widest.iter_mut().zip(cells) {
            *widest = (*widest).max(width(&cell.text));
        }
    }

    /// Makes room for the lines of another table of these columns.
    pub fn measure_like(&mut self, other: &Table) {
        self.widest.iter_mut().zip(&other.widest).for_each(|(own, other)| *own = (*own).max(*other));
    }

    /// A table of these columns without lines.
    pub fn without_lines(&self) -> Table {
        Table::new(&self.columns).indented(self.indent)
    }

    /// The width that each column wants, and that a whole line wants.
    fn wanted(&self) -> (Vec<usize>, usize) {
        let used = self.widest.iter().filter(|width| **width > 0).count();
        let line = self.widest.iter().sum::<usize>() + GAP * used.saturating_sub(1) + self.indent;
        (self.widest.clone(), line)
    }

    /// Whether every line fits as it is.
    pub fn fits(&self, look: &Look) -> bool {
        self.wanted().1 <= look.width
    }

    /// The width of each column, shortened ones cut so that a line fits.
    pub fn widths(&self, look: &Look) -> Vec<usize> {
        let (mut widths, line) = self.wanted();
        let mut over = line.saturating_sub(look.width);
        for kind in [TableColumn::Squeezed, TableColumn::Shortened] {
            while over > 0 {
                let flexible =
                    (0..widths.len()).filter(|at| self.columns[*at] == kind && widths[*at] > LEAST);
                let Some(widest) = flexible.max_by_key(|at| widths[*at]) else {
                    break;
                };
                widths[widest] -= 1;
                over -= 1;
            }
        }
        widths
    }

    /// Prints the lines with these widths, so that several tables can share them.
    pub fn print_with(&self, out: &mut impl Write, look: &Look, widths: &[usize]) -> io::Result<()> {
        self.lines.iter().try_for_each(|line| self.print_line(out, look, widths, line))
    }

    /// Prints a line with these widths.
    pub fn print_line(
        &self,
        out: &mut impl Write,
        look: &Look,
        widths: &[usize],
        line: &[Cell],
    ) -> io::Result<()> {
        let mut text = " ".repeat(self.indent);
        let mut pending = 0;
        for ((cell, column), room) in line.iter().zip(&self.columns).zip(widths) {
            if *room == 0 {
                continue;
            }
            if cell.text.is_empty() {
                pending += room + GAP;
                continue;
            }
            let shown = match column {
                TableColumn::Shortened | TableColumn::Squeezed => shorten(&cell.text, *room, look.ascii),
                _ => Cow::Borrowed(cell.text.as_str()),
            };
            let padding = room.saturating_sub(width(&shown));
            let before = if *column == TableColumn::Right { padding } else { 0 };
            text.extend(std::iter::repeat_n(' ', pending + before));
            let style = cell.style;
            write!(text, "{style}{shown}{style:#}").map_err(io::Error::other)?;
            pending = GAP + padding - before;
        }
        writeln!(out, "{}", text.trim_end_matches(' '))
    }

    /// Prints the lines.
    pub fn print(&self, out: &mut impl Write, look: &Look) -> io::Result<()> {
        self.print_with(out, look, &self.widths(look))
    }
}

/// Columns that a text takes on a screen.
fn width(text: &str) -> usize {
    // Nearly all is ASCII, of which no table has to be asked.
    if is_plain(text) { text.len() } else { text.width() }
}

fn is_plain(text: &str) -> bool {
    text.bytes().all(|byte| (b' '..=b'~').contains(&byte))
}

/// Shortens a text in its middle, keeping more of its end than of its start.
pub fn shorten(text: &str, room: usize, ascii: bool) -> Cow<'_, str> {
    if width(text) <= room {
        return Cow::Borrowed(text);
    }
    let mark = if ascii { "..." } else { "…" };
    let room = room.saturating_sub(mark.width());
    let tail_room = room - room / 3;
    if is_plain(text) {
        let tail = &text[text.len() - tail_room..];
        return Cow::Owned([&text[..room - tail_room], mark, tail].concat());
    }
    let fitting = |chars: &mut dyn Iterator<Item = char>, room: usize| {
        let mut used = 0;
        let fits = |c: &char| {
            used += c.width().unwrap_or(0);
            used <= room
        };
        let taken: Vec<char> = chars.take_while(fits).collect();
        taken
    };
    let tail: String = fitting(&mut text.chars().rev(), tail_room).into_iter().rev().collect();
    let head: String = fitting(&mut text.chars(), room - tail.width()).into_iter().collect();
    Cow::Owned(head + mark + &tail)
}

#[cfg(test)]
mod tests {
    use super::*;

    const LOOK: Look = Look { width: 40, ascii: false, terminal: false };

    fn printed(table: &Table) -> Vec<String> {
        let mut out = Vec::new();
        table.print(&mut out, &LOOK).unwrap();
        String::from_utf8(out).unwrap().lines().map(str::to_owned).collect()
    }

    #[test]
    fn figures_stand_to_the_right_and_long_names_keep_their_end() {
        let mut table = Table::new(&[TableColumn::Shortened, TableColumn::Right, TableColumn::Left]);
        table.line(vec![cell("a.txt"), cell("5 B"), cell("new")]);
        table.line(vec![cell("a very long name of a loan agreement 2031.pdf"), cell("12 KB"), cell("old")]);
        let lines = printed(&table);
        assert_eq!(lines[0], "a.txt                           5 B  new");
        assert_eq!(lines[1], "a very lo…agreement 2031.pdf  12 KB  old");
        assert!(lines.iter().all(|line| line.width() <= 40));
    }

    #[test]
    fn wide_characters_count_double() {
        assert_eq!(shorten("書類書類書類書類", 9, false).width(), 9);
        assert_eq!(shorten("abc", 3, false), "abc");
        assert_eq!(shorten("abcdefghij", 7, true), "a...hij");
    }

    #[test]
    fn empty_columns_take_no_room() {
        let mut table = Table::new(&[TableColumn::Left, TableColumn::Left, TableColumn::Left]).indented(2);
        table.line(vec![cell("a"), cell(""), cell("b")]);
        assert_eq!(printed(&table), ["  a  b"]);
    }
}
