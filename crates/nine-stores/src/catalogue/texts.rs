//! What was read inside files: their words with the full-text index, and what they say of themselves.

use nine_core::condition::{PlainTest, Test, WordTest};
use nine_core::find::{TextAnswers, TextNumbers};
use nine_core::metadata::Metadata;
use nine_core::moment::{Moment, Now};
use nine_core::tree::{NodeId, Tree};
use nine_core::words;
use rusqlite::{OptionalExtension, Transaction, params};

use super::said_words::SaidWords;
use super::{Catalogue, CatalogueResult, listing, said};

/// What was read of one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reading {
    /// Which file.
    pub id: NodeId,
    /// Its words; empty if there are none or it could not be read.
    pub body: String,
    /// Why it was given up, wholly or in part; empty if it was not.
    pub note: String,
    /// What it says of itself, as it is kept.
    pub said: String,
}

impl Catalogue {
    /// Keeps the words of some files of a place, and that they were read.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be written.
    pub fn keep_texts(
        &mut self,
        address: &str,
        tree: &mut Tree,
        at: Moment,
        readings: &[Reading],
    ) -> CatalogueResult<()> {
        self.write(|write| {
            let mut words = SaidWords::default();
            for reading in readings {
                tree.learn_text(reading.id, add(&write, &mut words, reading)?);
            }
            words.write(&write)?;
            // Without the column that points to them the texts would never be found again.
            if listing::save_learned(&write, address, tree, at)? {
                write.commit()?;
            }
            Ok(())
        })
    }

    /// The words of a file that were kept under a number.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn text(&self, number: u32) -> CatalogueResult<Option<Reading>> {
        let ask = "SELECT body, note, said FROM text WHERE id = ?1";
        let found = self.db.lock().query_row(ask, [number], |row| {
            Ok(Reading { id: Tree::ROOT, body: row.get(0)?, note: row.get(1)?, said: row.get(2)? })
        });
        Ok(found.optional()?)
    }

    /// What the file says of itself whose reading was kept under a number.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn said(&self, number: u32) -> CatalogueResult<Option<Metadata>> {
        let db = self.db.lock();
        let mut ask = db.prepare_cached("SELECT said FROM text WHERE id = ?1")?;
        let said = ask.query_row([number], |row| Ok(Metadata::from_json(row.get_ref(0)?.as_str()?)));
        Ok(said.optional()?)
    }

    /// Which texts each of the tests of what is inside holds for.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn answers(&self, tests: &[&Test], now: &Now) -> CatalogueResult<TextAnswers> {
        let mut answers = TextAnswers::new();
        for test in tests {
            let numbers = match (test, test.said_field()) {
                (_, Some(field)) => said::holding(&self.db.lock(), field, test, now)?,
                (Test::Words(_, WordTest::Plain(PlainTest::Has, values)), None) => self.holding(values)?,
                (Test::Words(_, words), None) => self.read_through(words)?,
                _ => TextNumbers::default(),
            };
            answers.insert(test.to_string(), numbers);
        }
        Ok(answers)
    }

    /// Texts that have one of the values, by the index.
    fn holding(&self, values: &[String]) -> CatalogueResult<TextNumbers> {
        let mut found = TextNumbers::default();
        let db = self.db.lock();
        let mut asked = db.prepare_cached("SELECT rowid FROM words WHERE words MATCH ?1")?;
        for value in values {
            let phrase = words::of(value).collect::<Vec<_>>().join(" ");
            if !phrase.is_empty() {
                let rows = asked.query_map([format!("\"{phrase}\"*")], |row| row.get(0))?;
                for number in rows {
                    found.add(number?);
                }
            }
        }
        Ok(found)
    }

    /// Texts that pass a test for which each must be read.
    fn read_through(&self, test: &WordTest) -> CatalogueResult<TextNumbers> {
        let mut found = TextNumbers::default();
        let db = self.db.lock();
        let mut asked = db.prepare("SELECT id, body FROM text WHERE body <> ''")?;
        let mut rows = asked.query([])?;
        while let Some(row) = rows.next()? {
            if test.holds_for_text(row.get_ref(1)?.as_str().unwrap_or_default()) {
                found.add(row.get(0)?);
            }
        }
        Ok(found)
    }

    /// Takes away texts that no place points to any more. Returns how many.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be written.
    pub fn drop_unused_texts(&mut self) -> CatalogueResult<usize> {
        self.write(|write| {
            let used = listing::texts_in_use(&write)?;
            let all: Vec<u32> = {
                let mut asked = write.prepare("SELECT id FROM text")?;
                asked.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?
            };
            let unused: Vec<u32> = all.into_iter().filter(|number| !used.contains(number)).collect();
            said::forget(&write, &unused)?;
            unused.iter().try_for_each(|number| forget(&write, *number))?;
            write.commit()?;
            Ok(unused.len())
        })
    }
}

/// Adds what was read of a file; returns the number under which it is kept.
fn add(write: &Transaction, words: &mut SaidWords, reading: &Reading) -> CatalogueResult<u32> {
    let mut add = write.prepare_cached("INSERT INTO text (body, note, said) VALUES (?1, ?2, ?3)")?;
    let number = add.insert(params![reading.body, reading.note, reading.said])? as u32;
    let mut index = write.prepare_cached("INSERT INTO words (rowid, body) VALUES (?1, ?2)")?;
    index.execute(params![number, reading.body])?;
    said::index(write, words, number, &Metadata::from_json(&reading.said))?;
    Ok(number)
}

fn forget(write: &Transaction, number: u32) -> CatalogueResult<()> {
    // The index keeps no texts of its own, so it must be told what to forget.
    let forget = "INSERT INTO words (words, rowid, body)
        SELECT 'delete', id, body FROM text WHERE id = ?1";
    write.prepare_cached(forget)?.execute([number])?;
    write.prepare_cached("DELETE FROM text WHERE id = ?1")?.execute([number])?;
    Ok(())
}
