//! The folders that a run works in: made where they are missing, taken away where they are empty, and made
//! sure of at the end.

use std::collections::{BTreeSet, HashSet};
use std::io;

use nine_core::item::Kind;
use nine_core::place::{NameBuf, Spot};
use nine_core::worklist::Step;
use nine_stores::{Places, StoreError, StoreResult};

use crate::daybook::Writer;

/// Folders that are known to be there, and those in which something was done.
#[derive(Debug, Default)]
pub(crate) struct Folders {
    there: HashSet<Spot>,
    touched: BTreeSet<Spot>,
    /// Folders that were made.
    pub made: Vec<Spot>,
    /// Folders in which new ones were made since anything was last copied.
    made_in: Vec<Spot>,
}

impl Folders {
    /// Makes a folder and those above it, noting each before it is made.
    pub fn make(
        &mut self,
        folder: &Spot,
        places: &Places,
        daybook: &mut Writer,
    ) -> io::Result<StoreResult<()>> {
        let mut missing = Vec::new();
        let mut here = folder.clone();
        while !here.path.is_root() && !self.there.contains(&here) {
            match places.of(&here).and_then(|store| store.entry(&here.path)) {
                Ok(Some(entry)) if entry.kind == Kind::Folder => break,
                Ok(Some(entry)) if entry.kind == Kind::Link => return Ok(Err(StoreError::LeadsElsewhere)),
                Ok(Some(_)) => return Ok(Err(StoreError::NotAFolder)),
                Ok(None) => missing.push(here.clone()),
                Err(error) => return Ok(Err(error)),
            }
            here = here.folder();
        }
        for folder in missing.into_iter().rev() {
            daybook.folder(&folder)?;
            match places.of(&folder).and_then(|store| store.make_folder(&folder.path)) {
                Ok(true) => self.made.push(folder.clone()),
                Ok(false) => daybook.folder_was_there(&folder)?,
                Err(error) => return Ok(Err(error)),
            }
            self.touch(&folder.folder());
            self.made_in.push(folder.folder());
        }
        self.there.insert(folder.clone());
        Ok(Ok(()))
    }

    /// Notes a folder in which something is done.
    pub fn touch(&mut self, folder: &Spot) {
        if !self.touched.contains(folder) {
            self.touched.insert(folder.clone());
        }
    }

    /// Flushes the folders in which new ones were made since the last time: the way to a copy must be as safe as the
    /// copy before its original goes.
    ///
    /// # Errors
    /// Returns the first failure. The original must stay then, and what was not flushed is flushed the next time.
    pub fn sync_made_in(&mut self, places: &Places) -> StoreResult<()> {
        while let Some(folder) = self.made_in.last() {
            places.of(folder).and_then(|store| store.sync_folder(&folder.path))?;
            self.made_in.pop();
        }
        Ok(())
    }

    /// Forgets what is known of where folders are.
    pub fn look_anew(&mut self, places: &Places) {
        self.there.clear();
        places.look_anew();
    }

    /// Where something was done that does not show any more, as far as a store can tell only afterwards.
    pub fn not_shown(&self, places: &Places) -> Vec<Spot> {
        let of = |folder: &Spot| -> StoreResult<Vec<Spot>> {
            let names = places.of(folder)?.not_shown(&folder.path)?;
            let spot = |name: NameBuf| Spot::new(folder.place.clone(), folder.path.join(&name));
            Ok(names.into_iter().map(spot).collect())
        };
        // A drive that is away now is told by the look below.
        self.touched.iter().flat_map(|folder| of(folder).unwrap_or_default()).collect()
    }

    /// Makes sure that what was moved stays moved after a loss of power. Returns the folders of which that is
    /// not sure, and why.
    pub fn sync_touched(&mut self, places: &Places) -> Vec<(Spot, StoreError)> {
        let touched = std::mem::take(&mut self.touched).into_iter();
        let sync = |folder: Spot| {
            let synced = places.of(&folder).and_then(|store| store.sync_folder(&folder.path));
            match synced {
                // A folder that is gone or unreachable has nothing to lose.
                Ok(()) | Err(StoreError::NotThere | StoreError::NotAFolder | StoreError::LeadsElsewhere) => {
                    None
                }
                Err(error) => Some((folder, error)),
            }
        };
        touched.filter_map(sync).collect()
    }
}

/// Takes away folders that are empty, the deepest first. Returns how many have gone, and whether a place went
/// away meanwhile, on which something may have been left.
pub fn clear_away(places: &Places, made: &[Spot]) -> (usize, bool) {
    let mut folders: Vec<&Spot> = made.iter().collect();
    folders.sort_by_key(|folder| std::cmp::Reverse(folder.path.depth()));
    let (mut gone, mut is_away) = (0, false);
    for folder in folders {
        let store = places.of(folder);
        match store.and_then(|store| store.remove_empty_folder(&folder.path)) {
            Ok(removed) => gone += usize::from(removed),
            Err(error) => is_away |= error.is_passing() || matches!(error, StoreError::Faulty(_)),
        }
    }
    (gone, is_away)
}

/// Makes sure that the path of a folder still leads to the one that was opened for it.
///
/// # Errors
/// Returns [`StoreError::FolderMoved`] if another program moved it: what was done in it happened elsewhere. Returns why
/// that is not known otherwise; then nothing that was done in it counts, either.
pub(crate) fn expect_in_place(places: &Places, folder: &Spot) -> StoreResult<()> {
    match places.of(folder)?.stands(&folder.path)? {
        true => Ok(()),
        false => Err(StoreError::FolderMoved),
    }
}

/// The same of both folders of a step.
///
/// # Errors
/// As [`expect_in_place`].
pub(crate) fn expect_both_in_place(places: &Places, step: &Step) -> StoreResult<()> {
    let mut ends = std::iter::once(&step.item).chain(step.target());
    ends.try_for_each(|end| expect_in_place(places, &end.folder()))
}
