//! The one written form of bytes that came from a file name.
//!
//! Names may hold newlines, terminal codes, marks that turn the writing direction, or bytes that
//! are not UTF-8. [`escape`] makes them harmless and [`unescape`] gives the same bytes back.

use std::borrow::Cow;
use std::fmt::Write;

/// Writes `bytes` so that they are safe to show and can be read back with [`unescape`].
///
/// A backslash is doubled, `\n`, `\r` and `\t` are named, other control characters and marks
/// without a shape become `\u{…}`, and bytes outside UTF-8 become `\xNN`.
pub fn escape(bytes: &[u8]) -> String {
    showable_name(bytes).into_owned()
}

/// What [`escape`] writes, without a copy of what is safe as it is.
pub fn showable_name(bytes: &[u8]) -> Cow<'_, str> {
    if let Some(text) = as_it_is(bytes) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(bytes.len());
    for chunk in bytes.utf8_chunks() {
        for c in chunk.valid().chars() {
            push_char(&mut out, c);
        }
        for b in chunk.invalid() {
            let _ = write!(out, "\\x{b:02x}");
        }
    }
    Cow::Owned(out)
}

/// Bytes of which nothing is to be escaped, as nearly all names are.
fn as_it_is(bytes: &[u8]) -> Option<&str> {
    // Looked at to the end, since the processor takes many at once then.
    let is_other = |byte: &u8| !matches!(byte, b' '..=b'~') || *byte == b'\\';
    let is_plain = !bytes.iter().fold(false, |any, byte| any | is_other(byte));
    std::str::from_utf8(bytes).ok().filter(|_| is_plain)
}

fn push_char(out: &mut String, c: char) {
    match c {
        '\\' => out.push_str("\\\\"),
        '\n' => out.push_str("\\n"),
        '\r' => out.push_str("\\r"),
        '\t' => out.push_str("\\t"),
        c if is_unshowable(c) => {
            let _ = write!(out, "\\u{{{:x}}}", c as u32);
        }
        c => out.push(c),
    }
}

/// Control characters, and the marks that reorder or hide what stands around them.
///
/// U+200D (zero width joiner) is left alone: emoji are built with it.
fn is_unshowable(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}'
            | '\u{feff}' | '\u{61c}')
}

/// Makes text that is not a name (a message of the system, a line of a file) safe to show.
pub fn plain(text: &str) -> String {
    showable(text).into_owned()
}

/// What [`plain`] makes, without a copy of what is safe as it is.
pub fn showable(text: &str) -> Cow<'_, str> {
    if let Some(text) = as_it_is(text.as_bytes()) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if c == '\\' {
            out.push(c);
        } else {
            push_char(&mut out, c);
        }
    }
    Cow::Owned(out)
}

/// Why a written name could not be read back.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not an escape that is written here (\\\\ \\n \\r \\t \\xNN \\u{{N}})")]
pub struct BadEscape(pub String);

/// The bytes that [`escape`] wrote as `text`.
///
/// # Errors
/// A backslash that starts none of the known escapes.
pub fn unescape(text: &str) -> Result<Vec<u8>, BadEscape> {
    let mut out = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out.extend_from_slice(&rest.as_bytes()[..at]);
        rest = read_escape(&rest[at..], &mut out)?;
    }
    out.extend_from_slice(rest.as_bytes());
    Ok(out)
}

/// Reads the escape that `text` starts with; returns what follows it.
fn read_escape<'a>(text: &'a str, out: &mut Vec<u8>) -> Result<&'a str, BadEscape> {
    let bad = || BadEscape(text.chars().take(4).collect());
    let kind = text[1..].chars().next().ok_or_else(bad)?;
    let after = &text[1 + kind.len_utf8()..];
    match kind {
        '\\' => out.push(b'\\'),
        'n' => out.push(b'\n'),
        'r' => out.push(b'\r'),
        't' => out.push(b'\t'),
        'x' => {
            let digits = after.get(..2).ok_or_else(bad)?;
            out.push(u8::from_str_radix(digits, 16).map_err(|_| bad())?);
            return Ok(&after[2..]);
        }
        'u' => {
            let body = after.strip_prefix('{').ok_or_else(bad)?;
            let end = body.find('}').ok_or_else(bad)?;
            let code = u32::from_str_radix(&body[..end], 16).map_err(|_| bad())?;
            let c = char::from_u32(code).ok_or_else(bad)?;
            out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
            return Ok(&body[end + 1..]);
        }
        _ => return Err(bad()),
    }
    Ok(after)
}

/// Keeps the bytes of names in files, in the written form.
pub mod written {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    /// For `serialize_with`.
    pub fn serialize<S: Serializer>(bytes: &[u8], to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&super::escape(bytes))
    }

    /// For `deserialize_with`.
    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<u8>, D::Error> {
        super::unescape(&String::deserialize(from)?).map_err(D::Error::custom)
    }

    /// The same for what may be missing.
    pub mod maybe {
        use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error};

        /// For `serialize_with`.
        pub fn serialize<S: Serializer>(bytes: &Option<Vec<u8>>, to: S) -> Result<S::Ok, S::Error> {
            bytes.as_ref().map(|bytes| crate::escape::escape(bytes)).serialize(to)
        }

        /// For `deserialize_with`.
        pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Option<Vec<u8>>, D::Error> {
            let text = Option::<String>::deserialize(from)?;
            text.map(|text| crate::escape::unescape(&text)).transpose().map_err(D::Error::custom)
        }
    }
}

/// A text of at most so many characters, without its middle if it is longer: of its end more is kept.
pub fn shortened(text: &str, most: usize) -> String {
    let chars: Vec<char> = text.chars().collect();
    if chars.len() <= most {
        return text.to_owned();
    }
    let head: String = chars[..most / 3].iter().collect();
    let tail: String = chars[chars.len() - (most - most / 3 - 1)..].iter().collect();
    format!("{head}…{tail}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn terminal_codes_and_turning_marks_are_shown_not_obeyed() {
        assert_eq!(escape(b"a\x1b[31mb\nc\\"), "a\\u{1b}[31mb\\nc\\\\");
        assert_eq!(escape("x\u{202e}fdp".as_bytes()), "x\\u{202e}fdp");
        assert_eq!(escape(b"caf\xe9.txt"), "caf\\xe9.txt");
        assert_eq!(escape("Möwe 🐦".as_bytes()), "Möwe 🐦");
    }

    #[test]
    fn unknown_escapes_are_refused() {
        assert_eq!(unescape("a\\qb"), Err(BadEscape("\\qb".into())));
        assert!(unescape("end\\").is_err());
        assert!(unescape("\\u{110000}").is_err());
    }

    proptest! {
        #[test]
        fn any_bytes_come_back(bytes in proptest::collection::vec(any::<u8>(), 0..40)) {
            prop_assert_eq!(unescape(&escape(&bytes)).unwrap(), bytes);
        }

        #[test]
        fn what_is_written_holds_no_control_character(bytes in proptest::collection::vec(any::<u8>(), 0..40)) {
            prop_assert!(!escape(&bytes).chars().any(char::is_control));
        }
    }
}
