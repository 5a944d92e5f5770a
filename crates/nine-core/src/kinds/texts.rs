//! Text: whether bytes are some, and what it says of itself.

/// The bytes as text, if they are some: UTF-8, UTF-16, or mostly letters of Latin-1. A character cut at the end
/// does not count.
pub(super) fn as_text(first: &[u8]) -> Option<String> {
    let bare = first.strip_prefix(b"\xef\xbb\xbf").unwrap_or(first);
    let text = match first {
        [0xff, 0xfe, rest @ ..] => from_utf16(rest, u16::from_le_bytes),
        [0xfe, 0xff, rest @ ..] => from_utf16(rest, u16::from_be_bytes),
        _ => match std::str::from_utf8(bare) {
            Ok(text) => Some(text.to_owned()),
            Err(e) if bare.len() - e.valid_up_to() < 4 && e.error_len().is_none() => {
                Some(String::from_utf8_lossy(&bare[..e.valid_up_to()]).into_owned())
            }
            Err(_) => from_utf16_without_mark(bare).or_else(|| from_old(bare)),
        },
    }?;
    let text = if text.contains('\0') { from_utf16_without_mark(bare)? } else { text };
    let odd = |c: char| {
        c.is_control() && !matches!(c, '\n' | '\r' | '\t' | '\x0c' | '\x1b' | '\x1a' | '\u{80}'..='\u{9f}')
    };
    match text.contains(odd) {
        true => from_old(bare),
        false => Some(text),
    }
}

fn from_utf16(bytes: &[u8], number: fn([u8; 2]) -> u16) -> Option<String> {
    let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| number([pair[0], pair[1]])).collect();
    let cut = units.last().is_some_and(|unit| (0xd800..0xdc00).contains(unit));
    String::from_utf16(&units[..units.len() - usize::from(cut)]).ok()
}

/// Mostly letters of ASCII with a zero beside each.
fn from_utf16_without_mark(bytes: &[u8]) -> Option<String> {
    let zeros = |start: usize| bytes.iter().skip(start).step_by(2).filter(|b| **b == 0).count();
    let half = bytes.len() / 2;
    if half < 8 {
        return None;
    }
    if zeros(1) * 10 >= half * 9 && zeros(0) == 0 {
        return from_utf16(bytes, u16::from_le_bytes);
    }
    if zeros(0) * 10 >= half * 9 && zeros(1) == 0 {
        return from_utf16(bytes, u16::from_be_bytes);
    }
    None
}

/// Text in an encoding of old: mostly letters of ASCII, hardly a control and no zero. Its other letters are guessed.
fn from_old(bytes: &[u8]) -> Option<String> {
    let is_plain = |b: &u8| matches!(b, b' '..=b'~' | b'\n' | b'\r' | b'\t');
    let plain = bytes.iter().filter(|b| is_plain(b)).count();
    let controls = bytes.iter().filter(|b| **b < b' ' && !is_plain(b)).count();
    let is_text = plain * 2 >= bytes.len() && controls * 50 <= bytes.len() && !bytes.contains(&0);
    is_text.then(|| bytes.iter().filter(|b| **b >= b' ' || is_plain(b)).map(|b| *b as char).collect())
}

/// The media type that text says it is on its first lines.
pub(super) fn marked(text: &str) -> Option<&'static str> {
    let start = text.trim_start();
    let lower: String = start.chars().take(4096).collect::<String>().to_ascii_lowercase();
    let begins = |marks: &[&str]| marks.iter().any(|mark| lower.starts_with(mark));
    if begins(&["<!doctype html", "<html", "<head", "<body", "<title"]) {
        let office = lower.contains("urn:schemas-microsoft-com:office");
        return Some(if office { "text/x-office-html" } else { "text/html" });
    }
    if begins(&["<?xml", "<svg", "<!--", "<!doctype svg", "<mxfile", "<!doctype plist"]) {
        return in_xml(&lower);
    }
    let marked = [
        (&["begin:vcalendar"][..], "text/calendar"),
        (&["begin:vcard"], "text/vcard"),
        (&["[internetshortcut]", "[desktop entry]"], "text/x-shortcut"),
        (
            &["-----begin ", "ssh-rsa aaaa", "ssh-ed25519 aaaa", "ecdsa-sha2-", "putty-user-key-file"],
            "text/x-pem",
        ),
        (&["{\\rtf"], "application/rtf"),
        (&["%!ps"], "application/postscript"),
        (&["iso-10303-21;"], "model/step"),
        (&["#!"], "text/x-shellscript"),
    ];
    let fixed = marked.iter().find(|(marks, _)| begins(marks)).map(|(_, media)| *media);
    fixed.or_else(|| in_mail(&lower))
}

fn in_xml(lower: &str) -> Option<&'static str> {
    let root = lower.split('<').skip(1).find(|tag| !tag.starts_with(['?', '!']));
    let root = root.unwrap_or_default();
    let is = |name: &str| {
        root.strip_prefix(name).is_some_and(|rest| rest.starts_with([' ', '>', '\n', '\r', '\t', '/']))
    };
    if is("svg") || root.starts_with("svg:svg") {
        return Some("image/svg+xml");
    }
    if is("html") {
        return Some("text/html");
    }
    if is("mxfile") {
        return Some("text/x-drawio");
    }
    lower.starts_with("<?xml").then_some("text/xml")
}

/// Headers of RFC 5322; a web page that was saved as one file has them too.
fn in_mail(lower: &str) -> Option<&'static str> {
    const HEADERS: [&str; 14] = [
        "return-path:",
        "received:",
        "delivered-to:",
        "mime-version:",
        "message-id:",
        "from:",
        "to:",
        "subject:",
        "date:",
        "x-mozilla-status:",
        "reply-to:",
        "content-type:",
        "snapshot-content-location:",
        "authentication-results:",
    ];
    let lines: Vec<&str> = lower.lines().take(40).take_while(|line| !line.is_empty()).collect();
    let is_header = |line: &&&str| HEADERS.iter().any(|header| line.starts_with(header));
    let headers = lines.iter().filter(is_header).count();
    if !lines.first().is_some_and(|line| HEADERS.iter().any(|header| line.starts_with(header))) || headers < 2
    {
        let telling = ["return-path:", "received:", "delivered-to:", "mime-version:", "message-id:"];
        return telling.iter().any(|header| lower.starts_with(header)).then_some("message/rfc822");
    }
    let saved = lower.contains("multipart/related")
        && (lower.contains("snapshot-content-location") || !lower.contains("\nto:"))
        && lower.contains("text/html");
    Some(if saved { "multipart/related" } else { "message/rfc822" })
}

/// Whether text is a table with a tab between the cells of each of its lines.
pub(super) fn is_table(text: &str) -> bool {
    let lines: Vec<usize> = text.lines().take(6).map(|line| line.matches('\t').count()).collect();
    lines.len() > 1 && lines[0] > 0 && lines[..lines.len() - 1].iter().all(|tabs| *tabs == lines[0])
}
