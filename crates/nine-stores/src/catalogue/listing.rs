//! Places kept as the columns of their trees.

use std::collections::HashSet;
use std::ops::Range;

use nine_core::find::Rows;
use nine_core::moment::Moment;
use nine_core::tree::{AT_SIGHT, Column, NodeId, Tree};
use rusqlite::{Connection, MAIN_DB, OptionalExtension, Transaction, params};

use super::again::OF_BYTES;
use super::{Catalogue, CatalogueError, CatalogueResult};

/// Bytes that are compared, and written if they differ, at once.
const BLOCK: usize = 32 * 1024;

/// Columns a place has at most; parts are numbered by place and column.
const COLUMNS_A_PLACE: i64 = 64;

/// What is learned beyond a scan.
const LEARNED: [Column; 6] =
    [Column::Tags, Column::Content, Column::Text, Column::Type, Column::Marks, Column::Words];

/// What is as before in a place whose entries are all the same, row by row. All else may differ: where they are called
/// otherwise, on file systems that do not date that, and what was learned.
const AS_BEFORE: [Column; 7] = [
    Column::Folder,
    Column::Kind,
    Column::Size,
    Column::Modified,
    Column::Born,
    Column::Changed,
    Column::Identity,
];

/// What came of carrying over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CarriedOver {
    /// The place was taken over as it was kept, having been scanned at this moment.
    Whole(Moment),
    /// Every entry is as it was when the place was kept, having been scanned at this moment.
    UnchangedSince(Moment),
    /// Something differs, or the place was not known.
    Anew,
}

/// A place as the catalogue knows it.
#[derive(Debug)]
pub struct KeptPlace {
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
    pub fn load(&self, address: &str, columns: &[Column]) -> CatalogueResult<Option<KeptPlace>> {
        let db = self.db.lock();
        if !db.is_autocommit() {
            return load(&db, address, columns);
        }
        let read = db.unchecked_transaction()?;
        load(&read, address, columns)
    }

    /// Sees the catalogue from now on as it is at this moment, whatever other programs write.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn hold_still(&self) -> CatalogueResult<()> {
        // Of what is read through once little has to be kept, and memory that is new costs more than to read.
        Ok(self.db.lock().execute_batch("PRAGMA cache_size = 16; BEGIN; SELECT 1 FROM place LIMIT 1;")?)
    }

    /// Adds to a place that was loaded while the catalogue is held still what these columns say of
    /// some rows; with [`Column::Parent`], also of the folders above them.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn load_rows(
        &self,
        address: &str,
        tree: &mut Tree,
        columns: &[Column],
        rows: &Rows,
    ) -> CatalogueResult<()> {
        let db = self.db.lock();
        let (place, ..) = find(&db, address)?.ok_or(CatalogueError::Damaged)?;
        let mut part = PartOfPlace { db: &db, place, tree, wanted: rows.clone() };
        if columns.contains(&Column::Parent) {
            part.add_folders_above()?;
        }
        // Names are found by their ends, so these come first.
        let ends = columns.contains(&Column::Names).then_some(Column::NameEnd);
        let others = columns.iter().copied().filter(|column| *column != Column::NameEnd);
        for column in ends.into_iter().chain(others).filter(|column| *column != Column::Parent) {
            part.add(column)?;
        }
        Ok(())
    }

    /// Keeps a place that was scanned at `at`. If another program has scanned it later, that stays.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be written.
    pub fn keep(
        &mut self,
        address: &str,
        tree: &Tree,
        at: Moment,
        carried: CarriedOver,
    ) -> CatalogueResult<()> {
        self.write(|write| {
            save(&write, address, tree, at, carried)?;
            Ok(write.commit()?)
        })
    }
}

/// A place's number, time and rows.
pub(super) fn find(db: &Connection, address: &str) -> CatalogueResult<Option<(i64, Moment, usize)>> {
    let ask = "SELECT id, scanned_at, rows FROM place WHERE address = ?1";
    let found = db.query_row(ask, [address], |row| {
        Ok((row.get(0)?, Moment(row.get(1)?), row.get::<_, i64>(2)? as usize))
    });
    Ok(found.optional()?)
}

fn part(place: i64, column: Column) -> i64 {
    place * COLUMNS_A_PLACE + column as i64
}

/// The part that is no column: by which rules names were read; see [`AT_SIGHT`].
pub(super) fn sight_part(place: i64) -> i64 {
    place * COLUMNS_A_PLACE + COLUMNS_A_PLACE - 1
}

pub(super) fn load(db: &Connection, address: &str, columns: &[Column]) -> CatalogueResult<Option<KeptPlace>> {
    let Some((place, at, rows)) = find(db, address)? else {
        return Ok(None);
    };
    let mut tree = Tree::of_rows(rows);
    for column in columns {
        load_column(db, place, &mut tree, *column)?;
    }
    if !tree.is_sound() {
        return Err(CatalogueError::Damaged);
    }
    Ok(Some(KeptPlace { tree, at }))
}

pub(super) fn load_column(
    db: &Connection,
    place: i64,
    tree: &mut Tree,
    column: Column,
) -> CatalogueResult<()> {
    let blob = open_column(db, place, tree, column)?;
    if column == Column::Words {
        let mut words = vec![0; blob.len()];
        blob.read_at_exact(&mut words, 0)?;
        tree.set_words(&words);
        return Ok(());
    }
    tree.make_room(column, blob.len());
    Ok(blob.read_at_exact(tree.bytes_mut(column), 0)?)
}

pub(super) fn open_column<'c>(
    db: &'c Connection,
    place: i64,
    tree: &Tree,
    column: Column,
) -> CatalogueResult<rusqlite::blob::Blob<'c>> {
    let blob = open(db, part(place, column), true)?.ok_or(CatalogueError::Damaged)?;
    match column.row_width() {
        Some(width) if blob.len() != tree.rows() * width => Err(CatalogueError::Damaged),
        _ => Ok(blob),
    }
}

/// Some rows of a place that are added to its tree.
struct PartOfPlace<'a> {
    db: &'a Connection,
    place: i64,
    tree: &'a mut Tree,
    wanted: Rows,
}

/// Rows that are read at once.
const ROWS: usize = 512;

impl PartOfPlace<'_> {
    /// Adds the parents of the rows, and wants the folders above them too. A parent stands before
    /// what it holds, so one pass from the end is enough.
    fn add_folders_above(&mut self) -> CatalogueResult<()> {
        let blob = open_column(self.db, self.place, self.tree, Column::Parent)?;
        self.tree.make_room(Column::Parent, blob.len());
        let rows = self.tree.rows();
        for start in (0..rows).step_by(ROWS).rev() {
            let block = start..(start + ROWS).min(rows);
            if !self.wanted.has_any_in(block.clone()) {
                continue;
            }
            let bytes = block.start * 4..block.end * 4;
            blob.read_at_exact(&mut self.tree.bytes_mut(Column::Parent)[bytes.clone()], bytes.start)?;
            if !self.tree.is_sound_in(block.clone()) {
                return Err(CatalogueError::Damaged);
            }
            for row in block.rev().filter(|row| *row > 0) {
                if self.wanted.has(row) {
                    self.wanted.add(self.tree.parent(NodeId::new(row)).row());
                }
            }
        }
        Ok(())
    }

    fn add(&mut self, column: Column) -> CatalogueResult<()> {
        if !self.tree.bytes(column).is_empty() {
            return Ok(()); // it was loaded as a whole
        }
        let width = match column {
            Column::Names => 1,
            column => match column.row_width() {
                Some(width) => width,
                None => return load_column(self.db, self.place, self.tree, column),
            },
        };
        let blob = open_column(self.db, self.place, self.tree, column)?;
        self.tree.make_room(column, blob.len());
        for block in blocks(&self.wanted) {
            let span = match column {
                Column::Names => self.tree.span_of_names(block.clone()),
                // A name begins where the one before ends.
                Column::NameEnd => block.start.saturating_sub(1) * width..block.end * width,
                _ => block.start * width..block.end * width,
            };
            let room = self.tree.bytes_mut(column).get_mut(span.clone()).ok_or(CatalogueError::Damaged)?;
            blob.read_at_exact(room, span.start)?;
            if column == Column::NameEnd && !self.tree.is_sound_in(span.start / width + 1..span.end / width) {
                return Err(CatalogueError::Damaged);
            }
            if column == Column::Names && !self.tree.names_are_sound(block) {
                return Err(CatalogueError::Damaged);
            }
        }
        Ok(())
    }
}

/// The blocks in which there is one of these rows; those side by side are one.
pub(super) fn blocks(wanted: &Rows) -> Vec<Range<usize>> {
    let rows = wanted.rows();
    let all = (0..rows).step_by(ROWS).map(|start| start..(start + ROWS).min(rows));
    let mut blocks: Vec<Range<usize>> = Vec::new();
    for block in all.filter(|block| wanted.has_any_in(block.clone())) {
        match blocks.last_mut() {
            Some(last) if last.end == block.start => last.end = block.end,
            _ => blocks.push(block),
        }
    }
    blocks
}

pub(super) fn open(
    db: &Connection,
    part: i64,
    only_read: bool,
) -> CatalogueResult<Option<rusqlite::blob::Blob<'_>>> {
    let there = db.prepare_cached("SELECT 1 FROM part WHERE id = ?1")?.exists([part])?;
    Ok(if there { Some(db.blob_open(MAIN_DB, "part", "bytes", part, only_read)?) } else { None })
}

fn save(
    db: &Transaction,
    address: &str,
    tree: &Tree,
    at: Moment,
    carried: CarriedOver,
) -> CatalogueResult<()> {
    let rows = tree.rows() as i64;
    // In a place that is kept for the first time all of them, and where another program has kept it meanwhile.
    let mut may_differ: fn(&Column) -> bool = |_| true;
    let place = match find(db, address)? {
        Some((_, later, _)) if later > at => return Ok(()),
        Some((place, kept_at, _)) => {
            let set = "UPDATE place SET scanned_at = ?2, rows = ?3 WHERE id = ?1";
            db.execute(set, params![place, at.0, rows])?;
            may_differ = match carried {
                CarriedOver::Whole(at) if at == kept_at => |column| {
                    *column == Column::Opened || LEARNED.contains(column) || OF_BYTES.contains(column)
                },
                CarriedOver::UnchangedSince(at) if at == kept_at => |column| !AS_BEFORE.contains(column),
                _ => may_differ,
            };
            place
        }
        None => {
            let add = "INSERT INTO place (address, scanned_at, rows) VALUES (?1, ?2, ?3)";
            db.execute(add, params![address, at.0, rows])?;
            db.last_insert_rowid()
        }
    };
    save_part(db, sight_part(place), &AT_SIGHT.to_le_bytes())?;
    save_columns(db, place, tree, Column::ALL.into_iter().filter(may_differ))
}

pub(super) fn save_learned(
    db: &Transaction,
    address: &str,
    tree: &Tree,
    at: Moment,
) -> CatalogueResult<bool> {
    match find(db, address)? {
        Some((place, scanned, _)) if scanned == at => {
            save_columns(db, place, tree, LEARNED)?;
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

fn save_columns(
    db: &Transaction,
    place: i64,
    tree: &Tree,
    columns: impl IntoIterator<Item = Column>,
) -> CatalogueResult<()> {
    for column in columns {
        match column {
            Column::Words => save_part(db, part(place, column), &tree.words())?,
            Column::AgeFrom => save_part(db, part(place, column), &tree.ages())?,
            column => save_part(db, part(place, column), tree.bytes(column))?,
        }
    }
    Ok(())
}

/// Writes a part, or of one that is there and as long, only what differs.
fn save_part(db: &Transaction, part: i64, bytes: &[u8]) -> CatalogueResult<()> {
    let as_long = open(db, part, true)?.is_some_and(|blob| blob.len() == bytes.len());
    if !as_long {
        // Room first, and then the bytes: as a value they would be copied three times on their way to the file.
        let put = "INSERT INTO part (id, bytes) VALUES (?1, zeroblob(?2))
            ON CONFLICT (id) DO UPDATE SET bytes = excluded.bytes";
        db.prepare_cached(put)?.execute(params![part, bytes.len() as i64])?;
    }
    let mut blob = db.blob_open(MAIN_DB, "part", "bytes", part, false)?;
    if !as_long {
        return Ok(blob.write_at(bytes, 0)?);
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
