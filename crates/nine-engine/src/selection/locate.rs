//! From a path that was typed to the place it lies in.

use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use nine_core::item::{Entry, Kind};
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::Proposal;
use nine_core::tree::{Totals, Tree};
use nine_stores::{Location, Store, StoreError};

use crate::workspace::Workspace;
use crate::{Error, Result};

/// An item found by the path that was typed.
pub struct Located {
    /// Where it lies.
    pub spot: Spot,
    /// The store of its place.
    pub store: Arc<dyn Store>,
}

/// The name of the place of what lies in no configured one.
pub const NO_PLACE: &str = "elsewhere";

impl Located {
    /// What the store tells of it.
    ///
    /// # Errors
    /// If it is gone or cannot be looked at.
    pub fn entry(&self) -> Result<Entry> {
        let failure = Error::store(&self.spot);
        self.store.entry(&self.spot.path).map_err(&failure)?.ok_or_else(|| failure(StoreError::NotThere))
    }

    /// Bytes, and when it was last changed; of a folder, of all that lies in it.
    ///
    /// # Errors
    /// If it cannot be looked into.
    pub fn totals(&self, workspace: &Workspace, entry: &Entry) -> Result<Totals> {
        if entry.kind != Kind::Folder {
            return Ok(Totals {
                size: entry.size,
                items: 1,
                newest: entry.modified,
                latest: entry.changed_or_born(),
            });
        }
        let failure = Error::store(&self.spot);
        let inside = match self.spot.path.is_root() {
            true => Arc::clone(&self.store),
            false => self.store.inside(&self.spot.path).map_err(&failure)?,
        };
        let scan = inside.scan(&Default::default(), workspace.watch()).map_err(&failure)?;
        Ok(scan.tree.totals(Tree::ROOT))
    }

    /// The item with its tags, for which nothing is wanted yet.
    ///
    /// # Errors
    /// As [`Located::totals`].
    pub(crate) fn proposal(
        &self,
        workspace: &Workspace,
        entry: &Entry,
        tags: Vec<String>,
    ) -> Result<Proposal> {
        let totals = self.totals(workspace, entry)?;
        let new = Proposal::new(self.spot.clone(), entry.kind, entry.stamp(), tags);
        Ok(Proposal { size: totals.size, modified: totals.newest, ..new })
    }
}

/// Finds an item: the address of one on a drive, a path on the disk, or `PLACE/path`.
///
/// # Errors
/// If there is nothing.
pub fn locate(workspace: &Workspace, typed: &Path) -> Result<Located> {
    if let Location::Drive(_) = workspace.typed(typed)? {
        return on_drive(workspace, typed);
    }
    if std::fs::symlink_metadata(typed).is_ok() {
        return on_disk(workspace, typed);
    }
    let spot = Spot::parse(&typed.to_string_lossy()).ok();
    let named = spot.and_then(|spot| Some((workspace.store(&spot.place)?.clone(), spot)));
    match named {
        Some((store, spot)) if store.entry(&spot.path).is_ok_and(|entry| entry.is_some()) => {
            Ok(Located { spot, store })
        }
        _ => Err(Error::NothingAt(typed.to_owned())),
    }
}

fn on_drive(workspace: &Workspace, typed: &Path) -> Result<Located> {
    let at = workspace.typed(typed)?;
    let holders = workspace.opened().open.iter().filter_map(|place| {
        let below = at.below(&place.store.location(&ItemPath::root()))?;
        (!below.is_root()).then_some((place, below))
    });
    let Some((place, path)) = holders.min_by_key(|(_, path)| path.depth()) else {
        return Err(Error::InNoPlace(at));
    };
    let found = Located { spot: Spot::new(place.name.clone(), path), store: Arc::clone(&place.store) };
    match found.store.entry(&found.spot.path).map_err(Error::store(&found.spot))? {
        Some(_) => Ok(found),
        None => Err(Error::NothingOnDrive(at)),
    }
}

fn on_disk(workspace: &Workspace, typed: &Path) -> Result<Located> {
    // The item itself may be a link; only the folders above it are resolved.
    let absolute = std::path::absolute(typed)?;
    let parent = absolute.parent().map(std::fs::canonicalize).transpose()?;
    let real = match (parent, absolute.file_name()) {
        (Some(parent), Some(name)) => parent.join(name),
        _ => absolute,
    };
    let mut best: Option<(usize, Located)> = None;
    let at = Location::Local(real.clone());
    for place in &workspace.opened().open {
        let root = place.store.location(&ItemPath::root()).real();
        let Some(path) = at.below(&root).filter(|path| !path.is_root()) else { continue };
        let depth = path.depth();
        if best.as_ref().is_none_or(|(other, _)| depth < *other) {
            let spot = Spot::new(place.name.clone(), path);
            best = Some((depth, Located { spot, store: place.store.clone() }));
        }
    }
    if let Some((_, found)) = best {
        return Ok(found);
    }
    let folder = real.parent().unwrap_or(&real);
    let store = workspace.open_outside(folder);
    let store = store.map_err(|source| Error::Path { path: real.clone(), source })?;
    let name = real.file_name().map(|name| name.as_bytes().to_vec()).unwrap_or_default();
    let path = ItemPath::new(name).filter(|p| !p.is_root()).ok_or_else(|| Error::NotAnItem(real.clone()))?;
    Ok(Located { spot: Spot::new(NO_PLACE, path), store })
}
