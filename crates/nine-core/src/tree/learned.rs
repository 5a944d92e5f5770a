//! What is learned of an entry beyond the scan, and carried over from one scan to the next: tags,
//! what the content is, the words inside, when it was first seen.

use std::collections::HashMap;

use rustc_hash::FxHashSet;

use super::{NEVER, NO_FOLDER, NodeId, Tree, mark};
use crate::find::Rows;
use crate::item::{Entry, Kind};
use crate::kinds::{self, Content};
use crate::moment::Moment;

/// What is known of an entry's tags.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TagsOf<'a> {
    /// Nobody asked.
    NotAsked,
    /// These, or none.
    Known(&'a [String]),
}

/// Tags that entries have together.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TagSet {
    /// Those that somebody gave them.
    pub own: Vec<String>,
    /// Those that stand in their own text.
    pub inside: Vec<String>,
}

/// What is to be learned of entries where it is not known yet.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Unlearned {
    /// Their tags.
    pub tags: bool,
    /// What their contents are.
    pub content: bool,
}

/// What came of carrying over.
#[derive(Debug)]
pub struct CarriedRows {
    /// Entries that were not there before.
    pub strangers: Vec<NodeId>,
    /// Whether everything is as it was, row by row.
    pub all_same: bool,
    /// For each row, the one of the earlier tree that it is the same as, or [`NO_ROW`].
    pub(super) was: Vec<u32>,
}

/// No row of the earlier tree.
pub(super) const NO_ROW: u32 = u32::MAX;

const NO_TAGS: u32 = 1;

/// A file that was changed this short a time (in nanoseconds) before it was looked at may be changed
/// again within the same tick of its file system's clock. The coarsest clocks in use tick every two
/// seconds.
const UNSETTLED: i64 = 2_000_000_000;

/// What was last changed before this moment had settled when it was looked at.
pub fn settled_by(looked_at: Moment) -> Moment {
    Moment(looked_at.0.saturating_sub(UNSETTLED))
}

impl Tree {
    /// What is known of an entry's tags.
    pub fn tags(&self, id: NodeId) -> TagsOf<'_> {
        match self.tags.get(id.row()).copied().unwrap_or(0) {
            0 => TagsOf::NotAsked,
            NO_TAGS => TagsOf::Known(&[]),
            set => TagsOf::Known(self.tag_sets.get(set as usize - 2).map_or(&[], |set| &set.own)),
        }
    }

    /// The tags that stand in an entry's own text, where it is a note and that is known.
    pub fn note_tags(&self, id: NodeId) -> &[String] {
        let set = self.tag_set_of(id) as usize;
        set.checked_sub(2).and_then(|at| self.tag_sets.get(at)).map_or(&[], |set| &set.inside)
    }

    /// All tags of an entry, also those in a note's text; `None` if nobody asked.
    pub fn all_tags(&self, id: NodeId) -> Option<Vec<String>> {
        match self.tags(id) {
            TagsOf::NotAsked => None,
            TagsOf::Known(own) => Some(own_and(own, self.note_tags(id))),
        }
    }

    /// Every set of tags that some of these rows have, all of them as [`Tree::all_tags`] has them, with their rows;
    /// that of the first row first.
    pub fn by_tags(&self, among: &Rows) -> Vec<(Vec<String>, Vec<NodeId>)> {
        let mut numbers: Vec<u32> = Vec::new();
        let mut rows: HashMap<u32, Vec<NodeId>> = HashMap::new();
        for id in among.filter_column(self.tag_set_numbers(), |set| set > NO_TAGS).ids() {
            let of_set = rows.entry(self.tag_set_of(id)).or_default();
            if of_set.is_empty() {
                numbers.push(self.tag_set_of(id));
            }
            of_set.push(id);
        }
        let set_of = |number: &u32| self.tag_sets.get(*number as usize - 2);
        let all = |number: u32| {
            let set = set_of(&number)?;
            Some((own_and(&set.own, &set.inside), rows.remove(&number)?))
        };
        numbers.into_iter().filter_map(all).collect()
    }

    /// Every set of tags that some entry has or had, with its number in [`Tree::tag_set_of`].
    pub fn tag_sets(&self) -> impl Iterator<Item = (u32, &TagSet)> {
        (2..).zip(&self.tag_sets)
    }

    /// The number of an entry's set of tags: 0 not asked, 1 none.
    pub fn tag_set_of(&self, id: NodeId) -> u32 {
        self.tags.get(id.row()).copied().unwrap_or(0)
    }

    /// Learns an entry's tags: its own, and those inside it.
    pub fn learn_tags(&mut self, id: NodeId, own: &[String], inside: &[String]) {
        self.tags.resize(self.rows, 0);
        let set = if own.is_empty() && inside.is_empty() {
            NO_TAGS
        } else {
            // The newest sets are the likeliest.
            match self.tag_sets.iter().rposition(|set| set.own == own && set.inside == inside) {
                Some(at) => at as u32 + 2,
                None => {
                    self.tag_sets.push(TagSet { own: own.to_vec(), inside: inside.to_vec() });
                    self.tag_sets.len() as u32 + 1
                }
            }
        };
        self.tags[id.row()] = set;
    }

    /// What the content was recognised as; `None` as long as nobody looked.
    pub fn content(&self, id: NodeId) -> Option<&Content> {
        match self.content.get(id.row()).copied().unwrap_or(0) {
            0 => None,
            at => self.contents.get(usize::from(at) - 1),
        }
    }

    /// Learns what an entry's content is, and with it its type. `None`: it cannot be read.
    pub fn learn_content(&mut self, id: NodeId, content: Option<Content>) {
        let at = id.row();
        self.marks[at] |= mark::LOOKED;
        let Some(content) = content else { return };
        self.content.resize(self.rows, 0);
        let number = match self.contents.iter().position(|known| *known == content) {
            Some(at) => at,
            None if self.contents.len() < usize::from(u8::MAX) => {
                self.contents.push(content);
                self.contents.len() - 1
            }
            None => return,
        };
        self.content[at] = number as u8 + 1;
        if self.kind(id) == Kind::File {
            let verdict = kinds::decide(self.name(id), Some(&content));
            let contradicted = matches!(verdict.evidence, kinds::Evidence::Contradiction(_));
            self.item_type[at] = verdict.item_type as u8;
            self.marks[at] =
                self.marks[at] & !mark::MISLABELLED | if contradicted { mark::MISLABELLED } else { 0 };
        }
    }

    /// The number of its words in the index; 0 as long as nobody read it.
    pub fn text(&self, id: NodeId) -> u32 {
        self.text.get(id.row()).copied().unwrap_or(0)
    }

    /// Whether the words of anything were read.
    pub fn has_texts(&self) -> bool {
        self.text.iter().any(|number| *number != 0)
    }

    /// The row of what a store tells of under some name, wherever it lies here.
    pub fn row_of(&self, entry: &Entry) -> Option<NodeId> {
        self.identity.iter().position(|known| *known == entry.identity.0).map(NodeId::new)
    }

    /// The number of the words of what a store tells of, if it is the same still.
    pub fn text_of(&self, entry: &Entry) -> Option<u32> {
        let id = self.row_of(entry)?;
        let at = id.row();
        let same = self.size[at] == entry.size
            && self.modified[at] == entry.modified.0
            && self.changed[at] == entry.changed.0;
        Some(self.text(id)).filter(|number| same && *number != 0)
    }

    /// Learns the number of an entry's words.
    pub fn learn_text(&mut self, id: NodeId, number: u32) {
        self.text.resize(self.rows, 0);
        self.text[id.row()] = number;
    }

    /// Whether an entry may have words inside, as far as its type tells.
    pub fn may_have_words(&self, id: NodeId) -> bool {
        self.kind(id) == Kind::File && self.item_type(id).has_words()
    }

    /// Whether an entry may say something of itself, as far as its type tells.
    pub fn may_say(&self, id: NodeId) -> bool {
        self.kind(id) == Kind::File && self.item_type(id).says_something()
    }

    /// Whether an entry's type is not certain without a look at its content: it lies loose, or its
    /// name says little.
    pub fn wants_look(&self, id: NodeId) -> bool {
        self.kind(id) == Kind::File
            && !self.has_mark(id, mark::LOOKED)
            && (self.has_mark(id, mark::SAYS_LITTLE) || self.parent(id) == Self::ROOT)
    }

    /// Carries over what was learned of entries that are still the same (identity, kind, size, times):
    /// only then may a file be taken as read. `before` was scanned at `before_at`; what had changed
    /// just then could have changed again unseen, and is learned anew.
    ///
    /// What is known of their bytes is carried over as far as `before` has it; see [`Tree::carry_bytes`].
    pub fn carry_over(
        &mut self,
        rows: impl IntoIterator<Item = NodeId>,
        before: &Tree,
        before_at: Moment,
    ) -> CarriedRows {
        let settled = settled_by(before_at).0;
        let mut numbers: Option<Vec<u32>> = None;
        let mut strangers = Vec::new();
        // Rows mostly follow one another as they did before.
        let mut guess = 0;
        let mut all_same = self.rows == before.rows;
        let mut was = vec![NO_ROW; self.rows];
        for id in rows {
            let wanted = self.identity[id.row()];
            if before.identity.get(guess) != Some(&wanted) {
                let numbers = numbers.get_or_insert_with(|| before.by_identity());
                match numbers.binary_search_by_key(&wanted, |row| before.identity[*row as usize]) {
                    Ok(found) => guess = numbers[found] as usize,
                    Err(_) => {
                        strangers.push(id);
                        continue;
                    }
                }
            }
            all_same &= guess == id.row() && self.is_same(id.row(), before, guess);
            if self.carry_row(id.row(), before, guess, settled) {
                was[id.row()] = guess as u32;
            }
            guess += 1;
        }
        all_same &= strangers.is_empty();
        let carried = CarriedRows { strangers, all_same, was };
        self.carry_bytes(&carried, before);
        carried
    }

    /// Where only the first word of the place's own identity is another one than `now`, its file system has come
    /// back under another number: what was on it is on it still.
    pub fn take_volume_of(&mut self, now: &Tree) {
        let (Some([was, item]), Some([is, same])) = (self.identity.first(), now.identity.first()) else {
            return;
        };
        let (was, is) = (*was, *is);
        if was != is && item == same {
            self.identity
                .iter_mut()
                .filter(|identity| identity[0] == was)
                .for_each(|identity| identity[0] = is);
        }
    }

    /// Whether an entry is the same as one of an earlier tree in all that a scan tells.
    fn is_same(&self, row: usize, before: &Tree, was: usize) -> bool {
        self.kind[row] == before.kind[was]
            && self.size[row] == before.size[was]
            && self.modified[row] == before.modified[was]
            && self.changed[row] == before.changed[was]
    }

    /// Whether something here is what some rows of another tree are, wherever it lies.
    pub fn holds_any_of(&self, rows: &[NodeId], other: &Tree) -> bool {
        let wanted: FxHashSet<[u64; 2]> = rows.iter().map(|id| other.identity[id.row()]).collect();
        self.identity.iter().any(|identity| wanted.contains(identity))
    }

    /// The rows in the order of their identities: a fraction of what a hash table takes.
    fn by_identity(&self) -> Vec<u32> {
        let mut rows: Vec<u32> = (0..self.rows as u32).collect();
        rows.sort_unstable_by_key(|row| self.identity[*row as usize]);
        rows
    }

    /// Dates the entries of a store that keeps no births and that were not there before: they have
    /// arrived by `at`.
    pub fn date_arrivals(&mut self, strangers: &[NodeId], at: Moment) {
        for id in strangers.iter().filter(|id| **id != Self::ROOT) {
            if self.born[id.row()] == NEVER {
                self.set_arrived(id.row(), at.0);
            }
        }
        if !self.arrived.is_empty() {
            self.date_folders();
        }
    }

    /// Sums up anew when the last thing in each folder was changed or arrived.
    fn date_folders(&mut self) {
        let mut latest = vec![NEVER; self.folder_latest.len()];
        for row in (1..self.rows).rev() {
            let id = NodeId::new(row);
            let own = match self.folder[row] {
                NO_FOLDER => self.age_from(id).0,
                folder => latest[folder as usize],
            };
            let above = self.folder[self.parent[row] as usize] as usize;
            latest[above] = latest[above].max(own);
        }
        for (kept, latest) in self.folder_latest.iter_mut().zip(latest) {
            *kept = if latest == NEVER { *kept } else { latest };
        }
    }

    /// Says whether the entry is the same, so that what was learned of it counts.
    fn carry_row(&mut self, row: usize, before: &Tree, was: usize, settled: i64) -> bool {
        let (id, old) = (NodeId::new(row), NodeId::new(was));
        if let Some(arrived) = before.arrived.get(was).copied().filter(|arrived| *arrived != NEVER) {
            self.set_arrived(row, arrived);
        }
        let same = self.kind[row] == before.kind[was]
            && (self.size[row] == before.size[was] || self.kind(id) == Kind::Folder)
            && self.modified[row] == before.modified[was]
            && self.changed[row] == before.changed[was]
            && before.changed[was] < settled;
        if !same {
            return false;
        }
        if let TagsOf::Known(tags) = before.tags(old) {
            self.learn_tags(id, tags, before.note_tags(old));
        }
        if before.has_mark(old, mark::LOOKED) {
            self.learn_content(id, before.content(old).copied());
        }
        if before.text(old) != 0 {
            self.learn_text(id, before.text(old));
        }
        true
    }

    fn set_arrived(&mut self, row: usize, at: i64) {
        if self.arrived.is_empty() {
            self.arrived.resize(self.rows, NEVER);
        }
        self.arrived[row] = at;
    }
}

/// An entry's own tags, and those in its text that are none of them.
fn own_and(own: &[String], inside: &[String]) -> Vec<String> {
    let mut all = own.to_vec();
    for tag in inside {
        crate::tags::add(&mut all, tag);
    }
    all
}
