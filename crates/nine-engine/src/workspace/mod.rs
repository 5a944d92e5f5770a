//! What every capability works in: the environment that is handed in, the configuration, the places, the catalogue
//! and the daybook.

mod archive;
mod config_file;
mod drives;
mod environment;
pub mod known_places;
pub(crate) mod recovery;
mod shelving;

use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use nine_core::collation::Collation;
use nine_core::config::{Bookcase, Config, Pile};
use nine_core::moment::{Moment, Now};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::plan::Siblings;
use nine_core::shelving::Shelving;
use nine_stores::ahead::Ahead;
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{LocalStore, Location, Places, Store, StoreError, StoreResult, Watch};

pub use archive::{Dated, dated, holds};
pub use environment::{Environment, ReaderProgram};
pub use shelving::shelvings;

use self::known_places::KnownPlaces;
use crate::reader::{Reader, SharedReader};
use crate::reporter::{Notice, Reporter, Silent, Task, during};
use crate::{Error, Result};
pub(crate) use drives::Drives;

/// The configuration with the text it was read from.
#[derive(Debug)]
pub struct Loaded {
    /// What it says.
    pub config: Config,
    /// Its text.
    pub text: String,
    /// Whether there is a file; if not, the usual piles stand in.
    pub exists: bool,
}

/// An open place.
pub struct Place {
    /// Its name.
    pub name: String,
    /// Its store.
    pub store: Arc<dyn Store>,
}

/// A place that cannot be reached.
#[derive(Debug, Clone)]
pub struct Closed {
    /// Its name.
    pub name: String,
    /// Where it would be.
    pub at: Location,
    /// Why.
    pub error: StoreError,
}

/// The places of a configuration, opened as far as they can be reached.
#[derive(Default)]
pub struct Opened {
    /// By name.
    pub places: Places,
    /// In the order of the configuration.
    pub open: Vec<Place>,
    /// Those that cannot be reached.
    pub closed: Vec<Closed>,
    /// The archive's shelf, if there is one and it can be told; first under its bookcase's name, then under
    /// those of piles that are the same folder.
    pub archive: Vec<Spot>,
}

impl Opened {
    /// The store of a place.
    pub fn store(&self, name: &str) -> Option<&Arc<dyn Store>> {
        self.open.iter().find(|place| place.name == name).map(|place| &place.store)
    }
}

/// The file systems of the places, or why their file cannot be read.
type Known = Arc<std::result::Result<KnownPlaces, String>>;

/// What every capability works in.
pub struct Workspace {
    /// Where things are, and what the time is.
    pub environment: Arc<Environment>,
    /// Told what happens.
    pub reporter: Arc<dyn Reporter>,
    /// The configuration.
    pub loaded: Loaded,
    counters: Arc<Counters>,
    pub(crate) drives: Arc<Drives>,
    opened: OnceLock<Opened>,
    containers: SharedReader,
    /// On which file systems places were first used; read once.
    known: Mutex<Option<Known>>,
    /// Where the places are seen as they will stand: how that is.
    ahead: Option<Arc<Ahead>>,
}

impl Workspace {
    /// Opens a workspace. What an interrupted run left half-done is finished or undone first. If that cannot be done
    /// now, it is reported, and [`crate::plan::Plan::carry`] refuses to change anything; reading and previews go on.
    ///
    /// # Errors
    /// Everything that is wrong with the configuration.
    pub fn open(environment: Arc<Environment>, reporter: Arc<dyn Reporter>) -> Result<Self> {
        let workspace = Self::unrecovered(environment, reporter)?;
        workspace.recover();
        Ok(workspace)
    }

    fn recover(&self) {
        if let Err(error) = recovery::recover_all(self) {
            self.notice(&Notice::Unrecovered(&error));
        }
    }

    /// A workspace in which nothing is looked after first.
    ///
    /// # Errors
    /// Everything that is wrong with the configuration.
    pub fn unrecovered(environment: Arc<Environment>, reporter: Arc<dyn Reporter>) -> Result<Self> {
        recovery::close_data(&environment, &*reporter);
        let loaded = config_file::load(&environment)?;
        Ok(Self::new(environment, reporter, loaded))
    }

    /// A workspace that is only asked for what is known already: nothing is looked after, closed or told.
    ///
    /// # Errors
    /// Everything that is wrong with the configuration.
    pub fn as_known(environment: Arc<Environment>) -> Result<Self> {
        let loaded = config_file::load(&environment)?;
        Ok(Self::new(environment, Arc::new(Silent), loaded))
    }

    /// The same with a text as its configuration, whatever the file says.
    ///
    /// # Errors
    /// Everything that is wrong with it.
    pub fn open_with(
        environment: Arc<Environment>,
        reporter: Arc<dyn Reporter>,
        text: String,
    ) -> Result<Self> {
        recovery::close_data(&environment, &*reporter);
        let loaded = config_file::of_text(&environment, text)?;
        let workspace = Self::new(environment, reporter, loaded);
        workspace.recover();
        Ok(workspace)
    }

    fn new(environment: Arc<Environment>, reporter: Arc<dyn Reporter>, loaded: Loaded) -> Self {
        let (counters, drives) = (Arc::default(), Arc::default());
        let (opened, containers) = (OnceLock::new(), SharedReader::new(&environment.reader));
        let known = Mutex::default();
        Self { environment, reporter, loaded, counters, drives, opened, containers, known, ahead: None }
    }

    /// The same with the configuration as it is by now, and all places opened anew.
    ///
    /// # Errors
    /// Everything that is wrong with the configuration.
    pub fn again(&self) -> Result<Self> {
        Ok(self.with(config_file::load(&self.environment)?))
    }

    /// The same with its places as they will stand.
    pub(crate) fn ahead(&self, ahead: &Arc<Ahead>) -> Self {
        let Opened { archive, closed, .. } = self.opened();
        let mut opened = Opened { archive: archive.clone(), closed: closed.clone(), ..Opened::default() };
        for Place { name, store } in &self.opened().open {
            let store = ahead.store(store);
            opened.places.add(name.clone(), Arc::clone(&store));
            opened.open.push(Place { name: name.clone(), store });
        }
        let loaded = &self.loaded;
        let loaded =
            Loaded { config: loaded.config.clone(), text: loaded.text.clone(), exists: loaded.exists };
        Self { opened: OnceLock::from(opened), ahead: Some(Arc::clone(ahead)), ..self.with(loaded) }
    }

    /// What is foreseen, where places are seen as they do not stand yet: nothing may be kept of what is seen then.
    pub(crate) fn foreseen(&self) -> Option<&Ahead> {
        self.ahead.as_deref().filter(|ahead| ahead.is_changed())
    }

    fn with(&self, loaded: Loaded) -> Self {
        Self {
            environment: Arc::clone(&self.environment),
            reporter: Arc::clone(&self.reporter),
            loaded,
            counters: Arc::clone(&self.counters),
            drives: Arc::clone(&self.drives),
            opened: OnceLock::new(),
            containers: SharedReader::new(&self.environment.reader),
            known: Mutex::default(),
            ahead: None,
        }
    }

    /// The same as it would be with another configuration, which is written nowhere.
    ///
    /// # Errors
    /// Everything that is wrong with it.
    pub fn with_text(&self, text: String) -> Result<Self> {
        Ok(self.with(config_file::of_text(&self.environment, text)?))
    }

    /// What would not be known of a run that was cut off, if it were closed now. Nothing is changed.
    ///
    /// # Errors
    /// If it is not open, or the daybook cannot be read.
    pub fn unseen(&self, run: u64) -> Result<nine_carry::Unseen> {
        recovery::unseen(self, run)
    }

    /// Closes one run that was cut off with what can be seen, although a place of it is away.
    ///
    /// # Errors
    /// If it is not open, or the daybook cannot be read or written.
    pub fn give_up(&self, run: u64) -> Result {
        recovery::give_up(self, run)
    }

    /// The configuration.
    pub fn config(&self) -> &Config {
        &self.loaded.config
    }

    /// The time from which ages are counted.
    pub fn now(&self) -> &Now {
        &self.environment.now
    }

    /// The order of names in lists.
    pub fn collation(&self) -> &Collation {
        &self.environment.collation
    }

    /// The time by the clock, for records.
    pub fn clock(&self) -> jiff::ZonedDateTime {
        (self.environment.clock)()
    }

    /// The same as a moment.
    pub fn moment(&self) -> Moment {
        Moment::from_timestamp(self.clock().timestamp())
    }

    /// The folder of the daybook and the catalogue.
    pub fn data(&self) -> &Path {
        &self.environment.data
    }

    /// Told to stop by the person.
    pub fn watch(&self) -> &Watch {
        &self.environment.watch
    }

    /// How often something was flushed to the disk so far.
    pub fn syncs(&self) -> u64 {
        self.counters.syncs.load(Ordering::Relaxed)
    }

    /// Whether there is more than one bookcase, so that places need their names.
    pub fn names_places(&self) -> bool {
        self.config().bookcases.len() > 1
    }

    /// The places, opened as far as they can be reached.
    pub fn opened(&self) -> &Opened {
        self.opened.get_or_init(|| self.open_places())
    }

    /// The store of a place.
    pub fn store(&self, name: &str) -> Option<&Arc<dyn Store>> {
        self.opened().store(name)
    }

    /// The bookcases as they stand.
    pub fn shelvings(&self) -> Vec<Shelving> {
        shelving::shelvings(self)
    }

    pub(crate) fn notice(&self, notice: &Notice) {
        self.reporter.notice(notice);
    }

    pub(crate) fn during<T>(&self, task: Task, watch: &Watch, work: impl FnOnce() -> T) -> T {
        during(&*self.reporter, task, watch, work)
    }

    /// A process that reads what is inside files.
    pub(crate) fn reader(&self) -> Reader {
        Reader::new(&self.environment.reader)
    }

    /// Looks into containers, in a process of its own.
    pub(crate) fn containers(&self) -> &SharedReader {
        &self.containers
    }

    /// Where a place of the configuration is.
    pub fn at(&self, at: &str) -> Location {
        self.environment.at(at)
    }

    /// Where something is that was typed.
    ///
    /// # Errors
    /// If it begins like an address of a drive, and is none.
    pub fn typed(&self, typed: &Path) -> Result<Location> {
        Location::typed(typed).map_err(|source| Error::BadAddress { typed: typed.to_owned(), source })
    }

    /// The folder in which saved searches are displayed as folders of links.
    pub fn displays(&self) -> PathBuf {
        let configured = self.config().displays.as_ref();
        configured.map_or_else(|| self.environment.home.join("Displays"), |at| self.environment.expand(at))
    }

    /// Opens one place.
    ///
    /// # Errors
    /// If it cannot be reached.
    pub fn open_store(&self, at: &Location, believes_births: bool) -> StoreResult<Arc<dyn Store>> {
        let store = self.open_as_it_is(at, believes_births)?;
        Ok(self.ahead.as_ref().map_or_else(|| Arc::clone(&store), |ahead| ahead.store(&store)))
    }

    fn open_as_it_is(&self, at: &Location, believes_births: bool) -> StoreResult<Arc<dyn Store>> {
        match at {
            Location::Drive(address) => self.open_on_drive(address.clone()),
            Location::Local(path) => {
                let settings = self.settings(believes_births, self.config().trash.as_ref());
                let store = LocalStore::open(path, settings)?;
                known_places::expect_known(self, path, &store)?;
                Ok(Arc::new(store))
            }
        }
    }

    /// Opens a folder on whatever file system it is.
    fn open_unchecked(&self, path: &Path) -> StoreResult<Arc<dyn Store>> {
        Ok(Arc::new(LocalStore::open(path, self.settings(true, self.config().trash.as_ref()))?))
    }

    fn known_places(&self) -> Known {
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        Arc::clone(known.get_or_insert_with(|| Arc::new(KnownPlaces::read(self.data()))))
    }

    fn forget_known_places(&self) {
        *self.known.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }

    /// Opens a folder that is in no place; what is discarded there goes into the desktop's trash.
    pub(crate) fn open_outside(&self, folder: &Path) -> StoreResult<Arc<dyn Store>> {
        Ok(Arc::new(LocalStore::open(folder, self.settings(true, None))?))
    }

    fn settings(&self, believes_births: bool, trash: Option<&String>) -> LocalSettings {
        LocalSettings {
            believes_births,
            home_trash: trash
                .map_or_else(|| self.environment.trash.clone(), |at| self.environment.expand(at)),
            one_trash: trash.is_some(),
            reads_mounts: self.environment.reads_drives,
            counters: Arc::clone(&self.counters),
        }
    }

    /// A bookcase that knows which of its shelves others see.
    fn with_shared_shelves(
        &self,
        case: &Bookcase,
        path: &Path,
        store: Arc<dyn Store>,
    ) -> StoreResult<Arc<dyn Store>> {
        let shared = || case.shelves.iter().filter_map(|shelf| Some((shelf.number, shelf.shared.clone()?)));
        if shared().next().is_none() {
            return Ok(store);
        }
        let names: Vec<NameBuf> = store.list(&ItemPath::root())?.into_iter().map(|(name, _)| name).collect();
        let shelving = Shelving::new(case, names.iter().map(NameBuf::as_name));
        let folders = shared().filter_map(|(number, who)| Some((shelving.spot(number)?.path, who)));
        let settings = self.settings(true, self.config().trash.as_ref());
        Ok(Arc::new(LocalStore::open(path, settings)?.with_shared(folders.collect())))
    }

    fn open_places(&self) -> Opened {
        let mut opened = Opened::default();
        let config = self.config();
        let piles =
            config.piles.iter().map(|Pile { name, at, believes_births, .. }| (name, at, *believes_births));
        let bookcases = config.bookcases.iter().map(|Bookcase { name, at, .. }| (name, at, true));
        for (name, at, births) in piles.chain(bookcases) {
            let at = self.at(at);
            let opened_store = self.open_store(&at, births).and_then(|store| {
                match (config.bookcase(Some(name)).filter(|case| case.name == *name), at.local()) {
                    (Some(case), Some(path)) => {
                        known_places::expect_shelves(self, name, path, &*store)?;
                        self.with_shared_shelves(case, path, store)
                    }
                    _ => Ok(store),
                }
            });
            match opened_store {
                Ok(store) => {
                    opened.places.add(name.clone(), store.clone());
                    opened.open.push(Place { name: name.clone(), store });
                }
                Err(error) => opened.closed.push(Closed { name: name.clone(), at, error }),
            }
        }
        opened.archive = archive::shelf(self, &opened);
        opened
    }

    /// The piles that were named, or all.
    ///
    /// # Errors
    /// If a name is none.
    pub(crate) fn piles(&self, names: &[String]) -> Result<Vec<&Pile>> {
        let config = self.config();
        if names.is_empty() {
            return Ok(config.piles.iter().collect());
        }
        let known = || config.piles.iter().map(|pile| pile.name.as_str());
        let find = |name: &String| {
            config.pile(name).ok_or_else(|| Error::unknown(crate::error::Named::Pile, name, known()))
        };
        names.iter().map(find).collect()
    }

    /// Names the places that cannot be reached; says how many there are.
    pub(crate) fn tell_closed(&self, piles: &[&Pile]) -> usize {
        let closed = &self.opened().closed;
        for Closed { name, at, error } in closed {
            let is_pile = piles.iter().any(|pile| pile.name == *name);
            let is_away = matches!(error, StoreError::Away(..));
            let can_be_made = !is_away && at.local().is_some_and(crate::setup::can_be_made);
            self.notice(&Notice::PlaceClosed { name, is_pile, at, error, can_be_made });
        }
        closed.len()
    }

    /// Whether something is a pile, a bookcase or a shelf.
    pub(crate) fn is_place(&self, spot: &Spot) -> bool {
        spot.path.is_root()
            || shelving::places_inside(self, &spot.place).contains(&spot.path)
            || (self.config().bookcase(Some(&spot.place)).is_some()
                && spot.path.depth() == 1
                && nine_core::shelving::shelf_number(spot.path.name()).is_some())
    }

    /// Folders inside a place that are places of their own.
    pub(crate) fn other_places_inside(&self, place: &str) -> std::collections::HashSet<ItemPath> {
        shelving::other_places_inside(self, place)
    }

    /// The same, and where a pile is a bookcase too, its shelves.
    pub(crate) fn places_inside(&self, place: &str) -> std::collections::HashSet<ItemPath> {
        shelving::places_inside(self, place)
    }
}

/// What lies in a folder; nothing where that cannot be read.
pub(crate) fn listed(places: &Places, folder: &Spot) -> Siblings {
    places.of(folder).and_then(|store| store.list(&folder.path)).unwrap_or_default()
}
