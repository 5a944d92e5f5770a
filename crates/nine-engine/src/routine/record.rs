//! What is remembered of each time that a routine was run: a line each, the newest last. It may be deleted at any time;
//! the runs themselves are in the daybook.

use std::collections::{BTreeMap, HashMap};
use std::io::{BufWriter, Write};
use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use crate::workspace::Workspace;
use crate::{Error, Result};

/// One time that a routine was run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OccasionRecord {
    /// Its name.
    pub routine: String,
    /// When it began, as the daybook has it of its runs.
    pub began: String,
    /// Whether nobody was asked.
    pub unattended: bool,
    /// Its parts, in order.
    pub parts: Vec<PartRecord>,
    /// How many things lay loose in each pile afterwards.
    pub loose: BTreeMap<String, u64>,
}

/// What came of a part.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartRecord {
    /// The command.
    pub command: String,
    /// Whether it only prints.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub prints: bool,
    /// Its run, if anything was to be done.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run: Option<u64>,
    /// How many steps were done.
    pub done: u64,
    /// How many were not, or could not be looked at.
    pub not_done: u64,
    /// How many items were left, since they were not what was agreed to any more.
    pub left: u64,
    /// How many are in doubt, and wait.
    pub in_doubt: u64,
    /// Why it could not be begun.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
}

impl OccasionRecord {
    /// The sum over all parts.
    pub fn sum(&self, of: impl Fn(&PartRecord) -> u64) -> u64 {
        self.parts.iter().map(of).sum()
    }

    /// Whether all parts went well.
    pub fn went_well(&self) -> bool {
        self.parts.iter().all(|part| part.failed.is_none() && part.not_done == 0)
    }
}

/// Times that are remembered.
const KEPT: usize = 200;

fn file(workspace: &Workspace) -> PathBuf {
    workspace.data().join("routines.jsonl")
}

fn lines(workspace: &Workspace) -> Vec<OccasionRecord> {
    let text = std::fs::read(file(workspace)).unwrap_or_default();
    let lines = text.split(|byte| *byte == b'\n');
    lines.filter_map(|line| serde_json::from_slice(line).ok()).collect()
}

/// The last time of each routine.
pub fn last_times(workspace: &Workspace) -> HashMap<String, OccasionRecord> {
    lines(workspace).into_iter().map(|record| (record.routine.clone(), record)).collect()
}

/// Remembers a time.
pub(super) fn remember(workspace: &Workspace, record: OccasionRecord) -> std::io::Result<()> {
    let mut all = lines(workspace);
    all.push(record);
    let first = all.len().saturating_sub(KEPT);
    nine_carry::replace_private(&file(workspace), |new| {
        let mut out = BufWriter::new(new);
        for record in &all[first..] {
            serde_json::to_writer(&mut out, record)?;
            out.write_all(b"\n")?;
        }
        out.flush()
    })
}

/// Held while a routine is at work; a second one finds it taken.
pub struct RoutineLock {
    _lock: nine_carry::Lock,
}

impl RoutineLock {
    /// Begins; `None` if one is at work already.
    ///
    /// # Errors
    /// If the data folder cannot be written.
    pub fn begin(workspace: &Workspace, name: &str) -> Result<Option<Self>> {
        let unwritable = |source| Error::DaybookUnwritable { folder: workspace.data().to_owned(), source };
        let who = workspace.who(&format!("nine routine {name}"));
        let lock = nine_carry::lock_as(workspace.data(), "routines.lock", &who).map_err(unwritable)?;
        Ok(lock.ok().map(|lock| Self { _lock: lock }))
    }
}
