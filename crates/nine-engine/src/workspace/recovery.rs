//! The policy of recovery: a command that changes something looks after a run that was cut off first, or says why it
//! cannot; one that only reads warns and goes on.

use std::os::unix::fs::PermissionsExt;

use nine_carry::{Patience, Unseen, daybook, lock, open_runs, recover};
use nine_stores::{Location, Places};

use super::{Environment, Workspace};
use crate::reporter::{Notice, Reporter};
use crate::{Error, Result};

/// Finishes or takes back what runs left half-done that were cut off, and tells it.
pub(super) fn recover_all(workspace: &Workspace) -> Result {
    let runs = open_runs(workspace.data()).map_err(Error::Daybook)?;
    recover_these(workspace, runs, Patience::Waits)
}

/// What would not be known of a run if it were closed now.
pub(super) fn unseen(workspace: &Workspace, run: u64) -> Result<Unseen> {
    expect_open(workspace, run)?;
    let open_store = |at: &Location| workspace.open_store(at, true);
    let open = |run: &daybook::Run| Places::from_addresses(&run.places, &open_store);
    nine_carry::unseen(workspace.data(), run, &open).map_err(Error::Daybook)
}

fn expect_open(workspace: &Workspace, run: u64) -> Result {
    let open = open_runs(workspace.data()).map_err(Error::Daybook)?;
    if open.contains(&run) { Ok(()) } else { Err(Error::RunIsOver(run)) }
}

/// Closes one run that was cut off with what can be seen.
pub(super) fn give_up(workspace: &Workspace, run: u64) -> Result {
    expect_open(workspace, run)?;
    recover_these(workspace, vec![run], Patience::GivesUp)
}

fn recover_these(workspace: &Workspace, runs: Vec<u64>, patience: Patience) -> Result {
    if runs.is_empty() {
        return Ok(());
    }
    // Whoever holds the lock is at work, not cut off.
    let Ok(lock) = lock(workspace.data(), &workspace.who("looking for a run that was cut off"))? else {
        return Ok(());
    };
    let open_store = |at: &Location| workspace.open_store(at, true);
    let open = |run: &daybook::Run| Places::from_addresses(&run.places, &open_store);
    let clock = || workspace.clock();
    for run in runs {
        let recovered = recover(workspace.data(), &lock, run, &open, patience, &clock);
        workspace.notice(&Notice::Recovered(&recovered.map_err(Error::Daybook)?));
    }
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
