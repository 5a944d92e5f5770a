//! Tags added, dropped, renamed, merged and listed.

use std::collections::BTreeMap;

use nine_core::escape::plain;
use nine_core::item::Kind;
use nine_core::names::{fold, natural_key};
use nine_core::plan::tag::{TagChange, of_place, plan as propose};
use nine_core::plan::{BY_HAND, Proposal};
use nine_core::survey::Part;
use nine_core::tags::answers_to;
use nine_core::tree::{NodeId, TagsOf, Unlearned};
use nine_stores::Places;

use crate::error::Named;
use crate::looking::{Area, LookMode, Looking, all_areas, all_rows};
use crate::plan::{Draft, Plan};
use crate::selection::{Selection, tagged};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What is to be done about tags, as they are typed: joined by commas.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Request {
    /// A selection gets tags.
    Add(String, Selection),
    /// A selection loses tags; `client/*` stands for all that are nested below.
    Drop(String, Selection),
    /// A selection gets the tags that its places say.
    FromFolder(Selection),
    /// A tag gets another name, everywhere.
    Rename(String, String),
    /// Two tags become one, everywhere.
    Merge(String, String),
}

/// What would be tagged.
pub struct Tagged {
    /// The plan.
    pub plan: Plan,
    /// How many items were selected.
    pub selected: u64,
    /// How many of them have the right tags already.
    pub unchanged: u64,
    /// How many notes have what would go in their text, where only the person can change it.
    pub in_notes: u64,
}

/// Plans a change of tags.
///
/// # Errors
/// If a tag cannot be, or there is none like it.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Tagged> {
    match request {
        Request::Add(tags, selection) => {
            let change = TagChange::Add(checked(tags)?);
            on_selection(workspace, format!("nine tag add {}", plain(tags)), &change, selection)
        }
        Request::Drop(tags, selection) => {
            let change = TagChange::Drop(checked(tags)?);
            on_selection(workspace, format!("nine tag drop {}", plain(tags)), &change, selection)
        }
        Request::FromFolder(selection) => by_place(workspace, selection),
        Request::Rename(from, to) => everywhere(workspace, "rename", &one(from)?, &one(to)?),
        Request::Merge(from, to) => everywhere(workspace, "merge", &one(from)?, &one(to)?),
    }
}

/// Tags as they were typed, joined by commas.
fn checked(tags: &str) -> Result<Vec<String>> {
    let check = |tag: &str| {
        let tag = tag.trim();
        if tag.is_empty() || tag.contains(char::is_control) {
            return Err(Error::NotATag);
        }
        if tag.starts_with('/') || tag.ends_with('/') || tag.contains("//") {
            return Err(Error::NotANestedTag(tag.to_owned()));
        }
        Ok(tag.to_owned())
    };
    tags.split(',').map(check).collect()
}

/// A single tag.
fn one(tag: &str) -> Result<String> {
    match checked(tag)?.as_slice() {
        [tag] => Ok(tag.clone()),
        _ => Err(Error::SeveralTags(tag.to_owned())),
    }
}

fn on_selection(
    workspace: &Workspace,
    command: String,
    change: &TagChange,
    selection: &Selection,
) -> Result<Tagged> {
    let selected = selection.select(workspace)?;
    let change = TagPlan { change, command, troubles: selected.troubles };
    Ok(change.of(selected.items, &selected.places))
}

/// Gives items the tags that their places say.
fn by_place(workspace: &Workspace, selection: &Selection) -> Result<Tagged> {
    let selected = selection.select(workspace)?;
    let count = selected.items.len() as u64;
    let give = |mut item: Proposal| {
        item.why = "its folder".into();
        item.add_tags(&of_place(&item.item, workspace.config(), workspace.now()));
        item.becomes.is_some().then_some(item)
    };
    let proposals: Vec<Proposal> = selected.items.into_iter().filter_map(give).collect();
    let unchanged = count - proposals.len() as u64;
    let new = Draft::new("nine tag --from-folder", proposals, &selected.places);
    let draft = Draft { troubles: selected.troubles, ..new };
    Ok(Tagged { plan: draft.draw_up(), selected: count, unchanged, in_notes: 0 })
}

/// Renames a tag on every item in every place, or makes two one.
fn everywhere(workspace: &Workspace, word: &str, from: &str, to: &str) -> Result<Tagged> {
    let merges = word == "merge";
    let (items, troubles) = all_tagged(workspace)?;
    let has = |tag: &str| items.iter().any(|item| item.tags.iter().any(|have| answers_to(have, tag)));
    let known = || items.iter().flat_map(|item| &item.tags).map(String::as_str);
    if !has(from) {
        return Err(Error::unknown(Named::Tag, from, known()));
    }
    let is_same = fold(from) == fold(to);
    if !merges && has(to) && !is_same && !answers_to(to, from) {
        return Err(Error::TagTaken { from: from.to_owned(), to: to.to_owned() });
    }
    if merges && !has(to) {
        return Err(Error::unknown(Named::Tag, to, known()));
    }
    let command = format!("nine tag {word} {} {}", plain(from), plain(to));
    let change = TagChange::Rename { from: from.to_owned(), to: to.to_owned() };
    Ok(TagPlan { change: &change, command, troubles }.of(items, &workspace.opened().places))
}

/// Every item that has a tag.
fn all_tagged(workspace: &Workspace) -> Result<(Vec<Proposal>, usize)> {
    let mut looking = with_tags(workspace)?;
    let mut items = Vec::new();
    for view in 0..looking.views.len() {
        let tree = &looking.views[view].tree;
        let have = |row| matches!(tree.tags(NodeId::new(row)), TagsOf::Known(tags) if !tags.is_empty());
        let rows = all_rows(tree).filter(have);
        items.extend(tagged(&mut looking, view, &rows));
    }
    Ok((items, looking.troubles))
}

/// All places, with the tags of all that lies there.
fn with_tags(workspace: &Workspace) -> Result<Looking<'_>> {
    let areas = all_areas(workspace).into_iter().map(Area::with_tags).collect();
    let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
    learn_all(&mut looking);
    looking.keep();
    Ok(looking)
}

/// Learns the tags of all that was looked at.
pub(crate) fn learn_all(looking: &mut Looking) {
    for view in 0..looking.views.len() {
        let rows = all_rows(&looking.views[view].tree);
        looking.learn(view, &rows, Unlearned { tags: true, content: false });
    }
}

/// A change of tags on its way.
struct TagPlan<'a> {
    change: &'a TagChange,
    command: String,
    troubles: usize,
}

impl TagPlan<'_> {
    fn of(self, items: Vec<Proposal>, places: &Places) -> Tagged {
        // Tags in a note's text are the person's to change.
        let gone = |item: &&Proposal| {
            let after = self.change.apply(&item.note_tags);
            !matches!(self.change, TagChange::Add(_)) && after != item.note_tags
        };
        let (selected, in_notes) = (items.len() as u64, items.iter().filter(gone).count() as u64);
        let proposals = propose(items, self.change, BY_HAND);
        let unchanged = selected - proposals.len() as u64;
        let draft = Draft { troubles: self.troubles, ..Draft::new(self.command, proposals, places) };
        Tagged { plan: draft.draw_up(), selected, unchanged, in_notes }
    }
}

/// All tags.
pub struct Tags {
    /// Each with the items that have it, in the order in which people read them.
    pub tags: Vec<(String, Part)>,
    /// How many items have any.
    pub items: u64,
    /// How many places and folders could not be read.
    pub troubles: usize,
}

/// Lists all tags.
///
/// # Errors
/// If the catalogue is asked for alone and cannot be used.
pub fn list(workspace: &Workspace) -> Result<Tags> {
    Ok(count(&with_tags(workspace)?))
}

/// Counts the tags of what was looked at, which are learned.
pub(crate) fn count(looking: &Looking) -> Tags {
    let mut found: BTreeMap<Vec<u8>, (String, Part)> = BTreeMap::new();
    let mut items = 0;
    for view in &looking.views {
        let tree = &view.tree;
        for (tags, ids) in tree.by_tags(&all_rows(tree)) {
            items += ids.len() as u64;
            let bytes = ids.iter().filter(|id| tree.kind(**id) == Kind::File).map(|id| tree.size(*id)).sum();
            for tag in tags {
                let key = natural_key(tag.as_bytes());
                let (_, part) = found.entry(key).or_insert_with(|| (tag, Part::default()));
                *part += Part { count: ids.len() as u64, bytes };
            }
        }
    }
    let mut tags: Vec<(String, Part)> = found.into_values().collect();
    looking.workspace.collation().sort(&mut tags, |(tag, _), key| key(tag.as_bytes()));
    Tags { tags, items, troubles: looking.troubles }
}
