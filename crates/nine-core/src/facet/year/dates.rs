//! The common orders of day, month and year, and which of them make a date that there is.

use std::sync::LazyLock;

use jiff::civil::Date;

use crate::facet::Weak;
use crate::facet::close::{CloseTarget, similarity};

/// The months by their English names.
pub const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// The years that are believed.
#[derive(Debug, Clone, Copy)]
pub(super) struct Window {
    pub earliest: i16,
    pub latest: i16,
    /// Those that two digits alone may mean.
    pub near: (i16, i16),
}

impl Window {
    /// The year of four digits, if it is believed.
    pub fn full(&self, number: u32) -> Option<i16> {
        let year = i16::try_from(number).ok()?;
        (self.earliest..=self.latest).contains(&year).then_some(year)
    }

    /// The year of two digits: the latest that is believed.
    pub fn short(&self, number: u32) -> Option<i16> {
        let two = i16::try_from(number).ok().filter(|two| *two < 100)?;
        [2100, 2000, 1900]
            .into_iter()
            .map(|century| century + two)
            .find(|year| (self.earliest..=self.latest).contains(year))
    }

    /// Whether two digits without anything that says so may well be this year.
    pub fn is_near(&self, year: i16) -> bool {
        (self.near.0..=self.near.1).contains(&year)
    }
}

/// A number or a month.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Atom {
    /// How many digits, and their number.
    Number(usize, u32),
    Month(u8),
}

/// What some atoms say.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Parts {
    Month {
        year: i16,
        month: u8,
    },
    /// This year and the next.
    Pair {
        first: i16,
    },
    Alone {
        year: i16,
    },
    /// Two digits without anything beside them.
    Digits {
        year: i16,
    },
}

/// What came of reading some atoms.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Read {
    /// They are no form of a date.
    Nothing,
    /// They look like a date, and there is no such date.
    Refused,
    /// A day of a month, without a year.
    MonthAndDay(u8),
    /// Each way in which they can be read.
    Years(Vec<(Parts, Option<Weak>)>),
}

/// The months as targets that words are compared with.
static TARGETS: LazyLock<Vec<CloseTarget>> =
    LazyLock::new(|| MONTHS.iter().map(|name| CloseTarget::new(name.to_ascii_lowercase())).collect());

/// The month of a word: its name, cut off or nearly right.
pub(super) fn month_of(word: &str) -> Option<u8> {
    let letters = word.chars().count();
    if letters < 3 {
        return None;
    }
    let typed = CloseTarget::new(word.to_owned());
    let cut = |name: &CloseTarget| (letters == 3 || letters == 4) && name.text().starts_with(word);
    // Above 0.8 a five-letter word must be right: `marsh` is no month.
    let near = |name: &CloseTarget| similarity(&typed, name).is_some_and(|close| close > 0.8);
    let at = TARGETS.iter().position(|name| name.text() == word);
    let at = at.or_else(|| TARGETS.iter().position(cut));
    at.or_else(|| TARGETS.iter().position(near)).map(|at| at as u8 + 1)
}

/// A number of one or two digits.
fn small(atom: Atom) -> Option<u32> {
    match atom {
        Atom::Number(1 | 2, number) => Some(number),
        _ => None,
    }
}

/// A year of four digits that is believed.
fn full(atom: Atom, window: &Window) -> Option<i16> {
    match atom {
        Atom::Number(4, number) => window.full(number),
        _ => None,
    }
}

/// A year of two digits that is believed.
fn short(atom: Atom, window: &Window) -> Option<i16> {
    match atom {
        Atom::Number(2, number) => window.short(number),
        _ => None,
    }
}

fn month(atom: Atom) -> Option<u8> {
    match atom {
        Atom::Month(month) => Some(month),
        _ => None,
    }
}

fn numbered_month(number: u32) -> Option<u8> {
    (1..=12).contains(&number).then_some(number as u8)
}

/// The date, if there is one.
fn dated(year: i16, month: u32, day: u32) -> Option<Parts> {
    let month = numbered_month(month)?;
    let date = Date::new(year, month as i8, i8::try_from(day).ok()?).ok()?;
    Some(Parts::Month { year: date.year(), month })
}

/// Day, month and year in any common order.
pub(super) fn of_three(atoms: [Atom; 3], tight: bool, window: &Window) -> Read {
    let [a, b, c] = atoms;
    let year = |atom: Atom| full(atom, window).or_else(|| short(atom, window));
    // With a month in letters only the day and the year are left to tell apart.
    let spelled = match (month(a), month(b), month(c)) {
        (Some(m), None, None) => Some((m, vec![(b, c)])),
        (None, Some(m), None) => Some((m, vec![(a, c), (c, a)])),
        _ => None,
    };
    if let Some((month, orders)) = spelled {
        let days = orders.iter().filter_map(|(day, at)| Some((small(*day)?, year(*at)?)));
        let days: Vec<(u32, i16)> = days.filter(|(day, _)| (1..=31).contains(day)).collect();
        let ways = days.iter().filter_map(|(day, year)| dated(*year, u32::from(month), *day)).collect();
        return ways_or(ways, !days.is_empty());
    }
    let number = |atom: Atom| small(atom);
    if let (Some(year), Some(m), Some(d)) = (full(a, window), number(b), number(c)) {
        return ways_or(dated(year, m, d).into_iter().collect(), tight || (m <= 31 && d <= 31));
    }
    if let (Some(x), Some(y), Some(year)) = (number(a), number(b), full(c, window)) {
        let ways = [dated(year, y, x), dated(year, x, y)].into_iter().flatten().collect();
        return ways_or(ways, tight || (x <= 31 && y <= 31));
    }
    let (Some(x), Some(y), Some(z)) = (number(a), number(b), number(c)) else {
        // A date of a year that is not believed says nothing, and its parts neither.
        let has_year = matches!(a, Atom::Number(4, _)) || matches!(c, Atom::Number(4, _));
        let is_date = tight && has_year && atoms.iter().filter(|atom| number(**atom).is_some()).count() == 2;
        return if is_date { Read::Years(Vec::new()) } else { Read::Nothing };
    };
    let last = short(c, window).map(|year| [dated(year, y, x), dated(year, x, y)]);
    let first = short(a, window).map(|year| dated(year, y, z));
    let ways: Vec<Parts> = last.into_iter().flatten().chain(first).flatten().collect();
    ways_or(ways, false)
}

/// The ways that there are; nothing but a refusal if it was surely meant as a date.
fn ways_or(mut ways: Vec<Parts>, meant: bool) -> Read {
    ways.dedup();
    match (ways.is_empty(), meant) {
        (false, _) => Read::Years(ways.into_iter().map(|parts| (parts, None)).collect()),
        (true, true) => Read::Refused,
        (true, false) => Read::Nothing,
    }
}

/// A month with a year, or two years.
pub(super) fn of_two(atoms: [Atom; 2], window: &Window) -> Read {
    let [a, b] = atoms;
    let sure = |parts: Parts| Read::Years(vec![(parts, None)]);
    let weak = |parts: Parts, why: Weak| Read::Years(vec![(parts, Some(why))]);
    match (month(a), month(b)) {
        (Some(month), None) => {
            if let Some(year) = full(b, window) {
                return sure(Parts::Month { year, month });
            }
            return match (short(b, window), small(b)) {
                (Some(year), Some(number)) if window.is_near(year) || number > 31 => {
                    sure(Parts::Month { year, month })
                }
                (_, Some(1..=31)) => Read::MonthAndDay(month),
                _ => Read::Nothing,
            };
        }
        (None, Some(month)) => {
            if let Some(year) = full(a, window) {
                return sure(Parts::Month { year, month });
            }
            return match (short(a, window), small(a)) {
                (Some(year), Some(number)) if number > 31 => sure(Parts::Month { year, month }),
                // `31 March` is rather a day than a year.
                (Some(year), Some(_)) if window.is_near(year) => {
                    weak(Parts::Month { year, month }, Weak::DayOrMonth)
                }
                (_, Some(1..=31)) => Read::MonthAndDay(month),
                _ => Read::Nothing,
            };
        }
        (Some(_), Some(_)) => return Read::Nothing,
        (None, None) => {}
    }
    of_two_numbers(a, b, window)
}

fn of_two_numbers(a: Atom, b: Atom, window: &Window) -> Read {
    let sure = |parts: Parts| Read::Years(vec![(parts, None)]);
    let weak = |parts: Parts, why: Weak| Read::Years(vec![(parts, Some(why))]);
    match (full(a, window), full(b, window)) {
        (Some(first), Some(second)) if second == first + 1 => return sure(Parts::Pair { first }),
        (Some(first), None) => {
            let follows = |n: u32| n as i16 == (first + 1) % 100;
            return match b {
                // `2008-09` are two years as well as a month.
                Atom::Number(2, n) if follows(n) && numbered_month(n).is_some() => {
                    let month = Parts::Month { year: first, month: n as u8 };
                    Read::Years(vec![(Parts::Pair { first }, None), (month, None)])
                }
                Atom::Number(2, n) if follows(n) => sure(Parts::Pair { first }),
                Atom::Number(1 | 2, n) => match numbered_month(n) {
                    Some(month) => sure(Parts::Month { year: first, month }),
                    None => Read::Nothing,
                },
                _ => Read::Nothing,
            };
        }
        (None, Some(year)) => {
            return match small(a).and_then(numbered_month) {
                Some(month) => sure(Parts::Month { year, month }),
                None => Read::Nothing,
            };
        }
        _ => {}
    }
    let (Some(x), Some(y)) = (small(a), small(b)) else {
        return Read::Nothing;
    };
    match (short(a, window), short(b, window)) {
        (Some(first), Some(second)) if second == first + 1 => {
            // `11-12` may be a day as well.
            let may_be_day = x <= 12 || !window.is_near(first);
            if may_be_day {
                weak(Parts::Pair { first }, Weak::DayOrMonth)
            } else {
                sure(Parts::Pair { first })
            }
        }
        (_, Some(year)) if numbered_month(x).is_some() && window.is_near(year) => {
            weak(Parts::Month { year, month: x as u8 }, Weak::DayOrMonth)
        }
        (Some(year), _) if numbered_month(y).is_some() && window.is_near(year) => {
            weak(Parts::Month { year, month: y as u8 }, Weak::DayOrMonth)
        }
        _ => Read::Nothing,
    }
}

/// A number by itself: a year, or a date without signs between.
pub(super) fn of_digits(digits: usize, number: u32, apostrophe: bool, window: &Window) -> Read {
    let sure = |parts: Parts| Read::Years(vec![(parts, None)]);
    match digits {
        2 => match window.short(number) {
            Some(year) if apostrophe => sure(Parts::Alone { year }),
            Some(year) if window.is_near(year) => sure(Parts::Digits { year }),
            _ => Read::Nothing,
        },
        4 => match (window.full(number), window.short(number / 100), window.short(number % 100)) {
            (Some(year), ..) => sure(Parts::Alone { year }),
            // `3031`
            (None, Some(first), Some(second)) if second == first + 1 && window.is_near(first) => {
                Read::Years(vec![(Parts::Pair { first }, Some(Weak::TwoDigits))])
            }
            _ => Read::Nothing,
        },
        6 => six_digits(number, window),
        8 => {
            let (year, m, d) = (window.full(number / 10_000), number / 100 % 100, number % 100);
            let back = window.full(number % 10_000);
            let back = back.and_then(|year| dated(year, number / 10_000 % 100, number / 1_000_000));
            let ahead = year.and_then(|year| dated(year, m, d));
            let meant = year.is_some() && (1..=12).contains(&m) && (1..=31).contains(&d);
            ways_or(ahead.or(back).into_iter().collect(), meant)
        }
        _ => Read::Nothing,
    }
}

/// `203104`, `310407` or `070431`: not sure, since inventories are numbered so too.
fn six_digits(number: u32, window: &Window) -> Read {
    if let (Some(year), Some(month)) = (window.full(number / 100), numbered_month(number % 100)) {
        return Read::Years(vec![(Parts::Month { year, month }, None)]);
    }
    let (a, b, c) = (number / 10_000, number / 100 % 100, number % 100);
    let near = |two: u32| window.short(two).filter(|year| window.is_near(*year));
    let ahead = near(a).and_then(|year| dated(year, b, c));
    let back = near(c).and_then(|year| dated(year, b, a));
    let ways: Vec<_> = ahead.into_iter().chain(back).map(|parts| (parts, Some(Weak::TwoDigits))).collect();
    if ways.is_empty() { Read::Nothing } else { Read::Years(ways) }
}
