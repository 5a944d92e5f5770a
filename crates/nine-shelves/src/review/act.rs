//! What the keys of the list do.

use std::process::{Command, Stdio};

use nine_core::place::ItemPath;
use nine_core::review::Decision;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use super::app::{App, Message, Side};
use super::dialog::Mode;
use super::keys::{KeyAction, action_of, shelf_of};

impl App<'_, '_> {
    /// A key that was pressed in the list.
    pub fn list_key(&mut self, key: KeyEvent) {
        let Some(action) = action_of(key) else { return };
        if self.side == Side::Item && self.scroll_side(key) {
            return;
        }
        self.message = None;
        self.offer = None;
        match action {
            KeyAction::Up => self.list.move_by(-1),
            KeyAction::Down => self.list.move_by(1),
            KeyAction::PageUp => self.list.page(-1),
            KeyAction::PageDown => self.list.page(1),
            KeyAction::First => self.list.first(),
            KeyAction::Last => self.list.last(),
            KeyAction::NextGroup => self.list.group(true),
            KeyAction::PreviousGroup => self.list.group(false),
            KeyAction::StepBack => self.step_back(),
            KeyAction::NextOpen => self.go_on(),
            KeyAction::GroupBy => self.group_anew(),
            KeyAction::Find => self.ask_find(),
            KeyAction::Help => self.mode = Mode::Help(0),
            KeyAction::End => self.ask_end(),
            KeyAction::Undo => self.undo(),
            KeyAction::Side => {
                self.side = if self.side == Side::List { Side::Item } else { Side::List };
                return;
            }
            _ => return self.item_key(action, key),
        }
        self.side_top = 0;
    }

    /// A key that is about the item under the cursor.
    fn item_key(&mut self, action: KeyAction, key: KeyEvent) {
        let Some(at) = self.list.current() else { return };
        match action {
            KeyAction::Take => self.decide_and_go_on(at, &Decision::Take),
            KeyAction::Leave => self.decide_and_go_on(at, &Decision::Leave),
            KeyAction::Discard => self.decide_and_go_on(at, &Decision::Discard),
            KeyAction::Archive => self.decide_and_go_on(at, &Decision::Archive),
            KeyAction::PutOff => {
                let later = self.open.later(&self.open.review.items()[at].proposal.item);
                self.decide_and_go_on(at, &Decision::PutOff(later));
            }
            KeyAction::Reopen => drop(self.decide(&[at], &Decision::Reopen)),
            KeyAction::Repeat => match self.open.review.last().map(|(_, decision)| decision.clone()) {
                Some(decision) => self.decide_and_go_on(at, &decision),
                None => self.message = Some(Message::Refused("nothing was decided yet".into())),
            },
            KeyAction::Shelf => drop(shelf_of(key).map(|number| self.ask_folder(number))),
            KeyAction::Suggested => self.ask_suggested(),
            KeyAction::Tag => self.ask_tags(),
            KeyAction::Rename => self.ask_name(),
            KeyAction::Facet => self.ask_facet(),
            KeyAction::Clash => self.ask_clash(),
            KeyAction::Alike => self.ask_alike(),
            KeyAction::Rule => self.ask_rule(),
            KeyAction::Open => self.open_outside(false),
            KeyAction::ShowFolder => self.open_outside(true),
            _ => {}
        }
    }

    pub fn decide_and_go_on(&mut self, at: usize, decision: &Decision) {
        if self.decide(&[at], decision) {
            self.go_on();
        }
    }

    /// Back to the item that was left last for the next open one, or to the one above.
    fn step_back(&mut self) {
        match self.trail.pop() {
            Some(at) => drop(self.list.go_to_item(at)),
            None => self.list.move_by(-1),
        }
    }

    fn undo(&mut self) {
        match self.open.back() {
            Ok(Some(changed)) => {
                if let Some(first) = changed.first() {
                    self.list.go_to_item(*first);
                }
                self.changed(&changed);
                self.message = Some(Message::Done("the last decision is taken back".into()));
            }
            Ok(None) => self.message = Some(Message::Refused("nothing was decided yet".into())),
            Err(error) => self.message = Some(Message::Refused(error.to_string())),
        }
    }

    fn group_anew(&mut self) {
        let at = self.list.current();
        self.list.group_by(&self.open.review, self.list.by.next());
        if let Some(at) = at {
            self.list.go_to_item(at);
        }
        self.message = Some(Message::Done(format!("in groups by {}", self.list.by.word())));
    }

    /// Scrolls what the item is; says whether the key was for that.
    fn scroll_side(&mut self, key: KeyEvent) -> bool {
        let page = usize::from(self.areas.side.height.saturating_sub(2).max(1));
        self.side_top = match key.code {
            KeyCode::Up => self.side_top.saturating_sub(1),
            KeyCode::Down => self.side_top + 1,
            KeyCode::PageUp => self.side_top.saturating_sub(page),
            KeyCode::PageDown => self.side_top + page,
            KeyCode::Home => 0,
            _ => return false,
        };
        true
    }

    /// Opens the item in its own program, or the folder that it lies in.
    fn open_outside(&mut self, folder: bool) {
        let Some(item) = self.item().map(|item| item.proposal.item.clone()) else { return };
        let spot = if folder { item.folder() } else { item };
        let at = self.open.location(&spot);
        let Some(path) = at.as_ref().and_then(|at| at.local()).map(std::path::Path::to_owned) else {
            self.message =
                Some(Message::Refused("it lies on a drive, and cannot be opened from here".into()));
            return;
        };
        let mut command = Command::new("xdg-open");
        command.arg(path).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        std::os::unix::process::CommandExt::process_group(&mut command, 0);
        self.message = Some(match command.spawn() {
            Ok(mut child) => {
                // It goes on by itself; somebody has to wait for it all the same.
                std::thread::spawn(move || child.wait());
                let root = ItemPath::root();
                let what =
                    if folder && spot.path == root { spot.place.to_string() } else { spot.to_string() };
                Message::Done(format!("opened {what}"))
            }
            Err(error) => Message::Refused(format!("xdg-open cannot be run: {error}")),
        });
    }
}
