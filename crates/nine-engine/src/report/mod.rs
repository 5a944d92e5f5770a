//! One page to look at: how it was and how it is, out of what the other commands tell.

mod data;
mod earlier;
mod figures;
mod kept;
mod pictures;
mod places;

use std::path::{Path, PathBuf};

use nine_core::report::Names;
use nine_stores::beside;

pub use data::*;
pub use kept::keep;

use crate::archive;
use crate::error::Nowhere;
use crate::history::{self, RunAccount};
use crate::looking::{Area, LookMode, Looking, all_areas, areas_of};
use crate::new_file::write_whole;
use crate::shelves::standing_among;
use crate::survey::survey_of;
use crate::tag;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// How many of the last runs are told.
const RUNS: usize = 20;

/// What is wanted.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// Places, as they are typed; all piles and bookcases, if there are none.
    pub places: Vec<PathBuf>,
    /// Whether only places and the folders directly in them are named.
    pub hides_names: bool,
}

/// Looks at places, and puts together what there is to tell of them.
///
/// # Errors
/// If a place cannot be looked at, or the daybook cannot be read.
pub fn report(workspace: &Workspace, request: &Request) -> Result<Report> {
    let areas = match request.places.is_empty() {
        true => all_areas(workspace),
        false => areas_of(workspace, &request.places, false)?,
    };
    if areas.is_empty() {
        return Err(Error::Nowhere(Nowhere::Report));
    }
    let areas = areas.into_iter().map(Area::with_tags).collect();
    let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
    tag::learn_all(&mut looking);
    let mut surveyed = survey_of(looking);
    let names = names(&surveyed.looking, request);
    let copies = figures::copies(&mut surveyed, &names);
    let pictures = pictures::pictures(&mut surveyed.looking, &names);
    surveyed.looking.keep();
    let history = history::all(workspace)?;
    let accounts = history.runs.iter().rev().take(RUNS).map(|run| RunAccount::of(run, &history.taken_back));
    let looking = &surveyed.looking;
    let places = || places::places(&surveyed, &standing_among(looking), &names);
    let (places, tags) = beside(places, || figures::tags(looking, &names));
    Ok(Report {
        form: FORM,
        made: workspace.now().minute(workspace.now().moment()),
        names_hidden: names.is_hidden(),
        unread: surveyed.looking.troubles,
        places,
        weeks: earlier::weeks(&surveyed, &history.runs, &names),
        copies,
        archive: figures::archive(archive::accounts(workspace), workspace.now(), &names),
        runs: accounts.map(|run| figures::run(run, &names)).collect(),
        all_runs: history.runs.len(),
        tags,
        pictures,
    })
}

/// What may be named.
fn names(looking: &Looking, request: &Request) -> Names {
    let config = looking.workspace.config();
    let is_told =
        |place: &str| config.pile(place).is_some() || config.bookcases.iter().any(|case| case.name == place);
    let outsiders = looking.views.iter().map(|view| &*view.area.base.place).filter(|place| !is_told(place));
    match request.hides_names {
        true => Names::hidden(outsiders),
        false => Names::Shown,
    }
}

/// Writes a page: to a file that must not be there yet, or else into the folder of reports under the day's date.
/// Says where.
///
/// # Errors
/// If it cannot be written.
pub fn write(workspace: &Workspace, page: &str, to: Option<&Path>) -> Result<PathBuf> {
    if let Some(file) = to {
        write_whole(file, page.as_bytes())?;
        return Ok(file.to_owned());
    }
    let folder = kept::folder(workspace);
    nine_carry::make_private(&folder)?;
    let day = workspace.now().today();
    for number in 1.. {
        let number = if number == 1 { String::new() } else { format!("-{number}") };
        let file = folder.join(format!("{day}{number}.html"));
        // The page is not written to find out that a name is taken.
        if file.symlink_metadata().is_ok() {
            continue;
        }
        match write_whole(&file, page.as_bytes()) {
            Err(Error::FileUnwritable { source, .. })
                if source.kind() == std::io::ErrorKind::AlreadyExists => {}
            done => return done.map(|()| file),
        }
    }
    unreachable!("numbers do not run out")
}

#[cfg(test)]
mod schema;
