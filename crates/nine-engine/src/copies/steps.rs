//! Steps for items whose bytes something else has: what they are worth keeping for, and how they go.

use std::collections::HashMap;

use nine_core::copies::{KeepFacts, Member, followers, leader};
use nine_core::correct::has_copy_mark;
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::layout::shelf_number;
use nine_core::names::split_extension;
use nine_core::place::ItemPath;
use nine_core::plan::copies::{belongs_to, belongs_to_it, copy_words};
use nine_core::plan::{Intent, Proposal};
use nine_core::tree::{NodeId, TagsOf, Tree, Unlearned};
use nine_core::worklist::{Act, Doubt, Original};

use crate::looking::Looking;

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
    let shelf = spot.path.parts().next().and_then(shelf_number);
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

/// An item for which nothing is wanted yet.
pub fn proposal(looking: &Looking, member: Member) -> Proposal {
    let view = &looking.views[member.view as usize];
    let tree = &view.tree;
    let tags = match tree.tags(member.id) {
        TagsOf::Known(tags) => tags.to_vec(),
        TagsOf::NotAsked => Vec::new(),
    };
    let new = Proposal::new(view.spot(member.id), tree.kind(member.id), view.stamp(member.id), tags);
    Proposal { size: tree.size(member.id), modified: tree.newest(member.id), ..new }
}

/// A copy that goes into the trash, since another stays.
pub fn discarded(looking: &Looking, copy: Member, stays: Member, because: &str) -> Proposal {
    let view = &looking.views[stays.view as usize];
    let of = Original { item: view.spot(stays.id), stamp: view.stamp(stays.id) };
    let why = copy_words(&of.item, because);
    let intent = Intent::Exactly(Act::Discard { copy_of: Some(of) });
    Proposal { intent, why, ..proposal(looking, copy) }
}

/// Doubts about what lies beside an item and belongs to it, or to which it belongs, and that does not go
/// with it.
pub fn torn_apart(looking: &Looking, copy: Member, goes: &dyn Fn(Member) -> bool) -> Vec<Doubt> {
    let tree = &looking.views[copy.view as usize].tree;
    let stays = |id: &NodeId| !goes(Member { id: *id, ..copy });
    let behind = followers(tree, copy.id).into_iter().filter(stays).map(|id| belongs_to_it(tree.name(id)));
    let ahead = leader(tree, copy.id).into_iter().filter(stays).map(|id| belongs_to(tree.name(id)));
    behind.chain(ahead).collect()
}

/// What stays, with the tags that its copies have and it does not.
#[derive(Default)]
pub struct Heirs {
    tags: HashMap<Member, Vec<String>>,
    order: Vec<Member>,
}

impl Heirs {
    /// Notes the tags of an item, and of all that lies in it, which what stays does not have; returns
    /// them.
    pub fn gather(&mut self, looking: &Looking, going: Member, stays: Member) -> Vec<String> {
        let mut all = self.of_one(looking, going, stays);
        let tree_of = |member: Member| &looking.views[member.view as usize].tree;
        let (from, to) = (tree_of(going), tree_of(stays));
        if from.kind(going.id) != Kind::Folder {
            return all;
        }
        let (above, depth) = (to.path(stays.id), from.path(going.id).depth());
        for id in from.inside(going.id) {
            let member = Member { id, ..going };
            if tags_of(looking, member).is_empty() {
                continue;
            }
            let below = ItemPath::of_names(from.path(id).parts().skip(depth));
            let Some(twin) = to.find(&above.join_path(&below)) else { continue };
            for tag in self.of_one(looking, member, Member { id: twin, ..stays }) {
                if !all.contains(&tag) {
                    all.push(tag);
                }
            }
        }
        all
    }

    fn of_one(&mut self, looking: &Looking, going: Member, stays: Member) -> Vec<String> {
        let lost = lost(looking, going, stays);
        if !lost.is_empty() {
            let heir = self.tags.entry(stays).or_insert_with(|| {
                self.order.push(stays);
                Vec::new()
            });
            for tag in &lost {
                if !heir.contains(tag) {
                    heir.push(tag.clone());
                }
            }
        }
        lost
    }

    /// What stays with the tags of its copies.
    pub fn proposals(&self, looking: &Looking) -> Vec<Proposal> {
        let of = |member: &Member| {
            let mut heir = proposal(looking, *member);
            heir.add_tags(&self.tags[member]);
            heir.why = "has the tags of its copies".into();
            heir
        };
        self.order.iter().map(of).collect()
    }
}
