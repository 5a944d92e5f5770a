//! Points in time, calendar days and spans, counted from a "now" that the caller hands in.

mod day;

use std::fmt;

pub use day::{Day, EXPECTED_DATE, Unit, nearest_date};

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ZonedDateTime};

const NANOS: i64 = 1_000_000_000;

/// A point in time: nanoseconds since 1970-01-01 00:00 UTC (years 1678 to 2262; beyond is clamped).
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, serde::Serialize, serde::Deserialize,
)]
pub struct Moment(pub i64);

impl Moment {
    /// From the seconds and nanoseconds that file systems keep.
    pub fn from_unix(seconds: i64, nanos: u32) -> Self {
        Self(seconds.saturating_mul(NANOS).saturating_add(i64::from(nanos)))
    }

    /// The whole seconds and the nanoseconds (0 to 999,999,999) on top of them.
    pub fn to_unix(self) -> (i64, u32) {
        (self.0.div_euclid(NANOS), self.0.rem_euclid(NANOS) as u32)
    }

    /// From a point in time.
    pub fn from_timestamp(at: Timestamp) -> Self {
        let nanos = at.as_nanosecond();
        Self(nanos.clamp(i128::from(i64::MIN), i128::from(i64::MAX)) as i64)
    }

    /// In UTC as RFC 3339 has it, with all its nanoseconds: `2031-04-07T07:15:02.5Z`.
    pub fn to_rfc3339(self) -> String {
        Timestamp::from_nanosecond(i128::from(self.0)).unwrap_or_default().to_string()
    }

    /// Reads a point in time of RFC 3339.
    pub fn from_rfc3339(text: &str) -> Option<Self> {
        text.parse().ok().map(Self::from_timestamp)
    }

    fn zoned(self, zone: &TimeZone) -> ZonedDateTime {
        let at = Timestamp::from_nanosecond(i128::from(self.0)).unwrap_or_default();
        at.to_zoned_datetime(zone.clone())
    }
}

/// Keeps moments in files, as RFC 3339 has them.
pub mod written {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    use super::Moment;

    /// For `serialize_with`.
    pub fn serialize<S: Serializer>(moment: &Moment, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&moment.to_rfc3339())
    }

    /// For `deserialize_with`.
    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Moment, D::Error> {
        let text = String::deserialize(from)?;
        Moment::from_rfc3339(&text)
            .ok_or_else(|| D::Error::custom(format!("`{text}` is no time of RFC 3339")))
    }
}

/// The time from which ages are counted, and the zone in which days begin.
#[derive(Debug, Clone)]
pub struct Now {
    at: ZonedDateTime,
    moment: Moment,
}

impl Now {
    /// A now at `at`.
    pub fn new(at: ZonedDateTime) -> Self {
        Self { moment: Moment::from_timestamp(at.timestamp()), at }
    }

    /// Reads `2031-04-07` (the end of that day, so that all of it has happened) or
    /// `2031-04-07T09:00`.
    pub fn parse(text: &str, zone: &TimeZone) -> Option<Self> {
        if let Ok(at) = text.parse::<jiff::civil::DateTime>()
            && text.contains(['T', 't', ' '])
        {
            return Some(Self::new(at.to_zoned_datetime(zone.clone()).ok()?));
        }
        let end = Day::parse(text)?.date()?.at(23, 59, 59, 999_999_999);
        Some(Self::new(end.to_zoned_datetime(zone.clone()).ok()?))
    }

    /// This now as a moment.
    pub fn moment(&self) -> Moment {
        self.moment
    }

    /// This now by the clock and in its zone.
    pub fn zoned(&self) -> &ZonedDateTime {
        &self.at
    }

    /// Today's date.
    pub fn today(&self) -> Date {
        self.at.date()
    }

    /// The zone in which days begin.
    pub fn zone(&self) -> &TimeZone {
        self.at.time_zone()
    }

    /// The moment that lies `span` before this now, by the calendar for months and years.
    pub fn before(&self, span: Span) -> Moment {
        let back = match span.unit {
            SpanUnit::Minutes => jiff::Span::new().try_minutes(span.number),
            SpanUnit::Hours => jiff::Span::new().try_hours(span.number),
            SpanUnit::Days => jiff::Span::new().try_days(span.number),
            SpanUnit::Weeks => jiff::Span::new().try_weeks(span.number),
            SpanUnit::Months => jiff::Span::new().try_months(span.number),
            SpanUnit::Years => jiff::Span::new().try_years(span.number),
        };
        back.and_then(|span| self.at.checked_sub(span))
            .map_or(Moment(i64::MIN), |at| Moment::from_timestamp(at.timestamp()))
    }

    /// The day of a moment, in the time zone of this one.
    pub fn day_of(&self, moment: Moment) -> Option<Date> {
        let at = Timestamp::from_nanosecond(i128::from(moment.0)).ok()?;
        Some(at.to_zoned_datetime(self.zone().clone()).date())
    }

    /// The same now where the clock shows UTC.
    pub fn in_utc(&self) -> Self {
        Self::new(self.at.timestamp().to_zoned_datetime(TimeZone::UTC))
    }

    /// The moment at which a clock in the zone of this now shows what a clock in UTC shows at another.
    pub fn of_clock(&self, clock: Moment) -> Moment {
        let shown = clock.zoned(&TimeZone::UTC).datetime();
        let at = shown.to_zoned_datetime(self.zone().clone());
        at.map_or(clock, |at| Moment::from_timestamp(at.timestamp()))
    }

    /// A moment written with a `strftime` format; `None` if the format is not understood.
    pub fn format(&self, moment: Moment, format: &str) -> Option<String> {
        let text = jiff::fmt::strtime::format(format, &moment.zoned(self.zone()));
        text.ok()
    }

    /// `2031-04-07 09:15`.
    pub fn minute(&self, moment: Moment) -> String {
        self.format(moment, "%Y-%m-%d %H:%M").unwrap_or_default()
    }

    /// How long ago, for people: `3 months`, `today`, `2 years`; `ahead` if it is still to come.
    pub fn age(&self, moment: Moment) -> String {
        let seconds = (self.moment.0.saturating_sub(moment.0)) / NANOS;
        let days = seconds / 86_400;
        let (number, unit) = match (seconds, days) {
            (..0, _) => return "ahead".into(),
            (0..120, _) => return "now".into(),
            (120..7_200, _) => (seconds / 60, "minute"),
            (7_200..86_400, _) => (seconds / 3_600, "hour"),
            (_, ..61) => (days, "day"),
            (_, ..729) => (days * 12 / 365, "month"),
            // a day or two of grace, since years differ in length
            _ => ((days + 2) * 4 / 1_461, "year"),
        };
        format!("{number} {unit}{}", if number == 1 { "" } else { "s" })
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum SpanUnit {
    Minutes,
    Hours,
    Days,
    Weeks,
    Months,
    Years,
}

/// The units, each as it is printed, and in words.
const SPAN_UNITS: [(&str, &str, SpanUnit); 6] = [
    ("min", "minute", SpanUnit::Minutes),
    ("h", "hour", SpanUnit::Hours),
    ("d", "day", SpanUnit::Days),
    ("w", "week", SpanUnit::Weeks),
    ("mo", "month", SpanUnit::Months),
    ("y", "year", SpanUnit::Years),
];

/// A length of time in one unit: `10min`, `3h`, `90d`, `6w`, `18mo`, `2y`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    number: i64,
    unit: SpanUnit,
}

/// What a written span may look like.
pub const EXPECTED_SPAN: &str = "a span such as 10min, 3h, 90d, 6w, 18mo or 2y";

impl Span {
    /// Reads a whole number and a unit, at most 99,999 of it: `90d`, `90 d`, `90 days`.
    pub fn parse(text: &str) -> Option<Self> {
        let split = text.find(|c: char| !c.is_ascii_digit())?;
        let (number, unit) = text.split_at(split);
        let unit = unit.trim_start().to_ascii_lowercase();
        let one = unit.strip_suffix('s').unwrap_or(&unit);
        let is_it = |(short, word, _): &&(&str, &str, SpanUnit)| *short == unit || *word == one;
        let unit = SPAN_UNITS.iter().find(is_it)?.2;
        let number = number.parse().ok().filter(|n| *n <= 99_999)?;
        Some(Self { number, unit })
    }

    /// How long it is, with months of 30 days and years of 365.
    pub fn about(self) -> std::time::Duration {
        let minutes = match self.unit {
            SpanUnit::Minutes => 1,
            SpanUnit::Hours => 60,
            SpanUnit::Days => 24 * 60,
            SpanUnit::Weeks => 7 * 24 * 60,
            SpanUnit::Months => 30 * 24 * 60,
            SpanUnit::Years => 365 * 24 * 60,
        };
        std::time::Duration::from_secs(self.number.unsigned_abs().saturating_mul(minutes * 60))
    }

    /// This many minutes.
    pub fn minutes(number: u16) -> Self {
        Self { number: i64::from(number), unit: SpanUnit::Minutes }
    }
}

impl fmt::Display for Span {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let unit = SPAN_UNITS.iter().find(|(.., unit)| *unit == self.unit).map_or("", |u| u.0);
        write!(f, "{}{unit}", self.number)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn monday() -> Now {
        Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
    }

    fn at(text: &str) -> Moment {
        Now::parse(text, &TimeZone::UTC).unwrap().moment()
    }

    #[test]
    fn a_day_alone_means_its_end() {
        assert!(at("2031-04-07") > at("2031-04-07T23:59"));
        assert!(at("2031-04-07") < at("2031-04-08T00:00"));
        assert!(Now::parse("2031-04", &TimeZone::UTC).is_none());
        assert!(Now::parse("2031-02-30", &TimeZone::UTC).is_none());
    }

    #[test]
    fn spans_follow_the_calendar() {
        let now = monday();
        assert_eq!(now.before(Span::parse("90d").unwrap()), at("2031-01-07T09:00"));
        assert_eq!(now.before(Span::parse("2mo").unwrap()), at("2031-02-07T09:00"));
        assert_eq!(now.before(Span::parse("2y").unwrap()), at("2029-04-07T09:00"));
        assert_eq!(now.before(Span::parse("10min").unwrap()), at("2031-04-07T08:50"));
        assert_eq!(now.before(Span::parse("99999y").unwrap()), Moment(i64::MIN));
        assert_eq!(Span::parse("90 days"), Span::parse("90d"));
        assert_eq!(Span::parse("1 Month").unwrap().to_string(), "1mo");
        for wrong in ["", "d", "90", "90dayss", "1.5y", "100000d", "5m"] {
            assert_eq!(Span::parse(wrong), None, "{wrong}");
        }
    }

    #[test]
    fn days_months_and_years_have_bounds() {
        let now = monday();
        let bounds = |text: &str| Day::parse(text).unwrap().bounds(&now);
        assert_eq!(bounds("2031-04"), (at("2031-04-01T00:00"), at("2031-05-01T00:00")));
        assert_eq!(bounds("2030"), (at("2030-01-01T00:00"), at("2031-01-01T00:00")));
        for wrong in [
            "31",
            "2031-4",
            "2031-13",
            "2031-04-31",
            "2031-04-07-1",
            "20310407",
            "7.4.2031",
            "last",
            "last day",
        ] {
            assert_eq!(Day::parse(wrong), None, "{wrong}");
        }
        assert_eq!(bounds("2031-Q2"), (at("2031-04-01T00:00"), at("2031-07-01T00:00")));
        assert_eq!(bounds("2031-W15"), (at("2031-04-07T00:00"), at("2031-04-14T00:00")));
        assert_eq!(bounds("today"), (at("2031-04-07T00:00"), at("2031-04-08T00:00")));
        assert_eq!(bounds("yesterday"), (at("2031-04-06T00:00"), at("2031-04-07T00:00")));
        assert_eq!(bounds("this week"), bounds("2031-W15"));
        assert_eq!(bounds("last week"), bounds("2031-W14"));
        assert_eq!(bounds("last month"), bounds("2031-03"));
        assert_eq!(bounds("this quarter"), bounds("2031-Q2"));
        assert_eq!(bounds("last quarter"), bounds("2031-Q1"));
        assert_eq!(bounds("last year"), bounds("2030"));
        for text in ["2031-04", "2031", "2031-Q2", "2031-W05", "today", "last month"] {
            assert_eq!(Day::parse(text).unwrap().to_string(), text);
        }
    }

    #[test]
    fn ages_are_short_words() {
        let now = monday();
        for (then, words) in [
            ("2031-04-07T08:59", "now"),
            ("2031-04-07T08:30", "30 minutes"),
            ("2031-04-06T12:00", "21 hours"),
            ("2031-04-01T09:00", "6 days"),
            ("2030-12-28T09:00", "3 months"),
            ("2028-04-07T09:00", "3 years"),
            ("2031-04-07T10:00", "ahead"),
        ] {
            assert_eq!(now.age(at(then)), words, "{then}");
        }
    }

    #[test]
    fn moments_before_1970_keep_their_nanoseconds_positive() {
        assert_eq!(Moment::from_unix(-2, 5).to_unix(), (-2, 5));
    }
}
