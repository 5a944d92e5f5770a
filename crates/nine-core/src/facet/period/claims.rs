//! What in a text claims to be an answer: atoms that stand together, read from the longest form to the
//! shortest.

use std::ops::Range;

use super::atoms::{Atom, Gap, Kind, PartKind, atoms};
use super::dates::{Read, Reading};
use super::said::{Said, Window, span};
use super::{Period, PeriodValue};
use crate::facet::words::split;
use crate::facet::{Hint, Weak};

/// How much a claim is worth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Strength {
    /// Two digits that may be anything.
    Digits,
    /// A year by itself.
    Alone,
    /// A date, a month with its year, or two years that follow one another.
    Dated,
}

/// An answer that something in the text claims.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Claim {
    pub value: PeriodValue,
    /// The calendar year that is written.
    pub year: i16,
    pub strength: Strength,
    pub weak: Option<Weak>,
    /// Where it stands, in bytes.
    pub at: Range<usize>,
    /// Whether more is said than the answer says again, as by a date where the answer is a year.
    pub is_finer: bool,
}

/// All claims of a text, and what looks like a date and gives none.
pub(super) fn claims(text: &str, period: &Period, window: &Window) -> (Vec<Claim>, Option<Hint>) {
    let atoms = atoms(text, &split(text), &period.dates.months);
    let reading = Reading { window, order: period.dates.order };
    let mut found =
        GatheredClaims { period, reading, claims: Vec::new(), refused: None, month: None, year: None };
    found.gather(&atoms);
    let hint = match (found.refused, found.month, found.year) {
        (Some(at), ..) => Some(Hint::NoSuchDate(text[at].to_owned())),
        (None, Some((at, month)), _) if found.claims.is_empty() => {
            Some(Hint::MonthAlone(text[at].to_owned(), month))
        }
        (None, None, Some((at, year))) if found.claims.is_empty() => {
            Some(Hint::YearOnly(text[at].to_owned(), year))
        }
        _ => None,
    };
    (found.claims, hint)
}

struct GatheredClaims<'a> {
    period: &'a Period,
    reading: Reading<'a>,
    claims: Vec<Claim>,
    refused: Option<Range<usize>>,
    month: Option<(Range<usize>, u8)>,
    /// A year that is too coarse for an answer.
    year: Option<(Range<usize>, i16)>,
}

impl GatheredClaims<'_> {
    /// Reads atoms from the first on, the longest form first.
    fn gather(&mut self, atoms: &[Atom]) {
        let mut at = 0;
        while at < atoms.len() {
            if atoms[at].kind == Kind::Fiscal {
                at += 1 + self.fiscal(atoms, at + 1);
                continue;
            }
            let taken = [3, 2, 1]
                .into_iter()
                .find(|many| holds_together(atoms, at, *many) && self.read(atoms, at, *many));
            let is_day = matches!(atoms[at].kind, Kind::Number(8, _)) || taken == Some(3);
            at += taken.unwrap_or(1);
            if is_day {
                at += time_of_day(&atoms[at..]);
            }
        }
    }

    /// Reads the year behind `FY`; how many atoms it took.
    fn fiscal(&mut self, atoms: &[Atom], at: usize) -> usize {
        for many in [2, 1] {
            let Some(taken) = atoms.get(at..at + many) else { continue };
            let behind = atoms.get(at + many).map_or(Gap::Break, |atom| atom.gap);
            let near = taken.iter().all(|atom| atom.gap < Gap::Break);
            // `year ended 31 March 2031` is a date.
            if !near || (many == 1 && behind < Gap::Break && matches!(atoms[at + many].kind, Kind::Month(_)))
            {
                continue;
            }
            let read = self.reading.fiscal(taken);
            if let Read::Ways(ways) = read {
                self.claim(ways, taken[0].at.start..taken[many - 1].at.end);
                return many;
            }
        }
        0
    }

    /// Reads some atoms as one form; says whether they are one.
    fn read(&mut self, atoms: &[Atom], nth: usize, many: usize) -> bool {
        let taken = &atoms[nth..nth + many];
        let at = taken[0].at.start..taken[many - 1].at.end;
        if let [one] = taken
            && let Kind::Month(month) = one.kind
        {
            self.month.get_or_insert((at, month));
            return true;
        }
        match self.reading.of(taken) {
            Read::Nothing => false,
            Read::Refused => {
                self.refused.get_or_insert(at);
                true
            }
            Read::MonthAndDay(month) => {
                self.month.get_or_insert((at, month));
                true
            }
            Read::Ways(ways) => {
                self.claim(ways, at);
                true
            }
        }
    }

    fn claim(&mut self, ways: Vec<(Said, Option<Weak>)>, at: Range<usize>) {
        let claims: Vec<Claim> =
            ways.iter().filter_map(|(said, weak)| self.period.claim(*said, weak.clone(), &at)).collect();
        if claims.is_empty()
            && let Some((Said::Alone { year } | Said::Pair { first: year }, None)) = ways.first()
        {
            self.year.get_or_insert((at, *year));
        }
        // Which of two ways is meant does not matter where both say the same.
        let is_order = |weak: &Option<Weak>| matches!(weak, None | Some(Weak::DayOrMonth));
        let same = |claim: &Claim| claim.value == claims[0].value && is_order(&claim.weak);
        let is_one = claims.len() > 1 && claims.iter().all(same);
        let is_open = |weak: &Weak| !(is_one && *weak == Weak::DayOrMonth);
        self.claims
            .extend(claims.into_iter().map(|claim| Claim { weak: claim.weak.filter(is_open), ..claim }));
    }
}

/// Whether so many atoms from the one on stand closer together than to what is beside them.
fn holds_together(atoms: &[Atom], nth: usize, many: usize) -> bool {
    let Some(taken) = atoms.get(nth..nth + many) else { return false };
    let inner = taken[1..].iter().map(|atom| atom.gap);
    let Some(loosest) = inner.max() else { return true };
    let behind = atoms.get(nth + many).map_or(Gap::Break, |atom| atom.gap);
    let (before, is_number) = (taken[0].gap, |atom: &Atom| matches!(atom.kind, Kind::Number(..)));
    let spelled = taken.iter().any(|atom| !is_number(atom));
    let closer = |gap: Gap| gap.looseness() < loosest.looseness();
    // `1.2.3.4` is a version.
    let goes_on = |gap: Gap| matches!(gap, Gap::Sign(_)) && gap == loosest;
    let next_is_number = atoms.get(nth + many).is_some_and(is_number);
    let version = !spelled && (goes_on(behind) && next_is_number || nth > 0 && goes_on(before));
    let closer_behind = closer(behind) && (next_is_number || !spelled);
    let closer_before = nth > 0 && closer(before) && !spelled;
    loosest < Gap::Break && !version && !closer_behind && !closer_before
}

/// How many atoms are the time of day behind a date: `091500`, `09.15`, `09-15-00`.
fn time_of_day(atoms: &[Atom]) -> usize {
    let in_time = |hours: u32, rest: &[u32]| hours < 24 && rest.iter().all(|n| *n < 60);
    let two = |atom: &Atom| match atom.kind {
        Kind::Number(2, number) => Some(number),
        _ => None,
    };
    let Some(first) = atoms.first().filter(|atom| atom.gap < Gap::Break || atom.behind_at) else { return 0 };
    match first.kind {
        Kind::Number(6, n) if in_time(n / 10_000, &[n / 100 % 100, n % 100]) => return 1,
        Kind::Number(4, n) if in_time(n / 100, &[n % 100]) => return 1,
        _ => {}
    }
    let tight = |atom: &&Atom| matches!(atom.gap, Gap::Sign(_));
    let many = 1 + atoms[1..].iter().take_while(tight).take(2).count();
    let parts: Option<Vec<u32>> = atoms[..many].iter().map(two).collect();
    match parts.as_deref() {
        Some([hours, rest @ ..]) if !rest.is_empty() && in_time(*hours, rest) => many,
        _ => 0,
    }
}

impl Period {
    /// What is said, as an answer of this facet; `None` if it is too coarse for one.
    fn claim(&self, said: Said, weak: Option<Weak>, at: &Range<usize>) -> Option<Claim> {
        let (value, more) = self.value(said)?;
        let (year, strength) = match said {
            Said::Day(date) => (date.year(), Strength::Dated),
            Said::Month { year, .. } | Said::Part { year, .. } | Said::Fiscal { year } => {
                (year, Strength::Dated)
            }
            Said::Pair { first } | Said::PartOfPair { first, .. } => (first, Strength::Dated),
            Said::Alone { year } => (year, Strength::Alone),
            Said::Digits { year } => (year, Strength::Digits),
        };
        let weak = match said {
            Said::Digits { .. } => Some(Weak::TwoDigits),
            _ => weak.or(more),
        };
        Some(Claim { value, year, strength, weak, at: at.clone(), is_finer: self.is_finer(said) })
    }

    /// Whether something says more than an answer of this facet does.
    fn is_finer(&self, said: Said) -> bool {
        use super::PeriodUnit::{Month, Quarter, Week, Year};
        let rank = match said {
            Said::Day(_) => 4,
            Said::Part { kind: PartKind::Week, .. } => 3,
            Said::Month { .. } => 2,
            Said::Part { .. } | Said::PartOfPair { .. } => 1,
            Said::Pair { .. } | Said::Fiscal { .. } | Said::Alone { .. } | Said::Digits { .. } => 0,
        };
        rank > match self.unit {
            Year => 0,
            Quarter => 1,
            Month => 2,
            Week => 3,
        }
    }

    /// The answer for what is said, with what keeps it from being sure.
    pub(super) fn value(&self, said: Said) -> Option<(PeriodValue, Option<Weak>)> {
        let year = |year: i16| Some(PeriodValue { year, part: 0 });
        match (self.unit, said) {
            (super::PeriodUnit::Year, Said::Pair { first } | Said::PartOfPair { first, .. }) => {
                Some((year(first)?, (self.starts == 1).then_some(Weak::TwoYears)))
            }
            (super::PeriodUnit::Year, Said::Fiscal { year: called }) => {
                let begins_before = self.starts > 1 && !self.called_by_start;
                Some((year(if begins_before { called - 1 } else { called })?, None))
            }
            (super::PeriodUnit::Year, Said::Alone { year: alone } | Said::Digits { year: alone }) => {
                Some((year(self.mostly(alone))?, (self.starts > 1).then_some(Weak::YearAlone)))
            }
            (_, said) => {
                let (first, last) = span(said).or_else(|| self.span_in_pair(said))?;
                let (first, last) = (self.of_day(first), self.of_day(last));
                let is_term = matches!(said, Said::Part { kind: PartKind::Term, .. });
                match (first == last, is_term && self.starts > 1) {
                    (true, false) => Some((first, None)),
                    (true, true) => Some((first, Some(Weak::Several))),
                    // A quarter that lies in two years is mostly in the later one, and a month is no quarter.
                    (false, _) if self.unit == super::PeriodUnit::Year => Some((last, Some(Weak::Several))),
                    (false, _) => None,
                }
            }
        }
    }

    /// The span of a quarter of a business year.
    fn span_in_pair(&self, said: Said) -> Option<(jiff::civil::Date, jiff::civil::Date)> {
        let Said::PartOfPair { first, kind: PartKind::Quarter, part } = said else { return None };
        let months = i16::from(self.starts) - 1 + (i16::from(part) - 1) * 3;
        let from = jiff::civil::Date::new(first + months / 12, (months % 12 + 1) as i8, 1).ok()?;
        let to = from.saturating_add(jiff::Span::new().months(3).days(-1));
        Some((from, to))
    }
}
