//! A drive that speaks WebDAV (RFC 4918): one place on it is a [`DriveStore`], all places on one server with one
//! login share a [`Drive`].
//!
//! The server is never trusted to keep a promise that was not tried (`probe.rs`), and after each request of which
//! it is not known what became of it both ends are looked at before it is sent again (`changes.rs`).

mod address;
mod changes;
mod content;
mod discarded;
mod listing;
mod multistatus;
mod news;
mod probe;
mod properties;
mod sharing;
mod store;
mod wire;

use std::collections::{HashMap, HashSet};
use std::fmt;
use std::sync::{Arc, Mutex, OnceLock};
use std::time::Duration;

use nine_core::item::{Entry, Identity, Kind, Stamp};
use nine_core::place::{ItemPath, NameBuf};

use crate::work::held;
use crate::{StoreError, StoreResult, mark, random_token};

pub use address::{Address, BadAddress};
pub use discarded::DISCARDED;
pub use probe::{Conduct, SCRATCH};
pub use wire::Login;

use listing::Listings;
use wire::Wire;

/// The namespace of our own properties.
pub(crate) const NAMESPACE: &str = "urn:nine-shelves:drive";

/// How a drive is spoken to.
pub struct DriveSettings {
    /// Who the person is to it.
    pub login: Option<Login>,
    /// The certificate (PEM) of whoever vouches for the server, if not one of those that are known anyway.
    pub authority: Option<Vec<u8>>,
    /// How many requests may be under way at once.
    pub at_once: usize,
    /// The first pause before something is tried again; it doubles.
    pub pause: Duration,
    /// Whether whole files may be read to answer a question.
    pub may_read: bool,
    /// Folders that others see, by their whole path on the server, and who these are.
    pub shared: Vec<(ItemPath, String)>,
    /// How it was found to behave, if it was tried.
    pub conduct: Option<Conduct>,
    /// Told how it behaves, once that was tried.
    pub remember: Box<dyn Fn(&Conduct) + Send + Sync>,
}

impl Default for DriveSettings {
    fn default() -> Self {
        Self {
            login: None,
            authority: None,
            at_once: 8,
            pause: Duration::from_millis(250),
            may_read: true,
            shared: Vec::new(),
            conduct: None,
            remember: Box::new(|_| {}),
        }
    }
}

impl fmt::Debug for DriveSettings {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("DriveSettings").field("login", &self.login).finish_non_exhaustive()
    }
}

/// A server, and who the person is to it.
#[derive(Debug)]
pub struct Drive {
    wire: Wire,
    origin: String,
    may_read: bool,
    shared: Vec<(ItemPath, String)>,
    listings: Mutex<Listings>,
    conduct: Mutex<Option<Conduct>>,
    /// Held while it is tried how the drive behaves, so that it is tried once.
    trying: Mutex<()>,
    remember: Remember,
    /// What was done in which folder and has not been seen there yet.
    unseen: Mutex<HashMap<ItemPath, Unseen>>,
    /// Folders for discarded things that are known to be there.
    there: Mutex<HashSet<ItemPath>>,
    /// The names in them that are taken.
    days: Mutex<HashMap<ItemPath, HashSet<NameBuf>>>,
    /// Free bytes, once they were asked for.
    room: Mutex<Option<Option<u64>>>,
    /// Where it may be tried how the drive behaves.
    top: ItemPath,
}

/// As what each name must show in a folder; `None` where something was taken away.
type Unseen = HashMap<NameBuf, Option<Seen>>;

/// As what something must show in its folder.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Seen {
    kind: Kind,
    size: u64,
    /// The entity tag, where it is known to stay the same.
    tag: Option<String>,
}

impl Seen {
    fn is_shown_by(&self, found: &listing::DriveItem) -> bool {
        let same_tag = self.tag.is_none() || found.tag.is_none() || self.tag == found.tag;
        (self.kind, self.size) == (found.entry.kind, found.entry.size) && same_tag
    }
}

struct Remember(Box<dyn Fn(&Conduct) + Send + Sync>);

impl fmt::Debug for Remember {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Remember")
    }
}

impl Drive {
    /// The drive on whose server `address` is, in which it may be tried how the drive behaves. Nothing is sent
    /// before it is used.
    pub fn new(address: &Address, settings: DriveSettings) -> Arc<Self> {
        let DriveSettings { login, authority, at_once, pause, may_read, shared, conduct, remember } =
            settings;
        Arc::new(Self {
            wire: Wire::new(login, authority.as_deref(), at_once, pause),
            origin: address.origin(),
            may_read,
            shared,
            listings: Mutex::default(),
            conduct: Mutex::new(conduct),
            trying: Mutex::default(),
            remember: Remember(remember),
            unseen: Mutex::default(),
            there: Mutex::default(),
            days: Mutex::default(),
            room: Mutex::default(),
            top: address.path.clone(),
        })
    }

    /// The address of the top of its server.
    fn server(&self) -> Address {
        let (scheme, host) = self.origin.split_once("://").unwrap_or(("https", &self.origin));
        Address { scheme: scheme.to_owned(), host: host.to_owned(), path: ItemPath::root() }
    }

    fn domain(&self) -> u64 {
        mark(self.origin.as_bytes())
    }

    /// Free bytes, asked for once.
    fn remembered_room(&self, ask: impl FnOnce() -> StoreResult<Option<u64>>) -> StoreResult<Option<u64>> {
        let mut room = held(&self.room);
        if room.is_none() {
            *room = Some(ask()?);
        }
        Ok(room.flatten())
    }

    /// What an item of this path is known by. A file is also known by its entity tag; a folder is what it is
    /// whatever lies in it.
    fn identity(&self, path: &ItemPath, kind: Kind, tag: Option<&str>) -> Identity {
        let whole = [self.origin.as_bytes(), b"\0", path.as_bytes()].concat();
        let content = match kind {
            Kind::Folder => 0,
            _ => mark(tag.unwrap_or_default().as_bytes()),
        };
        Identity([mark(&whole), content])
    }

    /// The stamp of the same item under another path.
    fn moved(&self, stamp: &Stamp, to: &ItemPath) -> Stamp {
        let place = self.identity(to, Kind::Folder, None).0[0];
        Stamp { identity: Identity([place, stamp.identity.0[1]]), ..*stamp }
    }

    /// Whether an entry is what had this stamp, perhaps under another path.
    fn is_it(&self, entry: &Entry, stamp: &Stamp) -> bool {
        let same_tag = entry.identity.0[1] == stamp.identity.0[1];
        let now = entry.stamp();
        let keeps_tags = held(&self.conduct).as_ref().is_none_or(|conduct| conduct.tag_survives_move);
        match entry.kind {
            Kind::Folder => same_tag,
            _ if keeps_tags => same_tag && now.size == stamp.size,
            _ => now.size == stamp.size && stamp.identity.0[1] != 0,
        }
    }
}

/// A place on a drive.
#[derive(Debug)]
pub struct DriveStore {
    drive: Arc<Drive>,
    address: Address,
    /// Folders at its top that others see, as the drive tells it, once it was asked.
    told_shared: OnceLock<Vec<(ItemPath, String)>>,
    /// What is in all names that are made for a moment.
    token: Mutex<String>,
}

impl DriveStore {
    /// A folder on a drive as a place. Nothing is sent before it is used.
    pub fn new(drive: Arc<Drive>, address: Address) -> Self {
        Self { drive, address, told_shared: OnceLock::new(), token: Mutex::new(random_token()) }
    }

    /// The drive.
    pub fn drive(&self) -> &Arc<Drive> {
        &self.drive
    }

    /// Where it is.
    pub fn place(&self) -> &Address {
        &self.address
    }

    /// The whole path of an item, from the top of the server.
    fn whole(&self, path: &ItemPath) -> ItemPath {
        self.address.path.join_path(path)
    }

    fn url(&self, whole: &ItemPath, is_folder: bool) -> String {
        url(&self.drive, whole, is_folder)
    }
}

/// The address of what has this whole path.
fn url(drive: &Drive, whole: &ItemPath, is_folder: bool) -> String {
    drive.server().of(whole, is_folder)
}

fn expect(found: Option<listing::DriveItem>, stamp: &Stamp) -> StoreResult<listing::DriveItem> {
    match found {
        Some(found) if found.entry.stamp() == *stamp => Ok(found),
        Some(_) => Err(StoreError::Changed),
        None => Err(StoreError::NotThere),
    }
}
