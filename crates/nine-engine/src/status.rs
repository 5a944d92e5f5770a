//! What is where, in a few lines: looked at without reading any folder to its depth.

use nine_carry::{daybook, open_runs};
use nine_core::moment::Moment;
use nine_core::names::is_hidden;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::shelving::ShelfFolder;
use nine_stores::{Location, StoreError};

use crate::history::readable;
use crate::review;
use crate::workspace::Workspace;

/// A pile.
#[derive(Debug, Clone)]
pub struct PileStatus {
    /// Its name.
    pub name: String,
    /// Where it is.
    pub at: Location,
    /// How many things lie loose in it, and since when the oldest does; why not, if it cannot be looked at.
    pub loose: Result<(u64, Option<Moment>), String>,
}

/// A bookcase.
#[derive(Debug, Clone)]
pub struct BookcaseStatus {
    /// Its name.
    pub name: String,
    /// Where it is.
    pub at: Location,
    /// How many shelves stand, and how many do not yet; why not, if it cannot be looked at.
    pub shelves: Result<(u64, u64), String>,
    /// Whether its disk is not mounted, so that nothing may be made at its path.
    pub is_away: bool,
}

/// The last run.
#[derive(Debug, Clone)]
pub struct LastRun {
    /// Its number.
    pub run: u64,
    /// Its command.
    pub command: String,
    /// When it began.
    pub at: String,
}

/// What is where.
#[derive(Debug, Clone)]
pub struct Status {
    /// Whether there is a configuration.
    pub is_configured: bool,
    /// The piles.
    pub piles: Vec<PileStatus>,
    /// The bookcases.
    pub bookcases: Vec<BookcaseStatus>,
    /// How many rules there are.
    pub rules: usize,
    /// Runs that were cut off and are not looked after yet.
    pub open: Vec<u64>,
    /// The newest run.
    pub last: Option<LastRun>,
    /// Items that wait to be looked at, since they were in doubt while nobody was there.
    pub waiting: usize,
}

/// Looks at what is where.
pub fn status(workspace: &Workspace) -> Status {
    let config = workspace.config();
    let runs = daybook::runs(workspace.data()).unwrap_or_default();
    let last = runs.last().and_then(|last| readable(workspace, std::iter::once(*last)).pop());
    Status {
        is_configured: workspace.loaded.exists,
        piles: piles(workspace),
        bookcases: bookcases(workspace),
        rules: config.rules.len(),
        open: open_runs(workspace.data()).unwrap_or_default(),
        waiting: review::waiting(workspace).iter().map(|list| list.items).sum(),
        last: last.map(|run| LastRun { run: run.number, command: run.command, at: run.at }),
    }
}

/// The piles, in the order of the configuration.
pub(crate) fn piles(workspace: &Workspace) -> Vec<PileStatus> {
    workspace.config().piles.iter().map(|pile| of_pile(workspace, &pile.name, &pile.at)).collect()
}

fn of_pile(workspace: &Workspace, name: &str, at: &str) -> PileStatus {
    let (at, now) = (workspace.at(at), workspace.now().moment());
    let inside = workspace.places_inside(name);
    let listed = workspace.store(name).map(|store| store.list(&ItemPath::root()));
    let loose = match listed {
        Some(Ok(listed)) => {
            let is_loose =
                |name: &NameBuf| !is_hidden(name) && !inside.contains(&ItemPath::root().join(name));
            let loose: Vec<_> = listed.into_iter().filter(|(name, _)| is_loose(name)).collect();
            let since = |born: Option<Moment>, modified: Moment| born.map_or(modified, |b| b.max(modified));
            let oldest = loose.iter().map(|(_, entry)| since(entry.born, entry.modified)).min();
            Ok((loose.len() as u64, oldest.filter(|oldest| *oldest <= now)))
        }
        Some(Err(error)) => Err(error.to_string()),
        None => Err(closed(workspace, name)),
    };
    PileStatus { name: name.to_owned(), at, loose }
}

fn bookcases(workspace: &Workspace) -> Vec<BookcaseStatus> {
    let shelvings = workspace.shelvings();
    let of = |case: &nine_core::config::Bookcase| {
        let shelving = shelvings.iter().find(|shelving| shelving.bookcase == case.name);
        let shelves = match (workspace.store(&case.name), shelving) {
            (Some(_), Some(shelving)) => {
                let is_missing = |folder: ShelfFolder| matches!(folder, ShelfFolder::Missing(_));
                let missing = shelving.shelves.iter().filter(|shelf| is_missing(shelf.folder())).count();
                Ok(((shelving.shelves.len() - missing) as u64, missing as u64))
            }
            _ => Err(closed(workspace, &case.name)),
        };
        let mut closed = workspace.opened().closed.iter();
        let is_away =
            closed.any(|closed| closed.name == case.name && matches!(closed.error, StoreError::Away(..)));
        BookcaseStatus { name: case.name.clone(), at: workspace.at(&case.at), shelves, is_away }
    };
    workspace.config().bookcases.iter().map(of).collect()
}

fn closed(workspace: &Workspace, name: &str) -> String {
    let closed = workspace.opened().closed.iter().find(|closed| closed.name == name);
    closed.map_or_else(|| "it cannot be reached".to_owned(), |closed| closed.error.to_string())
}
