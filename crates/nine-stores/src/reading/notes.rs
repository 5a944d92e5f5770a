//! The tags that a note carries in its own text: in a YAML header, and as `#loan/north-gallery` in what
//! is written, though not inside code, links or headings.

use std::panic::catch_unwind;

use nine_core::item::Kind;
use nine_core::kinds::{ItemType, type_of_name};
use nine_core::place::ItemPath;
use nine_core::tags::add;
use pulldown_cmark::{Event, Options, Parser, Tag, TagEnd, TextMergeStream};
use serde::Deserialize;

use super::plain::decoded;
use crate::ReadStore;

/// Bytes of a note that are looked at.
pub const NOTE: usize = 256 << 10;
/// Bytes of a header that are looked at.
const HEADER: usize = 16 << 10;
/// Collections within collections of a header: a parser that recurses needs stack for each.
const DEPTH: usize = 32;
/// The longest tag, in bytes.
const LONGEST: usize = 100;
/// How many tags of one note count.
const MOST: usize = 100;

/// Whether a file of this name is a note that may carry tags.
pub fn is_note(name: &[u8]) -> bool {
    type_of_name(name) == Some(ItemType::Note)
}

/// Whether something may be a note that carries tags.
pub fn may_be_note(kind: Kind, size: u64, name: &[u8]) -> bool {
    kind == Kind::File && size > 0 && is_note(name)
}

/// The tags in a note's text; none if it cannot be read or is no note.
pub fn note_tags(store: &dyn ReadStore, path: &ItemPath) -> Vec<String> {
    if !is_note(path.name()) {
        return Vec::new();
    }
    tags_in_note(&store.first_bytes(path, NOTE).unwrap_or_default())
}

/// The tags in the first [`NOTE`] bytes of a note. Notes are read in the program's own process, since a process of its
/// own would take far longer; so a note on which a parser panics has no tags.
pub fn tags_in_note(bytes: &[u8]) -> Vec<String> {
    let bytes = &bytes[..bytes.len().min(NOTE)];
    let is_text = !bytes.contains(&0);
    let read = || if is_text { tags_in_text(&decoded(bytes)) } else { Vec::new() };
    catch_unwind(read).unwrap_or_default()
}

/// The tags in a text, in their order, each once.
pub fn tags_in_text(text: &str) -> Vec<String> {
    let mut tags = Vec::new();
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let body = match header(text) {
        Some((header, body)) => {
            in_header(header).iter().for_each(|tag| push(&mut tags, tag));
            body
        }
        None => text,
    };
    if body.contains('#') {
        in_body(body, &mut tags);
    }
    tags.truncate(MOST);
    tags
}

fn push(tags: &mut Vec<String>, tag: &str) {
    let tag = tag.trim().trim_start_matches('#').trim_matches('/');
    let empty = tag.split('/').any(|part| part.trim().is_empty());
    if !empty && tag.len() <= LONGEST && !tag.contains(char::is_control) {
        add(tags, tag);
    }
}

/// The header between two lines of `---`, and what comes behind it.
fn header(text: &str) -> Option<(&str, &str)> {
    let rest = text.strip_prefix("---")?.trim_start_matches([' ', '\t', '\r']).strip_prefix('\n')?;
    let mut at = 0;
    for line in rest.split_inclusive('\n') {
        if matches!(line.trim_end(), "---" | "...") {
            return Some((&rest[..at], &rest[at + line.len()..]));
        }
        at += line.len();
        if at > HEADER {
            break;
        }
    }
    None
}

#[derive(Deserialize)]
struct Header {
    #[serde(alias = "Tags", alias = "TAGS", default)]
    tags: Option<ListedTags>,
}

/// Tags as a list, or as a line with commas or spaces between.
#[derive(Deserialize)]
#[serde(untagged)]
enum ListedTags {
    List(Vec<NoteWord>),
    Line(NoteWord),
}

/// A tag may look like a number.
#[derive(Deserialize)]
#[serde(untagged)]
enum NoteWord {
    Text(String),
    Number(i64),
    Other(serde::de::IgnoredAny),
}

impl NoteWord {
    fn text(self) -> String {
        match self {
            NoteWord::Text(text) => text,
            NoteWord::Number(number) => number.to_string(),
            NoteWord::Other(_) => String::new(),
        }
    }
}

/// Whether brackets nest deeper than [`DEPTH`]. The parser looks ahead by recursion before its own limit counts, and a
/// stack that overflows ends the program.
fn nests_too_deep(header: &str) -> bool {
    let mut depth = 0_usize;
    header.bytes().any(|byte| {
        match byte {
            b'[' | b'{' => depth += 1,
            b']' | b'}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        depth > DEPTH
    })
}

/// A header that is not YAML, or is nested too deep to be one that a person wrote, has no tags.
fn in_header(header: &str) -> Vec<String> {
    if nests_too_deep(header) {
        return Vec::new();
    }
    let options = serde_saphyr::options! { budget: serde_saphyr::budget! { max_depth: DEPTH } };
    let header = serde_saphyr::from_str_with_options::<Header>(header, options);
    match header.ok().and_then(|header| header.tags) {
        Some(ListedTags::List(words)) => words.into_iter().map(NoteWord::text).collect(),
        Some(ListedTags::Line(line)) => {
            let line = line.text();
            let sign = if line.contains(',') { ',' } else { ' ' };
            line.split(sign).map(str::to_owned).collect()
        }
        None => Vec::new(),
    }
}

fn in_body(body: &str, tags: &mut Vec<String>) {
    // How many of code blocks, headings, links and pictures we are in.
    let mut inside = 0usize;
    for event in TextMergeStream::new(Parser::new_ext(body, Options::empty())) {
        match event {
            Event::Start(Tag::CodeBlock(_) | Tag::Heading { .. } | Tag::Link { .. } | Tag::Image { .. }) => {
                inside += 1
            }
            Event::End(TagEnd::CodeBlock | TagEnd::Heading(_) | TagEnd::Link | TagEnd::Image) => {
                inside = inside.saturating_sub(1);
            }
            Event::Text(text) if inside == 0 => hashtags(&text, tags),
            _ => {}
        }
    }
}

/// The tags of a run of text. One begins at its start, or behind a space, bracket or quote.
fn hashtags(text: &str, tags: &mut Vec<String>) {
    let mut before = ' ';
    let mut rest = text;
    while let Some(at) = rest.find('#') {
        let start = rest[..at].chars().next_back().unwrap_or(before);
        let body = &rest[at + 1..];
        let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '/');
        let end = body.find(|c: char| !is_part(c)).unwrap_or(body.len());
        let tag = body[..end].trim_end_matches(['/', '-']);
        let begins = start.is_whitespace()
            || matches!(start, '(' | '[' | '{' | '"' | '\'' | ',' | ';' | '“' | '„' | '«');
        if begins && tag.chars().any(char::is_alphabetic) {
            push(tags, tag);
        }
        before = body[..end].chars().next_back().unwrap_or('#');
        rest = &body[end..];
    }
}
