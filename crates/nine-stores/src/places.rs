//! The open places of a command, by name.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::escape::unescape;
use nine_core::place::Spot;

use crate::drive::{Address, as_path};
use crate::{Store, StoreError, StoreResult};

/// The open places, by the names that the configuration gives them.
#[derive(Debug, Default, Clone)]
pub struct Places {
    stores: BTreeMap<String, Arc<dyn Store>>,
}

impl Places {
    /// Has every place look anew at what lies where.
    pub fn look_anew(&self) {
        self.stores.values().for_each(|store| store.look_anew());
    }

    /// Every place.
    pub fn all(&self) -> impl Iterator<Item = &dyn Store> {
        self.stores.values().map(|store| &**store)
    }

    /// Adds a place.
    pub fn add(&mut self, name: impl Into<String>, store: Arc<dyn Store>) {
        self.stores.insert(name.into(), store);
    }

    /// Opens the places that a run was recorded with. What cannot be reached is left out, so that
    /// steps there are refused one by one.
    pub fn from_addresses(
        addresses: &BTreeMap<String, String>,
        open: &dyn Fn(&Path) -> StoreResult<Arc<dyn Store>>,
    ) -> Self {
        let mut places = Self::default();
        for (name, address) in addresses {
            let path = match Address::is_one(address.as_bytes()) {
                true => Address::parse(address).ok().map(|address| as_path(&address)),
                false => unescape(address).ok().map(|bytes| PathBuf::from(OsString::from_vec(bytes))),
            };
            if let Some(Ok(store)) = path.map(|path| open(&path)) {
                places.add(name.clone(), store);
            }
        }
        places
    }

    /// The store of a place.
    ///
    /// # Errors
    /// If there is no such place, or it could not be reached.
    pub fn of(&self, spot: &Spot) -> StoreResult<&dyn Store> {
        let store = self.stores.get(&spot.place).map(|store| &**store);
        store.ok_or_else(|| StoreError::System(format!("the place `{}` is not open", spot.place)))
    }

    /// Where each place is, for the daybook.
    pub fn addresses(&self) -> BTreeMap<String, String> {
        self.stores.iter().map(|(name, store)| (name.clone(), store.address())).collect()
    }
}
