//! What a person decided otherwise, told by the daybook: filed by hand, moved elsewhere after a run, taken back.

use std::collections::{HashMap, HashSet};

use nine_carry::daybook::{self, Ended, Run};
use nine_core::escape::written;
use nine_core::item::Identity;
use nine_core::place::Spot;
use nine_core::suggest::Examples;
use nine_core::tree::NodeId;
use nine_core::worklist::Act;
use nine_stores::{Catalogue, Location};
use serde::{Deserialize, Serialize};

use crate::history::readable;
use crate::looking::View;
use crate::workspace::Workspace;

/// What it is kept under in the catalogue.
const KEPT_AS: &str = "corrections";

/// The why of a step that a person decided.
const BY_HAND: &str = "by hand";

/// Corrections of one kind that are kept at most; the oldest go first.
const MOST: usize = 5000;

/// What the daybook tells.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(super) struct Corrections {
    /// The last run that was read.
    upto: u64,
    /// Where things are that were filed by hand.
    by_hand: Vec<String>,
    /// What runs filed.
    filed: Vec<FiledByRun>,
    refused: Vec<Refused>,
}

/// Something that a run filed.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct FiledByRun {
    /// Where it came to be.
    at: String,
    /// The folder of that.
    folder: String,
    /// What its store knows it by.
    identity: Identity,
}

/// Something that was brought back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub(super) struct Refused {
    /// The folder that it was in.
    folder: String,
    /// Its name.
    #[serde(with = "written")]
    name: Vec<u8>,
    /// Where it is since then.
    back: String,
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
    /// Reads the runs that are new.
    pub fn read(workspace: &Workspace, catalogue: Option<&Catalogue>) -> Self {
        let kept = catalogue.and_then(|catalogue| catalogue.learned(KEPT_AS).ok().flatten());
        let mut all: Self = kept.and_then(|kept| serde_json::from_slice(&kept).ok()).unwrap_or_default();
        let runs = daybook::runs(workspace.data()).unwrap_or_default();
        if runs.last().copied().unwrap_or(0) < all.upto {
            // Another daybook, since somebody took the old one away.
            all = Self::default();
        }
        let new = runs.into_iter().filter(|run| *run > all.upto);
        let new = readable(workspace, new);
        if new.is_empty() {
            return all;
        }
        for run in new.iter().take_while(|run| run.closed) {
            all.add(run);
            all.upto = run.number;
        }
        all.forget();
        let kept = catalogue.zip(serde_json::to_vec(&all).ok());
        if let Some(Err(error)) = kept.map(|(catalogue, value)| catalogue.keep_learned(KEPT_AS, &value)) {
            tracing::info!(%error, "corrections are not kept");
        }
        all
    }

    fn forget(&mut self) {
        fn last<T>(all: &mut Vec<T>) {
            all.drain(..all.len().saturating_sub(MOST));
        }
        last(&mut self.by_hand);
        last(&mut self.filed);
        last(&mut self.refused);
    }

    fn add(&mut self, run: &Run) {
        for (at, step) in run.steps.iter().enumerate() {
            let Some(Ended::Done { stamp, .. }) = run.ended.get(&at) else { continue };
            let Act::Move { to } = &step.act else { continue };
            let (Some(was), Some(is)) = (location(run, &step.item), location(run, to)) else { continue };
            let (was, is) = (was.to_string(), is.to_string());
            self.by_hand.retain(|known| *known != was);
            self.filed.retain(|known| known.at != was);
            let folder = |spot: &Spot| location(run, &spot.folder()).map(|folder| folder.to_string());
            match run.undoes {
                Some(_) => {
                    let name = to.path.name().to_vec();
                    let refused = folder(&step.item).map(|folder| Refused { folder, name, back: is });
                    self.refused.extend(refused);
                }
                None if step.why == BY_HAND => self.by_hand.push(is),
                None => {
                    let identity = stamp.unwrap_or(step.stamp).identity;
                    self.filed.extend(folder(to).map(|folder| FiledByRun { at: is, folder, identity }));
                }
            }
        }
    }

    /// What counts of it in a view.
    pub fn in_view(&self, view: &View, examples: &Examples) -> Corrected {
        let root = view.area.at.real();
        let below = |at: &str| Location::read(at).ok()?.below(&root);
        let find = |at: &str| view.tree.find(&below(at)?);
        let folder = |at: &Location| {
            let spot = Spot::new(view.area.base.place.clone(), at.below(&root)?);
            examples.folder_at(&spot)
        };
        let mut found = Corrected::default();
        found.by_hand.extend(self.by_hand.iter().filter_map(|at| find(at)));
        for refused in &self.refused {
            let at = Location::read(&refused.folder).ok().and_then(|at| folder(&at));
            found.refused.extend(at.map(|at| (refused.name.clone(), at)));
        }
        // What a run put somewhere and that is elsewhere on the shelves by now, a person moved there.
        let is_gone = |filed: &&FiledByRun| below(&filed.at).is_some() && find(&filed.at).is_none();
        let gone: HashMap<Identity, &str> =
            self.filed.iter().filter(is_gone).map(|filed| (filed.identity, filed.folder.as_str())).collect();
        if gone.is_empty() {
            return found;
        }
        for id in view.tree.ids() {
            let Some(was) = gone.get(&view.tree.identity(id)) else { continue };
            let was_in = Location::read(was).ok().and_then(|at| folder(&at));
            let is_in = folder(&view.location(view.tree.parent(id)));
            if was_in != is_in {
                found.by_hand.insert(id);
                found.refused.extend(was_in.map(|at| (view.tree.name(id).to_vec(), at)));
            }
        }
        found
    }

    /// Whether something at a place was brought back from a folder.
    pub fn was_refused(&self, at: &Location, folder: &Location) -> bool {
        let (at, folder) = (at.to_string(), folder.to_string());
        self.refused.iter().any(|refused| refused.back == at && refused.folder == folder)
    }
}

/// Where a run knew something.
fn location(run: &Run, spot: &Spot) -> Option<Location> {
    let place = run.places.get(&spot.place).and_then(|at| Location::read(at).ok())?;
    Some(place.join(&spot.path))
}
