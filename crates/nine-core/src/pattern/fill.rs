//! From a pattern and an item to a name.

use std::sync::LazyLock;

use super::{Form, NumberAt, Pattern, PatternPart, Subject};
use crate::correct::{corrected, tidy_stem};
use crate::facet::{Answers, Facet, Period, PeriodUnit, is_small};
use crate::item::Item;
use crate::metadata::Taken;
use crate::moment::{Day, Moment, Now, Unit};
use crate::names;
use crate::place::NameBuf;
use crate::tags::answers_to;

/// What a pattern needs and is not known, while the pattern gives nothing to write instead.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unknown {
    /// The value of a subject.
    Value(&'static str),
    /// The answer of a facet, and why it is not known.
    Answer(String, String),
    /// Which of these tags files the item; none if it has no tag.
    Tag(Vec<String>),
}

impl Unknown {
    /// What is not known, in words.
    pub fn words(&self) -> String {
        match self {
            Unknown::Value(subject) => format!("`{subject}` is not known"),
            Unknown::Answer(_, why) => why.clone(),
            Unknown::Tag(tags) if tags.is_empty() => "it has no tag".into(),
            Unknown::Tag(tags) => {
                let tags: Vec<String> = tags.iter().map(|tag| format!("`{tag}`")).collect();
                format!("it has several tags: {}", tags.join(", "))
            }
        }
    }
}

/// A name made from a pattern.
pub type Filled<T = Vec<u8>> = Result<T, Unknown>;

/// An item's name made from a pattern, and where a number stands in it that depends on the names around it.
pub type FilledName = (NameBuf, Option<NumberAt>);

/// A run of this stands for a number while a name is made: a letter for private use, which no rule of spelling
/// or safety touches, as long as the largest number.
const NUMBER: &str = "\u{f0fa}\u{f0fa}\u{f0fa}";

/// What a pattern is filled from.
pub struct Filling<'a> {
    /// The item as it was found.
    pub item: &'a Item,
    /// The name that earlier rules gave it, or its own.
    pub name: &'a [u8],
    /// The time from which ages are counted.
    pub now: &'a Now,
    /// Which tag goes before which, where an item has several.
    pub precedence: &'a [String],
    /// Whether the extension is the one that the content asks for.
    pub corrects_extension: bool,
}

impl Pattern {
    /// Makes the names of folders: one, or several where the pattern is a nested tag. None is empty,
    /// `.` or `..`, or holds a separator, and all are acceptable to common file systems.
    ///
    /// # Errors
    /// What is unknown.
    pub fn fill_folders(&self, filling: &Filling) -> Filled<Vec<NameBuf>> {
        let whole = |part: &[u8]| NameBuf::new(names::make_safe(part)).ok_or(Unknown::Value("name"));
        if self.is_tag() {
            let tag = self.fill(filling, true)?;
            return tag.split(|b| *b == b'/').filter(|part| !part.is_empty()).map(whole).collect();
        }
        Ok(vec![whole(&self.fill(filling, false)?)?])
    }

    /// Makes an item's name under the same rules, with no word doubled and without copy marks and stray
    /// signs; a file's extension is added if the pattern left it out. A number is the first one.
    ///
    /// # Errors
    /// What is unknown.
    pub fn fill_name(&self, filling: &Filling) -> Filled<FilledName> {
        let mut ext = filling.extension();
        let mut name = self.fill(filling, false)?;
        let own = names::split_extension(&name).1;
        if own.eq_ignore_ascii_case(&ext) {
            // The pattern may want its letters otherwise.
            ext = own.to_vec();
            name.truncate(name.len() - ext.len());
        }
        // Bytes outside UTF-8 are kept as they are.
        let stem = std::str::from_utf8(&name).map_or(name.clone(), |stem| corrected(stem).into_bytes());
        // A name that is nothing but copy marks keeps them.
        let stem = if stem.is_empty() { name } else { stem };
        let stem_left = stem.iter().any(|b| !matches!(b, b'.' | b' '));
        let safe = names::make_safe(&[stem.as_slice(), &ext].concat());
        let named = match self.pieces.iter().find_map(PatternPart::digits) {
            Some(digits) => {
                NumberAt::first(&safe, NUMBER.as_bytes(), digits).map(|(name, at)| (name, Some(at)))
            }
            None => NameBuf::new(safe).map(|name| (name, None)),
        };
        named.filter(|_| stem_left).ok_or(Unknown::Value("name"))
    }

    fn fill(&self, filling: &Filling, nested: bool) -> Filled {
        let mut out = Vec::new();
        for piece in &self.pieces {
            match piece {
                PatternPart::Literal(text) => out.extend_from_slice(text.as_bytes()),
                PatternPart::Counter { .. } => out.extend_from_slice(NUMBER.as_bytes()),
                PatternPart::Value { subject: Subject::Stem, form: Form::Rest, .. } => {
                    out.extend_from_slice(self.rest(filling).as_bytes());
                }
                PatternPart::Value { subject, form, fallback } => {
                    let value = filling.value(*subject, form, out.is_empty());
                    match (value.filter(|v| !v.is_empty() || *subject == Subject::Ext), fallback) {
                        (Some(value), _) if !value.is_empty() => push(&mut out, &value),
                        (_, Some(fallback)) => out.extend_from_slice(fallback.as_bytes()),
                        // A file without extension is no mystery: {stem}{ext} is its stem.
                        (Some(_), None) if !out.is_empty() => {}
                        _ => return Err(Unknown::Value(subject.word())),
                    }
                }
                PatternPart::Answer { facet, fallback } => {
                    let finding = facet.ask(filling.item, filling.now);
                    match (finding.value(), fallback) {
                        (Some(value), _) => push(&mut out, value.as_bytes()),
                        (None, Some(fallback)) => out.extend_from_slice(fallback.as_bytes()),
                        (None, None) => {
                            let why = finding.doubt(&facet.name).unwrap_or_default();
                            return Err(Unknown::Answer(facet.name.clone(), why));
                        }
                    }
                }
                PatternPart::Tag { facets, fallback } => match (filling.tag(facets), fallback) {
                    (Ok(tag), _) if nested => out.extend_from_slice(tag.as_bytes()),
                    (Ok(tag), _) => push(&mut out, tag.as_bytes()),
                    (Err(tags), Some(fallback)) if tags.is_empty() => {
                        out.extend_from_slice(fallback.as_bytes());
                    }
                    (Err(tags), _) => return Err(Unknown::Tag(tags)),
                },
            }
        }
        Ok(out)
    }

    /// The words of the stem from which no facet of the pattern was read.
    fn rest(&self, filling: &Filling) -> String {
        let mut rest = String::from_utf8_lossy(filling.item.stem()).into_owned();
        for facet in self.facets() {
            let Some(found) = facet.ask(filling.item, filling.now).found else { continue };
            // A name may give its answer more than once.
            for _ in 0..OFTEN {
                let none = std::iter::empty();
                let again = facet.read(&rest, none, None, filling.now).found;
                let Some(again) = again.filter(|again| again.value == found.value && !again.at.is_empty())
                else {
                    break;
                };
                for at in again.at.into_iter().rev() {
                    rest.replace_range(at, " ");
                }
            }
        }
        let left = corrected(&rest.replace('_', " "));
        let is_sign = |c: char| !c.is_alphanumeric() && !matches!(c, '(' | ')');
        let mut words: Vec<&str> = left.split(' ').collect();
        let says_nothing = |word: &&str| is_small(&word.to_lowercase()) || word.chars().all(is_sign);
        while words.last().is_some_and(says_nothing) {
            words.pop();
        }
        let start = words.iter().take_while(|word| says_nothing(word)).count();
        words[start..].join(" ").trim_end_matches('.').to_owned()
    }
}

impl PatternPart {
    fn digits(&self) -> Option<usize> {
        match self {
            PatternPart::Counter { digits } => Some(*digits),
            _ => None,
        }
    }
}

/// How often an answer is looked for in one name.
const OFTEN: usize = 4;

/// Adds a value; what would part folders becomes a dash.
fn push(out: &mut Vec<u8>, value: &[u8]) {
    out.extend(value.iter().map(|b| if *b == b'/' { b'-' } else { *b }));
}

impl Filling<'_> {
    /// The extension that the item is to have.
    fn extension(&self) -> Vec<u8> {
        let ext = if self.item.is_folder() { b"" } else { names::split_extension(self.name).1 };
        match self.item.right_extension().filter(|_| self.corrects_extension) {
            Some(right) => format!(".{right}").into_bytes(),
            None => ext.to_vec(),
        }
    }

    fn stem(&self) -> &[u8] {
        if self.item.is_folder() { self.name } else { names::split_extension(self.name).0 }
    }

    /// The value of a subject, `None` if it is not known. `first`: nothing stands before it, so an
    /// extension goes without its dot.
    fn value(&self, subject: Subject, form: &Form, first: bool) -> Option<Vec<u8>> {
        let (item, now) = (self.item, self.now);
        let plain = |bytes: &[u8]| Some(bytes.to_vec());
        match subject {
            Subject::Type => match item.verdict().item_type {
                crate::kinds::ItemType::Unknown => None,
                known => plain(known.word().as_bytes()),
            },
            Subject::Ext => {
                let ext = self.extension();
                in_form(if first { ext.strip_prefix(b".").unwrap_or(&ext) } else { &ext }, form)
            }
            Subject::Stem if *form == Form::YearInName => year_in(self.stem(), now),
            Subject::Stem => in_form(self.stem(), form),
            Subject::Name => in_form(self.name, form),
            Subject::Folder => item.spot.path.parent()?.last().and_then(|folder| in_form(&folder, form)),
            Subject::Pile => plain(item.spot.place.as_bytes()),
            Subject::Today => date(Some(now.moment()), form, now),
            Subject::Modified => date(Some(item.newest), form, now),
            Subject::Created | Subject::Arrived => date(item.entry.born, form, now),
            Subject::Opened => date(item.entry.opened, form, now),
            Subject::Sent => date(item.said.as_ref()?.sent, form, now),
            Subject::Taken => taken(item.said.as_ref()?.taken?, form, now),
            Subject::Said(field) => in_form(item.said.as_ref()?.text(field)?.as_bytes(), form),
        }
    }

    /// The tag that files the item; else those between which a person must choose.
    fn tag(&self, facets: &[String]) -> Result<String, Vec<String>> {
        if let Some((_, tag)) = self.item.told.iter().find(|(of, _)| of == "tag") {
            return Ok(tag.clone());
        }
        let all = || self.item.tags.iter().chain(&self.item.note_tags);
        let is_answer = |tag: &str| facets.iter().any(|facet| answers_to(tag, facet));
        let mut tags: Vec<String> = Vec::new();
        for tag in all().filter(|tag| !is_answer(tag)) {
            crate::tags::add(&mut tags, tag);
        }
        // `loan/north-gallery` says `loan` too.
        let every = tags.clone();
        tags.retain(|tag| !every.iter().any(|other| other != tag && answers_to(other, tag)));
        let first = self.precedence.iter().find_map(|wanted| tags.iter().find(|tag| answers_to(tag, wanted)));
        match (first, tags.as_slice()) {
            (Some(tag), _) => Ok(tag.clone()),
            (None, [tag]) => Ok(tag.clone()),
            (None, _) => Err(tags),
        }
    }
}

fn in_form(bytes: &[u8], form: &Form) -> Option<Vec<u8>> {
    let Ok(text) = std::str::from_utf8(bytes) else {
        // Only its bytes are sure: they are kept as they are.
        return match form {
            Form::Initial => names::initial(&String::from_utf8_lossy(bytes)).map(String::into_bytes),
            _ => Some(bytes.to_vec()),
        };
    };
    match form {
        Form::Initial => names::initial(text).map(String::into_bytes),
        Form::Tidy => Some(tidy_stem(text).into_bytes()),
        Form::Upper => Some(text.to_uppercase().into_bytes()),
        Form::Lower => Some(text.to_lowercase().into_bytes()),
        Form::Plain | Form::Rest | Form::YearInName | Form::Around(_) | Form::Date(_) => Some(bytes.to_vec()),
    }
}

/// The year that a name tells without a doubt, read as facets read it.
fn year_in(stem: &[u8], now: &Now) -> Option<Vec<u8>> {
    static YEAR: LazyLock<Facet> = LazyLock::new(|| Facet {
        name: "year".to_owned(),
        answers: Answers::Period(Box::new(Period::new(PeriodUnit::Year, 1))),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    });
    let finding = YEAR.read(&String::from_utf8_lossy(stem), std::iter::empty(), None, now);
    finding.value().filter(|_| finding.is_sure()).map(|year| year.as_bytes().to_vec())
}

fn date(at: Option<Moment>, form: &Form, now: &Now) -> Option<Vec<u8>> {
    match form {
        Form::Around(unit) => Some(around(now.day_of(at?)?, *unit)),
        form => now.format(at?, date_form(form)).map(String::into_bytes),
    }
}

/// A camera's date, as its clock showed it.
fn taken(at: Taken, form: &Form, now: &Now) -> Option<Vec<u8>> {
    match form {
        Form::Around(unit) => Some(around(at.day(now)?, *unit)),
        form => at.format(now, date_form(form)).map(String::into_bytes),
    }
}

fn date_form(form: &Form) -> &str {
    match form {
        Form::Date(format) => format,
        _ => "%Y-%m-%d",
    }
}

fn around(day: jiff::civil::Date, unit: Unit) -> Vec<u8> {
    Day::around(day, unit).to_string().into_bytes()
}
