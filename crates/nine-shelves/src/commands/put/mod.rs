//! `nine put`: file by hand.

mod merge;
mod target;

use std::collections::HashSet;

use nine_core::config::Config;
use nine_core::escape::plain;
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::Siblings;
use nine_core::plan::put::{How, plan};
use nine_core::worklist::Act;
use nine_stores::Places;

use crate::cli::PutArgs;
use crate::error::{Done, Failure};
use crate::layout;
use crate::output::style::FAINT;
use crate::pipeline::{Drawn, Planned, show_ask_carry};
use crate::session::{Opened, Session};

pub(super) use target::Target;

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &PutArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let config = &loaded.config;
    let opened = session.open(config);
    // The target first: nothing need be looked for if there is none.
    let layouts = layout::layouts(config, &opened);
    let target = Target {
        on: &args.on,
        makes_new: args.new_folder,
        show: &args.show,
        config,
        opened: &opened,
        layouts: &layouts,
    };
    let folder = target.read()?;
    let selected = args.selection.select(session, config, &opened)?;
    if args.merge {
        return merge::run(args, session, config, &opened, selected, &folder);
    }
    let count = selected.items.len();
    let how = How {
        folder,
        keeps_folders: args.keep_folders,
        below: ItemPath::root(),
        copies: args.copy,
        clash: args.clash.into(),
    };
    let places = &selected.places;
    if let Some(place) = selected.items.iter().find(|item| is_place(session, config, &opened, &item.item)) {
        return Err(Failure::words(format!("{} is a place of its own, or a shelf", place.item))
            .hint("places are named in shelves.toml, and stay where they are"));
    }
    let proposals = plan(selected.items, &how, &|folder| listed(places, folder));
    let in_place = proposals.iter().filter(|proposal| !proposal.moves()).count();
    let planned = Planned {
        name_places: config.bookcases.len() > 1,
        troubles: selected.troubles,
        ..Planned::new(format!("nine put --on {}", plain(&args.on)), proposals, places)
    };
    show_ask_carry(session, &opened, planned, &args.show, |drawn, out| {
        for folder in new_folders(places, drawn) {
            writeln!(out, "New folder: {}", session.look.text(&folder.path.to_string()))?;
        }
        writeln!(out, "{FAINT}{count} selected; {in_place} there already{FAINT:#}")
    })
}

/// What lies in a folder; nothing where that cannot be read.
pub(super) fn listed(places: &Places, folder: &Spot) -> Siblings {
    places.of(folder).and_then(|store| store.list(&folder.path)).unwrap_or_default()
}

/// Whether something is a pile, a bookcase or a shelf.
pub(super) fn is_place(session: &Session, config: &Config, opened: &Opened, spot: &Spot) -> bool {
    spot.path.is_root()
        || layout::places_inside(session, config, opened, &spot.place).contains(&spot.path)
        || (config.bookcase(Some(&spot.place)).is_some()
            && spot.path.depth() == 1
            && nine_core::layout::shelf_number(spot.path.name()).is_some())
}

/// The folders that the steps lead to and that are not there yet, each with those above it.
pub(super) fn new_folders(places: &Places, drawn: &Drawn) -> Vec<Spot> {
    let (mut missing, mut seen) = (Vec::new(), HashSet::new());
    for step in drawn.steps() {
        let (Act::Move { to } | Act::Copy { to }) = step.act else { continue };
        let mut folder = to.folder();
        while !folder.path.is_root() && seen.insert(folder.clone()) {
            let entry = places.of(&folder).and_then(|store| store.entry(&folder.path));
            if !matches!(entry, Ok(None)) {
                break;
            }
            missing.push(folder.clone());
            folder = folder.folder();
        }
    }
    missing.sort();
    missing
}
