//! What can be read from a name, and how a name is made clean and safe.

mod order;
mod untitled;

pub use order::{natural_key, natural_key_begins, write_natural_key};
pub use untitled::is_untitled;

use crate::place::{Name, NameBuf};
use std::borrow::Cow;
use unicase::UniCase;
use unicode_normalization::{UnicodeNormalization, is_nfc};

/// The longest name that common file systems hold, in bytes.
pub const NAME_MAX: usize = 255;

/// The form in which texts are compared, letter case and Unicode form ignored: canonical caseless matching of
/// the Unicode Standard (3.13, D145) with full case folding, composed again.
pub fn fold(text: &str) -> String {
    if text.is_ascii() {
        return text.to_ascii_lowercase();
    }
    let apart: String = text.nfd().collect();
    UniCase::unicode(apart).to_folded_case().nfc().collect()
}

/// [`fold`] for the bytes of a name; bytes outside UTF-8 are replaced.
pub fn fold_bytes(name: &[u8]) -> String {
    fold(&String::from_utf8_lossy(name))
}

/// Letters outside ASCII that [`fold`] turns into something with ASCII in it: those that stand for two, such as
/// `ß` and `ﬁ`, and others such as I with a dot and the Kelvin sign. A test holds this against all of Unicode.
const ODD: [&str; 17] = [
    "\u{df}",
    "\u{130}",
    "\u{149}",
    "\u{17f}",
    "\u{37e}",
    "\u{1e9a}",
    "\u{1e9e}",
    "\u{1fef}",
    "\u{212a}",
    "\u{fb00}",
    "\u{fb01}",
    "\u{fb02}",
    "\u{fb03}",
    "\u{fb04}",
    "\u{fb05}",
    "\u{fb06}",
    "\u{1df95}",
];

/// Whether the folded name may hold ASCII text that the bytes of the name do not.
pub fn folds_oddly(name: &[u8]) -> bool {
    let begins = |at: &usize| matches!(name[*at], 0xc3 | 0xc4 | 0xc5 | 0xcd | 0xe1 | 0xe2 | 0xef | 0xf0);
    let is_odd = |at: usize| ODD.iter().any(|odd| name[at..].starts_with(odd.as_bytes()));
    (0..name.len()).filter(begins).any(is_odd)
}

/// The composed Unicode form of a text.
pub fn composed(text: &str) -> Cow<'_, str> {
    if text.is_ascii() || is_nfc(text) { Cow::Borrowed(text) } else { Cow::Owned(text.nfc().collect()) }
}

/// First halves of double extensions, each with its second ones.
const DOUBLE: [(&[u8], &[&[u8]]); 2] =
    [(b".tar", &[b"gz", b"bz2", b"xz", b"zst", b"lz"]), (b".user", &[b"js"])];

/// Splits a file name into its stem and its extension (with the dot, or empty).
///
/// A leading dot starts no extension, and what holds a space or is longer than ten bytes is none.
pub fn split_extension(name: &[u8]) -> (&[u8], &[u8]) {
    let Some(at) = name.iter().rposition(|b| *b == b'.') else { return (name, b"") };
    let (before, extension) = (&name[..at], &name[at + 1..]);
    for (first, behind) in &DOUBLE {
        let stem = before.len().saturating_sub(first.len());
        let is_first = stem > 0 && before[stem] == b'.' && before[stem..].eq_ignore_ascii_case(first);
        if is_first && behind.iter().any(|second| extension.eq_ignore_ascii_case(second)) {
            return name.split_at(stem);
        }
    }
    if at > 0 && is_extension(extension) { name.split_at(at) } else { (name, b"") }
}

fn is_extension(bytes: &[u8]) -> bool {
    let (mut is_sound, mut is_number) = ((1..=10).contains(&bytes.len()), true);
    for byte in &bytes[..bytes.len().min(10)] {
        is_sound &= byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'+' | b'~');
        is_number &= byte.is_ascii_digit();
    }
    is_sound && !is_number
}

/// Extensions that programs give to what they have not finished downloading. None of them stands for a type.
const UNFINISHED: [&str; 8] =
    ["part", "partial", "crdownload", "download", "filepart", "opdownload", "!ut", "aria2"];

/// Whether a name marks a partial download, or the lock that an office program leaves beside a file that is open.
pub fn is_unfinished(name: &[u8]) -> bool {
    is_lock(name) || has_unfinished_extension(name)
}

/// Whether a name is that of such a lock.
pub fn is_lock(name: &[u8]) -> bool {
    name.starts_with(b"~$") || (name.starts_with(b".~lock.") && name.ends_with(b"#"))
}

/// Whether a name has the extension of a partial download.
pub fn has_unfinished_extension(name: &[u8]) -> bool {
    let Some(dot) = name.iter().rposition(|b| *b == b'.').filter(|dot| *dot > 0) else {
        return false;
    };
    UNFINISHED.iter().any(|ext| name[dot + 1..].eq_ignore_ascii_case(ext.as_bytes()))
}

/// Whether a name is hidden by the usual sign, a leading dot.
pub fn is_hidden(name: &[u8]) -> bool {
    name.first() == Some(&b'.')
}

/// Whether two names differ so little that one may be a slip of the other: in letter case, signs or
/// spaces, by one letter, or by a share of at most a fifth of their letters. Numbers must be the same.
pub fn nearly_same(a: &str, b: &str) -> bool {
    let digits = |text: &str| text.chars().filter(char::is_ascii_digit).collect::<String>();
    let letters = |text: &str| fold(text).chars().filter(|c| c.is_alphanumeric()).collect::<String>();
    let (x, y) = (letters(a), letters(b));
    let longer = x.chars().count().max(y.chars().count());
    let edits = strsim::osa_distance(&x, &y);
    digits(a) == digits(b) && longer > 0 && (edits * 5 <= longer || (edits == 1 && longer > 3))
}

/// The first letter of a stem as a capital without its accent; `0-9` for a digit, `None` if there
/// is neither letter nor digit.
pub fn initial(stem: &str) -> Option<String> {
    let first = stem.nfd().find(|c| c.is_alphanumeric())?;
    if first.is_numeric() {
        return Some("0-9".into());
    }
    // Of `ß` and `ﬁ`, which are two letters as capitals, the first.
    first.to_uppercase().next().map(String::from)
}

/// Names that one common system or another keeps for devices.
const RESERVED: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9",
    "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Whether a common file system other than ours would refuse this name.
pub fn is_refused_elsewhere(name: &[u8]) -> bool {
    name.len() > NAME_MAX
        || name.iter().any(|byte| REFUSED[usize::from(*byte)])
        || matches!(name, [b' ', ..] | [.., b' ' | b'.'])
        || is_reserved(name)
}

/// Whether a name is that of a device on some systems, with any extension.
fn is_reserved(name: &[u8]) -> bool {
    // All names are asked about, and few of them begin like one and are as long.
    let may_end = |at: usize| name.get(at).is_none_or(|byte| *byte == b'.');
    let may_be =
        matches!(name, [b'a' | b'c' | b'l' | b'n' | b'p' | b'A' | b'C' | b'L' | b'N' | b'P', _, _, ..])
            && (may_end(3) || may_end(4));
    may_be && {
        let stem = split_extension(name).0;
        RESERVED.iter().any(|word| stem.eq_ignore_ascii_case(word.as_bytes()))
    }
}

/// Makes a name that was put together from values acceptable to every common file system.
///
/// `< > : " / \ | ? *` and control characters become `-`, spaces and dots at the end and spaces at
/// the start go, a reserved device name gets a `_`, and the whole is cut to 255 bytes before its
/// extension. May come out empty.
pub fn make_safe(name: &[u8]) -> Vec<u8> {
    let replaced: Vec<u8> =
        name.iter().map(|byte| if REFUSED[usize::from(*byte)] { b'-' } else { *byte }).collect();
    let mut safe = trim_edges(&replaced).to_vec();
    let (stem, _) = split_extension(&safe);
    if RESERVED.contains(&stem.to_ascii_lowercase().escape_ascii().to_string().as_str()) {
        safe.insert(stem.len(), b'_');
    }
    shorten(&safe, NAME_MAX)
}

/// Which bytes some file system refuses in a name. A table, since all names are asked about.
static REFUSED: [bool; 256] = {
    let mut refused = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        refused[byte] = matches!(
            byte as u8,
            b'<' | b'>' | b':' | b'"' | b'/' | b'\\' | b'|' | b'?' | b'*' | 0..=31 | 127
        );
        byte += 1;
    }
    refused
};

fn trim_edges(name: &[u8]) -> &[u8] {
    let start = name.iter().position(|b| *b != b' ').unwrap_or(name.len());
    let end = name.iter().rposition(|b| !matches!(b, b' ' | b'.')).map_or(start, |at| at + 1);
    &name[start..end.max(start)]
}

/// Cuts a name to at most `most` bytes: the stem is shortened, between characters, and the
/// extension stays.
pub fn shorten(name: &[u8], most: usize) -> Vec<u8> {
    if name.len() <= most {
        return name.to_vec();
    }
    let (stem, ext) = split_extension(name);
    let mut end = most.saturating_sub(ext.len()).min(stem.len());
    while end > 0 && stem.get(end).is_some_and(|b| b & 0xC0 == 0x80) {
        end -= 1;
    }
    let mut short = trim_edges(&stem[..end]).to_vec();
    short.extend_from_slice(ext);
    short
}

/// The name with a number before its extension: `plan (2).pdf`. Shortened to fit if need be.
pub fn numbered(name: &[u8], number: usize, is_folder: bool) -> Vec<u8> {
    let (stem, ext) = if is_folder { (name, &b""[..]) } else { split_extension(name) };
    let mark = format!(" ({number})");
    let mut out = shorten(stem, NAME_MAX.saturating_sub(mark.len() + ext.len()));
    out.extend_from_slice(mark.as_bytes());
    out.extend_from_slice(ext);
    out
}

impl Name<'_> {
    /// The same with a number; see [`numbered`].
    pub fn numbered(self, number: usize, is_folder: bool) -> NameBuf {
        NameBuf::held(numbered(&self, number, is_folder))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_letters_that_fold_into_ascii_are_known() {
        let odd = |c: &char| !c.is_ascii() && fold(&c.to_string()).bytes().any(|b| b.is_ascii());
        let found: Vec<String> = ('\u{80}'..=char::MAX).filter(odd).map(String::from).collect();
        assert_eq!(found, ODD);
        assert!(folds_oddly("300 \u{212a}.txt".as_bytes()) && !folds_oddly("né.txt".as_bytes()));
    }

    proptest! {
        #[test]
        fn what_others_refuse_is_what_is_made_safe(
            name in "(con|Prn|nul|COM1|lpt9|lptx|console|[ .a:]{0,4}|[é\u{1}-]{1,3})(\\.|\\.txt|\\.tar\\.gz| |)",
            long in 0..3usize,
        ) {
            let name = format!("{name}{}", "ab".repeat(long * 64));
            prop_assert_eq!(is_refused_elsewhere(name.as_bytes()), make_safe(name.as_bytes()) != name.as_bytes());
        }
    }

    #[test]
    fn extensions() {
        let split = |name: &'static str| {
            let (stem, ext) = split_extension(name.as_bytes());
            (std::str::from_utf8(stem).unwrap(), std::str::from_utf8(ext).unwrap())
        };
        assert_eq!(split("a.pdf"), ("a", ".pdf"));
        assert_eq!(split("a.tar.GZ"), ("a", ".tar.GZ"));
        assert_eq!(split("a.User.JS"), ("a", ".User.JS"));
        assert_eq!(split("a.user.gz"), ("a.user", ".gz"));
        assert_eq!(split("atar.gz"), ("atar", ".gz"));
        assert_eq!(split(".tar.gz"), (".tar", ".gz"));
        assert_eq!(split("a.0123456789a"), ("a.0123456789a", ""));
        assert_eq!(split("2031.a+b"), ("2031", ".a+b"));
        assert_eq!(split(".profile"), (".profile", ""));
        assert_eq!(split("v1.2"), ("v1.2", ""));
        assert_eq!(split("films.7z"), ("films", ".7z"));
        assert_eq!(split("Dr. Gannet"), ("Dr. Gannet", ""));
    }

    #[test]
    fn names_that_say_nothing() {
        for name in ["Untitled", "untitled 2", "New folder (3)", "document(1)", "Scan_001", "  ", "--"] {
            assert!(is_untitled(name.as_bytes()), "{name}");
        }
        for name in ["Untitled symphony notes", "scan of the ledger", "Documentary", "2031"] {
            assert!(!is_untitled(name.as_bytes()), "{name}");
        }
        assert!(is_unfinished(b"~$letter.docx") && is_unfinished(b".~lock.letter.odt#"));
        assert!(is_unfinished(b"film.mp4.part") && !is_unfinished(b"spare.partner"));
    }

    #[test]
    fn what_is_unfinished_stands_for_no_type() {
        for ext in UNFINISHED {
            assert_eq!(crate::kinds::type_of_extension(format!(".{ext}").as_bytes()), None, "{ext}");
        }
    }

    #[test]
    fn slips_are_near_and_other_numbers_are_not() {
        for (a, b) in
            [("Report", "Reports"), ("claims", "Claims"), ("Half-models", "half models"), ("mial", "Mail")]
        {
            assert!(nearly_same(a, b), "{a} {b}");
        }
        for (a, b) in [("2030", "2031"), ("Claims", "Clamps"), ("Loans", "Later"), ("--", "--")] {
            assert!(!nearly_same(a, b), "{a} {b}");
        }
    }

    #[test]
    fn initials_lose_their_accent() {
        assert_eq!(initial("  ängstrom"), Some("A".into()));
        assert_eq!(initial("ßtraße"), Some("S".into()));
        assert_eq!(initial("ﬁsh"), Some("F".into()));
        assert_eq!(initial("_31 boats"), Some("0-9".into()));
        assert_eq!(initial("--"), None);
    }

    #[test]
    fn safe_names() {
        assert_eq!(make_safe(b"a/b:c?.txt"), b"a-b-c-.txt");
        assert_eq!(make_safe(b" .. "), b"");
        assert_eq!(make_safe(b"con.txt"), b"con_.txt");
        assert_eq!(make_safe("Möwe. ".as_bytes()), "Möwe".as_bytes());
        assert_eq!(numbered(b"plan.pdf", 2, false), b"plan (2).pdf");
        assert_eq!(numbered(b"v1.old", 2, true), b"v1.old (2)");
        assert!(is_refused_elsewhere(b"what?.txt") && !is_refused_elsewhere(b"what.txt"));
    }

    proptest! {
        #[test]
        fn what_is_refused_is_what_would_be_made_safe(
            name in proptest::collection::vec(prop_oneof![4 => any::<u8>(), 6 => Just(b'a')], 0..300),
            word in prop_oneof!["(con|AUX|lpt[0-9]|nul)?[ .]?(\\.tar\\.gz|\\.txt|x)?", "[ a.<]{0,4}"],
        ) {
            for name in [name, word.into_bytes()] {
                prop_assert_eq!(is_refused_elsewhere(&name), !name.is_empty() && make_safe(&name) != name, "{:?}", name);
            }
        }

        #[test]
        fn a_safe_name_is_one_short_part(name in proptest::collection::vec(any::<u8>(), 0..600)) {
            let safe = make_safe(&name);
            prop_assert!(safe.len() <= NAME_MAX);
            prop_assert!(!safe.contains(&b'/') && !safe.contains(&0) && safe != b"." && safe != b"..");
            prop_assert_eq!(make_safe(&safe), safe.clone());
            prop_assert!(numbered(&safe, 12, false).len() <= NAME_MAX);
        }

        #[test]
        fn shortening_cuts_between_characters(name in "[äöü🐦a]{0,200}", ext in "\\.[a-z]{1,4}") {
            let name = format!("{name}{ext}");
            let short = shorten(name.as_bytes(), 60);
            prop_assert!(String::from_utf8(short).is_ok());
        }
    }
}
