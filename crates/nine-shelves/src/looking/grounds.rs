//! Which places a command looks at.

use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_stores::{Places, Store, StoreError};

use crate::error::{Done, Failure};
use crate::session::{Opened, Session};
use crate::{layout, location};

/// A place to look at.
#[derive(Debug)]
pub struct Ground {
    /// How it is written; what lies in it is written below that.
    pub base: Spot,
    /// Its folder.
    pub path: PathBuf,
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
}

/// Every pile and bookcase. One that is both is looked at once.
pub fn all_grounds(session: &Session, config: &Config, opened: &Opened) -> Vec<Ground> {
    let piles = config.piles.iter().map(|pile| (&pile.name, &pile.at, pile.text, true));
    let bookcases = config.bookcases.iter().map(|case| (&case.name, &case.at, case.text, false));
    let mut seen = HashSet::new();
    let mut grounds = Vec::new();
    for (name, at, reads_text, is_pile) in piles.chain(bookcases) {
        let path = session.expand(at);
        let reads_text = reads_text || (is_pile && rules_read_text(config, name));
        if seen.insert(location::real(&path)) {
            let ground = ground(session, config, opened, name, path, is_pile);
            grounds.push(Ground { reads_text, ..ground });
        } else if let Some(twin) =
            grounds.iter_mut().find(|other| location::real(&other.path) == location::real(&path))
        {
            twin.reads_text |= reads_text;
            twin.is_bookcase |= !is_pile;
        }
    }
    grounds
}

/// Whether a rule asks for the words inside what lies in a pile.
fn rules_read_text(config: &Config, pile: &str) -> bool {
    config.rules.iter().any(|rule| rule.is_for_pile(pile) && !rule.when.text_tests().is_empty())
}

fn ground(
    session: &Session,
    config: &Config,
    opened: &Opened,
    name: &str,
    path: PathBuf,
    is_pile: bool,
) -> Ground {
    let store = opened.store(name).cloned();
    let error = store
        .is_none()
        .then(|| session.open_store(config, &path, true).err().unwrap_or(StoreError::NotThere));
    Ground {
        base: Spot::new(name, ItemPath::root()),
        address: store.as_ref().map_or_else(|| address(&path), |store| store.address()),
        closed: layout::other_places_inside(session, config, opened, name),
        store,
        error,
        path,
        reads_text: false,
        is_pile,
        is_bookcase: !is_pile,
    }
}

fn address(path: &Path) -> String {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    escape(absolute.as_os_str().as_encoded_bytes())
}

/// The places that were typed: names of piles and bookcases, or folders, which need not be there any
/// more if only what is known of them is asked for.
///
/// # Errors
/// For what is neither.
pub fn grounds_of(
    session: &Session,
    config: &Config,
    opened: &Opened,
    typed: &[PathBuf],
    known: bool,
) -> Done<Vec<Ground>> {
    let mut grounds = Vec::new();
    for one in typed {
        let at = location::real(&session.typed(one));
        let named = all_grounds(session, config, opened).into_iter().find(|ground| {
            one.as_os_str() == ground.base.place.as_str() || at == location::real(&ground.path)
        });
        let ground = match named {
            Some(ground) => ground,
            None => folder(session, config, opened, one, known)?,
        };
        grounds.push(ground);
    }
    Ok(grounds)
}

/// A folder that is no place of the configuration; it is written as a path below the place that it
/// lies in, or else as it stands.
fn folder(session: &Session, config: &Config, opened: &Opened, typed: &Path, known: bool) -> Done<Ground> {
    let shown = session.shown(typed);
    let path = location::real(&session.expand(&typed.to_string_lossy()));
    let is_whole = location::is_on_drive(&path) || path.exists();
    let path = if is_whole { path } else { std::path::absolute(typed)? };
    let found =
        session.open_store(config, &path, true).and_then(|store| match store.entry(&ItemPath::root())? {
            Some(entry) if entry.kind == Kind::Folder => Ok(store),
            Some(_) => Err(StoreError::NotAFolder),
            None => Err(StoreError::NotThere),
        });
    let store = match found {
        Err(error) if !known => return Err(not_a_place(&shown, opened, &error)),
        other => other,
    };
    let holder = opened
        .open
        .iter()
        .filter_map(|place| {
            let below = path.strip_prefix(location::real(&place.store.root())).ok()?;
            Some((place, ItemPath::new(below.as_os_str().as_encoded_bytes())?))
        })
        .min_by_key(|(_, below)| below.depth());
    let base = match &holder {
        Some((place, below)) => Spot::new(place.name.clone(), below.clone()),
        None => Spot::new(session.shown(&path), ItemPath::root()),
    };
    let reads_text = all_grounds(session, config, opened)
        .iter()
        .any(|ground| ground.reads_text && ground.base.place == base.place);
    Ok(Ground {
        base,
        address: store.as_ref().map_or_else(|_| address(&path), |store| store.address()),
        error: store.as_ref().err().map(|_| StoreError::NotThere),
        store: store.ok(),
        closed: HashSet::new(),
        reads_text,
        is_pile: false,
        is_bookcase: false,
        path,
    })
}

/// Gives folders that are no places of the configuration names under which steps can speak of what lies
/// in them: their own, with a number where another place has it. Returns all places with them.
pub fn name_outsiders(grounds: &mut [Ground], opened: &Opened) -> Places {
    let mut places = opened.places.clone();
    let mut taken: HashSet<String> = opened.open.iter().map(|place| place.name.clone()).collect();
    for ground in grounds.iter_mut().filter(|ground| opened.store(&ground.base.place).is_none()) {
        let own = ground.path.file_name().map_or("elsewhere".into(), |name| escape(name.as_encoded_bytes()));
        let numbered = |n: usize| if n == 1 { own.clone() } else { format!("{own} {n}") };
        let name = (1..).map(numbered).find(|name| taken.insert(name.clone())).expect("some number is free");
        if let Some(store) = &ground.store {
            places.add(name.clone(), Arc::clone(store));
        }
        ground.base = Spot::new(name, ground.base.path.clone());
    }
    places
}

/// The failure of a command that has nowhere to look, with what to do instead.
pub fn nowhere(session: &Session, message: &str, do_this: &str) -> Failure {
    let file = session.shown(&session.config_file);
    Failure::words(message).hint(format!("{do_this}, or write piles into {file}"))
}

fn not_a_place(shown: &str, opened: &Opened, error: &StoreError) -> Failure {
    let why = match error {
        StoreError::NotThere => "there is no such folder".to_owned(),
        other => other.to_string(),
    };
    let known: Vec<&str> = opened.open.iter().map(|place| place.name.as_str()).collect();
    Failure::words(format!("{shown} cannot be looked at: {why}")).hint(match known.is_empty() {
        true => "give a folder".to_owned(),
        false => format!("give a folder, or one of {}", nine_core::diagnostic::any_of(known)),
    })
}
