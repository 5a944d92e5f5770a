//! `nine archive`: stale items into the dated archive, and the archive itself.

mod list;
mod verify;

use clap::{Args, Subcommand, ValueEnum};
use nine_engine::Workspace;
use nine_engine::archive::{self, Archived, Packed, pack};

use super::tidy::print_left;
use crate::args::{PlainFormat, SHOWN, SelectionArgs, ShowArgs};
use crate::failure::Done;
use crate::output::style::{DOUBT, FAINT};
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine archive                                what is stale by the condition in shelves.toml\n  nine archive ~/Shelves/'4 Exhibitions'/2029  a finished project\n  nine archive --where tag done               what a condition finds\n  nine archive list                           the dated folders\n  nine archive verify                         every byte against its checksum\n  nine archive pack 2031-04-07 --as zip       one file in place of the folder\n\nWhere things came from is kept as folders, and in contents.csv. What is archived is still found by nine search,\nand nine retrieve brings it back."
)]
#[command(args_conflicts_with_subcommands = true)]
pub struct ArchiveArgs {
    #[command(subcommand)]
    pub command: Option<ArchiveCommand>,
    #[command(flatten)]
    pub selection: SelectionArgs,
    #[command(flatten)]
    pub show: ShowArgs,
}

#[derive(Debug, Subcommand)]
pub enum ArchiveCommand {
    /// The dated folders and packs, with counts and bytes
    #[command(after_long_help = "Examples:\n  nine archive list\n  nine archive list --format json")]
    List {
        /// As table, csv or json
        #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
        format: PlainFormat,
    },
    /// Hold the archive against its checksums
    #[command(
        after_long_help = "Examples:\n  nine archive verify               all of it\n  nine archive verify 2031-04-07    one dated folder or pack\n\nThe exit status is 1 if anything is missing, changed or extra."
    )]
    Verify {
        /// The dated folders; all, if left out
        #[arg(value_name = "DATE")]
        dates: Vec<String>,
        /// As table, csv or json
        #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
        format: PlainFormat,
    },
    /// Make one file of a dated folder
    ///
    /// Its list stands beside it. The folder goes into the trash once the file was read back and compared.
    #[command(
        after_long_help = "Examples:\n  nine archive pack 2031-04-07 --as zip        opens everywhere\n  nine archive pack 2031-04-07 --as tar.zst    smaller; any name, all attributes"
    )]
    Pack {
        /// The dated folder
        #[arg(value_name = "DATE")]
        date: String,
        /// The form of the file
        #[arg(long = "as", value_name = "FORM", default_value = "zip")]
        form: FormWord,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// The form of a pack
#[derive(Debug, Clone, Copy, ValueEnum)]
pub enum FormWord {
    /// ZIP
    Zip,
    /// tar with Zstandard
    #[value(name = "tar.zst")]
    TarZst,
}

impl From<FormWord> for nine_core::archive::Form {
    fn from(word: FormWord) -> Self {
        match word {
            FormWord::Zip => Self::Zip,
            FormWord::TarZst => Self::TarZst,
        }
    }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: ArchiveArgs, session: &Session) -> Done {
    match args.command {
        Some(ArchiveCommand::List { format }) => list::run(format, session),
        Some(ArchiveCommand::Verify { dates, format }) => verify::run(&dates, format, session),
        Some(ArchiveCommand::Pack { date, form, show }) => pack_dated(&date, form, &show, session),
        None => file(&args, session),
    }
}

/// Moves what is stale, or what was selected.
fn file(args: &ArchiveArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(args, session, &workspace)?)
}

/// What it proposes where no other command of the archive is given.
///
/// # Errors
/// As the exit status has it.
pub fn plan<'a>(args: &ArchiveArgs, session: &'a Session, workspace: &Workspace) -> Done<PlanToShow<'a>> {
    let found = archive::plan(workspace, &args.selection.selection()?)?;
    let Archived { plan, named, left, looked_at } = found;
    Ok(PlanToShow::new(plan, move |_, out| {
        for (spot, why) in &named {
            writeln!(out, "{DOUBT}left:{DOUBT:#} {}  {}", session.look.text(&spot.to_string()), why.words())?;
        }
        print_left(&left, looked_at, out)?;
        writeln!(
            out,
            "{FAINT}archived items are still found by nine search; nine retrieve brings them back{FAINT:#}"
        )
    }))
}

/// Makes one file of a dated folder.
fn pack_dated(date: &str, form: FormWord, show: &ShowArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let Packed { plan } = pack(&workspace, date, form.into())?;
    let preview = Preview { names_places: false, ..Preview::new(session, &workspace, show) };
    preview.show_ask_carry(plan, |_, out| {
        writeln!(
            out,
            "{FAINT}the folder goes into the trash once the pack was read back and compared{FAINT:#}"
        )
    })
}
