//! Media types with the item type and the name for people, and signatures that tell them.

use std::collections::BTreeSet;
use std::sync::{Mutex, PoisonError};

use super::ItemType::{self, *};

/// Media types, with the type and the name for people. Of text that says of itself what it is, too.
const MEDIA: &[(&str, ItemType, &str)] = &[
    ("application/pdf", Document, "PDF"),
    ("application/postscript", Document, "PostScript"),
    ("application/x-dos-eps", Drawing, "encapsulated PostScript"),
    ("application/rtf", Document, "rich text"),
    ("application/msword", Document, "office document"),
    ("application/vnd.wordperfect", Document, "WordPerfect document"),
    ("application/x-mspublisher", Document, "publication"),
    ("application/vnd.ms-project", Document, "project plan"),
    ("application/oxps", Document, "XPS document"),
    ("application/x-iwork", Document, "iWork document"),
    ("application/vnd.ms-excel", Sheet, "spreadsheet"),
    ("application/x-biff", Sheet, "old spreadsheet"),
    ("application/vnd.ms-excel.sheet.binary", Sheet, "binary spreadsheet"),
    ("application/vnd.lotus-1-2-3", Sheet, "old spreadsheet"),
    ("application/vnd.ms-powerpoint", Slides, "slides"),
    ("application/x-iwork-keynote", Slides, "iWork slides"),
    ("application/vnd.oasis.opendocument.text", Document, "OpenDocument text"),
    ("application/vnd.oasis.opendocument.spreadsheet", Sheet, "OpenDocument sheet"),
    ("application/vnd.oasis.opendocument.presentation", Slides, "OpenDocument slides"),
    ("application/vnd.oasis.opendocument.graphics", Drawing, "OpenDocument drawing"),
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
    ("application/x-ole-encrypted", Document, "encrypted office file"),
    ("application/onenote", Note, "notebook"),
    ("application/epub+zip", Book, "EPUB"),
    ("application/x-mobipocket-ebook", Book, "e-book"),
    ("image/vnd.djvu", Book, "DjVu"),
    ("text/html", Page, "web page"),
    ("text/x-office-html", Page, "office web page"),
    ("multipart/related", Page, "web archive"),
    ("message/rfc822", Mail, "mail"),
    ("application/vnd.ms-outlook", Mail, "mail"),
    ("application/vnd.ms-outlook-pst", Mail, "mailbox"),
    ("image/jpeg", Image, "JPEG"),
    ("image/png", Image, "PNG"),
    ("image/gif", Image, "GIF"),
    ("image/webp", Image, "WebP"),
    ("image/tiff", Image, "TIFF"),
    ("image/heif", Image, "HEIF"),
    ("image/vnd.adobe.photoshop", Drawing, "layered picture"),
    ("image/openraster", Drawing, "layered picture"),
    ("image/x-xcf", Drawing, "layered picture"),
    ("image/vnd.dwg", Drawing, "drawing"),
    ("image/x-dxf", Drawing, "drawing"),
    ("image/wmf", Drawing, "metafile"),
    ("image/emf", Drawing, "metafile"),
    ("application/vnd.visio", Drawing, "diagram"),
    ("application/vnd.ms-visio.drawing", Drawing, "diagram"),
    ("application/x-xmind", Drawing, "mind map"),
    ("text/x-drawio", Drawing, "diagram"),
    ("image/svg+xml", Drawing, "SVG"),
    ("application/x-indesign", Drawing, "page layout"),
    ("application/x-coreldraw", Drawing, "drawing"),
    ("application/x-sketchup", Drawing, "model"),
    ("model/step", Drawing, "model"),
    ("model/stl", Drawing, "model"),
    ("model/x-bytes", Data, "bytes"),
    ("audio/x-wav", Audio, "WAV"),
    ("audio/mpeg", Audio, "MPEG audio"),
    ("audio/x-flac", Audio, "FLAC"),
    ("video/mp4", Video, "MPEG-4"),
    ("video/x-matroska", Video, "Matroska"),
    ("application/mxf", Video, "MXF"),
    ("application/zip", Packed, "zip"),
    ("application/java-archive", Packed, "Java archive"),
    ("application/gzip", Packed, "gzip"),
    ("application/zlib", Packed, "packed data"),
    ("application/x-tar", Packed, "tar"),
    ("application/x-squashfs", Packed, "packed file system"),
    ("application/vnd.microsoft.portable-executable", Installer, "Windows program"),
    ("application/vnd.debian.binary-package", Installer, "Debian package"),
    ("application/vnd.android.package-archive", Installer, "Android package"),
    ("application/x-ios-app", Installer, "phone app"),
    ("application/x-google-chrome-extension", Installer, "browser extension"),
    ("application/x-xar", Installer, "macOS package"),
    ("application/x-msi", Installer, "Windows package"),
    ("application/x-rpm", Installer, "RPM package"),
    ("application/x-executable", Installer, "program"),
    ("application/x-mach-binary", Installer, "program"),
    ("application/vnd.sqlite3", Data, "SQLite"),
    ("application/x-msaccess", Data, "database"),
    ("application/x-bplist", Data, "property list"),
    ("application/x-kmz", Data, "map"),
    ("application/x-bittorrent", Data, "torrent"),
    ("application/x-quickbooks", Data, "accounts"),
    ("text/xml", Data, "XML"),
    ("text/csv", Sheet, "table"),
    ("text/tab-separated-values", Sheet, "table"),
    ("text/x-shellscript", Code, "script"),
    ("text/calendar", Calendar, "calendar"),
    ("text/vcard", Contact, "contact"),
    ("application/x-iso9660-image", Disk, "disk image"),
    ("application/x-apple-diskimage", Disk, "disk image"),
    ("application/x-vmdk", Disk, "disk image"),
    ("application/x-vhd", Disk, "disk image"),
    ("application/x-vhdx", Disk, "disk image"),
    ("application/x-qemu-disk", Disk, "disk image"),
    ("text/x-pem", Key, "key or certificate"),
    ("application/x-x509-ca-cert", Key, "certificate"),
    ("application/pgp", Key, "OpenPGP data"),
    ("application/x-keepass", Key, "password store"),
    ("application/x-ms-shortcut", Shortcut, "shortcut"),
    ("text/x-shortcut", Shortcut, "shortcut"),
    ("application/x-ole-storage", Unknown, "office container"),
];

/// The type and name for people of a media type.
pub(super) fn known(media: &str) -> Option<(ItemType, &'static str)> {
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

/// Media types are kept for good: there are some three hundred at most.
pub(super) fn kept(media: &str) -> &'static str {
    static OTHERS: Mutex<BTreeSet<&'static str>> = Mutex::new(BTreeSet::new());
    if let Some((name, ..)) = MEDIA.iter().find(|(name, ..)| *name == media) {
        return name;
    }
    let mut others = OTHERS.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(known) = others.get(media) {
        return known;
    }
    let media: &'static str = Box::leak(media.to_owned().into_boxed_str());
    others.insert(media);
    media
}

/// Signatures that the kept table of them lacks: where, which bytes, and the media type.
const SIGNATURES: &[(usize, &[u8], &str)] = &[
    (0, b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "application/x-ole-storage"),
    (0, b"\x09\x08\x10\x00\x00\x06\x05\x00", "application/x-biff"),
    (0, b"\x09\x04\x06\x00\x00\x00\x10\x00", "application/x-biff"),
    (0, b"\x09\x02\x06\x00\x00\x00\x10\x00", "application/x-biff"),
    (0, b"\x00\x00\x02\x00\x06\x04\x06\x00", "application/vnd.lotus-1-2-3"),
    (0, b"\x00\x00\x1a\x00", "application/vnd.lotus-1-2-3"),
    (0, b"\xffWPC", "application/vnd.wordperfect"),
    (0, b"\xe4\x52\x5c\x7b\x8c\xd8\xa7\x4d\xae\xb1\x53\x78\xd0\x29\x96\xd3", "application/onenote"),
    (0, b"!BDN", "application/vnd.ms-outlook-pst"),
    (4, b"Standard Jet DB", "application/x-msaccess"),
    (4, b"Standard ACE DB", "application/x-msaccess"),
    (0, b"bplist00", "application/x-bplist"),
    (0, b"%!PS", "application/postscript"),
    (0, b"\xc5\xd0\xd3\xc6", "application/x-dos-eps"),
    (0, b"\x06\x06\xed\xf5\xd8\x1d\x46\xe5\xbd\x31\xef\xe7\xfe\x74\xb7\x1d", "application/x-indesign"),
    (0, b"gimp xcf", "image/x-xcf"),
    (0, b"\xd7\xcd\xc6\x9a", "image/wmf"),
    (0, b"\x01\x00\x09\x00\x00\x03", "image/wmf"),
    (40, b" EMF", "image/emf"),
    (0, b"icns", "image/x-icns"),
    (0, b"FUJIFILMCCD-RAW", "image/x-fuji-raf"),
    (0, b"IIRO", "image/x-olympus-orf"),
    (0, b"IIRS", "image/x-olympus-orf"),
    (0, b"IIU\x00", "image/x-panasonic-rw2"),
    (4, b"ftypcrx ", "image/x-canon-cr3"),
    (4, b"ftyp3g", "video/3gpp"),
    (0, b"\xff\x4f\xff\x51", "image/jp2"),
    (0, b"\xff\xfe\xff\x0eS\x00k\x00e\x00t\x00c\x00h\x00U\x00p", "application/x-sketchup"),
    (0, b"caff\x00", "audio/x-caf"),
    (0, b"\x06\x0e\x2b\x34\x02\x05\x01\x01\x0d\x01\x02\x01\x01", "application/mxf"),
    (0, b"ttcf", "application/font-collection"),
    (0, b"PAR1", "application/x-parquet"),
    (0, b"\x93NUMPY", "application/x-numpy"),
    (0, b"MATLAB 5.0", "application/x-matlab"),
    (0, b"\x89HDF\r\n\x1a\n", "application/x-hdf5"),
    (0, b"d8:announce", "application/x-bittorrent"),
    (0, b"d13:announce-list", "application/x-bittorrent"),
    (0, b"xar!", "application/x-xar"),
    (0, b"hsqs", "application/x-squashfs"),
    (0, b"KDMV", "application/x-vmdk"),
    (0, b"conectix", "application/x-vhd"),
    (0, b"vhdxfile", "application/x-vhdx"),
    (0, b"koly", "application/x-apple-diskimage"),
    (0, b"\x03\xd9\xa2\x9a", "application/x-keepass"),
    (0, b"\x4c\x00\x00\x00\x01\x14\x02\x00", "application/x-ms-shortcut"),
    (0, b"\x85\x01", "application/pgp"),
    (0, b"\x85\x02", "application/pgp"),
    (0, b"\x84\x8c", "application/pgp"),
    (0, b"\x8c\x0d\x04", "application/pgp"),
    (0, b"\x78\x01", "application/zlib"),
    (0, b"\x78\x9c", "application/zlib"),
    (0, b"\x78\xda", "application/zlib"),
];

/// The media type that a signature tells; the kept table's own signatures come after these.
pub(super) fn by_signature(first: &[u8]) -> Option<&'static str> {
    let stands =
        |(at, bytes, _): &&(usize, &[u8], &str)| first.get(*at..).is_some_and(|rest| rest.starts_with(bytes));
    let own = SIGNATURES.iter().find(stands).map(|(.., media)| *media);
    own.or_else(|| formed(first))
}

/// Media types that a form tells rather than fixed bytes.
fn formed(first: &[u8]) -> Option<&'static str> {
    match first {
        [0x47, ..] if first.get(188) == Some(&0x47) && first.get(376) == Some(&0x47) => Some("video/mp2t"),
        [_, _, _, _, 0x47, ..] if first.get(196) == Some(&0x47) && first.get(388) == Some(&0x47) => {
            Some("video/mp2t")
        }
        [b'R', b'I', b'F', b'F', _, _, _, _, b'C', b'D', b'R', ..] => Some("application/x-coreldraw"),
        // Matroska and WebM are EBML (RFC 8794), which names the kind of document in its header.
        [0x1a, b'E', 0xdf, 0xa3, rest @ ..] => {
            let head = &rest[..rest.len().min(64)];
            let names = |kind: &[u8]| head.windows(kind.len()).any(|part| part == kind);
            if names(b"webm") { Some("video/webm") } else { names(b"matroska").then_some("video/x-matroska") }
        }
        [b'R', b'F', b'6', b'4', ..] => Some("audio/x-wav"),
        [0x30, 0x82, ..] | [0x30, 0x80, ..] => Some("application/x-x509-ca-cert"),
        [b'P', b'1'..=b'7', b'\n' | b' ' | b'\r', ..] => Some("image/x-portable-anymap"),
        [b'M', b'M', 0, 0x2b, ..] | [b'I', b'I', 0x2b, 0, ..] => Some("image/tiff"),
        [b'O', b'g', b'g', b'S', ..]
            if first.get(28..).is_some_and(|rest| rest.starts_with(b"\x80theora")) =>
        {
            Some("video/ogg")
        }
        _ if mpeg_audio(first) => Some("audio/mpeg"),
        _ => None,
    }
}

/// Whether two frames of MPEG audio (ISO/IEC 11172-3) follow one another from the start.
fn mpeg_audio(first: &[u8]) -> bool {
    let frame = |at: usize| -> Option<usize> {
        let head = first.get(at..at + 4)?;
        let (version, layer) = (head[1] >> 3 & 3, head[1] >> 1 & 3);
        let (rate, sampling) = (usize::from(head[2] >> 4), usize::from(head[2] >> 2 & 3));
        if head[0] != 0xff
            || head[1] & 0xe0 != 0xe0
            || version == 1
            || layer == 0
            || sampling == 3
            || rate % 15 == 0
        {
            return None;
        }
        let hertz = [44_100, 48_000, 32_000][sampling] >> [2, 0, 1, 0][usize::from(version)];
        const FIRST: [[usize; 14]; 3] = [
            [32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
            [32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
            [32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448],
        ];
        const SECOND: [usize; 14] = [8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160];
        let kilobits = if version == 3 { FIRST[usize::from(layer) - 1][rate - 1] } else { SECOND[rate - 1] };
        let padding = usize::from(head[2] >> 1 & 1);
        Some(match (layer, version) {
            (3, _) => (12_000 * kilobits / hertz + padding) * 4,
            (1, 0 | 2) => 72_000 * kilobits / hertz + padding,
            _ => 144_000 * kilobits / hertz + padding,
        })
    };
    frame(0).is_some_and(|length| frame(length).is_some())
}
