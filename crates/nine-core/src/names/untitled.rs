//! Names that say nothing.

use std::sync::LazyLock;

use super::fold_bytes;

/// Stems that say nothing, with or without ` document` and a number behind them.
const UNTITLED: [&str; 33] = [
    "untitled",
    "unnamed",
    "no name",
    "new folder",
    "new file",
    "new text",
    "new bitmap",
    "new rich",
    "new text document",
    "new document",
    "new spreadsheet",
    "new presentation",
    "new page",
    "new note",
    "untitled folder",
    "document",
    "image",
    "download",
    "scan",
    "screenshot",
    "file",
    "folder",
    "noname",
    "unbenannt",
    "neuer ordner",
    "sans titre",
    "nouveau dossier",
    "sin título",
    "senza titolo",
    "naamloos",
    "untitled document",
    "untitled file",
    "untitled note",
];

/// The first words of [`UNTITLED`], and the second ones, as far as they are ASCII.
static WORDS: LazyLock<[Words; 2]> = LazyLock::new(|| {
    let (mut first, mut second) = (Words::default(), Words::default());
    for stem in UNTITLED {
        let (word, behind) = first_word(stem.as_bytes());
        first.add(word);
        second.add(first_word(behind).0);
    }
    second.add(DOCUMENT.trim_start().as_bytes());
    [first, second]
});

/// Some words of ASCII letters, in small letters, by the letter with which they begin; last that of none.
#[derive(Default)]
struct Words([Vec<&'static [u8]>; 27]);

impl Words {
    fn add(&mut self, word: &'static [u8]) {
        self.0[Self::first(word)].push(word);
    }

    fn first(word: &[u8]) -> usize {
        word.first().map_or(26, |letter| usize::from(letter.to_ascii_lowercase() - b'a'))
    }

    /// Whether a word is one of them, in whatever letter case.
    fn has(&self, word: &[u8]) -> bool {
        self.0[Self::first(word)].iter().any(|known| known.eq_ignore_ascii_case(word))
    }
}

/// What may stand behind any of them.
const DOCUMENT: &str = " document";

/// Whether a stem says nothing: `Untitled 2`, `New folder`, `document(1)`.
pub fn is_untitled(stem: &[u8]) -> bool {
    let stray = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'-' | b'_' | b'.');
    let Some(start) = stem.iter().position(|b| !stray(b)) else {
        return true;
    };
    // A quick look first, since this is asked of every name: its first word, and its second, which with `untitled` may
    // be any.
    let [first, second] = &*WORDS;
    let (word, behind) = first_word(&stem[start..]);
    let may_have = || second.has(first_word(behind).0) || !behind.is_ascii();
    if !first.has(word) || !(may_have() || word.eq_ignore_ascii_case(b"untitled")) {
        return false;
    }
    let folded = fold_bytes(stem);
    let trimmed = folded.trim_matches(|c: char| c.is_whitespace() || matches!(c, '-' | '_' | '.'));
    let name = without_number(trimmed);
    let plain = name.strip_suffix(DOCUMENT).unwrap_or(name);
    let of_one_word = |rest: &str| !rest.is_empty() && rest.chars().all(|c| c.is_alphanumeric() || c == '_');
    [name, plain]
        .iter()
        .any(|name| UNTITLED.contains(name) || name.strip_prefix("untitled ").is_some_and(of_one_word))
}

/// The first run of ASCII letters, and what comes behind it.
fn first_word(text: &[u8]) -> (&[u8], &[u8]) {
    let letter = |b: &u8| b.is_ascii_alphabetic();
    let start = text.iter().position(letter).unwrap_or(text.len());
    let text = &text[start..];
    text.split_at(text.iter().position(|b| !letter(b)).unwrap_or(text.len()))
}

/// A text without the number of up to three digits at its end, in brackets or not.
fn without_number(text: &str) -> &str {
    let inner = text.strip_suffix(')').unwrap_or(text);
    let bare = inner.trim_end_matches(|c: char| c.is_ascii_digit());
    if !(1..=3).contains(&(inner.len() - bare.len())) {
        return text;
    }
    bare.strip_suffix('(').unwrap_or(bare).trim_end_matches([' ', '_', '-'])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_untitled_name_is_found_by_its_first_words() {
        for name in UNTITLED {
            for form in [name.to_owned(), name.to_uppercase(), format!(" {name} (12)"), format!("{name}_3")] {
                assert!(is_untitled(form.as_bytes()), "{form}");
            }
        }
        for other in ["newton", "scan of the ledger", "image 2031", "no name yet", "files", "scanné"] {
            assert!(!is_untitled(other.as_bytes()), "{other}");
        }
    }
}
