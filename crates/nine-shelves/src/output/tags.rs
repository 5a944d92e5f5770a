//! Tags as people see them: with the marks and colours of the configuration.

use anstyle::{AnsiColor, Style};
use nine_core::config::{Color, Config};
use nine_core::escape::plain;

use super::Look;
use super::style::PLAIN;

/// The style of a tag.
pub fn style(config: &Config, tag: &str) -> Style {
    style_of(config.tag_look(tag).and_then(|look| look.color))
}

/// The style in which something of a colour is written.
pub fn style_of(color: Option<Color>) -> Style {
    color.map_or(PLAIN, |color| {
        let ansi = match color {
            Color::Red => AnsiColor::Red,
            Color::Green => AnsiColor::Green,
            Color::Yellow => AnsiColor::Yellow,
            Color::Blue => AnsiColor::Blue,
            Color::Magenta => AnsiColor::Magenta,
            Color::Cyan => AnsiColor::Cyan,
        };
        ansi.on_default()
    })
}

/// A tag with its mark before it. Where only ASCII is understood the mark is left out.
pub fn marked(config: &Config, look: &Look, tag: &str) -> String {
    let mark = config.tag_look(tag).and_then(|look| look.mark.as_deref()).filter(|_| !look.ascii);
    match mark {
        Some(mark) => format!("{} {}", plain(mark), plain(tag)),
        None => plain(tag),
    }
}

/// Tags in one cell.
pub fn shown(config: &Config, look: &Look, tags: &[String]) -> String {
    tags.iter().map(|tag| marked(config, look, tag)).collect::<Vec<_>>().join(", ")
}
