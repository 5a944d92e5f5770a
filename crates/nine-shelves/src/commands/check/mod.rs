//! `nine check`: is the configuration sound, are the places reachable, and what can the drives do.

mod drives;

use std::collections::BTreeMap;
use std::io::Write;

use nine_core::amount::{counted, readable};
use nine_core::escape::escape;
use nine_core::facet::Facets;
use nine_core::layout::{Layout, ShelfFolder};
use nine_core::place::ItemPath;
use nine_stores::StoreError;
use nine_stores::drive::Conduct;
use serde::Serialize;

use crate::cli::{CheckArgs, PlainFormat};
use crate::error::{Done, Failure, Kind};
use crate::output::style::{DOUBT, FAINT, PLAIN, REFUSED, STRONG};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, records};
use crate::session::{Opened, Session};
use crate::{layout, reader, recovery};
use drives::Tried;

/// A place, and what is found there.
#[derive(Serialize)]
struct PlaceRecord {
    place: String,
    kind: &'static str,
    at: String,
    reachable: bool,
    writable: bool,
    free: Option<u64>,
    /// What is not as it should be.
    note: String,
    /// How the drive behaves that it is on.
    #[serde(skip_serializing_if = "Option::is_none")]
    conduct: Option<Conduct>,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CheckArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::before_reading(session, &loaded.config);
    let config = &loaded.config;
    let opened = session.open(config);
    let piles = config.piles.iter().map(|pile| (&pile.name, "pile", &pile.at));
    let bookcases = config.bookcases.iter().map(|case| (&case.name, "bookcase", &case.at));
    let mut found: Vec<PlaceRecord> =
        piles.chain(bookcases).map(|(name, kind, at)| look(session, &opened, name, kind, at)).collect();
    let tried = try_drives(&opened, &mut found);
    let layouts = layout::layouts(config, &opened);
    if args.format == PlainFormat::Table {
        let mut out = output::out();
        let file = session.shown(&session.config_file);
        if loaded.exists {
            let rules = counted(config.rules.len() as u64, "rule", "rules");
            let own = config.searches.iter().filter(|search| !search.starter).count() as u64;
            let searches = counted(own, "saved search", "saved searches");
            writeln!(out, "{STRONG}{file}{STRONG:#}  {FAINT}sound, {rules}, {searches}{FAINT:#}\n")?;
        } else {
            writeln!(out, "There is no {STRONG}{file}{STRONG:#}; the usual piles stand in.\n")?;
        }
        print_places(&mut out, session, &found)?;
        for tried in tried.values().flatten() {
            drives::print(&mut out, session, tried)?;
        }
        print_facets(&mut out, session, &config.facets)?;
        for layout in &layouts {
            print_shelves(&mut out, session, layout)?;
        }
        if let (Some(archive), Some(shelf)) = (&config.archive, opened.archive.first()) {
            let when = session.look.text(&archive.when.to_string());
            writeln!(out, "\n{STRONG}archive{STRONG:#}\n  {shelf}  {FAINT}for what is `{when}`{FAINT:#}")?;
        }
        if !reader::is_confined_by_kernel() {
            writeln!(
                out,
                "\n{DOUBT}This kernel has no Landlock{DOUBT:#}, so the process that reads the words inside files \
                 can open nothing more, but is not kept from it twice."
            )?;
        }
        out.flush()?;
    } else {
        records::print(found.iter(), args.format)?;
    }
    let bad = found.iter().filter(|place| !place.reachable || !place.writable).count();
    if bad == 0 {
        return Ok(());
    }
    let places = counted(bad as u64, "place", "places");
    Err(Failure::new(Kind::Partly, format!("{places} cannot be used"))
        .hint(format!("make the folder, or mend `at` in {}", session.shown(&session.config_file))))
}

/// Tries each drive once; a place on one that cannot be changed is marked.
fn try_drives(opened: &Opened, found: &mut [PlaceRecord]) -> BTreeMap<String, Option<Tried>> {
    let mut tried: BTreeMap<String, Option<Tried>> = BTreeMap::new();
    for place in found.iter_mut().filter(|place| place.reachable) {
        let Some(store) = opened.store(&place.place).filter(|store| store.is_remote()) else { continue };
        let origin = store.address().split('/').take(3).collect::<Vec<_>>().join("/");
        let of_drive = tried.entry(origin).or_insert_with(|| match drives::try_out(&**store) {
            Some(Ok(tried)) => Some(tried),
            Some(Err(error)) => {
                place.note = error.to_string();
                None
            }
            None => None,
        });
        place.conduct = of_drive.as_ref().map(|tried| tried.conduct.clone());
        place.writable = place.conduct.as_ref().is_some_and(|conduct| conduct.careless.is_none());
        if let Some(careless) = place.conduct.as_ref().and_then(|conduct| conduct.careless.as_ref()) {
            place.note = format!("it {careless}");
        } else if place.conduct.is_none() && place.note.is_empty() {
            place.note = "it cannot be changed".into();
        }
    }
    tried
}

/// The facets, with how many answers each has and the first of them.
fn print_facets(out: &mut impl Write, session: &Session, facets: &Facets) -> std::io::Result<()> {
    if facets.names().next().is_none() {
        return Ok(());
    }
    let mut table = Table::new(&[Column::Left, Column::Left, Column::Shortened]).indented(2);
    for facet in facets.iter() {
        let listed = facet.listed();
        let (many, example) = match listed.is_empty() {
            true => ("years".to_owned(), format!("such as {}", facet.example())),
            false => (counted(listed.len() as u64, "answer", "answers"), listed.join(", ")),
        };
        let example = session.look.text(&nine_core::escape::plain(&example));
        table.line(vec![styled(&facet.name, STRONG), cell(many), styled(example, FAINT)]);
    }
    writeln!(out, "\n{STRONG}facets{STRONG:#}")?;
    table.print(out, &session.look)
}

fn look(session: &Session, opened: &Opened, name: &str, kind: &'static str, at: &str) -> PlaceRecord {
    let at = session.shown(&session.expand(at));
    let mut record = PlaceRecord {
        place: name.to_owned(),
        kind,
        at,
        reachable: false,
        writable: false,
        free: None,
        note: String::new(),
        conduct: None,
    };
    if let Some((_, _, error)) = opened.closed.iter().find(|(closed, ..)| closed == name) {
        record.note = match error {
            StoreError::NotThere => "there is no such folder".into(),
            StoreError::NotAFolder => "this is a file, not a folder".into(),
            other => other.to_string(),
        };
        return record;
    }
    match opened.store(name).map(|store| store.ground(&ItemPath::root())) {
        Some(Ok(ground)) => {
            (record.reachable, record.writable, record.free) = (true, ground.writable, ground.free);
            if !ground.writable {
                record.note = "no right to change it".into();
            } else if ground.rules.folds {
                record.note = "names that differ in letter case only are one name here".into();
            }
        }
        Some(Err(StoreError::Unreachable(why))) => record.note = format!("cannot be reached: {why}"),
        Some(Err(error)) => record.note = error.to_string(),
        None => {}
    }
    record
}

fn print_places(out: &mut impl Write, session: &Session, found: &[PlaceRecord]) -> std::io::Result<()> {
    let mut table = Table::new(&[
        Column::Left,
        Column::Left,
        Column::Left,
        Column::Shortened,
        Column::Right,
        Column::Left,
    ]);
    for place in found {
        let usable = place.reachable && place.writable;
        let mark = if usable { styled("ok", PLAIN) } else { styled("x", REFUSED) };
        let free = place.free.map_or(String::new(), |free| format!("{} free", readable(free)));
        let note = styled(session.look.text(&place.note), if usable { DOUBT } else { REFUSED });
        table.line(vec![
            mark,
            styled(&place.place, STRONG),
            styled(place.kind, FAINT),
            cell(session.look.text(&place.at)),
            styled(free, FAINT),
            note,
        ]);
    }
    table.print(out, &session.look)
}

fn print_shelves(out: &mut impl Write, session: &Session, layout: &Layout) -> std::io::Result<()> {
    writeln!(out, "\n{STRONG}{}{STRONG:#}", layout.bookcase)?;
    let mut table = Table::new(&[Column::Left, Column::Left]).indented(2);
    for shelf in &layout.shelves {
        let name = session.look.name(&shelf.wanted());
        let note = match shelf.folder() {
            ShelfFolder::There(_) => styled("", PLAIN),
            ShelfFolder::Missing(_) => styled("not there yet; made when something is put on it", FAINT),
            ShelfFolder::Renamed(is) => styled(
                format!("found by its number: the folder is called `{}`", session.look.name(&is)),
                DOUBT,
            ),
            ShelfFolder::Ambiguous => {
                let names: Vec<String> =
                    shelf.found.iter().map(|name| format!("`{}`", escape(name))).collect();
                styled(
                    format!("x several folders have this number: {}; rename all but one", names.join(", ")),
                    REFUSED,
                )
            }
        };
        table.line(vec![cell(name), note]);
    }
    table.print(out, &session.look)
}
