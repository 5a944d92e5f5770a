//! What rows answer to a facet.

use std::collections::HashMap;

use super::{Matches, Query, Rows};
use crate::condition::FacetTest;
use crate::facet::{Facet, Finding, with_what_is_said};
use crate::item::DateOf;
use crate::names::split_extension;
use crate::tree::{NodeId, Tree};

/// Asks a facet of one row after the other; what folders say is asked once.
pub struct Asked<'q> {
    query: &'q Query<'q>,
    facet: &'q Facet,
    folders: HashMap<NodeId, Finding>,
}

impl<'q> Asked<'q> {
    /// Nothing is asked yet.
    pub fn new(query: &'q Query<'q>, facet: &'q Facet) -> Self {
        Self { query, facet, folders: HashMap::new() }
    }

    /// The answer of a row; `None` if more must be known first.
    pub fn answer(&mut self, id: NodeId) -> Option<Finding> {
        let (tree, facet) = (self.query.tree, self.facet);
        match tree.all_tags(id) {
            Some(tags) => {
                if let Some(finding) = facet.tagged(tags.iter()) {
                    return Some(finding);
                }
            }
            None if self.query.settle_for_less => {}
            None => return None,
        }
        let name = tree.name(id);
        let stem = if tree.is_folder(id) { name } else { split_extension(name).0 };
        let stem = String::from_utf8_lossy(stem);
        let mut above = Vec::new();
        let first = facet.read(&stem, std::iter::empty(), None, self.query.now);
        if first.is_sure() {
            return Some(first);
        }
        let mut folder = tree.parent(id);
        while folder != Tree::ROOT {
            above.push(self.folder(folder));
            folder = tree.parent(folder);
        }
        let finding = facet.read(&stem, above.iter().cloned(), None, self.query.now);
        if finding.found.is_some() || !facet.reads_text {
            return self.by_date(id, finding);
        }
        if tree.text(id) != 0 {
            let text = with_what_is_said((self.query.text_of)(id), self.query.said_of(id).as_ref());
            let finding = facet.read(&stem, above.into_iter(), text.as_deref(), self.query.now);
            return self.by_date(id, finding);
        }
        let may_tell = tree.may_have_words(id) || tree.may_say(id);
        let unread = self.query.reads_text && !self.query.settle_for_less && may_tell;
        if unread { None } else { self.by_date(id, finding) }
    }

    /// What a date of the row says, where the facet asks for it and nothing else answers.
    fn by_date(&self, id: NodeId, finding: Finding) -> Option<Finding> {
        let tree = self.query.tree;
        let now = self.query.now;
        let is_unread = self.facet.asks_what_is_said() && tree.may_say(id) && tree.text(id) == 0;
        if finding.found.is_none() && is_unread && !self.query.settle_for_less {
            return None;
        }
        let said = || self.query.said_of(id);
        let day = |of| match of {
            DateOf::Modified => now.day_of(tree.newest(id)),
            DateOf::Created => tree.born(id).and_then(|at| now.day_of(at)),
            DateOf::Taken => said()?.taken?.day(now),
            DateOf::Sent => now.day_of(said()?.sent?),
        };
        Some(self.facet.or_else(finding, day))
    }

    fn folder(&mut self, id: NodeId) -> Finding {
        let look = || {
            let name = String::from_utf8_lossy(self.query.tree.name(id));
            self.facet.look_at_folder(&name, self.query.now)
        };
        self.folders.entry(id).or_insert_with(look).clone()
    }
}

impl Query<'_> {
    pub(super) fn facet(&self, facet: &Facet, test: &FacetTest, among: &Rows) -> Matches {
        let mut asked = Asked::new(self, facet);
        let (mut yes, mut maybe) = (Rows::none(self.tree.rows()), Rows::none(self.tree.rows()));
        for id in among.ids() {
            match asked.answer(id) {
                Some(finding) if test.holds(finding.value()) => yes.add(id.row()),
                Some(_) => {}
                None => maybe.add(id.row()),
            }
        }
        Matches { yes, maybe }
    }
}
