//! Facets: questions with fixed answers (lender, paper, season), read from careless names.
//!
//! The person's own word counts first, then a tag `lender/Harrow Dock Trust`, then the name, then the
//! names of the folders from the nearest up, then, where asked for, the words inside. Every answer
//! says where it was found, in which words, and how sure it is; what is not sure is a doubt.

mod assemble;
mod close;
mod finding;
mod known;
mod list;
mod numbers;
mod period;
mod words;

use std::fmt;
use std::sync::Arc;

use jiff::civil::Date;

pub use finding::{Finding, Found, Hint, How, Source, Weak};
pub use known::{is_name, is_word};
pub use list::{Answer, List, Spelling, is_small};
pub use numbers::Numbers;
pub use period::{DateForms, MONTHS, MonthNames, Order, Period, PeriodUnit, PeriodValue, languages};
pub use words::folded;

use crate::item::{DateOf, Item};
use crate::metadata::{Metadata, TextField};
use crate::moment::Now;
use crate::names::fold;

/// The facets of a configuration.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Facets(Vec<Arc<Facet>>);

impl Facets {
    /// Adds a facet.
    pub fn add(&mut self, facet: Facet) {
        self.0.push(Arc::new(facet));
    }

    /// The facet of this name.
    pub fn get(&self, name: &str) -> Option<&Arc<Facet>> {
        self.0.iter().find(|facet| facet.name == name)
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Arc<Facet>> + Clone {
        self.0.iter()
    }

    /// Their names.
    pub fn names(&self) -> impl Iterator<Item = &str> + Clone {
        self.0.iter().map(|facet| facet.name.as_str())
    }

    /// Whether a tag is the answer of one of them.
    pub fn has_tag(&self, tag: &str) -> bool {
        self.0.iter().any(|facet| facet.value_of_tag(tag).is_some())
    }
}

/// A question with a fixed list of answers.
#[derive(Clone)]
pub struct Facet {
    /// Its name, which is also the tag above its answers.
    pub name: String,
    /// What its answers are.
    pub answers: Answers,
    /// Whether the words inside are asked where name and folders say nothing.
    pub reads_text: bool,
    /// The date of the item that answers, as a doubt, where nothing else does.
    pub or_else: Option<DateOf>,
    /// Answers such as `<a client>`, which a layout left to be filled in; they are never found.
    pub to_fill_in: Vec<String>,
}

/// What the answers of a facet are.
#[derive(Debug, Clone)]
pub enum Answers {
    /// A list that the person wrote.
    Listed(Box<List>),
    /// Spans of time.
    Period(Box<Period>),
    /// Numbers behind certain words.
    Numbers(Numbers),
}

impl Facet {
    /// Whether its answers stand in a list.
    pub fn is_listed(&self) -> bool {
        matches!(self.answers, Answers::Listed(_))
    }

    /// Asks it of an item.
    pub fn ask(&self, item: &Item, now: &Now) -> Finding {
        if let Some((_, value)) = item.told.iter().find(|(facet, _)| *facet == self.name) {
            return Finding::sure(self.plain(value, Source::Told));
        }
        if let Some(finding) = self.tagged(item.tags.iter().chain(&item.note_tags)) {
            return finding;
        }
        let folders = item.spot.path.parent().unwrap_or_default();
        let folders: Vec<String> =
            folders.parts().map(|part| String::from_utf8_lossy(&part).into_owned()).collect();
        let above = folders.iter().rev().map(|folder| self.look_at_folder(folder, now));
        let text =
            if self.reads_text { with_what_is_said(item.text.clone(), item.said.as_ref()) } else { None };
        let finding = self.read(&String::from_utf8_lossy(item.stem()), above, text.as_deref(), now);
        self.or_else(finding, |of| item.day(of, now))
    }

    /// Whether a date that the item says of itself may answer.
    pub fn asks_what_is_said(&self) -> bool {
        matches!(self.or_else, Some(DateOf::Taken | DateOf::Sent))
    }

    /// What the date of the item says that stands in where nothing else answers.
    pub fn or_else(&self, finding: Finding, day: impl Fn(DateOf) -> Option<Date>) -> Finding {
        let (Some(of), Answers::Period(period), None) = (self.or_else, &self.answers, &finding.found) else {
            return finding;
        };
        let Some(day) = day(of) else { return finding };
        let written = day.to_string();
        let found = Found {
            value: period.written(period.of_day(day)),
            source: Source::Date(of),
            words: written.clone(),
            spelling: written,
            how: How::Exact,
            confidence: 100,
            weak: Some(Weak::ByDate(of)),
            at: Vec::new(),
        };
        Finding { found: Some(found), ..finding }
    }

    /// Asks it of a name without its extension, of what [`Facet::look_at_folder`] says of the folders
    /// above it from the nearest up, and of the words inside.
    pub fn read(
        &self,
        stem: &str,
        folders: impl Iterator<Item = Finding>,
        text: Option<&str>,
        now: &Now,
    ) -> Finding {
        let mut finding = self.look(stem, Source::Name, now);
        for above in folders {
            if finding.is_sure() {
                break;
            }
            finding = self.with_folder(finding, above, now);
        }
        if let (None, Some(text), true) = (&finding.found, text, self.reads_text) {
            let inside = self.look(text, Source::Text, now);
            if inside.found.is_some() {
                return inside;
            }
        }
        finding
    }

    /// What the name of a folder says to it.
    pub fn look_at_folder(&self, name: &str, now: &Now) -> Finding {
        self.look(name, Source::Folder, now)
    }

    fn look(&self, text: &str, source: Source, now: &Now) -> Finding {
        match &self.answers {
            Answers::Listed(list) if source == Source::Text => list.find_inside(text),
            Answers::Listed(list) => list.find(text, source),
            Answers::Period(period) => period.find(text, source, now),
            Answers::Numbers(numbers) => numbers.find(text, source),
        }
    }

    /// What a folder's name adds to what is found already: it decides where the name says nothing, and
    /// confirms or questions what the name says weakly.
    fn with_folder(&self, finding: Finding, above: Finding, now: &Now) -> Finding {
        if let (Answers::Period(period), Some(Hint::MonthAlone(words, month))) =
            (&self.answers, &finding.hint)
            && let Some(joined) = period.month_in(words, *month, &above, now)
        {
            return joined;
        }
        match (&finding.found, &above.found) {
            (None, Some(_)) => above,
            (Some(own), Some(folder)) if above.is_sure() && own.value == folder.value => above,
            (Some(own), Some(folder)) if above.is_sure() && own.value != folder.value => {
                let known = finding.rivals.iter().any(|rival| rival.value == folder.value);
                let rivals = finding.rivals.iter().cloned().chain((!known).then(|| folder.clone())).collect();
                Finding { rivals, ..finding }
            }
            _ => finding,
        }
    }

    /// The answer that a tag is, `Harrow Dock Trust` of `lender/Harrow Dock Trust`.
    pub fn value_of_tag<'t>(&self, tag: &'t str) -> Option<&'t str> {
        let (above, value) = tag.split_once('/')?;
        (!value.is_empty() && fold(above) == fold(&self.name)).then_some(value)
    }

    /// What the item's own tags say.
    pub fn tagged<'t>(&self, tags: impl Iterator<Item = &'t String>) -> Option<Finding> {
        let mut found: Vec<Found> = Vec::new();
        for value in tags.filter_map(|tag| self.value_of_tag(tag)) {
            let tagged = self.plain(value, Source::Tag);
            if !found.iter().any(|other| other.value == tagged.value) {
                found.push(tagged);
            }
        }
        let mut found = found.into_iter();
        let first = found.next()?;
        Some(Finding { found: Some(first), rivals: found.collect(), hint: None })
    }

    /// An answer that somebody gave.
    fn plain(&self, value: &str, source: Source) -> Found {
        let known = self.canonical(value);
        let value = value.trim().to_owned();
        Found {
            weak: known.is_none().then_some(Weak::NotListed),
            value: known.unwrap_or_else(|| value.clone()),
            source,
            words: value.clone(),
            spelling: value,
            how: How::Exact,
            confidence: 100,
            at: Vec::new(),
        }
    }

    /// An answer in the form in which it is written, letter case ignored; `None` if it is none.
    pub fn canonical(&self, value: &str) -> Option<String> {
        match &self.answers {
            Answers::Listed(list) => list.canonical(value),
            Answers::Period(period) => period.canonical(value),
            Answers::Numbers(numbers) => numbers.canonical(value),
        }
    }

    /// The answers that there are, where they are listed.
    pub fn listed(&self) -> Vec<&str> {
        match &self.answers {
            Answers::Listed(list) => list.answers().iter().map(|answer| answer.value.as_str()).collect(),
            Answers::Period(_) | Answers::Numbers(_) => Vec::new(),
        }
    }

    /// An answer as an example of how they are written.
    pub fn example(&self) -> String {
        match &self.answers {
            Answers::Listed(list) => list.answers().first().map_or_else(String::new, |a| a.value.clone()),
            Answers::Period(period) => period.example(),
            Answers::Numbers(_) => "117".into(),
        }
    }

    /// The tag as which an answer is kept.
    pub fn tag(&self, value: &str) -> String {
        format!("{}/{value}", self.name)
    }
}

/// The words inside with title, subject and sender before them.
pub(crate) fn with_what_is_said(text: Option<String>, said: Option<&Metadata>) -> Option<String> {
    let fields = [TextField::Title, TextField::Subject, TextField::Sender];
    let lines: Vec<&str> =
        said.into_iter().flat_map(|said| fields.map(|field| said.text(field))).flatten().collect();
    match (text, lines.is_empty()) {
        (text, true) => text,
        (text, false) => Some(lines.join("\n") + "\n" + text.as_deref().unwrap_or_default()),
    }
}

impl PartialEq for Facet {
    /// Facets are told apart by their names, of which a configuration has each once.
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl fmt::Debug for Facet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the facet {}", self.name)
    }
}

#[cfg(test)]
mod tests;
