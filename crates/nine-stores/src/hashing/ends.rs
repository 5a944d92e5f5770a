//! Both ends of files, by which most that differ are told apart.

use std::sync::Arc;

use nine_core::copies::{Candidate, Digest};

/// The first and the last block of a file.
#[derive(PartialEq, Eq, Hash)]
pub struct Ends {
    /// The first block.
    pub first: Vec<u8>,
    /// The last block, which may meet the first.
    pub last: Vec<u8>,
}

impl Ends {
    /// The first 64 bits of a digest of both; not 0.
    pub fn mark(&self) -> u64 {
        let mut hasher = blake3::Hasher::new();
        hasher.update(&self.first).update(&self.last);
        u64::from_le_bytes(Digest(*hasher.finalize().as_bytes()).start()).max(1)
    }
}

/// Files of one size that have the same mark.
#[derive(Default)]
pub struct AlikeSoFar {
    /// The files.
    pub files: Vec<Candidate>,
    /// For each, whether its ends are the ones at hand.
    pub has_ends: Vec<bool>,
    /// The ends at hand.
    pub ends: Option<Arc<Ends>>,
}

impl AlikeSoFar {
    /// Adds a file with its ends, if they were read; they are kept if there is room.
    pub fn add(&mut self, file: Candidate, ends: Option<Ends>, room: bool) {
        if self.ends.is_none() && room {
            self.ends = ends.map(Arc::new);
            self.has_ends.push(self.ends.is_some());
        } else {
            // A mark is short, so the ends themselves decide.
            self.has_ends.push(ends.is_some() && self.ends.as_deref() == ends.as_ref());
        }
        self.files.push(file);
    }
}
