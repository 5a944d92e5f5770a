//! Sizes in bytes, as people write and read them.

use std::fmt;

/// The units that a size may be written in, largest first within each family.
const UNITS: [(&str, u64); 8] = [
    ("TB", 1_000_000_000_000),
    ("GB", 1_000_000_000),
    ("MB", 1_000_000),
    ("KB", 1_000),
    ("GiB", 1 << 30),
    ("MiB", 1 << 20),
    ("KiB", 1 << 10),
    ("B", 1),
];

/// A number of bytes as it stands in a condition: kept exactly, printed in the largest unit that
/// divides it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bytes(pub u64);

/// What a written size may look like.
pub const EXPECTED: &str = "a size such as 500KB, 1.5GB or 200MiB";

impl Bytes {
    /// Reads `1GB`, `10 MB`, `1.5MiB`, `300KB`, `20B` or a bare number of bytes. Letter case does not matter.
    pub fn parse(text: &str) -> Option<Self> {
        let split = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
        let (number, unit) = text.split_at(split);
        let unit = unit.trim_start();
        let factor = if unit.is_empty() {
            1
        } else {
            UNITS.iter().find(|(name, _)| name.eq_ignore_ascii_case(unit))?.1
        };
        let (whole, part) = number.split_once('.').unwrap_or((number, ""));
        if whole.is_empty() || part.len() > 9 || (number.contains('.') && part.is_empty()) {
            return None;
        }
        let whole: u128 = whole.parse().ok()?;
        let tenth = 10u128.pow(part.len() as u32);
        let part: u128 = if part.is_empty() { 0 } else { part.parse().ok()? };
        let bytes = whole.checked_mul(u128::from(factor))? + part * u128::from(factor) / tenth;
        u64::try_from(bytes).ok().map(Self)
    }
}

impl fmt::Display for Bytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let fits = |(_, factor): &&(&str, u64)| self.0 != 0 && self.0.is_multiple_of(*factor);
        let unit = UNITS.iter().find(fits).unwrap_or(&("B", 1));
        write!(f, "{}{}", self.0 / unit.1, unit.0)
    }
}

/// A size for people: `1.2 GB`, `310 KB`, `12 B`.
pub fn readable(bytes: u64) -> String {
    let (unit, factor) = match bytes {
        0..1_000 => return format!("{bytes} B"),
        1_000..999_500 => ("KB", 1e3),
        999_500..999_500_000 => ("MB", 1e6),
        999_500_000..999_500_000_000 => ("GB", 1e9),
        _ => ("TB", 1e12),
    };
    let value = bytes as f64 / factor;
    if value < 9.95 { format!("{value:.1} {unit}") } else { format!("{value:.0} {unit}") }
}

/// A count for people, in groups of three: `12,480`.
pub fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// A counted noun: `1 step`, `12 steps`.
pub fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{} {}", count(number), if number == 1 { one } else { many })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn sizes_are_read_in_both_families() {
        assert_eq!(Bytes::parse("1GB"), Some(Bytes(1_000_000_000)));
        assert_eq!(Bytes::parse("1.5mib"), Some(Bytes(1_572_864)));
        assert_eq!(Bytes::parse("10 MB"), Bytes::parse("10MB"));
        assert_eq!(Bytes::parse("0"), Some(Bytes(0)));
        for wrong in ["", "GB", "1.", ".5GB", "1XB", "-1KB", "99999999999GB"] {
            assert_eq!(Bytes::parse(wrong), None, "{wrong}");
        }
    }

    #[test]
    fn readable_sizes_are_short() {
        assert_eq!(readable(0), "0 B");
        assert_eq!(readable(1_234), "1.2 KB");
        assert_eq!(readable(999_499), "999 KB");
        assert_eq!(readable(999_500), "1.0 MB");
        assert_eq!(readable(12_345_678), "12 MB");
        assert_eq!(count(1_234_567), "1,234,567");
        assert_eq!(counted(1, "step", "steps"), "1 step");
    }

    proptest! {
        #[test]
        fn printed_sizes_are_read_back(bytes: u64) {
            prop_assert_eq!(Bytes::parse(&Bytes(bytes).to_string()), Some(Bytes(bytes)));
        }
    }
}
