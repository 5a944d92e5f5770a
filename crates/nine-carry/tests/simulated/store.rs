//! Places on simulated disks, behind the interface of all stores; at any of their steps something may happen.

use std::io::Read;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tags::{from_attribute, to_attribute};
use nine_core::worklist::NameRules;
use nine_stores::local::TAGS_ATTRIBUTE;
use nine_stores::{
    ChangeStore, Ground, Location, Meta, OpenFile, ReadStore, Scan, Scope, Store, StoreError, StoreResult,
    TransferStore, TrashStore, Watch, aside, is_own,
};

use super::disk::{Disk, Node};

/// What happens at a step of a store.
#[derive(Debug, Clone)]
pub enum Event {
    /// Somebody saves, moves, makes or takes away something.
    Hand(Hand),
    /// A disk goes away.
    Away(usize),
    /// The next file that is written gets other bytes than were sent.
    Spoils,
    /// The program is killed.
    Killed,
}

/// What another hand does to the thing that a number chooses.
#[derive(Debug, Clone)]
pub enum Hand {
    Saves(usize),
    Renames(usize),
    Removes(usize),
    /// Makes a file in the folder that the number chooses.
    Makes(usize),
}

/// The message of the panic that stands for a kill.
pub const KILLED: &str = "killed";

/// The disks, and what is to happen.
#[derive(Debug)]
pub struct World {
    pub disks: Vec<Disk>,
    /// Steps so far, and at which what happens.
    pub steps: usize,
    pub events: Vec<(usize, Event)>,
    /// Contents that somebody saved, and those that somebody had a hand in.
    pub saved: Vec<String>,
    pub disturbed: Vec<String>,
    pub removed: Vec<String>,
    pub made: usize,
    /// Whether somebody renamed a folder: what was being made in it went with it.
    pub renamed_folder: bool,
    /// Whether the next file that is written gets other bytes.
    pub spoils: bool,
}

pub type Shared = Arc<Mutex<World>>;

pub fn held(world: &Shared) -> MutexGuard<'_, World> {
    world.lock().unwrap_or_else(PoisonError::into_inner)
}

impl World {
    /// Contents of a thing and of all in it.
    fn contents(&self, disk: usize, path: &ItemPath) -> Vec<String> {
        let is_in = |at: &ItemPath| at == path || at.is_inside(path);
        let disk = &self.disks[disk];
        let files = disk.all().into_iter().filter(|(at, id)| is_in(at) && disk.node(*id).kind == Kind::File);
        files.map(|(_, id)| String::from_utf8(disk.node(id).bytes.clone()).unwrap()).collect()
    }

    fn happens(&mut self, hand: &Hand) {
        let (Hand::Saves(number) | Hand::Renames(number) | Hand::Removes(number) | Hand::Makes(number)) =
            hand;
        let mut things: Vec<(usize, ItemPath, u64)> = Vec::new();
        for (at, disk) in self.disks.iter().enumerate().filter(|(_, disk)| !disk.is_away) {
            let all = disk.all().into_iter().filter(|(path, _)| path.depth() > 1);
            things.extend(all.map(|(path, id)| (at, path, id)));
        }
        // What is called `.nine-…` is nobody's to choose, and the trash is the desktop's.
        let is_own = |path: &ItemPath| path.parts().any(|part| part.starts_with(b".nine-"));
        things.retain(|(_, path, _)| !is_own(path) && !path.to_string().starts_with("(trash)"));
        if things.is_empty() {
            return;
        }
        let (disk, path, id) = things[number % things.len()].clone();
        let is_file = self.disks[disk].node(id).kind == Kind::File;
        let touched = self.contents(disk, &path);
        self.made += 1;
        let fresh = format!("saved {}", self.made);
        let modified = 1_000_000 + self.made as i64;
        let file = |bytes: Vec<u8>| Node {
            kind: Kind::File,
            bytes,
            modified,
            tags: Vec::new(),
            children: Default::default(),
        };
        match hand {
            Hand::Saves(_) if is_file => {
                self.removed.extend(touched);
                self.saved.push(fresh.clone());
                self.disks[disk]
                    .change(id, |node| (node.bytes, node.modified) = (fresh.into_bytes(), modified));
                self.disks[disk].flush(id);
            }
            Hand::Renames(_) => {
                let to = path.beside(&NameBuf::new(format!("renamed {}", self.made)).unwrap());
                if self.disks[disk].rename(&path, &to).is_ok() {
                    self.disturbed.extend(touched);
                    self.renamed_folder |= !is_file;
                }
            }
            Hand::Removes(_) if is_file && self.disks[disk].remove(&path).is_ok() => {
                self.removed.extend(touched);
            }
            Hand::Makes(_) if !is_file => {
                let made = self.disks[disk].make(
                    &path.join(&NameBuf::new(format!("made {}", self.made)).unwrap()),
                    file(fresh.clone().into_bytes()),
                );
                if made.is_ok() {
                    self.saved.push(fresh);
                }
            }
            _ => {}
        }
        // Whoever it was has synced it.
        self.disks[disk].sync();
    }
}

/// A place: a folder of a disk.
#[derive(Debug)]
pub struct SimStore {
    pub world: Shared,
    pub disk: usize,
    pub root: ItemPath,
    token: Mutex<String>,
}

impl SimStore {
    pub fn new(world: &Shared, disk: usize, root: ItemPath) -> Arc<Self> {
        Arc::new(Self { world: Arc::clone(world), disk, root, token: Mutex::default() })
    }

    fn whole(&self, path: &ItemPath) -> ItemPath {
        self.root.join_path(path)
    }

    /// The next step: what is to happen at it happens, and the disk may be away.
    fn step(&self) -> StoreResult<MutexGuard<'_, World>> {
        let mut world = held(&self.world);
        world.steps += 1;
        let now = world.steps;
        let due: Vec<Event> =
            world.events.iter().filter(|(at, _)| *at == now).map(|(_, event)| event.clone()).collect();
        for event in due {
            match event {
                Event::Hand(hand) => world.happens(&hand),
                Event::Away(disk) => {
                    let disk = disk % world.disks.len();
                    world.disks[disk].is_away = true;
                }
                Event::Spoils => world.spoils = true,
                Event::Killed => {
                    drop(world);
                    std::panic::panic_any(KILLED);
                }
            }
        }
        if world.disks[self.disk].is_away {
            return Err(StoreError::System("the disk is gone".into()));
        }
        Ok(world)
    }

    fn expect(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Entry> {
        let entry = self.entry(path)?.ok_or(StoreError::NotThere)?;
        if self.is_same(&entry, stamp) { Ok(entry) } else { Err(StoreError::Changed) }
    }

    fn node(&self, path: &ItemPath) -> StoreResult<Node> {
        let world = self.step()?;
        let disk = &world.disks[self.disk];
        let id = disk.find(&self.whole(path)).ok_or(StoreError::NotThere)?;
        Ok(disk.node(id).clone())
    }

    fn make(&self, path: &ItemPath, node: Node) -> StoreResult<()> {
        self.step()?.disks[self.disk].make(&self.whole(path), node)
    }
}

fn none<T>() -> StoreResult<T> {
    Err(StoreError::System("not simulated".into()))
}

impl Store for SimStore {
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>> {
        Ok(Self::new(&self.world, self.disk, self.whole(folder)))
    }

    fn name_own(&self, token: &str) {
        token.clone_into(&mut self.token.lock().unwrap());
    }
}

impl ReadStore for SimStore {
    fn location(&self, path: &ItemPath) -> Location {
        Location::Local(format!("/disk{}/{}", self.disk, self.whole(path)).into())
    }

    fn same_identity(&self, now: &Identity, recorded: &Identity) -> bool {
        // Numbers of disks change, those of things do not.
        now.0[1] == recorded.0[1]
    }

    fn scan(&self, _: &Scope, _: &Watch) -> StoreResult<Scan> {
        none()
    }

    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>> {
        Ok(self.step()?.disks[self.disk].entry(&self.whole(path)))
    }

    fn list(&self, folder: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>> {
        self.step()?.disks[self.disk].list(&self.whole(folder))
    }

    fn link_is_broken(&self, _: &ItemPath) -> StoreResult<bool> {
        none()
    }

    fn first_bytes(&self, _: &ItemPath, _: usize) -> StoreResult<Vec<u8>> {
        none()
    }

    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>> {
        Ok(self.node(path)?.tags)
    }

    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground> {
        let world = self.step()?;
        let disk = &world.disks[self.disk];
        let mut existing = folder.clone();
        while disk.find(&self.whole(&existing)).is_none() {
            existing = existing.parent().ok_or(StoreError::NotThere)?;
        }
        let rules = NameRules { folds: false, longest: 255, strict: false, refused: b"" };
        Ok(Ground {
            existing,
            blocked: None,
            writable: true,
            rules,
            domain: disk.number,
            free: None,
            mount: None,
        })
    }

    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>> {
        Ok(Box::new(std::io::Cursor::new(self.node(path)?.bytes)))
    }

    fn open_file(&self, _: &ItemPath) -> StoreResult<Box<dyn OpenFile>> {
        none()
    }

    fn read_link(&self, _: &ItemPath) -> StoreResult<Vec<u8>> {
        none()
    }

    fn meta(&self, path: &ItemPath) -> StoreResult<Meta> {
        let node = self.node(path)?;
        let tags = (TAGS_ATTRIBUTE.as_bytes().to_vec(), to_attribute(&node.tags).into_bytes());
        let attributes = if node.tags.is_empty() { Vec::new() } else { vec![tags] };
        Ok(Meta { modified: nine_core::moment::Moment(node.modified), attributes, ..Meta::default() })
    }
}

impl ChangeStore for SimStore {
    fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()> {
        self.expect(path, stamp)?;
        let mut world = self.step()?;
        let disk = &mut world.disks[self.disk];
        let id = disk.find(&self.whole(path)).ok_or(StoreError::NotThere)?;
        disk.change(id, |node| node.tags = tags.to_vec());
        Ok(())
    }

    fn make_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        let node = Node {
            kind: Kind::Folder,
            bytes: Vec::new(),
            modified: 7,
            tags: Vec::new(),
            children: Default::default(),
        };
        match self.make(path, node) {
            Err(StoreError::Taken) => match self.node(path)?.kind {
                Kind::Folder => Ok(false),
                _ => Err(StoreError::NotAFolder),
            },
            made => made.map(|()| true),
        }
    }

    fn remove_empty_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        let mut world = self.step()?;
        let disk = &mut world.disks[self.disk];
        match disk.find(&self.whole(path)).map(|id| disk.node(id).kind) {
            Some(Kind::Folder) => match disk.remove(&self.whole(path)) {
                Err(StoreError::NotEmpty) => Ok(false),
                removed => removed.map(|()| true),
            },
            _ => Ok(false),
        }
    }

    fn rename(
        &self,
        from: &ItemPath,
        stamp: &Stamp,
        to_store: &dyn Store,
        to: &ItemPath,
    ) -> StoreResult<Option<Stamp>> {
        let top = Location::Local(format!("/disk{}", self.disk).into());
        let to = to_store.location(to).below(&top).ok_or(StoreError::OtherDomain)?;
        let mut world = self.step()?;
        let disk = &mut world.disks[self.disk];
        let id = disk.find(&self.whole(from)).ok_or(StoreError::NotThere)?;
        if !self.is_same(&disk.entry_of(id), stamp) {
            return Err(StoreError::Changed);
        }
        disk.rename(&self.whole(from), &to).map(|()| None)
    }

    fn sync_folder(&self, _: &ItemPath) -> StoreResult<()> {
        self.step()?.disks[self.disk].sync();
        Ok(())
    }

    fn update_text(
        &self,
        _: &ItemPath,
        _: Option<&Stamp>,
        _: &ItemPath,
        _: &[u8],
        _: u32,
    ) -> StoreResult<()> {
        none()
    }
}

impl TrashStore for SimStore {
    fn discard(&self, path: &ItemPath, stamp: &Stamp, _: &str) -> StoreResult<Vec<u8>> {
        self.expect(path, stamp)?;
        let mut world = self.step()?;
        let disk = &mut world.disks[self.disk];
        let whole = self.whole(path);
        let kept = disk.discard(&whole)?;
        let now = disk.discarded(&kept).map(|id| disk.entry_of(id));
        if now.is_some_and(|now| !self.is_same(&now, stamp)) {
            disk.restore(&kept, &whole)?;
            return Err(StoreError::Changed);
        }
        Ok(kept)
    }

    fn restore(&self, kept_as: &[u8], _: &Stamp, to: &ItemPath) -> StoreResult<Option<Stamp>> {
        self.step()?.disks[self.disk].restore(kept_as, &self.whole(to)).map(|()| None)
    }

    fn find_discarded(&self, _: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
        Ok(self.step()?.disks[self.disk].find_discarded(stamp))
    }

    fn discarded(&self, _: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)> {
        none()
    }
}

impl TransferStore for SimStore {
    fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        let written = self.write_unflushed(path, content, size, meta)?;
        self.flush(&[path]).remove(0)?;
        Ok(written)
    }

    fn flush(&self, written: &[&ItemPath]) -> Vec<StoreResult<()>> {
        let flush = |path: &&ItemPath| {
            let mut world = self.step()?;
            let disk = &mut world.disks[self.disk];
            let id = disk.find(&self.whole(path)).ok_or(StoreError::NotThere)?;
            disk.flush(id);
            Ok(())
        };
        written.iter().map(flush).collect()
    }

    fn write_unflushed(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        _: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        let tags = meta.attributes.first().map(|(_, value)| from_attribute(value)).unwrap_or_default();
        let empty = Node {
            kind: Kind::File,
            bytes: Vec::new(),
            modified: meta.modified.0,
            tags,
            children: Default::default(),
        };
        // A name first, then the content: in between it is half a file.
        self.make(path, empty)?;
        let mut bytes = Vec::new();
        content.read_to_end(&mut bytes)?;
        let length = bytes.len() as u64;
        let mut world = self.step()?;
        if std::mem::take(&mut world.spoils) {
            bytes[0] ^= 1;
        }
        let disk = &mut world.disks[self.disk];
        let id = disk.find(&self.whole(path)).ok_or(StoreError::NotThere)?;
        disk.write_unflushed(id, bytes);
        Ok(length)
    }

    fn link_new(&self, _: &ItemPath, _: &[u8], _: &Meta) -> StoreResult<()> {
        none()
    }

    fn set_folder_meta(&self, path: &ItemPath, meta: &Meta) -> StoreResult<()> {
        let tags = meta.attributes.first().map(|(_, value)| from_attribute(value)).unwrap_or_default();
        let mut world = self.step()?;
        let disk = &mut world.disks[self.disk];
        let id = disk.find(&self.whole(path)).ok_or(StoreError::NotThere)?;
        disk.change(id, |node| (node.tags, node.modified) = (tags, meta.modified.0));
        Ok(())
    }

    fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
        self.expect(path, stamp)?;
        let token = self.token.lock().unwrap().clone();
        if is_own(&token, path) {
            return self.step()?.disks[self.disk].remove(&self.whole(path));
        }
        let beside = aside(&token, path);
        self.step()?.disks[self.disk].rename(&self.whole(path), &self.whole(&beside))?;
        let remove = || {
            self.expect(&beside, stamp)?;
            self.step()?.disks[self.disk].remove(&self.whole(&beside))
        };
        remove().map_err(|error| {
            let back = || self.step()?.disks[self.disk].rename(&self.whole(&beside), &self.whole(path));
            if back().is_ok() { error } else { StoreError::Unsure(error.to_string()) }
        })
    }
}
