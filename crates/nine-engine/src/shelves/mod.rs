//! The bookcases as they stand, and what is wrong with them.

mod change;
mod favourites;
mod mend;

use std::collections::{BTreeMap, HashMap, HashSet};

use nine_core::config::{Bookcase, Color};
use nine_core::escape::escape;
use nine_core::flaws::{Flaw, flaws};
use nine_core::folder_numbers::FolderNumbers;
use nine_core::place::{ItemPath, Spot};
use nine_core::shelving::{Shelf, Shelving};
use nine_core::tree::{NodeId, Tree};
use nine_core::worklist::Act;
use nine_stores::{Location, ReadStore, Scope, Watch};

pub use change::{NewMark, make, mark, rename, renumber};
pub use favourites::favourites;
pub use mend::{Mending, depths, flaw_words};

use crate::error::{Named, Nowhere};
use crate::looking::{LookMode, Looking, all_areas};
use crate::plan::Plan;
use crate::reporter::Task;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// A folder on a shelf.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Spine {
    /// The folder's name, written; empty for what lies loose on the shelf.
    pub name: String,
    /// Files in it now.
    pub items: u64,
    /// Files that will come.
    pub added: u64,
}

/// A shelf with its folders; what lies loose on it is a spine of its own.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ShelfRow {
    /// The folder's name, such as `3 Grants`, written.
    pub name: String,
    /// Its mark, where that does not stand in the name.
    pub mark: Option<String>,
    /// Its colour.
    pub color: Option<Color>,
    /// Its folders, in the order of their names.
    pub spines: Vec<Spine>,
    /// Bytes on it now.
    pub bytes: u64,
}

/// A bookcase to be drawn.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BookcasePicture {
    /// Its name.
    pub bookcase: String,
    /// Its shelves.
    pub rows: Vec<ShelfRow>,
}

/// A bookcase as it stands.
pub struct BookcaseState {
    /// Its name.
    pub name: String,
    /// Which folder is which shelf.
    pub shelving: Shelving,
    /// The number of its view.
    pub view: usize,
    /// What is wrong.
    pub flaws: Vec<Flaw>,
}

impl BookcaseState {
    /// Its shelves to be drawn, each with its folder where it is there.
    pub(crate) fn rows(&self, looking: &Looking) -> Vec<(ShelfRow, Option<NodeId>)> {
        let tree = &looking.views[self.view].tree;
        let of = |shelf: &Shelf| {
            let spot = self.shelving.spot(shelf.number)?;
            Some((row_of(tree, &spot, shelf, &HashMap::new())?, tree.find(&spot.path)))
        };
        self.shelving.shelves.iter().filter_map(of).collect()
    }
}

/// What was seen.
pub struct Shelves<'w> {
    /// The bookcases that were looked at.
    pub looking: Looking<'w>,
    /// Those of them that could be read.
    pub standing: Vec<BookcaseState>,
}

/// Looks at the bookcases of these names, or at all.
///
/// # Errors
/// If there is none, or none of a name.
pub fn look<'w>(workspace: &'w Workspace, names: &[String]) -> Result<Shelves<'w>> {
    let chosen = chosen(workspace, names)?;
    let wanted = |at: &Location| chosen.iter().any(|case| is_at(workspace, case, at));
    let areas = all_areas(workspace).into_iter().filter(|area| wanted(&area.at)).collect();
    let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
    looking.keep();
    let standing = chosen.iter().filter_map(|case| standing(&looking, case)).collect();
    Ok(Shelves { looking, standing })
}

/// Every bookcase that is among places which were looked at, and can be reached.
pub(crate) fn standing_among(looking: &Looking) -> Vec<BookcaseState> {
    looking.workspace.config().bookcases.iter().filter_map(|case| standing(looking, case)).collect()
}

fn is_at(workspace: &Workspace, case: &Bookcase, at: &Location) -> bool {
    workspace.at(&case.at).real() == at.real()
}

fn standing(looking: &Looking, case: &Bookcase) -> Option<BookcaseState> {
    let workspace = looking.workspace;
    let view = looking.views.iter().position(|view| is_at(workspace, case, &view.area.at))?;
    let shelving = workspace.shelvings().into_iter().find(|shelving| shelving.bookcase == case.name)?;
    let apart = workspace.opened().archive.iter().find(|shelf| *shelf.place == *case.name);
    let flaws = flaws(&looking.views[view].tree, &shelving, apart.map(|shelf| &shelf.path));
    workspace.store(&case.name)?;
    Some(BookcaseState { name: case.name.clone(), shelving, view, flaws })
}

fn chosen<'w>(workspace: &'w Workspace, names: &[String]) -> Result<Vec<&'w Bookcase>> {
    let config = workspace.config();
    if config.bookcases.is_empty() {
        return Err(Error::Nowhere(Nowhere::Shelves));
    }
    if names.is_empty() {
        return Ok(config.bookcases.iter().collect());
    }
    let known = || config.bookcases.iter().map(|case| case.name.as_str());
    let find = |name: &String| {
        config.bookcase(Some(name)).ok_or_else(|| Error::unknown(Named::Bookcase, name, known()))
    };
    names.iter().map(find).collect()
}

impl Shelves<'_> {
    /// The shelves of a bookcase to be drawn, each with its folder where it is there.
    pub fn rows(&self, standing: &BookcaseState) -> Vec<(ShelfRow, Option<NodeId>)> {
        standing.rows(&self.looking)
    }
}

/// Every bookcase as it stands.
pub fn pictures(workspace: &Workspace) -> Vec<BookcasePicture> {
    workspace
        .shelvings()
        .iter()
        .filter_map(|shelving| picture(workspace, shelving, &HashMap::new()))
        .collect()
}

/// Every bookcase that a plan adds to, with what it adds.
pub fn pictures_with(workspace: &Workspace, plan: &Plan) -> Vec<BookcasePicture> {
    let of = |shelving: &Shelving| {
        let (mut folders, mut counts) = (FolderNumbers::default(), Vec::new());
        for step in plan.doable() {
            match &step.act {
                Act::Move { to } | Act::Copy { to } if *to.place == *shelving.bookcase => {
                    let folder = folders.of(to);
                    counts.resize(folders.all().len(), 0);
                    counts[folder] += 1;
                }
                _ => {}
            }
        }
        let added: HashMap<Spot, u64> = folders.into_all().into_iter().zip(counts).collect();
        if added.is_empty() { None } else { picture(workspace, shelving, &added) }
    };
    workspace.shelvings().iter().filter_map(of).collect()
}

fn picture(
    workspace: &Workspace,
    shelving: &Shelving,
    added: &HashMap<Spot, u64>,
) -> Option<BookcasePicture> {
    let store = workspace.store(&shelving.bookcase)?;
    let base = Spot::new(shelving.bookcase.clone(), ItemPath::root());
    let watch = workspace.watch();
    let tree = workspace.during(Task::Reading(&base), watch, || scan_shelves(&**store, shelving, watch))?;
    let of = |shelf: &Shelf| row_of(&tree, &shelving.spot(shelf.number)?, shelf, added);
    let rows = shelving.shelves.iter().filter_map(of).collect();
    Some(BookcasePicture { bookcase: shelving.bookcase.clone(), rows })
}

/// All that stands on the shelves of a bookcase; `None` if it cannot be read.
pub(crate) fn scan_shelves(store: &dyn ReadStore, shelving: &Shelving, watch: &Watch) -> Option<Tree> {
    let scope = Scope { closed: loose_folders(store, shelving), ..Scope::default() };
    Some(store.scan(&scope, watch).ok()?.tree)
}

/// Folders beside the shelves, which the picture does not show and so need not be read.
fn loose_folders(store: &dyn ReadStore, shelving: &Shelving) -> HashSet<ItemPath> {
    let shelves: HashSet<ItemPath> =
        shelving.shelves.iter().filter_map(|shelf| Some(shelving.spot(shelf.number)?.path)).collect();
    let listed = store.list(&ItemPath::root()).unwrap_or_default();
    let folders = listed.into_iter().map(|(name, _)| ItemPath::root().join(&name));
    folders.filter(|path| !shelves.contains(path)).collect()
}

/// A shelf with what comes into each folder; nothing where it is away.
pub(crate) fn row_of(tree: &Tree, shelf: &Spot, of: &Shelf, into: &HashMap<Spot, u64>) -> Option<ShelfRow> {
    // How many files come to each folder on the shelf; the empty name is the shelf itself.
    let mut added: BTreeMap<Vec<u8>, u64> = BTreeMap::new();
    for (folder, many) in into.iter().filter(|(folder, _)| *folder == shelf || folder.is_inside(shelf)) {
        let first = folder.path.parts().nth(shelf.path.depth());
        *added.entry(first.map(|name| name.to_vec()).unwrap_or_default()).or_default() += many;
    }
    let name = shelf.path.to_text();
    let mark = of.config.mark.clone().filter(|mark| !name.contains(mark.as_str()));
    let mut row = ShelfRow { name, mark, color: of.config.color, ..ShelfRow::default() };
    if let Some(id) = tree.find(&shelf.path) {
        row.bytes = tree.totals(id).size;
        let loose = tree.children(id).filter(|child| !tree.is_folder(*child)).count() as u64;
        row.spines.push(Spine {
            name: String::new(),
            items: loose,
            added: added.remove(&Vec::new()).unwrap_or(0),
        });
        for folder in tree.children(id).filter(|child| tree.is_folder(*child)) {
            let added = added.remove(tree.name(folder)).unwrap_or(0);
            let name = escape(tree.name(folder));
            row.spines.push(Spine { name, items: tree.totals(folder).items, added });
        }
    }
    row.spines.extend(added.into_iter().map(|(name, added)| Spine { name: escape(&name), items: 0, added }));
    Some(row)
}
