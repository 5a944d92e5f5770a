//! The open places of a command, by name.

use std::collections::BTreeMap;
use std::sync::Arc;

use nine_core::item::Identity;
use nine_core::place::{ItemPath, Spot};

use crate::{Location, Store, StoreError, StoreResult};

/// The open places, by the names that the configuration gives them.
#[derive(Debug, Default, Clone)]
pub struct Places {
    stores: BTreeMap<String, Arc<dyn Store>>,
    /// Places that cannot be worked with for now, and why.
    away: BTreeMap<String, String>,
}

impl Places {
    /// Has every place look anew at what lies where.
    pub fn look_anew(&self) {
        self.stores.values().for_each(|store| store.look_anew());
    }

    /// Has all names that are made for a moment carry this token; see [`Store::name_own`].
    pub fn name_own(&self, token: &str) {
        self.stores.values().for_each(|store| store.name_own(token));
    }

    /// What the folder of each local place is known by.
    pub fn roots(&self) -> BTreeMap<String, Identity> {
        let local =
            self.stores.iter().filter(|(_, store)| store.location(&ItemPath::root()).local().is_some());
        let root = |store: &dyn Store| Some(store.entry(&ItemPath::root()).ok()??.identity);
        local.filter_map(|(name, store)| Some((name.clone(), root(&**store)?))).collect()
    }

    /// Takes a place away in whose stead another folder stands than was recorded: a disk was pulled out, or its
    /// folder renamed for the moment.
    pub fn expect_roots(&mut self, recorded: &BTreeMap<String, Identity>) {
        for (name, now) in self.roots() {
            let Some(store) = self.stores.get(&name) else { continue };
            if recorded.get(&name).is_some_and(|then| !store.same_identity(&now, then)) {
                let why = format!("another folder stands at {} now", store.address());
                self.stores.remove(&name);
                self.away.insert(name, why);
            }
        }
    }

    /// Every place.
    pub fn all(&self) -> impl Iterator<Item = &dyn Store> {
        self.stores.values().map(|store| &**store)
    }

    /// Adds those of others that are not among these.
    pub fn add_all(&mut self, others: &Self) {
        for (name, store) in &others.stores {
            self.stores.entry(name.clone()).or_insert_with(|| Arc::clone(store));
        }
    }

    /// Adds a place.
    pub fn add(&mut self, name: impl Into<String>, store: Arc<dyn Store>) {
        self.stores.insert(name.into(), store);
    }

    /// Notes a place that cannot be worked with for now, and why.
    pub fn take_away(&mut self, name: impl Into<String>, why: impl Into<String>) {
        self.away.insert(name.into(), why.into());
    }

    /// Opens the places that a run was recorded with. What cannot be reached is away, so that steps there are
    /// refused one by one.
    pub fn from_addresses(
        addresses: &BTreeMap<String, String>,
        open: &dyn Fn(&Location) -> StoreResult<Arc<dyn Store>>,
    ) -> Self {
        let mut places = Self::default();
        for (name, address) in addresses {
            match Location::read(address).map(|at| open(&at)) {
                Ok(Ok(store)) => places.add(name.clone(), store),
                Ok(Err(StoreError::NotThere)) => {
                    places.away.insert(name.clone(), format!("{address} is not there"));
                }
                Ok(Err(error)) => drop(places.away.insert(name.clone(), format!("{address}: {error}"))),
                Err(_) => drop(places.away.insert(name.clone(), "its address cannot be read".into())),
            }
        }
        places
    }

    /// The store of a place.
    ///
    /// # Errors
    /// If there is no such place, or it could not be reached.
    pub fn of(&self, spot: &Spot) -> StoreResult<&dyn Store> {
        let store = self.stores.get(&*spot.place).map(|store| &**store);
        store.ok_or_else(|| match self.away.get(&*spot.place) {
            Some(why) => StoreError::Away(spot.place.to_string(), why.clone()),
            None => StoreError::System(format!("the place `{}` is not open", spot.place)),
        })
    }

    /// Where each place is, for the daybook.
    pub fn addresses(&self) -> BTreeMap<String, String> {
        self.stores.iter().map(|(name, store)| (name.clone(), store.address())).collect()
    }
}
