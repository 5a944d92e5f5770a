//! What the check of a worklist must know of the world.

use foldhash::{HashMap, HashMapExt};
use nine_core::place::Spot;
use nine_core::worklist::{Act, Facts, FolderFacts, NameRules, NamesThere, Problem, Worklist};
use nine_stores::{Places, StoreError};

/// Looks at the folders that steps may lead to.
pub fn standing(places: &Places, folders: impl IntoIterator<Item = Spot>) -> NamesThere {
    let mut standing = NamesThere::new();
    for folder in folders {
        standing.entry(folder.clone()).or_insert_with(|| folder_facts(places, &folder));
    }
    standing
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

/// Gathers the facts for a worklist. What `known` already holds is not looked at again.
pub fn facts(places: &Places, worklist: &Worklist, known: NamesThere) -> Facts {
    let mut facts = Facts { targets: known, sources: HashMap::new() };
    // Mostly many in a row lie in one folder and go to one.
    let (mut to, mut from): (Option<Spot>, Option<Spot>) = (None, None);
    for step in &worklist.steps {
        if let Some(target) = step.target().filter(|target| !lies_in(target, &to)) {
            let folder = to.insert(target.folder());
            if !facts.targets.contains_key(folder) {
                facts.targets.insert(folder.clone(), folder_facts(places, folder));
            }
        }
        let asks = || {
            matches!(step.act, Act::Tag { .. })
                && places.of(&step.item).is_ok_and(|store| store.abilities().tags_by_folder)
        };
        if !lies_in(&step.item, &from) && (step.vacates() || asks()) {
            let folder = from.insert(step.item.folder());
            if !facts.sources.contains_key(folder) {
                facts.sources.insert(folder.clone(), source(places, folder));
            }
        }
    }
    facts
}

fn lies_in(item: &Spot, folder: &Option<Spot>) -> bool {
    folder.as_ref().is_some_and(|folder| item.lies_in(folder))
}

/// The domain of a folder from which items are taken, or why none can be.
fn source(places: &Places, folder: &Spot) -> Result<u64, Problem> {
    let unreachable = |error: StoreError| Problem::Unreachable(error.to_string());
    let ground = places.of(folder).and_then(|store| store.ground(&folder.path)).map_err(unreachable)?;
    if !ground.writable {
        return Err(Problem::NoRight(folder.clone()));
    }
    Ok(ground.domain)
}
