//! A place's columns in parts: a window of rows after the other, in memory that is used again. Memory that is new costs
//! more than all else that is done with a column in a search.

use std::ops::{ControlFlow, Range};

use nine_core::find::Rows;
use nine_core::tree::{Column, Tree};
use rusqlite::blob::Blob;

use super::listing::{self, open_column};
use super::{Catalogue, CatalogueError, CatalogueResult};

/// Rows of a window: few enough that its columns stay near the processor.
const ROWS: usize = 32 * 1024;

/// Bytes of a size.
const SIZE: usize = size_of::<u64>();

impl Catalogue {
    /// Shows a place as it is known, window by window, until `see` has seen enough. The columns are such as have a
    /// [`Column::window_width`], or [`Column::Names`], or [`Column::Words`].
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn in_windows(
        &self,
        address: &str,
        columns: &[Column],
        mut see: impl FnMut(&mut Window) -> CatalogueResult<ControlFlow<()>>,
    ) -> CatalogueResult<()> {
        let db = self.db.lock();
        let (place, _, rows) = listing::find(&db, address)?.ok_or(CatalogueError::Damaged)?;
        let whole = Tree::of_rows(rows);
        let open = |column| open_column(&db, place, &whole, column);
        let mut window = Window {
            of: rows,
            rows: 0..0,
            tree: Tree::default(),
            columns: Vec::new(),
            names_end: 0,
            sizes: open(Column::Size)?,
            sizes_read: Tree::default(),
        };
        for column in columns {
            match column {
                Column::Words => listing::load_column(&db, place, &mut window.tree, *column)?,
                column => window.add(*column, open(*column)?)?,
            }
        }
        while window.slide()? {
            if see(&mut window)?.is_break() {
                break;
            }
        }
        Ok(())
    }
}

/// Some rows of a place side by side.
pub struct Window<'c> {
    /// How many rows the place has.
    of: usize,
    rows: Range<usize>,
    tree: Tree,
    /// In the order in which they are read: names are found by their ends.
    columns: Vec<(Column, Blob<'c>)>,
    /// Where in the column of names those of the window end.
    names_end: u32,
    sizes: Blob<'c>,
    /// Where sizes are read to that are only added up.
    sizes_read: Tree,
}

impl<'c> Window<'c> {
    /// Which rows of the place they are; the first is a multiple of 64.
    pub fn rows(&self) -> Range<usize> {
        self.rows.clone()
    }

    /// The rows as a tree of their own. Its first row stands for a place only if it is that of the place.
    pub fn tree(&self) -> &Tree {
        &self.tree
    }

    /// The sum of the sizes of some of its rows, in bytes.
    ///
    /// # Errors
    /// If the catalogue is damaged or cannot be read.
    pub fn bytes_of(&mut self, rows: &Rows) -> CatalogueResult<u64> {
        if !self.tree.bytes(Column::Size).is_empty() {
            return Ok(rows.ids().map(|id| self.tree.size(id)).sum());
        }
        self.sizes_read.start_window(rows.rows());
        self.sizes_read.make_room(Column::Size, rows.rows() * SIZE);
        for block in listing::blocks(rows) {
            let room = &mut self.sizes_read.bytes_mut(Column::Size)[block.start * SIZE..block.end * SIZE];
            self.sizes.read_at_exact(room, (self.rows.start + block.start) * SIZE)?;
        }
        Ok(rows.ids().map(|id| self.sizes_read.size(id)).sum())
    }

    /// Adds a column to those that are read. One that nobody learned anything of is left out.
    fn add(&mut self, column: Column, blob: Blob<'c>) -> CatalogueResult<()> {
        match column.window_width() {
            Some(width) if blob.len() == self.of * width => {}
            Some(_) if blob.is_empty() => return Ok(()),
            None if column == Column::Names => {}
            _ => return Err(CatalogueError::Damaged),
        }
        let at = if column == Column::NameEnd { 0 } else { self.columns.len() };
        self.columns.insert(at, (column, blob));
        Ok(())
    }

    /// Goes on to the next rows; says whether there are any.
    fn slide(&mut self) -> CatalogueResult<bool> {
        self.rows = self.rows.end..(self.rows.end + ROWS).min(self.of);
        let (rows, names_start) = (self.rows.clone(), self.names_end);
        if rows.is_empty() {
            return Ok(false);
        }
        self.tree.start_window(rows.len());
        for (column, blob) in &self.columns {
            let bytes = match column.window_width() {
                Some(width) => rows.start * width..rows.end * width,
                None => names_start as usize..self.names_end as usize,
            };
            if bytes.start > bytes.end || bytes.end > blob.len() {
                return Err(CatalogueError::Damaged);
            }
            self.tree.make_room(*column, bytes.len());
            blob.read_at_exact(self.tree.bytes_mut(*column), bytes.start)?;
            if *column == Column::NameEnd {
                self.names_end = self.tree.span_of_names(0..rows.len()).end as u32;
                self.tree.count_ends_from(names_start);
            }
        }
        if self.tree.is_sound() { Ok(true) } else { Err(CatalogueError::Damaged) }
    }
}
