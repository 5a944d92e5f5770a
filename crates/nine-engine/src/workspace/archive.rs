//! The archive as it stands: its shelf, its dated folders, and what their lists say.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::io::Read;
use std::sync::Arc;

use nine_core::archive::{CONTENTS_NAME, Contents, Form, list_beside};
use nine_core::item::{Entry, Kind};
use nine_core::place::{NameBuf, Spot};
use nine_stores::Store;

use super::{Opened, Workspace, shelving};

/// How deep below the shelf dated folders are looked for.
const DEEPEST: usize = 3;

/// A dated folder, as a folder or packed.
#[derive(Debug)]
pub struct Dated {
    /// The folder, or the pack.
    pub at: Spot,
    /// What the store tells of it.
    pub entry: Entry,
    /// In which form it is packed, if it is.
    pub form: Option<Form>,
    /// Where its list of contents is.
    pub list: Spot,
    store: Arc<dyn Store>,
    /// The list, once it was asked for, or why it cannot be read.
    contents: OnceCell<Result<Contents, String>>,
}

impl Dated {
    /// Its name, as people say it: `2031-04-07`.
    pub fn name(&self) -> Vec<u8> {
        let name = self.at.path.name();
        Form::of_name(name).filter(|_| self.form.is_some()).map_or(name, |(_, stem)| stem.as_bytes()).to_vec()
    }

    /// Its list, which is read once, and only where it is asked for.
    ///
    /// # Errors
    /// Why it cannot be read.
    pub fn contents(&self) -> Result<&Contents, &str> {
        let read = || {
            let mut bytes = Vec::new();
            let read = self.store.read(&self.list.path);
            let read = read.and_then(|mut list| Ok(list.read_to_end(&mut bytes)?));
            read.map_err(|error| error.to_string())?;
            Contents::parse(&bytes).map_err(|error| error.to_string())
        };
        self.contents.get_or_init(read).as_ref().map_err(String::as_str)
    }

    /// The list; an empty one where it cannot be read.
    pub fn listed(&self) -> Cow<'_, Contents> {
        self.contents().map_or_else(|_| Cow::Owned(Contents::default()), Cow::Borrowed)
    }
}

/// The archive's shelf, if there is one and it can be told, under each name that its bookcase has.
pub(super) fn shelf(workspace: &Workspace, opened: &Opened) -> Vec<Spot> {
    let find = || {
        let config = workspace.config();
        let put = &config.archive.as_ref()?.put;
        let bookcase = config.bookcase(put.bookcase.as_deref())?;
        let shelvings = shelving::shelvings_of(config, opened);
        let shelf = shelvings.iter().find(|shelving| shelving.bookcase == bookcase.name)?.spot(put.shelf)?;
        let real = |at: &str| workspace.at(at).real();
        let twins = config.piles.iter().filter(|pile| real(&pile.at) == real(&bookcase.at));
        let twins: Vec<Spot> = twins.map(|pile| Spot::new(pile.name.clone(), shelf.path.clone())).collect();
        Some(std::iter::once(shelf).chain(twins).collect())
    };
    find().unwrap_or_default()
}

/// Whether something lies in the archive, whose shelf has these names.
pub fn holds(shelves: &[Spot], spot: &Spot) -> bool {
    shelves.iter().any(|shelf| spot.is_inside(shelf))
}

/// The dated folders, packed or not, in the order of their names.
pub fn dated(workspace: &Workspace) -> Vec<Dated> {
    let opened = workspace.opened();
    let mut found = Vec::new();
    let Some(shelf) = opened.archive.first() else { return found };
    let Some(store) = opened.store(&shelf.place) else { return found };
    let mut open = vec![(shelf.path.clone(), 0)];
    while let Some((folder, depth)) = open.pop() {
        let listed: HashMap<NameBuf, Entry> = store.list(&folder).unwrap_or_default().into_iter().collect();
        let dated = |name: &NameBuf, entry: &Entry, form, list| Dated {
            at: Spot::new(shelf.place.clone(), folder.join(name)),
            entry: entry.clone(),
            form,
            list: Spot::new(shelf.place.clone(), list),
            store: Arc::clone(store),
            contents: OnceCell::new(),
        };
        for (name, entry) in &listed {
            let packed = Form::of_name(name).filter(|(_, stem)| listed.contains_key(&list_beside(*stem)));
            match (entry.kind, packed) {
                (Kind::File, Some((form, stem))) => {
                    found.push(dated(name, entry, Some(form), folder.join(&list_beside(stem))));
                }
                (Kind::Folder, _) => {
                    let list = folder.join(name).join(CONTENTS_NAME);
                    match store.entry(&list) {
                        Ok(Some(_)) => found.push(dated(name, entry, None, list)),
                        _ if depth + 1 < DEEPEST => open.push((folder.join(name), depth + 1)),
                        _ => {}
                    }
                }
                _ => {}
            }
        }
    }
    found.sort_by(|a, b| a.at.cmp(&b.at));
    found
}
