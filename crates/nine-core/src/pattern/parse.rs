//! From text to a pattern.

use std::sync::Arc;

use super::{Form, Pattern, PatternPart, PutPattern, Subject};
use crate::diagnostic::{Diagnostic, any_of, nearest};
use crate::facet::Facets;
use crate::metadata::TextField;
use crate::moment::Unit;

const SUBJECTS: [(&str, Subject); 21] = [
    ("type", Subject::Type),
    ("ext", Subject::Ext),
    ("stem", Subject::Stem),
    ("name", Subject::Name),
    ("folder", Subject::Folder),
    ("pile", Subject::Pile),
    ("today", Subject::Today),
    ("modified", Subject::Modified),
    ("created", Subject::Created),
    ("opened", Subject::Opened),
    ("arrived", Subject::Arrived),
    ("taken", Subject::Taken),
    ("sent", Subject::Sent),
    ("title", Subject::Said(TextField::Title)),
    ("author", Subject::Said(TextField::Author)),
    ("sender", Subject::Said(TextField::Sender)),
    ("subject", Subject::Said(TextField::Subject)),
    ("artist", Subject::Said(TextField::Artist)),
    ("album", Subject::Said(TextField::Album)),
    ("camera", Subject::Said(TextField::Camera)),
    ("origin", Subject::Said(TextField::Origin)),
];

/// The word that stands for the item's own tag.
const TAG: &str = "tag";

/// The word that stands for a number.
const COUNTER: &str = "counter";

/// Digits of a number at most: that many fit where it is kept free for them.
const DIGITS: usize = 9;

/// Whether a word stands for something in patterns, so that no facet can have it as its name.
pub fn is_subject(name: &str) -> bool {
    name == TAG || name == COUNTER || SUBJECTS.iter().any(|(word, _)| *word == name)
}

impl Subject {
    /// The subject's word.
    pub(super) fn word(self) -> &'static str {
        SUBJECTS.iter().find(|(_, subject)| *subject == self).map_or("", |(word, _)| word)
    }

    fn is_date(self) -> bool {
        use Subject::{Arrived, Created, Modified, Opened, Sent, Taken, Today};
        matches!(self, Today | Modified | Created | Opened | Arrived | Taken | Sent)
    }
}

impl Pattern {
    /// Reads a pattern for a single name.
    ///
    /// # Errors
    /// An unknown subject or form, an unclosed brace, or a `/` in the text.
    pub fn parse(text: &str, facets: &Facets) -> Result<Self, Diagnostic> {
        if let Some((at, _)) = split(text).nth(1) {
            return Err(Diagnostic::new(at - 1..at, "a name cannot hold a `/`")
                .help("`rename` gives a name only; the folder is said in `put`"));
        }
        let pattern = Self::parse_part(text, facets)?;
        match pattern.counters() {
            0 | 1 => Ok(pattern),
            _ => Err(Diagnostic::new(0..text.len(), "a name has one `{counter}` at most")
                .help("one is enough to tell names apart")),
        }
    }

    fn parse_part(text: &str, facets: &Facets) -> Result<Self, Diagnostic> {
        let mut pieces = Vec::new();
        let mut literal = String::new();
        let mut at = 0;
        while let Some(c) = text[at..].chars().next() {
            match c {
                '{' | '}' if text[at + 1..].starts_with(c) => {
                    literal.push(c);
                    at += 2;
                }
                '{' => {
                    let end = text[at..].find('}').map(|end| at + end).ok_or_else(|| {
                        Diagnostic::new(at..text.len(), "this brace is never closed")
                            .help("close it with `}`, or write `{{` for a brace itself")
                    })?;
                    push_literal(&mut pieces, &mut literal);
                    pieces.push(value(&text[at + 1..end], facets).map_err(|d| d.shifted(at + 1))?);
                    at = end + 1;
                }
                '}' => {
                    return Err(Diagnostic::new(at..at + 1, "this brace closes nothing")
                        .help("write `}}` for a brace itself"));
                }
                c => {
                    literal.push(c);
                    at += c.len_utf8();
                }
            }
        }
        push_literal(&mut pieces, &mut literal);
        if pieces.is_empty() {
            return Err(Diagnostic::new(0..0, "the pattern is empty"));
        }
        Ok(Self { pieces, written: text.to_owned() })
    }
}

fn push_literal(pieces: &mut Vec<PatternPart>, literal: &mut String) {
    if !literal.is_empty() {
        pieces.push(PatternPart::Literal(std::mem::take(literal)));
    }
}

/// Reads what stands between braces.
fn value(text: &str, facets: &Facets) -> Result<PatternPart, Diagnostic> {
    let (body, fallback) = match text.split_once('|') {
        Some((body, fallback)) => (body, Some(fallback.to_owned())),
        None => (text, None),
    };
    let (word, form) = body.split_once(':').map_or((body, None), |(word, form)| (word, Some(form)));
    let known = || SUBJECTS.iter().map(|(word, _)| *word).chain([TAG, COUNTER]).chain(facets.names());
    if word == COUNTER {
        return counter(form, fallback.is_some());
    }
    if word == TAG || facets.get(word).is_some() {
        if let Some(form) = form {
            return Err(no_forms(word, word.len() + 1..word.len() + 1 + form.len()));
        }
        check_fallback(word, body, text, fallback.as_deref())?;
        return Ok(match facets.get(word) {
            Some(facet) => PatternPart::Answer { facet: Arc::clone(facet), fallback },
            None => PatternPart::Tag { facets: facets.names().map(str::to_owned).collect(), fallback },
        });
    }
    let subject = SUBJECTS.iter().find(|(known, _)| *known == word).map(|(_, subject)| *subject);
    let subject = subject.ok_or_else(|| {
        let found = Diagnostic::new(0..word.len(), format!("`{word}` is not known in patterns"));
        match nearest(word, known()) {
            Some(near) => found.help(format!("did you mean `{near}`?")),
            None => found.help(format!("patterns know {}", any_of(known()))),
        }
    })?;
    let form = match form {
        None => Form::Plain,
        Some(form) => read_form(subject, form).map_err(|d| d.shifted(word.len() + 1))?,
    };
    check_fallback(word, body, text, fallback.as_deref())?;
    Ok(PatternPart::Value { subject, form, fallback })
}

/// `{counter}`, `{counter:3}`.
fn counter(form: Option<&str>, has_fallback: bool) -> Result<PatternPart, Diagnostic> {
    let at = COUNTER.len() + 1;
    if has_fallback {
        return Err(Diagnostic::new(0..at, "`counter` is always known").help("write {counter}"));
    }
    let Some(form) = form else { return Ok(PatternPart::Counter { digits: 1 }) };
    let digits = form.parse().ok().filter(|digits| (1..=DIGITS).contains(digits));
    let digits = digits.ok_or_else(|| {
        Diagnostic::new(at..at + form.len(), format!("`{form}` is not a form of `counter`"))
            .help("its form is the number of digits, such as {counter:3} for 001")
    })?;
    Ok(PatternPart::Counter { digits })
}

fn check_fallback(word: &str, body: &str, text: &str, fallback: Option<&str>) -> Result<(), Diagnostic> {
    if fallback.is_some_and(|f| f.trim().is_empty() || f.contains(['/', '{'])) {
        return Err(Diagnostic::new(
            body.len()..text.len(),
            "what is written where the value is unknown must be a plain word",
        )
        .help(format!("for example {{{word}|Unsorted}}")));
    }
    Ok(())
}

fn no_forms(word: &str, at: std::ops::Range<usize>) -> Diagnostic {
    Diagnostic::new(at, format!("`{word}` has no forms")).help(format!("write {{{word}}}"))
}

fn read_form(subject: Subject, form: &str) -> Result<Form, Diagnostic> {
    let whole = 0..form.len();
    let word = subject.word();
    let (fits, allowed) = match (subject, form) {
        (subject, "year") if subject.is_date() => return Ok(Form::Date("%Y".into())),
        (subject, "month") if subject.is_date() => return Ok(Form::Date("%m".into())),
        (subject, "day") if subject.is_date() => return Ok(Form::Date("%d".into())),
        (subject, "quarter") if subject.is_date() => return Ok(Form::Around(Unit::Quarter)),
        (subject, "week") if subject.is_date() => return Ok(Form::Around(Unit::Week)),
        (subject, format) if subject.is_date() => {
            let sample =
                jiff::civil::date(2031, 4, 7).at(9, 0, 0, 0).to_zoned_datetime(jiff::tz::TimeZone::UTC);
            let readable = sample.is_ok_and(|at| jiff::fmt::strtime::format(format, &at).is_ok());
            (readable && format.contains('%'), "year, quarter, month, week, day, or a form such as %Y-%m")
        }
        (Subject::Said(_), "initial") => return Ok(Form::Initial),
        (Subject::Said(_), "tidy") => return Ok(Form::Tidy),
        (Subject::Said(_), "upper") => return Ok(Form::Upper),
        (Subject::Said(_), "lower") => return Ok(Form::Lower),
        (Subject::Said(_), _) => (false, "initial, tidy, upper or lower"),
        (Subject::Stem | Subject::Name, "initial") => return Ok(Form::Initial),
        (Subject::Stem | Subject::Name, "tidy") => return Ok(Form::Tidy),
        (Subject::Stem | Subject::Name | Subject::Ext | Subject::Folder, "upper") => return Ok(Form::Upper),
        (Subject::Stem | Subject::Name | Subject::Ext | Subject::Folder, "lower") => return Ok(Form::Lower),
        (Subject::Stem, "rest") => return Ok(Form::Rest),
        (Subject::Stem, "year") => return Ok(Form::YearInName),
        (Subject::Stem, _) => (false, "initial, tidy, upper, lower or rest"),
        (Subject::Name, _) => (false, "initial, tidy, upper or lower"),
        (Subject::Ext | Subject::Folder, _) => (false, "upper or lower"),
        _ => return Err(no_forms(word, whole)),
    };
    if fits {
        return Ok(Form::Date(form.to_owned()));
    }
    Err(Diagnostic::new(whole, format!("`{form}` is not a form of `{word}`"))
        .help(format!("its forms are {allowed}")))
}

impl PutPattern {
    /// Reads `2/{type}`, or `home/2/{type}` where `home` is one of the bookcases.
    ///
    /// # Errors
    /// No shelf number where one belongs, or what [`Pattern::parse`] refuses in a folder's part.
    pub fn parse(text: &str, facets: &Facets) -> Result<Self, Diagnostic> {
        let mut parts = split(text);
        let expected = "it starts with a shelf's number, such as 2/{type}, or with a bookcase and a number, such as home/2";
        let number = |part: &str| match part.as_bytes() {
            [digit @ b'1'..=b'9'] => Some(digit - b'0'),
            _ => None,
        };
        let (at, first) = parts.next().unwrap_or((0, ""));
        let bookcase = (number(first).is_none()).then(|| first.to_owned());
        let (shelf_at, shelf_text) =
            if bookcase.is_some() { parts.next().unwrap_or((text.len(), "")) } else { (at, first) };
        let shelf = number(shelf_text).ok_or_else(|| {
            let span = if bookcase.is_some() && !shelf_text.is_empty() {
                shelf_at..shelf_at + shelf_text.len()
            } else {
                at..at + first.len()
            };
            Diagnostic::new(span, "`put` names no shelf").help(expected)
        })?;
        let folders = parts
            .filter(|(_, part)| !part.is_empty())
            .map(|(at, part)| {
                if part == "." || part == ".." {
                    return Err(Diagnostic::new(
                        at..at + part.len(),
                        format!("`{part}` would lead off the shelf"),
                    ));
                }
                let pattern = Pattern::parse_part(part, facets).map_err(|d| d.shifted(at))?;
                if pattern.counters() > 0 {
                    let whole = at..at + part.len();
                    return Err(Diagnostic::new(whole, "a folder cannot have a `{counter}`")
                        .help("`rename` numbers what comes to one name"));
                }
                Ok(pattern)
            })
            .collect::<Result<_, _>>()?;
        Ok(Self { bookcase, shelf, folders })
    }
}

/// The parts between slashes, with where each starts. A slash inside braces parts nothing.
fn split(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut inside = false;
    let mut start = 0;
    let mut parts = Vec::new();
    for (at, c) in text.char_indices() {
        match c {
            '{' => inside = true,
            '}' => inside = false,
            '/' if !inside => {
                parts.push((start, &text[start..at]));
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push((start, &text[start..]));
    parts.into_iter()
}
