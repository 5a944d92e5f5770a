//! Whether what was put together for an answer may be something else.

use super::{INITIAL, Vocabulary, WordHit};
use crate::facet::How;
use crate::facet::known::{is_ending_of, is_known, is_only_word, is_slip_of, is_word};
use crate::facet::list::{AnswerForm, is_general, is_small};
use crate::facet::words::Word;

/// The share of an answer's own words that may be missing.
const LOST: f64 = 0.15;

impl Vocabulary {
    /// Whether something else may well be meant by the words that stand there: a part of the answer is not the
    /// whole (`annual leave` is not `annual accounts`), and a word that is not equal may be another (`Harrow` is
    /// not `Harlow`), unless it is one slip and no word or name that there is.
    pub(super) fn may_be_other(
        &self,
        form: usize,
        forms: &[AnswerForm],
        taken: &[WordHit],
        words: &[Word],
    ) -> bool {
        let of_form = &forms[form].words;
        let is_own = |word: usize| !is_general(&of_form[word]) && !is_small(&of_form[word]);
        let missing = |word: &usize| !taken.iter().any(|hit| hit.of_form.contains(word));
        let weight = |word: usize| self.weights[form][word].0;
        let whole: f64 = (0..of_form.len()).map(weight).sum();
        let lost: f64 = (0..of_form.len()).filter(|word| is_own(*word) && missing(word)).map(weight).sum();
        // `statement` is not `bank statement`, while `Kittiwake` is the `Kittiwake Society`.
        let headless = is_general(&of_form[0]) && missing(&0) && of_form.len() > 1;
        // A word that other answers have, too, tells none apart.
        let tells = |hit: &WordHit| hit.of_form.clone().any(|word| self.weights[form][word].1);
        let telling = taken.iter().filter(|hit| tells(hit));
        let (telling_hits, others_exact) =
            telling.fold((0, 0), |(all, exact), hit| (all + 1, exact + usize::from(hit.close == 1.0)));
        lost > LOST * whole || headless || is_of_another_body(of_form, taken, words) || {
            let mut own = taken.iter().filter(|hit| hit.of_form.clone().any(is_own) && hit.close < 1.0);
            own.any(|hit| {
                let typed: String =
                    words[hit.of_name.clone()].iter().map(|word| word.text.as_str()).collect();
                let wanted = of_form[hit.of_form.clone()].concat();
                match hit.how {
                    // Of a word its last letter may have slipped.
                    How::CutOff if hit.close != INITIAL => is_known(&typed) || !is_slip_of(&typed, &wanted),
                    How::CutOff => others_exact == 0,
                    How::NoVowels => true,
                    How::Spaced => !self.is_run_together(&typed, &wanted),
                    _ if is_ending_of(&typed, &wanted) => false,
                    _ => {
                        let slips = strsim::osa_distance(&typed, &wanted);
                        let alone = others_exact == 0 && telling_hits < 2;
                        let forgiven =
                            if alone { 0 } else { hit.of_form.len() + usize::from(others_exact > 0) };
                        // A misspelt word beside others that are right may well be spelt like a name.
                        let exists =
                            if is_only_word(&wanted) && !alone { is_word(&typed) } else { is_known(&typed) };
                        (hit.of_name.len() == 1 && exists)
                            || (slips > forgiven && !is_slip_of(&typed, &wanted))
                    }
                }
            })
        }
    }

    /// Whether a word is another one together with nothing but words that there are.
    fn is_run_together(&self, typed: &str, wanted: &str) -> bool {
        let Some((before, behind)) = typed.split_once(wanted) else { return false };
        let stands = |text: &str| {
            text.is_empty() || is_small(text) || is_known(text) || self.numbers.contains_key(text)
        };
        !is_known(typed) && stands(before) && stands(behind)
    }
}

/// `Harlow Council` is not the `Harlow Trust`.
fn is_of_another_body(of_form: &[String], taken: &[WordHit], words: &[Word]) -> bool {
    let (Some(first), Some(last)) =
        (taken.iter().map(|hit| hit.of_name.start).min(), taken.iter().map(|hit| hit.of_name.end).max())
    else {
        return false;
    };
    let beside = [first.checked_sub(1), Some(last)].into_iter().flatten().filter_map(|at| words.get(at));
    let mut other = beside.filter(|word| is_general(&word.text) && !of_form.contains(&word.text));
    let has_body = of_form.iter().any(|word| is_general(word));
    has_body && other.next().is_some()
}
