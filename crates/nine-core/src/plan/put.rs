//! The planner of `put`: a selection filed by hand.

use std::collections::{HashMap, HashSet};

use super::{Follower, Proposal};
use crate::item::{Entry, Kind};
use crate::keep_together::{self, Set};
use crate::names::{fold_bytes, split_extension};
use crate::place::{ItemPath, Spot};
use crate::rules::Clash;

/// How a selection is filed.
#[derive(Debug, Clone)]
pub struct How {
    /// The folder that it goes to.
    pub folder: Spot,
    /// Whether the folders between its place and each item are made there too.
    pub keeps_folders: bool,
    /// The folder from which those between are counted; the place itself, if it is the root.
    pub below: ItemPath,
    /// Whether copies are made, and the items stay where they are.
    pub copies: bool,
    /// What is done where a name is taken.
    pub clash: Clash,
}

impl How {
    fn between(&self, folder: &ItemPath) -> ItemPath {
        let is_below = *folder == self.below || folder.is_inside(&self.below);
        let skipped = if is_below { self.below.depth() } else { 0 };
        ItemPath::of_names(folder.parts().skip(skipped))
    }
}

/// What lies beside an item.
pub type Siblings = Vec<(Vec<u8>, Entry)>;

/// What lies in a folder and may follow something, by the name of what it would follow.
type MayFollow = HashMap<String, Siblings>;

/// Files a selection. `siblings` lists what lies in a folder, so that what is kept together goes along.
pub fn plan(items: Vec<Proposal>, how: &How, siblings: &dyn Fn(&Spot) -> Siblings) -> Vec<Proposal> {
    let mut listed: HashMap<Spot, MayFollow> = HashMap::new();
    let mut led: HashSet<Spot> = HashSet::new();
    let mut proposals = Vec::new();
    for mut item in items {
        let from = item.item.folder();
        let beside = listed.entry(from.clone()).or_insert_with(|| may_follow(siblings(&from)));
        item.followers = followers(&item, beside);
        led.extend(item.followers.iter().map(|follower| follower.item.clone()));
        let between = if how.keeps_folders { how.between(&from.path) } else { ItemPath::root() };
        item.folder = Some(Spot::new(how.folder.place.clone(), how.folder.path.join_path(&between)));
        (item.copies, item.clash) = (how.copies, how.clash);
        item.why = "by hand".into();
        proposals.push(item);
    }
    // What was selected beside its leader goes with it.
    proposals.retain(|proposal| !led.contains(&proposal.item));
    proposals
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
    let of = |(sibling, entry): &(Vec<u8>, Entry)| {
        if sibling == name {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::{Identity, Stamp};
    use crate::moment::Moment;

    fn entry(kind: Kind) -> Entry {
        Entry {
            kind,
            size: 3,
            modified: Moment(0),
            opened: None,
            born: None,
            changed: Moment(0),
            identity: Identity([1, 1]),
        }
    }

    fn selected(at: &str) -> Proposal {
        let stamp: Stamp = entry(Kind::File).stamp();
        Proposal::new(Spot::parse(at).unwrap(), Kind::File, stamp, Vec::new())
    }

    fn how(keeps_folders: bool) -> How {
        let folder = Spot::parse("home/3 Grants/Claims").unwrap();
        How { folder, keeps_folders, below: ItemPath::root(), copies: false, clash: Clash::Number }
    }

    #[test]
    fn folders_between_are_kept_or_not() {
        let plan = |keeps| super::plan(vec![selected("downloads/a/b/x.pdf")], &how(keeps), &|_| Vec::new());
        assert_eq!(plan(false)[0].folder, Some(Spot::parse("home/3 Grants/Claims").unwrap()));
        assert_eq!(plan(true)[0].folder, Some(Spot::parse("home/3 Grants/Claims/a/b").unwrap()));
    }

    #[test]
    fn a_sidecar_goes_with_its_photo_also_if_it_was_selected() {
        let beside = |_: &Spot| {
            ["p.JPG", "p.xmp", "q.xmp"].map(|name| (name.as_bytes().to_vec(), entry(Kind::File))).to_vec()
        };
        let items =
            vec![selected("downloads/p.JPG"), selected("downloads/p.xmp"), selected("downloads/q.xmp")];
        let plan = plan(items, &how(false), &beside);
        let names: Vec<&[u8]> = plan.iter().map(|proposal| proposal.item.path.name()).collect();
        assert_eq!(names, [&b"p.JPG"[..], b"q.xmp"]);
        assert_eq!(plan[0].followers.len(), 1);
    }
}
