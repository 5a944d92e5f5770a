//! The planner of `discard`: a selection goes into the trash.

use std::collections::HashSet;

use super::followers::{Siblings, with_followers};
use super::{BY_HAND, Intent, Proposal};
use crate::item::Kind;
use crate::place::Spot;
use crate::worklist::Act;

/// Discards a selection. `siblings` lists what lies in a folder, so that what is kept together goes along;
/// what lies in a folder that goes is not told by itself.
pub fn plan(items: Vec<Proposal>, siblings: &dyn Fn(&Spot) -> Siblings) -> Vec<Proposal> {
    let intent = || Intent::Exactly(Act::discard());
    let discard = |item: Proposal| Proposal { intent: intent(), why: BY_HAND.into(), ..item };
    with_followers(outermost(items), siblings).into_iter().map(discard).collect()
}

/// Those of a selection that lie in no folder that is itself selected.
pub(super) fn outermost(items: Vec<Proposal>) -> Vec<Proposal> {
    let folders: HashSet<Spot> =
        items.iter().filter(|item| item.kind == Kind::Folder).map(|item| item.item.clone()).collect();
    let goes_with_folder = |item: &Proposal| {
        let mut folder = item.item.folder();
        while !folder.path.is_root() {
            if folders.contains(&folder) {
                return true;
            }
            folder = folder.folder();
        }
        false
    };
    items.into_iter().filter(|item| !goes_with_folder(item)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::{Entry, Identity, Stamp};
    use crate::moment::Moment;
    use crate::place::Name;
    use crate::plan::settle;
    use crate::worklist::NamesThere;

    fn selected(at: &str, kind: Kind) -> Proposal {
        let stamp = Stamp { size: 3, modified: Moment(0), identity: Identity([1, 1]) };
        Proposal::new(Spot::parse(at).unwrap(), kind, stamp, Vec::new())
    }

    #[test]
    fn a_folder_goes_as_one_and_a_photo_with_its_sidecar_both_or_neither() {
        let items = vec![
            selected("downloads/old", Kind::Folder),
            selected("downloads/old/deep/a.txt", Kind::File),
            selected("downloads/older/a.txt", Kind::File),
            selected("downloads/p.JPG", Kind::File),
            selected("downloads/p.xmp", Kind::File),
        ];
        let entry = Entry {
            kind: Kind::File,
            size: 1,
            modified: Moment(0),
            opened: None,
            born: None,
            changed: Moment(0),
            identity: Identity([1, 2]),
        };
        let beside = |_: &Spot| {
            vec![
                (Name::constant("p.JPG").into(), entry.clone()),
                (Name::constant("p.xmp").into(), entry.clone()),
            ]
        };
        let steps = settle(&plan(items, &beside), &NamesThere::default()).worklist.steps;
        let told: Vec<(String, bool)> =
            steps.iter().map(|step| (step.item.to_string(), step.together.is_some())).collect();
        let wanted = [
            ("downloads/old", false),
            ("downloads/older/a.txt", false),
            ("downloads/p.JPG", true),
            ("downloads/p.xmp", true),
        ];
        assert_eq!(told, wanted.map(|(item, together)| (item.to_owned(), together)));
        assert!(steps.iter().all(|step| step.act == Act::discard()));
    }
}
