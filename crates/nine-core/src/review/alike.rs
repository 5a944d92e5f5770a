//! Items that are like one another, so that what is decided for one may be decided for all.

use std::collections::HashSet;

use super::{Review, ReviewItem, State};
use crate::item::Kind;
use crate::names::{fold, fold_bytes, split_extension};
use crate::place::Spot;

/// In what items are alike.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Likeness {
    /// Their extension, folded, without the dot.
    Extension(String),
    /// A word in their names, folded.
    Word(String),
    /// The folder that they lie in.
    Folder(Spot),
    /// Who sent them.
    Sender(String),
}

/// Items that are alike, and nothing is decided of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Alike {
    /// In what.
    pub likeness: Likeness,
    /// Their numbers.
    pub items: Vec<usize>,
}

/// How many words of a name are offered.
const WORDS: usize = 4;

/// Letters that a word has at least, so that it says something.
const SHORTEST: usize = 4;

impl Likeness {
    /// Whether an item is like it.
    pub fn holds(&self, item: &ReviewItem) -> bool {
        let proposal = &item.proposal;
        match self {
            Likeness::Extension(ext) => {
                proposal.kind != Kind::Folder && extension(proposal.item.path.name()) == *ext
            }
            Likeness::Word(word) => has_folded(proposal.item.path.name(), word),
            Likeness::Folder(folder) => proposal.item.folder() == *folder,
            Likeness::Sender(sender) => item.sender.as_deref().is_some_and(|is| fold(is) == fold(sender)),
        }
    }
}

impl Review {
    /// In what others may be like an item.
    pub fn likenesses(&self, at: usize) -> Vec<Likeness> {
        likenesses_of(&self.items()[at])
    }

    /// In what an item is like others of which nothing is decided, with those; the fewest first.
    pub fn alike(&self, at: usize) -> Vec<Alike> {
        AlikeSearch::new(self, at).end(self)
    }
}

/// A search for what is like an item, which can be gone on with in parts: a list may be long.
#[derive(Debug, Clone)]
pub struct AlikeSearch {
    at: usize,
    found: Vec<Alike>,
    /// The first item that was not looked at.
    next: usize,
}

impl AlikeSearch {
    /// A search for what is like an item.
    pub fn new(review: &Review, at: usize) -> Self {
        let likenesses = review.likenesses(at).into_iter();
        let found = likenesses.map(|likeness| Alike { likeness, items: Vec::new() }).collect();
        Self { at, found, next: 0 }
    }

    /// Looks at so many more items; says whether there are more.
    pub fn go_on(&mut self, review: &Review, most: usize) -> bool {
        let until = self.next.saturating_add(most).min(review.items().len());
        for other in self.next..until {
            let item = &review.items()[other];
            if other == self.at || item.state != State::Open {
                continue;
            }
            for alike in self.found.iter_mut().filter(|alike| alike.likeness.holds(item)) {
                alike.items.push(other);
            }
        }
        self.next = until;
        until < review.items().len()
    }

    /// Looks at all that was not looked at; what was found, the fewest first.
    pub fn end(mut self, review: &Review) -> Vec<Alike> {
        self.go_on(review, usize::MAX);
        let mut found = self.found;
        found.retain(|alike| !alike.items.is_empty());
        found.sort_by_key(|alike| alike.items.len());
        let mut seen = HashSet::new();
        found
            .retain(|alike| seen.insert(alike.items.clone()) || !matches!(alike.likeness, Likeness::Word(_)));
        found
    }
}

/// In what others may be like an item.
fn likenesses_of(item: &ReviewItem) -> Vec<Likeness> {
    let proposal = &item.proposal;
    let name = proposal.item.path.name();
    let mut found: Vec<Likeness> = item.sender.iter().map(|who| Likeness::Sender(who.to_string())).collect();
    found.extend(telling_words(name).into_iter().map(Likeness::Word));
    let ext = extension(name);
    if proposal.kind != Kind::Folder && !ext.is_empty() {
        found.push(Likeness::Extension(ext));
    }
    if proposal.item.path.depth() > 1 {
        found.push(Likeness::Folder(proposal.item.folder()));
    }
    found
}

/// The words of a name that say something: of letters alone, and not too short.
fn telling_words(name: &[u8]) -> Vec<String> {
    let stem = fold_bytes(split_extension(name).0);
    let mut words: Vec<String> = Vec::new();
    for word in stem.split(|c: char| !c.is_alphabetic()).filter(|word| word.chars().count() >= SHORTEST) {
        if !words.iter().any(|known| known == word) {
            words.push(word.to_owned());
        }
    }
    words.truncate(WORDS);
    words
}

/// The extension, folded and without its dot.
fn extension(name: &[u8]) -> String {
    fold_bytes(split_extension(name).1).trim_start_matches('.').to_owned()
}

/// Whether a name has a folded text in it. Plain names are compared as they are, since lists are long.
fn has_folded(name: &[u8], word: &str) -> bool {
    if !(name.is_ascii() && word.is_ascii()) {
        return fold_bytes(name).contains(word);
    }
    name.windows(word.len()).any(|part| part.eq_ignore_ascii_case(word.as_bytes()))
}

impl std::fmt::Display for Likeness {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        use crate::escape::plain;
        match self {
            Likeness::Extension(ext) => write!(f, "with the extension {}", plain(ext)),
            Likeness::Word(word) => write!(f, "with `{}` in the name", plain(word)),
            Likeness::Folder(folder) => write!(f, "in {folder}"),
            Likeness::Sender(sender) => write!(f, "from {}", plain(sender)),
        }
    }
}
