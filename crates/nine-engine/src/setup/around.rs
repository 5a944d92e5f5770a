//! What is there before anything is set up.

use std::path::Path;

use nine_core::item::Kind;
use nine_core::names::is_hidden;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::shelving::shelf_number;
use nine_stores::Location;

use crate::workspace::Workspace;

/// A folder where things may land.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundPile {
    /// What it would be called.
    pub name: String,
    /// Where it is.
    pub at: Location,
    /// How many things lie loose in it.
    pub loose: u64,
}

/// What is there.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Surroundings {
    /// Folders that could be piles and are none yet.
    pub piles: Vec<FoundPile>,
    /// Folders with two or more numbered folders in them, and these.
    pub numbered: Vec<(Location, Vec<NameBuf>)>,
    /// Drives of the configuration on which there is no bookcase.
    pub drives: Vec<Location>,
}

/// Looks at the person's usual folders.
pub fn look(workspace: &Workspace) -> Surroundings {
    let (environment, config) = (&workspace.environment, workspace.config());
    let is_known = |at: &Location| {
        let piles = config.piles.iter().filter(|_| workspace.loaded.exists).map(|pile| &pile.at);
        piles.chain(config.bookcases.iter().map(|case| &case.at)).any(|known| workspace.at(known) == *at)
    };
    let local = |path: &Path| Location::Local(path.to_owned());
    let usual = environment.usual_piles.iter().filter(|(_, at)| at.is_dir() && !is_known(&local(at)));
    let piles = usual.map(|(name, at)| {
        let at = local(at);
        FoundPile { name: name.clone(), loose: loose(workspace, &at), at }
    });
    let drives: Vec<Location> = config.drives.iter().map(|drive| workspace.at(&drive.at)).collect();
    let candidates =
        [environment.home.join("Shelves"), environment.documents.clone(), environment.home.clone()];
    let candidates = candidates.iter().map(|path| local(path)).chain(drives.iter().cloned());
    let numbered = candidates.filter(|at| !is_known(at)).filter_map(|at| {
        let folders = numbered(workspace, &at);
        (folders.len() > 1).then_some((at, folders))
    });
    let numbered = numbered.collect();
    let has_bookcase = |at: &Location| config.bookcases.iter().any(|case| workspace.at(&case.at) == *at);
    let drives = drives.iter().filter(|at| !has_bookcase(at)).cloned().collect();
    Surroundings { piles: piles.collect(), numbered, drives }
}

fn listed(workspace: &Workspace, at: &Location) -> Vec<(NameBuf, Kind)> {
    let store = workspace.open_store(at, true);
    let listed = store.and_then(|store| store.list(&ItemPath::root())).unwrap_or_default();
    listed.into_iter().map(|(name, entry)| (name, entry.kind)).collect()
}

fn loose(workspace: &Workspace, at: &Location) -> u64 {
    listed(workspace, at).iter().filter(|(name, _)| !is_hidden(name)).count() as u64
}

/// The numbered folders in a folder, by their numbers.
pub(super) fn numbered(workspace: &Workspace, at: &Location) -> Vec<NameBuf> {
    let folders = listed(workspace, at).into_iter().filter(|(_, kind)| *kind == Kind::Folder);
    let mut numbered: Vec<NameBuf> =
        folders.map(|(name, _)| name).filter(|name| shelf_number(name).is_some()).collect();
    numbered.sort();
    numbered
}
