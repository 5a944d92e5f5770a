//! The program's own weights and colours, as the screen takes them.

use anstyle::{AnsiColor, Color as Ansi, Effects};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};

use crate::output::Look;
use crate::output::bookcase::StyledLine;
use crate::output::style::{CHANGE, FAINT, PLAIN, REFUSED, STRONG};
use crate::output::table::shorten;

/// How the screen is painted.
#[derive(Debug, Clone, Copy)]
pub struct Paint {
    /// Whether there are colours.
    pub color: bool,
    /// Whether only ASCII is understood.
    pub ascii: bool,
}

impl Paint {
    pub fn style(self, style: anstyle::Style) -> Style {
        let mut out = Style::new();
        let effects = style.get_effects();
        if effects.contains(Effects::BOLD) {
            out = out.add_modifier(Modifier::BOLD);
        }
        if effects.contains(Effects::DIMMED) {
            out = out.add_modifier(Modifier::DIM);
        }
        match style.get_fg_color() {
            Some(Ansi::Ansi(color)) if self.color => out.fg(of_ansi(color)),
            _ => out,
        }
    }

    pub fn span(self, style: anstyle::Style, text: impl Into<String>) -> Span<'static> {
        Span::styled(text.into(), self.style(style))
    }

    pub fn plain(self, text: impl Into<String>) -> Span<'static> {
        self.span(PLAIN, text)
    }

    pub fn strong(self, text: impl Into<String>) -> Span<'static> {
        self.span(STRONG, text)
    }

    pub fn faint(self, text: impl Into<String>) -> Span<'static> {
        self.span(FAINT, text)
    }

    pub fn change(self, text: impl Into<String>) -> Span<'static> {
        self.span(CHANGE, text)
    }

    pub fn refused(self, text: impl Into<String>) -> Span<'static> {
        self.span(REFUSED, text)
    }

    /// A line that tables print, as the screen draws it.
    pub fn line(self, line: StyledLine) -> Line<'static> {
        Line::from(line.into_iter().map(|(style, text)| self.span(style, text)).collect::<Vec<_>>())
    }

    /// The line under the cursor. Faint letters would make it look like two.
    pub fn lit(self, line: Line<'static>) -> Line<'static> {
        let strong = |span: Span<'static>| span.patch_style(Style::new().remove_modifier(Modifier::DIM));
        let spans: Vec<_> = line.spans.into_iter().map(strong).collect();
        Line::from(spans).style(Style::new().add_modifier(Modifier::REVERSED))
    }

    /// How lines of so many columns are set.
    pub fn look(self, width: usize) -> Look {
        Look { width, ascii: self.ascii, terminal: true, color: self.color }
    }

    /// Text that is already safe, in the characters that are understood here.
    pub fn text(self, text: &str) -> String {
        self.look(0).text(&in_known_widths(text))
    }

    /// A text shortened in its middle.
    pub fn short(self, text: &str, width: usize) -> String {
        shorten(text, width, self.ascii).into_owned()
    }

    pub fn arrow(self) -> &'static str {
        if self.ascii { "->" } else { "→" }
    }

    /// A text in lines of at most so many columns.
    pub fn wrapped(
        self,
        style: anstyle::Style,
        text: &str,
        indent: usize,
        width: usize,
    ) -> Vec<Line<'static>> {
        let lines = self.look(width).lines(&in_known_widths(text), indent);
        lines
            .into_iter()
            .map(|line| Line::from(self.span(style, format!("{}{line}", " ".repeat(indent)))))
            .collect()
    }
}

/// A text without what joins or varies emoji. Terminals differ in how many columns such a sequence takes, and where one
/// takes more than was counted, the rest of the line is drawn over other things.
fn in_known_widths(text: &str) -> String {
    let mut left = text.chars().peekable();
    let mut out = String::with_capacity(text.len());
    while let Some(c) = left.next() {
        let is_dropped = match c {
            '\u{200d}' => !left.peek().is_some_and(|next| next.is_alphabetic()),
            '\u{fe0e}' | '\u{fe0f}' | '\u{1f3fb}'..='\u{1f3ff}' => true,
            _ => false,
        };
        if !is_dropped {
            out.push(c);
        }
    }
    out
}

fn of_ansi(color: AnsiColor) -> Color {
    match color {
        AnsiColor::Red => Color::Red,
        AnsiColor::Green => Color::Green,
        AnsiColor::Yellow => Color::Yellow,
        AnsiColor::Blue => Color::Blue,
        AnsiColor::Magenta => Color::Magenta,
        AnsiColor::Cyan => Color::Cyan,
        _ => Color::Reset,
    }
}

#[cfg(test)]
mod tests {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

    use super::*;

    #[test]
    fn a_text_takes_as_many_columns_as_its_letters() {
        let paint = Paint { color: true, ascii: false };
        for (text, shown) in [
            ("👩\u{200d}🎨 artist", "👩🎨 artist"),
            ("❤\u{fe0f} list", "❤ list"),
            ("👍🏽 done", "👍 done"),
            ("क\u{94d}\u{200d}ष", "क\u{94d}\u{200d}ष"),
            ("plain", "plain"),
        ] {
            assert_eq!(paint.text(text), shown);
            let letters: usize = shown.chars().filter_map(UnicodeWidthChar::width).sum();
            assert_eq!(shown.width(), letters, "{shown}");
        }
    }
}
