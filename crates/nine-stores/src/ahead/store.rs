//! A place as it will stand, behind the interface of all places.

use std::io::Read;
use std::sync::Arc;

use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_core::tree::{Batch, NodeId, Tree};

use super::{Ahead, Standing, made_folder};
use crate::walk::{Bounds, Found, Visit, Walking, walk};
use crate::work::{read_held, write_held};
use crate::{
    Abilities, ChangeStore, Ground, Keeps, Location, Meta, OpenFile, ReadStore, Scan, Scope, Store,
    StoreError, StoreResult, TransferStore, TrashStore, Watch,
};

/// A place as it will stand. It is only read.
#[derive(Debug)]
pub struct AheadStore {
    pub(super) ahead: Arc<Ahead>,
    /// The place as it is. Another place may begin at the same folder and see it in another way.
    pub(super) base: Arc<dyn Store>,
    /// Where it begins.
    pub(super) root: Location,
}

/// What a folder holds.
type Listed = Vec<(NameBuf, Entry)>;

impl AheadStore {
    fn standing(&self, path: &ItemPath) -> Option<Standing> {
        self.ahead.look().standing(&self.root, path)
    }

    /// The place that something lies in now, and its path there.
    fn now(&self, path: &ItemPath) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        match self.standing(path) {
            Some(Standing::Real(here)) => self.place_of(&here),
            _ => Err(StoreError::NotThere),
        }
    }

    /// The same of a location: this place, if that is below it.
    fn place_of(&self, here: &Location) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        match here.below(&self.root) {
            Some(path) => Ok((Arc::clone(&self.base), path)),
            None => self.ahead.store_of(here),
        }
    }

    /// What a folder of today holds, as a scan found it if one did.
    fn listed_now(&self, here: &Location) -> StoreResult<Listed> {
        let seen = read_held(&self.ahead.seen);
        let tree = seen.iter().filter_map(|(root, tree)| Some((tree, here.below(root)?)));
        let tree = tree
            .min_by_key(|(_, path)| path.depth())
            .and_then(|(tree, path)| Some((tree, tree.find(&path)?)));
        match tree.filter(|(tree, id)| tree.is_folder(*id) && !tree.is_unread_folder(*id)) {
            Some((tree, id)) => {
                let entry = |id: NodeId| (tree.name_of(id).into(), tree.entry(id));
                Ok(tree.children(id).map(entry).collect())
            }
            None => {
                let (store, path) = self.place_of(here)?;
                store.list(&path)
            }
        }
    }

    fn made(&self, number: u64) -> Entry {
        let root = self.base.entry(&ItemPath::root()).ok().flatten();
        made_folder(number, root.map_or(0, |root| root.identity.0[0]), self.ahead.at)
    }

    fn entry_of(&self, standing: &Standing) -> StoreResult<Option<Entry>> {
        match standing {
            Standing::Made(number) => Ok(Some(self.made(*number))),
            Standing::Real(here) => {
                let (store, path) = self.place_of(here)?;
                let entry = store.entry(&path)?;
                Ok(entry.map(|entry| if self.is_touched(here) { self.touched(entry) } else { entry }))
            }
        }
    }

    fn is_touched(&self, here: &Location) -> bool {
        self.ahead.look().touched.contains(here)
    }

    /// A folder that gets other contents has another time then.
    fn touched(&self, entry: Entry) -> Entry {
        Entry { modified: self.ahead.at, changed: self.ahead.at, ..entry }
    }
}

/// Nothing is changed ahead of time.
fn not_yet<T>() -> StoreResult<T> {
    Err(StoreError::ReadOnly)
}

impl ReadStore for AheadStore {
    fn same_volume(&self, now: &Identity, recorded: &Identity) -> bool {
        self.base.same_volume(now, recorded)
    }

    fn is_protected(&self, path: &ItemPath) -> StoreResult<bool> {
        let (store, path) = self.now(path)?;
        store.is_protected(&path)
    }

    fn location(&self, path: &ItemPath) -> Location {
        match self.standing(path) {
            Some(Standing::Real(here)) => here,
            _ => self.root.join(path),
        }
    }

    fn address(&self) -> String {
        self.base.address()
    }

    fn abilities(&self) -> Abilities {
        self.base.abilities()
    }

    fn keeps_all(&self) -> bool {
        self.base.keeps_all()
    }

    fn domain(&self, identity: &Identity) -> u64 {
        self.base.domain(identity)
    }

    fn same_identity(&self, now: &Identity, recorded: &Identity) -> bool {
        self.base.same_identity(now, recorded)
    }

    fn seen_by(&self, path: &ItemPath) -> Option<(ItemPath, String)> {
        self.base.seen_by(path)
    }

    fn open_to(&self, path: &ItemPath) -> StoreResult<Option<u32>> {
        let (store, path) = self.now(path)?;
        store.open_to(&path)
    }

    fn told_sum(&self, path: &ItemPath) -> StoreResult<Option<[u8; 32]>> {
        let (store, path) = self.now(path)?;
        store.told_sum(&path)
    }

    fn scan(&self, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        let was_seen = read_held(&self.ahead.seen).contains_key(&self.root);
        if !was_seen {
            let scan = self.base.scan(scope, watch)?;
            let tree: Tree = scan.tree.clone();
            write_held(&self.ahead.seen).insert(self.root.clone(), Arc::new(tree));
            if !self.ahead.is_changed() {
                return Ok(scan);
            }
        }
        let root = self.entry(&ItemPath::root())?.ok_or(StoreError::NotThere)?;
        let location = |path: &ItemPath| self.location(path);
        let walking =
            Walking { root, location: &location, threads: 1, scope, bounds: Bounds::NONE, earlier: None };
        let read = |(): &mut (), visit: &Visit, batch: &mut Batch| {
            let listed = self.list(visit.path)?;
            listed.iter().for_each(|(name, entry)| batch.push(name.as_name(), entry.clone()));
            Ok(Found::Listed(Vec::new()))
        };
        walk(walking, watch, || (), read)
    }

    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>> {
        self.standing(path).map_or(Ok(None), |standing| self.entry_of(&standing))
    }

    fn list(&self, folder: &ItemPath) -> StoreResult<Listed> {
        let standing = self.standing(folder).ok_or(StoreError::NotThere)?;
        let mut listed = match &standing {
            Standing::Made(_) => Vec::new(),
            Standing::Real(here) => self.listed_now(here)?,
        };
        let placed = {
            let changes = self.ahead.look();
            if let Standing::Real(here) = &standing {
                listed.retain(|(name, _)| !changes.is_gone(here, name));
                let is_touched =
                    |name: &NameBuf| changes.touched.contains(&here.join(&ItemPath::root().join(name)));
                for (name, entry) in listed.iter_mut().filter(|(_, entry)| entry.kind == Kind::Folder) {
                    if is_touched(name) {
                        *entry = self.touched(entry.clone());
                    }
                }
            }
            changes.placed.get(&self.root.join(folder)).cloned().unwrap_or_default()
        };
        listed.retain(|(name, _)| !placed.contains_key(name));
        for (name, standing) in placed {
            if let Some(entry) = self.entry_of(&standing)? {
                listed.push((name, entry));
            }
        }
        Ok(listed)
    }

    fn link_is_broken(&self, path: &ItemPath) -> StoreResult<bool> {
        let (store, path) = self.now(path)?;
        store.link_is_broken(&path)
    }

    fn first_bytes(&self, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>> {
        let (store, path) = self.now(path)?;
        store.first_bytes(&path, most)
    }

    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>> {
        let (store, now) = self.now(path)?;
        if !self.ahead.look().tags.is_empty()
            && let Some(entry) = store.entry(&now)?
            && let Some(tags) = self.ahead.look().tags.get(&entry.identity)
        {
            return Ok(tags.clone());
        }
        store.tags(&now)
    }

    fn tags_in(&self, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
        if !self.ahead.is_changed() {
            return self.base.tags_in(folder, names);
        }
        names.iter().map(|name| self.tags(&folder.join(name)).unwrap_or_default()).collect()
    }

    fn origin(&self, path: &ItemPath) -> StoreResult<Option<String>> {
        let (store, path) = self.now(path)?;
        store.origin(&path)
    }

    /// What there is to build on is what is there now.
    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground> {
        let (mut existing, mut blocked) = (folder.clone(), None);
        loop {
            match self.entry(&existing)? {
                Some(entry) if entry.kind == Kind::Folder => break,
                Some(_) => blocked = Some(existing.clone()),
                None => {}
            }
            existing = existing.parent().ok_or(StoreError::NotThere)?;
        }
        let mut upper = existing.clone();
        let real = loop {
            match self.standing(&upper) {
                Some(Standing::Real(here)) => break here,
                _ => upper = upper.parent().ok_or(StoreError::NotThere)?,
            }
        };
        let (store, path) = self.place_of(&real)?;
        let ground = store.ground(&path)?;
        Ok(Ground { existing, blocked, ..ground })
    }

    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>> {
        let (store, path) = self.now(path)?;
        store.read(&path)
    }

    fn open_file(&self, path: &ItemPath) -> StoreResult<Box<dyn OpenFile>> {
        let (store, path) = self.now(path)?;
        store.open_file(&path)
    }

    fn read_link(&self, path: &ItemPath) -> StoreResult<Vec<u8>> {
        let (store, path) = self.now(path)?;
        store.read_link(&path)
    }

    fn meta(&self, path: &ItemPath) -> StoreResult<Meta> {
        let (store, path) = self.now(path)?;
        store.meta(&path)
    }

    fn keeps(&self, folder: &ItemPath) -> StoreResult<Keeps> {
        match self.now(folder) {
            Ok((store, path)) => store.keeps(&path),
            Err(_) => self.base.keeps(&ItemPath::root()),
        }
    }

    fn loses(&self, path: &ItemPath, keeps: Keeps) -> StoreResult<Vec<String>> {
        let (store, path) = self.now(path)?;
        store.loses(&path, keeps)
    }
}

impl Store for AheadStore {
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>> {
        // The folder may be called otherwise now, and what is asked of it is read there.
        let (store, path) = self.now(folder)?;
        store.inside(&path)
    }
    fn name_own(&self, _token: &str) {}
}

impl ChangeStore for AheadStore {
    fn set_tags(&self, _path: &ItemPath, _stamp: &Stamp, _tags: &[String]) -> StoreResult<()> {
        not_yet()
    }
    fn make_folder(&self, _path: &ItemPath) -> StoreResult<bool> {
        not_yet()
    }
    fn remove_empty_folder(&self, _path: &ItemPath) -> StoreResult<bool> {
        not_yet()
    }
    fn rename(
        &self,
        _from: &ItemPath,
        _stamp: &Stamp,
        _to_store: &dyn Store,
        _to: &ItemPath,
    ) -> StoreResult<Option<Stamp>> {
        not_yet()
    }
    fn sync_folder(&self, _folder: &ItemPath) -> StoreResult<()> {
        not_yet()
    }
    fn update_text(
        &self,
        _path: &ItemPath,
        _old: Option<&Stamp>,
        _temporary: &ItemPath,
        _content: &[u8],
        _open_to: u32,
    ) -> StoreResult<()> {
        not_yet()
    }
}

impl TransferStore for AheadStore {
    fn write_new(
        &self,
        _path: &ItemPath,
        _content: &mut dyn Read,
        _size: Option<u64>,
        _meta: &Meta,
    ) -> StoreResult<u64> {
        not_yet()
    }
    fn link_new(&self, _path: &ItemPath, _target: &[u8], _meta: &Meta) -> StoreResult<()> {
        not_yet()
    }
    fn set_folder_meta(&self, _path: &ItemPath, _meta: &Meta) -> StoreResult<()> {
        not_yet()
    }
    fn remove_copied(&self, _path: &ItemPath, _stamp: &Stamp) -> StoreResult<()> {
        not_yet()
    }
}

impl TrashStore for AheadStore {
    fn discard(&self, _path: &ItemPath, _stamp: &Stamp, _day: &str) -> StoreResult<Vec<u8>> {
        not_yet()
    }
    fn restore(&self, _kept_as: &[u8], _stamp: &Stamp, _to: &ItemPath) -> StoreResult<Option<Stamp>> {
        not_yet()
    }
    fn find_discarded(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
        self.base.find_discarded(path, stamp)
    }
    fn discarded(&self, kept_as: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        self.base.discarded(kept_as)
    }
}
