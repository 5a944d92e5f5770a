//! `nine setup`: from nothing to a working bookcase.

mod print;
mod questions;

use std::io::Write;
use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use nine_core::amount::counted;
use nine_core::config::Marks;
use nine_core::layout::{self, Layout};
use nine_core::paste;
use nine_engine::new_file::write_new;
use nine_engine::setup::{FoundPile, Request, Surroundings, look, plan, save_layout};
use nine_engine::{Error, Workspace};
use nine_stores::Location;

use self::questions::Answers;
use crate::args::{CARRIED, Format, PlainFormat, ShowArgs};
use crate::failure::{Done, Failure};
use crate::preview::Preview;
use crate::session::Session;
use crate::{ask, output};

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine setup                        asks five short questions, shows everything, and asks once\n  nine setup --list                 the layouts as trees\n  nine setup --layout clients --at ~/Shelves --yes\n                                    without a question\n  nine setup --at ~/Documents       takes over the numbered folders that stand there\n  nine setup --save-layout mine.toml\n                                    the shelves as they stand as a layout, to keep or hand on\n\nWhat is there is not moved. `nine undo` takes the folders and the configuration back."
)]
pub struct SetupArgs {
    /// Draw the layouts as trees
    #[arg(long, conflicts_with_all = ["at", "piles", "yes", "save_layout"], help_heading = "Layouts")]
    pub list: bool,
    /// One of those that --list shows, or a file
    #[arg(long, value_name = "NAME|FILE", help_heading = "Layouts")]
    pub layout: Option<String>,
    /// Where the bookcase stands or is to stand; also on a drive
    #[arg(long, value_name = "DIR")]
    pub at: Option<PathBuf>,
    /// A folder where things land, instead of desktop and downloads
    ///
    /// It may be given more than once.
    #[arg(long = "pile", value_name = "DIR")]
    pub piles: Vec<PathBuf>,
    /// Where marks stand: in the name, as an icon, or none
    #[arg(long, value_name = "WHERE", hide_possible_values = true)]
    pub marks: Option<MarksWord>,
    /// Leave out the starter rules
    #[arg(long)]
    pub no_rules: bool,
    /// Keep starter searches as folders of links
    #[arg(long)]
    pub displays: bool,
    /// Do it without asking
    #[arg(short, long, help_heading = CARRIED)]
    pub yes: bool,
    /// Write the shelves as they stand as a layout
    #[arg(long, value_name = "FILE", conflicts_with_all = ["layout", "at", "piles", "marks", "no_rules", "displays", "yes"], help_heading = "Layouts")]
    pub save_layout: Option<PathBuf>,
    /// The bookcase of which a layout is written; the first, if left out
    #[arg(
        long,
        value_name = "BOOKCASE",
        requires = "save_layout",
        hide_short_help = true,
        help_heading = "Layouts"
    )]
    pub of: Option<String>,
    /// How many folders deep, below a shelf, a layout is written
    #[arg(
        long,
        value_name = "NUMBER",
        default_value_t = 2,
        requires = "save_layout",
        hide_short_help = true,
        help_heading = "Layouts"
    )]
    pub depth: usize,
    /// With --list: as table, csv or json
    #[arg(
        long,
        default_value = "table",
        requires = "list",
        hide_short_help = true,
        hide_possible_values = true,
        help_heading = "Layouts"
    )]
    pub format: PlainFormat,
}

/// Where the marks of shelves stand
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum MarksWord {
    /// In the folder's name: 2 ⚓ Loans
    Name,
    /// As the folder's icon
    Icon,
    /// Only where nine shows them
    None,
}

impl From<MarksWord> for Marks {
    fn from(word: MarksWord) -> Self {
        match word {
            MarksWord::Name => Marks::Name,
            MarksWord::Icon => Marks::Icon,
            MarksWord::None => Marks::None,
        }
    }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: SetupArgs, session: &Session) -> Done {
    if args.list {
        let layouts = match &args.layout {
            Some(typed) => vec![named(typed)?],
            None => Layout::all().collect(),
        };
        return print::layouts(&layouts, args.format, session);
    }
    let workspace = session.workspace()?;
    if let Some(file) = &args.save_layout {
        return save(&args, file, &workspace, session);
    }
    let around = look(&workspace);
    let request = request(&args, &around, &workspace, session)?;
    let set_up = plan(&workspace, &request)?;
    print::set_up(&set_up, &request, session)?;
    if !set_up.plan.checked.refused.is_empty() {
        return Err(Failure::words("nothing was set up, since not all of it can be done")
            .hint("mend what is named above, or give another folder with --at"));
    }
    let show = ShowArgs { yes: args.yes, all: false, format: Format::Table, worklist: None, sure: false };
    Preview::new(session, &workspace, &show).ask_carry(set_up.plan, "Set it up?")?;
    if args.yes || ask::has_person() {
        writeln!(
            output::err(),
            "Next: `nine` says what is where, `nine tidy` shows what the rules would do."
        )?;
    }
    Ok(())
}

/// What was typed, and asked where a person is there to answer.
fn request(
    args: &SetupArgs,
    around: &Surroundings,
    workspace: &Workspace,
    session: &Session,
) -> Done<Request> {
    let given = Answers {
        piles: (!args.piles.is_empty()).then(|| typed_piles(&args.piles)).transpose()?,
        layout: args.layout.as_deref().map(named).transpose()?.map(Some),
        at: args.at.as_deref().map(location).transpose()?,
        marks: args.marks.map(Marks::from),
        rules: args.no_rules.then_some(false),
    };
    let asks = ask::has_person() && !args.yes;
    let answers = if asks { questions::ask(given, around, session)? } else { given };
    let at = answers.at.unwrap_or_else(|| usual_at(around, session));
    Ok(Request {
        layout: answers.layout.flatten(),
        at,
        piles: answers.piles.unwrap_or_else(|| around.piles.clone()),
        marks: answers.marks,
        rules: answers.rules.unwrap_or(true),
        displays: args.displays,
        heading: heading(workspace),
    })
}

/// The folder that is ordered already, or a new one.
fn usual_at(around: &Surroundings, session: &Session) -> Location {
    let ordered = around.numbered.first().map(|(at, _)| at.clone());
    ordered.unwrap_or_else(|| Location::Local(session.environment.home.join("Shelves")))
}

fn heading(workspace: &Workspace) -> String {
    let day = workspace.clock().strftime("%Y-%m-%d");
    match workspace.loaded.exists {
        true => format!("Added by `nine setup` on {day}."),
        false => format!(
            "Made by `nine setup` on {day}. It is yours to change: `nine check` reads it, `nine rule` and\n\
             `nine undo` change it without losing what you wrote."
        ),
    }
}

fn named(typed: &str) -> Done<Layout> {
    if let Some(layout) = Layout::ours(typed) {
        return Ok(layout);
    }
    let file = Path::new(typed);
    let is_file = typed.contains('/') || typed.ends_with(".toml");
    if !is_file && !file.exists() {
        let known = layout::names().map(str::to_owned).collect();
        let what = nine_engine::error::Named::Layout;
        return Err(Error::Unknown { what, word: typed.to_owned(), known }.into());
    }
    let text = std::fs::read_to_string(file)
        .map_err(|source| Error::ConfigUnreadable { file: file.to_owned(), source })?;
    let name = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    let read = Layout::parse(&name, &text);
    Ok(read.map_err(|findings| Error::Config { file: file.to_owned(), text, findings })?)
}

fn typed_piles(typed: &[PathBuf]) -> Done<Vec<FoundPile>> {
    let pile = |path: &PathBuf| {
        let at = location(path)?;
        let Some(folder) = at.local() else {
            return Ok(FoundPile { name: "drive".to_owned(), loose: 0, at });
        };
        if !folder.is_dir() {
            let shown = nine_core::escape::escape(folder.as_os_str().as_encoded_bytes());
            return Err(Failure::words(format!("{shown} is no folder")).hint("give folders that are there"));
        }
        Ok(FoundPile { name: pile_name(folder), loose: 0, at: at.clone() })
    };
    typed.iter().map(pile).collect()
}

/// A name for a pile, made of its folder's.
fn pile_name(at: &Path) -> String {
    let name = at.file_name().map(|name| name.to_string_lossy().to_lowercase()).unwrap_or_default();
    let plain: String = name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let plain = plain.trim_matches('-').to_owned();
    if plain.chars().count() > 1 { plain } else { "pile".to_owned() }
}

/// Where something is that was typed: a whole path, or an address.
fn location(path: &Path) -> Done<Location> {
    match Location::typed(path) {
        Ok(Location::Local(path)) => Ok(Location::Local(std::path::absolute(path)?.components().collect())),
        Ok(drive) => Ok(drive),
        Err(source) => Err(Error::BadAddress { typed: path.to_owned(), source }.into()),
    }
}

fn save(args: &SetupArgs, file: &Path, workspace: &Workspace, session: &Session) -> Done {
    let saved = save_layout(workspace, args.of.as_deref(), args.depth)?;
    write_new(file, saved.text.as_bytes())?;
    let mut err = output::err();
    let (folders, rules) = (saved.folders as u64, saved.rules as u64);
    writeln!(
        err,
        "{} written: {}, {}. No names of files are in it.",
        session.shown(file),
        counted(folders, "folder", "folders"),
        counted(rules, "rule", "rules"),
    )?;
    if !saved.facets.is_empty() {
        let facets = saved.facets.join(", ");
        writeln!(err, "The answers of its facets ({facets}) are: read them before you hand it on.")?;
    }
    writeln!(err, "It is used by: nine setup --layout {}", paste::path_or_escaped(file))?;
    Ok(())
}
