//! Very many lines, made by several threads and written in their order.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::sync::atomic::{AtomicBool, Ordering};

use nine_stores::{side_by_side, threads};

use super::table::{Cell, Table};

/// Lines that a thread makes at once.
const SHARE: usize = 1024;

/// Writes what `line` makes of each item.
pub fn write<T: Sync>(
    out: &mut impl Write,
    items: &[T],
    line: impl Fn(&T, &mut Vec<u8>) -> io::Result<()> + Sync,
) -> io::Result<()> {
    let shares: Vec<&[T]> = items.chunks(SHARE).collect();
    let is_over = AtomicBool::new(false);
    let made = |(): &mut (), share: &&[T]| {
        let mut text = Vec::new();
        let made = share.iter().try_for_each(|item| line(item, &mut text)).map(|()| text);
        (!is_over.load(Ordering::Relaxed)).then_some(made)
    };
    let (mut next, mut waiting, mut written) = (0, BTreeMap::new(), Ok(()));
    side_by_side(
        &shares,
        threads(),
        || (),
        made,
        |at, text: io::Result<Vec<u8>>| {
            waiting.insert(at, text);
            while let Some(text) = waiting.remove(&next) {
                next += 1;
                if written.is_ok() {
                    written = text.and_then(|text| out.write_all(&text));
                    // Nobody reads on.
                    is_over.store(written.is_err(), Ordering::Relaxed);
                }
            }
        },
    );
    written
}

/// Makes room in a table for what `cells` makes of each item.
pub fn measure<'t, T: Sync, C: AsRef<[Cell<'t>]>>(
    table: &mut Table<'t>,
    items: &[T],
    cells: impl Fn(&T) -> C + Sync,
) {
    let shares: Vec<&[T]> = items.chunks(SHARE).collect();
    let empty = table.without_lines();
    let measured = |(): &mut (), share: &&[T]| {
        let mut own = empty.without_lines();
        share.iter().for_each(|item| own.measure(cells(item).as_ref()));
        Some(own)
    };
    side_by_side(&shares, threads(), || (), measured, |_, own| table.measure_like(&own));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::output::table::{TableColumn, cell};

    #[test]
    fn however_many_lines_they_stand_in_their_order() {
        for many in [0, 1, SHARE, 2 * SHARE, 9 * SHARE + 7] {
            let items: Vec<usize> = (0..many).collect();
            let mut out = Vec::new();
            // The first take longer, so that later ones come before them.
            let line = |item: &usize, out: &mut Vec<u8>| {
                if item.is_multiple_of(3 * SHARE) {
                    std::thread::sleep(std::time::Duration::from_millis(5));
                }
                writeln!(out, "{item}")
            };
            write(&mut out, &items, line).unwrap();
            let all: String = items.iter().map(|item| format!("{item}\n")).collect();
            assert!(out == all.as_bytes(), "{many}");
        }
    }

    #[test]
    fn where_nobody_reads_on_that_is_told() {
        let items: Vec<usize> = (0..9 * SHARE).collect();
        let mut full = [0_u8; 100];
        let written = write(&mut full.as_mut_slice(), &items, |item, out| writeln!(out, "{item}"));
        assert_eq!(written.unwrap_err().kind(), io::ErrorKind::WriteZero);
    }

    #[test]
    fn the_widest_line_is_found_wherever_it_stands() {
        let items: Vec<usize> = (0..5 * SHARE).collect();
        for widest in [0, SHARE, items.len() - 1] {
            let mut table = Table::new(&[TableColumn::Left]);
            measure(&mut table, &items, |at| vec![cell(if *at == widest { "wide" } else { "x" })]);
            let look = crate::output::Look { width: 80, ascii: false, terminal: false, color: true };
            assert_eq!(table.widths(&look), [4], "{widest}");
        }
    }
}
