//! A selection of items: paths, a condition, a saved search, or paths on standard input.

use std::collections::{BTreeMap, HashSet};
use std::ffi::OsString;
use std::io::Read;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};

use nine_core::condition::Condition;
use nine_core::config::Config;
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::Proposal;
use nine_core::tree::{NodeId, TagsOf, Unlearned};
use nine_stores::Places;
use nine_stores::reading::note_tags;

use crate::cli::SelectionArgs;
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, Question, all_grounds, all_rows};
use crate::session::{Opened, Session};
use crate::whereabouts::{self, NO_PLACE};
use crate::{conditions, recovery};

/// What was selected, with the tags of each item.
pub struct Selected {
    /// The items.
    pub items: Vec<Proposal>,
    /// Their places, also those that are not in the configuration.
    pub places: Places,
    /// How many could not be found or read, each of which was named.
    pub troubles: usize,
}

impl SelectionArgs {
    /// Whether nothing was asked for.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty() && self.condition.is_empty() && self.saved.is_none()
    }

    /// Finds the items.
    ///
    /// # Errors
    /// If nothing was asked for, or the words are wrong.
    pub fn select(&self, session: &Session, config: &Config, opened: &Opened) -> Done<Selected> {
        recovery::before_changing(session, config)?;
        if let Some(condition) = self.condition(config)? {
            return by_condition(session, config, opened, &condition);
        }
        let paths = self.paths()?;
        if paths.is_empty() {
            return Err(Failure::words("nothing is selected")
                .hint("give paths, --where CONDITION, --saved NAME, or - for paths on standard input"));
        }
        by_paths(session, opened, &paths)
    }

    /// The condition that was typed or saved, if one was.
    ///
    /// # Errors
    /// If its words are wrong.
    pub fn condition(&self, config: &Config) -> Done<Option<Condition>> {
        conditions::read(config, &self.condition, self.saved.as_slice())
    }

    /// The paths that were typed, or read from standard input.
    ///
    /// # Errors
    /// If that cannot be read.
    pub fn paths(&self) -> Done<Vec<PathBuf>> {
        if self.paths != [Path::new("-")] {
            return Ok(self.paths.clone());
        }
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes)?;
        let end = if self.null { 0 } else { b'\n' };
        let lines = bytes.split(|b| *b == end).filter(|line| !line.is_empty());
        Ok(lines.map(|line| PathBuf::from(OsString::from_vec(line.to_vec()))).collect())
    }
}

fn by_condition(
    session: &Session,
    config: &Config,
    opened: &Opened,
    condition: &Condition,
) -> Done<Selected> {
    let mut looking = Looking::look(session, all_grounds(session, config, opened), &How::Now)?;
    let mut items = Vec::new();
    for view in 0..looking.views.len() {
        let rows = selectable(&looking, view, condition);
        let found = looking.find(view, Question { condition, inside: false, reads_text: false }, &rows)?;
        items.extend(tagged(&mut looking, view, &found));
    }
    looking.keep();
    Ok(Selected { items, places: opened.places.clone(), troubles: looking.troubles })
}

/// Files, and folders where the condition asks for them; hidden ones where it asks for those.
pub fn selectable(looking: &Looking, view: usize, condition: &Condition) -> Rows {
    use nine_core::condition::Flag;
    let tree = &looking.views[view].tree;
    let (folders, hidden) = (condition.asks_for_folders(), condition.mentions(Flag::Hidden));
    all_rows(tree).filter(|row| {
        let id = NodeId::new(row);
        (folders || !tree.is_folder(id)) && (hidden || !tree.has_mark(id, nine_core::tree::mark::HIDDEN))
    })
}

/// Rows of a view with their tags. What cannot have tags is left out.
pub fn tagged(looking: &mut Looking, view: usize, rows: &Rows) -> Vec<Proposal> {
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
fn free_name(opened: &Opened, elsewhere: &BTreeMap<String, String>) -> String {
    let numbered = |n: usize| if n == 1 { NO_PLACE.to_owned() } else { format!("{NO_PLACE} {n}") };
    let is_free =
        |name: &String| opened.store(name).is_none() && !elsewhere.values().any(|used| used == name);
    (1..).map(numbered).find(is_free).expect("numbers do not run out")
}

fn by_paths(session: &Session, opened: &Opened, paths: &[PathBuf]) -> Done<Selected> {
    let mut selected = Selected { items: Vec::new(), places: opened.places.clone(), troubles: 0 };
    let mut elsewhere: BTreeMap<String, String> = BTreeMap::new();
    let mut seen = HashSet::new();
    for path in paths {
        let mut found = whereabouts::find(session, opened, path)?;
        if found.spot.place == NO_PLACE {
            let next = free_name(opened, &elsewhere);
            let name = elsewhere.entry(found.store.address()).or_insert(next).clone();
            selected.places.add(name.clone(), found.store.clone());
            found.spot = Spot::new(name, ItemPath::root().join(found.spot.path.name()));
        }
        if !seen.insert(found.spot.clone()) {
            continue;
        }
        let entry = found.entry()?;
        if !matches!(entry.kind, Kind::File | Kind::Folder) {
            return Err(Failure::words(format!("{} is neither a file nor a folder", found.spot))
                .hint("select files and folders"));
        }
        let totals = found.totals(session, &entry)?;
        let tags = found.store.tags(&found.spot.path);
        let tags = tags.map_err(|error| Failure::system(format!("{}: {error}", found.spot)))?;
        let new = Proposal::new(found.spot, entry.kind, entry.stamp(), tags);
        let note_tags = if entry.kind == Kind::File && found.store.may_read() {
            note_tags(&*found.store, &new.item.path)
        } else {
            Vec::new()
        };
        selected.items.push(Proposal { size: totals.size, modified: totals.newest, note_tags, ..new });
    }
    Ok(selected)
}
