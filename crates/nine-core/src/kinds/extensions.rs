//! Which extension stands for which type, and what its content must look like.

use std::sync::LazyLock;

use rustc_hash::FxHashMap;

use super::ItemType::{self, *};

/// What is known of an extension.
#[derive(Debug, Clone, Copy)]
pub(super) struct Known {
    pub item_type: ItemType,
    /// Media types that the content may have. Empty: the content carries no reliable signature.
    pub signatures: &'static [&'static str],
}

/// Extensions whose content carries no signature that could be relied on.
const PLAIN: [(ItemType, &str); 19] = [
    (Document, "wpd wps pages abw tex latex"),
    (Sheet, "csv tsv numbers gnumeric"),
    (Slides, "key"),
    (Note, "txt md markdown org rst adoc text"),
    (Book, "azw azw3 fb2 lit"),
    (Mail, "eml emlx mbox msg"),
    (Image, "raw nef arw dng orf rw2 raf tga ppm pgm pbm"),
    (Drawing, "svg dxf dwg eps ai odg vsd vsdx drawio fig sketch xcf kra cdr"),
    (Video, "m2ts mts ts 3gp vob ogv mpg mpeg wmv"),
    (Audio, "mp3 aac wma aif aiff m4a m4b opus oga mid midi amr"),
    (Font, "ttc pfb bdf"),
    (
        Code,
        "html htm xhtml mhtml css js mjs jsx tsx py rs go c h cpp hpp java kt rb php pl lua sh bash zsh \
            fish ps1 bat cmd sql r swift ipynb vue scala hs ml vim",
    ),
    (
        Data,
        "json jsonl xml yaml yml toml ini cfg conf log db dat1 parquet npy mat xmp aae thm gpx kml \
            geojson torrent bib ris plist properties srt vtt sha256 md5 asc sig",
    ),
    (Packed, "iso img tar tar.xz tar.zst tar.bz2 tar.lz tgz tbz txz z lz lzma zst cab jar war"),
    (Installer, "dmg pkg appimage flatpakref flatpak snap msix run apk xpi crx"),
    (Shortcut, "desktop url webloc lnk"),
    (Calendar, "ics ical vcs"),
    (Contact, "vcf vcard"),
    (Book, "ibooks"),
];

const ZIP: &str = "application/zip";
const OLE: &str = "application/x-ole-storage";

/// Extensions whose content begins with a signature.
const SIGNED: [(ItemType, &str, &[&str]); 36] = [
    (Document, "pdf", &["application/pdf"]),
    (Document, "rtf", &["application/rtf"]),
    (Document, "ps", &["application/postscript"]),
    (Document, "doc dot", &["application/msword", OLE, "application/rtf"]),
    (
        Document,
        "docx docm dotx",
        &["application/vnd.openxmlformats-officedocument.wordprocessingml.document", ZIP],
    ),
    (Document, "odt ott", &["application/vnd.oasis.opendocument.text", ZIP]),
    (Sheet, "xls xlt", &["application/vnd.ms-excel", "application/msword", OLE]),
    (Sheet, "xlsx xlsm xltx", &["application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ZIP]),
    (Sheet, "ods ots", &["application/vnd.oasis.opendocument.spreadsheet", ZIP]),
    (Slides, "ppt pps", &["application/vnd.ms-powerpoint", "application/msword", OLE]),
    (
        Slides,
        "pptx pptm ppsx potx",
        &["application/vnd.openxmlformats-officedocument.presentationml.presentation", ZIP],
    ),
    (Slides, "odp otp", &["application/vnd.oasis.opendocument.presentation", ZIP]),
    (Book, "epub", &["application/epub+zip", ZIP]),
    (Book, "mobi", &["application/x-mobipocket-ebook"]),
    (Book, "djvu", &["image/vnd.djvu"]),
    (Image, "jpg jpeg jpe jfif", &["image/jpeg"]),
    (Image, "png apng", &["image/png"]),
    (Image, "gif", &["image/gif"]),
    (Image, "webp", &["image/webp"]),
    (Image, "bmp", &["image/bmp"]),
    (Image, "tif tiff cr2", &["image/tiff", "image/x-canon-cr2"]),
    (Image, "heic heif avif", &["image/heif", "image/avif"]),
    (Image, "ico", &["image/vnd.microsoft.icon"]),
    (Drawing, "psd", &["image/vnd.adobe.photoshop"]),
    (Video, "mp4 m4v mov", &["video/mp4", "video/x-m4v", "video/quicktime", "audio/m4a"]),
    (Video, "mkv webm", &["video/x-matroska", "video/webm"]),
    (Video, "avi", &["video/x-msvideo"]),
    (Video, "flv", &["video/x-flv"]),
    (Audio, "wav", &["audio/x-wav"]),
    (Audio, "flac", &["audio/x-flac"]),
    (Audio, "ogg", &["audio/ogg", "audio/opus"]),
    (Font, "ttf otf woff woff2", &["application/font-sfnt", "application/font-woff"]),
    (Packed, "zip", &[ZIP]),
    (
        Packed,
        "7z rar gz bz2 xz tar.gz",
        &[
            "application/x-7z-compressed",
            "application/vnd.rar",
            "application/gzip",
            "application/x-bzip2",
            "application/x-xz",
        ],
    ),
    (
        Installer,
        "exe msi deb rpm",
        &[
            "application/vnd.microsoft.portable-executable",
            OLE,
            "application/msword",
            "application/vnd.debian.binary-package",
            "application/x-unix-archive",
            "application/x-rpm",
        ],
    ),
    (Data, "sqlite sqlite3", &["application/vnd.sqlite3"]),
];

static KNOWN: LazyLock<FxHashMap<&'static str, Known>> = LazyLock::new(|| {
    let signed = SIGNED.iter().map(|(item_type, list, signatures)| (*item_type, *list, *signatures));
    let plain = PLAIN.iter().map(|(item_type, list)| (*item_type, *list, &[][..]));
    let each = signed.chain(plain).flat_map(|(item_type, list, signatures)| {
        list.split_ascii_whitespace().map(move |ext| (ext, Known { item_type, signatures }))
    });
    each.collect()
});

/// What is known of an extension, given in small letters and without its dot.
pub(super) fn lookup(ext: &str) -> Option<Known> {
    KNOWN.get(ext).copied()
}

/// The usual extension of a media type, without its dot.
pub(super) fn usual_for(media: &str) -> Option<&'static str> {
    let (_, list, _) = SIGNED.iter().find(|(.., signatures)| signatures.first() == Some(&media))?;
    list.split_ascii_whitespace().next()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_extension_is_listed_twice() {
        let mut seen = std::collections::HashSet::new();
        let plain = PLAIN.iter().map(|(_, list)| *list);
        for list in SIGNED.iter().map(|(_, list, _)| *list).chain(plain) {
            for ext in list.split_ascii_whitespace() {
                assert!(seen.insert(ext), "{ext} is listed twice");
            }
        }
    }
}
