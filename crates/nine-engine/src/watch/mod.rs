//! Watching piles: what arrives is filed once it is complete, if that is sure.
//!
//! Whoever watches is woken by the kernel, by a signal, or when something is due, and never otherwise. Each look is a
//! small run of its own. What cannot be done now (another program at work, a full disk, a place that is away) is tried
//! again, less and less often.

mod agenda;
mod pass;
mod sources;

use std::os::fd::BorrowedFd;
use std::time::Duration;

use nine_core::config::Pile;
use nine_core::moment::{Moment, Now};
use nine_core::place::Spot;
use nine_stores::StoreError;

pub use agenda::{Agenda, Due, Pace, Uptime};

use crate::plan::Carried;
use crate::workspace::Workspace;
use crate::{Error, Result};
use pass::{Passed, pass};
use sources::Sources;

/// What is asked from outside.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Asked {
    /// To end.
    pub stop: bool,
    /// To read the configuration anew.
    pub reload: bool,
}

/// What watching needs of the world.
pub trait WatchHost {
    /// A workspace as of now: with this text as its configuration, or with what the file says.
    ///
    /// # Errors
    /// What is wrong with the configuration, or with a run that was cut off.
    fn workspace(&self, text: Option<&str>) -> Result<Workspace>;
    /// What was asked from outside since the last time.
    fn asked(&self) -> Asked;
    /// Can be read when something is asked from outside.
    fn wake(&self) -> BorrowedFd<'_>;
    /// A clock that only goes on, also while the machine sleeps.
    fn uptime(&self) -> Uptime;
    /// Told what happens.
    fn told(&self, told: &Told);
}

/// What happens while watching.
#[derive(Debug)]
pub enum Told<'a> {
    /// It begins, with so many folders that the kernel tells of and so many piles that are looked at from time to time.
    Begun {
        /// Folders that the kernel tells of.
        folders: usize,
        /// Piles that are looked at from time to time.
        looked_at: &'a [String],
    },
    /// Something was carried out.
    Ran(&'a Carried),
    /// A step cannot be done.
    Refused(&'a Spot, &'a str),
    /// So many items came to the list that waits.
    InDoubt(usize),
    /// A pile is not there for now.
    Away(&'a str, &'a str),
    /// It is there again.
    Back(&'a str),
    /// The kernel watches no more folders; the pile is looked at from time to time.
    Limit(&'a str),
    /// The kernel could not keep up; everything is looked at once.
    Overflow,
    /// The configuration was read anew.
    Reloaded,
    /// The configuration cannot be read; the old one stands.
    KeptOld(&'a Error),
    /// Something could not be done now, and is tried again.
    Later(&'a str, &'a Error),
}

/// What is watched.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// The names of piles; those of the configuration, or all, if there are none.
    pub piles: Vec<String>,
    /// What is due is done, and that is all.
    pub once: bool,
    /// How fast things go.
    pub pace: Pace,
}

/// How often another program at work is waited for where what is due is done once.
const TRIES: u32 = 24;

/// Watches until it is asked to end.
///
/// # Errors
/// What is wrong with the configuration at the beginning, or that nothing can be watched.
pub fn watch(host: &dyn WatchHost, request: &Request) -> Result {
    let workspace = host.workspace(None)?;
    let piles: Vec<Pile> = piles(&workspace, request)?;
    if piles.is_empty() {
        return Err(Error::NothingToSweep);
    }
    if workspace.config().rules.is_empty() {
        let (file, exists) = (workspace.environment.config_file.clone(), workspace.loaded.exists);
        return Err(Error::NoRules { file, exists });
    }
    if request.once {
        drop(workspace);
        return once(host, &piles, request);
    }
    let mut watching = Watching {
        host,
        request,
        sources: Sources::new(&workspace)?,
        agenda: Agenda::new(request.pace),
        text: workspace.loaded.text.clone(),
        exists: workspace.loaded.exists,
        piles,
    };
    watching.begin(&workspace);
    drop(workspace);
    watching.until_asked()
}

/// The piles that are watched.
fn piles(workspace: &Workspace, request: &Request) -> Result<Vec<Pile>> {
    let named = match request.piles.is_empty() {
        true => &workspace.config().watching.piles,
        false => &request.piles,
    };
    Ok(workspace.piles(named)?.into_iter().cloned().collect())
}

/// Does what is due now, and ends.
fn once(host: &dyn WatchHost, piles: &[Pile], request: &Request) -> Result {
    let mut troubles = None;
    for pile in piles {
        let mut tries = 0;
        loop {
            let workspace = host.workspace(None)?;
            match look(host, &workspace, pile, &Due::Whole) {
                Ok(_) => break,
                Err(Error::AtWork(_)) if tries < TRIES && !host.asked().stop => {
                    tries += 1;
                    std::thread::sleep(request.pace.again / 12);
                }
                Err(error) => {
                    host.told(&Told::Later(&pile.name, &error));
                    troubles = Some(error);
                    break;
                }
            }
        }
    }
    troubles.map_or(Ok(()), Err)
}

/// Looks at what is due of a pile, and tells what came of it.
fn look(host: &dyn WatchHost, workspace: &Workspace, pile: &Pile, due: &Due) -> Result<Passed> {
    if workspace.store(&pile.name).is_none() {
        let error = workspace.opened().closed.iter().find(|closed| closed.name == pile.name);
        let why = error.map_or_else(|| StoreError::NotThere.to_string(), |closed| closed.error.to_string());
        host.told(&Told::Away(&pile.name, &why));
        return Ok(Passed::nothing());
    }
    let passed = pass(workspace, pile, due)?;
    for (item, why) in &passed.refused {
        host.told(&Told::Refused(item, why));
    }
    if let Some(carried) = &passed.carried {
        host.told(&Told::Ran(carried));
    }
    match &passed.in_doubt {
        Ok(0) => {}
        Ok(items) => host.told(&Told::InDoubt(*items)),
        Err(error) => host.told(&Told::Later(&pile.name, error)),
    }
    Ok(passed)
}

struct Watching<'m> {
    host: &'m dyn WatchHost,
    request: &'m Request,
    sources: Sources,
    agenda: Agenda,
    /// The configuration that stands.
    text: String,
    exists: bool,
    piles: Vec<Pile>,
}

impl Watching<'_> {
    fn begin(&mut self, workspace: &Workspace) {
        let now = self.host.uptime();
        self.sources.begin(self.host, workspace, &self.piles);
        for pile in &self.piles {
            self.agenda.whole(&pile.name, now);
        }
        let looked_at = self.sources.looked_at();
        self.host.told(&Told::Begun { folders: self.sources.folders(), looked_at: &looked_at });
    }

    fn until_asked(&mut self) -> Result {
        // What was written until its folder was watched, nobody was told of.
        self.reload(false);
        loop {
            let asked = self.host.asked();
            if asked.stop {
                return Ok(());
            }
            if asked.reload {
                self.reload(true);
            }
            let now = self.host.uptime();
            for (pile, due, tries) in self.agenda.take(now) {
                if self.host.asked().stop {
                    return Ok(());
                }
                self.look(&pile, due, tries);
            }
            let now = self.host.uptime();
            let next = [self.agenda.next(), self.sources.next()].into_iter().flatten().min();
            let time = next.map(|next| next.saturating_sub(now));
            for event in self.sources.wait(self.host, time)? {
                self.happened(event);
            }
        }
    }

    fn happened(&mut self, event: sources::Event) {
        let now = self.host.uptime();
        match event {
            sources::Event::Touched(pile, name) => {
                let settle = self.settle(&pile);
                self.agenda.touched(&pile, name, now + settle);
            }
            sources::Event::Whole(pile) => self.agenda.whole(&pile, now),
            sources::Event::Overflow => {
                self.host.told(&Told::Overflow);
                self.piles.iter().for_each(|pile| self.agenda.whole(&pile.name, now));
            }
            sources::Event::Configuration => self.reload(false),
            // Places may have come or gone.
            sources::Event::Places => self.look_after_places(),
        }
    }

    fn settle(&self, pile: &str) -> Duration {
        let pile = self.piles.iter().find(|known| known.name == pile);
        pile.map_or(Duration::ZERO, |pile| pile.settle.about())
    }

    fn workspace(&self) -> Result<Workspace> {
        self.host.workspace(self.exists.then_some(self.text.as_str()))
    }

    fn look_after_places(&mut self) {
        let Ok(workspace) = self.workspace() else { return };
        for pile in self.sources.look_after(self.host, &workspace, &self.piles) {
            // What came while it was away was not told.
            self.agenda.whole(&pile, self.host.uptime());
        }
    }

    fn look(&mut self, name: &str, due: Due, tries: u32) {
        let Some(pile) = self.piles.iter().find(|pile| pile.name == name).cloned() else { return };
        let looked = self.workspace().and_then(|workspace| {
            let now = workspace.now().clone();
            if workspace.store(&pile.name).is_none() && self.sources.is_told(&pile.name) {
                self.sources.look_after(self.host, &workspace, &self.piles);
                return Ok((now, Passed::nothing()));
            }
            let passed = look(self.host, &workspace, &pile, &due)?;
            self.sources.follow(self.host, &workspace, &pile, &due);
            Ok((now, passed))
        });
        let now = self.host.uptime();
        match looked {
            Ok((clock, passed)) => {
                for (name, changed) in passed.waits {
                    let left = left_to_settle(&clock, changed, &pile);
                    self.agenda.again(&pile.name, name, tries, now + left, now);
                }
                if passed.carried.is_some() {
                    self.agenda.ran(now);
                }
                if passed.in_doubt.is_err() {
                    self.agenda.put_back(&pile.name, due, tries, now);
                }
            }
            Err(error) => {
                self.host.told(&Told::Later(&pile.name, &error));
                self.agenda.put_back(&pile.name, due, tries, now);
            }
        }
    }

    /// Reads the configuration anew; a broken one is told, and the old one stands. Where nobody asked for it, one
    /// that says the same is not worth a word.
    fn reload(&mut self, is_asked: bool) {
        let read = self.host.workspace(None).and_then(|workspace| {
            let piles = piles(&workspace, self.request)?;
            Ok((workspace, piles))
        });
        match read {
            Ok((workspace, _))
                if !is_asked
                    && workspace.loaded.text == self.text
                    && workspace.loaded.exists == self.exists => {}
            Ok((workspace, piles)) => {
                self.text.clone_from(&workspace.loaded.text);
                (self.exists, self.piles) = (workspace.loaded.exists, piles);
                self.agenda.clear();
                self.host.told(&Told::Reloaded);
                self.begin(&workspace);
                // What was written until its folder was watched again, nobody was told of.
                drop(workspace);
                self.reload(false);
            }
            Err(error) => self.host.told(&Told::KeptOld(&error)),
        }
    }
}

/// How long it takes until something has settled that changed at a moment; never longer than settling takes,
/// whatever the clock shows.
fn left_to_settle(now: &Now, changed: Moment, pile: &Pile) -> Duration {
    let settle = pile.settle.about();
    let since = now.moment().0.saturating_sub(changed.0).max(0);
    settle.saturating_sub(Duration::from_nanos(since.unsigned_abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::tz::TimeZone;

    #[test]
    fn a_clock_that_was_set_back_keeps_nothing_waiting_for_longer_than_settling_takes() {
        let config = nine_core::config::parse("[pile.downloads]\nat = \"/d\"\nsettle = \"10min\"\n").unwrap();
        let now = |text: &str| Now::parse(text, &TimeZone::UTC).unwrap();
        let changed = now("2031-04-07T09:00").moment();
        for (clock, minutes) in [
            ("2031-04-07T09:00", 10),
            ("2031-04-07T09:04", 6),
            ("2031-04-07T10:00", 0),
            ("2031-04-06T09:00", 10),
        ] {
            let left = left_to_settle(&now(clock), changed, &config.piles[0]);
            assert_eq!(left.as_secs(), minutes * 60, "{clock}");
        }
    }
}
