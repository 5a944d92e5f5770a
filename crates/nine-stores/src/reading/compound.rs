//! Compound documents: Outlook mail ([MS-OXMSG]) and the property sets of office files ([MS-OLEPS]).

use std::io::{Cursor, Read, Seek};

use cfb::CompoundFile;
use nine_core::metadata::{FigureField, Metadata, TextField};
use nine_core::moment::Moment;

use crate::bounded;

/// Entries of the root that are looked at.
const ENTRIES: usize = 10_000;
/// Bytes of a stream that are looked at.
const STREAM: u64 = 1 << 20;

type Document<'b> = CompoundFile<Cursor<&'b [u8]>>;

/// The names in the root of a compound document; none if it is damaged.
pub fn compound_names(bytes: &[u8]) -> Vec<String> {
    let Ok(document) = CompoundFile::open(Cursor::new(bytes)) else { return Vec::new() };
    document.read_root_storage().take(ENTRIES).map(|entry| entry.name().to_owned()).collect()
}

pub(super) fn metadata(bytes: &[u8], said: &mut Metadata) {
    let Ok(mut document) = CompoundFile::open(Cursor::new(bytes)) else { return };
    if document.is_stream("/__properties_version1.0") {
        mail(&mut document, said);
    } else if let Some(set) = stream(&mut document, "/\u{5}SummaryInformation") {
        summary(&set, said);
    }
}

fn stream<F: Read + Seek>(document: &mut CompoundFile<F>, name: &str) -> Option<Vec<u8>> {
    bounded::up_to(document.open_stream(name).ok()?, STREAM).ok()
}

/// A text of a message by its property, in UTF-16 or in the Western encoding of old.
fn text(document: &mut Document, property: &str) -> Option<String> {
    if let Some(wide) = stream(document, &format!("/__substg1.0_{property}001F")) {
        let units: Vec<u16> =
            wide.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        return Some(String::from_utf16_lossy(&units));
    }
    let narrow = stream(document, &format!("/__substg1.0_{property}001E"))?;
    Some(encoding_rs::WINDOWS_1252.decode_without_bom_handling(&narrow).0.into_owned())
}

fn mail(document: &mut Document, said: &mut Metadata) {
    said.set_text(TextField::Subject, &text(document, "0037").unwrap_or_default());
    let name = text(document, "0C1A").unwrap_or_default();
    let address = text(document, "5D01").or_else(|| text(document, "0C1F")).unwrap_or_default();
    let is_new = !name.contains(&address) && address.contains('@');
    said.set_text(TextField::Sender, &if is_new { format!("{name} {address}") } else { name });
    let properties = stream(document, "/__properties_version1.0").unwrap_or_default();
    // A header of 32 bytes, then 16 a property: tag, flags, value.
    let mut entries = properties.get(32..).unwrap_or_default().chunks_exact(16);
    let sent = entries.find(|entry| entry[..4] == [0x40, 0, 0x39, 0]);
    said.sent = sent.and_then(|entry| file_time(&entry[8..]));
}

/// 100-nanosecond steps since 1601.
fn file_time(bytes: &[u8]) -> Option<Moment> {
    let steps = u64::from_le_bytes(bytes.get(..8)?.try_into().ok()?);
    let seconds = i64::try_from(steps / 10_000_000).ok()? - 11_644_473_600;
    (steps > 0).then(|| Moment::from_unix(seconds, (steps % 10_000_000) as u32 * 100))
}

/// Title (2), author (4) and pages (14) of the summary.
fn summary(set: &[u8], said: &mut Metadata) {
    let number =
        |at: usize| set.get(at..at + 4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as usize);
    let Some(start) = number(44) else { return };
    let many = number(start + 4).unwrap_or(0).min(100);
    for nth in 0..many {
        let (Some(id), Some(at)) = (number(start + 8 + nth * 8), number(start + 12 + nth * 8)) else {
            return;
        };
        let at = start + at;
        match (id, number(at)) {
            // A text with its length in bytes.
            (2 | 4, Some(0x1e)) => {
                let Some(length) = number(at + 4).filter(|length| *length <= 10_000) else { continue };
                let bytes = set.get(at + 8..at + 8 + length).unwrap_or_default();
                let bytes = &bytes[..bytes.iter().position(|b| *b == 0).unwrap_or(bytes.len())];
                let text = match std::str::from_utf8(bytes) {
                    Ok(text) => text.to_owned(),
                    Err(_) => encoding_rs::WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned(),
                };
                said.set_text(if id == 2 { TextField::Title } else { TextField::Author }, &text);
            }
            (14, Some(3)) => {
                if let Some(pages) = number(at + 4).filter(|pages| *pages > 0) {
                    said.set_figure(FigureField::Pages, pages as u64);
                }
            }
            _ => {}
        }
    }
}
