//! The common orders of day, month and year, and which of them make a date that there is.

use jiff::civil::Date;

use super::atoms::{Atom, Gap, Glued, Kind, PartKind};
use super::said::{Said, Window};
use super::surroundings::{Address, Counted};
use crate::facet::Weak;

/// In which order day and month are written in figures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// 3.4.31 is the third of April.
    DayFirst,
    /// 3/4/31 is the fourth of March.
    MonthFirst,
}

/// What came of reading some atoms.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Read {
    /// They are no form of a date.
    Nothing,
    /// They look like a date, and there is no such date.
    Refused,
    /// A day of a month, without a year.
    MonthAndDay(u8),
    /// Each way in which they can be read.
    Ways(Vec<(Said, Option<Weak>)>),
}

impl Read {
    fn sure(said: Said) -> Self {
        Read::Ways(vec![(said, None)])
    }

    fn weak(said: Said, why: Weak) -> Self {
        Read::Ways(vec![(said, Some(why))])
    }

    /// The same, but at most as a doubt.
    fn weakened(self, why: &Weak) -> Self {
        match self {
            Read::Ways(ways) => {
                Read::Ways(ways.into_iter().map(|(said, weak)| (said, weak.or(Some(why.clone())))).collect())
            }
            other => other,
        }
    }
}

/// How dates are read.
pub(super) struct Reading<'a> {
    pub window: &'a Window,
    pub order: Option<Order>,
}

/// A number of one or two digits that is no part of a word.
fn small(atom: &Atom) -> Option<u32> {
    match atom.kind {
        Kind::Number(1 | 2, number) if atom.glued == Glued::No => Some(number),
        _ => None,
    }
}

fn month(atom: &Atom) -> Option<u8> {
    match atom.kind {
        Kind::Month(month) => Some(month),
        _ => None,
    }
}

fn numbered_month(number: u32) -> Option<u8> {
    (1..=12).contains(&number).then_some(number as u8)
}

/// The date, if there is one.
fn dated(year: i16, month: u32, day: u32) -> Option<Said> {
    let month = numbered_month(month)?;
    Some(Said::Day(Date::new(year, month as i8, i8::try_from(day).ok()?).ok()?))
}

/// The ways that there are; nothing but a refusal if it was surely meant as a date.
fn ways_or(mut ways: Vec<Said>, meant: bool) -> Read {
    ways.dedup();
    match (ways.is_empty(), meant) {
        (false, _) => Read::Ways(ways.into_iter().map(|said| (said, None)).collect()),
        (true, true) => Read::Refused,
        (true, false) => Read::Nothing,
    }
}

impl Reading<'_> {
    /// A year of four digits that is believed.
    fn full(&self, atom: &Atom) -> Option<i16> {
        match atom.kind {
            Kind::Number(4, number) if atom.glued != Glued::ToLetter => self.window.full(number),
            _ => None,
        }
    }

    /// A year of two digits that is believed.
    fn short(&self, atom: &Atom) -> Option<i16> {
        match atom.kind {
            Kind::Number(2, number) if atom.glued != Glued::ToLetter => self.window.short(number),
            _ => None,
        }
    }

    /// What some atoms say, which hold together.
    pub fn of(&self, atoms: &[Atom]) -> Read {
        match atoms {
            [a, b, c] => match (a.kind, b.kind, c.kind) {
                (Kind::Part(kind, part), _, _) => self.part_of_pair(kind, part, b, c),
                (_, _, Kind::Part(kind, part)) => self.part_of_pair(kind, part, a, b),
                _ => self.of_three(a, b, c),
            },
            [a, b] => match (a.kind, b.kind) {
                (Kind::Part(kind, part), _) => self.part_of_year(kind, part, b),
                (_, Kind::Part(kind, part)) => self.part_of_year(kind, part, a),
                _ => self.of_two(a, b),
            },
            [one] => self.of_one(one),
            _ => Read::Nothing,
        }
    }

    /// The year behind `FY` or the like: `31`, `2031`; two years are one as ever.
    pub fn fiscal(&self, atoms: &[Atom]) -> Read {
        match atoms {
            [a, b] => match self.pair(a, b) {
                Some(first) => Read::sure(Said::Pair { first }),
                None => Read::Nothing,
            },
            [one] => match self.full(one).or_else(|| self.short(one)) {
                Some(year) => Read::sure(Said::Fiscal { year }),
                None => Read::Nothing,
            },
            _ => Read::Nothing,
        }
    }

    fn part_of_year(&self, kind: PartKind, part: u8, year: &Atom) -> Read {
        let is_part = !year.counted.is_things();
        match self.full(year).or_else(|| self.short(year).filter(|year| self.window.is_near(*year))) {
            Some(year) if is_part => Read::sure(Said::Part { year, kind, part }),
            _ => Read::Nothing,
        }
    }

    fn part_of_pair(&self, kind: PartKind, part: u8, a: &Atom, b: &Atom) -> Read {
        match self.pair(a, b).filter(|_| kind != PartKind::Week) {
            Some(first) => Read::sure(Said::PartOfPair { first, kind, part }),
            None => Read::Nothing,
        }
    }

    /// The first of two years that follow one another, one at least written out or both in two digits.
    fn pair(&self, a: &Atom, b: &Atom) -> Option<i16> {
        let first = self.full(a).or_else(|| self.short(a))?;
        let second = match (self.full(b), b.kind) {
            (Some(year), _) => year,
            (None, Kind::Number(2, number)) if number as i16 == (first + 1) % 100 => first + 1,
            _ => return None,
        };
        (second == first + 1).then_some(first)
    }

    /// Day, month and year in any common order.
    fn of_three(&self, a: &Atom, b: &Atom, c: &Atom) -> Read {
        let year = |atom: &Atom| self.full(atom).or_else(|| self.short(atom));
        // With a month in letters only the day and the year are left to tell apart.
        let spelled = match (month(a), month(b), month(c)) {
            (Some(m), None, None) => Some((m, vec![(b, c)])),
            (None, Some(m), None) => Some((m, vec![(a, c), (c, a)])),
            _ => None,
        };
        if let Some((month, orders)) = spelled {
            let days = orders.iter().filter_map(|(day, at)| Some((small(day)?, year(at)?)));
            let days: Vec<(u32, i16)> = days.filter(|(day, _)| (1..=31).contains(day)).collect();
            let ways = days.iter().filter_map(|(day, year)| dated(*year, u32::from(month), *day)).collect();
            return ways_or(ways, !days.is_empty());
        }
        // `invoice 12 3 2031`, `12_2027-01`
        let spaced = b.gap.looseness() >= Gap::Space.looseness() && a.counted != Counted::No;
        if b.gap != c.gap || spaced {
            return Read::Nothing;
        }
        let read = self.three_numbers(a, b, c);
        let loose = b.gap == Gap::Space && self.full(a).is_none();
        if loose { read.weakened(&Weak::DayOrMonth) } else { read }
    }

    fn three_numbers(&self, a: &Atom, b: &Atom, c: &Atom) -> Read {
        let tight = b.gap < Gap::Space;
        if let (Some(year), Some(m), Some(d)) = (self.full(a), small(b), small(c)) {
            return ways_or(dated(year, m, d).into_iter().collect(), tight || (m <= 31 && d <= 31));
        }
        if let (Some(x), Some(y), Some(year)) = (small(a), small(b), self.full(c)) {
            return ways_or(self.day_and_month(year, x, y), tight || (x <= 31 && y <= 31));
        }
        let (Some(x), Some(y), Some(z)) = (small(a), small(b), small(c)) else {
            // A date of a year that is not believed says nothing, and its parts neither.
            let has_year = matches!(a.kind, Kind::Number(4, _)) || matches!(c.kind, Kind::Number(4, _));
            let numbers = [a, b, c].into_iter().filter(|atom| small(atom).is_some()).count();
            let is_date = tight && has_year && numbers == 2;
            return if is_date { Read::Ways(Vec::new()) } else { Read::Nothing };
        };
        let last = self.short(c).map_or(Vec::new(), |year| self.day_and_month(year, x, y));
        // Whoever says in which order dates are written begins none with the year.
        let first = self.short(a).filter(|_| self.order.is_none() || last.is_empty());
        let first = first.and_then(|year| dated(year, y, z));
        ways_or(last.into_iter().chain(first).collect(), false)
    }

    /// Both ways, unless the person's order decides or only one makes a date.
    fn day_and_month(&self, year: i16, x: u32, y: u32) -> Vec<Said> {
        let (day_first, month_first) = (dated(year, y, x), dated(year, x, y));
        let ways = match self.order {
            Some(Order::DayFirst) => [day_first.or(month_first), None],
            Some(Order::MonthFirst) => [month_first.or(day_first), None],
            None => [day_first, month_first],
        };
        ways.into_iter().flatten().collect()
    }

    /// A month with a year, or two years.
    fn of_two(&self, a: &Atom, b: &Atom) -> Read {
        match (month(a), month(b)) {
            (Some(month), None) => self.month_and(month, b, false),
            (None, Some(month)) => self.month_and(month, a, true),
            (Some(_), Some(_)) => Read::Nothing,
            (None, None) => self.two_numbers(a, b),
        }
    }

    /// A month in letters and a number before or behind it.
    fn month_and(&self, month: u8, number: &Atom, before: bool) -> Read {
        if let Some(year) = self.full(number) {
            return Read::sure(Said::Month { year, month });
        }
        if number.counted.is_things() {
            return Read::Nothing;
        }
        match (self.short(number), small(number)) {
            (Some(year), _) if number.apostrophe => Read::sure(Said::Month { year, month }),
            (Some(year), Some(two)) if two > 31 => Read::sure(Said::Month { year, month }),
            // `31 March` is rather a day than a year.
            (Some(year), Some(_)) if self.window.is_near(year) && before => {
                Read::weak(Said::Month { year, month }, Weak::DayOrMonth)
            }
            (Some(year), _) if self.window.is_near(year) && !before => {
                Read::sure(Said::Month { year, month })
            }
            (_, Some(1..=31)) => Read::MonthAndDay(month),
            _ => Read::Nothing,
        }
    }

    fn two_numbers(&self, a: &Atom, b: &Atom) -> Read {
        match (self.full(a), self.full(b)) {
            (Some(first), Some(second)) if second == first + 1 => return Read::sure(Said::Pair { first }),
            (Some(year), None) => return self.year_and(year, b, a.counted),
            (None, Some(year)) => return self.number_before(a, b, year),
            _ => {}
        }
        let (Some(x), Some(y)) = (number_of_two(a), small(b)) else {
            return Read::Nothing;
        };
        match (self.short(a), self.short(b)) {
            (Some(first), Some(second)) if second == first + 1 => self.short_pair(a, b, first),
            (_, Some(year)) if numbered_month(x).is_some() && self.window.is_near(year) && is_tight(b) => {
                Read::weak(Said::Month { year, month: x as u8 }, Weak::DayOrMonth)
            }
            (Some(year), _) if numbered_month(y).is_some() && self.window.is_near(year) && is_tight(b) => {
                Read::weak(Said::Month { year, month: y as u8 }, Weak::DayOrMonth)
            }
            _ => Read::Nothing,
        }
    }

    /// A year and a number behind it: `2027-28`, `2031-04`; `2008-09` are two years as well as a month.
    fn year_and(&self, year: i16, b: &Atom, counted: Counted) -> Read {
        let Kind::Number(digits @ (1 | 2), number) = b.kind else { return Read::Nothing };
        if b.glued != Glued::No {
            return Read::Nothing;
        }
        let pair = (digits == 2 && number as i16 == (year + 1) % 100).then_some(Said::Pair { first: year });
        let month = numbered_month(number).map(|month| Said::Month { year, month });
        let pair = pair.map(|pair| (pair, (b.gap == Gap::Space).then_some(Weak::TwoDigits)));
        // `2031-3` and `invoice 2031-03` may be the third of that year.
        let is_plain = digits == 2 && counted == Counted::No && b.gap != Gap::Space;
        let month = month.map(|month| (month, (!is_plain).then_some(Weak::TwoDigits)));
        let month = month.filter(|_| b.gap != Gap::Space || digits == 2);
        let ways: Vec<_> = pair.into_iter().chain(month).collect();
        if ways.is_empty() { Read::Nothing } else { Read::Ways(ways) }
    }

    /// `11-2029` is a month; `3 2029` is a year, and what the number counts is not known.
    fn number_before(&self, a: &Atom, b: &Atom, year: i16) -> Read {
        let Kind::Number(digits, _) = a.kind else { return Read::Nothing };
        let Some(month) = small(a).and_then(numbered_month) else { return Read::Nothing };
        let said = Said::Month { year, month };
        match b.gap {
            Gap::Sign(_) if a.counted == Counted::No => Read::sure(said),
            Gap::Sign(_) => Read::weak(said, Weak::TwoDigits),
            Gap::Slug | Gap::Space if digits == 2 && a.counted == Counted::No => {
                Read::Ways(vec![(Said::Alone { year }, None), (said, Some(Weak::DayOrMonth))])
            }
            _ => Read::Nothing,
        }
    }

    /// `30-31`: two years, unless what stands beside says that they may be pages, rooms or houses.
    fn short_pair(&self, a: &Atom, b: &Atom, first: i16) -> Read {
        // `11-12` may be a day as well.
        let may_be_day = first % 100 <= 12 || !self.window.is_near(first);
        let may_be_other = a.counted.is_things()
            || a.address != Address::No
            || b.gap == Gap::Space
            || a.glued == Glued::ToLetter;
        let pair = Said::Pair { first };
        match (may_be_day, may_be_other) {
            (_, true) => Read::weak(pair, Weak::TwoDigits),
            (true, _) => Read::weak(pair, Weak::DayOrMonth),
            _ => Read::sure(pair),
        }
    }

    /// A number by itself: a year, or a date without signs between.
    fn of_one(&self, atom: &Atom) -> Read {
        let Kind::Number(digits, number) = atom.kind else { return Read::Nothing };
        let window = self.window;
        let read = match digits {
            2 if atom.counted.is_things() => Read::Nothing,
            2 => match self.short(atom) {
                Some(year) if atom.apostrophe => Read::sure(Said::Alone { year }),
                Some(year) if window.is_near(year) && atom.address != Address::Street => {
                    Read::sure(Said::Digits { year })
                }
                _ => Read::Nothing,
            },
            4 if atom.glued == Glued::ToLetter => Read::Nothing,
            4 => match (self.full(atom), window.short(number / 100), window.short(number % 100)) {
                (Some(year), ..) => Read::sure(Said::Alone { year }),
                // `3031`
                (None, Some(first), Some(second)) if second == first + 1 && window.is_near(first) => {
                    Read::weak(Said::Pair { first }, Weak::TwoDigits)
                }
                _ => Read::Nothing,
            },
            6 if atom.glued == Glued::No => self.six_digits(number),
            8 => self.eight_digits(number),
            _ => Read::Nothing,
        };
        let is_short = digits < 8 && atom.counted == Counted::Many;
        if is_short { read.weakened(&Weak::TwoDigits) } else { read }
    }

    fn eight_digits(&self, number: u32) -> Read {
        let (year, m, d) = (self.window.full(number / 10_000), number / 100 % 100, number % 100);
        let back = self.window.full(number % 10_000);
        let (x, y) = (number / 1_000_000, number / 10_000 % 100);
        let back = back.map_or(Vec::new(), |year| self.day_and_month(year, x, y));
        let ahead = year.and_then(|year| dated(year, m, d));
        let meant = year.is_some() && (1..=12).contains(&m) && (1..=31).contains(&d);
        ways_or(ahead.map_or(back, |ahead| vec![ahead]), meant)
    }

    /// `203104`, `310407` or `070431`: not sure, since inventories are numbered so too.
    fn six_digits(&self, number: u32) -> Read {
        if let (Some(year), Some(month)) = (self.window.full(number / 100), numbered_month(number % 100)) {
            return Read::sure(Said::Month { year, month });
        }
        let (a, b, c) = (number / 10_000, number / 100 % 100, number % 100);
        let near = |two: u32| self.window.short(two).filter(|year| self.window.is_near(*year));
        let ahead = near(a).and_then(|year| dated(year, b, c));
        let back = near(c).map_or(Vec::new(), |year| self.day_and_month(year, a, b));
        let ways: Vec<_> = ahead.into_iter().chain(back).map(|said| (said, Some(Weak::TwoDigits))).collect();
        if ways.is_empty() { Read::Nothing } else { Read::Ways(ways) }
    }
}

/// Two digits that may be the first of two years, also behind a word: `harrow30-31`.
fn number_of_two(atom: &Atom) -> Option<u32> {
    match atom.kind {
        Kind::Number(1 | 2, number) => Some(number),
        _ => None,
    }
}

/// Whether a sign and no space stands before it.
fn is_tight(atom: &Atom) -> bool {
    matches!(atom.gap, Gap::Sign(_) | Gap::Slug)
}
