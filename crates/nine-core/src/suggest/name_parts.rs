//! The parts of a name that may tell where an item belongs: its words in any script, and how its numbers are built.

use unicode_normalization::char::is_combining_mark;

/// Whether letters of this script follow one another without spaces between words.
fn parts_no_words(c: char) -> bool {
    matches!(c,
        '\u{0e00}'..='\u{0eff}' | '\u{1000}'..='\u{109f}' | '\u{1780}'..='\u{17ff}' | '\u{3040}'..='\u{30ff}'
        | '\u{3400}'..='\u{4dbf}' | '\u{4e00}'..='\u{9fff}' | '\u{f900}'..='\u{faff}' | '\u{20000}'..='\u{3ffff}')
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum CharClass {
    Letters,
    Close,
    Digits,
}

fn run_of(c: char) -> Option<CharClass> {
    match c {
        c if c.is_ascii_digit() => Some(CharClass::Digits),
        c if parts_no_words(c) => Some(CharClass::Close),
        c if c.is_alphanumeric() || is_combining_mark(c) => Some(CharClass::Letters),
        _ => None,
    }
}

/// The longest run of letters and digits that is a word, such as the number of a thing, in bytes.
const LONGEST_CODE: usize = 10;

/// The words of a folded text. A single letter or digit says nothing.
pub fn words(folded: &str, each: &mut dyn FnMut(&str)) {
    let group = |c| run_of(c).map(|run| run == CharClass::Close);
    runs(folded, group, &mut |is_close, group| match is_close {
        true => pairs(group, each),
        false => {
            let mut parts = 0;
            runs(group, run_of, &mut |_, run| {
                parts += 1;
                if run.chars().nth(1).is_some() {
                    each(run);
                }
            });
            if parts > 1 && group.len() <= LONGEST_CODE {
                each(group);
            }
        }
    });
}

/// The longest stretches of a text whose letters are of one kind.
fn runs<K: PartialEq + Copy>(text: &str, kind: impl Fn(char) -> Option<K>, each: &mut dyn FnMut(K, &str)) {
    let mut open: Option<(K, usize)> = None;
    for (at, c) in text.char_indices() {
        let now = kind(c);
        match open {
            Some((was, _)) if now == Some(was) => {}
            _ => {
                if let Some((was, start)) = open {
                    each(was, &text[start..at]);
                }
                open = now.map(|kind| (kind, at));
            }
        }
    }
    if let Some((was, start)) = open {
        each(was, &text[start..]);
    }
}

/// Each two letters that stand beside one another.
fn pairs(text: &str, each: &mut dyn FnMut(&str)) {
    let ends = text.char_indices().map(|(at, c)| (at, at + c.len_utf8()));
    for ((start, _), (_, end)) in ends.clone().zip(ends.skip(1)) {
        each(&text[start..end]);
    }
}

/// A folded stem with its numbers left open, where more than numbers is in it.
pub fn series(folded: &str) -> Option<String> {
    let letters = folded.chars().filter(|c| c.is_alphabetic()).count();
    if letters < 2 || folded.contains('#') {
        return None;
    }
    let mut series = String::with_capacity(folded.len());
    let mut in_number = false;
    for c in folded.chars() {
        if !c.is_ascii_digit() {
            series.push(c);
        } else if !in_number {
            series.push('#');
        }
        in_number = c.is_ascii_digit();
    }
    Some(series)
}

/// How the longer numbers of a name are built.
pub fn figures(folded: &str, each: &mut dyn FnMut(&str)) {
    let bytes = folded.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        if !bytes[at].is_ascii_digit() {
            at += 1;
            continue;
        }
        let mut shape = String::new();
        let is_digit = |at: usize| bytes.get(at).is_some_and(u8::is_ascii_digit);
        while is_digit(at) || (matches!(bytes.get(at), Some(b'.' | b'_' | b'-')) && is_digit(at + 1)) {
            shape.push(if bytes[at].is_ascii_digit() { '#' } else { char::from(bytes[at]) });
            at += 1;
        }
        if (4..=24).contains(&shape.len()) {
            each(&shape);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::names::fold;

    #[test]
    fn names_in_any_script_have_words() {
        let of = |text: &str| {
            let mut found = Vec::new();
            words(&fold(text), &mut |word| found.push(word.to_owned()));
            found
        };
        assert_eq!(of("Minutes_2031-02 of HDT117"), ["minutes", "2031", "02", "of", "hdt", "117", "hdt117"]);
        assert_eq!(of("Счёт Möwe 3"), ["счёт", "möwe"]);
        assert_eq!(of("会議議事録2031"), ["会議", "議議", "議事", "事録", "2031"]);
        assert_eq!(of("-- !"), Vec::<String>::new());
    }

    #[test]
    fn a_number_is_built_as_a_whole() {
        let shapes = |name: &str| {
            let mut found = Vec::new();
            figures(name, &mut |shape| found.push(shape.to_owned()));
            found
        };
        assert_eq!(shapes("2031-02-03 x 12"), ["####-##-##"]);
        assert_eq!(shapes("img_20310407_101010"), ["########_######"]);
        assert_eq!(shapes("v1.2"), Vec::<String>::new());
    }
}
