//! What is asked at the right.

use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_core::review::RuleDraft;
use nine_engine::review::FolderChoice;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use unicode_width::UnicodeWidthStr;

use super::super::app::App;
use super::super::dialog::{AlikeOffer, Choose, FolderPick, Mode, Prompt, RuleOffer};
use super::super::keys::{KEYS, Section};
use super::super::words;
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, STRONG};

pub fn draw(frame: &mut Frame, app: &mut App, area: Rect) {
    let pane = Pane { app, width: usize::from(area.width), height: usize::from(area.height) };
    let mut cursor = None;
    let lines = match &app.mode {
        Mode::List => Vec::new(),
        Mode::Folders(pick) => pane.folders(pick, &mut cursor),
        Mode::Choose(choose) => pane.choose(choose, &mut cursor),
        Mode::Prompt(prompt) => pane.prompt(prompt, &mut cursor),
        Mode::Alike(offer) => pane.alike(offer),
        Mode::Rule(offer) => pane.rule(offer),
        Mode::Help(top) => pane.help(*top),
    };
    frame.render_widget(Paragraph::new(lines), area);
    if let Some((column, row)) = cursor {
        let column = u16::try_from(column).unwrap_or(0).min(area.width.saturating_sub(1));
        frame.set_cursor_position((area.x + column, area.y + row));
    }
}

struct Pane<'p, 'a, 'w> {
    app: &'p App<'a, 'w>,
    width: usize,
    height: usize,
}

type Cursor = Option<(usize, u16)>;

impl Pane<'_, '_, '_> {
    fn title(&self, text: &str) -> Line<'static> {
        let paint = self.app.paint;
        Line::from(paint.strong(paint.short(&paint.text(text), self.width)))
    }

    fn faint(&self, text: &str) -> Vec<Line<'static>> {
        self.app.paint.wrapped(FAINT, text, 0, self.width)
    }

    /// A line that is typed, and where the cursor stands in it.
    fn input(&self, input: &Input, row: usize, cursor: &mut Cursor) -> Line<'static> {
        let room = self.width.saturating_sub(3);
        let skipped = input.visual_scroll(room);
        let shown: String = skip_columns(&plain(input.value()), skipped);
        *cursor = Some((2 + input.visual_cursor().saturating_sub(skipped), u16::try_from(row).unwrap_or(0)));
        let paint = self.app.paint;
        Line::from(vec![paint.change("> "), paint.plain(paint.text(&shown))])
    }

    /// The name of the item that it is about.
    fn about_item(&self) -> Vec<Line<'static>> {
        let name = self.app.item().map(|item| words::name(&item.proposal)).unwrap_or_default();
        self.faint(&name)
    }

    fn folders(&self, pick: &FolderPick, cursor: &mut Cursor) -> Vec<Line<'static>> {
        let names = self.app.bookcases.as_ref().map(|cases| cases.names()).unwrap_or_default();
        let shelf = self.app.bookcases.as_ref().and_then(|cases| cases.shelf(pick.bookcase, pick.number));
        let title = shelf.map(|shelf| shelf.path.to_text()).unwrap_or_default();
        let title = match names.len() {
            0 | 1 => format!("Onto {title}"),
            _ => format!("Onto {}/{title}; Tab: the other bookcase", names[pick.bookcase]),
        };
        let mut lines = vec![self.title(&title)];
        lines.extend(self.about_item());
        lines.push(self.input(&pick.input, lines.len(), cursor));
        let room = self.height.saturating_sub(lines.len());
        let rows = pick.choices.iter().map(|choice| self.folder_cells(choice)).collect();
        lines.extend(self.rows(rows, pick.at, room));
        lines
    }

    fn folder_cells(&self, choice: &FolderChoice) -> Cells {
        let label = if choice.name.is_empty() { "the shelf itself".to_owned() } else { choice.name.clone() };
        let mut note = match (choice.is_new, &choice.near) {
            (true, Some(near)) => format!("new, and nearly the same as `{near}`"),
            (true, None) => "new".to_owned(),
            (false, _) => counted(choice.files, "file", "files"),
        };
        if choice.used > 0 {
            note = format!("{note}, +{}", count(choice.used));
        }
        let style = if choice.near.is_some() {
            DOUBT
        } else if choice.is_new {
            CHANGE
        } else {
            PLAIN
        };
        Cells { label, note, style }
    }

    /// Rows of which one is chosen, as many as there is room for around that one.
    fn rows(&self, rows: Vec<Cells>, at: usize, room: usize) -> Vec<Line<'static>> {
        let top = (at + 1).saturating_sub(room.max(1));
        let shown = rows.into_iter().enumerate().skip(top).take(room);
        shown.map(|(row, cells)| self.row(cells, row == at)).collect()
    }

    fn row(&self, cells: Cells, is_current: bool) -> Line<'static> {
        let paint = self.app.paint;
        let room = self.width.saturating_sub(2);
        let note = paint.text(&cells.note);
        let label = paint.text(&cells.label);
        // The label goes before; a note of which little would be left is left out.
        let most = room.saturating_sub(label.width());
        let is_out = note.is_empty() || most < (note.width() + 2).min(room / 3);
        let for_note = if is_out { 0 } else { (note.width() + 2).min(most) };
        let label = paint.short(&label, room - for_note);
        let pad = " ".repeat(room - for_note - label.width().min(room - for_note));
        let note =
            if for_note > 2 { format!("  {}", paint.short(&note, for_note - 2)) } else { String::new() };
        let pointer = if is_current { "> " } else { "  " };
        let line = Line::from(vec![
            paint.plain(pointer),
            paint.span(cells.style, label),
            paint.plain(pad),
            paint.faint(note),
        ]);
        if is_current { paint.lit(line) } else { line }
    }

    fn choose(&self, choose: &Choose, cursor: &mut Cursor) -> Vec<Line<'static>> {
        let mut lines = vec![self.title(&choose.title)];
        lines.extend(choose.about.iter().flat_map(|line| self.faint(line)));
        match &choose.filter {
            Some(input) => lines.push(self.input(input, lines.len(), cursor)),
            None => lines.push(Line::default()),
        }
        let is_numbered = choose.filter.is_none();
        let cells = choose.shown().into_iter().enumerate().map(|(at, choice)| Cells {
            label: if is_numbered { format!("{}  {}", at + 1, choice.label) } else { choice.label.clone() },
            note: choice.note.clone(),
            style: PLAIN,
        });
        let room = self.height.saturating_sub(lines.len());
        lines.extend(self.rows(cells.collect(), choose.at, room));
        lines
    }

    fn prompt(&self, prompt: &Prompt, cursor: &mut Cursor) -> Vec<Line<'static>> {
        let mut lines = vec![self.title(&prompt.title)];
        lines.extend(prompt.about.iter().flat_map(|line| self.faint(line)));
        lines.push(self.input(&prompt.input, lines.len(), cursor));
        lines.push(Line::default());
        let (offers, at) = prompt.offered();
        let room = self.height.saturating_sub(lines.len());
        let cells =
            offers.into_iter().map(|offer| Cells { label: plain(offer), note: String::new(), style: FAINT });
        lines.extend(self.rows(cells.collect(), at.unwrap_or(usize::MAX - 1), room));
        lines
    }

    fn alike(&self, offer: &AlikeOffer) -> Vec<Line<'static>> {
        let app = self.app;
        let decided = words::decision(&offer.decision, app.names_places(), |spot| app.is_shelf(spot));
        let items = counted(offer.alike.items.len() as u64, "other", "others");
        let mut lines = vec![self.title(&format!("The same for {items} {}", offer.alike.likeness))];
        lines.extend(self.faint(&decided));
        lines.push(Line::default());
        let room = self.height.saturating_sub(lines.len());
        let shown = offer.alike.items.iter().skip(offer.top).take(room);
        lines.extend(shown.map(|at| {
            let proposal = &app.open.review.items()[*at].proposal;
            let note = proposal.item.folder().to_string();
            self.row(Cells { label: words::name(proposal), note, style: PLAIN }, false)
        }));
        lines
    }

    fn rule(&self, offer: &RuleOffer) -> Vec<Line<'static>> {
        let paint = self.app.paint;
        let mut lines = vec![self.title("A rule, written into shelves.toml with the run"), Line::default()];
        let told = rule_lines(&offer.draft);
        lines.extend(told.iter().flat_map(|line| paint.wrapped(CHANGE, line, 2, self.width)));
        lines.push(Line::default());
        lines.extend(
            offer.told.iter().map(|line| Line::from(paint.plain(paint.short(&paint.text(line), self.width)))),
        );
        lines
    }

    fn help(&self, top: usize) -> Vec<Line<'static>> {
        let paint = self.app.paint;
        let mut lines = Vec::new();
        for section in Section::ALL {
            lines.push(Line::from(paint.span(STRONG, section.heading())));
            for row in KEYS.iter().filter(|row| row.section == section) {
                let long: Vec<&str> =
                    [row.short, row.long].into_iter().filter(|text| !text.is_empty()).collect();
                let text = long.join(": ");
                let told = paint.look(self.width).lines(&text, 13);
                lines.extend(told.into_iter().enumerate().map(|(at, text)| {
                    let keys = if at == 0 { row.keys } else { "" };
                    Line::from(vec![paint.change(format!("  {keys:<11}")), paint.plain(text)])
                }));
            }
            lines.push(Line::default());
        }
        let marks = "Marks: + to be done, - into the trash, = left, ? in doubt, x cannot be done";
        lines.extend(self.faint(marks));
        let top = top.min(lines.len().saturating_sub(self.height));
        lines.split_off(top)
    }
}

/// What stands in a row.
struct Cells {
    label: String,
    note: String,
    style: anstyle::Style,
}

/// A rule as it is written.
fn rule_lines(draft: &RuleDraft) -> Vec<String> {
    let mut lines = vec![
        "[[rule]]".to_owned(),
        format!("name = {:?}", plain(&draft.name)),
        format!("when = {:?}", plain(&draft.when)),
    ];
    lines.extend(draft.put.as_ref().map(|put| format!("put = {:?}", plain(put))));
    if !draft.tag.is_empty() {
        lines.push(format!("tag = {:?}", draft.tag));
    }
    if draft.deep {
        lines.push("reach = \"deep\"".into());
    }
    lines
}

/// A text without its first columns.
fn skip_columns(text: &str, columns: usize) -> String {
    let mut skipped = 0;
    let is_before = |c: &char| {
        let before = skipped < columns;
        skipped += unicode_width::UnicodeWidthChar::width(*c).unwrap_or(0);
        before
    };
    text.chars().skip_while(is_before).collect()
}
