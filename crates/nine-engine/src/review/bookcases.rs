//! The bookcases as a review needs them: the folders of each shelf to choose from, and the picture of what will stand
//! there.

use std::sync::Arc;

use nine_core::collation::Collation;
use nine_core::names::{fold, nearly_same};
use nine_core::place::{NameBuf, Spot};
use nine_core::review::Review;
use nine_core::shelving::Shelving;
use nine_core::tree::{NodeId, Tree};
use nine_stores::Watch;

use crate::shelves::{ShelfRow, row_of, scan_shelves};
use crate::workspace::Workspace;

/// How deep folders are offered.
const DEEPEST: usize = 4;

/// A folder that something may be put into.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FolderChoice {
    /// The folder.
    pub folder: Spot,
    /// Its path below the shelf, written; empty for the shelf itself.
    pub name: String,
    /// Files in it.
    pub files: u64,
    /// What was put into it in this review.
    pub used: u64,
    /// Whether it is to be made.
    pub is_new: bool,
    /// A folder that is called nearly so, where this one is to be made.
    pub near: Option<String>,
}

/// The bookcases, read once.
pub struct Bookcases {
    cases: Vec<(Shelving, Tree)>,
    collation: Arc<Collation>,
}

impl Bookcases {
    /// Reads them in a thread of its own.
    pub fn read(workspace: &Workspace) -> std::sync::mpsc::Receiver<Self> {
        let (send, receive) = std::sync::mpsc::channel();
        let shelvings = workspace.shelvings();
        let stores: Vec<_> = shelvings
            .into_iter()
            .filter_map(|shelving| Some((workspace.store(&shelving.bookcase).map(Arc::clone)?, shelving)))
            .collect();
        let collation = Arc::clone(&workspace.environment.collation);
        std::thread::spawn(move || {
            let watch = Watch::default();
            let scan = |(store, shelving): (Arc<dyn nine_stores::Store>, Shelving)| {
                let tree = scan_shelves(&*store, &shelving, &watch)?;
                Some((shelving, tree))
            };
            let cases = stores.into_iter().filter_map(scan).collect();
            let _ = send.send(Self { cases, collation });
        });
        receive
    }

    /// Their names.
    pub fn names(&self) -> Vec<&str> {
        self.cases.iter().map(|(shelving, _)| shelving.bookcase.as_str()).collect()
    }

    /// The shelf of a number in one of them.
    pub fn shelf(&self, bookcase: usize, number: u8) -> Option<Spot> {
        self.cases.get(bookcase)?.0.spot(number)
    }

    /// The folders of a shelf that answer to what was typed, the most used first; a new one last.
    pub fn folders(&self, bookcase: usize, number: u8, typed: &str, review: &Review) -> Vec<FolderChoice> {
        let Some((shelving, tree)) = self.cases.get(bookcase) else { return Vec::new() };
        let Some(shelf) = shelving.spot(number) else { return Vec::new() };
        let used = review.added();
        let count = |folder: &Spot| used.get(folder).copied().unwrap_or_default();
        let mut found = Vec::new();
        let files = tree.find(&shelf.path).map_or(0, |id| tree.totals(id).items);
        found.push(choice(shelf.clone(), String::new(), files, count(&shelf)));
        self.below(tree, &shelf, &mut |folder, name, files| {
            let used = count(&folder);
            found.push(choice(folder, name, files, used));
        });
        // Folders that are to be made already count as folders.
        for (folder, many) in used {
            if folder.is_inside(&shelf) && !found.iter().any(|known| known.folder == *folder) {
                let name = below_shelf(folder, &shelf);
                found.push(FolderChoice { is_new: true, ..choice(folder.clone(), name, 0, *many) });
            }
        }
        let wanted: Vec<String> = fold(typed).split_whitespace().map(str::to_owned).collect();
        found.retain(|choice| {
            let name = fold(&choice.name);
            wanted.iter().all(|word| name.contains(word.as_str()))
        });
        self.collation.sort(&mut found, |choice, key| key(choice.name.as_bytes()));
        found.sort_by_key(|choice| {
            (std::cmp::Reverse(choice.used), !choice.name.is_empty(), std::cmp::Reverse(choice.files))
        });
        found.extend(self.new_folder(tree, &shelf, typed, &found));
        found
    }

    fn below(&self, tree: &Tree, shelf: &Spot, each: &mut dyn FnMut(Spot, String, u64)) {
        let Some(id) = tree.find(&shelf.path) else { return };
        let depth = shelf.path.depth();
        let folders = tree.inside(id).filter(|id| tree.is_folder(*id) && tree.depth(*id) <= depth + DEEPEST);
        for id in folders {
            let path = tree.path(id);
            if path.parts().skip(depth).any(|name| name.starts_with(b".")) {
                continue;
            }
            let folder = Spot::new(shelf.place.clone(), path);
            let name = below_shelf(&folder, shelf);
            each(folder, name, tree.totals(id).items);
        }
    }

    /// The folder that would be made of what was typed.
    fn new_folder(
        &self,
        tree: &Tree,
        shelf: &Spot,
        typed: &str,
        found: &[FolderChoice],
    ) -> Option<FolderChoice> {
        let names = typed.split('/').map(str::trim).filter(|name| !name.is_empty());
        let names: Option<Vec<NameBuf>> = names
            .map(|name| NameBuf::new(name).filter(|name| !nine_core::names::is_refused_elsewhere(name)))
            .collect();
        let names = names.filter(|names| !names.is_empty())?;
        let path = names.iter().fold(shelf.path.clone(), |path, name| path.join(name));
        if tree.find(&path).is_some() {
            return None;
        }
        let folder = Spot::new(shelf.place.clone(), path);
        let name = below_shelf(&folder, shelf);
        if found.iter().any(|known| known.folder == folder) {
            return None;
        }
        let near = self.near(tree, shelf, &name);
        Some(FolderChoice { is_new: true, near, ..choice(folder, name, 0, 0) })
    }

    /// A folder that is called nearly so.
    fn near(&self, tree: &Tree, shelf: &Spot, name: &str) -> Option<String> {
        let mut near = None;
        self.below(tree, shelf, &mut |_, known, _| {
            if near.is_none() && nearly_same(name, &known) {
                near = Some(known);
            }
        });
        near
    }

    /// The pictures of the bookcases with what the decisions so far add to them.
    pub fn rows(&self, review: &Review) -> Vec<(String, Vec<ShelfRow>)> {
        let case = |(shelving, tree): &(Shelving, Tree)| {
            let rows = shelving
                .shelves
                .iter()
                .filter_map(|shelf| row_of(tree, &shelving.spot(shelf.number)?, shelf, review.added()));
            (shelving.bookcase.clone(), rows.collect())
        };
        self.cases.iter().map(case).collect()
    }
}

fn choice(folder: Spot, name: String, files: u64, used: u64) -> FolderChoice {
    FolderChoice { folder, name, files, used, is_new: false, near: None }
}

fn below_shelf(folder: &Spot, shelf: &Spot) -> String {
    let below = folder.path.parts().skip(shelf.path.depth());
    nine_core::place::ItemPath::of_names(below).to_text()
}

/// A folder's children that say what it is: the biggest, or the newest.
pub(super) fn top_of(tree: &Tree, by: impl Fn(NodeId) -> u64, most: usize) -> Vec<NodeId> {
    let mut files: Vec<NodeId> = tree.ids().filter(|id| *id != Tree::ROOT && !tree.is_folder(*id)).collect();
    files.sort_by_key(|id| std::cmp::Reverse(by(*id)));
    files.truncate(most);
    files
}
