//! Commands that are printed to be pasted into a shell: a name can neither end its quotes nor stand for anything
//! but itself there.

use std::path::Path;

use crate::escape::{escape, plain};

/// A word as a shell reads it. What cannot be shown as it is stands escaped, and is another word then.
pub fn word(text: &str) -> String {
    let shown = plain(text);
    shlex::try_quote(&shown).map_or_else(|_| "''".to_owned(), |quoted| quoted.into_owned())
}

/// A path as a shell reads it; `None` if it cannot be shown as it is.
pub fn path(path: &Path) -> Option<String> {
    let text = path.to_str()?;
    (plain(text) == text).then(|| word(text))
}

/// A path as a shell reads it, escaped if it cannot be shown as it is.
pub fn path_or_escaped(at: &Path) -> String {
    path(at).unwrap_or_else(|| word(&escape(at.as_os_str().as_encoded_bytes())))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_stays_one_word() {
        for name in ["a b", "it's", "x'; rm -r y; '", "$(id)", "`id`", "a!b", "\"q\"", "", "-x", "*"] {
            let quoted = word(name);
            assert_eq!(shlex::split(&quoted).as_deref(), Some(&[name.to_owned()][..]), "{quoted}");
        }
        assert_eq!(word("Letters/2031-04"), "Letters/2031-04");
    }

    #[test]
    fn what_cannot_be_shown_is_no_path_to_paste() {
        assert_eq!(path(Path::new("/a/b\u{1b}[2J")), None);
        assert_eq!(path(Path::new("/a/b c")).as_deref(), Some("'/a/b c'"));
    }
}
