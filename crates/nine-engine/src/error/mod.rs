//! Why a capability could not do what it was asked. The words are for people; what to do next is added by the face
//! that shows them.

mod named;
mod schedule;

use std::io;
use std::path::PathBuf;

pub use named::{Named, Nowhere, WantedOfPlace};
pub use schedule::ScheduleError;

use nine_core::diagnostic::Diagnostic;
use nine_core::escape::{escape, plain};
use nine_core::place::Spot;
use nine_core::worklist::table::Wrong;
use nine_stores::drive::BadAddress;
use nine_stores::{CatalogueError, Location, StoreError};

/// What a capability answers.
pub type Result<T = (), E = Error> = std::result::Result<T, E>;

/// Why a capability could not do what it was asked.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// The configuration is there and cannot be read.
    #[error("{} cannot be read: {source}", shown(file))]
    ConfigUnreadable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// The configuration is no UTF-8 text.
    #[error("{}:{line}: this line is not UTF-8 text", shown(file))]
    ConfigNotText {
        /// The file.
        file: PathBuf,
        /// The line, counted from 1.
        line: usize,
    },
    /// The configuration cannot be understood.
    #[error("{} cannot be understood", shown(file))]
    Config {
        /// The file.
        file: PathBuf,
        /// Its text.
        text: String,
        /// All that is wrong.
        findings: Vec<Diagnostic>,
    },
    /// The configuration cannot be written.
    #[error("{} cannot be changed: {source}", shown(file))]
    ConfigUnwritable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A change of the configuration that makes no sense.
    #[error("{} cannot be changed: {why}", shown(file))]
    ConfigEdit {
        /// The file.
        file: PathBuf,
        /// Why.
        why: String,
    },
    /// Another program changed the configuration meanwhile.
    #[error("{} was changed by another program meanwhile", shown(.0))]
    ConfigChanged(PathBuf),

    /// A bookcase stands there already.
    #[error("the bookcase `{name}` stands at {at} already")]
    BookcaseStands {
        /// Its name.
        name: String,
        /// Where it stands.
        at: Box<Location>,
    },
    /// A rule of this name is there already.
    #[error("there is a rule `{}` already", plain(.0))]
    RuleThere(String),
    /// No layout was named, and nothing stands there that could be taken over.
    #[error("it is not said which shelves are to stand in {at}")]
    NoLayout {
        /// Where.
        at: Box<Location>,
    },
    /// The folder above one that is to be made is not there, or is where disks are connected.
    #[error("{} is not there, and is not made, since a disk may be missing", shown(at))]
    NoDisk {
        /// The folder.
        at: PathBuf,
    },

    /// Something cannot be done by itself, or a routine not be taken back.
    #[error(transparent)]
    Schedule(#[from] ScheduleError),

    /// A word that names nothing.
    #[error("{}", what.words(word))]
    Unknown {
        /// What it should name.
        what: Named,
        /// The word.
        word: String,
        /// What there is.
        known: Vec<String>,
    },
    /// A condition that cannot be understood.
    #[error("{}", plain(&finding.message))]
    Condition {
        /// The condition as it was typed.
        text: String,
        /// What is wrong.
        finding: Diagnostic,
    },
    /// Nothing was selected.
    #[error("nothing is selected")]
    NothingSelected {
        /// Whether a run can be named as well.
        or_run: bool,
    },
    /// No place to look at.
    #[error("{}", match .0 {
        Nowhere::Search | Nowhere::Copies => "there is no place to look in",
        Nowhere::Survey => "there is no pile to look at",
        Nowhere::Report => "there is no place to look at",
        Nowhere::Shelves => "there is no bookcase",
        Nowhere::Suggest => "there is no bookcase to learn from, or no pile",
    })]
    Nowhere(Nowhere),
    /// A folder that was named and cannot be looked at.
    #[error("{at} cannot be looked at: {}", there_is_none(source))]
    NotAPlace {
        /// The folder.
        at: Box<Location>,
        /// Why.
        source: StoreError,
        /// The names of the places that there are.
        known: Vec<String>,
    },
    /// There is nothing at a path that was typed.
    #[error("there is nothing at {}", shown(.0))]
    NothingAt(PathBuf),
    /// There is nothing at an address that was typed.
    #[error("there is nothing at {0}")]
    NothingOnDrive(Location),
    /// An address on a drive that is in no place.
    #[error("{0} lies in no pile or bookcase")]
    InNoPlace(Location),
    /// What was typed begins like an address, and is none.
    #[error("{} is no address of a drive: {source}", shown(typed))]
    BadAddress {
        /// As it was typed.
        typed: PathBuf,
        /// Why.
        source: BadAddress,
    },
    /// A path that is no item.
    #[error("{} is not an item", shown(.0))]
    NotAnItem(PathBuf),
    /// A path on the disk that cannot be looked at.
    #[error("{}: {source}", shown(path))]
    Path {
        /// The path.
        path: PathBuf,
        /// Why.
        source: StoreError,
    },
    /// Something that is neither a file nor a folder.
    #[error("{0} is neither a file nor a folder")]
    NeitherFileNorFolder(Spot),
    /// A place or a shelf, where an item is wanted.
    #[error("{item} is a place of its own, or a shelf")]
    IsAPlace {
        /// The place.
        item: Spot,
        /// What was wanted of it.
        wanted: WantedOfPlace,
    },
    /// A store's answer about an item.
    #[error("{item}: {source}")]
    Store {
        /// The item.
        item: Spot,
        /// Why.
        source: StoreError,
    },
    /// The catalogue was asked for alone and cannot be used.
    #[error("nothing is known, since the catalogue cannot be used")]
    NothingKnown,
    /// The catalogue fails.
    #[error(transparent)]
    Catalogue(#[from] CatalogueError),
    /// The catalogue fails while columns are read from it.
    #[error("{0}")]
    Recall(#[source] CatalogueError),
    /// Words are asked for that nobody read.
    #[error("the words inside these files have not been read")]
    WordsUnread,

    /// Another run is at work.
    #[error("another run is at work: {}", plain(.0))]
    AtWork(String),
    /// The daybook cannot be read.
    #[error("the daybook in {} cannot be used: {source}", shown(folder))]
    Daybook {
        /// Its folder.
        folder: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A newer version of the program wrote an open run.
    #[error("run {run} is open, and its format cannot be read: {source}")]
    NewerRun {
        /// The run.
        run: u64,
        /// Which format.
        source: io::Error,
    },
    /// The daybook cannot be written, so that nothing was begun.
    #[error("the daybook in {} cannot be written: {source}", shown(folder))]
    DaybookUnwritable {
        /// The data folder.
        folder: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// The daybook cannot be written any more.
    #[error("run {run} was broken off, since the daybook cannot be written: {source}")]
    BrokenOff {
        /// The run.
        run: u64,
        /// Why.
        source: io::Error,
    },
    /// A run that there is not.
    #[error("there is no run {0}")]
    NoRun(u64),
    /// A run that is not open.
    #[error("run {0} is over; it waits for nothing")]
    RunIsOver(u64),
    /// There is nothing to take back.
    #[error("there is no run to take back")]
    NothingToUndo,

    /// There are no rules.
    #[error("there are no rules in {}", shown(file))]
    NoRules {
        /// The configuration.
        file: PathBuf,
        /// Whether it is there.
        exists: bool,
    },
    /// There is no pile.
    #[error("there is no pile to sweep")]
    NothingToSweep,
    /// Another review is open.
    #[error("another review is open in another window")]
    ReviewOpen,
    /// Decisions cannot be kept.
    #[error("what is decided cannot be kept in {}: {source}", shown(file))]
    ReviewUnkept {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// There is no archive.
    #[error("there is no archive")]
    NoArchive,
    /// Several folders have the number of the archive's shelf.
    #[error("several folders of {bookcase} have the number {number}")]
    ArchiveTwice {
        /// The bookcase.
        bookcase: String,
        /// The number.
        number: u8,
    },
    /// What lies in no place could not be brought back there.
    #[error("`{0}` lies in no pile and no bookcase")]
    Homeless(String),
    /// Two dated folders answer to a name.
    #[error("`{}` is both {one} and {other}", plain(name))]
    DatedTwice {
        /// The name.
        name: String,
        /// One of them.
        one: Spot,
        /// The other.
        other: Spot,
    },
    /// A name that a zip cannot hold.
    #[error("{0} has a name that is not UTF-8, which a zip cannot hold")]
    NotForZip(Spot),
    /// A path that leads neither to something archived nor to something swept.
    #[error("there is nothing at {}", shown(.0))]
    NothingToRetrieve(PathBuf),
    /// Something that was neither archived nor swept.
    #[error("{0} was neither archived nor swept")]
    NotAway(Spot),
    /// A list of the archive that cannot be read.
    #[error("{list} cannot be read: {why}")]
    List {
        /// The list.
        list: Spot,
        /// Why.
        why: String,
    },
    /// A run of which nothing is where it put it.
    #[error("nothing that run {0} moved is still where it put it")]
    NothingOfRun(u64),

    /// There is no bookcase.
    #[error("there is no bookcase to put things in")]
    NoBookcase,
    /// No shelf is called so.
    #[error("`{}` names no shelf", plain(typed))]
    NoShelf {
        /// What was typed.
        typed: String,
        /// The shelves that there are.
        shelves: Vec<String>,
    },
    /// Several folders have the number of a shelf.
    #[error("several folders have the number {number}: {}", found.join(", "))]
    ShelfTwice {
        /// The number.
        number: u8,
        /// The folders, quoted.
        found: Vec<String>,
    },
    /// A name that some file system refuses.
    #[error("`{}` cannot be the name of a folder everywhere", plain(.0))]
    FolderName(String),
    /// A folder that exists is called nearly like the one that was typed.
    #[error("{there} exists, and {typed} is nearly the same")]
    NearlySame {
        /// The path of the one that exists, written.
        there: String,
        /// The path that was typed, written.
        typed: String,
        /// The name of the one that exists, written.
        name: String,
    },
    /// Something to be merged that is no folder.
    #[error("{0} is not a folder")]
    NotAFolder(Spot),
    /// A folder that would be merged into itself.
    #[error("{into} is {from} itself, or lies in it")]
    IntoItself {
        /// The folder.
        from: Spot,
        /// What it would come into.
        into: Spot,
    },

    /// A side of a comparison that is away.
    #[error("{0} cannot be reached")]
    SideAway(Spot),
    /// A place held against itself.
    #[error("both are the same folder")]
    SameFolder,
    /// A side of a comparison that could not be read; that was told.
    #[error("nothing is compared, since a side could not be read")]
    SideUnread,
    /// A list of files that cannot be read.
    #[error("{} cannot be read: {source}", shown(file))]
    ListingUnreadable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A file that is no list of files.
    #[error("{} is not a list of files with digests: {why}", shown(file))]
    Listing {
        /// The file.
        file: PathBuf,
        /// Why.
        why: String,
    },

    /// A tag that cannot be.
    #[error("a tag cannot be empty or hold control characters")]
    NotATag,
    /// A nested tag that cannot be.
    #[error("`{}` is not a nested tag", plain(.0))]
    NotANestedTag(String),
    /// Several tags where one is wanted.
    #[error("`{}` is more than one tag", plain(.0))]
    SeveralTags(String),
    /// A tag would get the name of another.
    #[error("there are items with the tag `{}` already", plain(to))]
    TagTaken {
        /// The tag.
        from: String,
        /// The name it would get.
        to: String,
    },

    /// A saved search that ships with the program.
    #[error("`{0}` ships with the program and cannot be dropped")]
    Starter(String),

    /// A table that is not there or cannot be read.
    #[error("{} cannot be read: {source}", shown(file))]
    TableUnreadable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A table in which something cannot be understood.
    #[error("{} cannot be understood", shown(file))]
    Table {
        /// The file.
        file: PathBuf,
        /// All that is wrong.
        wrong: Vec<Wrong>,
    },
    /// A table that was not made here.
    #[error("{} is no worklist that is known here", shown(.0))]
    TableUnknown(PathBuf),
    /// A table whose name says no format.
    #[error("{} ends in neither .csv nor .json", shown(.0))]
    TableName(PathBuf),
    /// A new file of the person's that cannot be written.
    #[error("{} cannot be written: {source}", shown(file))]
    FileUnwritable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// What was proposed cannot be kept.
    #[error("what is proposed cannot be kept in {}: {source}", shown(folder))]
    WorklistUnkept {
        /// The folder.
        folder: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A step that can have no other target.
    #[error(transparent)]
    FixedTarget(#[from] nine_core::plan::FixedTarget),

    /// The system did not let it be done.
    #[error(transparent)]
    Io(#[from] io::Error),
}

impl Error {
    /// A word that names nothing.
    pub(crate) fn unknown<'k>(what: Named, word: &str, known: impl IntoIterator<Item = &'k str>) -> Self {
        let known = known.into_iter().map(str::to_owned).collect();
        Error::Unknown { what, word: word.to_owned(), known }
    }

    /// What a store says of an item.
    pub(crate) fn store(item: &Spot) -> impl Fn(StoreError) -> Self {
        move |source| Error::Store { item: item.clone(), source }
    }
}

fn shown(path: &std::path::Path) -> String {
    escape(path.as_os_str().as_encoded_bytes())
}

/// Why a folder that was named cannot be looked at.
fn there_is_none(error: &StoreError) -> String {
    match error {
        StoreError::NotThere => "there is no such folder".to_owned(),
        other => other.to_string(),
    }
}
