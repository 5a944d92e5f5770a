//! `{counter}`: a number where several items come to one name.

use std::ops::Range;

use serde::{Deserialize, Serialize};

use crate::place::{Name, NameBuf};

/// Where in a name a number stands that is given when the names around it are known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct NumberAt {
    /// Bytes before it.
    start: usize,
    /// Bytes that it takes in the name as it is; the least digits of another number.
    digits: usize,
}

impl NumberAt {
    /// Puts the first number where `placeholder` stands in a name.
    pub(super) fn first(name: &[u8], placeholder: &[u8], digits: usize) -> Option<(NameBuf, Self)> {
        let start = name.windows(placeholder.len()).position(|part| part == placeholder)?;
        let here = Self { start, digits: placeholder.len() };
        let number = Self::written(1, digits);
        Some((here.replaced(name, &number)?, Self { start, digits: number.len() }))
    }

    /// The name with another number.
    pub fn with(self, name: &NameBuf, number: usize) -> NameBuf {
        self.replaced(name, &Self::written(number, self.digits)).unwrap_or_else(|| name.clone())
    }

    /// Whether a name is this one but for its number.
    pub fn is_like(self, name: &NameBuf, other: Name) -> bool {
        let other = other.as_bytes();
        let (before, after) = (&name[..self.start], &name[self.range().end..]);
        let number = other.strip_prefix(before).and_then(|rest| rest.strip_suffix(after));
        number.is_some_and(|number| {
            number.len() >= self.digits
                && number.iter().all(u8::is_ascii_digit)
                && (number.len() == self.digits || number[0] != b'0')
        })
    }

    fn range(self) -> Range<usize> {
        self.start..self.start + self.digits
    }

    fn written(number: usize, digits: usize) -> Vec<u8> {
        format!("{number:0digits$}").into_bytes()
    }

    fn replaced(self, name: &[u8], by: &[u8]) -> Option<NameBuf> {
        NameBuf::new([&name[..self.start], by, &name[self.range().end..]].concat())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn another_number_takes_the_place_of_the_first() {
        let (name, at) = NumberAt::first(b"tide ## of May.jpg", b"##", 2).unwrap();
        assert_eq!(&*name, b"tide 01 of May.jpg");
        assert_eq!(&*at.with(&name, 7), b"tide 07 of May.jpg");
        assert_eq!(&*at.with(&name, 123), b"tide 123 of May.jpg");
        let is_like = |other: &[u8]| at.is_like(&name, Name::new(other).unwrap());
        assert!(is_like(b"tide 07 of May.jpg") && is_like(b"tide 123 of May.jpg"));
        assert!(!is_like(b"tide 7 of May.jpg") && !is_like(b"tide 012 of May.jpg"));
        assert!(!is_like(b"tide  of May.jpg") && !is_like(b"tide 07 of June.jpg"));
    }
}
