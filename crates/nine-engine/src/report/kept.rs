//! What each report counted, kept for those that come after it.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::PathBuf;

use nine_core::moment::Moment;
use serde::{Deserialize, Serialize};

use super::Report;
use crate::Result;
use crate::workspace::Workspace;

/// What a report counted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct KeptFigures {
    /// When, counted as ages are.
    #[serde(with = "nine_core::moment::written")]
    pub at: Moment,
    /// Files that lay loose, by pile.
    pub loose: BTreeMap<String, u64>,
}

/// The folder of reports.
pub(super) fn folder(workspace: &Workspace) -> PathBuf {
    workspace.data().join("reports")
}

fn file(workspace: &Workspace) -> PathBuf {
    folder(workspace).join("figures.jsonl")
}

/// What earlier reports counted, as far as it can be read.
pub(super) fn earlier(workspace: &Workspace) -> Vec<KeptFigures> {
    let bytes = std::fs::read(file(workspace)).unwrap_or_default();
    let lines = bytes.split(|byte| *byte == b'\n');
    lines.filter_map(|line| serde_json::from_slice(line).ok()).collect()
}

/// Keeps what a report counted. Of piles that could not be reached nothing was counted, and of one whose names are
/// hidden nothing is kept under its other name.
///
/// # Errors
/// If it cannot be written.
pub fn keep(workspace: &Workspace, report: &Report) -> Result {
    let counted = report.places.iter().filter(|place| place.pile && place.known_since.is_none());
    let counted = counted.filter(|place| workspace.config().pile(&place.place).is_some());
    let loose: BTreeMap<String, u64> = counted.map(|place| (place.place.clone(), place.loose)).collect();
    if loose.is_empty() {
        return Ok(());
    }
    let line = serde_json::to_string(&KeptFigures { at: workspace.now().moment(), loose });
    let line = line.map_err(std::io::Error::other)?;
    nine_carry::make_private(&folder(workspace))?;
    let mut open = File::options();
    let mut file = open.read(true).append(true).create(true).mode(0o600).open(file(workspace))?;
    // A line that a lost power cut off must not swallow this one.
    let mut last = [b'\n'];
    if file.seek(SeekFrom::End(0))? > 0 {
        file.seek(SeekFrom::End(-1))?;
        file.read_exact(&mut last)?;
    }
    let before = if last == *b"\n" { "" } else { "\n" };
    file.write_all(format!("{before}{line}\n").as_bytes())?;
    Ok(file.sync_data()?)
}
