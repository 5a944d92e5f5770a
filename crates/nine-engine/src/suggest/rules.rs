//! Rules made of examples, and rules that the examples contradict.

use std::collections::{BTreeMap, HashSet};

use nine_core::condition::{Condition, DateSubject, Flag, Need, Test};
use nine_core::config::{RuleChange, RuleEdit, change_rules, free_name};
use nine_core::escape::plain;
use nine_core::item::Item;
use nine_core::place::{ItemPath, Spot};
use nine_core::rules::{Rule, apply};
use nine_core::suggest::{FoundRule, Shelved, rules as induced};

use super::{Effort, LearnedFrom, Suggester};
use crate::Result;
use crate::configuration::ConfigChange;
use crate::plan::Plan;
use crate::rule::counted;
use crate::workspace::Workspace;

/// What was found.
pub struct RulesFound {
    /// Rules that are not written yet, with their names and how many loose items each would act on now.
    pub rules: Vec<(String, FoundRule, u64)>,
    /// Rules that are there and that the shelves contradict.
    pub contradictions: Vec<Contradiction>,
    /// How many filed items the rules that are there would put where they are.
    pub known: usize,
    /// From how much it was learned.
    pub learned: LearnedFrom,
}

/// A rule that is there and puts things elsewhere than where they were filed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Contradiction {
    /// The rule.
    pub rule: String,
    /// The folder that it puts things into.
    pub puts: Spot,
    /// The folder in which they are.
    pub filed: Spot,
    /// How many.
    pub items: usize,
}

/// Contradictions of fewer items are chance.
const FEWEST: usize = 3;

/// Finds rules.
///
/// # Errors
/// If there is no bookcase, or it cannot be looked at.
pub fn rules(workspace: &Workspace, effort: Effort) -> Result<RulesFound> {
    let suggester = Suggester::read(workspace, effort)?;
    let (taken, contradictions) = held_against(workspace, &suggester);
    let found = induced(&suggester.learned, &suggester.known(), &taken);
    let mut named: Vec<(String, FoundRule, u64)> = Vec::new();
    for rule in found {
        let names = workspace.config().rules.iter().map(|rule| rule.name.as_str());
        let wanted = name_of(&rule);
        let name = free_name(&wanted, names.chain(named.iter().map(|(name, ..)| name.as_str())));
        named.push((name, rule, 0));
    }
    let loose = loose(workspace, &named)?;
    named.iter_mut().zip(loose).for_each(|((.., items), loose)| *items = loose);
    let learned = suggester.learned_from();
    Ok(RulesFound { rules: named, contradictions, known: taken.len(), learned })
}

/// Plans to write rules, last.
///
/// # Errors
/// If the configuration cannot be changed.
pub fn add_rules(workspace: &Workspace, rules: &[(String, FoundRule, u64)]) -> Result<Plan> {
    let change = ConfigChange::of(workspace, |text| with_rules(text, rules))?;
    Ok(change.plan(workspace, "nine suggest --rules"))
}

fn with_rules(text: &str, rules: &[(String, FoundRule, u64)]) -> Result<String, String> {
    rules.iter().try_fold(text.to_owned(), |text, (name, rule, _)| {
        let rule =
            RuleEdit { when: Some(rule.when.clone()), put: Some(rule.put.clone()), ..RuleEdit::default() };
        change_rules(&text, &RuleChange::Add { name: name.clone(), rule, before: None })
    })
}

/// What each would act on now, after the rules that are there.
fn loose(workspace: &Workspace, rules: &[(String, FoundRule, u64)]) -> Result<Vec<u64>> {
    if rules.is_empty() {
        return Ok(Vec::new());
    }
    let change = ConfigChange::of(workspace, |text| with_rules(text, rules))?;
    let with = workspace.with_text(change.new.clone())?;
    let before = workspace.config().rules.len();
    Ok(counted(&with)?.into_iter().skip(before).map(|count| count.items).collect())
}

fn name_of(rule: &FoundRule) -> String {
    let last = rule.folder.rsplit('/').find(|part| !part.contains('{')).unwrap_or(&rule.folder);
    plain(last).trim_start_matches(|c: char| c.is_ascii_digit() || c == ' ').to_lowercase()
}

/// What the rules that are there would do with what is filed: the items that they would put where they are, and what
/// they would put elsewhere.
fn held_against(workspace: &Workspace, suggester: &Suggester) -> (HashSet<u64>, Vec<Contradiction>) {
    let rules: Vec<Rule> = workspace.config().rules.iter().filter(|rule| tells(rule)).map(anywhere).collect();
    let mut taken = HashSet::new();
    let mut against: BTreeMap<(usize, Spot, Spot), usize> = BTreeMap::new();
    if rules.is_empty() {
        return (taken, Vec::new());
    }
    let shelvings = workspace.shelvings();
    for (reference, filed) in suggester.learned.examples.files() {
        let Some(item) = suggester.shelves.item(reference).map(Item::as_loose) else { continue };
        let Some((number, folders)) = apply(&rules, &item, workspace.now()).put else { continue };
        let Some(put) = &rules[number].put else { continue };
        let bookcase = workspace.config().bookcase(put.bookcase.as_deref());
        let shelving = bookcase.and_then(|case| shelvings.iter().find(|one| one.bookcase == case.name));
        let Some(shelf) = shelving.and_then(|shelving| shelving.spot(put.shelf)) else { continue };
        let folder = folders.iter().fold(shelf.path.clone(), |path, name| path.join(name));
        let folder = Spot::new(shelf.place.clone(), folder);
        if folder == filed {
            taken.insert(reference);
        } else if shelf.path.last() != filed.path.parts().next() || shelf.place != filed.place {
            let filed = Spot::new(filed.place.clone(), ItemPath::of_names(filed.path.parts().take(1)));
            *against.entry((number, shelf, filed)).or_default() += 1;
        }
    }
    let found = against.into_iter().filter(|(_, items)| *items >= FEWEST);
    let found = found.map(|((rule, puts, filed), items)| Contradiction {
        rule: rules[rule].name.clone(),
        puts,
        filed,
        items,
    });
    let mut found: Vec<Contradiction> = found.collect();
    found.sort_by_key(|one| std::cmp::Reverse(one.items));
    (taken, found)
}

/// A rule as it would be for what is filed, wherever it came from.
fn anywhere(rule: &Rule) -> Rule {
    Rule { piles: Vec::new(), ..rule.clone() }
}

/// Whether what a rule says of something loose can be held against what is filed: it asks neither for its age nor for
/// what else there is.
fn tells(rule: &Rule) -> bool {
    let tests = rule.when.tests();
    let of_now = |test: &&Test| match test {
        Test::Age(..) | Test::Flag(Flag::Copy | Flag::Unfinished | Flag::Shared) => true,
        Test::Date(subject, _) => {
            matches!(subject, DateSubject::Arrived | DateSubject::Opened | DateSubject::Created)
        }
        _ => false,
    };
    let needs = Condition::needs(&rule.when);
    !rule.discards_copies
        && !tests.iter().any(of_now)
        && !needs.has_any(&[Need::Text, Need::Folder, Need::Copies])
}
