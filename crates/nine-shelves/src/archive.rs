//! The archive as it stands: its shelf, its dated folders, and what their lists say.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};
use std::io::Read;
use std::sync::Arc;

use nine_core::archive::{CONTENTS, Contents, Form, list_beside};
use nine_core::config::Config;
use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::{Places, Store};

use crate::layout;
use crate::location;
use crate::pipeline::Planned;
use crate::session::{Opened, Session};

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
        Form::of_name(name).filter(|_| self.form.is_some()).map_or(name, |(_, stem)| stem).to_vec()
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
pub fn shelf(session: &Session, config: &Config, opened: &Opened) -> Vec<Spot> {
    let find = || {
        let put = &config.archive.as_ref()?.put;
        let bookcase = config.bookcase(put.bookcase.as_deref())?;
        let layouts = layout::layouts(config, opened);
        let shelf = layouts.iter().find(|layout| layout.bookcase == bookcase.name)?.spot(put.shelf)?;
        let real = |at: &str| location::real(&session.expand(at));
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
pub fn dated(opened: &Opened) -> Vec<Dated> {
    let mut found = Vec::new();
    let Some(shelf) = opened.archive.first() else { return found };
    let Some(store) = opened.store(&shelf.place) else { return found };
    let mut open = vec![(shelf.path.clone(), 0)];
    while let Some((folder, depth)) = open.pop() {
        let listed: HashMap<Vec<u8>, Entry> = store.list(&folder).unwrap_or_default().into_iter().collect();
        let dated = |name: &[u8], entry: &Entry, form, list| Dated {
            at: Spot::new(shelf.place.clone(), folder.join(name)),
            entry: entry.clone(),
            form,
            list: Spot::new(shelf.place.clone(), list),
            store: Arc::clone(store),
            contents: OnceCell::new(),
        };
        for (name, entry) in &listed {
            let packed = Form::of_name(name).filter(|(_, stem)| listed.contains_key(&list_beside(stem)));
            match (entry.kind, packed) {
                (Kind::File, Some((form, stem))) => {
                    found.push(dated(name, entry, Some(form), folder.join(list_beside(stem))));
                }
                (Kind::Folder, _) => {
                    let list = folder.join(name).join(CONTENTS);
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

/// The steps, and behind them one for each dated folder of the archive whose lists they change.
pub fn with_lists(opened: &Opened, planned: &Planned, mut steps: Vec<Step>) -> Vec<Step> {
    if opened.archive.is_empty() {
        return steps;
    }
    let shelves = &opened.archive;
    let mut lists = Lists { places: planned.places, shelves, new: &planned.dated, known: HashMap::new() };
    let (mut touched, mut seen) = (Vec::new(), HashSet::new());
    for step in &steps {
        let changed = (step.vacates() || matches!(step.act, Act::Tag { .. })).then_some(&step.item);
        for spot in changed.into_iter().chain(step.target()) {
            let dated = lists.dated(spot).filter(|dated| seen.insert(dated.clone()));
            touched.extend(dated.map(|dated| (dated, step.why.clone())));
        }
    }
    steps.extend(touched.into_iter().map(|(item, why)| Step {
        act: Act::List,
        item,
        kind: Kind::Folder,
        // It is no item that must be found as it was.
        stamp: Stamp { size: 0, modified: Moment(0), identity: Identity([0, 0]) },
        size: 0,
        modified: Moment(0),
        why,
        doubts: Vec::new(),
        together: None,
    }));
    steps
}

/// Which folders are dated ones of the archive.
struct Lists<'a> {
    places: &'a Places,
    shelves: &'a [Spot],
    new: &'a [Spot],
    known: HashMap<Spot, bool>,
}

impl Lists<'_> {
    /// The dated folder that something lies in.
    fn dated(&mut self, spot: &Spot) -> Option<Spot> {
        let shelf = self.shelves.iter().find(|shelf| spot.is_inside(shelf))?;
        let depth = shelf.path.depth();
        let parts: Vec<&[u8]> = spot.path.parts().collect();
        let above = (depth + 1..parts.len()).map(|most| ItemPath::of_names(parts[..most].iter().copied()));
        above.map(|path| Spot::new(spot.place.clone(), path)).find(|folder| self.is_dated(folder))
    }

    fn is_dated(&mut self, folder: &Spot) -> bool {
        let (places, new) = (self.places, self.new);
        *self.known.entry(folder.clone()).or_insert_with_key(|folder| {
            let has_list = || {
                let store = places.of(folder);
                let list = store.and_then(|store| store.entry(&folder.path.join(CONTENTS)));
                matches!(list, Ok(Some(_)))
            };
            new.contains(folder) || has_list()
        })
    }
}
