//! How the places of a configuration lie to one another.

use std::collections::HashSet;

use nine_core::config::{Bookcase, Config};
use nine_core::diagnostic::Diagnostic;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::shelving::{Shelving, shelf_number};
use nine_stores::Location;

use super::{Environment, Opened, Workspace};

/// Places that lie in one another in a way that cannot work.
pub(super) fn overlaps(environment: &Environment, config: &Config) -> Vec<Diagnostic> {
    let at = |text: &str| environment.at(text).real();
    let is_in = |at: &Location, top: &Location| at.below(top).is_some();
    let mut found = Vec::new();
    for bookcase in &config.bookcases {
        let case = at(&bookcase.at);
        for pile in &config.piles {
            let heap = at(&pile.at);
            if case != heap && is_in(&case, &heap) {
                let message =
                    format!("the bookcase `{}` lies inside the pile `{}`", bookcase.name, pile.name);
                let help = "put it elsewhere, or make both the same folder: shelves then stand beside what lies loose";
                found.push(Diagnostic::new(bookcase.at_span.clone(), message).help(help));
            } else if case != heap && is_in(&heap, &case) {
                let message =
                    format!("the pile `{}` lies inside the bookcase `{}`", pile.name, bookcase.name);
                found.push(Diagnostic::new(pile.at_span.clone(), message).help("put one of them elsewhere"));
            }
        }
        for other in config.bookcases.iter().filter(|other| other.name < bookcase.name) {
            let (a, b) = (at(&other.at), case.clone());
            if is_in(&a, &b) || is_in(&b, &a) {
                let message =
                    format!("the bookcases `{}` and `{}` lie in one another", other.name, bookcase.name);
                found.push(
                    Diagnostic::new(bookcase.at_span.clone(), message).help("put one of them elsewhere"),
                );
            }
        }
    }
    for (number, pile) in config.piles.iter().enumerate() {
        if let Some(twin) = config.piles[..number].iter().find(|other| at(&other.at) == at(&pile.at)) {
            let message = format!("the piles `{}` and `{}` are the same folder", twin.name, pile.name);
            found.push(Diagnostic::new(pile.at_span.clone(), message).help("drop one of them"));
        }
    }
    found.sort_by_key(|finding| finding.span.start);
    found
}

/// The bookcases as they stand; those that cannot be reached have no shelves yet.
pub fn shelvings(workspace: &Workspace) -> Vec<Shelving> {
    shelvings_of(workspace.config(), workspace.opened())
}

/// The same of places that were just opened.
pub(super) fn shelvings_of(config: &Config, opened: &Opened) -> Vec<Shelving> {
    config.bookcases.iter().map(|bookcase| shelving_of(bookcase, opened)).collect()
}

fn shelving_of(bookcase: &Bookcase, opened: &Opened) -> Shelving {
    let listed = opened.store(&bookcase.name).and_then(|store| store.list(&ItemPath::root()).ok());
    let folders: Vec<NameBuf> = listed
        .unwrap_or_default()
        .into_iter()
        .filter(|(_, entry)| entry.kind == Kind::Folder)
        .map(|(name, _)| name)
        .collect();
    Shelving::new(bookcase, folders.iter().map(NameBuf::as_name))
}

/// Folders inside a place that are places of their own: other piles and bookcases, and the folder
/// in which saved searches are displayed.
pub(super) fn other_places_inside(workspace: &Workspace, place: &str) -> HashSet<ItemPath> {
    let Some(store) = workspace.store(place) else { return HashSet::new() };
    let (config, root) = (workspace.config(), store.location(&ItemPath::root()).real());
    let places = config.piles.iter().map(|pile| &pile.at).chain(config.bookcases.iter().map(|case| &case.at));
    let folders = places.map(|at| workspace.at(at)).chain([workspace.displays().into()]);
    folders.filter_map(|at| at.real().below(&root)).filter(|path| !path.is_root()).collect()
}

/// The same, and where a pile is a bookcase too, its shelves.
pub(super) fn places_inside(workspace: &Workspace, pile: &str) -> HashSet<ItemPath> {
    let Some(store) = workspace.store(pile) else { return HashSet::new() };
    let mut inside = other_places_inside(workspace, pile);
    let root = store.location(&ItemPath::root()).real();
    if workspace.config().bookcases.iter().any(|case| workspace.at(&case.at).real() == root) {
        let listed = store.list(&ItemPath::root()).unwrap_or_default();
        let shelves = listed.into_iter().filter(|(name, _)| shelf_number(name).is_some());
        inside.extend(shelves.map(|(name, _)| ItemPath::root().join(&name)));
    }
    inside
}
