//! Places kept as the columns of their trees.

use std::collections::HashSet;
use std::io::Read;

use nine_core::moment::Moment;
use nine_core::tree::{Column, NodeId, Tree};
use rusqlite::{Connection, MAIN_DB, OptionalExtension, Transaction, TransactionBehavior, params};

use super::{Catalogue, CatalogueError, CatalogueResult};

/// Bytes that are compared, and written if they differ, at once.
const BLOCK: usize = 32 * 1024;

/// Columns a place has at most; parts are numbered by place and column.
const COLUMNS_A_PLACE: i64 = 64;

/// What must be known of an earlier scan to carry over what was learned.
const CARRIED: [Column; 11] = [
    Column::Kind,
    Column::Size,
    Column::Modified,
    Column::Changed,
    Column::Identity,
    Column::Marks,
    Column::Tags,
    Column::Content,
    Column::Text,
    Column::Arrived,
    Column::Words,
];

/// What is learned beyond a scan.
const LEARNED: [Column; 6] =
    [Column::Tags, Column::Content, Column::Text, Column::Type, Column::Marks, Column::Words];

/// A place that was scanned just now.
#[derive(Debug)]
pub struct Fresh<'a> {
    /// The store's address.
    pub address: &'a str,
    /// What was found; gains what is known from before.
    pub tree: &'a mut Tree,
    /// When the scan began.
    pub at: Moment,
}

/// A place as the catalogue knows it.
#[derive(Debug)]
pub struct Kept {
    /// The columns that were asked for.
    pub tree: Tree,
    /// When it was scanned.
    pub at: Moment,
}

impl Catalogue {
    /// What is known of a place, with these columns.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn load(&self, address: &str, columns: &[Column]) -> CatalogueResult<Option<Kept>> {
        let read = self.db.unchecked_transaction()?;
        load(&read, address, columns)
    }

    /// The places that are known, and when they were scanned.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn places(&self) -> CatalogueResult<Vec<(String, Moment)>> {
        let mut asked = self.db.prepare("SELECT address, scanned_at FROM place ORDER BY address")?;
        let rows = asked.query_map([], |row| Ok((row.get(0)?, Moment(row.get(1)?))))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Takes in places that were scanned: what was learned of unchanged entries is carried over into
    /// their trees, also where they came from another place, and the trees are kept.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be written.
    pub fn refresh(&mut self, places: &mut [Fresh]) -> CatalogueResult<()> {
        for place in places.iter_mut() {
            let read = self.db.unchecked_transaction()?;
            let rows: Vec<NodeId> = std::iter::once(Tree::ROOT).chain(place.tree.ids()).collect();
            let Some(before) = load(&read, place.address, &CARRIED)? else {
                // Nobody knows when what lies here at the first look has arrived.
                carry_from_others(&read, place, rows)?;
                continue;
            };
            let mut strangers = place.tree.carry_over(rows, &before.tree, before.at);
            drop(before);
            if !strangers.is_empty() {
                strangers = carry_from_others(&read, place, strangers)?;
            }
            place.tree.date_arrivals(&strangers, place.at);
        }
        let write = self.db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        for place in places.iter() {
            save(&write, place)?;
        }
        Ok(write.commit()?)
    }

    /// Keeps what was learned of a place since it was scanned at `at`. If it has been scanned again
    /// meanwhile, by another program, nothing is kept.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be written.
    pub fn learn(&mut self, address: &str, tree: &Tree, at: Moment) -> CatalogueResult<()> {
        let write = self.db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        save_learned(&write, address, tree, at)?;
        Ok(write.commit()?)
    }
}

/// Looks for entries that are new to a place among those of all the others: they were moved.
fn carry_from_others(
    db: &Connection,
    place: &mut Fresh,
    mut strangers: Vec<NodeId>,
) -> CatalogueResult<Vec<NodeId>> {
    let mut asked = db.prepare("SELECT address FROM place WHERE address <> ?1 ORDER BY id")?;
    let others: Vec<String> =
        asked.query_map([place.address], |row| row.get(0))?.collect::<Result<_, _>>()?;
    for other in others {
        if let Some(known) = load(db, &other, &CARRIED)? {
            strangers = place.tree.carry_over(strangers, &known.tree, known.at);
        }
    }
    Ok(strangers)
}

/// A place's number, time and rows.
fn find(db: &Connection, address: &str) -> CatalogueResult<Option<(i64, Moment, usize)>> {
    let ask = "SELECT id, scanned_at, rows FROM place WHERE address = ?1";
    let found = db.query_row(ask, [address], |row| {
        Ok((row.get(0)?, Moment(row.get(1)?), row.get::<_, i64>(2)? as usize))
    });
    Ok(found.optional()?)
}

fn part(place: i64, column: Column) -> i64 {
    place * COLUMNS_A_PLACE + column as i64
}

fn load(db: &Connection, address: &str, columns: &[Column]) -> CatalogueResult<Option<Kept>> {
    let Some((place, at, rows)) = find(db, address)? else {
        return Ok(None);
    };
    let mut tree = Tree::of_rows(rows);
    for column in columns {
        let Some(mut blob) = open(db, part(place, *column), true)? else {
            return Err(CatalogueError::Damaged);
        };
        let length = blob.len();
        if column.row_width().is_some_and(|width| length != rows * width) {
            return Err(CatalogueError::Damaged);
        }
        tree.fill(*column, length, |room| blob.read_exact(room))?;
    }
    if !tree.is_sound() {
        return Err(CatalogueError::Damaged);
    }
    Ok(Some(Kept { tree, at }))
}

fn open(db: &Connection, part: i64, only_read: bool) -> CatalogueResult<Option<rusqlite::blob::Blob<'_>>> {
    let there = db.prepare_cached("SELECT 1 FROM part WHERE id = ?1")?.exists([part])?;
    Ok(if there { Some(db.blob_open(MAIN_DB, "part", "bytes", part, only_read)?) } else { None })
}

fn save(db: &Transaction, fresh: &Fresh) -> CatalogueResult<()> {
    let rows = fresh.tree.rows() as i64;
    let place = match find(db, fresh.address)? {
        // Another program has scanned it later than we did.
        Some((_, later, _)) if later > fresh.at => return Ok(()),
        Some((place, ..)) => {
            let set = "UPDATE place SET scanned_at = ?2, rows = ?3 WHERE id = ?1";
            db.execute(set, params![place, fresh.at.0, rows])?;
            place
        }
        None => {
            let add = "INSERT INTO place (address, scanned_at, rows) VALUES (?1, ?2, ?3)";
            db.execute(add, params![fresh.address, fresh.at.0, rows])?;
            db.last_insert_rowid()
        }
    };
    save_columns(db, place, fresh.tree, &Column::ALL)
}

pub(super) fn save_learned(
    db: &Transaction,
    address: &str,
    tree: &Tree,
    at: Moment,
) -> CatalogueResult<bool> {
    match find(db, address)? {
        Some((place, scanned, _)) if scanned == at => {
            save_columns(db, place, tree, &LEARNED)?;
            Ok(true)
        }
        _ => Ok(false),
    }
}

/// The numbers of all texts that some place points to.
pub(super) fn texts_in_use(db: &Connection) -> CatalogueResult<HashSet<u32>> {
    let mut asked = db.prepare("SELECT address FROM place")?;
    let places: Vec<String> = asked.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
    let mut used = HashSet::new();
    for place in places {
        if let Some(kept) = load(db, &place, &[Column::Text])? {
            used.extend(kept.tree.ids().map(|id| kept.tree.text(id)));
        }
    }
    Ok(used)
}

fn save_columns(db: &Transaction, place: i64, tree: &Tree, columns: &[Column]) -> CatalogueResult<()> {
    let words = tree.words();
    for column in columns {
        let bytes = if *column == Column::Words { &words } else { tree.bytes(*column) };
        save_part(db, part(place, *column), bytes)?;
    }
    Ok(())
}

/// Writes a part, or of one that is there and as long, only what differs.
fn save_part(db: &Transaction, part: i64, bytes: &[u8]) -> CatalogueResult<()> {
    let length = bytes.len() as i64;
    let mut new = true;
    match open(db, part, true)? {
        Some(blob) if blob.len() == bytes.len() => new = false,
        Some(blob) => {
            drop(blob);
            db.execute("UPDATE part SET bytes = zeroblob(?2) WHERE id = ?1", [part, length])?;
        }
        None => {
            db.execute("INSERT INTO part (id, bytes) VALUES (?1, zeroblob(?2))", [part, length])?;
        }
    }
    let mut blob = db.blob_open(MAIN_DB, "part", "bytes", part, false)?;
    if new {
        blob.write_at(bytes, 0)?;
        return Ok(());
    }
    let mut there = vec![0; BLOCK];
    for (at, block) in bytes.chunks(BLOCK).enumerate() {
        let there = &mut there[..block.len()];
        blob.read_at_exact(there, at * BLOCK)?;
        if there != block {
            blob.write_at(block, at * BLOCK)?;
        }
    }
    Ok(())
}
