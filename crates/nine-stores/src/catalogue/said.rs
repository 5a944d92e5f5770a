//! What files say of themselves: an index of what stands with their texts. Figures and times have a row each, texts are
//! in [`SaidWords`].

use std::ops::RangeInclusive;

use nine_core::condition::Test;
use nine_core::find::TextNumbers;
use nine_core::metadata::{FigureField, Metadata, SaidField, SaidValue, Taken, TextField};
use nine_core::moment::{Moment, Now};
use rusqlite::{Connection, OptionalExtension, params};

use super::CatalogueResult;
use super::said_words::{self, SaidWords};

/// Times of cameras that noted no time zone: what the clock showed.
const CLOCK: i64 = 15;

/// By how much at most what a clock shows is off from UTC, in nanoseconds.
const ZONES: i64 = 16 * 3_600 * 1_000_000_000;

/// The number of a field in the file.
fn number_of(field: SaidField) -> i64 {
    match field {
        SaidField::Text(TextField::Title) => 1,
        SaidField::Text(TextField::Author) => 2,
        SaidField::Text(TextField::Sender) => 3,
        SaidField::Text(TextField::Subject) => 4,
        SaidField::Text(TextField::Artist) => 5,
        SaidField::Text(TextField::Album) => 6,
        SaidField::Text(TextField::Camera) => 7,
        SaidField::Text(TextField::Origin) => 8,
        SaidField::Figure(FigureField::Pages) => 9,
        SaidField::Figure(FigureField::Width) => 10,
        SaidField::Figure(FigureField::Height) => 11,
        SaidField::Figure(FigureField::Duration) => 12,
        SaidField::Taken => 13,
        SaidField::Sent => 14,
    }
}

/// The field and the number under which a figure or a time is found.
fn key(field: SaidField, value: SaidValue) -> Option<(i64, i64)> {
    match value {
        SaidValue::Text(_) => None,
        SaidValue::Figure(figure) => Some((number_of(field), i64::try_from(figure).unwrap_or(i64::MAX))),
        SaidValue::Sent(at) => Some((number_of(field), at.0)),
        SaidValue::Taken(taken) => Some(match taken.known_moment() {
            Some(at) => (number_of(field), at.0),
            None => (CLOCK, taken.clock().0),
        }),
    }
}

/// Keeps what the file says of itself whose text has a number; its words with others'.
pub fn index(write: &Connection, words: &mut SaidWords, text: u32, said: &Metadata) -> CatalogueResult<()> {
    for (field, value) in said.values() {
        if let SaidValue::Text(value) = value {
            words.add(number_of(field), value, text);
        } else if let Some((field, value)) = key(field, value) {
            let add = "INSERT OR IGNORE INTO said (field, value, text) VALUES (?1, ?2, ?3)";
            write.prepare_cached(add)?.execute(params![field, value, text])?;
        }
    }
    Ok(())
}

/// Forgets what stands of some texts, as long as these are there.
pub fn forget(write: &Connection, texts: &[u32]) -> CatalogueResult<()> {
    let mut ask = write.prepare_cached("SELECT said FROM text WHERE id = ?1")?;
    let mut forget =
        write.prepare_cached("DELETE FROM said WHERE field = ?1 AND value = ?2 AND text = ?3")?;
    for text in texts {
        let said = ask.query_row([text], |row| row.get::<_, String>(0)).optional()?;
        for (field, value) in Metadata::from_json(&said.unwrap_or_default()).values() {
            if let Some((field, value)) = key(field, value) {
                forget.execute(params![field, value, text])?;
            }
        }
    }
    let fields = TextField::ALL.into_iter().map(|(_, field)| number_of(SaidField::Text(field)));
    said_words::forget(write, fields, texts)
}

/// The texts of the files for which a test of one field holds.
pub fn holding(db: &Connection, field: SaidField, test: &Test, now: &Now) -> CatalogueResult<TextNumbers> {
    let number = number_of(field);
    let Some(range) = test.said_range(now) else {
        return said_words::holding(db, number, |text| test.holds_for_said(SaidValue::Text(text), now));
    };
    let mut found = Found { db, texts: TextNumbers::default() };
    match field {
        SaidField::Taken => {
            let off = range.start().saturating_sub(ZONES)..=range.end().saturating_add(ZONES);
            let clock = |at| SaidValue::Taken(Taken::of_clock(Moment(at)));
            found.add_between(CLOCK, off, |at| test.holds_for_said(clock(at), now))?;
            found.add_between(number, range, |_| true)?;
        }
        SaidField::Figure(_) => {
            let figure = |figure| SaidValue::Figure(figure as u64);
            found.add_between(number, range, |value| test.holds_for_said(figure(value), now))?;
        }
        _ => found.add_between(number, range, |_| true)?,
    }
    Ok(found.texts)
}

/// What was found so far.
struct Found<'c> {
    db: &'c Connection,
    texts: TextNumbers,
}

impl Found<'_> {
    /// Adds those with a number among these for which `holds` is true.
    fn add_between(
        &mut self,
        field: i64,
        range: RangeInclusive<i64>,
        holds: impl Fn(i64) -> bool,
    ) -> CatalogueResult<()> {
        let ask = "SELECT value, text FROM said WHERE field = ?1 AND value BETWEEN ?2 AND ?3";
        let mut ask = self.db.prepare_cached(ask)?;
        let mut rows = ask.query(params![field, range.start(), range.end()])?;
        while let Some(row) = rows.next()? {
            if holds(row.get(0)?) {
                self.texts.add(row.get(1)?);
            }
        }
        Ok(())
    }
}
