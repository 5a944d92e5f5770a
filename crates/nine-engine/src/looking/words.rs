//! Reads the words inside files where nobody has yet, and keeps them in the catalogue.

use nine_core::find::Rows;
use nine_core::item::Entry;
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

impl Looking<'_> {
    /// Reads the words of these rows where they are not known. What cannot be read is named.
    pub fn read_words(&mut self, view: usize, rows: &Rows) {
        let tree = &self.views[view].tree;
        let unread = |id: &NodeId| tree.may_have_words(*id) && tree.text(*id) == 0;
        let wanted: Vec<NodeId> = rows.ids().filter(unread).collect();
        let Some(store) = self.views[view].store().cloned().filter(|_| !wanted.is_empty()) else {
            return;
        };
        if !store.abilities().may_read {
            self.tell_unread(view, &wanted, Unread::Words);
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
            share.push(Reading { id, body: words.body, note: words.note });
            if share.len() >= SHARE {
                all.keep_words(view, &std::mem::take(&mut share));
            }
        });
        self.keep_words(view, &share);
    }

    /// Asks about what is inside files, several readers at work, and hands over the answers as they come.
    pub(super) fn read_inside(
        &mut self,
        view: usize,
        store: &dyn ReadStore,
        wanted: &[NodeId],
        ask: Ask,
        watch: &Watch,
        mut each: impl FnMut(&mut Self, NodeId, Words),
    ) {
        let tree = &self.views[view].tree;
        let files: Vec<(ItemPath, u64)> = wanted.iter().map(|id| (tree.path(*id), tree.size(*id))).collect();
        let workspace = self.workspace;
        let work = |reader: &mut Reader, (path, size): &(ItemPath, u64)| {
            let words = read(store, reader, path, *size, ask);
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
        read(&**store, &mut reader, &tree.path(id), tree.size(id), Ask::Glance(lines))
    }
}

fn read(store: &dyn ReadStore, reader: &mut Reader, path: &ItemPath, size: u64, ask: Ask) -> Words {
    let content = store.read(path).and_then(|file| Ok(bounded::up_to(file, bounds::FILE)?));
    match content {
        Ok(bytes) => reader.ask(ask, path.name(), &bytes, size),
        Err(error) => Words::none(format!("could not be read: {error}")),
    }
}

/// What the catalogue knows of one item beyond what its store tells.
#[derive(Debug, Default)]
pub(crate) struct Remembered {
    /// When it was first seen, where the store does not tell when it arrived.
    pub arrived: Option<Moment>,
    /// The words inside: as they are kept, or, where its place asks for that, read now.
    pub words: Option<Words>,
}

/// Asks the catalogue about one item; `has_words` tells whether it may have any.
pub(crate) fn remembered(
    workspace: &Workspace,
    area: &Area,
    store: &dyn ReadStore,
    path: &ItemPath,
    entry: &Entry,
    has_words: bool,
) -> Remembered {
    use nine_core::tree::Column::{Arrived, Born, Changed, Identity, Modified, Size, Text};
    let Some(catalogue) = open_catalogue(workspace, &super::LookMode::Now) else {
        return Remembered::default();
    };
    let columns = [Identity, Size, Modified, Changed, Text, Born, Arrived];
    let kept = catalogue.load(&area.address, &columns).ok().flatten();
    let arrived = kept.as_ref().and_then(|kept| kept.tree.born(kept.tree.row_of(entry)?));
    let number = kept.and_then(|kept| kept.tree.text_of(entry)).filter(|_| has_words);
    let reading = number.and_then(|number| catalogue.text(number).ok().flatten());
    let words = match reading {
        Some(reading) => Some(Words { body: reading.body, note: reading.note }),
        None if area.reads_text && has_words && store.abilities().may_read => {
            Some(read(store, &mut workspace.reader(), path, entry.size, Ask::Words))
        }
        None => None,
    };
    Remembered { arrived, words }
}
