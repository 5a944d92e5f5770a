//! The daybook: the record of all that was carried out. Append-only JSON Lines, one file a run,
//! intent before act.
//!
//! A file starts with a `run` line, then has a `step` line for each step, then `planned`. Up to here
//! it is written and synced before anything is touched. Then come `folder`, `done` and `failed`
//! lines as things happen, and `end`. A folder that must be copied has a `pieces` line before, and a `copied` line
//! once all of it was compared. A file without `end` is of a run that was cut off, and [`crate::recover`] finds out
//! how far it got by looking at both ends of each step.
//!
//! A run that is open has a mark of its own, a file of its number in the folder `open`, so that it is found however
//! many came after it.

mod open;
mod read;
mod record;
mod write;

use std::collections::BTreeMap;
use std::io::{self, Read, Seek};
use std::path::{Path, PathBuf};

use nine_core::item::Identity;
use nine_core::place::Spot;
use nine_core::worklist::Step;

use crate::pieces::Piece;
use crate::transfer::Names;

pub use open::open_runs;
pub use read::{Glimpse, glimpse, read};
pub use record::{DaybookLine, Occasion};
pub(crate) use write::stamp;
pub use write::{Heading, Writer};

/// The format that this program writes. A newer one is not read.
pub const FORMAT: u32 = 5;

/// How a recorded step ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ended {
    /// It was done; the item is now known as this, where it was copied or discarded.
    Done {
        /// Its stamp, where that is a new one.
        stamp: Option<nine_core::item::Stamp>,
        /// What the trash knows it by.
        kept_as: Option<Vec<u8>>,
        /// How many things of the original stayed where they were.
        stayed: usize,
    },
    /// It was not done.
    Failed {
        /// Why.
        because: String,
        /// Its stamp, where that is a new one.
        stamp: Option<nine_core::item::Stamp>,
    },
    /// What became of it could not be found out after the run was cut off.
    NotKnown {
        /// Why.
        because: String,
    },
}

/// A run as the daybook has it.
#[derive(Debug, Clone)]
pub struct Run {
    /// Its number, counted from 1.
    pub number: u64,
    /// When it began, such as `2031-04-07T09:15:02+02:00`.
    pub at: String,
    /// The command.
    pub command: String,
    /// The run that it took back.
    pub undoes: Option<u64>,
    /// The routine that it was a part of.
    pub occasion: Option<Occasion>,
    /// The places it worked in.
    pub places: BTreeMap<String, String>,
    /// What the names have in them that it makes for a moment; empty before format 3.
    pub token: String,
    /// What the folder of each local place was known by.
    pub roots: BTreeMap<String, Identity>,
    /// What was planned, in the order in which it was carried out.
    pub steps: Vec<Step>,
    /// The dated folders of the archive whose lists follow from the steps. Their numbers are those after the steps'.
    pub lists: Vec<Spot>,
    /// Of folders that are copied, by number of their step from 0: what lies in them, and, once that was
    /// compared, as what the copies are found.
    pub pieces: BTreeMap<usize, Vec<Piece>>,
    /// Whether all of the plan was written; if not, nothing was done.
    pub planned: bool,
    /// How the steps ended, by number from 0. Those that are missing did not begin, or it is not
    /// known how far they got.
    pub ended: BTreeMap<usize, Ended>,
    /// Folders that it made.
    pub made: Vec<Spot>,
    /// Whether it ended by itself or was recovered.
    pub closed: bool,
    /// Whether it was cut off and recovered later.
    pub cut_off: bool,
    /// Lines that could not be read, by number from 1.
    pub broken: Vec<usize>,
}

impl Run {
    /// How names begin that it makes for a moment.
    pub fn names(&self) -> Names<'_> {
        Names { token: &self.token, run: self.number }
    }

    /// How many steps were done.
    pub fn done(&self) -> usize {
        self.ended_of_items().filter(|ended| matches!(ended, Ended::Done { .. })).count()
    }

    /// How many steps were tried and not done.
    pub fn failed(&self) -> usize {
        self.ended_of_items().count() - self.done()
    }

    /// How the steps ended, those for the lists of the archive left out.
    fn ended_of_items(&self) -> impl Iterator<Item = &Ended> {
        self.ended.range(..self.steps.len()).map(|(_, ended)| ended)
    }

    /// Where the items lay that it did something with.
    pub fn done_items(&self) -> impl Iterator<Item = &Spot> {
        let done = self.ended.iter().filter(|(_, ended)| matches!(ended, Ended::Done { .. }));
        done.filter_map(|(at, _)| Some(&self.steps.get(*at)?.item))
    }
}

/// The daybook's folder in the data folder.
pub fn folder(data: &Path) -> PathBuf {
    data.join("daybook")
}

/// The file of a run.
pub fn file(data: &Path, run: u64) -> PathBuf {
    folder(data).join(format!("{run:06}.jsonl"))
}

/// Sets aside the file of a run that cannot be read, so that it holds up no other run. Returns its new path.
///
/// # Errors
/// If it cannot be renamed.
pub fn set_aside(data: &Path, run: u64) -> io::Result<PathBuf> {
    let aside = crate::private::set_aside(&file(data, run), SET_ASIDE)?;
    open::unmark(data, run);
    Ok(aside)
}

/// The extension of files that were set aside. Their numbers are not used again.
const SET_ASIDE: &str = "unreadable";

/// Whether a run's last line says that it is over. Reads only the end of its file.
///
/// # Errors
/// If the file cannot be read.
pub fn is_over(data: &Path, run: u64) -> io::Result<bool> {
    Ok(matches!(last_line(data, run)?, Some(DaybookLine::End { .. })))
}

/// The last line, if it is a short one that can be read.
fn last_line(data: &Path, run: u64) -> io::Result<Option<DaybookLine>> {
    let mut file = std::fs::File::open(file(data, run))?;
    let length = file.metadata()?.len();
    file.seek(io::SeekFrom::Start(length.saturating_sub(LAST_BYTES)))?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail)?;
    let last = tail.split(|b| *b == b'\n').rfind(|line| !line.is_empty()).unwrap_or_default();
    Ok(serde_json::from_slice(last).ok())
}

/// More than an `end` line is long.
const LAST_BYTES: u64 = 1024;

/// The numbers of all runs, in order.
///
/// # Errors
/// If the daybook's folder cannot be read. One that is not there has no runs.
pub fn runs(data: &Path) -> io::Result<Vec<u64>> {
    numbers(data, &["jsonl"])
}

/// The numbers that are taken, in order: of all runs, and of files that were set aside.
pub(super) fn taken_numbers(data: &Path) -> io::Result<Vec<u64>> {
    numbers(data, &["jsonl", SET_ASIDE])
}

fn numbers(data: &Path, extensions: &[&str]) -> io::Result<Vec<u64>> {
    let entries = match std::fs::read_dir(folder(data)) {
        Ok(entries) => entries,
        Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e),
    };
    let mut numbers = Vec::new();
    for entry in entries {
        let name = entry?.file_name();
        let parts = name.to_str().and_then(|name| name.split_once('.'));
        let number = parts.filter(|(_, extension)| extensions.contains(extension));
        numbers.extend(number.and_then(|(number, _)| number.parse::<u64>().ok()));
    }
    numbers.sort_unstable();
    Ok(numbers)
}
