//! The catalogue: what scans learned, kept in SQLite so that an unchanged file is never read again.
//!
//! It is a cache. A place is kept as its tree's columns, each one blob, because a search over a million
//! rows must read only the columns that it needs (a table with a row an item is many times slower).
//! The words inside files are in a full-text index. Several programs may use it at once.

mod again;
mod listing;
mod said;
mod said_words;
mod texts;
mod unflushed;
mod windows;

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

use parking_lot::ReentrantMutex;
use rusqlite::{Connection, ErrorCode, OpenFlags, OptionalExtension, Transaction, TransactionBehavior};

pub use listing::{CarriedOver, KeptPlace};
pub use texts::Reading;
pub use windows::Window;

/// The version of what is in the file. A file with another one is set aside.
const FORMAT: i64 = 7;

/// What has a meaning in the address of a file.
const URI: &percent_encoding::AsciiSet = &percent_encoding::NON_ALPHANUMERIC.remove(b'/');

/// How long a command waits for another that is writing.
const PATIENCE: Duration = Duration::from_secs(20);

const SCHEMA: &str = "
CREATE TABLE place (
    id INTEGER PRIMARY KEY,
    address TEXT NOT NULL UNIQUE,
    scanned_at INTEGER NOT NULL,
    rows INTEGER NOT NULL
);
CREATE TABLE part (
    id INTEGER PRIMARY KEY,
    bytes BLOB NOT NULL
);
CREATE TABLE text (
    -- Never given twice, since another program may still point to one that is gone.
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    -- What the file says of itself, as JSON; empty if nothing. It stands before the long text, so that it is read
    -- without it.
    said TEXT NOT NULL,
    note TEXT NOT NULL,
    body TEXT NOT NULL
);
-- Its figures and times by field and value, for searches. Times are nanoseconds since 1970.
CREATE TABLE said (
    field INTEGER NOT NULL,
    value INTEGER NOT NULL,
    text INTEGER NOT NULL,
    PRIMARY KEY (field, value, text)
) WITHOUT ROWID;
-- And its texts, of many files in one row.
CREATE TABLE said_words (
    id INTEGER PRIMARY KEY,
    texts BLOB NOT NULL
);
CREATE VIRTUAL TABLE words USING fts5(
    body, content='text', content_rowid='id', tokenize='unicode61 remove_diacritics 2'
);
";

/// What was learned of all places together. It is made where it is missing: a catalogue that others wrote is none of
/// another format for that, and is not set aside.
const LEARNED: &str = "
CREATE TABLE IF NOT EXISTS learned (
    name TEXT PRIMARY KEY,
    value BLOB NOT NULL
) WITHOUT ROWID;
";

/// Why the catalogue could not be used.
#[derive(Debug, thiserror::Error)]
pub enum CatalogueError {
    /// What is in it makes no sense.
    #[error("the catalogue is damaged")]
    Damaged,
    /// The power failed before it was on the disk as a whole.
    #[error("the catalogue was not yet on the disk when the system stopped")]
    Unflushed,
    /// The system or SQLite did not let it be done.
    #[error("the catalogue cannot be used: {0}")]
    System(String),
}

impl From<rusqlite::Error> for CatalogueError {
    fn from(error: rusqlite::Error) -> Self {
        match error.sqlite_error_code() {
            Some(ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt) => Self::Damaged,
            _ => match error {
                rusqlite::Error::SqliteFailure(_, Some(message)) => Self::System(message),
                // A table that is missing, a value of the wrong kind: not as we wrote it.
                rusqlite::Error::InvalidColumnType(..) | rusqlite::Error::FromSqlConversionFailure(..) => {
                    Self::Damaged
                }
                other => Self::System(other.to_string()),
            },
        }
    }
}

impl From<std::io::Error> for CatalogueError {
    fn from(error: std::io::Error) -> Self {
        Self::System(error.to_string())
    }
}

/// What the catalogue answers.
pub type CatalogueResult<T> = Result<T, CatalogueError>;

/// A catalogue that could not be used and was put beside the new one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetAside {
    /// Why: `damaged`, or of another version.
    pub because: &'static str,
    /// Where it is now.
    pub to: PathBuf,
}

/// The open catalogue.
#[derive(Debug)]
pub struct Catalogue {
    /// Behind a lock, so that a plan's threads may ask it.
    db: ReentrantMutex<Connection>,
    file: PathBuf,
    /// Whether this program laid it out and does not wait until it is on the disk.
    is_new: bool,
}

impl Catalogue {
    /// Opens the catalogue in a file, which is made if it is not there. One that is damaged or of
    /// another version is set aside.
    ///
    /// # Errors
    /// If the file cannot be made or read.
    pub fn open(file: &Path) -> CatalogueResult<(Self, Option<SetAside>)> {
        match Self::open_as_it_is(file) {
            Ok(Some(catalogue)) => Ok((catalogue, None)),
            Ok(None) => Self::replace(file, "of another version"),
            Err(CatalogueError::Damaged) => Self::replace(file, "damaged"),
            Err(CatalogueError::Unflushed) => {
                Self::replace(file, "not yet on the disk when the system stopped")
            }
            Err(other) => Err(other),
        }
    }

    /// Opens the catalogue to ask it something at once, beside programs that may be writing. Nothing is made, mended or
    /// waited for.
    ///
    /// # Errors
    /// If there is none of this version, or it cannot be read now.
    pub fn open_beside_others(file: &Path) -> CatalogueResult<Self> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        Self::of_this_version(Connection::open_with_flags(file, flags)?, file)
    }

    fn of_this_version(db: Connection, file: &Path) -> CatalogueResult<Self> {
        match db.query_row("PRAGMA user_version", [], |row| row.get::<_, i64>(0))? {
            FORMAT => {
                unflushed::check(&db, file)?;
                Ok(Self { db: db.into(), file: file.to_owned(), is_new: false })
            }
            _ => Err(CatalogueError::System("the catalogue is of another version".into())),
        }
    }

    /// Opens the catalogue only to be asked, where nothing can be written.
    ///
    /// # Errors
    /// If it is not there, or of another version, or cannot be read.
    pub fn open_to_read(file: &Path) -> CatalogueResult<Self> {
        let flags =
            OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX | OpenFlags::SQLITE_OPEN_URI;
        let path = percent_encoding::percent_encode(file.as_os_str().as_bytes(), URI);
        // Without a right to write beside it, SQLite must be told that nobody else can either.
        let db = Connection::open_with_flags(format!("file:{path}?immutable=1"), flags)?;
        Self::of_this_version(db, file)
    }

    /// Sets the file aside and starts a new one.
    ///
    /// # Errors
    /// If it cannot be renamed, or a new one cannot be made.
    pub fn replace(file: &Path, because: &'static str) -> CatalogueResult<(Self, Option<SetAside>)> {
        let with = |ending: &str| {
            let mut name = OsString::from(file);
            name.push(ending);
            PathBuf::from(name)
        };
        let free = (1..).map(|n| with(&format!(".set-aside-{n}"))).find(|path| !path.exists());
        let to = free.expect("numbers do not run out");
        std::fs::rename(file, &to)?;
        // They belong to the old file and would be taken for the new one's.
        for ending in ["-wal", "-shm"] {
            let _ = std::fs::remove_file(with(ending));
        }
        let new = Self::open_as_it_is(file)?.ok_or(CatalogueError::Damaged)?;
        Ok((new, Some(SetAside { because, to })))
    }

    /// `None` if it is of another version.
    fn open_as_it_is(file: &Path) -> CatalogueResult<Option<Self>> {
        let flags = OpenFlags::SQLITE_OPEN_READ_WRITE
            | OpenFlags::SQLITE_OPEN_CREATE
            | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        // It holds the words inside private files. What SQLite puts beside it is as closed.
        let mut new = std::fs::OpenOptions::new();
        match new.write(true).create_new(true).mode(0o600).open(file) {
            Err(error) if error.kind() != std::io::ErrorKind::AlreadyExists => return Err(error.into()),
            _ => {}
        }
        let db = Connection::open_with_flags(file, flags)?;
        // Pages as large as may be, since a column is read as a whole. It counts for a new file only.
        db.execute_batch("PRAGMA page_size = 32768;")?;
        unflushed::wait_again(&db)?;
        let version = || db.query_row("PRAGMA user_version", [], |row| row.get::<_, i64>(0));
        db.busy_timeout(PATIENCE)?;
        let mut is_new = false;
        match version()? {
            FORMAT => {
                unflushed::make_sure(&db, file)?;
                Self::log_ahead(&db)?;
            }
            0 => is_new = Self::lay_out(&db, file)?,
            _ => return Ok(None),
        }
        Ok(Some(Self { db: db.into(), file: file.to_owned(), is_new }))
    }

    /// Makes the tables, unless another program was quicker. Says whether nobody waits until it is on the disk.
    fn lay_out(db: &Connection, file: &Path) -> CatalogueResult<bool> {
        let note = unflushed::note_of(file);
        if note.is_some() {
            unflushed::wait_for_nothing(db)?;
        }
        // A map of what page follows which, without which all pages before a row would have to be read for it. SQLite
        // takes it up when it is prepared; carried out it would write at once, without the note.
        drop(db.prepare("PRAGMA auto_vacuum = INCREMENTAL")?);
        let lay = Transaction::new_unchecked(db, TransactionBehavior::Immediate)?;
        let is_ours = lay.query_row("PRAGMA user_version", [], |row| row.get::<_, i64>(0))? == 0;
        if is_ours {
            lay.execute_batch(SCHEMA)?;
            lay.pragma_update(None, "user_version", FORMAT)?;
            unflushed::announce(&lay, note)?;
        }
        lay.commit()?;
        unflushed::wait_again(db)?;
        Ok(is_ours)
    }

    /// Lets programs read while another writes. Not for a new file: a log would only mean that all of
    /// it is written twice. Where another program is at work it is left to the next one.
    fn log_ahead(db: &Connection) -> CatalogueResult<()> {
        unless_busy(db, || db.pragma_update(None, "journal_mode", "WAL")).map(drop)
    }

    /// Writes what `act` commits: all of it or nothing.
    fn write<R>(&mut self, act: impl FnOnce(Transaction) -> CatalogueResult<R>) -> CatalogueResult<R> {
        let db = self.db.get_mut();
        if !self.is_new {
            return act(db.transaction_with_behavior(TransactionBehavior::Immediate)?);
        }
        let done = unflushed::begin(db).and_then(act);
        unflushed::wait_again(db)?;
        done
    }

    /// What was kept under a name.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn learned(&self, name: &str) -> CatalogueResult<Option<Vec<u8>>> {
        let db = self.db.lock();
        let is_there = "SELECT 1 FROM sqlite_master WHERE name = 'learned'";
        if db.query_row(is_there, [], |_| Ok(())).optional()?.is_none() {
            return Ok(None);
        }
        let ask = "SELECT value FROM learned WHERE name = ?1";
        Ok(db.query_row(ask, [name], |row| row.get(0)).optional()?)
    }

    /// Keeps something under a name, in place of what was.
    ///
    /// # Errors
    /// If the catalogue cannot be written.
    pub fn keep_learned(&self, name: &str, value: &[u8]) -> CatalogueResult<()> {
        let db = self.db.lock();
        db.execute_batch(LEARNED)?;
        let put = "INSERT INTO learned (name, value) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET value = ?2";
        db.execute(put, (name, value))?;
        Ok(())
    }

    /// Where it is.
    pub fn file(&self) -> &Path {
        &self.file
    }
}

/// What was done; nothing, and no waiting, where another program is at work.
fn unless_busy<T>(db: &Connection, act: impl FnOnce() -> rusqlite::Result<T>) -> CatalogueResult<Option<T>> {
    db.busy_timeout(Duration::ZERO)?;
    let done = act();
    db.busy_timeout(PATIENCE)?;
    match done {
        Err(error) if error.sqlite_error_code() == Some(ErrorCode::DatabaseBusy) => Ok(None),
        done => Ok(Some(done?)),
    }
}
