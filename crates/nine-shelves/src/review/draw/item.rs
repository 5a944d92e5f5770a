//! What the item under the cursor is: facts, what is proposed and why, doubts, a clash, and a look inside.

use nine_core::amount::{counted, readable};
use nine_core::escape::{escape, plain};
use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::plan::ClashFound;
use nine_core::review::{ReviewItem, State};
use nine_core::worklist::{Act, Doubt};
use nine_engine::review::{FolderInside, InsideAnswer};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use unicode_width::UnicodeWidthStr;

use super::super::app::App;
use super::super::words;
use super::picture;
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, REFUSED, STRONG};

/// The column in which facts stand.
const FACTS: usize = 11;

pub fn draw(frame: &mut Frame, app: &mut App, area: Rect) {
    let Some(item) = app.item() else {
        let words = Line::from(app.paint.faint("There is nothing here."));
        frame.render_widget(Paragraph::new(words), area);
        return;
    };
    let pane = Pane { app, width: usize::from(area.width) };
    let mut lines = pane.lines(item);
    // What is left below the words is for a picture, and half of the side at least.
    let words = u16::try_from(lines.len()).unwrap_or(area.height);
    let room = Rect { height: area.height.saturating_sub(words).max(area.height / 2).max(1), ..area };
    let picture = app.look().and_then(|look| look.picture.as_ref());
    let drawn =
        picture.filter(|_| app.cell_pixels.is_none()).map(|picture| picture::half_blocks(app, picture));
    lines.extend(drawn.unwrap_or_default());
    let most = lines.len().saturating_sub(1);
    app.side_top = app.side_top.min(most);
    app.areas.picture = Rect { y: area.y + words.min(area.height - room.height), ..room };
    let lines: Vec<Line> = lines.split_off(app.side_top);
    frame.render_widget(Paragraph::new(lines), area);
}

struct Pane<'p, 'a, 'w> {
    app: &'p App<'a, 'w>,
    width: usize,
}

impl Pane<'_, '_, '_> {
    fn lines(&self, item: &ReviewItem) -> Vec<Line<'static>> {
        let mut lines = self.wrapped(STRONG, &words::name(&item.proposal), 0);
        lines.extend(self.facts(item));
        lines.push(Line::default());
        lines.extend(self.proposed(item));
        lines.extend(self.against(item));
        lines.push(Line::default());
        lines.extend(self.inside(item));
        lines
    }

    fn wrapped(&self, style: anstyle::Style, text: &str, indent: usize) -> Vec<Line<'static>> {
        self.app.paint.wrapped(style, text, indent, self.width)
    }

    fn fact(&self, name: &str, value: &str, note: &str) -> Line<'static> {
        let paint = self.app.paint;
        let room = self.width.saturating_sub(FACTS);
        let value = paint.short(&paint.text(value), room);
        let note = match room.saturating_sub(value.width() + 2) {
            few if few < note.width() => String::new(),
            _ if note.is_empty() => String::new(),
            _ => format!("  {}", paint.text(note)),
        };
        Line::from(vec![paint.faint(format!("{name:<FACTS$}")), paint.plain(value), paint.faint(note)])
    }

    /// A fact that is told whole, in as many lines as it takes.
    fn explained(&self, name: &str, text: &str) -> Vec<Line<'static>> {
        let mut lines = self.wrapped(PLAIN, text, FACTS);
        if let Some(first) = lines.first_mut() {
            let text: String = first.spans.iter().map(|span| span.content.as_ref()).collect();
            let paint = self.app.paint;
            *first = Line::from(vec![
                paint.faint(format!("{name:<FACTS$}")),
                paint.plain(text.trim_start().to_owned()),
            ]);
        }
        lines
    }

    fn facts(&self, item: &ReviewItem) -> Vec<Line<'static>> {
        let (proposal, now) = (&item.proposal, self.app.session.now());
        let what = match proposal.kind {
            Kind::Folder => "folder".to_owned(),
            Kind::Link => "link".to_owned(),
            _ => item.item_type().word().to_owned(),
        };
        let age = now.age(proposal.modified);
        let mut lines = vec![
            self.fact("in", &proposal.item.folder().to_string(), ""),
            self.fact("size", &readable(proposal.size), &what),
            self.fact("changed", &now.minute(proposal.modified).replace('T', " "), &age),
        ];
        let tags = nine_core::tags::to_attribute(&proposal.tags).replace(',', ", ");
        if !proposal.tags.is_empty() {
            lines.push(self.fact("tags", &plain(&tags), ""));
        }
        if !proposal.note_tags.is_empty() {
            lines.push(self.fact("tags", &plain(&proposal.note_tags.join(", ")), "in its text"));
        }
        if let Some(sender) = item.sender.as_deref() {
            lines.push(self.fact("sender", &plain(sender), ""));
        }
        // The sender stands above, and the measures of a picture above it.
        let is_picture = self.app.look().is_some_and(|look| look.picture.is_some());
        let is_told = |name: &str| match name {
            "sender" => item.sender.is_some(),
            "width" | "height" => is_picture,
            _ => false,
        };
        let said = self.app.said().into_iter().filter(|(name, _)| !is_told(name));
        lines.extend(said.map(|(name, value)| self.fact(name, &plain(&value), "")));
        lines
    }

    /// What is proposed or decided, and why.
    fn proposed(&self, item: &ReviewItem) -> Vec<Line<'static>> {
        let (proposal, paint) = (&item.proposal, self.app.paint);
        let mut lines = Vec::new();
        let target = words::target(proposal, self.app.names_places(), |spot| self.app.is_shelf(spot));
        let style = if item.state == State::Left { FAINT } else { CHANGE };
        if let Some(target) = &target {
            lines.extend(self.wrapped(style, &format!("{} {target}", paint.arrow()), 0));
        }
        if let Some(tags) = words::tags(proposal) {
            lines.extend(self.wrapped(style, &format!("tags {tags}"), 0));
        }
        if lines.is_empty() {
            lines.push(Line::from(paint.faint("nothing is proposed for it")));
        }
        if let Some(Act::Discard { copy_of: Some(original) }) = proposal.exactly() {
            lines.push(self.fact("stays", &self.spot(&original.item), "the same bytes"));
        }
        if !proposal.why.is_empty() {
            let mut reasons = proposal.why.lines();
            lines.extend(self.explained("why", &plain(reasons.next().unwrap_or_default())));
            reasons.for_each(|reason| lines.extend(self.explained("", &plain(reason))));
        }
        for (facet, value) in &proposal.answers {
            let known = value.as_deref().map_or_else(|| "not known".to_owned(), plain);
            lines.push(self.fact(facet, &known, if value.is_none() { "f answers it" } else { "" }));
        }
        if !proposal.followers.is_empty() {
            let names: Vec<String> =
                proposal.followers.iter().map(|follower| escape(follower.item.path.name())).collect();
            lines.push(self.fact("with it", &names.join(", "), ""));
        }
        lines.push(self.fact("decided", words::state(item), ""));
        lines
    }

    fn spot(&self, spot: &Spot) -> String {
        words::folder(spot, self.app.names_places(), self.app.is_shelf(spot))
    }

    /// Doubts and what cannot be, in words; at a clash both sides.
    fn against(&self, item: &ReviewItem) -> Vec<Line<'static>> {
        let now = self.app.session.now();
        let mut lines = Vec::new();
        let clash = item.concerns().and_then(|concerns| concerns.clash.as_ref());
        for doubt in item.doubts() {
            // A name that is taken is told by its two sides.
            if clash.is_some() && matches!(doubt, Doubt::Clash { .. }) {
                continue;
            }
            lines.extend(self.marked("? ", DOUBT, &doubt.words(now)));
        }
        if let Some(why) = item.concerns().and_then(|concerns| concerns.refused.as_ref()) {
            lines.extend(self.marked("x ", REFUSED, &format!("cannot be done: {why}")));
        }
        lines.extend(clash.map(|clash| self.clash(item, clash)).unwrap_or_default());
        lines
    }

    fn marked(&self, mark: &str, style: anstyle::Style, text: &str) -> Vec<Line<'static>> {
        let mut lines = self.wrapped(style, text, 2);
        if let Some(first) = lines.first_mut() {
            let text: String = first.spans.iter().map(|span| span.content.as_ref()).collect();
            *first = Line::from(self.app.paint.span(style, format!("{mark}{}", text.trim_start())));
        }
        lines
    }

    /// Both sides of a clash with what differs.
    fn clash(&self, item: &ReviewItem, clash: &ClashFound) -> Vec<Line<'static>> {
        let (paint, now) = (self.app.paint, self.app.session.now());
        let rival = clash.rival.and_then(|at| self.app.open.review.items().get(at));
        let theirs = match (&clash.theirs, rival) {
            (Some(entry), _) => Some((self.spot(&clash.at), entry.kind, entry.size, entry.modified)),
            (None, Some(rival)) => {
                let rival = &rival.proposal;
                Some((self.spot(&rival.item), rival.kind, rival.size, rival.modified))
            }
            (None, None) => None,
        };
        let mut lines =
            self.marked("? ", DOUBT, &format!("the name is taken: {}; c decides it", self.spot(&clash.at)));
        let Some((at, kind, size, modified)) = theirs else { return lines };
        let ours = &item.proposal;
        let wide = self.width.saturating_sub(FACTS + 2) / 2;
        let mut row = |name: &str, this: String, other: String| {
            let differs = this != other;
            let style = if differs { PLAIN } else { FAINT };
            let cell = |text: &str| format!("{:<wide$}", paint.short(&paint.text(text), wide));
            lines.push(Line::from(vec![
                paint.faint(format!("{name:<FACTS$}")),
                paint.span(style, cell(&this)),
                paint.plain("  "),
                paint.span(style, paint.short(&paint.text(&other), wide)),
            ]));
        };
        row("", "this one".into(), "the other".into());
        row("at", ours.item.to_string(), at);
        row("size", readable(ours.size), readable(size));
        row("changed", now.minute(ours.modified), now.minute(modified));
        if ours.kind != kind {
            let word = |kind| if kind == Kind::Folder { "a folder" } else { "a file" }.to_owned();
            row("is", word(ours.kind), word(kind));
        }
        let same = item.doubts().find_map(|doubt| match doubt {
            Doubt::Clash { same, answer, .. } => Some((*same, answer.words())),
            _ => None,
        });
        if let Some((same, answer)) = same {
            let bytes = match same {
                Some(true) => "the same in both",
                Some(false) => "other ones",
                None => "not compared",
            };
            lines.push(self.fact("bytes", bytes, ""));
            lines.push(self.fact("as it is", &answer, ""));
        }
        lines
    }

    fn inside(&self, item: &ReviewItem) -> Vec<Line<'static>> {
        let Some(look) = self.app.look() else {
            let words = if item.proposal.kind == Kind::Other { "" } else { "looking inside" };
            return vec![Line::from(self.app.paint.faint(words))];
        };
        let mut lines = match &look.folder {
            Some(folder) => self.folder(folder),
            None => self.words(look),
        };
        if !look.note.is_empty() {
            lines.extend(self.wrapped(FAINT, &look.note, 0));
        }
        lines
    }

    fn words(&self, look: &InsideAnswer) -> Vec<Line<'static>> {
        let paint = self.app.paint;
        let line = |text: &String| Line::from(paint.plain(cut(&paint.text(text), self.width)));
        look.lines.iter().map(line).collect()
    }

    fn folder(&self, folder: &FolderInside) -> Vec<Line<'static>> {
        let paint = self.app.paint;
        let now = self.app.session.now();
        let mut lines = vec![Line::from(paint.faint(counted(folder.files, "file in it", "files in it")))];
        if folder.files == 0 {
            return lines;
        }
        let room = self.width.saturating_sub(12);
        let row = |path: &str, figure: String| {
            let path = paint.short(&paint.text(path), room);
            let pad = " ".repeat(room.saturating_sub(path.width()));
            Line::from(vec![paint.plain(format!("{path}{pad}")), paint.faint(format!("{figure:>12}"))])
        };
        lines.push(Line::from(paint.strong("biggest")));
        lines.extend(folder.biggest.iter().map(|(path, size)| row(path, readable(*size))));
        lines.push(Line::from(paint.strong("newest")));
        lines.extend(folder.newest.iter().map(|(path, at)| row(path, now.age(*at))));
        lines
    }
}

/// A text cut at its end.
fn cut(text: &str, width: usize) -> String {
    let mut used = 0;
    let fits = |c: &char| {
        used += unicode_width::UnicodeWidthChar::width(*c).unwrap_or(0);
        used <= width
    };
    text.chars().take_while(fits).collect()
}
