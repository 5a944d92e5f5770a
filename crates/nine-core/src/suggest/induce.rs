//! Rules that say most of what was learned: grown test by test as long as that helps, then pruned (Cohen, *Fast
//! Effective Rule Induction*, ICML 1995), the gain of a test being that of Quinlan's FOIL.

use std::cmp::Reverse;
use std::collections::HashSet;

use rustc_hash::FxHashMap;

use super::examples::ExampleIndex;
use super::rule_test::{RuleTest, is_named_by, may_join, may_test};
use super::{Classifier, LearningContext, loose};
use crate::condition::Condition;
use crate::names::fold_bytes;

/// A rule that was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundRule {
    /// Its condition.
    pub when: String,
    /// Where it puts things, as a rule has it.
    pub put: String,
    /// The same in words.
    pub folder: String,
    /// What it would do with what is filed.
    pub tally: RuleTally,
}

/// What a rule would do with what is filed, after those before it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct RuleTally {
    /// Items that it would put where they are.
    pub right: usize,
    /// Items that it would put elsewhere.
    pub wrong: usize,
    /// Items of the same destination that it is not for.
    pub not: usize,
}

/// Tests of a rule at most.
const TESTS: usize = 3;

/// Tests that are weighed at each step.
const WEIGHED: usize = 40;

/// Items that a rule puts right at least.
const FEWEST: usize = 5;

/// Wrong ones among so many that it acts on, at most one.
const ONE_WRONG_IN: usize = 50;

/// Rules at most.
const RULES: usize = 15;

/// How much more a test gains with a word of the destination's name.
const NAMED: f64 = 1.1;

/// Rules for one destination at most, before those that differ in a word alone are joined.
const RULES_OF_ONE: usize = 6;

/// Destinations that are looked at at most: those with the most items.
const MOST_DESTINATIONS: usize = 80;

/// Values that are joined in one test at most.
const JOINED: usize = 4;

/// The rules that say most of what was learned of files, the most telling first. `taken` are filed items that rules
/// which are there already put where they are, by their references.
pub fn rules(learned: &Classifier, known: &LearningContext, taken: &HashSet<u64>) -> Vec<FoundRule> {
    let mut finder = RuleFinder::new(learned, known, taken);
    let mut found = Vec::new();
    for destination in finder.order() {
        found.extend(std::iter::from_fn(|| finder.grow(destination)).take(RULES_OF_ONE));
    }
    let joined = join(found);
    finder.in_order(joined)
}

#[derive(Debug, Clone)]
struct Grown {
    destination: u32,
    tests: Vec<RuleTest>,
}

struct RuleFinder<'a> {
    learned: &'a Classifier,
    known: &'a LearningContext<'a>,
    index: ExampleIndex<'a>,
    /// For each example its destination; none for what teaches nothing, is a folder, or is put right already.
    destination: Vec<Option<u32>>,
    /// For each example whether a rule in hand is for it already.
    done: Vec<bool>,
    rows: FxHashMap<RuleTest, Vec<u32>>,
    /// For each example and destination whether the destination is filled rightly for it, once that was asked.
    filled: FxHashMap<(u32, u32), Fills>,
}

/// What a destination makes of an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fills {
    Right,
    Wrong,
    Unknown,
}

impl<'a> RuleFinder<'a> {
    fn new(learned: &'a Classifier, known: &'a LearningContext, taken: &HashSet<u64>) -> Self {
        let examples = &learned.examples;
        let destination = examples.all.iter().map(|example| {
            let teaches = example.weight > 0 && !example.is_folder && !taken.contains(&example.reference);
            teaches.then(|| learned.files.destinations.of[example.folder as usize])
        });
        let destination: Vec<Option<u32>> = destination.collect();
        Self {
            learned,
            known,
            index: examples.index(),
            done: vec![false; destination.len()],
            destination,
            rows: FxHashMap::default(),
            filled: FxHashMap::default(),
        }
    }

    /// The destinations with the most to say first.
    fn order(&self) -> Vec<u32> {
        let mut sizes: FxHashMap<u32, usize> = FxHashMap::default();
        self.destination
            .iter()
            .flatten()
            .for_each(|destination| *sizes.entry(*destination).or_default() += 1);
        let mut order: Vec<(u32, usize)> = sizes.into_iter().filter(|(_, size)| *size >= FEWEST).collect();
        order.retain(|(destination, _)| self.put(*destination).is_some());
        order.sort_by_key(|(destination, size)| (Reverse(*size), *destination));
        order.into_iter().map(|(destination, _)| destination).take(MOST_DESTINATIONS).collect()
    }

    fn put(&self, destination: u32) -> Option<String> {
        let destination = &self.learned.files.destinations.all[destination as usize];
        destination.put(&self.learned.examples, self.known.facets).map(|put| put.to_string())
    }

    /// The next rule for a destination, whose items it takes. `None` if there is none that is good enough.
    fn grow(&mut self, destination: u32) -> Option<Grown> {
        let mut rule = Grown { destination, tests: Vec::new() };
        for facet in self.learned.files.destinations.all[destination as usize].facets() {
            rule.tests.push(RuleTest::Known(facet.to_owned()));
        }
        let mut left = self.left(&rule);
        while rule.tests.len() < TESTS + 1 {
            let tally = self.by_destination(destination, &left);
            if !rule.tests.is_empty() && is_good(tally) {
                break;
            }
            let (test, rows) = self.best(&rule, &left, tally)?;
            rule.tests.push(test);
            left = rows;
        }
        if !is_good(self.tally(destination, &left)) {
            return None;
        }
        self.prune(&mut rule);
        let left = self.left(&rule);
        left.iter().for_each(|row| self.done[*row as usize] = true);
        Some(rule)
    }

    /// The examples that a rule is for and no rule in hand.
    fn left(&mut self, rule: &Grown) -> Vec<u32> {
        let Some((first, others)) = rule.tests.split_first() else {
            let all = 0..self.destination.len() as u32;
            return all.filter(|row| self.is_open(*row)).collect();
        };
        let mut left = self.rows_of(first).to_vec();
        left.retain(|row| self.is_open(*row));
        for test in others {
            left = both(&left, self.rows_of(test));
        }
        left
    }

    /// Whether an item is still to be put somewhere by a rule.
    fn is_open(&self, row: u32) -> bool {
        self.destination[row as usize].is_some() && !self.done[row as usize]
    }

    /// The same as [`RuleFinder::tally`], as if every item of the destination were filed rightly.
    fn by_destination(&self, destination: u32, rows: &[u32]) -> RuleTally {
        let right = rows.iter().filter(|row| self.destination[**row as usize] == Some(destination)).count();
        RuleTally { right, wrong: rows.len() - right, not: 0 }
    }

    /// What a rule for a destination does with examples.
    fn tally(&mut self, destination: u32, rows: &[u32]) -> RuleTally {
        let mut tally = RuleTally::default();
        for row in rows {
            match self.fills(destination, *row) {
                Fills::Right => tally.right += 1,
                Fills::Wrong => tally.wrong += 1,
                Fills::Unknown => {}
            }
        }
        tally
    }

    fn fills(&mut self, destination: u32, row: u32) -> Fills {
        let own = self.destination[row as usize];
        let pattern = &self.learned.files.destinations.all[destination as usize];
        if !pattern.is_pattern() {
            return if own == Some(destination) { Fills::Right } else { Fills::Wrong };
        }
        let (learned, known) = (self.learned, self.known);
        *self.filled.entry((row, destination)).or_insert_with(|| {
            let example = &learned.examples.all[row as usize];
            let Some(item) = loose(known, example.reference) else { return Fills::Unknown };
            match pattern.fill(&learned.examples, known, &item) {
                Ok(filled) if filled.folder == learned.examples.spot(example.folder) => Fills::Right,
                Ok(_) => Fills::Wrong,
                Err(_) => Fills::Unknown,
            }
        })
    }

    fn rows_of(&mut self, test: &RuleTest) -> &[u32] {
        if !self.rows.contains_key(test) {
            let rows = match test {
                RuleTest::Has(features) => {
                    let mut rows: Vec<u32> =
                        features.iter().flat_map(|feature| self.index.rows(feature, false)).collect();
                    rows.sort_unstable();
                    rows.dedup();
                    rows
                }
                RuleTest::Known(facet) => self.answered(facet),
            };
            self.rows.insert(test.clone(), rows);
        }
        &self.rows[test]
    }

    fn answered(&self, facet: &str) -> Vec<u32> {
        let Some(facet) = self.known.facets.get(facet) else { return Vec::new() };
        let is_known = |row: &u32| {
            let example = &self.learned.examples.all[*row as usize];
            loose(self.known, example.reference)
                .is_some_and(|item| facet.ask(&item, self.known.now).value().is_some())
        };
        let rows = 0..self.destination.len() as u32;
        rows.filter(|row| self.destination[*row as usize].is_some()).filter(is_known).collect()
    }

    /// The test that gains most, and what it leaves.
    fn best(&mut self, rule: &Grown, left: &[u32], before: RuleTally) -> Option<(RuleTest, Vec<u32>)> {
        let examples = &self.learned.examples;
        let mut counts: FxHashMap<u32, usize> = FxHashMap::default();
        for row in left.iter().filter(|row| self.destination[**row as usize] == Some(rule.destination)) {
            for feature in examples.features(&examples.all[*row as usize]) {
                *counts.entry(*feature).or_default() += 1;
            }
        }
        let model = &self.learned.files;
        let mut features: Vec<(u32, i64)> = counts
            .into_iter()
            .filter(|(feature, count)| *count >= FEWEST && may_test(&examples.table.feature(*feature)))
            .map(|(feature, count)| (feature, count as i64 * model.says(examples, feature, rule.destination)))
            .collect();
        // Of words that say the same, the longer one is found by chance in fewer names.
        let text = |feature: u32| examples.table.text(feature);
        features
            .sort_by_key(|(feature, says)| (Reverse(*says), Reverse(text(*feature).len()), text(*feature)));
        features.truncate(WEIGHED);
        let destination = &model.destinations.all[rule.destination as usize];
        let names: Vec<String> = destination.names(examples).map(|name| fold_bytes(name)).collect();
        let named = |test: &RuleTest| match test {
            RuleTest::Has(features) => {
                features.iter().any(|feature| names.iter().any(|name| is_named_by(name, &feature.text)))
            }
            RuleTest::Known(_) => false,
        };
        let mut best: Option<(f64, RuleTest, Vec<u32>)> = None;
        for (feature, _) in features {
            let test = RuleTest::Has(vec![examples.table.feature(feature)]);
            if rule.tests.contains(&test) {
                continue;
            }
            let rows = both(left, self.rows_of(&test));
            let after = self.by_destination(rule.destination, &rows);
            let gain = gain(before, after);
            // What the folder is called is what people mean.
            let gain = if named(&test) { gain * NAMED } else { gain };
            if after.right >= FEWEST && gain > 0.0 && best.as_ref().is_none_or(|(most, ..)| gain > *most) {
                best = Some((gain, test, rows));
            }
        }
        best.map(|(_, test, rows)| (test, rows))
    }

    /// Leaves out tests without which a rule is as good.
    fn prune(&mut self, rule: &mut Grown) {
        let mut at = 0;
        while at < rule.tests.len() && rule.tests.len() > 1 {
            let is_facet = matches!(rule.tests[at], RuleTest::Known(_));
            let mut shorter = rule.clone();
            shorter.tests.remove(at);
            let left = self.left(&shorter);
            if !is_facet
                && is_good(self.by_destination(rule.destination, &left))
                && is_good(self.tally(rule.destination, &left))
            {
                *rule = shorter;
            } else {
                at += 1;
            }
        }
    }

    /// The rules as they are tried one after the other, the most telling first; without those that are not good
    /// enough then.
    fn in_order(&mut self, mut rules: Vec<Grown>) -> Vec<FoundRule> {
        self.done.fill(false);
        let mut found = Vec::new();
        while found.len() < RULES && !rules.is_empty() {
            let tallies: Vec<(RuleTally, Vec<u32>)> = rules
                .iter()
                .map(|rule| {
                    let left = self.left(rule);
                    (self.tally(rule.destination, &left), left)
                })
                .collect();
            let best = (0..rules.len())
                .filter(|at| is_good(tallies[*at].0))
                .max_by_key(|at| (tallies[*at].0.right, Reverse(*at)));
            let Some(best) = best else { break };
            let rule = rules.remove(best);
            let (tally, left) = &tallies[best];
            left.iter().for_each(|row| self.done[*row as usize] = true);
            let all =
                self.destination.iter().filter(|destination| **destination == Some(rule.destination)).count();
            found.extend(self.written(&rule, RuleTally { not: all.saturating_sub(tally.right), ..*tally }));
        }
        found
    }

    fn written(&self, rule: &Grown, tally: RuleTally) -> Option<FoundRule> {
        let put = self.put(rule.destination)?;
        let folder =
            self.learned.files.destinations.all[rule.destination as usize].words(&self.learned.examples);
        let tests: Option<Vec<_>> = rule.tests.iter().map(|test| test.condition(self.known.facets)).collect();
        Some(FoundRule { when: Condition::all(tests?).to_string(), put, folder, tally })
    }
}

/// Rules for one destination that differ in one word alone are one rule.
fn join(rules: Vec<Grown>) -> Vec<Grown> {
    let mut joined: Vec<Grown> = Vec::new();
    for rule in rules {
        let single = |rule: &Grown| match rule.tests.as_slice() {
            [RuleTest::Has(features)] => Some((rule.destination, features[0].kind, features.len())),
            _ => None,
        };
        let own = single(&rule).filter(|(_, kind, _)| may_join(*kind));
        let same = joined.iter_mut().find(|other| match (own, single(other)) {
            (Some((destination, kind, _)), Some((at, of, count))) => {
                destination == at && kind == of && count < JOINED
            }
            _ => false,
        });
        match (same, rule.tests.as_slice()) {
            (Some(Grown { tests, .. }), [RuleTest::Has(new)]) => {
                if let [RuleTest::Has(features)] = tests.as_mut_slice() {
                    features.extend(new.iter().cloned());
                }
            }
            _ => joined.push(rule),
        }
    }
    joined
}

fn is_good(tally: RuleTally) -> bool {
    tally.right >= FEWEST && tally.wrong * ONE_WRONG_IN <= tally.right + tally.wrong
}

/// What a test gains: the right ones that are left, times what is known more of each, in bits.
fn gain(before: RuleTally, after: RuleTally) -> f64 {
    let bits =
        |tally: RuleTally| ((tally.right as f64 + 1e-9) / (tally.right + tally.wrong).max(1) as f64).log2();
    after.right as f64 * (bits(after) - bits(before))
}

/// What is in both of two rising lists.
fn both(a: &[u32], b: &[u32]) -> Vec<u32> {
    let (mut at, mut found) = (0, Vec::new());
    for value in a {
        while b.get(at).is_some_and(|other| other < value) {
            at += 1;
        }
        if b.get(at) == Some(value) {
            found.push(*value);
        }
    }
    found
}
