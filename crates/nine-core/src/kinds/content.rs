//! What the first bytes of a file say it is.

use super::ItemType::{self, *};
use super::extensions::{Known, Promise};
use super::{containers, media, texts};

/// How many bytes from the start of a file are enough, but for containers.
pub const FIRST_BYTES: usize = 8192;

/// What a file's content was recognised as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    /// The file holds nothing.
    Empty,
    /// A signature, or what a container holds: the media type.
    Signature(&'static str),
    /// Text that says of itself what it is: the media type.
    Marked(&'static str),
    /// Text with a tab between the cells of each line.
    Table,
    /// Text of some kind.
    Text,
    /// Bytes without a known signature.
    Bytes,
}

/// What content says about an extension.
pub(super) enum Judgement {
    /// It is what the extension says, and of this type.
    Agrees(ItemType, &'static str),
    SaysNothing,
    Contradicts(ItemType, &'static str),
}

/// Signatures of two or three bytes, which may be chance.
const WEAK: [&str; 5] = [
    "application/zlib",
    "application/pgp",
    "application/x-x509-ca-cert",
    "application/vnd.lotus-1-2-3",
    "image/vnd.microsoft.icon",
];

impl Content {
    /// The type and its name for people, where the content tells.
    pub(super) fn found(self) -> Option<(ItemType, &'static str)> {
        match self {
            Content::Signature(of) | Content::Marked(of) => media::known(of),
            Content::Table => Some((Sheet, "table")),
            Content::Text => Some((Note, "plain text")),
            Content::Empty | Content::Bytes => None,
        }
    }

    /// The media type, where it is known.
    pub fn media(self) -> Option<&'static str> {
        match self {
            Content::Signature(of) | Content::Marked(of) => Some(of),
            Content::Empty | Content::Table | Content::Text | Content::Bytes => None,
        }
    }

    /// Its name for people, where the content tells.
    pub fn what(self) -> Option<&'static str> {
        self.found().map(|(_, what)| what)
    }

    /// Holds the content against what its extension promises.
    pub(super) fn judge(self, known: &Known) -> Judgement {
        let (found, what) = self.found().unwrap_or((Unknown, "bytes without a known form"));
        let listed = match known.promise {
            Promise::Signed(list) | Promise::Opaque(list) | Promise::TextOr(list) => list,
            Promise::Text | Promise::Marked => &[],
        };
        if self.media().is_some_and(|of| listed.contains(&of)) {
            // Two kinds of files have these extensions; where one is a container, the name goes before.
            let other = matches!((known.item_type, found), (Slides | Document, Key));
            return Judgement::Agrees(if other { found } else { known.item_type }, what);
        }
        let contradicts = match (self, known.promise) {
            (Content::Empty, _) => false,
            (Content::Signature(of), Promise::Opaque(_) | Promise::TextOr(_)) => !WEAK.contains(&of),
            (Content::Signature(_), _) => true,
            (Content::Marked(of), Promise::Marked) => return judge_marked(of, known.item_type, found, what),
            (Content::Marked(of), Promise::Text) => is_foreign_text(of, known.item_type),
            (Content::Marked(of), Promise::TextOr(list)) => is_foreign_to(of, list),
            (Content::Marked(_), _) => true,
            (Content::Table, Promise::Signed(list)) => !list.contains(&"text/tab-separated-values"),
            (Content::Table | Content::Text, Promise::Signed(_) | Promise::Opaque(_)) => true,
            (Content::Text | Content::Table, Promise::Marked) => {
                matches!(known.item_type, Drawing | Calendar | Contact)
            }
            (Content::Table | Content::Text, _) => false,
            (Content::Bytes, Promise::Opaque(_)) => false,
            (Content::Bytes, Promise::TextOr(list)) => {
                list.iter().all(|of| of.starts_with("text/") || *of == "application/x-quickbooks")
            }
            (Content::Bytes, _) => true,
        };
        match (contradicts, self) {
            (true, _) => Judgement::Contradicts(found, what),
            // Film and source code have one extension, and messages and snapshots of programs are text, too.
            (false, Content::Text) if known.item_type == Video => Judgement::Agrees(Code, "text"),
            (false, Content::Text)
                if matches!(known.promise, Promise::TextOr(_)) && known.item_type.is_no_text() =>
            {
                Judgement::Agrees(Data, "text")
            }
            (false, _) => Judgement::SaysNothing,
        }
    }

    /// A text that [`Content::from_text`] reads back.
    pub fn to_text(self) -> String {
        match self {
            Content::Empty => "empty".into(),
            Content::Bytes => "bytes".into(),
            Content::Table => "table".into(),
            Content::Text => "text".into(),
            Content::Signature(media) => format!("media {media}"),
            Content::Marked(media) => format!("marked {media}"),
        }
    }

    /// Reads what [`Content::to_text`] wrote; `None` for what this version does not know.
    pub fn from_text(text: &str) -> Option<Self> {
        match text.split_once(' ') {
            None => match text {
                "empty" => Some(Content::Empty),
                "bytes" => Some(Content::Bytes),
                "table" => Some(Content::Table),
                "text" => Some(Content::Text),
                _ => None,
            },
            Some(("media", of)) => media::known(of).map(|_| Content::Signature(media::kept(of))),
            Some(("marked", of)) => media::known(of).map(|_| Content::Marked(media::kept(of))),
            Some(_) => None,
        }
    }
}

/// What text that says what it is says about an extension for such text.
fn judge_marked(of: &str, promised: ItemType, found: ItemType, what: &'static str) -> Judgement {
    // A saved page has the headers of mail, and drawings and pages may be XML of any root.
    let fits = found == promised || (promised == Mail && of == "multipart/related") || of == "text/xml";
    if fits { Judgement::Agrees(promised, what) } else { Judgement::Contradicts(found, what) }
}

/// Whether text that says what it is can hardly be of a type whose files are any text.
fn is_foreign_text(of: &str, promised: ItemType) -> bool {
    match promised {
        Sheet => true,
        Mail => of != "message/rfc822",
        // Notes may quote anything, and code writes it.
        _ => false,
    }
}

/// The same where only some markup is usual.
fn is_foreign_to(of: &str, listed: &[&str]) -> bool {
    let is_xml = listed.contains(&"text/xml");
    match of {
        "text/html" | "text/calendar" | "text/vcard" | "message/rfc822" => true,
        "image/svg+xml" => !is_xml,
        _ => false,
    }
}

/// Recognises content by its first bytes (up to [`FIRST_BYTES`] of them).
pub fn recognise(first: &[u8]) -> Content {
    if first.is_empty() {
        return Content::Empty;
    }
    let text = texts::as_text(first);
    match text.as_deref().and_then(texts::marked) {
        Some(of @ ("application/rtf" | "application/postscript")) => return Content::Signature(of),
        Some(of) => return Content::Marked(of),
        None => {}
    }
    if first.starts_with(b"PK\x03\x04") {
        return Content::Signature(containers::in_first_bytes(first).unwrap_or("application/zip"));
    }
    let own = media::by_signature(first).filter(|_| text.is_none());
    let kept = || infer::get(first).map(|kind| kind.mime_type()).filter(|media| !media.starts_with("text/"));
    if let Some(of) = own.or_else(kept)
        && media::known(of).is_some()
    {
        return Content::Signature(media::kept(of));
    }
    match text {
        Some(text) if texts::is_table(&text) => Content::Table,
        Some(_) => Content::Text,
        None => Content::Bytes,
    }
}
