//! A run being written.

use std::collections::{BTreeMap, HashMap};
use std::fs::{File, OpenOptions};
use std::io::{self, BufWriter, Seek, Write};
use std::path::{Path, PathBuf};

use nine_core::escape::escape;
use nine_core::item::{Identity, Stamp};
use nine_core::place::Spot;
use nine_core::worklist::Step;
use nine_stores::fault::{Op, before, point};
use nine_stores::{Places, random_token};

use super::record::{PieceLine, StampLine, StepLine};
use super::{DaybookLine, FORMAT, Occasion, file, folder, open, runs, taken_numbers};
use crate::Clock;
use crate::lists::Arrival;
use crate::outcome::Trace;
use crate::pieces::Piece;
use crate::private::{make_private, new_private};
use crate::transfer::Names;

/// After how many steps the record is handed to the system. It is not synced: after a loss of power
/// recovery finds out what was done by looking at both ends of each step, and waiting for the disk
/// every thousand moves costs more than the moves.
const STEPS_PER_FLUSH: usize = 1024;

/// Writes the daybook of one run.
#[derive(Debug)]
pub struct Writer {
    data: PathBuf,
    run: u64,
    out: BufWriter<File>,
    since_flush: usize,
    syncs: u64,
    done: usize,
    failed: usize,
    token: String,
    /// Said before the first line that follows, where a run is gone on with.
    recovered: Option<String>,
}

/// What the first line says of a run.
#[derive(Debug, Clone, Default)]
pub struct Heading {
    /// The command, as people know it.
    pub command: String,
    /// The run that it takes back.
    pub undoes: Option<u64>,
    /// Where each place is.
    pub places: BTreeMap<String, String>,
    /// What the folder of each local place is known by.
    pub roots: BTreeMap<String, Identity>,
    /// The dated folders of the archive whose lists follow from the steps.
    pub lists: Vec<Spot>,
    /// The routine that it is a part of.
    pub occasion: Option<Occasion>,
}

impl Heading {
    /// Of a command in these places.
    pub fn new(command: impl Into<String>, undoes: Option<u64>, places: &Places) -> Self {
        let (addresses, roots) = (places.addresses(), places.roots());
        Self { command: command.into(), undoes, places: addresses, roots, ..Self::default() }
    }
}

impl Writer {
    /// Starts a run: writes all steps, and returns only once they are safe on the disk.
    ///
    /// # Errors
    /// If the daybook cannot be written. Nothing has been touched then.
    pub fn begin<'s>(
        data: &Path,
        heading: &Heading,
        steps: impl Iterator<Item = &'s Step>,
        clock: Clock,
    ) -> io::Result<Self> {
        make_private(data)?;
        make_private(&folder(data))?;
        open::close_those_that_are_over(data);
        let run = taken_numbers(data)?.last().map_or(1, |last| last + 1);
        point();
        open::mark(data, run)?;
        let new = new_private(&file(data, run))?;
        let out = BufWriter::new(new);
        let (token, recovered, data_path) = (random_token(), None, data.to_owned());
        let mut writer = Self {
            data: data_path,
            run,
            out,
            since_flush: 0,
            syncs: 0,
            done: 0,
            failed: 0,
            token,
            recovered,
        };
        let written = writer.plan(heading, steps, clock).and_then(|()| {
            writer.syncs += 1;
            File::open(folder(data))?.sync_all()
        });
        if let Err(error) = written {
            // A plan that could not be written whole was never begun.
            let _ = std::fs::remove_file(file(data, run));
            open::unmark(data, run);
            return Err(error);
        }
        Ok(writer)
    }

    fn plan<'s>(
        &mut self,
        heading: &Heading,
        steps: impl Iterator<Item = &'s Step>,
        clock: Clock,
    ) -> io::Result<()> {
        let Heading { command, undoes, places, roots, lists, occasion } = heading.clone();
        let (at, token) = (stamp(clock), self.token.clone());
        let roots = roots.into_iter().map(|(name, root)| (name, root.to_string())).collect();
        self.line(&DaybookLine::Run {
            format: FORMAT,
            run: self.run,
            at,
            command,
            undoes,
            places,
            token,
            roots,
            occasion,
        })?;
        let mut count = 0;
        for step in steps {
            count += 1;
            self.line(&DaybookLine::Step(Box::new(StepLine::write(count, step))))?;
        }
        for dated in lists {
            count += 1;
            self.line(&DaybookLine::List { step: count, item: dated.to_string() })?;
        }
        self.line(&DaybookLine::Planned { steps: count })?;
        self.sync()
    }

    /// Goes on with a run that was cut off.
    ///
    /// # Errors
    /// If its file cannot be written.
    pub fn resume(data: &Path, run: &super::Run, clock: Clock) -> io::Result<Self> {
        let mut out = OpenOptions::new().append(true).open(file(data, run.number))?;
        // The last line may have been cut; a line of its own keeps what follows readable.
        out.seek(io::SeekFrom::End(0))?;
        let (token, recovered) = (run.token.clone(), Some(stamp(clock)));
        let (done, failed) = (run.done(), run.failed());
        let out = BufWriter::new(out);
        let data = data.to_owned();
        Ok(Self { data, run: run.number, out, since_flush: 0, syncs: 0, done, failed, token, recovered })
    }

    /// How the names begin that the run makes for a moment.
    pub fn names(&self) -> Names<'_> {
        Names { token: &self.token, run: self.run }
    }

    /// The run's number.
    pub fn run(&self) -> u64 {
        self.run
    }

    /// How items came into a dated folder of the archive, by where earlier runs put them. A run that cannot be read tells
    /// nothing; what it brought counts as found there.
    pub(crate) fn arrivals(&self, dated: &Spot) -> HashMap<Spot, Arrival> {
        let mut found = HashMap::new();
        let earlier = runs(&self.data).unwrap_or_default().into_iter().filter(|run| *run < self.run);
        let earlier = earlier.filter_map(|run| super::read(&self.data, run).ok());
        for run in earlier.filter(|run| run.lists.contains(dated)) {
            for (at, step) in run.steps.iter().enumerate() {
                let is_done = matches!(run.ended.get(&at), Some(super::Ended::Done { .. }));
                let Some(to) = step.target().filter(|to| is_done && to.is_inside(dated)) else { continue };
                let (from, why) = (step.item.clone(), step.why.to_string());
                found.insert(to.clone(), Arrival { from, why, run: run.number, at: run.at.clone() });
            }
        }
        found
    }

    /// How often it waited until the record was on the disk for sure.
    pub fn syncs(&self) -> u64 {
        self.syncs
    }

    fn line(&mut self, line: &DaybookLine) -> io::Result<()> {
        if let Some(at) = self.recovered.take() {
            self.out.write_all(b"\n")?;
            self.line(&DaybookLine::Recovered { at })?;
        }
        serde_json::to_writer(&mut self.out, line)?;
        self.out.write_all(b"\n")
    }

    /// Hands what was written to the system, so that it outlives a killed program.
    pub fn flush(&mut self) -> io::Result<()> {
        before(Op::Daybook).map_err(io::Error::from)?;
        self.out.flush()?;
        point();
        Ok(())
    }

    /// Notes what is about to be copied, so that it is known what is ours, should the program be cut off or the power
    /// fail.
    pub fn pieces(&mut self, step: usize, pieces: &[Piece]) -> io::Result<()> {
        let pieces = pieces.iter().map(PieceLine::write).collect();
        self.line(&DaybookLine::Pieces { step: step + 1, pieces })?;
        self.sync()
    }

    /// Notes as what all these pieces were compared. Their originals may go once this has returned, for which it
    /// must outlast a loss of power.
    pub fn copied(&mut self, step: usize, pieces: &[Piece]) -> io::Result<()> {
        let copies = pieces.iter().filter_map(|piece| piece.copy).map(StampLine::from).collect();
        self.line(&DaybookLine::Copied { step: step + 1, copies })?;
        self.sync()
    }

    fn sync(&mut self) -> io::Result<()> {
        self.flush()?;
        self.syncs += 1;
        self.out.get_ref().sync_data()
    }

    /// Notes that a folder is about to be made.
    pub fn folder(&mut self, at: &Spot) -> io::Result<()> {
        self.line(&DaybookLine::Folder { at: at.to_string() })?;
        self.flush()
    }

    /// Notes that the folder was there already.
    pub fn folder_was_there(&mut self, at: &Spot) -> io::Result<()> {
        self.line(&DaybookLine::FolderThere { at: at.to_string() })
    }

    /// Notes that a step (counted from 0) was done.
    pub fn done(&mut self, step: usize, trace: &Trace) -> io::Result<()> {
        self.done += 1;
        self.line(&DaybookLine::Done {
            step: step + 1,
            kept_as: trace.kept_as.as_deref().map(escape),
            stamp: trace.stamp.map(StampLine::from),
            stayed: trace.stayed.count,
        })?;
        self.since_flush += 1;
        if self.since_flush < STEPS_PER_FLUSH {
            return Ok(());
        }
        self.since_flush = 0;
        self.flush()
    }

    /// Notes that the lists of the dated folder of this number (counted from 0) are up to date. They are no item, and
    /// do not count.
    pub fn listed(&mut self, step: usize) -> io::Result<()> {
        self.line(&DaybookLine::Done { step: step + 1, kept_as: None, stamp: None, stayed: 0 })
    }

    /// Notes that a step (counted from 0) was not done; `stamp` is as what its item is found now, if it was
    /// copied back and forth meanwhile.
    pub fn failed(&mut self, step: usize, because: &str, stamp: Option<Stamp>) -> io::Result<()> {
        self.failed += 1;
        let stamp = stamp.map(StampLine::from);
        self.line(&DaybookLine::Failed { step: step + 1, because: because.to_owned(), stamp })
    }

    /// Notes that what became of a step (counted from 0) could not be found out.
    pub fn not_known(&mut self, step: usize, because: &str) -> io::Result<()> {
        self.failed += 1;
        self.line(&DaybookLine::NotKnown { step: step + 1, because: because.to_owned() })
    }

    /// Ends the run. Not synced: a lost last line is found again by looking at both ends.
    ///
    /// # Errors
    /// If the record cannot be written.
    pub fn end(mut self, clock: Clock) -> io::Result<()> {
        let (done, failed) = (self.done, self.failed);
        self.line(&DaybookLine::End { at: stamp(clock), done, failed })?;
        self.flush()
    }
}

/// The time with its offset, to the second.
pub(crate) fn stamp(clock: Clock) -> String {
    clock().strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()
}
