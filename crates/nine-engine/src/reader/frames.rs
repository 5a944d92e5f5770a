//! Byte strings with their length before them, between the program and its reader.

use std::io::{self, Read, Write};

/// The longest frame: a file's bytes up to their bound.
const LONGEST: u64 = nine_stores::reading::bounds::FILE + 1024;

/// Writes a frame.
pub fn write_frame(to: &mut impl Write, bytes: &[u8]) -> io::Result<()> {
    to.write_all(&(bytes.len() as u64).to_le_bytes())?;
    to.write_all(bytes)?;
    to.flush()
}

/// Reads a frame; `None` at the end of all.
pub fn read_frame(from: &mut impl Read) -> io::Result<Option<Vec<u8>>> {
    let mut length = [0; 8];
    let first = from.read(&mut length)?;
    if first == 0 {
        return Ok(None);
    }
    from.read_exact(&mut length[first..])?;
    let length = u64::from_le_bytes(length);
    if length > LONGEST {
        return Err(io::Error::other("a frame is longer than any file that is read"));
    }
    let mut bytes = Vec::new();
    if from.take(length).read_to_end(&mut bytes)? as u64 != length {
        return Err(io::ErrorKind::UnexpectedEof.into());
    }
    Ok(Some(bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frames_are_read_as_they_were_written() {
        let mut pipe = Vec::new();
        for frame in [b"name".as_slice(), b"", &[7; 70_000]] {
            write_frame(&mut pipe, frame).unwrap();
        }
        let mut from = pipe.as_slice();
        assert_eq!(read_frame(&mut from).unwrap().unwrap(), b"name");
        assert_eq!(read_frame(&mut from).unwrap().unwrap(), b"");
        assert_eq!(read_frame(&mut from).unwrap().unwrap(), [7; 70_000]);
        assert_eq!(read_frame(&mut from).unwrap(), None);
        assert!(read_frame(&mut &pipe[..10]).is_err());
        assert!(read_frame(&mut [255; 8].as_slice()).is_err());
    }
}
