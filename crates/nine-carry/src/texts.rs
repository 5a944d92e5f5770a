//! Files of text that a run writes anew: the configuration, and what the desktop reads of folders. At each moment the
//! whole old or the whole new text has the name, and nothing that somebody else wrote since is replaced.

use std::io::Read;

use nine_core::item::{Kind, Stamp};
use nine_core::place::ItemPath;
use nine_stores::{ReadStore, Store, StoreError, StoreResult};

/// Bytes of a text at most.
const LONGEST: u64 = 4 << 20;

/// All rights of others, which stay as they are.
const AS_IT_IS: u32 = 0o077;

/// A text as it is, and as what its file is found; `None` if there is no such file.
pub(crate) fn read(store: &dyn ReadStore, path: &ItemPath) -> StoreResult<Option<(Vec<u8>, Stamp)>> {
    let Some(entry) = store.entry(path)? else { return Ok(None) };
    if entry.kind != Kind::File || entry.size > LONGEST {
        return Err(StoreError::Changed);
    }
    let mut bytes = Vec::new();
    store.read(path)?.take(LONGEST).read_to_end(&mut bytes)?;
    Ok(Some((bytes, entry.stamp())))
}

/// Writes a text under a temporary name and puts it in the place of the other. Returns as what it is found.
pub(crate) fn write(
    store: &dyn Store,
    path: &ItemPath,
    from: Option<&str>,
    to: &str,
    temporary: &ItemPath,
) -> StoreResult<Option<Stamp>> {
    let old = match (read(store, path)?, from) {
        (None, None) => None,
        (Some((bytes, stamp)), Some(from)) if bytes == from.as_bytes() => Some(stamp),
        (None, Some(_)) => return Err(StoreError::NotThere),
        (Some(_), None) => return Err(StoreError::Taken),
        (Some(_), Some(_)) => return Err(StoreError::Changed),
    };
    store.update_text(path, old.as_ref(), temporary, to.as_bytes(), AS_IT_IS)?;
    Ok(store.entry(path)?.map(|entry| entry.stamp()))
}
