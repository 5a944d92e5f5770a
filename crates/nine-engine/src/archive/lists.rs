//! Lists of the archive that are missing, made again from the archived items.

use std::collections::HashSet;

use nine_carry::daybook::{self, Heading, Writer};
use nine_carry::{Carrier, lock};
use nine_core::archive::{CONTENTS_NAME, SUMS_NAME};
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_stores::{Store, StoreResult};

use super::target;
use crate::reporter::{Notice, Task};
use crate::workspace::Workspace;
use crate::workspace::recovery::recover_under;
use crate::{Error, Result};

/// Makes the lists of dated folders again that lack one: the disk was full when they were to be written, or another
/// program removed them. Without them nothing in the folder can be retrieved or verified. What cannot be done is
/// reported, and done by the next command that uses the archive.
pub fn complete(workspace: &Workspace) {
    let lacking = lacking(workspace);
    if workspace.foreseen().is_some() || lacking.is_empty() {
        return;
    }
    match make(workspace, &lacking) {
        Ok(unlisted) => {
            let is_made = |dated: &&Spot| unlisted.iter().all(|(left, _)| left != *dated);
            let made: Vec<&Spot> = lacking.iter().filter(is_made).collect();
            workspace.notice(&Notice::ListsMade(&made, &unlisted));
        }
        Err(error) => {
            workspace.notice(&Notice::NotRemembered("lists of the archive that are missing", &error))
        }
    }
}

fn make(workspace: &Workspace, dated: &[Spot]) -> Result<Vec<(Spot, String)>> {
    let lock = lock(workspace.data(), &workspace.who("nine archive"))?
        .map_err(|at_work| Error::AtWork(at_work.who))?;
    recover_under(workspace, &lock)?;
    let places = &workspace.opened().places;
    let heading = Heading { lists: dated.to_vec(), ..Heading::new("nine archive", None, places) };
    let clock = || workspace.clock();
    let unwritable = |source| Error::DaybookUnwritable { folder: workspace.data().to_owned(), source };
    let mut writer = Writer::begin(workspace.data(), &heading, [].iter(), &clock).map_err(unwritable)?;
    let mut quiet = |_| {};
    let watch = workspace.watch();
    let outcome = workspace.during(Task::Verifying, watch, || {
        Carrier::new(places, &mut writer, watch, &clock, &mut quiet).carry(&[], &heading.lists)
    })?;
    match outcome.is_open {
        true => writer.flush()?,
        false => writer.end(&clock)?,
    }
    Ok(outcome.unlisted)
}

/// The dated folders that hold something and lack a list. A folder of the user's own in the archive's shelf is none:
/// a dated one has a list, is named in the daybook, or is named by a date.
fn lacking(workspace: &Workspace) -> Vec<Spot> {
    let shelvings = workspace.shelvings();
    let Ok(target) = target(workspace, &shelvings) else { return Vec::new() };
    let opened = workspace.opened();
    let Some(shelf) = opened.archive.first() else { return Vec::new() };
    let Some(store) = opened.store(&shelf.place) else { return Vec::new() };
    let mut found = Vec::new();
    let mut folders = vec![shelf.path.clone()];
    let mut named: Option<HashSet<Spot>> = None;
    while let Some(folder) = folders.pop() {
        // What cannot be listed now is looked at by the next command.
        let listed = store.list(&folder).unwrap_or_default();
        for (name, _) in listed.into_iter().filter(|(_, entry)| entry.kind == Kind::Folder) {
            let at = Spot::new(shelf.place.clone(), folder.join(&name));
            if target.dated(&at).path.depth() > at.path.depth() {
                folders.push(at.path);
            } else if target.dated(&at) == at && lacks_a_list(&**store, &at.path).unwrap_or(false) {
                let mut is_named = || named.get_or_insert_with(|| named_in_daybook(workspace)).contains(&at);
                let has_one = has(&**store, &at.path).is_ok_and(|(one, other)| one || other);
                if has_one || is_a_day(&name) || is_named() {
                    found.push(at);
                }
            }
        }
    }
    found
}

/// Which of the two lists a folder has.
fn has(store: &dyn Store, folder: &ItemPath) -> StoreResult<(bool, bool)> {
    let is_there = |list| store.entry(&folder.join(list)).map(|entry| entry.is_some());
    Ok((is_there(CONTENTS_NAME)?, is_there(SUMS_NAME)?))
}

fn lacks_a_list(store: &dyn Store, folder: &ItemPath) -> StoreResult<bool> {
    if has(store, folder)? == (true, true) {
        return Ok(false);
    }
    let own = [CONTENTS_NAME, SUMS_NAME];
    Ok(store.list(folder)?.iter().any(|(name, _)| !own.contains(&name.as_name())))
}

/// Whether a name is a day such as `2031-04-07`.
fn is_a_day(name: &[u8]) -> bool {
    std::str::from_utf8(name).is_ok_and(|name| name.parse::<jiff::civil::Date>().is_ok())
}

/// The dated folders of which runs wrote the lists.
fn named_in_daybook(workspace: &Workspace) -> HashSet<Spot> {
    let runs = daybook::runs(workspace.data()).unwrap_or_default();
    let runs = runs.into_iter().filter_map(|run| daybook::read(workspace.data(), run).ok());
    runs.flat_map(|run| run.lists).collect()
}
