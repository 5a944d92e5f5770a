//! What a scan does not tell: tags and first bytes, asked of the store for many entries at once.

use nine_core::item::Kind;
use nine_core::kinds::Content;
use nine_core::place::Name;
use nine_core::tree::{NodeId, TagsOf, Tree, Unlearned, mark};

use crate::reading::{may_be_note, note_tags};
use crate::recognition::{ContainerReader, content_of};
use crate::work::with_item_named;
use crate::{ReadStore, Watch, side_by_side, threads};

/// Entries that are asked about before what was found out is noted down, so that no memory is taken
/// for all of them at once.
const ROUND: usize = 32 * 1024;

/// Entries that a thread takes at once.
const SHARE: usize = 256;

/// Asks the store for what is not known yet of these entries. What cannot be read counts as having
/// no tags, and as looked at in vain. Returns how many entries were asked about.
pub fn learn(
    (store, containers): (&dyn ReadStore, &dyn ContainerReader),
    tree: &mut Tree,
    rows: impl IntoIterator<Item = NodeId>,
    what: Unlearned,
    watch: &Watch,
) -> usize {
    // A place's own tags are nobody's affair.
    let rows: Vec<NodeId> = rows.into_iter().filter(|id| *id != Tree::ROOT).collect();
    let mut asked = 0;
    if what.tags {
        let mut wanted: Vec<NodeId> =
            rows.iter().copied().filter(|id| tree.tags(*id) == TagsOf::NotAsked).collect();
        // What lies in one folder is asked about together.
        wanted.sort_by_key(|id| tree.parent(*id));
        for round in wanted.chunks(ROUND) {
            for (id, (own, inside)) in at_once(round, watch, |share| tags_of(store, tree, share)) {
                tree.learn_tags(id, &own, &inside);
            }
        }
        asked += wanted.len();
    }
    if what.content {
        let unseen = |id: &NodeId| tree.kind(*id) == Kind::File && !tree.has_mark(*id, mark::LOOKED);
        let wanted: Vec<NodeId> = rows.iter().copied().filter(unseen).collect();
        for round in wanted.chunks(ROUND) {
            for (id, content) in at_once(round, watch, |share| contents_of(store, containers, tree, share)) {
                tree.learn_content(id, content);
            }
        }
        asked += wanted.len();
    }
    asked
}

/// Hands shares of the entries to as many threads as there are processors; gathers the answers.
fn at_once<T: Send>(
    wanted: &[NodeId],
    watch: &Watch,
    ask: impl Fn(&[NodeId]) -> Vec<(NodeId, T)> + Sync,
) -> Vec<(NodeId, T)> {
    let shares: Vec<&[NodeId]> = wanted.chunks(SHARE).collect();
    let mut found = Vec::with_capacity(wanted.len());
    let work = |(): &mut (), share: &&[NodeId]| {
        let answers = (!watch.is_stopped()).then(|| ask(share));
        watch.saw(share.len() as u64);
        answers
    };
    side_by_side(&shares, threads(), || (), work, |_, answers| found.extend(answers));
    found
}

/// Tags that were given, and tags inside.
type BothTags = (Vec<String>, Vec<String>);

fn tags_of(store: &dyn ReadStore, tree: &Tree, share: &[NodeId]) -> Vec<(NodeId, BothTags)> {
    let mut found = Vec::with_capacity(share.len());
    for siblings in share.chunk_by(|a, b| tree.parent(*a) == tree.parent(*b)) {
        let names: Vec<Name> = siblings.iter().map(|id| tree.name_of(*id)).collect();
        let folder = tree.path(tree.parent(siblings[0]));
        let tags = store.tags_in(&folder, &names);
        found.extend(siblings.iter().zip(&names).zip(tags).map(|((id, name), own)| {
            let is_read = store.abilities().may_read && may_be_note(tree.kind(*id), tree.size(*id), name);
            let path = || folder.join(*name);
            let item = || store.location(&path()).to_string();
            let inside = match is_read {
                true => with_item_named(item, || note_tags(store, &path())),
                false => Vec::new(),
            };
            (*id, (own, inside))
        }));
    }
    found
}

fn contents_of(
    store: &dyn ReadStore,
    containers: &dyn ContainerReader,
    tree: &Tree,
    share: &[NodeId],
) -> Vec<(NodeId, Option<Content>)> {
    let look = |id: NodeId| {
        let path = tree.path(id);
        let item = || store.location(&path).to_string();
        with_item_named(item, || content_of(store, containers, &path, tree.size(id)).ok())
    };
    share.iter().map(|id| (*id, look(*id))).collect()
}
