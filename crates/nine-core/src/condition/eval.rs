//! Whether a condition holds for an item, and which test decided.

use std::ops::{Range, RangeInclusive};

use super::{
    AgeSubject, Compare, Condition, CountSubject, DateSubject, DateTest, Flag, PlainTest, TagTest, Test,
    WordSubject, WordTest,
};
use crate::amount;
use crate::escape;
use crate::item::{Item, Kind};
use crate::metadata::{Metadata, SaidField, SaidValue};
use crate::moment::{Moment, Now};
use crate::names::{self, composed, fold};
use crate::tags;
use crate::words;

/// A test that decided that a condition does not hold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TestFailure {
    /// The test, in its canonical form, with `not` where it should not have held.
    pub test: String,
    /// What the item is instead.
    pub found: String,
}

/// Whether a condition holds; if not, the tests that decided it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explanation {
    /// The answer.
    pub holds: bool,
    /// The tests that decided against it; empty if it holds.
    pub failures: Vec<TestFailure>,
}

impl Condition {
    /// Whether it holds for `item`.
    pub fn holds(&self, item: &Item, now: &Now) -> bool {
        match self {
            Condition::All(parts) => parts.iter().all(|part| part.holds(item, now)),
            Condition::Any(parts) => parts.iter().any(|part| part.holds(item, now)),
            Condition::Not(inner) => !inner.holds(item, now),
            Condition::Saved(_, inner) => inner.holds(item, now),
            Condition::Test(test) => test.holds(item, now),
        }
    }

    /// Whether it holds for `item`, and if not, why.
    pub fn explain(&self, item: &Item, now: &Now) -> Explanation {
        let holds = self.holds(item, now);
        let mut failures = Vec::new();
        if !holds {
            self.gather_failures(item, now, true, &mut failures);
        }
        Explanation { holds, failures }
    }

    /// Gathers the tests that keep this from being `wanted`.
    fn gather_failures(&self, item: &Item, now: &Now, wanted: bool, out: &mut Vec<TestFailure>) {
        match self {
            Condition::All(parts) | Condition::Any(parts) => {
                for part in parts.iter().filter(|part| part.holds(item, now) != wanted) {
                    part.gather_failures(item, now, wanted, out);
                }
            }
            Condition::Not(inner) => inner.gather_failures(item, now, !wanted, out),
            Condition::Saved(_, inner) => inner.gather_failures(item, now, wanted, out),
            Condition::Test(test) => {
                let written = if wanted { test.to_string() } else { format!("not {test}") };
                out.push(TestFailure { test: written, found: test.found(item, now) });
            }
        }
    }
}

impl Test {
    fn holds(&self, item: &Item, now: &Now) -> bool {
        match self {
            Test::Type(types) => types.contains(&item.verdict().item_type),
            Test::Ext(wanted) => wanted.contains(&extension(item)),
            Test::Words(WordSubject::Text, test) => {
                item.text.as_deref().is_some_and(|text| test.holds_for_text(text))
            }
            Test::Words(WordSubject::Said(field), test) => item
                .said
                .as_ref()
                .and_then(|said| said.text(*field))
                .is_some_and(|text| test.holds(&composed(text))),
            Test::Words(subject, test) => test.holds(&subject.of(item)),
            Test::Tag(test) => test.holds_for_either(&item.tags, &item.note_tags),
            Test::Size(compare, bytes) => compare.holds(item.size, bytes.0),
            Test::Count(CountSubject::Depth, compare, number) => {
                compare.holds(item.spot.path.depth() as u64, *number)
            }
            Test::Count(CountSubject::Items, compare, number) => {
                item.items.is_some_and(|items| compare.holds(items, *number))
            }
            Test::Count(CountSubject::Said(field), compare, number) => {
                let figure = item.said.as_ref().and_then(|said| said.figure(*field));
                figure.is_some_and(|figure| compare.holds(figure, *number))
            }
            Test::Count(CountSubject::Copies, compare, number) => {
                item.copies.is_some_and(|copies| compare.holds(copies.into(), *number))
            }
            Test::Date(subject, test) => subject.of(item, now).is_some_and(|at| test.holds(at, now)),
            Test::Age(subject, compare, span) => {
                let over = subject.from(item) < now.before(*span);
                over == (*compare == Compare::Over)
            }
            Test::Facet(facet, test) => test.holds(facet.ask(item, now).value()),
            Test::Flag(flag) => flag.holds(item),
        }
    }

    /// What the item has where the test asks, for people.
    fn found(&self, item: &Item, now: &Now) -> String {
        match self {
            Test::Type(_) => format!("it is {}", item.verdict().item_type.word()),
            Test::Ext(_) => match extension(item) {
                ext if ext.is_empty() => "it has no extension".into(),
                ext => format!("it is .{}", escape::plain(&ext)),
            },
            Test::Words(WordSubject::Text, _) => match &item.text {
                Some(text) => {
                    format!("{} inside say otherwise", amount::counted(words::count(text), "word", "words"))
                }
                None => "its words were not read".into(),
            },
            Test::Words(WordSubject::Said(field), _) => {
                match item.said.as_ref().map(|said| said.text(*field)) {
                    Some(Some(text)) => format!("it is `{}`", escape::escape(text.as_bytes())),
                    Some(None) => format!("it says no {}", field.word()),
                    None => NOT_READ.into(),
                }
            }
            Test::Words(subject, _) => match subject.of(item) {
                text if text.is_empty() => "it lies in no folder".into(),
                text => format!("it is `{}`", escape::escape(text.as_bytes())),
            },
            Test::Tag(_) => match [item.tags.as_slice(), &item.note_tags].concat() {
                tags if tags.is_empty() => "it has no tags".into(),
                tags => format!("its tags are {}", escape::plain(&tags.join(", "))),
            },
            Test::Size(..) => format!("it has {}", amount::readable(item.size)),
            Test::Count(CountSubject::Depth, ..) => format!("it is {}", item.spot.path.depth()),
            Test::Count(CountSubject::Items, ..) => match item.items {
                Some(items) => format!("it holds {}", amount::counted(items, "file", "files")),
                None => "it is not a folder".into(),
            },
            Test::Count(CountSubject::Said(field), ..) => {
                match item.said.as_ref().map(|said| said.figure(*field)) {
                    Some(Some(figure)) => format!("it is {figure}"),
                    Some(None) => format!("it says no {}", field.word()),
                    None => NOT_READ.into(),
                }
            }
            Test::Count(CountSubject::Copies, ..) | Test::Flag(Flag::Copy) => match item.copies {
                Some(1) => "nothing else has its bytes".into(),
                Some(many) => format!("{many} items have its bytes, itself counted"),
                None if item.is_folder() => "folders are not compared here".into(),
                None => "its bytes were not compared".into(),
            },
            Test::Date(subject, _) => match subject.of(item, now) {
                Some(at) => format!("it is {}", now.minute(at)),
                None => "that date is not known".into(),
            },
            Test::Age(subject, ..) => format!("it is {}", now.age(subject.from(item))),
            Test::Facet(facet, _) => match facet.ask(item, now).found {
                Some(found) => format!("it is `{}`, from {}", escape::plain(&found.value), found.evidence()),
                None => "it is not known".into(),
            },
            Test::Flag(flag) if flag.holds(item) => "it is".into(),
            Test::Flag(_) => "it is not".into(),
        }
    }
}

/// What is told of an item of which nobody read what it says of itself.
const NOT_READ: &str = "what it says of itself was not read";

fn extension(item: &Item) -> String {
    names::fold_bytes(item.extension().strip_prefix(b".").unwrap_or_default())
}

impl WordSubject {
    fn of(self, item: &Item) -> String {
        let bytes = match self {
            WordSubject::Name => item.name().to_vec(),
            WordSubject::Stem => item.stem().to_vec(),
            WordSubject::Folder => item.spot.folder().path.as_bytes().to_vec(),
            WordSubject::Path => item.spot.path.as_bytes().to_vec(),
            WordSubject::Text | WordSubject::Said(_) => Vec::new(),
        };
        composed(&String::from_utf8_lossy(&bytes)).into_owned()
    }
}

impl WordTest {
    /// Whether it holds for the words inside an item. `has` asks for whole words, see [`words::has`];
    /// the other tests for the text as it stands.
    pub fn holds_for_text(&self, text: &str) -> bool {
        match self {
            WordTest::Plain(PlainTest::Has, values) => values.iter().any(|value| words::has(text, value)),
            _ => self.holds(&composed(text)),
        }
    }

    pub(crate) fn holds(&self, text: &str) -> bool {
        match self {
            WordTest::Plain(PlainTest::Has, values)
                if text.is_ascii() && values.iter().all(|value| value.is_ascii()) =>
            {
                values.iter().any(|value| has_in_ascii(text.as_bytes(), value.as_bytes()))
            }
            WordTest::Plain(test, values) => {
                let text = fold(text);
                values.iter().map(|value| fold(value)).any(|value| match test {
                    PlainTest::Is => text == value,
                    PlainTest::Has => text.contains(&value),
                    PlainTest::Starts => text.starts_with(&value),
                    PlainTest::Ends => text.ends_with(&value),
                })
            }
            WordTest::Like(shapes) => {
                let text: Vec<char> = fold(text).chars().collect();
                shapes.iter().any(|shape| fits(&text, &fold(shape).chars().collect::<Vec<_>>()))
            }
            WordTest::Matches(pattern) => pattern.regex.is_match(text),
        }
    }
}

/// Whether a text has a part, letter case ignored, both of them ASCII: of hundreds of thousands of texts none is
/// copied.
fn has_in_ascii(text: &[u8], part: &[u8]) -> bool {
    let Some(first) = part.first() else { return true };
    let last = text.len().checked_sub(part.len());
    let starts = memchr::memchr2_iter(first.to_ascii_lowercase(), first.to_ascii_uppercase(), text);
    starts
        .take_while(|at| last.is_some_and(|last| *at <= last))
        .any(|at| text[at..at + part.len()].eq_ignore_ascii_case(part))
}

/// Whether a text fits a shape of `*` and `?`: the classic two-pointer walk, linear in practice.
fn fits(text: &[char], shape: &[char]) -> bool {
    let (mut t, mut s) = (0, 0);
    let mut star: Option<(usize, usize)> = None;
    while t < text.len() {
        match shape.get(s) {
            Some('*') => {
                star = Some((s, t));
                s += 1;
            }
            Some(c) if *c == '?' || *c == text[t] => (t, s) = (t + 1, s + 1),
            _ => match star {
                Some((star_at, from)) => {
                    star = Some((star_at, from + 1));
                    (t, s) = (from + 1, star_at + 1);
                }
                None => return false,
            },
        }
    }
    shape[s..].iter().all(|c| *c == '*')
}

impl TagTest {
    /// Whether it holds for what an item has as its own and what stands in its text.
    pub(crate) fn holds_for_either(&self, own: &[String], inside: &[String]) -> bool {
        match self {
            TagTest::None => own.is_empty() && inside.is_empty(),
            _ => self.holds(own) || self.holds(inside),
        }
    }

    pub(crate) fn holds(&self, have: &[String]) -> bool {
        match self {
            TagTest::Any => !have.is_empty(),
            TagTest::None => have.is_empty(),
            TagTest::Named(wanted) => wanted.iter().any(|w| match w.strip_suffix("/*") {
                Some(parent) => {
                    have.iter().any(|tag| tags::answers_to(tag, parent) && fold(tag) != fold(parent))
                }
                None => have.iter().any(|tag| tags::answers_to(tag, w)),
            }),
        }
    }
}

impl Compare {
    pub(crate) fn holds(self, have: u64, wanted: u64) -> bool {
        match self {
            Compare::Over => have > wanted,
            Compare::Under => have < wanted,
            Compare::Is => have == wanted,
        }
    }
}

impl Test {
    /// What of that which items say of themselves it asks for.
    pub fn said_field(&self) -> Option<SaidField> {
        match self {
            Test::Words(WordSubject::Said(field), _) => Some(SaidField::Text(*field)),
            Test::Count(CountSubject::Said(field), ..) => Some(SaidField::Figure(*field)),
            Test::Date(DateSubject::Taken, _) => Some(SaidField::Taken),
            Test::Date(DateSubject::Sent, _) => Some(SaidField::Sent),
            _ => None,
        }
    }

    /// Whether it holds for a value of [`Test::said_field`].
    pub fn holds_for_said(&self, value: SaidValue, now: &Now) -> bool {
        match (self, value) {
            (Test::Words(_, words), SaidValue::Text(text)) => words.holds(&composed(text)),
            (Test::Count(_, compare, number), SaidValue::Figure(figure)) => compare.holds(figure, *number),
            (Test::Date(_, test), SaidValue::Taken(taken)) => test.holds(taken.moment(now), now),
            (Test::Date(_, test), SaidValue::Sent(at)) => test.holds(at, now),
            _ => false,
        }
    }

    /// The numbers between which alone a test of a date (nanoseconds since 1970) or of a figure may hold.
    pub fn said_range(&self, now: &Now) -> Option<RangeInclusive<i64>> {
        let number = |figure: u64| i64::try_from(figure).unwrap_or(i64::MAX);
        match self {
            Test::Date(_, test) => {
                let Range { start, end } = test.range(now);
                Some(start.0..=end.0.saturating_sub(1))
            }
            Test::Count(_, Compare::Over, figure) => Some(number(figure.saturating_add(1))..=i64::MAX),
            Test::Count(_, Compare::Under, figure) => Some(0..=number(figure.saturating_sub(1))),
            Test::Count(_, Compare::Is, figure) => Some(number(*figure)..=number(*figure)),
            _ => None,
        }
    }
}

impl DateSubject {
    /// The date among what an item says of itself; `None` for others.
    pub(crate) fn said_by(self, said: &Metadata, now: &Now) -> Option<Moment> {
        match self {
            DateSubject::Taken => said.taken.map(|taken| taken.moment(now)),
            DateSubject::Sent => said.sent,
            _ => None,
        }
    }

    fn of(self, item: &Item, now: &Now) -> Option<Moment> {
        match self {
            DateSubject::Taken | DateSubject::Sent => self.said_by(item.said.as_ref()?, now),
            DateSubject::Modified => Some(item.newest),
            DateSubject::Created | DateSubject::Arrived => item.entry.born,
            DateSubject::Opened => item.entry.opened,
        }
    }
}

impl DateTest {
    fn holds(&self, at: Moment, now: &Now) -> bool {
        self.range(now).contains(&at)
    }

    /// From when to before when it holds.
    pub(crate) fn range(&self, now: &Now) -> Range<Moment> {
        let (first, last) = (Moment(i64::MIN), Moment(i64::MAX));
        match self {
            DateTest::Before(day) => first..day.bounds(now).0,
            DateTest::Since(day) => day.bounds(now).0..last,
            DateTest::On(day) => day.bounds(now).0..day.bounds(now).1,
            DateTest::Between(from, to) => from.bounds(now).0..to.bounds(now).1,
            DateTest::Over(span) => first..now.before(*span),
            DateTest::Within(span) => now.before(*span)..last,
        }
    }
}

impl AgeSubject {
    fn from(self, item: &Item) -> Moment {
        match self {
            AgeSubject::Age => item.age_from(),
            AgeSubject::Idle => item.idle_from(),
        }
    }
}

impl Flag {
    fn holds(self, item: &Item) -> bool {
        match self {
            Flag::File => item.entry.kind == Kind::File,
            Flag::Loose => item.is_loose(),
            Flag::Empty => item.is_empty(),
            Flag::Untitled => names::is_untitled(item.stem()),
            Flag::Unfinished => item.is_unfinished(),
            Flag::Mislabelled => item.is_mislabelled(),
            Flag::Hidden => item.is_hidden(),
            Flag::Link => item.entry.kind == Kind::Link,
            Flag::Broken => item.broken,
            Flag::Copy => item.copies.is_some_and(|copies| copies > 1),
            Flag::Shared => item.shared,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_part_is_found_in_ascii_as_in_folded_texts(text in "[aAbB ]{0,12}", part in "[aAbB ]{0,4}") {
            let found = has_in_ascii(text.as_bytes(), part.as_bytes());
            prop_assert_eq!(found, fold(&text).contains(&fold(&part)));
        }
    }
}
