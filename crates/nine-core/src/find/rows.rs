//! A set of rows: one bit each.

use crate::item::Kind;
use crate::tree::{NodeId, Tree};

/// Fewer rows than this are not worth a second thread.
const AT_ONCE: usize = 16 * 1024;

/// Fewer rows of 64 than this are asked one by one.
const FEW: u32 = 12;

/// A set of rows of one tree.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rows {
    words: Vec<u64>,
    rows: usize,
}

impl Rows {
    /// No row out of so many.
    pub fn none(rows: usize) -> Self {
        Self { words: vec![0; rows.div_ceil(64)], rows }
    }

    /// All of them.
    pub fn all(rows: usize) -> Self {
        let mut words = vec![u64::MAX; rows.div_ceil(64)];
        if let Some(last) = words.last_mut().filter(|_| !rows.is_multiple_of(64)) {
            *last = (1 << (rows % 64)) - 1;
        }
        Self { words, rows }
    }

    /// All of them but the first, which is the place itself.
    pub fn all_but_root(rows: usize) -> Self {
        let mut all = Self::all(rows);
        if let Some(first) = all.words.first_mut() {
            *first &= !1;
        }
        all
    }

    /// Those of `self` for which `holds` is true. Asks for no other.
    #[inline]
    pub fn filter(&self, mut holds: impl FnMut(usize) -> bool) -> Self {
        let mut words = vec![0; self.words.len()];
        for (at, word) in self.words.iter().enumerate() {
            if *word == 0 {
                continue;
            }
            let mut found = 0;
            if *word == u64::MAX {
                // Whole words are the usual case, and a loop without a jump is several times as quick.
                for bit in 0..64 {
                    found |= u64::from(holds(at * 64 + bit)) << bit;
                }
                words[at] = found;
                continue;
            }
            let mut left = *word;
            while left != 0 {
                let bit = left.trailing_zeros();
                left &= left - 1;
                found |= u64::from(holds(at * 64 + bit as usize)) << bit;
            }
            words[at] = found;
        }
        Self { words, rows: self.rows }
    }

    /// Those of `self` for whose value in a column `holds` is true; a row that the column does not reach has the usual
    /// value. Of rows side by side all are asked about, which is several times as quick as [`Rows::filter`].
    #[inline]
    pub fn filter_column<T: Copy + Default>(&self, column: &[T], holds: impl Fn(T) -> bool) -> Self {
        let block = |(at, word): (usize, &u64)| match *word {
            0 => 0,
            word => {
                let rest = column.get(at * 64..).unwrap_or_default();
                if word.count_ones() < FEW {
                    let value = |bit: u32| rest.get(bit as usize).copied().unwrap_or_default();
                    return ones(word).filter(|bit| holds(value(*bit))).fold(0, |word, bit| word | 1 << bit);
                }
                word & match rest.first_chunk() {
                    Some(values) => bits(values, &holds),
                    None => {
                        let mut values = [T::default(); 64];
                        values[..rest.len()].copy_from_slice(rest);
                        bits(&values, &holds)
                    }
                }
            }
        };
        Self { words: self.words.iter().enumerate().map(block).collect(), rows: self.rows }
    }

    /// The folders of a tree, among them the place itself.
    pub fn folders(tree: &Tree) -> Self {
        Self::all(tree.rows()).filter_column(tree.kinds(), |kind| Tree::stands_for(kind, Kind::Folder))
    }

    /// The rows of a tree that have one of these bits of [`crate::tree::mark`].
    pub fn marked(tree: &Tree, mark: u8) -> Self {
        Self::all(tree.rows()).filter_column(tree.marks(), |marks| marks & mark != 0)
    }

    /// The same as [`Rows::filter`] for what takes long to answer: half of the rows are asked about on
    /// another thread, each half by what `ask` makes for it.
    pub fn filter_at_once<H: FnMut(usize) -> bool>(&self, ask: impl Fn() -> H + Sync) -> Self {
        let middle = self.words.len() / 2;
        if self.len() < AT_ONCE {
            return self.filter(ask());
        }
        let half = |words: &[u64], from: usize| {
            let (part, mut holds) = (Self { words: words.to_vec(), rows: words.len() * 64 }, ask());
            part.filter(|row| holds(from * 64 + row)).words
        };
        let (first, second) = std::thread::scope(|scope| {
            let second = scope.spawn(|| half(&self.words[middle..], middle));
            let first = half(&self.words[..middle], 0);
            (first, second.join())
        });
        match second {
            Ok(second) => Self { words: [first, second].concat(), rows: self.rows },
            Err(panic) => std::panic::resume_unwind(panic),
        }
    }

    /// Out of how many rows this is.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Adds all rows of a window, the first of which is the row `start`, a multiple of 64.
    pub fn add_window(&mut self, start: usize, window: &Self) {
        self.words[start / 64..].iter_mut().zip(&window.words).for_each(|(all, one)| *all |= one);
    }

    /// Adds a row.
    pub fn add(&mut self, row: usize) {
        self.words[row / 64] |= 1 << (row % 64);
    }

    /// Whether a row is in it.
    pub fn has(&self, row: usize) -> bool {
        self.words[row / 64] & (1 << (row % 64)) != 0
    }

    /// Whether a row of a range is in it.
    pub fn has_any_in(&self, mut range: std::ops::Range<usize>) -> bool {
        if range.start.is_multiple_of(64) && range.end.is_multiple_of(64) {
            return self.words[range.start / 64..range.end / 64].iter().any(|word| *word != 0);
        }
        range.any(|row| self.has(row))
    }

    /// Rows that are in both.
    pub fn and(mut self, other: &Self) -> Self {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a &= b);
        self
    }

    /// Rows that are in either.
    pub fn or(mut self, other: &Self) -> Self {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a |= b);
        self
    }

    /// Rows that are in this and not in the other.
    pub fn without(mut self, other: &Self) -> Self {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a &= !b);
        self
    }

    /// Whether no row is in it.
    pub fn is_empty(&self) -> bool {
        self.words.iter().all(|word| *word == 0)
    }

    /// How many rows are in it.
    pub fn len(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    /// The rows in order.
    pub fn ids(&self) -> impl Iterator<Item = NodeId> {
        let of = |(at, word): (usize, &u64)| ones(*word).map(move |bit| NodeId::new(at * 64 + bit as usize));
        self.words.iter().enumerate().flat_map(of)
    }
}

/// The places of the ones in a word, rising.
fn ones(word: u64) -> impl Iterator<Item = u32> {
    let rest = |left: &u64| Some(left & left.wrapping_sub(1)).filter(|left| *left != 0);
    std::iter::successors(Some(word).filter(|word| *word != 0), rest).map(u64::trailing_zeros)
}

/// For which of 64 values something holds, a bit each, the first one lowest.
#[inline]
fn bits<T: Copy>(values: &[T; 64], holds: &impl Fn(T) -> bool) -> u64 {
    // Bytes first, without a jump; eight of them, each 0 or 1, are put together by one product, whose upper byte has
    // the one at 8 i by way of the factor's bit at 56 - 7 i. No two of its parts meet.
    let mut bytes = [0; 64];
    bytes.iter_mut().zip(values).for_each(|(byte, value)| *byte = u8::from(holds(*value)));
    let (eights, _) = bytes.as_chunks();
    let packed =
        eights.iter().map(|eight| u64::from_le_bytes(*eight).wrapping_mul(0x0102_0408_1020_4080) >> 56);
    packed.rev().fold(0, |word, byte| word << 8 | byte)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn columns_are_asked_as_rows_are(
            column in proptest::collection::vec(0..4_u32, 0..300), rows in 1..300_usize, wanted in 0..4_u32, step in 1..80_usize,
        ) {
            let among = Rows::all(rows).filter(|row| row % step == 0 || row % 7 == 0);
            let value = |row: usize| column.get(row).copied().unwrap_or(0);
            let expected = among.filter(|row| value(row) == wanted);
            prop_assert_eq!(among.filter_column(&column, |value| value == wanted), expected);
        }
    }

    #[test]
    fn sets_behave_as_sets() {
        let all = Rows::all(130);
        assert_eq!(all.len(), 130);
        let thirds = all.filter(|row| row % 3 == 0);
        let fives = all.filter(|row| row % 5 == 0);
        let both: Vec<usize> = thirds.clone().and(&fives).ids().map(NodeId::row).collect();
        assert_eq!(both, [0, 15, 30, 45, 60, 75, 90, 105, 120]);
        assert_eq!(thirds.clone().or(&fives).len(), 44 + 26 - 9);
        assert_eq!(thirds.clone().without(&fives).len(), 44 - 9);
        let many = Rows::all(100_001);
        assert_eq!(many.filter_at_once(|| |row| row % 7 == 0), many.filter(|row| row % 7 == 0));
        assert!(thirds.has_any_in(0..64) && !thirds.has_any_in(1..3) && !Rows::all_but_root(9).has(0));
        assert!(Rows::none(130).is_empty() && thirds.has(129) && !thirds.has(128));
    }
}
