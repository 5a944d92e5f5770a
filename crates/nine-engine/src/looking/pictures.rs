//! What pictures look like: decoded in processes of their own, and kept in the catalogue.

use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::kinds::ItemType;
use nine_core::tree::{Looks, NodeId, mark};
use nine_stores::Watch;

use super::Looking;
use crate::reader::Ask;
use crate::reporter::{Notice, Task, Unread};

/// How many pictures are looked at before that is kept.
const SHARE: usize = 2_000;

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
        if !store.abilities().may_read {
            self.tell_unread(view, &wanted, Unread::Looks);
            return;
        }
        let (workspace, watch) = (self.workspace, Watch::default());
        let base = self.views[view].area.base.clone();
        workspace.during(Task::LookingAtPictures(&base, wanted.len() as u64), &watch, || {
            for share in wanted.chunks(SHARE) {
                let mut seen = Vec::with_capacity(share.len());
                self.read_inside(view, &*store, share, Ask::Looks, &watch, |_, id, words| {
                    seen.push((id, words))
                });
                for (id, words) in seen {
                    let looks = looks_in(&words.body);
                    self.views[view].tree.learn_looks(id, looks);
                    if looks.is_none() {
                        workspace.notice(&Notice::Inside(&self.views[view].spot(id), &words.note));
                    }
                }
                self.views[view].is_kept = false;
                self.keep_view(view);
            }
        });
    }
}

/// Reads what the reader wrote: pixels across, down, and the print.
fn looks_in(text: &str) -> Option<Looks> {
    let mut words = text.split(' ');
    let (across, down) = (words.next()?.parse().ok()?, words.next()?.parse().ok()?);
    let print = u64::from_str_radix(words.next()?, 16).ok()?;
    Some(Looks { pixels: (across, down), print })
}
