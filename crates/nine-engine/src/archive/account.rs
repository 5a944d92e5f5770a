//! What of the archive is told: each dated folder with its counts, and when it was verified.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::PathBuf;

use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::moment::Moment;
use serde::{Deserialize, Serialize};

use super::{Verified, list};
use crate::Result;
use crate::workspace::{Dated, Workspace};

/// A dated folder or pack, counted.
#[derive(Debug, Clone)]
pub struct DatedAccount {
    /// Its name, written: `2031-04-07`.
    pub name: String,
    /// `folder`, or the form of the pack.
    pub form: &'static str,
    /// How many items it was made of.
    pub items: u64,
    /// How many files lie in it.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Where it is, written.
    pub at: String,
    /// Why its list cannot be read; empty if it can.
    pub trouble: String,
    /// When it was last held against its checksums, and whether it was whole.
    pub verified: Option<LastVerified>,
}

/// When a dated folder was last held against its checksums.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct LastVerified {
    /// When, by the clock.
    #[serde(with = "nine_core::moment::written")]
    pub at: Moment,
    /// Whether everything was as its lists say.
    pub whole: bool,
}

/// By where the dated folder or pack is, written.
type AllVerified = BTreeMap<String, LastVerified>;

/// The dated folders and packs, in the order of their names.
pub fn accounts(workspace: &Workspace) -> Vec<DatedAccount> {
    let verified = read(workspace);
    list(workspace).iter().map(|dated| account(dated, &verified)).collect()
}

fn account(dated: &Dated, verified: &AllVerified) -> DatedAccount {
    let contents = dated.listed();
    let files = || contents.0.values().filter(|line| line.kind == Kind::File);
    let at = dated.at.to_string();
    DatedAccount {
        name: escape(&dated.name()),
        form: dated.form.map_or("folder", |form| &form.extension()[1..]),
        items: contents.items().count() as u64,
        files: files().count() as u64,
        bytes: files().map(|line| line.size).sum(),
        trouble: dated.contents().err().unwrap_or_default().to_owned(),
        verified: verified.get(&at).copied(),
        at,
    }
}

fn file(workspace: &Workspace) -> PathBuf {
    workspace.data().join("verified.json")
}

/// What is known; nothing where that cannot be read.
fn read(workspace: &Workspace) -> AllVerified {
    let bytes = std::fs::read(file(workspace)).unwrap_or_default();
    serde_json::from_slice(&bytes).unwrap_or_default()
}

/// Takes note of what was verified just now, and forgets what is not there any more.
pub(super) fn remember(workspace: &Workspace, dated: &[Dated], found: &[(&Dated, Verified)]) -> Result {
    let mut all = read(workspace);
    all.retain(|at, _| dated.iter().any(|dated| dated.at.to_string() == *at));
    let at = workspace.moment();
    let now = found
        .iter()
        .map(|(dated, found)| (dated.at.to_string(), LastVerified { at, whole: found.is_whole() }));
    all.extend(now);
    nine_carry::make_private(workspace.data())?;
    let text = serde_json::to_vec(&all).map_err(std::io::Error::other)?;
    Ok(nine_carry::replace_private(&file(workspace), |mut new| new.write_all(&text))?)
}
