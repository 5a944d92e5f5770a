//! A folder of the local file system behind the interface of all stores.

use std::os::fd::OwnedFd;
use std::sync::Arc;

use nine_core::item::{Entry, Identity, Stamp};
use nine_core::place::{ItemPath, Name, NameBuf};
use rustix::fs::{self, AtFlags, OFlags, StatxAttributes, StatxFlags};
use rustix::io::Errno;

use super::{
    FOLDER_FLAGS, LocalStore, WANTED, changes, content, facts, lists, rights, scan, tags, trash, volumes,
};
use crate::fault::FaultyRead;
use crate::work::held;
use crate::{
    Abilities, ChangeStore, EarlierScan, Ground, Keeps, Location, Meta, OpenFile, ReadStore, Scan, Scope,
    Store, StoreError, StoreResult, TransferStore, TrashStore, Watch,
};

impl Store for LocalStore {
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>> {
        let root = self.open_at(folder, FOLDER_FLAGS)?;
        Ok(Arc::new(Self::of_root(root, self.path_of(folder), self.settings.clone())))
    }

    fn look_anew(&self) {
        self.forget_folders();
        self.volumes.forget();
        held(&self.plain).clear();
    }

    fn name_own(&self, token: &str) {
        token.clone_into(&mut held(&self.token));
    }
}

impl ReadStore for LocalStore {
    fn seen_by(&self, path: &ItemPath) -> Option<(ItemPath, String)> {
        let seen = self.shared.iter().find(|(folder, _)| path == folder || path.is_inside(folder));
        seen.cloned()
    }

    fn abilities(&self) -> Abilities {
        let is_ours = self.mount().is_none();
        let may_read = self.settings.reads_mounts || is_ours;
        Abilities { may_read, dates_folders: is_ours, ..Abilities::default() }
    }

    fn same_volume(&self, now: &Identity, recorded: &Identity) -> bool {
        volumes::is_same_volume(now, recorded)
    }

    fn is_protected(&self, path: &ItemPath) -> StoreResult<bool> {
        let (folder, name) = self.parent(path)?;
        let found = fs::statx(&folder, name, AtFlags::SYMLINK_NOFOLLOW, StatxFlags::TYPE)?;
        Ok(found.stx_attributes.intersects(StatxAttributes::IMMUTABLE | StatxAttributes::APPEND))
    }

    fn location(&self, path: &ItemPath) -> Location {
        Location::Local(self.path_of(path))
    }

    fn same_identity(&self, now: &Identity, recorded: &Identity) -> bool {
        volumes::is_same(now, recorded)
    }

    fn stands(&self, folder: &ItemPath) -> StoreResult<bool> {
        self.still_stands(folder)
    }

    fn scan(&self, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        self.forget_folders();
        scan::scan(self, None, scope, watch)
    }

    fn refresh(&self, earlier: EarlierScan, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        self.forget_folders();
        scan::scan(self, Some(earlier), scope, watch)
    }

    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>> {
        if path.is_root() {
            let found = fs::statx(&self.root, "", AtFlags::EMPTY_PATH, WANTED)?;
            return Ok(Some(self.entry_of(&found, || self.root.try_clone().ok())));
        }
        match self.parent(path) {
            Ok((folder, name)) => self.look_in(folder, name),
            Err(StoreError::NotThere | StoreError::NotAFolder) => Ok(None),
            Err(other) => Err(other),
        }
    }

    fn list(&self, folder: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>> {
        scan::list(self, folder)
    }

    fn link_is_broken(&self, path: &ItemPath) -> StoreResult<bool> {
        let (folder, name) = self.parent(path)?;
        match fs::statx(folder, name, AtFlags::empty(), StatxFlags::TYPE) {
            Ok(_) => Ok(false),
            Err(Errno::NOENT | Errno::LOOP | Errno::NOTDIR) => Ok(true),
            Err(other) => Err(other.into()),
        }
    }

    fn first_bytes(&self, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>> {
        content::first_bytes(self, path, most)
    }

    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>> {
        tags::read(self, path)
    }

    fn tags_in(&self, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
        tags::read_in(self, folder, names)
    }

    fn origin(&self, path: &ItemPath) -> StoreResult<Option<String>> {
        tags::origin(self, path)
    }

    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground> {
        facts::ground(self, folder)
    }

    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn std::io::Read + Send>> {
        Ok(Box::new(FaultyRead(content::open(self, path)?)))
    }

    fn open_file(&self, path: &ItemPath) -> StoreResult<Box<dyn OpenFile>> {
        Ok(Box::new(content::OpenedFile::open(self, path)?))
    }

    fn read_link(&self, path: &ItemPath) -> StoreResult<Vec<u8>> {
        let (folder, name) = self.parent(path)?;
        Ok(fs::readlinkat(folder, name, Vec::new())?.into_bytes())
    }

    fn meta(&self, path: &ItemPath) -> StoreResult<Meta> {
        content::meta(self, path)
    }

    fn open_to(&self, path: &ItemPath) -> StoreResult<Option<u32>> {
        rights::open_to(self, path).map(Some)
    }

    fn keeps(&self, folder: &ItemPath) -> StoreResult<Keeps> {
        rights::keeps(self, folder)
    }

    fn loses(&self, path: &ItemPath, keeps: Keeps) -> StoreResult<Vec<String>> {
        rights::loses(self, path, keeps)
    }
}

impl ChangeStore for LocalStore {
    fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()> {
        tags::write(self, path, stamp, tags)
    }

    fn make_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        changes::make_folder(self, path)
    }

    fn remove_empty_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        changes::remove_empty_folder(self, path)
    }

    fn rename(
        &self,
        from: &ItemPath,
        stamp: &Stamp,
        to_store: &dyn Store,
        to: &ItemPath,
    ) -> StoreResult<Option<Stamp>> {
        changes::rename(self, from, stamp, to_store, to).map(|()| None)
    }

    fn sync_folder(&self, folder: &ItemPath) -> StoreResult<()> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let folder = self.open_at(folder, flags)?;
        self.sync(folder)
    }

    fn update_text(
        &self,
        path: &ItemPath,
        old: Option<&Stamp>,
        temporary: &ItemPath,
        content: &[u8],
        open_to: u32,
    ) -> StoreResult<()> {
        lists::update(self, path, old, temporary, content, open_to)
    }

    fn local_folder(&self, folder: &ItemPath) -> StoreResult<Option<Arc<OwnedFd>>> {
        self.folder(folder).map(Some)
    }

    fn forget_below(&self, path: &ItemPath) {
        held(&self.folders).forget(|open| open == path || open.is_inside(path));
    }
}

impl TrashStore for LocalStore {
    fn discard(&self, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>> {
        trash::discard(self, path, stamp, day)
    }

    fn restore(&self, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<Option<Stamp>> {
        trash::restore(self, kept_as, stamp, to).map(|()| None)
    }

    fn find_discarded(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
        trash::find(self, path, stamp)
    }

    fn discarded(&self, kept_as: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        let (store, path) = trash::discarded(self, kept_as)?;
        Ok((Arc::new(store), path))
    }
}

impl TransferStore for LocalStore {
    fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn std::io::Read,
        _: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        content::write_new(self, path, content, meta)
    }

    fn write_unflushed(
        &self,
        path: &ItemPath,
        content: &mut dyn std::io::Read,
        _: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        content::write_unflushed(self, path, content, meta).map(|(_, written)| written)
    }

    fn flush(&self, written: &[&ItemPath]) -> Vec<StoreResult<()>> {
        content::flush(self, written)
    }

    fn link_again(&self, first: &ItemPath, name: &ItemPath) -> StoreResult<bool> {
        content::link_again(self, first, name)
    }

    fn link_new(&self, path: &ItemPath, target: &[u8], meta: &Meta) -> StoreResult<()> {
        content::link_new(self, path, target, meta)
    }

    fn set_folder_meta(&self, path: &ItemPath, meta: &Meta) -> StoreResult<()> {
        content::set_folder_meta(self, path, meta)
    }

    fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
        changes::remove_copied(self, path, stamp)
    }
}
