//! Filing by hand.

mod merge;
mod shelf;

use nine_core::escape::plain;
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::put::{PutHow, plan as propose};
use nine_core::rules::Clash;

pub use merge::{Merged, merge};
pub use shelf::{Near, folder};

use crate::error::WantedOfPlace;
use crate::plan::{Draft, Plan};
use crate::selection::Selection;
use crate::workspace::{Workspace, listed};
use crate::{Error, Result};

/// What is to be put where.
#[derive(Debug, Clone)]
pub struct Request {
    /// What is put.
    pub selection: Selection,
    /// The folder that it comes into, as [`folder`] found it.
    pub into: Spot,
    /// The same as it was typed, for the daybook.
    pub on: String,
    /// What to do where a name is taken.
    pub clash: Clash,
    /// Whether copies are made.
    pub copy: bool,
    /// Whether the folders between the pile and each item are kept.
    pub keep_folders: bool,
}

/// What would be put.
pub struct Put {
    /// The plan.
    pub plan: Plan,
    /// How many items were selected.
    pub selected: usize,
    /// How many of them are there already.
    pub in_place: usize,
}

/// Plans to put a selection onto a shelf.
///
/// # Errors
/// If it cannot be found, or is a place.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Put> {
    let selected = request.selection.select(workspace)?;
    let places = &selected.places;
    if let Some(place) = selected.items.iter().find(|item| workspace.is_place(&item.item)) {
        return Err(Error::IsAPlace { item: place.item.clone(), wanted: WantedOfPlace::Put });
    }
    let how = PutHow {
        folder: request.into.clone(),
        keeps_folders: request.keep_folders,
        below: ItemPath::root(),
        copies: request.copy,
        clash: request.clash,
    };
    let count = selected.items.len();
    let proposals = propose(selected.items, &how, &|folder| listed(places, folder));
    let in_place = proposals.iter().filter(|proposal| !proposal.moves()).count();
    let command = format!("nine put --on {}", plain(&request.on));
    let draft = Draft { troubles: selected.troubles, ..Draft::new(command, proposals, places) };
    Ok(Put { plan: draft.draw_up(), selected: count, in_place })
}
