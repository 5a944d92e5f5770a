//! What may be typed about the archive.

use clap::{Args, Subcommand, ValueEnum};

use super::put::ClashWord;
use super::{PlainFormat, SelectionArgs, ShowArgs};

/// Stale items, or a selection, into the dated archive
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine archive                                what is stale by the condition in shelves.toml\n  nine archive ~/Shelves/'4 Exhibitions'/2029  a finished project\n  nine archive --where tag done               what a condition finds\n  nine archive list                           the dated folders\n  nine archive verify                         every byte against its checksum\n  nine archive pack 2031-04-07 --as zip       one file in place of the folder\n\nWhere things came from is kept as folders, and in contents.csv. What is archived is still found by nine search,\nand nine retrieve brings it back."
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
    #[command(after_help = "Examples:\n  nine archive list\n  nine archive list --format json")]
    List {
        /// How to print them
        #[arg(long, default_value = "table")]
        format: PlainFormat,
    },
    /// Hold the archive against its checksums: what is missing, changed or extra
    #[command(
        after_help = "Examples:\n  nine archive verify               all of it\n  nine archive verify 2031-04-07    one dated folder or pack\n\nThe exit status is 1 if anything is missing, changed or extra."
    )]
    Verify {
        /// The dated folders; all, if left out
        #[arg(value_name = "DATE")]
        dates: Vec<String>,
        /// How to print what was found
        #[arg(long, default_value = "table")]
        format: PlainFormat,
    },
    /// Make one file of a dated folder, with its list beside it; the folder goes into the trash once the
    /// file was read back and compared
    #[command(
        after_help = "Examples:\n  nine archive pack 2031-04-07 --as zip        opens everywhere\n  nine archive pack 2031-04-07 --as tar.zst    smaller; any name, all attributes"
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

/// What was archived or swept, back to where it came from or onto a shelf
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine retrieve ~/Shelves/'9 Archive'/2031-04-07/downloads/plan.pdf\n  nine retrieve 'home/9 Archive/2031-04-07.zip/downloads/plan.pdf'   out of a pack, which stays as it is\n  nine retrieve --where name has sextant        whatever of it is archived or swept\n  nine retrieve --run 12                        all that run 12 moved\n  nine retrieve desktop/2031-04-07/letter.odt   what was swept goes back to the desktop\n  nine retrieve --where tag loans --on 2/Back   onto a shelf instead"
)]
pub struct RetrieveArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    /// All that a run moved away
    #[arg(long, value_name = "RUN", conflicts_with_all = ["paths", "condition", "saved"])]
    pub run: Option<u64>,
    /// Onto this shelf, and not to where it came from
    #[arg(long, value_name = "SHELF[/FOLDER]")]
    pub on: Option<String>,
    /// Make the folder although one that exists is called nearly the same
    #[arg(long, requires = "on")]
    pub new_folder: bool,
    /// What to do where a name is taken
    #[arg(long, value_name = "WHAT", default_value = "number")]
    pub clash: ClashWord,
    #[command(flatten)]
    pub show: ShowArgs,
}
