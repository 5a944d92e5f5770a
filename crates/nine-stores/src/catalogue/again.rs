//! Looking again at a place that is known: what an earlier scan found, and what of it still holds.

use nine_core::moment::Moment;
use nine_core::tree::{AT_SIGHT, Column, NodeId, Tree};
use rusqlite::Connection;

use super::listing::{CarriedOver, KeptPlace, find, load, load_column, open, sight_part};
use super::{Catalogue, CatalogueError, CatalogueResult};
use crate::{Earlier, EarlierScan};

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

/// What is known of bytes, carried over once the columns above have left the memory.
pub(super) const OF_BYTES: [Column; 5] =
    [Column::Ends, Column::Whole, Column::Digests, Column::Pixels, Column::Prints];

impl Catalogue {
    /// What an earlier scan of a place found, for [`crate::ReadStore::refresh`]; `None` also where a program kept it that
    /// read names by other rules.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn earlier(&self, address: &str) -> CatalogueResult<Option<EarlierScan>> {
        let db = self.db.lock();
        let read = db.unchecked_transaction()?;
        let Some((place, ..)) = find(&read, address)? else { return Ok(None) };
        let Some(sight) = open(&read, sight_part(place), true)? else { return Ok(None) };
        let mut told = [0; size_of::<u64>()];
        if sight.len() != told.len() {
            return Ok(None);
        }
        sight.read_at_exact(&mut told, 0)?;
        drop(sight);
        if u64::from_le_bytes(told) != AT_SIGHT {
            return Ok(None);
        }
        // Ages are made of others.
        let others = |column: &Column| !OF_BYTES.contains(column) && *column != Column::AgeFrom;
        let columns: Vec<Column> = Column::ALL.into_iter().filter(others).collect();
        let Some(KeptPlace { tree, at }) = load(&read, address, &columns)? else { return Ok(None) };
        match tree.is_well_formed() {
            true => Ok(Some(EarlierScan { tree, at, sync_token: None })),
            false => Err(CatalogueError::Damaged),
        }
    }

    /// Carries over into a tree that was scanned at `at` what is known of entries that have not changed,
    /// also where they came from another place. `earlier` is what became of [`Catalogue::earlier`] in the scan.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn carry_over(
        &self,
        address: &str,
        tree: &mut Tree,
        at: Moment,
        earlier: Earlier,
    ) -> CatalogueResult<CarriedOver> {
        let db = self.db.lock();
        let read = db.unchecked_transaction()?;
        let kept = find(&read, address)?;
        let is_last = |scanned: Moment| kept.is_some_and(|(_, last, _)| last == scanned);
        let before = match earlier {
            Earlier::Same(scanned) if is_last(scanned) => {
                let place = kept.map_or(0, |(place, ..)| place);
                OF_BYTES.iter().try_for_each(|column| load_column(&read, place, tree, *column))?;
                // Of the other columns that was asked when they were read.
                return match tree.columns_fit() {
                    true => Ok(CarriedOver::Whole(scanned)),
                    false => Err(CatalogueError::Damaged),
                };
            }
            Earlier::Differs(earlier) if is_last(earlier.at) => Some(only_carried(*earlier)),
            // Another program has kept the place meanwhile, or there is none.
            _ => load(&read, address, &CARRIED)?,
        };
        let rows: Vec<NodeId> = std::iter::once(Tree::ROOT).chain(tree.ids()).collect();
        let Some(mut before) = before else {
            // Nobody knows when what lies here at the first look has arrived.
            carry_from_others(&read, address, tree, rows)?;
            return Ok(CarriedOver::Anew);
        };
        before.tree.take_volume_of(tree);
        let mut carried = tree.carry_over(rows, &before.tree, before.at);
        let kept_at = before.at;
        drop(before);
        if let Some(bytes) = load(&read, address, &OF_BYTES)? {
            tree.carry_bytes(&carried, &bytes.tree);
        }
        let (mut strangers, all_same) = (std::mem::take(&mut carried.strangers), carried.all_same);
        drop(carried);
        if !strangers.is_empty() {
            strangers = carry_from_others(&read, address, tree, strangers)?;
        }
        tree.date_arrivals(&strangers, at);
        Ok(if all_same { CarriedOver::UnchangedSince(kept_at) } else { CarriedOver::Anew })
    }
}

/// What is needed of an earlier scan to carry over what was learned; the rest leaves the memory.
fn only_carried(earlier: EarlierScan) -> KeptPlace {
    let EarlierScan { mut tree, at, .. } = earlier;
    let others = Column::ALL.iter().filter(|column| !CARRIED.contains(column));
    others.for_each(|column| tree.make_room(*column, 0));
    KeptPlace { tree, at }
}

/// Looks for entries that are new to a place among those of all the others: they were moved.
fn carry_from_others(
    db: &Connection,
    address: &str,
    tree: &mut Tree,
    mut strangers: Vec<NodeId>,
) -> CatalogueResult<Vec<NodeId>> {
    let mut asked = db.prepare("SELECT address FROM place WHERE address <> ?1 ORDER BY id")?;
    let others: Vec<String> = asked.query_map([address], |row| row.get(0))?.collect::<Result<_, _>>()?;
    for other in others {
        // Mostly they are new everywhere, so nothing more than that is read.
        let known = load(db, &other, &[Column::Identity])?;
        if !known.is_some_and(|known| known.tree.holds_any_of(&strangers, tree)) {
            continue;
        }
        if let Some(known) = load(db, &other, &CARRIED)? {
            let mut carried = tree.carry_over(strangers, &known.tree, known.at);
            if let Some(bytes) = load(db, &other, &OF_BYTES)? {
                tree.carry_bytes(&carried, &bytes.tree);
            }
            strangers = std::mem::take(&mut carried.strangers);
        }
    }
    Ok(strangers)
}
