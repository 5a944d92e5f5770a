//! `nine shelves`: the bookcases as they stand, and what is wrong with them.

use std::io::Write;

use clap::{Args, Subcommand};
use nine_core::amount::{count, counted, readable};
use nine_core::flaws::{Flaw, FlawKind};
use nine_core::place::{ItemPath, Spot};
use nine_core::shelving::Shelving;
use nine_core::tree::{NodeId, Tree};
use nine_engine::Workspace;
use nine_engine::plan::Plan;
use nine_engine::shelves::{
    BookcasePicture, BookcaseState, Mending, NewMark, ShelfRow, Shelves, depths, favourites, flaw_words,
    look, make, mark, pictures, pictures_with, rename, renumber,
};
use serde::Serialize;

use crate::args::{ColorWord, PlainFormat, SHOWN, ShowArgs, color_word};
use crate::failure::{Done, unless};
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::{self, Look, bookcase, records};
use crate::preview::Preview;
use crate::session::Session;

/// How many lines of a kind are shown where not all are asked for.
const LINES: usize = 8;

#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_long_help = "Examples:\n  nine shelves                  all bookcases: counts, depth, what is wrong and what mends it\n  nine shelves home --all       every line about one of them\n  nine shelves --format json    one object a shelf, and one for each thing that is wrong\n  nine shelves make             the folders that are not there yet\n  nine shelves rename 3 Funding\n  nine shelves move 7 2         shelf 7 becomes 2; those between step aside, and rules follow\n  nine shelves mark 2 ⚓ --color blue\n  nine shelves favourites       into the side bars of file dialogs; --drop takes them out"
)]
pub struct ShelvesArgs {
    #[command(subcommand)]
    pub change: Option<ShelvesCommand>,
    /// The bookcases; all, if left out
    #[arg(value_name = "BOOKCASE")]
    pub bookcases: Vec<String>,
    /// Show every line, however many
    #[arg(long, help_heading = SHOWN)]
    pub all: bool,
    /// As table, csv or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: PlainFormat,
}

impl ShelvesArgs {
    /// Whether nothing is changed.
    pub fn only_prints(&self) -> bool {
        self.change.is_none()
    }
}

/// What is changed of shelves
#[derive(Debug, Subcommand)]
pub enum ShelvesCommand {
    /// Make the folders of bookcases and shelves that are not there yet
    Make {
        /// The bookcases; all, if left out
        #[arg(value_name = "BOOKCASE")]
        bookcases: Vec<String>,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Give a shelf another title, with its folder
    Rename {
        /// Its number or title, as in 3, Grants or home/3
        #[arg(value_name = "SHELF")]
        shelf: String,
        /// The new title, without a number
        title: String,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Give a shelf another number
    ///
    /// Those between step aside, and rules follow.
    Move {
        /// Its number or title, as in 7, Later or home/7
        #[arg(value_name = "SHELF")]
        shelf: String,
        /// The new number
        #[arg(value_parser = clap::value_parser!(u8).range(1..=9))]
        number: u8,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Put shelves and displays into the side bars of file dialogs
    Favourites {
        /// Take them out
        #[arg(long)]
        drop: bool,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Give a shelf a mark and a colour to tell it apart
    Mark {
        /// Its number or title, as in 2, Loans or home/2
        #[arg(value_name = "SHELF")]
        shelf: String,
        /// A sign, such as ⚓
        #[arg(required_unless_present_any = ["color", "drop"])]
        mark: Option<String>,
        /// Its colour
        #[arg(long, value_name = "COLOR", value_parser = color_word)]
        color: Option<ColorWord>,
        /// Take mark and colour away
        #[arg(long, conflicts_with_all = ["mark", "color"])]
        drop: bool,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// Changes something of shelves.
fn change(command: ShelvesCommand, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let (plan, show) = match command {
        ShelvesCommand::Make { bookcases, show } => (make(&workspace, &bookcases)?, show),
        ShelvesCommand::Rename { shelf, title, show } => (rename(&workspace, &shelf, &title)?, show),
        ShelvesCommand::Move { shelf, number, show } => (renumber(&workspace, &shelf, number)?, show),
        ShelvesCommand::Favourites { drop, show } => (favourites(&workspace, drop)?, show),
        ShelvesCommand::Mark { shelf, mark: sign, color, drop, show } => {
            let color = match color {
                Some(ColorWord::Of(color)) => Some(color),
                _ => None,
            };
            (mark(&workspace, &shelf, &NewMark { mark: sign, color, drop })?, show)
        }
    };
    if plan.settled.worklist.steps.is_empty() {
        writeln!(output::err(), "It is so already. Nothing has been changed.")?;
        return Ok(());
    }
    Preview::new(session, &workspace, &show).show_ask_carry(plan, |_, _| Ok(()))
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: ShelvesArgs, session: &Session) -> Done {
    if let Some(command) = args.change {
        return change(command, session);
    }
    let workspace = session.workspace()?;
    let shelves = look(&workspace, &args.bookcases)?;
    let shown = shelves.standing.iter().filter_map(|standing| Shown::of(standing, &shelves, &workspace));
    let shown: Vec<Shown> = shown.collect();
    let many = workspace.names_places();
    match args.format {
        PlainFormat::Table => shown.iter().try_for_each(|shown| shown.print(args.all, many, session))?,
        format => {
            let lines = shown.iter().flat_map(|shown| shown.records());
            records::print(lines.collect::<Vec<_>>().into_iter(), format)?;
        }
    }
    unless(shelves.looking.troubles)
}

/// Draws every bookcase as it stands.
///
/// # Errors
/// If it cannot be printed.
pub fn print_pictures(session: &Session, workspace: &Workspace, out: &mut dyn Write) -> std::io::Result<()> {
    pictures(workspace).iter().try_for_each(|picture| print_picture(session, picture, true, out))
}

/// Draws every bookcase that a plan adds to, with what it adds.
///
/// # Errors
/// If it cannot be printed.
pub fn print_pictures_with(
    session: &Session,
    workspace: &Workspace,
    plan: &Plan,
    out: &mut dyn Write,
) -> std::io::Result<()> {
    let named = workspace.names_places();
    pictures_with(workspace, plan).iter().try_for_each(|picture| print_picture(session, picture, named, out))
}

fn print_picture(
    session: &Session,
    picture: &BookcasePicture,
    named: bool,
    mut out: &mut dyn Write,
) -> std::io::Result<()> {
    if named {
        writeln!(out, "{STRONG}{}{STRONG:#}", picture.bookcase)?;
    }
    let rows: Vec<_> = picture.rows.iter().map(|row| (row, String::new())).collect();
    bookcase::print(&mut out, &session.look, &rows)?;
    writeln!(out)
}

/// A bookcase as it stands.
struct Shown<'a> {
    name: &'a str,
    shelving: &'a Shelving,
    tree: &'a Tree,
    flaws: &'a [Flaw],
    rows: Vec<(ShelfRow, Option<NodeId>)>,
    mending: Mending<'a>,
}

#[derive(Serialize)]
struct Record {
    bookcase: String,
    line: &'static str,
    wrong: &'static str,
    at: String,
    other: String,
    folders: u64,
    files: u64,
    bytes: u64,
    deepest: u64,
    mend: String,
}

impl<'a> Shown<'a> {
    fn of(standing: &'a BookcaseState, shelves: &'a Shelves, workspace: &'a Workspace) -> Option<Self> {
        let BookcaseState { name, shelving, view, flaws } = standing;
        let tree = &shelves.looking.views[*view].tree;
        let (mending, rows) = (Mending::of(workspace, standing)?, shelves.rows(standing));
        Some(Self { name, shelving, tree, flaws, rows, mending })
    }

    fn print(&self, all: bool, many: bool, session: &Session) -> Done {
        let mut out = output::out();
        if many {
            writeln!(out, "{STRONG}{}{STRONG:#}", self.name)?;
        }
        self.print_bookcase(&session.look, &mut out)?;
        for wrong in FlawKind::ALL {
            let found: Vec<&Flaw> = self.flaws.iter().filter(|flaw| flaw.wrong == wrong).collect();
            if found.is_empty() {
                continue;
            }
            writeln!(
                out,
                "\n{DOUBT}{}{DOUBT:#}  {FAINT}{}{FAINT:#}",
                wrong.words(),
                count(found.len() as u64)
            )?;
            let shown = if all || found.len() <= LINES + 2 { found.len() } else { LINES };
            for flaw in &found[..shown] {
                let (at, rest) = (session.look.text(&flaw.at.to_string()), flaw_words(flaw));
                writeln!(out, "  {STRONG}{at}{STRONG:#}  {FAINT}{}{FAINT:#}", session.look.text(&rest))?;
                writeln!(out, "      {}", session.look.text(&self.mending.command(flaw)))?;
            }
            if shown < found.len() {
                let more = counted((found.len() - shown) as u64, "more", "more");
                writeln!(out, "  {FAINT}{more}; --all shows them{FAINT:#}")?;
            }
        }
        let files = self.tree.totals(Tree::ROOT);
        let figures = format!("{}, {}", counted(files.items, "file", "files"), readable(files.size));
        let wrong = match self.flaws.len() as u64 {
            0 => "nothing is wrong".to_owned(),
            many => format!("{} to look at", counted(many, "thing", "things")),
        };
        writeln!(out, "\n{STRONG}{}: {figures}; {wrong}{STRONG:#}", self.name)?;
        Ok(out.flush()?)
    }

    fn print_bookcase(&self, look: &Look, out: &mut impl Write) -> std::io::Result<()> {
        let rows = self.rows.iter().map(|(row, id)| (row, id.map(|id| self.figures(id)).unwrap_or_default()));
        bookcase::print(out, look, &rows.collect::<Vec<_>>())
    }

    /// `12 folders, 3 deep`.
    fn figures(&self, shelf: nine_core::tree::NodeId) -> String {
        let (folders, deepest) = depths(self.tree, shelf);
        match folders {
            0 => String::new(),
            folders => format!("{}, {deepest} deep", counted(folders, "folder", "folders")),
        }
    }

    fn records(&self) -> Vec<Record> {
        let shelves = self.shelving.shelves.iter().filter_map(|shelf| {
            let spot = self.shelving.spot(shelf.number)?;
            let id = self.tree.find(&spot.path);
            let (folders, deepest) = id.map_or((0, 0), |id| depths(self.tree, id));
            let totals = id.map(|id| self.tree.totals(id));
            Some(Record {
                bookcase: self.name.to_owned(),
                line: "shelf",
                wrong: "",
                at: spot.to_string(),
                other: String::new(),
                folders,
                files: totals.map_or(0, |t| t.items),
                bytes: totals.map_or(0, |t| t.size),
                deepest,
                mend: String::new(),
            })
        });
        let wrong = self.flaws.iter().map(|flaw| {
            let totals = self.tree.find(&flaw.at).map(|id| self.tree.totals(id));
            Record {
                bookcase: self.name.to_owned(),
                line: "wrong",
                wrong: flaw.wrong.word(),
                at: self.spot(&flaw.at).to_string(),
                other: flaw.other.as_ref().map(|other| self.spot(other).to_string()).unwrap_or_default(),
                folders: 0,
                files: totals.map_or(0, |t| t.items),
                bytes: totals.map_or(0, |t| t.size),
                deepest: if flaw.wrong == FlawKind::Deep { flaw.count } else { 0 },
                mend: self.mending.command(flaw),
            }
        });
        shelves.chain(wrong).collect()
    }

    fn spot(&self, path: &ItemPath) -> Spot {
        Spot::new(self.name, path.clone())
    }
}
