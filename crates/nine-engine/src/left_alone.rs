//! What is left alone by whatever does things with nobody there, until it changes: what was brought back by an
//! undo, and what watching moved itself. Both are told by the daybook; what was read of it is kept beside it, and
//! may be deleted.

use std::collections::HashMap;
use std::io::Write;
use std::path::PathBuf;

use nine_carry::daybook::{self, Ended, Run};
use nine_core::item::Stamp;
use nine_core::plan::Proposal;
use nine_core::worklist::Act;
use nine_stores::{Location, Places, Store};
use serde::{Deserialize, Serialize};

use crate::history::readable;
use crate::workspace::Workspace;

/// The command of the runs of watching, in the daybook.
pub(crate) const WATCH: &str = "nine watch";

/// Items that are left alone as long as they are as they were, by where they are.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct LeftAlone {
    /// The last run that was read.
    upto: u64,
    items: HashMap<String, Stamp>,
}

/// So many items are kept before those that are gone are looked for.
const ROOM: usize = 4096;

fn file(workspace: &Workspace) -> PathBuf {
    workspace.data().join("left-alone.json")
}

impl LeftAlone {
    /// What the daybook says.
    pub fn read(workspace: &Workspace) -> Self {
        let kept = std::fs::read(file(workspace)).ok();
        let mut all: Self = kept.and_then(|kept| serde_json::from_slice(&kept).ok()).unwrap_or_default();
        let runs = daybook::runs(workspace.data()).unwrap_or_default();
        if runs.last().copied().unwrap_or(0) < all.upto {
            // Another daybook, since somebody took the old one away.
            all = Self::default();
        }
        let new: Vec<u64> = runs.into_iter().filter(|run| *run > all.upto).collect();
        let Some(last) = new.last().copied() else { return all };
        let new = readable(workspace, new.into_iter());
        let is_open = new.iter().find(|run| !run.closed).map(|run| run.number);
        for run in new.iter().take_while(|run| Some(run.number) != is_open) {
            all.add(run);
        }
        all.upto = is_open.map_or(last, |open| open - 1);
        if all.items.len() > ROOM {
            all.items.retain(|at, _| is_there(at));
        }
        all.keep(workspace);
        all
    }

    /// Keeps what was read. Where that cannot be, it is read again the next time.
    fn keep(&self, workspace: &Workspace) {
        let kept = nine_carry::replace_private(&file(workspace), |mut new| {
            new.write_all(&serde_json::to_vec(self)?)
        });
        if let Err(error) = kept {
            tracing::info!(%error, "what is left alone is not kept");
        }
    }

    fn add(&mut self, run: &Run) {
        let is_watch = run.command == WATCH;
        if run.undoes.is_none() && !is_watch {
            return;
        }
        for (at, step) in run.steps.iter().enumerate() {
            let Some(Ended::Done { stamp, .. }) = run.ended.get(&at) else { continue };
            let now = match &step.act {
                Act::Move { to } => to,
                // What watching only tagged may be filed by a later rule.
                Act::Restore { .. } | Act::Tag { .. } if !is_watch => &step.item,
                _ => continue,
            };
            let place = run.places.get(&*now.place).and_then(|at| Location::read(at).ok());
            if let Some(place) = place {
                self.items.insert(place.join(&now.path).to_string(), stamp.unwrap_or(step.stamp));
            }
        }
    }

    /// Whether an item is to be left alone.
    pub fn has(&self, places: &Places, proposal: &Proposal) -> bool {
        let Ok(store) = places.of(&proposal.item) else { return false };
        let at = Location::read(&store.address()).map(|place| place.join(&proposal.item.path));
        let kept = at.ok().and_then(|at| self.items.get(&at.to_string()));
        kept.is_some_and(|then| is_as_then(store, &proposal.stamp, then))
    }
}

fn is_as_then(store: &dyn Store, now: &Stamp, then: &Stamp) -> bool {
    (now.size, now.modified) == (then.size, then.modified)
        && store.same_identity(&now.identity, &then.identity)
}

/// Whether something is still there, as far as that can be told at once.
fn is_there(at: &str) -> bool {
    match Location::read(at) {
        Ok(Location::Local(path)) => path.symlink_metadata().is_ok(),
        _ => true,
    }
}
