//! ZIP. It keeps names in UTF-8 and times to two seconds; the list of contents has the rest.

use std::io::{self, Read, Seek, Write};

use nine_core::item::Kind;
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipArchive, ZipWriter};

use super::{Each, PackMember, PackedFolder, Pieces, damaged, is_within, path_of, unwritten};
use crate::bounded;
use crate::{Meta, StoreError, StoreResult};

/// Bytes of where a link leads to, at most (PATH_MAX).
const LONGEST_LINK: u64 = 4096;

/// Sizes from here on need the wider fields of ZIP64.
const WIDE: u64 = u32::MAX as u64;

pub(super) fn write(source: &PackedFolder, pieces: &Pieces, out: impl Write) -> StoreResult<()> {
    let mut zip = ZipWriter::new_stream(out);
    for (path, entry) in pieces {
        let name = in_utf8(source.name(path))?;
        let meta = source.meta(path)?;
        let options = SimpleFileOptions::default()
            .compression_method(CompressionMethod::Deflated)
            .last_modified_time(in_zip(meta.modified))
            .unix_permissions(meta.mode.unwrap_or(0o644) & 0o777)
            .large_file(entry.size >= WIDE);
        match entry.kind {
            // The writer's own way to add a folder says in a stream that sizes follow, and writes none; an
            // empty file whose name ends in a slash is a folder too, and whole.
            Kind::Folder => zip.start_file(format!("{name}/"), stored(options)).map_err(unwritten)?,
            Kind::Link => {
                let leads_to = in_utf8(source.leads_to(path)?)?;
                zip.add_symlink(name, leads_to, options).map_err(unwritten)?;
            }
            Kind::File => {
                zip.start_file(name, options).map_err(unwritten)?;
                let copied = io::copy(&mut source.content(path)?, &mut zip)?;
                if copied != entry.size {
                    return Err(StoreError::Changed);
                }
            }
            Kind::Other => return Err(StoreError::Special),
        }
    }
    zip.finish().map_err(unwritten)?;
    Ok(())
}

pub(super) fn visit(pack: impl Read + Seek, at: &ItemPath, each: &mut Each<'_>) -> StoreResult<()> {
    let mut zip = ZipArchive::new(pack).map_err(damaged)?;
    for number in 0..zip.len() {
        // The name is looked at in the list of the pack, so that what is not wanted is not read.
        let name = zip.name_for_index(number).unwrap_or_default().to_owned();
        let Some(path) = path_of(name.as_bytes()).filter(|path| is_within(path, at)) else { continue };
        let mut file = zip.by_index(number).map_err(damaged)?;
        let kind = match (file.is_dir(), file.is_symlink()) {
            (true, _) => Kind::Folder,
            (_, true) => Kind::Link,
            _ => Kind::File,
        };
        let meta = Meta {
            modified: file.last_modified().and_then(out_of_zip).unwrap_or_default(),
            mode: file.unix_mode().map(|mode| mode & 0o777),
            ..Meta::default()
        };
        let leads_to = match kind {
            Kind::Link => bounded::up_to(&mut file, LONGEST_LINK)?,
            _ => Vec::new(),
        };
        let member = PackMember { path, kind, size: file.size(), meta, leads_to };
        if !each(&member, &mut file)? {
            break;
        }
    }
    Ok(())
}

fn in_utf8(name: Vec<u8>) -> StoreResult<String> {
    String::from_utf8(name).map_err(|_| {
        StoreError::System("a name in it is not UTF-8, which a zip cannot hold; pack it as tar.zst".into())
    })
}

fn stored(options: SimpleFileOptions) -> SimpleFileOptions {
    options.compression_method(CompressionMethod::Stored)
}

/// A time as ZIP writes it, counted here in UTC. Those before 1980 become its first.
fn in_zip(at: Moment) -> DateTime {
    let text = at.to_rfc3339();
    let part = |from: usize, to: usize| text.get(from..to).and_then(|part| part.parse::<u16>().ok());
    let time = || {
        let small = |from, to| part(from, to).and_then(|part| u8::try_from(part).ok());
        let (month, day) = (small(5, 7)?, small(8, 10)?);
        let (hour, minute, second) = (small(11, 13)?, small(14, 16)?, small(17, 19)?);
        DateTime::from_date_and_time(part(0, 4)?, month, day, hour, minute, second).ok()
    };
    time().unwrap_or_default()
}

fn out_of_zip(at: DateTime) -> Option<Moment> {
    let (date, time) = ((at.year(), at.month(), at.day()), (at.hour(), at.minute(), at.second()));
    let date = format!("{:04}-{:02}-{:02}", date.0, date.1, date.2);
    Moment::from_rfc3339(&format!("{date}T{:02}:{:02}:{:02}Z", time.0, time.1, time.2))
}
