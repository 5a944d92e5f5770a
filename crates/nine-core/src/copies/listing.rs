//! A list of files with their digests, as `search --format csv --with-hash` writes it on another
//! machine.

use super::Digest;
use crate::escape::plain;

/// A line of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// Where it lies there, in its written form.
    pub item: String,
    /// Its bytes.
    pub size: u64,
    /// The digest of all of them.
    pub digest: Digest,
}

/// Why a list cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WrongListing {
    /// A column that it must have is not there.
    #[error("it has no column `{0}`")]
    NoColumn(&'static str),
    /// A line that cannot be read. Lines are counted from 1, the heading being the first.
    #[error("line {line}: {why}")]
    Line {
        /// Its number.
        line: u64,
        /// What is wrong with it.
        why: String,
    },
}

/// Reads a list. Lines without a digest (folders, links, what could not be read) are left out; returns
/// how many there were.
///
/// # Errors
/// The first line that cannot be read.
pub fn read_listing(text: &[u8]) -> Result<(Vec<Listed>, u64), WrongListing> {
    // Spreadsheets write this mark before the first column.
    let text = text.strip_prefix(b"\xef\xbb\xbf").unwrap_or(text);
    let mut csv = csv::ReaderBuilder::new().flexible(true).from_reader(text);
    let wrong = |line: u64, why: String| WrongListing::Line { line, why };
    let heading = csv.headers().map_err(|error| wrong(1, error.to_string()))?.clone();
    let column = |name: &'static str| {
        heading.iter().position(|known| known.trim() == name).ok_or(WrongListing::NoColumn(name))
    };
    let (item, size, digest) = (column("item")?, column("size")?, column("blake3")?);
    let (mut listed, mut left_out) = (Vec::new(), 0);
    for record in csv.records() {
        let record = record
            .map_err(|error| wrong(error.position().map_or(0, csv::Position::line), error.to_string()))?;
        let line = record.position().map_or(0, csv::Position::line);
        let cell = |at: usize| record.get(at).unwrap_or("").trim();
        if cell(digest).is_empty() {
            left_out += 1;
            continue;
        }
        let bad = |what: &str, cell: &str| wrong(line, format!("`{}` is no {what}", plain(cell)));
        listed.push(Listed {
            item: record.get(item).unwrap_or("").to_owned(),
            size: cell(size).parse().map_err(|_| bad("size in bytes", cell(size)))?,
            digest: Digest::parse(cell(digest)).ok_or_else(|| bad("BLAKE3 digest", cell(digest)))?,
        });
    }
    Ok((listed, left_out))
}
