//! What a file's content is: by its first bytes, and of a container by what it holds.

use std::io::{self, BufReader, Read, Seek, SeekFrom};

use nine_core::kinds::containers::{list_of_members, members_in_list, of_entries, of_members, of_mimetype};
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::place::ItemPath;

use crate::{OpenFile, ReadStore, StoreResult};

/// Bytes from the end in which the end of a zip's list of members stands (a comment may follow it).
pub(crate) const ZIP_END: u64 = 22 + 0xffff;
/// Bytes of a zip's list of members that are looked at.
const ZIP_LIST: u64 = 1 << 20;
/// The largest compound document that is looked into: its table of sectors is read as a whole.
const COMPOUND: u64 = 512 << 20;
/// Entries of a compound document's root that are looked at.
const ENTRIES: usize = 10_000;
/// Where the volume descriptor of ISO 9660 has its mark.
const ISO_MARK: u64 = 32_769;

/// What a file of this size is.
///
/// # Errors
/// If it cannot be read.
pub fn content_of(store: &dyn ReadStore, path: &ItemPath, size: u64) -> StoreResult<Content> {
    // An empty file needs no look.
    if size == 0 {
        return Ok(Content::Empty);
    }
    let content = recognise(&store.first_bytes(path, FIRST_BYTES)?);
    let inside = match content {
        Content::Signature("application/zip") => in_zip(&*store.open_file(path)?, size)?,
        Content::Signature("application/x-ole-storage") if size <= COMPOUND => {
            in_compound(store.open_file(path)?, size)
        }
        // Large files without a known start may have their mark further in.
        Content::Bytes | Content::Signature("application/zlib") => {
            further_in(&*store.open_file(path)?, size)?
        }
        _ => None,
    };
    Ok(inside.map_or(content, Content::Signature))
}

fn read_at(file: &dyn OpenFile, offset: u64, length: u64) -> StoreResult<Vec<u8>> {
    let mut bytes = vec![0; length as usize];
    let filled = file.read_at(&mut bytes, offset)?;
    bytes.truncate(filled);
    Ok(bytes)
}

fn in_zip(file: &dyn OpenFile, size: u64) -> StoreResult<Option<&'static str>> {
    let end = ZIP_END.min(size);
    let last = read_at(file, size - end, end)?;
    let Some((at, length)) = list_of_members(&last).filter(|(at, _)| *at < size) else { return Ok(None) };
    let list = read_at(file, at, length.min(ZIP_LIST).min(size - at))?;
    let members = members_in_list(&list);
    if let Some(mimetype) = members.iter().find(|member| member.name == b"mimetype") {
        let head = read_at(file, mimetype.at.min(size), 200)?;
        if let Some(media) = mimetype.content_in(&head).and_then(of_mimetype) {
            return Ok(Some(media));
        }
    }
    Ok(of_members(members.iter().map(|member| member.name)))
}

/// A damaged one tells nothing.
fn in_compound(file: Box<dyn OpenFile>, size: u64) -> Option<&'static str> {
    let document = cfb::CompoundFile::open(BufReader::new(AsStream { file, size, at: 0 })).ok()?;
    let names: Vec<String> =
        document.read_root_storage().take(ENTRIES).map(|entry| entry.name().to_owned()).collect();
    of_entries(names.iter().map(String::as_str))
}

fn further_in(file: &dyn OpenFile, size: u64) -> StoreResult<Option<&'static str>> {
    if size > ISO_MARK + 5 && read_at(file, ISO_MARK, 5)? == b"CD001" {
        return Ok(Some("application/x-iso9660-image"));
    }
    let is_image = size > 512 && read_at(file, size - 512, 4)? == b"koly";
    Ok(is_image.then_some("application/x-apple-diskimage"))
}

/// An open file as a stream.
struct AsStream {
    file: Box<dyn OpenFile>,
    size: u64,
    at: u64,
}

impl Read for AsStream {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let filled = self.file.read_at(room, self.at).map_err(io::Error::other)?;
        self.at += filled as u64;
        Ok(filled)
    }
}

impl Seek for AsStream {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(by) => self.size.checked_add_signed(by),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
        };
        self.at = at.ok_or_else(|| io::Error::from(io::ErrorKind::InvalidInput))?;
        Ok(self.at)
    }
}
