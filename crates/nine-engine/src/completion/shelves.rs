//! Shelves, folders on them, and the dated folders of the archive, as the catalogue knows them.

use std::collections::HashSet;
use std::rc::Rc;

use nine_core::archive::Form;
use nine_core::config::Bookcase;
use nine_core::names::{fold, fold_bytes, is_hidden};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::shelving::Shelving;
use nine_core::tree::{Column, NodeId, Tree};

use super::{Known, Offer, beginning};

/// How many names of folders are offered at most.
const READ: usize = 1_000;

/// What is asked of a tree to go down into its folders.
const FOLDERS: [Column; 5] =
    [Column::Kind, Column::Folder, Column::FolderEnd, Column::NameEnd, Column::Names];

/// A bookcase as it is known.
pub(super) struct KnownCase {
    tree: Option<Tree>,
    shelving: Shelving,
}

impl Known {
    /// Shelves by their titles; by their numbers where a number is typed. Before them may stand their bookcase.
    pub(super) fn shelves(&self, typed: &str) -> Vec<Offer> {
        self.config().bookcases.iter().flat_map(|case| self.shelves_of(case, typed)).collect()
    }

    fn shelves_of(&self, case: &Bookcase, typed: &str) -> Vec<Offer> {
        let (before, typed) = match typed.split_once('/') {
            Some((name, rest)) if name == case.name => (format!("{name}/"), rest),
            _ if self.config().bookcases.len() > 1 && !is_first(self, case) => {
                (format!("{}/", case.name), "")
            }
            _ => (String::new(), typed),
        };
        let by_number = typed.starts_with(|c: char| c.is_ascii_digit());
        let offer = |shelf: &nine_core::config::ShelfConfig| match by_number {
            true => Offer::new(format!("{before}{}", shelf.number), shelf.title.clone()),
            false => Offer::new(format!("{before}{}", shelf.title), format!("shelf {}", shelf.number)),
        };
        case.shelves.iter().map(offer).collect()
    }

    /// A shelf, or the folders of what stands before the last `/`.
    pub(super) fn shelf_folders(&self, typed: &str) -> Vec<Offer> {
        let (above, last) = typed.rfind('/').map_or(("", typed), |at| (&typed[..at], &typed[at + 1..]));
        let Some((case, spot)) = self.folder_typed(above) else {
            let mut shelves = beginning(typed, self.shelves(typed));
            self.put_in_order(&mut shelves);
            shelves.iter_mut().for_each(|offer| self.end_in_slash(offer));
            return shelves;
        };
        let Some(tree) = &case.tree else { return Vec::new() };
        let folders = folders_in(tree, &spot.path);
        let offers = folders.map(|id| {
            let name = String::from_utf8_lossy(tree.name(id)).into_owned();
            let slash = if folders_below(tree, id).next().is_some() { "/" } else { "" };
            Offer::new(format!("{name}{slash}"), "")
        });
        let found = beginning(last, offers.collect()).into_iter();
        found.map(|offer| Offer { word: format!("{above}/{}", offer.word), ..offer }).collect()
    }

    /// A shelf on which folders stand is gone on with.
    fn end_in_slash(&self, offer: &mut Offer) {
        if let Some((case, spot)) = self.folder_typed(&offer.word)
            && case.tree.as_ref().is_some_and(|tree| folders_in(tree, &spot.path).next().is_some())
        {
            offer.word.push('/');
        }
    }

    /// The folder that is meant by a shelf and folders on it; `None` for what is none, and for a bookcase alone.
    fn folder_typed(&self, typed: &str) -> Option<(Rc<KnownCase>, Spot)> {
        let mut parts = typed.split('/').filter(|part| !part.is_empty()).peekable();
        let first = *parts.peek()?;
        let named = self.config().bookcases.iter().find(|case| case.name == first);
        if named.is_some() {
            parts.next();
        }
        let case = self.known_case(named.or_else(|| self.config().bookcases.first())?);
        let shelf = parts.next()?;
        let shelf = case.shelving.shelves.iter().find(|known| known.is_called(shelf))?;
        let mut spot = case.shelving.spot(shelf.number)?;
        for part in parts {
            spot = Spot::new(spot.place, spot.path.join(&NameBuf::new(part)?));
        }
        Some((case, spot))
    }

    fn known_case(&self, case: &Bookcase) -> Rc<KnownCase> {
        if let Some(known) = self.cases.borrow().get(&case.name) {
            return Rc::clone(known);
        }
        let known = Rc::new(self.ask_of_case(case));
        self.cases.borrow_mut().insert(case.name.clone(), Rc::clone(&known));
        known
    }

    fn ask_of_case(&self, case: &Bookcase) -> KnownCase {
        let tree = self.tree(&case.at, &FOLDERS);
        let root = ItemPath::root();
        let name = |tree: &Tree, id| NameBuf::from(tree.name_of(id));
        let names: Vec<NameBuf> =
            tree.iter().flat_map(|tree| folders_in(tree, &root).map(|id| name(tree, id))).collect();
        let shelving = Shelving::new(case, names.iter().map(NameBuf::as_name));
        KnownCase { tree, shelving }
    }

    /// The dated folders of the archive, packed or not.
    pub(super) fn dated(&self) -> Vec<Offer> {
        let find = || {
            let put = &self.config().archive.as_ref()?.put;
            let case = self.known_case(self.config().bookcase(put.bookcase.as_deref())?);
            let shelf = case.shelving.spot(put.shelf)?;
            let tree = case.tree.as_ref()?;
            let top = tree.find(&shelf.path)?;
            let name = |id: NodeId| {
                let name = tree.name(id);
                let stem = Form::of_name(name).map_or(name, |(_, stem)| stem.as_bytes());
                Some(stem).filter(|stem| tree.is_folder(id) || *stem != name).map(<[u8]>::to_vec)
            };
            let names = tree.children(top).filter_map(name);
            Some(names.map(|name| Offer::new(String::from_utf8_lossy(&name), "")).collect())
        };
        find().unwrap_or_default()
    }

    /// The names of the folders that lie directly in piles, and on shelves, and begin with what is typed: as many as
    /// anybody reads.
    pub(super) fn folder_names(&self, typed: &str) -> Vec<Offer> {
        let mut names = Vec::new();
        for pile in &self.config().piles {
            let Some(tree) = self.tree(&pile.at, &FOLDERS) else { continue };
            names.extend(folders_in(&tree, &ItemPath::root()).map(|id| tree.name(id).to_vec()));
        }
        for case in &self.config().bookcases {
            let known = self.known_case(case);
            let Some(tree) = &known.tree else { continue };
            let on_shelves = folders_in(tree, &ItemPath::root()).flat_map(|shelf| folders_below(tree, shelf));
            names.extend(on_shelves.map(|id| tree.name(id).to_vec()));
        }
        // Many shelves have folders of the same names: these are told once, and put in order after that.
        let mut seen = HashSet::new();
        let typed = fold(typed);
        names.retain(|name| {
            let folded = fold_bytes(name);
            folded.starts_with(&typed) && seen.insert(folded)
        });
        self.workspace.collation().sort(&mut names, |name, key| key(name));
        names.iter().take(READ).map(|name| Offer::new(String::from_utf8_lossy(name), "")).collect()
    }
}

fn is_first(known: &Known, case: &Bookcase) -> bool {
    known.config().bookcases.first().is_some_and(|first| first.name == case.name)
}

/// The folders that lie in one, without hidden ones and names that a line cannot show.
fn folders_in<'t>(tree: &'t Tree, path: &ItemPath) -> impl Iterator<Item = NodeId> + 't {
    tree.find(path).into_iter().flat_map(|folder| folders_below(tree, folder))
}

fn folders_below(tree: &Tree, folder: NodeId) -> impl Iterator<Item = NodeId> {
    let is_typed = |name: &[u8]| {
        !is_hidden(name) && std::str::from_utf8(name).is_ok_and(|name| !name.contains(char::is_control))
    };
    tree.children(folder).filter(move |id| tree.is_folder(*id) && is_typed(tree.name(*id)))
}
