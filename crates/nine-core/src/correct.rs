//! Names put right: copy marks, stray signs and doubled words gone.

use std::sync::LazyLock;

use regex::Regex;

use crate::facet;
use crate::names::fold;

static COPY_MARKS: LazyLock<Regex> = LazyLock::new(|| {
    regex(
        r"(?i)^(copy|kopie|copie|copia)( \(?\d{1,3}\)?)? (of|von|de|di) |(( ?[-_] ?| ?\b)(copy|kopie|copie|copia)( ?\(?\d{1,3}\)?)?| ?\(\d{1,3}\))$",
    )
});

static SPACES: LazyLock<Regex> = LazyLock::new(|| regex(r"[\s_]+"));
static STRAY: LazyLock<Regex> = LazyLock::new(|| regex(r"^[\s\-_.,;+~]+|[\s\-_,;~]+$| \++$"));
/// Signs that stand one behind the other where something between them is missing.
static DOUBLED_SIGNS: LazyLock<Regex> = LazyLock::new(|| regex(r"\s*([-_,;~])(?:\s*[-_,;~])+\s*|\s\s+"));
static EMPTY_BRACKETS: LazyLock<Regex> = LazyLock::new(|| regex(r"\(\s*\)|\[\s*\]"));

fn regex(pattern: &str) -> Regex {
    Regex::new(pattern).expect("the pattern is a constant that a test compiles")
}

/// A stem with spaces, case and copy marks cleaned: `  copy of LOAN__agreement (2)` becomes
/// `Loan agreement`.
///
/// Words all in capitals become small only if the whole stem is (so `HDT receipt` stays), names and abbreviations
/// among words excepted, and the first letter becomes a capital. A stem that would vanish is given back unchanged.
pub fn tidy_stem(stem: &str) -> String {
    let text = without_copy_marks(SPACES.replace_all(stem, " ").trim());
    let text = STRAY.replace_all(&text, "");
    if text.is_empty() {
        return stem.to_owned();
    }
    capitalised(&text)
}

/// A stem that was put together by a pattern, with no word doubled and without copy marks and stray
/// signs: `Harrow Dock  harrow dock - - receipt (1)` becomes `Harrow Dock - receipt`. Letter case is
/// kept. May come out empty.
pub fn corrected(stem: &str) -> String {
    let mut text = EMPTY_BRACKETS.replace_all(stem, "").into_owned();
    text = DOUBLED_SIGNS
        .replace_all(&text, |found: &regex::Captures| match found.get(1) {
            Some(sign) if found[0].contains(' ') => format!(" {} ", sign.as_str()),
            Some(sign) => sign.as_str().to_owned(),
            None => " ".to_owned(),
        })
        .into_owned();
    let text = without_copy_marks(text.trim());
    let text = without_doubled_words(&text);
    STRAY.replace_all(&text, "").into_owned()
}

/// Whether a stem says of itself that it is a copy: `plan (1)`, `copy of plan`.
pub fn has_copy_mark(stem: &str) -> bool {
    if !may_have_copy_mark(stem.as_bytes()) {
        return false; // nearly all names, and the expression is slow
    }
    COPY_MARKS.find(stem).is_some_and(|found| found.len() < stem.len())
}

/// Whether a name may have a copy mark, so that it must be looked at closely: the marks need a closing
/// bracket, or a word that starts so.
pub fn may_have_copy_mark(name: &[u8]) -> bool {
    let starts = |three: &[u8]| three.eq_ignore_ascii_case(b"cop") || three.eq_ignore_ascii_case(b"kop");
    name.contains(&b')') || name.windows(3).any(starts)
}

/// A stem without its copy marks.
pub fn without_copy_marks(text: &str) -> String {
    let mut text = text.to_owned();
    while let Some(found) = COPY_MARKS.find(&text).filter(|found| found.len() < text.len()) {
        let start = found.start();
        text.replace_range(found.range(), "");
        if start == 0 {
            text = text.trim_start().to_owned();
        }
    }
    text
}

/// How many words may be doubled as one.
const LONGEST_PHRASE: usize = 6;

/// A text without words, or runs of words, that stand there twice in a row. Of both the one with more
/// capitals stays. Numbers of one or two digits may stand twice.
fn without_doubled_words(text: &str) -> String {
    let is_word = |c: char| c.is_alphanumeric() || matches!(c, '\'' | '\u{2019}');
    let mut text = text.to_owned();
    // Each round takes one repetition out, so it ends.
    'again: loop {
        let mut words: Vec<(usize, usize)> = Vec::new();
        let mut start = None;
        for (at, c) in text.char_indices().chain([(text.len(), ' ')]) {
            match (is_word(c), start) {
                (true, None) => start = Some(at),
                (false, Some(from)) => {
                    words.push((from, at));
                    start = None;
                }
                _ => {}
            }
        }
        let folded: Vec<String> = words.iter().map(|(from, to)| fold(&text[*from..*to])).collect();
        for many in (1..=LONGEST_PHRASE.min(folded.len() / 2)).rev() {
            for at in 0..=folded.len() - 2 * many {
                let same = folded[at..at + many] == folded[at + many..at + 2 * many];
                let short =
                    many == 1 && folded[at].len() <= 2 && folded[at].bytes().all(|b| b.is_ascii_digit());
                if !same || short {
                    continue;
                }
                let (first, second) =
                    (words[at].0..words[at + many - 1].1, words[at + many].0..words[at + 2 * many - 1].1);
                let capitals = |range: &std::ops::Range<usize>| {
                    text[range.clone()].chars().filter(|c| c.is_uppercase()).count()
                };
                let range = if capitals(&second) > capitals(&first) {
                    first.start..second.start
                } else {
                    first.end..second.end
                };
                text.replace_range(range, "");
                continue 'again;
            }
        }
        return text;
    }
}

fn capitalised(text: &str) -> String {
    let letters = text.chars().filter(|c| c.is_alphabetic()).count();
    let shouting = letters > 4
        && text.contains(' ')
        && !text.chars().any(char::is_lowercase)
        && text.chars().any(char::is_uppercase);
    let text = if shouting { quietened(text) } else { text.to_owned() };
    let first_word = text.split(' ').next().unwrap_or_default();
    // iPad and mScan are spelled so on purpose
    if first_word.chars().skip(1).any(char::is_uppercase) {
        return text;
    }
    first_capital(&text)
}

/// The longest word that may be an abbreviation.
const ABBREVIATION: usize = 5;

/// A text all in capitals in small letters, but for names and for what is no word among words, as `NASA` is.
fn quietened(text: &str) -> String {
    let words = || text.split(' ').filter(|word| word.chars().any(char::is_alphabetic));
    let known = words().filter(|word| facet::is_word(&fold(word))).count();
    let is_read = known * 2 >= words().count();
    let quiet = |word: &str| {
        let small = word.to_lowercase();
        if facet::is_name(&small) {
            return first_capital(&small);
        }
        let abbreviation =
            word.chars().count() <= ABBREVIATION && !facet::is_word(&small) && !facet::is_small(&small);
        if is_read && abbreviation { word.to_owned() } else { small }
    };
    text.split(' ').map(quiet).collect::<Vec<_>>().join(" ")
}

fn first_capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |c| c.to_uppercase().chain(chars).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tidy_cleans_marks_spaces_and_shouting() {
        for (from, to) in [
            ("  copy of LOAN__agreement (2)", "LOAN agreement"),
            ("budget - Copy", "Budget"),
            ("poster_final - Kopie (3)", "Poster final"),
            ("CONDITION REPORT 12", "Condition report 12"),
            ("HDT receipt", "HDT receipt"),
            ("CONDITION REPORT FOR NASA", "Condition report for NASA"),
            ("LETTER TO HARLOW", "Letter to Harlow"),
            ("RECHNUNG NR 12 GRÜN", "Rechnung nr 12 grün"),
            ("C++ notes", "C++ notes"),
            ("notes on C++", "Notes on C++"),
            ("notes +", "Notes"),
            ("iPad list", "iPad list"),
            ("(1)", "(1)"),
            ("copy", "Copy"),
            ("photocopy", "Photocopy"),
        ] {
            assert_eq!(tidy_stem(from), to, "{from}");
        }
    }

    #[test]
    fn corrected_names_hold_no_word_twice() {
        assert!(has_copy_mark("plan_copy") && has_copy_mark("plan-copy 2") && !has_copy_mark("photocopy"));
        assert!(has_copy_mark("plan (1)") && has_copy_mark("Copy of plan") && !has_copy_mark("plan 1"));
        for (from, to) in [
            ("Harrow Dock Trust harrow dock trust receipt", "Harrow Dock Trust receipt"),
            ("harrow dock trust Harrow Dock Trust receipt", "Harrow Dock Trust receipt"),
            ("receipt receipt 2030-31 2030-31", "receipt 2030-31"),
            ("loan - - 2030-31 - Copy (2)", "loan - 2030-31"),
            ("loan__2031_", "loan_2031"),
            ("room 1 1 plan", "room 1 1 plan"),
            ("Kittiwake Society  letter ()", "Kittiwake Society letter"),
            ("- (1)", ""),
            ("the that", "the that"),
            ("C++ notes C++", "C++ notes C++"),
        ] {
            assert_eq!(corrected(from), to, "{from}");
        }
    }

    proptest! {
        #[test]
        fn tidy_never_panics_or_empties(stem in "\\PC{1,30}") {
            prop_assert!(!tidy_stem(&stem).is_empty());
        }

        #[test]
        fn what_is_corrected_stays_so(stem in "([Aa]b?|copy|of|[-_ (),1-3]|\\PC){0,12}") {
            let once = corrected(&stem);
            let words: Vec<String> = once.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(fold).collect();
            prop_assert!(words.windows(2).all(|pair| pair[0] != pair[1] || pair[0].len() <= 2) || once.contains(['\'', '\u{2019}']), "{:?}", once);
        }
    }
}
