//! Reads the words inside files where nobody has yet, and keeps them in the catalogue.

use nine_core::condition::{Need, Needs};
use nine_core::find::Rows;
use nine_core::item::{Entry, Kind};
use nine_core::kinds::ItemType;
use nine_core::metadata::{Metadata, TextField};
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use nine_core::tree::{NodeId, Tree};
use nine_stores::bounded;
use nine_stores::catalogue::Reading;
use nine_stores::reading::{Words, bounds};
use nine_stores::{Catalogue, ReadStore, Watch, side_by_side};

use super::{Area, Looking, View, open_catalogue};
use crate::reader::{Ask, Reader};
use crate::reporter::{Notice, Task, Unread};
use crate::workspace::Workspace;

/// How many files are kept at once.
const SHARE: usize = 128;

/// How many processes read at once.
const READERS: usize = 2;

/// For the sake of what files are read.
#[derive(Debug, Clone, Copy, Default)]
pub struct WantsInside {
    /// Their words.
    pub words: bool,
    /// What they say of themselves.
    pub said: bool,
    /// Where they came from, of whatever type they are.
    pub origin: bool,
}

impl WantsInside {
    /// What some needs want, where words are read at all.
    pub fn of(needs: Needs, reads_text: bool) -> Self {
        let words = reads_text && needs.has(Need::Text);
        Self { words, said: needs.has(Need::Said), origin: needs.has(Need::Origin) }
    }

    /// Whether nothing is wanted.
    pub fn is_none(self) -> bool {
        !(self.words || self.said || self.origin)
    }

    fn wants(self, tree: &Tree, id: NodeId) -> bool {
        (self.words && tree.may_have_words(id))
            || (self.said && tree.may_say(id))
            || (self.origin && tree.kind(id) == Kind::File)
    }
}

impl Looking<'_> {
    /// Reads what is inside these rows where it is not known. What cannot be read is named.
    pub fn read_words(&mut self, view: usize, rows: &Rows, wants: WantsInside) {
        // What is known may lack the columns that tell.
        let Some(store) = self.views[view].store().cloned() else { return };
        let tree = &self.views[view].tree;
        let unread = |id: &NodeId| wants.wants(tree, *id) && tree.text(*id) == 0;
        let wanted: Vec<NodeId> = rows.ids().filter(unread).collect();
        if wanted.is_empty() {
            return;
        }
        if !store.abilities().may_read {
            self.tell_unread(view, &wanted, if wants.words { Unread::Words } else { Unread::Said });
            return;
        }
        // Words are kept with the place that they were read in.
        self.keep_view(view);
        let base = self.views[view].area.base.clone();
        if self.catalogue.is_none() {
            let why = "the words in it cannot be read, since there is nowhere to keep them";
            self.trouble(&base.to_string(), why);
            return;
        }
        let (workspace, watch) = (self.workspace, Watch::default());
        let task = Task::ReadingWords(&base, wanted.len() as u64);
        workspace.during(task, &watch, || self.read_and_keep(view, &*store, &wanted, &watch));
        // What was read of files that have changed since or are gone is of no use any more.
        match self.catalogue.as_mut().map(Catalogue::drop_unused_texts) {
            Some(Err(error)) => self.do_without(&error),
            Some(Ok(dropped)) => tracing::info!(dropped, "texts that nothing points to"),
            None => {}
        }
    }

    /// Says of files on a drive that they are not read, and what that would cost.
    pub(super) fn tell_unread(&self, view: usize, unread: &[NodeId], what: Unread) {
        let View { area, tree, .. } = &self.views[view];
        let (files, bytes) = (unread.len() as u64, unread.iter().map(|id| tree.size(*id)).sum());
        self.workspace.notice(&Notice::OnDriveUnread { place: &area.base, what, files, bytes });
    }

    /// Keeps the results as they come, so that a long reading that is cut off was not in vain.
    fn read_and_keep(&mut self, view: usize, store: &dyn ReadStore, wanted: &[NodeId], watch: &Watch) {
        let mut share = Vec::new();
        self.read_inside(view, store, wanted, Ask::Words, watch, |all, id, words| {
            share.push(Reading { id, body: words.body, note: words.note, said: words.said });
            if share.len() >= SHARE {
                all.keep_words(view, &std::mem::take(&mut share));
            }
        });
        self.keep_words(view, &share);
    }

    /// Asks about what is inside files, several readers at work, and hands over the answers as they come.
    pub(crate) fn read_inside(
        &mut self,
        view: usize,
        store: &dyn ReadStore,
        wanted: &[NodeId],
        ask: Ask,
        watch: &Watch,
        mut each: impl FnMut(&mut Self, NodeId, Words),
    ) {
        let tree = &self.views[view].tree;
        let file = |id: &NodeId| InsideFile {
            path: tree.path(*id),
            size: tree.size(*id),
            item_type: tree.item_type(*id),
        };
        let files: Vec<InsideFile> = wanted.iter().map(file).collect();
        let workspace = self.workspace;
        let work = |reader: &mut Reader, file: &InsideFile| {
            let words = read(store, reader, file, ask);
            watch.saw(1);
            Some(words)
        };
        let each = |at: usize, words| each(self, wanted[at], words);
        side_by_side(&files, READERS, || workspace.reader(), work, each);
    }

    fn keep_words(&mut self, view: usize, readings: &[Reading]) {
        for reading in readings.iter().filter(|reading| !reading.note.is_empty()) {
            let spot = self.views[view].spot(reading.id);
            self.workspace.notice(&Notice::Inside(&spot, &reading.note));
        }
        let View { area, tree, at, .. } = &mut self.views[view];
        let Some(catalogue) = &mut self.catalogue else { return };
        if let Err(error) = catalogue.keep_texts(&area.address, tree, *at, readings) {
            self.do_without(&error);
        }
    }

    /// A few lines that tell what a file is.
    pub fn glance(&self, view: usize, id: NodeId, lines: u8) -> Words {
        let Some(store) = self.views[view].store() else {
            return Words::none("it cannot be reached");
        };
        if !store.abilities().may_read {
            return Words::none("it lies on a drive; --read-drive reads it");
        }
        let tree: &Tree = &self.views[view].tree;
        let mut reader = self.workspace.reader();
        let file = InsideFile { path: tree.path(id), size: tree.size(id), item_type: tree.item_type(id) };
        read(&**store, &mut reader, &file, Ask::Glance(lines))
    }
}

/// A file to be read.
struct InsideFile {
    path: ItemPath,
    size: u64,
    item_type: ItemType,
}

fn read(store: &dyn ReadStore, reader: &mut Reader, file: &InsideFile, ask: Ask) -> Words {
    let InsideFile { path, size, item_type } = file;
    let is_silent = ask == Ask::Words && !item_type.has_words() && !item_type.says_something();
    let most =
        if ask == Ask::Words && *item_type == ItemType::Image { bounds::PICTURE } else { bounds::FILE };
    let words = match is_silent {
        true => Words::default(),
        false => match store.read(path).and_then(|file| Ok(bounded::up_to(file, most)?)) {
            Ok(bytes) => reader.ask(ask, path.name(), &bytes, *size),
            Err(error) => Words::none(format!("could not be read: {error}")),
        },
    };
    match store.origin(path) {
        Ok(Some(origin)) if ask == Ask::Words => {
            let mut said = Metadata::from_json(&words.said);
            said.set_text(TextField::Origin, &origin);
            Words { said: said.to_json(), ..words }
        }
        _ => words,
    }
}

/// What the catalogue knows of one item beyond what its store tells.
#[derive(Debug, Default)]
pub(crate) struct Remembered {
    /// When it was first seen, where the store does not tell when it arrived.
    pub arrived: Option<Moment>,
    /// The words inside: as they are kept, or, where its place asks for that, read now.
    pub words: Option<Words>,
    /// What it says of itself; read now where it is not kept.
    pub said: Option<Metadata>,
}

/// Asks the catalogue about one item, a file of this type or a folder.
pub(crate) fn remembered(
    workspace: &Workspace,
    area: &Area,
    store: &dyn ReadStore,
    path: &ItemPath,
    entry: &Entry,
    item_type: ItemType,
) -> Remembered {
    use nine_core::tree::Column::{Arrived, Born, Changed, Identity, Modified, Size, Text};
    let Some(catalogue) = open_catalogue(workspace, &super::LookMode::Now) else {
        return Remembered::default();
    };
    let columns = [Identity, Size, Modified, Changed, Text, Born, Arrived];
    let kept = catalogue.load(&area.address, &columns).ok().flatten();
    let arrived = kept.as_ref().and_then(|kept| kept.tree.born(kept.tree.row_of(entry)?));
    let is_file = entry.kind == Kind::File;
    let has_words = is_file && item_type.has_words();
    let number = kept.and_then(|kept| kept.tree.text_of(entry)).filter(|_| is_file);
    let reading = number.and_then(|number| catalogue.text(number).ok().flatten());
    let (words, is_kept) = match reading {
        Some(reading) => (Some(Words { body: reading.body, note: reading.note, said: reading.said }), true),
        None if is_file && store.abilities().may_read => {
            let file = InsideFile { path: path.clone(), size: entry.size, item_type };
            (Some(read(store, &mut workspace.reader(), &file, Ask::Words)), false)
        }
        None => (None, false),
    };
    let said = words.as_ref().map(|words| Metadata::from_json(&words.said));
    let words = words.filter(|_| has_words && (is_kept || area.reads_text));
    Remembered { arrived, words, said }
}
