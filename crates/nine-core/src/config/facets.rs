//! Facets as they are written in the configuration.

use std::fmt;
use std::ops::Range;

use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use toml::Spanned;

use super::reader::ConfigReader;
use crate::condition;
use crate::diagnostic::{Diagnostic, nearest};
use crate::facet::{Answer, Answers, Facet, Facets, List, MONTHS, Spelling, Year};
use crate::names::fold;
use crate::pattern;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FacetText {
    values: Option<Spanned<ValuesText>>,
    from: Option<Spanned<String>>,
    spelling: Option<Spanned<SpellingText>>,
    #[serde(default)]
    text: bool,
    starts: Option<Spanned<String>>,
    write: Option<Spanned<String>>,
    earliest: Option<i16>,
    latest: Option<i16>,
}

/// Answers with their other spellings, from a list of answers or a table. Read by hand, since what
/// may be one of two forms is buffered otherwise, and loses its places in the text.
struct ValuesText(Vec<(Spanned<String>, Vec<Spanned<String>>)>);

impl<'de> Deserialize<'de> for ValuesText {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_any(ValuesVisitor)
    }
}

struct ValuesVisitor;

impl<'de> Visitor<'de> for ValuesVisitor {
    type Value = ValuesText;

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("a list of answers, or a table of answers and their other spellings")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<ValuesText, A::Error> {
        let mut values = Vec::new();
        while let Some(value) = list.next_element()? {
            values.push((value, Vec::new()));
        }
        Ok(ValuesText(values))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut table: A) -> Result<ValuesText, A::Error> {
        let mut values = Vec::new();
        while let Some(entry) = table.next_entry()? {
            values.push(entry);
        }
        Ok(ValuesText(values))
    }
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "lowercase")]
enum SpellingText {
    Exact,
    Close,
}

impl FacetText {
    /// Adds the facet, or what is wrong with it.
    pub fn read(self, reader: &mut ConfigReader, name: &Spanned<String>, facets: &mut Facets) {
        check_name(reader, name);
        let answers = match (&self.values, &self.from) {
            (Some(values), None) => self.list(reader, values),
            (None, Some(from)) => self.years(reader, from),
            _ => {
                reader.find(
                    Diagnostic::new(name.span(), format!("the facet `{}` needs `values` or `from`", name.get_ref()))
                        .help("list its answers, `values = [\"Harrow Dock Trust\"]`, or find years, `from = \"year\"`"),
                );
                None
            }
        };
        if let Some(answers) = answers {
            facets.add(Facet { name: name.get_ref().clone(), answers, reads_text: self.text });
        }
    }

    fn list(&self, reader: &mut ConfigReader, values: &Spanned<ValuesText>) -> Option<Answers> {
        for (key, span) in [
            ("starts", self.starts.as_ref().map(Spanned::span)),
            ("write", self.write.as_ref().map(Spanned::span)),
        ] {
            if let Some(span) = span {
                reader.find(
                    Diagnostic::new(span, format!("`{key}` is for years"))
                        .help("it goes with `from = \"year\"`, not with `values`"),
                );
            }
        }
        let mut answers: Vec<(usize, Answer)> = Vec::new();
        let mut known: Vec<(String, Range<usize>)> = Vec::new();
        let mut add = |reader: &mut ConfigReader, value: &Spanned<String>, spellings: &[Spanned<String>]| {
            check_answer(reader, value);
            for spelled in std::iter::once(value).chain(spellings) {
                let folded = fold(spelled.get_ref().trim());
                if known.iter().any(|(other, _)| *other == folded) {
                    reader.find(Diagnostic::new(
                        spelled.span(),
                        format!("`{}` stands here twice", spelled.get_ref()),
                    ));
                }
                known.push((folded, spelled.span()));
            }
            let spellings = spellings.iter().map(|spelled| spelled.get_ref().clone()).collect();
            answers
                .push((value.span().start, Answer { value: value.get_ref().trim().to_owned(), spellings }));
        };
        values.get_ref().0.iter().for_each(|(value, others)| add(reader, value, others));
        if answers.is_empty() {
            reader.find(Diagnostic::new(values.span(), "there are no answers").help("list at least one"));
        }
        // In the order in which the person wrote them.
        answers.sort_by_key(|(at, _)| *at);
        let spelling = match self.spelling.as_ref().map(Spanned::get_ref) {
            Some(SpellingText::Close) => Spelling::Close,
            Some(SpellingText::Exact) | None => Spelling::Exact,
        };
        let answers = answers.into_iter().map(|(_, answer)| answer).collect();
        Some(Answers::Listed(Box::new(List::new(answers, spelling))))
    }

    fn years(&self, reader: &mut ConfigReader, from: &Spanned<String>) -> Option<Answers> {
        if from.get_ref() != "year" {
            reader.find(
                Diagnostic::new(from.span(), format!("nothing is found from `{}`", from.get_ref()))
                    .help("here can stand `year`"),
            );
        }
        if let Some(spelling) = &self.spelling {
            reader.find(
                Diagnostic::new(spelling.span(), "`spelling` is for listed answers")
                    .help("it goes with `values`, not with `from`"),
            );
        }
        let starts = self.starts.as_ref().map_or(Some(1), |month| {
            let at = MONTHS.iter().position(|name| name.eq_ignore_ascii_case(month.get_ref()));
            if at.is_none() {
                let finding = Diagnostic::new(month.span(), format!("`{}` is no month", month.get_ref()));
                reader.find(match nearest(month.get_ref(), MONTHS) {
                    Some(near) => finding.help(format!("did you mean `{near}`?")),
                    None => finding.help("write its English name, such as October"),
                });
            }
            at.map(|at| at as u8 + 1)
        });
        let starts = starts?;
        let write = match &self.write {
            None => Year::usual_form(starts),
            Some(form) => match Year::read_form(form.get_ref()) {
                Ok(pieces) => pieces,
                Err(why) => {
                    reader.find(Diagnostic::new(form.span(), why).help("write it such as {from}-{to:short}"));
                    return None;
                }
            },
        };
        Some(Answers::Years(Year { starts, write, earliest: self.earliest, latest: self.latest }))
    }
}

fn check_name(reader: &mut ConfigReader, name: &Spanned<String>) {
    let text = name.get_ref();
    let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || matches!(c, '-' | '_');
    if !text.starts_with(|c: char| c.is_ascii_lowercase()) || !text.chars().all(plain) {
        reader.find(
            Diagnostic::new(name.span(), format!("`{text}` cannot be the name of a facet"))
                .help("a name is made of small letters, digits, - and _, and begins with a letter"),
        );
    } else if condition::is_subject(text) || pattern::is_subject(text) || COLUMNS.contains(&text.as_str()) {
        reader.find(
            Diagnostic::new(name.span(), format!("`{text}` has a meaning of its own"))
                .help("give the facet another name"),
        );
    }
}

/// The columns of a worklist, which facets stand beside.
const COLUMNS: [&str; 9] = ["step", "do", "item", "to", "why", "doubt", "size", "modified", "tags"];

fn check_answer(reader: &mut ConfigReader, value: &Spanned<String>) {
    let text = value.get_ref().trim();
    if text.is_empty() || text.contains(['/', ',']) || text.contains(char::is_control) {
        reader.find(
            Diagnostic::new(value.span(), format!("`{text}` cannot be an answer"))
                .help("an answer is kept as a tag: leave out / and commas"),
        );
    }
}
