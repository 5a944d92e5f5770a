//! One flat list of all that matches.

mod known;
mod order;
mod saved;

use std::path::PathBuf;

use nine_core::condition::{Condition, Flag};
use nine_core::find::Rows;
use nine_core::metadata::{SaidField, TextField};
use nine_core::place::ItemPath;
use nine_core::tree::{Column, NodeId, Tree, Unlearned, mark};

pub use order::{GroupBy, HitGroup, SortBy, group, location};
pub use saved::{forget, list, save};

use crate::error::{Named, Nowhere};
use crate::looking::{
    Area, LookMode, Looking, RowQuestion, View, WantsInside, all_areas, all_rows, areas_of,
};
use crate::workspace::{Workspace, dated};
use crate::{Error, Result, displays};

/// An item that was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hit {
    /// The number of its view.
    pub view: u32,
    /// Its row there.
    pub id: NodeId,
}

/// What of the items is told, so that it must be known of them.
#[derive(Debug, Clone, Default)]
pub struct SearchNeeds {
    /// Their tags.
    pub tags: bool,
    /// Their types, by content where the name does not tell.
    pub types: bool,
    /// The digests of their bytes.
    pub digests: bool,
    /// What is read of them.
    pub inside: WantsInside,
    /// The columns of the catalogue that all this is told from, where nothing is read.
    pub columns: Vec<Column>,
}

/// A search as it is asked for.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// What must hold; everything is found if nothing must.
    pub condition: Option<Condition>,
    /// Only here: places as they are typed.
    pub within: Vec<PathBuf>,
    /// Here as well as in all places.
    pub also: Vec<PathBuf>,
    /// Answered from what is known, without reading any place.
    pub known: bool,
    /// What is in the archive is left out.
    pub no_archive: bool,
    /// Folders too.
    pub folders: bool,
    /// Only folders that hold no file.
    pub empty_folders: bool,
    /// Hidden items too.
    pub hidden: bool,
    /// A folder's tags count for all that lies in it.
    pub inside: bool,
    /// Words are read where that was not done yet.
    pub text: bool,
    /// What it is grouped by.
    pub by: Option<GroupBy>,
    /// What it is put in order by.
    pub sort: Option<SortBy>,
    /// The other way round.
    pub reverse: bool,
    /// So many at most.
    pub limit: Option<usize>,
    /// What is told of each.
    pub told: SearchNeeds,
    /// Saved searches that it is made of or saved as, whose folders of links are brought up to date.
    pub names: Vec<String>,
}

/// What a search found.
pub struct SearchResult<'w> {
    /// The places that were looked at.
    pub looking: Looking<'w>,
    /// The items of which something is told, in order.
    pub hits: Vec<Hit>,
    /// How many files were found.
    pub files: u64,
    /// How many folders.
    pub folders: u64,
    /// Bytes of the files.
    pub bytes: u64,
    /// Items that would be found too if they were not hidden.
    pub hidden: u64,
    /// Files whose words would be asked for and were never read.
    pub unread: u64,
}

/// Searches.
///
/// # Errors
/// If a place cannot be looked at, or words are asked for that nobody read.
pub fn find<'w>(workspace: &'w Workspace, request: &Request) -> Result<SearchResult<'w>> {
    check_group(workspace, request)?;
    let areas = areas(workspace, request)?;
    Search { workspace, request }.find(areas)
}

/// Brings the folders of links up to date of the searches that were used. To be called once the list was shown.
pub fn refresh_displays(workspace: &Workspace, request: &Request) {
    if !request.known {
        displays::refresh_after_search(workspace, request.names.iter());
    }
}

/// A list can be grouped by a facet that there is.
fn check_group(workspace: &Workspace, request: &Request) -> Result {
    let facets = &workspace.config().facets;
    match &request.by {
        Some(GroupBy::Facet(name)) if facets.get(name).is_none() => {
            Err(Error::unknown(Named::Group, name, GroupBy::WORDS.into_iter().chain(facets.names())))
        }
        _ => Ok(()),
    }
}

/// The places that are looked at.
fn areas(workspace: &Workspace, request: &Request) -> Result<Vec<Area>> {
    if !request.within.is_empty() {
        return areas_of(workspace, &request.within, request.known);
    }
    let mut areas = all_areas(workspace);
    areas.extend(areas_of(workspace, &request.also, request.known)?);
    if areas.is_empty() { Err(Error::Nowhere(Nowhere::Search)) } else { Ok(areas) }
}

/// What a search finds in one place.
struct Reached {
    rows: Rows,
    /// How many of them are folders.
    folders: u64,
    /// Bytes of the others.
    bytes: u64,
    /// How many more there would be with the hidden ones.
    hidden: u64,
}

struct Search<'w, 'r> {
    workspace: &'w Workspace,
    request: &'r Request,
}

impl<'w> Search<'w, '_> {
    /// Looks, asks, and puts what was found in order.
    fn find(&self, mut areas: Vec<Area>) -> Result<SearchResult<'w>> {
        let request = self.request;
        if request.condition.as_ref().is_some_and(Condition::hangs_on_tags) {
            areas = areas.into_iter().map(Area::with_tags).collect();
        }
        let how = if request.known { LookMode::AsKnown(self.columns_at_once()) } else { LookMode::Now };
        let mut looking = Looking::look(self.workspace, areas, &how)?;
        if request.within.is_empty() && !request.no_archive {
            looking.add_packs(&dated(self.workspace));
        }
        looking.set_beside(all_areas(self.workspace));
        self.check_text(&looking)?;
        let mut found =
            SearchResult { looking, hits: Vec::new(), files: 0, folders: 0, bytes: 0, hidden: 0, unread: 0 };
        for view in 0..found.looking.views.len() {
            self.find_in(view, &mut found)?;
        }
        found.unread = self.unread(&found.looking);
        found.looking.keep();
        order::sort(&mut found.hits, &found.looking, request.sort, request.reverse);
        Ok(found)
    }

    fn find_in(&self, view: usize, found: &mut SearchResult) -> Result {
        let looking = &mut found.looking;
        let reached = self.reach(looking, view)?;
        let told = self.told(&reached.rows, found.hits.len());
        self.learn_what_is_told(looking, view, &told);
        if self.request.known {
            looking.recall_rows(view, &self.told_columns(), &told)?;
        }
        found.files += reached.rows.len() as u64 - reached.folders;
        found.folders += reached.folders;
        found.bytes += reached.bytes;
        found.hidden += reached.hidden;
        found.hits.extend(told.ids().map(|id| Hit { view: view as u32, id }));
        Ok(())
    }

    /// What it finds in a view.
    fn reach(&self, looking: &mut Looking, view: usize) -> Result<Reached> {
        if looking.is_outline(view) {
            return self.reach_in_windows(looking, view);
        }
        let (rows, hidden) = self.rows(looking, view)?;
        if self.request.known {
            looking.recall_rows(view, &[Column::Size], &rows)?;
        }
        let tree = &looking.views[view].tree;
        let mut reached = Reached { folders: 0, bytes: 0, hidden, rows };
        for id in reached.rows.ids() {
            // What lies in a folder that is listed is in the folder's bytes already.
            match tree.is_folder(id) {
                true => reached.folders += 1,
                false => reached.bytes += tree.size(id),
            }
        }
        Ok(reached)
    }

    fn condition(&self) -> Option<&Condition> {
        self.request.condition.as_ref()
    }

    fn question<'c>(&self, condition: &'c Condition) -> RowQuestion<'c> {
        RowQuestion { condition, inside: self.request.inside, reads_text: self.request.text }
    }

    /// The rows of a view that the search finds, and how many more there would be with the hidden
    /// ones, as far as that is known without looking into anything.
    fn rows(&self, looking: &mut Looking, view: usize) -> Result<(Rows, u64)> {
        let (shown, hidden) = self.candidates(looking, view);
        let Some(condition) = self.condition() else {
            return Ok((shown, hidden.map_or(0, |hidden| hidden.len() as u64)));
        };
        if looking.views[view].is_known {
            // Nothing is looked into, so all may be asked at once.
            let all = hidden.clone().map_or(shown.clone(), |hidden| shown.clone().or(&hidden));
            let found = looking.find(view, self.question(condition), &all)?;
            let left_out = hidden.map_or(0, |hidden| found.clone().and(&hidden).len() as u64);
            return Ok((found.and(&shown), left_out));
        }
        let rows = looking.find(view, self.question(condition), &shown)?;
        let left_out = hidden.map_or(0, |hidden| {
            looking.with_query(view, |query| query.find(condition, &hidden).yes.len() as u64)
        });
        Ok((rows, left_out))
    }

    /// Those of the rows of which something is told, when so many were found before.
    fn told(&self, rows: &Rows, before: usize) -> Rows {
        let Request { sort, reverse, by, .. } = self.request;
        let in_order = sort.is_none() && !reverse && by.is_none();
        let Some(limit) = self.request.limit.filter(|_| in_order) else {
            return rows.clone();
        };
        let mut told = Rows::none(rows.rows());
        rows.ids().take(limit.saturating_sub(before)).for_each(|id| told.add(id.row()));
        told
    }

    /// The rows of a view that are asked about, and those that are left out because they are hidden.
    fn candidates(&self, looking: &Looking, view: usize) -> (Rows, Option<Rows>) {
        let view = &looking.views[view];
        let all = self.of_kind(&view.tree, all_rows(&view.tree));
        let archived = if self.request.no_archive { self.archived(view) } else { None };
        let all = match archived {
            Some(inside) => all.filter(|row| !inside.contains(&row)),
            None => all,
        };
        self.without_hidden(&view.tree, all)
    }

    /// Those of the rows that are of a kind that is asked for.
    fn of_kind(&self, tree: &Tree, all: Rows) -> Rows {
        let asks = self.condition().is_some_and(Condition::asks_for_folders);
        match (self.request.empty_folders, self.request.folders || asks) {
            (true, _) => all.filter(|row| tree.items(NodeId::new(row)) == Some(0)),
            (false, true) => all,
            (false, false) => all.without(&Rows::folders(tree)),
        }
    }

    /// The rows that are not hidden, and those that are, where these are left out.
    fn without_hidden(&self, tree: &Tree, all: Rows) -> (Rows, Option<Rows>) {
        if self.request.hidden || self.condition().is_some_and(|c| c.mentions(Flag::Hidden)) {
            return (all, None);
        }
        let hidden = Rows::marked(tree, mark::HIDDEN).and(&all);
        (all.without(&hidden), Some(hidden).filter(|hidden| !hidden.is_empty()))
    }

    /// The rows of the archive, where a view has it.
    fn archived(&self, view: &View) -> Option<std::ops::Range<usize>> {
        let base = &view.area.base;
        let shelf = self.workspace.opened().archive.iter().find(|shelf| shelf.place == base.place)?;
        let below = ItemPath::of_names(shelf.path.parts().skip(base.path.depth()));
        let is_below = *shelf == *base || shelf.is_inside(base);
        let id = view.tree.find(&below).filter(|_| is_below)?;
        Some(id.row()..id.row() + 1 + view.tree.inside(id).count())
    }

    fn learn_what_is_told(&self, looking: &mut Looking, view: usize, rows: &Rows) {
        let Request { told, by, sort, .. } = self.request;
        if told.tags || matches!(by, Some(GroupBy::Tag | GroupBy::Facet(_))) {
            looking.learn(view, rows, Unlearned { tags: true, content: false });
        }
        if told.digests {
            looking.learn_digests(view, rows);
        }
        let mut wants = told.inside;
        if let Some(GroupBy::Said(field, _)) = by {
            wants.said = true;
            wants.origin |= *field == SaidField::Text(TextField::Origin);
        }
        if wants.said {
            looking.learn_types(view, rows);
        }
        if !wants.is_none() {
            looking.read_words(view, rows, wants);
        }
        if told.types || *by == Some(GroupBy::Type) || *sort == Some(SortBy::Type) {
            looking.learn_types(view, rows);
        }
    }

    /// Words are only found where somebody asked for them to be read.
    fn check_text(&self, looking: &Looking) -> Result {
        let asks = self.condition().is_some_and(|c| !c.text_tests().is_empty());
        if !asks || self.request.text {
            return Ok(());
        }
        for (number, view) in looking.views.iter().enumerate() {
            if view.area.reads_text || looking.has_texts(number)? {
                return Ok(());
            }
        }
        Err(Error::WordsUnread)
    }

    /// Files whose words would be asked for and were never read.
    fn unread(&self, looking: &Looking) -> u64 {
        if self.request.known || self.condition().is_none_or(|c| c.text_tests().is_empty()) {
            return 0;
        }
        let of = |view: &View| {
            let tree = &view.tree;
            let unread = |id: &NodeId| tree.may_have_words(*id) && tree.text(*id) == 0;
            tree.ids().filter(unread).filter(|id| !tree.has_mark(*id, mark::HIDDEN)).count() as u64
        };
        looking.views.iter().map(of).sum()
    }
}
