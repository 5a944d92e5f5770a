//! The bookcases as they stand, with what a worklist adds.

use std::collections::{BTreeMap, HashSet};
use std::io::{self, Write};

use nine_core::config::Config;
use nine_core::layout::{Layout, Shelf};
use nine_core::place::{ItemPath, Spot};
use nine_core::tree::{NodeId, Tree};
use nine_core::worklist::Act;
use nine_stores::{Scope, Store};

use crate::layout::layouts;
use crate::output::Look;
use crate::output::bookcase::{Row, Spine, print as print_rows};
use crate::output::style::STRONG;
use crate::pipeline::Drawn;
use crate::progress;
use crate::session::{Opened, Session};

/// How many files come to each folder on a shelf; the empty name is the shelf itself.
type Added = BTreeMap<Vec<u8>, u64>;

/// Prints every bookcase that the worklist adds to.
pub fn print(
    session: &Session,
    config: &Config,
    opened: &Opened,
    layouts: &[Layout],
    drawn: &Drawn,
    out: &mut dyn Write,
) -> io::Result<()> {
    let name = config.bookcases.len() > 1;
    for layout in layouts {
        let to_here = |at: &usize| match &drawn.settled.worklist.steps[*at].act {
            Act::Move { to } | Act::Copy { to } if to.place == layout.bookcase => Some(to),
            _ => None,
        };
        let targets: Vec<&Spot> = drawn.checked.order.iter().filter_map(to_here).collect();
        if !targets.is_empty() {
            print_one(session, opened, layout, &targets, name, out)?;
        }
    }
    Ok(())
}

/// Prints every bookcase as it stands.
pub fn print_as_they_stand(
    session: &Session,
    config: &Config,
    opened: &Opened,
    out: &mut dyn Write,
) -> io::Result<()> {
    for layout in layouts(config, opened) {
        print_one(session, opened, &layout, &[], true, out)?;
    }
    Ok(())
}

fn print_one(
    session: &Session,
    opened: &Opened,
    layout: &Layout,
    targets: &[&Spot],
    name: bool,
    mut out: &mut dyn Write,
) -> io::Result<()> {
    let Some(store) = opened.store(&layout.bookcase) else { return Ok(()) };
    let label = format!("reading {}", layout.bookcase);
    let scope = Scope { closed: loose_folders(store.as_ref(), layout), known: None };
    let scan = progress::during(&label, None, &session.watch, || store.scan(&scope, &session.watch));
    let Ok(scan) = scan else { return Ok(()) };
    let rows: Vec<Row> = layout
        .shelves
        .iter()
        .filter_map(|shelf| row(&scan.tree, &layout.spot(shelf.number)?, targets))
        .collect();
    if name {
        writeln!(out, "{STRONG}{}{STRONG:#}", layout.bookcase)?;
    }
    print_rows(&mut out, &session.look, &rows)?;
    writeln!(out)
}

/// Prints the shelves of a bookcase that was read, with a note behind each.
///
/// # Errors
/// If it cannot be printed.
pub fn print_shelves(
    tree: &Tree,
    layout: &Layout,
    look: &Look,
    note: &dyn Fn(NodeId) -> String,
    mut out: &mut dyn Write,
) -> io::Result<()> {
    let of = |shelf: &Shelf| {
        let spot = layout.spot(shelf.number)?;
        let note = tree.find(&spot.path).map(note).unwrap_or_default();
        Some(Row { note, ..row(tree, &spot, &[])? })
    };
    print_rows(&mut out, look, &layout.shelves.iter().filter_map(of).collect::<Vec<_>>())
}

/// Folders beside the shelves, which the picture does not show and so need not be read.
fn loose_folders(store: &dyn Store, layout: &Layout) -> HashSet<ItemPath> {
    let shelves: HashSet<ItemPath> =
        layout.shelves.iter().filter_map(|shelf| Some(layout.spot(shelf.number)?.path)).collect();
    let listed = store.list(&ItemPath::root()).unwrap_or_default();
    let folders = listed.into_iter().map(|(name, _)| ItemPath::root().join(name));
    folders.filter(|path| !shelves.contains(path)).collect()
}

fn row(tree: &Tree, shelf: &Spot, targets: &[&Spot]) -> Option<Row> {
    let mut added = Added::new();
    for target in targets.iter().filter(|target| target.is_inside(shelf)) {
        let mut below = target.path.parts().skip(shelf.path.depth());
        let first = below.next()?.to_vec();
        let folder = if below.next().is_some() { first } else { Vec::new() };
        *added.entry(folder).or_default() += 1;
    }
    let found = tree.find(&shelf.path);
    let mut row = Row { name: shelf.path.to_text(), ..Row::default() };
    if let Some(id) = found {
        row.bytes = tree.totals(id).size;
        let loose = tree.children(id).filter(|child| !tree.is_folder(*child)).count() as u64;
        row.spines.push(Spine { items: loose, added: added.remove(&Vec::new()).unwrap_or(0) });
        for folder in tree.children(id).filter(|child| tree.is_folder(*child)) {
            let added = added.remove(tree.name(folder)).unwrap_or(0);
            row.spines.push(Spine { items: tree.totals(folder).items, added });
        }
    }
    row.spines.extend(added.into_values().map(|added| Spine { items: 0, added }));
    Some(row)
}
