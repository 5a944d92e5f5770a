//! Places as they will stand once steps that were planned are carried out: what one plan moves, the next one sees as
//! moved, although nothing was touched yet.
//!
//! Everything is read from the places as they are; only names lead elsewhere. The places are scanned once.

mod store;

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::{Arc, RwLock, RwLockReadGuard, RwLockWriteGuard};

use nine_core::item::{Entry, Identity, Kind};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::tree::Tree;
use nine_core::worklist::{Act, Step};

use crate::work::{read_held, write_held};
use crate::{Location, Places, ReadStore, Store, StoreError, StoreResult};
pub use store::AheadStore;

/// What stands under a name then.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Standing {
    /// What is here now.
    Real(Location),
    /// A folder that is not there yet, by its number.
    Made(u64),
}

/// What differs from the places as they are.
#[derive(Debug, Default)]
struct Changes {
    /// By the folder as it is called then: what comes to be in it.
    placed: HashMap<Location, BTreeMap<NameBuf, Standing>>,
    /// By the folder as it is called now: what is not there any more under that name.
    gone: HashMap<Location, HashSet<NameBuf>>,
    /// The tags of items, by what they are known by.
    tags: HashMap<Identity, Vec<String>>,
    made: u64,
    /// Folders, by where they are now, that get other contents, and so another time.
    touched: HashSet<Location>,
}

/// Several places with the steps that are taken as carried out.
#[derive(Debug)]
pub struct Ahead {
    /// When the steps are carried out.
    at: Moment,
    changes: RwLock<Changes>,
    /// The places, and where they begin.
    stores: RwLock<Vec<(Location, Arc<dyn Store>)>>,
    /// What scans found, by where they began.
    seen: RwLock<HashMap<Location, Arc<Tree>>>,
}

impl Ahead {
    /// Nothing is carried out yet; it will be at this moment.
    pub fn new(at: Moment) -> Arc<Self> {
        let (changes, stores, seen) = Default::default();
        Arc::new(Self { at, changes, stores, seen })
    }

    /// A place as it will stand.
    pub fn store(self: &Arc<Self>, base: &Arc<dyn Store>) -> Arc<dyn Store> {
        let root = root_of(&**base);
        self.add(base);
        Arc::new(AheadStore { ahead: Arc::clone(self), base: Arc::clone(base), root })
    }

    /// Whether anything is taken as carried out.
    pub fn is_changed(&self) -> bool {
        let changes = self.look();
        !changes.placed.is_empty() || !changes.gone.is_empty() || !changes.tags.is_empty()
    }

    /// Gives a tree the tags that items will have: what is known of them from before is not true any more then.
    pub fn retag(&self, tree: &mut Tree) {
        let changes = self.look();
        if changes.tags.is_empty() {
            return;
        }
        for id in tree.ids() {
            if let Some(tags) = changes.tags.get(&tree.identity(id)) {
                let in_note = tree.note_tags(id).to_vec();
                tree.learn_tags(id, tags, &in_note);
            }
        }
    }

    fn add(&self, base: &Arc<dyn Store>) {
        let root = root_of(&**base);
        let mut stores = write_held(&self.stores);
        if !stores.iter().any(|(known, _)| *known == root) {
            stores.push((root, Arc::clone(base)));
        }
    }

    /// Takes steps as carried out, in their order. `places` are the places as they are, or these.
    pub fn carry<'s>(&self, places: &Places, steps: impl IntoIterator<Item = &'s Step>) {
        for step in steps {
            // What cannot be foreseen is left as it stands.
            let _ = self.act(places, step);
        }
    }

    fn act(&self, places: &Places, step: &Step) -> StoreResult<()> {
        let at = |spot: &Spot| Ok::<_, StoreError>((root_of(places.of(spot)?), spot.path.clone()));
        let item = at(&step.item)?;
        match &step.act {
            Act::Move { to } => self.rename(&item, &at(to)?),
            Act::Copy { to } => {
                let standing = self.standing(&item).ok_or(StoreError::NotThere)?;
                self.place(&at(to)?, standing);
                Ok(())
            }
            Act::Tag { to, .. } => {
                self.change().tags.insert(step.stamp.identity, to.clone());
                Ok(())
            }
            Act::Discard { .. } | Act::Unmake => {
                self.take_out(&item)?;
                self.change().forget_below(&item.0.join(&item.1));
                Ok(())
            }
            Act::Restore { kept_as } => {
                let (store, path) = places.of(&step.item)?.discarded(kept_as)?;
                let kept = store.location(&path);
                self.add(&store);
                self.place(&item, Standing::Real(kept));
                Ok(())
            }
            Act::Make => {
                self.make_folders(&item.0, &item.1);
                Ok(())
            }
            // A pack is no item before it is written, and texts are not looked at here.
            Act::Pack { .. } | Act::Unpack { .. } | Act::Write { .. } | Act::Leave => Ok(()),
        }
    }

    fn look(&self) -> RwLockReadGuard<'_, Changes> {
        read_held(&self.changes)
    }

    fn change(&self) -> RwLockWriteGuard<'_, Changes> {
        write_held(&self.changes)
    }

    /// What stands at a path below the root of a place.
    fn standing(&self, (root, path): &(Location, ItemPath)) -> Option<Standing> {
        self.look().standing(root, path)
    }

    /// The place that something lies in now, and its path there.
    fn store_of(&self, here: &Location) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        let stores = read_held(&self.stores);
        let holding = stores.iter().filter_map(|(root, store)| Some((store, here.below(root)?)));
        let nearest = holding.min_by_key(|(_, path)| path.depth());
        nearest.map(|(store, path)| (Arc::clone(store), path)).ok_or(StoreError::NotThere)
    }

    fn rename(&self, from: &(Location, ItemPath), to: &(Location, ItemPath)) -> StoreResult<()> {
        let standing = self.take_out(from)?;
        self.place(to, standing);
        let (old, new) = (from.0.join(&from.1), to.0.join(&to.1));
        self.change().rename_below(&old, &new);
        Ok(())
    }

    /// Takes what stands somewhere out of its folder.
    fn take_out(&self, at: &(Location, ItemPath)) -> StoreResult<Standing> {
        let standing = self.standing(at).ok_or(StoreError::NotThere)?;
        let (folder, name) = split(&at.1).ok_or(StoreError::NotThere)?;
        let mut changes = self.change();
        let placed = changes.placed.get_mut(&at.0.join(&folder)).and_then(|names| names.remove(&name));
        if let Some(Standing::Real(folder)) = changes.standing(&at.0, &folder) {
            changes.touched.insert(folder.clone());
            if placed.is_none() {
                changes.gone.entry(folder).or_default().insert(name);
            }
        }
        Ok(standing)
    }

    fn place(&self, (root, path): &(Location, ItemPath), standing: Standing) {
        let Some((folder, name)) = split(path) else { return };
        self.make_folders(root, &folder);
        let mut changes = self.change();
        if let Some(Standing::Real(folder)) = changes.standing(root, &folder) {
            changes.touched.insert(folder);
        }
        changes.placed.entry(root.join(&folder)).or_default().insert(name, standing);
    }

    /// Makes a folder and those above it, as far as they are not there.
    fn make_folders(&self, root: &Location, path: &ItemPath) {
        // What something was put into stands already.
        if self.look().placed.contains_key(&root.join(path)) {
            return;
        }
        for depth in 1..=path.depth() {
            let upper = ItemPath::of_names(path.parts().take(depth));
            let is_there = match self.standing(&(root.clone(), upper.clone())) {
                Some(Standing::Made(_)) => true,
                Some(Standing::Real(here)) => self.entry_of(&here).is_some(),
                None => false,
            };
            if let (false, Some((folder, name))) = (is_there, split(&upper)) {
                let mut changes = self.change();
                changes.made += 1;
                let made = Standing::Made(changes.made);
                changes.placed.entry(root.join(&folder)).or_default().insert(name, made);
            }
        }
    }

    fn entry_of(&self, here: &Location) -> Option<Entry> {
        let (store, path) = self.store_of(here).ok()?;
        store.entry(&path).ok().flatten()
    }
}

impl Changes {
    fn standing(&self, root: &Location, path: &ItemPath) -> Option<Standing> {
        let (mut folder, mut standing) = (root.clone(), Standing::Real(root.clone()));
        for name in path.parts() {
            let name = NameBuf::from(name);
            let below = ItemPath::root().join(&name);
            standing = match (self.placed.get(&folder).and_then(|names| names.get(&name)), standing) {
                (Some(placed), _) => placed.clone(),
                (None, Standing::Real(real)) if !self.is_gone(&real, &name) => {
                    Standing::Real(real.join(&below))
                }
                _ => return None,
            };
            folder = folder.join(&below);
        }
        Some(standing)
    }

    fn is_gone(&self, folder: &Location, name: &NameBuf) -> bool {
        self.gone.get(folder).is_some_and(|names| names.contains(name))
    }

    /// What was to come into a folder that is called otherwise now.
    fn rename_below(&mut self, old: &Location, new: &Location) {
        let moved: Vec<_> =
            self.placed.keys().filter_map(|folder| Some((folder.clone(), folder.below(old)?))).collect();
        for (folder, below) in moved {
            if let Some(names) = self.placed.remove(&folder) {
                self.placed.insert(new.join(&below), names);
            }
        }
    }

    /// What was to come into a folder that goes.
    fn forget_below(&mut self, folder: &Location) {
        self.placed.retain(|placed, _| placed.below(folder).is_none());
    }
}

/// A folder that is not there yet. What it is known by is nothing that a file system gives.
fn made_folder(number: u64, domain: u64, modified: Moment) -> Entry {
    let identity = Identity([domain, u64::MAX - number]);
    Entry { kind: Kind::Folder, size: 0, modified, opened: None, born: None, changed: modified, identity }
}

fn root_of(store: &(impl ReadStore + ?Sized)) -> Location {
    store.location(&ItemPath::root()).absolute().real()
}

fn split(path: &ItemPath) -> Option<(ItemPath, NameBuf)> {
    Some((path.parent()?, path.last()?.into()))
}
