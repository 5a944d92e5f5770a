//! What the first bytes of a file say it is.

use std::collections::BTreeSet;
use std::sync::{Mutex, PoisonError};

use super::ItemType::{self, *};
use super::extensions::Known;

/// How many bytes from the start of a file are enough.
pub const FIRST_BYTES: usize = 8192;

/// What the first bytes of a file were recognised as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    /// The file holds nothing.
    Empty,
    /// A signature: the type, its name for people, and the media type.
    Signature(ItemType, &'static str, &'static str),
    /// Text of some kind: the type and its name for people.
    Text(ItemType, &'static str),
    /// Bytes without a known signature.
    Bytes,
}

/// What content says about an extension.
pub(super) enum Judgement {
    Agrees(&'static str),
    SaysNothing,
    Contradicts(ItemType, &'static str),
}

impl Content {
    /// The type and its name for people, where the content tells.
    pub(super) fn found(&self) -> Option<(ItemType, &'static str)> {
        match self {
            Content::Signature(item_type, what, _) | Content::Text(item_type, what) => {
                Some((*item_type, what))
            }
            Content::Empty | Content::Bytes => None,
        }
    }

    /// Holds the content against what its extension promises.
    pub(super) fn judge(&self, known: &Known) -> Judgement {
        let promised = !known.signatures.is_empty();
        match self {
            Content::Empty => Judgement::SaysNothing,
            Content::Signature(_, what, media) if known.signatures.contains(media) => Judgement::Agrees(what),
            Content::Signature(item_type, what, _) if promised => Judgement::Contradicts(*item_type, what),
            Content::Signature(item_type, what, _) => {
                // A drawing, film or pack may well be kept in a container of another name.
                let text_promised =
                    matches!(known.item_type, Note | Mail | Calendar | Contact | Code | Sheet);
                let kept = matches!(item_type, Packed | Data) && !matches!(known.item_type, Note);
                if text_promised && !kept && known.item_type != *item_type {
                    Judgement::Contradicts(*item_type, what)
                } else {
                    Judgement::SaysNothing
                }
            }
            Content::Text(item_type, what) if promised => Judgement::Contradicts(*item_type, what),
            Content::Text(_, "web page")
                if matches!(known.item_type, Audio | Video | Image | Packed | Installer) =>
            {
                Judgement::Contradicts(Code, "web page")
            }
            Content::Bytes if promised => Judgement::Contradicts(Unknown, "bytes without a known form"),
            Content::Text(..) | Content::Bytes => Judgement::SaysNothing,
        }
    }
}

impl Content {
    /// A text that [`Content::from_text`] reads back.
    pub fn to_text(self) -> String {
        match self {
            Content::Empty => "empty".into(),
            Content::Bytes => "bytes".into(),
            Content::Signature(_, _, media) => format!("media {media}"),
            Content::Text(item_type, what) => format!("text {} {what}", item_type.word()),
        }
    }

    /// Reads what [`Content::to_text`] wrote; `None` for what this version does not know.
    pub fn from_text(text: &str) -> Option<Self> {
        match text.split_once(' ') {
            None if text == "empty" => Some(Content::Empty),
            None if text == "bytes" => Some(Content::Bytes),
            Some(("media", media)) => {
                let (item_type, what) = type_of_media(media)?;
                Some(Content::Signature(item_type, what, kept(media)))
            }
            Some(("text", rest)) => {
                let (word, what) = rest.split_once(' ')?;
                Some(Content::Text(ItemType::from_word(word)?, kept(what)))
            }
            _ => None,
        }
    }
}

/// Words that were read back are kept for good: there are some two hundred at most.
fn kept(word: &str) -> &'static str {
    static WORDS: Mutex<BTreeSet<&'static str>> = Mutex::new(BTreeSet::new());
    let mut words = WORDS.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(word) = words.get(word) {
        return word;
    }
    let word: &'static str = Box::leak(word.to_owned().into_boxed_str());
    words.insert(word);
    word
}

/// Recognises content by its first bytes (up to [`FIRST_BYTES`] of them).
pub fn recognise(first: &[u8]) -> Content {
    if first.is_empty() {
        return Content::Empty;
    }
    let text = as_text(first);
    if let Some((item_type, what)) = text.as_deref().and_then(marked_text) {
        return Content::Text(item_type, what);
    }
    if let Some(found) = infer::get(first).filter(|kind| !kind.mime_type().starts_with("text/"))
        && let Some((item_type, what)) = type_of_media(found.mime_type())
    {
        return Content::Signature(item_type, what, found.mime_type());
    }
    match text {
        Some(_) => Content::Text(Note, "plain text"),
        None => Content::Bytes,
    }
}

/// The bytes as text if they are UTF-8 (a character cut at the end does not count) without
/// control characters other than line ends, tabs and escapes.
fn as_text(first: &[u8]) -> Option<String> {
    let first = first.strip_prefix(b"\xef\xbb\xbf").unwrap_or(first);
    let text = match std::str::from_utf8(first) {
        Ok(text) => text,
        Err(e) if first.len() - e.valid_up_to() < 4 && e.error_len().is_none() => {
            std::str::from_utf8(&first[..e.valid_up_to()]).ok()?
        }
        Err(_) => return None,
    };
    let odd = |c: char| c.is_control() && !matches!(c, '\n' | '\r' | '\t' | '\x0c' | '\x1b');
    (!text.contains(odd)).then(|| text.to_owned())
}

/// Kinds of text that say on their first lines what they are.
fn marked_text(text: &str) -> Option<(ItemType, &'static str)> {
    let start = text.trim_start();
    let lower: String = start.chars().take(2048).collect::<String>().to_ascii_lowercase();
    let begins = |marks: &[&str]| marks.iter().any(|mark| lower.starts_with(mark));
    if begins(&["<!doctype html", "<html", "<head", "<body", "<title"]) {
        return Some((Code, "web page"));
    }
    if lower.contains("<svg") && begins(&["<?xml", "<svg", "<!--", "<!doctype svg"]) {
        return Some((Drawing, "SVG"));
    }
    if begins(&["<?xml"]) {
        let page = lower.contains("<html");
        return Some(if page { (Code, "web page") } else { (Data, "XML") });
    }
    let marked = [
        (&["begin:vcalendar"][..], Calendar, "calendar"),
        (&["begin:vcard"], Contact, "contact"),
        (&["[internetshortcut]", "[desktop entry]"], Shortcut, "shortcut"),
        (&["#!"], Code, "script"),
        (&["return-path:", "received:", "delivered-to:", "mime-version:", "message-id:"], Mail, "mail"),
    ];
    marked.iter().find(|(marks, ..)| begins(marks)).map(|(_, item_type, what)| (*item_type, *what))
}

/// Media types, with the type and the name for people.
const MEDIA: [(&str, ItemType, &str); 39] = [
    ("application/pdf", Document, "PDF"),
    ("application/postscript", Document, "PostScript"),
    ("application/rtf", Document, "rich text"),
    ("application/msword", Document, "office document"),
    ("application/vnd.ms-excel", Sheet, "spreadsheet"),
    ("application/vnd.ms-powerpoint", Slides, "slides"),
    ("application/vnd.oasis.opendocument.text", Document, "OpenDocument text"),
    ("application/vnd.oasis.opendocument.spreadsheet", Sheet, "OpenDocument sheet"),
    ("application/vnd.oasis.opendocument.presentation", Slides, "OpenDocument slides"),
    (
        "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        Document,
        "Office Open XML text",
    ),
    ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", Sheet, "Office Open XML sheet"),
    (
        "application/vnd.openxmlformats-officedocument.presentationml.presentation",
        Slides,
        "Office Open XML slides",
    ),
    ("application/epub+zip", Book, "EPUB"),
    ("application/x-mobipocket-ebook", Book, "e-book"),
    ("image/vnd.djvu", Book, "DjVu"),
    ("image/jpeg", Image, "JPEG"),
    ("image/png", Image, "PNG"),
    ("image/gif", Image, "GIF"),
    ("image/webp", Image, "WebP"),
    ("image/tiff", Image, "TIFF"),
    ("image/heif", Image, "HEIF"),
    ("image/vnd.adobe.photoshop", Drawing, "layered picture"),
    ("image/openraster", Drawing, "layered picture"),
    ("image/vnd.dwg", Drawing, "drawing"),
    ("audio/x-wav", Audio, "WAV"),
    ("audio/mpeg", Audio, "MPEG audio"),
    ("audio/x-flac", Audio, "FLAC"),
    ("video/mp4", Video, "MPEG-4"),
    ("video/x-matroska", Video, "Matroska"),
    ("application/zip", Packed, "zip"),
    ("application/gzip", Packed, "gzip"),
    ("application/x-tar", Packed, "tar"),
    ("application/vnd.microsoft.portable-executable", Installer, "Windows program"),
    ("application/vnd.debian.binary-package", Installer, "Debian package"),
    ("application/x-rpm", Installer, "RPM package"),
    ("application/x-executable", Installer, "program"),
    ("application/x-mach-binary", Installer, "program"),
    ("application/vnd.sqlite3", Data, "SQLite"),
    ("application/x-ole-storage", Unknown, "office container"),
];

/// The type and name for people of a media type.
fn type_of_media(media: &str) -> Option<(ItemType, &'static str)> {
    if let Some((_, item_type, what)) = MEDIA.iter().find(|(name, ..)| *name == media) {
        return Some((*item_type, what));
    }
    let packed = ["7z", "rar", "bzip", "xz", "zstd", "lz", "compress", "cab", "cpio", "unix-archive"];
    match media.split_once('/')? {
        ("image", _) => Some((Image, "picture")),
        ("audio", _) => Some((Audio, "sound")),
        ("video", _) => Some((Video, "film")),
        ("application", sub) if sub.starts_with("font") => Some((Font, "font")),
        ("application", sub) if packed.iter().any(|p| sub.contains(p)) => Some((Packed, "packed files")),
        ("application", "octet-stream") => None,
        _ => Some((Data, "data")),
    }
}
