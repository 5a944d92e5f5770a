//! Which places a command looks at.

use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_stores::{Location, OnlyNames, Places, Store, StoreError};

use crate::workspace::Workspace;
use crate::{Error, Result};

/// A place to look at.
#[derive(Debug)]
pub struct Area {
    /// How it is written; what lies in it is written below that.
    pub base: Spot,
    /// Where its folder is.
    pub at: Location,
    /// What the catalogue keeps it under.
    pub address: String,
    /// Its store, where it can be reached.
    pub store: Option<Arc<dyn Store>>,
    /// Why it cannot.
    pub error: Option<StoreError>,
    /// Folders in it that are places of their own.
    pub closed: HashSet<ItemPath>,
    /// Whether the words inside its files are read.
    pub reads_text: bool,
    /// Whether it is a pile.
    pub is_pile: bool,
    /// Whether shelves stand in it; a pile may be a bookcase too.
    pub is_bookcase: bool,
    /// What of it is looked at alone, if not all; nothing of this is kept then.
    pub only: Option<OnlyNames>,
    /// Whether the tags of all of it that is not hidden will be asked for.
    pub wants_tags: bool,
}

impl Area {
    /// The same, of which all tags will be asked for.
    pub fn with_tags(self) -> Self {
        Self { wants_tags: true, ..self }
    }
}

/// Every pile and bookcase. One that is both is looked at once.
pub fn all_areas(workspace: &Workspace) -> Vec<Area> {
    let config = workspace.config();
    let piles = config.piles.iter().map(|pile| (&pile.name, &pile.at, pile.text, true));
    let bookcases = config.bookcases.iter().map(|case| (&case.name, &case.at, case.text, false));
    let mut seen = HashSet::new();
    let mut areas = Vec::new();
    for (name, at, reads_text, is_pile) in piles.chain(bookcases) {
        let at = workspace.at(at);
        let reads_text = reads_text || (is_pile && rules_read_text(config, name));
        if seen.insert(at.real()) {
            let area = area(workspace, name, at, is_pile);
            areas.push(Area { reads_text, ..area });
        } else if let Some(twin) = areas.iter_mut().find(|other| other.at.real() == at.real()) {
            twin.reads_text |= reads_text;
            twin.is_bookcase |= !is_pile;
        }
    }
    areas
}

/// Whether a rule asks for the words inside what lies in a pile.
fn rules_read_text(config: &Config, pile: &str) -> bool {
    config.rules.iter().any(|rule| rule.is_for_pile(pile) && !rule.when.text_tests().is_empty())
}

fn area(workspace: &Workspace, name: &str, at: Location, is_pile: bool) -> Area {
    let store = workspace.store(name).cloned();
    let closed = workspace.opened().closed.iter().find(|closed| closed.name == name);
    let error = store.is_none().then(|| closed.map_or(StoreError::NotThere, |closed| closed.error.clone()));
    Area {
        base: Spot::new(name, ItemPath::root()),
        address: store.as_ref().map_or_else(|| at.absolute().to_string(), |store| store.address()),
        closed: workspace.other_places_inside(name),
        store,
        error,
        at,
        reads_text: false,
        is_pile,
        is_bookcase: !is_pile,
        only: None,
        wants_tags: false,
    }
}

/// The places that were typed: names of piles and bookcases, or folders, which need not be there any
/// more if only what is known of them is asked for.
///
/// # Errors
/// For what is neither.
pub fn areas_of(workspace: &Workspace, typed: &[PathBuf], known: bool) -> Result<Vec<Area>> {
    let mut areas = Vec::new();
    for one in typed {
        let at = named_at(workspace, one).map_or_else(|| workspace.typed(one), Ok)?.real();
        let named = all_areas(workspace).into_iter().find(|area| at == area.at.real());
        let area = match named {
            Some(area) => area,
            None => folder(workspace, one, known)?,
        };
        areas.push(area);
    }
    Ok(areas)
}

/// Where the pile or bookcase of a name is. A folder that is both has two names.
fn named_at(workspace: &Workspace, name: &Path) -> Option<Location> {
    let config = workspace.config();
    let piles = config.piles.iter().map(|pile| (&pile.name, &pile.at));
    let mut places = piles.chain(config.bookcases.iter().map(|case| (&case.name, &case.at)));
    let (_, at) = places.find(|(known, _)| name.as_os_str() == known.as_str())?;
    Some(workspace.at(at))
}

/// A folder that is no place of the configuration; it is written as a path below the place that it
/// lies in, or else as it stands.
fn folder(workspace: &Workspace, typed: &Path, known: bool) -> Result<Area> {
    // A shell leaves the sign of the home folder alone where it is quoted.
    let in_home = typed.to_str().filter(|text| text.starts_with('~')).map(|text| workspace.at(text));
    let in_home = in_home.filter(|at| at.local().is_some_and(Path::exists));
    let at = in_home.map_or_else(|| workspace.typed(typed), Ok)?.real().absolute();
    let found = workspace.open_store(&at, true).and_then(|store| match store.entry(&ItemPath::root())? {
        Some(entry) if entry.kind == Kind::Folder => Ok(store),
        Some(_) => Err(StoreError::NotAFolder),
        None => Err(StoreError::NotThere),
    });
    let store = match found {
        Err(source) if !known => {
            let known = workspace.opened().open.iter().map(|place| place.name.clone()).collect();
            return Err(Error::NotAPlace { at: workspace.typed(typed)?.into(), source, known });
        }
        other => other,
    };
    let holder = workspace
        .opened()
        .open
        .iter()
        .filter_map(|place| Some((place, at.below(&place.store.location(&ItemPath::root()).real())?)))
        .min_by_key(|(_, below)| below.depth());
    let base = match &holder {
        Some((place, below)) => Spot::new(place.name.clone(), below.clone()),
        None => Spot::new(workspace.environment.shown_at(&at), ItemPath::root()),
    };
    let reads_text = all_areas(workspace).iter().any(|area| area.reads_text && area.base.place == base.place);
    Ok(Area {
        base,
        address: store.as_ref().map_or_else(|_| at.to_string(), |store| store.address()),
        error: store.as_ref().err().map(|_| StoreError::NotThere),
        store: store.ok(),
        closed: HashSet::new(),
        reads_text,
        is_pile: false,
        is_bookcase: false,
        only: None,
        wants_tags: false,
        at,
    })
}

/// Gives folders that are no places of the configuration names under which steps can speak of what lies
/// in them: their own, with a number where another place has it. Returns all places with them.
pub(crate) fn name_outsiders(areas: &mut [Area], workspace: &Workspace) -> Places {
    let opened = workspace.opened();
    let mut places = opened.places.clone();
    let mut taken: HashSet<String> = opened.open.iter().map(|place| place.name.clone()).collect();
    for area in areas.iter_mut().filter(|area| opened.store(&area.base.place).is_none()) {
        let own = area.at.name().map_or("elsewhere".into(), escape);
        let numbered = |n: usize| if n == 1 { own.clone() } else { format!("{own} {n}") };
        let name = (1..).map(numbered).find(|name| taken.insert(name.clone())).expect("some number is free");
        if let Some(store) = &area.store {
            places.add(name.clone(), Arc::clone(store));
        }
        area.base = Spot::new(name, area.base.path.clone());
    }
    places
}
