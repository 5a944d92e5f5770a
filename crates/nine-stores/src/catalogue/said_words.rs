//! What files say of themselves in words: titles, authors, cameras. A row has what a thousand files say in one field, each
//! text once with the files that have it: a search goes through all texts there are, and SQLite's way from row to row
//! would take several times as long as to look at them.

use std::collections::{BTreeMap, BTreeSet};

use nine_core::find::TextNumbers;
use rusqlite::{Connection, OptionalExtension, params};

use super::{CatalogueError, CatalogueResult};

/// How many numbers of texts in turn share a row.
const SHARE: u32 = 1024;

/// Numbers a row of a field away from those of the next.
const FIELD: i64 = 1 << 32;

/// Each text with the files that have it, by how much their numbers are above the first of the row.
type Texts = BTreeMap<String, BTreeSet<u16>>;

/// What is yet to be kept.
#[derive(Debug, Default)]
pub struct SaidWords {
    rows: BTreeMap<i64, Texts>,
}

/// The row in which a field of a file is found, and the file in it.
fn place_of(field: i64, number: u32) -> (i64, u16) {
    (field * FIELD + i64::from(number / SHARE), (number % SHARE) as u16)
}

impl SaidWords {
    /// Adds what the file with this number says in a field.
    pub fn add(&mut self, field: i64, text: &str, number: u32) {
        let (row, file) = place_of(field, number);
        self.rows.entry(row).or_default().entry(text.to_owned()).or_default().insert(file);
    }

    /// Keeps what was added.
    pub fn write(self, write: &Connection) -> CatalogueResult<()> {
        for (row, more) in self.rows {
            change(write, row, |texts| {
                more.into_iter().for_each(|(text, files)| texts.entry(text).or_default().extend(files));
            })?;
        }
        Ok(())
    }
}

/// Forgets what the files with these numbers say in some fields.
pub fn forget(
    write: &Connection,
    fields: impl Iterator<Item = i64> + Clone,
    numbers: &[u32],
) -> CatalogueResult<()> {
    let mut gone: BTreeMap<i64, BTreeSet<u16>> = BTreeMap::new();
    for (row, file) in numbers.iter().flat_map(|number| fields.clone().map(|field| place_of(field, *number)))
    {
        gone.entry(row).or_default().insert(file);
    }
    for (row, gone) in gone {
        change(write, row, |texts| {
            texts.values_mut().for_each(|files| files.retain(|file| !gone.contains(file)));
            texts.retain(|_, files| !files.is_empty());
        })?;
    }
    Ok(())
}

/// The files that say something in a field for which a test holds.
pub fn holding(db: &Connection, field: i64, holds: impl Fn(&str) -> bool) -> CatalogueResult<TextNumbers> {
    let mut found = TextNumbers::default();
    let mut ask = db.prepare_cached("SELECT id, texts FROM said_words WHERE id >= ?1 AND id < ?2")?;
    let mut rows = ask.query(params![field * FIELD, (field + 1) * FIELD])?;
    while let Some(row) = rows.next()? {
        let first = (row.get::<_, i64>(0)? % FIELD) as u32 * SHARE;
        for entry in entries(row.get_ref(1)?.as_blob().map_err(|_| CatalogueError::Damaged)?) {
            let (text, files) = entry?;
            if holds(text) {
                files.for_each(|file| found.add(first + u32::from(file)));
            }
        }
    }
    Ok(found)
}

/// Changes a row; one of which nothing is left goes.
fn change(write: &Connection, row: i64, change: impl FnOnce(&mut Texts)) -> CatalogueResult<()> {
    let mut ask = write.prepare_cached("SELECT texts FROM said_words WHERE id = ?1")?;
    let kept: Option<Vec<u8>> = ask.query_row([row], |row| row.get(0)).optional()?;
    let mut texts = Texts::new();
    for entry in entries(kept.as_deref().unwrap_or_default()) {
        let (text, files) = entry?;
        texts.insert(text.to_owned(), files.collect());
    }
    change(&mut texts);
    if texts.is_empty() {
        write.prepare_cached("DELETE FROM said_words WHERE id = ?1")?.execute([row])?;
    } else {
        let put = "INSERT INTO said_words (id, texts) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET texts = ?2";
        write.prepare_cached(put)?.execute(params![row, packed(&texts)])?;
    }
    Ok(())
}

/// The texts of a row as they are kept: of each how many bytes it has (u32) and how many files have it (u16), its
/// bytes, and the files (u16 each); all numbers with the lowest byte first.
fn packed(texts: &Texts) -> Vec<u8> {
    let mut bytes = Vec::new();
    for (text, files) in texts {
        bytes.extend((text.len() as u32).to_le_bytes());
        bytes.extend((files.len() as u16).to_le_bytes());
        bytes.extend(text.as_bytes());
        bytes.extend(files.iter().flat_map(|file| file.to_le_bytes()));
    }
    bytes
}

/// What [`packed`] has put together, text by text.
fn entries(mut bytes: &[u8]) -> impl Iterator<Item = CatalogueResult<(&str, impl Iterator<Item = u16>)>> {
    std::iter::from_fn(move || {
        if bytes.is_empty() {
            return None;
        }
        let entry = next_entry(&mut bytes).ok_or(CatalogueError::Damaged);
        if entry.is_err() {
            bytes = &[];
        }
        Some(entry)
    })
}

fn next_entry<'b>(bytes: &mut &'b [u8]) -> Option<(&'b str, impl Iterator<Item = u16> + use<'b>)> {
    let length = u32::from_le_bytes(*bytes.split_off(..4)?.first_chunk()?);
    let count = u16::from_le_bytes(*bytes.split_off(..2)?.first_chunk()?);
    let text = std::str::from_utf8(bytes.split_off(..length as usize)?).ok()?;
    let (files, _) = bytes.split_off(..usize::from(count) * 2)?.as_chunks();
    Some((text, files.iter().map(|file| u16::from_le_bytes(*file))))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Some changes, one transaction each: what files say, or numbers of files that go.
    fn changes() -> impl Strategy<Value = Vec<(bool, Vec<(u32, usize)>)>> {
        let files = proptest::collection::vec((0..4 * SHARE, 0..TEXTS.len()), 0..20);
        proptest::collection::vec((prop::bool::weighted(0.7), files), 0..12)
    }

    const TEXTS: [&str; 4] = ["", "Tide tables", "tides\n", "Böttcher"];

    proptest! {
        #[test]
        fn texts_are_found_as_they_were_kept(changes in changes()) {
            let db = Connection::open_in_memory().unwrap();
            db.execute_batch(super::super::SCHEMA).unwrap();
            let mut model: BTreeSet<(u32, usize)> = BTreeSet::new();
            for (comes, files) in changes {
                let mut words = SaidWords::default();
                for (number, text) in files.iter().filter(|_| comes) {
                    words.add(3, TEXTS[*text], *number);
                    words.add(4, "of another field", *number);
                    model.insert((*number, *text));
                }
                words.write(&db).unwrap();
                let gone: Vec<u32> = files.iter().filter(|_| !comes).map(|(number, _)| *number).collect();
                forget(&db, [3, 4].into_iter(), &gone).unwrap();
                model.retain(|(number, _)| !gone.contains(number));
            }
            for (at, text) in TEXTS.iter().enumerate() {
                let expected = model.iter().filter(|(_, text)| *text == at).map(|(number, _)| *number);
                prop_assert_eq!(holding(&db, 3, |found| found == *text).unwrap(), expected.collect());
            }
            let rows: i64 = db.query_row("SELECT count(*) FROM said_words", [], |row| row.get(0)).unwrap();
            let shares: BTreeSet<u32> = model.iter().map(|(number, _)| number / SHARE).collect();
            prop_assert_eq!(rows as usize, 2 * shares.len(), "a row of which nothing is left goes");
        }
    }

    #[test]
    fn a_spoilt_row_is_noticed() {
        let texts = Texts::from([("Tides".to_owned(), BTreeSet::from([1, 9]))]);
        let kept = packed(&texts);
        assert!(entries(&kept).all(|entry| entry.is_ok()));
        for end in 1..kept.len() {
            assert!(entries(&kept[..end]).any(|entry| entry.is_err()), "{end}");
        }
    }
}
