//! What is known of the bytes of files, carried over like all that is learned: a mark of both ends, the
//! digest of the whole, what a picture looks like.

use super::learned::NO_ROW;
use super::{CarriedRows, NodeId, Tree};
use crate::copies::Digest;

/// What a picture is and looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Looks {
    /// Pixels across and down.
    pub pixels: (u32, u32),
    /// What it looks like; see [`crate::copies::similar`].
    pub print: u64,
}

/// Kept for a file that is no picture, or none that can be read.
const NO_PICTURE: u64 = u64::MAX;

impl Tree {
    /// A mark of a file's first and last block; `None` as long as nobody read them, or where the
    /// whole was read at once.
    pub fn ends(&self, id: NodeId) -> Option<u64> {
        self.ends.get(id.row()).copied().filter(|ends| *ends != 0)
    }

    /// The digest of all of a file's bytes; `None` as long as nobody read them.
    pub fn digest(&self, id: NodeId) -> Option<Digest> {
        let number = self.whole.get(id.row()).copied().unwrap_or(0);
        self.digests.get((number as usize).checked_sub(1)?).map(|bytes| Digest(*bytes))
    }

    /// Whether any file was read as a whole.
    pub(crate) fn has_digests(&self) -> bool {
        !self.digests.is_empty()
    }

    /// Learns the mark of both ends. 0 stands for 1.
    pub fn learn_ends(&mut self, id: NodeId, ends: u64) {
        self.ends.resize(self.rows, 0);
        self.ends[id.row()] = ends.max(1);
    }

    /// Learns the digest of the whole.
    pub fn learn_digest(&mut self, id: NodeId, digest: Digest) {
        self.whole.resize(self.rows, 0);
        self.digests.push(digest.0);
        self.whole[id.row()] = self.digests.len() as u32;
    }

    /// How many items have a file's bytes, itself counted; `None` as long as nobody counted.
    pub fn copies(&self, id: NodeId) -> Option<u32> {
        self.copies.get(id.row()).copied().filter(|copies| *copies != 0)
    }

    /// Learns how many items have its bytes. It is not kept: it hangs on what lies elsewhere.
    pub fn learn_copies(&mut self, id: NodeId, copies: u32) {
        self.copies.resize(self.rows, 0);
        self.copies[id.row()] = copies;
    }

    /// What a picture looks like: `None` as long as nobody looked, `Some(None)` where it is none.
    pub fn looks(&self, id: NodeId) -> Option<Option<Looks>> {
        let pixels = self.pixels.get(id.row()).copied().filter(|pixels| *pixels != 0)?;
        let print = self.prints.get(id.row()).copied().unwrap_or(0);
        let size = ((pixels >> 32) as u32, pixels as u32);
        Some((pixels != NO_PICTURE).then_some(Looks { pixels: size, print }))
    }

    /// Learns what a picture looks like, or that it is none.
    pub fn learn_looks(&mut self, id: NodeId, looks: Option<Looks>) {
        self.pixels.resize(self.rows, 0);
        self.prints.resize(self.rows, 0);
        let both = |looks: Looks| (u64::from(looks.pixels.0) << 32 | u64::from(looks.pixels.1), looks.print);
        (self.pixels[id.row()], self.prints[id.row()]) = looks.map_or((NO_PICTURE, 0), both);
    }

    /// Takes over what an earlier tree knows of the bytes of entries that are the same. It may be another
    /// tree than the one with which they were compared, with the same rows and these columns alone, so
    /// that less has to be in memory at once.
    pub fn carry_bytes(&mut self, carried: &CarriedRows, before: &Tree) {
        if before.ends.is_empty() && before.whole.is_empty() && before.pixels.is_empty() {
            return;
        }
        self.digests.reserve_exact(before.digests.len());
        for (row, was) in carried.was.iter().enumerate().filter(|(_, was)| **was != NO_ROW) {
            let (id, old) = (NodeId::new(row), NodeId(*was));
            if let Some(ends) = before.ends(old) {
                self.learn_ends(id, ends);
            }
            if let Some(digest) = before.digest(old) {
                self.learn_digest(id, digest);
            }
            if let Some(looks) = before.looks(old) {
                self.learn_looks(id, looks);
            }
        }
    }
}
