//! A shelf and a folder on it, as they are typed.

use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::names::{is_refused_elsewhere, nearly_same};
use nine_core::place::{NameBuf, Spot};
use nine_core::shelving::{Shelf, Shelving};

use crate::workspace::Workspace;
use crate::{Error, Result};

/// What to do where a folder that exists is called nearly like the one that is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Near {
    /// That is an error, which says so.
    Refuse,
    /// The one that exists is meant.
    Use,
    /// The other one is made.
    Make,
}

/// The folder that is meant by a shelf's number or title and a folder on it.
///
/// # Errors
/// If it names no shelf, or a folder that cannot be; or [`Error::NearlySame`].
pub fn folder(workspace: &Workspace, on: &str, near: Near) -> Result<Spot> {
    if workspace.config().bookcases.is_empty() {
        return Err(Error::NoBookcase);
    }
    let shelvings = workspace.shelvings();
    let parts: Vec<&str> = on.split('/').filter(|part| !part.is_empty()).collect();
    let (mut spot, folders) = shelf(&shelvings, on, &parts)?;
    for part in folders {
        let typed = NameBuf::new(*part).filter(|name| !is_refused_elsewhere(name));
        let typed = typed.ok_or_else(|| Error::FolderName((*part).to_owned()))?;
        let name = folder_in(workspace, &spot, typed, near)?;
        spot = Spot::new(spot.place, spot.path.join(&name));
    }
    Ok(spot)
}

/// The shelf, and the folders behind it.
fn shelf<'p>(shelvings: &[Shelving], on: &str, parts: &'p [&'p str]) -> Result<(Spot, &'p [&'p str])> {
    let wrong = || Error::NoShelf { typed: on.to_owned(), shelves: all_shelves(shelvings) };
    let first = parts.first().ok_or_else(wrong)?;
    let (shelving, rest) = match shelvings.iter().find(|shelving| shelving.bookcase == **first) {
        Some(shelving) => (Some(shelving), &parts[1..]),
        None => (shelvings.first(), parts),
    };
    let (Some(shelving), Some((first, folders))) = (shelving, rest.split_first()) else {
        return Err(wrong());
    };
    let shelf = shelving.shelves.iter().find(|shelf| shelf.is_called(first)).ok_or_else(wrong)?;
    let twice = || {
        let found = shelf.found.iter().map(|name| format!("`{}`", escape(name))).collect();
        Error::ShelfTwice { number: shelf.number, found }
    };
    Ok((shelving.spot(shelf.number).ok_or_else(twice)?, folders))
}

fn all_shelves(shelvings: &[Shelving]) -> Vec<String> {
    let of = |shelving: &Shelving| {
        let bookcase = if shelvings.len() > 1 { format!("{}/", shelving.bookcase) } else { String::new() };
        let written = |shelf: &Shelf| format!("{bookcase}{} {}", shelf.number, shelf.config.title);
        shelving.shelves.iter().map(written).collect::<Vec<_>>()
    };
    shelvings.iter().flat_map(of).collect()
}

/// The name of a folder: the one that was typed, or one that exists and is called nearly so.
fn folder_in(workspace: &Workspace, above: &Spot, typed: NameBuf, near: Near) -> Result<NameBuf> {
    let listed = workspace.opened().places.of(above).and_then(|store| store.list(&above.path));
    let there = listed.unwrap_or_default();
    if there.iter().any(|(name, _)| *name == typed) || near == Near::Make {
        return Ok(typed);
    }
    let mut folders = there.iter().filter(|(_, entry)| entry.kind == Kind::Folder).map(|(name, _)| name);
    let text = String::from_utf8_lossy(&typed);
    let nearly = folders.find(|name| nearly_same(&text, &String::from_utf8_lossy(name)));
    let at = |name: &NameBuf| above.path.join(name).to_string();
    match nearly {
        None => Ok(typed),
        Some(name) if near == Near::Use => Ok(name.clone()),
        Some(name) => Err(Error::NearlySame { there: at(name), typed: at(&typed), name: escape(name) }),
    }
}
