//! A condition asked of a place: what is known answers first, and only what is still in question is
//! learned.

use nine_core::condition::{Condition, Need};
use nine_core::find::{Matches, Query, Rows, TextAnswers};
use nine_core::item::Kind;
use nine_core::metadata::Metadata;
use nine_core::tree::{NodeId, Tree, Unlearned};

use super::{Looking, View, WantsInside};
use crate::Result;

/// Asking again more often than this would mean that learning does not end.
const ROUNDS: usize = 4;

/// What is asked of every place.
#[derive(Debug, Clone, Copy)]
pub struct RowQuestion<'c> {
    /// The condition.
    pub condition: &'c Condition,
    /// Whether a folder's tags count for all that lies in it.
    pub inside: bool,
    /// Whether words are read in every place, also in those that do not ask for it.
    pub reads_text: bool,
}

impl Looking<'_> {
    /// The rows of a view, out of `among`, for which the condition holds.
    ///
    /// # Errors
    /// If the index of words cannot be asked.
    pub fn find(&mut self, view: usize, question: RowQuestion, among: &Rows) -> Result<Rows> {
        let condition = question.condition;
        let reads_text = question.reads_text || self.views[view].area.reads_text;
        let needs = condition.needs();
        let asks_tags = needs.has(Need::Tags);
        if question.inside && asks_tags {
            let tree = &self.views[view].tree;
            let folders = all_rows(tree).and(&Rows::folders(tree));
            self.learn(view, &folders, Unlearned { tags: true, content: false });
        }
        if needs.has(Need::Copies) && self.views[view].store().is_none() {
            self.learn_copies(view, among, false); // as far as it is known
        }
        for round in 0..=ROUNDS {
            let may_read = self.views[view].store().is_some_and(|store| store.abilities().may_read);
            let stuck = needs.has_any(&[Need::Text, Need::Said]) && (self.catalogue.is_none() || !may_read);
            let last = round == ROUNDS || self.views[view].store().is_none() || (round > 0 && stuck);
            let texts = self.text_answers(Some(condition))?;
            let known = KnownAnswers { texts: &texts, reads_text, settle_for_less: last };
            let found = self.ask(view, question, &known, among);
            if last || found.maybe.is_empty() {
                return Ok(found.yes);
            }
            let all_contents = needs.has(Need::Contents);
            self.learn(view, &found.maybe, Unlearned { tags: asks_tags, content: all_contents });
            if needs.has(Need::Type) && !all_contents {
                self.learn_types(view, &found.maybe);
            }
            if needs.has(Need::Copies) {
                self.learn_copies(view, &found.maybe, false);
            }
            if needs.has(Need::Said) {
                self.learn_types(view, &found.maybe);
            }
            let wants = WantsInside::of(needs, reads_text);
            if !wants.is_none() {
                self.read_words(view, &found.maybe, wants);
            }
        }
        unreachable!("the last round returns")
    }

    /// Looks at the contents of rows whose type is not certain without.
    pub fn learn_types(&mut self, view: usize, rows: &Rows) {
        if self.views[view].store().is_none() {
            return; // what is known may lack the columns that tell
        }
        let tree = &self.views[view].tree;
        let rows = rows.filter(|row| tree.wants_look(NodeId::new(row)));
        self.learn(view, &rows, Unlearned { tags: false, content: true });
    }

    /// What the catalogue answers to the tests of what is inside.
    ///
    /// # Errors
    /// If the index of words cannot be asked.
    pub fn text_answers(&self, condition: Option<&Condition>) -> Result<TextAnswers> {
        let tests = condition.map(Condition::inside_tests).unwrap_or_default();
        match &self.catalogue {
            Some(catalogue) if !tests.is_empty() => Ok(catalogue.answers(&tests, self.workspace.now())?),
            _ => Ok(TextAnswers::new()),
        }
    }

    fn ask(&self, view: usize, question: RowQuestion, known: &KnownAnswers, among: &Rows) -> Matches {
        let view = &self.views[view];
        let query = Query {
            tree: &view.tree,
            now: self.workspace.now(),
            texts: known.texts,
            text_of: &|id| self.text_of(view, id),
            said_by: &|id| self.said_by(view, id),
            is_broken: &|id| is_broken(view, id),
            is_shared: &|id| is_shared(view, id),
            tags_reach_inside: question.inside,
            settle_for_less: known.settle_for_less,
            reads_text: known.reads_text,
            looks_at_all: question.condition.needs().has(Need::Contents),
        };
        query.find(question.condition, among)
    }

    fn text_of(&self, view: &View, id: NodeId) -> Option<String> {
        let number = view.tree.text(id);
        let kept = self.catalogue.as_ref().filter(|_| number != 0)?.text(number);
        kept.ok().flatten().map(|reading| reading.body)
    }

    /// What a file says of itself, where that is known.
    pub fn said_by(&self, view: &View, id: NodeId) -> Option<Metadata> {
        let number = view.tree.text(id);
        self.catalogue.as_ref().filter(|_| number != 0)?.said(number).ok().flatten()
    }

    /// Asks with what is known of a view as it is.
    pub fn with_query<T>(&self, view: usize, ask: impl FnOnce(&Query) -> T) -> T {
        let view = &self.views[view];
        ask(&Query {
            text_of: &|id| self.text_of(view, id),
            said_by: &|id| self.said_by(view, id),
            is_broken: &|id| is_broken(view, id),
            is_shared: &|id| is_shared(view, id),
            settle_for_less: true,
            ..Query::of_columns(&view.tree, self.workspace.now(), &TextAnswers::new())
        })
    }
}

/// What a question is answered from.
struct KnownAnswers<'a> {
    texts: &'a TextAnswers,
    reads_text: bool,
    settle_for_less: bool,
}

fn is_broken(view: &View, id: NodeId) -> bool {
    let store = view.store().filter(|_| view.tree.kind(id) == Kind::Link);
    store.is_some_and(|store| store.link_is_broken(&view.tree.path(id)).unwrap_or(false))
}

/// Whether something lies in a folder that others see, also where it is told as it is known.
fn is_shared(view: &View, id: NodeId) -> bool {
    view.area.store.as_ref().is_some_and(|store| store.seen_by(&view.tree.path(id)).is_some())
}

/// The rows of a tree but its root.
pub fn all_rows(tree: &Tree) -> Rows {
    Rows::all_but_root(tree.rows())
}
