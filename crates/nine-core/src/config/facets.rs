//! Facets as they are written in the configuration.

use std::fmt;
use std::ops::Range;

use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};

use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::condition;
use crate::diagnostic::{Diagnostic, any_of, nearest};
use crate::facet::{
    Answer, Answers, DateForms, Facet, Facets, List, MONTHS, Numbers, Period, PeriodUnit, Spelling,
};
use crate::item::DateOf;
use crate::names::fold;
use crate::pattern;

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct FacetText {
    /// Its answers: a list, or a table with the other spellings of each.
    values: Option<Spanned<ValuesText>>,
    /// Where the answers are found instead: `year`, `quarter`, `month`, `week` or `number`.
    from: Option<Spanned<String>>,
    /// Whether small misspellings are forgiven.
    spelling: Option<Spanned<SpellingText>>,
    /// Whether title, subject, sender and the words inside are asked where name and folders say nothing.
    #[serde(default)]
    text: bool,
    /// The month in which a year starts.
    starts: Option<Spanned<String>>,
    /// How an answer is written: `{from}-{to:short}`.
    write: Option<Spanned<String>>,
    /// The earliest year that is believed.
    earliest: Option<i16>,
    /// The latest year that is believed.
    latest: Option<i16>,
    /// By which of its two calendar years a business year is called.
    fiscal: Option<Spanned<FiscalText>>,
    /// Whose year is taken where the name is silent, as a doubt: `modified`, `created`, `taken`, `sent` or `text`.
    or_else: Option<Spanned<String>>,
    /// The words behind one of which a number stands.
    after: Option<Spanned<Vec<String>>>,
}

/// By which of its two calendar years a business year is called.
#[derive(Deserialize, Clone, Copy, PartialEq)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
enum FiscalText {
    Start,
    End,
}

/// Answers with their other spellings, from a list of answers or a table. Read by hand, since what
/// may be one of two forms is buffered otherwise, and loses its places in the text.
struct ValuesText(Vec<(Spanned<String>, Vec<Spanned<String>>)>);

#[cfg(test)]
impl schemars::JsonSchema for ValuesText {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Answers".into()
    }

    fn json_schema(of: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let list = of.subschema_for::<Vec<String>>();
        let table = of.subschema_for::<std::collections::BTreeMap<String, Vec<String>>>();
        schemars::json_schema!({ "anyOf": [list, table] })
    }
}

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
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
enum SpellingText {
    Exact,
    Close,
}

impl FacetText {
    /// Adds the facet, or what is wrong with it.
    pub fn read(
        self,
        reader: &mut ConfigReader,
        name: &Spanned<String>,
        dates: &DateForms,
        facets: &mut Facets,
    ) {
        check_name(reader, name);
        let mut to_fill_in = Vec::new();
        let answers = match (&self.values, &self.from) {
            (Some(values), None) => {
                let written = values.get_ref().0.iter().map(|(value, _)| value);
                to_fill_in =
                    written.filter(|value| is_to_fill_in(value)).map(|v| v.get_ref().clone()).collect();
                self.list(reader, values)
            }
            (None, Some(from)) => self.found(reader, from, dates),
            _ => {
                reader.find(
                    Diagnostic::new(name.span(), format!("the facet `{}` needs `values` or `from`", name.get_ref()))
                        .help("list its answers, `values = [\"Harrow Dock Trust\"]`, or find years, `from = \"year\"`"),
                );
                None
            }
        };
        let stand_in = self.or_else(reader);
        if let Some(answers) = answers {
            let name = name.get_ref().clone();
            let reads_text = self.text || stand_in == Some(StandIn::Text);
            let or_else = match stand_in {
                Some(StandIn::Date(of)) => Some(of),
                _ => None,
            };
            facets.add(Facet { name, answers, reads_text, or_else, to_fill_in });
        }
    }

    /// What answers where the name is silent.
    fn or_else(&self, reader: &mut ConfigReader) -> Option<StandIn> {
        let wanted = self.or_else.as_ref()?;
        let known = DateOf::ALL.iter().find(|(word, _)| word == wanted.get_ref());
        let stand_in = match (known, wanted.get_ref().as_str()) {
            (Some((_, of)), _) => StandIn::Date(*of),
            (None, "text") => StandIn::Text,
            (None, other) => {
                reader.find(
                    Diagnostic::new(wanted.span(), format!("`{other}` cannot stand in for an answer"))
                        .help("here can stand modified, created, taken, sent or text"),
                );
                return None;
            }
        };
        let is_time = self.from.as_ref().is_some_and(|from| from.get_ref() != "number");
        if !is_time && stand_in != StandIn::Text {
            reader.find(
                Diagnostic::new(wanted.span(), "a date stands in for spans of time only").help(
                    "it goes with `from = \"year\"`, `quarter`, `month` or `week`; here can stand `text`",
                ),
            );
        }
        Some(stand_in)
    }

    /// Refuses keys that are for other kinds of facets.
    fn refuse(&self, reader: &mut ConfigReader, keys: &[&str], goes_with: &str) {
        let spans = [
            ("starts", self.starts.as_ref().map(Spanned::span), "years"),
            ("write", self.write.as_ref().map(Spanned::span), "years"),
            ("fiscal", self.fiscal.as_ref().map(Spanned::span), "years"),
            ("spelling", self.spelling.as_ref().map(Spanned::span), "listed answers"),
            ("after", self.after.as_ref().map(Spanned::span), "numbers"),
        ];
        for (key, span, what) in spans {
            if let Some(span) = span.filter(|_| keys.contains(&key)) {
                reader.find(Diagnostic::new(span, format!("`{key}` is for {what}")).help(goes_with));
            }
        }
    }

    /// Answers that are found in names without a list of them.
    fn found(&self, reader: &mut ConfigReader, from: &Spanned<String>, dates: &DateForms) -> Option<Answers> {
        let unit = match from.get_ref().as_str() {
            "year" => PeriodUnit::Year,
            "quarter" => PeriodUnit::Quarter,
            "month" => PeriodUnit::Month,
            "week" => PeriodUnit::Week,
            "number" => return self.numbers(reader, from),
            other => {
                let known = ["year", "quarter", "month", "week", "number"];
                let finding = Diagnostic::new(from.span(), format!("nothing is found from `{other}`"));
                reader.find(match nearest(other, known) {
                    Some(near) => finding.help(format!("did you mean `{near}`?")),
                    None => finding.help(format!("here can stand {}", any_of(known))),
                });
                return None;
            }
        };
        self.refuse(reader, &["spelling", "after"], "it goes with `values` or with `from = \"number\"`");
        self.period(reader, unit, dates)
    }

    fn numbers(&self, reader: &mut ConfigReader, from: &Spanned<String>) -> Option<Answers> {
        self.refuse(
            reader,
            &["starts", "write", "fiscal", "spelling"],
            "it does not go with `from = \"number\"`",
        );
        let after = self.after.as_ref().map_or(&[][..], |after| after.get_ref());
        if !after.iter().any(|words| words.contains(char::is_alphabetic)) {
            reader.find(
                Diagnostic::new(from.span(), "it is not said behind which words the number stands")
                    .help("add a line such as `after = [\"invoice\", \"invoice no\"]`"),
            );
            return None;
        }
        Some(Answers::Numbers(Numbers::new(after.iter().map(String::as_str))))
    }

    fn list(&self, reader: &mut ConfigReader, values: &Spanned<ValuesText>) -> Option<Answers> {
        self.refuse(
            reader,
            &["starts", "write", "fiscal", "after"],
            "it goes with `from`, not with `values`",
        );
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
        let written = values.get_ref().0.iter().filter(|(value, _)| !is_to_fill_in(value));
        written.for_each(|(value, others)| add(reader, value, others));
        if values.get_ref().0.is_empty() {
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

    fn period(&self, reader: &mut ConfigReader, unit: PeriodUnit, dates: &DateForms) -> Option<Answers> {
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
            None => Period::usual_form(unit, starts),
            Some(form) => match Period::read_form(form.get_ref(), unit) {
                Ok(pieces) => pieces,
                Err(why) => {
                    let help = match unit {
                        PeriodUnit::Year => "write it such as {from}-{to:short}".into(),
                        part => format!("write it such as {{year}}-{{{}}}", part.word()),
                    };
                    reader.find(Diagnostic::new(form.span(), why).help(help));
                    return None;
                }
            },
        };
        Some(Answers::Period(Box::new(Period {
            write,
            earliest: self.earliest,
            latest: self.latest,
            called_by_start: self
                .fiscal
                .as_ref()
                .is_some_and(|fiscal| *fiscal.get_ref() == FiscalText::Start),
            dates: dates.clone(),
            ..Period::new(unit, starts)
        })))
    }
}

/// Whether an answer such as `<a client>` stands only for one that the person has yet to write.
fn is_to_fill_in(value: &Spanned<String>) -> bool {
    let text = value.get_ref().trim();
    text.starts_with('<') && text.ends_with('>')
}

/// What answers where the name is silent.
#[derive(Clone, Copy, PartialEq)]
enum StandIn {
    Date(DateOf),
    Text,
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
