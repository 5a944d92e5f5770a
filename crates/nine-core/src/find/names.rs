//! Tests of names and paths over all rows. A quick search for a part of the name comes first; only
//! what it finds is held against the test itself.

use std::borrow::Cow;
use std::ops::Range;

use memchr::memmem::Finder;

use super::Rows;
use crate::condition::{PlainTest, WordSubject, WordTest};
use crate::names::{composed, fold, fold_bytes, split_extension};
use crate::tree::{NodeId, Tree, mark};

/// Bytes of names that are searched at once.
const BLOCK: usize = 64 * 1024;

/// Rows whose extension is one of these (without dots, folded).
pub(super) fn with_extension(tree: &Tree, wanted: &[String], among: &Rows) -> Rows {
    among.filter(|row| {
        let id = NodeId::new(row);
        if tree.is_folder(id) {
            return wanted.iter().any(String::is_empty);
        }
        let name = tree.name(id);
        let may_end = |ext: &String| {
            name.len() >= ext.len() && name[name.len() - ext.len()..].eq_ignore_ascii_case(ext.as_bytes())
        };
        if !wanted.iter().any(|ext| !ext.is_ascii() || may_end(ext)) {
            return false;
        }
        let ext = split_extension(name).1;
        wanted.contains(&fold_bytes(ext.strip_prefix(b".").unwrap_or_default()))
    })
}

/// Rows whose name, stem, folder or path passes a test.
pub(super) fn with_words(tree: &Tree, subject: WordSubject, test: &WordTest, among: &Rows) -> Rows {
    match subject {
        WordSubject::Name | WordSubject::Stem => {
            let candidates = candidates(tree, test, among);
            let exact = subject == WordSubject::Name
                && matches!(test, WordTest::Plain(PlainTest::Has, values) if values.iter().all(|v| v.is_ascii()));
            // An expression of its own for each thread: what two of them share they wait for.
            candidates.filter_at_once(|| {
                let (test, mut texts) = (test.clone(), Texts::of_tree(tree));
                move |row| {
                    let id = NodeId::new(row);
                    (exact && tree.has_mark(id, mark::ASCII)) || test.holds(&texts.of(subject, id))
                }
            })
        }
        WordSubject::Folder => {
            let folders = match part_of_a_name(test) {
                true => below(tree, &with_words(tree, WordSubject::Name, test, &Rows::folders(tree))),
                false => in_folders(tree, |path| test.holds(path)),
            };
            among.filter(|row| folders.has(tree.parent(NodeId::new(row)).row()))
        }
        WordSubject::Path => with_path(tree, test, among),
        WordSubject::Text | WordSubject::Said(_) => Rows::none(tree.rows()),
    }
}

/// Bytes of names that are looked through at once whether they are texts.
const TEXT: usize = 4 * 1024;

/// Names as texts, asked for in rising order: whether many in turn are texts is known sooner than of each alone.
struct Texts<'t> {
    tree: &'t Tree,
    rows: Range<usize>,
    /// Where their names start.
    start: usize,
    /// These names, one behind the other, if all of that is a text.
    text: Option<&'t str>,
}

impl<'t> Texts<'t> {
    fn of_tree(tree: &'t Tree) -> Self {
        Self { tree, rows: 0..0, start: 0, text: None }
    }

    /// The name or stem of an entry.
    fn of(&mut self, subject: WordSubject, id: NodeId) -> Cow<'t, str> {
        let name = self.tree.name(id);
        let bytes = match subject {
            WordSubject::Stem if !self.tree.is_folder(id) => split_extension(name).0,
            _ => name,
        };
        match self.text(id, bytes) {
            Some(text) if self.tree.has_mark(id, mark::ASCII) => Cow::Borrowed(text),
            Some(text) => composed(text),
            None => Cow::Owned(composed(&String::from_utf8_lossy(bytes)).into_owned()),
        }
    }

    /// These bytes with which a name begins, if they are a text.
    fn text(&mut self, id: NodeId, bytes: &'t [u8]) -> Option<&'t str> {
        let row = id.row();
        if !self.rows.contains(&row) {
            let (next, names) = self.tree.names_from(row, TEXT);
            self.start = self.tree.span_of_names(row..row + 1).start;
            (self.rows, self.text) = (row..next, std::str::from_utf8(names).ok());
        }
        let Some(text) = self.text else { return std::str::from_utf8(bytes).ok() };
        let at = self.tree.span_of_names(row..row + 1).start - self.start;
        // Halves of one letter that two names end and begin with make no text of them.
        text.get(at..at + bytes.len())
    }
}

/// Folders whose path passes a test, among them the place itself with an empty path.
fn in_folders(tree: &Tree, holds: impl Fn(&str) -> bool) -> Rows {
    let folders = Rows::folders(tree);
    let mut walk = PathWalk::default();
    folders.filter(|row| holds(&walk.path(tree, NodeId::new(row))))
}

/// Whether a test of a path asks for a part without a slash, which lies in one of the names on the way.
fn part_of_a_name(test: &WordTest) -> bool {
    matches!(test, WordTest::Plain(PlainTest::Has, values) if !values.iter().any(|value| value.contains('/')))
}

/// These rows, and all that lies in them.
fn below(tree: &Tree, rows: &Rows) -> Rows {
    let mut found = rows.clone();
    for id in tree.ids() {
        if found.has(tree.parent(id).row()) {
            found.add(id.row());
        }
    }
    found
}

fn with_path(tree: &Tree, test: &WordTest, among: &Rows) -> Rows {
    if part_of_a_name(test) {
        let named = with_words(tree, WordSubject::Name, test, &Rows::all(tree.rows()));
        return below(tree, &named).and(among);
    }
    let mut walk = PathWalk::default();
    among.filter(|row| test.holds(&walk.path(tree, NodeId::new(row))))
}

/// Makes the paths of rows that are asked for in rising order, each from the one before.
#[derive(Default)]
struct PathWalk {
    /// The folders on the way, and how much of `bytes` is theirs.
    open: Vec<(NodeId, usize)>,
    bytes: Vec<u8>,
}

impl PathWalk {
    fn path(&mut self, tree: &Tree, id: NodeId) -> String {
        let mut way = Vec::new();
        let mut here = id;
        while here != Tree::ROOT && !self.open.iter().rev().any(|(open, _)| *open == here) {
            way.push(here);
            here = tree.parent(here);
        }
        while self.open.last().is_some_and(|(open, _)| *open != here) {
            self.open.pop();
        }
        self.bytes.truncate(self.open.last().map_or(0, |(_, end)| *end));
        for step in way.into_iter().rev() {
            if !self.bytes.is_empty() {
                self.bytes.push(b'/');
            }
            self.bytes.extend_from_slice(tree.name(step));
            if tree.is_folder(step) {
                self.open.push((step, self.bytes.len()));
            }
        }
        composed(&String::from_utf8_lossy(&self.bytes)).into_owned()
    }
}

/// Rows whose name may pass a test; no other does.
fn candidates(tree: &Tree, test: &WordTest, among: &Rows) -> Rows {
    let parts: Vec<String> = match test {
        WordTest::Matches(pattern) => match pattern.beginnings() {
            beginnings if beginnings.is_empty() => return among.clone(),
            beginnings => beginnings,
        },
        WordTest::Plain(_, values) => values.iter().map(|value| fold(value)).collect(),
        WordTest::Like(shapes) => shapes.iter().map(|shape| longest_part(&fold(shape))).collect(),
    };
    // Folding changes bytes outside ASCII, but what is ASCII in a folded name stands in the name too.
    let odd = Rows::marked(tree, mark::FOLDS_ODDLY).and(among);
    let plain = among.clone().without(&odd);
    let mut found = odd;
    for part in &parts {
        let more = match longest_ascii(part) {
            "" if part.is_empty() => plain.clone(),
            "" => plain.clone().without(&Rows::marked(tree, mark::ASCII)),
            ascii => holding(tree, ascii.as_bytes(), &plain),
        };
        found = found.or(&more);
    }
    found
}

/// The longest run of ASCII in a text.
fn longest_ascii(text: &str) -> &str {
    text.split(|c: char| !c.is_ascii()).max_by_key(|run| run.len()).unwrap_or_default()
}

/// The longest piece of a shape that stands for itself.
fn longest_part(shape: &str) -> String {
    shape.split(['*', '?']).max_by_key(|part| part.len()).unwrap_or_default().to_owned()
}

/// Rows whose names hold an ASCII part, letter case ignored.
fn holding(tree: &Tree, part: &[u8], among: &Rows) -> Rows {
    if part.is_empty() {
        return among.clone();
    }
    let finder = Finder::new(part);
    if among.len() * 8 < tree.rows() {
        return among.filter(|row| finder.find(&tree.name(NodeId::new(row)).to_ascii_lowercase()).is_some());
    }
    let mut found = Rows::none(tree.rows());
    let mut block = Vec::with_capacity(BLOCK);
    let mut row = 0;
    while row < tree.rows() {
        let (next, names) = tree.names_from(row, BLOCK);
        block.clear();
        block.extend_from_slice(names);
        block.make_ascii_lowercase();
        let mut from = 0;
        while let Some(at) = finder.find(&block[from..]).map(|at| from + at) {
            let (hit, end) = tree.name_with_byte(row..next, at);
            // What lies across two names is in neither.
            if at + finder.needle().len() <= end {
                found.add(hit);
            }
            from = end;
        }
        row = next;
    }
    found.and(among)
}
