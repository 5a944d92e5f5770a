//! Aligned columns without frames.

use std::borrow::Cow;
use std::collections::hash_map::Entry;
use std::collections::{HashMap, HashSet};
use std::fmt::Write as _;
use std::io::{self, Write};

use anstyle::Style;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::Look;
use super::style::PLAIN;

/// What stands in one column of one line.
#[derive(Debug, Clone)]
pub struct Cell<'t> {
    text: Cow<'t, str>,
    style: Style,
}

/// A cell of plain weight.
pub fn cell<'t>(text: impl Into<Cow<'t, str>>) -> Cell<'t> {
    Cell { text: text.into(), style: PLAIN }
}

/// A cell of another weight or colour.
pub fn styled<'t>(text: impl Into<Cow<'t, str>>, style: Style) -> Cell<'t> {
    Cell { text: text.into(), style }
}

/// How a column is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TableColumn {
    /// Words, as wide as the widest.
    Left,
    /// Figures.
    Right,
    /// Names, which may be shortened in their middle where the line is too narrow, and keep most of its room.
    Shortened,
    /// Words that matter less and are shortened before names are: those of a lower number first.
    Squeezed(u8),
    /// Words that are left out where names would have too little room.
    Yielding,
    /// Figures that are left out where names would have too little room.
    YieldingRight,
}

impl TableColumn {
    fn is_right(self) -> bool {
        matches!(self, Self::Right | Self::YieldingRight)
    }

    fn is_shortened(self) -> bool {
        matches!(self, Self::Shortened | Self::Squeezed(_))
    }

    fn yields(self) -> bool {
        matches!(self, Self::Yielding | Self::YieldingRight)
    }
}

/// Lines of cells.
pub struct Table<'t> {
    columns: Vec<TableColumn>,
    lines: Vec<Vec<Cell<'t>>>,
    /// The widest cell of each column, of all lines that are or were here.
    widest: Vec<usize>,
    indent: usize,
    /// Names that would be shown alike if they were shortened, and are told whole.
    alike: HashSet<String>,
}

const GAP: usize = 2;
/// A name keeps this much before other columns have given way.
const NAME: usize = 40;
/// What is squeezed keeps this much before names are cut to [`NAME`].
const FAIR: usize = 14;
/// What is squeezed keeps at least this much, and says with it where to look on.
const LEAST: usize = 8;

impl<'t> Table<'t> {
    /// An empty table of these columns.
    pub fn new(columns: &[TableColumn]) -> Self {
        Self {
            columns: columns.to_vec(),
            lines: Vec::new(),
            widest: vec![0; columns.len()],
            indent: 0,
            alike: HashSet::new(),
        }
    }

    /// The same, set in by some spaces.
    pub fn indented(mut self, indent: usize) -> Self {
        self.indent = indent;
        self
    }

    /// Adds a line.
    pub fn line(&mut self, cells: Vec<Cell<'t>>) {
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
    pub fn without_lines(&self) -> Table<'t> {
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
        self.squeeze(&mut widths, &mut over, FAIR);
        self.cut(&mut widths, &mut over, NAME, |column| column == TableColumn::Shortened);
        self.squeeze(&mut widths, &mut over, LEAST);
        for at in (0..widths.len()).filter(|at| self.columns[*at].yields()) {
            if over > 0 && widths[at] > 0 {
                over = over.saturating_sub(widths[at] + GAP);
                widths[at] = 0;
            }
        }
        self.cut(&mut widths, &mut over, FAIR, |column| column == TableColumn::Shortened);
        widths
    }

    /// Cuts what is squeezed down to a width, in its order.
    fn squeeze(&self, widths: &mut [usize], over: &mut usize, least: usize) {
        for rank in 1..=3 {
            self.cut(widths, over, least, |column| column == TableColumn::Squeezed(rank));
        }
    }

    /// Cuts some columns, the widest first, down to a width, as far as is needed.
    fn cut(&self, widths: &mut [usize], over: &mut usize, least: usize, which: impl Fn(TableColumn) -> bool) {
        while *over > 0 {
            let flexible = (0..widths.len()).filter(|at| which(self.columns[*at]) && widths[*at] > least);
            let Some(widest) = flexible.max_by_key(|at| widths[*at]) else { break };
            widths[widest] -= 1;
            *over -= 1;
        }
    }

    /// Finds the names of a column that differ only in what is cut out of them; these are told whole then.
    pub fn tell_apart<'n>(
        &mut self,
        column: usize,
        names: impl Iterator<Item = Cow<'n, str>>,
        widths: &[usize],
        look: &Look,
    ) {
        if widths[column] >= self.widest[column] {
            return;
        }
        let mut known: HashMap<String, Cow<str>> = HashMap::new();
        for name in names.filter(|name| width(name) > widths[column]) {
            let shown = shorten(&name, widths[column], look.ascii).into_owned();
            match known.entry(shown) {
                Entry::Occupied(other) if *other.get() != name => {
                    self.alike.extend([other.get().clone(), name].map(Cow::into_owned));
                }
                Entry::Occupied(_) => {}
                Entry::Vacant(free) => drop(free.insert(name)),
            }
        }
    }

    /// Prints the lines with these widths, so that several tables can share them.
    pub fn print_with(&self, out: &mut impl Write, look: &Look, widths: &[usize]) -> io::Result<()> {
        let names = (0..self.columns.len()).filter(|at| self.columns[*at] == TableColumn::Shortened);
        let mut told = self.without_lines();
        told.measure_like(self);
        for column in names {
            let cells = self.lines.iter().filter_map(|line| Some(Cow::from(&*line.get(column)?.text)));
            told.tell_apart(column, cells, widths, look);
        }
        self.lines.iter().try_for_each(|line| told.print_line(out, look, widths, line))
    }

    /// Prints a line with these widths.
    pub fn print_line(
        &self,
        out: &mut impl Write,
        look: &Look,
        widths: &[usize],
        line: &[Cell],
    ) -> io::Result<()> {
        let mut text = String::with_capacity(2 * look.width);
        let mut pending = self.indent;
        for ((cell, column), room) in line.iter().zip(&self.columns).zip(widths) {
            if *room == 0 {
                continue;
            }
            if cell.text.is_empty() {
                pending += room + GAP;
                continue;
            }
            let shown = match column {
                _ if column.is_shortened() && !self.alike.contains(&*cell.text) => {
                    shorten(&cell.text, *room, look.ascii)
                }
                _ => Cow::Borrowed(&*cell.text),
            };
            let padding = room.saturating_sub(width(&shown));
            let before = if column.is_right() { padding } else { 0 };
            push_spaces(&mut text, pending + before);
            match cell.style {
                PLAIN => text.push_str(&shown),
                _ if !look.color => text.push_str(&shown),
                style => write!(text, "{style}{shown}{style:#}").map_err(io::Error::other)?,
            }
            pending = GAP + padding - before;
        }
        text.truncate(text.trim_end_matches(' ').len());
        text.push('\n');
        out.write_all(text.as_bytes())
    }

    /// Prints the lines.
    pub fn print(&self, out: &mut impl Write, look: &Look) -> io::Result<()> {
        self.print_with(out, look, &self.widths(look))
    }
}

fn push_spaces(text: &mut String, mut many: usize) {
    const SPACES: &str = "                                ";
    while many > 0 {
        let some = many.min(SPACES.len());
        text.push_str(&SPACES[..some]);
        many -= some;
    }
}

/// Columns that a text takes on a screen.
fn width(text: &str) -> usize {
    // Nearly all is ASCII, of which no table has to be asked.
    if is_plain(text) { text.len() } else { text.width() }
}

fn is_plain(text: &str) -> bool {
    // Looked at to the end, since the processor takes many at once then.
    !text.bytes().fold(false, |any, byte| any | !(b' '..=b'~').contains(&byte))
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

    const LOOK: Look = Look { width: 40, ascii: false, terminal: false, color: true };

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
    fn a_name_keeps_its_room_and_others_give_way_in_their_order() {
        use TableColumn::{Right, Shortened, Squeezed, YieldingRight};
        let name = "insurance certificate of the harbour office 2031-04.pdf";
        let line = |table: &mut Table| {
            let cells = [name, "downloads/from the old machine/letters", "12 KB", "14 months", "loan papers"];
            table.line(cells.map(cell).to_vec());
        };
        let mut table = Table::new(&[Shortened, Squeezed(1), Right, YieldingRight, Squeezed(2)]);
        line(&mut table);
        let widths = |width| table.widths(&Look { width, ..LOOK });
        assert_eq!(widths(200), [55, 38, 5, 9, 11]);
        assert_eq!(widths(120), [55, 32, 5, 9, 11], "the location first");
        assert_eq!(widths(95), [48, 14, 5, 9, 11], "then names down to forty");
        assert_eq!(widths(84), [40, 11, 5, 9, 11], "then what is squeezed, further");
        assert_eq!(widths(79), [40, 8, 5, 9, 9], "then the rule");
        assert_eq!(widths(70), [40, 8, 5, 0, 8], "then the age");
        assert_eq!(widths(60), [33, 8, 5, 0, 8], "and names last");
    }

    #[test]
    fn names_that_differ_in_what_is_cut_out_are_never_shown_alike() {
        let mut table = Table::new(&[TableColumn::Shortened, TableColumn::Right]);
        let names = [
            "a list of all Harrow things that came for the board.txt",
            "a list of all Marram things that came for the board.txt",
        ];
        let other = "something else that is far too long for a line.txt";
        for name in [names[0], names[1], other, other] {
            table.line(vec![cell(name), cell("5 B")]);
        }
        let lines = printed(&table);
        assert!(lines[0].starts_with(names[0]) && lines[1].starts_with(names[1]), "{lines:?}");
        assert!(lines[2].contains('…') && lines[2] == lines[3], "{lines:?}");
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
