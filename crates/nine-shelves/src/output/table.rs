//! Aligned columns without frames.

use std::io::{self, Write};

use anstyle::Style;
use unicode_width::UnicodeWidthStr;

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
    indent: usize,
}

const GAP: usize = 2;
/// A shortened column keeps at least this much.
const LEAST: usize = 14;

impl Table {
    /// An empty table of these columns.
    pub fn new(columns: &[TableColumn]) -> Self {
        Self { columns: columns.to_vec(), lines: Vec::new(), indent: 0 }
    }

    /// The same, set in by some spaces.
    pub fn indented(mut self, indent: usize) -> Self {
        self.indent = indent;
        self
    }

    /// Adds a line.
    pub fn line(&mut self, cells: Vec<Cell>) {
        self.lines.push(cells);
    }

    /// The width that each column wants, and that a whole line wants.
    fn wanted(&self) -> (Vec<usize>, usize) {
        let widest =
            |at: usize| self.lines.iter().filter_map(|line| line.get(at)).map(|c| c.text.width()).max();
        let widths: Vec<usize> = (0..self.columns.len()).map(|at| widest(at).unwrap_or(0)).collect();
        let used = widths.iter().filter(|width| **width > 0).count();
        let line = widths.iter().sum::<usize>() + GAP * used.saturating_sub(1) + self.indent;
        (widths, line)
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
        for line in &self.lines {
            let mut text = " ".repeat(self.indent);
            let mut pending = 0;
            for ((cell, column), width) in line.iter().zip(&self.columns).zip(widths) {
                if *width == 0 {
                    continue;
                }
                if cell.text.is_empty() {
                    pending += width + GAP;
                    continue;
                }
                let shown = match column {
                    TableColumn::Shortened | TableColumn::Squeezed => shorten(&cell.text, *width, look.ascii),
                    _ => cell.text.clone(),
                };
                let padding = width.saturating_sub(shown.width());
                let before = if *column == TableColumn::Right { padding } else { 0 };
                text.push_str(&" ".repeat(pending + before));
                let style = cell.style;
                text.push_str(&format!("{style}{shown}{style:#}"));
                pending = GAP + padding - before;
            }
            writeln!(out, "{}", text.trim_end_matches(' '))?;
        }
        Ok(())
    }

    /// Prints the lines.
    pub fn print(&self, out: &mut impl Write, look: &Look) -> io::Result<()> {
        self.print_with(out, look, &self.widths(look))
    }
}

/// Shortens a text in its middle, keeping more of its end than of its start.
pub fn shorten(text: &str, width: usize, ascii: bool) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mark = if ascii { "..." } else { "…" };
    let room = width.saturating_sub(mark.width());
    let tail_room = room - room / 3;
    let mut tail: Vec<char> = Vec::new();
    let mut used = 0;
    for c in text.chars().rev() {
        let wide = c.to_string().width();
        if used + wide > tail_room {
            break;
        }
        used += wide;
        tail.push(c);
    }
    let mut head = String::new();
    let mut head_used = 0;
    for c in text.chars() {
        let wide = c.to_string().width();
        if head_used + wide > room - used {
            break;
        }
        head_used += wide;
        head.push(c);
    }
    head + mark + &tail.into_iter().rev().collect::<String>()
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
