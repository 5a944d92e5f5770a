//! Which extension stands for which type, and what its content must look like.

use std::sync::LazyLock;

use rustc_hash::FxHashMap;

use super::ItemType::{self, *};

/// What an extension promises of the content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Promise {
    /// Text of any kind.
    Text,
    /// Text that says of itself what it is, as a web page does.
    Marked,
    /// One of these media types.
    Signed(&'static [&'static str]),
    /// Bytes of which no signature is known, or one of these media types.
    Opaque(&'static [&'static str]),
    /// Text, or one of these media types.
    TextOr(&'static [&'static str]),
}

/// What is known of an extension.
#[derive(Debug, Clone, Copy)]
pub(super) struct Known {
    pub item_type: ItemType,
    pub promise: Promise,
}

const ZIP: &str = "application/zip";
const OLE: &str = "application/x-ole-storage";
const LOCKED: &str = "application/x-ole-encrypted";
const GZIP: &str = "application/gzip";
const TIFF: &str = "image/tiff";
const MP4: &str = "video/mp4";
const PEM: &str = "text/x-pem";
const DER: &str = "application/x-x509-ca-cert";
const XML: &str = "text/xml";

use Promise::{Marked, Opaque, Signed, Text, TextOr};

/// Every extension. A container that was not looked into is told as such, so it stands beside what is kept in it.
const TABLE: &[(ItemType, &str, Promise)] = &[
    (Document, "pdf", Signed(&["application/pdf"])),
    (Document, "rtf", Signed(&["application/rtf"])),
    (Document, "ps", TextOr(&["application/postscript"])),
    (
        Document,
        "doc",
        Signed(&[
            "application/msword",
            OLE,
            LOCKED,
            "application/rtf",
            "multipart/related",
            "text/x-office-html",
            XML,
        ]),
    ),
    (
        Document,
        "docx docm dotx dotm",
        Signed(&[
            "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
            ZIP,
            LOCKED,
            OLE,
        ]),
    ),
    (Document, "dot", TextOr(&["application/msword", OLE, LOCKED, "application/rtf"])),
    (Document, "odt ott", Signed(&["application/vnd.oasis.opendocument.text", ZIP])),
    (Document, "fodt", TextOr(&[XML])),
    (Document, "pages", Signed(&["application/x-iwork", ZIP])),
    (Document, "pub", TextOr(&["application/x-mspublisher", OLE, PEM])),
    (Document, "mpp mpt", Signed(&["application/vnd.ms-project", OLE])),
    (Document, "xps oxps", Signed(&["application/oxps", ZIP])),
    (Document, "wpd", Opaque(&["application/vnd.wordperfect"])),
    (Document, "wps", Opaque(&[OLE, "application/msword"])),
    (Document, "abw", TextOr(&[XML, GZIP])),
    (Document, "tex latex ltx", Text),
    (
        Sheet,
        "xls xlt xlm",
        Signed(&[
            "application/vnd.ms-excel",
            OLE,
            LOCKED,
            "application/x-biff",
            "multipart/related",
            "text/x-office-html",
            XML,
            "text/tab-separated-values",
            "text/csv",
        ]),
    ),
    (
        Sheet,
        "xlsx xlsm xltx xltm",
        Signed(&["application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ZIP, LOCKED, OLE]),
    ),
    (Sheet, "xlsb", Signed(&["application/vnd.ms-excel.sheet.binary", ZIP, LOCKED, OLE])),
    (Sheet, "ods ots", Signed(&["application/vnd.oasis.opendocument.spreadsheet", ZIP])),
    (Sheet, "fods", TextOr(&[XML])),
    (Sheet, "numbers", Signed(&["application/x-iwork", ZIP])),
    (Sheet, "gnumeric", TextOr(&[GZIP, XML])),
    (Sheet, "csv tsv tab", Text),
    (Sheet, "wks wk1 wk3 wk4 123", Opaque(&["application/vnd.lotus-1-2-3", OLE])),
    (Slides, "ppt pps pot", Signed(&["application/vnd.ms-powerpoint", OLE, LOCKED])),
    (
        Slides,
        "pptx pptm ppsx ppsm potx potm",
        Signed(&[
            "application/vnd.openxmlformats-officedocument.presentationml.presentation",
            ZIP,
            LOCKED,
            OLE,
        ]),
    ),
    (Slides, "odp otp", Signed(&["application/vnd.oasis.opendocument.presentation", ZIP])),
    (Slides, "fodp", TextOr(&[XML])),
    (Slides, "key", TextOr(&["application/x-iwork-keynote", "application/x-iwork", ZIP, PEM, DER])),
    (Note, "txt text", Text),
    (Note, "md markdown org rst adoc", Text),
    (Note, "one onetoc2", Opaque(&["application/onenote"])),
    (Book, "epub", Signed(&["application/epub+zip", ZIP])),
    (Book, "mobi prc azw azw3", Signed(&["application/x-mobipocket-ebook"])),
    (Book, "djvu djv", Signed(&["image/vnd.djvu"])),
    (Book, "cbz", Signed(&[ZIP])),
    (Book, "cbr", Signed(&["application/vnd.rar", ZIP])),
    (Book, "fb2", TextOr(&[XML])),
    (Book, "lit ibooks", Opaque(&[ZIP, "application/epub+zip"])),
    (Page, "html htm xhtml", Marked),
    (Page, "mhtml mht", TextOr(&["multipart/related", "message/rfc822"])),
    (Page, "webarchive", Signed(&["application/x-bplist"])),
    (Mail, "eml emlx", Marked),
    (Mail, "mbox", Text),
    (Mail, "msg", TextOr(&["application/vnd.ms-outlook", OLE])),
    (Mail, "pst ost", Signed(&["application/vnd.ms-outlook-pst"])),
    (Image, "jpg jpeg jpe jfif", Signed(&["image/jpeg"])),
    (Image, "png apng", Signed(&["image/png"])),
    (Image, "gif", Signed(&["image/gif"])),
    (Image, "webp", Signed(&["image/webp"])),
    (Image, "bmp dib", Signed(&["image/bmp"])),
    (Image, "tif tiff", Signed(&[TIFF])),
    (Image, "heic heif", Signed(&["image/heif", "image/avif"])),
    (Image, "avif", Signed(&["image/avif", "image/heif"])),
    (Image, "ico cur", Signed(&["image/vnd.microsoft.icon", "image/png"])),
    (Image, "icns", Signed(&["image/x-icns"])),
    (Image, "jxl", Signed(&["image/jxl"])),
    (Image, "jp2 j2k jpf jpx jpm", Signed(&["image/jp2"])),
    (Image, "cr2", Signed(&["image/x-canon-cr2", TIFF])),
    (Image, "cr3", Signed(&["image/x-canon-cr3"])),
    (Image, "nef arw dng pef srw sr2 nrw 3fr", Opaque(&[TIFF])),
    (Image, "raw orf rw2", Opaque(&[TIFF, "image/x-olympus-orf", "image/x-panasonic-rw2"])),
    (Image, "raf", Signed(&["image/x-fuji-raf"])),
    (Image, "tga ppm pgm pbm pnm", TextOr(&["image/x-portable-anymap", "image/vnd.microsoft.icon"])),
    (Drawing, "svg", Marked),
    (Drawing, "svgz", Signed(&[GZIP])),
    (Drawing, "psd psb", Signed(&["image/vnd.adobe.photoshop"])),
    (Drawing, "ai", Signed(&["application/pdf", "application/postscript"])),
    (Drawing, "eps", Signed(&["application/postscript", "application/x-dos-eps"])),
    (Drawing, "indd indt", Signed(&["application/x-indesign"])),
    (Drawing, "xd sketch fig kra", Signed(&[ZIP, "image/openraster"])),
    (Drawing, "ora", Signed(&["image/openraster", ZIP])),
    (Drawing, "odg otg", Signed(&["application/vnd.oasis.opendocument.graphics", ZIP])),
    (Drawing, "vsd vst", Signed(&["application/vnd.visio", OLE])),
    (Drawing, "vsdx vsdm", Signed(&["application/vnd.ms-visio.drawing", ZIP, LOCKED, OLE])),
    (Drawing, "xmind", Signed(&["application/x-xmind", ZIP])),
    (Drawing, "drawio", TextOr(&["text/x-drawio", XML])),
    (Drawing, "excalidraw", Text),
    (Drawing, "wmf", Signed(&["image/wmf"])),
    (Drawing, "emf", Signed(&["image/emf"])),
    (Drawing, "xcf", Signed(&["image/x-xcf"])),
    (Drawing, "cdr", Opaque(&["application/x-coreldraw", ZIP])),
    (Drawing, "dwg", Signed(&["image/vnd.dwg"])),
    (Drawing, "dxf", TextOr(&["image/x-dxf"])),
    (Drawing, "step stp", TextOr(&["model/step"])),
    (Drawing, "ifc", TextOr(&["model/step"])),
    (Drawing, "stl", TextOr(&["model/stl", "model/x-bytes"])),
    (Drawing, "obj", TextOr(&["model/x-bytes"])),
    (Drawing, "rvt rfa", Signed(&[OLE])),
    (Drawing, "skp", Signed(&["application/x-sketchup", ZIP])),
    (Video, "mp4 m4v", Signed(&[MP4, "video/x-m4v", "video/quicktime", "audio/m4a"])),
    (Video, "mov qt", Signed(&["video/quicktime", MP4, "video/x-m4v"])),
    (Video, "3gp 3g2", Signed(&[MP4, "video/3gpp", "video/quicktime"])),
    (Video, "mkv", Signed(&["video/x-matroska", "video/webm"])),
    (Video, "webm", Signed(&["video/webm", "video/x-matroska"])),
    (Video, "avi", Signed(&["video/x-msvideo"])),
    (Video, "flv", Signed(&["video/x-flv"])),
    (Video, "wmv", Signed(&["video/x-ms-wmv"])),
    (Video, "ogv", Signed(&["video/ogg", "audio/ogg"])),
    (Video, "mpg mpeg vob", Opaque(&["video/mpeg", "video/mp2t", "audio/mpeg"])),
    (Video, "m2ts mts", Opaque(&["video/mp2t"])),
    (Video, "ts", TextOr(&["video/mp2t"])),
    (Video, "mxf", Signed(&["application/mxf"])),
    (Audio, "mp3", Opaque(&["audio/mpeg"])),
    (Audio, "wav", Signed(&["audio/x-wav"])),
    (Audio, "flac", Signed(&["audio/x-flac"])),
    (Audio, "ogg oga", Signed(&["audio/ogg", "audio/opus", "video/ogg"])),
    (Audio, "opus", Signed(&["audio/opus", "audio/ogg"])),
    (Audio, "m4a m4b", Signed(&["audio/m4a", MP4, "video/quicktime"])),
    (Audio, "aac", Opaque(&["audio/aac", "audio/mpeg", "audio/m4a"])),
    (Audio, "wma", Signed(&["video/x-ms-wmv"])),
    (Audio, "aif aiff aifc", Signed(&["audio/x-aiff"])),
    (Audio, "caf", Signed(&["audio/x-caf"])),
    (Audio, "mid midi", Signed(&["audio/midi"])),
    (Audio, "amr", Signed(&["audio/amr"])),
    (Font, "ttf otf", Signed(&["application/font-sfnt"])),
    (Font, "woff woff2", Signed(&["application/font-woff"])),
    (Font, "ttc", Signed(&["application/font-collection"])),
    (Font, "pfb", Opaque(&["application/postscript"])),
    (Font, "bdf", Text),
    (
        Code,
        "css js mjs jsx tsx py rs go c h cpp hpp java kt rb php pl lua sh bash zsh fish ps1 bat cmd sql r swift ipynb vue \
            scala hs ml vim",
        Text,
    ),
    (
        Data,
        "json jsonl yaml yml toml ini cfg conf log bib ris properties srt vtt sha256 md5 ofx qif qbw m3u m3u8 geojson",
        TextOr(&["application/x-quickbooks", XML]),
    ),
    (Data, "xml gpx kml xmp aae", TextOr(&[XML])),
    (Data, "kmz", Signed(&["application/x-kmz", ZIP])),
    (Data, "plist", TextOr(&["application/x-bplist", XML])),
    (Data, "sqlite sqlite3", Signed(&["application/vnd.sqlite3"])),
    (Data, "mdb", Signed(&["application/x-msaccess"])),
    (Data, "accdb", Signed(&["application/x-msaccess"])),
    (Data, "db dat1", TextOr(&["application/vnd.sqlite3", OLE, "application/x-msaccess", "model/x-bytes"])),
    (Data, "parquet", Signed(&["application/x-parquet"])),
    (Data, "npy", Signed(&["application/x-numpy"])),
    (Data, "mat", Opaque(&["application/x-matlab", "application/x-hdf5"])),
    (Data, "thm", Opaque(&["image/jpeg"])),
    (Data, "torrent", TextOr(&["application/x-bittorrent", "model/x-bytes"])),
    (Packed, "zip", Signed(&[ZIP])),
    (Packed, "jar war ear", Signed(&["application/java-archive", ZIP])),
    (Packed, "7z", Signed(&["application/x-7z-compressed"])),
    (Packed, "rar", Signed(&["application/vnd.rar"])),
    (Packed, "gz tgz tar.gz", Signed(&[GZIP])),
    (Packed, "bz2 tbz tar.bz2", Signed(&["application/x-bzip2"])),
    (Packed, "xz txz tar.xz", Signed(&["application/x-xz"])),
    (Packed, "zst tar.zst", Signed(&["application/zstd"])),
    (Packed, "lz tar.lz", Signed(&["application/x-lzip"])),
    (Packed, "z", Signed(&["application/x-compress"])),
    (Packed, "lzma", Opaque(&[])),
    (Packed, "tar", Signed(&["application/x-tar"])),
    (Packed, "cab", Signed(&["application/vnd.ms-cab-compressed"])),
    (Installer, "exe", Signed(&["application/vnd.microsoft.portable-executable"])),
    (Installer, "msi", Signed(&["application/x-msi", OLE])),
    (Installer, "deb", Signed(&["application/vnd.debian.binary-package", "application/x-unix-archive"])),
    (Installer, "rpm", Signed(&["application/x-rpm"])),
    (Installer, "pkg", Signed(&["application/x-xar", "application/x-xz", "application/zstd"])),
    (Installer, "appimage run", Opaque(&["application/x-executable", "text/x-shellscript"])),
    (Installer, "flatpak snap", TextOr(&["application/x-squashfs", "model/x-bytes"])),
    (Installer, "flatpakref", Text),
    (Installer, "msix appx xpi ipa", Signed(&["application/x-ios-app", "application/java-archive", ZIP])),
    (
        Installer,
        "apk aab",
        Signed(&["application/vnd.android.package-archive", "application/java-archive", ZIP]),
    ),
    (Installer, "crx", Signed(&["application/x-google-chrome-extension", ZIP])),
    (Disk, "iso", Opaque(&["application/x-iso9660-image"])),
    (Disk, "img", Opaque(&["application/x-iso9660-image", GZIP, "application/x-xz"])),
    (Disk, "dmg", Opaque(&["application/x-apple-diskimage", "application/zlib", "application/x-bzip2"])),
    (Disk, "vmdk", TextOr(&["application/x-vmdk", "model/x-bytes"])),
    (Disk, "vhd", Opaque(&["application/x-vhd"])),
    (Disk, "vhdx", Signed(&["application/x-vhdx"])),
    (Disk, "ova", Signed(&["application/x-tar"])),
    (Disk, "qcow2", Signed(&["application/x-qemu-disk"])),
    (Key, "pem", TextOr(&[PEM])),
    (Key, "crt cer der csr", TextOr(&[PEM, DER])),
    (Key, "p12 pfx p7m p7s p7b", TextOr(&[DER, PEM, "model/x-bytes"])),
    (Key, "gpg pgp", TextOr(&["application/pgp", PEM, "model/x-bytes"])),
    (Key, "asc sig", TextOr(&["application/pgp", PEM, "model/x-bytes"])),
    (Key, "kdbx kdb", Signed(&["application/x-keepass"])),
    (Key, "jks keystore ppk", TextOr(&[PEM, "model/x-bytes"])),
    (Shortcut, "desktop url webloc", TextOr(&["application/x-bplist", XML])),
    (Shortcut, "lnk", Signed(&["application/x-ms-shortcut"])),
    (Shortcut, "gdoc gsheet gslides gdraw gform gmap gsite", Text),
    (Calendar, "ics ical vcs", Marked),
    (Contact, "vcf vcard", Marked),
];

/// Every extension by what [`in_one`] makes of it.
static KNOWN: LazyLock<FxHashMap<u128, Known>> = LazyLock::new(|| {
    let each = TABLE.iter().flat_map(|(item_type, list, promise)| {
        let known = Known { item_type: *item_type, promise: *promise };
        list.split_ascii_whitespace().filter_map(move |ext| Some((in_one(ext.as_bytes())?, known)))
    });
    each.collect()
});

/// Every extension that is known, without its dot, type by type.
pub(super) fn all() -> impl Iterator<Item = &'static str> {
    TABLE.iter().flat_map(|(_, list, _)| list.split_ascii_whitespace())
}

/// A digest of which extension stands for which type (FNV-1a: Fowler, Noll, Vo), told at build time.
pub(super) const TYPES_BY_EXTENSION: u64 = {
    let mut digest = 0xcbf2_9ce4_8422_2325_u64;
    let mut row = 0;
    while row < TABLE.len() {
        let list = TABLE[row].1.as_bytes();
        digest = (digest ^ TABLE[row].0 as u64).wrapping_mul(0x100_0000_01b3);
        let mut at = 0;
        while at < list.len() {
            digest = (digest ^ list[at] as u64).wrapping_mul(0x100_0000_01b3);
            at += 1;
        }
        row += 1;
    }
    digest
};

/// What is known of an extension, given without its dot; letter case is ignored. Asked of every name, so it takes no
/// memory of its own.
pub(super) fn lookup(ext: &[u8]) -> Option<Known> {
    KNOWN.get(&in_one(ext)?).copied()
}

/// An extension in small letters as one number, which is compared at once; `None` of longer ones than any that is known.
fn in_one(ext: &[u8]) -> Option<u128> {
    let mut small = [0; 16];
    let written = small.get_mut(..ext.len())?;
    written.copy_from_slice(ext);
    written.make_ascii_lowercase();
    Some(u128::from_le_bytes(small))
}

/// The usual extension of a media type, without its dot.
pub(super) fn usual_for(media: &str) -> Option<&'static str> {
    let first = |promise: &Promise| match promise {
        Signed(list) | Opaque(list) => list.first() == Some(&media),
        TextOr(list) => list.first() == Some(&media) && media != XML,
        Text | Marked => false,
    };
    let (_, list, _) = TABLE.iter().find(|(.., promise)| first(promise))?;
    list.split_ascii_whitespace().next()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_extension_is_listed_twice() {
        let mut seen = std::collections::HashSet::new();
        for ext in TABLE.iter().flat_map(|(_, list, _)| list.split_ascii_whitespace()) {
            assert!(seen.insert(ext), "{ext} is listed twice");
        }
    }

    #[test]
    fn every_extension_is_known_in_whatever_letter_case() {
        for (item_type, list, _) in TABLE {
            for ext in list.split_ascii_whitespace() {
                let large = ext.to_ascii_uppercase();
                for written in [ext, &large] {
                    let known = lookup(written.as_bytes()).map(|known| known.item_type);
                    assert_eq!(known, Some(*item_type), "{written}");
                }
            }
        }
    }

    #[test]
    fn every_media_type_that_is_promised_is_known() {
        for (_, list, promise) in TABLE {
            let (Signed(medias) | Opaque(medias) | TextOr(medias)) = promise else { continue };
            for media in *medias {
                assert!(crate::kinds::media::known(media).is_some(), "{media} of {list}");
            }
        }
    }
}
