//! What a document, mail, recording or picture says of itself, and where a download says that it came from.

use serde::{Deserialize, Serialize};

use crate::moment::{Moment, Now};

/// The most characters of a text that are kept.
const LONGEST: usize = 500;

/// What was read of one file; what it does not say is `None`.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Metadata {
    texts: Vec<(TextField, String)>,
    figures: Vec<(FigureField, u64)>,
    /// When its picture, sound or film was taken.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub taken: Option<Taken>,
    /// When the mail was sent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sent: Option<Moment>,
}

/// The texts among it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs)]
pub enum TextField {
    Title,
    Author,
    Sender,
    Subject,
    Artist,
    Album,
    Camera,
    /// The address that a download came from.
    Origin,
}

/// The figures among it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FigureField {
    /// Pages, or slides.
    Pages,
    /// Pixels across.
    Width,
    /// Pixels down.
    Height,
    /// Seconds.
    Duration,
}

impl TextField {
    /// All of them with their words.
    pub const ALL: [(&'static str, TextField); 8] = [
        ("title", TextField::Title),
        ("author", TextField::Author),
        ("sender", TextField::Sender),
        ("subject", TextField::Subject),
        ("artist", TextField::Artist),
        ("album", TextField::Album),
        ("camera", TextField::Camera),
        ("origin", TextField::Origin),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, field)| *field == self).map_or("", |(word, _)| word)
    }
}

impl FigureField {
    /// All of them with their words.
    pub const ALL: [(&'static str, FigureField); 4] = [
        ("pages", FigureField::Pages),
        ("width", FigureField::Width),
        ("height", FigureField::Height),
        ("duration", FigureField::Duration),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, field)| *field == self).map_or("", |(word, _)| word)
    }
}

/// Any of what an item may say of itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum SaidField {
    Text(TextField),
    Figure(FigureField),
    Taken,
    Sent,
}

impl SaidField {
    /// All of them, in the order in which they are told.
    pub fn all() -> impl Iterator<Item = SaidField> {
        let texts = TextField::ALL.into_iter().map(|(_, field)| SaidField::Text(field));
        let figures = FigureField::ALL.into_iter().map(|(_, field)| SaidField::Figure(field));
        texts.chain(figures).chain([SaidField::Taken, SaidField::Sent])
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            SaidField::Text(field) => field.word(),
            SaidField::Figure(field) => field.word(),
            SaidField::Taken => "taken",
            SaidField::Sent => "sent",
        }
    }

    /// The one of this word.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::all().find(|field| field.word() == word)
    }
}

/// One value of what an item says of itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum SaidValue<'a> {
    Text(&'a str),
    Figure(u64),
    Taken(Taken),
    Sent(Moment),
}

/// A time as a camera's clock showed it, and its time zone where the camera noted that.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Taken {
    /// Nanoseconds from 1970-01-01 00:00 to what the clock showed.
    clock: Moment,
    /// Minutes by which the clock is ahead of UTC.
    ahead: Option<i16>,
}

/// The most minutes by which a clock is ahead of UTC.
const MOST_AHEAD: i16 = 15 * 60;

impl Taken {
    /// What a clock showed, as seconds from 1970-01-01 00:00 of its own zone; `ahead` is in minutes.
    pub fn new(clock_seconds: i64, ahead: Option<i16>) -> Self {
        Self {
            clock: Moment::from_unix(clock_seconds, 0),
            ahead: ahead.filter(|minutes| minutes.abs() <= MOST_AHEAD),
        }
    }

    /// What the clock showed, as if that were UTC.
    pub fn clock(self) -> Moment {
        self.clock
    }

    /// The time whose clock showed this, with no time zone noted.
    pub fn of_clock(clock: Moment) -> Self {
        Self { clock, ahead: None }
    }

    /// The time at this moment, its clock in UTC.
    pub fn of_moment(at: Moment) -> Self {
        Self { clock: at, ahead: Some(0) }
    }

    /// The moment, where the camera noted its time zone.
    pub fn known_moment(self) -> Option<Moment> {
        self.ahead.map(|minutes| Moment(self.clock.0 - i64::from(minutes) * 60_000_000_000))
    }

    /// Whether the camera noted its time zone.
    pub fn has_zone(self) -> bool {
        self.ahead.is_some()
    }

    /// The moment; where no zone was noted, in that of `now`.
    pub fn moment(self, now: &Now) -> Moment {
        self.known_moment().unwrap_or_else(|| now.of_clock(self.clock))
    }

    /// What the clock showed, written with a `strftime` format.
    pub fn format(self, now: &Now, format: &str) -> Option<String> {
        now.in_utc().format(self.clock, format)
    }

    /// The day that the clock showed.
    pub fn day(self, now: &Now) -> Option<jiff::civil::Date> {
        now.in_utc().day_of(self.clock)
    }
}

impl Metadata {
    /// A text; `None` where it says none.
    pub fn text(&self, field: TextField) -> Option<&str> {
        self.texts.iter().find(|(known, _)| *known == field).map(|(_, text)| text.as_str())
    }

    /// Sets a text, in one line and without controls; what says nothing is left out.
    pub fn set_text(&mut self, field: TextField, text: &str) {
        let plain: String =
            text.chars().map(|c| if c.is_control() { ' ' } else { c }).take(LONGEST).collect();
        let words: Vec<&str> = plain.split_whitespace().collect();
        self.texts.retain(|(known, _)| *known != field);
        if !words.is_empty() {
            self.texts.push((field, words.join(" ")));
        }
    }

    /// A figure; `None` where it says none.
    pub fn figure(&self, field: FigureField) -> Option<u64> {
        self.figures.iter().find(|(known, _)| *known == field).map(|(_, figure)| *figure)
    }

    /// Sets a figure.
    pub fn set_figure(&mut self, field: FigureField, figure: u64) {
        self.figures.retain(|(known, _)| *known != field);
        self.figures.push((field, figure));
    }

    /// Everything that it says.
    pub fn values(&self) -> impl Iterator<Item = (SaidField, SaidValue<'_>)> {
        let texts = self.texts.iter().map(|(field, text)| (SaidField::Text(*field), SaidValue::Text(text)));
        let figures =
            self.figures.iter().map(|(f, figure)| (SaidField::Figure(*f), SaidValue::Figure(*figure)));
        let taken = self.taken.map(|taken| (SaidField::Taken, SaidValue::Taken(taken)));
        let sent = self.sent.map(|sent| (SaidField::Sent, SaidValue::Sent(sent)));
        texts.chain(figures).chain(taken).chain(sent)
    }

    /// A value for people: times with minutes, lengths as `0:03:05`; `None` where it says none.
    pub fn written(&self, field: SaidField, now: &Now) -> Option<String> {
        match field {
            SaidField::Text(field) => self.text(field).map(str::to_owned),
            SaidField::Figure(FigureField::Duration) => {
                let seconds = self.figure(FigureField::Duration)?;
                Some(format!("{}:{:02}:{:02}", seconds / 3_600, seconds / 60 % 60, seconds % 60))
            }
            SaidField::Figure(field) => self.figure(field).map(|figure| figure.to_string()),
            SaidField::Taken => self.taken?.format(now, "%Y-%m-%d %H:%M"),
            SaidField::Sent => Some(now.minute(self.sent?)),
        }
    }

    /// The day of a date that it says.
    pub fn day(&self, field: SaidField, now: &Now) -> Option<jiff::civil::Date> {
        match field {
            SaidField::Taken => self.taken?.day(now),
            SaidField::Sent => now.day_of(self.sent?),
            SaidField::Text(_) | SaidField::Figure(_) => None,
        }
    }

    /// Whether it says nothing.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// As it is kept; empty if it says nothing.
    pub fn to_json(&self) -> String {
        if self.is_empty() { String::new() } else { serde_json::to_string(self).unwrap_or_default() }
    }

    /// Reads what [`Metadata::to_json`] wrote; nothing of what cannot be read.
    pub fn from_json(text: &str) -> Self {
        serde_json::from_str(text).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::tz::{TimeZone, offset};

    #[test]
    fn a_clock_without_a_zone_is_in_that_of_its_owner() {
        let here = Now::parse("2031-04-07T09:00", &TimeZone::fixed(offset(2))).unwrap();
        let at = |ahead| Taken::new(1_933_318_800, ahead).moment(&here);
        assert_eq!(at(None), at(Some(120)));
        assert_eq!(at(Some(0)).0 - at(Some(60)).0, 3_600_000_000_000);
        let taken = Taken::new(1_933_318_800, Some(-480));
        assert_eq!(taken.format(&here, "%Y-%m-%d %H:%M").unwrap(), "2031-04-07 09:00");
    }

    #[test]
    fn texts_are_kept_in_one_line_and_read_back() {
        let mut said = Metadata { taken: Some(Taken::new(5, None)), ..Metadata::default() };
        said.set_text(TextField::Title, " Tides\n of\u{7} 2031 ");
        said.set_text(TextField::Author, "\n");
        said.set_figure(FigureField::Pages, 3);
        assert_eq!(
            (said.text(TextField::Title), said.text(TextField::Author)),
            (Some("Tides of 2031"), None)
        );
        assert_eq!(Metadata::from_json(&said.to_json()), said);
        assert!(Metadata::default().to_json().is_empty() && Metadata::from_json("{oops").is_empty());
    }
}
