//! `nine compare`: what of one place is nowhere in others by content.

mod listing;
mod plan;
mod print;

use std::collections::HashSet;
use std::path::PathBuf;

use nine_core::config::Config;
use nine_core::copies::{Across, Meet, Member, Side, across};
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::tree::{NodeId, Tree, mark};
use nine_stores::Places;

use crate::cli::CompareArgs;
use crate::error::{Done, Failure, Kind as FailureKind};
use crate::location::real;
use crate::looking::{Ground, How, Looking, Question, all_grounds, all_rows, grounds_of, name_outsiders};
use crate::session::{Opened, Session};
use crate::{conditions, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CompareArgs, session: &Session) -> Done {
    let acts = args.discard_found || args.put_missing.is_some();
    args.show.expect_action(acts, "--discard-found or --put-missing")?;
    let loaded = session.load()?;
    let config = &loaded.config;
    recovery::before_reading(session, config);
    let condition = conditions::read(config, &args.condition, &[])?;
    let opened = session.open(config);
    if let Some(file) = &args.listing {
        let listed = listing::read(session, file)?;
        let (mut looking, _) = look(args, session, config, &opened, &[])?;
        let rows = rows_of_a(&mut looking, condition.as_ref())?;
        return listing::run(args, session, config, looking, &rows, &listed);
    }
    let (mut looking, places) = look(args, session, config, &opened, &args.b)?;
    let rows = rows_of_a(&mut looking, condition.as_ref())?;
    let sides = Sides::of(args, &looking, &rows);
    looking.compare(|_, member| sides.side(member), Meet::Across, HashSet::new());
    looking.keep();
    let across = across(&looking.trees(), &sides.asked, &sides.beside);
    let compared = Compared { args, session, config, looking: &looking, sides: &sides, across };
    if args.discard_found {
        return compared.discard_found(&opened, &places);
    }
    if let Some(on) = &args.put_missing {
        return compared.put_missing(on, &opened, &places);
    }
    compared.print()?;
    if looking.troubles > 0 { Err(Failure::new(FailureKind::Partly, "")) } else { Ok(()) }
}

/// What came of it, and how it is to be told.
struct Compared<'a> {
    args: &'a CompareArgs,
    session: &'a Session,
    config: &'a Config,
    looking: &'a Looking<'a>,
    sides: &'a Sides,
    across: Across,
}

/// Reads A, which is the first view, and the others.
fn look<'s>(
    args: &CompareArgs,
    session: &'s Session,
    config: &Config,
    opened: &Opened,
    others: &[PathBuf],
) -> Done<(Looking<'s>, Places)> {
    let typed: Vec<PathBuf> = std::iter::once(&args.a).chain(others).cloned().collect();
    let mut grounds = grounds_of(session, config, opened, &typed, false)?;
    if let Some(gone) = grounds.iter().find(|ground| ground.store.is_none()) {
        return Err(Failure::words(format!("{} cannot be reached", gone.base))
            .hint("both sides must be there; for one that is not, give a list of its files with --listing"));
    }
    if grounds[1..].iter().any(|other| real(&other.path) == real(&grounds[0].path)) {
        return Err(Failure::words("both are the same folder").hint("give two places: nine compare A B"));
    }
    let mut seen = HashSet::new();
    grounds.retain(|ground: &Ground| seen.insert(real(&ground.path)));
    let places = name_outsiders(&mut grounds, opened);
    let mut looking = Looking::look(session, grounds, &How::Now)?;
    looking.set_beside(all_grounds(session, config, opened));
    if looking.views.len() < seen.len() || looking.views.iter().any(|view| view.is_known) {
        return Err(Failure::new(FailureKind::Partly, "nothing is compared, since a side could not be read"));
    }
    Ok((looking, places))
}

/// The rows of A that are asked about, as far as a condition says so.
fn rows_of_a(
    looking: &mut Looking,
    condition: Option<&nine_core::condition::Condition>,
) -> Done<Option<Rows>> {
    let Some(condition) = condition else { return Ok(None) };
    let all = all_rows(&looking.views[0].tree);
    looking.find(0, Question { condition, inside: false, reads_text: false }, &all).map(Some)
}

/// Which files are held against which.
struct Sides {
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
#[derive(Default)]
struct LeftOut {
    empty: u64,
    links: u64,
    hidden: u64,
}

impl Sides {
    fn of(args: &CompareArgs, looking: &Looking, rows: &Option<Rows>) -> Self {
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
                if let Some(folder) = inside(looking, view, &other.ground.path) {
                    tree.inside(folder).for_each(|id| inner.add(id.row()));
                }
            }
            let is_a = view == 0;
            let asks = is_a != args.reverse;
            let (mut asked, mut beside) = (Rows::none(tree.rows()), Rows::none(tree.rows()));
            for id in tree.ids() {
                if is_a && rows.as_ref().is_some_and(|rows| !rows.has(id.row())) || inner.has(id.row()) {
                    continue;
                }
                if !is_compared(tree, id, args.hidden, asks.then_some(&mut sides.left_out)) {
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

/// The folder at a path in a view, where it lies there.
fn inside(looking: &Looking, view: usize, path: &std::path::Path) -> Option<NodeId> {
    let view = &looking.views[view];
    let path = real(path);
    let below = path.strip_prefix(real(&view.ground.path)).ok()?;
    let below = nine_core::place::ItemPath::new(below.as_os_str().as_encoded_bytes())?;
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
