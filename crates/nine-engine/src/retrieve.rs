//! What was archived or swept, back to where it came from or onto a shelf.

use std::collections::{BTreeSet, HashSet};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_carry::daybook::Ended;
use nine_core::archive::Form;
use nine_core::condition::Condition;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Name, NameBuf, Spot};
use nine_core::plan::Proposal;
use nine_core::plan::retrieve::{Away, plan as propose};
use nine_core::plan::sweep::{LATER, is_swept};
use nine_core::rules::Clash;
use nine_core::worklist::Act;

use crate::archive::complete_lists;
use crate::history;
use crate::looking::{LookMode, Looking, RowQuestion, all_areas};
use crate::plan::{Draft, Plan};
use crate::selection::{Located, Selection, locate, selectable};
use crate::workspace::{Dated, Workspace, dated, holds, listed};
use crate::{Error, Result};

/// What is to be retrieved.
#[derive(Debug, Clone)]
pub struct Request {
    /// What is selected.
    pub selection: Selection,
    /// All that a run moved away, in place of a selection.
    pub run: Option<u64>,
    /// Onto this folder, and not to where it came from.
    pub onto: Option<Spot>,
    /// What to do where a name is taken.
    pub clash: Clash,
}

/// What would be retrieved.
pub struct Retrieved {
    /// The plan.
    pub plan: Plan,
    /// How many items were selected.
    pub selected: u64,
}

/// Plans to bring items back.
///
/// # Errors
/// If what was selected was neither archived nor swept.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Retrieved> {
    complete_lists(workspace);
    let mut store = Stored { workspace, dated: dated(workspace), emptied: BTreeSet::new() };
    let (away, troubles) = store.selected(request)?;
    let (selected, places) = (away.len() as u64, &workspace.opened().places);
    let proposals = propose(away, request.onto.as_ref(), request.clash, &|folder| listed(places, folder));
    let draft = Draft {
        troubles,
        clear_away: store.emptied.into_iter().collect(),
        ..Draft::new("nine retrieve", proposals, places)
    };
    Ok(Retrieved { plan: draft.draw_up(), selected })
}

/// What is archived and swept.
struct Stored<'w> {
    workspace: &'w Workspace,
    dated: Vec<Dated>,
    /// Folders that may be empty afterwards, and were only made to put things away.
    emptied: BTreeSet<Spot>,
}

impl Stored<'_> {
    /// The selected items and where they came from, and how many could not be found, each of which was
    /// named.
    fn selected(&mut self, request: &Request) -> Result<(Vec<Away>, usize)> {
        if let Some(run) = request.run {
            return self.of_run(run);
        }
        if let Some(condition) = request.selection.condition(self.workspace)? {
            return self.by_condition(&condition);
        }
        if request.selection.paths.is_empty() {
            return Err(Error::NothingSelected { or_run: true });
        }
        let mut away = Vec::new();
        for path in &request.selection.paths {
            away.extend(self.at(&self.by_its_bookcase(self.spot(path)?))?);
        }
        Ok((once_each(away), 0))
    }

    /// Where a path leads, which may be into a pack.
    fn spot(&self, typed: &Path) -> Result<Spot> {
        let mut inside = Vec::new();
        let mut here = typed.to_owned();
        loop {
            if let Ok(found) = locate(self.workspace, &here) {
                let is_pack = Form::of_name(found.spot.path.name()).is_some();
                if !inside.is_empty() && !is_pack {
                    break;
                }
                let below = ItemPath::of_names(inside.iter().rev().map(NameBuf::as_name));
                return Ok(Spot::new(found.spot.place, found.spot.path.join_path(&below)));
            }
            let (Some(name), Some(parent)) = (here.file_name(), here.parent()) else { break };
            let Some(name) = NameBuf::new(name.as_bytes()) else { break };
            inside.push(name);
            here = parent.to_owned();
        }
        Err(Error::NothingToRetrieve(typed.to_owned()))
    }

    /// What came as an item and lies at a spot or below it.
    fn at(&mut self, spot: &Spot) -> Result<Vec<Away>> {
        let holder = |dated: &&Dated| *spot == dated.at || spot.is_inside(&dated.at);
        let found = match self.dated.iter().find(holder) {
            Some(dated) => self.in_dated(dated, spot)?,
            None => self.swept(spot)?,
        };
        if found.is_empty() {
            return Err(Error::NotAway(spot.clone()));
        }
        for away in found.iter().filter(|away| !away.is_packed) {
            self.note_emptied(&away.item.item);
        }
        Ok(found)
    }

    fn in_dated(&self, dated: &Dated, spot: &Spot) -> Result<Vec<Away>> {
        let unreadable = |why: &str| Error::List { list: dated.list.clone(), why: why.to_owned() };
        let contents = dated.contents().map_err(unreadable)?;
        let inside = ItemPath::of_names(spot.path.parts().skip(dated.at.path.depth()));
        let mut found = Vec::new();
        let paths: Vec<&ItemPath> = match contents.0.contains_key(&inside) {
            true => vec![&inside],
            false => contents.items().map(|(path, _)| path).filter(|path| path.is_inside(&inside)).collect(),
        };
        for path in paths {
            let line = &contents.0[path];
            let at = Spot::new(dated.at.place.clone(), dated.at.path.join_path(path));
            let item = if dated.form.is_some() {
                let below = contents.below(path).map(|(_, line)| line);
                let (size, newest) =
                    below.fold((0, line.modified), |(s, n), l| (s + l.size, n.max(l.modified)));
                let new = Proposal::new(at, line.kind, dated.entry.stamp(), line.tags.clone());
                Some(Proposal { size, modified: newest, ..new })
            } else {
                self.on_disk(&at)?
            };
            let is_packed = dated.form.is_some();
            found.extend(item.map(|item| Away { item, from: line.from.clone(), is_packed }));
        }
        Ok(found)
    }

    /// What lies at a spot; `None` if nothing does.
    fn on_disk(&self, spot: &Spot) -> Result<Option<Proposal>> {
        let Some(store) = self.workspace.store(&spot.place) else { return Ok(None) };
        let Some(entry) = store.entry(&spot.path).map_err(Error::store(spot))? else { return Ok(None) };
        let found = Located { spot: spot.clone(), store: store.clone() };
        let tags = store.tags(&spot.path).unwrap_or_default();
        found.proposal(self.workspace, &entry, tags).map(Some)
    }

    /// What was swept and lies at a spot or is it: it came from its pile.
    fn swept(&self, spot: &Spot) -> Result<Vec<Away>> {
        let parts: Vec<Name> = spot.path.parts().collect();
        let is_in_swept = parts.first().is_some_and(|name| is_swept(name));
        let from = |name: Name| Spot::new(spot.place.clone(), ItemPath::root().join(name));
        match parts.as_slice() {
            [_] if is_in_swept => {
                let mut found = Vec::new();
                for (name, _) in listed(&self.workspace.opened().places, spot) {
                    let at = Spot::new(spot.place.clone(), spot.path.join(&name));
                    found.extend(self.on_disk(&at)?.map(|item| Away {
                        item,
                        from: from(name.as_name()),
                        is_packed: false,
                    }));
                }
                Ok(found)
            }
            [_, .., name] if is_in_swept => Ok(self
                .on_disk(spot)?
                .into_iter()
                .map(|item| Away { item, from: from(*name), is_packed: false })
                .collect()),
            _ => Ok(Vec::new()),
        }
    }

    /// The folders above an item that were made to put it away.
    fn note_emptied(&mut self, item: &Spot) {
        let dated =
            self.dated.iter().find(|dated| item.is_inside(&dated.at)).map(|dated| dated.at.path.depth());
        let most = dated.unwrap_or(1);
        let mut folder = item.folder();
        while folder.path.depth() >= most && folder.path.name() != LATER.as_bytes() {
            self.emptied.insert(folder.clone());
            folder = folder.folder();
        }
    }

    /// All that a run moved away and that is still where it put it, or in a pack.
    fn of_run(&mut self, number: u64) -> Result<(Vec<Away>, usize)> {
        let run = history::run(self.workspace, number)?;
        let mut away = Vec::new();
        for (at, step) in run.steps.iter().enumerate() {
            let is_done = matches!(run.ended.get(&at), Some(Ended::Done { .. }));
            let Act::Move { to } = &step.act else { continue };
            if let Some(item) = self.on_disk(to)?.filter(|_| is_done) {
                self.note_emptied(&item.item);
                away.push(Away { item, from: step.item.clone(), is_packed: false });
            }
        }
        let packed = self.dated.iter().filter(|dated| dated.form.is_some());
        for dated in packed {
            let contents = dated.listed();
            for (path, _) in contents.items().filter(|(_, line)| line.run == number) {
                let spot = Spot::new(dated.at.place.clone(), dated.at.path.join_path(path));
                away.extend(self.in_dated(dated, &spot)?);
            }
        }
        if away.is_empty() {
            return Err(Error::NothingOfRun(number));
        }
        Ok((away, 0))
    }

    /// Whatever a condition finds of what is archived or swept.
    fn by_condition(&mut self, condition: &Condition) -> Result<(Vec<Away>, usize)> {
        let mut looking = Looking::look(self.workspace, all_areas(self.workspace), &LookMode::Now)?;
        looking.add_packs(&self.dated);
        let mut spots = Vec::new();
        for view in 0..looking.views.len() {
            let rows = selectable(&looking, view, condition);
            let found =
                looking.find(view, RowQuestion { condition, inside: false, reads_text: false }, &rows)?;
            let found = found.ids().map(|id| self.by_its_bookcase(looking.views[view].spot(id)));
            spots.extend(found.filter(|spot| self.is_away(spot)));
        }
        looking.keep();
        let troubles = looking.troubles;
        let mut away = Vec::new();
        for spot in spots {
            away.extend(self.at(&spot)?);
        }
        Ok((once_each(away), troubles))
    }

    /// What lies in the archive, under the name of its bookcase where that is a pile too.
    fn by_its_bookcase(&self, spot: Spot) -> Spot {
        match self.workspace.opened().archive.first() {
            Some(shelf) if holds(&self.workspace.opened().archive, &spot) => {
                Spot::new(shelf.place.clone(), spot.path)
            }
            _ => spot,
        }
    }

    fn is_away(&self, spot: &Spot) -> bool {
        let is_item = |dated: &Dated| {
            let inside = ItemPath::of_names(spot.path.parts().skip(dated.at.path.depth()));
            spot.is_inside(&dated.at) && dated.listed().0.contains_key(&inside)
        };
        let is_swept = spot.path.depth() > 1
            && spot.path.parts().next().is_some_and(|name| is_swept(&name))
            && !holds(&self.workspace.opened().archive, spot);
        is_swept || self.dated.iter().any(is_item)
    }
}

/// Leaves out what was named twice, and what lies in a folder that comes back as a whole.
fn once_each(away: Vec<Away>) -> Vec<Away> {
    let folders: HashSet<Spot> =
        away.iter().filter(|a| a.item.kind == Kind::Folder).map(|a| a.item.item.clone()).collect();
    let mut seen = HashSet::new();
    let lies_in_one = |spot: &Spot| {
        let mut here = spot.folder();
        while !here.path.is_root() && !folders.contains(&here) {
            here = here.folder();
        }
        !here.path.is_root()
    };
    away.into_iter()
        .filter(|away| seen.insert(away.item.item.clone()) && !lies_in_one(&away.item.item))
        .collect()
}
