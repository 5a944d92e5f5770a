//! Which rows of a tree a condition holds for, answered column by column.
//!
//! The answer has three values: what is not yet known (tags that nobody asked for, a content that
//! nobody looked at) makes a row a `maybe`. The caller learns what those rows need and asks again.
//! [`Condition::holds`] is the same question for one item; a test holds both against one another.

mod facets;
mod inside;
mod names;
mod rows;

pub use facets::Asked;
pub use inside::{TextAnswers, TextNumbers};
pub use rows::Rows;

use crate::condition::{
    AgeSubject, Compare, Condition, CountSubject, DateSubject, Flag, TagTest, Test, WordSubject, WordTest,
};
use crate::item::Kind;
use crate::kinds::TYPES;
use crate::metadata::{Metadata, TextField};
use crate::moment::{Moment, Now};
use crate::tree::{NodeId, TagsOf, Tree, mark};

/// A tree and what must be known to ask it.
pub struct Query<'a> {
    /// What is asked.
    pub tree: &'a Tree,
    /// The time from which ages are counted.
    pub now: &'a Now,
    /// What the catalogue answers to tests of what was read inside files.
    pub texts: &'a TextAnswers,
    /// The words inside a file, where they were read.
    pub text_of: &'a dyn Fn(NodeId) -> Option<String>,
    /// What a file says of itself, where it was read.
    pub said_by: &'a dyn Fn(NodeId) -> Option<Metadata>,
    /// Whether a link leads nowhere.
    pub is_broken: &'a dyn Fn(NodeId) -> bool,
    /// Whether something lies in a folder that others see.
    pub is_shared: &'a dyn Fn(NodeId) -> bool,
    /// Whether a folder's tags count for all that lies in it.
    pub tags_reach_inside: bool,
    /// Whether what is not known is taken as far as it is known, instead of leaving a `maybe`.
    pub settle_for_less: bool,
    /// Whether words inside are to be read where nobody read them yet.
    pub reads_text: bool,
    /// Whether every file's content tells its type, not only where the name says little; so it is
    /// where `mislabelled` is asked for.
    pub looks_at_all: bool,
}

/// Rows for which a condition holds, and those for which more must be known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Matches {
    /// It holds.
    pub yes: Rows,
    /// It may hold.
    pub maybe: Rows,
}

impl Matches {
    fn sure(yes: Rows) -> Self {
        let maybe = yes.clone().without(&yes);
        Self { yes, maybe }
    }

    /// It holds or may hold.
    pub fn possible(&self) -> Rows {
        self.yes.clone().or(&self.maybe)
    }
}

impl<'a> Query<'a> {
    /// What stands in the columns alone: no words are read, no link is looked at, and what is not known is a maybe.
    pub fn of_columns(tree: &'a Tree, now: &'a Now, texts: &'a TextAnswers) -> Self {
        Self {
            tree,
            now,
            texts,
            text_of: &|_| None,
            said_by: &|_| None,
            is_broken: &|_| false,
            is_shared: &|_| false,
            tags_reach_inside: false,
            settle_for_less: false,
            reads_text: false,
            looks_at_all: false,
        }
    }

    /// Which of the rows in `among` a condition holds for.
    pub fn find(&self, condition: &Condition, among: &Rows) -> Matches {
        match condition {
            Condition::All(parts) => self.all(parts, among),
            Condition::Any(parts) => self.any(parts, among),
            Condition::Not(inner) => {
                let found = self.find(inner, among);
                Matches { yes: among.clone().without(&found.possible()), maybe: found.maybe }
            }
            Condition::Saved(_, inner) => self.find(inner, among),
            Condition::Test(test) => self.test(test, among),
        }
    }

    /// The cheapest first, each asked only of what the others left.
    fn all(&self, parts: &[Condition], among: &Rows) -> Matches {
        let mut parts: Vec<&Condition> = parts.iter().collect();
        parts.sort_by_key(|part| cost(part));
        let (mut yes, mut left) = (among.clone(), among.clone());
        for part in parts {
            let found = self.find(part, &left);
            left = found.possible();
            yes = yes.and(&found.yes);
        }
        Matches { maybe: left.without(&yes), yes }
    }

    fn any(&self, parts: &[Condition], among: &Rows) -> Matches {
        let mut found = Matches::sure(Rows::none(self.tree.rows()));
        for part in parts {
            let more = self.find(part, &among.clone().without(&found.yes));
            found = Matches { yes: found.yes.or(&more.yes), maybe: found.maybe.or(&more.maybe) };
        }
        Matches { maybe: found.maybe.without(&found.yes), yes: found.yes }
    }

    fn test(&self, test: &Test, among: &Rows) -> Matches {
        let tree = self.tree;
        match test {
            Test::Type(types) => {
                let mut wanted = [false; TYPES.len()];
                types.iter().for_each(|t| wanted[*t as usize] = true);
                let unseen = |id| match self.looks_at_all {
                    true => tree.kind(id) == Kind::File && !tree.has_mark(id, mark::LOOKED),
                    false => tree.wants_look(id),
                };
                let known = among.filter_column(tree.types(), |known| wanted[usize::from(known)]);
                self.looked(known, among, unseen)
            }
            Test::Flag(Flag::Mislabelled) => {
                let unseen = |id| tree.kind(id) == Kind::File && !tree.has_mark(id, mark::LOOKED);
                self.looked(self.flagged(Flag::Mislabelled, among), among, unseen)
            }
            Test::Ext(wanted) => Matches::sure(names::with_extension(tree, wanted, among)),
            Test::Words(WordSubject::Text, _) => self.text(test, among),
            Test::Words(WordSubject::Said(field), _) => self.said(test, among, *field == TextField::Origin),
            Test::Words(subject, words) => Matches::sure(names::with_words(tree, *subject, words, among)),
            Test::Tag(test) => self.tagged(test, among),
            Test::Size(compare, bytes) => {
                Matches::sure(among.filter_column(tree.sizes(), |size| compare.holds(size, bytes.0)))
            }
            Test::Count(CountSubject::Depth, compare, number) => {
                let depths = tree.depths();
                Matches::sure(among.filter_column(&depths, |depth| compare.holds(depth.into(), *number)))
            }
            Test::Count(CountSubject::Items, compare, number) => {
                sure_of(among, |id| tree.items(id).is_some_and(|items| compare.holds(items, *number)))
            }
            Test::Count(CountSubject::Said(_), ..)
            | Test::Date(DateSubject::Taken | DateSubject::Sent, _) => self.said(test, among, false),
            Test::Count(CountSubject::Copies, compare, number) => {
                self.copied(among, |copies| compare.holds(copies.into(), *number))
            }
            Test::Flag(Flag::Copy) => self.copied(among, |copies| copies > 1),
            Test::Date(subject, test) => {
                let range = test.range(self.now);
                sure_of(among, |id| self.date(*subject, id).is_some_and(|at| range.contains(&at)))
            }
            Test::Age(subject, compare, span) => {
                let limit = self.now.before(*span);
                let holds = |from: Moment| (from < limit) == (*compare == Compare::Over);
                match tree.kept_ages().filter(|_| *subject == AgeSubject::Age) {
                    Some(ages) => Matches::sure(among.filter_column(ages, |from| holds(Moment(from)))),
                    None => sure_of(among, |id| holds(self.age_from(*subject, id))),
                }
            }
            Test::Facet(facet, test) => self.facet(facet, test, among),
            Test::Flag(flag) => Matches::sure(self.flagged(*flag, among)),
        }
    }

    /// A test whose answer `yes` may depend on contents that nobody looked at yet.
    fn looked(&self, yes: Rows, among: &Rows, unseen: impl Fn(NodeId) -> bool) -> Matches {
        if self.settle_for_less {
            return Matches::sure(yes);
        }
        let maybe = among.filter(|row| unseen(NodeId::new(row)));
        Matches { yes: yes.without(&maybe), maybe }
    }

    /// A test of how many items have a file's bytes.
    fn copied(&self, among: &Rows, holds: impl Fn(u32) -> bool) -> Matches {
        let tree = self.tree;
        let yes = among.filter(|row| tree.copies(NodeId::new(row)).is_some_and(&holds));
        if self.settle_for_less {
            return Matches::sure(yes);
        }
        let unknown = |id| tree.kind(id) == Kind::File && tree.copies(id).is_none();
        Matches { maybe: among.filter(|row| unknown(NodeId::new(row))), yes }
    }

    fn date(&self, subject: DateSubject, id: NodeId) -> Option<Moment> {
        match subject {
            DateSubject::Modified => Some(self.tree.newest(id)),
            DateSubject::Created | DateSubject::Arrived => self.tree.born(id),
            DateSubject::Opened => self.tree.opened(id),
            // Asked with all that may be unread, see [`Query::said`].
            DateSubject::Taken | DateSubject::Sent => None,
        }
    }

    fn age_from(&self, subject: AgeSubject, id: NodeId) -> Moment {
        let from = self.tree.age_from(id);
        match subject {
            AgeSubject::Idle if !self.tree.is_folder(id) => {
                self.tree.opened(id).map_or(from, |opened| opened.max(from))
            }
            AgeSubject::Idle | AgeSubject::Age => from,
        }
    }

    fn flagged(&self, flag: Flag, among: &Rows) -> Rows {
        let tree = self.tree;
        let marked = |mark| among.filter_column(tree.marks(), |marks| marks & mark != 0);
        let of_kind = |kind| among.filter_column(tree.kinds(), |own| Tree::stands_for(own, kind));
        let filter = |holds: &dyn Fn(NodeId) -> bool| among.filter(|row| holds(NodeId::new(row)));
        match flag {
            Flag::File => of_kind(Kind::File),
            Flag::Loose => filter(&|id| tree.parent(id) == Tree::ROOT),
            Flag::Empty => {
                let no_bytes = among.filter_column(tree.sizes(), |size| size == 0);
                no_bytes.filter(|row| match tree.kind(NodeId::new(row)) {
                    Kind::File => true,
                    Kind::Folder => tree.items(NodeId::new(row)) == Some(0),
                    Kind::Link | Kind::Other => false,
                })
            }
            Flag::Untitled => marked(mark::UNTITLED),
            Flag::Unfinished => marked(mark::UNFINISHED),
            Flag::Hidden => marked(mark::HIDDEN),
            Flag::Link => of_kind(Kind::Link),
            Flag::Broken => of_kind(Kind::Link).filter(|row| (self.is_broken)(NodeId::new(row))),
            Flag::Mislabelled => marked(mark::MISLABELLED),
            Flag::Copy => filter(&|id| tree.copies(id).is_some_and(|copies| copies > 1)),
            Flag::Shared => filter(self.is_shared),
        }
    }

    fn tagged(&self, test: &TagTest, among: &Rows) -> Matches {
        if self.tags_reach_inside {
            return self.tagged_inside(test, among);
        }
        // Which sets of tags answer; by number, 0 being the one that nobody asked for.
        let without = test.holds_for_either(&[], &[]);
        let mut answers = vec![self.settle_for_less && without, without];
        answers.extend(self.tree.tag_sets().map(|(_, set)| test.holds_for_either(&set.own, &set.inside)));
        let sets = self.tree.tag_set_numbers();
        let yes = among.filter_column(sets, |set| answers.get(set as usize).copied().unwrap_or(false));
        if self.settle_for_less {
            return Matches::sure(yes);
        }
        Matches { maybe: among.filter_column(sets, |set| set == 0), yes }
    }

    /// The same with the tags of every folder above.
    fn tagged_inside(&self, test: &TagTest, among: &Rows) -> Matches {
        if *test == TagTest::None {
            let any = self.tagged_inside(&TagTest::Any, among);
            return Matches { yes: among.clone().without(&any.possible()), maybe: any.maybe };
        }
        let tree = self.tree;
        let own = |id: NodeId| match tree.tags(id) {
            TagsOf::Known(tags) => Some(test.holds_for_either(tags, tree.note_tags(id))),
            TagsOf::NotAsked if self.settle_for_less || id == Tree::ROOT => Some(false),
            TagsOf::NotAsked => None,
        };
        let (mut yes, mut maybe) = (Rows::none(tree.rows()), Rows::none(tree.rows()));
        for id in tree.ids() {
            let above = tree.parent(id).row();
            match own(id) {
                Some(true) => yes.add(id.row()),
                _ if yes.has(above) => yes.add(id.row()),
                None => maybe.add(id.row()),
                Some(false) if maybe.has(above) => maybe.add(id.row()),
                Some(false) => {}
            }
        }
        Matches { yes: yes.and(among), maybe: maybe.and(among) }
    }
}

#[inline]
fn sure_of(among: &Rows, holds: impl Fn(NodeId) -> bool) -> Matches {
    Matches::sure(among.filter(|row| holds(NodeId::new(row))))
}

/// How dear a condition is to answer; only the order matters.
fn cost(condition: &Condition) -> u8 {
    match condition {
        Condition::All(parts) | Condition::Any(parts) => parts.iter().map(cost).max().unwrap_or(0),
        Condition::Not(inner) | Condition::Saved(_, inner) => cost(inner),
        Condition::Test(Test::Size(..) | Test::Date(..) | Test::Age(..)) => 1,
        Condition::Test(Test::Type(_) | Test::Tag(_) | Test::Flag(Flag::Mislabelled)) => 5,
        Condition::Test(Test::Flag(Flag::Broken)) => 6,
        Condition::Test(Test::Flag(Flag::Copy) | Test::Count(CountSubject::Copies, ..)) => 9,
        Condition::Test(Test::Flag(_)) => 0,
        Condition::Test(Test::Ext(_) | Test::Count(..)) => 2,
        Condition::Test(Test::Words(WordSubject::Text | WordSubject::Said(_), _)) => 7,
        Condition::Test(Test::Facet(..)) => 8,
        Condition::Test(Test::Words(_, WordTest::Matches(_))) => 4,
        Condition::Test(Test::Words(..)) => 3,
    }
}

#[cfg(test)]
mod tests;
