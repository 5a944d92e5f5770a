//! Saved searches that are kept as folders of links, `Displays/NAME`.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;

use nine_core::escape::{escape, unescape};
use nine_core::saved::SavedSearch;
use nine_stores::displays::{Links, name_links, show, strangers, take_down};

use crate::Result;
use crate::looking::{LookMode, Looking, RowQuestion, all_areas};
use crate::reporter::Notice;
use crate::selection::selectable;
use crate::workspace::Workspace;

/// More links than this serve nobody, and file dialogs become slow.
const MOST: usize = 10_000;

/// Brings every displayed search up to date, after a run, and takes those down that are displayed no longer: the run may
/// have changed the configuration.
pub fn refresh_all(workspace: &Workspace) {
    let Ok(now) = workspace.again() else { return };
    let searches = now.config().searches.iter().filter(|search| search.display).collect::<Vec<_>>();
    let shown = Record::read(&now).map(|record| record.names()).unwrap_or_default();
    for name in shown.iter().filter(|name| !searches.iter().any(|search| search.name == **name)) {
        // Where the configuration of before the run had them.
        remove(workspace, name);
    }
    refresh(&now, &searches);
}

/// Brings displayed searches of these names up to date.
pub(crate) fn refresh_after_search<'n>(workspace: &Workspace, names: impl Iterator<Item = &'n String>) {
    let mut searches = Vec::new();
    for search in names.filter_map(|name| workspace.config().search(name)) {
        match search.display {
            true => searches.push(search),
            false => remove(workspace, &search.name),
        }
    }
    refresh(workspace, &searches);
}

fn refresh(workspace: &Workspace, searches: &[&SavedSearch]) {
    if searches.is_empty() {
        return;
    }
    let Ok(mut looking) = Looking::look(workspace, all_areas(workspace), &LookMode::Now) else { return };
    for search in searches {
        if let Err(error) = display(workspace, &mut looking, search) {
            warn(workspace, &search.name, &error);
        }
    }
    looking.keep();
}

fn display(workspace: &Workspace, looking: &mut Looking, search: &SavedSearch) -> io::Result<()> {
    let targets = targets(looking, search).map_err(|_| io::Error::other("it cannot be asked now"))?;
    if targets.len() > MOST {
        let (name, found, most) = (&search.name, targets.len() as u64, MOST as u64);
        workspace.notice(&Notice::DisplayCut { name, found, most });
    }
    let folder = folder(workspace, &search.name);
    let mut record = Record::read(workspace)?;
    let made = record.links(&search.name);
    let wanted = name_links(targets.into_iter().take(MOST), &strangers(&folder, &made)?);
    // A link is in the record before it is made, so that none is ever forgotten.
    let mut either = made.clone();
    either.extend(wanted.clone());
    record.write(workspace, &search.name, &either)?;
    let changed = show(&folder, &made, &wanted)?;
    tracing::info!(search = search.name, ?changed, "displayed");
    record.write(workspace, &search.name, &wanted)
}

fn targets(looking: &mut Looking, search: &SavedSearch) -> Result<Vec<PathBuf>> {
    let mut targets = Vec::new();
    for view in 0..looking.views.len() {
        let among = selectable(looking, view, &search.condition);
        let question = RowQuestion { condition: &search.condition, inside: false, reads_text: false };
        let rows = looking.find(view, question, &among)?;
        // A link cannot lead to a drive.
        let locations = rows.ids().map(|id| looking.views[view].location(id));
        targets.extend(locations.filter_map(|at| at.local().map(std::path::Path::to_owned)));
    }
    Ok(targets)
}

/// Takes down the folder of a search that is no longer displayed.
pub(crate) fn remove(workspace: &Workspace, name: &str) {
    let removed = Record::read(workspace).and_then(|mut record| {
        if !record.0.contains_key(name) {
            return Ok(());
        }
        take_down(&folder(workspace, name), &record.links(name))?;
        record.forget(workspace, name)
    });
    if let Err(error) = removed {
        warn(workspace, name, &error);
    }
}

fn folder(workspace: &Workspace, name: &str) -> PathBuf {
    workspace.displays().join(name)
}

fn warn(workspace: &Workspace, name: &str, error: &io::Error) {
    workspace.notice(&Notice::DisplayStale { folder: &folder(workspace, name), error });
}

/// Which links were made for each search; names and targets escaped, since they may be any bytes.
#[derive(Default, serde::Serialize, serde::Deserialize)]
struct Record(BTreeMap<String, BTreeMap<String, String>>);

impl Record {
    fn file(workspace: &Workspace) -> PathBuf {
        workspace.data().join("displays.json")
    }

    fn read(workspace: &Workspace) -> io::Result<Self> {
        match std::fs::read(Self::file(workspace)) {
            Ok(bytes) => Ok(serde_json::from_slice(&bytes)?),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(Self::default()),
            Err(e) => Err(e),
        }
    }

    /// The searches for which links were made.
    fn names(&self) -> Vec<String> {
        self.0.keys().cloned().collect()
    }

    fn links(&self, search: &str) -> Links {
        let plain = |text: &String| unescape(text).ok().map(OsString::from_vec);
        let links = self.0.get(search).into_iter().flatten();
        links.filter_map(|(name, target)| Some((plain(name)?, plain(target)?.into()))).collect()
    }

    fn write(&mut self, workspace: &Workspace, search: &str, links: &Links) -> io::Result<()> {
        let text = |text: &std::ffi::OsStr| escape(text.as_encoded_bytes());
        let links: BTreeMap<String, String> =
            links.iter().map(|(name, target)| (text(name), text(target.as_os_str()))).collect();
        // Also one without links has a folder.
        self.0.insert(search.to_owned(), links);
        self.save(workspace)
    }

    fn forget(&mut self, workspace: &Workspace, search: &str) -> io::Result<()> {
        self.0.remove(search);
        self.save(workspace)
    }

    fn save(&self, workspace: &Workspace) -> io::Result<()> {
        let mut aside = tempfile::NamedTempFile::new_in(workspace.data())?;
        serde_json::to_writer(&mut aside, self)?;
        aside.as_file().sync_all()?;
        aside.persist(Self::file(workspace)).map_err(|error| error.error)?;
        Ok(())
    }
}
