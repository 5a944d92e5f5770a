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

/// What is known of folders that steps may take from.
#[derive(Debug, Clone, Default)]
pub struct Sources {
    /// The domain of each, or why nothing can be taken from it.
    pub domains: HashMap<Spot, Result<u64, Problem>>,
    /// The rights of others; see [`nine_stores::ReadStore::open_to`]. All of them where it cannot be told.
    pub open_to: HashMap<Spot, Option<u32>>,
}

/// Looks at the folders in which items lie that will be taken away.
pub fn sources<'s>(places: &Places, items: impl Iterator<Item = &'s Spot>) -> Sources {
    let mut folders = FolderNumbers::default();
    items.for_each(|item| {
        folders.of(item);
    });
    let looked = made_of_each(folders.all(), SHARE, |folder| {
        let open_to = places.of(folder).and_then(|store| store.open_to(&folder.path));
        (domain(places, folder), open_to.unwrap_or(Some(u32::MAX)))
    });
    let (domains, open_to): (Vec<_>, Vec<_>) = looked.into_iter().unzip();
    let folders = folders.into_all();
    Sources {
        domains: folders.iter().cloned().zip(domains).collect(),
        open_to: folders.into_iter().zip(open_to).collect(),
    }
}

/// Gathers the facts for a worklist. What of them is known already is not looked at again.
pub fn facts(places: &Places, worklist: &Worklist, known: Facts) -> Facts {
    let Facts { mut targets, mut sources } = known;
    let (mut to, mut from) = folders_of(places, worklist);
    to.retain(|folder| !targets.contains_key(folder));
    targets.extend(standing(places, to));
    from.retain(|folder| !sources.contains_key(folder));
    let more = made_of_each(&from, SHARE, |folder| domain(places, folder));
    sources.extend(from.into_iter().zip(more));
    Facts { targets, sources }
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

/// A folder's domain, or why nothing can be taken from it.
fn domain(places: &Places, folder: &Spot) -> Result<u64, Problem> {
    match places.of(folder).and_then(|store| store.ground(&folder.path)) {
        Ok(ground) if ground.writable => Ok(ground.domain),
        Ok(_) => Err(Problem::NoRight(folder.clone())),
        Err(error) => Err(Problem::Unreachable(error.to_string())),
    }
}
