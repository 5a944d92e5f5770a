//! `nine check`: is the configuration sound, are the places reachable, and what can the drives do.

mod drives;

use std::io::Write;

use clap::Args;
use nine_core::amount::{counted, readable};
use nine_core::escape::escape;
use nine_core::facet::Facets;
use nine_core::shelving::{ShelfFolder, Shelving};
use nine_engine::Workspace;
use nine_engine::check::{CheckReport, OwnFiles, PlaceState, check};
use nine_stores::drive::Conduct;
use serde::Serialize;

use crate::args::{PlainFormat, SHOWN};
use crate::failure::{Done, Failure, FailureKind};
use crate::output::style::{DOUBT, FAINT, PLAIN, REFUSED, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, records};
use crate::reader;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine check                    read shelves.toml and look at every place\n  nine check --format json      one object a place"
)]
pub struct CheckArgs {
    /// As table, csv or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: PlainFormat,
}

/// A place, and what is found there, for programs.
#[derive(Serialize)]
struct PlaceRecord<'p> {
    place: &'p str,
    kind: &'static str,
    at: String,
    reachable: bool,
    writable: bool,
    free: Option<u64>,
    note: &'p str,
    #[serde(skip_serializing_if = "Option::is_none")]
    conduct: Option<&'p Conduct>,
}

fn record<'p>(place: &'p PlaceState, session: &Session) -> PlaceRecord<'p> {
    let PlaceState { name, at, reachable, writable, free, note, conduct, .. } = place;
    PlaceRecord {
        place: name,
        kind: kind(place),
        at: session.environment.shown_at(at),
        reachable: *reachable,
        writable: *writable,
        free: *free,
        note,
        conduct: conduct.as_ref(),
    }
}

fn kind(place: &PlaceState) -> &'static str {
    if place.is_pile { "pile" } else { "bookcase" }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: CheckArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let checked = check(&workspace)?;
    match args.format {
        PlainFormat::Table => print(&checked, &workspace, session)?,
        format => records::print(checked.places.iter().map(|place| record(place, session)), format)?,
    }
    let bad = checked.places.iter().filter(|place| !place.is_usable()).count();
    if bad == 0 {
        return Ok(());
    }
    let places = counted(bad as u64, "place", "places");
    let file = session.shown(&session.environment.config_file);
    let hint = match checked.places.iter().any(|place| place.is_away) {
        // A folder that is made there would be hidden once the disk is back.
        true => "connect the disk; if the place is on another disk now: nine place moved NAME".to_owned(),
        false => format!("make the folder (of a bookcase: nine shelves make), or mend `at` in {file}"),
    };
    Err(Failure::new(FailureKind::Partly, format!("{places} cannot be used")).hint(hint))
}

fn print(checked: &CheckReport, workspace: &Workspace, session: &Session) -> std::io::Result<()> {
    let mut out = output::out();
    let config = workspace.config();
    let file = session.shown(&session.environment.config_file);
    if workspace.loaded.exists {
        let rules = counted(config.rules.len() as u64, "rule", "rules");
        let own = config.searches.iter().filter(|search| !search.starter).count() as u64;
        let searches = counted(own, "saved search", "saved searches");
        writeln!(out, "{STRONG}{file}{STRONG:#}  {FAINT}sound, {rules}, {searches}{FAINT:#}\n")?;
    } else {
        writeln!(out, "There is no {STRONG}{file}{STRONG:#}; the usual piles stand in.\n")?;
    }
    print_places(&mut out, session, &checked.places)?;
    for tried in &checked.drives {
        drives::print(&mut out, session, tried)?;
    }
    print_facets(&mut out, session, &config.facets)?;
    for shelving in &workspace.shelvings() {
        print_shelves(&mut out, session, shelving)?;
    }
    if let (Some(archive), Some(shelf)) = (&config.archive, workspace.opened().archive.first()) {
        let when = session.look.text(&archive.when.to_string());
        writeln!(out, "\n{STRONG}archive{STRONG:#}\n  {shelf}  {FAINT}for what is `{when}`{FAINT:#}")?;
    }
    print_kept(&mut out, session, checked.kept)?;
    if !reader::is_confined_by_kernel() {
        writeln!(
            out,
            "\n{DOUBT}This kernel has no Landlock{DOUBT:#}, so the process that reads the words inside files \
             can open nothing more, but is not kept from it twice."
        )?;
    }
    out.flush()
}

/// What the program keeps of its own, and what of it may go.
fn print_kept(out: &mut impl Write, session: &Session, kept: OwnFiles) -> std::io::Result<()> {
    let data = session.shown(&session.environment.data);
    let runs = counted(kept.runs, "run", "runs");
    writeln!(out, "\n{STRONG}{data}{STRONG:#}")?;
    writeln!(
        out,
        "  daybook    {FAINT}{runs}, {}; undo and history live on it{FAINT:#}",
        readable(kept.daybook)
    )?;
    writeln!(out, "  catalogue  {FAINT}{}; may be deleted at any time{FAINT:#}", readable(kept.catalogue))?;
    writeln!(out, "  the rest   {FAINT}{}{FAINT:#}", readable(kept.rest))
}

/// The facets, with how many answers each has and the first of them.
fn print_facets(out: &mut impl Write, session: &Session, facets: &Facets) -> std::io::Result<()> {
    if facets.names().next().is_none() {
        return Ok(());
    }
    let mut table = Table::new(&[TableColumn::Left, TableColumn::Left, TableColumn::Shortened]).indented(2);
    for facet in facets.iter() {
        let listed = facet.listed();
        let many = counted(listed.len() as u64, "answer", "answers");
        let (many, example) = match (facet.is_listed(), facet.to_fill_in.as_slice()) {
            (false, _) => ("found".to_owned(), format!("such as {}", facet.example())),
            (true, []) => (many, listed.join(", ")),
            (true, to_fill_in) => {
                let to_fill_in = to_fill_in.join(", ");
                (many, format!("still to be filled in: {to_fill_in}; nine facet add {} ANSWER", facet.name))
            }
        };
        let example = session.look.text(&nine_core::escape::plain(&example));
        table.line(vec![styled(&facet.name, STRONG), cell(many), styled(example, FAINT)]);
    }
    writeln!(out, "\n{STRONG}facets{STRONG:#}")?;
    table.print(out, &session.look)
}

fn print_places(out: &mut impl Write, session: &Session, found: &[PlaceState]) -> std::io::Result<()> {
    let mut table = Table::new(&[
        TableColumn::Left,
        TableColumn::Left,
        TableColumn::Left,
        TableColumn::Shortened,
        TableColumn::Right,
        TableColumn::Left,
    ]);
    for place in found {
        let usable = place.is_usable();
        let mark = if usable { styled("ok", PLAIN) } else { styled("x", REFUSED) };
        let free = place.free.map_or(String::new(), |free| format!("{} free", readable(free)));
        let note = styled(session.look.text(&place.note), if usable { DOUBT } else { REFUSED });
        table.line(vec![
            mark,
            styled(&place.name, STRONG),
            styled(kind(place), FAINT),
            cell(session.look.text(&session.environment.shown_at(&place.at))),
            styled(free, FAINT),
            note,
        ]);
    }
    table.print(out, &session.look)
}

fn print_shelves(out: &mut impl Write, session: &Session, shelving: &Shelving) -> std::io::Result<()> {
    writeln!(out, "\n{STRONG}{}{STRONG:#}", shelving.bookcase)?;
    let mut table = Table::new(&[TableColumn::Left, TableColumn::Left]).indented(2);
    for shelf in &shelving.shelves {
        let name = session.look.name(&shelf.wanted);
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
