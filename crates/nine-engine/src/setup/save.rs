//! A layout made of the shelves as they stand, to keep or to hand on.

use nine_core::config::{Bookcase, layout_text};
use nine_core::item::Kind;
use nine_core::layout::LayoutShelf;
use nine_core::names::is_hidden;
use nine_core::place::ItemPath;
use nine_stores::ReadStore;

use crate::error::{Named, Nowhere};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// A layout that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SavedLayout {
    /// Its text.
    pub text: String,
    /// How many folders it has.
    pub folders: usize,
    /// How many rules.
    pub rules: usize,
    /// The facets whose answers are in it, which may be names of people.
    pub facets: Vec<String>,
}

/// Makes a layout of a bookcase, the first if none is named, with its folders to a depth below the shelves. No names
/// of files and no tags of items are in it.
///
/// # Errors
/// If there is none, or its folders cannot be read.
pub fn save_layout(workspace: &Workspace, bookcase: Option<&str>, depth: usize) -> Result<SavedLayout> {
    let config = workspace.config();
    let case = match (config.bookcase(bookcase), bookcase) {
        (Some(case), _) => case,
        (None, None) => return Err(Error::Nowhere(Nowhere::Shelves)),
        (None, Some(name)) => {
            let known = config.bookcases.iter().map(|case| case.name.as_str());
            return Err(Error::unknown(Named::Bookcase, name, known));
        }
    };
    let shelves = shelves(workspace, case, depth)?;
    let file = workspace.environment.config_file.clone();
    let text = layout_text(&workspace.loaded.text, case, &shelves);
    let text = text.map_err(|why| Error::ConfigEdit { file, why })?;
    let rules = config.rules.iter().filter(|rule| {
        let onto = rule.put.as_ref().map(|put| config.bookcase(put.bookcase.as_deref()));
        onto.is_none_or(|onto| onto.is_some_and(|onto| onto.name == case.name))
    });
    Ok(SavedLayout {
        text,
        folders: shelves.iter().map(|shelf| shelf.folders.len()).sum(),
        rules: rules.count(),
        facets: config.facets.names().map(str::to_owned).collect(),
    })
}

fn shelves(workspace: &Workspace, case: &Bookcase, depth: usize) -> Result<Vec<LayoutShelf>> {
    let base = nine_core::place::Spot::new(case.name.as_str(), ItemPath::root());
    let store = workspace.opened().places.of(&base).map_err(Error::store(&base))?;
    let shelvings = workspace.shelvings();
    let shelving = shelvings.iter().find(|shelving| shelving.bookcase == case.name);
    let mut shelves = Vec::new();
    for shelf in &case.shelves {
        let spot = shelving.and_then(|shelving| shelving.spot(shelf.number));
        let mut folders = Vec::new();
        if let Some(spot) = spot.filter(|spot| matches!(store.entry(&spot.path), Ok(Some(_)))) {
            below(store, &spot.path, depth, "", &mut folders).map_err(Error::store(&spot))?;
        }
        shelves.push(LayoutShelf { shelf: shelf.clone(), folders });
    }
    Ok(shelves)
}

/// The folders in a folder, as paths with `/`; of names that are no text, none.
fn below(
    store: &dyn ReadStore,
    folder: &ItemPath,
    depth: usize,
    above: &str,
    found: &mut Vec<String>,
) -> nine_stores::StoreResult<()> {
    if depth == 0 {
        return Ok(());
    }
    let mut listed = store.list(folder)?;
    listed.retain(|(name, entry)| entry.kind == Kind::Folder && !is_hidden(name));
    listed.sort_by(|a, b| a.0.cmp(&b.0));
    for (name, _) in listed {
        let Ok(text) = std::str::from_utf8(&name) else { continue };
        let path = format!("{above}{text}");
        found.push(path.clone());
        below(store, &folder.join(&name), depth - 1, &format!("{path}/"), found)?;
    }
    Ok(())
}
