//! Rules that say most of what was learned: grown test by test as long as that helps, then pruned (Cohen, *Fast
//! Effective Rule Induction*, ICML 1995), the gain of a test being that of Quinlan's FOIL.

use std::cmp::Reverse;
use std::collections::HashSet;

use rustc_hash::FxHashMap;

use super::clue::{Clue, ClueKind, quoted};
use super::lessons::Evidence;
use super::{Known, Learned, loose};
use crate::facet::Facet;
use crate::item::Item;
use crate::names::fold_bytes;

/// A rule that was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundRule {
    /// Its condition.
    pub when: String,
    /// Where it puts things, as a rule has it.
    pub put: String,
    /// The same in words.
    pub place: String,
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
    /// Items of the same place that it is not for.
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

/// How much more a test gains with a word of the place's name.
const NAMED: f64 = 1.1;

/// Rules for one place at most, before those that differ in a word alone are joined.
const RULES_OF_ONE: usize = 6;

/// Places that are looked at at most: those with the most items.
const MOST_PLACES: usize = 80;

/// Values that are joined in one test at most.
const JOINED: usize = 4;

/// The rules that say most of what was learned of files, the most telling first. `taken` are filed items that rules
/// which are there already put where they are, by their references.
pub fn rules(learned: &Learned, known: &Known, taken: &HashSet<u64>) -> Vec<FoundRule> {
    let mut finder = Finder::new(learned, known, taken);
    let mut found = Vec::new();
    for place in finder.order() {
        found.extend(std::iter::from_fn(|| finder.grow(place)).take(RULES_OF_ONE));
    }
    let joined = join(found);
    finder.in_order(joined)
}

/// A test of a rule.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum RuleTest {
    /// It has one of these clues, which are of one kind.
    Clues(Vec<Clue>),
    /// A facet has an answer for it.
    Known(String),
}

#[derive(Debug, Clone)]
struct Grown {
    place: u32,
    tests: Vec<RuleTest>,
}

struct Finder<'a> {
    learned: &'a Learned,
    known: &'a Known<'a>,
    evidence: Evidence<'a>,
    /// For each lesson its place; none for what teaches nothing, is a folder, or is put right already.
    place: Vec<Option<u32>>,
    /// For each lesson whether a rule in hand is for it already.
    done: Vec<bool>,
    rows: FxHashMap<RuleTest, Vec<u32>>,
    /// For each lesson and place whether the place is filled rightly for it, once that was asked.
    filled: FxHashMap<(u32, u32), Fills>,
}

/// What a place makes of an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fills {
    Right,
    Wrong,
    Unknown,
}

impl<'a> Finder<'a> {
    fn new(learned: &'a Learned, known: &'a Known, taken: &HashSet<u64>) -> Self {
        let lessons = &learned.lessons;
        let place = lessons.all.iter().map(|lesson| {
            let teaches = lesson.weight > 0 && !lesson.is_folder && !taken.contains(&lesson.reference);
            teaches.then(|| learned.files.places.of[lesson.folder as usize])
        });
        let place: Vec<Option<u32>> = place.collect();
        Self {
            learned,
            known,
            evidence: lessons.evidence(),
            done: vec![false; place.len()],
            place,
            rows: FxHashMap::default(),
            filled: FxHashMap::default(),
        }
    }

    /// The places with the most to say first.
    fn order(&self) -> Vec<u32> {
        let mut sizes: FxHashMap<u32, usize> = FxHashMap::default();
        self.place.iter().flatten().for_each(|place| *sizes.entry(*place).or_default() += 1);
        let mut order: Vec<(u32, usize)> = sizes.into_iter().filter(|(_, size)| *size >= FEWEST).collect();
        order.retain(|(place, _)| self.put(*place).is_some());
        order.sort_by_key(|(place, size)| (Reverse(*size), *place));
        order.into_iter().map(|(place, _)| place).take(MOST_PLACES).collect()
    }

    fn put(&self, place: u32) -> Option<String> {
        let place = &self.learned.files.places.all[place as usize];
        place.put(&self.learned.lessons, self.known.facets).map(|put| put.to_string())
    }

    /// The next rule for a place, whose items it takes. `None` if there is none that is good enough.
    fn grow(&mut self, place: u32) -> Option<Grown> {
        let mut rule = Grown { place, tests: Vec::new() };
        for facet in self.learned.files.places.all[place as usize].facets() {
            rule.tests.push(RuleTest::Known(facet.to_owned()));
        }
        let mut left = self.left(&rule);
        while rule.tests.len() < TESTS + 1 {
            let tally = self.by_place(place, &left);
            if !rule.tests.is_empty() && is_good(tally) {
                break;
            }
            let (test, rows) = self.best(&rule, &left, tally)?;
            rule.tests.push(test);
            left = rows;
        }
        if !is_good(self.tally(place, &left)) {
            return None;
        }
        self.prune(&mut rule);
        let left = self.left(&rule);
        left.iter().for_each(|row| self.done[*row as usize] = true);
        Some(rule)
    }

    /// The lessons that a rule is for and no rule in hand.
    fn left(&mut self, rule: &Grown) -> Vec<u32> {
        let Some((first, others)) = rule.tests.split_first() else {
            let all = 0..self.place.len() as u32;
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
        self.place[row as usize].is_some() && !self.done[row as usize]
    }

    /// The same as [`Finder::tally`], as if every item of the place were filed rightly.
    fn by_place(&self, place: u32, rows: &[u32]) -> RuleTally {
        let right = rows.iter().filter(|row| self.place[**row as usize] == Some(place)).count();
        RuleTally { right, wrong: rows.len() - right, not: 0 }
    }

    /// What a rule for a place does with lessons.
    fn tally(&mut self, place: u32, rows: &[u32]) -> RuleTally {
        let mut tally = RuleTally::default();
        for row in rows {
            match self.fills(place, *row) {
                Fills::Right => tally.right += 1,
                Fills::Wrong => tally.wrong += 1,
                Fills::Unknown => {}
            }
        }
        tally
    }

    fn fills(&mut self, place: u32, row: u32) -> Fills {
        let own = self.place[row as usize];
        let pattern = &self.learned.files.places.all[place as usize];
        if !pattern.is_pattern() {
            return if own == Some(place) { Fills::Right } else { Fills::Wrong };
        }
        let (learned, known) = (self.learned, self.known);
        *self.filled.entry((row, place)).or_insert_with(|| {
            let lesson = &learned.lessons.all[row as usize];
            let Some(item) = loose(known, lesson.reference) else { return Fills::Unknown };
            match pattern.fill(&learned.lessons, known, &item) {
                Ok(filled) if filled.folder == learned.lessons.spot(lesson.folder) => Fills::Right,
                Ok(_) => Fills::Wrong,
                Err(_) => Fills::Unknown,
            }
        })
    }

    fn rows_of(&mut self, test: &RuleTest) -> &[u32] {
        if !self.rows.contains_key(test) {
            let rows = match test {
                RuleTest::Clues(clues) => {
                    let mut rows: Vec<u32> =
                        clues.iter().flat_map(|clue| self.evidence.rows(clue, false)).collect();
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
            let lesson = &self.learned.lessons.all[*row as usize];
            loose(self.known, lesson.reference).is_some_and(|item| knows(facet, &item, self.known))
        };
        let rows = 0..self.place.len() as u32;
        rows.filter(|row| self.place[*row as usize].is_some()).filter(is_known).collect()
    }

    /// The test that gains most, and what it leaves.
    fn best(&mut self, rule: &Grown, left: &[u32], before: RuleTally) -> Option<(RuleTest, Vec<u32>)> {
        let lessons = &self.learned.lessons;
        let mut counts: FxHashMap<u32, usize> = FxHashMap::default();
        for row in left.iter().filter(|row| self.place[**row as usize] == Some(rule.place)) {
            for clue in lessons.clues(&lessons.all[*row as usize]) {
                *counts.entry(*clue).or_default() += 1;
            }
        }
        let model = &self.learned.files;
        let mut clues: Vec<(u32, i64)> = counts
            .into_iter()
            .filter(|(clue, count)| *count >= FEWEST && may_test(&lessons.lexicon.clue(*clue)))
            .map(|(clue, count)| (clue, count as i64 * model.says(lessons, clue, rule.place)))
            .collect();
        // Of words that say the same, the longer one is found by chance in fewer names.
        let text = |clue: u32| lessons.lexicon.text(clue);
        clues.sort_by_key(|(clue, says)| (Reverse(*says), Reverse(text(*clue).len()), text(*clue)));
        clues.truncate(WEIGHED);
        let place = &model.places.all[rule.place as usize];
        let names: Vec<String> = place.names(lessons).map(|name| fold_bytes(name)).collect();
        let named = |test: &RuleTest| match test {
            RuleTest::Clues(clues) => {
                clues.iter().any(|clue| names.iter().any(|name| is_near(name, &clue.text)))
            }
            RuleTest::Known(_) => false,
        };
        let mut best: Option<(f64, RuleTest, Vec<u32>)> = None;
        for (clue, _) in clues {
            let test = RuleTest::Clues(vec![lessons.lexicon.clue(clue)]);
            if rule.tests.contains(&test) {
                continue;
            }
            let rows = both(left, self.rows_of(&test));
            let after = self.by_place(rule.place, &rows);
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
                && is_good(self.by_place(rule.place, &left))
                && is_good(self.tally(rule.place, &left))
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
                    (self.tally(rule.place, &left), left)
                })
                .collect();
            let best = (0..rules.len())
                .filter(|at| is_good(tallies[*at].0))
                .max_by_key(|at| (tallies[*at].0.right, Reverse(*at)));
            let Some(best) = best else { break };
            let rule = rules.remove(best);
            let (tally, left) = &tallies[best];
            left.iter().for_each(|row| self.done[*row as usize] = true);
            let all = self.place.iter().filter(|place| **place == Some(rule.place)).count();
            found.extend(self.written(&rule, RuleTally { not: all.saturating_sub(tally.right), ..*tally }));
        }
        found
    }

    fn written(&self, rule: &Grown, tally: RuleTally) -> Option<FoundRule> {
        let put = self.put(rule.place)?;
        let place = self.learned.files.places.all[rule.place as usize].words(&self.learned.lessons);
        let tests: Vec<String> = rule.tests.iter().map(RuleTest::condition).collect();
        Some(FoundRule { when: tests.join(" and "), put, place, tally })
    }
}

impl RuleTest {
    fn condition(&self) -> String {
        match self {
            RuleTest::Known(facet) => format!("{facet} known"),
            RuleTest::Clues(clues) => {
                let first = clues[0].condition();
                clues[1..].iter().fold(first, |all, clue| format!("{all},{}", quoted(&clue.text)))
            }
        }
    }
}

/// Rules for one place that differ in one word alone are one rule.
fn join(rules: Vec<Grown>) -> Vec<Grown> {
    let mut joined: Vec<Grown> = Vec::new();
    for rule in rules {
        let single = |rule: &Grown| match rule.tests.as_slice() {
            [RuleTest::Clues(clues)] => Some((rule.place, clues[0].kind, clues.len())),
            _ => None,
        };
        let own = single(&rule).filter(|(_, kind, _)| may_join(*kind));
        let same = joined.iter_mut().find(|other| match (own, single(other)) {
            (Some((place, kind, _)), Some((at, of, count))) => place == at && kind == of && count < JOINED,
            _ => false,
        });
        match (same, rule.tests.as_slice()) {
            (Some(Grown { tests, .. }), [RuleTest::Clues(new)]) => {
                if let [RuleTest::Clues(clues)] = tests.as_mut_slice() {
                    clues.extend(new.iter().cloned());
                }
            }
            _ => joined.push(rule),
        }
    }
    joined
}

fn may_join(kind: ClueKind) -> bool {
    matches!(
        kind,
        ClueKind::Word | ClueKind::Extension | ClueKind::Type | ClueKind::Author | ClueKind::Sender
    )
}

/// Whether a folder is called by a word, in the singular or the plural.
fn is_near(name: &str, word: &str) -> bool {
    word.chars().count() > 2 && name.contains(word)
}

/// Whether a person would write such a test.
fn may_test(clue: &Clue) -> bool {
    let is_number = clue.text.bytes().all(|b| b.is_ascii_digit());
    match clue.kind {
        ClueKind::Word => !is_number && clue.text.chars().count() > 2 || !clue.text.is_ascii(),
        ClueKind::Series | ClueKind::Figures | ClueKind::Origin => false,
        ClueKind::Extension => !clue.text.is_empty(),
        _ => true,
    }
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

fn knows(facet: &Facet, item: &Item, known: &Known) -> bool {
    facet.ask(item, known.now).value().is_some()
}
