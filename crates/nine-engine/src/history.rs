//! The daybook.

use std::collections::BTreeMap;
use std::fmt;
use std::io::ErrorKind;

use nine_carry::daybook::{self, Ended, Occasion, Run};
use serde::Serialize;

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

/// What a run did, counted.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RunAccount {
    /// Its number.
    pub run: u64,
    /// When it began, such as `2031-04-07T09:15:02+02:00`.
    pub at: String,
    /// Its command.
    pub command: String,
    /// Items moved.
    pub moved: usize,
    /// Items whose tags changed.
    pub tagged: usize,
    /// Items put into the trash.
    pub discarded: usize,
    /// Items taken back out of it.
    pub restored: usize,
    /// Folders packed.
    pub packed: usize,
    /// Items taken out of packs.
    pub unpacked: usize,
    /// Folders made.
    pub made: usize,
    /// Texts written.
    pub written: usize,
    /// Steps that were planned and not done.
    pub not_done: usize,
    /// The routine that it was a part of, and when that was run.
    #[serde(skip)]
    pub occasion: Option<Occasion>,
    /// The same by its name.
    pub routine: Option<String>,
    /// The run that it took back.
    pub undoes: Option<u64>,
    /// The run that took it back.
    pub undone_by: Option<u64>,
    /// Whether it was cut off.
    pub cut_off: bool,
}

/// How a run stands to others, or that it did not end by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunNote {
    /// This run took it back.
    TakenBack(u64),
    /// It took back this run.
    TakesBack(u64),
    /// It took back a part of this run.
    TakesBackInPart(u64),
    /// It was cut off.
    CutOff,
}

impl fmt::Display for RunNote {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::TakenBack(by) => write!(f, "taken back by run {by}"),
            Self::TakesBack(of) => write!(f, "takes back run {of}"),
            Self::TakesBackInPart(of) => write!(f, "takes back run {of} in part"),
            Self::CutOff => f.write_str("was cut off"),
        }
    }
}

impl RunAccount {
    /// What is to be noted of it beyond its counts.
    pub fn note(&self) -> Option<RunNote> {
        match (self.undone_by, self.undoes, self.cut_off) {
            (Some(by), ..) => Some(RunNote::TakenBack(by)),
            (None, Some(of), _) if self.not_done > 0 => Some(RunNote::TakesBackInPart(of)),
            (None, Some(of), _) => Some(RunNote::TakesBack(of)),
            (None, None, cut_off) => cut_off.then_some(RunNote::CutOff),
        }
    }

    /// Counts what a run did; `taken_back` as in [`History`].
    pub fn of(run: &Run, taken_back: &BTreeMap<u64, u64>) -> Self {
        let many = |word: &str| {
            let done = run.ended.iter().filter(|(_, ended)| matches!(ended, Ended::Done { .. }));
            done.filter(|(at, _)| run.steps.get(**at).is_some_and(|step| step.act.word() == word)).count()
        };
        Self {
            run: run.number,
            at: run.at.clone(),
            command: run.command.clone(),
            moved: many("move"),
            tagged: many("tag"),
            discarded: many("discard"),
            restored: many("restore"),
            packed: many("pack"),
            unpacked: many("unpack"),
            made: many("make"),
            written: many("write"),
            not_done: run.steps.len() - run.done(),
            occasion: run.occasion.clone(),
            routine: run.occasion.as_ref().map(|occasion| occasion.routine.clone()),
            undoes: run.undoes,
            undone_by: taken_back.get(&run.number).copied(),
            cut_off: run.cut_off,
        }
    }

    /// `12 moved, 3 tagged`.
    pub fn in_words(&self) -> String {
        let parts = [
            (self.moved, "moved"),
            (self.tagged, "tagged"),
            (self.discarded, "discarded"),
            (self.restored, "restored"),
            (self.packed, "packed"),
            (self.unpacked, "unpacked"),
            (self.made, "made"),
            (self.written, "written"),
            (self.not_done, "not done"),
        ];
        let told = parts.iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}"));
        let told: Vec<String> = told.collect();
        if told.is_empty() { "nothing done".into() } else { told.join(", ") }
    }
}

/// What was done in all.
#[derive(Debug, Default)]
pub struct Stats {
    /// When the first run began.
    pub since: String,
    /// How many runs there were.
    pub runs: usize,
    /// Steps that were done.
    pub done: usize,
    /// Runs that were taken back.
    pub taken_back: usize,
    /// Runs that were cut off.
    pub cut_off: usize,
    /// By command, the one with the most runs first.
    pub commands: Vec<CommandStats>,
}

/// What was done by one command.
#[derive(Debug, Default, Serialize)]
pub struct CommandStats {
    /// The command's name.
    pub command: String,
    /// Its runs.
    pub runs: usize,
    /// Items moved.
    pub moved: usize,
    /// Items whose tags changed.
    pub tagged: usize,
    /// Items put into the trash.
    pub discarded: usize,
    /// What was restored, packed, unpacked, made or written.
    pub other: usize,
    /// Steps that were planned and not done.
    pub not_done: usize,
}

/// Counts all runs.
pub fn stats(history: &History) -> Stats {
    let History { runs, taken_back } = history;
    let mut stats = Stats { runs: runs.len(), taken_back: taken_back.len(), ..Stats::default() };
    stats.since = runs.first().map(|run| run.at.clone()).unwrap_or_default();
    let mut commands: BTreeMap<String, CommandStats> = BTreeMap::new();
    for run in runs {
        let account = RunAccount::of(run, taken_back);
        stats.cut_off += usize::from(account.cut_off);
        let words = account.command.strip_prefix("nine ").unwrap_or(&account.command);
        let word = words.split_whitespace().next().unwrap_or_default().to_owned();
        let line = commands.entry(word.clone()).or_default();
        line.command = word;
        line.runs += 1;
        line.moved += account.moved;
        line.tagged += account.tagged;
        line.discarded += account.discarded;
        line.other += account.restored + account.packed + account.unpacked + account.made + account.written;
        line.not_done += account.not_done;
        stats.done += run.done();
    }
    stats.commands = commands.into_values().collect();
    stats.commands.sort_by(|a, b| b.runs.cmp(&a.runs).then_with(|| a.command.cmp(&b.command)));
    stats
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
