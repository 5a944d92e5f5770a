//! Items with the same bytes: which files are in question, which belong together, which one stays.
//!
//! Nothing here reads a file. [`Candidates`] says which must be read, the stores read them and note
//! down what they found in the trees, and [`groups`] puts together what is the same.

mod across;
mod folders;
mod groups;
mod keep;
mod listing;
mod names;
mod question;
pub mod similar;
mod together;

pub use across::{Across, across, same_names};
pub use folders::{Folded, Part, fold, hidden_in_question};
pub use groups::{Alike, CopiesTake, Group, Taken, copies_take, groups};
pub use keep::{Chosen, Keep, KeepFacts, choose};
pub use listing::{Listed, WrongListing, read_listing};
pub use names::{LookAlike, look_alikes};
pub use question::{Candidate, Candidates, END, Meet, Side};
pub use together::{followers, leader};

use std::fmt;

use crate::tree::{NodeId, Tree};

/// The BLAKE3 digest of all bytes of a file.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// Its first eight bytes.
    pub fn start(&self) -> [u8; 8] {
        std::array::from_fn(|at| self.0[at])
    }

    /// Reads what `to_string` wrote: 64 hexadecimal digits.
    pub fn parse(text: &str) -> Option<Self> {
        let mut bytes = [0; 32];
        if text.len() != 64 || !text.is_ascii() {
            return None;
        }
        for (at, byte) in bytes.iter_mut().enumerate() {
            *byte = u8::from_str_radix(&text[at * 2..at * 2 + 2], 16).ok()?;
        }
        Some(Self(bytes))
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self}")
    }
}

/// An entry of one of several trees.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Member {
    /// The number of the tree.
    pub view: u32,
    /// Its row there.
    pub id: NodeId,
}

impl Member {
    /// The entry in a row of a tree.
    pub fn new(view: usize, id: NodeId) -> Self {
        Self { view: view as u32, id }
    }

    /// Its tree.
    pub fn tree<'t>(&self, trees: &[&'t Tree]) -> &'t Tree {
        trees[self.view as usize]
    }
}

#[cfg(test)]
mod tests;
