//! What goes with what a person selects by hand: a photo's sidecar, the files of a saved page.

use std::collections::{HashMap, HashSet};

use super::{Follower, Proposal};
use crate::item::{Entry, Kind};
use crate::keep_together::{self, Set};
use crate::names::{fold_bytes, split_extension};
use crate::place::{NameBuf, Spot};

/// What lies beside an item.
pub type Siblings = Vec<(NameBuf, Entry)>;

/// What lies in a folder and may follow something, by the name of what it would follow.
type MayFollow = HashMap<String, Siblings>;

/// Gives the items of a selection what follows them. `siblings` lists what lies in a folder. What was
/// selected beside its leader goes with it, and is left out.
pub fn with_followers(mut items: Vec<Proposal>, siblings: &dyn Fn(&Spot) -> Siblings) -> Vec<Proposal> {
    let mut listed: HashMap<Spot, MayFollow> = HashMap::new();
    let mut led: HashSet<Spot> = HashSet::new();
    for item in &mut items {
        let from = item.item.folder();
        let beside = listed.entry(from.clone()).or_insert_with(|| may_follow(siblings(&from)));
        item.followers = followers(item, beside);
        led.extend(item.followers.iter().map(|follower| follower.item.clone()));
    }
    items.retain(|proposal| !led.contains(&proposal.item));
    items
}

fn may_follow(siblings: Siblings) -> MayFollow {
    let mut found = MayFollow::new();
    for (name, entry) in siblings {
        if let Some(key) = keep_together::leader_key(&name, entry.kind == Kind::Folder) {
            found.entry(key).or_default().push((name, entry));
        }
    }
    found
}

fn followers(leader: &Proposal, beside: &MayFollow) -> Vec<Follower> {
    if leader.kind == Kind::Folder {
        return Vec::new();
    }
    let name = leader.item.path.name();
    let of = |(sibling, entry): &(NameBuf, Entry)| {
        if **sibling == *name {
            return None;
        }
        let set = keep_together::follows(name, sibling, entry.kind == Kind::Folder)?;
        let stem = split_extension(name).0;
        Some(Follower {
            item: Spot::new(leader.item.place.clone(), leader.item.folder().path.join(sibling)),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: entry.stamp().size,
            modified: entry.modified,
            ending: (set == Set::Photo).then(|| sibling[stem.len().min(sibling.len())..].to_vec()),
        })
    };
    let (stem, whole) = (fold_bytes(split_extension(name).0), fold_bytes(name));
    let keys = if stem == whole { vec![stem] } else { vec![stem, whole] };
    keys.iter().filter_map(|key| beside.get(key)).flatten().filter_map(of).collect()
}
