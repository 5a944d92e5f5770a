//! What tells which of several copies is kept: where it stands, and its tags.

use nine_core::copies::{KeepFacts, Member};
use nine_core::correct::has_copy_mark;
use nine_core::find::Rows;
use nine_core::names::split_extension;
use nine_core::shelving::shelf_number;
use nine_core::tree::{TagsOf, Tree, Unlearned};

use super::Looking;

/// The tag of what has the same bytes as something that stays.
pub const COPY: &str = "copy";

/// Learns the tags of items, and of the folders above them.
pub fn learn_tags(looking: &mut Looking, members: &[Member]) {
    for view in 0..looking.views.len() {
        let tree = &looking.views[view].tree;
        let mut rows = Rows::none(tree.rows());
        for member in members.iter().filter(|member| member.view as usize == view) {
            let mut here = member.id;
            while here != Tree::ROOT && !rows.has(here.row()) {
                rows.add(here.row());
                here = tree.parent(here);
            }
        }
        looking.learn(view, &rows, Unlearned { tags: true, content: false });
    }
}

/// What preferences ask of an item.
pub fn standing(looking: &Looking, member: Member) -> KeepFacts {
    let view = &looking.views[member.view as usize];
    let (tree, spot) = (&view.tree, view.spot(member.id));
    let shelf = spot.path.parts().next().and_then(|name| shelf_number(&name));
    let name = spot.path.name();
    let stem = if tree.is_folder(member.id) { name } else { split_extension(name).0 };
    KeepFacts {
        on_shelf: shelf.is_some()
            && (view.area.is_bookcase || looking.workspace.config().bookcase(Some(&spot.place)).is_some())
            && (spot.path.depth() > 1 || tree.is_folder(member.id)),
        tagged: !tags_of(looking, member).is_empty(),
        kind: tree.kind(member.id),
        modified: tree.newest(member.id),
        marked: has_copy_mark(&String::from_utf8_lossy(stem)),
        spot,
    }
}

/// Whether an item is a whole shelf, which stays whatever has the same files.
pub fn is_shelf(looking: &Looking, member: Member) -> bool {
    let standing = standing(looking, member);
    standing.on_shelf && standing.spot.path.depth() == 1
}

/// An item's tags but the one that flags copies.
pub fn tags_of<'l>(looking: &'l Looking, member: Member) -> Vec<&'l String> {
    match looking.views[member.view as usize].tree.tags(member.id) {
        TagsOf::Known(tags) => tags.iter().filter(|tag| *tag != COPY).collect(),
        TagsOf::NotAsked => Vec::new(),
    }
}

/// Tags of an item that what stays in its place does not have.
pub fn lost(looking: &Looking, going: Member, stays: Member) -> Vec<String> {
    let has = tags_of(looking, stays);
    tags_of(looking, going).into_iter().filter(|tag| !has.contains(tag)).cloned().collect()
}
