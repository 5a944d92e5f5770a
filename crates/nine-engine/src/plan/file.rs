//! Worklists as files: the table for the person, and beside the daybook what was proposed when it was
//! written.

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

use nine_core::worklist::table::{KeptWorklist, TableRow, read, to_csv, to_json};

use super::Plan;
use crate::new_file::write_new;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// How many worklists are remembered.
const REMEMBERED: usize = 40;

/// What was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Written {
    /// Lines, which are items.
    pub lines: u64,
    /// Those in doubt.
    pub in_doubt: u64,
}

impl Plan {
    /// Writes the plan to a file of the person's, which must not be there yet.
    ///
    /// # Errors
    /// If its name says no format, something has it already, or it cannot be written.
    pub fn write(self, workspace: &Workspace, file: &Path) -> Result<Written> {
        let extension = file.extension().and_then(|ext| ext.to_str()).map(str::to_ascii_lowercase);
        let as_csv = match extension.as_deref() {
            Some("csv") => true,
            Some("json") => false,
            _ => return Err(Error::TableName(file.to_owned())),
        };
        let (lines, proposals) = self.lines_and_proposals(workspace.now());
        let draft = self.draft;
        let text = if as_csv { to_csv(&lines, &draft.facets) } else { to_json(&lines) };
        let in_doubt = lines.iter().filter(|line| !line.doubt.is_empty()).count() as u64;
        let written = Written { lines: lines.len() as u64, in_doubt };
        let kept = KeptWorklist {
            command: draft.command,
            by_rules: draft.by_rules,
            undoes: draft.undoes,
            clear_away: draft.clear_away,
            dated: draft.dated,
            places: draft.places.addresses(),
            facets: draft.facets,
            lines,
            proposals,
        };
        keep(workspace, &kept)?;
        write_new(file, &text)?;
        Ok(written)
    }
}

fn folder(workspace: &Workspace) -> PathBuf {
    workspace.data().join("worklists")
}

/// The remembered worklists, the newest last.
fn remembered(workspace: &Workspace) -> Vec<(u64, PathBuf)> {
    let entries = fs::read_dir(folder(workspace)).into_iter().flatten().flatten();
    let number = |path: &Path| path.file_stem()?.to_str()?.parse::<u64>().ok();
    let mut found: Vec<(u64, PathBuf)> =
        entries.filter_map(|entry| Some((number(&entry.path())?, entry.path()))).collect();
    found.sort();
    found
}

fn keep(workspace: &Workspace, kept: &KeptWorklist) -> Result {
    let unwritable = |source| Error::WorklistUnkept { folder: folder(workspace), source };
    nine_carry::make_private(&folder(workspace)).map_err(unwritable)?;
    let before = remembered(workspace);
    let mut number = before.last().map_or(1, |(last, _)| last + 1);
    loop {
        let path = folder(workspace).join(format!("{number}.json"));
        match nine_carry::new_private(&path) {
            Ok(mut file) => {
                // Straight into the file: the list may be long.
                let mut out = std::io::BufWriter::new(&mut file);
                serde_json::to_writer(&mut out, kept).map_err(|error| unwritable(error.into()))?;
                out.flush().map_err(unwritable)?;
                drop(out);
                file.sync_all().map_err(unwritable)?;
                break;
            }
            // Another command took the number meanwhile.
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => number += 1,
            Err(error) => return Err(unwritable(error)),
        }
    }
    for (_, old) in before.iter().rev().skip(REMEMBERED - 1) {
        let _ = fs::remove_file(old);
    }
    Ok(())
}

/// Reads a table, and finds what was proposed when it was written: the newest worklist that has every
/// line of it.
///
/// # Errors
/// What cannot be understood, with the lines; or that nothing like it was proposed here.
pub(crate) fn load(workspace: &Workspace, file: &Path) -> Result<(Vec<TableRow>, KeptWorklist)> {
    let unreadable = |source| Error::TableUnreadable { file: file.to_owned(), source };
    let bytes = fs::read(file).map_err(unreadable)?;
    let rows = read(&bytes).map_err(|wrong| Error::Table { file: file.to_owned(), wrong })?;
    let mut nearest: Option<(usize, KeptWorklist)> = None;
    for (_, path) in remembered(workspace).into_iter().rev() {
        let Ok(text) = fs::read(&path) else { continue };
        let Ok(kept) = serde_json::from_slice::<KeptWorklist>(&text) else { continue };
        let strange = rows.iter().filter(|row| !kept.has(row)).count();
        if strange == 0 {
            return Ok((rows, kept));
        }
        if nearest.as_ref().is_none_or(|(least, _)| strange < *least) {
            nearest = Some((strange, kept));
        }
    }
    // If most of it is known, the lines that are not will be named.
    match nearest {
        Some((strange, kept)) if 2 * strange <= rows.len() => Ok((rows, kept)),
        _ => Err(Error::TableUnknown(file.to_owned())),
    }
}
