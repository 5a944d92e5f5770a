//! When something is done again and again, as people write it: `Friday 16:00`, `daily 18:30`, `first Monday 9:00`.

mod export;
mod forms;
mod parse;

use std::fmt;

use jiff::civil::{Date, Time, Weekday};
use jiff::{ToSpan, ZonedDateTime};

pub use export::{Reminder, Started};
pub use parse::EXPECTED_SCHEDULE;

/// Days that come again, and a time of the day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Schedule {
    days: Days,
    time: Time,
}

/// Days that come again.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Days {
    /// Each day.
    Daily,
    /// These days of each week, in its order and each once.
    Weekly(Vec<Weekday>),
    /// One weekday of each month.
    Monthly(Nth, Weekday),
}

/// Which one of the weekdays of a month.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Nth {
    /// The first to the fourth, as 1 to 4: each month has these.
    From(u8),
    Last,
}

const WEEK: [Weekday; 7] = [
    Weekday::Monday,
    Weekday::Tuesday,
    Weekday::Wednesday,
    Weekday::Thursday,
    Weekday::Friday,
    Weekday::Saturday,
    Weekday::Sunday,
];

/// The names of the days, from Monday on.
const NAMES: [&str; 7] = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

const NTH: [(&str, Nth); 5] = [
    ("first", Nth::From(1)),
    ("second", Nth::From(2)),
    ("third", Nth::From(3)),
    ("fourth", Nth::From(4)),
    ("last", Nth::Last),
];

/// No schedule waits longer than this for its next time; a month has each weekday at least four times.
const LONGEST_WAIT_DAYS: i64 = 40;

fn name(day: Weekday) -> &'static str {
    NAMES[day.to_monday_zero_offset() as usize]
}

impl Days {
    fn has(&self, date: Date) -> bool {
        match self {
            Self::Daily => true,
            Self::Weekly(days) => days.contains(&date.weekday()),
            Self::Monthly(_, day) if date.weekday() != *day => false,
            Self::Monthly(Nth::From(nth), _) => (date.day() - 1) / 7 + 1 == *nth as i8,
            Self::Monthly(Nth::Last, _) => date.day() + 7 > date.days_in_month(),
        }
    }

    fn is_weekdays(days: &[Weekday]) -> bool {
        days == &WEEK[..5]
    }
}

impl Schedule {
    /// The first time after a moment. A time that the clock skips is that much later on that day, one that it shows
    /// twice is the earlier.
    pub fn next_after(&self, now: &ZonedDateTime) -> Option<ZonedDateTime> {
        let days = -1..=LONGEST_WAIT_DAYS;
        days.filter_map(|ahead| self.on(now, ahead)).find(|at| at > now)
    }

    /// The last time that was not after a moment.
    pub fn last_until(&self, now: &ZonedDateTime) -> Option<ZonedDateTime> {
        let days = -1..=LONGEST_WAIT_DAYS;
        days.filter_map(|back| self.on(now, -back)).find(|at| at <= now)
    }

    /// The time on the day that lies so many days ahead of another, if it is one of the days.
    fn on(&self, now: &ZonedDateTime, ahead: i64) -> Option<ZonedDateTime> {
        let date = now.date().checked_add(ahead.days()).ok().filter(|date| self.days.has(*date))?;
        date.to_datetime(self.time).to_zoned_datetime(now.time_zone().clone()).ok()
    }
}

/// As [`Schedule::parse`] reads it.
impl fmt::Display for Schedule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.days {
            Days::Daily => write!(f, "daily")?,
            Days::Weekly(days) if Days::is_weekdays(days) => write!(f, "weekdays")?,
            Days::Weekly(days) => {
                write!(f, "{}", days.iter().map(|day| name(*day)).collect::<Vec<_>>().join(","))?
            }
            Days::Monthly(nth, day) => {
                let word = NTH.iter().find(|(_, known)| known == nth).map_or("", |(word, _)| word);
                write!(f, "{word} {}", name(*day))?;
            }
        }
        write!(f, " {:02}:{:02}", self.time.hour(), self.time.minute())
    }
}

#[cfg(test)]
mod tests;
