//! From nothing to a working bookcase: its folders and the configuration, as one run.

mod around;
mod save;
mod try_out;

use std::collections::BTreeSet;
use std::path::Path;

use nine_core::config::{
    Additions, Color, Composed, Marks, NewBookcase, SCHEMA_LINE, ShelfConfig, compose, free_name,
};
use nine_core::item::Kind;
use nine_core::layout::{Layout, LayoutShelf};
use nine_core::marks::{is_mark, without_mark};
use nine_core::place::{ItemPath, Name, NameBuf, Spot};
use nine_core::plan::Proposal;
use nine_core::shelving::shelf_number;
use nine_core::worklist::Step;
use nine_stores::{Location, Places, StoreError};

pub use around::{FoundPile, Surroundings, look};
pub use save::{SavedLayout, save_layout};
pub use try_out::{FirstTidy, ShelfShare};

use crate::configuration::{ConfigChange, nearest};
use crate::plan::{Draft, Plan};
use crate::workspace::Workspace;
use crate::{Error, Result, icons};

/// The place above a bookcase that is to be made, as runs know it, where it lies in the home folder.
const HOME: &str = "~";

/// The same of one that lies elsewhere.
const ELSEWHERE: &str = "~above";

/// What is to be set up.
#[derive(Debug, Clone)]
pub struct Request {
    /// The layout; without one an ordered folder is taken over as it stands.
    pub layout: Option<Layout>,
    /// Where the bookcase stands or is to stand.
    pub at: Location,
    /// Folders that are to be piles.
    pub piles: Vec<FoundPile>,
    /// Where marks stand, if not as the layout says.
    pub marks: Option<Marks>,
    /// Whether the layout's rules and facets come with it.
    pub rules: bool,
    /// Whether starter searches are kept as folders of links.
    pub displays: bool,
    /// What is printed above what is added to the configuration.
    pub heading: String,
}

/// A folder of the bookcase to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FolderLine {
    /// Its name.
    pub name: NameBuf,
    /// How many folders it lies in; shelves in none.
    pub depth: usize,
    /// Whether it is there already.
    pub is_there: bool,
    /// The colour of its shelf.
    pub color: Option<Color>,
}

/// What would be set up.
pub struct SetUp {
    /// The folders to be made, and the configuration.
    pub plan: Plan,
    /// The bookcase's name.
    pub bookcase: String,
    /// Its folders, those that are there too.
    pub folders: Vec<FolderLine>,
    /// The text of the configuration as it is; `None` if there is none.
    pub old: Option<String>,
    /// The text as it would be.
    pub new: String,
    /// What of the layout is left out since the configuration has its own, or since another shelf stands there.
    pub left_out: Vec<String>,
    /// What the rules would do with what lies in the piles now.
    pub first: FirstTidy,
}

/// Plans it.
///
/// # Errors
/// If a bookcase stands there already, no folder can be made there, or the configuration would not be sound.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<SetUp> {
    let case = Case::find(workspace, request)?;
    let composed = compose(&text(workspace), &case.additions(workspace, request));
    let Composed { text: mut new, mut left_out } = composed.map_err(|findings| Error::Config {
        file: workspace.environment.config_file.clone(),
        text: text(workspace),
        findings,
    })?;
    if !workspace.loaded.exists {
        new.insert_str(0, &format!("{SCHEMA_LINE}\n"));
    }
    left_out.extend(case.taken_over.iter().map(|number| format!("rules for shelf {number}")));
    let after = workspace.with_text(new.clone())?;
    let mut places = after.opened().places.clone();
    let base = case.base(workspace, &mut places)?;
    let (folders, mut steps) = case.folders(&places, &base);
    if case.marks == Marks::Icon {
        let shelves = case.shelves.iter().map(|shelf| {
            (&shelf.shelf, Spot::new(base.place.clone(), base.path.join(&case.folder(&shelf.shelf).0)))
        });
        steps.extend(icons::steps(&places, shelves)?);
    }
    let change = ConfigChange::of(workspace, |_| Ok(new.clone()))?;
    let old = change.old.clone();
    steps.extend(change.schema());
    steps.push(change.into_step(&mut places));
    let proposals = steps.into_iter().map(Proposal::fixed).collect();
    let plan = Draft { as_one: true, ..Draft::new("nine setup", proposals, &places) }.draw_up();
    let first = try_out::first_tidy(&after)?;
    Ok(SetUp { plan, bookcase: case.name, folders, old, new, left_out, first })
}

fn text(workspace: &Workspace) -> String {
    if workspace.loaded.exists { workspace.loaded.text.clone() } else { String::new() }
}

/// The bookcase to be.
struct Case {
    name: String,
    at: Location,
    /// Its shelves, with the folders that they are to have.
    shelves: Vec<LayoutShelf>,
    /// The numbered folders that are there.
    standing: Vec<NameBuf>,
    marks: Marks,
    /// Shelves that stand there under another title than the layout has for their number.
    taken_over: BTreeSet<u8>,
}

impl Case {
    fn find(workspace: &Workspace, request: &Request) -> Result<Self> {
        let config = workspace.config();
        let is_here = |at: &str| workspace.at(at) == request.at;
        if let Some(case) = config.bookcases.iter().find(|case| is_here(&case.at)) {
            return Err(Error::BookcaseStands { name: case.name.clone(), at: Box::new(request.at.clone()) });
        }
        let all = request.piles.iter().map(|pile| &pile.at).chain([&request.at]);
        let mut paths = all.filter_map(Location::local);
        if let Some(path) = paths.find(|path| path.to_str().is_none()) {
            let source = StoreError::System(
                "its name is no UTF-8 text, so that it cannot stand in shelves.toml".into(),
            );
            return Err(Error::Path { path: path.to_owned(), source });
        }
        let standing = around::numbered(workspace, &request.at);
        let found: Vec<ShelfConfig> = standing.iter().map(shelf_of).collect();
        let layout = request.layout.as_ref();
        if layout.is_none() && found.is_empty() {
            return Err(Error::NoLayout { at: Box::new(request.at.clone()) });
        }
        let wanted = |number: u8| layout?.shelves.iter().find(|shelf| shelf.shelf.number == number);
        let is_same = |a: &str, b: &str| nine_core::names::fold(a) == nine_core::names::fold(b);
        let (mut shelves, mut taken_over) = (Vec::new(), BTreeSet::new());
        for number in 1..=9 {
            let is_there = found.iter().find(|shelf| shelf.number == number);
            match (is_there, wanted(number)) {
                (Some(there), Some(wanted)) if is_same(&there.title, &wanted.shelf.title) => {
                    let mark = there.mark.clone().or_else(|| wanted.shelf.mark.clone());
                    let shelf = ShelfConfig { mark, title: there.title.clone(), ..wanted.shelf.clone() };
                    shelves.push(LayoutShelf { shelf, folders: wanted.folders.clone() });
                }
                (Some(there), other) => {
                    taken_over.extend(other.map(|_| number));
                    shelves.push(LayoutShelf { shelf: there.clone(), folders: Vec::new() });
                }
                (None, Some(wanted)) => shelves.push(wanted.clone()),
                (None, None) => {}
            }
        }
        let places = config.piles.iter().map(|pile| pile.name.as_str());
        let places = places.chain(config.bookcases.iter().map(|case| case.name.as_str()));
        let name = free_name("home", places.filter(|_| workspace.loaded.exists));
        let marks = request.marks.or(layout.map(|layout| layout.marks)).unwrap_or_default();
        Ok(Self { name, at: request.at.clone(), shelves, standing, marks, taken_over })
    }

    fn additions(&self, workspace: &Workspace, request: &Request) -> Additions {
        let environment = &workspace.environment;
        let config = workspace.config();
        let mut taken: Vec<String> = vec![self.name.clone()];
        if workspace.loaded.exists {
            taken.extend(config.piles.iter().map(|pile| pile.name.clone()));
            taken.extend(config.bookcases.iter().map(|case| case.name.clone()));
        }
        let mut piles = Vec::new();
        for pile in &request.piles {
            let name = free_name(&pile.name, taken.iter().map(String::as_str));
            taken.push(name.clone());
            piles.push((name, environment.typed(&pile.at)));
        }
        let shelves = self.shelves.iter().map(|shelf| shelf.shelf.clone()).collect();
        let at = environment.typed(&self.at);
        Additions {
            piles,
            bookcase: Some(NewBookcase { name: self.name.clone(), at, shelves, marks: self.marks }),
            text: request.layout.as_ref().map_or(String::new(), |layout| layout.text.clone()),
            without_rules: !request.rules,
            not_onto: self.taken_over.clone(),
            displays: if request.displays { starter_displays() } else { Vec::new() },
            heading: request.heading.clone(),
        }
    }

    /// Opens the place in which the bookcase's folders are made, and tells where in it the bookcase is.
    fn base(&self, workspace: &Workspace, places: &mut Places) -> Result<Spot> {
        let local = self.at.local().filter(|at| !at.is_dir());
        let Some(at) = local else {
            let base = Spot::new(self.name.as_str(), ItemPath::root());
            // Whatever keeps it from being opened is told as of any place.
            return places.of(&base).map(|_| base.clone()).map_err(Error::store(&base));
        };
        place_above(workspace, at, places)
    }

    /// The folder of a shelf: as it stands, or as it is to be called.
    fn folder(&self, shelf: &ShelfConfig) -> (NameBuf, bool) {
        match self.standing.iter().find(|name| shelf_number(name) == Some(shelf.number)) {
            Some(name) => (name.clone(), true),
            None => (shelf.folder_name(self.marks), false),
        }
    }

    /// Every folder, and the steps that make those that are not there.
    fn folders(&self, places: &Places, base: &Spot) -> (Vec<FolderLine>, Vec<Step>) {
        let store = places.of(base).ok();
        let is_there = |path: &ItemPath| {
            store.is_some_and(
                |store| matches!(store.entry(path), Ok(Some(entry)) if entry.kind == Kind::Folder),
            )
        };
        let (mut lines, mut steps) = (Vec::new(), Vec::new());
        if !base.path.is_root() {
            steps.push(Step::make(base.clone()));
        }
        let mut add = |path: ItemPath, depth: usize, color: Option<Color>| {
            let Some(name) = path.last().map(NameBuf::from) else { return };
            let is_there = is_there(&path);
            if !is_there {
                steps.push(Step::make(Spot::new(base.place.clone(), path)));
            }
            lines.push(FolderLine { name, depth, is_there, color });
        };
        for LayoutShelf { shelf, folders } in &self.shelves {
            let top = base.path.join(&self.folder(shelf).0);
            add(top.clone(), 0, shelf.color);
            let mut seen = BTreeSet::new();
            for folder in folders {
                let names: Vec<Name> =
                    folder.split('/').filter_map(|name| Name::new(name.as_bytes())).collect();
                for depth in 1..=names.len() {
                    let path = top.join_path(&ItemPath::of_names(names[..depth].iter().copied()));
                    if seen.insert(path.clone()) {
                        add(path, depth, None);
                    }
                }
            }
        }
        (lines, steps)
    }
}

/// Opens the place in which a folder that is not there can be made, and tells where in it the folder will be.
///
/// # Errors
/// If something else stands there, or a disk may be missing.
pub(crate) fn place_above(workspace: &Workspace, at: &Path, places: &mut Places) -> Result<Spot> {
    let home = &workspace.environment.home;
    let refuse = |source| Error::Path { path: at.to_owned(), source };
    if at.symlink_metadata().is_ok() {
        return Err(refuse(StoreError::NotAFolder));
    }
    if let Ok(below) = at.strip_prefix(home) {
        let store = workspace.open_outside(home);
        let path = ItemPath::new(below.as_os_str().as_encoded_bytes());
        let base = Spot::new(HOME, path.unwrap_or_else(ItemPath::root));
        places.add(HOME, store.map_err(Error::store(&base))?);
        return Ok(base);
    }
    if !can_be_made(at) {
        return Err(Error::NoDisk { at: at.to_owned() });
    }
    let (store, path) = nearest(workspace, at).map_err(refuse)?;
    places.add(ELSEWHERE, store);
    Ok(Spot::new(ELSEWHERE, path))
}

/// Whether a folder that is not there can be made: the one above is there, and no disk seems to be missing.
pub(crate) fn can_be_made(at: &Path) -> bool {
    at.parent().is_some_and(|above| above.is_dir() && !holds_disks(above))
}

/// Whether a folder is one in which disks are put that are connected.
fn holds_disks(folder: &Path) -> bool {
    let is_below = |top: &str, depth: usize| {
        folder.strip_prefix(top).is_ok_and(|below| below.components().count() <= depth)
    };
    is_below("/media", 1) || is_below("/run/media", 1) || is_below("/mnt", 0)
}

/// A shelf as its folder tells it: `2 ⚓ Loans`.
fn shelf_of(folder: &NameBuf) -> ShelfConfig {
    let text = String::from_utf8_lossy(folder);
    let (number, rest) = text.split_at(1);
    let rest = rest.trim_start_matches([' ', '.', '_', '-']);
    let mark = rest.split_once(' ').map(|(mark, _)| mark).filter(|mark| is_mark(mark)).map(str::to_owned);
    let title = nine_core::names::make_safe(without_mark(rest).as_bytes());
    let title = String::from_utf8_lossy(&title).into_owned();
    let number = number.parse().unwrap_or(1);
    let title = if title.is_empty() { format!("Shelf {number}") } else { title };
    ShelfConfig { number, title, mark, ..ShelfConfig::default() }
}

/// Searches that are worth a folder of links: of the starter set, and what was not touched for long.
fn starter_displays() -> Vec<(String, String)> {
    let wanted = ["installers", "films", "big"];
    let starters = nine_core::saved::starters().into_iter();
    let starters = starters.filter(|search| wanted.contains(&search.name.as_str()));
    let mut all: Vec<_> = starters.map(|search| (search.name, search.condition.to_string())).collect();
    all.push(("untouched".to_owned(), "idle over 1y".to_owned()));
    all
}
