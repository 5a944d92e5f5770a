//! On which file system each local place was first used. Where its disk is not mounted, the folder is still there, on the
//! system's disk: what is filed into it would be hidden as soon as the disk is back.

use std::collections::BTreeMap;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};

use nine_core::item::Identity;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::shelving::{Shelving, shelf_number};
use nine_stores::{Store, StoreError, StoreResult};
use serde::{Deserialize, Serialize};

use super::{Closed, Workspace};
use crate::error::Named;
use crate::{Error, Result};

/// A place that was used before.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct KnownPlace {
    /// Its name.
    name: String,
    /// The identity of its folder, which holds that of the file system.
    root: String,
    /// Whether it was a bookcase with shelves.
    shelves: bool,
}

/// The places that were used before, by path.
#[derive(Debug, Default, Clone, Serialize, Deserialize)]
#[serde(transparent)]
pub struct KnownPlaces(BTreeMap<PathBuf, KnownPlace>);

fn file(data: &Path) -> PathBuf {
    data.join("places.json")
}

impl KnownPlaces {
    /// Reads the file; the message of the error if it exists and cannot be read.
    pub fn read(data: &Path) -> std::result::Result<Self, String> {
        match std::fs::read(file(data)) {
            Ok(bytes) => serde_json::from_slice(&bytes).map_err(|error| error.to_string()),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(Self::default()),
            Err(error) => Err(error.to_string()),
        }
    }

    fn write(&self, data: &Path) -> std::io::Result<()> {
        nine_carry::make_private(data)?;
        let text = serde_json::to_vec_pretty(self)?;
        nine_carry::replace_private(&file(data), |mut new| new.write_all(&text))
    }
}

fn root_of(store: &dyn Store) -> StoreResult<Identity> {
    Ok(store.entry(&ItemPath::root())?.ok_or(StoreError::NotThere)?.identity)
}

/// Makes sure that a folder is on the file system on which it was first used as a place.
///
/// # Errors
/// [`StoreError::Away`] if it is not, or if that is not known although it was.
pub(super) fn expect_known(workspace: &Workspace, at: &Path, store: &dyn Store) -> StoreResult<()> {
    let shown = workspace.environment.shown(at);
    let known = workspace.known_places();
    let known = match &*known {
        Ok(known) => known,
        Err(why) => {
            return Err(StoreError::Away(shown, format!("what is known of its disk cannot be read: {why}")));
        }
    };
    let Some(place) = known.0.get(at) else { return Ok(()) };
    let is_there = |then: Identity| Ok::<_, StoreError>(store.same_volume(&root_of(store)?, &then));
    match Identity::parse(&place.root).map(is_there).transpose()? {
        Some(true) => Ok(()),
        _ => Err(StoreError::Away(
            place.name.clone(),
            format!(
                "its disk is not mounted at {shown} (if it is on another disk now: nine place moved {})",
                place.name
            ),
        )),
    }
}

/// Makes sure that a bookcase that had shelves still has one.
///
/// # Errors
/// [`StoreError::Away`] if it has none, or why its folder cannot be listed.
pub(super) fn expect_shelves(
    workspace: &Workspace,
    name: &str,
    at: &Path,
    store: &dyn Store,
) -> StoreResult<()> {
    let known = workspace.known_places();
    let had = known.as_ref().as_ref().is_ok_and(|known| known.0.get(at).is_some_and(|it| it.shelves));
    if !had || has_shelves(workspace, name, store)? {
        return Ok(());
    }
    let shown = workspace.environment.shown(at);
    Err(StoreError::Away(
        name.to_owned(),
        format!("it had shelves, and {shown} has none now (if that is right: nine place moved {name})"),
    ))
}

fn has_shelves(workspace: &Workspace, name: &str, store: &dyn Store) -> StoreResult<bool> {
    let Some(case) = workspace.config().bookcases.iter().find(|case| case.name == name) else {
        return Ok(false);
    };
    let names: Vec<NameBuf> = store.list(&ItemPath::root())?.into_iter().map(|(name, _)| name).collect();
    // Also one of which another folder has the number, too.
    let is_numbered = names.iter().any(|name| shelf_number(name).is_some());
    let shelving = Shelving::new(case, names.iter().map(NameBuf::as_name));
    let mut spots = (1..=9).filter_map(|number| shelving.spot(number));
    Ok(is_numbered || spots.any(|spot| names.iter().any(|name| spot.path.name() == &**name)))
}

/// When the places are written down.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Remember<'a> {
    /// Before a run: what is used for the first time is added.
    Before,
    /// After a run or its recovery, which may have made or removed the shelves of a bookcase. These places were
    /// unavailable, so it removed none of theirs.
    After(&'a [Closed]),
}

/// Writes down the file systems of the local places, and whether bookcases have shelves. A place that is on another file
/// system than it was is left as it is known. Called under the lock.
///
/// # Errors
/// If that cannot be written: a place that is not remembered is not safe the next time.
pub(crate) fn remember(workspace: &Workspace, when: Remember) -> Result {
    let unwritable = |source| Error::DaybookUnwritable { folder: workspace.data().to_owned(), source };
    let known = workspace.known_places();
    let Ok(known) = &*known else { return Ok(()) };
    let mut all = known.clone();
    for (name, at) in local_places(workspace) {
        let Ok(store) = workspace.open_unchecked(&at) else { continue };
        let Ok(has_shelves) = has_shelves(workspace, &name, &*store) else { continue };
        match all.0.get_mut(&at) {
            Some(place) if expect_known(workspace, &at, &*store).is_ok() => {
                let may_have_removed = match when {
                    Remember::Before => false,
                    Remember::After(closed) => closed.iter().all(|place| place.name != name),
                };
                place.shelves = has_shelves || place.shelves && !may_have_removed;
            }
            Some(_) => {}
            None => all.0.extend(known_now(&name, &at, &*store, has_shelves)),
        }
    }
    if serde_json::to_vec(&all).ok() == serde_json::to_vec(known).ok() {
        return Ok(());
    }
    all.write(workspace.data()).map_err(unwritable)?;
    workspace.forget_known_places();
    Ok(())
}

fn known_now(name: &str, at: &Path, store: &dyn Store, shelves: bool) -> Option<(PathBuf, KnownPlace)> {
    let root = root_of(store).ok()?.to_string();
    Some((at.to_owned(), KnownPlace { name: name.to_owned(), root, shelves }))
}

/// The piles and bookcases of the configuration that are on this machine, by name.
fn local_places(workspace: &Workspace) -> Vec<(String, PathBuf)> {
    let config = workspace.config();
    let piles = config.piles.iter().map(|pile| (&pile.name, &pile.at));
    let all = piles.chain(config.bookcases.iter().map(|case| (&case.name, &case.at)));
    all.filter_map(|(name, at)| Some((name.clone(), workspace.at(at).local()?.to_owned()))).collect()
}

/// A place that was on another disk, as it is now.
#[derive(Debug)]
pub struct MovedPlace {
    /// Where it is.
    pub at: PathBuf,
    /// Whether it was used on another file system, or had shelves and has none now.
    pub has_moved: bool,
    /// How many things are directly in its folder now.
    pub items: usize,
}

/// What a place is now, before it is accepted.
///
/// # Errors
/// If there is no such local place, or its folder cannot be read.
pub fn look(workspace: &Workspace, name: &str) -> Result<MovedPlace> {
    let (at, store) = outside_the_check(workspace, name)?;
    let items =
        store.list(&ItemPath::root()).map_err(|source| Error::Path { path: at.clone(), source })?.len();
    let has_moved = workspace.opened().closed.iter().any(|closed| closed.name == name);
    Ok(MovedPlace { at, has_moved, items })
}

/// Accepts the folder that is at a place's path now.
///
/// # Errors
/// As [`look`], and if that cannot be written.
pub fn accept(workspace: &Workspace, name: &str) -> Result {
    let (at, store) = outside_the_check(workspace, name)?;
    let lock = nine_carry::lock(workspace.data(), &workspace.who("nine place moved"))?;
    let _lock = lock.map_err(|at_work| Error::AtWork(at_work.who))?;
    let mut all = KnownPlaces::read(workspace.data()).unwrap_or_default();
    let has_shelves = has_shelves(workspace, name, &*store).unwrap_or(false);
    all.0.remove(&at);
    all.0.extend(known_now(name, &at, &*store, has_shelves));
    let unwritable = |source| Error::DaybookUnwritable { folder: workspace.data().to_owned(), source };
    all.write(workspace.data()).map_err(unwritable)
}

fn outside_the_check(workspace: &Workspace, name: &str) -> Result<(PathBuf, std::sync::Arc<dyn Store>)> {
    let all = local_places(workspace);
    let found = all.iter().find(|(known, _)| *known == name);
    let Some((_, path)) = found.cloned() else {
        return Err(Error::unknown(Named::Place, name, all.iter().map(|(name, _)| name.as_str())));
    };
    let store =
        workspace.open_unchecked(&path).map_err(|source| Error::Path { path: path.clone(), source })?;
    Ok((path, store))
}
