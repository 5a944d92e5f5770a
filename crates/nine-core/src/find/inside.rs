//! Tests of what was read inside files: their words, and what they say of themselves.

use std::collections::HashMap;

use super::{Matches, Query, Rows};
use crate::condition::Test;
use crate::item::Kind;
use crate::metadata::Metadata;
use crate::tree::{NodeId, Tree};

/// For each test of what is inside, in its written form, the texts that it holds for.
pub type TextAnswers = HashMap<String, TextNumbers>;

/// A set of the numbers under which a catalogue keeps texts: one bit each, since they lie close together.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TextNumbers {
    words: Vec<u64>,
}

impl TextNumbers {
    /// Whether a number is among them.
    #[inline]
    pub fn has(&self, number: u32) -> bool {
        let word = self.words.get(number as usize / 64).copied().unwrap_or(0);
        word >> (number % 64) & 1 == 1
    }

    /// Adds a number.
    pub fn add(&mut self, number: u32) {
        let at = number as usize / 64;
        if self.words.len() <= at {
            self.words.resize(at + 1, 0);
        }
        self.words[at] |= 1 << (number % 64);
    }
}

impl FromIterator<u32> for TextNumbers {
    fn from_iter<I: IntoIterator<Item = u32>>(numbers: I) -> Self {
        let mut set = Self::default();
        numbers.into_iter().for_each(|number| set.add(number));
        set
    }
}

impl Query<'_> {
    /// What a row says of itself, where it was read.
    pub(super) fn said_of(&self, id: NodeId) -> Option<Metadata> {
        if self.tree.text(id) == 0 { None } else { (self.said_by)(id) }
    }

    /// A test of the words inside; unread files are maybes where they may be read.
    pub(super) fn text(&self, test: &Test, among: &Rows) -> Matches {
        let may_be_read = self.reads_text;
        self.inside(test, among, |tree, id| may_be_read && tree.may_have_words(id))
    }

    /// A test of what items say of themselves; unread files are maybes. `of_any` asks files of every type.
    pub(super) fn said(&self, test: &Test, among: &Rows, of_any: bool) -> Matches {
        self.inside(test, among, |tree, id| {
            tree.may_say(id) || (of_any && tree.kind(id) == Kind::File) || tree.wants_look(id)
        })
    }

    fn inside(&self, test: &Test, among: &Rows, may_tell: impl Fn(&Tree, NodeId) -> bool) -> Matches {
        let tree = self.tree;
        let none = TextNumbers::default();
        let answers = self.texts.get(&test.to_string()).unwrap_or(&none);
        // No text has the number of what was not read.
        let yes = among.filter_column(tree.text_numbers(), |number| answers.has(number));
        if self.settle_for_less {
            return Matches::sure(yes);
        }
        let unread = |id: NodeId| tree.text(id) == 0 && may_tell(tree, id);
        Matches { maybe: among.filter(|row| unread(NodeId::new(row))), yes }
    }
}
