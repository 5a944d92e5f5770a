//! What is there before anything is set up.

use std::path::{Path, PathBuf};

use nine_core::item::Kind;
use nine_core::names::is_hidden;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::shelving::shelf_number;

use crate::workspace::Workspace;

/// A folder where things may land.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundPile {
    /// What it would be called.
    pub name: String,
    /// Where it is.
    pub at: PathBuf,
    /// How many things lie loose in it.
    pub loose: u64,
}

/// What is there.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Surroundings {
    /// Folders that could be piles and are none yet.
    pub piles: Vec<FoundPile>,
    /// Folders with two or more numbered folders in them, and these.
    pub numbered: Vec<(PathBuf, Vec<NameBuf>)>,
}

/// Looks at the person's usual folders.
pub fn look(workspace: &Workspace) -> Surroundings {
    let environment = &workspace.environment;
    let is_known = |at: &Path| {
        let config = workspace.config();
        let piles = config.piles.iter().filter(|_| workspace.loaded.exists).map(|pile| &pile.at);
        piles.chain(config.bookcases.iter().map(|case| &case.at)).any(|known| environment.expand(known) == at)
    };
    let usual = environment.usual_piles.iter().filter(|(_, at)| at.is_dir() && !is_known(at));
    let piles =
        usual.map(|(name, at)| FoundPile { name: name.clone(), at: at.clone(), loose: loose(workspace, at) });
    let candidates =
        [environment.home.join("Shelves"), environment.documents.clone(), environment.home.clone()];
    let numbered = candidates.into_iter().filter(|at| !is_known(at)).filter_map(|at| {
        let folders = numbered(workspace, &at);
        (folders.len() > 1).then_some((at, folders))
    });
    Surroundings { piles: piles.collect(), numbered: numbered.collect() }
}

fn listed(workspace: &Workspace, at: &Path) -> Vec<(NameBuf, Kind)> {
    let store = workspace.open_outside(at);
    let listed = store.and_then(|store| store.list(&ItemPath::root())).unwrap_or_default();
    listed.into_iter().map(|(name, entry)| (name, entry.kind)).collect()
}

fn loose(workspace: &Workspace, at: &Path) -> u64 {
    listed(workspace, at).iter().filter(|(name, _)| !is_hidden(name)).count() as u64
}

/// The numbered folders in a folder, by their numbers.
pub(super) fn numbered(workspace: &Workspace, at: &Path) -> Vec<NameBuf> {
    let folders = listed(workspace, at).into_iter().filter(|(_, kind)| *kind == Kind::Folder);
    let mut numbered: Vec<NameBuf> =
        folders.map(|(name, _)| name).filter(|name| shelf_number(name).is_some()).collect();
    numbered.sort();
    numbered
}
