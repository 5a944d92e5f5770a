//! Puts the words of an answer together from the words of a name: misspelt, swapped, run together or
//! parted, cut off, or by their initials.
//!
//! Each word of an answer weighs by its letters, and the less the more answers have it. The score of
//! an answer is the weighed share of it that stands in the name, each word as close as
//! [`close::similarity`] or [`close::cut_off`] says.

mod judge;

use std::collections::HashMap;
use std::ops::Range;

use rustc_hash::FxHashMap;

use super::How;
use super::close::{
    CloseTarget, cut_off, edits_inside, lacks_vowels, most_edits, similarity, without_vowels,
};
use super::list::{AnswerForm, initials, is_general, is_small};
use super::words::Word;

/// How many words of a name may have been one.
const PARTED: usize = 3;
/// How many words of a name are looked at.
const MOST_WORDS: usize = 64;
/// The longest word that is compared.
const MOST_LETTERS: usize = 48;
/// How much an answer inside a longer word counts.
const INSIDE: f64 = 0.92;
/// The fewest letters that are looked for inside a longer word.
const INSIDE_LETTERS: usize = 6;
/// How much the initial of a word counts beside other words.
const INITIAL: f64 = 0.60;

/// An answer that may stand in a name.
#[derive(Debug, Clone)]
pub(super) struct AnswerCandidate {
    pub form: usize,
    /// The share of it that stands there, 0 to 1.
    pub score: f64,
    /// How many letters say so.
    pub letters: f64,
    /// The words of the name that say so, in order.
    pub words: Vec<usize>,
    pub how: How,
    /// Whether nothing had to be forgiven.
    pub exact: bool,
    /// Whether a word says so that only this answer has.
    pub distinctive: bool,
    /// Whether a word says so that is more than general.
    pub has_own_word: bool,
    /// Whether something else may well be meant: see [`Vocabulary::may_be_other`].
    pub may_be_other: bool,
}

impl AnswerCandidate {
    pub fn exact(form: usize, at: Range<usize>, words: &[String]) -> Self {
        Self {
            form,
            score: 1.0,
            letters: words.iter().map(|word| word.chars().count() as f64).sum(),
            words: at.collect(),
            how: How::Exact,
            exact: true,
            distinctive: true,
            has_own_word: true,
            may_be_other: false,
        }
    }

    /// Whether it takes all the words that the other takes, and more.
    pub fn covers_more_than(&self, other: &Self) -> bool {
        self.words.len() > other.words.len() && other.words.iter().all(|word| self.words.contains(word))
    }

    pub fn covers_the_same(&self, other: &Self) -> bool {
        self.words == other.words
    }
}

/// The words of all forms, and runs of them, prepared for comparison.
#[derive(Debug, Clone)]
pub(super) struct Vocabulary {
    targets: Vec<CloseTarget>,
    /// For each target, the forms and words that it stands for.
    uses: Vec<Vec<(usize, Range<usize>)>>,
    by_letters: Vec<Vec<usize>>,
    /// The same, of those only that are single words.
    words_by_letters: Vec<Vec<usize>>,
    numbers: FxHashMap<String, usize>,
    /// Single words in order, for those that were cut off.
    sorted: Vec<usize>,
    initials: HashMap<String, Vec<usize>>,
    /// For each form and word: what it weighs, and whether only this answer has it.
    weights: Vec<Vec<(f64, bool)>>,
}

/// A part of a form that stands in the name.
#[derive(Debug, Clone)]
struct WordHit {
    of_form: Range<usize>,
    of_name: Range<usize>,
    close: f64,
    how: How,
}

impl Vocabulary {
    pub fn new(forms: &[AnswerForm], answers: usize) -> Self {
        let mut numbers: FxHashMap<String, usize> = FxHashMap::default();
        let (mut targets, mut uses): (Vec<CloseTarget>, Vec<Vec<_>>) = (Vec::new(), Vec::new());
        for (at, form) in forms.iter().enumerate() {
            for start in 0..form.words.len() {
                for end in start + 1..=form.words.len() {
                    let text = form.words[start..end].concat();
                    if text.chars().count() > MOST_LETTERS {
                        continue;
                    }
                    let number = *numbers.entry(text.clone()).or_insert_with(|| {
                        targets.push(CloseTarget::new(text));
                        uses.push(Vec::new());
                        targets.len() - 1
                    });
                    uses[number].push((at, start..end));
                }
            }
        }
        let mut by_letters = vec![Vec::new(); MOST_LETTERS + 1];
        targets.iter().enumerate().for_each(|(at, target)| by_letters[target.letters()].push(at));
        let single = |at: &usize| uses[*at].iter().any(|(_, words)| words.len() == 1);
        let words_by_letters =
            by_letters.iter().map(|all: &Vec<usize>| all.iter().copied().filter(single).collect()).collect();
        let mut sorted: Vec<usize> = (0..targets.len()).filter(single).collect();
        sorted.sort_by(|a, b| targets[*a].text().cmp(targets[*b].text()));
        let mut by_initials: HashMap<String, Vec<usize>> = HashMap::new();
        for (at, form) in forms.iter().enumerate() {
            initials(form).into_iter().for_each(|text| by_initials.entry(text).or_default().push(at));
        }
        let weights = weights(forms, answers);
        Self { targets, uses, by_letters, words_by_letters, numbers, sorted, initials: by_initials, weights }
    }

    /// The answers of which something stands in the name.
    pub fn candidates(&self, forms: &[AnswerForm], words: &[Word]) -> Vec<AnswerCandidate> {
        let words = &words[..words.len().min(MOST_WORDS)];
        let mut hits: FxHashMap<usize, Vec<WordHit>> = FxHashMap::default();
        let mut hit = |target: usize, of_name: &Range<usize>, close: f64, how: How| {
            for (form, of_form) in &self.uses[target] {
                let how = match how {
                    How::Exact if of_form.len() != of_name.len() => How::Spaced,
                    How::CutOff | How::NoVowels if of_form.len() > 1 => continue,
                    How::Misspelt if of_form.len() > 1 && of_name.len() > 1 => continue,
                    how => how,
                };
                hits.entry(*form).or_default().push(WordHit {
                    of_form: of_form.clone(),
                    of_name: of_name.clone(),
                    close,
                    how,
                });
            }
        };
        for start in 0..words.len() {
            for end in start + 1..=(start + PARTED).min(words.len()) {
                let text: String = words[start..end].iter().map(|word| word.text.as_str()).collect();
                let run = CloseTarget::new(text);
                if run.letters() < 2 || run.letters() > MOST_LETTERS {
                    continue;
                }
                self.similar(&run, end - start, &mut |target, close| {
                    let how = if close == 1.0 { How::Exact } else { How::Misspelt };
                    hit(target, &(start..end), close, how);
                });
                if end == start + 1 {
                    self.cut(&run, &mut |target, close| hit(target, &(start..end), close, How::CutOff));
                    self.bare(&run, &words[start], &mut |target, close| {
                        hit(target, &(start..end), close, How::NoVowels);
                    });
                    self.inside(&run, &mut |target, close| hit(target, &(start..end), close, How::Spaced));
                }
            }
        }
        // What only says `Trust` says nothing, where many are trusts.
        hits.retain(|form, hits| self.says_something(forms, *form, hits));
        let assembled = hits.into_iter().filter_map(|(form, hits)| self.assemble(form, forms, hits, words));
        let mut candidates: Vec<AnswerCandidate> = assembled.collect();
        // What was gathered in a map has no order of its own.
        candidates.sort_by_key(|candidate| candidate.form);
        candidates.extend(self.by_initials(words));
        candidates
    }

    /// Whether one of the hits is more than a general word, or the form has nothing else.
    fn says_something(&self, forms: &[AnswerForm], form: usize, hits: &[WordHit]) -> bool {
        let words = &forms[form].words;
        let is_own = |word: &String| !is_general(word) && !is_small(word);
        hits.iter().any(|hit| words[hit.of_form.clone()].iter().any(is_own)) || !words.iter().any(is_own)
    }

    /// Targets that are close to a run of so many words. Several words for several others are compared
    /// word by word, so a run of more than one may be one word misspelt, or else must be right.
    fn similar(&self, run: &CloseTarget, words: usize, hit: &mut dyn FnMut(usize, f64)) {
        let letters = run.letters();
        let by_letters = if words == 1 { &self.by_letters } else { &self.words_by_letters };
        if let Some(exact) = self.numbers.get(run.text()) {
            hit(*exact, 1.0);
        }
        let shortest = letters - most_edits(letters);
        for (length, targets) in by_letters.iter().enumerate().skip(shortest) {
            if length > letters && length - letters > most_edits(length) {
                break;
            }
            for target in targets {
                let close = similarity(run, &self.targets[*target]);
                if let Some(close) = close.filter(|close| *close < 1.0) {
                    hit(*target, close);
                }
            }
        }
    }

    fn cut(&self, run: &CloseTarget, hit: &mut dyn FnMut(usize, f64)) {
        let from = self.sorted.partition_point(|at| self.targets[*at].text() < run.text());
        for at in &self.sorted[from..] {
            match cut_off(run, &self.targets[*at]) {
                Some(close) => hit(*at, close),
                None if self.targets[*at].text().starts_with(run.text()) => {}
                None => break,
            }
        }
    }

    /// `stmt` for `statement`.
    fn bare(&self, run: &CloseTarget, word: &Word, hit: &mut dyn FnMut(usize, f64)) {
        // Three capitals are rather initials.
        if (word.capitals && run.letters() <= 3) || !lacks_vowels(run) {
            return;
        }
        for at in &self.sorted {
            if let Some(close) = without_vowels(run, &self.targets[*at]) {
                hit(*at, close);
            }
        }
    }

    /// Answers that were run together with other words.
    fn inside(&self, run: &CloseTarget, hit: &mut dyn FnMut(usize, f64)) {
        for letters in INSIDE_LETTERS..run.letters().saturating_sub(2) {
            for at in &self.by_letters[letters] {
                // Each letter that is not there at all is an edit.
                if self.targets[*at].lacking_in(run) > letters / 8 {
                    continue;
                }
                let target = self.targets[*at].text();
                let ends = run.text().starts_with(target) || run.text().ends_with(target);
                // A short word in the midst of a longer one is chance.
                if ends || (letters > INSIDE_LETTERS + 1 && run.text().contains(target)) {
                    hit(*at, INSIDE);
                } else if letters >= 10
                    && let Some(edits) =
                        edits_inside(target, run.text()).filter(|edits| *edits <= letters / 8)
                {
                    hit(*at, INSIDE - edits as f64 / letters as f64);
                }
            }
        }
    }

    /// Takes the best hits that do not overlap, and weighs what they come to.
    fn assemble(
        &self,
        form: usize,
        forms: &[AnswerForm],
        mut hits: Vec<WordHit>,
        words: &[Word],
    ) -> Option<AnswerCandidate> {
        let weights = &self.weights[form];
        let weight =
            |range: &Range<usize>| weights[range.clone()].iter().map(|(weight, _)| weight).sum::<f64>();
        hits.sort_by(|a, b| (weight(&b.of_form) * b.close).total_cmp(&(weight(&a.of_form) * a.close)));
        let mut taken: Vec<WordHit> = Vec::new();
        let apart = |a: &Range<usize>, b: &Range<usize>| a.end <= b.start || b.end <= a.start;
        for hit in hits {
            if taken.iter().all(|t| apart(&t.of_form, &hit.of_form) && apart(&t.of_name, &hit.of_name)) {
                taken.push(hit);
            }
        }
        self.add_initials_beside(form, forms, &mut taken, words);
        let whole: f64 = weight(&(0..weights.len()));
        let found: f64 = taken.iter().map(|hit| weight(&hit.of_form) * hit.close).sum();
        let mut at: Vec<usize> = taken.iter().flat_map(|hit| hit.of_name.clone()).collect();
        at.sort_unstable();
        let gaps = at.last()? - at.first()? + 1 - at.len();
        let score = found / whole - (0.03 * gaps as f64).min(0.12);
        let covered = |word: usize| taken.iter().any(|hit| hit.of_form.contains(&word));
        let missing = (0..weights.len()).any(|word| !covered(word) && !is_small(&forms[form].words[word]));
        let how = taken.iter().map(|hit| hit.how).max().unwrap_or(How::Exact);
        let letters =
            |range: &Range<usize>| words[range.clone()].iter().map(|w| w.text.chars().count()).sum::<usize>();
        // A letter left out is evidence too; what was cut off is none.
        let evidence = |hit: &WordHit| {
            let wanted: usize =
                forms[form].words[hit.of_form.clone()].iter().map(|word| word.chars().count()).sum();
            let there = letters(&hit.of_name);
            hit.close * if hit.how == How::CutOff { there } else { there.max(wanted) } as f64
        };
        let own = |hit: &WordHit| hit.of_form.clone().any(|word| weights[word].1);
        Some(AnswerCandidate {
            form,
            score,
            letters: taken.iter().map(evidence).sum(),
            how: if missing { how.max(How::Part) } else { how },
            exact: how == How::Exact
                && gaps == 0
                && (0..weights.len()).all(|word| {
                    covered(word)
                        || is_small(&forms[form].words[word])
                        || is_general(&forms[form].words[word])
                }),
            distinctive: taken.iter().any(|hit| own(hit) && hit.close >= 0.8 && letters(&hit.of_name) >= 5),
            has_own_word: taken.iter().any(|hit| {
                hit.of_form
                    .clone()
                    .any(|word| !is_general(&forms[form].words[word]) && !is_small(&forms[form].words[word]))
            }),
            may_be_other: self.may_be_other(form, forms, &taken, words),
            words: at,
        })
    }

    /// `H Dock Trust`: a single letter beside words that stand there counts as the word it begins.
    fn add_initials_beside(
        &self,
        form: usize,
        forms: &[AnswerForm],
        taken: &mut Vec<WordHit>,
        words: &[Word],
    ) {
        if !taken.iter().any(|hit| hit.close >= 0.8 && self.weights[form][hit.of_form.start].0 > 0.0) {
            return;
        }
        for (at, word) in forms[form].words.iter().enumerate() {
            if taken.iter().any(|hit| hit.of_form.contains(&at)) {
                continue;
            }
            let beside = |name: usize| {
                taken.iter().any(|hit| name + 1 == hit.of_name.start || name == hit.of_name.end)
            };
            let free = |name: usize| !taken.iter().any(|hit| hit.of_name.contains(&name));
            let is_letter = |text: &str| text.chars().count() == 1 && word.starts_with(text);
            let found = (0..words.len()).find(|n| is_letter(&words[*n].text) && free(*n) && beside(*n));
            if let Some(name) = found.filter(|_| word.chars().count() > 1) {
                taken.push(WordHit {
                    of_form: at..at + 1,
                    of_name: name..name + 1,
                    close: INITIAL,
                    how: How::CutOff,
                });
            }
        }
    }

    /// Answers whose initials stand there: `HDT`, `H.D.T.`
    fn by_initials(&self, words: &[Word]) -> Vec<AnswerCandidate> {
        // Where all is in capitals they say nothing.
        let telling = words.iter().any(|word| !word.capitals && word.number().is_none());
        let mut candidates = Vec::new();
        for start in 0..words.len() {
            let single = words[start..].iter().take_while(|word| word.text.chars().count() == 1).count();
            let ends = std::iter::once(start + 1).chain(start + 2..=start + single);
            for end in ends {
                let text: String = words[start..end].iter().map(|word| word.text.as_str()).collect();
                let letters = text.chars().count();
                let capitals = telling && words[start..end].iter().all(|word| word.capitals);
                let score = match (letters, capitals) {
                    (3.., true) => 0.85,
                    (3.., false) => 0.65,
                    (2, true) => 0.60,
                    _ => continue,
                };
                candidates.extend(self.initials.get(&text).into_iter().flatten().map(|form| {
                    AnswerCandidate {
                        form: *form,
                        score,
                        letters: letters as f64,
                        words: (start..end).collect(),
                        how: How::Initials,
                        exact: false,
                        distinctive: false,
                        has_own_word: true,
                        may_be_other: false,
                    }
                }));
            }
        }
        candidates
    }
}

/// What each word of each form weighs: its letters, by how many answers have it.
fn weights(forms: &[AnswerForm], answers: usize) -> Vec<Vec<(f64, bool)>> {
    let mut having: HashMap<&str, Vec<bool>> = HashMap::new();
    for form in forms {
        for word in &form.words {
            having.entry(word).or_insert_with(|| vec![false; answers])[form.answer] = true;
        }
    }
    let weight = |word: &String| {
        let many = having[word.as_str()].iter().filter(|has| **has).count();
        let kind = if is_small(word) {
            0.05
        } else if is_general(word) {
            0.15
        } else {
            1.0
        };
        let letters = word.chars().count() as f64;
        (kind * letters / (many * many) as f64, many == 1 && kind == 1.0)
    };
    forms.iter().map(|form| form.words.iter().map(weight).collect()).collect()
}
