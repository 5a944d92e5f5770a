//! Saved searches that are kept as folders of links, `Displays/NAME`.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io::{self, Write};
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;

use nine_core::amount::count;
use nine_core::config::Config;
use nine_core::escape::{escape, unescape};
use nine_core::saved::SavedSearch;
use nine_stores::displays::{Links, name_links, show, strangers, take_down};

use crate::error::Done;
use crate::location;
use crate::looking::{How, Looking, Question, all_grounds};
use crate::output::style::DOUBT;
use crate::selection::selectable;
use crate::session::Session;

/// More links than this serve nobody, and file dialogs become slow.
const MOST: usize = 10_000;

/// Brings every displayed search up to date, after a run.
pub fn refresh_all(session: &Session) {
    if let Ok(loaded) = session.load() {
        let searches: Vec<&SavedSearch> =
            loaded.config.searches.iter().filter(|search| search.display).collect();
        refresh(session, &loaded.config, &searches);
    }
}

/// Brings displayed searches of these names up to date.
pub fn refresh_after_search<'n>(session: &Session, config: &Config, names: impl Iterator<Item = &'n String>) {
    let mut searches = Vec::new();
    for search in names.filter_map(|name| config.search(name)) {
        match search.display {
            true => searches.push(search),
            false => remove(session, config, &search.name),
        }
    }
    refresh(session, config, &searches);
}

fn refresh(session: &Session, config: &Config, searches: &[&SavedSearch]) {
    if searches.is_empty() {
        return;
    }
    let opened = session.open(config);
    let Ok(mut looking) = Looking::look(session, all_grounds(session, config, &opened), &How::Now) else {
        return;
    };
    for search in searches {
        if let Err(error) = display(session, config, &mut looking, search) {
            warn(session, config, &search.name, &error);
        }
    }
    looking.keep();
}

fn display(
    session: &Session,
    config: &Config,
    looking: &mut Looking,
    search: &SavedSearch,
) -> io::Result<()> {
    let targets = targets(looking, search).map_err(|_| io::Error::other("it cannot be asked now"))?;
    if targets.len() > MOST {
        let mut err = crate::output::err();
        writeln!(
            err,
            "{DOUBT}`{}`{DOUBT:#} finds {} items; only the first {} are displayed",
            search.name,
            count(targets.len() as u64),
            count(MOST as u64)
        )?;
    }
    let folder = folder(session, config, &search.name);
    let mut record = Record::read(session)?;
    let made = record.links(&search.name);
    let wanted = name_links(targets.into_iter().take(MOST), &strangers(&folder, &made)?);
    // A link is in the record before it is made, so that none is ever forgotten.
    let mut either = made.clone();
    either.extend(wanted.clone());
    record.write(session, &search.name, &either)?;
    let changed = show(&folder, &made, &wanted)?;
    tracing::info!(search = search.name, ?changed, "displayed");
    record.write(session, &search.name, &wanted)
}

fn targets(looking: &mut Looking, search: &SavedSearch) -> Done<Vec<PathBuf>> {
    let mut targets = Vec::new();
    for view in 0..looking.views.len() {
        let among = selectable(looking, view, &search.condition);
        let question = Question { condition: &search.condition, inside: false, reads_text: false };
        let rows = looking.find(view, question, &among)?;
        // A link cannot lead to a drive.
        if !location::is_on_drive(&looking.views[view].ground.path) {
            targets.extend(rows.ids().map(|id| looking.views[view].absolute(id)));
        }
    }
    Ok(targets)
}

/// Takes down the folder of a search that is no longer displayed.
pub fn remove(session: &Session, config: &Config, name: &str) {
    let removed = Record::read(session).and_then(|mut record| {
        let made = record.links(name);
        if made.is_empty() {
            return Ok(());
        }
        take_down(&folder(session, config, name), &made)?;
        record.write(session, name, &Links::new())
    });
    if let Err(error) = removed {
        warn(session, config, name, &error);
    }
}

fn folder(session: &Session, config: &Config, name: &str) -> PathBuf {
    session.displays(config).join(name)
}

fn warn(session: &Session, config: &Config, name: &str, error: &io::Error) {
    let shown = session.shown(&folder(session, config, name));
    let _ = writeln!(crate::output::err(), "{DOUBT}{shown}{DOUBT:#} is not up to date: {error}");
}

/// Which links were made for each search; names and targets escaped, since they may be any bytes.
#[derive(Default, serde::Serialize, serde::Deserialize)]
struct Record(BTreeMap<String, BTreeMap<String, String>>);

impl Record {
    fn file(session: &Session) -> PathBuf {
        session.data.join("displays.json")
    }

    fn read(session: &Session) -> io::Result<Self> {
        match std::fs::read(Self::file(session)) {
            Ok(bytes) => Ok(serde_json::from_slice(&bytes)?),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(Self::default()),
            Err(e) => Err(e),
        }
    }

    fn links(&self, search: &str) -> Links {
        let plain = |text: &String| unescape(text).ok().map(OsString::from_vec);
        let links = self.0.get(search).into_iter().flatten();
        links.filter_map(|(name, target)| Some((plain(name)?, plain(target)?.into()))).collect()
    }

    fn write(&mut self, session: &Session, search: &str, links: &Links) -> io::Result<()> {
        let text = |text: &std::ffi::OsStr| escape(text.as_encoded_bytes());
        let links: BTreeMap<String, String> =
            links.iter().map(|(name, target)| (text(name), text(target.as_os_str()))).collect();
        match links.is_empty() {
            true => drop(self.0.remove(search)),
            false => drop(self.0.insert(search.to_owned(), links)),
        }
        let mut aside = tempfile::NamedTempFile::new_in(&session.data)?;
        serde_json::to_writer(&mut aside, self)?;
        aside.as_file().sync_all()?;
        aside.persist(Self::file(session)).map_err(|error| error.error)?;
        Ok(())
    }
}
