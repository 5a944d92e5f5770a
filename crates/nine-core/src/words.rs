//! The words of a text, and how one is looked for among them.
//!
//! A word is a run of letters and digits; letter case and accents are ignored. These are the words of
//! the catalogue's index as well, so that a rule and a search answer alike.

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// The words of a text, folded.
pub fn of(text: &str) -> impl Iterator<Item = String> {
    let runs = text.split(|c: char| !c.is_alphanumeric() && !is_combining_mark(c));
    runs.map(folded).filter(|word| !word.is_empty())
}

fn folded(word: &str) -> String {
    if word.is_ascii() {
        return word.to_ascii_lowercase();
    }
    word.nfd().filter(|c| !is_combining_mark(*c)).flat_map(char::to_lowercase).collect()
}

/// How many words a text has.
pub fn count(text: &str) -> u64 {
    of(text).count() as u64
}

/// Whether the words of `value` stand in the text, one behind the other. The last may be the
/// beginning of a word: `condition rep` is found in `Condition report`.
pub fn has(text: &str, value: &str) -> bool {
    let wanted: Vec<String> = of(value).collect();
    let Some((last, before)) = wanted.split_last() else {
        return false;
    };
    let words: Vec<String> = of(text).collect();
    words.windows(wanted.len()).any(|here| {
        let (end, start) = here.split_last().expect("windows are as long as what is wanted");
        start == before && end.starts_with(last.as_str())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_stand_one_behind_the_other() {
        let text = "Condition report: the Möwe's sextant,\nbrass (1931).";
        assert_eq!(count(text), 8);
        for yes in ["report", "condition rep", "MOWE", "möwe s sext", "brass 1931"] {
            assert!(has(text, yes), "{yes}");
        }
        for no in ["eport", "cond report", "report condition", "sextan brass", "", "!"] {
            assert!(!has(text, no), "{no}");
        }
    }
}
