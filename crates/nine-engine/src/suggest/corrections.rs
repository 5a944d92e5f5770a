//! What a person decided otherwise, told by the daybook: filed by hand, moved elsewhere after a run, taken back.

use std::collections::{HashMap, HashSet};

use nine_carry::daybook::{self, Ended, Run};
use nine_core::escape::written;
use nine_core::item::Identity;
use nine_core::place::Spot;
use nine_core::plan::BY_HAND;
use nine_core::suggest::Examples;
use nine_core::tree::NodeId;
use nine_core::worklist::Act;
use nine_stores::{Catalogue, Location};
use serde::{Deserialize, Serialize};

use crate::history::readable;
use crate::looking::View;
use crate::looking::learned::{keep, kept};
use crate::workspace::Workspace;

/// What it is kept under in the catalogue.
const KEPT_AS: &str = "corrections";

/// So much of each kind is kept at most; what is oldest goes first.
const MOST: usize = 5000;

/// What the daybook tells.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(super) struct Corrections {
    /// The last run that was read.
    upto: u64,
    /// What was filed, by where it is.
    filed: HashMap<String, FiledByRun>,
    /// What was brought back, by where it is since then and the folder that it was in.
    refused: Vec<Refused>,
}

/// Something that a run filed.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct FiledByRun {
    /// The run.
    run: u64,
    /// The folder in which it put it.
    folder: String,
    /// What its store knows it by.
    identity: Identity,
    /// Whether a person said where.
    by_hand: bool,
}

/// Something that was brought back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Refused {
    /// Where it is since then.
    back: String,
    /// The folder that it was in.
    folder: String,
    /// Its name.
    #[serde(with = "written")]
    name: Vec<u8>,
}

/// What counts of it in one view.
#[derive(Debug, Default)]
pub(super) struct Corrected {
    /// What the person put there.
    pub by_hand: HashSet<NodeId>,
    /// Names of what does not belong into a folder, with its number.
    pub refused: Vec<(Vec<u8>, u32)>,
}

impl Corrections {
    /// Reads the runs that are new, one after the other: a run may be long.
    pub fn read(workspace: &Workspace, catalogue: Option<&Catalogue>) -> Self {
        let mut all: Self = kept(catalogue, KEPT_AS).unwrap_or_default();
        let runs = daybook::runs(workspace.data()).unwrap_or_default();
        if runs.last().copied().unwrap_or(0) < all.upto {
            // Another daybook, since somebody took the old one away.
            all = Self::default();
        }
        let before = all.upto;
        for number in runs.into_iter().filter(|run| *run > before) {
            let Some(run) = readable(workspace, std::iter::once(number)).pop() else { continue };
            if !run.closed {
                break;
            }
            all.add(&run);
            all.upto = number;
        }
        if all.upto != before {
            keep(catalogue, KEPT_AS, &all);
        }
        all
    }

    fn add(&mut self, run: &Run) {
        let mut moved: HashSet<(String, String)> = HashSet::new();
        for (at, step) in run.steps.iter().enumerate() {
            let Some(Ended::Done { stamp, .. }) = run.ended.get(&at) else { continue };
            let Act::Move { to } = &step.act else { continue };
            let folder = |spot: &Spot| location(run, &spot.folder());
            let (Some(was), Some(is), Some(folder_was), Some(folder_is)) =
                (location(run, &step.item), location(run, to), folder(&step.item), folder(to))
            else {
                continue;
            };
            self.filed.remove(&was);
            if run.undoes.is_some() {
                let name = to.path.name().to_vec();
                self.refused.push(Refused { back: is.clone(), folder: folder_was, name });
            } else {
                let identity = stamp.unwrap_or(step.stamp).identity;
                let by_hand = *step.why == *BY_HAND;
                let filed = FiledByRun { run: run.number, folder: folder_is.clone(), identity, by_hand };
                self.filed.insert(is, filed);
            }
            moved.insert((was, folder_is));
        }
        // What came into a folder after all is not refused there any more.
        self.refused.retain(|refused| !moved.contains(&(refused.back.clone(), refused.folder.clone())));
        self.forget();
    }

    fn forget(&mut self) {
        self.refused.drain(..self.refused.len().saturating_sub(MOST));
        if self.filed.len() > 2 * MOST {
            let mut runs: Vec<u64> = self.filed.values().map(|filed| filed.run).collect();
            runs.sort_unstable();
            let first = runs[runs.len() - MOST];
            self.filed.retain(|_, filed| filed.run >= first);
        }
    }

    /// What counts of it in a view.
    pub fn in_view(&self, view: &View, examples: &Examples) -> Corrected {
        let root = view.area.at.real();
        let below = |at: &str| Location::read(at).ok()?.below(&root);
        let folder = |at: &str| {
            let spot = Spot::new(view.area.base.place.clone(), below(at)?);
            examples.folder_at(&spot)
        };
        let mut found = Corrected::default();
        for refused in &self.refused {
            found.refused.extend(folder(&refused.folder).map(|at| (refused.name.clone(), at)));
        }
        // What a run put somewhere and that is elsewhere on the shelves by now, a person moved there.
        let mut gone: HashMap<Identity, &FiledByRun> = HashMap::new();
        for (at, filed) in &self.filed {
            let Some(path) = below(at) else { continue };
            match view.tree.find(&path) {
                Some(id) if filed.by_hand => drop(found.by_hand.insert(id)),
                Some(_) => {}
                None => drop(gone.insert(filed.identity, filed)),
            }
        }
        if gone.is_empty() {
            return found;
        }
        for id in view.tree.ids() {
            let Some(filed) = gone.get(&view.tree.identity(id)) else { continue };
            let was_in = folder(&filed.folder);
            if was_in != folder(&view.location(view.tree.parent(id)).to_string()) {
                found.by_hand.insert(id);
                found.refused.extend(was_in.map(|at| (view.tree.name(id).to_vec(), at)));
            }
        }
        found
    }

    /// The folders that something at a place was brought back from.
    pub fn refused_at<'c>(&'c self, at: &str) -> HashSet<&'c str> {
        let its = self.refused.iter().filter(|refused| refused.back == at);
        its.map(|refused| refused.folder.as_str()).collect()
    }
}

/// Where a run knew something, as it is written.
fn location(run: &Run, spot: &Spot) -> Option<String> {
    let place = run.places.get(&*spot.place).and_then(|at| Location::read(at).ok())?;
    Some(place.join(&spot.path).to_string())
}
