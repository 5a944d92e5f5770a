//! The canonical form of a condition.

use std::fmt::{self, Display, Formatter, Write};

use crate::metadata::FigureField;

use super::vocabulary::{JOINTS, Subject, word};
use super::{Compare, Condition, CountSubject, DateTest, FacetTest, PlainTest, TagTest, Test, WordTest};

impl Display for Condition {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Condition::All(parts) => {
                join(f, parts, " and ", |part| matches!(part, Condition::Any(_) | Condition::All(_)))
            }
            Condition::Any(parts) => join(f, parts, " or ", |part| matches!(part, Condition::Any(_))),
            Condition::Not(inner) if matches!(**inner, Condition::All(_) | Condition::Any(_)) => {
                write!(f, "not ({inner})")
            }
            Condition::Not(inner) => write!(f, "not {inner}"),
            Condition::Saved(name, _) => write!(f, "saved {}", value(name, &[])),
            Condition::Test(test) => test.fmt(f),
        }
    }
}

fn join(
    f: &mut Formatter<'_>,
    parts: &[Condition],
    joint: &str,
    bracketed: fn(&Condition) -> bool,
) -> fmt::Result {
    for (i, part) in parts.iter().enumerate() {
        if i > 0 {
            f.write_str(joint)?;
        }
        if bracketed(part) { write!(f, "({part})")? } else { part.fmt(f)? }
    }
    Ok(())
}

impl Display for Test {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Test::Type(types) => {
                let words: Vec<&str> = types.iter().map(|t| t.word()).collect();
                write!(f, "type {}", words.join(","))
            }
            Test::Ext(exts) => write!(f, "ext {}", listed(exts, &["is"])),
            Test::Words(subject, test) => write!(f, "{} {test}", word(Subject::Words(*subject))),
            Test::Tag(TagTest::Any) => f.write_str("tag any"),
            Test::Tag(TagTest::None) => f.write_str("tag none"),
            Test::Tag(TagTest::Named(tags)) => {
                write!(f, "tag {}", listed(tags, &["any", "none", "is"]))
            }
            Test::Size(compare, bytes) => write!(f, "size {compare} {bytes}"),
            Test::Count(CountSubject::Said(FigureField::Duration), compare, seconds) => {
                write!(f, "duration {compare} {seconds}s")
            }
            Test::Count(subject, compare, number) => {
                write!(f, "{} {compare} {number}", word(Subject::Count(*subject)))
            }
            Test::Date(subject, test) => write!(f, "{} {test}", word(Subject::Date(*subject))),
            Test::Age(subject, compare, span) => {
                write!(f, "{} {compare} {span}", word(Subject::Age(*subject)))
            }
            Test::Facet(facet, FacetTest::Is(values)) => {
                write!(f, "{} is {}", facet.name, listed(values, &[]))
            }
            Test::Facet(facet, FacetTest::Known) => write!(f, "{} known", facet.name),
            Test::Facet(facet, FacetTest::Unknown) => write!(f, "{} unknown", facet.name),
            Test::Flag(flag) => f.write_str(word(Subject::Flag(*flag))),
        }
    }
}

impl Display for WordTest {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            WordTest::Plain(test, values) => {
                let test = match test {
                    PlainTest::Is => "is",
                    PlainTest::Has => "has",
                    PlainTest::Starts => "starts",
                    PlainTest::Ends => "ends",
                };
                write!(f, "{test} {}", listed(values, &[]))
            }
            WordTest::Like(shapes) => write!(f, "like {}", listed(shapes, &[])),
            WordTest::Matches(pattern) => write!(f, "matches {}", value(&pattern.text, &[])),
        }
    }
}

impl Display for DateTest {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            DateTest::Before(day) => write!(f, "before {day}"),
            DateTest::Since(day) => write!(f, "since {day}"),
            DateTest::On(day) => write!(f, "on {day}"),
            DateTest::Between(first, last) => write!(f, "between {first} and {last}"),
            DateTest::Over(span) => write!(f, "over {span}"),
            DateTest::Within(span) => write!(f, "within {span}"),
        }
    }
}

impl Display for Compare {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Compare::Over => "over",
            Compare::Under => "under",
            Compare::Is => "is",
        })
    }
}

fn listed(values: &[String], keywords: &[&str]) -> String {
    // a keyword has its meaning only when it stands alone
    let keywords = if values.len() == 1 { keywords } else { &[] };
    let words: Vec<String> = values.iter().map(|v| value(v, keywords)).collect();
    words.join(",")
}

/// A value as it stands in a condition, whatever it is.
pub fn in_condition(text: &str) -> String {
    value(text, &["known", "unknown", "any", "none"])
}

/// A value, in quotes if it would not be read back without them.
pub(super) fn value(text: &str, keywords: &[&str]) -> String {
    let special = |c: char| c.is_whitespace() || matches!(c, ',' | '(' | ')');
    let is_keyword = |word: &&str| word.eq_ignore_ascii_case(text);
    let bare = !text.is_empty()
        && !text.starts_with(['"', '\''])
        && !text.contains(special)
        && !JOINTS.iter().chain(keywords).any(is_keyword);
    if bare {
        return text.to_owned();
    }
    let mut out = String::from('"');
    for c in text.chars() {
        match c {
            '"' | '\\' => {
                let _ = write!(out, "\\{c}");
            }
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}
