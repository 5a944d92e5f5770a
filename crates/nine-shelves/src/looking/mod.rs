//! What a command looks at: places read just now with what the catalogue knows of them, or, where
//! that is asked for or they cannot be reached, as the catalogue knows them.

mod ask;
mod bytes;
mod grounds;
mod packed;
mod pictures;
mod words;

use std::ffi::{OsStr, OsString};
use std::io::Write;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::sync::Arc;

use nine_core::find::Rows;
use nine_core::item::Stamp;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::tree::{Column, NodeId, Tree, Unlearned};
use nine_stores::catalogue::Carried;
use nine_stores::{Catalogue, CatalogueError, Known, Scope, Store, StoreError, Watch};

pub use ask::{Question, all_rows, columns_of};
pub use bytes::KNOWN_OF_COPIES;
pub use grounds::{Ground, all_grounds, grounds_of, name_outsiders, nowhere};
pub use words::{Remembered, remembered};

use crate::error::{Done, Failure};
use crate::output::style::{DOUBT, REFUSED};
use crate::session::Session;
use crate::{location, progress};

/// A place as it was found.
pub struct View {
    /// What it was asked for.
    pub ground: Ground,
    /// Everything in it.
    pub tree: Tree,
    /// When it was read.
    pub at: Moment,
    /// Whether this is what the catalogue knows, and not what is there now.
    pub is_known: bool,
    /// Whether the catalogue has all that is known of it.
    is_kept: bool,
    /// Whether the catalogue knew every entry as it is.
    carried: Carried,
    /// What stands for the moment at which it was read, where its drive can tell later what has changed since.
    moment: Option<String>,
}

impl View {
    /// Where an entry lies.
    pub fn spot(&self, id: NodeId) -> Spot {
        let base = &self.ground.base;
        Spot::new(base.place.clone(), base.path.join_path(&self.tree.path(id)))
    }

    /// The absolute path of an entry.
    pub fn absolute(&self, id: NodeId) -> PathBuf {
        let path = self.tree.path(id);
        if path.is_root() {
            return self.ground.path.clone();
        }
        self.ground.path.join(OsStr::from_bytes(path.as_bytes()))
    }

    /// The same as it is printed.
    pub fn written(&self, id: NodeId) -> OsString {
        location::written(&self.absolute(id))
    }

    /// The store, where it can be reached.
    pub fn store(&self) -> Option<&Arc<dyn Store>> {
        self.ground.store.as_ref().filter(|_| !self.is_known)
    }

    /// As what an entry must be found when it is changed.
    pub fn stamp(&self, id: NodeId) -> Stamp {
        self.tree.entry(id).stamp()
    }
}

/// The places of a command, and the catalogue.
pub struct Looking<'s> {
    session: &'s Session,
    catalogue: Option<Catalogue>,
    /// The places.
    pub views: Vec<View>,
    /// Places whose files count where it is asked what else has some bytes.
    beside: Vec<Ground>,
    /// These, once they were read.
    asides: Vec<View>,
    /// How many places and folders could not be read, each of which was named.
    pub troubles: usize,
}

/// How to look.
#[derive(Debug, Clone)]
pub enum How {
    /// Read the places first.
    Now,
    /// Answer from the catalogue alone, with these columns.
    AsKnown(Vec<Column>),
}

impl<'s> Looking<'s> {
    /// Reads the places and takes over what the catalogue knows of them.
    ///
    /// # Errors
    /// If the catalogue is asked for alone and there is none.
    pub fn look(session: &'s Session, grounds: Vec<Ground>, how: &How) -> Done<Self> {
        let catalogue = open_catalogue(session, how);
        if matches!(how, How::AsKnown(_)) && catalogue.is_none() {
            return Err(Failure::system("nothing is known, since the catalogue cannot be used")
                .hint("leave out --known to read the places"));
        }
        if let (How::AsKnown(_), Some(catalogue)) = (how, &catalogue) {
            catalogue.hold_still().map_err(|error| Failure::system(error.to_string()))?;
        }
        let mut looking = Self {
            session,
            catalogue,
            views: Vec::new(),
            beside: Vec::new(),
            asides: Vec::new(),
            troubles: 0,
        };
        for ground in grounds {
            match (how, &ground.store) {
                (How::Now, Some(store)) => {
                    let store = Arc::clone(store);
                    looking.read(ground, &*store);
                }
                (How::AsKnown(columns), _) => looking.recall(ground, columns),
                (How::Now, None) => looking.recall_unreachable(ground),
            }
        }
        looking.carry_over();
        Ok(looking)
    }

    /// The catalogue, where it can be used.
    pub fn catalogue(&self) -> Option<&Catalogue> {
        self.catalogue.as_ref()
    }

    fn read(&mut self, ground: Ground, store: &dyn Store) {
        let known = self.known_of(&ground, store);
        let scope = Scope { closed: ground.closed.clone(), known };
        let at = Moment::from_timestamp(Session::clock().timestamp());
        let watch = Watch::default();
        let label = format!("reading {}", ground.base);
        let scan = progress::during(&label, None, &watch, || store.scan(&scope, &watch));
        match scan {
            Ok(scan) => {
                for (path, error) in &scan.troubles {
                    let spot = Spot::new(ground.base.place.clone(), ground.base.path.join_path(path));
                    self.trouble(&format!("{spot}"), &format!("could not be read: {error}"));
                }
                self.views.push(View {
                    ground,
                    tree: scan.tree,
                    at,
                    is_known: false,
                    is_kept: false,
                    carried: Carried::Anew,
                    moment: scan.moment.filter(|_| scan.troubles.is_empty()),
                });
            }
            Err(error) => self.recall_unreachable(Ground { error: Some(error), ..ground }),
        }
    }

    /// What an earlier look found of a place on a drive that can tell what has changed since.
    fn known_of(&self, ground: &Ground, store: &dyn Store) -> Option<Known> {
        let (at, moment) =
            self.session.drives.moment(self.session, &ground.address).filter(|_| store.is_remote())?;
        let kept = self.catalogue.as_ref()?.load(&ground.address, &Column::ALL).ok().flatten()?;
        (kept.at == at).then_some(Known { tree: kept.tree, moment })
    }

    /// Takes what the catalogue knows of a place.
    fn recall(&mut self, ground: Ground, columns: &[Column]) {
        let base = ground.base.to_string();
        if let Err(why) = self.recall_if_known(ground, columns) {
            self.trouble(&base, &format!("is not known: {why}"));
        }
    }

    /// The same; if it is not known, says why not.
    fn recall_if_known(&mut self, ground: Ground, columns: &[Column]) -> Result<(), String> {
        let known = self.catalogue.as_ref().map(|catalogue| catalogue.load(&ground.address, columns));
        let kept = known.transpose().map_err(|error| error.to_string())?.flatten();
        let kept = kept.ok_or("it was never looked at")?;
        self.views.push(View {
            ground,
            tree: kept.tree,
            at: kept.at,
            is_known: true,
            is_kept: false,
            carried: Carried::Anew,
            moment: None,
        });
        Ok(())
    }

    /// Says that a place cannot be reached, and takes what is known of it.
    fn recall_unreachable(&mut self, ground: Ground) {
        let why = match &ground.error {
            Some(StoreError::NotThere) | None => "there is no such folder".to_owned(),
            Some(StoreError::Unreachable(why)) => why.clone(),
            Some(other) => other.to_string(),
        };
        let shown = self.session.shown(&ground.path);
        let views = self.views.len();
        self.trouble(&ground.base.to_string(), &format!("at {shown} cannot be reached: {why}"));
        let troubles = self.troubles;
        self.recall(ground, &Column::ALL);
        if let Some(view) = self.views.get(views) {
            let since = Session::known_since(view.at);
            self.tell(DOUBT, &format!("  it is told {since}"));
        }
        self.troubles = troubles;
    }

    fn trouble(&mut self, what: &str, why: &str) {
        self.troubles += 1;
        let mut err = crate::output::err();
        let _ = writeln!(err, "{REFUSED}x {}{REFUSED:#} {}", self.session.look.text(what), why);
    }

    fn tell(&self, style: anstyle::Style, what: &str) {
        let _ = writeln!(crate::output::err(), "{style}{}{style:#}", self.session.look.text(what));
    }

    /// Takes over what is known of unchanged entries.
    fn carry_over(&mut self) {
        (0..self.views.len()).for_each(|view| self.carry_over_into(view));
    }

    fn carry_over_into(&mut self, view: usize) {
        let View { ground, tree, at, is_known, carried, .. } = &mut self.views[view];
        let Some(catalogue) = self.catalogue.as_ref().filter(|_| !*is_known) else { return };
        match catalogue.carry_over(&ground.address, tree, *at) {
            Ok(found) => *carried = found,
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
                tell_set_aside(self.session, aside.as_ref());
            }
            Err(error) => self.do_without(&error),
        }
    }

    /// Goes on without the catalogue: it saves time and nothing else.
    fn do_without(&mut self, error: &CatalogueError) {
        self.catalogue = None;
        self.tell(DOUBT, &format!("{error}; going on without it"));
    }

    /// Learns tags and contents of rows of a view.
    pub fn learn(&mut self, view: usize, rows: &Rows, what: Unlearned) {
        let view = &mut self.views[view];
        let Some(store) = view.store().cloned() else { return };
        let watch = Watch::default();
        let label = format!("looking at {}", view.ground.base);
        let ids: Vec<NodeId> = rows.ids().collect();
        let asked = progress::during(&label, Some(ids.len() as u64), &watch, || {
            nine_stores::learn(&*store, &mut view.tree, ids, what, &watch)
        });
        view.is_kept &= asked == 0;
    }

    /// Adds to a view that is as known what these columns say of some rows.
    ///
    /// # Errors
    /// If the catalogue is damaged.
    pub fn recall_rows(&mut self, view: usize, columns: &[Column], rows: &Rows) -> Done {
        let view = &mut self.views[view];
        let Some(catalogue) = self.catalogue.as_ref().filter(|_| view.is_known) else { return Ok(()) };
        let recalled = catalogue.load_rows(&view.ground.address, &mut view.tree, columns, rows);
        recalled.map_err(|error| Failure::system(error.to_string()).hint("leave out --known to read anew"))
    }

    /// Keeps what was read and learned. To be called when a command has learned all that it wants.
    pub fn keep(&mut self) {
        self.with_asides(|all| (0..all.views.len()).for_each(|view| all.keep_view(view)));
    }

    fn keep_view(&mut self, view: usize) {
        let View { ground, tree, at, is_known, is_kept, carried, moment } = &mut self.views[view];
        let Some(catalogue) = self.catalogue.as_mut().filter(|_| !*is_known && !*is_kept) else { return };
        *is_kept = true;
        match catalogue.keep(&ground.address, tree, *at, *carried) {
            Ok(()) => {
                if let Some(moment) = moment {
                    self.session.drives.keep_moment(self.session, &ground.address, *at, moment);
                }
            }
            Err(CatalogueError::Damaged) => self.replace(),
            Err(error) => self.do_without(&error),
        }
    }
}

/// Opens the catalogue; says what was wrong with it, and goes on without where it cannot be used.
fn open_catalogue(session: &Session, how: &How) -> Option<Catalogue> {
    let file = session.data.join("catalogue.sqlite");
    let opened = match nine_carry::make_private(&session.data) {
        Ok(()) => Catalogue::open(&file),
        Err(error) => Err(error.into()),
    };
    match opened {
        Ok((catalogue, aside)) => {
            tell_set_aside(session, aside.as_ref());
            Some(catalogue)
        }
        Err(error) => {
            // What is only asked need not be written.
            if let (How::AsKnown(_), Ok(catalogue)) = (how, Catalogue::open_to_read(&file)) {
                return Some(catalogue);
            }
            let _ = writeln!(crate::output::err(), "{DOUBT}{error}{DOUBT:#}; going on without it");
            None
        }
    }
}

fn tell_set_aside(session: &Session, aside: Option<&nine_stores::catalogue::SetAside>) {
    let Some(aside) = aside else { return };
    let _ = writeln!(
        crate::output::err(),
        "{DOUBT}The catalogue was {}{DOUBT:#} and is set aside as {}; a new one is made.",
        aside.because,
        session.shown(&aside.to)
    );
}
