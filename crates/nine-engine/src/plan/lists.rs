//! The lists of the archive follow from the steps; nobody need agree to them.

use std::collections::{HashMap, HashSet};

use nine_core::archive::CONTENTS;
use nine_core::item::{Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::Places;

use super::Draft;
use crate::workspace::Opened;

/// The steps, and behind them one for each dated folder of the archive whose lists they change.
pub fn with_lists(opened: &Opened, draft: &Draft, mut steps: Vec<Step>) -> Vec<Step> {
    if opened.archive.is_empty() {
        return steps;
    }
    let shelves = &opened.archive;
    let mut lists = DatedFolders { places: &draft.places, shelves, new: &draft.dated, known: HashMap::new() };
    let (mut touched, mut seen) = (Vec::new(), HashSet::new());
    for step in &steps {
        let changed = (step.vacates() || matches!(step.act, Act::Tag { .. })).then_some(&step.item);
        for spot in changed.into_iter().chain(step.target()) {
            let dated = lists.dated(spot).filter(|dated| seen.insert(dated.clone()));
            touched.extend(dated.map(|dated| (dated, step.why.clone())));
        }
    }
    steps.extend(touched.into_iter().map(|(item, why)| Step {
        act: Act::List,
        item,
        kind: Kind::Folder,
        // It is no item that must be found as it was.
        stamp: Stamp { size: 0, modified: Moment(0), identity: Identity([0, 0]) },
        size: 0,
        modified: Moment(0),
        why,
        doubts: Vec::new(),
        together: None,
    }));
    steps
}

/// Which folders are dated ones of the archive.
struct DatedFolders<'a> {
    places: &'a Places,
    shelves: &'a [Spot],
    new: &'a [Spot],
    known: HashMap<Spot, bool>,
}

impl DatedFolders<'_> {
    /// The dated folder that something lies in.
    fn dated(&mut self, spot: &Spot) -> Option<Spot> {
        let shelf = self.shelves.iter().find(|shelf| spot.is_inside(shelf))?;
        let depth = shelf.path.depth();
        let parts: Vec<&[u8]> = spot.path.parts().collect();
        let above = (depth + 1..parts.len()).map(|most| ItemPath::of_names(parts[..most].iter().copied()));
        above.map(|path| Spot::new(spot.place.clone(), path)).find(|folder| self.is_dated(folder))
    }

    fn is_dated(&mut self, folder: &Spot) -> bool {
        let (places, new) = (self.places, self.new);
        *self.known.entry(folder.clone()).or_insert_with_key(|folder| {
            let has_list = || {
                let store = places.of(folder);
                let list = store.and_then(|store| store.entry(&folder.path.join(CONTENTS)));
                matches!(list, Ok(Some(_)))
            };
            new.contains(folder) || has_list()
        })
    }
}
