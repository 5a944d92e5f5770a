//! Decisions kept in the data folder as they are taken: a line each, behind a first line with all items.
//!
//! A window that is closed, a kill or a lost connection loses none of them. Whoever has the file open has it locked.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::review::{Record, Review, ReviewItem};
use nine_stores::Places;
use serde::{Deserialize, Serialize};

use super::OpenReview;
use crate::carry::changed_since;
use crate::plan::Draft;
use crate::reporter::Notice;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// The form in which it is written. One of another form is not gone on with.
const FORM: u32 = 1;

/// What was proposed for an item, and who sent it.
#[derive(Serialize, Deserialize)]
pub(super) struct KeptItem {
    pub proposal: Proposal,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    sender: Option<String>,
}

/// What the first line says besides the items.
#[derive(Serialize, Deserialize)]
pub(super) struct Heading {
    form: u32,
    pub begun: String,
    pub command: String,
    undoes: Option<u64>,
    clear_away: Vec<Spot>,
    dated: Vec<Spot>,
    by_rules: bool,
    facets: Vec<String>,
    places: BTreeMap<String, String>,
    pub items: usize,
}

impl Heading {
    pub fn new(workspace: &Workspace, frame: &Draft, items: usize) -> Self {
        Self {
            form: FORM,
            begun: workspace.clock().strftime("%Y-%m-%d %H:%M").to_string(),
            command: frame.command.clone(),
            undoes: frame.undoes,
            clear_away: frame.clear_away.clone(),
            dated: frame.dated.clone(),
            by_rules: frame.by_rules,
            facets: frame.facets.clone(),
            places: frame.places.addresses(),
            items,
        }
    }

    /// Reads a first line, if it is of this form.
    pub fn read(line: &[u8]) -> Option<Self> {
        serde_json::from_slice(line).ok().filter(|heading: &Self| heading.form == FORM)
    }

    /// What belongs to the run besides the proposals.
    pub fn frame(self, workspace: &Workspace) -> Draft {
        let places = Places::from_addresses(&self.places, &|at| workspace.open_store(at, true));
        Draft {
            undoes: self.undoes,
            clear_away: self.clear_away,
            dated: self.dated,
            by_rules: self.by_rules,
            facets: self.facets,
            ..Draft::new(self.command, Vec::new(), &places)
        }
    }
}

/// A review that was not ended. Nobody else can open it meanwhile.
pub struct Kept {
    /// The command that it belongs to.
    pub command: String,
    /// When it was begun.
    pub begun: String,
    /// As it was left.
    pub review: Review,
    heading: Heading,
    file: File,
}

/// An item of which nothing is decided any more, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LostItem {
    /// The item.
    pub item: Spot,
    /// Why, in words.
    pub why: String,
}

fn file(workspace: &Workspace) -> PathBuf {
    workspace.data().join("review.jsonl")
}

/// Writes decisions down as they are taken.
pub(super) struct Keeper {
    path: PathBuf,
    file: File,
    is_flushed: bool,
    /// How many of the items are written.
    written: usize,
    items: usize,
}

/// How often the lock is tried, and how long it is waited between.
const LOCK_TRIES: usize = 10;
const LOCK_PAUSE: Duration = Duration::from_millis(30);

/// How many items are written at once; that takes some milliseconds.
const AT_ONCE: usize = 2000;

impl Keeper {
    /// Begins a new one, in place of any that was left.
    pub fn begin(workspace: &Workspace, frame: &Draft, items: usize) -> Result<Self> {
        let path = file(workspace);
        let unwritable = |source| Error::ReviewUnkept { file: path.clone(), source };
        nine_carry::make_private(workspace.data()).map_err(unwritable)?;
        let mut file = open_locked(&path)?;
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).map_err(unwritable)?;
        if is_unknown(&bytes) {
            set_aside(workspace, &path)?;
            file = open_locked(&path)?;
        }
        file.set_len(0).map_err(unwritable)?;
        let heading = Heading::new(workspace, frame, items);
        let mut line = serde_json::to_vec(&heading).map_err(|error| unwritable(error.into()))?;
        line.push(b'\n');
        (&file).write_all(&line).map_err(unwritable)?;
        Ok(Self { path, file, is_flushed: false, written: 0, items })
    }

    /// Writes some more of the items; says whether there are more.
    pub fn write_items(&mut self, items: &[ReviewItem]) -> Result<bool> {
        if self.written == self.items {
            return Ok(false);
        }
        let until = (self.written + AT_ONCE).min(self.items);
        let unwritable = |source| Error::ReviewUnkept { file: self.path.clone(), source };
        write_items(&self.file, &items[self.written..until]).map_err(unwritable)?;
        self.written = until;
        Ok(until < self.items)
    }

    /// Writes a line; it is with the system when this returns.
    pub fn write(&mut self, record: &Record) -> Result {
        let unwritable = |source| Error::ReviewUnkept { file: self.path.clone(), source };
        let mut line = serde_json::to_vec(record).map_err(|error| unwritable(error.into()))?;
        line.push(b'\n');
        self.is_flushed = false;
        let before = self.file.metadata().map_err(unwritable)?.len();
        let written = self.file.write_all(&line);
        if written.is_err() {
            // Half a line would spoil the next one.
            let _ = self.file.set_len(before);
        }
        written.map_err(unwritable)
    }

    /// Has all of it brought to the disk, in a thread of its own: a slow disk would hold the next key up.
    pub fn flush(&mut self) {
        if self.is_flushed {
            return;
        }
        if let Ok(file) = self.file.try_clone() {
            std::thread::spawn(move || file.sync_data());
            self.is_flushed = true;
        }
    }

    /// Takes the file away.
    pub fn end(self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

pub(super) fn write_items(file: &File, items: &[ReviewItem]) -> io::Result<()> {
    let mut out = BufWriter::with_capacity(1 << 20, file);
    for item in items {
        // As it was written is as it is read, without a copy of it.
        out.write_all(b"{\"proposal\":")?;
        serde_json::to_writer(&mut out, &item.proposal)?;
        if let Some(sender) = item.sender.as_deref() {
            out.write_all(b",\"sender\":")?;
            serde_json::to_writer(&mut out, sender)?;
        }
        out.write_all(b"}\n")?;
    }
    out.flush()
}

/// Opens the file, which nobody else may have open meanwhile.
fn open_locked(path: &std::path::Path) -> Result<File> {
    use std::os::unix::fs::OpenOptionsExt;
    let mut open = File::options();
    open.read(true).append(true).create(true).mode(0o600);
    let file = open.open(path).map_err(|source| Error::ReviewUnkept { file: path.to_owned(), source })?;
    // A process that was being started when its parent was killed has the lock for a moment longer.
    for _ in 0..LOCK_TRIES {
        if file.try_lock().is_ok() {
            return Ok(file);
        }
        std::thread::sleep(LOCK_PAUSE);
    }
    Err(Error::ReviewOpen)
}

/// The review that was left, if one was and decisions of it stand.
///
/// # Errors
/// If another one is open, or it cannot be read.
pub fn kept(workspace: &Workspace) -> Result<Option<Kept>> {
    let path = file(workspace);
    if !path.exists() {
        return Ok(None);
    }
    let file = open_locked(&path)?;
    let mut bytes = Vec::new();
    (&file).read_to_end(&mut bytes)?;
    let mut lines = bytes.split_inclusive(|byte| *byte == b'\n').filter(|line| line.ends_with(b"\n"));
    let Some(heading) = lines.next().and_then(Heading::read) else {
        if is_unknown(&bytes) {
            set_aside(workspace, &path)?;
        }
        return Ok(None);
    };
    let items: Vec<&[u8]> = lines.by_ref().take(heading.items).collect();
    let (records, read) = records(lines);
    let whole = items.iter().map(|line| line.len()).sum::<usize>() + read;
    // The last line may have been cut off. It goes, since what is decided next would be written behind it.
    let whole = bytes.iter().position(|byte| *byte == b'\n').map_or(0, |end| end + 1) + whole;
    if bytes[whole..].contains(&b'\n') {
        set_aside(workspace, &path)?;
        return Ok(None);
    }
    if whole < bytes.len() {
        file.set_len(whole as u64)?;
    }
    // Long lists are not read where nothing was decided.
    if records.is_empty() || items.len() < heading.items {
        return Ok(None);
    }
    let items = items.into_iter().map(|line| Ok(serde_json::from_slice::<KeptItem>(line)?));
    let items =
        items.map(|kept: io::Result<_>| kept.map(|kept| ReviewItem::new(kept.proposal).sent_by(kept.sender)));
    let Ok(items) = items.collect::<io::Result<Vec<_>>>() else {
        set_aside(workspace, &path)?;
        return Ok(None);
    };
    let mut review = Review::new(items);
    records.into_iter().for_each(|record| review.replay(record));
    let (command, begun) = (heading.command.clone(), heading.begun.clone());
    Ok((review.turns() > 0).then_some(Kept { command, begun, review, heading, file }))
}

/// Whether the first line is not one that this version writes: the file may hold decisions of another version. A first
/// line that was cut off is followed by none.
fn is_unknown(bytes: &[u8]) -> bool {
    let first = bytes.split(|byte| *byte == b'\n').next().unwrap_or_default();
    bytes.contains(&b'\n') && Heading::read(first).is_none()
}

fn set_aside(workspace: &Workspace, path: &Path) -> Result {
    let unwritable = |source| Error::ReviewUnkept { file: path.to_owned(), source };
    let aside = nine_carry::set_aside(path, "unreadable").map_err(unwritable)?;
    workspace.notice(&Notice::ReviewSetAside(&aside));
    Ok(())
}

/// The records of some lines up to one that is none, and their bytes.
fn records<'l>(lines: impl Iterator<Item = &'l [u8]>) -> (Vec<Record>, usize) {
    let (mut records, mut bytes) = (Vec::new(), 0);
    for line in lines {
        let Ok(record) = serde_json::from_slice(line) else { break };
        records.push(record);
        bytes += line.len();
    }
    (records, bytes)
}

impl Kept {
    /// Forgets it.
    ///
    /// # Errors
    /// If it cannot be taken away.
    pub fn forget(self, workspace: &Workspace) -> Result {
        Ok(std::fs::remove_file(file(workspace))?)
    }

    /// Goes on with it. What is not what it was is gone through no more.
    ///
    /// # Errors
    /// If what is to be kept cannot be written.
    pub fn resume(self, workspace: &Workspace) -> Result<(OpenReview<'_>, Vec<LostItem>)> {
        let Kept { review, heading, file: open, .. } = self;
        let items = heading.items;
        let mut open_review = OpenReview::new(workspace, review, heading.frame(workspace));
        open_review.keeper =
            Some(Keeper { path: file(workspace), file: open, is_flushed: true, written: items, items });
        let lost = lost(&open_review);
        if !lost.is_empty() {
            let record = open_review.review.lose(lost.iter().map(|(at, _)| *at).collect());
            open_review.write(&record)?;
        }
        open_review.check_all();
        Ok((open_review, lost.into_iter().map(|(_, lost)| lost).collect()))
    }
}

/// Items that are not what they were when they were proposed.
fn lost(open: &OpenReview) -> Vec<(usize, LostItem)> {
    let places = &open.frame.places;
    let items = open.review.items().iter().enumerate();
    let items = items.filter(|(_, item)| item.state != nine_core::review::State::Gone);
    let lost = items.filter_map(|(at, item)| {
        let why = changed_since(places, &item.proposal, "the review began")?;
        Some((at, LostItem { item: item.proposal.item.clone(), why }))
    });
    lost.collect()
}
