//! A selection into the trash.

use std::collections::HashMap;

use nine_core::escape::escape;
use nine_core::keep_together;
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::plan::discard;
use nine_core::worklist::Doubt;
use nine_stores::Places;

use crate::error::WantedOfPlace;
use crate::plan::{Draft, Plan};
use crate::selection::Selection;
use crate::workspace::{Workspace, listed};
use crate::{Error, Result};

/// What keeps discarded items: there is no trash on a drive.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KeptBy {
    /// The desktop's trash.
    Trash,
    /// A folder on the drive.
    Drive,
    /// One of them each.
    Both,
}

/// What would be discarded.
pub struct Discarded {
    /// The plan.
    pub plan: Plan,
    /// How many items were selected.
    pub selected: u64,
    /// Their bytes.
    pub bytes: u64,
    /// What keeps them.
    pub kept_by: KeptBy,
}

/// Plans to discard a selection.
///
/// # Errors
/// If it cannot be found, or is a place.
pub fn plan(workspace: &Workspace, selection: &Selection) -> Result<Discarded> {
    let selected = selection.select(workspace)?;
    let places = &selected.places;
    if let Some(place) = selected.items.iter().find(|item| workspace.is_place(&item.item)) {
        return Err(Error::IsAPlace { item: place.item.clone(), wanted: WantedOfPlace::Discard });
    }
    let kept_by = kept_by(places, &selected.items);
    let (many, bytes) = (selected.items.len() as u64, selected.items.iter().map(|item| item.size).sum());
    let mut proposals = discard::plan(selected.items, &|folder| listed(places, folder));
    let mut together = KeptTogether { places, known: HashMap::new() };
    for proposal in &mut proposals {
        proposal.doubts.extend(together.doubt(&proposal.item));
    }
    let draft = Draft { troubles: selected.troubles, ..Draft::new("nine discard", proposals, places) };
    Ok(Discarded { plan: draft.draw_up(), selected: many, bytes, kept_by })
}

fn kept_by(places: &Places, items: &[Proposal]) -> KeptBy {
    let by_itself = |item: &&Proposal| places.of(&item.item).is_ok_and(|store| store.abilities().own_trash);
    match items.iter().filter(by_itself).count() {
        0 => KeptBy::Trash,
        many if many == items.len() => KeptBy::Drive,
        _ => KeptBy::Both,
    }
}

/// Which folders are kept together.
struct KeptTogether<'a> {
    places: &'a Places,
    known: HashMap<Spot, Option<&'static str>>,
}

impl KeptTogether<'_> {
    /// The doubt about an item that is taken out of a folder that is kept together.
    fn doubt(&mut self, item: &Spot) -> Option<Doubt> {
        let mut folder = item.folder();
        while !folder.path.is_root() {
            let places = self.places;
            let why = *self.known.entry(folder.clone()).or_insert_with_key(|folder| {
                let names = listed(places, folder);
                let names = names.iter().map(|(name, _)| &**name);
                keep_together::folder(folder.path.name(), names).map(|together| together.words())
            });
            if let Some(why) = why {
                let name = escape(folder.path.name());
                return Some(Doubt::Answer(format!("it is a part of `{name}`, which is {why}")));
            }
            folder = folder.folder();
        }
        None
    }
}
