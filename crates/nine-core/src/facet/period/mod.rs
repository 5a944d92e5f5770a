//! Spans of time found in names: years (`2031`, `Mar 31`, `30-31`, `7.4.2031`), also ones that start in another
//! month, quarters, months and weeks.

mod atoms;
mod claims;
mod dates;
mod months;
mod said;
mod surroundings;

use std::sync::Arc;

use jiff::civil::Date;

use crate::moment::Now;

use self::claims::{Claim, Strength, claims};
pub use self::dates::Order;

pub use self::months::{MONTHS, MonthNames, languages};
use self::said::{Said, Window};
use super::words::split;
use super::{Finding, Found, Hint, How, Source, Weak};

/// How dates are written where this person lives.
#[derive(Debug, Clone, PartialEq)]
pub struct DateForms {
    /// Which of day and month goes first in figures; where it is not said, such dates are doubts.
    pub order: Option<Order>,
    /// The names of months.
    pub months: Arc<MonthNames>,
}

impl Default for DateForms {
    fn default() -> Self {
        Self { order: None, months: MonthNames::english() }
    }
}

/// What an answer spans.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum PeriodUnit {
    Year,
    Quarter,
    Month,
    /// Weeks of ISO 8601.
    Week,
}

/// A facet whose answers are spans of time.
#[derive(Debug, Clone, PartialEq)]
pub struct Period {
    /// What an answer spans.
    pub unit: PeriodUnit,
    /// The month in which a year starts, 1 to 12.
    pub starts: u8,
    /// How an answer is written.
    pub write: Vec<PeriodPart>,
    /// The first year that is believed; fifty years ago where it is not said.
    pub earliest: Option<i16>,
    /// The last; in five years where it is not said.
    pub latest: Option<i16>,
    /// Whether `FY31` starts in 2031; by custom it ends then.
    pub called_by_start: bool,
    /// How dates are written.
    pub dates: DateForms,
}

/// An answer: a year, and a quarter, month or week of it; 0 for the whole year.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct PeriodValue {
    /// The year in which it starts; of a week, that of ISO 8601.
    pub year: i16,
    /// From 1, or 0.
    pub part: u8,
}

/// A piece of the form in which an answer is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PeriodPart {
    /// Plain text.
    Text(String),
    /// The year in which it starts, or ends; in two digits, or in full.
    Year {
        /// Whether the one in which it ends is meant.
        ends: bool,
        /// Whether it is written in two digits.
        short: bool,
    },
    /// The quarter, month or week.
    Part,
}

impl PeriodUnit {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            PeriodUnit::Year => "year",
            PeriodUnit::Quarter => "quarter",
            PeriodUnit::Month => "month",
            PeriodUnit::Week => "week",
        }
    }

    /// How many there are in a year at most; 0 for a year.
    fn parts(self) -> u8 {
        match self {
            PeriodUnit::Year => 0,
            PeriodUnit::Quarter => 4,
            PeriodUnit::Month => 12,
            PeriodUnit::Week => 53,
        }
    }
}

impl Period {
    /// A facet of this unit in its usual form, whose years start in this month.
    pub fn new(unit: PeriodUnit, starts: u8) -> Self {
        let write = Self::usual_form(unit, starts);
        let dates = DateForms::default();
        Self { unit, starts, write, earliest: None, latest: None, called_by_start: false, dates }
    }

    /// The usual form: `2031`, or `2030-31` where a year starts in another month than January; `2031-Q2`,
    /// `2031-04`, `2031-W15`.
    pub fn usual_form(unit: PeriodUnit, starts: u8) -> Vec<PeriodPart> {
        let from = PeriodPart::Year { ends: false, short: false };
        let text = |text: &str| PeriodPart::Text(text.to_owned());
        match (unit, starts) {
            (PeriodUnit::Year, 1) => vec![from],
            (PeriodUnit::Year, _) => vec![from, text("-"), PeriodPart::Year { ends: true, short: true }],
            (PeriodUnit::Quarter, _) => vec![from, text("-Q"), PeriodPart::Part],
            (PeriodUnit::Month, _) => vec![from, text("-"), PeriodPart::Part],
            (PeriodUnit::Week, _) => vec![from, text("-W"), PeriodPart::Part],
        }
    }

    /// Reads a form such as `{from}-{to:short}` or `{year}-Q{quarter}`.
    ///
    /// # Errors
    /// What is wrong with it, as a short sentence.
    pub fn read_form(text: &str, unit: PeriodUnit) -> Result<Vec<PeriodPart>, String> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let (word, behind) = after.split_once('}').ok_or("a brace is never closed")?;
            if !before.is_empty() {
                pieces.push(PeriodPart::Text(before.to_owned()));
            }
            pieces.push(match word {
                "from" | "year" => PeriodPart::Year { ends: false, short: false },
                "from:short" | "year:short" => PeriodPart::Year { ends: false, short: true },
                "to" if unit == PeriodUnit::Year => PeriodPart::Year { ends: true, short: false },
                "to:short" if unit == PeriodUnit::Year => PeriodPart::Year { ends: true, short: true },
                part if unit != PeriodUnit::Year && part == unit.word() => PeriodPart::Part,
                other => return Err(format!("`{{{other}}}` is not known here")),
            });
            rest = behind;
        }
        if !rest.is_empty() {
            pieces.push(PeriodPart::Text(rest.to_owned()));
        }
        let text = |piece: &PeriodPart| matches!(piece, PeriodPart::Text(text) if text.contains('/'));
        if pieces.iter().any(text) {
            return Err("an answer cannot hold a `/`".into());
        }
        if !pieces.iter().any(|piece| matches!(piece, PeriodPart::Year { .. })) {
            return Err("it names no year".into());
        }
        if unit != PeriodUnit::Year && !pieces.contains(&PeriodPart::Part) {
            return Err(format!("it names no {}", unit.word()));
        }
        Ok(pieces)
    }

    /// An answer as it is written.
    pub fn written(&self, value: PeriodValue) -> String {
        let number = |ends: bool| if ends && self.starts > 1 { value.year + 1 } else { value.year };
        let piece = |piece: &PeriodPart| match piece {
            PeriodPart::Text(text) => text.clone(),
            PeriodPart::Year { ends, short: true } => format!("{:02}", number(*ends) % 100),
            PeriodPart::Year { ends, short: false } => number(*ends).to_string(),
            PeriodPart::Part if self.unit == PeriodUnit::Quarter => value.part.to_string(),
            PeriodPart::Part => format!("{:02}", value.part),
        };
        self.write.iter().map(piece).collect()
    }

    /// An answer as an example of how they are written.
    pub(super) fn example(&self) -> String {
        self.written(PeriodValue { year: 2030, part: self.unit.parts().min(2) })
    }

    /// The answer to which a day belongs.
    pub(super) fn of_day(&self, day: Date) -> PeriodValue {
        let (year, month) = (day.year(), day.month() as u8);
        match self.unit {
            PeriodUnit::Year => {
                PeriodValue { year: if month < self.starts { year - 1 } else { year }, part: 0 }
            }
            PeriodUnit::Quarter => PeriodValue { year, part: month.div_ceil(3) },
            PeriodUnit::Month => PeriodValue { year, part: month },
            PeriodUnit::Week => {
                let week = day.iso_week_date();
                PeriodValue { year: week.year(), part: week.week() as u8 }
            }
        }
    }

    /// The year in which most of a calendar year lies.
    fn mostly(&self, year: i16) -> i16 {
        if self.starts > 7 { year - 1 } else { year }
    }

    fn window(&self, now: &Now) -> Window {
        let this = now.today().year();
        Window {
            earliest: self.earliest.unwrap_or(this - 50),
            latest: self.latest.unwrap_or(this + 5),
            near: (this - 15, this + 3),
        }
    }

    pub(super) fn canonical(&self, value: &str) -> Option<String> {
        let numbers = split(value).into_iter().filter_map(|word| word.number());
        let years = numbers.flat_map(|n| match n as i16 {
            n @ ..100 => vec![1900 + n, 2000 + n],
            n => vec![n],
        });
        let parts = if self.unit == PeriodUnit::Year { 0..=0 } else { 1..=self.unit.parts() };
        let written = years
            .flat_map(|year| [year, year - 1])
            .flat_map(|year| parts.clone().map(move |part| PeriodValue { year, part }))
            .map(|value| self.written(value));
        let wanted = value.trim();
        written.into_iter().find(|written| written.eq_ignore_ascii_case(wanted)).or_else(|| {
            // A table may have turned `2010-11` into `Nov 10`.
            let window = Window { earliest: 1950, latest: 2049, near: (1950, 2049) };
            let (claims, _) = claims(value, self, &window);
            let strong =
                claims.iter().filter(|claim| claim.strength == Strength::Dated && claim.weak.is_none());
            let mut values: Vec<String> = strong.map(|claim| self.written(claim.value)).collect();
            values.dedup();
            (values.len() == 1).then(|| values.remove(0))
        })
    }

    /// The answer that a name or text gives.
    pub(super) fn find(&self, text: &str, source: Source, now: &Now) -> Finding {
        let (mut claims, hint) = claims(text, self, &self.window(now));
        if source == Source::Text {
            claims.retain(|claim| claim.strength > Strength::Digits);
        }
        let strongest = claims.iter().map(|claim| claim.strength).max();
        let Some(strongest) = strongest else {
            return Finding { hint: hint.filter(|_| source != Source::Text), ..Finding::default() };
        };
        let mut best: Vec<Found> = Vec::new();
        for claim in &claims {
            let counts = claim.strength == strongest
                || (claim.strength == Strength::Alone
                    && !claims.iter().any(|other| self.agree(claim, other)));
            if !counts {
                continue;
            }
            let found = self.found(claim, &claims, text, source);
            match best.iter_mut().find(|known| known.value == found.value) {
                // What is stated twice in different forms is not in doubt for one of them.
                Some(known) if known.weak.is_some() && found.weak.is_none() => *known = found,
                Some(_) => {}
                None => best.push(found),
            }
        }
        best.sort_by_key(|found| (found.weak.is_some(), std::cmp::Reverse(found.confidence)));
        let mut best = best.into_iter();
        let refused = hint.filter(|hint| matches!(hint, Hint::NoSuchDate(_)) && source != Source::Text);
        Finding { found: best.next(), rivals: best.collect(), hint: refused }
    }

    /// Whether a year that stands alone may be that of a date.
    fn agree(&self, alone: &Claim, dated: &Claim) -> bool {
        let next = if self.starts > 1 { 1 } else { 0 };
        let (year, from) = (alone.year, dated.value.year);
        dated.strength == Strength::Dated && (from == year || from + next == year)
    }

    fn found(&self, claim: &Claim, all: &[Claim], text: &str, source: Source) -> Found {
        let words = &text[claim.at.clone()];
        let confidence = match (claim.strength, &claim.weak) {
            (Strength::Dated, None) => 100,
            (Strength::Alone, None) => 95,
            (Strength::Dated, _) => 70,
            (Strength::Alone, _) => 75,
            (Strength::Digits, _) => 50,
        };
        let weak = claim.weak.clone().or((source == Source::Text).then_some(Weak::Inside));
        // Only what the answer says again need not stay in the name.
        let says_again = |other: &&Claim| {
            let same = other.value == claim.value || self.agree(other, claim);
            same && !other.is_finer && other.strength > Strength::Digits || std::ptr::eq(*other, claim)
        };
        let mut at: Vec<_> =
            all.iter().filter(says_again).filter(|c| !c.is_finer).map(|c| c.at.clone()).collect();
        at.sort_by_key(|at| at.start);
        at.dedup();
        Found {
            value: self.written(claim.value),
            source,
            words: words.to_owned(),
            spelling: words.to_owned(),
            how: How::Exact,
            confidence,
            weak,
            at: if source == Source::Name { at } else { Vec::new() },
        }
    }

    /// The answer for a month that stands in a name, where a folder above says the year.
    pub(super) fn month_in(&self, words: &str, month: u8, above: &Finding, now: &Now) -> Option<Finding> {
        let (folder, year) = match (&above.found, &above.hint) {
            (Some(found), _) if found.weak == Some(Weak::YearAlone) => {
                let (claims, _) = claims(&found.words, self, &self.window(now));
                let year = claims.iter().find(|claim| claim.strength == Strength::Alone)?.year;
                (found.words.clone(), year)
            }
            (None, Some(Hint::YearOnly(words, year))) => (words.clone(), *year),
            _ => return None,
        };
        let (value, weak) = self.value(Said::Month { year, month })?;
        let found = Found {
            value: self.written(value),
            source: Source::Folder,
            words: format!("{words} … {folder}"),
            spelling: folder,
            how: How::Exact,
            confidence: 90,
            weak,
            at: Vec::new(),
        };
        Some(Finding { found: Some(found), rivals: above.rivals.clone(), hint: None })
    }
}

#[cfg(test)]
mod tests;
