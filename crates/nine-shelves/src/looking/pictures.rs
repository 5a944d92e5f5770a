//! What pictures look like: decoded in processes of their own, and kept in the catalogue.

use std::io::Write;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::sync_channel;

use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::kinds::ItemType;
use nine_core::tree::{Looks, NodeId, mark};
use nine_stores::{Store, Watch};

use super::Looking;
use super::words::read;
use crate::output::style::DOUBT;
use crate::progress;
use crate::reader::{Ask, Reader};

/// How many pictures are looked at before that is kept.
const SHARE: usize = 2_000;

/// What came of looking at one picture.
struct Seen {
    id: NodeId,
    looks: Option<Looks>,
    why: String,
}

impl Looking<'_> {
    /// Learns what these pictures look like, where that is not known.
    pub fn look_at_pictures(&mut self, view: usize, rows: &Rows) {
        let tree = &self.views[view].tree;
        let unseen = |id: &NodeId| {
            tree.kind(*id) == Kind::File
                && tree.size(*id) > 0
                && tree.item_type(*id) == ItemType::Image
                && !tree.has_mark(*id, mark::UNFINISHED)
                && tree.looks(*id).is_none()
        };
        let wanted: Vec<NodeId> = rows.ids().filter(unseen).collect();
        let Some(store) = self.views[view].store().cloned().filter(|_| !wanted.is_empty()) else { return };
        if !store.may_read() {
            self.tell_unread(view, &wanted, "the looks of");
            return;
        }
        let watch = Watch::default();
        let label = format!("looking at pictures in {}", self.views[view].ground.base);
        progress::during(&label, Some(wanted.len() as u64), &watch, || {
            for share in wanted.chunks(SHARE) {
                for Seen { id, looks, why } in self.see(view, &*store, share, &watch) {
                    self.views[view].tree.learn_looks(id, looks);
                    if looks.is_none() {
                        let spot = self.views[view].spot(id);
                        let _ = writeln!(crate::output::err(), "{DOUBT}? {spot}{DOUBT:#} {why}");
                    }
                }
                self.views[view].is_kept = false;
                self.keep_view(view);
            }
        });
    }

    fn see(&self, view: usize, store: &dyn Store, share: &[NodeId], watch: &Watch) -> Vec<Seen> {
        let tree = &self.views[view].tree;
        let next = AtomicUsize::new(0);
        let (send, receive) = sync_channel::<Seen>(share.len());
        std::thread::scope(|scope| {
            for _ in 0..2.min(share.len()) {
                let (send, next) = (send.clone(), &next);
                scope.spawn(move || {
                    let mut reader = Reader::default();
                    while let Some(id) = share.get(next.fetch_add(1, Ordering::Relaxed)) {
                        let answer = read(store, &mut reader, &tree.path(*id), tree.size(*id), Ask::Looks);
                        watch.saw(1);
                        let _ = send.send(Seen { id: *id, looks: looks_in(&answer.body), why: answer.note });
                    }
                });
            }
        });
        drop(send);
        receive.into_iter().collect()
    }
}

/// Reads what the reader wrote: pixels across, down, and the print.
fn looks_in(text: &str) -> Option<Looks> {
    let mut words = text.split(' ');
    let (across, down) = (words.next()?.parse().ok()?, words.next()?.parse().ok()?);
    let print = u64::from_str_radix(words.next()?, 16).ok()?;
    Some(Looks { pixels: (across, down), print })
}
