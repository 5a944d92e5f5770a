//! What a command looks at: places read just now with what the catalogue knows of them, or, where
//! that is asked for or they cannot be reached, as the catalogue knows them.

mod areas;
mod ask;
pub(crate) mod keep;
pub(crate) mod learned;
mod packed;
mod pictures;
mod same_bytes;
mod words;

use std::ops::ControlFlow;
use std::sync::Arc;

use nine_core::find::Rows;
use nine_core::item::Stamp;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::tree::{Column, NodeId, Tree, Unlearned};
use nine_stores::catalogue::{CarriedOver, CatalogueResult, Window};
use nine_stores::{
    Catalogue, CatalogueError, Earlier, EarlierScan, Location, ReadStore, Scope, Store, StoreError, Watch,
};

pub(crate) use areas::name_outsiders;
pub use areas::{Area, all_areas, areas_of};
pub use ask::{RowQuestion, all_rows};
pub use same_bytes::KNOWN_OF_COPIES;
pub use words::WantsInside;
pub(crate) use words::{Remembered, remembered};

use crate::reporter::{Notice, Task};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// A place as it was found.
pub struct View {
    /// What it was asked for.
    pub area: Area,
    /// Everything in it.
    pub tree: Tree,
    /// When it was read.
    pub at: Moment,
    /// Whether this is what the catalogue knows, and not what is there now.
    pub is_known: bool,
    /// Whether the catalogue has all that is known of it.
    is_kept: bool,
    /// What became of the earlier look that the catalogue keeps.
    earlier: Earlier,
    /// Whether the catalogue knew every entry as it is.
    carried: CarriedOver,
    /// The sync token of that moment, where its drive can tell later what has changed since.
    sync_token: Option<String>,
}

impl View {
    /// Where an entry lies.
    pub fn spot(&self, id: NodeId) -> Spot {
        let base = &self.area.base;
        Spot::new(base.place.clone(), base.path.join_path(&self.tree.path(id)))
    }

    /// Where an entry is.
    pub fn location(&self, id: NodeId) -> Location {
        self.area.at.join(&self.tree.path(id))
    }

    /// The store, where it can be reached.
    pub fn store(&self) -> Option<&Arc<dyn Store>> {
        self.area.store.as_ref().filter(|_| !self.is_known)
    }

    /// As what an entry must be found when it is changed.
    pub fn stamp(&self, id: NodeId) -> Stamp {
        self.tree.entry(id).stamp()
    }
}

/// The places of a command, and the catalogue.
pub struct Looking<'w> {
    /// What it is done in.
    pub workspace: &'w Workspace,
    catalogue: Option<Catalogue>,
    /// The places.
    pub views: Vec<View>,
    /// Places whose files count where it is asked what else has some bytes.
    beside: Vec<Area>,
    /// These, once they were read.
    asides: Vec<View>,
    /// How many places and folders could not be read, each of which was named.
    pub troubles: usize,
}

/// How to look.
#[derive(Debug, Clone)]
pub enum LookMode {
    /// Read the places first.
    Now,
    /// Answer from the catalogue alone, with these columns.
    AsKnown(Vec<Column>),
}

impl<'w> Looking<'w> {
    /// Reads the places and takes over what the catalogue knows of them.
    ///
    /// # Errors
    /// If the catalogue is asked for alone and there is none.
    pub fn look(workspace: &'w Workspace, areas: Vec<Area>, how: &LookMode) -> Result<Self> {
        let catalogue = open_catalogue(workspace, how);
        if matches!(how, LookMode::AsKnown(_)) && catalogue.is_none() {
            return Err(Error::NothingKnown);
        }
        if let (LookMode::AsKnown(_), Some(catalogue)) = (how, &catalogue) {
            catalogue.hold_still()?;
        }
        let mut looking = Self {
            workspace,
            catalogue,
            views: Vec::new(),
            beside: Vec::new(),
            asides: Vec::new(),
            troubles: 0,
        };
        for area in areas {
            match (how, &area.store) {
                (LookMode::Now, Some(store)) => {
                    let store = Arc::clone(store);
                    looking.read(area, &*store);
                }
                (LookMode::AsKnown(columns), _) => looking.recall(area, columns),
                (LookMode::Now, None) => looking.recall_unreachable(area),
            }
        }
        looking.carry_over();
        Ok(looking)
    }

    /// The catalogue, where it can be used.
    pub fn catalogue(&self) -> Option<&Catalogue> {
        self.catalogue.as_ref()
    }

    fn read(&mut self, area: Area, store: &dyn ReadStore) {
        let earlier = self.earlier(&area, store);
        let scope = Scope { closed: area.closed.clone(), only: area.only.clone(), tags: area.wants_tags };
        let at = self.workspace.moment();
        let watch = Watch::default();
        let task = Task::Reading(&area.base);
        let scan = self.workspace.during(task, &watch, || match earlier {
            Some(earlier) => store.refresh(earlier, &scope, &watch),
            None => store.scan(&scope, &watch),
        });
        match scan {
            Ok(scan) => {
                let (skipped, troubles): (Vec<_>, Vec<_>) =
                    scan.troubles.iter().partition(|(_, error)| matches!(error, StoreError::Virtual));
                if !skipped.is_empty() {
                    let skipped: Vec<String> = skipped.iter().map(|(path, _)| path.to_string()).collect();
                    self.workspace.notice(&Notice::Skipped(&area.base, &skipped));
                }
                for (path, error) in troubles {
                    let spot = Spot::new(area.base.place.clone(), area.base.path.join_path(path));
                    self.trouble(&format!("{spot}"), &format!("could not be read: {error}"));
                }
                self.views.push(View {
                    area,
                    tree: scan.tree,
                    at,
                    is_known: false,
                    is_kept: false,
                    earlier: scan.earlier,
                    carried: CarriedOver::Anew,
                    sync_token: scan.sync_token.filter(|_| scan.troubles.is_empty()),
                });
            }
            Err(error) => self.recall_unreachable(Area { error: Some(error), ..area }),
        }
    }

    /// What an earlier look found of a place, where that tells what has changed since.
    fn earlier(&self, area: &Area, store: &dyn ReadStore) -> Option<EarlierScan> {
        // Of a few names it is quicker asked anew than found among all that is known.
        let catalogue = self.catalogue.as_ref().filter(|_| area.only.is_none())?;
        let abilities = store.abilities();
        if abilities.dates_folders {
            return catalogue.earlier(&area.address).ok().flatten();
        }
        let told = self.workspace.drives.sync_token(self.workspace, &area.address);
        let (at, sync_token) = told.filter(|_| abilities.tells_changes)?;
        let earlier = catalogue.earlier(&area.address).ok().flatten()?;
        (earlier.at == at).then_some(EarlierScan { sync_token: Some(sync_token), ..earlier })
    }

    /// Takes what the catalogue knows of a place.
    fn recall(&mut self, area: Area, columns: &[Column]) {
        let base = area.base.to_string();
        if let Err(why) = self.recall_if_known(area, columns) {
            self.trouble(&base, &format!("is not known: {why}"));
        }
    }

    /// The same; if it is not known, says why not.
    fn recall_if_known(&mut self, area: Area, columns: &[Column]) -> Result<(), String> {
        let known = self.catalogue.as_ref().map(|catalogue| catalogue.load(&area.address, columns));
        let kept = known.transpose().map_err(|error| error.to_string())?.flatten();
        let kept = kept.ok_or("it was never looked at")?;
        self.views.push(View {
            area,
            tree: kept.tree,
            at: kept.at,
            is_known: true,
            is_kept: false,
            earlier: Earlier::Unknown,
            carried: CarriedOver::Anew,
            sync_token: None,
        });
        Ok(())
    }

    /// Adds a place as it is known, if it is.
    pub(crate) fn add_known(&mut self, area: Area) {
        if let Err(why) = self.recall_if_known(area, &Column::ALL) {
            tracing::info!(why, "a place is left out");
        }
    }

    /// Says that a place cannot be reached, and takes what is known of it.
    fn recall_unreachable(&mut self, area: Area) {
        let views = self.views.len();
        let (place, at, error) = (&area.base, &area.at, area.error.as_ref());
        self.workspace.notice(&Notice::PlaceAway { place, at, error });
        let troubles = self.troubles + 1;
        self.recall(area, &Column::ALL);
        if let Some(view) = self.views.get(views) {
            self.workspace.notice(&Notice::AsKnown(view.at));
        }
        self.troubles = troubles;
    }

    fn trouble(&mut self, what: &str, why: &str) {
        self.troubles += 1;
        self.workspace.notice(&Notice::Trouble(what, why));
    }

    /// Takes over what is known of unchanged entries.
    fn carry_over(&mut self) {
        (0..self.views.len()).for_each(|view| self.carry_over_into(view));
    }

    fn carry_over_into(&mut self, view: usize) {
        let View { area, tree, at, is_known, earlier, carried, .. } = &mut self.views[view];
        let (ahead, earlier) = (self.workspace.foreseen(), std::mem::take(earlier));
        let is_asked = !*is_known && area.only.is_none();
        let Some(catalogue) = self.catalogue.as_ref().filter(|_| is_asked) else { return };
        match catalogue.carry_over(&area.address, tree, *at, earlier) {
            Ok(found) => {
                *carried = found;
                ahead.into_iter().for_each(|ahead| ahead.retag(tree));
            }
            Err(CatalogueError::Damaged) => self.replace(),
            Err(error) => self.do_without(&error),
        }
    }

    /// Sets a damaged catalogue aside, and goes on with a new one.
    fn replace(&mut self) {
        let Some(old) = self.catalogue.take() else { return };
        let file = old.file().to_owned();
        drop(old);
        match Catalogue::replace(&file, "damaged") {
            Ok((new, aside)) => {
                self.catalogue = Some(new);
                tell_set_aside(self.workspace, aside.as_ref());
            }
            Err(error) => self.do_without(&error),
        }
    }

    /// Goes on without the catalogue: it saves time and nothing else.
    fn do_without(&mut self, error: &CatalogueError) {
        self.catalogue = None;
        self.workspace.notice(&Notice::WithoutCatalogue(error));
    }

    /// Learns tags and contents of rows of a view.
    pub fn learn(&mut self, view: usize, rows: &Rows, what: Unlearned) {
        let view = &mut self.views[view];
        let Some(store) = view.store().cloned() else { return };
        let watch = Watch::default();
        let ids: Vec<NodeId> = rows.ids().collect();
        let base = view.area.base.clone();
        let workspace = self.workspace;
        let asked = workspace.during(Task::LookingAt(&base, ids.len() as u64), &watch, || {
            nine_stores::learn((&*store, workspace.containers()), &mut view.tree, ids, what, &watch)
        });
        view.is_kept &= asked == 0;
    }

    /// Adds to a view that is as known what these columns say of some rows.
    ///
    /// # Errors
    /// If the catalogue is damaged.
    pub fn recall_rows(&mut self, view: usize, columns: &[Column], rows: &Rows) -> Result {
        let view = &mut self.views[view];
        let Some(catalogue) = self.catalogue.as_ref().filter(|_| view.is_known) else { return Ok(()) };
        catalogue.load_rows(&view.area.address, &mut view.tree, columns, rows).map_err(Error::Recall)
    }

    /// Whether of a view nothing but the number of its rows is here yet.
    pub fn is_outline(&self, view: usize) -> bool {
        let view = &self.views[view];
        view.is_known && view.tree.bytes(Column::Kind).is_empty()
    }

    /// Shows a view that is as known window by window; see [`Catalogue::in_windows`].
    ///
    /// # Errors
    /// If the catalogue is damaged.
    pub fn in_windows(
        &self,
        view: usize,
        columns: &[Column],
        see: impl FnMut(&mut Window) -> CatalogueResult<ControlFlow<()>>,
    ) -> Result {
        let catalogue = self.catalogue.as_ref().ok_or(Error::NothingKnown)?;
        catalogue.in_windows(&self.views[view].area.address, columns, see).map_err(Error::Recall)
    }

    /// Whether the words of anything in a view were read.
    ///
    /// # Errors
    /// If the catalogue is damaged.
    pub fn has_texts(&self, view: usize) -> Result<bool> {
        if !self.is_outline(view) {
            return Ok(self.views[view].tree.has_texts());
        }
        let mut found = false;
        self.in_windows(view, &[Column::Text], |window| {
            found = window.tree().has_texts();
            Ok(if found { ControlFlow::Break(()) } else { ControlFlow::Continue(()) })
        })?;
        Ok(found)
    }

    /// Keeps what was read and learned. To be called when a command has learned all that it wants.
    pub fn keep(&mut self) {
        self.with_asides(|all| (0..all.views.len()).for_each(|view| all.keep_view(view)));
    }

    fn keep_view(&mut self, view: usize) {
        if self.workspace.foreseen().is_some() || self.views[view].area.only.is_some() {
            return;
        }
        let View { area, tree, at, is_known, is_kept, carried, sync_token, .. } = &mut self.views[view];
        let Some(catalogue) = self.catalogue.as_mut().filter(|_| !*is_known && !*is_kept) else { return };
        *is_kept = true;
        match catalogue.keep(&area.address, tree, *at, *carried) {
            Ok(()) => {
                if let Some(sync_token) = sync_token {
                    self.workspace.drives.keep_sync_token(self.workspace, &area.address, *at, sync_token);
                }
            }
            Err(CatalogueError::Damaged) => self.replace(),
            Err(error) => self.do_without(&error),
        }
    }
}

/// Opens the catalogue; says what was wrong with it, and goes on without where it cannot be used.
fn open_catalogue(workspace: &Workspace, how: &LookMode) -> Option<Catalogue> {
    let file = workspace.data().join("catalogue.sqlite");
    let opened = match nine_carry::make_private(workspace.data()) {
        Ok(()) => Catalogue::open(&file),
        Err(error) => Err(error.into()),
    };
    match opened {
        Ok((catalogue, aside)) => {
            tell_set_aside(workspace, aside.as_ref());
            Some(catalogue)
        }
        Err(error) => {
            // What is only asked need not be written.
            if let (LookMode::AsKnown(_), Ok(catalogue)) = (how, Catalogue::open_to_read(&file)) {
                return Some(catalogue);
            }
            workspace.notice(&Notice::WithoutCatalogue(&error));
            None
        }
    }
}

fn tell_set_aside(workspace: &Workspace, aside: Option<&nine_stores::catalogue::SetAside>) {
    if let Some(aside) = aside {
        workspace.notice(&Notice::CatalogueSetAside(aside));
    }
}
