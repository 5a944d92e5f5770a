//! The daybook.

use std::collections::BTreeMap;
use std::io::ErrorKind;

use nine_carry::daybook::{self, Run};

use crate::reporter::Notice;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What was carried out.
pub struct History {
    /// The runs, the oldest first, as far as they can be read.
    pub runs: Vec<Run>,
    /// Which of them were taken back, and by which.
    pub taken_back: BTreeMap<u64, u64>,
}

/// All runs.
///
/// # Errors
/// If the daybook cannot be read at all.
pub fn all(workspace: &Workspace) -> Result<History> {
    let runs = readable(workspace, daybook::runs(workspace.data())?.into_iter());
    let taken_back = taken_back(&runs);
    Ok(History { runs, taken_back })
}

/// A run that the person named.
///
/// # Errors
/// If there is none of this number, or it cannot be read.
pub fn run(workspace: &Workspace, number: u64) -> Result<Run> {
    let run = daybook::read(workspace.data(), number).map_err(|error| match error.kind() {
        ErrorKind::NotFound => Error::NoRun(number),
        _ => Error::Io(error),
    })?;
    tell_broken(workspace, &run);
    Ok(run)
}

/// The runs of these numbers as far as they can be read; the others are named.
pub(crate) fn readable(workspace: &Workspace, numbers: impl Iterator<Item = u64>) -> Vec<Run> {
    let mut runs = Vec::new();
    for number in numbers {
        match daybook::read(workspace.data(), number) {
            Ok(run) => {
                tell_broken(workspace, &run);
                runs.push(run);
            }
            Err(error) => workspace.notice(&Notice::RunUnreadable { run: number, error: &error }),
        }
    }
    runs
}

/// Names the lines of a run that could not be read.
fn tell_broken(workspace: &Workspace, run: &Run) {
    if !run.broken.is_empty() {
        workspace.notice(&Notice::RunBroken { run: run.number, lines: &run.broken });
    }
}

/// Which runs have been taken back, and by which. One whose undo was cut off has not.
pub(crate) fn taken_back(runs: &[Run]) -> BTreeMap<u64, u64> {
    let whole = |run: &&Run| run.done() > 0 && run.done() == run.steps.len();
    runs.iter().filter(whole).filter_map(|run| Some((run.undoes?, run.number))).collect()
}
