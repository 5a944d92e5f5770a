//! What is inside files: their words, and a glance at them.
//!
//! Every reader is bounded in bytes (see [`bounds`]), works on what was read into memory, and answers
//! with what it got so far when it gives up. The readers of others may still panic or take for ever on a
//! hostile file, so the program runs them in a process of its own and ends it after a while.

mod compound;
mod glance;
mod mail;
mod metadata;
mod notes;
mod office;
mod page;
mod pdf;
mod picture;
mod plain;

use nine_core::kinds::containers::{list_of_members, members_in_list, of_members};
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use nine_core::names::{fold_bytes, split_extension};

use crate::recognition::ZIP_END;

pub use compound::compound_names;
pub use glance::glance;
pub use notes::{NOTE, is_note, may_be_note, note_tags, tags_in_note, tags_in_text};
pub use picture::{Raster, looks, raster};

/// Where readers give up.
pub mod bounds {
    /// Bytes of a file that are looked at.
    pub const FILE: u64 = 64 << 20;
    /// Bytes of a picture that are looked at for what it says of itself, which stands at the start.
    pub const PICTURE: u64 = 4 << 20;
    /// Bytes of text that are kept of one file.
    pub const TEXT: usize = 4 << 20;
    /// Bytes that the members of a packed file may unpack to, all together.
    pub const UNPACKED: u64 = 64 << 20;
    /// Members of a packed file that are looked at.
    pub const MEMBERS: usize = 10_000;
}

/// The words of a file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Words {
    /// The text; empty if there is none.
    pub body: String,
    /// Why it is not all there; empty if it is.
    pub note: String,
    /// What the file says of itself, as [`nine_core::metadata::Metadata::to_json`] writes it.
    pub said: String,
}

impl Words {
    /// No words, and why.
    pub fn none(note: impl Into<String>) -> Self {
        Self { note: note.into(), ..Self::default() }
    }
}

/// A text that grows up to its bound.
#[derive(Debug, Default)]
struct Body {
    text: String,
    is_full: bool,
}

impl Body {
    /// Adds a text; says whether there is room for more.
    fn add(&mut self, text: &str) -> bool {
        let room = bounds::TEXT - self.text.len();
        if text.len() <= room {
            self.text.push_str(text);
            return true;
        }
        let end = (0..=room).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        self.text.push_str(&text[..end]);
        self.is_full = true;
        false
    }

    fn into_words(self, note: &str) -> Words {
        let note = match self.is_full {
            true => format!("only the first {} MiB of its words are kept", bounds::TEXT >> 20),
            false => note.to_owned(),
        };
        Words { body: self.text, note, said: String::new() }
    }
}

/// What a file is read as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum FileForm {
    Text,
    Page,
    Mail,
    Pdf,
    /// Office Open XML or OpenDocument.
    Office,
    Other,
}

/// Reads a file from its first [`bounds::FILE`] bytes: its words, and what it says of itself; `size` is how many it
/// has.
pub fn inside(name: &[u8], bytes: &[u8], size: u64) -> Words {
    let words = words(name, bytes, size);
    match words.said.is_empty() {
        true => Words { said: metadata::metadata(bytes).to_json(), ..words },
        false => words,
    }
}

/// Reads the words of a file from its first [`bounds::FILE`] bytes; `size` is how many it has.
pub fn words(name: &[u8], bytes: &[u8], size: u64) -> Words {
    let cut = (bytes.len() as u64) < size;
    let words = match form(name, bytes) {
        FileForm::Text => plain::words(bytes),
        FileForm::Page => page::words(bytes),
        FileForm::Mail => mail::words(bytes),
        // Of these the end is needed to read anything.
        FileForm::Pdf | FileForm::Office if cut => {
            return Words::none(format!("it is larger than {} MiB", bounds::FILE >> 20));
        }
        FileForm::Pdf => pdf::words(bytes),
        FileForm::Office => office::words(bytes),
        FileForm::Other => Words::default(),
    };
    if cut && words.note.is_empty() && !words.body.is_empty() {
        let note = format!("only the first {} MiB were read", bounds::FILE >> 20);
        return Words { note, ..words };
    }
    words
}

/// Decides by the content, and by the extension where that alone tells.
fn form(name: &[u8], bytes: &[u8]) -> FileForm {
    let ext = fold_bytes(split_extension(name).1);
    let content = recognise(&bytes[..bytes.len().min(FIRST_BYTES)]);
    let is_page = matches!(ext.as_str(), ".html" | ".htm" | ".xhtml");
    match content {
        Content::Empty => FileForm::Other,
        Content::Signature("application/pdf") => FileForm::Pdf,
        Content::Signature(of) if is_office(of) => FileForm::Office,
        Content::Signature("application/zip") if office::is_extension(&ext) || holds_office(bytes) => {
            FileForm::Office
        }
        Content::Signature(_) => FileForm::Other,
        Content::Marked("message/rfc822" | "multipart/related") => FileForm::Mail,
        Content::Marked(
            "text/html" | "text/x-office-html" | "image/svg+xml" | "text/xml" | "text/x-drawio",
        ) => FileForm::Page,
        // Keys have no words for others.
        Content::Marked("text/x-pem") => FileForm::Other,
        Content::Marked(_) | Content::Table | Content::Text => match ext.as_str() {
            ".eml" | ".mbox" => FileForm::Mail,
            _ if is_page => FileForm::Page,
            _ => FileForm::Text,
        },
        Content::Bytes if plain::is_other_encoding(&ext, bytes) => match ext.as_str() {
            ".eml" => FileForm::Mail,
            _ if is_page => FileForm::Page,
            _ => FileForm::Text,
        },
        Content::Bytes => FileForm::Other,
    }
}

fn is_office(media: &str) -> bool {
    media.contains("openxmlformats") || media.contains("opendocument")
}

/// Whether a zip holds what office programs write, by the list at its end: at its start may stand large pictures.
fn holds_office(bytes: &[u8]) -> bool {
    let last = &bytes[bytes.len().saturating_sub(ZIP_END as usize)..];
    let list = list_of_members(last).and_then(|(at, length)| {
        let at = usize::try_from(at).ok()?;
        bytes.get(at..at.checked_add(usize::try_from(length).ok()?)?)
    });
    let members = list.map(members_in_list).unwrap_or_default();
    of_members(members.iter().map(|member| member.name)).is_some_and(is_office)
}
