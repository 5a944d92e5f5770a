//! The list at the left.

use nine_core::amount::{counted, readable};
use nine_core::review::{Group, GroupKey, ReviewItem, State};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

use super::super::app::{App, Side};
use super::super::dialog::Mode;
use super::super::list::Row;
use super::super::words;
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, REFUSED, STRONG};

/// The columns of a size and of an age.
const SIZE: usize = 9;
const AGE: usize = 10;

/// Columns below which a shortened target tells nothing.
const SHORTEST: usize = 12;

/// From how many columns on ages are told.
const WITH_AGE: usize = 56;

pub fn draw(frame: &mut Frame, app: &mut App, area: Rect) {
    app.areas.list = area;
    let shown = app.list.shown(usize::from(area.height));
    let cursor = app.list.cursor();
    let lines: Vec<Line> = shown
        .map(|at| match app.list.rows[at] {
            Row::Gap => Line::default(),
            Row::Heading(group) => heading(app, group, usize::from(area.width)),
            Row::Item(item) => {
                let group = app.list.group_of(at).map(|group| group_words(app, group)).unwrap_or_default();
                item_line(app, item, &group, at == cursor, usize::from(area.width))
            }
        })
        .collect();
    frame.render_widget(Paragraph::new(lines), area);
}

/// What the items of a group share.
fn group_words(app: &App, group: &Group) -> String {
    words::group(&group.key, app.names_places(), |spot| app.is_shelf(spot))
}

fn heading(app: &App, group: usize, width: usize) -> Line<'static> {
    let decided = app.list.decided(group);
    let group = &app.list.groups[group];
    let mut figures = counted(group.items.len() as u64, "item", "items");
    if decided > 0 {
        figures.push_str(&format!(", {decided} decided"));
    }
    let text = app.paint.text(&group_words(app, group));
    let arrow = match group.key {
        GroupKey::Into(_) | GroupKey::Trash => format!("{} ", app.paint.arrow()),
        _ => String::new(),
    };
    let text = app.paint.short(&text, width.saturating_sub(figures.width() + arrow.width() + 2));
    Line::from(vec![app.paint.strong(format!("{arrow}{text}")), app.paint.faint(format!("  {figures}"))])
}

/// The mark of an item and how it is written: each state has a mark of its own, so that colour alone tells nothing.
fn mark(item: &ReviewItem) -> (&'static str, anstyle::Style) {
    let refused = item.concerns().is_some_and(|concerns| concerns.refused.is_some());
    match item.state {
        State::Wanted if refused => ("x", REFUSED),
        State::Wanted
            if matches!(item.proposal.exactly(), Some(nine_core::worklist::Act::Discard { .. })) =>
        {
            ("-", CHANGE)
        }
        State::Wanted => ("+", CHANGE),
        State::Left => ("=", FAINT),
        State::Gone => (" ", FAINT),
        State::Open if refused => ("x", REFUSED),
        State::Open if item.is_in_doubt() => ("?", DOUBT),
        State::Open => (" ", PLAIN),
    }
}

fn item_line(app: &App, at: usize, group: &str, is_current: bool, width: usize) -> Line<'static> {
    let item = &app.open.review.items()[at];
    let (mark, mark_style) = mark(item);
    let size = if item.proposal.size == 0 { "-".to_owned() } else { readable(item.proposal.size) };
    let age = match width >= WITH_AGE {
        true => format!("{:>AGE$}", app.session.now().age(item.proposal.modified)),
        false => String::new(),
    };
    let figures = format!("{size:>SIZE$}{age}");
    let room = width.saturating_sub(4 + figures.width() + 1);
    let name_style = if item.state == State::Left {
        FAINT
    } else if item.is_proposed() {
        STRONG
    } else {
        PLAIN
    };
    let pointer = if is_current { "> " } else { "  " };
    let mut spans = vec![app.paint.plain(pointer), app.paint.span(mark_style, format!("{mark} "))];
    spans.extend(name(app, item, group, room, name_style));
    spans.push(app.paint.plain(" "));
    let is_lit = is_current && app.side == Side::List && matches!(app.mode, Mode::List);
    spans.push(app.paint.faint(figures));
    let line = Line::from(spans);
    if is_lit { app.paint.lit(line) } else { line }
}

/// The name, and behind it where it goes if that is otherwise than its group says.
fn name(app: &App, item: &ReviewItem, group: &str, room: usize, style: anstyle::Style) -> Vec<Span<'static>> {
    let name = app.paint.text(&words::name(&item.proposal));
    let goes = app.paint.text(&goes(app, item, group));
    // The name goes before: the target stands at the right too. Of what is not decided it is told where there is room.
    let free = room.saturating_sub(name.width());
    let most = match item.state {
        State::Open if free < (goes.width() + 2).min(SHORTEST) => 0,
        State::Open => free,
        _ => free.max(room * 2 / 5),
    };
    let for_goes = if goes.is_empty() { 0 } else { (goes.width() + 2).min(most) };
    let name = app.paint.short(&name, room - for_goes);
    let goes =
        if for_goes > 2 { app.paint.short(&goes, room - name.width().min(room) - 2) } else { String::new() };
    let pad = room.saturating_sub(name.width() + if goes.is_empty() { 0 } else { goes.width() + 2 });
    let mut spans = vec![app.paint.span(style, name)];
    if !goes.is_empty() {
        let style = if item.state == State::Wanted { CHANGE } else { FAINT };
        spans.push(app.paint.span(style, format!("  {goes}")));
    }
    spans.push(app.paint.plain(" ".repeat(pad)));
    spans
}

/// Where an item goes, what it is called there and the tags that it gets, as far as its group does not say so.
fn goes(app: &App, item: &ReviewItem, group: &str) -> String {
    let target = match item.state {
        State::Left => return "left".to_owned(),
        State::Gone => return "not what it was".to_owned(),
        State::Wanted | State::Open => {
            words::target(&item.proposal, app.names_places(), |spot| app.is_shelf(spot))
        }
    };
    let target = target.and_then(|target| {
        let rest = target.strip_prefix(group).filter(|rest| rest.is_empty() || rest.starts_with(" as "));
        match rest.map(str::trim_start) {
            Some("") => None,
            Some(rest) => Some(rest.to_owned()),
            None => Some(format!("{} {target}", app.paint.arrow())),
        }
    });
    [target, words::tags(&item.proposal)].into_iter().flatten().collect::<Vec<_>>().join("  ")
}
