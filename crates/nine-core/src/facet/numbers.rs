//! Numbers of papers found in names: the invoice's in `Invoice no 2031-0042`, the case's in `case AB/117`.

use super::words::{Word, split};
use super::{Finding, Found, How, Source, Weak};

/// A facet whose answers are numbers that stand behind one of its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Numbers {
    /// Each as its folded words.
    after: Vec<Vec<String>>,
}

/// Words and signs that may stand between.
const BETWEEN: [&str; 8] = ["no", "nr", "num", "number", "nummer", "numero", "id", "ref"];

impl Numbers {
    /// A facet that looks behind these words.
    pub fn new<'w>(after: impl IntoIterator<Item = &'w str>) -> Self {
        let folded = |text: &str| split(&text.to_lowercase()).into_iter().map(|word| word.text).collect();
        Self {
            after: after.into_iter().map(folded).filter(|words: &Vec<String>| !words.is_empty()).collect(),
        }
    }

    /// The answer that a name or text gives.
    pub(super) fn find(&self, text: &str, source: Source) -> Finding {
        let words = split(text);
        let mut found: Vec<Found> = Vec::new();
        for nth in 0..words.len() {
            let behind = |after: &&Vec<String>| {
                words[nth..].iter().map(|word| &word.text).take(after.len()).eq(after.iter())
            };
            let Some(after) = self.after.iter().filter(behind).max_by_key(|after| after.len()) else {
                continue;
            };
            let Some((start, end)) = number_behind(text, &words, nth + after.len()) else { continue };
            let value = self.canonical(&text[start..end]).unwrap_or_default();
            if !value.is_empty() && !found.iter().any(|other| other.value == value) {
                found.push(self.found(value, text, words[nth].at.start..end, start, source));
            }
        }
        let mut found = found.into_iter();
        Finding { found: found.next(), rivals: found.collect(), hint: None }
    }

    fn found(
        &self,
        value: String,
        text: &str,
        at: std::ops::Range<usize>,
        start: usize,
        source: Source,
    ) -> Found {
        let number = start..at.end;
        Found {
            value,
            source,
            words: text[at].to_owned(),
            spelling: text[number.clone()].to_owned(),
            how: How::Exact,
            confidence: 100,
            weak: (source == Source::Text).then_some(Weak::Inside),
            at: if source == Source::Name { vec![number] } else { Vec::new() },
        }
    }

    /// A number as it is kept: `117/b` as `117-B`.
    pub(super) fn canonical(&self, value: &str) -> Option<String> {
        let plain: String =
            value.trim().chars().map(|c| if matches!(c, '/' | '_' | ',') { '-' } else { c }).collect();
        let is_number = plain.contains(|c: char| c.is_ascii_digit())
            && plain.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '.'));
        is_number.then(|| plain.to_uppercase())
    }
}

/// Where a number starts and ends that begins with this word or behind `no.` and its like: groups of letters and
/// digits joined by `-`, `.`, `/`, of which the first or second has digits.
fn number_behind(text: &str, words: &[Word], mut nth: usize) -> Option<(usize, usize)> {
    if words.get(nth).is_some_and(|word| BETWEEN.contains(&word.text.as_str())) {
        nth += 1;
    }
    let before = nth.checked_sub(1).map_or(0, |before| words[before].at.end);
    let first = words.get(nth)?;
    let near = text[before..first.at.start]
        .chars()
        .all(|c| matches!(c, ' ' | '.' | ':' | '#' | '_' | '-' | '\u{b0}' | '\u{ba}'));
    let mut end = nth;
    while let Some(next) = words.get(end + 1) {
        let between = &text[words[end].at.end..next.at.start];
        let is_digit = |word: &Word| word.text.starts_with(|c: char| c.is_ascii_digit());
        let joined = between.is_empty()
            || (matches!(between, "-" | "/" | ".") && (is_digit(next) || is_digit(&words[end])));
        if !joined {
            break;
        }
        end += 1;
    }
    let (start, stop) = (first.at.start, words[end].at.end);
    let has_digit = |word: &Word| word.text.contains(|c: char| c.is_ascii_digit());
    let early = words[nth..=end].iter().take(2).any(has_digit);
    // `invoice march 2031` names no number: a word in full and then a space.
    (near && early && first.at.start < stop).then_some((start, stop))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_stand_behind_their_words() {
        let invoice = Numbers::new(["invoice", "rechnung"]);
        for (name, number) in [
            ("Invoice 117 harrow", Some("117")),
            ("harrow invoice no. 2031-0042 paid", Some("2031-0042")),
            ("Rechnung-Nr. RE31/17", Some("RE31-17")),
            ("invoice_INV-88", Some("INV-88")),
            ("Invoice#9b", Some("9B")),
            ("invoice march 2031", None),
            ("117 invoice", None),
            ("invoices 12", None),
        ] {
            let found = invoice.find(name, Source::Name);
            assert_eq!(found.value(), number, "{name}");
            assert!(number.is_none() || found.is_sure(), "{name}");
        }
        assert_eq!(invoice.find("invoice 3, rechnung 4", Source::Name).rivals.len(), 1);
    }
}
