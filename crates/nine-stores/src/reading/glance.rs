//! A glance at a file: a few lines that tell a person what it is.

use std::io::{Cursor, Read};

use flate2::read::GzDecoder;
use nine_core::amount::{count, counted, readable};
use nine_core::escape::escape;
use nine_core::kinds::{Content, FIRST_BYTES, recognise};
use zip::ZipArchive;

use super::{Words, bounds, inside, pdf};

/// The most characters of a line that are told.
const LINE: usize = 200;

/// Up to `lines` lines about a file, from its first [`bounds::FILE`] bytes; `size` is how many it has. Beside them
/// stands what it says of itself.
pub fn glance(name: &[u8], bytes: &[u8], size: u64, lines: usize) -> Words {
    let content = recognise(&bytes[..bytes.len().min(FIRST_BYTES)]);
    let mut told: Vec<String> = match content {
        Content::Signature(media) if media.starts_with("image/") => {
            let what = content.what().unwrap_or_default();
            match dimensions(bytes) {
                Some((width, height)) => vec![format!("{what}, {} x {} pixels", count(width), count(height))],
                None => vec![what.to_owned()],
            }
        }
        Content::Signature("application/pdf") => {
            pdf::pages(bytes).map(|pages| counted(pages as u64, "page", "pages")).into_iter().collect()
        }
        Content::Signature("application/zip") => zip_members(bytes, lines),
        Content::Signature("application/x-tar") => tar_members(bytes, lines),
        Content::Signature("application/gzip") => tar_members(GzDecoder::new(bytes), lines),
        _ => Vec::new(),
    };
    let words = inside(name, bytes, size);
    let text = words.body.lines().map(str::trim_end).filter(|line| !line.trim().is_empty());
    told.extend(text.take(lines.saturating_sub(told.len())).map(safe));
    if !words.note.is_empty() {
        told.push(format!("({})", words.note));
    }
    Words { body: told.join("\n"), note: String::new(), said: words.said }
}

/// A line of the file's own, escaped and cut.
fn safe(line: &str) -> String {
    let line: String = line.chars().take(LINE).collect();
    escape(line.replace('\t', " ").as_bytes())
}

fn dimensions(bytes: &[u8]) -> Option<(u64, u64)> {
    let size = imagesize::blob_size(bytes).ok()?;
    Some((size.width as u64, size.height as u64))
}

fn zip_members(bytes: &[u8], lines: usize) -> Vec<String> {
    let Ok(mut zip) = ZipArchive::new(Cursor::new(bytes)) else {
        return vec!["a zip whose list of members cannot be read".into()];
    };
    let all = zip.len();
    let mut told = vec![counted(all as u64, "member", "members")];
    for at in 0..all.min(lines.saturating_sub(1)) {
        if let Ok(member) = zip.by_index_raw(at) {
            told.push(member_line(member.name_raw(), member.size()));
        }
    }
    told
}

/// Members of a tar; the list ends where a member cannot be read or too much was unpacked.
fn tar_members(packed: impl Read, lines: usize) -> Vec<String> {
    let mut tar = tar::Archive::new(packed.take(bounds::UNPACKED));
    let mut members = Vec::new();
    let mut all = 0_u64;
    for member in tar.entries().into_iter().flatten().map_while(Result::ok).take(bounds::MEMBERS) {
        all += 1;
        if members.len() + 1 < lines {
            members.push(member_line(&member.path_bytes(), member.size()));
        }
    }
    if all == 0 {
        return Vec::new();
    }
    members.insert(0, counted(all, "member", "members"));
    members
}

fn member_line(name: &[u8], size: u64) -> String {
    format!("{}  {}", escape(name), readable(size))
}
