//! From a page of the guide (`CommonMark` with tables) to one of the manual (man(7)).

use pulldown_cmark::{Event, Options, Parser, Tag, TagEnd};
use roff::{Inline, Roff, bold, italic, roman};

/// A page of the manual.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    /// Its name.
    pub name: &'static str,
    /// Its section, a digit.
    pub section: &'static str,
    /// What it is about, for its first line and for `apropos`.
    pub about: &'static str,
    /// The page of the guide.
    pub text: &'static str,
}

/// The page as man(7) has it.
pub fn page(page: &Page, date: &str) -> String {
    let mut writer = Writer { is_begun: true, ..Writer::default() };
    let version = concat!("nine ", env!("CARGO_PKG_VERSION"));
    writer.out.control("TH", [page.name.to_uppercase().as_str(), page.section, date, version, MANUAL]);
    writer.out.control("SH", ["NAME"]);
    writer.out.text([roman(format!("{} - {}", page.name, page.about))]);
    writer.out.control("SH", ["DESCRIPTION"]);
    Parser::new_ext(page.text, Options::ENABLE_TABLES).for_each(|event| writer.take(event));
    writer.out.control("SH", ["SEE ALSO"]);
    writer.out.text([
        bold("nine"),
        roman("(1), "),
        bold("nine-conditions"),
        roman("(7), "),
        bold("nine-patterns"),
        roman("(7), "),
        bold("shelves.toml"),
        roman("(5)"),
    ]);
    tidied(&writer.out.to_roff())
}

/// The name of the manual at the top of its pages.
pub const MANUAL: &str = "Nine Shelves";

/// A text without spaces at the ends of its lines, and without breaks beside an empty line, which are none. What a command
/// says last is its examples.
pub fn tidied(text: &str) -> String {
    let lines = text.lines().map(str::trim_end).filter(|line| *line != "Examples:");
    let lines: Vec<&str> =
        lines.map(|line| if line == ".SH EXTRA" { ".SH EXAMPLES" } else { line }).collect();
    let is_space =
        |at: Option<usize>| at.and_then(|at| lines.get(at)).is_some_and(|line| matches!(*line, ".sp" | ""));
    let is_kept =
        |at: &usize| lines[*at] != ".br" || !(is_space(at.checked_sub(1)) || is_space(Some(at + 1)));
    (0..lines.len()).filter(is_kept).map(|at| format!("{}\n", lines[at])).collect()
}

/// What is being written.
#[derive(Default)]
struct Writer {
    out: Roff,
    line: Vec<Inline>,
    /// Whether text is strong, or stressed.
    is_strong: bool,
    is_stressed: bool,
    /// The lines of a block of code.
    code: Option<String>,
    /// Whether the page's own title or the heading of a table is read, which the manual has otherwise.
    is_left_out: bool,
    /// The cell of a table's row, counted from 0; `None` outside of tables.
    cell: Option<usize>,
    is_in_item: bool,
    /// Whether a heading came last, behind which no paragraph need be begun.
    is_begun: bool,
}

impl Writer {
    fn take(&mut self, event: Event) {
        match event {
            Event::Start(tag) => self.start(&tag),
            Event::End(tag) => self.end(tag),
            Event::Text(text) if self.code.is_some() => {
                self.code.get_or_insert_default().push_str(&text);
            }
            Event::Text(text) => self.text(&text),
            Event::Code(text) => self.line.push(bold(text.into_string())),
            Event::SoftBreak | Event::HardBreak => self.line.push(roman(" ")),
            _ => {}
        }
    }

    fn text(&mut self, text: &str) {
        let text = text.to_owned();
        self.line.push(match (self.is_strong, self.is_stressed) {
            (true, _) => bold(text),
            (false, true) => italic(text),
            (false, false) => roman(text),
        });
    }

    fn start(&mut self, tag: &Tag) {
        match tag {
            Tag::Heading { level, .. } => self.is_left_out = *level as u8 == 1,
            Tag::TableHead => self.is_left_out = true,
            Tag::TableRow | Tag::TableCell if self.cell.is_none() => self.cell = Some(0),
            Tag::Strong => self.is_strong = true,
            Tag::Emphasis => self.is_stressed = true,
            Tag::CodeBlock(_) => self.code = Some(String::new()),
            Tag::Item => {
                self.out.control("IP", ["\\(bu", "2"]);
                self.is_in_item = true;
            }
            Tag::Paragraph if !self.is_in_item => self.begin(),
            _ => {}
        }
    }

    fn begin(&mut self) {
        if !std::mem::take(&mut self.is_begun) {
            self.out.control("PP", []);
        }
    }

    fn end(&mut self, tag: TagEnd) {
        match tag {
            TagEnd::Heading(_) => {
                let line = std::mem::take(&mut self.line);
                if !std::mem::take(&mut self.is_left_out) {
                    let text: String = line.iter().map(words).collect();
                    self.out.control("SH", [text.to_uppercase().as_str()]);
                    self.is_begun = true;
                }
            }
            TagEnd::Strong => self.is_strong = false,
            TagEnd::Emphasis => self.is_stressed = false,
            TagEnd::TableHead => {
                self.is_left_out = false;
                self.line.clear();
                self.cell = None;
            }
            TagEnd::TableCell if self.is_left_out => {}
            TagEnd::TableCell => self.cell(),
            TagEnd::TableRow => self.cell = None,
            TagEnd::CodeBlock => self.block(),
            TagEnd::Paragraph | TagEnd::Item => {
                self.flush();
                self.is_in_item &= tag != TagEnd::Item;
            }
            _ => {}
        }
    }

    /// The first cell of a row is what the others are about.
    fn cell(&mut self) {
        let nth = self.cell.get_or_insert(0);
        let is_first = *nth == 0;
        *nth += 1;
        if is_first {
            self.out.control("TP", []);
            self.is_begun = false;
        }
        if self.line.is_empty() && !is_first {
            return;
        }
        self.flush();
    }

    fn block(&mut self) {
        let code = self.code.take().unwrap_or_default();
        self.begin();
        self.out.control("RS", ["4"]).control("EX", []);
        for line in code.lines() {
            // A line of its own for each, also an empty one.
            self.out.text([roman(if line.is_empty() { " ".to_owned() } else { line.to_owned() })]);
        }
        self.out.control("EE", []).control("RE", []);
    }

    fn flush(&mut self) {
        let line = std::mem::take(&mut self.line);
        if !line.is_empty() {
            self.out.text(line);
        }
    }
}

fn words(inline: &Inline) -> String {
    match inline {
        Inline::Roman(text) | Inline::Italic(text) | Inline::Bold(text) => text.clone(),
        Inline::LineBreak => " ".to_owned(),
    }
}
