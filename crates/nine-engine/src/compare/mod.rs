//! What of one place is nowhere in others by content.

mod listing;
mod plan;

use std::collections::HashSet;
use std::path::PathBuf;

use nine_core::copies::{Across, Meet, Member, Side, across, same_names};
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::tree::{NodeId, Tree, mark};
use nine_stores::{Location, Places};

pub use listing::{HeldAgainstList, against_listing};

use crate::looking::{Area, LookMode, Looking, RowQuestion, all_areas, all_rows, areas_of, name_outsiders};
use crate::selection::condition;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What is held against what.
#[derive(Debug, Clone)]
pub struct Request {
    /// A place, as it is typed.
    pub a: PathBuf,
    /// Where its bytes may be.
    pub b: Vec<PathBuf>,
    /// The words of a condition that must hold for what of A is asked about.
    pub condition: Vec<String>,
    /// The other way round.
    pub reverse: bool,
    /// Hidden files too.
    pub hidden: bool,
}

/// What came of it.
pub struct Compared<'w> {
    /// The places that were looked at; A is the first.
    pub looking: Looking<'w>,
    /// What is found and what is missing.
    pub across: Across,
    places: Places,
    sides: ComparedRows,
}

impl Compared<'_> {
    /// What is left out of those asked about.
    pub fn left_out(&self) -> &LeftOut {
        &self.sides.left_out
    }

    /// What is missing by content, with what has its name.
    pub fn same_names(&self) -> Vec<(Member, Vec<Member>)> {
        same_names(&self.looking.trees(), &self.across.missing, &self.sides.beside)
    }
}

/// Compares places.
///
/// # Errors
/// If a side cannot be read.
pub fn places<'w>(workspace: &'w Workspace, request: &Request) -> Result<Compared<'w>> {
    let (mut looking, places) = look(workspace, request)?;
    let rows = rows_of_a(&mut looking, request)?;
    let sides = ComparedRows::of(request, &looking, &rows);
    looking.compare(|_, member| sides.side(member), Meet::Across, HashSet::new());
    looking.keep();
    let across = across(&looking.trees(), &sides.asked, &sides.beside);
    Ok(Compared { looking, across, places, sides })
}

/// Reads A, which is the first view, and the others.
fn look<'w>(workspace: &'w Workspace, request: &Request) -> Result<(Looking<'w>, Places)> {
    let typed: Vec<PathBuf> = std::iter::once(&request.a).chain(&request.b).cloned().collect();
    let mut areas = areas_of(workspace, &typed, false)?;
    if let Some(gone) = areas.iter().find(|area| area.store.is_none()) {
        return Err(Error::SideAway(gone.base.clone()));
    }
    if areas[1..].iter().any(|other| other.at.real() == areas[0].at.real()) {
        return Err(Error::SameFolder);
    }
    let mut seen = HashSet::new();
    areas.retain(|area: &Area| seen.insert(area.at.real()));
    let places = name_outsiders(&mut areas, workspace);
    let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
    looking.set_beside(all_areas(workspace));
    if looking.views.len() < seen.len() || looking.views.iter().any(|view| view.is_known) {
        return Err(Error::SideUnread);
    }
    Ok((looking, places))
}

/// The rows of A that are asked about, as far as a condition says so.
fn rows_of_a(looking: &mut Looking, request: &Request) -> Result<Option<Rows>> {
    let condition = condition(looking.workspace.config(), &request.condition, &[])?;
    let Some(condition) = &condition else { return Ok(None) };
    let all = all_rows(&looking.views[0].tree);
    looking.find(0, RowQuestion { condition, inside: false, reads_text: false }, &all).map(Some)
}

/// Which files are held against which.
pub(crate) struct ComparedRows {
    /// Those that are asked about, in order.
    asked: Vec<Member>,
    /// Those that they are held against.
    beside: Vec<Member>,
    /// What is left out of those asked about.
    left_out: LeftOut,
    is_asked: Vec<Rows>,
    is_beside: Vec<Rows>,
}

/// What is not compared.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct LeftOut {
    /// Empty files.
    pub empty: u64,
    /// Links and other things without bytes.
    pub links: u64,
    /// Hidden files.
    pub hidden: u64,
}

impl ComparedRows {
    fn of(request: &Request, looking: &Looking, rows: &Option<Rows>) -> Self {
        let mut sides = Self {
            asked: Vec::new(),
            beside: Vec::new(),
            left_out: LeftOut::default(),
            is_asked: Vec::new(),
            is_beside: Vec::new(),
        };
        for (view, of_view) in looking.views.iter().enumerate() {
            let tree = &of_view.tree;
            // A lies in B, or B in A: what lies in both belongs to the inner one.
            let mut inner = Rows::none(tree.rows());
            let others = looking.views.iter().enumerate();
            for (_, other) in others.filter(|(other, _)| *other != view && (*other == 0 || view == 0)) {
                if let Some(folder) = inside(looking, view, &other.area.at) {
                    tree.inside(folder).for_each(|id| inner.add(id.row()));
                }
            }
            let is_a = view == 0;
            let asks = is_a != request.reverse;
            let (mut asked, mut beside) = (Rows::none(tree.rows()), Rows::none(tree.rows()));
            for id in tree.ids() {
                if is_a && rows.as_ref().is_some_and(|rows| !rows.has(id.row())) || inner.has(id.row()) {
                    continue;
                }
                if !is_compared(tree, id, request.hidden, asks.then_some(&mut sides.left_out)) {
                    continue;
                }
                let member = Member::new(view, id);
                match asks {
                    true => (asked.add(id.row()), sides.asked.push(member)),
                    false => (beside.add(id.row()), sides.beside.push(member)),
                };
            }
            sides.is_asked.push(asked);
            sides.is_beside.push(beside);
        }
        sides
    }

    fn side(&self, member: Member) -> Option<Side> {
        let (view, row) = (member.view as usize, member.id.row());
        match (self.is_asked[view].has(row), self.is_beside[view].has(row)) {
            (true, _) => Some(Side::Asked),
            (false, true) => Some(Side::Beside),
            (false, false) => None,
        }
    }
}

/// The folder of another view, where it lies in a view.
fn inside(looking: &Looking, view: usize, at: &Location) -> Option<NodeId> {
    let view = &looking.views[view];
    let below = at.real().below(&view.area.at.real())?;
    if below.is_root() { None } else { view.tree.find(&below) }
}

/// Whether a file has bytes to compare and is to be seen.
fn is_compared(tree: &Tree, id: NodeId, hidden: bool, left_out: Option<&mut LeftOut>) -> bool {
    let mut nothing = LeftOut::default();
    let left_out = left_out.unwrap_or(&mut nothing);
    match tree.kind(id) {
        Kind::Folder => return false,
        Kind::File if tree.has_mark(id, mark::HIDDEN) && !hidden => left_out.hidden += 1,
        Kind::File if tree.size(id) == 0 => left_out.empty += 1,
        Kind::File => return true,
        Kind::Link | Kind::Other => left_out.links += 1,
    }
    false
}
