//! What a camera notes in its pictures (EXIF 2.32, in the segment of a JPEG).

use jiff::civil::DateTime;

/// What the camera notes.
pub struct CameraNote<'a> {
    /// Who made it, and which model it is.
    pub camera: (&'a str, &'a str),
    /// What its clock showed.
    pub taken: DateTime,
    /// The time zone of its clock, such as `+02:00`, if it noted one.
    pub zone: Option<&'a str>,
}

/// Text; and a number of 32 bits.
const ASCII: u16 = 2;
const LONG: u16 = 4;

/// A JPEG with a note of its camera.
pub fn with_note(jpeg: &[u8], note: &CameraNote) -> Vec<u8> {
    let tiff = tiff(note);
    let mut out = jpeg[..2].to_vec();
    out.extend_from_slice(&[0xff, 0xe1]);
    out.extend_from_slice(&(tiff.len() as u16 + 8).to_be_bytes());
    out.extend_from_slice(b"Exif\0\0");
    out.extend_from_slice(&tiff);
    out.extend_from_slice(&jpeg[2..]);
    out
}

/// Two directories of entries, and the texts behind each.
fn tiff(note: &CameraNote) -> Vec<u8> {
    let text = |text: &str| [text.as_bytes(), &[0]].concat();
    let (make, model) = (text(note.camera.0), text(note.camera.1));
    let mut inner = vec![(0x9003u16, text(&note.taken.strftime("%Y:%m:%d %H:%M:%S").to_string()))];
    inner.extend(note.zone.map(|zone| (0x9011, text(zone))));
    let start = 8;
    let mut out = b"II\x2a\0\x08\0\0\0".to_vec();
    // Three entries, of which the last leads to the other directory.
    let texts_at = start + 2 + 3 * 12 + 4;
    let inner_at = texts_at + make.len() + model.len();
    out.extend_from_slice(&3u16.to_le_bytes());
    entry(&mut out, 0x010f, &make, texts_at);
    entry(&mut out, 0x0110, &model, texts_at + make.len());
    out.extend_from_slice(&0x8769u16.to_le_bytes());
    out.extend_from_slice(&LONG.to_le_bytes());
    out.extend_from_slice(&1u32.to_le_bytes());
    out.extend_from_slice(&(inner_at as u32).to_le_bytes());
    out.extend_from_slice(&[0; 4]);
    out.extend_from_slice(&make);
    out.extend_from_slice(&model);
    out.extend_from_slice(&(inner.len() as u16).to_le_bytes());
    let mut at = inner_at + 2 + inner.len() * 12 + 4;
    for (tag, text) in &inner {
        entry(&mut out, *tag, text, at);
        at += text.len();
    }
    out.extend_from_slice(&[0; 4]);
    inner.iter().for_each(|(_, text)| out.extend_from_slice(text));
    out
}

/// An entry whose text stands elsewhere.
fn entry(out: &mut Vec<u8>, tag: u16, text: &[u8], at: usize) {
    out.extend_from_slice(&tag.to_le_bytes());
    out.extend_from_slice(&ASCII.to_le_bytes());
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(&(at as u32).to_le_bytes());
}
