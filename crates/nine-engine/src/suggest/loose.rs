//! What lies loose, with all that may tell where it belongs.

use std::collections::HashMap;

use nine_core::config::Config;
use nine_core::find::Rows;
use nine_core::item::{Item, Kind};
use nine_core::kinds::ItemType;
use nine_core::moment::Now;
use nine_core::place::Spot;
use nine_core::plan::{Proposal, with_followers};
use nine_core::suggest::Traits;
use nine_core::tree::{NodeId, Tree, Unlearned};

use super::Effort;
use super::filed::{known_tags, newest, traits};
use crate::looking::{Looking, WantsInside};
use crate::rules_at_work::RulesAtWork;
use crate::workspace::listed;

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

/// What lies loose and no rule is for, by where it lies.
pub(crate) type LooseItems = HashMap<Spot, LooseItem>;

/// Loose things that are looked into in each pile at most, the newest.
const LOOKED_INTO: usize = 1000;

/// What lies loose of what was gone through, and proposals that want nothing yet, each with what follows it.
pub(crate) fn all_loose(
    at_work: &mut RulesAtWork,
    loose: Vec<(usize, Vec<NodeId>)>,
    effort: Effort,
) -> (Vec<Proposal>, LooseItems) {
    let places = &at_work.looking.workspace.opened().places;
    let (mut proposals, mut items) = (Vec::new(), LooseItems::new());
    for (view, ids) in loose {
        let found = in_view(&mut at_work.looking, view, &ids, effort);
        let wanted = found.iter().map(LooseItem::proposal).collect();
        proposals.extend(with_followers(wanted, &|folder| listed(places, folder)));
        items.extend(found.into_iter().map(|item| (item.item.spot.clone(), item)));
    }
    (proposals, items)
}

/// Reads what is known of rows of a view; on drives nothing beyond the listing.
fn in_view(looking: &mut Looking, view: usize, ids: &[NodeId], effort: Effort) -> Vec<LooseItem> {
    let rows_of = |tree: &Tree, ids: &[NodeId]| {
        let mut rows = Rows::none(tree.rows());
        ids.iter().for_each(|id| rows.add(id.row()));
        rows
    };
    let may_read = looking.views[view].store().is_some_and(|store| store.abilities().may_read);
    let tree = &looking.views[view].tree;
    let rows = rows_of(tree, ids);
    // What is gone through one by one shows its tags, also on a drive.
    if may_read || effort == Effort::Little {
        looking.learn(view, &rows, Unlearned { tags: true, content: false });
    }
    if may_read && effort != Effort::Little {
        let tree = &looking.views[view].tree;
        let looked_into = rows_of(tree, &newest(tree, ids.to_vec(), LOOKED_INTO));
        let wants = WantsInside { said: true, origin: true, ..WantsInside::default() };
        let rows = if effort == Effort::All { &rows } else { &looked_into };
        looking.learn_types(view, rows);
        looking.read_words(view, rows, wants);
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
