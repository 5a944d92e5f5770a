//! What may be typed.

mod archive;
mod copies;
mod look;
mod put;
mod tag;

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

use crate::error::{Done, Failure};

pub use archive::{ArchiveArgs, ArchiveCommand, RetrieveArgs};
pub use copies::{CompareArgs, CopiesArgs};
pub use look::{GROUPS, GroupBy, ItemColumn, SearchArgs, SortBy, SurveyArgs, YesNo};
pub use put::{CarryArgs, DiscardArgs, PutArgs};
pub use tag::{SelectionArgs, TagArgs, TagCommand};

/// Clears a cluttered desktop, downloads folder and drive: rules file things onto numbered shelves,
/// everything is shown first, nothing is overwritten or deleted, and every run can be taken back.
#[derive(Debug, Parser)]
#[command(
    name = "nine",
    version,
    max_term_width = 100,
    after_help = "Start with `nine demo`, which makes a sample world and walks through the job."
)]
pub struct Cli {
    #[command(flatten)]
    pub common: Common,
    #[command(subcommand)]
    pub command: Command,
}

/// Options of every command.
#[derive(Debug, Args)]
pub struct Common {
    /// Keep configuration and daybook in this one folder
    #[arg(long, value_name = "DIR", env = "NINE_HOME", global = true)]
    pub home: Option<PathBuf>,
    /// The day from which ages are counted, such as 2031-04-07 or 2031-04-07T09:00
    #[arg(long, value_name = "DATE", env = "NINE_TODAY", global = true)]
    pub today: Option<String>,
    /// Let whole files on drives be read where a question needs it; what that costs is told without it
    #[arg(long, global = true)]
    pub read_drive: bool,
    /// When to use colour
    #[arg(long, value_name = "WHEN", default_value = "auto", global = true)]
    pub color: ColorWhen,
    /// Tell on standard error what is being done; twice for more
    #[arg(short, long, action = clap::ArgAction::Count, global = true)]
    pub verbose: u8,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub enum ColorWhen {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Survey(SurveyArgs),
    Shelves(ShelvesArgs),
    Search(SearchArgs),
    Why(WhyArgs),
    Tag(TagArgs),
    Tidy(TidyArgs),
    Sweep(SweepArgs),
    Archive(ArchiveArgs),
    Retrieve(RetrieveArgs),
    Put(PutArgs),
    Carry(CarryArgs),
    Copies(CopiesArgs),
    Compare(CompareArgs),
    Discard(DiscardArgs),
    History(HistoryArgs),
    Undo(UndoArgs),
    Check(CheckArgs),
    Demo(DemoArgs),
    /// Reads what is inside files, for the program itself
    #[command(name = crate::reader::COMMAND, hide = true)]
    InsideReader,
}

/// Is the configuration sound, are the places reachable
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine check                    read shelves.toml and look at every place\n  nine check --format json      one object a place"
)]
pub struct CheckArgs {
    /// How to print the places
    #[arg(long, default_value = "table")]
    pub format: PlainFormat,
}

/// The layout as it stands, and what is wrong with it
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine shelves                  all bookcases: counts, depth, what is wrong and what mends it\n  nine shelves home --all       every line about one of them\n  nine shelves --format json    one object a shelf, and one for each thing that is wrong"
)]
pub struct ShelvesArgs {
    /// The bookcases; all, if left out
    #[arg(value_name = "BOOKCASE")]
    pub bookcases: Vec<String>,
    /// Show every line, however many
    #[arg(long)]
    pub all: bool,
    /// How to print it
    #[arg(long, default_value = "table")]
    pub format: PlainFormat,
}

/// Everything known about one item, and for each rule, whether it applies and why not
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine why ~/Downloads/statement.pdf\n  nine why 'downloads/statement.pdf'      the same, as places are written"
)]
pub struct WhyArgs {
    /// The item: a path, or PLACE/path as nine writes it
    #[arg(value_name = "PATH")]
    pub path: PathBuf,
    /// How to print it
    #[arg(long, default_value = "table")]
    pub format: WhyFormat,
}

/// Apply the rules: plan, check, show, ask once, carry out
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine tidy                     all piles: shows what would be done, then asks\n  nine tidy downloads           one pile\n  nine tidy --yes               carries it out without asking\n  nine tidy --format csv        the worklist as a table for other programs; changes nothing"
)]
pub struct TidyArgs {
    /// The piles to tidy; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// All that lies loose, into one folder with the day's date
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine sweep desktop            clears the desktop: everything into desktop/2031-04-07\n  nine sweep                    all piles, each into a folder of its own\n  nine sweep --sort-later       only what no rule is for, into the standing folder `Sort later`\n  nine retrieve desktop/2031-04-07/plan.pdf    pulls one back\n\nWhat is hidden, still arriving or changed just now stays, and so do folders of earlier sweeps."
)]
pub struct SweepArgs {
    /// The piles to sweep; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    /// Only what no rule is for, into a standing folder
    #[arg(long)]
    pub sort_later: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// How a worklist is shown and agreed to
#[derive(Debug, Clone, Args)]
pub struct ShowArgs {
    /// Carry it out without asking
    #[arg(short, long)]
    pub yes: bool,
    /// Show every line, however many
    #[arg(long)]
    pub all: bool,
    /// How to print the worklist
    #[arg(long, default_value = "table")]
    pub format: Format,
    /// Write it to this file instead, as .csv or .json, to be read, edited and given to `nine carry`
    #[arg(long, value_name = "FILE", conflicts_with = "yes")]
    pub worklist: Option<PathBuf>,
    /// Leave what is in doubt
    #[arg(long)]
    pub sure: bool,
}

impl ShowArgs {
    /// Sees to it that nobody agrees to something that is only a list.
    ///
    /// # Errors
    /// If there is no action and the words speak of one.
    pub fn expect_action(&self, acts: bool, actions: &str) -> Done {
        let words = [(self.yes, "--yes"), (self.worklist.is_some(), "--worklist"), (self.sure, "--sure")];
        match words.iter().find(|(typed, _)| *typed && !acts) {
            Some((_, word)) => Err(Failure::words(format!("{word} has nothing to do here"))
                .hint(format!("this is only a list; add {actions} to have something done"))),
            None => Ok(()),
        }
    }
}

/// The daybook: what was carried out, the newest first
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine history                  the last runs\n  nine history 12               every step of run 12\n  nine history --format json"
)]
pub struct HistoryArgs {
    /// A run, to see its steps
    #[arg(value_name = "RUN")]
    pub run: Option<u64>,
    /// Close a run that was cut off and whose place is away for good, with what can be seen of it
    #[arg(long, requires = "run")]
    pub give_up: bool,
    /// How many runs to show
    #[arg(long, value_name = "N", default_value_t = 20)]
    pub limit: usize,
    /// How to print it
    #[arg(long, default_value = "table")]
    pub format: PlainFormat,
}

/// Take a run back
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine undo                     the last run that has not been taken back\n  nine undo 12                  run 12; a run that was itself an undo can be taken back too"
)]
pub struct UndoArgs {
    /// The run's number, as `nine history` shows it
    #[arg(value_name = "RUN")]
    pub run: Option<u64>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Make the sample world and walk through the whole job
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine demo                     in a new folder under the system's temporary folder\n  nine demo ~/tern-quay         in a folder of your own; it must be new or empty\n  nine demo ~/tern-quay --serve its cloud drive, to go on with by yourself"
)]
pub struct DemoArgs {
    /// Where to make the sample world
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// Only make the world and say where it is
    #[arg(long)]
    pub only_make: bool,
    /// Serve the cloud drive of a world that was made before, until it is interrupted
    #[arg(long, conflicts_with = "only_make")]
    pub serve: bool,
}

/// Formats of lists of items
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    Table,
    /// Comma-separated values with a heading
    Csv,
    /// One JSON object a line
    Json,
    /// The items' paths, one a line
    Paths,
    /// The items' paths, each ended by a NUL
    Paths0,
}

/// Formats of what is not a list of items
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum PlainFormat {
    /// For people
    Table,
    /// Comma-separated values with a heading
    Csv,
    /// One JSON object a line
    Json,
}

/// Formats of the answer about one item
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum WhyFormat {
    /// For people
    Table,
    /// One JSON object
    Json,
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    #[test]
    fn the_definition_holds_together() {
        super::Cli::command().debug_assert();
    }
}
