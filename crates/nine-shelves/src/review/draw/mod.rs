//! What is drawn: the list at the left, the item or what is asked at the right, the bookcase below.

mod dialog;
mod item;
mod list;
mod picture;

use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

use super::app::{App, Message, Side};
use super::dialog::Mode;
use super::keys::KEYS;

pub use picture::in_pixels as picture_in_pixels;

/// The least window in which anything can be read.
const LEAST: (u16, u16) = (40, 10);

/// From how many columns on both sides stand beside one another.
const BOTH: u16 = 100;

/// From how many lines on the bookcase is drawn, and told in one line.
const DRAWN: u16 = 30;
const TOLD: u16 = 18;

/// Draws all of it.
pub fn all(frame: &mut Frame, app: &mut App) {
    let area = frame.area();
    if area.width < LEAST.0 || area.height < LEAST.1 {
        let words =
            format!("{} x {} is too small; {} x {} at least", area.width, area.height, LEAST.0, LEAST.1);
        frame.render_widget(Paragraph::new(words), area);
        return;
    }
    let below = bookcase(app, area);
    let used = u16::try_from(below.len()).unwrap_or(0);
    let row = |y: u16, height: u16| Rect { y: area.y + y, height, ..area };
    frame.render_widget(Paragraph::new(title(app, area.width)), row(0, 1));
    let main = row(2, area.height.saturating_sub(used + 4));
    sides(frame, app, main);
    frame.render_widget(Paragraph::new(below), row(area.height - used - 2, used));
    frame.render_widget(Paragraph::new(message(app, area.width)), row(area.height - 2, 1));
    frame.render_widget(Paragraph::new(keys_of_the_moment(app, area.width)), row(area.height - 1, 1));
}

/// The list and what stands beside it, or one of them.
fn sides(frame: &mut Frame, app: &mut App, area: Rect) {
    let is_asking = !matches!(app.mode, Mode::List);
    app.areas.list = Rect::default();
    app.areas.side = Rect::default();
    if area.width < BOTH {
        match app.side {
            Side::List if !is_asking => list::draw(frame, app, area),
            _ => right(frame, app, area),
        }
        return;
    }
    let left = Rect { width: area.width * 48 / 100, ..area };
    let rest = Rect { x: left.x + left.width + 3, width: area.width - left.width - 3, ..area };
    list::draw(frame, app, left);
    let bar = if app.paint.ascii { "|" } else { "│" };
    let bars: Vec<Line> = (0..area.height).map(|_| Line::from(app.paint.faint(bar))).collect();
    frame.render_widget(Paragraph::new(bars), Rect { x: left.x + left.width + 1, width: 1, ..area });
    right(frame, app, rest);
}

fn right(frame: &mut Frame, app: &mut App, area: Rect) {
    match app.mode {
        Mode::List => {
            app.areas.side = area;
            item::draw(frame, app, area);
        }
        _ => dialog::draw(frame, app, area),
    }
}

/// What is gone through, and how far it is.
fn title(app: &App, width: u16) -> Line<'static> {
    let progress = app.open.review.progress();
    let left: u64 = app.open.left.values().sum();
    let many = |number: usize| count(number as u64);
    let mut told = vec![
        counted(progress.items as u64, "item", "items"),
        format!("{} to be done", many(progress.wanted)),
        format!("{} left", many(progress.left)),
        format!("{} open", many(progress.open())),
    ];
    if left > 0 {
        let why: Vec<String> =
            app.open.left.iter().map(|(why, number)| format!("{} {}", count(*number), why.words())).collect();
        told.push(format!("not shown: {}", why.join(", ")));
    }
    let separator = if app.paint.ascii { " - " } else { " · " };
    let command = app.paint.text(&plain(app.open.command()));
    let command = app.paint.short(&command, usize::from(width) / 2);
    let room = usize::from(width).saturating_sub(command.width() + 3);
    while told.len() > 1 && told.join(separator).width() > room {
        told.pop();
    }
    Line::from(vec![app.paint.strong(command), app.paint.plain("   "), app.paint.faint(told.join(separator))])
}

/// The bookcase with what the decisions add to it: drawn, told in a line, or left out where there is no room.
fn bookcase(app: &mut App, area: Rect) -> Vec<Line<'static>> {
    if area.height < TOLD {
        return Vec::new();
    }
    let (paint, look) = (app.paint, app.paint.look(usize::from(area.width)));
    let is_drawn = area.height >= DRAWN;
    let Some(rows) = app.shelf_rows() else {
        return if is_drawn { vec![Line::default(), Line::default()] } else { vec![Line::default()] };
    };
    let rows: Vec<_> = rows.iter().map(|row| (row, String::new())).collect();
    if is_drawn {
        let drawn = crate::output::bookcase::lines(&look, &rows);
        let lines = drawn.into_iter().map(|line| paint.line(line));
        return std::iter::once(Line::default()).chain(lines).collect();
    }
    let mut spans: Vec<Span> = Vec::new();
    for (row, _) in &rows {
        let added: u64 = row.spines.iter().map(|spine| spine.added).sum();
        let number = row.name.chars().next().unwrap_or(' ').to_string();
        spans.push(paint.faint(format!("{number} ")));
        spans.push(match added {
            0 => paint.faint("0   "),
            added => paint.change(format!("+{}   ", count(added))),
        });
    }
    vec![Line::from(spans)]
}

/// What happened last.
fn message(app: &App, width: u16) -> Line<'static> {
    let width = usize::from(width);
    match &app.message {
        Some(Message::Done(text)) => {
            let text = app.paint.text(text);
            let offer = offer(app, width - text.width().min(width * 2 / 5));
            let room = width.saturating_sub(Line::from(offer.clone()).width());
            let done = app.paint.change(app.paint.short(&text, room));
            Line::from([vec![done], offer].concat())
        }
        Some(Message::Refused(text)) => {
            let text = app.paint.short(&app.paint.text(text), width.saturating_sub(2));
            Line::from(app.paint.refused(format!("x {text}")))
        }
        None => Line::default(),
    }
}

/// What is offered after a decision, in at most so many columns.
fn offer(app: &App, width: usize) -> Vec<Span<'static>> {
    let paint = app.paint;
    let Some(offer) = &app.offer else { return Vec::new() };
    let all = paint.text(&format!(" the same for {}", offer.alike));
    let spans =
        vec![paint.plain("   "), paint.strong("="), paint.faint(paint.short(&all, width.saturating_sub(4)))];
    let rule = vec![paint.plain("   "), paint.strong("m"), paint.faint(" make a rule of it")];
    let wide = |spans: &[Span]| spans.iter().map(Span::width).sum::<usize>();
    if offer.is_rule && wide(&spans) + wide(&rule) <= width { [spans, rule].concat() } else { spans }
}

/// The keys of the moment; those that end and help are always told.
fn keys_of_the_moment(app: &App, width: u16) -> Line<'static> {
    let told: Vec<(&str, &str)> = match &app.mode {
        Mode::List if app.side == Side::Item && app.areas.list.width == 0 => {
            vec![
                ("Tab", "the list"),
                ("up down", "scroll"),
                ("space", "take"),
                ("1-9", "shelf"),
                ("l", "leave"),
            ]
        }
        Mode::List => {
            KEYS.iter().filter(|row| !row.short.is_empty()).map(|row| (row.keys, row.short)).collect()
        }
        Mode::Folders(_) => {
            vec![
                ("type", "a part of a folder, or a new one"),
                ("Enter", "put it there"),
                ("Esc", "back"),
                ("up down", "move"),
            ]
        }
        Mode::Choose(choose) if choose.filter.is_some() => {
            vec![("type", "a part of it"), ("up down", "move"), ("Enter", "choose"), ("Esc", "back")]
        }
        Mode::Choose(_) => {
            vec![("up down", "move"), ("Enter", "choose"), ("1-9", "choose at once"), ("Esc", "back")]
        }
        Mode::Prompt(prompt) if prompt.offers.is_empty() => vec![("Enter", "done"), ("Esc", "back")],
        Mode::Prompt(_) => vec![("Tab", "what is offered"), ("Enter", "done"), ("Esc", "back")],
        Mode::Alike(_) => vec![("up down", "look at them"), ("Enter", "the same for all"), ("Esc", "back")],
        Mode::Rule(_) => vec![("Enter", "write it with the run"), ("Esc", "back")],
        Mode::Help(_) => vec![("up down", "scroll"), ("Esc", "back")],
    };
    let always: &[(&str, &str)] =
        if matches!(app.mode, Mode::List) { &[("?", "help"), ("q", "end")] } else { &[] };
    let wide = |(key, word): &(&str, &str)| key.width() + word.width() + 3;
    let mut room = usize::from(width).saturating_sub(always.iter().map(wide).sum::<usize>());
    let mut shown: Vec<(&str, &str)> = Vec::new();
    for key in told.into_iter().filter(|(key, _)| !matches!(*key, "?" | "q Esc")) {
        if wide(&key) > room {
            break;
        }
        room -= wide(&key);
        shown.push(key);
    }
    let spans = shown
        .iter()
        .chain(always)
        .flat_map(|(key, word)| [app.paint.strong(key.to_string()), app.paint.faint(format!(" {word}  "))]);
    Line::from(spans.collect::<Vec<_>>())
}
