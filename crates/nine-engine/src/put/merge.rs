//! Folders brought together.

use nine_carry::same_bytes;
use nine_core::escape::plain;
use nine_core::item::{Entry, Kind};
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::plan::Siblings;
use nine_core::plan::merge::{MergeSides, plan};
use nine_core::shelving::shelf_number;
use nine_core::worklist::Act;
use nine_stores::Places;

use super::Request;
use crate::error::WantedOfPlace;
use crate::plan::{Draft, Plan};
use crate::workspace::{Workspace, listed};
use crate::{Error, Result};

/// What would be brought together.
pub struct Merged {
    /// The plan.
    pub plan: Plan,
    /// How many folders were selected.
    pub folders: usize,
    /// How many items of theirs are there already.
    pub copies: u64,
}

/// Plans to bring the selected folders into one.
///
/// # Errors
/// If something selected is no folder, or a place.
pub fn merge(workspace: &Workspace, request: &Request) -> Result<Merged> {
    let selected = request.selection.select(workspace)?;
    let (mut proposals, mut emptied) = (Vec::new(), Vec::new());
    let world = OnDisk { places: &selected.places };
    for item in &selected.items {
        expect_folder(workspace, &item.item, item.kind, &request.into)?;
        let merged = plan(&item.item, &request.into, request.clash, &world);
        proposals.extend(merged.proposals);
        emptied.extend(merged.emptied);
    }
    let copies = proposals.iter().filter(|p| matches!(p.exactly(), Some(Act::Discard { .. }))).count() as u64;
    let command = format!("nine put --merge --on {}", plain(&request.on));
    let draft = Draft {
        clear_away: emptied,
        troubles: selected.troubles,
        ..Draft::new(command, proposals, &selected.places)
    };
    Ok(Merged { plan: draft.draw_up(), folders: selected.items.len(), copies })
}

/// Only a folder can be brought into another, and neither a place nor the shelf itself can.
fn expect_folder(workspace: &Workspace, from: &Spot, kind: Kind, into: &Spot) -> Result {
    if kind != Kind::Folder {
        return Err(Error::NotAFolder(from.clone()));
    }
    if from == into || into.is_inside(from) {
        return Err(Error::IntoItself { from: from.clone(), into: into.clone() });
    }
    // A second folder with a shelf's number is no shelf, and bringing them together mends that.
    let is_shelf = workspace.shelvings().iter().any(|shelving| {
        let spots = shelving.shelves.iter().filter_map(|shelf| shelving.spot(shelf.number));
        spots.into_iter().any(|spot| spot == *from)
    });
    let is_second = shelf_number(from.path.name()).is_some() && !is_shelf && !from.path.is_root();
    if workspace.is_place(from) && !is_second {
        return Err(Error::IsAPlace { item: from.clone(), wanted: WantedOfPlace::Put });
    }
    Ok(())
}

/// The world as the planner asks for it.
struct OnDisk<'a> {
    places: &'a Places,
}

impl MergeSides for OnDisk<'_> {
    fn listed(&self, folder: &Spot) -> Siblings {
        listed(self.places, folder)
    }

    fn same(&self, a: &Spot, b: &Spot) -> bool {
        same_bytes(self.places, a, b).unwrap_or(false)
    }

    fn tags(&self, item: &Spot) -> Vec<String> {
        self.places.of(item).and_then(|store| store.tags(&item.path)).unwrap_or_default()
    }

    fn totals(&self, folder: &Spot, entry: &Entry) -> (u64, Moment) {
        let (mut size, mut newest) = (0, entry.modified);
        let mut open = vec![folder.clone()];
        while let Some(here) = open.pop() {
            for (name, entry) in self.listed(&here) {
                match entry.kind {
                    Kind::Folder => open.push(Spot::new(here.place.clone(), here.path.join(&name))),
                    _ => (size, newest) = (size + entry.size, newest.max(entry.modified)),
                }
            }
        }
        (size, newest)
    }

    fn is_relative_link(&self, link: &Spot) -> bool {
        let leads_to = self.places.of(link).and_then(|store| store.read_link(&link.path));
        leads_to.is_ok_and(|target| !target.starts_with(b"/"))
    }
}
