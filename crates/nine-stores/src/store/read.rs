//! What is read of a store.

use std::fmt;
use std::io::Read;

use nine_core::item::{Entry, Identity, Stamp};
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_core::worklist::NameRules;

use super::{Abilities, Earlier, EarlierScan, Keeps, Meta, Scan, Scope, Watch};
use crate::{Location, StoreResult};

/// What there is to build on where a folder is, or is to be.
#[derive(Debug, Clone)]
pub struct Ground {
    /// The nearest folder above, or the folder itself, that is there.
    pub existing: ItemPath,
    /// Something on the way that is no folder.
    pub blocked: Option<ItemPath>,
    /// Whether names in `existing` may be made and taken away.
    pub writable: bool,
    /// Which names fit.
    pub rules: NameRules,
    /// Within one domain, moving copies nothing.
    pub domain: u64,
    /// Free bytes, where that is known.
    pub free: Option<u64>,
    /// What it is mounted by, if that is a network or a program.
    pub mount: Option<Mount>,
}

/// What a folder is mounted by that is not a file system of this machine's disks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mount {
    /// A network, or the host of a virtual machine.
    Network,
    /// A program (FUSE).
    Program,
}

/// A file that is open to be read.
pub trait OpenFile: Send {
    /// What it is now, whatever name it has by now.
    fn entry(&self) -> StoreResult<Entry>;
    /// Fills as much of `room` as there are bytes from `offset` on; returns how many.
    fn read_at(&self, room: &mut [u8], offset: u64) -> StoreResult<usize>;
}

/// What is asked of a store; nothing changes by it.
pub trait ReadStore: Send + Sync + fmt::Debug {
    /// Where something in the place is; the place itself for the root.
    fn location(&self, path: &ItemPath) -> Location;
    /// Where the place is, in the written form of [`Location`].
    fn address(&self) -> String {
        self.location(&ItemPath::root()).to_string()
    }
    /// Whether two identities are on one file system, of which `recorded` was written down some time ago.
    fn same_volume(&self, _now: &Identity, _recorded: &Identity) -> bool {
        true
    }
    /// Whether something may not be changed or removed, whoever asks (`chattr +i` or `+a`).
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn is_protected(&self, _path: &ItemPath) -> StoreResult<bool> {
        Ok(false)
    }
    /// What it can do.
    fn abilities(&self) -> Abilities {
        Abilities::default()
    }
    /// Whether times and attributes of what is written stay with it.
    fn keeps_all(&self) -> bool {
        true
    }
    /// Within which domain something lies that has this identity: there it can be moved without being copied.
    fn domain(&self, identity: &Identity) -> u64 {
        identity.0[0]
    }
    /// Whether two identities are of one thing, of which `recorded` was written down some time ago: device numbers
    /// may be others by now.
    fn same_identity(&self, now: &Identity, recorded: &Identity) -> bool {
        now == recorded
    }
    /// Whether an entry is what had this stamp, which may have been written down some time ago.
    fn is_same(&self, entry: &Entry, stamp: &Stamp) -> bool {
        let now = entry.stamp();
        (now.size, now.modified) == (stamp.size, stamp.modified)
            && self.same_identity(&now.identity, &stamp.identity)
    }
    /// The same, perhaps under another name then.
    fn is_it(&self, entry: &Entry, stamp: &Stamp) -> bool {
        self.is_same(entry, stamp)
    }
    /// The folder that others see in which something lies, and who these are.
    fn seen_by(&self, _: &ItemPath) -> Option<(ItemPath, String)> {
        None
    }
    /// The rights that group and others have to read an item, as bits of `0o044`; of a folder also where they may
    /// only enter it. `None` where there are no such rights.
    fn open_to(&self, _: &ItemPath) -> StoreResult<Option<u32>> {
        Ok(None)
    }
    /// The checksum (SHA-256) of a file as the store tells it without its being read, if it does.
    fn told_sum(&self, _: &ItemPath) -> StoreResult<Option<[u8; 32]>> {
        Ok(None)
    }
    /// Whether the path of a folder still leads to the one in which things were done under that path. Others may
    /// have moved it elsewhere since.
    fn stands(&self, _folder: &ItemPath) -> StoreResult<bool> {
        Ok(true)
    }
    /// Everything below the place. Opens no file.
    fn scan(&self, scope: &Scope, watch: &Watch) -> StoreResult<Scan>;
    /// The same where it is known what an earlier scan found, as far as the store can make use of that.
    fn refresh(&self, earlier: EarlierScan, scope: &Scope, watch: &Watch) -> StoreResult<Scan> {
        let scan = self.scan(scope, watch)?;
        Ok(Scan { earlier: Earlier::Differs(Box::new(earlier)), ..scan })
    }
    /// What stands at a path, if anything does. Never follows a link.
    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>>;
    /// What a folder holds, in no order.
    fn list(&self, folder: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>>;
    /// Whether a link leads nowhere.
    fn link_is_broken(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Up to `most` bytes from a file's start, leaving no trace of having been opened.
    fn first_bytes(&self, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>>;
    /// An item's tags.
    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>>;
    /// The tags of several items of one folder; none for what cannot be read.
    fn tags_in(&self, folder: &ItemPath, names: &[Name]) -> Vec<Vec<String>> {
        names.iter().map(|name| self.tags(&folder.join(name)).unwrap_or_default()).collect()
    }
    /// The address that a download came from, where its attributes say so.
    fn origin(&self, _: &ItemPath) -> StoreResult<Option<String>> {
        Ok(None)
    }
    /// What there is to build on where a folder is or is to be.
    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground>;
    /// The names in a folder under which what was done there does not show: something else has taken its place
    /// meanwhile. Only a drive must be asked.
    fn not_shown(&self, _folder: &ItemPath) -> StoreResult<Vec<NameBuf>> {
        Ok(Vec::new())
    }
    /// A file's content.
    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>>;
    /// A file to read in parts, leaving no trace of having been opened.
    fn open_file(&self, path: &ItemPath) -> StoreResult<Box<dyn OpenFile>>;
    /// Where a link points to.
    fn read_link(&self, path: &ItemPath) -> StoreResult<Vec<u8>>;
    /// What travels with an item's content.
    fn meta(&self, path: &ItemPath) -> StoreResult<Meta>;
    /// What is kept of an item that is copied into a folder.
    fn keeps(&self, _folder: &ItemPath) -> StoreResult<Keeps> {
        Ok(Keeps::ALL)
    }
    /// What of an item, and of all in it, is lost where no more than this is kept; in words.
    fn loses(&self, _path: &ItemPath, _keeps: Keeps) -> StoreResult<Vec<String>> {
        Ok(Vec::new())
    }
}
