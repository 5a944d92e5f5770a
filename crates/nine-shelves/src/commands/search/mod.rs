//! `nine search`: one flat list of all that matches.

mod print;
mod saved;

use std::convert::Infallible;
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use nine_core::condition::Condition;
use nine_core::metadata::{SaidField, TextField};
use nine_core::tree::Column;
use nine_engine::Workspace;
use nine_engine::looking::WantsInside;
use nine_engine::search::{GroupBy, Request, SearchNeeds, SearchResult, SortBy, find, refresh_displays};
use nine_engine::selection::condition;

use crate::args::{Format, SHOWN, WHAT};
use crate::failure::{Done, Failure, unless};
use crate::output::items::{ALL, ItemColumn, USUAL};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine search type image and age over 90d\n  nine search                                   everything in all places\n  nine search name has budget --in ~/Documents  one folder\n  nine search --saved big type video            a saved search, and more\n  nine search type packed --save packed         keeps it under a name\n  nine search --list                            the saved searches and what each finds now\n  nine search text has sextant --text           words inside; reads them where that was not done yet\n  nine search size over 100MB --by type --totals\n  nine search type installer --format paths0 | xargs -0 ls -l\n  nine search --in ~/Photos --format csv --with-hash > photos.csv\n\nThe guide has the language of conditions."
)]
pub struct SearchArgs {
    /// Such as: type image and age over 90d. Everything, if left out
    #[arg(value_name = "CONDITION")]
    pub condition: Vec<String>,
    /// What a saved search finds, and a condition
    #[arg(long, value_name = "SEARCH", help_heading = "Saved searches")]
    pub saved: Vec<String>,
    /// Keep the search under this name
    #[arg(long, value_name = "NAME", help_heading = "Saved searches", conflicts_with_all = ["list", "drop"])]
    pub save: Option<String>,
    /// With --save: also keep it as a folder of links for other programs (`no` ends that)
    #[arg(long, value_name = "YES", requires = "save", num_args = 0..=1, default_missing_value = "yes",
          help_heading = "Saved searches", hide_short_help = true)]
    pub display: Option<YesNo>,
    /// The saved searches, and what each finds now
    #[arg(long, help_heading = "Saved searches", conflicts_with_all = ["condition", "drop"], hide_short_help = true)]
    pub list: bool,
    /// Forget a saved search
    #[arg(long, value_name = "SEARCH", help_heading = "Saved searches", conflicts_with_all = ["condition", "saved"], hide_short_help = true)]
    pub drop: Option<String>,
    /// Look only here: a pile, a bookcase or any folder
    #[arg(long = "in", value_name = "PLACE", help_heading = WHAT)]
    pub within: Vec<PathBuf>,
    /// Look here as well as in the piles and bookcases
    #[arg(long, value_name = "FOLDER", help_heading = WHAT, conflicts_with = "within", hide_short_help = true)]
    pub also: Vec<PathBuf>,
    /// Answer from what is known already, without reading any place
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub known: bool,
    /// Leave out what is in the archive
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub no_archive: bool,
    /// Folders too
    #[arg(long, help_heading = WHAT)]
    pub folders: bool,
    /// Only folders that hold no file
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub empty_folders: bool,
    /// Hidden items too
    #[arg(long, help_heading = WHAT)]
    pub hidden: bool,
    /// Let a folder's tags count for all that lies in it
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub inside: bool,
    /// Read the words inside files where they are not known
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub text: bool,
    /// Group by type, folder, age, tag, size, a facet …
    ///
    /// With counts and bytes for each group. What items say of themselves serves as well: camera, author, taken:year.
    #[arg(long, value_name = "GROUP", value_parser = group_by, help_heading = SHOWN)]
    pub by: Option<GroupBy>,
    /// With --by: only the counts and bytes
    #[arg(long, requires = "by", help_heading = SHOWN, hide_short_help = true)]
    pub totals: bool,
    /// By name, location, size, age, type, opened, arrived
    ///
    /// The largest and the newest come first.
    #[arg(long, value_name = "WHAT", help_heading = SHOWN, hide_possible_values = true)]
    pub sort: Option<SortWord>,
    /// The other way round
    #[arg(long, help_heading = SHOWN, hide_short_help = true)]
    pub reverse: bool,
    /// Which columns, such as name,size,type
    ///
    /// There are name, location, path, type, size, items, modified, opened, arrived, tags, archived, age, blake3,
    /// title, author, sender, subject, artist, album, camera, origin, pages, width, height, duration, taken and sent.
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',', help_heading = SHOWN, hide_possible_values = true)]
    pub columns: Vec<ItemColumn>,
    /// Add the BLAKE3 digest of each file's bytes, for `nine compare --listing` or `b3sum`; reads what was
    /// not read yet
    #[arg(long, help_heading = SHOWN, hide_short_help = true)]
    pub with_hash: bool,
    /// At most so many
    #[arg(long, value_name = "N", help_heading = SHOWN)]
    pub limit: Option<usize>,
    /// A short look into the one item that is found
    #[arg(long, help_heading = SHOWN, hide_short_help = true)]
    pub show: bool,
    /// As table, csv, json, paths or paths0
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: Format,
}

/// Yes or no
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum YesNo {
    Yes,
    No,
}

fn group_by(word: &str) -> Result<GroupBy, Infallible> {
    Ok(GroupBy::of_word(word))
}

/// What a list is put in order by
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SortWord {
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

impl From<SortWord> for SortBy {
    fn from(word: SortWord) -> Self {
        match word {
            SortWord::Name => Self::Name,
            SortWord::Location => Self::Location,
            SortWord::Size => Self::Size,
            SortWord::Age => Self::Age,
            SortWord::Type => Self::Type,
            SortWord::Opened => Self::Opened,
            SortWord::Arrived => Self::Arrived,
        }
    }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: SearchArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    if args.list {
        return saved::print_all(&args, &workspace, session);
    }
    if let Some(name) = &args.drop {
        return saved::forget(&workspace, name);
    }
    let condition = condition(workspace.config(), &args.condition, &args.saved)?;
    let workspace = match (&args.save, &condition) {
        (Some(name), Some(condition)) => saved::save(&args, &workspace, session, name, condition)?,
        (Some(_), None) => {
            return Err(Failure::words("there is no condition to save")
                .hint("write it behind `search`: nine search type packed --save packed"));
        }
        (None, _) => workspace,
    };
    let columns = columns(&args);
    let request = request(&args, condition, &columns);
    let found = find(&workspace, &request)?;
    let shown = Shown { args: &args, columns: &columns, workspace: &workspace, session, found: &found };
    shown.print()?;
    refresh_displays(&workspace, &request);
    unless(found.looking.troubles)
}

/// The columns of the list.
fn columns(args: &SearchArgs) -> Vec<ItemColumn> {
    let mut columns = match (args.columns.is_empty(), args.format) {
        (false, _) => args.columns.clone(),
        (true, Format::Csv | Format::Json) => ALL.to_vec(),
        // The heading of a group says it already.
        (true, _) if args.by == Some(GroupBy::Folder) => {
            USUAL.into_iter().filter(|column| *column != ItemColumn::Location).collect()
        }
        (true, _) => USUAL.to_vec(),
    };
    if args.with_hash && !columns.contains(&ItemColumn::Blake3) {
        columns.push(ItemColumn::Blake3);
    }
    columns
}

fn request(args: &SearchArgs, condition: Option<Condition>, columns: &[ItemColumn]) -> Request {
    let has = |column| columns.contains(&column);
    let shows_type = args.show.then_some(Column::Type);
    let needed = columns.iter().flat_map(|column| column.needs()).copied().chain(shows_type);
    Request {
        condition,
        within: args.within.clone(),
        also: args.also.clone(),
        known: args.known,
        no_archive: args.no_archive,
        folders: args.folders,
        empty_folders: args.empty_folders,
        hidden: args.hidden,
        inside: args.inside,
        text: args.text,
        by: args.by.clone(),
        sort: args.sort.map(SortBy::from),
        reverse: args.reverse,
        limit: args.limit,
        told: SearchNeeds {
            tags: has(ItemColumn::Tags),
            types: has(ItemColumn::Type),
            digests: has(ItemColumn::Blake3),
            inside: WantsInside {
                said: columns.iter().any(|column| matches!(column, ItemColumn::Said(_))),
                origin: has(ItemColumn::Said(SaidField::Text(TextField::Origin))),
                words: false,
            },
            columns: needed.collect(),
        },
        names: args.save.iter().chain(&args.saved).cloned().collect(),
    }
}

/// What was found, and how it is to be told.
struct Shown<'a> {
    args: &'a SearchArgs,
    columns: &'a [ItemColumn],
    workspace: &'a Workspace,
    session: &'a Session,
    found: &'a SearchResult<'a>,
}
