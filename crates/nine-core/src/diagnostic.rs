//! A finding in a text that a person wrote: where it is, what was expected, the nearest right word.

use std::ops::Range;

/// What is wrong at one place of a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// Byte range in the text that it speaks of. Empty at the end means "something is missing".
    pub span: Range<usize>,
    /// What is wrong, as a short sentence without a full stop.
    pub message: String,
    /// What to write instead.
    pub help: Option<String>,
}

impl Diagnostic {
    /// A finding without help.
    pub fn new(span: Range<usize>, message: impl Into<String>) -> Self {
        Self { span, message: message.into(), help: None }
    }

    /// The same with what to write instead.
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// The same about a text that starts `by` bytes further on.
    pub fn shifted(mut self, by: usize) -> Self {
        self.span = self.span.start + by..self.span.end + by;
        self
    }
}

/// A line of a text with the place in it that a finding speaks of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pointer {
    /// Line, counted from 1.
    pub line: usize,
    /// Column in characters, counted from 1.
    pub column: usize,
    /// The line's text.
    pub text: String,
    /// How many characters are meant, at least 1.
    pub width: usize,
}

/// Finds the line and column of `span` in `text`.
pub fn locate(text: &str, span: &Range<usize>) -> Pointer {
    let floor = |mut at: usize| {
        at = at.min(text.len());
        while !text.is_char_boundary(at) {
            at -= 1;
        }
        at
    };
    let (start, end) = (floor(span.start), floor(span.end));
    let line_start = text[..start].rfind('\n').map_or(0, |at| at + 1);
    let line_end = text[start..].find('\n').map_or(text.len(), |at| start + at);
    let width = text[start..end.clamp(start, line_end)].chars().count();
    Pointer {
        line: text[..start].matches('\n').count() + 1,
        column: text[line_start..start].chars().count() + 1,
        text: text[line_start..line_end].trim_end_matches('\r').to_owned(),
        width: width.max(1),
    }
}

/// The word of `known` that `word` was most likely meant to be, if one is near enough.
///
/// Near: a Jaro-Winkler similarity of 0.8 or more (Winkler 1990), or one edit in a short word.
pub fn nearest<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let word = word.to_lowercase();
    let scored = known.into_iter().map(|k| {
        let lower = k.to_lowercase();
        let one_edit = lower.len() > 2 && strsim::damerau_levenshtein(&word, &lower) <= 1;
        (strsim::jaro_winkler(&word, &lower) + f64::from(u8::from(one_edit)), k)
    });
    let best = scored.max_by(|a, b| a.0.total_cmp(&b.0))?;
    (best.0 >= 0.8).then_some(best.1)
}

/// `a, b or c`, for messages.
pub fn any_of<'a>(words: impl IntoIterator<Item = &'a str>) -> String {
    let words: Vec<&str> = words.into_iter().collect();
    match words.split_last() {
        None => String::new(),
        Some((last, [])) => (*last).to_owned(),
        Some((last, first)) => format!("{} or {last}", first.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_at_lines_and_characters_not_bytes() {
        let text = "one\nä = wrng # x\r\nthree";
        let at = text.find("wrng").unwrap();
        let found = locate(text, &(at..at + 4));
        assert_eq!((found.line, found.column, found.width), (2, 5, 4));
        assert_eq!(found.text, "ä = wrng # x");
        assert_eq!(locate(text, &(999..1200)).line, 3);
    }

    #[test]
    fn nearest_right_word() {
        let known = ["document", "image", "video", "over", "under"];
        assert_eq!(nearest("documnet", known), Some("document"));
        assert_eq!(nearest("Imgae", known), Some("image"));
        assert_eq!(nearest("ovr", known), Some("over"));
        assert_eq!(nearest("zebra", known), None);
        assert_eq!(any_of(["a", "b", "c"]), "a, b or c");
    }
}
