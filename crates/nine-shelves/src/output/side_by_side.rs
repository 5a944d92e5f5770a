//! Very many lines, made by several threads and written in their order.

use std::io::{self, Write};
use std::thread::{available_parallelism, scope};

use super::table::{Cell, Table};

/// Lines that a thread makes at once. Fewer than two such shares are made without other threads.
const SHARE: usize = 1024;

/// Shares that are made at once, of which the caller makes the first.
fn rounds<T>(items: &[T]) -> impl Iterator<Item = (&[T], Vec<&[T]>)> {
    let threads = if items.len() < 2 * SHARE { 1 } else { available_parallelism().map_or(1, usize::from) };
    let share = if threads == 1 { items.len().max(1) } else { SHARE };
    items.chunks(share * threads).filter_map(move |round| {
        let mut shares = round.chunks(share);
        Some((shares.next()?, shares.collect()))
    })
}

/// Writes what `line` makes of each item.
pub fn write<T: Sync>(
    out: &mut impl Write,
    items: &[T],
    line: impl Fn(&T, &mut Vec<u8>) -> io::Result<()> + Sync,
) -> io::Result<()> {
    let made = |share: &[T]| -> io::Result<Vec<u8>> {
        let mut text = Vec::new();
        share.iter().try_for_each(|item| line(item, &mut text))?;
        Ok(text)
    };
    let made = &made;
    rounds(items).try_for_each(|(first, others)| {
        scope(|scope| {
            let others: Vec<_> = others.into_iter().map(|share| scope.spawn(|| made(share))).collect();
            out.write_all(&made(first)?)?;
            for other in others {
                out.write_all(&other.join().expect("lines are made without harm")?)?;
            }
            Ok(())
        })
    })
}

/// Makes room in a table for what `cells` makes of each item.
pub fn measure<T: Sync>(table: &mut Table, items: &[T], cells: impl Fn(&T) -> Vec<Cell> + Sync) {
    let measured = |mut own: Table, share: &[T]| {
        share.iter().for_each(|item| own.measure(&cells(item)));
        own
    };
    let measured = &measured;
    for (first, others) in rounds(items) {
        scope(|scope| {
            let spawn = |share| {
                let own = table.without_lines();
                scope.spawn(move || measured(own, share))
            };
            let others: Vec<_> = others.into_iter().map(spawn).collect();
            let first = measured(table.without_lines(), first);
            table.measure_like(&first);
            for other in others {
                table.measure_like(&other.join().expect("lines are measured without harm"));
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::output::table::{TableColumn, cell};

    #[test]
    fn however_many_lines_they_stand_in_their_order() {
        for many in [0, 1, SHARE, 2 * SHARE, 5 * SHARE + 7] {
            let items: Vec<usize> = (0..many).collect();
            let mut out = Vec::new();
            write(&mut out, &items, |item, out| writeln!(out, "{item}")).unwrap();
            let all: String = items.iter().map(|item| format!("{item}\n")).collect();
            assert!(out == all.as_bytes(), "{many}");
        }
    }

    #[test]
    fn the_widest_line_is_found_wherever_it_stands() {
        let items: Vec<usize> = (0..5 * SHARE).collect();
        for widest in [0, SHARE, items.len() - 1] {
            let mut table = Table::new(&[TableColumn::Left]);
            measure(&mut table, &items, |at| vec![cell(if *at == widest { "wide" } else { "x" })]);
            let look = crate::output::Look { width: 80, ascii: false, terminal: false };
            assert_eq!(table.widths(&look), [4], "{widest}");
        }
    }
}
