//! Names that say nothing.

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

/// The words that [`UNTITLED`] begins with.
const UNTITLED_STARTS: [&str; 19] = [
    "untitled",
    "unnamed",
    "no",
    "new",
    "document",
    "image",
    "download",
    "scan",
    "screenshot",
    "file",
    "folder",
    "noname",
    "unbenannt",
    "neuer",
    "sans",
    "nouveau",
    "sin",
    "senza",
    "naamloos",
];

/// The words in [`UNTITLED`], or before a number, that are not the first.
const UNTITLED_MORE: [&str; 15] = [
    "document",
    "name",
    "folder",
    "file",
    "text",
    "bitmap",
    "rich",
    "spreadsheet",
    "presentation",
    "page",
    "note",
    "ordner",
    "titre",
    "dossier",
    "titolo",
];

/// Whether a stem says nothing: `Untitled 2`, `New folder`, `document(1)`.
pub fn is_untitled(stem: &[u8]) -> bool {
    let stray = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'-' | b'_' | b'.');
    let Some(start) = stem.iter().position(|b| !stray(b)) else {
        return true;
    };
    // A quick look first, since this is asked of every name: its first word.
    let rest = &stem[start..];
    let (word, behind) = first_word(rest);
    let is_one_of =
        |list: &[&str], word: &[u8]| list.iter().any(|known| known.as_bytes().eq_ignore_ascii_case(word));
    if !is_one_of(&UNTITLED_STARTS, word) {
        return false;
    }
    // And its second; `untitled` goes before any.
    let more = first_word(behind).0;
    let may_be_more =
        more.is_empty() || word.eq_ignore_ascii_case(b"untitled") || is_one_of(&UNTITLED_MORE, more);
    if !may_be_more && behind.is_ascii() {
        return false;
    }
    let folded = fold_bytes(stem);
    let trimmed = folded.trim_matches(|c: char| c.is_whitespace() || matches!(c, '-' | '_' | '.'));
    let name = without_number(trimmed);
    let plain = name.strip_suffix(" document").unwrap_or(name);
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
