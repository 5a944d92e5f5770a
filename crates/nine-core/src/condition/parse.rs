//! From text to a condition, or to a finding that points at the word.

mod dates;

use std::ops::Range;
use std::sync::Arc;

use super::lexer::{Token, Value, tokens};
use super::vocabulary::{AGE_TESTS, FACET_TESTS, FIGURE_TESTS, JOINTS, SUBJECTS, Subject, TEXT_TESTS, word};
use super::{
    Compare, Condition, CountSubject, FacetTest, Pattern, PlainTest, TagTest, Test, WordSubject, WordTest,
};
use crate::amount::{self, Bytes};
use crate::diagnostic::{Diagnostic, any_of, nearest};
use crate::facet::{Facet, Facets};
use crate::kinds::{ItemType, TYPES};
use crate::metadata::FigureField;
use crate::names::fold;
use crate::saved;

/// How deep brackets and `not` may be nested.
const DEEPEST: usize = 64;

/// Finds the condition of a saved search; else what is wrong, and what to do.
pub type Resolve<'a> = dyn Fn(&str) -> Result<Condition, (String, Option<String>)> + 'a;

/// Reads a condition that may use the saved searches that ship with the program.
///
/// # Errors
/// As [`parse_with`].
pub fn parse(text: &str) -> Result<Condition, Diagnostic> {
    let none = Facets::default();
    parse_with(text, &none, &|name| saved::resolve(name, &[], &none, &|_| None))
}

/// Reads a condition that may speak of these facets. Saved searches are found by `resolve`.
///
/// # Errors
/// What is wrong at the first word that does not fit, what was expected there, and the nearest
/// right word.
pub fn parse_with(text: &str, facets: &Facets, resolve: &Resolve) -> Result<Condition, Diagnostic> {
    let mut parser = Parser { tokens: tokens(text)?, at: 0, end: text.len(), depth: 0, facets, resolve };
    if parser.tokens.is_empty() {
        return Err(Diagnostic::new(0..text.len(), "the condition is empty")
            .help("write one such as: type document and age over 90d"));
    }
    let condition = parser.condition()?;
    match parser.peek() {
        None => Ok(condition),
        Some(Token::Close(span)) => Err(Diagnostic::new(span.clone(), "this bracket closes nothing")),
        Some(token) => Err(parser.not_a_joint(token)),
    }
}

struct Parser<'a> {
    tokens: Vec<Token>,
    at: usize,
    end: usize,
    depth: usize,
    facets: &'a Facets,
    resolve: &'a Resolve<'a>,
}

type Parsed<T> = Result<T, Diagnostic>;

impl Parser<'_> {
    fn peek(&self) -> Option<&Token> {
        self.tokens.get(self.at)
    }

    fn peek_word(&self) -> Option<String> {
        self.peek().and_then(Token::word)
    }

    fn take_word(&mut self, wanted: &str) -> bool {
        let found = self.peek_word().as_deref() == Some(wanted);
        self.at += usize::from(found);
        found
    }

    /// Where the next token stands, or the end of the text.
    fn here(&self) -> Range<usize> {
        self.peek().map_or(self.end..self.end, Token::span)
    }

    fn condition(&mut self) -> Parsed<Condition> {
        let mut parts = vec![self.all()?];
        while self.take_word("or") {
            parts.push(self.all()?);
        }
        Ok(Condition::any(parts))
    }

    fn all(&mut self) -> Parsed<Condition> {
        let mut parts = vec![self.one()?];
        while self.take_word("and") {
            parts.push(self.one()?);
        }
        Ok(Condition::all(parts))
    }

    fn one(&mut self) -> Parsed<Condition> {
        let here = self.here();
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(Diagnostic::new(here, format!("more than {DEEPEST} levels of brackets and `not`")));
        }
        let parsed = if self.take_word("not") {
            self.one().map(|inner| Condition::Not(Box::new(inner)))
        } else if matches!(self.peek(), Some(Token::Open(_))) {
            self.bracketed()
        } else if self.take_word("saved") {
            self.saved()
        } else {
            self.test().map(Condition::Test)
        };
        self.depth -= 1;
        parsed
    }

    fn bracketed(&mut self) -> Parsed<Condition> {
        let open = self.here();
        self.at += 1;
        let inner = self.condition()?;
        match self.peek() {
            Some(Token::Close(_)) => {
                self.at += 1;
                Ok(inner)
            }
            Some(token) => Err(self.not_a_joint(token)),
            None => Err(Diagnostic::new(open, "this bracket is never closed").help("add a `)`")),
        }
    }

    fn saved(&mut self) -> Parsed<Condition> {
        let name = self.single("saved", "the name of a saved search")?;
        match (self.resolve)(&name.text) {
            Ok(condition) => Ok(Condition::Saved(name.text, Box::new(condition))),
            Err((message, help)) => Err(Diagnostic { help, ..Diagnostic::new(name.span, message) }),
        }
    }

    /// A finding on a token that stands where a condition could only go on with a joint.
    fn not_a_joint(&self, token: &Token) -> Diagnostic {
        let told = "expected `and`, `or` or the end";
        let diagnostic = Diagnostic::new(token.span(), told);
        match token.word() {
            Some(word) if SUBJECTS.iter().any(|(subject, _)| *subject == word) => {
                diagnostic.help(format!("join tests with `and` or `or`: … and {word} …"))
            }
            Some(word) => match nearest(&word, JOINTS) {
                Some(joint) => diagnostic.help(format!("did you mean `{joint}`?")),
                None => diagnostic.help("a value with spaces is written in quotes: name is \"loan list\""),
            },
            None => diagnostic,
        }
    }

    fn test(&mut self) -> Parsed<Test> {
        if let Some(facet) = self.peek_word().and_then(|word| self.facets.get(&word)) {
            let facet = Arc::clone(facet);
            self.at += 1;
            return self.facet(facet);
        }
        let subject = self.subject()?;
        match subject {
            Subject::Type => self.types(),
            Subject::Ext => self.extensions(),
            Subject::Tag => self.tag(),
            Subject::Words(subject) => self.words(subject),
            Subject::Size => {
                let (compare, value) = self.figure(Subject::Size, amount::EXPECTED)?;
                let bytes = Bytes::parse(&value.text).ok_or_else(|| unread(&value, amount::EXPECTED));
                Ok(Test::Size(compare, bytes?))
            }
            Subject::Count(subject) => self.count(subject),
            Subject::Date(date) => self.date(date, word(subject)),
            Subject::Age(age) => {
                let compare = self.operator(word(subject), &AGE_TESTS)?;
                let span = self.span_after(&compare)?;
                let compare = if compare == "over" { Compare::Over } else { Compare::Under };
                Ok(Test::Age(age, compare, span))
            }
            Subject::Flag(flag) => Ok(Test::Flag(flag)),
            Subject::Saved => unreachable!("taken where a condition begins"),
        }
    }

    fn subject(&mut self) -> Parsed<Subject> {
        let facets = self.facets;
        let known = || SUBJECTS.iter().map(|(word, _)| *word).chain(facets.names());
        let Some(token) = self.peek() else {
            return Err(Diagnostic::new(self.here(), "a test is missing at the end")
                .help(format!("write one of {}", any_of(known()))));
        };
        let Some(word) = token.word() else {
            return Err(Diagnostic::new(token.span(), "expected a test here")
                .help("a test starts with what is asked about, such as name, type or age"));
        };
        if JOINTS.contains(&word.as_str()) {
            return Err(Diagnostic::new(
                token.span(),
                format!("`{word}` joins two tests; one is missing before it"),
            ));
        }
        match SUBJECTS.iter().find(|(subject, _)| *subject == word) {
            Some((_, subject)) => {
                let span = token.span();
                self.at += 1;
                self.check_joined_flag(*subject, &word, &span)?;
                Ok(*subject)
            }
            None => {
                let diagnostic =
                    Diagnostic::new(token.span(), format!("`{word}` is not a test that is known here"));
                Err(match nearest(&word, known()) {
                    Some(near) => diagnostic.help(format!("did you mean `{near}`?")),
                    None => diagnostic.help(format!("tests start with {}", any_of(known()))),
                })
            }
        }
    }

    /// `empty yes` and the like get a plain answer.
    fn check_joined_flag(&self, subject: Subject, word: &str, span: &Range<usize>) -> Parsed<()> {
        let value_word =
            self.peek_word().is_some_and(|w| matches!(w.as_str(), "is" | "yes" | "no" | "true" | "false"));
        if matches!(subject, Subject::Flag(_)) && value_word {
            let whole = span.start..self.here().end;
            return Err(Diagnostic::new(whole, format!("`{word}` is a test by itself"))
                .help(format!("write `{word}` or `not {word}`")));
        }
        Ok(())
    }

    /// The values after a subject or a test word.
    fn values(&mut self, after: &str, expected: &str) -> Parsed<Vec<Value>> {
        let missing = |span| {
            Diagnostic::new(span, format!("a value is missing after `{after}`"))
                .help(format!("expected {expected}"))
        };
        match self.peek() {
            Some(token) if token.word().is_some_and(|w| JOINTS.contains(&w.as_str())) => {
                let word = token.word().unwrap_or_default();
                Err(missing(token.span())
                    .help(format!("to mean the word itself, write \"{word}\" in quotes")))
            }
            Some(Token::Values(values, _)) => {
                let values = values.clone();
                self.at += 1;
                Ok(values)
            }
            _ => Err(missing(self.here())),
        }
    }

    fn single(&mut self, after: &str, expected: &str) -> Parsed<Value> {
        let values = self.values(after, expected)?;
        match values.as_slice() {
            [value] => Ok(value.clone()),
            [first, .., last] => Err(Diagnostic::new(
                first.span.start..last.span.end,
                format!("only one value may follow `{after}`"),
            )
            .help(format!("expected {expected}"))),
            [] => unreachable!("a word holds at least one value"),
        }
    }

    /// The word that says how the subject is tested.
    fn operator(&mut self, subject: &str, known: &[&'static str]) -> Parsed<String> {
        let expected = format!("after `{subject}` comes {}", any_of(known.iter().copied()));
        match self.peek_word() {
            Some(word) if known.contains(&word.as_str()) => {
                self.at += 1;
                Ok(word)
            }
            Some(word) => {
                let diagnostic =
                    Diagnostic::new(self.here(), format!("`{word}` does not go with `{subject}`"));
                Err(match nearest(&word, known.iter().copied()) {
                    Some(near) => diagnostic.help(format!("did you mean `{near}`?")),
                    None => diagnostic.help(expected),
                })
            }
            None => {
                Err(Diagnostic::new(self.here(), format!("`{subject}` is not a whole test")).help(expected))
            }
        }
    }

    fn facet(&mut self, facet: Arc<Facet>) -> Parsed<Test> {
        let operator = self.operator(&facet.name, &FACET_TESTS)?;
        let test = match operator.as_str() {
            "known" => FacetTest::Known,
            "unknown" => FacetTest::Unknown,
            _ => {
                let values = self.values("is", "one of its answers")?;
                let read =
                    |value: &Value| facet.canonical(&value.text).ok_or_else(|| no_answer(&facet, value));
                FacetTest::Is(values.iter().map(read).collect::<Parsed<_>>()?)
            }
        };
        Ok(Test::Facet(facet, test))
    }

    fn types(&mut self) -> Parsed<Test> {
        self.take_word("is");
        let words = || TYPES.iter().map(|(word, _)| *word);
        let values = self.values("type", &any_of(words()))?;
        let read = |value: &Value| {
            ItemType::from_word(&value.text).ok_or_else(|| {
                let diagnostic =
                    Diagnostic::new(value.span.clone(), format!("`{}` is not a type", value.text));
                match nearest(&value.text, words()) {
                    Some(near) => diagnostic.help(format!("did you mean `{near}`?")),
                    None => diagnostic.help(format!("the types are {}", any_of(words()))),
                }
            })
        };
        Ok(Test::Type(values.iter().map(read).collect::<Parsed<_>>()?))
    }

    fn extensions(&mut self) -> Parsed<Test> {
        self.take_word("is");
        let values = self.values("ext", "an extension such as pdf")?;
        Ok(Test::Ext(values.iter().map(|v| fold(v.text.trim_start_matches('.'))).collect()))
    }

    fn tag(&mut self) -> Parsed<Test> {
        self.take_word("is");
        let values = self.values("tag", "a tag, `any` or `none`")?;
        Ok(Test::Tag(match values.as_slice() {
            [Value { text, quoted: false, .. }] if text.eq_ignore_ascii_case("any") => TagTest::Any,
            [Value { text, quoted: false, .. }] if text.eq_ignore_ascii_case("none") => TagTest::None,
            values => TagTest::Named(values.iter().map(|v| v.text.clone()).collect()),
        }))
    }

    fn words(&mut self, subject: WordSubject) -> Parsed<Test> {
        let operator = self.operator(word(Subject::Words(subject)), &TEXT_TESTS)?;
        let plain = match operator.as_str() {
            "matches" => {
                let value = self.single("matches", "a regular expression")?;
                let pattern = Pattern::new(&value.text).map_err(|why| {
                    Diagnostic::new(value.span, "this regular expression cannot be read").help(why)
                })?;
                return Ok(Test::Words(subject, WordTest::Matches(pattern)));
            }
            "like" => None,
            "is" => Some(PlainTest::Is),
            "has" => Some(PlainTest::Has),
            "starts" => Some(PlainTest::Starts),
            _ => Some(PlainTest::Ends),
        };
        let values = self.values(&operator, "a word, or a text in quotes")?;
        let values: Vec<String> = values.into_iter().map(|v| v.text).collect();
        Ok(Test::Words(
            subject,
            plain.map_or(WordTest::Like(values.clone()), |test| WordTest::Plain(test, values)),
        ))
    }

    fn figure(&mut self, subject: Subject, expected: &str) -> Parsed<(Compare, Value)> {
        let operator = self.operator(word(subject), &FIGURE_TESTS)?;
        let value = match subject {
            Subject::Size => self.with_unit(&operator, expected, |text| Bytes::parse(text).is_some())?,
            _ => self.single(&operator, expected)?,
        };
        let compare = match operator.as_str() {
            "over" => Compare::Over,
            "under" => Compare::Under,
            _ => Compare::Is,
        };
        Ok((compare, value))
    }

    fn count(&mut self, subject: CountSubject) -> Parsed<Test> {
        if subject == CountSubject::Said(FigureField::Duration) {
            return self.duration();
        }
        let expected = "a whole number";
        let (compare, value) = self.figure(Subject::Count(subject), expected)?;
        let number = value.text.parse().map_err(|_| unread(&value, expected))?;
        Ok(Test::Count(subject, compare, number))
    }
}

fn no_answer(facet: &Facet, value: &Value) -> Diagnostic {
    let name = &facet.name;
    let found = Diagnostic::new(value.span.clone(), format!("`{}` is no answer of {name}", value.text));
    let listed = facet.listed();
    match nearest(&value.text, listed.iter().copied()) {
        Some(near) => found.help(format!("did you mean `{near}`?")),
        None if listed.is_empty() => {
            found.help(format!("its answers are written such as {}", facet.example()))
        }
        None => found.help(format!("its answers are {}", any_of(listed))),
    }
}

fn unread(value: &Value, expected: &str) -> Diagnostic {
    Diagnostic::new(value.span.clone(), format!("`{}` cannot be read here", value.text))
        .help(format!("expected {expected}"))
}
