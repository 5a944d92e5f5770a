//! The marks of runs that are open: found however old they are.

use std::fs::{self, File, OpenOptions};
use std::io;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use super::{file, folder, is_over, runs};
use crate::private::{make_private, new_private};

fn marks(data: &Path) -> PathBuf {
    folder(data).join("open")
}

fn mark_of(data: &Path, run: u64) -> PathBuf {
    marks(data).join(format!("{run:06}"))
}

/// Marks a run as open, before its file is made.
pub(super) fn mark(data: &Path, run: u64) -> io::Result<()> {
    mark_old_ones(data)?;
    OpenOptions::new().write(true).create(true).truncate(false).mode(0o600).open(mark_of(data, run))?;
    Ok(())
}

/// Makes the folder of the marks, and, where there was none, the marks of older runs that are open.
fn mark_old_ones(data: &Path) -> io::Result<()> {
    if marks(data).is_dir() {
        return Ok(());
    }
    let open = without_marks(data)?;
    // Under its name only with all the marks in it.
    let beside = folder(data).join(format!("open-{}", nine_stores::random_token()));
    make_private(&beside)?;
    for run in open {
        new_private(&beside.join(format!("{run:06}")))?;
    }
    match fs::rename(&beside, marks(data)) {
        Err(_) if marks(data).is_dir() => fs::remove_dir_all(&beside),
        done => done,
    }
}

/// Takes the mark of a run away that was never begun.
pub(super) fn unmark(data: &Path, run: u64) {
    let _ = fs::remove_file(mark_of(data, run));
}

/// Takes the marks away of runs that are over. Not at the end of a run, which would have to wait for the disk first:
/// without its mark a run that has lost its last lines with the power would not be found again.
pub(super) fn close_those_that_are_over(data: &Path) {
    for run in marked(data).into_iter().flatten() {
        let closed = match File::open(file(data, run)) {
            Ok(lines) => is_over(data, run).is_ok_and(|over| over) && lines.sync_data().is_ok(),
            Err(error) => error.kind() == io::ErrorKind::NotFound,
        };
        if closed {
            unmark(data, run);
        }
    }
}

/// The runs that have a mark; `None` if there are no marks yet.
fn marked(data: &Path) -> Option<Vec<u64>> {
    let names = fs::read_dir(marks(data)).ok()?;
    let mut runs: Vec<u64> =
        names.flatten().filter_map(|entry| entry.file_name().to_str()?.parse().ok()).collect();
    runs.sort_unstable();
    Some(runs)
}

/// The runs that are open by their last lines, of a daybook that has no marks.
fn without_marks(data: &Path) -> io::Result<Vec<u64>> {
    let all = runs(data)?.into_iter();
    // Of a file that cannot be read it is not known.
    Ok(all.filter(|run| !is_over(data, *run).unwrap_or(false)).collect())
}

/// How many of the latest runs are looked at although they have no mark.
const LOOKED_BACK: usize = 16;

/// The runs that were cut off and have not been recovered, the oldest first. Of one whose file cannot be read it is
/// not known; it is among them.
///
/// # Errors
/// If the daybook cannot be read.
pub fn open_runs(data: &Path) -> io::Result<Vec<u64>> {
    let Some(mut marked) = marked(data) else { return without_marks(data) };
    // An earlier version, which makes no marks, may have been at work since.
    let all = runs(data)?;
    marked.extend_from_slice(&all[all.len().saturating_sub(LOOKED_BACK)..]);
    marked.sort_unstable();
    marked.dedup();
    let is_open = |run: &u64| match is_over(data, *run) {
        Ok(over) => !over,
        // Its mark was made, and then nothing.
        Err(error) => error.kind() != io::ErrorKind::NotFound,
    };
    Ok(marked.into_iter().filter(is_open).collect())
}
