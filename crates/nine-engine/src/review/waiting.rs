//! What was not sure while nobody was there: lists that wait to be gone through, a file each.

use std::collections::HashSet;
use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::path::PathBuf;

use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::review::ReviewItem;

use super::kept::{Heading, KeptItem, write_items};
use super::{OpenReview, gather};
use crate::carry::changed_since;
use crate::plan::Draft;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// A list that waits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiting {
    /// Whose it is: a routine's name, or `watch`.
    pub name: String,
    /// When it was kept.
    pub since: String,
    /// How many items are in it.
    pub items: usize,
    file: PathBuf,
}

fn folder(workspace: &Workspace) -> PathBuf {
    workspace.data().join("waiting")
}

fn file(workspace: &Workspace, name: &str) -> PathBuf {
    // The names of routines are words without slashes and dots.
    folder(workspace).join(format!("{name}.jsonl"))
}

/// Keeps a list in place of the last one of this name. Each item stands in it once; with nothing in it, there is none.
///
/// # Errors
/// If it cannot be written; the last one stands then.
pub fn keep_waiting(workspace: &Workspace, name: &str, mut draft: Draft) -> Result {
    let path = file(workspace, name);
    let unwritable = |source| Error::ReviewUnkept { file: path.clone(), source };
    let mut seen = HashSet::new();
    draft.proposals.retain(|proposal| seen.insert(proposal.item.clone()));
    if draft.proposals.is_empty() {
        return match std::fs::remove_file(&path) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(unwritable(error)),
            _ => Ok(()),
        };
    }
    nine_carry::make_private(&folder(workspace)).map_err(unwritable)?;
    let items: Vec<_> = std::mem::take(&mut draft.proposals).into_iter().map(ReviewItem::new).collect();
    let heading = Heading::new(workspace, &draft, items.len());
    let written = nine_carry::replace_private(&path, |mut new| {
        let mut line = serde_json::to_vec(&heading)?;
        line.push(b'\n');
        new.write_all(&line)?;
        write_items(new, &items)
    });
    written.map_err(unwritable)
}

/// All lists that wait, by name.
pub fn waiting(workspace: &Workspace) -> Vec<Waiting> {
    let entries = std::fs::read_dir(folder(workspace)).into_iter().flatten().flatten();
    let mut found: Vec<Waiting> = entries.filter_map(|entry| Waiting::of(entry.path())).collect();
    found.sort_by(|a, b| a.name.cmp(&b.name));
    found
}

/// Opens lists that wait to be gone through as one. Each item stands in it once.
///
/// # Errors
/// If one cannot be read.
pub fn open_waiting<'w>(workspace: &'w Workspace, lists: &[Waiting]) -> Result<OpenReview<'w>> {
    let mut all = Draft::new("nine review", Vec::new(), &workspace.opened().places);
    for list in lists {
        all.add(list.read(workspace)?);
    }
    Ok(gather::open(workspace, all))
}

impl Waiting {
    fn of(file: PathBuf) -> Option<Self> {
        let name = file.file_name()?.to_str()?.strip_suffix(".jsonl")?.to_owned();
        let mut line = Vec::new();
        BufReader::new(File::open(&file).ok()?).read_until(b'\n', &mut line).ok()?;
        let Heading { begun: since, items, .. } = Heading::read(&line)?;
        Some(Self { name, since, items, file })
    }

    /// What is in it, as far as it is still what it was.
    ///
    /// # Errors
    /// If it cannot be read.
    pub(crate) fn read(&self, workspace: &Workspace) -> Result<Draft> {
        let bytes = std::fs::read(&self.file)?;
        let mut lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
        let Some(heading) = lines.next().and_then(Heading::read) else {
            return Ok(Draft::new("nine review", Vec::new(), &workspace.opened().places));
        };
        let items = lines.map(|line| Ok(serde_json::from_slice::<KeptItem>(line)?.proposal));
        let items = items.collect::<std::io::Result<Vec<Proposal>>>()?;
        let frame = heading.frame(workspace);
        let is_same = |item: &Proposal| changed_since(&frame.places, item, "it was kept").is_none();
        let proposals = items.into_iter().filter(is_same).collect();
        Ok(Draft { proposals, ..frame })
    }

    /// Keeps only these items, as far as they are still what they were: the others were decided.
    ///
    /// # Errors
    /// If it cannot be read or written.
    pub fn keep_only(self, workspace: &Workspace, items: &HashSet<Spot>) -> Result {
        let mut draft = self.read(workspace)?;
        draft.proposals.retain(|proposal| items.contains(&proposal.item));
        keep_waiting(workspace, &self.name, draft)
    }
}
