//! The lock that keeps a second run out.

use std::fs::{File, OpenOptions};
use std::io::{self, Seek, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

use rustix::fs::{FlockOperation, flock};
use rustix::io::Errno;

use crate::private::make_private;

/// Held while a run is at work; let go when dropped, also by a killed program.
#[derive(Debug)]
#[must_use]
pub struct Lock {
    _file: File,
}

/// Who holds the lock.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AtWork {
    /// What it wrote of itself: its command and process.
    pub who: String,
}

/// Takes the lock in the data folder, writing `who` into it.
///
/// # Errors
/// If the file cannot be made or read. `Ok(Err(…))` names the run that is at work.
pub fn lock(data: &Path, who: &str) -> io::Result<Result<Lock, AtWork>> {
    lock_as(data, "lock", who)
}

/// The same with a file of another name, which locks something else.
///
/// # Errors
/// As [`lock`].
pub fn lock_as(data: &Path, name: &str, who: &str) -> io::Result<Result<Lock, AtWork>> {
    make_private(data)?;
    let mut open = OpenOptions::new();
    open.read(true).write(true).create(true).truncate(false).mode(0o600);
    let mut file = open.open(data.join(name))?;
    match flock(&file, FlockOperation::NonBlockingLockExclusive) {
        Ok(()) => {
            // Who it is is a courtesy; on a full disk the lock holds without it.
            let _ =
                file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(who.as_bytes()));
            Ok(Ok(Lock { _file: file }))
        }
        Err(Errno::WOULDBLOCK) => {
            let who = nine_stores::bounded::up_to(file, 1024)?;
            Ok(Err(AtWork { who: String::from_utf8_lossy(&who).into_owned() }))
        }
        Err(other) => Err(other.into()),
    }
}
