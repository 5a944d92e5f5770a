//! The keys of what is asked at the right.

use std::path::PathBuf;

use nine_core::names::{is_refused_elsewhere, split_extension};
use nine_core::place::NameBuf;
use nine_core::review::{Decision, Refusal};
use nine_core::tags::from_attribute;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, MouseButton, MouseEvent, MouseEventKind};
use tui_input::backend::crossterm::EventHandler;

use super::Ended;
use super::app::{App, Message, Side};
use super::dialog::{Mode, Outcome, Prompt, Purpose};

/// How far the wheel of a mouse goes.
const WHEEL: isize = 3;

impl App<'_, '_> {
    /// What the terminal says.
    pub fn event(&mut self, event: &Event) {
        match event {
            Event::Key(key) if key.is_press() || key.is_repeat() => self.key(*key),
            Event::Mouse(mouse) => self.mouse(*mouse),
            Event::Paste(text) => {
                let plain: String = text.chars().filter(|c| !c.is_control()).collect();
                plain.chars().for_each(|c| self.typed_into_a_line(KeyEvent::from(KeyCode::Char(c))));
            }
            _ => {}
        }
    }

    /// A letter that was pasted, which must be no command.
    fn typed_into_a_line(&mut self, key: KeyEvent) {
        let takes_text = match &self.mode {
            Mode::Folders(_) | Mode::Prompt(_) => true,
            Mode::Choose(choose) => choose.filter.is_some(),
            _ => false,
        };
        if takes_text {
            self.key(key);
        }
    }

    fn key(&mut self, key: KeyEvent) {
        // What is asked is taken out, so that its answer may ask something else.
        let mode = std::mem::replace(&mut self.mode, Mode::List);
        let closes = key.code == KeyCode::Esc
            || (key.code == KeyCode::Char('c')
                && key.modifiers.contains(ratatui::crossterm::event::KeyModifiers::CONTROL));
        match mode {
            Mode::List => self.list_key(key),
            _ if closes => self.message = None,
            Mode::Folders(pick) => self.folder_key(pick, key),
            Mode::Choose(choose) => self.choose_key(choose, key),
            Mode::Prompt(prompt) => self.prompt_key(prompt, key),
            Mode::Alike(offer) => self.alike_key(offer, key),
            Mode::Rule(offer) if key.code == KeyCode::Enter => self.take_rule(offer.draft),
            Mode::Rule(offer) => self.mode = Mode::Rule(offer),
            Mode::Help(top) => match key.code {
                KeyCode::Up => self.mode = Mode::Help(top.saturating_sub(1)),
                KeyCode::Down => self.mode = Mode::Help(top + 1),
                KeyCode::PageUp => self.mode = Mode::Help(top.saturating_sub(10)),
                KeyCode::PageDown => self.mode = Mode::Help(top + 10),
                _ => {}
            },
        }
    }

    fn folder_key(&mut self, mut pick: super::dialog::FolderPick, key: KeyEvent) {
        let last = pick.choices.len().saturating_sub(1);
        match key.code {
            KeyCode::Enter => {
                let chosen = pick.choices.get(pick.at).map(|choice| choice.folder.clone());
                match (chosen, self.list.current()) {
                    (Some(folder), Some(at)) => self.decide_and_go_on(at, &Decision::Into(folder)),
                    _ => self.mode = Mode::Folders(pick),
                }
                return;
            }
            KeyCode::Up => pick.at = pick.at.saturating_sub(1),
            KeyCode::Down => pick.at = (pick.at + 1).min(last),
            KeyCode::PageUp => pick.at = pick.at.saturating_sub(10),
            KeyCode::PageDown => pick.at = (pick.at + 10).min(last),
            KeyCode::Tab | KeyCode::BackTab => {
                let cases = self.bookcases.as_ref().map_or(0, |cases| cases.names().len());
                if cases > 1 {
                    self.bookcase = (self.bookcase + 1) % cases;
                    let number = pick.number;
                    self.ask_folder(number);
                    if matches!(self.mode, Mode::Folders(_)) {
                        return;
                    }
                } else if let Some(choice) = pick.choices.get(pick.at) {
                    pick.input = tui_input::Input::new(choice.name.clone());
                    self.filter_folders(&mut pick);
                }
            }
            _ => {
                if pick.input.handle_event(&Event::Key(key)).is_some_and(|change| change.value) {
                    pick.at = 0;
                    self.filter_folders(&mut pick);
                }
            }
        }
        self.mode = Mode::Folders(pick);
    }

    fn filter_folders(&self, pick: &mut super::dialog::FolderPick) {
        if let Some(cases) = &self.bookcases {
            pick.choices = cases.folders(pick.bookcase, pick.number, pick.input.value(), &self.open.review);
        }
    }

    fn choose_key(&mut self, mut choose: super::dialog::Choose, key: KeyEvent) {
        let last = choose.shown().len().saturating_sub(1);
        match key.code {
            KeyCode::Enter => {
                let chosen = choose.shown().get(choose.at).map(|choice| choice.outcome.clone());
                match chosen {
                    Some(outcome) => self.take(outcome),
                    None => self.mode = Mode::Choose(choose),
                }
                return;
            }
            KeyCode::Up => choose.at = choose.at.saturating_sub(1),
            KeyCode::Down => choose.at = (choose.at + 1).min(last),
            KeyCode::PageUp => choose.at = choose.at.saturating_sub(10),
            KeyCode::PageDown => choose.at = (choose.at + 10).min(last),
            KeyCode::Char(c @ '1'..='9') if choose.filter.is_none() => {
                // A number takes the choice that it stands before.
                let at = c as usize - '1' as usize;
                if let Some(outcome) = choose.shown().get(at).map(|choice| choice.outcome.clone()) {
                    return self.take(outcome);
                }
            }
            _ => {
                let handled = choose.filter.as_mut().and_then(|input| input.handle_event(&Event::Key(key)));
                if handled.is_some_and(|change| change.value) {
                    choose.at = 0;
                }
            }
        }
        self.mode = Mode::Choose(choose);
    }

    fn take(&mut self, outcome: Outcome) {
        match outcome {
            Outcome::Decide(decision) => self.decide_here(&decision),
            Outcome::AskFacet(facet) => self.ask_answer(&facet),
            Outcome::Alike(alike) => self.show_alike(alike),
            Outcome::Rule(likeness) => self.offer_rule(&likeness),
            Outcome::End(ended) => self.ended = Some(ended),
            Outcome::AskFile => self.ask_file(),
        }
    }

    /// Decides something for the item under the cursor.
    fn decide_here(&mut self, decision: &Decision) {
        let Some(at) = self.list.current() else { return };
        let Decision::Told(told) = decision else { return self.decide_and_go_on(at, decision) };
        if self.decide(&[at], decision) {
            return;
        }
        // Where no rule asks for it, the answer is kept as the tag that it is.
        let facets = &self.open.workspace().config().facets;
        let tag = told.first().and_then(|(facet, value)| Some(facets.get(facet)?.tag(value)));
        if let Some(tag) = tag.filter(|_| self.was_unknown) {
            let decision = Decision::Tags { give: vec![tag], take: Vec::new() };
            self.decide(&[at], &decision);
        }
    }

    fn prompt_key(&mut self, mut prompt: Prompt, key: KeyEvent) {
        match key.code {
            KeyCode::Enter => return self.take_line(prompt),
            KeyCode::Tab => prompt.next_offer(),
            _ => {
                if prompt.input.handle_event(&Event::Key(key)).is_some_and(|change| change.value) {
                    prompt.typed();
                }
            }
        }
        self.mode = Mode::Prompt(prompt);
    }

    /// A line was typed.
    fn take_line(&mut self, prompt: Prompt) {
        let value = prompt.input.value().trim().to_owned();
        let Some(at) = self.list.current() else { return };
        match &prompt.purpose {
            Purpose::Find => {
                if !value.is_empty() {
                    self.found = value;
                }
                let found = self.found.clone();
                if found.is_empty() || !self.list.find(&self.open.review, &found) {
                    let found = nine_core::escape::plain(&found);
                    self.message = Some(Message::Refused(format!("no name has `{found}`")));
                }
            }
            Purpose::Tags => {
                let typed = from_attribute(value.replace(", ", ",").as_bytes());
                let taken = typed.iter().filter_map(|tag| tag.strip_prefix('-')).map(str::to_owned).collect();
                let given = typed.iter().filter(|tag| !tag.starts_with('-')).cloned().collect();
                if !typed.is_empty() {
                    self.decide(&[at], &Decision::Tags { give: given, take: taken });
                }
            }
            Purpose::Name => match self.new_name(at, &value) {
                Ok(name) => drop(self.decide(&[at], &Decision::Name(name))),
                Err(why) => self.ask_again(prompt, why),
            },
            Purpose::Answer(facet) => {
                let known = self.open.workspace().config().facets.get(facet).cloned();
                match known.and_then(|known| known.canonical(&value)) {
                    Some(value) => self.decide_here(&Decision::Told(vec![(facet.clone(), value)])),
                    None => {
                        let why = format!("`{}` is no answer of {facet}", nine_core::escape::plain(&value));
                        self.ask_again(prompt, why);
                    }
                }
            }
            Purpose::File => {
                let file = PathBuf::from(&value);
                let says_how = matches!(file.extension().and_then(|ext| ext.to_str()), Some("csv" | "json"));
                match (says_how, file.exists()) {
                    (false, _) => self.ask_again(prompt, "its name must end in .csv or .json"),
                    (true, true) => self.ask_again(prompt, "there is such a file already; give another name"),
                    (true, false) => self.ended = Some(Ended::Write(file)),
                }
            }
        }
    }

    /// A line that cannot be taken is asked for again, with the reason.
    fn ask_again(&mut self, mut prompt: Prompt, why: impl Into<String>) {
        let why = why.into();
        prompt.about.retain(|line| *line != why);
        self.message = Some(Message::Refused(why));
        self.mode = Mode::Prompt(prompt);
    }

    /// A name that was typed. A file keeps its extension.
    fn new_name(&self, at: usize, typed: &str) -> Result<NameBuf, String> {
        let proposal = &self.open.review.items()[at].proposal;
        let (own, is_file) = (proposal.item.path.name(), proposal.kind != nine_core::item::Kind::Folder);
        let mut name = typed.as_bytes().to_vec();
        if is_file && split_extension(&name).1.is_empty() {
            name.extend_from_slice(split_extension(own).1);
        }
        let refused = is_refused_elsewhere(&name);
        let name = NameBuf::new(name).filter(|_| !typed.is_empty() && !refused);
        name.ok_or_else(|| "this cannot be a name everywhere; leave out < > : \" \\ | ? * and /".to_owned())
    }

    fn alike_key(&mut self, mut offer: super::dialog::AlikeOffer, key: KeyEvent) {
        let last = offer.alike.items.len().saturating_sub(1);
        match key.code {
            KeyCode::Enter => {
                let items = offer.alike.items;
                self.decide(&items, &offer.decision);
                let is_open = self.item().is_some_and(|item| item.state == nine_core::review::State::Open);
                if !is_open {
                    self.go_on();
                }
                return;
            }
            KeyCode::Up => offer.top = offer.top.saturating_sub(1),
            KeyCode::Down => offer.top = (offer.top + 1).min(last),
            KeyCode::PageUp => offer.top = offer.top.saturating_sub(10),
            KeyCode::PageDown => offer.top = (offer.top + 10).min(last),
            _ => {}
        }
        self.mode = Mode::Alike(offer);
    }

    fn take_rule(&mut self, draft: nine_core::review::RuleDraft) {
        let name = nine_core::escape::plain(&draft.name);
        self.message = Some(match self.open.add_rule(draft) {
            Ok(()) => Message::Done(format!("the rule `{name}` is written with the run")),
            Err(error) => Message::Refused(error.to_string()),
        });
    }

    fn mouse(&mut self, mouse: MouseEvent) {
        let at = ratatui::layout::Position { x: mouse.column, y: mouse.row };
        let rows = match mouse.kind {
            MouseEventKind::ScrollUp => -WHEEL,
            MouseEventKind::ScrollDown => WHEEL,
            MouseEventKind::Down(MouseButton::Left) => 0,
            _ => return,
        };
        let in_side = self.areas.side.contains(at);
        match &mut self.mode {
            Mode::List if rows != 0 && in_side => self.side_top = self.side_top.saturating_add_signed(rows),
            Mode::List if rows != 0 => self.list.move_by(rows),
            Mode::List if in_side => self.side = Side::Item,
            Mode::List if self.areas.list.contains(at) => {
                self.side = Side::List;
                let line = usize::from(mouse.row - self.areas.list.y);
                self.list.go_to_row(self.list.row_at(line));
                self.side_top = 0;
            }
            Mode::Folders(pick) => {
                pick.at = pick.at.saturating_add_signed(rows).min(pick.choices.len().saturating_sub(1));
            }
            Mode::Choose(choose) => {
                let last = choose.shown().len().saturating_sub(1);
                choose.at = choose.at.saturating_add_signed(rows).min(last);
            }
            Mode::Help(top) => *top = top.saturating_add_signed(rows),
            Mode::Alike(offer) => {
                let last = offer.alike.items.len().saturating_sub(1);
                offer.top = offer.top.saturating_add_signed(rows).min(last);
            }
            _ => {}
        }
    }
}

/// Whether what was told is not known to any rule.
pub(super) fn is_unknown(refusal: &Refusal) -> bool {
    matches!(refusal, Refusal::StillUnknown)
}
