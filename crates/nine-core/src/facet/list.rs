//! Answers that the person listed, and how one is found in a name.

use std::collections::HashMap;

use super::assemble::{AnswerCandidate, Vocabulary};
use super::words::{Word, split};
use super::{Finding, Found, Hint, How, Source, Weak};
use crate::names::fold;

/// From this share on an answer is taken although not all of it stands there.
const TAKEN: f64 = 0.50;
/// From this share on it needs no person to look.
pub(super) const SURE: f64 = 0.75;
/// An answer that is worse than the best by less than this is named beside it.
const RIVAL: f64 = 0.15;
/// What words that are missing cost where answers are put in order.
const MISSING: f64 = 0.05;
/// The fewest letters that make a misspelt or cut-off word sure.
const ENOUGH_LETTERS: f64 = 6.0;

/// How spellings are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Spelling {
    /// Word by word, one behind the other.
    Exact,
    /// Misspellings, swapped words, missing spaces, initials and cut-off words are forgiven.
    Close,
}

/// An answer and its other spellings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// As it is to be written.
    pub value: String,
    /// Other ways in which people write it.
    pub spellings: Vec<String>,
}

/// A list of answers, prepared for names to be looked up in.
#[derive(Debug, Clone)]
pub struct List {
    answers: Vec<Answer>,
    spelling: Spelling,
    forms: Vec<AnswerForm>,
    /// By the first word of a form.
    starts: HashMap<String, Vec<usize>>,
    vocabulary: Vocabulary,
}

/// One way to write an answer.
#[derive(Debug, Clone)]
pub(super) struct AnswerForm {
    /// Which answer.
    pub answer: usize,
    /// As it is written.
    pub written: String,
    /// Its words.
    pub words: Vec<String>,
    /// Whether it is the answer itself, and no other spelling.
    pub own: bool,
}

impl List {
    /// Prepares a list.
    pub fn new(answers: Vec<Answer>, spelling: Spelling) -> Self {
        let form = |answer: usize, written: &str, own: bool| {
            // A capital inside a word parts names that were run together, and no answers.
            let words: Vec<String> =
                split(&written.to_lowercase()).into_iter().map(|word| word.text).collect();
            AnswerForm { answer, written: written.to_owned(), words, own }
        };
        let forms: Vec<AnswerForm> = answers
            .iter()
            .enumerate()
            .flat_map(|(at, answer)| {
                let others = answer.spellings.iter().map(move |spelled| form(at, spelled, false));
                std::iter::once(form(at, &answer.value, true)).chain(others)
            })
            .filter(|form| !form.words.is_empty())
            .collect();
        let mut starts: HashMap<String, Vec<usize>> = HashMap::new();
        for (at, form) in forms.iter().enumerate() {
            starts.entry(form.words[0].clone()).or_default().push(at);
        }
        let vocabulary = Vocabulary::new(&forms, answers.len());
        Self { answers, spelling, forms, starts, vocabulary }
    }

    /// The answers in their order.
    pub fn answers(&self) -> &[Answer] {
        &self.answers
    }

    pub(super) fn canonical(&self, value: &str) -> Option<String> {
        let wanted = fold(value.trim());
        let found = self.answers.iter().find(|answer| fold(&answer.value) == wanted);
        found.map(|answer| answer.value.clone())
    }

    /// The answer that a name gives.
    pub(super) fn find(&self, text: &str, source: Source) -> Finding {
        let words = split(text);
        let mut candidates = self.exact(&words);
        if self.spelling == Spelling::Close {
            candidates.extend(self.vocabulary.candidates(&self.forms, &words));
        }
        self.choose(candidates, text, &words, source)
    }

    /// The answer that a text gives: whole spellings only, and the one named most often.
    pub(super) fn find_inside(&self, text: &str) -> Finding {
        let words = split(text);
        let mut times: Vec<(usize, usize)> = Vec::new();
        let candidates = self.exact(&words);
        for candidate in &candidates {
            let answer = self.forms[candidate.form].answer;
            match times.iter_mut().find(|(known, _)| *known == answer) {
                Some((_, times)) => *times += 1,
                None => times.push((answer, 1)),
            }
        }
        times.sort_by_key(|(_, times)| std::cmp::Reverse(*times));
        let mut found = times.iter().filter_map(|(answer, _)| {
            let of = |candidate: &&AnswerCandidate| self.forms[candidate.form].answer == *answer;
            let best = candidates.iter().filter(of).max_by_key(|candidate| candidate.words.len())?;
            let found = self.found(best, text, &words, Source::Text);
            Some(Found { weak: found.weak.or(Some(Weak::Inside)), ..found })
        });
        Finding { found: found.next(), rivals: found.collect(), hint: None }
    }

    /// Forms whose words stand there one behind the other.
    fn exact(&self, words: &[Word]) -> Vec<AnswerCandidate> {
        let mut candidates = Vec::new();
        for at in 0..words.len() {
            for form in self.starts.get(&words[at].text).into_iter().flatten() {
                let wanted = &self.forms[*form].words;
                let stands = words[at..].iter().map(|word| &word.text).zip(wanted).all(|(a, b)| a == b);
                if stands && at + wanted.len() <= words.len() {
                    candidates.push(AnswerCandidate::exact(*form, at..at + wanted.len(), wanted));
                }
            }
        }
        candidates
    }

    /// Takes the best of what was found, and names what is hardly worse.
    fn choose(&self, mut found: Vec<AnswerCandidate>, text: &str, words: &[Word], source: Source) -> Finding {
        let answer = |candidate: &AnswerCandidate| self.forms[candidate.form].answer;
        // Of two that are nearly as close, the one of which nothing is missing goes first.
        let missing = |candidate: &AnswerCandidate| if candidate.how == How::Part { MISSING } else { 0.0 };
        let rank = |candidate: &AnswerCandidate| (candidate.score - missing(candidate), candidate.letters);
        found.sort_by(|a, b| rank(b).0.total_cmp(&rank(a).0).then(rank(b).1.total_cmp(&rank(a).1)));
        // Of each answer the best; `condition reprot` tells more than the `condition` in it.
        let mut each: Vec<AnswerCandidate> = Vec::new();
        for candidate in found {
            match each.iter_mut().find(|known| answer(known) == answer(&candidate)) {
                Some(known) if candidate.covers_more_than(known) && candidate.score >= SURE => {
                    *known = candidate
                }
                Some(_) => {}
                None => each.push(candidate),
            }
        }
        let (taken, short): (Vec<_>, Vec<_>) =
            each.into_iter().partition(|candidate| candidate.score >= TAKEN || candidate.distinctive);
        let Some(mut best) = taken.first() else {
            return self.too_short(&short, text, words);
        };
        for other in &taken[1..] {
            // `condition report`, if misspelt, is still more than the `report` in it.
            if other.covers_more_than(best) && other.score >= SURE {
                best = other;
            }
        }
        let is_rival = |other: &&AnswerCandidate| {
            // `Station Yard` is not a part of `Station Yard Phase Two`, where it is an answer itself.
            let is_part = best.how < How::Part && other.how == How::Part && other.covers_the_same(best);
            if std::ptr::eq(*other, best) || best.covers_more_than(other) || is_part {
                return false;
            }
            // An answer that stands there is not questioned by what is rather another word: `letter` is not `Lether`.
            if best.exact && other.may_be_other && !other.covers_the_same(best) {
                return false;
            }
            let near = other.score > best.score - RIVAL;
            let elsewhere = !other.covers_the_same(best) && other.score >= SURE;
            (near && !(best.exact && other.covers_the_same(best) && !other.exact)) || elsewhere
        };
        let rivals = taken.iter().filter(is_rival).map(|c| self.found(c, text, words, source)).collect();
        Finding { found: Some(self.found(best, text, words, source)), rivals, hint: None }
    }

    /// Words that may mean one of several answers and are too little for any.
    fn too_short(&self, short: &[AnswerCandidate], text: &str, words: &[Word]) -> Finding {
        let Some(best) = short.first().filter(|best| best.letters >= 4.0 && best.has_own_word) else {
            return Finding::default();
        };
        let same = short.iter().filter(|other| other.covers_the_same(best));
        let values = same.map(|c| self.answers[self.forms[c.form].answer].value.clone()).take(4).collect();
        Finding { hint: Some(Hint::OneOf(written(best, text, words), values)), ..Finding::default() }
    }

    fn found(&self, candidate: &AnswerCandidate, text: &str, words: &[Word], source: Source) -> Found {
        let form = &self.forms[candidate.form];
        let enough = candidate.exact || candidate.letters >= ENOUGH_LETTERS || candidate.how == How::Initials;
        Found {
            value: self.answers[form.answer].value.clone(),
            source,
            words: written(candidate, text, words),
            spelling: form.written.clone(),
            how: candidate.how,
            confidence: (candidate.score * 100.0).round().clamp(1.0, 100.0) as u8,
            weak: (candidate.score < SURE || !enough || candidate.may_be_other).then_some(Weak::Far),
            at: match source {
                Source::Name => candidate.words.iter().map(|at| words[*at].at.clone()).collect(),
                _ => Vec::new(),
            },
        }
    }
}

/// The words of a candidate as they stand there, with `…` where others stand between.
fn written(candidate: &AnswerCandidate, text: &str, words: &[Word]) -> String {
    let mut out = String::new();
    let mut last: Option<usize> = None;
    for at in &candidate.words {
        match last {
            Some(before) if before + 1 == *at => {
                out.push_str(&text[words[before].at.end..words[*at].at.start])
            }
            Some(_) => out.push_str(" … "),
            None => {}
        }
        out.push_str(&text[words[*at].at.clone()]);
        last = Some(*at);
    }
    out
}

/// Whether a word says only what kind of body somebody is, as `Society` does.
pub(super) fn is_general(word: &str) -> bool {
    GENERAL.contains(&word)
}

/// Whether a word says nothing.
pub fn is_small(word: &str) -> bool {
    SMALL.contains(&word)
}

/// The initials of a form, with and without its small words.
pub(super) fn initials(form: &AnswerForm) -> Vec<String> {
    let of = |small: bool| -> String {
        let words = form.words.iter().filter(|word| small || !is_small(word));
        words.filter_map(|word| word.chars().next()).collect()
    };
    let mut all = vec![of(true), of(false)];
    all.dedup();
    all.retain(|initials| form.own && initials.chars().count() >= 2);
    all
}

const GENERAL: [&str; 46] = [
    "agency",
    "archive",
    "archives",
    "association",
    "authority",
    "bank",
    "brothers",
    "centre",
    "center",
    "club",
    "co",
    "collection",
    "college",
    "committee",
    "company",
    "corporation",
    "council",
    "department",
    "estate",
    "family",
    "foundation",
    "fund",
    "gallery",
    "gmbh",
    "group",
    "guild",
    "inc",
    "institute",
    "library",
    "limited",
    "llc",
    "ltd",
    "museum",
    "office",
    "partners",
    "partnership",
    "plc",
    "school",
    "service",
    "services",
    "society",
    "sons",
    "trust",
    "union",
    "university",
    "verein",
];

const SMALL: [&str; 21] = [
    "a", "an", "and", "at", "by", "das", "de", "der", "des", "die", "for", "from", "in", "la", "le", "of",
    "on", "re", "the", "to", "und",
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_of_words_are_folded() {
        for word in GENERAL.iter().chain(&SMALL) {
            assert_eq!(crate::facet::folded(word), *word);
        }
    }
}
