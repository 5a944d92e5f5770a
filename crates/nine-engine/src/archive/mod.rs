//! Stale items into the dated archive, and the archive itself.

mod account;
mod lists;
mod pack;
mod verify;

use std::collections::{BTreeMap, HashSet};

use nine_core::archive::Archive;
use nine_core::config::usual_settle;
use nine_core::escape::escape;
use nine_core::item::{Identity, Kind};
use nine_core::place::Spot;
use nine_core::plan::archive::{ArchiveProposals, Target, selected};
use nine_core::plan::{Intent, Left, Proposal};
use nine_core::shelving::Shelving;
use nine_stores::{Places, in_use};

pub use crate::workspace::Dated;
pub use account::{DatedAccount, LastVerified, accounts};
pub use lists::complete as complete_lists;
pub use pack::{Packed, pack};
pub use verify::{Verified, verify};

use crate::error::{Named, WantedOfPlace};
use crate::plan::{Draft, Plan};
use crate::rules_at_work::RulesAtWork;
use crate::selection::{NO_PLACE, Selection};
use crate::workspace::{Workspace, dated, listed};
use crate::{Error, Result};

/// What would be archived.
pub struct Archived {
    /// The plan.
    pub plan: Plan,
    /// Items that were named and are left, and why.
    pub named: Vec<(Spot, Left)>,
    /// How many others are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// How many were looked at.
    pub looked_at: u64,
}

/// Plans to archive what was selected, or what is stale where nothing was.
///
/// # Errors
/// If there is no archive, or what was selected cannot go there.
pub fn plan(workspace: &Workspace, selection: &Selection) -> Result<Archived> {
    complete_lists(workspace);
    let shelvings = workspace.shelvings();
    let target = target(workspace, &shelvings)?;
    let (found, places, troubles) = match selection.is_empty() {
        true => stale(workspace, &target)?,
        false => chosen(workspace, selection, &target)?,
    };
    let ArchiveProposals { proposals, left, named, looked_at } = found;
    let folders = proposals.iter().filter_map(|proposal| Some(&proposal.placing()?.folder));
    let new: HashSet<Spot> = folders.map(|folder| target.dated(folder)).collect();
    let draft = Draft {
        troubles,
        dated: new.into_iter().collect(),
        ..Draft::new("nine archive", proposals, &places)
    };
    Ok(Archived { plan: draft.draw_up(), named, left, looked_at })
}

fn stale(workspace: &Workspace, target: &Target) -> Result<(ArchiveProposals, Places, usize)> {
    let piles: Vec<_> = workspace.config().piles.iter().collect();
    let away = workspace.tell_closed(&piles);
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let stale = at_work.stale(target)?;
    Ok((stale, workspace.opened().places.clone(), away + at_work.looking.troubles))
}

fn chosen(
    workspace: &Workspace,
    selection: &Selection,
    target: &Target,
) -> Result<(ArchiveProposals, Places, usize)> {
    let chosen = selection.select(workspace)?;
    expect_at_home(workspace, &chosen.items)?;
    let open = in_use();
    let why_left = |item: &Proposal| why_left(workspace, &open, &chosen.places, item);
    let found = selected(chosen.items, target, &why_left, &|folder| listed(&chosen.places, folder));
    Ok((found, chosen.places, chosen.troubles))
}

/// Where the archive is.
fn target<'w>(workspace: &'w Workspace, shelvings: &[Shelving]) -> Result<Target<'w>> {
    let config = workspace.config();
    let archive: &Archive = config.archive.as_ref().ok_or(Error::NoArchive)?;
    let bookcase = config.bookcase(archive.put.bookcase.as_deref());
    let bookcase = bookcase.map(|bookcase| bookcase.name.as_str()).unwrap_or_default();
    let twice = || Error::ArchiveTwice { bookcase: bookcase.to_owned(), number: archive.put.shelf };
    Target::find(archive, bookcase, shelvings, workspace.now()).ok_or_else(twice)
}

/// The folder of the archive that an item would go into, or why it is left.
///
/// # Errors
/// If there is no archive, or the item cannot go there.
pub(crate) fn folder_for(
    workspace: &Workspace,
    places: &Places,
    shelvings: &[Shelving],
    open: &HashSet<Identity>,
    item: &Proposal,
) -> Result<std::result::Result<Spot, Left>> {
    let target = target(workspace, shelvings)?;
    expect_at_home(workspace, std::slice::from_ref(item))?;
    let bare = Proposal { intent: Intent::Stay, ..item.clone() };
    let why = |item: &Proposal| why_left(workspace, open, places, item);
    let found = selected(vec![bare], &target, &why, &|_| Vec::new());
    let left = || found.left.keys().next().copied().unwrap_or(Left::Archived);
    let folder = found.proposals.first().and_then(Proposal::placing).map(|placing| placing.folder.clone());
    Ok(folder.ok_or_else(left))
}

/// The dated folders of the archive that something goes into.
pub(crate) fn dated_folders(
    workspace: &Workspace,
    shelvings: &[Shelving],
    proposals: &[Proposal],
) -> HashSet<Spot> {
    let Ok(target) = target(workspace, shelvings) else { return HashSet::new() };
    let folders = proposals.iter().filter_map(|proposal| Some(&proposal.placing()?.folder));
    folders.filter(|folder| target.holds(folder)).map(|folder| target.dated(folder)).collect()
}

/// What lies in no place could not be brought back to where it was, and places themselves stay.
fn expect_at_home(workspace: &Workspace, items: &[Proposal]) -> Result {
    for item in items {
        let spot = &item.item;
        if spot.place.starts_with(NO_PLACE) && workspace.store(&spot.place).is_none() {
            return Err(Error::Homeless(escape(spot.path.name())));
        }
        if workspace.is_place(spot) {
            return Err(Error::IsAPlace { item: spot.clone(), wanted: WantedOfPlace::Archive });
        }
    }
    Ok(())
}

/// Why a selected item is left: it changed just now, or is open in a program.
fn why_left(
    workspace: &Workspace,
    open: &HashSet<Identity>,
    places: &Places,
    item: &Proposal,
) -> Option<Left> {
    let settle = workspace.config().pile(&item.item.place).map_or(usual_settle(), |pile| pile.settle);
    let (now, changed) = (workspace.now(), item.modified);
    if changed > now.before(settle) && changed <= now.moment() {
        return Some(Left::Settling);
    }
    let is_open = open.contains(&item.stamp.identity) || holds_open(places, &item.item, item.kind, open);
    is_open.then_some(Left::InUse)
}

/// Whether a program has something open that lies in a folder. What cannot be read is not known to be.
fn holds_open(places: &Places, item: &Spot, kind: Kind, open: &HashSet<Identity>) -> bool {
    let mut folders = if kind == Kind::Folder && !open.is_empty() { vec![item.clone()] } else { Vec::new() };
    while let Some(folder) = folders.pop() {
        for (name, entry) in listed(places, &folder) {
            match entry.kind {
                Kind::Folder => folders.push(Spot::new(folder.place.clone(), folder.path.join(&name))),
                _ if open.contains(&entry.identity) => return true,
                _ => {}
            }
        }
    }
    false
}

/// The dated folders and packs, in the order of their names.
pub fn list(workspace: &Workspace) -> Vec<Dated> {
    dated(workspace)
}

/// The dated folder of this name.
fn dated_called<'d>(all: &'d [Dated], name: &str) -> Result<&'d Dated> {
    let bytes = name.as_bytes();
    let is_meant = |dated: &&Dated| dated.name() == bytes || dated.at.path.name() == bytes;
    let mut meant = all.iter().filter(is_meant);
    match (meant.next(), meant.next()) {
        (Some(one), None) => Ok(one),
        (Some(one), Some(other)) => {
            let (one, other) = (one.at.clone(), other.at.clone());
            Err(Error::DatedTwice { name: name.to_owned(), one, other })
        }
        (None, _) => {
            let names: Vec<String> = all.iter().map(|dated| escape(&dated.name())).collect();
            Err(Error::unknown(Named::Dated, name, names.iter().map(String::as_str)))
        }
    }
}
