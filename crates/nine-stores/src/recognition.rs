//! What a file's content is: by its first bytes, and of a container by what it holds.

use nine_core::kinds::containers::{list_of_members, members_in_list, of_entries, of_members, of_mimetype};
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::place::ItemPath;

use crate::reading::bounds;
use crate::{OpenFile, ReadStore, StoreResult};

/// Bytes from the end in which the end of a zip's list of members stands (a comment may follow it).
pub(crate) const ZIP_END: u64 = 22 + 0xffff;
/// Bytes of a zip's list of members that are looked at.
const ZIP_LIST: u64 = 1 << 20;
/// Where the volume descriptor of ISO 9660 has its mark.
const ISO_MARK: u64 = 32_769;

/// Looks into containers whose parsers may fail on hostile files: in a process of its own.
pub trait ContainerReader: Sync {
    /// The names in the root of the compound document `name`; none if it cannot be read.
    fn compound_names(&self, name: &[u8], bytes: &[u8]) -> Vec<String>;
}

/// Leaves containers unread: the outermost signature counts.
#[derive(Debug, Clone, Copy)]
pub struct NoContainers;

impl ContainerReader for NoContainers {
    fn compound_names(&self, _: &[u8], _: &[u8]) -> Vec<String> {
        Vec::new()
    }
}

/// What a file of this size is.
///
/// # Errors
/// If it cannot be read.
pub fn content_of(
    store: &dyn ReadStore,
    containers: &dyn ContainerReader,
    path: &ItemPath,
    size: u64,
) -> StoreResult<Content> {
    // An empty file needs no look.
    if size == 0 {
        return Ok(Content::Empty);
    }
    let content = recognise(&store.first_bytes(path, FIRST_BYTES)?);
    let inside = match content {
        Content::Signature("application/zip") => in_zip(&*store.open_file(path)?, size)?,
        // It is read as a whole, since its table of sectors may be anywhere in it.
        Content::Signature("application/x-ole-storage") if size <= bounds::FILE => {
            let names = containers.compound_names(path.name(), &read_at(&*store.open_file(path)?, 0, size)?);
            of_entries(names.iter().map(String::as_str))
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

fn further_in(file: &dyn OpenFile, size: u64) -> StoreResult<Option<&'static str>> {
    if size > ISO_MARK + 5 && read_at(file, ISO_MARK, 5)? == b"CD001" {
        return Ok(Some("application/x-iso9660-image"));
    }
    let is_image = size > 512 && read_at(file, size - 512, 4)? == b"koly";
    Ok(is_image.then_some("application/x-apple-diskimage"))
}
