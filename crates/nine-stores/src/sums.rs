//! SHA-256 (FIPS 180-4) of what is read.

use std::io::{self, Read};

use nine_core::archive::Sum;
use nine_core::place::ItemPath;
use sha2::{Digest, Sha256};

use crate::{ReadStore, StoreError, StoreResult, Watch};

/// A stream of which the sum is taken as it is read.
pub struct Summing<'r> {
    from: &'r mut dyn Read,
    sum: Sha256,
}

impl<'r> Summing<'r> {
    /// Begins.
    pub fn new(from: &'r mut dyn Read) -> Self {
        Self { from, sum: Sha256::new() }
    }

    /// The sum of all that was read.
    pub fn sum(self) -> Sum {
        Sum(self.sum.finalize().into())
    }
}

impl Read for Summing<'_> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let length = self.from.read(room)?;
        self.sum.update(&room[..length]);
        Ok(length)
    }
}

/// Bytes that are read at once.
const BLOCK: usize = 1 << 18;

/// The sum of all that a stream still holds; `watch` is told of the bytes and may end it.
///
/// # Errors
/// If it cannot be read, or was told to stop.
pub fn sum_of_stream(from: &mut dyn Read, watch: &Watch) -> StoreResult<Sum> {
    let mut summing = Summing::new(from);
    let mut block = vec![0; BLOCK];
    loop {
        if watch.is_stopped() {
            return Err(StoreError::System("it was stopped".into()));
        }
        match summing.read(&mut block) {
            Ok(0) => return Ok(summing.sum()),
            Ok(length) => watch.read(length as u64),
            Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e.into()),
        }
    }
}

/// The sum of a file.
///
/// # Errors
/// As [`sum_of_stream`].
pub fn sum_of(store: &dyn ReadStore, path: &ItemPath, watch: &Watch) -> StoreResult<Sum> {
    sum_of_stream(&mut *store.read(path)?, watch)
}
