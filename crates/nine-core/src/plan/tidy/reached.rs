//! The rows that a rule may be for, found column by column: of most that lies in a pile nothing is wanted, and making an
//! item of each takes much longer.

use crate::condition::{Condition, Flag, Need};
use crate::find::{Query, Rows, TextAnswers};
use crate::moment::Now;
use crate::rules::Rule;
use crate::tree::{Tree, mark};

/// The rows that some of the rules may be for; all, where columns alone do not tell.
pub(super) fn reached<'r>(rules: impl Iterator<Item = &'r Rule>, tree: &Tree, now: &Now) -> Rows {
    let everything = Rows::all_but_root(tree.rows());
    let mut reached = Rows::none(tree.rows());
    for condition in rules.map(|rule| &rule.when) {
        if !is_told_by_columns(condition) {
            return everything;
        }
        reached = reached.or(&possible(condition, &everything, tree, now));
    }
    reached
}

/// Whether what is asked stands in the tree, or is known not to. What a facet nearly answers is a doubt, also where the
/// condition does not hold.
fn is_told_by_columns(condition: &Condition) -> bool {
    let elsewhere = [Need::Contents, Need::Text, Need::Said, Need::Origin, Need::Copies];
    !condition.needs().has_any(&elsewhere)
        && !condition.mentions(Flag::Broken)
        && !condition.mentions(Flag::Shared)
        && condition.facets().is_empty()
}

fn possible(condition: &Condition, among: &Rows, tree: &Tree, now: &Now) -> Rows {
    let found = Query::of_columns(tree, now, &TextAnswers::new()).find(condition, among).possible();
    if !condition.needs().has(Need::Type) {
        return found;
    }
    // A rule goes by the name of what lies deeper where that tells a type, also if its content was looked at.
    found.or(&Rows::marked(tree, mark::LOOKED).and(among))
}
