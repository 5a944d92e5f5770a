//! What a scan does not tell: tags and first bytes, asked of the store for many entries at once.

use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use nine_core::item::Kind;
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::tree::{NodeId, TagsOf, Tree, Unlearned, mark};

use crate::{Store, Watch};

/// Entries that a thread takes at once.
const SHARE: usize = 256;

/// What was found out about one entry.
struct Learned {
    id: NodeId,
    tags: Option<Vec<String>>,
    content: Option<Option<Content>>,
}

/// Asks the store for what is not known yet of these entries. What cannot be read counts as having
/// no tags, and as looked at in vain. Returns how many entries were asked about.
pub fn learn(
    store: &dyn Store,
    tree: &mut Tree,
    rows: impl IntoIterator<Item = NodeId>,
    what: Unlearned,
    watch: &Watch,
) -> usize {
    let wanted: Vec<NodeId> = rows.into_iter().filter(|id| lacks(tree, *id, what)).collect();
    let (next, found) = (AtomicUsize::new(0), Mutex::new(Vec::with_capacity(wanted.len())));
    let threads = std::thread::available_parallelism().map_or(1, usize::from).min(8);
    let threads = threads.min(wanted.len().div_ceil(SHARE));
    let of_tree: &Tree = tree;
    let work = || {
        while !watch.is_stopped() {
            let from = next.fetch_add(SHARE, Ordering::Relaxed);
            let Some(share) = wanted.get(from..(from + SHARE).min(wanted.len())).filter(|s| !s.is_empty())
            else {
                break;
            };
            let learned: Vec<Learned> = share.iter().map(|id| ask(store, of_tree, *id, what)).collect();
            watch.saw(learned.len() as u64);
            found.lock().unwrap_or_else(std::sync::PoisonError::into_inner).extend(learned);
        }
    };
    if threads <= 1 {
        work();
    } else {
        std::thread::scope(|scope| (0..threads).for_each(|_| drop(scope.spawn(work))));
    }
    let found = found.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
    let count = found.len();
    for Learned { id, tags, content } in found {
        if let Some(tags) = tags {
            tree.learn_tags(id, &tags);
        }
        if let Some(content) = content {
            tree.learn_content(id, content);
        }
    }
    count
}

fn lacks(tree: &Tree, id: NodeId, what: Unlearned) -> bool {
    (what.tags && tree.tags(id) == TagsOf::NotAsked) || lacks_content(tree, id, what)
}

fn lacks_content(tree: &Tree, id: NodeId, what: Unlearned) -> bool {
    what.content && tree.kind(id) == Kind::File && !tree.has_mark(id, mark::LOOKED)
}

fn ask(store: &dyn Store, tree: &Tree, id: NodeId, what: Unlearned) -> Learned {
    let path = tree.path(id);
    let tags =
        (what.tags && tree.tags(id) == TagsOf::NotAsked).then(|| store.tags(&path).unwrap_or_default());
    let content = lacks_content(tree, id, what).then(|| {
        // An empty file needs no look.
        if tree.size(id) == 0 {
            return Some(recognise(b""));
        }
        store.first_bytes(&path, FIRST_BYTES).ok().map(|bytes| recognise(&bytes))
    });
    Learned { id, tags, content }
}
