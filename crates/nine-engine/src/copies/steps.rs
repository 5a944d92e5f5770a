//! Steps for items whose bytes something else has: how they go, and who inherits their tags.

use std::collections::HashMap;

use nine_core::copies::{Member, followers, leader};
use nine_core::item::Kind;
use nine_core::place::ItemPath;
use nine_core::plan::copies::{belongs_to, belongs_to_it, copy_words};
use nine_core::plan::{Intent, Proposal};
use nine_core::tree::{NodeId, TagsOf};
use nine_core::worklist::{Act, Doubt, Original};

use crate::looking::Looking;
use crate::looking::keep::{lost, tags_of};

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
    Proposal { intent, why: why.into(), ..proposal(looking, copy) }
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
