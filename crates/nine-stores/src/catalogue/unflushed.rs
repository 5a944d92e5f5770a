//! A new catalogue, for which nobody waits until it is on the disk.
//!
//! It is many bytes, and only saves time. Were the power to fail before the system has written them all, they could be
//! there in part, and what is known of files in part is worse than nothing. So a new catalogue says in which run of the
//! system, and on which device, it came to be. The next program that opens it in that run flushes it and takes the note
//! away; in another run it is not believed. The note stands on the first page, in each state of which it is there until
//! then: whatever of the file has come to the disk, either it says so or it is no catalogue.

use std::fs::{self, File};
use std::os::unix::fs::MetadataExt;
use std::path::Path;

use rusqlite::{Connection, Transaction, TransactionBehavior};

use super::{CatalogueError, CatalogueResult, unless_busy};

/// The number in the file's header that programs may use as they like.
const NOTE: &str = "application_id";

/// The note for a file: a digest of the run of the system and the device that it is on, never 0. What was written stands
/// in memory, or on the disk, as long as both are the same. `None` where the system does not tell.
pub(super) fn note_of(file: &Path) -> Option<i32> {
    let mut told = fs::read("/proc/sys/kernel/random/boot_id").ok()?;
    told.extend(fs::metadata(file).ok()?.dev().to_le_bytes());
    let [a, b, c, d, ..] = *blake3::hash(&told).as_bytes();
    Some(i32::from_le_bytes([a | 1, b, c, d]))
}

/// The note, if there is one.
fn note(db: &Connection) -> CatalogueResult<Option<i32>> {
    let note = db.pragma_query_value(None, NOTE, |row| row.get(0))?;
    Ok(Some(note).filter(|note| *note != 0))
}

/// Notes down in a catalogue that is being laid out that it is not waited for; where there is no note, it has to be.
pub(super) fn announce(db: &Transaction, note: Option<i32>) -> CatalogueResult<()> {
    Ok(db.pragma_update(None, NOTE, note.unwrap_or(0))?)
}

/// Says whether all is there that was written.
///
/// # Errors
/// If the power may have failed before all of it was: nothing in it can be believed.
pub(super) fn check(db: &Connection, file: &Path) -> CatalogueResult<()> {
    match note(db)? {
        Some(told) if Some(told) != note_of(file) => Err(CatalogueError::Unflushed),
        _ => Ok(()),
    }
}

/// The same, and makes sure of it from now on.
///
/// # Errors
/// As [`check`]; and if it cannot be flushed.
pub(super) fn make_sure(db: &Connection, file: &Path) -> CatalogueResult<()> {
    if note(db)?.is_none() {
        return Ok(());
    }
    check(db, file)?;
    // Nobody writes meanwhile, so that what the note stands for is flushed before it goes. Where another program is at
    // work it is left to the next one.
    let begin = || Transaction::new_unchecked(db, TransactionBehavior::Immediate);
    let Some(write) = unless_busy(db, begin)? else { return Ok(()) };
    File::open(file)?.sync_all()?;
    write.pragma_update(None, NOTE, 0)?;
    Ok(write.commit()?)
}

/// Begins to write into a catalogue that this program has laid out, without waiting for the disk while the note stands.
/// [`wait_again`] must follow.
pub(super) fn begin(db: &Connection) -> CatalogueResult<Transaction<'_>> {
    wait_for_nothing(db)?;
    let write = Transaction::new_unchecked(db, TransactionBehavior::Immediate)?;
    if note(&write)?.is_some() {
        return Ok(write);
    }
    // Another program has taken it away, or there never was one.
    drop(write);
    wait_again(db)?;
    Ok(Transaction::new_unchecked(db, TransactionBehavior::Immediate)?)
}

/// Waits for no disk from now on.
pub(super) fn wait_for_nothing(db: &Connection) -> CatalogueResult<()> {
    Ok(db.execute_batch("PRAGMA synchronous = OFF")?)
}

/// Waits for the disk from now on.
pub(super) fn wait_again(db: &Connection) -> CatalogueResult<()> {
    Ok(db.execute_batch("PRAGMA synchronous = NORMAL")?)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// How a transaction that begins now waits for the disk: 0 not at all, 1 as it should.
    fn waits(db: &Connection) -> i64 {
        let asked = begin(db).unwrap().query_row("PRAGMA synchronous", [], |row| row.get(0));
        wait_again(db).unwrap();
        asked.unwrap()
    }

    #[test]
    fn it_waits_for_the_disk_once_another_program_has_made_sure() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("catalogue.sqlite");
        let mut db = Connection::open(&file).unwrap();
        let laid_out = db.transaction().unwrap();
        announce(&laid_out, note_of(&file)).unwrap();
        laid_out.commit().unwrap();
        assert_eq!(waits(&db), 0);
        // One that is writing is not waited for, and the note stays.
        let other = Connection::open(&file).unwrap();
        let writes = begin(&db).unwrap();
        make_sure(&other, &file).unwrap();
        drop(writes);
        assert_eq!(waits(&db), 0);
        make_sure(&other, &file).unwrap();
        assert_eq!(waits(&db), 1);
    }
}
