//! What comes from elsewhere, read up to a bound: a server, a pack or a file may hold more than anybody wants in
//! memory.

use std::io::{self, Read};

/// What there is, but no more than `most` bytes from the start.
///
/// # Errors
/// If it cannot be read.
pub fn up_to(from: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    append(from, most, &mut bytes)?;
    Ok(bytes)
}

/// The same behind other bytes, where what was read before it broke off is of use.
///
/// # Errors
/// If it cannot be read to its end.
pub fn append(from: impl Read, most: u64, bytes: &mut Vec<u8>) -> io::Result<()> {
    from.take(most).read_to_end(bytes).map(drop)
}

/// All there is; `None` if it is more than `most` bytes.
///
/// # Errors
/// If it cannot be read.
pub fn whole(from: impl Read, most: u64) -> io::Result<Option<Vec<u8>>> {
    // One byte more tells that there is more.
    let bytes = up_to(from, most.saturating_add(1))?;
    Ok((bytes.len() as u64 <= most).then_some(bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_more_is_read_than_is_wanted() {
        let endless = || io::repeat(7);
        assert_eq!(up_to(endless(), 3).unwrap(), [7, 7, 7]);
        assert_eq!(up_to(&b"ab"[..], 3).unwrap(), b"ab");
        assert_eq!(whole(endless(), 1000).unwrap(), None);
        assert_eq!(whole(&b"abc"[..], 3).unwrap().as_deref(), Some(&b"abc"[..]));
        assert_eq!(whole(&b"abcd"[..], 3).unwrap(), None);
    }
}
