//! Where items live. One interface, [`Store`], for a folder of the local file system and for a drive on the
//! network: nothing above it may assume a local path or an inode.
//!
//! This crate never prints, never reads the environment and never asks for the time.

pub mod ahead;
pub mod bounded;
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
mod location;
pub mod packs;
mod places;
pub mod reading;
mod recognition;
mod store;
mod sums;
mod walk;
mod work;

use nine_core::place::{ItemPath, NameBuf};

pub use catalogue::{Catalogue, CatalogueError};
pub use details::StoreDetails;
pub use error::{StoreError, StoreResult};
pub use hashing::{HashSource, Hashed, expect, hash, hash_round, read_digests};
pub use in_use::in_use;
pub use learn::learn;
pub use local::LocalStore;
pub use location::{BadLocation, Location};
pub use places::Places;
pub use recognition::{ContainerReader, NoContainers};
pub use store::{
    Abilities, ChangeStore, Earlier, EarlierScan, Ground, Keeps, Meta, Mount, OnlyNames, OpenFile, ReadStore,
    Scan, Scope, Store, TransferStore, TrashStore, Watch,
};
pub use sums::{Summing, sum_of, sum_of_stream};
pub use work::{ItemPanic, beside, made_of_each, side_by_side, threads, with_item_named};

/// How all names begin that are made for a moment. The token behind it says by whom.
pub const OWN: &str = ".nine-";

/// The name, beside an item, that the item has for a moment before it is taken away.
pub fn aside(token: &str, path: &ItemPath) -> ItemPath {
    path.beside(&own_name(token, mark(path.as_bytes())))
}

/// A name that is made for a moment.
pub(crate) fn own_name(token: &str, mark: u64) -> NameBuf {
    // No token that was read is another; see [`is_token`].
    let token = if is_token(token) { token } else { "" };
    NameBuf::new(format!("{OWN}{token}-{mark:016x}")).expect("there is no slash in it")
}

/// Whether a text is one that [`random_token`] could give, or none.
pub fn is_token(text: &str) -> bool {
    text.bytes().all(|byte| byte.is_ascii_hexdigit())
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
