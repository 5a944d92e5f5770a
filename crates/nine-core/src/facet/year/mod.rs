//! Years found in names: `2031`, `Mar 31`, `30-31`, `7.4.2031`, also years that start in another month.

mod claims;
mod dates;

use crate::moment::Now;

use self::claims::{Claim, Strength, claims};
pub use self::dates::MONTHS;
use self::dates::Window;
use super::words::split;
use super::{Finding, Found, Hint, How, Source, Weak};

/// A facet whose answers are years.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Year {
    /// The month in which a year starts, 1 to 12.
    pub starts: u8,
    /// How an answer is written.
    pub write: Vec<YearPart>,
    /// The first year that is believed; fifty years ago where it is not said.
    pub earliest: Option<i16>,
    /// The last; in five years where it is not said.
    pub latest: Option<i16>,
}

/// A piece of the form in which a year is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum YearPart {
    /// Plain text.
    Text(String),
    /// The year in which it starts, or ends; in two digits, or in full.
    Number {
        /// Whether the one in which it ends is meant.
        ends: bool,
        /// Whether it is written in two digits.
        short: bool,
    },
}

impl Year {
    /// The usual form: `2031`, or `2030-31` where a year starts in another month than January.
    pub fn usual_form(starts: u8) -> Vec<YearPart> {
        let from = YearPart::Number { ends: false, short: false };
        match starts {
            1 => vec![from],
            _ => vec![from, YearPart::Text("-".into()), YearPart::Number { ends: true, short: true }],
        }
    }

    /// Reads a form such as `{from}-{to:short}`.
    ///
    /// # Errors
    /// What is wrong with it, as a short sentence.
    pub fn read_form(text: &str) -> Result<Vec<YearPart>, String> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let (word, behind) = after.split_once('}').ok_or("a brace is never closed")?;
            if !before.is_empty() {
                pieces.push(YearPart::Text(before.to_owned()));
            }
            pieces.push(match word {
                "from" => YearPart::Number { ends: false, short: false },
                "to" => YearPart::Number { ends: true, short: false },
                "from:short" => YearPart::Number { ends: false, short: true },
                "to:short" => YearPart::Number { ends: true, short: true },
                other => return Err(format!("`{{{other}}}` is not known here")),
            });
            rest = behind;
        }
        if !rest.is_empty() {
            pieces.push(YearPart::Text(rest.to_owned()));
        }
        let text = |piece: &YearPart| matches!(piece, YearPart::Text(text) if text.contains('/'));
        if pieces.iter().any(text) {
            return Err("an answer cannot hold a `/`".into());
        }
        if !pieces.iter().any(|piece| matches!(piece, YearPart::Number { .. })) {
            return Err("it names neither {from} nor {to}".into());
        }
        Ok(pieces)
    }

    /// The answer for the year that starts in this one.
    pub fn written(&self, from: i16) -> String {
        let number = |ends: bool| if ends && self.starts > 1 { from + 1 } else { from };
        let piece = |piece: &YearPart| match piece {
            YearPart::Text(text) => text.clone(),
            YearPart::Number { ends, short: true } => format!("{:02}", number(*ends) % 100),
            YearPart::Number { ends, short: false } => number(*ends).to_string(),
        };
        self.write.iter().map(piece).collect()
    }

    /// The year in which the one starts that this month belongs to.
    fn starting(&self, year: i16, month: u8) -> i16 {
        if month < self.starts { year - 1 } else { year }
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
        let years = numbers.flat_map(|n| {
            let n = n as i16;
            if n < 100 { vec![1900 + n, 2000 + n] } else { vec![n] }
        });
        let written = years.flat_map(|year| [year, year - 1]).map(|year| self.written(year));
        let wanted = value.trim();
        written.into_iter().find(|written| written.eq_ignore_ascii_case(wanted)).or_else(|| {
            // A table may have turned `2010-11` into `Nov 10`.
            let window = Window { earliest: 1950, latest: 2049, near: (1950, 2049) };
            let (claims, _) = claims(value, self, &window);
            let strong =
                claims.iter().filter(|claim| claim.strength == Strength::Dated && claim.weak.is_none());
            let mut values: Vec<String> = strong.map(|claim| self.written(claim.from)).collect();
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
        let found = |claim: &Claim| self.found(claim, text, source);
        let mut best: Vec<Found> = Vec::new();
        for claim in &claims {
            let counts = claim.strength == strongest
                || (claim.strength == Strength::Alone
                    && !claims.iter().any(|other| self.agree(claim, other)));
            if counts && !best.iter().any(|known| known.value == self.written(claim.from)) {
                best.push(found(claim));
            }
        }
        // What is stated twice in different forms is not in doubt for one of them.
        best.sort_by_key(|found| (found.weak.is_some(), std::cmp::Reverse(found.confidence)));
        let mut best = best.into_iter();
        let refused = hint.filter(|hint| matches!(hint, Hint::NoSuchDate(_)) && source != Source::Text);
        Finding { found: best.next(), rivals: best.collect(), hint: refused }
    }

    /// Whether a year that stands alone may be that of a date.
    fn agree(&self, alone: &Claim, dated: &Claim) -> bool {
        let next = if self.starts > 1 { 1 } else { 0 };
        let year = alone.year;
        dated.strength == Strength::Dated && (dated.from == year || dated.from + next == year)
    }

    fn found(&self, claim: &Claim, text: &str, source: Source) -> Found {
        let words = &text[claim.at.clone()];
        let confidence = match (claim.strength, &claim.weak) {
            (Strength::Dated, None) => 100,
            (Strength::Alone, None) => 95,
            (Strength::Dated, _) => 70,
            (Strength::Alone, _) => 75,
            (Strength::Digits, _) => 50,
        };
        let weak = claim.weak.clone().or((source == Source::Text).then_some(Weak::Inside));
        Found {
            value: self.written(claim.from),
            source,
            words: words.to_owned(),
            spelling: words.to_owned(),
            how: How::Exact,
            confidence,
            weak,
            at: if source == Source::Name { vec![claim.at.clone()] } else { Vec::new() },
        }
    }

    /// The answer for a month that stands in a name, where a folder above says the year.
    pub(super) fn month_in(&self, words: &str, month: u8, above: &Finding, now: &Now) -> Option<Finding> {
        let folder = above.found.as_ref().filter(|found| found.weak == Some(Weak::YearAlone))?;
        let (claims, _) = claims(&folder.words, self, &self.window(now));
        let year = claims.iter().find(|claim| claim.strength == Strength::Alone)?.year;
        let found = Found {
            value: self.written(self.starting(year, month)),
            words: format!("{words} … {}", folder.words),
            confidence: 90,
            weak: None,
            ..folder.clone()
        };
        Some(Finding { found: Some(found), rivals: above.rivals.clone(), hint: None })
    }
}

#[cfg(test)]
mod tests;
