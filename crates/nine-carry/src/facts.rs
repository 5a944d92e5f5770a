//! What the check of a worklist must know of the world.

use foldhash::{HashMap, HashMapExt};
use nine_core::folder_numbers::FolderNumbers;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Facts, FolderFacts, NameRules, NamesThere, Problem, Worklist};
use nine_stores::{Places, StoreError, made_of_each};

/// Folders that a thread looks at in one go.
const SHARE: usize = 64;

/// Looks at the folders that steps may lead to.
pub fn standing(places: &Places, folders: impl IntoIterator<Item = Spot>) -> NamesThere {
    let folders: Vec<Spot> = folders.into_iter().collect();
    let looked = made_of_each(&folders, SHARE, |folder| folder_facts(places, folder));
    folders.into_iter().zip(looked).collect()
}

fn folder_facts(places: &Places, folder: &Spot) -> FolderFacts {
    look_at(places, folder).unwrap_or_else(|error| FolderFacts {
        rules: NameRules { folds: false, longest: usize::MAX, strict: false, refused: b"" },
        names: HashMap::new(),
        blocked: Some(Problem::Unreachable(error.to_string())),
        domain: u64::MAX,
        free: None,
    })
}

fn look_at(places: &Places, folder: &Spot) -> Result<FolderFacts, StoreError> {
    let store = places.of(folder)?;
    let ground = store.ground(&folder.path)?;
    let at = |path| Spot::new(folder.place.clone(), path);
    let is_there = ground.existing == folder.path;
    let names = if is_there { store.list(&folder.path)? } else { Vec::new() };
    let blocked = match ground.blocked {
        Some(path) => Some(Problem::NotAFolder(at(path))),
        None if !ground.writable => Some(Problem::NoRight(at(ground.existing))),
        None => None,
    };
    let names = names.into_iter().map(|(name, entry)| (ground.rules.key(&name), (name, entry)));
    Ok(FolderFacts {
        rules: ground.rules,
        names: names.collect(),
        blocked,
        domain: ground.domain,
        free: ground.free,
    })
}

/// What is known of a folder that steps may take from.
#[derive(Debug, Clone)]
pub struct Source {
    /// Its domain, or why nothing can be taken from it.
    pub domain: Result<u64, Problem>,
    /// The rights of others; see [`nine_stores::ReadStore::open_to`]. All of them where it cannot be told.
    pub open_to: Option<u32>,
}

/// Folders that steps may take from.
pub type Sources = HashMap<Spot, Source>;

/// What was looked at before there were steps.
#[derive(Debug, Clone, Default)]
pub struct Looked {
    /// Folders that steps may lead to.
    pub targets: NamesThere,
    /// Folders that steps may take from.
    pub sources: Sources,
}

/// Looks at the folders in which items lie that will be taken away.
pub fn sources<'s>(places: &Places, items: impl Iterator<Item = &'s Spot>) -> Sources {
    let mut folders = FolderNumbers::default();
    items.for_each(|item| {
        folders.of(item);
    });
    let looked = made_of_each(folders.all(), SHARE, |folder| source(places, folder));
    folders.into_all().into_iter().zip(looked).collect()
}

/// Gathers the facts for a worklist. What was looked at already is not looked at again.
pub fn facts(places: &Places, worklist: &Worklist, looked: Looked) -> Facts {
    let Looked { mut targets, sources } = looked;
    let (mut to, mut from) = folders_of(places, worklist);
    to.retain(|folder| !targets.contains_key(folder));
    targets.extend(standing(places, to));
    from.retain(|folder| !sources.contains_key(folder));
    let more = made_of_each(&from, SHARE, |folder| source(places, folder));
    let sources = sources.into_iter().chain(from.into_iter().zip(more));
    Facts { targets, sources: sources.map(|(folder, source)| (folder, source.domain)).collect() }
}

/// The folders that steps lead to, and those that they take from, each once.
fn folders_of(places: &Places, worklist: &Worklist) -> (Vec<Spot>, Vec<Spot>) {
    let (mut to, mut from) = (FolderNumbers::default(), FolderNumbers::default());
    for step in &worklist.steps {
        if let Some(target) = step.target() {
            to.of(target);
        }
        let asks = || {
            matches!(step.act, Act::Tag { .. })
                && places.of(&step.item).is_ok_and(|store| store.abilities().tags_by_folder)
        };
        if step.vacates() || asks() {
            from.of(&step.item);
        }
    }
    (to.into_all(), from.into_all())
}

fn source(places: &Places, folder: &Spot) -> Source {
    let store = places.of(folder);
    let ground = store.and_then(|store| store.ground(&folder.path));
    let domain = match ground {
        Ok(ground) if ground.writable => Ok(ground.domain),
        Ok(_) => Err(Problem::NoRight(folder.clone())),
        Err(error) => Err(Problem::Unreachable(error.to_string())),
    };
    let open_to = places.of(folder).and_then(|store| store.open_to(&folder.path));
    Source { domain, open_to: open_to.unwrap_or(Some(u32::MAX)) }
}
