//! Where items live. One interface, [`Store`], for a folder of the local file system and for a drive on the
//! network: nothing above it may assume a local path or an inode.
//!
//! This crate never prints, never reads the environment and never asks for the time.

pub mod catalogue;
mod details;
pub mod displays;
pub mod drive;
mod error;
pub mod fault;
mod hashing;
mod in_use;
mod learn;
pub mod local;
pub mod packs;
mod places;
pub mod reading;
mod sums;
mod walk;

use std::collections::HashSet;
use std::ffi::OsStr;
use std::fmt;
use std::io::Read;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use nine_core::item::{Entry, Identity, Stamp};
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use nine_core::tree::Tree;
use nine_core::worklist::NameRules;

pub use catalogue::{Catalogue, CatalogueError};
pub use details::StoreDetails;
pub use error::{StoreError, StoreResult};
pub use hashing::{Hashed, Source, expect, hash, hash_round, read_digests};
pub use in_use::in_use;
pub use learn::learn;
pub use local::LocalStore;
pub use places::Places;
pub use sums::{Summing, sum_of, sum_of_stream};

/// How all names begin that are made for a moment. The token behind it says by whom.
pub const OWN: &str = ".nine-";

/// The name, beside an item, that the item has for a moment before it is taken away.
pub fn aside(token: &str, path: &ItemPath) -> ItemPath {
    path.parent().unwrap_or_default().join(format!("{OWN}{token}-{:016x}", mark(path.as_bytes())))
}

/// Whether something is, or lies in, what was made for a moment under this token.
pub fn is_own(token: &str, path: &ItemPath) -> bool {
    let own = format!("{OWN}{token}-");
    !token.is_empty() && path.parts().any(|name| name.starts_with(own.as_bytes()))
}

/// A token that no other run has, on whatever machine.
pub fn random_token() -> String {
    let mut random = [0_u8; 8];
    // The call waits until the kernel has gathered enough, and then does not fail.
    let _ = rustix::rand::getrandom(&mut random, rustix::rand::GetRandomFlags::empty());
    format!("{:016x}", u64::from_le_bytes(random))
}

/// The first eight bytes of a digest: two texts that differ have the same ones in no world of ours.
pub fn mark(text: &[u8]) -> u64 {
    let digest = blake3::hash(text);
    u64::from_le_bytes(digest.as_bytes()[..8].try_into().expect("a digest has 32 bytes"))
}

/// What a scan leaves out.
#[derive(Debug, Default)]
pub struct Scope {
    /// Folders that are listed but not looked into.
    pub closed: HashSet<ItemPath>,
    /// What an earlier scan found, for stores that tell what has changed since.
    pub known: Option<EarlierScan>,
}

/// What an earlier scan found.
#[derive(Debug)]
pub struct EarlierScan {
    /// Everything below the place.
    pub tree: Tree,
    /// The sync token of that time, as [`Scan::sync_token`] had it.
    pub sync_token: String,
}

/// How far a long task is, and whether it should end early. Shared between threads.
#[derive(Debug, Default)]
pub struct Watch {
    entries: AtomicU64,
    bytes: AtomicU64,
    most: AtomicU64,
    stop: AtomicBool,
}

impl Watch {
    /// How many entries have been seen.
    pub fn entries(&self) -> u64 {
        self.entries.load(Ordering::Relaxed)
    }

    /// Counts entries.
    pub fn saw(&self, entries: u64) {
        self.entries.fetch_add(entries, Ordering::Relaxed);
    }

    /// How many bytes have been read, and how many there are to read at most.
    pub fn bytes(&self) -> (u64, u64) {
        (self.bytes.load(Ordering::Relaxed), self.most.load(Ordering::Relaxed))
    }

    /// Counts bytes that were read.
    pub fn read(&self, bytes: u64) {
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Adds bytes that may have to be read.
    pub fn expect(&self, bytes: u64) {
        self.most.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Takes off bytes that need not be read after all.
    pub fn spare(&self, bytes: u64) {
        let _ = self
            .most
            .fetch_update(Ordering::Relaxed, Ordering::Relaxed, |most| Some(most.saturating_sub(bytes)));
    }

    /// Asks the task to end after the step in hand.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to end.
    pub fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}

/// What a scan found.
#[derive(Debug)]
pub struct Scan {
    /// Everything below the place, summed up.
    pub tree: Tree,
    /// Folders that could not be read, and why.
    pub troubles: Vec<(ItemPath, StoreError)>,
    /// A token by which the store can tell later what has changed since, where it can (RFC 6578).
    pub sync_token: Option<String>,
}

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
}

/// What travels with an item's content when it is copied.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Meta {
    /// When the content was last changed.
    pub modified: Moment,
    /// When it was last opened.
    pub opened: Option<Moment>,
    /// Permission bits, where there are any.
    pub mode: Option<u32>,
    /// User and group, where there are any.
    pub owner: Option<(u32, u32)>,
    /// Whether it takes less room than its size says: blocks of zeros need not be kept.
    pub is_sparse: bool,
    /// Extended attributes, the tags among them.
    pub attributes: Vec<(Vec<u8>, Vec<u8>)>,
}

/// A file that is open to be read.
pub trait OpenFile: Send {
    /// What it is now, whatever name it has by now.
    fn entry(&self) -> StoreResult<Entry>;
    /// Fills as much of `room` as there are bytes from `offset` on; returns how many.
    fn read_at(&self, room: &mut [u8], offset: u64) -> StoreResult<usize>;
}

/// A store: one place, and all below it. Paths are below the place.
///
/// Changes take the stamp under which the item was planned and refuse an item that is another by
/// now. None overwrites anything.
pub trait Store: Send + Sync + fmt::Debug {
    /// Where the place is, in the written form of [`nine_core::escape`].
    fn address(&self) -> String;
    /// Where the place is, as a person types it: a path of this machine, or the address of a drive with its
    /// escapes undone.
    fn root(&self) -> PathBuf;
    /// The same of an item.
    fn absolute(&self, path: &ItemPath) -> PathBuf {
        if path.is_root() { self.root() } else { self.root().join(OsStr::from_bytes(path.as_bytes())) }
    }
    /// A folder in the place as a place of its own.
    ///
    /// # Errors
    /// If it is not there or not a folder.
    fn inside(&self, folder: &ItemPath) -> StoreResult<Arc<dyn Store>>;
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
    /// Whether times and attributes of what is written stay with it.
    fn keeps_all(&self) -> bool {
        true
    }
    /// How many requests it takes at once; 1 where a change is no request.
    fn at_once(&self) -> usize {
        1
    }
    /// Whether what is read of it goes over a network.
    fn is_remote(&self) -> bool {
        false
    }

    /// Whether whole files may be read to answer a question; on a drive that is the person's to say.
    fn may_read(&self) -> bool {
        true
    }
    /// The folder that others see in which something lies, and who these are.
    fn seen_by(&self, _: &ItemPath) -> Option<(ItemPath, String)> {
        None
    }
    /// The rights that group and others have to read an item, as bits of `0o044`; of a folder also where they may
    /// only enter it. All of them where there are none.
    fn open_to(&self, _: &ItemPath) -> StoreResult<u32> {
        Ok(0o044)
    }
    /// What of an item, and of all in it, is not kept in a folder of another store, in words.
    fn loses(&self, _path: &ItemPath, _target: &dyn Store, _folder: &ItemPath) -> StoreResult<Vec<String>> {
        Ok(Vec::new())
    }
    /// The checksum (SHA-256) of a file as the store tells it without its being read, if it does.
    fn told_sum(&self, _: &ItemPath) -> StoreResult<Option<[u8; 32]>> {
        Ok(None)
    }

    /// Forgets which folder had which name, since others may have moved them about.
    fn look_anew(&self) {}
    /// Names that are made for a moment carry this from now on, so that a later recovery finds them, and so that
    /// no other program or machine has such names. See [`aside`].
    fn name_own(&self, token: &str);
    /// Whether the path of a folder still leads to the one in which things were done under that path. Others may
    /// have moved it elsewhere since.
    fn stands(&self, _folder: &ItemPath) -> StoreResult<bool> {
        Ok(true)
    }
    /// Everything below the place. Opens no file.
    fn scan(&self, scope: &Scope, watch: &Watch) -> StoreResult<Scan>;
    /// What stands at a path, if anything does. Never follows a link.
    fn entry(&self, path: &ItemPath) -> StoreResult<Option<Entry>>;
    /// What a folder holds, in no order.
    fn list(&self, folder: &ItemPath) -> StoreResult<Vec<(Vec<u8>, Entry)>>;
    /// Whether a link leads nowhere.
    fn link_is_broken(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Up to `most` bytes from a file's start, leaving no trace of having been opened.
    fn first_bytes(&self, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>>;
    /// An item's tags.
    fn tags(&self, path: &ItemPath) -> StoreResult<Vec<String>>;
    /// The tags of several items of one folder; none for what cannot be read.
    fn tags_in(&self, folder: &ItemPath, names: &[&[u8]]) -> Vec<Vec<String>> {
        names.iter().map(|name| self.tags(&folder.join(name)).unwrap_or_default()).collect()
    }
    /// What there is to build on where a folder is or is to be.
    fn ground(&self, folder: &ItemPath) -> StoreResult<Ground>;

    /// Replaces an item's tags.
    fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()>;
    /// Makes one folder; says whether it was not there before.
    fn make_folder(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Takes away a folder if it is empty; says whether it did.
    fn remove_empty_folder(&self, path: &ItemPath) -> StoreResult<bool>;
    /// Takes away what a run of this token left that was cut off while it took away an empty folder.
    fn clear_leftovers(&self, _token: &str) -> StoreResult<()> {
        Ok(())
    }
    /// Moves an item, perhaps into another store of the same domain, onto a free name. Returns as what it is found
    /// there, where that is another stamp.
    ///
    /// # Errors
    /// [`StoreError::OtherDomain`] where it would have to be copied.
    fn rename(
        &self,
        from: &ItemPath,
        stamp: &Stamp,
        to_store: &dyn Store,
        to: &ItemPath,
    ) -> StoreResult<Option<Stamp>>;
    /// Puts an item into the trash; returns what [`Store::restore`] knows it by. `day` is the local
    /// time as `2031-04-07T09:00:00`.
    fn discard(&self, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>>;
    /// Takes an item out of the trash, onto a free name. `stamp` is what it had when it was discarded. Returns as
    /// what it is found then, where that is another stamp.
    fn restore(&self, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<Option<Stamp>>;
    /// What the trash knows a discarded item by, if it is there.
    fn find_discarded(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>>;
    /// Where a discarded item lies: a store, and its path there.
    fn discarded(&self, kept_as: &[u8]) -> StoreResult<(Arc<dyn Store>, ItemPath)>;
    /// The names in a folder under which what was done there does not show: something else has taken its place
    /// meanwhile. Only a drive must be asked.
    fn not_shown(&self, _folder: &ItemPath) -> StoreResult<Vec<Vec<u8>>> {
        Ok(Vec::new())
    }
    /// Makes sure that what was done in a folder survives a loss of power.
    fn sync_folder(&self, folder: &ItemPath) -> StoreResult<()>;

    /// A file's content.
    fn read(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>>;
    /// A file to read in parts, leaving no trace of having been opened.
    fn open_file(&self, path: &ItemPath) -> StoreResult<Box<dyn OpenFile>>;
    /// Where a link points to.
    fn read_link(&self, path: &ItemPath) -> StoreResult<Vec<u8>>;
    /// What travels with an item's content.
    fn meta(&self, path: &ItemPath) -> StoreResult<Meta>;
    /// Writes a new file with its meta, and makes sure that it survives a loss of power. `size` is how many bytes
    /// there will be, where that is known. Returns how many it holds.
    fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64>;
    /// Puts a list of the archive in the place of an older one, or where there is none: it is written
    /// under `temporary` first, and at each moment the whole old or the whole new list has the name. The one
    /// thing that is ever replaced, since the new list is made from the old one. `old` is as what that was read.
    /// `open_to` are the rights of others that it may have at most; see [`Store::open_to`].
    fn update_list(
        &self,
        path: &ItemPath,
        old: Option<&Stamp>,
        temporary: &ItemPath,
        content: &[u8],
        open_to: u32,
    ) -> StoreResult<()>;
    /// Makes another name (a hard link) of a file that was just written; says whether the store has such names.
    fn link_again(&self, _first: &ItemPath, _name: &ItemPath) -> StoreResult<bool> {
        Ok(false)
    }
    /// Makes a new link.
    fn link_new(&self, path: &ItemPath, target: &[u8], meta: &Meta) -> StoreResult<()>;
    /// Gives a folder its meta, once it is filled.
    fn set_folder_meta(&self, path: &ItemPath, meta: &Meta) -> StoreResult<()>;
    /// Takes away a file or link whose copy has been verified, or a copy that was never finished. It is first moved
    /// [`aside`], where nobody saves to, and looked at again there; what is another thing by then goes back to its
    /// name.
    ///
    /// # Errors
    /// [`StoreError::Changed`], or [`StoreError::SetAside`] if its name was taken meanwhile.
    fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()>;

    /// For stores that can move between one another.
    fn as_any(&self) -> &dyn std::any::Any;
}
