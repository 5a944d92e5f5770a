//! The words of a name, as people run them together.

use std::ops::Range;

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// A word of a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Word {
    /// Its letters, small and without accents, or its digits.
    pub text: String,
    /// Where it stands, in bytes.
    pub at: Range<usize>,
    /// Whether it is written in capitals only.
    pub capitals: bool,
}

impl Word {
    /// Its number, if it is made of up to eight digits.
    pub fn number(&self) -> Option<u32> {
        let digits = self.text.len() <= 8 && self.text.bytes().all(|b| b.is_ascii_digit());
        digits.then(|| self.text.parse().ok()).flatten()
    }
}

/// The words of a name: runs of letters, and runs of digits. `HarrowDock2031` has three, since a
/// capital behind a small letter starts a word. An apostrophe parts nothing; `&` is the word `and`.
pub fn split(text: &str) -> Vec<Word> {
    let mut words = Vec::new();
    let mut start: Option<usize> = None;
    let mut before = ' ';
    let end = |words: &mut Vec<Word>, start: &mut Option<usize>, to: usize| {
        if let Some(from) = start.take() {
            words.extend(word(text, from..to));
        }
    };
    for (at, c) in text.char_indices() {
        let kind = kind(c);
        if kind == WordKind::Apostrophe || (kind == WordKind::Mark && start.is_some()) {
            continue;
        }
        let begins = match (kind, self::kind(before)) {
            (WordKind::Letter, WordKind::Letter) => c.is_uppercase() && before.is_lowercase(),
            (now, then) => now != then,
        };
        if begins || !matches!(kind, WordKind::Letter | WordKind::Digit) {
            end(&mut words, &mut start, at);
        }
        if c == '&' {
            words.push(Word { text: "and".into(), at: at..at + 1, capitals: false });
        } else if matches!(kind, WordKind::Letter | WordKind::Digit) && start.is_none() {
            start = Some(at);
        }
        before = c;
    }
    end(&mut words, &mut start, text.len());
    words
}

#[derive(PartialEq, Eq, Clone, Copy)]
enum WordKind {
    Letter,
    Digit,
    Mark,
    Apostrophe,
    Other,
}

fn kind(c: char) -> WordKind {
    match c {
        '\'' | '\u{2019}' | '\u{2bc}' | '`' => WordKind::Apostrophe,
        c if c.is_ascii_digit() => WordKind::Digit,
        c if c.is_alphanumeric() => WordKind::Letter,
        c if is_combining_mark(c) => WordKind::Mark,
        _ => WordKind::Other,
    }
}

fn word(text: &str, at: Range<usize>) -> Option<Word> {
    let written = &text[at.clone()];
    let text = folded(written);
    let capitals = written.chars().any(char::is_uppercase) && !written.chars().any(|c| c.is_lowercase());
    (!text.is_empty()).then_some(Word { text, at, capitals })
}

/// Letters small, without accents and apostrophes.
pub fn folded(text: &str) -> String {
    if text.is_ascii() {
        return text
            .bytes()
            .filter(|b| !matches!(b, b'\'' | b'`'))
            .map(|b| b.to_ascii_lowercase() as char)
            .collect();
    }
    let bare = text.nfkd().filter(|c| !matches!(kind(*c), WordKind::Mark | WordKind::Apostrophe));
    bare.flat_map(char::to_lowercase).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn texts(name: &str) -> Vec<String> {
        split(name).into_iter().map(|word| word.text).collect()
    }

    #[test]
    fn words_end_where_people_see_an_end() {
        for (name, words) in [
            ("Harrow_Dock-trust", "harrow dock trust"),
            ("HarrowDock2031", "harrow dock 2031"),
            ("St Brannock's & Co.", "st brannocks and co"),
            ("Möwe (2)", "mowe 2"),
            ("Mo\u{308}we", "mowe"),
            ("HDT30-31", "hdt 30 31"),
            ("  --  ", ""),
        ] {
            assert_eq!(texts(name).join(" "), words, "{name}");
        }
        assert!(split("HDT x")[0].capitals && !split("Hdt")[0].capitals);
    }

    proptest! {
        #[test]
        fn every_word_stands_where_it_says(name in "\\PC{0,40}") {
            let words = split(&name);
            for word in &words {
                prop_assert!(word.text == "and" || folded(&name[word.at.clone()]) == word.text);
            }
            prop_assert!(words.windows(2).all(|pair| pair[0].at.end <= pair[1].at.start));
        }
    }
}
