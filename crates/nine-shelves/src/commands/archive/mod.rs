//! `nine archive`: stale items into the dated archive, and the archive itself.

mod list;
mod pack;
mod verify;

use std::collections::HashSet;

use nine_core::archive::Archive;
use nine_core::config::{Config, usual_settle};
use nine_core::diagnostic::{any_of, nearest};
use nine_core::escape::{escape, plain};
use nine_core::item::{Identity, Kind};
use nine_core::place::Spot;
use nine_core::plan::archive::{Archived, Target, selected};
use nine_core::plan::{Left, Proposal};
use nine_stores::{Places, in_use};

use super::put::{is_place, listed};
use super::tidy::{print_left_of, tell_closed};
use crate::archive::{self, Dated};
use crate::cli::{ArchiveArgs, ArchiveCommand};
use crate::error::{Done, Failure};
use crate::output::style::{DOUBT, FAINT};
use crate::pipeline::{Planned, show_ask_carry};
use crate::rules_at_work::AtWork;
use crate::session::{Opened, Session};
use crate::whereabouts::NO_PLACE;
use crate::{layout, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &ArchiveArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let opened = session.open(&loaded.config);
    match &args.command {
        Some(ArchiveCommand::List { format }) => list::run(*format, session, &opened),
        Some(ArchiveCommand::Verify { dates, format }) => verify::run(dates, *format, session, &opened),
        Some(ArchiveCommand::Pack { date, form, show }) => {
            recovery::before_changing(session, &loaded.config)?;
            pack::run(date, (*form).into(), show, session, &opened)
        }
        None => file(args, session, &loaded.config, &opened),
    }
}

/// Moves what is stale, or what was selected.
fn file(args: &ArchiveArgs, session: &Session, config: &Config, opened: &Opened) -> Done {
    let layouts = layout::layouts(config, opened);
    let target = target(config, &layouts, session)?;
    let (found, places, troubles) = if args.selection.is_empty() {
        recovery::before_changing(session, config)?;
        let piles: Vec<_> = config.piles.iter().collect();
        let closed = tell_closed(session, opened, &piles)?;
        let mut at_work = AtWork::look(session, config, opened, &piles)?;
        let stale = at_work.stale(&target)?;
        (stale, opened.places.clone(), closed + at_work.looking.troubles)
    } else {
        let chosen = args.selection.select(session, config, opened)?;
        expect_at_home(session, config, opened, &chosen.items)?;
        let open = in_use();
        let why_left = |item: &Proposal| why_left(session, config, &open, &chosen.places, item);
        let found = selected(chosen.items, &target, &why_left, &|folder| listed(&chosen.places, folder));
        (found, chosen.places, chosen.troubles)
    };
    let Archived { proposals, left, named, looked_at } = found;
    let folders = proposals.iter().filter_map(|proposal| proposal.folder.as_ref());
    let dated: HashSet<_> = folders.map(|folder| target.dated(folder)).collect();
    let planned = Planned {
        troubles,
        dated: dated.into_iter().collect(),
        name_places: config.bookcases.len() > 1,
        ..Planned::new("nine archive".into(), proposals, &places)
    };
    show_ask_carry(session, opened, planned, &args.show, |_, out| {
        for (spot, why) in &named {
            writeln!(out, "{DOUBT}left:{DOUBT:#} {}  {}", session.look.text(&spot.to_string()), why.words())?;
        }
        print_left_of(&left, looked_at, out)?;
        writeln!(
            out,
            "{FAINT}archived items are still found by nine search; nine retrieve brings them back{FAINT:#}"
        )
    })
}

/// Where the archive is.
fn target<'a>(
    config: &'a Config,
    layouts: &[nine_core::layout::Layout],
    session: &'a Session,
) -> Done<Target<'a>> {
    let archive: &Archive = config.archive.as_ref().ok_or_else(|| {
        Failure::words("there is no archive").hint(
            "call a shelf `Archive`, or say where it is: [archive] when = \"idle over 180d\", put = \"9/{today}/{pile}\"",
        )
    })?;
    let bookcase = config.bookcase(archive.put.bookcase.as_deref());
    let bookcase = bookcase.map(|bookcase| bookcase.name.as_str()).unwrap_or_default();
    Target::find(archive, bookcase, layouts, &session.now).ok_or_else(|| {
        Failure::words(format!("several folders of {bookcase} have the number {}", archive.put.shelf))
            .hint("rename all but one; nine shelves shows them")
    })
}

/// What lies in no place could not be brought back to where it was, and places themselves stay.
fn expect_at_home(session: &Session, config: &Config, opened: &Opened, items: &[Proposal]) -> Done {
    for item in items {
        let spot = &item.item;
        if spot.place.starts_with(NO_PLACE) && opened.store(&spot.place).is_none() {
            let name = escape(spot.path.name());
            return Err(Failure::words(format!("`{name}` lies in no pile and no bookcase"))
                .hint("write its folder into shelves.toml first, so that it can be brought back there"));
        }
        if is_place(session, config, opened, spot) {
            return Err(Failure::words(format!("{spot} is a place of its own, or a shelf"))
                .hint("archive what lies in it"));
        }
    }
    Ok(())
}

/// Why a selected item is left: it changed just now, or is open in a program.
fn why_left(
    session: &Session,
    config: &Config,
    open: &HashSet<Identity>,
    places: &Places,
    item: &Proposal,
) -> Option<Left> {
    let settle = config.pile(&item.item.place).map_or(usual_settle(), |pile| pile.settle);
    let changed = item.modified;
    if changed > session.now.before(settle) && changed <= session.now.moment() {
        return Some(Left::Settling);
    }
    let is_open = open.contains(&item.stamp.identity) || holds_open(places, &item.item, item.kind, open);
    is_open.then_some(Left::InUse)
}

/// Whether a program has something open that lies in a folder. What cannot be read is not known to be.
fn holds_open(places: &Places, item: &Spot, kind: Kind, open: &HashSet<Identity>) -> bool {
    let mut folders = if kind == Kind::Folder && !open.is_empty() { vec![item.clone()] } else { Vec::new() };
    while let Some(folder) = folders.pop() {
        for (name, entry) in listed(places, &folder) {
            match entry.kind {
                Kind::Folder => folders.push(Spot::new(folder.place.clone(), folder.path.join(name))),
                _ if open.contains(&entry.identity) => return true,
                _ => {}
            }
        }
    }
    false
}

/// The dated folder of this name.
///
/// # Errors
/// If there is none, or several.
fn dated_called<'d>(all: &'d [Dated], name: &str, session: &Session) -> Done<&'d Dated> {
    let bytes = name.as_bytes();
    let is_meant = |dated: &&Dated| dated.name() == bytes || dated.at.path.name() == bytes;
    let mut meant = all.iter().filter(is_meant);
    match (meant.next(), meant.next()) {
        (Some(one), None) => Ok(one),
        (Some(one), Some(other)) => {
            let (a, b) = (escape(one.at.path.name()), escape(other.at.path.name()));
            Err(Failure::words(format!("`{}` is both {} and {}", plain(name), one.at, other.at))
                .hint(format!("say `{a}` or `{b}`")))
        }
        (None, _) => {
            let names: Vec<String> = all.iter().map(|dated| escape(&dated.name())).collect();
            let known = || names.iter().map(String::as_str);
            let none = Failure::words(format!("the archive has no `{}`", session.look.text(&plain(name))));
            Err(match nearest(name, known()) {
                Some(near) => none.hint(format!("did you mean `{near}`?")),
                None if names.is_empty() => none.hint("nothing has been archived yet"),
                None => none.hint(format!("it has {}", any_of(known()))),
            })
        }
    }
}

/// The dated folders that were named, or all.
fn chosen<'d>(all: &'d [Dated], names: &[String], session: &Session) -> Done<Vec<&'d Dated>> {
    if names.is_empty() {
        return Ok(all.iter().collect());
    }
    names.iter().map(|name| dated_called(all, name, session)).collect()
}

/// The dated folders of the archive.
fn all_dated(opened: &Opened) -> Vec<Dated> {
    archive::dated(opened)
}
