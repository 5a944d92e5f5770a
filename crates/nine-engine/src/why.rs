//! Everything known about one item, and what the rules make of it.

use std::path::Path;
use std::sync::Arc;

use nine_core::condition::{Need, Needs};
use nine_core::facet::{Facet, Finding};
use nine_core::find::Rows;
use nine_core::item::{Entry, Item, Kind};
use nine_core::kinds::{ItemType, name_says_little, type_of_name};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::plan::tidy::{item, needs_of};
use nine_core::rules::{Effect, Rule, RuleStatus, apply, explain};
use nine_core::saved::SavedSearch;
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId, Tree};
use nine_stores::reading::Words;
use nine_stores::{Location, Store, StoreDetails};

use crate::looking::{LookMode, Looking, Remembered, all_areas, remembered};
use crate::selection::{Located, locate};
use crate::suggest::{Explained, LooseItem, most_common, suggest_one};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What a rule that applies would do to an item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Does {
    /// The name that it would get.
    pub name: Option<NameBuf>,
    /// The folder that it would come into.
    pub folder: Option<Spot>,
    /// Whether it would go into the trash, since something else with its bytes stays.
    pub discards: bool,
    /// Tags that it would get.
    pub tags: Vec<String>,
}

/// A rule, and what it makes of the item.
#[derive(Debug)]
pub struct OfRule<'w> {
    /// The rule.
    pub rule: &'w Rule,
    /// Whether it applies, and why not.
    pub status: RuleStatus,
    /// What it would do, if it applies.
    pub does: Option<Does>,
}

impl OfRule<'_> {
    /// What lies in a folder that goes as a whole is not tried by itself.
    fn goes_with_folder(&mut self) {
        use RuleStatus::{Applies, IsNeeded, Lacks, Preceded};
        if matches!(self.status, Applies | Lacks(_) | Preceded(_) | IsNeeded) {
            (self.status, self.does) = (RuleStatus::GoesWithFolder, None);
        }
    }
}

/// A folder that goes as a whole, with what lies in it.
#[derive(Debug)]
pub struct GoesWith<'w> {
    /// The folder.
    pub folder: Spot,
    /// The rule that files it, and what it does; `None` if the folder is kept together and no rule moves it.
    pub by: Option<(&'w Rule, Does)>,
}

/// Everything known about one item.
pub struct ItemReport<'w> {
    /// The item with all its details.
    pub item: Item,
    /// Where it is.
    pub at: Location,
    /// The words inside, where they are known.
    pub words: Option<Words>,
    /// The folder around it that is moved, or kept together, as a whole.
    pub goes_with: Option<GoesWith<'w>>,
    /// The rules, where it lies in a pile.
    pub rules: Vec<OfRule<'w>>,
    /// What the facets answer.
    pub answers: Vec<(&'w Arc<Facet>, Finding)>,
    /// The saved searches that find it.
    pub found_by: Vec<&'w SavedSearch>,
    /// Where it would go by the example of what is filed, if it lies loose and something speaks for a place.
    pub suggested: Option<Explained>,
}

/// Tells everything about the item at a path.
///
/// # Errors
/// If there is no such item.
pub fn explain_item<'w>(workspace: &'w Workspace, typed: &Path) -> Result<ItemReport<'w>> {
    let (config, now) = (workspace.config(), workspace.now());
    let found = locate(workspace, typed)?;
    let mut item = item_of(workspace, &found)?;
    let Remembered { arrived, words, said } = remember(workspace, &found, &item);
    item.entry.born = item.entry.born.or(arrived);
    compare(workspace, &mut item)?;
    item.text = words.as_ref().map(|words| words.body.clone());
    item.said = said;
    let is_in_pile = config.pile(&found.spot.place).is_some();
    let mut rules = if is_in_pile { of_rules(workspace, &item) } else { Vec::new() };
    let goes_with = if is_in_pile { goes_with(workspace, &found)? } else { None };
    if goes_with.is_some() {
        rules.iter_mut().for_each(OfRule::goes_with_folder);
    }
    let answers = config.facets.iter().map(|facet| (facet, facet.ask(&item, now))).collect();
    let found_by = config.searches.iter().filter(|search| search.condition.holds(&item, now)).collect();
    let at = found.store.location(&item.spot.path);
    let suggested = if is_in_pile && item.is_loose() { suggested(workspace, &item)? } else { None };
    Ok(ItemReport { item, at, words, goes_with, rules, answers, found_by, suggested })
}

/// Where a loose item would go by the example of what is filed.
fn suggested(workspace: &Workspace, item: &Item) -> Result<Option<Explained>> {
    let listed = || workspace.store(&item.spot.place).and_then(|store| store.list(&item.spot.path).ok());
    let item_type = match item.is_folder() {
        true => {
            type_of_most(listed().unwrap_or_default().iter().filter(|(_, entry)| entry.kind == Kind::File))
        }
        false => item.verdict().item_type,
    };
    let loose = LooseItem::new(item.clone(), item_type, workspace.config(), workspace.now());
    suggest_one(workspace, &loose)
}

/// The type of most of these files, as far as their names tell.
fn type_of_most<'n>(files: impl Iterator<Item = &'n (NameBuf, Entry)>) -> ItemType {
    let types = files.map(|(name, _)| type_of_name(name).unwrap_or(ItemType::Unknown));
    most_common(types).unwrap_or(ItemType::Folder)
}

/// The outermost folder around an item that the rules move as a whole, or that is kept together: what lies in it is
/// not tried by itself.
fn goes_with<'w>(workspace: &'w Workspace, found: &Located) -> Result<Option<GoesWith<'w>>> {
    let (rules, now, store) = (&workspace.config().rules, workspace.now(), &*found.store);
    let folders: Vec<_> = found.spot.path.parts().collect();
    let Some((_, folders)) = folders.split_last() else { return Ok(None) };
    let Some(outermost) = folders.first() else { return Ok(None) };
    // Read once: what the outermost folder holds is all that the others hold.
    let outermost = Spot::new(found.spot.place.clone(), ItemPath::root().join(*outermost));
    let tree = scan_inside(workspace, store, &outermost)?;
    let containers = workspace.containers();
    let details = StoreDetails { store, containers, tree: &tree, catalogue: None, stays: None };
    let mut below = ItemPath::root();
    for (nth, name) in folders.iter().enumerate() {
        below = if nth == 0 { below } else { below.join(*name) };
        let Some(id) = tree.find(&below) else { return Ok(None) };
        let spot = Spot::new(found.spot.place.clone(), outermost.path.join_path(&below));
        let item = as_rules_see_it(workspace, &item(&tree, id, spot.clone(), &details, everything()));
        let outcome = apply(rules, &item, now);
        let files = outcome.put.as_ref().map(|(rule, _)| *rule);
        let renames = outcome.name.as_ref().and(outcome.applied.last().copied());
        if let Some(rule) = files.or(outcome.discard).or(renames).map(|rule| &rules[rule]) {
            let does = does(workspace, rule, &item, outcome);
            return Ok(Some(GoesWith { folder: spot, by: Some((rule, does)) }));
        }
        if item.together.is_some() {
            return Ok(Some(GoesWith { folder: spot, by: None }));
        }
    }
    Ok(None)
}

/// What the catalogue knows of an item, if it lies in one of the places.
fn remember(workspace: &Workspace, found: &Located, item: &Item) -> Remembered {
    let areas = all_areas(workspace);
    let Some(area) = areas.iter().find(|area| area.base.place == found.spot.place) else {
        return Remembered::default();
    };
    remembered(workspace, area, &*found.store, &found.spot.path, &item.entry, item.verdict().item_type)
}

/// Learns what else has an item's bytes, where a rule of its pile asks for that.
fn compare(workspace: &Workspace, item: &mut Item) -> Result {
    let rules = workspace.config().rules.iter().filter(|rule| rule.is_for_pile(&item.spot.place));
    let own = all_areas(workspace).into_iter().find(|area| area.base.place == item.spot.place);
    let Some(own) = own.filter(|_| needs_of(rules).has(Need::Copies)) else { return Ok(()) };
    let mut looking = Looking::look(workspace, vec![own], &LookMode::Now)?;
    looking.set_beside(all_areas(workspace));
    let tree = &looking.views[0].tree;
    let Some(id) = tree.find(&item.spot.path) else { return Ok(()) };
    let mut rows = Rows::none(tree.rows());
    rows.add(id.row());
    item.stays = looking.learn_copies(0, &rows, true).remove(&id);
    item.copies = looking.views[0].tree.copies(id);
    looking.keep();
    Ok(())
}

/// The item with all its details; a folder is read to its depth.
fn item_of(workspace: &Workspace, found: &Located) -> Result<Item> {
    let entry = found.entry()?;
    let (spot, store) = (found.spot.clone(), &*found.store);
    if entry.kind == Kind::Folder {
        let tree = scan_inside(workspace, store, &spot)?;
        let containers = workspace.containers();
        let details = StoreDetails { store, containers, tree: &tree, catalogue: None, stays: None };
        return Ok(item(&tree, Tree::ROOT, spot, &details, everything()));
    }
    let mut gathering = Gathering::new(Entry { kind: Kind::Folder, ..entry.clone() });
    let mut batch = Batch::default();
    if let Some(name) = spot.path.last() {
        batch.push(name, entry);
    }
    gathering.add(FolderNo::ROOT, &batch);
    let (tree, id) = (gathering.finish(), NodeId::new(1));
    let containers = workspace.containers();
    let details = StoreDetails { store, containers, tree: &tree, catalogue: None, stays: None };
    Ok(item(&tree, id, spot, &details, everything()))
}

/// What is told of an item.
fn everything() -> Needs {
    Needs::from_iter([Need::Tags, Need::Type, Need::Contents])
}

fn scan_inside(workspace: &Workspace, store: &dyn Store, folder: &Spot) -> Result<Tree> {
    let failure = Error::store(folder);
    let inside = store.inside(&folder.path).map_err(&failure)?;
    Ok(inside.scan(&Default::default(), workspace.watch()).map_err(&failure)?.tree)
}

/// What each rule makes of the item.
fn of_rules<'w>(workspace: &'w Workspace, item: &Item) -> Vec<OfRule<'w>> {
    let (rules, now) = (&workspace.config().rules, workspace.now());
    let item = as_rules_see_it(workspace, item);
    let standings = explain(rules, &item, now);
    let does = |rule: &Rule| does(workspace, rule, &item, apply(std::slice::from_ref(rule), &item, now));
    let of = |(rule, status): (&'w Rule, RuleStatus)| {
        let does = (status == RuleStatus::Applies).then(|| does(rule));
        OfRule { rule, status, does }
    };
    rules.iter().zip(standings).map(of).collect()
}

/// What comes of a rule, tried alone.
fn does(workspace: &Workspace, rule: &Rule, item: &Item, outcome: Effect) -> Does {
    let folder = || {
        let (put, (_, folders)) = (rule.put.as_ref()?, outcome.put.as_ref()?);
        let bookcase = workspace.config().bookcase(put.bookcase.as_deref())?;
        let shelvings = workspace.shelvings();
        let shelf = shelvings.iter().find(|shelving| shelving.bookcase == bookcase.name)?.spot(put.shelf)?;
        let path = folders.iter().fold(shelf.path, |path, folder| path.join(folder));
        Some(Spot::new(shelf.place, path))
    };
    Does {
        folder: folder().filter(|folder| *folder != item.spot.folder()),
        discards: outcome.discard.is_some(),
        name: outcome.name,
        tags: outcome.tags,
    }
}

/// The item as the rules see it: inside folders a known extension tells the type, unless a rule asks
/// whether the content agrees.
fn as_rules_see_it(workspace: &Workspace, item: &Item) -> Item {
    let rules = workspace.config().rules.iter().filter(|rule| rule.is_for_pile(&item.spot.place));
    let is_seen = item.is_loose() || name_says_little(item.name()) || needs_of(rules).has(Need::Contents);
    Item { content: item.content.filter(|_| is_seen), ..item.clone() }
}
