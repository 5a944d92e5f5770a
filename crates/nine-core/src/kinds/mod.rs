//! The type of an item: from its extension, from its first bytes, or both.

pub mod containers;
mod content;
mod extensions;
mod media;
mod texts;

pub use content::{Content, FIRST_BYTES, recognise};

use crate::names::split_extension;

/// What an item is. `Folder` is for folders only, `Unknown` for what nothing is known about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum ItemType {
    Document,
    Sheet,
    Slides,
    Note,
    Book,
    Page,
    Mail,
    Image,
    Drawing,
    Video,
    Audio,
    Font,
    Code,
    Data,
    Packed,
    Installer,
    Disk,
    Key,
    Shortcut,
    Calendar,
    Contact,
    Folder,
    Unknown,
}

use ItemType::*;

/// Every type with its word, in the order in which they are listed to people.
pub const TYPES: [(&str, ItemType); 23] = [
    ("document", Document),
    ("sheet", Sheet),
    ("slides", Slides),
    ("note", Note),
    ("book", Book),
    ("page", Page),
    ("mail", Mail),
    ("image", Image),
    ("drawing", Drawing),
    ("video", Video),
    ("audio", Audio),
    ("font", Font),
    ("code", Code),
    ("data", Data),
    ("packed", Packed),
    ("installer", Installer),
    ("disk", Disk),
    ("key", Key),
    ("shortcut", Shortcut),
    ("calendar", Calendar),
    ("contact", Contact),
    ("folder", Folder),
    ("unknown", Unknown),
];

impl ItemType {
    /// The type's word.
    pub fn word(self) -> &'static str {
        TYPES[self as usize].0
    }

    /// Whether files of this type may have words inside that can be read.
    pub fn has_words(self) -> bool {
        matches!(
            self,
            Document | Sheet | Slides | Note | Page | Mail | Code | Data | Calendar | Contact | Unknown
        )
    }

    /// Whether files of this type may say of themselves who made them, when, or how large they are.
    pub fn says_something(self) -> bool {
        matches!(self, Document | Sheet | Slides | Book | Mail | Image | Video | Audio)
    }

    /// Whether files of this type are never text alone.
    fn is_no_text(self) -> bool {
        matches!(self, Mail | Installer | Slides | Book)
    }

    /// The type of this word, letter case ignored.
    pub fn from_word(word: &str) -> Option<Self> {
        TYPES.iter().find(|(name, _)| name.eq_ignore_ascii_case(word)).map(|(_, t)| *t)
    }
}

/// What a file's type was taken from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Evidence {
    /// It is a folder.
    Folder,
    /// It is a link; what it points to is not looked at.
    Link,
    /// The extension is known; the content was not asked.
    Extension,
    /// The content was read and agrees with the extension.
    Both(&'static str),
    /// The content was read, and the extension is unknown, absent or says little.
    Content(&'static str),
    /// The content was read and contradicts the extension.
    Contradiction(&'static str),
    /// Nothing is known.
    None,
}

/// A file's type, whether its content contradicts its extension, and what says so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdict {
    /// The type.
    pub item_type: ItemType,
    /// Where it comes from.
    pub evidence: Evidence,
}

/// A digest of what extensions stand for: another one where that is not what it was when something was kept.
pub const TYPES_BY_EXTENSION: u64 = extensions::TYPES_BY_EXTENSION;

/// The type that a file's name promises, if its extension is known.
pub fn type_of_name(name: &[u8]) -> Option<ItemType> {
    known_of(name).map(|known| known.item_type)
}

/// Every extension that is known, without its dot, type by type.
pub fn known_extensions() -> impl Iterator<Item = &'static str> {
    extensions::all()
}

/// The type that an extension (with the dot, or empty) promises; see [`crate::names::split_extension`].
pub fn type_of_extension(extension: &[u8]) -> Option<ItemType> {
    known_of_extension(extension).map(|known| known.item_type)
}

/// Whether a file of this name needs a look at its content before its type can be told.
pub fn name_says_little(name: &[u8]) -> bool {
    known_of(name).is_none()
}

/// What is known of a name's extension.
fn known_of(name: &[u8]) -> Option<extensions::Known> {
    known_of_extension(split_extension(name).1)
}

fn known_of_extension(extension: &[u8]) -> Option<extensions::Known> {
    extensions::lookup(extension.strip_prefix(b".")?)
}

/// Decides a file's type from its name and, where it was read, its content.
pub fn decide(name: &[u8], content: Option<&Content>) -> Verdict {
    let known = known_of(name);
    let (item_type, evidence) = match (known, content) {
        (None, None) => (Unknown, Evidence::None),
        (Some(known), None | Some(Content::Empty)) => (known.item_type, Evidence::Extension),
        (None, Some(content)) => match content.found() {
            Some((item_type, what)) => (item_type, Evidence::Content(what)),
            None => (Unknown, Evidence::None),
        },
        (Some(known), Some(content)) => match content.judge(&known) {
            content::Judgement::Agrees(item_type, what) => (item_type, Evidence::Both(what)),
            content::Judgement::SaysNothing => (known.item_type, Evidence::Extension),
            content::Judgement::Contradicts(item_type, what) => (item_type, Evidence::Contradiction(what)),
        },
    };
    Verdict { item_type, evidence }
}

/// The extension that a file's content asks for, where it contradicts the one in its name.
pub fn right_extension(name: &[u8], content: Option<&Content>) -> Option<&'static str> {
    let verdict = decide(name, content);
    match (verdict.evidence, content?) {
        (Evidence::Contradiction(_), Content::Marked("message/rfc822")) => Some("eml"),
        (Evidence::Contradiction(_), Content::Marked("text/calendar")) => Some("ics"),
        (Evidence::Contradiction(_), Content::Marked("text/vcard")) => Some("vcf"),
        (Evidence::Contradiction(_), Content::Marked("image/svg+xml")) => Some("svg"),
        (Evidence::Contradiction(_), Content::Marked("text/html")) => Some("html"),
        (Evidence::Contradiction(_), content) => extensions::usual_for(content.media()?),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn look(name: &str, bytes: &[u8]) -> Verdict {
        decide(name.as_bytes(), Some(&recognise(bytes)))
    }

    #[test]
    fn words_and_types_are_in_step() {
        for (word, item_type) in TYPES {
            assert_eq!(item_type.word(), word);
            assert_eq!(ItemType::from_word(&word.to_uppercase()), Some(item_type));
        }
    }

    #[test]
    fn a_web_page_named_pdf_is_not_a_document() {
        let page = b"<!DOCTYPE html>\n<html><head><title>Session expired</title>";
        let verdict = look("statement.pdf", page);
        assert_eq!(verdict.item_type, Page);
        assert_eq!(verdict.evidence, Evidence::Contradiction("web page"));
    }

    #[test]
    fn content_confirms_or_stays_silent() {
        assert_eq!(look("a.pdf", b"%PDF-1.7 x").evidence, Evidence::Both("PDF"));
        assert_eq!(look("a.md", b"# Notes\n").evidence, Evidence::Extension);
        assert_eq!(look("a.mp3", b"\0\0\0\x01").evidence, Evidence::Extension);
        assert_eq!(look("a.pdf", b"").evidence, Evidence::Extension);
        assert_eq!(look("a.docx", b"PK\x03\x04aaaaaaaaaaaaaaaa").item_type, Document);
    }

    #[test]
    fn content_speaks_where_the_name_is_silent() {
        assert_eq!(look("IMG_0001", b"\xff\xd8\xff\xe0 JFIF").item_type, Image);
        assert_eq!(look("README", b"plain words\n").item_type, Note);
        assert_eq!(look("noname", b"[Desktop Entry]\nName=x").item_type, Shortcut);
        assert_eq!(look("noname", b"BEGIN:VCALENDAR\r\n").item_type, Calendar);
        assert_eq!(look("noname", b"\x01\x02\x03\x80").item_type, Unknown);
        assert_eq!(decide(b"plan.dwg", None).item_type, Drawing);
    }

    #[test]
    fn a_picture_named_as_text_or_as_a_film_contradicts() {
        let png = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR";
        assert!(matches!(look("notes.txt", png).evidence, Evidence::Contradiction(_)));
        assert!(matches!(look("film.mp4", png).evidence, Evidence::Contradiction(_)));
        assert!(matches!(look("picture.jpg", png).evidence, Evidence::Contradiction(_)));
    }

    #[test]
    fn names_that_say_little() {
        assert!(name_says_little(b"README") && name_says_little(b"x.bin") && name_says_little(b"x.qqq"));
        assert!(!name_says_little(b"x.JPG"));
    }
}
