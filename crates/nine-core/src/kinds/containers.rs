//! What a container is, by the names of what it holds.

/// The mark before each member of a zip, and before each line of its list (PKWARE APPNOTE 4.3.7, 4.3.12).
const MEMBER: &[u8] = b"PK\x03\x04";

/// A media type that the member `mimetype` of a package may state, as it is kept here.
pub fn of_mimetype(text: &[u8]) -> Option<&'static str> {
    const STATED: [&str; 6] = [
        "application/vnd.oasis.opendocument.text",
        "application/vnd.oasis.opendocument.spreadsheet",
        "application/vnd.oasis.opendocument.presentation",
        "application/vnd.oasis.opendocument.graphics",
        "application/epub+zip",
        "image/openraster",
    ];
    // A template is of the type that it is for.
    let stated =
        |media: &&&str| text.strip_prefix(media.as_bytes()).is_some_and(|rest| !rest.starts_with(b"-master"));
    STATED.iter().filter(stated).max_by_key(|media| media.len()).copied()
}

/// From this rank on no other member can tell otherwise.
const DECISIVE: u8 = 7;

/// The media type of a zip with these members, in any order; `None` if they tell nothing.
pub fn of_members<'n>(members: impl Iterator<Item = &'n [u8]>) -> Option<&'static str> {
    best_of_members(members).map(|(_, media)| media)
}

fn best_of_members<'n>(members: impl Iterator<Item = &'n [u8]>) -> Option<(u8, &'static str)> {
    let mut found: Option<(u8, &'static str)> = None;
    for member in members {
        let told = of_member(member);
        // What tells more than another goes before it: a workbook is kept among sheets.
        if let Some(told) = told.filter(|(rank, _)| found.is_none_or(|(best, _)| *rank > best)) {
            found = Some(told);
        }
    }
    found
}

fn of_member(member: &[u8]) -> Option<(u8, &'static str)> {
    const EXACT: [(&[u8], u8, &str); 12] = [
        (b"xl/workbook.bin", 9, "application/vnd.ms-excel.sheet.binary"),
        (b"word/document.xml", 8, "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
        (b"xl/workbook.xml", 8, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        (
            b"ppt/presentation.xml",
            8,
            "application/vnd.openxmlformats-officedocument.presentationml.presentation",
        ),
        (b"visio/document.xml", 8, "application/vnd.ms-visio.drawing"),
        (b"META-INF/container.xml", 7, "application/epub+zip"),
        (b"AndroidManifest.xml", 8, "application/vnd.android.package-archive"),
        (b"base/manifest/AndroidManifest.xml", 8, "application/vnd.android.package-archive"),
        (b"META-INF/MANIFEST.MF", 3, "application/java-archive"),
        (b"doc.kml", 5, "application/x-kmz"),
        (b"FixedDocSeq.fdseq", 7, "application/oxps"),
        (b"FixedDocumentSequence.fdseq", 7, "application/oxps"),
    ];
    const BELOW: [(&[u8], u8, &str); 10] = [
        (b"word/", 6, "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
        (b"xl/", 6, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        (b"ppt/", 6, "application/vnd.openxmlformats-officedocument.presentationml.presentation"),
        (b"visio/", 6, "application/vnd.ms-visio.drawing"),
        (b"Index/Slide", 8, "application/x-iwork-keynote"),
        (b"Index/MasterSlide", 8, "application/x-iwork-keynote"),
        (b"Index/TemplateSlide", 8, "application/x-iwork-keynote"),
        (b"Index/Document.iwa", 5, "application/x-iwork"),
        (b"Payload/", 5, "application/x-ios-app"),
        (b"Documents/1/", 4, "application/oxps"),
    ];
    let exact = EXACT.iter().find(|(name, ..)| *name == member).map(|(_, rank, media)| (*rank, *media));
    exact
        .or_else(|| {
            BELOW.iter().find(|(start, ..)| member.starts_with(start)).map(|(_, rank, media)| (*rank, *media))
        })
        .or_else(|| (member == b"content.json").then_some((2, "application/x-xmind")))
}

/// What the first bytes of a zip tell for sure: by its `mimetype`, or by members whose headers stand there.
pub(super) fn in_first_bytes(first: &[u8]) -> Option<&'static str> {
    let mut members: Vec<&[u8]> = Vec::new();
    let mut at = 0;
    while let Some(head) = first.get(at..at + 30).filter(|head| head.starts_with(MEMBER)) {
        let number = |from: usize| u16::from_le_bytes([head[from], head[from + 1]]) as usize;
        let length = |from: usize| number(from) | number(from + 2) << 16;
        let start = at + 30;
        let Some(name) = first.get(start..start + number(26)) else { break };
        let data = start + number(26) + number(28);
        if name == b"mimetype" && number(8) == 0 {
            let stated = first.get(data..).map(|rest| &rest[..rest.len().min(80)]);
            if let Some(media) = stated.and_then(of_mimetype) {
                return Some(media);
            }
        }
        members.push(name);
        // Where the length stands behind the content, the next header is looked for.
        at = match (length(18), number(6) & 8) {
            (0, 8) => {
                match first.get(data..).and_then(|rest| rest.windows(4).position(|four| four == MEMBER)) {
                    Some(next) => data + next,
                    None => break,
                }
            }
            (packed, _) => data + packed,
        };
    }
    best_of_members(members.into_iter()).filter(|(rank, _)| *rank >= DECISIVE).map(|(_, media)| media)
}

/// The list of members at the end of a zip, from its last bytes: where it starts and how long it is; `None` if
/// there is none.
pub fn list_of_members(last: &[u8]) -> Option<(u64, u64)> {
    let end = last.windows(4).rposition(|four| four == b"PK\x05\x06")?;
    let number = |from: usize| {
        last.get(end + from..end + from + 4).map(|b| u64::from(u32::from_le_bytes([b[0], b[1], b[2], b[3]])))
    };
    Some((number(16)?, number(12)?))
}

/// A member of a zip, as its list has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Member<'a> {
    /// Its name.
    pub name: &'a [u8],
    /// Where it stands in the file.
    pub at: u64,
}

impl Member<'_> {
    /// The start of its content, from the bytes where it stands; `None` if it is packed.
    pub fn content_in<'h>(&self, head: &'h [u8]) -> Option<&'h [u8]> {
        let number =
            |from: usize| head.get(from..from + 2).map(|b| u16::from_le_bytes([b[0], b[1]]) as usize);
        let is_plain = head.starts_with(MEMBER) && number(8)? == 0;
        head.get(30 + number(26)? + number(28)?..).filter(|_| is_plain)
    }
}

/// The members in a list of them.
pub fn members_in_list(list: &[u8]) -> Vec<Member<'_>> {
    let mut members = Vec::new();
    let mut at = 0;
    while let Some(head) = list.get(at..at + 46).filter(|head| head.starts_with(b"PK\x01\x02")) {
        let number = |from: usize| u16::from_le_bytes([head[from], head[from + 1]]) as usize;
        let Some(name) = list.get(at + 46..at + 46 + number(28)) else { break };
        let offset = u64::from(u32::from_le_bytes([head[42], head[43], head[44], head[45]]));
        members.push(Member { name, at: offset });
        at += 46 + number(28) + number(30) + number(32);
    }
    members
}

/// The media type of a compound document whose root holds entries of these names.
pub fn of_entries<'n>(entries: impl Iterator<Item = &'n str>) -> Option<&'static str> {
    let mut found: Option<(u8, &'static str)> = None;
    for entry in entries {
        let told = match entry {
            "EncryptedPackage" => (9, "application/x-ole-encrypted"),
            "__properties_version1.0" => (8, "application/vnd.ms-outlook"),
            "PowerPoint Document" | "PP40" => (7, "application/vnd.ms-powerpoint"),
            "VisioDocument" => (7, "application/vnd.visio"),
            "Quill" => (7, "application/x-mspublisher"),
            "Workbook" | "Book" => (6, "application/vnd.ms-excel"),
            "WordDocument" | "MatOST" => (6, "application/msword"),
            // Names in a packed form, beginning with one sign for tables.
            name if name.starts_with('\u{4840}') => (5, "application/x-msi"),
            name if name.starts_with("Props") && name[5..].parse::<u8>().is_ok() => {
                (4, "application/vnd.ms-project")
            }
            _ => continue,
        };
        if found.is_none_or(|(rank, _)| told.0 > rank) {
            found = Some(told);
        }
    }
    found.map(|(_, media)| media)
}
