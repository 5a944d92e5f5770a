//! What lies loose, with all that may tell where it belongs.

use nine_core::config::Config;
use nine_core::find::Rows;
use nine_core::item::{Item, Kind};
use nine_core::kinds::ItemType;
use nine_core::moment::Now;
use nine_core::plan::Proposal;
use nine_core::suggest::Traits;
use nine_core::tree::{NodeId, Unlearned};

use super::filed::{known_tags, traits};
use crate::looking::{Looking, WantsInside};

/// Something that lies loose.
#[derive(Debug, Clone)]
pub(crate) struct LooseItem {
    pub item: Item,
    /// Of a folder, the type of most files right in it.
    pub item_type: ItemType,
    /// Its tags, and as tags what facets answer for sure.
    pub tags: Vec<String>,
}

impl LooseItem {
    /// An item with what facets answer for it.
    pub fn new(item: Item, item_type: ItemType, config: &Config, now: &Now) -> Self {
        let mut tags = item.tags.clone();
        for facet in config.facets.iter() {
            let finding = facet.ask(&item, now);
            if let Some(value) = finding.value().filter(|_| finding.is_sure()) {
                nine_core::tags::add(&mut tags, &facet.tag(value));
            }
        }
        Self { item, item_type, tags }
    }

    pub fn traits(&self) -> Traits<'_> {
        Traits {
            name: self.item.name(),
            is_folder: self.item.is_folder(),
            item_type: self.item_type,
            tags: &self.tags,
            said: self.item.said.as_ref(),
        }
    }

    /// A proposal that wants nothing yet.
    pub fn proposal(&self) -> Proposal {
        Proposal::for_item(&self.item)
    }
}

/// Reads what is known of rows of a view; on drives nothing beyond the listing.
pub(crate) fn loose_items(looking: &mut Looking, view: usize, ids: &[NodeId]) -> Vec<LooseItem> {
    let mut rows = Rows::none(looking.views[view].tree.rows());
    ids.iter().for_each(|id| rows.add(id.row()));
    if looking.views[view].store().is_some_and(|store| store.abilities().may_read) {
        looking.learn(view, &rows, Unlearned { tags: true, content: false });
        looking.learn_types(view, &rows);
        looking.read_words(view, &rows, WantsInside { said: true, origin: true, ..WantsInside::default() });
    }
    let (config, now) = (looking.workspace.config(), looking.workspace.now());
    let of = &looking.views[view];
    let tree = &of.tree;
    let item = |id: &NodeId| {
        let said = looking.said_by(of, *id);
        let item_type = traits(tree, *id, None, &[]).item_type;
        let item = Item {
            size: tree.size(*id),
            items: tree.items(*id),
            newest: tree.newest(*id),
            latest: tree.age_from(*id),
            tags: known_tags(tree, *id).to_vec(),
            note_tags: tree.note_tags(*id).to_vec(),
            content: tree.content(*id).copied(),
            said,
            ..Item::new(of.spot(*id), tree.entry(*id))
        };
        LooseItem::new(item, item_type, config, now)
    };
    ids.iter().filter(|id| tree.kind(**id) != Kind::Other).map(item).collect()
}
