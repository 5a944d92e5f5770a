//! Where it comes from that something happened: folders that the kernel tells of, and piles that are looked at from
//! time to time, since it does not.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

use nine_core::config::Pile;
use nine_core::place::{Name, NameBuf};
use nine_core::rules::Reach;
use nine_stores::local::events::{Events, Happened, Unwatched, is_told};

use super::agenda::{Due, Uptime};
use super::{Told, WatchHost};
use crate::error::ScheduleError;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Event {
    /// To what has a name in a pile, or lies in a folder of that name.
    Touched(String, NameBuf),
    /// All of a pile is to be looked at.
    Whole(String),
    /// The kernel could not keep up.
    Overflow,
    /// The configuration was written.
    Configuration,
    /// A place may have come or gone.
    Places,
}

/// What a watched folder is.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Source {
    /// A pile.
    Pile(String),
    /// A folder inside a pile, in or at the folder of that name.
    Inside(String, NameBuf, PathBuf),
    /// A folder above a pile that is away, or above a pile, whose renaming is seen there.
    Above(String),
    /// The folder of the configuration.
    Configuration,
}

/// WatchedBy a pile is watched.
#[derive(Debug, Clone, PartialEq, Eq)]
enum WatchedBy {
    /// The kernel tells, of the folder that has this device and inode.
    Told((u64, u64)),
    /// It is looked at from time to time, next then.
    LookedAt(Uptime),
    /// It is not there, as was told.
    Away,
}

pub(super) struct Sources {
    events: Events,
    sources: HashMap<u64, Source>,
    next_number: u64,
    piles: BTreeMap<String, WatchedBy>,
    /// WatchedBy often is looked where the kernel tells nothing.
    look: Duration,
    config_file: PathBuf,
}

impl Sources {
    pub fn new(workspace: &Workspace) -> Result<Self> {
        let events = Events::new().map_err(|why| match why {
            Unwatched::Limit => ScheduleError::WatchLimit.into(),
            Unwatched::Store(source) => Error::Path { path: PathBuf::from("/proc/self"), source },
        })?;
        Ok(Self {
            events,
            sources: HashMap::new(),
            next_number: 0,
            piles: BTreeMap::new(),
            look: Duration::ZERO,
            config_file: workspace.environment.config_file.clone(),
        })
    }

    /// Begins to watch these piles, and nothing else.
    pub fn begin(&mut self, host: &dyn WatchHost, workspace: &Workspace, piles: &[Pile]) {
        let numbers: Vec<u64> = self.sources.drain().map(|(number, _)| number).collect();
        numbers.into_iter().for_each(|number| self.events.unwatch(number));
        self.piles.clear();
        self.look = workspace.config().watching.look().about();
        if let Some(folder) = self.config_file.parent().map(Path::to_owned) {
            // Without it, a signal tells of a new configuration.
            let _ = self.add(&folder, Source::Configuration);
        }
        for pile in piles {
            self.watch(host, workspace, pile);
        }
    }

    /// WatchedBy many folders the kernel tells of.
    pub fn folders(&self) -> usize {
        self.events.len()
    }

    /// The piles that are looked at from time to time.
    pub fn looked_at(&self) -> Vec<String> {
        let looked_at = self.piles.iter().filter(|(_, how)| matches!(how, WatchedBy::LookedAt(_)));
        looked_at.map(|(name, _)| name.clone()).collect()
    }

    /// Whether the kernel tells of a pile, or did until now.
    pub fn is_told(&self, pile: &str) -> bool {
        matches!(self.piles.get(pile), Some(WatchedBy::Told(_)))
    }

    fn add(&mut self, folder: &Path, source: Source) -> Result<(), Unwatched> {
        self.events.watch(folder, self.next_number)?;
        self.sources.insert(self.next_number, source);
        self.next_number += 1;
        Ok(())
    }

    /// Watches a pile as its place allows.
    fn watch(&mut self, host: &dyn WatchHost, workspace: &Workspace, pile: &Pile) {
        let at = workspace.at(&pile.at);
        let how = match at.local() {
            None => self.looked_at_from_now(host),
            Some(folder) if workspace.store(&pile.name).is_none() => {
                self.watch_above(folder, &pile.name);
                self.tell_away(host, workspace, &pile.name);
                WatchedBy::Away
            }
            Some(folder) if !is_told(folder) => self.looked_at_from_now(host),
            Some(folder) => match self.watch_folder(workspace, pile, folder) {
                Ok(()) => WatchedBy::Told(identity(folder)),
                Err(Unwatched::Limit) => {
                    host.told(&Told::Limit(&pile.name));
                    self.looked_at_from_now(host)
                }
                Err(Unwatched::Store(_)) => self.looked_at_from_now(host),
            },
        };
        self.piles.insert(pile.name.clone(), how);
    }

    fn looked_at_from_now(&self, host: &dyn WatchHost) -> WatchedBy {
        WatchedBy::LookedAt(host.uptime() + self.look)
    }

    fn tell_away(&self, host: &dyn WatchHost, workspace: &Workspace, name: &str) {
        if self.piles.get(name) != Some(&WatchedBy::Away) {
            let closed = workspace.opened().closed.iter().find(|closed| closed.name == name);
            host.told(&Told::Away(name, &closed.map_or_else(String::new, |closed| closed.error.to_string())));
        }
    }

    /// Watches the nearest folder above, so that a folder that comes back is seen.
    fn watch_above(&mut self, folder: &Path, name: &str) {
        if self.events.watch_above(folder, self.next_number).is_some() {
            self.sources.insert(self.next_number, Source::Above(name.to_owned()));
            self.next_number += 1;
        }
    }

    fn watch_folder(&mut self, workspace: &Workspace, pile: &Pile, folder: &Path) -> Result<(), Unwatched> {
        self.add(folder, Source::Pile(pile.name.clone()))?;
        if reaches_deep(workspace, &pile.name) {
            for folder in folders_in(folder) {
                self.watch_inside(&pile.name, &folder)?;
            }
        }
        Ok(())
    }

    /// Watches a folder that lies in a pile, and all in it.
    fn watch_inside(&mut self, pile: &str, top: &Path) -> Result<(), Unwatched> {
        let Some(name) = top.file_name().and_then(|name| Name::new(name.as_bytes())).map(NameBuf::from)
        else {
            return Ok(());
        };
        let mut open = vec![top.to_owned()];
        while let Some(folder) = open.pop() {
            match self.add(&folder, Source::Inside(pile.to_owned(), name.clone(), folder.clone())) {
                Err(Unwatched::Limit) => return Err(Unwatched::Limit),
                // It has gone meanwhile, or is closed to us.
                Err(Unwatched::Store(_)) => {}
                Ok(()) => open.extend(folders_in(&folder)),
            }
        }
        Ok(())
    }

    /// Watches new folders that lie in a pile, where rules reach into folders.
    pub fn follow(&mut self, host: &dyn WatchHost, workspace: &Workspace, pile: &Pile, due: &Due) {
        let at = workspace.at(&pile.at);
        let (Some(folder), Some(WatchedBy::Told(_))) = (at.local(), self.piles.get(&pile.name)) else {
            return;
        };
        if !reaches_deep(workspace, &pile.name) {
            return;
        }
        let watched: HashSet<PathBuf> = self.sources.values().filter_map(Source::inside).collect();
        let is_due = |path: &PathBuf| match due {
            Due::Whole => true,
            Due::Names(names) => path.file_name().is_some_and(|name| names.contains(name.as_bytes())),
        };
        for folder in folders_in(folder).into_iter().filter(is_due).filter(|path| !watched.contains(path)) {
            if let Err(Unwatched::Limit) = self.watch_inside(&pile.name, &folder) {
                host.told(&Told::Limit(&pile.name));
                let how = self.looked_at_from_now(host);
                self.piles.insert(pile.name.clone(), how);
                return;
            }
        }
    }

    /// Looks whether piles came or went; returns those that came.
    pub fn look_after(&mut self, host: &dyn WatchHost, workspace: &Workspace, piles: &[Pile]) -> Vec<String> {
        let mut came = Vec::new();
        for pile in piles {
            let is_there = workspace.store(&pile.name).is_some();
            let was_away = match self.piles.get(&pile.name) {
                Some(WatchedBy::Away) if is_there => true,
                // Another folder may stand there by now, or a disk was mounted over it.
                Some(WatchedBy::Told(known)) if !is_there || self.is_other(workspace, pile, *known) => false,
                _ => continue,
            };
            self.unwatch(&pile.name);
            self.watch(host, workspace, pile);
            if was_away {
                host.told(&Told::Back(&pile.name));
            }
            if self.piles.get(&pile.name) != Some(&WatchedBy::Away) {
                came.push(pile.name.clone());
            }
        }
        // The nearest folder above one that is still away may be another one by now.
        for pile in piles {
            if self.piles.get(&pile.name) != Some(&WatchedBy::Away) {
                continue;
            }
            self.unwatch(&pile.name);
            if let Some(folder) = workspace.at(&pile.at).local() {
                self.watch_above(folder, &pile.name);
            }
        }
        came
    }

    /// Whether another folder stands where a watched one stood, or that one is watched no more.
    fn is_other(&self, workspace: &Workspace, pile: &Pile, known: (u64, u64)) -> bool {
        let is_lost = !self.sources.values().any(|source| *source == Source::Pile(pile.name.clone()));
        is_lost || workspace.at(&pile.at).local().is_some_and(|folder| identity(folder) != known)
    }

    fn unwatch(&mut self, pile: &str) {
        let is_of = |source: &Source| match source {
            Source::Pile(name) | Source::Inside(name, ..) | Source::Above(name) => name == pile,
            Source::Configuration => false,
        };
        let numbers: Vec<u64> =
            self.sources.iter().filter(|(_, source)| is_of(source)).map(|(number, _)| *number).collect();
        for number in numbers {
            self.sources.remove(&number);
            self.events.unwatch(number);
        }
    }

    /// When something is to be looked at that the kernel does not tell of.
    pub fn next(&self) -> Option<Uptime> {
        let looked_at = self.piles.values().filter_map(|how| match how {
            WatchedBy::LookedAt(at) => Some(*at),
            WatchedBy::Told(_) | WatchedBy::Away => None,
        });
        looked_at.min()
    }

    /// Waits until something happens, or a time is over.
    pub fn wait(&mut self, host: &dyn WatchHost, time: Option<Duration>) -> Result<Vec<Event>> {
        let happened = self.events.wait(time, host.wake());
        let happened =
            happened.map_err(|source| Error::Path { path: PathBuf::from("/proc/self"), source })?;
        let mut events: Vec<Event> = happened.into_iter().filter_map(|one| self.event(one)).collect();
        events.dedup();
        let (now, look) = (host.uptime(), self.look);
        for (name, how) in &mut self.piles {
            if let WatchedBy::LookedAt(at) = how
                && *at <= now
            {
                *at = now + look;
                events.push(Event::Whole(name.clone()));
            }
        }
        Ok(events)
    }

    fn event(&mut self, happened: Happened) -> Option<Event> {
        match happened {
            Happened::Overflow => Some(Event::Overflow),
            Happened::Mounts => Some(Event::Places),
            Happened::Woken => None,
            Happened::Lost(number) => {
                let source = self.sources.remove(&number)?;
                self.events.unwatch(number);
                (!matches!(source, Source::Inside(..) | Source::Configuration)).then_some(Event::Places)
            }
            Happened::In(number, name) => match self.sources.get(&number)?.clone() {
                Source::Pile(pile) => Some(Event::Touched(pile, name)),
                Source::Inside(pile, top, folder) => {
                    let new = folder.join(std::ffi::OsStr::from_bytes(&name));
                    if new.is_dir() && !new.is_symlink() {
                        self.watch_deeper(&pile, &top, new);
                    }
                    Some(Event::Touched(pile, top))
                }
                Source::Above(_) => Some(Event::Places),
                Source::Configuration => {
                    let is_it = self.config_file.file_name().is_some_and(|own| own.as_bytes() == &*name);
                    is_it.then_some(Event::Configuration)
                }
            },
        }
    }

    /// A folder came to be deeper in a pile. Where the limit is reached, the next look at the pile says so.
    fn watch_deeper(&mut self, pile: &str, top: &NameBuf, folder: PathBuf) {
        let mut open = vec![folder];
        while let Some(folder) = open.pop() {
            let source = Source::Inside(pile.to_owned(), top.clone(), folder.clone());
            if self.add(&folder, source).is_ok() {
                open.extend(folders_in(&folder));
            }
        }
    }
}

impl Source {
    fn inside(&self) -> Option<PathBuf> {
        match self {
            Self::Inside(_, _, folder) => Some(folder.clone()),
            _ => None,
        }
    }
}

/// The device and the inode of a folder.
fn identity(folder: &Path) -> (u64, u64) {
    use std::os::unix::fs::MetadataExt;
    fs::metadata(folder).map_or((0, 0), |found| (found.dev(), found.ino()))
}

fn reaches_deep(workspace: &Workspace, pile: &str) -> bool {
    let mut rules = workspace.config().rules.iter();
    rules.any(|rule| rule.is_for_pile(pile) && rule.reach == Reach::Deep)
}

/// The folders in a folder; no links.
fn folders_in(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
    folders.map(|entry| entry.path()).collect()
}
