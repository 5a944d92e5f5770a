//! The order of names in which people count.

use super::fold_bytes;

/// A key under which names sort the way people count: `2` before `10`, letter case ignored.
///
/// A run of digits is written as a `0`, its length without leading zeros, and its digits, so that
/// keys compare byte by byte.
pub fn natural_key(name: &[u8]) -> Vec<u8> {
    let mut key = Vec::with_capacity(name.len() + 4);
    write_natural_key(name, &mut key);
    key
}

/// Writes [`natural_key`] behind what `key` holds already.
pub fn write_natural_key(name: &[u8], key: &mut Vec<u8>) {
    match name.is_ascii() {
        true => key.extend(KeyBytes::of(name)),
        false => key.extend(KeyBytes::of(fold_bytes(name).as_bytes())),
    }
}

/// The first sixteen bytes of [`natural_key`] as one number, which compares as they do: zeros stand behind a shorter
/// key, and no key ends in such a way that another goes on from there with a zero.
pub fn natural_key_begins(name: &[u8]) -> u128 {
    match name.is_ascii() {
        true => first_bytes(KeyBytes::of(name)),
        false => first_bytes(KeyBytes::of(fold_bytes(name).as_bytes())),
    }
}

fn first_bytes(bytes: impl Iterator<Item = u8>) -> u128 {
    let mut first = [0; 16];
    first.iter_mut().zip(bytes).for_each(|(first, byte)| *first = byte);
    u128::from_be_bytes(first)
}

/// The bytes of a key, from a name that is folded already or is ASCII.
struct KeyBytes<'n> {
    rest: &'n [u8],
    /// How many of the rest are digits of a number whose beginning was told.
    digits: usize,
    /// The length of a number that was begun, as the next byte tells it.
    length: Option<u8>,
}

impl<'n> KeyBytes<'n> {
    fn of(name: &'n [u8]) -> Self {
        Self { rest: name, digits: 0, length: None }
    }

    /// Leaves out the zeros in front of a number, and tells that one begins.
    fn begin_number(&mut self) -> u8 {
        let digits = run(self.rest, u8::is_ascii_digit);
        let zeros = run(&self.rest[..digits], |digit| *digit == b'0');
        self.rest = &self.rest[zeros..];
        self.digits = digits - zeros;
        self.length = Some(self.digits.min(usize::from(u8::MAX)) as u8);
        b'0'
    }
}

impl Iterator for KeyBytes<'_> {
    type Item = u8;

    fn next(&mut self) -> Option<u8> {
        if let Some(length) = self.length.take() {
            return Some(length);
        }
        let (first, rest) = self.rest.split_first()?;
        match self.digits.checked_sub(1) {
            Some(digits) => self.digits = digits,
            None if first.is_ascii_digit() => return Some(self.begin_number()),
            None => {}
        }
        self.rest = rest;
        Some(first.to_ascii_lowercase())
    }
}

/// How many bytes at the beginning are of a kind.
fn run(bytes: &[u8], is_one: impl Fn(&u8) -> bool) -> usize {
    bytes.iter().position(|byte| !is_one(byte)).unwrap_or(bytes.len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn people_count_two_before_ten() {
        let mut names = ["img10", "Img2", "img2", "img1", "img02", "äpfel", "zoo"];
        names.sort_by_key(|name| (natural_key(name.as_bytes()), name.to_owned()));
        assert_eq!(names, ["img1", "Img2", "img02", "img2", "img10", "zoo", "äpfel"]);
    }

    /// The same, a run at a time.
    fn by_runs(name: &[u8]) -> Vec<u8> {
        let text = fold_bytes(name).into_bytes();
        let mut key = Vec::new();
        for part in text.chunk_by(|a, b| a.is_ascii_digit() == b.is_ascii_digit()) {
            if part[0].is_ascii_digit() {
                let number = &part[run(part, |digit| *digit == b'0')..];
                key.extend([b'0', number.len().min(255) as u8]);
                key.extend_from_slice(number);
            } else {
                key.extend_from_slice(part);
            }
        }
        key
    }

    proptest! {
        #[test]
        fn numbers_stand_by_what_they_count(
            before in "[a-z ]{0,4}", a in any::<u64>(), b in any::<u64>(), zeros in 0..4_usize, behind in "[.-]?[a-z]{0,3}",
        ) {
            let key = |number: u64, zeros| natural_key(format!("{before}{}{number}{behind}", "0".repeat(zeros)).as_bytes());
            prop_assert_eq!(key(a, zeros).cmp(&key(b, 0)), a.cmp(&b));
        }

        #[test]
        fn keys_are_as_they_are_told(
            name in proptest::collection::vec(any::<u8>(), 0..300),
            short in "(0|[0-9][A-Za-z]|[0-9]{1,9}|[A-Z _.é]{0,12}){0,9}",
            number in "[0-9]{250,260}",
        ) {
            for name in [name, short.into_bytes(), number.into_bytes()] {
                prop_assert_eq!(natural_key(&name), by_runs(&name));
            }
        }

        #[test]
        fn keys_compare_as_they_begin(a in "[aA0-9é]{0,20}", b in "[aA0-9é]{0,20}") {
            let (whole, begin) = (|name: &str| natural_key(name.as_bytes()), |name: &str| natural_key_begins(name.as_bytes()));
            if begin(&a) != begin(&b) {
                prop_assert_eq!(begin(&a).cmp(&begin(&b)), whole(&a).cmp(&whole(&b)));
            }
        }
    }
}
