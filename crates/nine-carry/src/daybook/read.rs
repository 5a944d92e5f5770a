//! A run read from its file.

use std::collections::BTreeMap;
use std::io::{self, BufRead};
use std::path::Path;

use nine_core::escape::unescape;
use nine_core::item::Identity;
use nine_core::place::Spot;
use nine_stores::is_token;

use super::record::{PieceLine, Planned};
use super::{DaybookLine, Ended, FORMAT, Run, file};

/// Reads a run. A line that cannot be read is passed over and noted.
///
/// # Errors
/// If the file cannot be read, or so much of its plan cannot that it is not known what was planned. The kind is
/// [`io::ErrorKind::Unsupported`] if a newer version wrote it.
pub fn read(data: &Path, number: u64) -> io::Result<Run> {
    let bytes = std::fs::read(file(data, number))?;
    let mut run = Run {
        number,
        at: String::new(),
        command: String::new(),
        undoes: None,
        occasion: None,
        places: BTreeMap::new(),
        token: String::new(),
        roots: BTreeMap::new(),
        steps: Vec::new(),
        lists: Vec::new(),
        pieces: BTreeMap::new(),
        planned: false,
        ended: BTreeMap::new(),
        made: Vec::new(),
        closed: false,
        cut_off: false,
        broken: Vec::new(),
    };
    let mut last = 0;
    for (at, text) in bytes.split(|b| *b == b'\n').enumerate().filter(|(_, text)| !text.is_empty()) {
        last = at + 1;
        let taken = match serde_json::from_slice(text) {
            Ok(DaybookLine::Run { format, .. }) if format > FORMAT => {
                let newer = format!("run {number} was written by a newer nine (format {format})");
                return Err(io::Error::new(io::ErrorKind::Unsupported, newer));
            }
            Ok(line) => {
                // The line that was being written when the run was cut off is no loss.
                if matches!(line, DaybookLine::Recovered { .. }) && run.broken.last() == Some(&at) {
                    run.broken.pop();
                }
                take(&mut run, line)
            }
            Err(_) => None,
        };
        if taken.is_none() {
            run.broken.push(at + 1);
        }
    }
    // A plan that was being written when the run was cut off ends in one broken line, and nothing was done.
    if !run.planned && !run.closed && run.broken.iter().any(|line| *line < last) {
        let lines: Vec<String> = run.broken.iter().take(5).map(usize::to_string).collect();
        return Err(io::Error::other(format!("its plan is damaged (lines {})", lines.join(", "))));
    }
    Ok(run)
}

/// What a run was, in one line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Glimpse {
    /// Its number.
    pub run: u64,
    /// When it began, such as `2031-04-07T09:15:02+02:00`.
    pub at: String,
    /// The command.
    pub command: String,
    /// How many steps were done, if it is over.
    pub done: Option<usize>,
}

/// Reads the first and the last line of a run alone, however long it is.
///
/// # Errors
/// If the file cannot be read, or its first line is not that of a run.
pub fn glimpse(data: &Path, run: u64) -> io::Result<Glimpse> {
    let mut first = Vec::new();
    io::BufReader::new(std::fs::File::open(file(data, run))?).read_until(b'\n', &mut first)?;
    let DaybookLine::Run { at, command, .. } = serde_json::from_slice(&first)? else {
        return Err(io::Error::other("the first line is not that of a run"));
    };
    let done = match super::last_line(data, run)? {
        Some(DaybookLine::End { done, .. }) => Some(done),
        _ => None,
    };
    Ok(Glimpse { run, at, command, done })
}

/// How many numbers the plan has taken so far.
fn planned(run: &Run) -> usize {
    run.steps.len() + run.lists.len()
}

/// Adds a line to a run; `None` if it holds something unreadable.
fn take(run: &mut Run, line: DaybookLine) -> Option<()> {
    match line {
        DaybookLine::Run { at, command, undoes, places, token, roots, occasion, .. } => {
            run.occasion = occasion;
            (run.at, run.command, run.undoes, run.places) = (at, command, undoes, places);
            run.token = Some(token).filter(|token| is_token(token))?;
            let root = |(name, text): (String, String)| Some((name, Identity::parse(&text)?));
            run.roots = roots.into_iter().map(root).collect::<Option<_>>()?;
        }
        // Numbers run on; a gap would be a line that was lost.
        DaybookLine::Step(line) => match line.read()? {
            (number, Planned::Step(step)) if number == run.steps.len() + 1 => run.steps.push(*step),
            (number, Planned::List(dated)) if number == planned(run) + 1 => run.lists.push(dated),
            _ => return None,
        },
        DaybookLine::List { step, item } if step == planned(run) + 1 => {
            run.lists.push(Spot::parse(&item).ok()?)
        }
        DaybookLine::List { .. } => return None,
        DaybookLine::Planned { steps } => run.planned = steps == planned(run),
        DaybookLine::Folder { at } => run.made.push(Spot::parse(&at).ok()?),
        DaybookLine::FolderThere { at } => {
            let there = Spot::parse(&at).ok()?;
            run.made.retain(|made| *made != there);
        }
        DaybookLine::Pieces { step, pieces } => {
            let pieces = pieces.iter().map(PieceLine::read).collect::<Option<_>>()?;
            run.pieces.insert(step.checked_sub(1)?, pieces);
        }
        DaybookLine::Copied { step, copies } => {
            let pieces = run.pieces.get_mut(&step.checked_sub(1)?).filter(|of| of.len() == copies.len())?;
            for (piece, copy) in pieces.iter_mut().zip(copies) {
                piece.copy = Some(copy.read()?);
            }
        }
        DaybookLine::Done { step, kept_as, stamp, stayed } => {
            let kept_as = kept_as.map(|text| unescape(&text)).transpose().ok()?;
            let stamp = match stamp {
                Some(line) => Some(line.read()?),
                None => None,
            };
            run.ended.insert(step.checked_sub(1)?, Ended::Done { stamp, kept_as, stayed });
        }
        DaybookLine::Failed { step, because, stamp } => {
            let stamp = match stamp {
                Some(line) => Some(line.read()?),
                None => None,
            };
            run.ended.insert(step.checked_sub(1)?, Ended::Failed { because, stamp });
        }
        DaybookLine::NotKnown { step, because } => {
            run.ended.insert(step.checked_sub(1)?, Ended::NotKnown { because });
        }
        DaybookLine::Recovered { .. } => run.cut_off = true,
        DaybookLine::End { .. } => run.closed = true,
    }
    Some(())
}
