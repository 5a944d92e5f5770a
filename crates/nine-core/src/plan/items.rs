//! Items as rules are tried on them, made of a tree's rows.

use super::Details;
use crate::condition::{Need, Needs};
use crate::item::{Item, Kind};
use crate::keep_together::{self, Together};
use crate::kinds::name_says_little;
use crate::place::Spot;
use crate::rules::Rule;
use crate::tree::{NodeId, Tree};

/// Makes the item of a tree's node, with all that conditions may ask of it.
pub fn item(tree: &Tree, id: NodeId, spot: Spot, details: &dyn Details, needs: Needs) -> Item {
    let entry = tree.entry(id);
    let totals = tree.totals(id);
    let is_folder = entry.kind == Kind::Folder;
    let little_known = || spot.path.depth() == 1 || name_says_little(tree.name(id));
    let looks =
        entry.kind == Kind::File && (needs.has(Need::Contents) || (needs.has(Need::Type) && little_known()));
    Item {
        size: if is_folder { totals.size } else { entry.size },
        items: tree.items(id),
        newest: totals.newest,
        latest: totals.latest,
        tags: if needs.has(Need::Tags) { details.tags(id, &spot.path) } else { Vec::new() },
        note_tags: if needs.has(Need::Tags) { details.note_tags(id, &spot.path) } else { Vec::new() },
        content: looks.then(|| details.content(id, &spot.path)).flatten(),
        text: needs.has(Need::Text).then(|| details.text(id)).flatten(),
        said: needs.has_any(&[Need::Said, Need::Text]).then(|| details.said(id)).flatten(),
        broken: entry.kind == Kind::Link && details.is_broken(&spot.path),
        shared: details.is_shared(&spot.path),
        copies: tree.copies(id),
        stays: if needs.has(Need::Copies) { details.stays(id) } else { None },
        together: together(tree, id),
        ..Item::new(spot, entry)
    }
}

/// Why a folder is kept together, if it is one that is.
pub(super) fn together(tree: &Tree, id: NodeId) -> Option<Together> {
    let children = tree.children(id).map(|child| tree.name(child));
    tree.is_folder(id).then(|| keep_together::folder(tree.name(id), children)).flatten()
}

/// What rules need to know of the items that they are tried on.
pub fn needs_of<'r>(rules: impl Iterator<Item = &'r Rule>) -> Needs {
    rules.fold(Needs::default(), |all, rule| all.union(rule.needs()))
}
