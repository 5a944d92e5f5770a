//! Whether the places of the configuration can be used, and what the drives can do.

use std::collections::BTreeMap;
use std::path::Path;

use nine_carry::daybook;
use nine_core::place::ItemPath;
use nine_stores::drive::Conduct;
use nine_stores::{Location, Mount, StoreError};

use crate::Result;
use crate::workspace::Workspace;

/// A place, and what is found there.
#[derive(Debug)]
pub struct PlaceState {
    /// Its name.
    pub name: String,
    /// Whether it is a pile; a bookcase else.
    pub is_pile: bool,
    /// Where it is.
    pub at: Location,
    /// Whether it can be read.
    pub reachable: bool,
    /// Whether it can be changed.
    pub writable: bool,
    /// Free bytes, where that is known.
    pub free: Option<u64>,
    /// What is not as it should be.
    pub note: String,
    /// How the drive behaves that it is on.
    pub conduct: Option<Conduct>,
    /// Whether another file system is at its path, so that nothing may be made there.
    pub is_away: bool,
}

impl PlaceState {
    /// Whether it can be read and changed.
    pub fn is_usable(&self) -> bool {
        self.reachable && self.writable
    }
}

/// A drive that was tried.
#[derive(Debug)]
pub struct TriedDrive {
    /// Its address.
    pub at: String,
    /// How it behaves.
    pub conduct: Conduct,
}

/// What was found.
pub struct CheckReport {
    /// The piles, and then the bookcases.
    pub places: Vec<PlaceState>,
    /// The drives that they are on.
    pub drives: Vec<TriedDrive>,
    /// What this program keeps of its own.
    pub kept: OwnFiles,
}

/// What this program keeps of its own.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct OwnFiles {
    /// Runs in the daybook.
    pub runs: u64,
    /// Bytes that the daybook takes.
    pub daybook: u64,
    /// Bytes that all takes which may be deleted at any time: what is known of places and files.
    pub catalogue: u64,
    /// Bytes of everything else.
    pub rest: u64,
}

/// Counts what is kept. What cannot be read is not counted.
fn kept(workspace: &Workspace) -> OwnFiles {
    let mut kept = OwnFiles::default();
    for entry in std::fs::read_dir(workspace.data()).into_iter().flatten().flatten() {
        let is_catalogue = entry.file_name().as_encoded_bytes().starts_with(b"catalogue.sqlite");
        let bytes = bytes_of(&entry.path());
        match is_catalogue {
            true => kept.catalogue += bytes,
            false if entry.path() == daybook::folder(workspace.data()) => kept.daybook += bytes,
            false => kept.rest += bytes,
        }
    }
    kept.runs = daybook::runs(workspace.data()).map_or(0, |runs| runs.len() as u64);
    kept
}

/// The bytes of a file, or of all files in a folder of ours, which is never deep.
fn bytes_of(path: &Path) -> u64 {
    let Ok(found) = path.symlink_metadata() else { return 0 };
    match found.is_dir() {
        true => {
            std::fs::read_dir(path).into_iter().flatten().flatten().map(|one| bytes_of(&one.path())).sum()
        }
        false => found.len(),
    }
}

/// Looks at every place, and tries every drive.
///
/// # Errors
/// None that is known; what is wrong is told of each place.
pub fn check(workspace: &Workspace) -> Result<CheckReport> {
    let config = workspace.config();
    let piles = config.piles.iter().map(|pile| (&pile.name, true, &pile.at));
    let bookcases = config.bookcases.iter().map(|case| (&case.name, false, &case.at));
    let all = piles.chain(bookcases);
    let mut places: Vec<PlaceState> =
        all.map(|(name, is_pile, at)| look(workspace, name, is_pile, at)).collect();
    let drives = try_drives(workspace, &mut places);
    Ok(CheckReport { places, drives, kept: kept(workspace) })
}

fn look(workspace: &Workspace, name: &str, is_pile: bool, at: &str) -> PlaceState {
    let mut place = PlaceState {
        name: name.to_owned(),
        is_pile,
        at: workspace.at(at),
        reachable: false,
        writable: false,
        free: None,
        note: String::new(),
        conduct: None,
        is_away: false,
    };
    if let Some(closed) = workspace.opened().closed.iter().find(|closed| closed.name == name) {
        place.is_away = matches!(closed.error, StoreError::Away(..));
        place.note = match &closed.error {
            StoreError::NotThere => "there is no such folder".into(),
            StoreError::NotAFolder => "this is a file, not a folder".into(),
            other => other.to_string(),
        };
        return place;
    }
    match workspace.store(name).map(|store| store.ground(&ItemPath::root())) {
        Some(Ok(ground)) => {
            (place.reachable, place.writable, place.free) = (true, ground.writable, ground.free);
            if !ground.writable {
                place.note = "no right to change it".into();
            } else if let Some(mount) = ground.mount {
                place.note = match mount {
                    Mount::Network => {
                        "mounted over a network: whole files are read with --read-drive alone".into()
                    }
                    Mount::Program => {
                        "mounted by a program: whole files are read with --read-drive alone".into()
                    }
                };
            } else if ground.rules.folds {
                place.note = "names that differ in letter case only are one name here".into();
            }
        }
        Some(Err(StoreError::Unreachable(why))) => place.note = format!("cannot be reached: {why}"),
        Some(Err(error)) => place.note = error.to_string(),
        None => {}
    }
    place
}

/// Tries each drive once; a place on one that cannot be changed is marked.
fn try_drives(workspace: &Workspace, places: &mut [PlaceState]) -> Vec<TriedDrive> {
    let mut tried: BTreeMap<String, Option<TriedDrive>> = BTreeMap::new();
    for place in places.iter_mut().filter(|place| place.reachable) {
        let Location::Drive(address) = &place.at else { continue };
        let of_drive = tried.entry(address.origin()).or_insert_with(|| {
            let conduct = workspace.drive(address).and_then(|drive| drive.try_out());
            let tried = conduct.map(|conduct| TriedDrive { at: address.origin(), conduct });
            tried.map_err(|error| place.note = error.to_string()).ok()
        });
        place.conduct = of_drive.as_ref().map(|tried| tried.conduct.clone());
        place.writable = place.conduct.as_ref().is_some_and(|conduct| conduct.careless.is_none());
        if let Some(careless) = place.conduct.as_ref().and_then(|conduct| conduct.careless.as_ref()) {
            place.note = format!("it {careless}");
        } else if place.conduct.is_none() && place.note.is_empty() {
            place.note = "it cannot be changed".into();
        }
    }
    tried.into_values().flatten().collect()
}
