//! The lists of the archive follow from the steps; nobody need agree to them.

use std::collections::{HashMap, HashSet};

use nine_core::archive::CONTENTS_NAME;
use nine_core::place::{ItemPath, Name, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::Places;

use super::Draft;
use crate::workspace::Opened;

/// The dated folders of the archive whose lists the steps change, in the order in which they do.
pub fn touched(opened: &Opened, draft: &Draft, steps: &[Step]) -> Vec<Spot> {
    if opened.archive.is_empty() {
        return Vec::new();
    }
    let shelves = &opened.archive;
    let mut folders =
        DatedFolders { places: &draft.places, shelves, new: &draft.dated, known: HashMap::new() };
    let (mut touched, mut seen) = (Vec::new(), HashSet::new());
    for step in steps {
        let changed = (step.vacates() || matches!(step.act, Act::Tag { .. })).then_some(&step.item);
        for spot in changed.into_iter().chain(step.target()) {
            touched.extend(folders.dated(spot).filter(|dated| seen.insert(dated.clone())));
        }
    }
    touched
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
        let parts: Vec<Name> = spot.path.parts().collect();
        let above = (depth + 1..parts.len()).map(|most| ItemPath::of_names(parts[..most].iter().copied()));
        above.map(|path| Spot::new(spot.place.clone(), path)).find(|folder| self.is_dated(folder))
    }

    fn is_dated(&mut self, folder: &Spot) -> bool {
        let (places, new) = (self.places, self.new);
        *self.known.entry(folder.clone()).or_insert_with_key(|folder| {
            let has_list = || {
                let store = places.of(folder);
                let list = store.and_then(|store| store.entry(&folder.path.join(CONTENTS_NAME)));
                matches!(list, Ok(Some(_)))
            };
            new.contains(folder) || has_list()
        })
    }
}
