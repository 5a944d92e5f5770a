//! Pictures: two pixels in each cell, one above the other, or an area for a picture in pixels.

use nine_stores::reading::Raster;
use ratatui::layout::Rect;
use ratatui::style::{Color, Style};
use ratatui::text::{Line, Span};

use super::super::app::{App, Side};
use super::super::dialog::Mode;

/// The lines of a picture in the terminal's own characters.
pub fn half_blocks(app: &App, picture: &Raster) -> Vec<Line<'static>> {
    if !app.paint.color {
        return vec![Line::from(app.paint.faint("a picture, which needs colours to be shown"))];
    }
    let color = |column: usize, row: usize| of_pixel(picture.pixel(column, row));
    let line = |top: usize| {
        let cell = |column: usize| {
            let upper = color(column, top);
            let lower = (top + 1 < picture.height).then(|| color(column, top + 1));
            match (app.paint.ascii, lower) {
                (true, _) => Span::styled(" ", Style::new().bg(upper)),
                (false, Some(lower)) => Span::styled("▀", Style::new().fg(upper).bg(lower)),
                (false, None) => Span::styled("▀", Style::new().fg(upper)),
            }
        };
        Line::from((0..picture.width).map(cell).collect::<Vec<_>>())
    };
    (0..picture.height).step_by(2).map(line).collect()
}

/// A colour as the terminal has it: any, or the nearest of its 216 (ECMA-48 colours 16 to 231 as xterm has them).
fn of_pixel((red, green, blue): (u8, u8, u8)) -> Color {
    let any = std::env::var("COLORTERM").is_ok_and(|word| matches!(word.as_str(), "truecolor" | "24bit"));
    if any {
        return Color::Rgb(red, green, blue);
    }
    let step = |value: u8| (u16::from(value) * 5 + 127) / 255;
    Color::Indexed((16 + 36 * step(red) + 6 * step(green) + step(blue)) as u8)
}

/// Where a picture in pixels belongs now, and of which item it is.
pub fn in_pixels(app: &App) -> Option<(usize, Rect)> {
    app.cell_pixels?;
    let is_shown = matches!(app.mode, Mode::List) && app.side_top == 0;
    let has_side = app.areas.side.width > 0 && (app.areas.list.width > 0 || app.side == Side::Item);
    app.look()?.picture.as_ref()?;
    (is_shown && has_side).then_some((app.list.current()?, app.areas.picture))
}
