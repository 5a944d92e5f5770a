//! What some atoms say, and the years that are believed.

use jiff::civil::{Date, ISOWeekDate, Weekday};

use super::atoms::PartKind;

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

/// What some atoms say.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Said {
    Day(Date),
    Month {
        year: i16,
        month: u8,
    },
    /// A quarter, half, term or week of this year.
    Part {
        year: i16,
        kind: PartKind,
        part: u8,
    },
    /// The same of two years that are one business year.
    PartOfPair {
        first: i16,
        kind: PartKind,
        part: u8,
    },
    /// This year and the next.
    Pair {
        first: i16,
    },
    /// The business year that is called by this year.
    Fiscal {
        year: i16,
    },
    Alone {
        year: i16,
    },
    /// Two digits without anything beside them.
    Digits {
        year: i16,
    },
}

/// The first and the last day of what some atoms say, by the calendar; `None` where that is no span of days.
pub(super) fn span(said: Said) -> Option<(Date, Date)> {
    let month_span = |year: i16, month: u8, many: i8| {
        let first = Date::new(year, month as i8, 1).ok()?;
        Some((first, Date::new(year, month as i8 + many - 1, 1).ok()?.last_of_month()))
    };
    match said {
        Said::Day(date) => Some((date, date)),
        Said::Month { year, month } => month_span(year, month, 1),
        Said::Part { year, kind: PartKind::Quarter | PartKind::Term, part } => {
            month_span(year, part * 3 - 2, 3)
        }
        Said::Part { year, kind: PartKind::Half, part } => month_span(year, part * 6 - 5, 6),
        Said::Part { year, kind: PartKind::Week, part } => {
            let first = ISOWeekDate::new(year, part as i8, Weekday::Monday).ok()?.date();
            Some((first, first.saturating_add(jiff::Span::new().days(6))))
        }
        Said::PartOfPair { .. } | Said::Pair { .. } | Said::Fiscal { .. } => None,
        Said::Alone { .. } | Said::Digits { .. } => None,
    }
}
