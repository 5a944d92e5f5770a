//! Office files: Office Open XML (ECMA-376) and OpenDocument (ISO/IEC 26300), XML in a zip.

use std::io::Cursor;

use quick_xml::Reader;
use quick_xml::events::Event;
use zip::ZipArchive;

use super::{Body, Words, bounds};
use crate::bounded;

const TOO_MUCH: &str = "given up: it unpacks to more than 64 MiB";
const DAMAGED: &str = "its parts cannot be read";

pub(super) fn is_extension(ext: &str) -> bool {
    matches!(
        ext,
        ".docx" | ".docm" | ".xlsx" | ".xlsm" | ".pptx" | ".pptm" | ".odt" | ".ods" | ".odp" | ".ott"
    )
}

pub(super) fn words(bytes: &[u8]) -> Words {
    let Ok(mut zip) = ZipArchive::new(Cursor::new(bytes)) else {
        return Words::none(DAMAGED);
    };
    let mut parts: Vec<String> = zip.file_names().filter(|name| has_words(name)).map(str::to_owned).collect();
    parts.sort_by_cached_key(|name| nine_core::names::natural_key(name.as_bytes()));
    parts.truncate(bounds::MEMBERS);
    let (mut body, mut left, mut note) = (Body::default(), bounds::UNPACKED, "");
    for name in &parts {
        let Ok(part) = zip.by_name(name) else {
            note = DAMAGED;
            continue;
        };
        let mut xml = Vec::new();
        // One byte more than allowed tells that there was more; of a spoilt part the start is still of use.
        if bounded::append(part, left + 1, &mut xml).is_err() {
            note = DAMAGED;
        }
        if xml.len() as u64 > left {
            return Words { note: TOO_MUCH.into(), ..body.into_words("") };
        }
        left -= xml.len() as u64;
        if !add_text(&mut body, &String::from_utf8_lossy(&xml)) {
            break;
        }
    }
    body.into_words(note)
}

/// Whether a part of the package holds text that a person wrote.
fn has_words(part: &str) -> bool {
    let in_word = part.strip_prefix("word/").is_some_and(|rest| {
        ["document", "footnotes", "endnotes", "comments", "header", "footer"]
            .iter()
            .any(|start| rest.starts_with(start))
    });
    let of = ["xl/sharedStrings.xml", "content.xml"].contains(&part);
    let below = ["xl/worksheets/sheet", "xl/comments", "ppt/slides/slide", "ppt/notesSlides/notesSlide"];
    (in_word || of || below.iter().any(|start| part.starts_with(start))) && part.ends_with(".xml")
}

/// Adds the text between the tags of a part; says whether there is room for more.
fn add_text(body: &mut Body, xml: &str) -> bool {
    let mut reader = Reader::from_str(xml);
    reader.config_mut().check_end_names = false;
    let mut goes_on = true;
    while goes_on {
        match reader.read_event() {
            Ok(Event::Text(text)) => goes_on = body.add(&text.xml10_content()),
            Ok(Event::CData(text)) => goes_on = body.add(&text.xml10_content()),
            Ok(Event::GeneralRef(reference)) => {
                let predefined = match reference.as_ref() {
                    "amp" => Some('&'),
                    "lt" => Some('<'),
                    "gt" => Some('>'),
                    "quot" => Some('"'),
                    "apos" => Some('\''),
                    _ => reference.resolve_char_ref().ok().flatten(),
                };
                goes_on = predefined.is_none_or(|c| body.add(c.encode_utf8(&mut [0; 4])));
            }
            // The ends of paragraphs, cells and lines part words; spelling marks and styles do not.
            Ok(Event::End(end)) => match end.local_name().as_ref() {
                "p" | "h" | "c" | "si" | "table-cell" => goes_on = body.add("\n"),
                _ => {}
            },
            Ok(Event::Empty(tag)) => match tag.local_name().as_ref() {
                "tab" | "br" | "s" | "line-break" | "cr" => goes_on = body.add(" "),
                _ => {}
            },
            Ok(Event::Eof) | Err(_) => break,
            Ok(_) => {}
        }
    }
    goes_on
}
