//! Days and other spans of the calendar, as they are written in conditions.

use std::fmt;

use jiff::Span as JiffSpan;
use jiff::civil::{Date, ISOWeekDate, Weekday};

use super::{Moment, Now};

/// A span of the calendar. Weeks are those of ISO 8601.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Unit {
    Day,
    Week,
    Month,
    Quarter,
    Year,
}

/// Units that `this` and `last` go with.
const UNITS: [(&str, Unit); 4] =
    [("week", Unit::Week), ("month", Unit::Month), ("quarter", Unit::Quarter), ("year", Unit::Year)];

/// A day, week, month, quarter or year of the calendar: `2031-04-07`, `2031-W15`, `2031-04`, `2031-Q2`, `2031`; or
/// one that is counted from today: `today`, `yesterday`, `this week`, `last month`. Weeks are those of ISO 8601.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Day(Form);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    /// The unit that begins with this date.
    From(Date, Unit),
    /// The unit in which today lies, or so many before it.
    Ago(i32, Unit),
}

/// What a written date may look like.
pub const EXPECTED_DATE: &str =
    "a date such as 2031-04-07, 2031-04, 2031-Q2 or 2031, or today, yesterday, this week, last month";

impl Day {
    /// Reads one of the forms.
    pub fn parse(text: &str) -> Option<Self> {
        let text = text.to_ascii_lowercase();
        let form = relative(&text).or_else(|| dated(&text).map(|(date, unit)| Form::From(date, unit)))?;
        Some(Self(form))
    }

    /// The unit in which a day lies.
    pub fn around(day: Date, unit: Unit) -> Self {
        Self(Form::From(unit.start(day), unit))
    }

    /// Whether more may follow a word: `this` and `last` want a unit.
    pub fn begins(word: &str) -> bool {
        matches!(word, "this" | "last")
    }

    /// The date, if it is a single day of the calendar.
    pub fn date(self) -> Option<Date> {
        match self.0 {
            Form::From(date, Unit::Day) => Some(date),
            _ => None,
        }
    }

    /// Whether both are dates of the calendar, and the first begins after the second.
    pub fn is_after(self, other: Self) -> bool {
        matches!((self.0, other.0), (Form::From(a, _), Form::From(b, _)) if a > b)
    }

    /// Its first moment, and the first one after it.
    pub fn bounds(self, now: &Now) -> (Moment, Moment) {
        let (date, unit) = match self.0 {
            Form::From(date, unit) => (date, unit),
            Form::Ago(many, unit) => (unit.start(now.today()).saturating_sub(unit.span(many)), unit),
        };
        (start_of(date, now), start_of(date.saturating_add(unit.span(1)), now))
    }
}

impl Unit {
    /// The unit of this word.
    pub fn of_word(word: &str) -> Option<Self> {
        let unit = UNITS.iter().find(|(known, _)| *known == word).map(|(_, unit)| *unit);
        unit.or((word == "day").then_some(Unit::Day))
    }

    fn span(self, many: i32) -> JiffSpan {
        match self {
            Unit::Day => JiffSpan::new().days(many),
            Unit::Week => JiffSpan::new().weeks(many),
            Unit::Month => JiffSpan::new().months(many),
            Unit::Quarter => JiffSpan::new().months(many * 3),
            Unit::Year => JiffSpan::new().years(many),
        }
    }

    /// The first day of the unit in which a day lies.
    fn start(self, day: Date) -> Date {
        let of = |month: i8| Date::new(day.year(), month, 1).unwrap_or(day);
        match self {
            Unit::Day => day,
            Unit::Week => {
                day.saturating_sub(JiffSpan::new().days(i32::from(day.weekday().to_monday_zero_offset())))
            }
            Unit::Month => of(day.month()),
            Unit::Quarter => of((day.month() - 1) / 3 * 3 + 1),
            Unit::Year => of(1),
        }
    }
}

fn relative(text: &str) -> Option<Form> {
    match text {
        "today" => return Some(Form::Ago(0, Unit::Day)),
        "yesterday" => return Some(Form::Ago(1, Unit::Day)),
        _ => {}
    }
    let (first, unit) = text.split_once(' ')?;
    let unit = UNITS.iter().find(|(word, _)| *word == unit.trim())?.1;
    match first {
        "this" => Some(Form::Ago(0, unit)),
        "last" => Some(Form::Ago(1, unit)),
        _ => None,
    }
}

fn dated(text: &str) -> Option<(Date, Unit)> {
    let parts: Vec<&str> = text.split('-').collect();
    let number = |part: &str, digits: usize| -> Option<i16> {
        let plain = part.len() == digits && part.bytes().all(|b| b.is_ascii_digit());
        plain.then(|| part.parse().ok()).flatten()
    };
    let year = number(parts.first()?, 4)?;
    let date =
        |month: i16, day: i16| Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok();
    match parts.as_slice() {
        [_] => Some((date(1, 1)?, Unit::Year)),
        [_, part] => match (part.strip_prefix('q'), part.strip_prefix('w')) {
            (Some(quarter), _) => Some((date(number(quarter, 1)? * 3 - 2, 1)?, Unit::Quarter)),
            (_, Some(week)) => {
                let week = i8::try_from(number(week, 2)?).ok()?;
                Some((ISOWeekDate::new(year, week, Weekday::Monday).ok()?.date(), Unit::Week))
            }
            _ => Some((date(number(part, 2)?, 1)?, Unit::Month)),
        },
        [_, month, day] => Some((date(number(month, 2)?, number(day, 2)?)?, Unit::Day)),
        _ => None,
    }
}

/// How a date that is written in another way would be written here: `7.4.2031` as `2031-04-07`, or where the
/// order is not sure in both ways.
pub fn nearest_date(text: &str) -> Vec<String> {
    let parts: Option<Vec<i16>> = text
        .split(['.', '/', '-', ' '])
        .filter(|part| !part.is_empty())
        .map(|part| part.parse().ok())
        .collect();
    let ways = match parts.as_deref() {
        Some([year @ 1000..=9999, month, day]) => vec![(*year, *month, *day)],
        Some([a, b, year @ 1000..=9999]) => vec![(*year, *b, *a), (*year, *a, *b)],
        Some([year @ 1000..=9999, month] | [month, year @ 1000..=9999]) if (1..=12).contains(month) => {
            return vec![format!("{year:04}-{month:02}")];
        }
        _ => Vec::new(),
    };
    let date = |(year, month, day): (i16, i16, i16)| {
        Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
    };
    let mut dates: Vec<String> = ways.into_iter().filter_map(date).map(|date| date.to_string()).collect();
    dates.dedup();
    dates
}

fn start_of(date: Date, now: &Now) -> Moment {
    date.to_zoned_datetime(now.zone().clone())
        .map_or(Moment::default(), |at| Moment::from_timestamp(at.timestamp()))
}

impl fmt::Display for Day {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (date, unit) = match self.0 {
            Form::From(date, unit) => (date, unit),
            Form::Ago(many, Unit::Day) => return f.write_str(if many == 0 { "today" } else { "yesterday" }),
            Form::Ago(many, unit) => {
                let word = UNITS.iter().find(|(_, known)| *known == unit).map_or("", |(word, _)| word);
                return write!(f, "{} {word}", if many == 0 { "this" } else { "last" });
            }
        };
        let (year, month) = (date.year(), date.month());
        match unit {
            Unit::Year => write!(f, "{year:04}"),
            Unit::Quarter => write!(f, "{year:04}-Q{}", (month - 1) / 3 + 1),
            Unit::Month => write!(f, "{year:04}-{month:02}"),
            Unit::Week => {
                let week = date.iso_week_date();
                write!(f, "{:04}-W{:02}", week.year(), week.week())
            }
            Unit::Day => write!(f, "{date}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn other_forms_have_a_nearest_one() {
        assert_eq!(nearest_date("7.4.2031"), ["2031-04-07", "2031-07-04"]);
        assert_eq!(nearest_date("17/4/2031"), ["2031-04-17"]);
        assert_eq!(nearest_date("2031/4/7"), ["2031-04-07"]);
        assert_eq!(nearest_date("4/2031"), ["2031-04"]);
        assert!(nearest_date("soon").is_empty() && nearest_date("31.2.2031").is_empty());
    }
}
