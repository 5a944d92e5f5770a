//! What files say of themselves, a row a value: an index of what stands with their texts.

use std::ops::RangeInclusive;

use nine_core::condition::Test;
use nine_core::find::TextNumbers;
use nine_core::metadata::{FigureField, Metadata, SaidField, SaidValue, Taken, TextField};
use nine_core::moment::{Moment, Now};
use rusqlite::types::Value;
use rusqlite::{Connection, OptionalExtension, params};

use super::{CatalogueError, CatalogueResult};

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

/// The field and the value under which something is found.
fn key(field: SaidField, value: SaidValue) -> (i64, Value) {
    let number = |number: u64| Value::Integer(i64::try_from(number).unwrap_or(i64::MAX));
    match value {
        SaidValue::Text(text) => (number_of(field), Value::Text(text.to_owned())),
        SaidValue::Figure(figure) => (number_of(field), number(figure)),
        SaidValue::Sent(at) => (number_of(field), Value::Integer(at.0)),
        SaidValue::Taken(taken) => match taken.known_moment() {
            Some(at) => (number_of(field), Value::Integer(at.0)),
            None => (CLOCK, Value::Integer(taken.clock().0)),
        },
    }
}

/// Keeps what the file says of itself whose text has a number.
pub fn index(write: &Connection, text: i64, said: &Metadata) -> CatalogueResult<()> {
    for (field, value) in said.values() {
        let (field, value) = key(field, value);
        let add = "INSERT OR IGNORE INTO said (field, value, text) VALUES (?1, ?2, ?3)";
        write.prepare_cached(add)?.execute(params![field, value, text])?;
    }
    Ok(())
}

/// Forgets what stands of a text, as long as the text is there.
pub fn forget(write: &Connection, text: u32) -> CatalogueResult<()> {
    let kept = write.prepare_cached("SELECT said FROM text WHERE id = ?1")?;
    let said = { kept }.query_row([text], |row| row.get::<_, String>(0)).optional()?;
    for (field, value) in Metadata::from_json(&said.unwrap_or_default()).values() {
        let (field, value) = key(field, value);
        let drop = "DELETE FROM said WHERE field = ?1 AND value = ?2 AND text = ?3";
        write.prepare_cached(drop)?.execute(params![field, value, text])?;
    }
    Ok(())
}

/// The texts of the files for which a test of one field holds.
pub fn holding(db: &Connection, field: SaidField, test: &Test, now: &Now) -> CatalogueResult<TextNumbers> {
    let mut found = Found { db, texts: TextNumbers::default() };
    let number = number_of(field);
    match (field, test.said_range(now)) {
        (SaidField::Taken, Some(range)) => {
            let off = range.start().saturating_sub(ZONES)..=range.end().saturating_add(ZONES);
            let clock = |at| SaidValue::Taken(Taken::of_clock(Moment(at)));
            found.add_between(CLOCK, off, |at| test.holds_for_said(clock(at), now))?;
            found.add_between(number, range, |_| true)?;
        }
        (SaidField::Figure(_), Some(range)) => {
            let figure = |figure| SaidValue::Figure(figure as u64);
            found.add_between(number, range, |value| test.holds_for_said(figure(value), now))?;
        }
        (_, Some(range)) => found.add_between(number, range, |_| true)?,
        (_, None) => found.add_texts(number, |text| test.holds_for_said(SaidValue::Text(text), now))?,
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

    /// Adds those with a text for which `holds` is true. It is asked once about each, and of those that very many
    /// files have and for which it is not, only the first files are passed over one by one.
    fn add_texts(&mut self, field: i64, holds: impl Fn(&str) -> bool) -> CatalogueResult<()> {
        let ask = "SELECT value, text FROM said WHERE field = ?1 AND value > ?2 ORDER BY value";
        let mut ask = self.db.prepare_cached(ask)?;
        // Every text stands behind every number.
        let mut behind = Value::Integer(i64::MAX);
        loop {
            let mut rows = ask.query(params![field, behind])?;
            let (mut last, mut answer, mut in_vain) = (String::new(), None, 0);
            loop {
                let Some(row) = rows.next()? else { return Ok(()) };
                let text = row.get_ref(0)?.as_str().map_err(|_| CatalogueError::Damaged)?;
                if answer.is_none() || last != text {
                    last.clear();
                    last.push_str(text);
                    (answer, in_vain) = (Some(holds(text)), 0);
                }
                if answer == Some(true) {
                    self.texts.add(row.get(1)?);
                } else if in_vain == MOST_IN_VAIN {
                    break;
                }
                in_vain += 1;
            }
            behind = Value::Text(last);
        }
    }
}

/// So many files of a text that is not asked for are passed over one by one: to find the next text by the index takes
/// as long.
const MOST_IN_VAIN: usize = 16;
