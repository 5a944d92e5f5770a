//! What files say of themselves, a row a value: an index of what stands with their texts.

use std::ops::Range;

use nine_core::condition::Test;
use nine_core::find::TextNumbers;
use nine_core::metadata::{FigureField, Metadata, SaidField, SaidValue, Taken, TextField};
use nine_core::moment::{Moment, Now};
use rusqlite::types::{Value, ValueRef};
use rusqlite::{Connection, OptionalExtension, Rows, params};

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
    let mut found = TextNumbers::default();
    let range = test.said_range(now);
    match (field, range) {
        (SaidField::Taken, Some(range)) => {
            let off = Moment(range.start.0.saturating_sub(ZONES))..Moment(range.end.0.saturating_add(ZONES));
            let holds = |value: ValueRef| {
                let clock = Taken::of_clock(Moment(value.as_i64().unwrap_or_default()));
                test.holds_for_said(SaidValue::Taken(clock), now)
            };
            add_between(db, CLOCK, off, holds, &mut found)?;
            add_between(db, number_of(field), range, |_| true, &mut found)?;
        }
        (_, Some(range)) => add_between(db, number_of(field), range, |_| true, &mut found)?,
        (_, None) => {
            let mut ask =
                db.prepare_cached("SELECT value, text FROM said WHERE field = ?1 ORDER BY value")?;
            let holds = |value: ValueRef| match (field, value) {
                (SaidField::Figure(_), ValueRef::Integer(figure)) => {
                    test.holds_for_said(SaidValue::Figure(figure as u64), now)
                }
                (_, value) => {
                    value.as_str().is_ok_and(|text| test.holds_for_said(SaidValue::Text(text), now))
                }
            };
            add_those(ask.query([number_of(field)])?, holds, &mut found)?;
        }
    }
    Ok(found)
}

fn add_between(
    db: &Connection,
    field: i64,
    range: Range<Moment>,
    holds: impl Fn(ValueRef) -> bool,
    found: &mut TextNumbers,
) -> CatalogueResult<()> {
    let ask = "SELECT value, text FROM said WHERE field = ?1 AND value >= ?2 AND value < ?3";
    let mut ask = db.prepare_cached(ask)?;
    add_those(ask.query(params![field, range.start.0, range.end.0])?, holds, found)
}

/// Rows come in the order of their values, and each value is asked about once.
fn add_those(
    mut rows: Rows,
    holds: impl Fn(ValueRef) -> bool,
    found: &mut TextNumbers,
) -> CatalogueResult<()> {
    let (mut last, mut answer) = (Vec::new(), None);
    while let Some(row) = rows.next()? {
        let value = row.get_ref(0)?;
        let number;
        let bytes = match value {
            ValueRef::Text(text) => text,
            ValueRef::Integer(figure) => {
                number = figure.to_ne_bytes();
                &number[..]
            }
            _ => return Err(CatalogueError::Damaged),
        };
        if answer.is_none() || last != bytes {
            last.clear();
            last.extend_from_slice(bytes);
            answer = Some(holds(value));
        }
        if answer == Some(true) {
            found.add(row.get(1)?);
        }
    }
    Ok(())
}
