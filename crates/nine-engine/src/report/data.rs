//! What is in a report. The page is drawn from this alone, and `--format json` prints it; `docs/report.schema.json`
//! is made of it. Sizes are bytes, times are local ones to the minute, and what lies somewhere is written as
//! everywhere: `downloads/sub/name`.

use serde::Serialize;

use crate::history::RunAccount;

/// The form of what is written. It counts up when a field goes or means something else.
pub const FORM: u32 = 1;

/// A report.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Report {
    /// The form of this object.
    pub form: u32,
    /// When it was made: `2031-04-07 09:00`.
    pub made: String,
    /// Whether only places and the folders directly in them are named.
    pub names_hidden: bool,
    /// How many places and folders could not be read.
    pub unread: usize,
    /// The places.
    pub places: Vec<ReportPlace>,
    /// How many files lay loose in the piles among them, week by week, the oldest first; the last week is how it is now.
    pub weeks: Vec<ReportWeek>,
    /// Items with the same bytes in these places.
    pub copies: ReportCopies,
    /// The dated folders and packs of the archive.
    pub archive: Vec<ReportDated>,
    /// The last runs of the daybook, the newest first.
    pub runs: Vec<RunAccount>,
    /// How many runs there are.
    pub all_runs: usize,
    /// The tags of what lies in these places.
    pub tags: ReportTags,
    /// Pictures that came lately, those in piles first, the newest first.
    pub pictures: Vec<ReportPicture>,
}

/// A place.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportPlace {
    /// Its name.
    pub place: String,
    /// Whether it is a pile.
    pub pile: bool,
    /// Whether shelves stand in it.
    pub bookcase: bool,
    /// Where it could not be reached: since when it is as it is told here.
    pub known_since: Option<String>,
    /// Files, at all depths, hidden ones left out.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Folders.
    pub folders: u64,
    /// Files that lie loose.
    pub loose: u64,
    /// By type, the most frequent first, each by age.
    pub types: Vec<ReportType>,
    /// By age.
    pub ages: Vec<ReportPart>,
    /// By size.
    pub sizes: Vec<ReportPart>,
    /// The largest files.
    pub largest: Vec<ReportFile>,
    /// The files that nobody touched for longest.
    pub oldest: Vec<ReportFile>,
    /// What is odd.
    pub odd: Vec<ReportOddity>,
    /// Bytes of files that are not needed, since another with the same bytes would stay, as far as they were compared.
    pub copies: ReportTake,
    /// Its folders by what they hold.
    pub map: ReportFolder,
    /// Its shelves, if it is a bookcase.
    pub shelves: Vec<ReportShelf>,
    /// What is wrong with it as a bookcase.
    pub wrong: Vec<ReportFlaw>,
}

/// Some files under a name.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportPart {
    /// The name.
    pub name: String,
    /// How many.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
}

/// The files of a type.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportType {
    /// The type.
    pub name: String,
    /// How many.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// By age.
    pub ages: Vec<ReportPart>,
}

/// A file.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportFile {
    /// Where it lies; only in which folder, if names are hidden.
    pub item: String,
    /// Its bytes.
    pub size: u64,
    /// When somebody last had to do with it: changed it, brought it or opened it.
    pub touched: String,
    /// How long ago that is, in words.
    pub idle: String,
}

/// Items that are odd in one way.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportOddity {
    /// Its word.
    pub what: String,
    /// What it is, for people.
    pub words: String,
    /// How many items.
    pub items: usize,
    /// The command that lists them.
    pub command: String,
}

/// What copies take.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportTake {
    /// Files that are not needed.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Bytes of files that share their size with another and were not compared yet.
    pub not_compared: u64,
}

/// A folder with the heaviest of those in it. What is in those, in the others and loose adds up to all of it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportFolder {
    /// Its name; of the place itself, the place's. `null` if it is hidden.
    pub name: Option<String>,
    /// Files in it, at all depths.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Files directly in it.
    pub loose_files: u64,
    /// Their bytes.
    pub loose_bytes: u64,
    /// The heaviest folders directly in it.
    pub folders: Vec<ReportFolder>,
    /// How many others lie directly in it.
    pub other_folders: u64,
    /// Files in those, at all depths.
    pub other_files: u64,
    /// Their bytes.
    pub other_bytes: u64,
}

/// A shelf.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportShelf {
    /// Its folder's name, such as `3 Grants`.
    pub name: String,
    /// Its mark, where that does not stand in the name.
    pub mark: Option<String>,
    /// Its colour: red, green, yellow, blue, magenta or cyan.
    pub color: Option<String>,
    /// Files on it, at all depths.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Folders on it, at all depths.
    pub folders: u64,
    /// How deep the deepest lies, counted from the shelf.
    pub deepest: u64,
    /// Its folders, and what lies loose on it, in the order in which they stand.
    pub spines: Vec<ReportSpine>,
}

/// A folder on a shelf.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportSpine {
    /// Its name; `null` if it is hidden, or if it stands for what lies loose, or for several small ones together.
    pub name: Option<String>,
    /// Files in it.
    pub files: u64,
    /// How many folders it stands for: 0 for what lies loose on the shelf.
    pub folders: u64,
}

/// Something that is wrong with a bookcase.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportFlaw {
    /// Its word.
    pub what: String,
    /// What it is, for people.
    pub words: String,
    /// The folder.
    pub at: String,
    /// The command that mends it.
    pub command: String,
}

/// A week.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportWeek {
    /// Its Monday: `2031-04-07`.
    pub from: String,
    /// How many files lay loose at its end.
    pub loose: u64,
    /// Whether a report counted them then; if not, it is told from what lies there now and what runs took away.
    pub counted: bool,
    /// The same by place.
    pub places: Vec<ReportLoose>,
    /// The runs of that week.
    pub runs: Vec<u64>,
}

/// How many files lay loose in a place.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportLoose {
    /// The place.
    pub place: String,
    /// How many.
    pub loose: u64,
    /// Whether they were counted.
    pub counted: bool,
}

/// Items with the same bytes, as far as files were compared by now.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportCopies {
    /// How many groups there are.
    pub groups: usize,
    /// How many items are not needed.
    pub not_needed: u64,
    /// What would be won without them, in bytes.
    pub to_be_won: u64,
    /// Bytes of files that share their size with another and were not compared yet.
    pub not_compared: u64,
    /// The groups by which the most is won.
    pub largest: Vec<ReportGroup>,
}

/// Items with the same bytes.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportGroup {
    /// The one that stays.
    pub stays: String,
    /// Why.
    pub because: String,
    /// Whether they are folders.
    pub folders: bool,
    /// How many there are, the one that stays among them.
    pub items: usize,
    /// Bytes of each.
    pub size: u64,
    /// What is won.
    pub to_be_won: u64,
    /// Where the others lie; at most ten of them.
    pub others: Vec<String>,
}

/// A dated folder or pack.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportDated {
    /// Its name, which is mostly a date; `null` if it is hidden because it is none.
    pub name: Option<String>,
    /// `folder`, or the form of the pack.
    pub form: String,
    /// Items in it.
    pub items: u64,
    /// Files in it.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// When it was last held against its checksums.
    pub verified: Option<String>,
    /// Whether everything was as its lists say then.
    pub whole: Option<bool>,
    /// Why its list cannot be read.
    pub trouble: Option<String>,
}

/// Tags.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportTags {
    /// How many items have any.
    pub items: u64,
    /// How many tags there are.
    pub all: usize,
    /// The most frequent; none if names are hidden.
    pub tags: Vec<ReportTag>,
}

/// A tag.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportTag {
    /// The tag.
    pub tag: String,
    /// Its mark.
    pub mark: Option<String>,
    /// Its colour.
    pub color: Option<String>,
    /// How many items have it.
    pub items: u64,
    /// Bytes of the files among them.
    pub bytes: u64,
}

/// A picture.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReportPicture {
    /// Where it lies.
    pub item: String,
    /// When it came or was last changed.
    pub at: String,
    /// Pixels across of the small one.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// The small one, turned as its camera noted: JPEG in Base64 (RFC 4648).
    pub jpeg: String,
}
