//! What may be typed to look around: `search` and `survey`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::Format;

/// One flat list of all that matches, with its location
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine search type image and age over 90d\n  nine search                                   everything in all places\n  nine search name has budget --in ~/Documents  one folder\n  nine search --saved big type video            a saved search, and more\n  nine search type packed --save packed         keeps it under a name\n  nine search --list                            the saved searches and what each finds now\n  nine search text has sextant --text           words inside; reads them where that was not done yet\n  nine search size over 100MB --by type --totals\n  nine search type installer --format paths0 | xargs -0 ls -l\n  nine search --in ~/Photos --format csv --with-hash > photos.csv\n\nThe guide has the language of conditions."
)]
pub struct SearchArgs {
    /// What to look for, such as: type image and age over 90d. Everything, if left out
    #[arg(value_name = "CONDITION")]
    pub condition: Vec<String>,
    /// Look for what a saved search finds (also with a further condition)
    #[arg(long, value_name = "NAME", help_heading = "Saved searches")]
    pub saved: Vec<String>,
    /// Keep the search under this name
    #[arg(long, value_name = "NAME", help_heading = "Saved searches", conflicts_with_all = ["list", "drop"])]
    pub save: Option<String>,
    /// With --save: also keep it as a folder of links for other programs (`no` ends that)
    #[arg(long, value_name = "YES", requires = "save", num_args = 0..=1, default_missing_value = "yes",
          help_heading = "Saved searches")]
    pub display: Option<YesNo>,
    /// The saved searches, and what each finds now
    #[arg(long, help_heading = "Saved searches", conflicts_with_all = ["condition", "drop"])]
    pub list: bool,
    /// Forget a saved search
    #[arg(long, value_name = "NAME", help_heading = "Saved searches", conflicts_with_all = ["condition", "saved"])]
    pub drop: Option<String>,
    /// Look only here: a pile, a bookcase or any folder
    #[arg(long = "in", value_name = "PLACE", help_heading = "Where")]
    pub within: Vec<PathBuf>,
    /// Look here as well as in the piles and bookcases
    #[arg(long, value_name = "FOLDER", help_heading = "Where", conflicts_with = "within")]
    pub also: Vec<PathBuf>,
    /// Answer from what is known already, without reading any place
    #[arg(long, help_heading = "Where")]
    pub known: bool,
    /// Leave out what is in the archive
    #[arg(long, help_heading = "Where")]
    pub no_archive: bool,
    /// Folders too
    #[arg(long, help_heading = "What")]
    pub folders: bool,
    /// Only folders that hold no file
    #[arg(long, help_heading = "What")]
    pub empty_folders: bool,
    /// Hidden items too
    #[arg(long, help_heading = "What")]
    pub hidden: bool,
    /// Let a folder's tags count for all that lies in it
    #[arg(long, help_heading = "What")]
    pub inside: bool,
    /// Read the words inside files where that was not done yet
    #[arg(long, help_heading = "What")]
    pub text: bool,
    /// Group the list by type, folder, age, tag, size or a facet, with counts and bytes for each group
    #[arg(long, value_name = "WHAT", value_parser = group_by, help_heading = "How it is shown")]
    pub by: Option<GroupBy>,
    /// With --by: only the counts and bytes
    #[arg(long, requires = "by", help_heading = "How it is shown")]
    pub totals: bool,
    /// The order: largest, newest or in order of name first
    #[arg(long, value_name = "WHAT", help_heading = "How it is shown")]
    pub sort: Option<SortBy>,
    /// The other way round
    #[arg(long, help_heading = "How it is shown")]
    pub reverse: bool,
    /// Which columns, such as name,size,type
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',', help_heading = "How it is shown")]
    pub columns: Vec<ItemColumn>,
    /// Add the BLAKE3 digest of each file's bytes, for `nine compare --listing` or `b3sum`; reads what was
    /// not read yet
    #[arg(long, help_heading = "How it is shown")]
    pub with_hash: bool,
    /// At most so many
    #[arg(long, value_name = "N", help_heading = "How it is shown")]
    pub limit: Option<usize>,
    /// A short look into the one item that is found
    #[arg(long, help_heading = "How it is shown")]
    pub show: bool,
    /// How to print the list
    #[arg(long, default_value = "table", help_heading = "How it is shown")]
    pub format: Format,
}

/// Yes or no
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum YesNo {
    Yes,
    No,
}

/// What a list is grouped by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum GroupBy {
    Type,
    Folder,
    Age,
    Tag,
    Size,
    /// The answers of a facet of the configuration.
    Facet(String),
}

/// The words that group a list, besides the names of facets.
pub const GROUPS: [(&str, GroupBy); 5] = [
    ("type", GroupBy::Type),
    ("folder", GroupBy::Folder),
    ("age", GroupBy::Age),
    ("tag", GroupBy::Tag),
    ("size", GroupBy::Size),
];

fn group_by(word: &str) -> Result<GroupBy, std::convert::Infallible> {
    let known = GROUPS.into_iter().find(|(known, _)| *known == word).map(|(_, by)| by);
    Ok(known.unwrap_or_else(|| GroupBy::Facet(word.to_owned())))
}

/// What a list is put in order by
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SortBy {
    /// By name, the way people count
    Name,
    /// By place and path
    Location,
    /// The largest first
    Size,
    /// The newest first
    Age,
    /// By type
    Type,
    /// Opened last first
    Opened,
    /// Arrived last first
    Arrived,
}

/// The columns of a list of items
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ItemColumn {
    Name,
    /// The place and the folders above it
    Location,
    Size,
    /// How long ago it was changed
    Age,
    /// When it was changed
    Modified,
    Type,
    Tags,
    Opened,
    Arrived,
    /// How many files a folder holds
    Items,
    /// The whole path
    Path,
    /// The BLAKE3 digest of the bytes
    Blake3,
    /// Whether it is in the archive
    Archived,
}

/// What lies around: counts and bytes by type, age and size, and what is odd
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine survey                    all piles, and the bookcases below\n  nine survey downloads          one pile; a bookcase or any folder will do too\n  nine survey --odd same-name    the folders that share a name\n  nine survey --format json      one object a place"
)]
pub struct SurveyArgs {
    /// The piles to look at; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<PathBuf>,
    /// List what is odd in this way
    #[arg(long, value_name = "WHAT")]
    pub odd: Option<String>,
    /// Answer from what is known already, without reading any place
    #[arg(long)]
    pub known: bool,
    /// How to print it; paths and paths0 go with --odd
    #[arg(long, default_value = "table")]
    pub format: Format,
}
