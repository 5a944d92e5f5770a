//! A drive behind the interface of all stores.

use std::io::Read;
use std::sync::Arc;

use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_core::tags::to_attribute;
use nine_core::tree::Batch;
use nine_core::worklist::NameRules;

use super::changes::Move;
use super::content::{Download, Remote};
use super::properties::{Given, KeptProperties, tags_of};
use super::wire::HttpRequest;
use super::{DISCARDED, DriveStore, SCRATCH, expect, held, multistatus};
use crate::local::TAGS_ATTRIBUTE;
use crate::walk::{Bounds, Found, Visit, Walking, walk};
use crate::{
    Abilities, ChangeStore, Earlier, EarlierScan, Ground, Keeps, Location, Meta, OWN, OpenFile, ReadStore,
    Scan, Scope, Store, StoreError, StoreResult, TransferStore, TrashStore, Watch, mark, own_name,
};

/// How far a drive is believed.
const BOUNDS: Bounds = Bounds { depth: 256, entries: 20_000_000 };

/// Bytes that a name has at most where nobody says so.
const LONGEST: usize = 255;

impl DriveStore {
    fn scan_with(&self, earlier: Option<&EarlierScan>, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        // Asked before anything is listed, so that what changes meanwhile is told the next time.
        let sync_token = self.sync_token()?;
        let news = self.news(earlier)?;
        let listed = self.drive.list(&self.address.path)?;
        let root = listed.own.clone().ok_or(StoreError::NotThere)?.entry;
        drop(listed);
        let read = |(): &mut (), visit: &Visit, batch: &mut Batch| {
            // Of the top itself there is a listing already.
            match news.unchanged(self, visit.path).filter(|_| !visit.path.is_root()) {
                Some(known) => known.for_each(|(name, entry)| batch.push(name, entry)),
                None => self.read_folder(visit.path, batch)?,
            }
            Ok(Found::Listed(Vec::new()))
        };
        let threads = self.drive.wire.at_once;
        let location = |path: &ItemPath| self.location(path);
        let walking = Walking { root, location: &location, threads, scope, bounds: BOUNDS, earlier: None };
        let scan = walk(walking, watch, || (), read)?;
        Ok(Scan { sync_token, ..scan })
    }

    /// Free bytes, where the drive tells.
    fn room(&self) -> StoreResult<Option<u64>> {
        let asked = "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:propfind xmlns:d=\"DAV:\"><d:prop>\
            <d:quota-available-bytes/></d:prop></d:propfind>";
        let request = HttpRequest::new("PROPFIND", self.url(&self.whole(&ItemPath::root()), true));
        let answer = self.drive.wire.ask(&request.with("depth", "0").xml(asked.to_owned()))?;
        let mut room = None;
        if answer.status == 207 {
            multistatus::read(answer.body.into_reader(), &mut |response| {
                let told = response.dav("quota-available-bytes");
                room = room.or(told.and_then(|told| told.text.trim().parse().ok()));
                Ok(())
            })?;
        }
        Ok(room)
    }

    /// Puts what a folder holds into a batch; what is our own is left out.
    fn read_folder(&self, path: &ItemPath, batch: &mut Batch) -> StoreResult<()> {
        let listing = self.drive.list(&self.whole(path))?;
        let starts = |name: &[u8], with: &str| path.is_root() && name.starts_with(with.as_bytes());
        for (name, found) in &listing.items {
            if !(starts(name, SCRATCH) || path.is_root() && **name == *DISCARDED.as_bytes()) {
                batch.push(name.as_name(), found.entry.clone());
            }
        }
        Ok(())
    }

    fn rules(&self) -> NameRules {
        let folds =
            self.drive.conduct_known().is_some_and(|conduct| conduct.folds_case || conduct.folds_form);
        let cuts = self.drive.conduct_known().is_some_and(|conduct| conduct.cuts_names);
        let refused = if cuts { super::probe::CUT_AT } else { b"" };
        NameRules { folds, longest: LONGEST, strict: false, refused }
    }
}

impl Store for DriveStore {
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>> {
        let address = super::Address { path: self.whole(folder), ..self.address.clone() };
        Ok(Arc::new(Self::new(Arc::clone(&self.drive), address)))
    }

    fn look_anew(&self) {
        self.drive.look_anew();
    }

    fn name_own(&self, token: &str) {
        token.clone_into(&mut held(&self.token));
    }
}

impl ReadStore for DriveStore {
    fn location(&self, path: &ItemPath) -> Location {
        Location::Drive(super::Address { path: self.whole(path), ..self.address.clone() })
    }

    fn abilities(&self) -> Abilities {
        Abilities {
            dates_folders: false,
            at_once: self.drive.wire.at_once,
            may_read: self.drive.may_read,
            tells_changes: true,
            tags_by_folder: true,
            sets_aside: false,
            wants_size: true,
            own_trash: true,
            flushes_together: false,
        }
    }

    fn keeps_all(&self) -> bool {
        self.drive.conduct_is_none_or(|conduct| conduct.keeps_properties)
    }

    fn keeps(&self, _: &ItemPath) -> StoreResult<Keeps> {
        Ok(Keeps { attributes: true, ..Keeps::NONE })
    }

    fn domain(&self, _: &Identity) -> u64 {
        self.drive.domain()
    }

    fn is_it(&self, entry: &Entry, stamp: &Stamp) -> bool {
        self.drive.is_it(entry, stamp)
    }

    fn seen_by(&self, path: &ItemPath) -> Option<(ItemPath, String)> {
        let (folder, who) = self.sharing_of(path)?;
        // The place itself may lie in such a folder.
        let below = folder.parts().skip(self.address.path.depth());
        Some((ItemPath::of_names(below), who))
    }

    fn scan(&self, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        self.scan_with(None, scope, watch)
    }

    fn refresh(&self, earlier: EarlierScan, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        let scan = self.scan_with(Some(&earlier), scope, watch)?;
        Ok(Scan { earlier: Earlier::Differs(Box::new(earlier)), ..scan })
    }

    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>> {
        Ok(self.drive.found(&self.whole(path))?.map(|found| found.entry))
    }

    fn list(&self, folder: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>> {
        let listing = self.drive.list(&self.whole(folder))?;
        Ok(listing.items.iter().map(|(name, found)| (name.clone(), found.entry.clone())).collect())
    }

    fn link_is_broken(&self, _: &ItemPath) -> StoreResult<bool> {
        Ok(false)
    }

    fn first_bytes(&self, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>> {
        self.drive.first_bytes(&self.whole(path), most)
    }

    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>> {
        Ok(self.drive.found(&self.whole(path))?.ok_or(StoreError::NotThere)?.tags)
    }

    fn tags_in(&self, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
        let listing = self.drive.list(&self.whole(folder)).unwrap_or_default();
        let of = |name: &Name| listing.items.get(&**name).map(|found| found.tags.clone());
        names.iter().map(|name| of(name).unwrap_or_default()).collect()
    }

    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground> {
        // What no drive may do must be known before anything is planned on it.
        let writable = match self.drive.trusted() {
            Ok(()) => true,
            Err(StoreError::NoRight | StoreError::ReadOnly) => false,
            Err(other) => return Err(other),
        };
        let mut here = folder.clone();
        let mut blocked = None;
        loop {
            match self.drive.found(&self.whole(&here))?.map(|found| found.entry.kind) {
                Some(Kind::Folder) => break,
                Some(_) => blocked = Some(here.clone()),
                None => {}
            }
            here = here.parent().ok_or(StoreError::NotThere)?;
        }
        Ok(Ground {
            existing: here,
            blocked,
            writable,
            rules: self.rules(),
            domain: self.drive.domain(),
            free: self.drive.remembered_room(|| self.room())?,
            mount: None,
        })
    }

    fn not_shown(&self, folder: &ItemPath) -> StoreResult<Vec<NameBuf>> {
        self.drive.confirm(&self.whole(folder))
    }

    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>> {
        Ok(Box::new(Download::start(&self.drive, &self.whole(path), None, 0, None)?))
    }

    fn open_file(&self, path: &ItemPath) -> StoreResult<Box<dyn OpenFile>> {
        Ok(Box::new(Remote::open(&self.drive, &self.whole(path))?))
    }

    fn read_link(&self, _: &ItemPath) -> StoreResult<Vec<u8>> {
        Err(StoreError::NoLinks)
    }

    fn meta(&self, path: &ItemPath) -> StoreResult<Meta> {
        let found = self.drive.found(&self.whole(path))?.ok_or(StoreError::NotThere)?;
        let KeptProperties { mode, mut attributes } = found.kept;
        if !found.tags.is_empty() {
            attributes.push((TAGS_ATTRIBUTE.as_bytes().to_vec(), to_attribute(&found.tags).into_bytes()));
        }
        Ok(Meta { modified: found.entry.modified, mode, attributes, ..Meta::default() })
    }

    fn told_sum(&self, path: &ItemPath) -> StoreResult<Option<[u8; 32]>> {
        if self.drive.conduct_known().is_some_and(|conduct| !conduct.tells_sums) {
            return Ok(None);
        }
        self.drive.told_sum(&self.whole(path))
    }
}

impl ChangeStore for DriveStore {
    fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()> {
        self.drive.set_tags(&self.whole(path), stamp, tags)
    }

    fn make_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        self.drive.make_folder(&self.whole(path))
    }

    fn remove_empty_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        let whole = self.whole(path);
        // At the top of the place, where nobody puts anything.
        let aside = ItemPath::root().join(&own_name(&held(&self.token), mark(path.as_bytes())));
        self.drive.remove_empty_folder(&whole, &self.whole(&aside))
    }

    fn clear_leftovers(&self, token: &str) -> StoreResult<()> {
        let root = self.drive.list_anew(&self.address.path)?;
        let own = format!("{OWN}{token}-");
        for name in root.items.keys().filter(|name| name.starts_with(own.as_bytes())) {
            let path = self.whole(&ItemPath::root().join(name));
            if self.drive.list_anew(&path)?.items.is_empty() {
                self.drive.delete(&path, true, None)?;
            }
        }
        Ok(())
    }

    fn rename(
        &self,
        from: &ItemPath,
        stamp: &Stamp,
        to_store: &dyn Store,
        to: &ItemPath,
    ) -> StoreResult<Option<Stamp>> {
        let Location::Drive(to) = to_store.location(to) else { return Err(StoreError::OtherDomain) };
        if to_store.domain(&stamp.identity) != self.drive.domain() {
            return Err(StoreError::OtherDomain);
        }
        let step = Move { from: &self.whole(from), to: &to.path, stamp, replaces: false };
        self.drive.move_item(&step).map(Some)
    }

    fn sync_folder(&self, folder: &ItemPath) -> StoreResult<()> {
        self.drive.confirm(&self.whole(folder)).map(drop)
    }

    fn update_text(
        &self,
        path: &ItemPath,
        old: Option<&Stamp>,
        temporary: &ItemPath,
        content: &[u8],
        _: u32,
    ) -> StoreResult<()> {
        let (path, temporary) = (self.whole(path), self.whole(temporary));
        self.drive.trusted()?;
        self.drive.put_again(&temporary, content)?;
        let new = self.drive.ask_about(&temporary)?.ok_or(StoreError::CopyDiffers)?;
        if new.entry.size != content.len() as u64 {
            return Err(StoreError::CopyDiffers);
        }
        if let Some(old) = old {
            expect(self.drive.ask_about(&path)?, old)?;
        }
        let stamp = new.entry.stamp();
        let step = Move { from: &temporary, to: &path, stamp: &stamp, replaces: old.is_some() };
        self.drive.move_item(&step).map(drop)
    }
}

impl TrashStore for DriveStore {
    fn discard(&self, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>> {
        self.discard_item(path, stamp, day)
    }

    fn restore(&self, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<Option<Stamp>> {
        self.restore_item(kept_as, stamp, to).map(Some)
    }

    fn find_discarded(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
        self.find_discarded_item(path, stamp)
    }

    fn discarded(&self, kept_as: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        let path = ItemPath::new(kept_as).ok_or(StoreError::NotThere)?;
        Ok((self.inside(&ItemPath::root())?, path))
    }
}

impl TransferStore for DriveStore {
    fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        self.drive.write_new(&self.whole(path), content, size, meta)
    }

    fn link_new(&self, _: &ItemPath, _: &[u8], _: &Meta) -> StoreResult<()> {
        Err(StoreError::NoLinks)
    }

    fn set_folder_meta(&self, path: &ItemPath, meta: &Meta) -> StoreResult<()> {
        let (tags, kept) = (tags_of(meta), KeptProperties::of(meta));
        if tags.is_empty() && kept.attributes.is_empty() {
            return Ok(());
        }
        self.drive.give(&self.whole(path), true, &Given { tags: &tags, kept: &kept, modified: None })
    }

    fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
        self.drive.remove_copied(&self.whole(path), stamp)
    }
}
