//! A selection of items: paths, a condition, or a saved search.

mod conditions;
mod locate;

use std::collections::{BTreeMap, HashSet};
use std::path::PathBuf;

use nine_core::condition::{Condition, Flag};
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::tree::{NodeId, TagsOf, Unlearned, mark};
use nine_stores::Places;
use nine_stores::reading::note_tags;

pub use conditions::condition;
pub use locate::{Located, NO_PLACE, locate};

use crate::looking::{LookMode, Looking, RowQuestion, all_areas, all_rows};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What is selected. A condition counts where there is one, and paths else.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Selection {
    /// Paths, as a person types them.
    pub paths: Vec<PathBuf>,
    /// The words of a condition.
    pub condition: Vec<String>,
    /// The name of a saved search.
    pub saved: Option<String>,
}

/// What was selected, with the tags of each item.
pub struct Selected {
    /// The items.
    pub items: Vec<Proposal>,
    /// Their places, also those that are not in the configuration.
    pub places: Places,
    /// How many could not be found or read, each of which was named.
    pub troubles: usize,
}

impl Selection {
    /// Whether nothing is asked for.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty() && self.condition.is_empty() && self.saved.is_none()
    }

    /// The condition that was typed or saved, if one was.
    ///
    /// # Errors
    /// If its words are wrong.
    pub fn condition(&self, workspace: &Workspace) -> Result<Option<Condition>> {
        condition(workspace.config(), &self.condition, self.saved.as_slice())
    }

    /// Finds the items.
    ///
    /// # Errors
    /// If nothing was asked for, or the words are wrong.
    pub fn select(&self, workspace: &Workspace) -> Result<Selected> {
        if let Some(condition) = self.condition(workspace)? {
            return by_condition(workspace, &condition);
        }
        if self.paths.is_empty() {
            return Err(Error::NothingSelected { or_run: false });
        }
        by_paths(workspace, &self.paths)
    }
}

fn by_condition(workspace: &Workspace, condition: &Condition) -> Result<Selected> {
    let mut looking = Looking::look(workspace, all_areas(workspace), &LookMode::Now)?;
    let mut items = Vec::new();
    for view in 0..looking.views.len() {
        let rows = selectable(&looking, view, condition);
        let found = looking.find(view, RowQuestion { condition, inside: false, reads_text: false }, &rows)?;
        items.extend(tagged(&mut looking, view, &found));
    }
    looking.keep();
    Ok(Selected { items, places: workspace.opened().places.clone(), troubles: looking.troubles })
}

/// Files, and folders where the condition asks for them; hidden ones where it asks for those.
pub(crate) fn selectable(looking: &Looking, view: usize, condition: &Condition) -> Rows {
    let tree = &looking.views[view].tree;
    let (folders, hidden) = (condition.asks_for_folders(), condition.mentions(Flag::Hidden));
    all_rows(tree).filter(|row| {
        let id = NodeId::new(row);
        (folders || !tree.is_folder(id)) && (hidden || !tree.has_mark(id, mark::HIDDEN))
    })
}

/// Rows of a view with their tags. What cannot have tags is left out.
pub(crate) fn tagged(looking: &mut Looking, view: usize, rows: &Rows) -> Vec<Proposal> {
    looking.learn(view, rows, Unlearned { tags: true, content: false });
    let view = &looking.views[view];
    let tree = &view.tree;
    let of = |id: NodeId| {
        let tags = match tree.tags(id) {
            TagsOf::Known(tags) => tags.to_vec(),
            TagsOf::NotAsked => Vec::new(),
        };
        let new = Proposal::new(view.spot(id), tree.kind(id), view.stamp(id), tags);
        let note_tags = tree.note_tags(id).to_vec();
        Proposal { size: tree.size(id), modified: tree.newest(id), note_tags, ..new }
    };
    rows.ids().filter(|id| matches!(tree.kind(*id), Kind::File | Kind::Folder)).map(of).collect()
}

/// A name for a folder that is no place of the configuration, which no other place has.
fn free_name(workspace: &Workspace, elsewhere: &BTreeMap<String, String>) -> String {
    let numbered = |n: usize| if n == 1 { NO_PLACE.to_owned() } else { format!("{NO_PLACE} {n}") };
    let is_free =
        |name: &String| workspace.store(name).is_none() && !elsewhere.values().any(|used| used == name);
    (1..).map(numbered).find(is_free).expect("numbers do not run out")
}

fn by_paths(workspace: &Workspace, paths: &[PathBuf]) -> Result<Selected> {
    let places = workspace.opened().places.clone();
    let mut selected = Selected { items: Vec::new(), places, troubles: 0 };
    let mut elsewhere: BTreeMap<String, String> = BTreeMap::new();
    let mut seen = HashSet::new();
    for path in paths {
        let mut found = locate(workspace, path)?;
        if *found.spot.place == *NO_PLACE {
            let next = free_name(workspace, &elsewhere);
            let name = elsewhere.entry(found.store.address()).or_insert(next).clone();
            selected.places.add(name.clone(), found.store.clone());
            // It lies at the top of the folder that was opened for it.
            found.spot = Spot::new(name, found.spot.path);
        }
        if !seen.insert(found.spot.clone()) {
            continue;
        }
        let entry = found.entry()?;
        if !matches!(entry.kind, Kind::File | Kind::Folder) {
            return Err(Error::NeitherFileNorFolder(found.spot));
        }
        let tags = found.store.tags(&found.spot.path).map_err(Error::store(&found.spot))?;
        let new = found.proposal(workspace, &entry, tags)?;
        let has_own_tags = entry.kind == Kind::File && found.store.abilities().may_read;
        let note_tags = if has_own_tags { note_tags(&*found.store, &new.item.path) } else { Vec::new() };
        selected.items.push(Proposal { note_tags, ..new });
    }
    Ok(selected)
}
