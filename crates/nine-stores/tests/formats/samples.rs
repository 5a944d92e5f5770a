//! Small files of many formats, made here: each as short as its standard allows to be told.

use std::io::{Cursor, Write};

use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// A format: its extension, its type, and a file of it.
pub struct Sample {
    pub ext: &'static str,
    pub item_type: &'static str,
    pub bytes: Vec<u8>,
    /// Whether the content tells it without an extension.
    pub tells: bool,
}

/// A zip with these members; the first goes unpacked where it is `mimetype`.
fn zip(members: &[(&str, &str)]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in members {
        let method = if *name == "mimetype" {
            zip::CompressionMethod::Stored
        } else {
            zip::CompressionMethod::Deflated
        };
        zip.start_file(*name, SimpleFileOptions::default().compression_method(method)).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// Long content that does not pack, so that later members stand far behind.
fn filler() -> String {
    let mut seed = 7u64;
    let mut next = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        char::from(b'!' + ((seed >> 33) % 90) as u8)
    };
    (0..30_000).map(|_| next()).collect()
}

fn compound(streams: &[&str]) -> Vec<u8> {
    let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
    for name in streams {
        file.create_stream(name).unwrap().write_all(&[1; 600]).unwrap();
    }
    file.flush().unwrap();
    file.into_inner().into_inner()
}

fn with(start: &[u8], length: usize) -> Vec<u8> {
    let mut bytes = start.to_vec();
    let fill = (bytes.len()..length.max(bytes.len() + 1)).map(|at| (at * 37 % 251) as u8 | 0x80);
    bytes.extend(fill);
    bytes.push(0);
    bytes
}

fn at(offset: usize, mark: &[u8], length: usize) -> Vec<u8> {
    let mut bytes = vec![0; length];
    bytes[offset..offset + mark.len()].copy_from_slice(mark);
    bytes
}

fn mpeg_audio() -> Vec<u8> {
    // Layer III, 128 kbit/s, 44.1 kHz: a frame has 417 bytes.
    let mut frame = vec![0u8; 417];
    frame[..4].copy_from_slice(&[0xff, 0xfb, 0x90, 0x00]);
    frame.repeat(4)
}

fn mpeg4(brand: &str) -> Vec<u8> {
    let mut bytes = vec![0, 0, 0, 24];
    bytes.extend_from_slice(b"ftyp");
    bytes.extend_from_slice(brand.as_bytes());
    bytes.extend_from_slice(&[0; 4]);
    bytes.extend_from_slice(brand.as_bytes());
    bytes.extend_from_slice(b"isom\0\0\0\x08free");
    bytes
}

fn utf16(text: &str) -> Vec<u8> {
    std::iter::once(0xfeff).chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
}

fn tar() -> Vec<u8> {
    let mut tar = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_ustar();
    header.set_size(3);
    header.set_cksum();
    tar.append_data(&mut header, "a.txt", &b"abc"[..]).unwrap();
    tar.into_inner().unwrap()
}

fn gzip() -> Vec<u8> {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(filler().as_bytes()).unwrap();
    packed.finish().unwrap()
}

fn picture(format: image::ImageFormat) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    image::RgbImage::from_pixel(8, 8, image::Rgb([9, 90, 200])).write_to(&mut bytes, format).unwrap();
    bytes.into_inner()
}

const MHTML: &str = "From: <Saved>\r\nSubject: tides\r\nMIME-Version: 1.0\r\nContent-Type: multipart/related;\r\n\ttype=\"text/html\"\r\n\
    Snapshot-Content-Location: https://tern-quay.example/\r\n\r\n<html>";
const MAIL: &str = "From: a@tern-quay.example\r\nTo: b@tern-quay.example\r\nSubject: tides\r\nDate: Mon, 7 Apr 2031 09:00:00 +0000\r\n\r\nDear Quay,\r\n";
const PEM: &str = "-----BEGIN CERTIFICATE-----\nMIIBszCCAVmgAwIBAgIUQ\n-----END CERTIFICATE-----\n";

/// Every format. The list of members of the `far` ones shows only at the end.
pub fn samples() -> Vec<Sample> {
    let far = filler();
    let sample = |ext, item_type, bytes: Vec<u8>| Sample { ext, item_type, bytes, tells: true };
    let plain = |ext, item_type, text: &str| Sample { ext, item_type, bytes: text.into(), tells: false };
    let opaque = |ext, item_type, bytes: Vec<u8>| Sample { ext, item_type, bytes, tells: false };
    let odf = |of: &str| {
        zip(&[("mimetype", &format!("application/vnd.oasis.opendocument.{of}")), ("content.xml", "<x/>")])
    };
    let ooxml =
        |part: &str| zip(&[("docProps/app.xml", &far), ("[Content_Types].xml", "<Types/>"), (part, "<x/>")]);
    vec![
        sample("pdf", "document", with(b"%PDF-1.7\n\xe2\xe3\xcf\xd3\n", 200)),
        sample("rtf", "document", b"{\\rtf1\\ansi letter}".to_vec()),
        sample("ps", "document", b"%!PS-Adobe-3.0\n%%Pages: 1\n".to_vec()),
        sample("doc", "document", compound(&["/CompObj", "/1Table", "/WordDocument"])),
        sample("docx", "document", ooxml("word/document.xml")),
        sample("odt", "document", odf("text")),
        sample("pages", "document", zip(&[("Data/a.jpg", &far), ("Index/Document.iwa", "x")])),
        sample("pub", "document", compound(&["/Quill", "/Contents"])),
        sample("mpp", "document", compound(&["/Props14", "/Project"])),
        sample(
            "oxps",
            "document",
            zip(&[("FixedDocumentSequence.fdseq", "<x/>"), ("Documents/1/FixedDocument.fdoc", "<x/>")]),
        ),
        sample("wpd", "document", with(b"\xffWPC", 60)),
        sample("xls", "sheet", compound(&["/Workbook", "/SummaryInformation"])),
        sample("xlsx", "sheet", ooxml("xl/workbook.xml")),
        sample("xlsb", "sheet", zip(&[("xl/styles.bin", &far), ("xl/workbook.bin", "x")])),
        sample("ods", "sheet", odf("spreadsheet")),
        sample("wks", "sheet", with(b"\x00\x00\x02\x00\x06\x04\x06\x00", 60)),
        plain("csv", "sheet", "item,size\nboat,3\n"),
        sample("tsv", "sheet", b"item\tsize\nboat\t3\noar\t2\n".to_vec()),
        sample("ppt", "slides", compound(&["/CurrentUser", "/PowerPoint Document"])),
        sample("pptx", "slides", ooxml("ppt/presentation.xml")),
        sample("odp", "slides", odf("presentation")),
        sample(
            "key",
            "slides",
            zip(&[("Data/a.jpg", &far), ("Index/Document.iwa", "x"), ("Index/Slide-12.iwa", "x")]),
        ),
        plain("txt", "note", "Dear Quay,\nthe tide is in.\n"),
        opaque("md", "note", utf16("# Tides\nhigh at nine\n")),
        sample("one", "note", with(b"\xe4\x52\x5c\x7b\x8c\xd8\xa7\x4d\xae\xb1\x53\x78\xd0\x29\x96\xd3", 60)),
        sample(
            "epub",
            "book",
            zip(&[("mimetype", "application/epub+zip"), ("META-INF/container.xml", "<x/>")]),
        ),
        opaque("cbz", "book", zip(&[("01.jpg", "x"), ("02.jpg", "x")])),
        sample("djvu", "book", with(b"AT&TFORM\0\0\0\x20DJVU", 60)),
        sample("html", "page", b"<!doctype html><title>Tides</title>".to_vec()),
        sample("mhtml", "page", MHTML.into()),
        sample("eml", "mail", MAIL.into()),
        sample("msg", "mail", compound(&["/__properties_version1.0", "/__substg1.0_0037001F"])),
        sample("pst", "mail", with(b"!BDN", 60)),
        sample("jpg", "image", picture(image::ImageFormat::Jpeg)),
        sample("png", "image", picture(image::ImageFormat::Png)),
        sample("gif", "image", picture(image::ImageFormat::Gif)),
        sample("webp", "image", picture(image::ImageFormat::WebP)),
        sample("bmp", "image", picture(image::ImageFormat::Bmp)),
        sample("tif", "image", picture(image::ImageFormat::Tiff)),
        sample("heic", "image", mpeg4("heic")),
        sample("avif", "image", mpeg4("avif")),
        sample("jxl", "image", with(b"\0\0\0\x0cJXL \r\n\x87\n", 60)),
        sample("jp2", "image", with(b"\0\0\0\x0cjP  \r\n\x87\n\0\0\0\x14ftypjp2 ", 60)),
        sample("icns", "image", with(b"icns\0\0\x01\0", 60)),
        sample("cr3", "image", mpeg4("crx ")),
        sample(
            "svg",
            "drawing",
            b"<?xml version=\"1.0\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\"/>".to_vec(),
        ),
        sample("psd", "drawing", with(b"8BPS\0\x01", 60)),
        sample(
            "indd",
            "drawing",
            with(b"\x06\x06\xed\xf5\xd8\x1d\x46\xe5\xbd\x31\xef\xe7\xfe\x74\xb7\x1d", 60),
        ),
        sample("vsd", "drawing", compound(&["/VisioDocument"])),
        sample("vsdx", "drawing", ooxml("visio/document.xml")),
        sample("xmind", "drawing", zip(&[("metadata.json", "{}"), ("content.json", "[]")])),
        sample("drawio", "drawing", b"<mxfile host=\"x\"><diagram/></mxfile>".to_vec()),
        plain("excalidraw", "drawing", "{\"type\": \"excalidraw\"}"),
        sample("wmf", "drawing", with(b"\xd7\xcd\xc6\x9a\0\0", 60)),
        sample("emf", "drawing", at(40, b" EMF", 100)),
        sample("xcf", "drawing", with(b"gimp xcf v011\0", 60)),
        sample("dwg", "drawing", with(b"AC1032\0\0", 60)),
        sample("step", "drawing", b"ISO-10303-21;\nHEADER;\n".to_vec()),
        opaque("stl", "drawing", at(80, &[12, 0, 0, 0], 684)),
        sample("mp4", "video", mpeg4("isom")),
        sample("mov", "video", mpeg4("qt  ")),
        sample(
            "mkv",
            "video",
            with(
                b"\x1aE\xdf\xa3\xa3B\x86\x81\x01B\xf7\x81\x01B\xf2\x81\x04B\xf3\x81\x08B\x82\x88matroska",
                60,
            ),
        ),
        sample("avi", "video", with(b"RIFF\x24\0\0\0AVI LIST", 60)),
        sample("mxf", "video", with(b"\x06\x0e\x2b\x34\x02\x05\x01\x01\x0d\x01\x02\x01\x01\x02\x04\0", 60)),
        sample("mp3", "audio", mpeg_audio()),
        sample("wav", "audio", with(b"RIFF\x24\0\0\0WAVEfmt ", 60)),
        sample("flac", "audio", with(b"fLaC\0\0\0\x22", 60)),
        sample("ogg", "audio", with(b"OggS\0\x02", 60)),
        sample("m4a", "audio", mpeg4("M4A ")),
        sample("caf", "audio", with(b"caff\0\x01\0\0desc", 60)),
        sample("mid", "audio", with(b"MThd\0\0\0\x06\0\x01", 60)),
        sample("ttf", "font", with(b"\0\x01\0\0\0\x0c", 60)),
        plain("py", "code", "import tides\nprint(tides)\n"),
        sample("sh", "code", b"#!/bin/sh\necho tides\n".to_vec()),
        plain("json", "data", "{\"tides\": [9, 21]}\n"),
        sample("gpx", "data", b"<?xml version=\"1.0\"?>\n<gpx version=\"1.1\"/>".to_vec()),
        sample("kmz", "data", zip(&[("doc.kml", "<kml/>")])),
        plain("qif", "data", "!Type:Bank\nD7/4/31\n"),
        plain("m3u8", "data", "#EXTM3U\nhorn.mp3\n"),
        sample("sqlite", "data", with(b"SQLite format 3\0", 100)),
        sample("accdb", "data", with(b"\0\x01\0\0Standard ACE DB\0", 60)),
        sample("zip", "packed", zip(&[("boat.txt", "x")])),
        sample("jar", "packed", zip(&[("a.class", &far), ("META-INF/MANIFEST.MF", "x")])),
        sample("gz", "packed", gzip()),
        sample("tar", "packed", tar()),
        sample("7z", "packed", with(b"7z\xbc\xaf\x27\x1c\0\x04", 60)),
        sample("exe", "installer", with(b"MZ\x90\0\x03", 200)),
        sample("msi", "installer", compound(&["/\u{4840}\u{3f7f}"])),
        sample("apk", "installer", zip(&[("classes.dex", &far), ("AndroidManifest.xml", "x")])),
        sample("ipa", "installer", zip(&[("Payload/Quay.app/Info.plist", "x")])),
        sample("deb", "installer", with(b"!<arch>\ndebian-binary   ", 80)),
        sample("iso", "disk", at(32_769, b"CD001", 40_000)),
        sample("dmg", "disk", at(39_488, b"koly", 40_000)),
        sample("vhdx", "disk", with(b"vhdxfile", 60)),
        sample("vmdk", "disk", with(b"KDMV\x01\0\0\0", 60)),
        sample("pem", "key", PEM.into()),
        opaque("p12", "key", with(b"\x30\x82\x0a\x2c", 60)),
        sample("kdbx", "key", with(b"\x03\xd9\xa2\x9a\x67\xfb\x4b\xb5", 60)),
        sample("lnk", "shortcut", with(b"\x4c\0\0\0\x01\x14\x02\0", 80)),
        sample("url", "shortcut", b"[InternetShortcut]\r\nURL=https://tern-quay.example/\r\n".to_vec()),
        sample("ics", "calendar", b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n".to_vec()),
        sample("vcf", "contact", b"BEGIN:VCARD\r\nFN:Ada Quay\r\n".to_vec()),
    ]
}
