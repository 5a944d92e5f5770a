//! The state of the screen: the review, where the person is in it, and what came meanwhile.

use std::collections::HashMap;
use std::sync::mpsc::Receiver;

use nine_core::amount::counted;
use nine_core::item::Kind;
use nine_core::kinds::ItemType;
use nine_core::place::Spot;
use nine_core::review::{Alike, AlikeSearch, Decision, GroupBy, Refusal, ReviewItem};
use nine_engine::review::{Bookcases, Checker, Inside, InsideAnswer, InsideQuestion, OpenReview};
use nine_engine::shelves::ShelfRow;
use ratatui::layout::Rect;

use super::answer::is_unknown;
use super::dialog::Mode;
use super::list::ListView;
use super::paint::Paint;
use super::{Ended, words};
use crate::session::Session;

/// How many looks inside are kept.
const KEPT: usize = 200;

/// How many items are held against the likeness of another at once; that takes some milliseconds.
const ALIKE_AT_ONCE: usize = 4000;

/// Lines of an item's words that are asked for.
const LINES: u8 = 80;

/// Which of the two sides has the keys; where there is room for one only, that one is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    List,
    Item,
}

/// What happened last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Message {
    Done(String),
    Refused(String),
}

/// What is offered after a decision.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offer {
    /// How many others are like the item, and in what.
    pub alike: String,
    /// Whether a rule can be made of it.
    pub is_rule: bool,
}

/// Where things were drawn.
#[derive(Debug, Clone, Copy, Default)]
pub struct Areas {
    pub list: Rect,
    pub side: Rect,
    /// The cells that a picture may take.
    pub picture: Rect,
}

/// The state of the screen.
pub struct App<'a, 'w> {
    pub session: &'a Session,
    pub paint: Paint,
    pub open: &'a mut OpenReview<'w>,
    pub list: ListView,
    pub mode: Mode,
    pub side: Side,
    /// The first line of the item's side that is shown.
    pub side_top: usize,
    pub message: Option<Message>,
    pub offer: Option<Offer>,
    /// What is like the item that was decided last; while it is looked for, the search.
    pub alike: Vec<Alike>,
    search: Option<AlikeSearch>,
    /// Items that were decided, in the order of decisions, to step back to.
    pub trail: Vec<usize>,
    pub found: String,
    pub areas: Areas,
    pub ended: Option<Ended>,
    /// Pixels of a cell, where pictures are drawn in pixels.
    pub cell_pixels: Option<(u16, u16)>,
    pub bookcases: Option<Bookcases>,
    /// Which bookcase the numbers mean.
    pub bookcase: usize,
    /// A shelf that was asked for before the shelves were read.
    pub wanted_shelf: Option<u8>,
    /// Whether the last answer was one that no rule knows anything to do with.
    pub was_unknown: bool,
    /// Tags to be offered, once somebody asked for them.
    pub tags: Option<Vec<String>>,
    reading: Option<Receiver<Bookcases>>,
    rows: Option<Vec<(String, Vec<ShelfRow>)>>,
    inside: Inside,
    looks: HashMap<usize, InsideAnswer>,
    asked: Option<(usize, (u16, u16))>,
    checker: Checker,
    checking: usize,
}

impl<'a, 'w> App<'a, 'w> {
    pub fn new(session: &'a Session, paint: Paint, open: &'a mut OpenReview<'w>) -> Self {
        let list = ListView::new(&open.review, GroupBy::Target, &session.environment.collation);
        let (inside, checker) = (open.inside(), open.checker());
        let reading = Some(Bookcases::read(open.workspace()));
        let mut app = Self {
            session,
            paint,
            list,
            mode: Mode::List,
            side: Side::List,
            side_top: 0,
            message: None,
            offer: None,
            alike: Vec::new(),
            search: None,
            trail: Vec::new(),
            found: String::new(),
            areas: Areas::default(),
            ended: None,
            cell_pixels: None,
            bookcases: None,
            bookcase: 0,
            wanted_shelf: None,
            was_unknown: false,
            tags: None,
            reading,
            rows: None,
            inside,
            looks: HashMap::new(),
            asked: None,
            checker,
            checking: 0,
            open,
        };
        if app.open.review.turns() > 0 {
            app.list.next_open(&app.open.review);
        }
        app
    }

    /// The item under the cursor.
    pub fn item(&self) -> Option<&ReviewItem> {
        self.list.current().map(|at| &self.open.review.items()[at])
    }

    /// Whether a spot is on a shelf, so that its bookcase need not be named.
    pub fn is_shelf(&self, spot: &Spot) -> bool {
        self.open.shelvings.iter().any(|shelving| *shelving.bookcase == *spot.place)
    }

    pub fn names_places(&self) -> bool {
        self.open.workspace().names_places()
    }

    /// What was seen inside the item under the cursor.
    pub fn look(&self) -> Option<&InsideAnswer> {
        self.list.current().and_then(|at| self.looks.get(&at))
    }

    /// The bookcases with what the decisions add, once they were read.
    pub fn shelf_rows(&mut self) -> Option<&[ShelfRow]> {
        if self.rows.is_none() {
            self.rows = self.bookcases.as_ref().map(|cases| cases.rows(&self.open.review));
        }
        let rows = self.rows.as_ref()?.get(self.bookcase)?;
        Some(&rows.1)
    }

    /// Whether answers are still to come.
    pub fn waits(&self) -> bool {
        let is_unseen = self.list.current().is_some_and(|at| !self.looks.contains_key(&at));
        self.reading.is_some() || self.checking > 0 || is_unseen
    }

    /// Takes what came meanwhile; says whether anything did.
    pub fn take_answers(&mut self) -> bool {
        let mut came = false;
        if let Some(bookcases) = self.reading.as_ref().and_then(|reading| reading.try_recv().ok()) {
            (self.bookcases, self.reading, came) = (Some(bookcases), None, true);
            if let Some(number) = self.wanted_shelf.take() {
                self.message = None;
                self.ask_folder(number);
            }
        }
        while let Some(checked) = self.checker.answer() {
            self.open.take_concerns(checked);
            self.checking = self.checking.saturating_sub(1);
            came = true;
        }
        while let Some(answer) = self.inside.answer() {
            if self.looks.len() >= KEPT {
                self.looks.clear();
            }
            self.looks.insert(answer.item, answer);
            came = true;
        }
        came
    }

    /// Looks for what is like the item that was decided last, a part at a time; says whether an offer came of it.
    pub fn find_offer(&mut self) -> bool {
        let Some(mut search) = self.search.take() else { return false };
        if search.go_on(&self.open.review, ALIKE_AT_ONCE) {
            self.search = Some(search);
            return false;
        }
        self.alike = search.end(&self.open.review);
        self.offer = self.alike.first().map(|alike| Offer {
            alike: format!("{} {}", counted(alike.items.len() as u64, "other", "others"), alike.likeness),
            is_rule: self.open.rule_of(&alike.likeness).is_ok(),
        });
        self.offer.is_some()
    }

    /// Whether there is work for a moment in which no key comes.
    pub fn has_work(&self) -> bool {
        self.search.is_some()
    }

    /// Asks for a look inside the item under the cursor, where there is none yet for so much room.
    pub fn ask_inside(&mut self) {
        let Some(at) = self.list.current() else { return };
        let room = self.areas.picture;
        let wanted = (at, (room.width, room.height));
        if self.asked == Some(wanted) {
            return;
        }
        let item = &self.open.review.items()[at];
        let is_picture = item.item_type() == ItemType::Image && item.proposal.kind == Kind::File;
        let has_room = room.width > 0;
        if self.looks.contains_key(&at) && !(is_picture && has_room) {
            return;
        }
        self.asked = Some(wanted);
        let pixels = match self.cell_pixels {
            Some((across, down)) => (room.width * across, room.height * down),
            // Two pixels stand above one another in a cell.
            None => (room.width, room.height * 2),
        };
        self.inside.ask(InsideQuestion {
            item: at,
            at: item.proposal.item.clone(),
            kind: item.proposal.kind,
            size: item.proposal.size,
            lines: LINES,
            picture: (is_picture && has_room).then_some(pixels),
        });
    }

    /// Decides something for items, and says what came of it.
    pub fn decide(&mut self, items: &[usize], decision: &Decision) -> bool {
        let decided = match self.open.decide(items, decision) {
            Ok(decided) => decided,
            Err(error) => {
                self.changed(items);
                self.message = Some(Message::Refused(format!("it is decided, but {error}")));
                return true;
            }
        };
        self.was_unknown = decided.refused.iter().any(|(_, refusal)| is_unknown(refusal));
        self.changed(&decided.changed);
        if let ([only], true) = (items, decided.refused.is_empty() && *decision != Decision::Reopen) {
            self.search = Some(AlikeSearch::new(&self.open.review, *only));
        }
        self.message = Some(self.told(items, decision, &decided.refused));
        decided.refused.is_empty()
    }

    fn told(&self, items: &[usize], decision: &Decision, refused: &[(usize, Refusal)]) -> Message {
        let words = words::decision(decision, self.names_places(), |spot| self.is_shelf(spot));
        match (items, refused) {
            ([at], []) => {
                Message::Done(format!("{}: {words}", words::name(&self.open.review.items()[*at].proposal)))
            }
            ([_], [(_, Refusal::NothingProposed)]) => {
                Message::Refused("nothing is proposed for it; 1-9 puts it on a shelf, l leaves it".into())
            }
            ([at], [(_, why)]) => {
                Message::Refused(format!("{}: {why}", words::name(&self.open.review.items()[*at].proposal)))
            }
            (all, []) => Message::Done(format!("{} items: {words}", all.len())),
            (all, refused) => {
                let done = all.len() - refused.len();
                let why = refused.first().map(|(_, why)| why.to_string()).unwrap_or_default();
                Message::Refused(format!("{done} items: {words}; {} cannot be: {why}", refused.len()))
            }
        }
    }

    /// Items are otherwise now.
    pub fn changed(&mut self, items: &[usize]) {
        self.rows = None;
        self.alike.clear();
        self.search = None;
        self.list.changed(&self.open.review, items.iter().copied());
        let to_check = self.open.to_check(items);
        if !to_check.is_empty() {
            self.checking += 1;
            self.checker.ask(to_check);
        }
    }

    /// On to the next item of which nothing is decided.
    pub fn go_on(&mut self) {
        self.trail.extend(self.list.current());
        if !self.list.next_open(&self.open.review) {
            let done = match &self.message {
                Some(Message::Done(text)) => format!("{text}; "),
                _ => String::new(),
            };
            self.message = Some(Message::Done(format!("{done}nothing is open any more, q ends")));
        }
        self.side_top = 0;
    }
}
