//! A look inside an item, beside whoever asks for it: what it says of itself, its first lines, the picture that it is,
//! or what a folder holds.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Condvar, Mutex};

use nine_core::item::Kind;
use nine_core::metadata::Metadata;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::tree::Tree;
use nine_stores::reading::{Raster, Words, bounds};
use nine_stores::{ItemPanic, Places, ReadStore, Watch, bounded};

use super::bookcases::top_of;
use crate::reader::{Ask, Reader};
use crate::workspace::ReaderProgram;

/// How many threads look, so that a file which takes long holds up no other.
const LOOKERS: usize = 2;

/// How many of a folder's files are told.
const TOLD: usize = 6;

/// What is asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InsideQuestion {
    /// The number of the item, which comes back with the answer.
    pub item: usize,
    /// Where it lies.
    pub at: Spot,
    /// File or folder.
    pub kind: Kind,
    /// Its bytes.
    pub size: u64,
    /// How many lines are wanted at most.
    pub lines: u8,
    /// Where it is a picture: how many pixels across and down there is room for.
    pub picture: Option<(u16, u16)>,
}

/// What a folder holds.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderInside {
    /// Files, at all depths.
    pub files: u64,
    /// The biggest, by their paths, with their bytes.
    pub biggest: Vec<(String, u64)>,
    /// The newest, by their paths.
    pub newest: Vec<(String, Moment)>,
}

/// What was seen.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct InsideAnswer {
    /// The number of the item.
    pub item: usize,
    /// What it says of itself.
    pub said: Metadata,
    /// Its first lines, or the list of what is packed in it; safe to show.
    pub lines: Vec<String>,
    /// The picture.
    pub picture: Option<Raster>,
    /// What it holds, if it is a folder.
    pub folder: Option<FolderInside>,
    /// Why there is no more; empty if there is nothing to say.
    pub note: String,
}

/// The newest question, which is the only one that counts.
#[derive(Default)]
struct Slot {
    question: Mutex<(Option<InsideQuestion>, bool)>,
    asked: Condvar,
}

/// Looks inside items in threads of its own. Of several questions only the newest is answered.
pub struct Inside {
    slot: Arc<Slot>,
    answers: Receiver<InsideAnswer>,
}

impl Inside {
    pub(super) fn new(program: &ReaderProgram, places: &Places) -> Self {
        let (send, answers) = channel();
        let slot: Arc<Slot> = Arc::default();
        for _ in 0..LOOKERS {
            let looker = Looker { slot: Arc::clone(&slot), send: send.clone(), places: places.clone() };
            let reader = Reader::new(program);
            std::thread::spawn(move || looker.work(reader));
        }
        Self { slot, answers }
    }

    /// Asks about an item; what was asked before and not begun is forgotten.
    pub fn ask(&self, question: InsideQuestion) {
        if let Ok(mut slot) = self.slot.question.lock() {
            slot.0 = Some(question);
            self.slot.asked.notify_one();
        }
    }

    /// The next answer, if there is one by now.
    pub fn answer(&self) -> Option<InsideAnswer> {
        self.answers.try_recv().ok()
    }
}

impl Drop for Inside {
    fn drop(&mut self) {
        if let Ok(mut slot) = self.slot.question.lock() {
            slot.1 = true;
            self.slot.asked.notify_all();
        }
    }
}

struct Looker {
    slot: Arc<Slot>,
    send: Sender<InsideAnswer>,
    places: Places,
}

impl Looker {
    fn work(self, mut reader: Reader) {
        while let Some(question) = self.next() {
            let answer = catch_unwind(AssertUnwindSafe(|| look(&self.places, &mut reader, &question)));
            let answer = answer.unwrap_or_else(|payload| InsideAnswer {
                item: question.item,
                note: format!("internal error: {}", ItemPanic::of(&*payload).message),
                ..InsideAnswer::default()
            });
            if self.send.send(answer).is_err() {
                break;
            }
        }
    }

    fn next(&self) -> Option<InsideQuestion> {
        let mut slot = self.slot.question.lock().ok()?;
        loop {
            if slot.1 {
                return None;
            }
            if let Some(question) = slot.0.take() {
                return Some(question);
            }
            slot = self.slot.asked.wait(slot).ok()?;
        }
    }
}

fn look(places: &Places, reader: &mut Reader, question: &InsideQuestion) -> InsideAnswer {
    let InsideQuestion { item, at, kind, .. } = question;
    let none = InsideAnswer { item: *item, ..InsideAnswer::default() };
    let store = match places.of(at) {
        Ok(store) => store,
        Err(error) => return InsideAnswer { note: error.to_string(), ..none },
    };
    match kind {
        Kind::Folder => match store
            .inside(&at.path)
            .and_then(|store| Ok(store.scan(&Default::default(), &Watch::default())?.tree))
        {
            Ok(tree) => InsideAnswer { folder: Some(folder_inside(&tree)), ..none },
            Err(error) => InsideAnswer { note: error.to_string(), ..none },
        },
        Kind::File if store.abilities().may_read => look_in_file(store, reader, question),
        Kind::File => {
            let note = "it lies on a drive; --read-drive reads it".to_owned();
            InsideAnswer { note, ..none }
        }
        Kind::Link => match store.read_link(&at.path) {
            Ok(to) => {
                InsideAnswer { lines: vec![format!("leads to {}", nine_core::escape::escape(&to))], ..none }
            }
            Err(error) => InsideAnswer { note: error.to_string(), ..none },
        },
        Kind::Other => none,
    }
}

fn look_in_file(store: &dyn ReadStore, reader: &mut Reader, question: &InsideQuestion) -> InsideAnswer {
    let name = question.at.path.name();
    let read = store.read(&question.at.path).and_then(|file| Ok(bounded::up_to(file, bounds::FILE)?));
    let bytes = match read {
        Ok(bytes) => bytes,
        Err(error) => {
            let note = format!("could not be read: {error}");
            return InsideAnswer { item: question.item, note, ..InsideAnswer::default() };
        }
    };
    let Words { body, note, said } = reader.ask(Ask::Glance(question.lines), name, &bytes, question.size);
    let drawn = question
        .picture
        .map(|(across, down)| reader.ask(Ask::Picture(across, down), name, &bytes, question.size))
        .unwrap_or_default();
    let picture = Raster::read(&drawn.body);
    let note = if note.is_empty() { drawn.note } else { note };
    InsideAnswer {
        item: question.item,
        said: Metadata::from_json(&said),
        lines: body.lines().map(str::to_owned).collect(),
        picture,
        folder: None,
        note,
    }
}

fn folder_inside(tree: &Tree) -> FolderInside {
    let path = |id| tree.path(id).to_text();
    let biggest = top_of(tree, |id| tree.size(id), TOLD);
    let newest = top_of(tree, |id| tree.newest(id).0.unsigned_abs(), TOLD);
    FolderInside {
        files: tree.totals(Tree::ROOT).items,
        biggest: biggest.into_iter().map(|id| (path(id), tree.size(id))).collect(),
        newest: newest.into_iter().map(|id| (path(id), tree.newest(id))).collect(),
    }
}
