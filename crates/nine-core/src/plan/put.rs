//! The planner of `put`: a selection filed by hand.

use super::followers::{Siblings, with_followers};
use super::{BY_HAND, Intent, PlacedBy, Placing, Proposal};
use crate::place::{ItemPath, Spot};
use crate::rules::Clash;

/// How a selection is filed.
#[derive(Debug, Clone)]
pub struct PutHow {
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

impl PutHow {
    fn between(&self, folder: &ItemPath) -> ItemPath {
        let is_below = *folder == self.below || folder.is_inside(&self.below);
        let skipped = if is_below { self.below.depth() } else { 0 };
        ItemPath::of_names(folder.parts().skip(skipped))
    }
}

/// Files a selection. `siblings` lists what lies in a folder, so that what is kept together goes along.
pub fn plan(items: Vec<Proposal>, how: &PutHow, siblings: &dyn Fn(&Spot) -> Siblings) -> Vec<Proposal> {
    let file = |mut item: Proposal| {
        let from = item.item.folder();
        let between = if how.keeps_folders { how.between(&from.path) } else { ItemPath::root() };
        let folder = Spot::new(how.folder.place.clone(), how.folder.path.join_path(&between));
        let by = if how.copies { PlacedBy::Copy } else { PlacedBy::Move };
        item.intent = Intent::Place(Placing { by, clash: how.clash, ..Placing::into(folder) });
        item.why = BY_HAND.into();
        item
    };
    with_followers(items, siblings).into_iter().map(file).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::{Entry, Identity, Kind, Stamp};
    use crate::moment::Moment;
    use crate::place::Name;

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

    fn how(keeps_folders: bool) -> PutHow {
        let folder = Spot::parse("home/3 Grants/Claims").unwrap();
        PutHow { folder, keeps_folders, below: ItemPath::root(), copies: false, clash: Clash::Number }
    }

    #[test]
    fn folders_between_are_kept_or_not() {
        let plan = |keeps| super::plan(vec![selected("downloads/a/b/x.pdf")], &how(keeps), &|_| Vec::new());
        let folder = |keeps| plan(keeps)[0].placing().unwrap().folder.to_string();
        assert_eq!(folder(false), "home/3 Grants/Claims");
        assert_eq!(folder(true), "home/3 Grants/Claims/a/b");
    }

    #[test]
    fn a_sidecar_goes_with_its_photo_also_if_it_was_selected() {
        let beside = |_: &Spot| {
            ["p.JPG", "p.xmp", "q.xmp"].map(|name| (Name::constant(name).into(), entry(Kind::File))).to_vec()
        };
        let items =
            vec![selected("downloads/p.JPG"), selected("downloads/p.xmp"), selected("downloads/q.xmp")];
        let plan = plan(items, &how(false), &beside);
        let names: Vec<&[u8]> = plan.iter().map(|proposal| proposal.item.path.name()).collect();
        assert_eq!(names, [&b"p.JPG"[..], b"q.xmp"]);
        assert_eq!(plan[0].followers.len(), 1);
    }
}
