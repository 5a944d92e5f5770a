//! What may be typed about copies: `copies` and `compare`.

use std::path::PathBuf;

use clap::Args;

use super::ShowArgs;

/// Items with the same bytes; flag them, or discard all but the one to keep
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine copies                             in all piles and bookcases, the most space first\n  nine copies downloads ~/Photos          only there\n  nine copies --where type image          groups with a picture in them\n  nine copies --flag                      tags all but the one that stays: copy\n  nine copies --discard --keep shelf,in:home/5,older\n  nine copies --discard --give-tags       what stays gets the tags of what goes\n  nine copies --names                     names that look like copies, with other bytes\n  nine copies --similar                   pictures that look alike; only to be looked at\n\nWhat stays is decided by the first of these that tells two apart: shelf (on a shelf rather than\nin a pile), in:PLACE/FOLDER, tagged, unmarked (no `(1)` or `copy of` in the name), older, newer,\nshorter (path). A list of your own goes into shelves.toml: [copies] keep = [\"shelf\", \"older\"].\nBefore a copy is discarded it is compared byte by byte with the one that stays."
)]
pub struct CopiesArgs {
    /// Where to look: piles, bookcases, any folders; all piles and bookcases, if left out
    #[arg(value_name = "PLACE")]
    pub places: Vec<PathBuf>,
    /// Only groups with an item for which a condition holds
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., help_heading = "What")]
    pub condition: Vec<String>,
    /// Hidden files too
    #[arg(long, help_heading = "What")]
    pub hidden: bool,
    /// Empty files are copies of one another too
    #[arg(long, help_heading = "What")]
    pub empty: bool,
    /// Files whose names suggest a copy although their bytes differ
    #[arg(long, help_heading = "What", conflicts_with_all = ["similar", "flag", "discard"])]
    pub names: bool,
    /// Pictures that look alike: resized, saved anew, compressed more
    #[arg(long, help_heading = "What", conflicts_with_all = ["flag", "discard"])]
    pub similar: bool,
    /// Which of them stays: preferences, the most important first
    #[arg(long, value_name = "LIST", value_delimiter = ',', help_heading = "What stays")]
    pub keep: Vec<String>,
    /// Tag all but the one that stays with `copy`
    #[arg(long, help_heading = "What is done", conflicts_with = "discard")]
    pub flag: bool,
    /// Put all but the one that stays into the trash
    #[arg(long, help_heading = "What is done")]
    pub discard: bool,
    /// Give the one that stays the tags of those that go
    #[arg(long, help_heading = "What is done", requires = "discard")]
    pub give_tags: bool,
    /// At most so many groups
    #[arg(long, value_name = "N", help_heading = "How it is shown", conflicts_with_all = ["flag", "discard"])]
    pub limit: Option<usize>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// What of A is nowhere in B by content, whatever the folders, names and dates
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine compare ~/Import home                  what of the import is nowhere in the bookcase\n  nine compare ~/Import home --reverse        what of the bookcase is nowhere in the import\n  nine compare ~/Import home --found          what is in both, and where\n  nine compare ~/Import home --names          also the same name with other bytes\n  nine compare ~/Import home --discard-found  into the trash with what the bookcase surely holds\n  nine compare ~/Import home --put-missing 5/New\n  nine compare ~/Photos --listing disk.csv    against a list of what is elsewhere\n  nine compare ~/Import home --format paths0 | nine put - -0 --on 5\n\nA list is made on the other machine with: nine search --in FOLDER --format csv --with-hash > disk.csv"
)]
pub struct CompareArgs {
    /// What is held against the others: a pile, a bookcase, any folder
    #[arg(value_name = "A")]
    pub a: PathBuf,
    /// Where its bytes may be: piles, bookcases, any folders
    #[arg(value_name = "B", required_unless_present = "listing")]
    pub b: Vec<PathBuf>,
    /// A list that `nine search --format csv --with-hash` wrote, in place of B
    #[arg(long, value_name = "FILE", conflicts_with_all = ["b", "names", "put_missing"])]
    pub listing: Option<PathBuf>,
    /// Only what of A a condition holds for
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., help_heading = "What")]
    pub condition: Vec<String>,
    /// The other way round: what of B is nowhere in A
    #[arg(long, help_heading = "What", conflicts_with_all = ["found", "names"])]
    pub reverse: bool,
    /// What of A is in B, and where
    #[arg(long, help_heading = "What", conflicts_with = "names")]
    pub found: bool,
    /// Also what has the same name in B, with other bytes
    #[arg(long, help_heading = "What")]
    pub names: bool,
    /// Hidden files too
    #[arg(long, help_heading = "What")]
    pub hidden: bool,
    /// Put into the trash what of A is in B; each is compared byte by byte once more before it goes
    #[arg(long, help_heading = "What is done", conflicts_with_all = ["reverse", "names", "listing", "put_missing"])]
    pub discard_found: bool,
    /// Put what of A is nowhere in B onto a shelf
    #[arg(long, value_name = "SHELF[/FOLDER]", help_heading = "What is done", conflicts_with_all = ["reverse", "found", "names"])]
    pub put_missing: Option<String>,
    /// With --put-missing: keep the folders between A and each item
    #[arg(long, help_heading = "What is done", requires = "put_missing")]
    pub keep_folders: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}
