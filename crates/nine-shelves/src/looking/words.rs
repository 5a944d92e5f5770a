//! Reads the words inside files where nobody has yet, and keeps them in the catalogue.

use std::io::{Read, Write};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::sync_channel;

use nine_core::amount::{counted, readable};
use nine_core::find::Rows;
use nine_core::item::Entry;
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use nine_core::tree::{NodeId, Tree};
use nine_stores::catalogue::Reading;
use nine_stores::reading::{Words, bounds};
use nine_stores::{Catalogue, Store, Watch};

use super::{Ground, Looking, View, open_catalogue};
use crate::output::style::DOUBT;
use crate::progress;
use crate::reader::{Ask, Reader};
use crate::session::Session;

/// How many files are kept at once.
const SHARE: usize = 128;

impl Looking<'_> {
    /// Reads the words of these rows where they are not known. What cannot be read is named.
    pub fn read_words(&mut self, view: usize, rows: &Rows) {
        let tree = &self.views[view].tree;
        let unread = |id: &NodeId| tree.may_have_words(*id) && tree.text(*id) == 0;
        let wanted: Vec<NodeId> = rows.ids().filter(unread).collect();
        let Some(store) = self.views[view].store().cloned().filter(|_| !wanted.is_empty()) else {
            return;
        };
        if !store.may_read() {
            self.tell_unread(view, &wanted, "the words in");
            return;
        }
        // Words are kept with the place that they were read in.
        self.keep_view(view);
        if self.catalogue.is_none() {
            let place = self.views[view].ground.base.to_string();
            self.trouble(&place, "the words in it cannot be read, since there is nowhere to keep them");
            return;
        }
        let watch = Watch::default();
        let label = format!("reading words in {}", self.views[view].ground.base);
        let total = wanted.len() as u64;
        progress::during(&label, Some(total), &watch, || self.read_all(view, &*store, &wanted, &watch));
        // What was read of files that have changed since or are gone is of no use any more.
        match self.catalogue.as_mut().map(Catalogue::drop_unused_texts) {
            Some(Err(error)) => self.do_without(&error),
            Some(Ok(dropped)) => tracing::info!(dropped, "texts that nothing points to"),
            None => {}
        }
    }

    /// Says of files on a drive that they are not read, and what that would cost.
    pub(super) fn tell_unread(&self, view: usize, unread: &[NodeId], what: &str) {
        let View { ground, tree, .. } = &self.views[view];
        let bytes = unread.iter().map(|id| tree.size(*id)).sum();
        let files = counted(unread.len() as u64, "file", "files");
        let told = format!("? {} {what} {files}, {}, are not known", ground.base, readable(bytes));
        self.tell(DOUBT, &format!("{told}; --read-drive reads them"));
    }

    /// Two readers at work, and the results kept as they come, so that a long reading that is cut
    /// off was not in vain.
    fn read_all(&mut self, view: usize, store: &dyn Store, wanted: &[NodeId], watch: &Watch) {
        let next = AtomicUsize::new(0);
        let paths: Vec<_> = wanted.iter().map(|id| self.views[view].tree.path(*id)).collect();
        let sizes: Vec<u64> = wanted.iter().map(|id| self.views[view].tree.size(*id)).collect();
        let (send, receive) = sync_channel::<Reading>(SHARE);
        std::thread::scope(|scope| {
            for _ in 0..2.min(wanted.len()) {
                let (send, next, paths, sizes) = (send.clone(), &next, &paths, &sizes);
                scope.spawn(move || {
                    let mut reader = Reader::default();
                    while let Some(at) =
                        Some(next.fetch_add(1, Ordering::Relaxed)).filter(|at| *at < paths.len())
                    {
                        let words = read(store, &mut reader, &paths[at], sizes[at], Ask::Words);
                        watch.saw(1);
                        let reading = Reading { id: wanted[at], body: words.body, note: words.note };
                        if send.send(reading).is_err() {
                            break;
                        }
                    }
                });
            }
            drop(send);
            let mut share = Vec::new();
            for reading in receive {
                share.push(reading);
                if share.len() >= SHARE {
                    self.keep_words(view, &std::mem::take(&mut share));
                }
            }
            self.keep_words(view, &share);
        });
    }

    fn keep_words(&mut self, view: usize, readings: &[Reading]) {
        let failed: Vec<&Reading> = readings.iter().filter(|reading| !reading.note.is_empty()).collect();
        for reading in failed {
            let spot = self.views[view].spot(reading.id);
            let mut err = crate::output::err();
            let _ = writeln!(err, "{DOUBT}? {spot}{DOUBT:#} {}", reading.note);
        }
        let View { ground, tree, at, .. } = &mut self.views[view];
        let Some(catalogue) = &mut self.catalogue else { return };
        if let Err(error) = catalogue.keep_texts(&ground.address, tree, *at, readings) {
            self.do_without(&error);
        }
    }

    /// A few lines that tell what a file is.
    pub fn glance(&self, view: usize, id: NodeId, lines: u8) -> Words {
        let Some(store) = self.views[view].store() else {
            return Words::none("it cannot be reached");
        };
        if !store.may_read() {
            return Words::none("it lies on a drive; --read-drive reads it");
        }
        let tree: &Tree = &self.views[view].tree;
        read(&**store, &mut Reader::default(), &tree.path(id), tree.size(id), Ask::Glance(lines))
    }
}

pub(super) fn read(store: &dyn Store, reader: &mut Reader, path: &ItemPath, size: u64, ask: Ask) -> Words {
    let mut bytes = Vec::new();
    let content = store.read(path).and_then(|file| Ok(file.take(bounds::FILE).read_to_end(&mut bytes)?));
    match content {
        Ok(_) => reader.ask(ask, path.name(), &bytes, size),
        Err(error) => Words::none(format!("could not be read: {error}")),
    }
}

/// What the catalogue knows of one item beyond what its store tells.
#[derive(Debug, Default)]
pub struct Remembered {
    /// When it was first seen, where the store does not tell when it arrived.
    pub arrived: Option<Moment>,
    /// The words inside: as they are kept, or, where its place asks for that, read now.
    pub words: Option<Words>,
}

/// Asks the catalogue about one item; `has_words` tells whether it may have any.
pub fn remembered(
    session: &Session,
    ground: &Ground,
    store: &dyn Store,
    path: &ItemPath,
    entry: &Entry,
    has_words: bool,
) -> Remembered {
    use nine_core::tree::Column::{Arrived, Born, Changed, Identity, Modified, Size, Text};
    let Some(catalogue) = open_catalogue(session, &super::How::Now) else { return Remembered::default() };
    let columns = [Identity, Size, Modified, Changed, Text, Born, Arrived];
    let kept = catalogue.load(&ground.address, &columns).ok().flatten();
    let arrived = kept.as_ref().and_then(|kept| kept.tree.born(kept.tree.row_of(entry)?));
    let number = kept.and_then(|kept| kept.tree.text_of(entry)).filter(|_| has_words);
    let reading = number.and_then(|number| catalogue.text(number).ok().flatten());
    let words = match reading {
        Some(reading) => Some(Words { body: reading.body, note: reading.note }),
        None if ground.reads_text && has_words && store.may_read() => {
            Some(read(store, &mut Reader::default(), path, entry.size, Ask::Words))
        }
        None => None,
    };
    Remembered { arrived, words }
}
