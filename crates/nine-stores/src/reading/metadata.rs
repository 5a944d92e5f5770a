//! What files say of themselves: documents, mail, recordings and pictures.

use std::io::Cursor;
use std::panic::{AssertUnwindSafe, catch_unwind};

use lofty::file::{AudioFile, TaggedFileExt};
use lofty::probe::Probe;
use lofty::tag::Accessor;
use mail_parser::MessageParser;
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::metadata::{FigureField, Metadata, Taken, TextField};
use nine_core::moment::Moment;
use nom_exif::{EntryValue, Exif, ExifDateTime, ExifTag, MediaParser, MediaSource, TrackInfoTag};
use quick_xml::Reader;
use quick_xml::events::Event;
use zip::ZipArchive;

use super::{bounds, compound};
use crate::bounded;

/// What a file says of itself, from its first [`bounds::FILE`] bytes; of a PDF that is told with its words. A damaged
/// one says what could be read.
pub(super) fn metadata(bytes: &[u8]) -> Metadata {
    let mut said = Metadata::default();
    let read = AssertUnwindSafe(|| {
        let media = recognise(&bytes[..bytes.len().min(FIRST_BYTES)]);
        match media {
            Content::Signature(of) if of.starts_with("image/") => picture(bytes, &mut said),
            Content::Signature(of) if of.starts_with("video/") => film(bytes, &mut said),
            Content::Signature(of) if of.starts_with("audio/") => sound(bytes, &mut said),
            Content::Signature("application/x-ole-storage") => compound::metadata(bytes, &mut said),
            Content::Signature(_) if bytes.starts_with(b"PK") => office(bytes, &mut said),
            Content::Marked("message/rfc822") => mail(bytes, &mut said),
            _ => {}
        }
    });
    // Libraries panic on what they do not expect; what was read before that counts.
    let _ = catch_unwind(read);
    said
}

fn picture(bytes: &[u8], said: &mut Metadata) {
    if let Ok(size) = imagesize::blob_size(bytes) {
        said.set_figure(FigureField::Width, size.width as u64);
        said.set_figure(FigureField::Height, size.height as u64);
    }
    let Ok(source) = MediaSource::from_memory(bytes.to_vec()) else { return };
    let Ok(entries) = MediaParser::new().parse_exif(source) else { return };
    let exif: Exif = entries.into();
    let text = |tag| exif.get(tag).and_then(EntryValue::as_str).map(str::trim).unwrap_or_default();
    let (make, model) = (text(ExifTag::Make), text(ExifTag::Model));
    // Most models name their maker, too.
    let has_make = model.to_lowercase().starts_with(&make.to_lowercase());
    let camera = if has_make { model.to_owned() } else { format!("{make} {model}") };
    said.set_text(TextField::Camera, &camera);
    let times = [ExifTag::DateTimeOriginal, ExifTag::CreateDate];
    let at = times.into_iter().find_map(|tag| exif.get(tag).and_then(EntryValue::as_datetime));
    said.taken = at.and_then(taken);
}

/// A time as the clock showed it; a clock that was never set shows none.
fn taken(at: ExifDateTime) -> Option<Taken> {
    let ahead = at.aware().map(|at| (at.offset().local_minus_utc() / 60) as i16);
    let clock = at.into_naive().and_utc().timestamp();
    (clock > 0).then(|| Taken::new(clock, ahead))
}

fn film(bytes: &[u8], said: &mut Metadata) {
    let Ok(source) = MediaSource::from_memory(bytes.to_vec()) else { return };
    let Ok(track) = MediaParser::new().parse_track(source) else { return };
    let figure =
        |tag| track.get(tag).and_then(EntryValue::try_as_integer).and_then(|n| u64::try_from(n).ok());
    for (tag, field) in
        [(TrackInfoTag::Width, FigureField::Width), (TrackInfoTag::Height, FigureField::Height)]
    {
        if let Some(figure) = figure(tag) {
            said.set_figure(field, figure);
        }
    }
    if let Some(milliseconds) = figure(TrackInfoTag::DurationMs) {
        said.set_figure(FigureField::Duration, milliseconds / 1_000);
    }
    let text = |tag| track.get(tag).and_then(EntryValue::as_str).unwrap_or_default();
    said.set_text(TextField::Camera, &format!("{} {}", text(TrackInfoTag::Make), text(TrackInfoTag::Model)));
    said.set_text(TextField::Author, text(TrackInfoTag::Author));
    said.taken = track.get(TrackInfoTag::CreateDate).and_then(EntryValue::as_datetime).and_then(taken);
}

fn sound(bytes: &[u8], said: &mut Metadata) {
    let Ok(probe) = Probe::new(Cursor::new(bytes)).guess_file_type() else { return };
    let Ok(file) = probe.read() else { return };
    said.set_figure(FigureField::Duration, file.properties().duration().as_secs());
    let Some(tag) = file.primary_tag().or_else(|| file.first_tag()) else { return };
    said.set_text(TextField::Title, tag.title().as_deref().unwrap_or_default());
    said.set_text(TextField::Artist, tag.artist().as_deref().unwrap_or_default());
    said.set_text(TextField::Album, tag.album().as_deref().unwrap_or_default());
}

fn mail(bytes: &[u8], said: &mut Metadata) {
    let Some(mail) = MessageParser::default().parse_headers(bytes) else { return };
    let from = mail.from().and_then(|from| from.first());
    let parts = [from.and_then(|person| person.name()), from.and_then(|person| person.address())];
    said.set_text(TextField::Sender, &parts.into_iter().flatten().collect::<Vec<_>>().join(" "));
    said.set_text(TextField::Subject, mail.subject().unwrap_or_default());
    said.sent = mail.date().map(|date| Moment::from_unix(date.to_timestamp(), 0));
}

/// The parts of packages in which they tell of themselves (ECMA-376 part 2, ISO/IEC 26300, EPUB).
const PARTS: [&str; 3] = ["docProps/core.xml", "docProps/app.xml", "meta.xml"];

fn office(bytes: &[u8], said: &mut Metadata) {
    let Ok(mut zip) = ZipArchive::new(Cursor::new(bytes)) else { return };
    let book = zip.file_names().find(|name| name.ends_with(".opf")).map(str::to_owned);
    for name in PARTS.into_iter().map(str::to_owned).chain(book) {
        let Ok(part) = zip.by_name(&name) else { continue };
        if let Ok(xml) = bounded::up_to(part, bounds::TEXT as u64) {
            from_xml(&String::from_utf8_lossy(&xml), said);
        }
    }
}

fn from_xml(xml: &str, said: &mut Metadata) {
    let mut reader = Reader::from_str(xml);
    reader.config_mut().check_end_names = false;
    let mut name = String::new();
    loop {
        match reader.read_event() {
            Ok(Event::Start(tag) | Event::Empty(tag)) => {
                name = tag.local_name().as_ref().to_owned();
                let pages =
                    tag.attributes().flatten().find(|part| part.key.local_name().as_ref() == "page-count");
                if let Some(pages) = pages.and_then(|part| part.value.parse().ok()) {
                    said.set_figure(FigureField::Pages, pages);
                }
            }
            Ok(Event::Text(text)) => tell(&name, &text.xml10_content(), said),
            Ok(Event::End(_)) => name.clear(),
            Ok(Event::Eof) | Err(_) => return,
            Ok(_) => {}
        }
    }
}

fn tell(name: &str, text: &str, said: &mut Metadata) {
    match name {
        "title" => said.set_text(TextField::Title, text),
        // Who began it goes before who changed it last.
        "creator" if said.text(TextField::Author).is_none() => said.set_text(TextField::Author, text),
        "initial-creator" => said.set_text(TextField::Author, text),
        "Pages" | "Slides" => {
            if let Some(pages) = text.trim().parse().ok().filter(|pages| *pages > 0) {
                said.set_figure(FigureField::Pages, pages);
            }
        }
        _ => {}
    }
}
