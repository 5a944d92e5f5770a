//! From a path that was typed to the place it lies in.

use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::item::{Entry, Kind};
use nine_core::place::{ItemPath, Spot};
use nine_stores::{Store, StoreError};

use crate::error::{Done, Failure};
use crate::location;
use crate::session::{Opened, Session};

/// An item found by the path that was typed.
pub struct Found {
    pub spot: Spot,
    pub store: Arc<dyn Store>,
}

/// The name of the place of what lies in no configured one.
pub const NO_PLACE: &str = "elsewhere";

impl Found {
    /// What the store tells of it.
    ///
    /// # Errors
    /// If it is gone or cannot be looked at.
    pub fn entry(&self) -> Done<Entry> {
        let failure = |e: StoreError| Failure::system(format!("{}: {e}", self.spot));
        self.store.entry(&self.spot.path).map_err(failure)?.ok_or_else(|| failure(StoreError::NotThere))
    }

    /// Bytes, and when it was last changed; of a folder, of all that lies in it.
    pub fn totals(&self, session: &Session, entry: &Entry) -> Done<nine_core::tree::Totals> {
        if entry.kind != Kind::Folder {
            return Ok(nine_core::tree::Totals { size: entry.size, items: 1, newest: entry.modified });
        }
        let failure = |e: StoreError| Failure::system(format!("{}: {e}", self.spot));
        let inside = self.store.inside(&self.spot.path).map_err(failure)?;
        let scan = inside.scan(&Default::default(), &session.watch).map_err(failure)?;
        Ok(scan.tree.totals(nine_core::tree::Tree::ROOT))
    }
}

/// Finds an item: the address of one on a drive, a path on the disk, or `PLACE/path`.
///
/// # Errors
/// If there is nothing.
pub fn find(session: &Session, opened: &Opened, typed: &Path) -> Done<Found> {
    if location::is_on_drive(typed) {
        return find_on_drive(session, opened, typed);
    }
    if std::fs::symlink_metadata(typed).is_ok() {
        return find_on_disk(session, opened, typed);
    }
    let spot = Spot::parse(&typed.to_string_lossy()).ok();
    let named = spot.and_then(|spot| Some((opened.store(&spot.place)?.clone(), spot)));
    match named {
        Some((store, spot)) if store.entry(&spot.path).is_ok_and(|entry| entry.is_some()) => {
            Ok(Found { spot, store })
        }
        _ => Err(Failure::words(format!("there is nothing at {}", escape(typed.as_os_str().as_bytes())))
            .hint("give a path, or a place and a path below it, such as downloads/letter.txt")),
    }
}

fn find_on_drive(session: &Session, opened: &Opened, typed: &Path) -> Done<Found> {
    let at = session.typed(typed);
    let shown = session.shown(&at);
    let holders = opened.open.iter().filter_map(|place| {
        let root = place.store.root();
        let below = at.strip_prefix(root).ok()?.as_os_str().as_bytes();
        Some((place, ItemPath::new(below).filter(|path| !path.is_root())?))
    });
    let Some((place, path)) = holders.min_by_key(|(_, path)| path.depth()) else {
        return Err(Failure::words(format!("{shown} lies in no pile or bookcase"))
            .hint("what is on a drive is reached through a place of the configuration"));
    };
    let found = Found { spot: Spot::new(place.name.clone(), path), store: Arc::clone(&place.store) };
    let entry = found.store.entry(&found.spot.path);
    match entry.map_err(|error| Failure::system(format!("{}: {error}", found.spot)))? {
        Some(_) => Ok(found),
        None => Err(Failure::words(format!("there is nothing at {shown}"))),
    }
}

fn find_on_disk(session: &Session, opened: &Opened, typed: &Path) -> Done<Found> {
    // The item itself may be a link; only the folders above it are resolved.
    let absolute = std::path::absolute(typed)?;
    let parent = absolute.parent().map(std::fs::canonicalize).transpose()?;
    let real = match (parent, absolute.file_name()) {
        (Some(parent), Some(name)) => parent.join(name),
        _ => absolute,
    };
    let mut best: Option<(usize, Found)> = None;
    for place in &opened.open {
        let root = location::real(&place.store.root());
        let Ok(below) = real.strip_prefix(&root) else {
            continue;
        };
        let depth = root.as_os_str().len();
        if let Some(path) = ItemPath::new(below.as_os_str().as_bytes()).filter(|p| !p.is_root())
            && best.as_ref().is_none_or(|(other, _)| depth > *other)
        {
            best = Some((
                depth,
                Found { spot: Spot::new(place.name.clone(), path), store: place.store.clone() },
            ));
        }
    }
    if let Some((_, found)) = best {
        return Ok(found);
    }
    let failure = |e: StoreError| Failure::system(format!("{}: {e}", session.shown(&real)));
    let folder = real.parent().unwrap_or(&real);
    let store = session.open_store(&Config::default(), folder, true).map_err(failure)?;
    let name = real.file_name().map(|name| name.as_bytes().to_vec()).unwrap_or_default();
    let path = ItemPath::new(name)
        .filter(|p| !p.is_root())
        .ok_or_else(|| Failure::words(format!("{} is not an item", session.shown(&real))))?;
    Ok(Found { spot: Spot::new(NO_PLACE, path), store })
}
