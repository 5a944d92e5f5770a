//! Plain text: notes, tables of values, source code.

use std::borrow::Cow;

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};

use super::{Body, Words};

/// Extensions of files that are text even where their bytes are not UTF-8.
const TEXT: [&str; 12] =
    [".txt", ".md", ".csv", ".tsv", ".html", ".htm", ".eml", ".log", ".ini", ".srt", ".tex", ".rtf"];

pub(super) fn words(bytes: &[u8]) -> Words {
    let mut body = Body::default();
    body.add(&decoded(bytes));
    body.into_words("")
}

/// Whether bytes that are not UTF-8 are text in another encoding.
pub(super) fn is_other_encoding(ext: &str, bytes: &[u8]) -> bool {
    Encoding::for_bom(bytes).is_some()
        || (TEXT.contains(&ext) && !bytes[..bytes.len().min(4096)].contains(&0))
}

/// The text of bytes: by their mark, else as UTF-8, else as the Western encoding of old.
pub(super) fn decoded(bytes: &[u8]) -> Cow<'_, str> {
    if let Some((encoding, length)) = Encoding::for_bom(bytes) {
        return encoding.decode_without_bom_handling(&bytes[length..]).0;
    }
    // A character that was cut at the end is no sign of another encoding.
    let start = &bytes[..bytes.len().saturating_sub(4)];
    let is_utf8 = match std::str::from_utf8(start) {
        Ok(_) => true,
        Err(e) => e.error_len().is_none(),
    };
    let encoding = if is_utf8 { UTF_8 } else { WINDOWS_1252 };
    encoding.decode_without_bom_handling(bytes).0
}
