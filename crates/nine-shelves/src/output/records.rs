//! Output for programs: CSV and JSON Lines.

use std::io::Write;

use serde::Serialize;

use crate::args::{Format, PlainFormat};
use crate::failure::{Done, Failure};

/// Prints records as CSV or as JSON Lines.
///
/// # Errors
/// If they cannot be written.
pub fn print<T: Serialize>(records: impl Iterator<Item = T>, format: PlainFormat) -> Done {
    let mut out = super::raw();
    match format {
        PlainFormat::Csv => {
            let mut csv = csv::Writer::from_writer(out);
            for record in records {
                csv.serialize(record).map_err(written)?;
            }
            csv.flush()?;
        }
        PlainFormat::Json | PlainFormat::Table => {
            for record in records {
                serde_json::to_writer(&mut out, &record).map_err(std::io::Error::from)?;
                out.write_all(b"\n")?;
            }
            out.flush()?;
        }
    }
    Ok(())
}

/// Prints records as CSV or, for any other format, as JSON Lines.
///
/// # Errors
/// If they cannot be written.
pub fn print_as<T: Serialize>(records: impl Iterator<Item = T>, format: Format) -> Done {
    print(records, if format == Format::Csv { PlainFormat::Csv } else { PlainFormat::Json })
}

/// Prints records as JSON Lines.
///
/// # Errors
/// If they cannot be written.
pub fn print_json<T: Serialize>(records: impl Iterator<Item = T>) -> Done {
    print(records, PlainFormat::Json)
}

/// Words what a CSV writer says.
pub fn written(error: csv::Error) -> Failure {
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error.into(),
        other => Failure::system(format!("the table cannot be written: {other:?}")),
    }
}
