//! Dates and spans in conditions.

use super::{Parsed, Parser, unread};
use crate::condition::lexer::{Token, Value};
use crate::condition::vocabulary::{DATE_TESTS, FIGURE_TESTS};
use crate::condition::{Compare, CountSubject, DateSubject, DateTest, Test};
use crate::diagnostic::Diagnostic;
use crate::metadata::FigureField;
use crate::moment::{Day, EXPECTED_DATE, EXPECTED_SPAN, Span, nearest_date};

impl Parser<'_> {
    pub(super) fn date(&mut self, subject: DateSubject, subject_word: &str) -> Parsed<Test> {
        let operator = self.operator(subject_word, &DATE_TESTS)?;
        let test = match operator.as_str() {
            "over" => DateTest::Over(self.span_after("over")?),
            "within" => DateTest::Within(self.span_after("within")?),
            "before" => DateTest::Before(self.day_after("before")?),
            "since" => DateTest::Since(self.day_after("since")?),
            "between" => self.between()?,
            _ => DateTest::On(self.day_after("on")?),
        };
        Ok(Test::Date(subject, test))
    }

    /// `duration over 3min`, `under 90s`
    pub(super) fn duration(&mut self) -> Parsed<Test> {
        const EXPECTED: &str = "a length such as 90s, 3min or 1h";
        let subject = CountSubject::Said(FigureField::Duration);
        let operator = self.operator("duration", &FIGURE_TESTS)?;
        let value = self.with_unit(&operator, EXPECTED, |text| seconds(text).is_some())?;
        let compare = match operator.as_str() {
            "over" => Compare::Over,
            "under" => Compare::Under,
            _ => Compare::Is,
        };
        Ok(Test::Count(subject, compare, seconds(&value.text).ok_or_else(|| unread(&value, EXPECTED))?))
    }

    /// `between 2031-01 and 2031-03`
    fn between(&mut self) -> Parsed<DateTest> {
        let start = self.here().start;
        let first = self.day_after("between")?;
        if !self.take_word("and") {
            return Err(Diagnostic::new(self.here(), "`and` and a second date are missing here")
                .help("write it such as between 2031-01 and 2031-03"));
        }
        let last = self.day_after("and")?;
        if first.is_after(last) {
            let end = self.tokens[self.at - 1].span().end;
            return Err(Diagnostic::new(start..end, "the second date is before the first")
                .help(format!("write between {last} and {first}")));
        }
        Ok(DateTest::Between(first, last))
    }

    /// A value whose unit may stand behind a space, as in `90 days` and `10 MB`.
    pub(super) fn with_unit(
        &mut self,
        word: &str,
        expected: &str,
        reads: impl Fn(&str) -> bool,
    ) -> Parsed<Value> {
        let value = self.single(word, expected)?;
        let alone = !value.quoted
            && (value.text.bytes().all(|b| b.is_ascii_digit() || b == b'.')
                || Day::begins(&value.text.to_ascii_lowercase()));
        let joined = match self.peek() {
            Some(Token::Values(next, span)) if alone => match next.as_slice() {
                [next] if !next.quoted => {
                    let text = format!("{} {}", value.text, next.text);
                    Some(Value { text, quoted: false, span: value.span.start..span.end })
                }
                _ => None,
            },
            _ => None,
        };
        match joined.filter(|joined| reads(&joined.text)) {
            Some(joined) => {
                self.at += 1;
                Ok(joined)
            }
            None => Ok(value),
        }
    }

    pub(super) fn span_after(&mut self, word: &str) -> Parsed<Span> {
        let value = self.with_unit(word, EXPECTED_SPAN, |text| Span::parse(text).is_some())?;
        Span::parse(&value.text).ok_or_else(|| unread(&value, EXPECTED_SPAN))
    }

    fn day_after(&mut self, word: &str) -> Parsed<Day> {
        let value = self.with_unit(word, EXPECTED_DATE, |text| Day::parse(text).is_some())?;
        Day::parse(&value.text).ok_or_else(|| match nearest_date(&value.text).as_slice() {
            [] => unread(&value, EXPECTED_DATE),
            near => unread(&value, EXPECTED_DATE).help(format!("write it as {}", near.join(" or "))),
        })
    }
}

/// Seconds of a length of time: `90`, `90s`, `3min`, `1 h`.
fn seconds(text: &str) -> Option<u64> {
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let number: u64 = text[..digits].parse().ok().filter(|number| *number <= 9_999_999)?;
    match text[digits..].trim() {
        "" | "s" | "second" | "seconds" => Some(number),
        "min" | "minute" | "minutes" => Some(number * 60),
        "h" | "hour" | "hours" => Some(number * 3_600),
        _ => None,
    }
}
