//! The policy of recovery: a command that changes something looks after a run that was cut off first, or says why it
//! cannot; one that only reads warns and goes on.

use std::os::unix::fs::PermissionsExt;

use nine_carry::{Lock, Patience, Unseen, daybook, lock, open_runs, recover};
use nine_core::worklist::Act;
use nine_stores::{Location, Places};

use super::known_places::{Remember, remember};
use super::{Environment, Workspace};
use crate::reporter::{Notice, Reporter};
use crate::{Error, Result};

/// Finishes or takes back what runs left half-done that were cut off, and tells it.
pub(super) fn recover_all(workspace: &Workspace) -> Result {
    if open(workspace)?.is_empty() {
        return Ok(());
    }
    under_the_lock(workspace, |lock| recover_under(workspace, lock))
}

/// The same, once this process has the lock. Only then the open runs are listed: a run that is at work is open, too,
/// and is over when it lets go of the lock.
pub(crate) fn recover_under(workspace: &Workspace, lock: &Lock) -> Result {
    recover_these(workspace, lock, open(workspace)?, Patience::Waits)
}

/// The open runs.
fn open(workspace: &Workspace) -> Result<Vec<u64>> {
    open_runs(workspace.data()).map_err(|source| daybook_error(workspace, source))
}

fn daybook_error(workspace: &Workspace, source: std::io::Error) -> Error {
    Error::Daybook { folder: daybook::folder(workspace.data()), source }
}

/// What would not be known of a run if it were closed now.
pub(super) fn unseen(workspace: &Workspace, run: u64) -> Result<Unseen> {
    expect_open(workspace, run)?;
    let open_store = |at: &Location| workspace.open_store(at, true);
    let open = |run: &daybook::Run| Places::from_addresses(&run.places, &open_store);
    nine_carry::unseen(workspace.data(), run, &open).map_err(|source| daybook_error(workspace, source))
}

fn expect_open(workspace: &Workspace, run: u64) -> Result {
    if open(workspace)?.contains(&run) { Ok(()) } else { Err(Error::RunIsOver(run)) }
}

/// Closes one run that was cut off with what can be seen.
pub(super) fn give_up(workspace: &Workspace, run: u64) -> Result {
    under_the_lock(workspace, |lock| {
        expect_open(workspace, run)?;
        recover_these(workspace, lock, vec![run], Patience::GivesUp)
    })
}

/// Does something under the lock; nothing if another process has it, which is at work and not cut off.
fn under_the_lock(workspace: &Workspace, work: impl FnOnce(&Lock) -> Result) -> Result {
    match lock(workspace.data(), &workspace.who("looking for a run that was cut off"))? {
        Ok(lock) => work(&lock),
        Err(_) => Ok(()),
    }
}

fn recover_these(workspace: &Workspace, lock: &Lock, runs: Vec<u64>, patience: Patience) -> Result {
    let open_store = |at: &Location| workspace.open_store(at, true);
    let open = |run: &daybook::Run| Places::from_addresses(&run.places, &open_store);
    let clock = || workspace.clock();
    let mut removes_folders = false;
    for run in runs {
        let found = match daybook::read(workspace.data(), run) {
            Ok(found) => found,
            Err(error) => {
                set_aside(workspace, run, error, patience)?;
                continue;
            }
        };
        // Only such a run removes shelves that were there before it.
        removes_folders |= found.undoes.is_some() || found.steps.iter().any(|step| step.act == Act::Unmake);
        let recovered = recover(workspace.data(), lock, run, &open, patience, &clock);
        if let Some(recovered) = recovered.map_err(|source| daybook_error(workspace, source))? {
            workspace.notice(&Notice::Recovered(&recovered));
        }
    }
    if removes_folders { remember(workspace, Remember::After(&[])) } else { Ok(()) }
}

/// Sets aside the file of a run that cannot be read. One that a newer version of the program wrote is left to that
/// version, which may be at work on it, unless the user gives it up.
fn set_aside(workspace: &Workspace, run: u64, error: std::io::Error, patience: Patience) -> Result {
    if error.kind() == std::io::ErrorKind::Unsupported && patience == Patience::Waits {
        return Err(Error::NewerRun { run, source: error });
    }
    let file =
        daybook::set_aside(workspace.data(), run).map_err(|source| daybook_error(workspace, source))?;
    workspace.notice(&Notice::RunSetAside { run, file: &file, error: &error });
    Ok(())
}

/// Closes the data folder to others, where an earlier version left it open, and says so.
pub(super) fn close_data(environment: &Environment, reporter: &dyn Reporter) {
    let data = environment.data.as_path();
    let is_open = std::fs::metadata(data).is_ok_and(|found| found.permissions().mode() & 0o077 != 0);
    if !is_open {
        return;
    }
    match nine_carry::close_to_others(data) {
        Ok(0) => {}
        Ok(_) => reporter.notice(&Notice::DataClosed(data)),
        Err(error) => tracing::info!(%error, "the data folder is not closed to others"),
    }
}

impl Workspace {
    /// What the lock says of the program that holds it.
    pub(crate) fn who(&self, command: &str) -> String {
        format!("{command} (process {})", self.environment.process)
    }
}
