//! Shelves and displays in the side bars of file dialogs.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_core::favourites::{Favourite, bookmarks_with, bookmarks_without, xbel_with, xbel_without};
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::worklist::Step;
use nine_stores::Places;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};

use crate::configuration::nearest;
use crate::plan::{Draft, Plan};
use crate::workspace::Workspace;
use crate::{Error, Result, text_file};

/// What stands for itself in the path of an address (RFC 3986, unreserved, and the slash).
const PATH: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// Plans to put the shelves and displays of the configuration into the side bars, or to take them out.
///
/// # Errors
/// If a file of theirs cannot be read.
pub fn favourites(workspace: &Workspace, drop: bool) -> Result<Plan> {
    let all = all(workspace);
    let mut places = Places::default();
    let environment = &workspace.environment;
    let mut steps = Vec::new();
    steps.extend(change(workspace, &mut places, "~bookmarks", &environment.bookmarks, |old| {
        match (old, drop) {
            (old, false) => Some(bookmarks_with(old.unwrap_or_default(), &all)),
            (Some(old), true) => Some(bookmarks_without(old, &all)),
            (None, true) => None,
        }
    })?);
    // One that is not there is made by its own desktop, with all that belongs into it.
    steps.extend(change(workspace, &mut places, "~side-bar", &environment.side_bar, |old| {
        match (old?, drop) {
            (old, false) => xbel_with(old, &all),
            (old, true) => Some(xbel_without(old, &all)),
        }
    })?);
    let words = if drop { "nine shelves favourites --drop" } else { "nine shelves favourites" };
    let proposals = steps.into_iter().map(Proposal::fixed).collect();
    Ok(Draft::new(words, proposals, &places).draw_up())
}

/// The folders: shelves that stand on this machine, and displays.
fn all(workspace: &Workspace) -> Vec<Favourite> {
    let of = |path: &Path, label: String| {
        let address = percent_encode(path.as_os_str().as_bytes(), PATH);
        Favourite { address: format!("file://{address}"), label }
    };
    let mut found = Vec::new();
    for shelving in workspace.shelvings() {
        let Some(store) = workspace.store(&shelving.bookcase) else { continue };
        for shelf in &shelving.shelves {
            let Some(spot) = shelving.spot(shelf.number) else { continue };
            let is_there = matches!(store.entry(&spot.path), Ok(Some(_)));
            let location = store.location(&spot.path);
            if let Some(path) = location.local().filter(|_| is_there) {
                found.push(of(path, String::from_utf8_lossy(spot.path.name()).into_owned()));
            }
        }
    }
    let displays = workspace.displays();
    let shown = workspace.config().searches.iter().filter(|search| search.display);
    found.extend(shown.map(|search| of(&displays.join(OsStr::new(&search.name)), search.name.clone())));
    found
}

/// The step that changes a file, if there is anything to change.
fn change(
    workspace: &Workspace,
    places: &mut Places,
    place: &str,
    file: &Path,
    new: impl FnOnce(Option<&str>) -> Option<String>,
) -> Result<Option<Step>> {
    let wrong = |source| Error::Path { path: file.to_owned(), source };
    // A link stays a link; the file it leads to is changed.
    let target = std::fs::canonicalize(file).unwrap_or_else(|_| file.to_owned());
    let (store, path) = nearest(workspace, &target).map_err(wrong)?;
    let step = text_file::change(&*store, Spot::new(place, path), new).map_err(wrong)?;
    places.add(place, store);
    Ok(step)
}
