//! tar (POSIX.1-2001, with its pax records) compressed with Zstandard (RFC 8878). It keeps names, times and
//! extended attributes as they are; the attributes as `SCHILY.xattr.` records, which other tars write too.

use std::ffi::OsStr;
use std::io::{self, Read, Write};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_core::item::Kind;
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use tar::{Archive, Builder, EntryType, Header};

use super::{Each, PackMember, PackedFolder, Pieces, damaged, is_within, path_of, unwritten};
use crate::{Meta, StoreError, StoreResult};

const ATTRIBUTE: &str = "SCHILY.xattr.";
const MODIFIED: &str = "mtime";

/// The level that the format's own tools take where none is said.
const LEVEL: i32 = 3;

pub(super) fn write(source: &PackedFolder, pieces: &Pieces, out: impl Write) -> StoreResult<()> {
    let mut packed = zstd::Encoder::new(out, LEVEL)?;
    packed.include_checksum(true)?;
    let mut tar = Builder::new(packed);
    for (path, entry) in pieces {
        let name = source.name(path);
        let name = Path::new(OsStr::from_bytes(&name));
        let meta = source.meta(path)?;
        records(&mut tar, &meta)?;
        let mut header = Header::new_gnu();
        header.set_mode(meta.mode.unwrap_or(0o644));
        header.set_mtime(u64::try_from(meta.modified.to_unix().0).unwrap_or_default());
        header.set_size(0);
        match entry.kind {
            Kind::Folder => {
                header.set_entry_type(EntryType::Directory);
                tar.append_data(&mut header, name, io::empty())?;
            }
            Kind::Link => {
                let leads_to = source.leads_to(path)?;
                header.set_entry_type(EntryType::Symlink);
                tar.append_link(&mut header, name, Path::new(OsStr::from_bytes(&leads_to)))?;
            }
            Kind::File => {
                header.set_size(entry.size);
                let mut content = Exactly { content: source.content(path)?, left: entry.size };
                tar.append_data(&mut header, name, &mut content)?;
                if content.left > 0 || content.content.read(&mut [0])? > 0 {
                    return Err(StoreError::Changed);
                }
            }
            Kind::Other => return Err(StoreError::Special),
        }
    }
    tar.into_inner().and_then(zstd::Encoder::finish).map_err(unwritten)?;
    Ok(())
}

/// As many bytes as the header says, whatever has become of the file.
struct Exactly {
    content: Box<dyn Read + Send>,
    left: u64,
}

impl Read for Exactly {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let most = room.len().min(usize::try_from(self.left).unwrap_or(usize::MAX));
        let length = self.content.read(&mut room[..most])?;
        self.left -= length as u64;
        Ok(length)
    }
}

/// Writes what the header has no room for.
fn records(tar: &mut Builder<impl Write>, meta: &Meta) -> StoreResult<()> {
    let (seconds, nanos) = meta.modified.to_unix();
    let modified = format!("{seconds}.{nanos:09}");
    let mut records: Vec<(String, &[u8])> = Vec::new();
    if seconds >= 0 {
        records.push((MODIFIED.to_owned(), modified.as_bytes()));
    }
    for (name, value) in &meta.attributes {
        // A name that is not UTF-8 has no record.
        let Ok(name) = std::str::from_utf8(name) else { continue };
        records.push((format!("{ATTRIBUTE}{name}"), value));
    }
    tar.append_pax_extensions(records.iter().map(|(name, value)| (name.as_str(), *value)))?;
    Ok(())
}

pub(super) fn visit(pack: impl Read, at: &ItemPath, each: &mut Each<'_>) -> StoreResult<()> {
    let mut tar = Archive::new(zstd::Decoder::new(pack).map_err(damaged)?);
    for entry in tar.entries().map_err(damaged)? {
        let mut entry = entry.map_err(damaged)?;
        let Some(path) = path_of(&entry.path_bytes()).filter(|path| is_within(path, at)) else { continue };
        let kind = match entry.header().entry_type() {
            EntryType::Directory => Kind::Folder,
            EntryType::Symlink => Kind::Link,
            EntryType::Regular => Kind::File,
            _ => continue,
        };
        let leads_to = entry.link_name_bytes().map(|name| name.into_owned()).unwrap_or_default();
        let mut meta = Meta {
            modified: Moment::from_unix(entry.header().mtime().unwrap_or_default() as i64, 0),
            mode: entry.header().mode().ok().map(|mode| mode & 0o7777),
            ..Meta::default()
        };
        for record in entry.pax_extensions().map_err(damaged)?.into_iter().flatten().flatten() {
            match record.key() {
                Ok(MODIFIED) => meta.modified = time(record.value_bytes()).unwrap_or(meta.modified),
                Ok(key) => {
                    let name = key.strip_prefix(ATTRIBUTE).filter(|name| name.starts_with("user."));
                    let value = record.value_bytes().to_vec();
                    meta.attributes.extend(name.map(|name| (name.as_bytes().to_vec(), value)));
                }
                Err(_) => {}
            }
        }
        let member = PackMember { path, kind, size: entry.size(), meta, leads_to };
        if !each(&member, &mut entry)? {
            break;
        }
    }
    Ok(())
}

fn time(text: &[u8]) -> Option<Moment> {
    let text = std::str::from_utf8(text).ok()?;
    let (seconds, nanos) = text.split_once('.').unwrap_or((text, "0"));
    let nanos = format!("{nanos:0<9}");
    Some(Moment::from_unix(seconds.parse().ok()?, nanos.get(..9)?.parse().ok()?))
}
