//! Real little files of every kind, the same each time.

use std::io::{self, Cursor, Write};

use image::{ImageFormat, Rgb, RgbImage};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

use crate::exif::{CameraNote, with_note};

/// The content of a file: what `text` means depends on the kind. `seed` makes pictures differ.
///
/// # Errors
/// A kind that is not known, or a library that refuses.
pub fn content(kind: &str, text: &str, seed: usize) -> io::Result<Vec<u8>> {
    match kind {
        "text" => Ok(text.as_bytes().to_vec()),
        "empty" => Ok(Vec::new()),
        "png" => picture(text, seed, ImageFormat::Png),
        "jpeg" => picture(text, seed, ImageFormat::Jpeg),
        "photo" => photo(text, seed),
        "pdf" => Ok(pdf(text)),
        "docx" => docx(text),
        "xlsx" => xlsx(text),
        "pptx" => pptx(text),
        "odt" => odt(text),
        "epub" => epub(text),
        "zip" => packed(text),
        "wav" => Ok(TONE.to_vec()),
        "exe" => Ok(windows_program()),
        "deb" => Ok(debian_package()),
        other => Err(io::Error::other(format!("`{other}` is no kind of file that is known here"))),
    }
}

/// A picture of `WIDTHxHEIGHT`: water below, sky above, a hull between.
fn picture(size: &str, seed: usize, format: ImageFormat) -> io::Result<Vec<u8>> {
    let (width, height) = size
        .split_once('x')
        .and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)))
        .ok_or_else(|| io::Error::other(format!("`{size}` is no size such as 320x240")))?;
    let shade = (seed * 23 % 60) as u8;
    let picture = RgbImage::from_fn(width, height, |x, y| {
        let (fx, fy) = (x as f32 / width as f32, y as f32 / height as f32);
        let wave = (fx * 20.0 + seed as f32).sin() * 0.01;
        let hull = (fx - 0.5).abs() < 0.3 - (fy - 0.55) && (0.55..0.7).contains(&fy);
        match (hull, fy > 0.68 + wave) {
            (true, _) => Rgb([120 - shade, 60 + shade / 2, 40]),
            (_, true) => Rgb([30 + shade, 80 + shade, 120]),
            _ => Rgb([190 - shade, 210, 230 - (fy * 60.0) as u8]),
        }
    });
    let mut out = Cursor::new(Vec::new());
    picture.write_to(&mut out, format).map_err(io::Error::other)?;
    Ok(out.into_inner())
}

/// A picture of a camera that noted when it took it: `WIDTHxHEIGHT 2031-03-31T10:20`.
fn photo(text: &str, seed: usize) -> io::Result<Vec<u8>> {
    let (size, taken) = text.split_once(' ').unwrap_or((text, ""));
    let taken = taken.parse().map_err(io::Error::other)?;
    let note = CameraNote { camera: ("Petrel", "Petrel Compact 3"), taken, zone: Some("+00:00") };
    Ok(with_note(&picture(size, seed, ImageFormat::Jpeg)?, &note))
}

/// A page, with places for the length of its text, the text, and where the table of its objects begins.
const PAGE: &[u8] = include_bytes!("../../../demo/page.pdf");

/// A page with some lines of text on it (PDF 1.7).
fn pdf(text: &str) -> Vec<u8> {
    let mut lines = String::from("BT\n/F1 12 Tf\n72 760 Td\n");
    for line in text.split(". ") {
        let line = line.replace('\\', "\\\\").replace('(', "\\(").replace(')', "\\)");
        lines.push_str(&format!("({line}) Tj\n0 -18 Td\n"));
    }
    lines.push_str("ET");
    let page = filled(PAGE, b"LENGTH", lines.len().to_string().as_bytes());
    let page = filled(&page, b"TEXT", lines.as_bytes());
    let table = page.windows(5).position(|bytes| bytes == b"xref\n").unwrap_or_default();
    filled(&page, b"TABLE", table.to_string().as_bytes())
}

/// A template with a value in the place of a word.
fn filled(template: &[u8], word: &[u8], value: &[u8]) -> Vec<u8> {
    let at = template.windows(word.len()).position(|bytes| bytes == word).unwrap_or(template.len());
    let after = template.get(at + word.len()..).unwrap_or_default();
    [&template[..at], value, after].concat()
}

/// A zip of named texts, each dated alike so that the bytes are the same each time.
fn zipped(parts: &[(&str, String)]) -> io::Result<Vec<u8>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in parts {
        // Readers of these formats look for an uncompressed `mimetype` at the start.
        let method =
            if *name == "mimetype" { CompressionMethod::Stored } else { CompressionMethod::Deflated };
        let options = SimpleFileOptions::default()
            .compression_method(method)
            .last_modified_time(zip::DateTime::default());
        zip.start_file(*name, options).map_err(io::Error::other)?;
        zip.write_all(text.as_bytes())?;
    }
    Ok(zip.finish().map_err(io::Error::other)?.into_inner())
}

fn packed(names: &str) -> io::Result<Vec<u8>> {
    let parts: Vec<(&str, String)> = names.split(';').map(|name| (name, format!("{name}\n"))).collect();
    zipped(&parts)
}

const XML: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// The two parts that every Office Open XML file starts with (ECMA-376 part 2).
fn package(parts: &[(&str, &str)], main: &str, kind: &str) -> [(&'static str, String); 2] {
    let overrides: String =
        parts.iter().map(|(part, of)| format!("<Override PartName=\"/{part}\" ContentType=\"application/vnd.openxmlformats-officedocument.{of}+xml\"/>")).collect();
    let types = format!(
        "{XML}<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Default Extension=\"xml\" ContentType=\"application/xml\"/>{overrides}</Types>"
    );
    let rels = relations(&[(kind, main)]);
    [("[Content_Types].xml", types), ("_rels/.rels", rels)]
}

/// A relationships part; each relation is a kind and a target.
fn relations(of: &[(&str, &str)]) -> String {
    let each: String = of.iter().enumerate().map(|(at, (kind, target))| {
        format!("<Relationship Id=\"rId{}\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/{kind}\" Target=\"{target}\"/>", at + 1)
    }).collect();
    format!(
        "{XML}<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{each}</Relationships>"
    )
}

fn docx(text: &str) -> io::Result<Vec<u8>> {
    let main = "word/document.xml";
    let [types, rels] = package(&[(main, "wordprocessingml.document.main")], main, "officeDocument");
    let body = format!(
        "{XML}<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body><w:p><w:r><w:t>{}</w:t></w:r></w:p></w:body></w:document>",
        escaped(text)
    );
    zipped(&[types, rels, (main, body)])
}

/// A sheet; lines are rows, `;` parts the cells.
fn xlsx(text: &str) -> io::Result<Vec<u8>> {
    let (main, sheet) = ("xl/workbook.xml", "xl/worksheets/sheet1.xml");
    let [types, rels] = package(
        &[(main, "spreadsheetml.sheet.main"), (sheet, "spreadsheetml.worksheet")],
        main,
        "officeDocument",
    );
    let book = format!(
        "{XML}<workbook xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\"><sheets><sheet name=\"Sheet 1\" sheetId=\"1\" r:id=\"rId1\"/></sheets></workbook>"
    );
    let row = |line: &str| {
        let cells: String = line
            .split(';')
            .map(|value| match value.parse::<f64>() {
                Ok(_) => format!("<c><v>{value}</v></c>"),
                Err(_) => format!("<c t=\"inlineStr\"><is><t>{}</t></is></c>", escaped(value)),
            })
            .collect();
        format!("<row>{cells}</row>")
    };
    let rows: String = text.lines().map(row).collect();
    let data = format!(
        "{XML}<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>{rows}</sheetData></worksheet>"
    );
    zipped(&[
        types,
        rels,
        (main, book),
        ("xl/_rels/workbook.xml.rels", relations(&[("worksheet", "worksheets/sheet1.xml")])),
        (sheet, data),
    ])
}

const DRAWING: &str = "xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\" xmlns:p=\"http://schemas.openxmlformats.org/presentationml/2006/main\"";
const EMPTY_TREE: &str =
    "<p:nvGrpSpPr><p:cNvPr id=\"1\" name=\"\"/><p:cNvGrpSpPr/><p:nvPr/></p:nvGrpSpPr><p:grpSpPr/>";

/// Slides; each line is one.
fn pptx(text: &str) -> io::Result<Vec<u8>> {
    let lines: Vec<&str> = text.lines().collect();
    let slides: Vec<String> = (1..=lines.len()).map(|n| format!("ppt/slides/slide{n}.xml")).collect();
    let (main, master, layout, theme) = (
        "ppt/presentation.xml",
        "ppt/slideMasters/slideMaster1.xml",
        "ppt/slideLayouts/slideLayout1.xml",
        "ppt/theme/theme1.xml",
    );
    let mut kinds = vec![
        (main, "presentationml.presentation.main"),
        (master, "presentationml.slideMaster"),
        (layout, "presentationml.slideLayout"),
        (theme, "theme"),
    ];
    kinds.extend(slides.iter().map(|slide| (slide.as_str(), "presentationml.slide")));
    let [types, rels] = package(&kinds, main, "officeDocument");
    let ids: String =
        (0..lines.len()).map(|at| format!("<p:sldId id=\"{}\" r:id=\"rId{}\"/>", 256 + at, at + 2)).collect();
    let show = format!(
        "{XML}<p:presentation {DRAWING}><p:sldMasterIdLst><p:sldMasterId id=\"2147483648\" r:id=\"rId1\"/></p:sldMasterIdLst><p:sldIdLst>{ids}</p:sldIdLst><p:sldSz cx=\"9144000\" cy=\"6858000\"/><p:notesSz cx=\"6858000\" cy=\"9144000\"/></p:presentation>"
    );
    let targets: Vec<String> = (1..=lines.len()).map(|n| format!("slides/slide{n}.xml")).collect();
    let mut show_relations = vec![("slideMaster", "slideMasters/slideMaster1.xml")];
    show_relations.extend(targets.iter().map(|target| ("slide", target.as_str())));
    let mut parts: Vec<(&str, String)> = vec![
        types,
        rels,
        (main, show),
        ("ppt/_rels/presentation.xml.rels", relations(&show_relations)),
        (master, master_slide()),
        (
            "ppt/slideMasters/_rels/slideMaster1.xml.rels",
            relations(&[
                ("slideLayout", "../slideLayouts/slideLayout1.xml"),
                ("theme", "../theme/theme1.xml"),
            ]),
        ),
        (layout, blank_layout()),
        (
            "ppt/slideLayouts/_rels/slideLayout1.xml.rels",
            relations(&[("slideMaster", "../slideMasters/slideMaster1.xml")]),
        ),
        (theme, theme_text()),
    ];
    let slide_relations: Vec<String> =
        (1..=lines.len()).map(|n| format!("ppt/slides/_rels/slide{n}.xml.rels")).collect();
    for ((line, slide), relation) in lines.iter().zip(&slides).zip(&slide_relations) {
        parts.push((slide, slide_of(line)));
        parts.push((relation, relations(&[("slideLayout", "../slideLayouts/slideLayout1.xml")])));
    }
    zipped(&parts)
}

/// The slide that all others follow.
fn master_slide() -> String {
    let colours = "<p:clrMap bg1=\"lt1\" tx1=\"dk1\" bg2=\"lt2\" tx2=\"dk2\" accent1=\"accent1\" accent2=\"accent2\" accent3=\"accent3\" accent4=\"accent4\" accent5=\"accent5\" accent6=\"accent6\" hlink=\"hlink\" folHlink=\"folHlink\"/>";
    format!(
        "{XML}<p:sldMaster {DRAWING}><p:cSld><p:spTree>{EMPTY_TREE}</p:spTree></p:cSld>{colours}<p:sldLayoutIdLst><p:sldLayoutId id=\"2147483649\" r:id=\"rId1\"/></p:sldLayoutIdLst></p:sldMaster>"
    )
}

/// The way in which nothing is laid out.
fn blank_layout() -> String {
    format!(
        "{XML}<p:sldLayout {DRAWING} type=\"blank\"><p:cSld><p:spTree>{EMPTY_TREE}</p:spTree></p:cSld></p:sldLayout>"
    )
}

/// A slide with one line of text.
fn slide_of(line: &str) -> String {
    let shape = format!(
        "<p:sp><p:nvSpPr><p:cNvPr id=\"2\" name=\"Text\"/><p:cNvSpPr/><p:nvPr/></p:nvSpPr><p:spPr><a:xfrm><a:off x=\"900000\" y=\"900000\"/><a:ext cx=\"7200000\" cy=\"1200000\"/></a:xfrm><a:prstGeom prst=\"rect\"><a:avLst/></a:prstGeom></p:spPr><p:txBody><a:bodyPr/><a:p><a:r><a:rPr lang=\"en\"/><a:t>{}</a:t></a:r></a:p></p:txBody></p:sp>",
        escaped(line)
    );
    format!("{XML}<p:sld {DRAWING}><p:cSld><p:spTree>{EMPTY_TREE}{shape}</p:spTree></p:cSld></p:sld>")
}

/// A theme with nothing but what readers insist on.
fn theme_text() -> String {
    let names = [
        "dk1", "lt1", "dk2", "lt2", "accent1", "accent2", "accent3", "accent4", "accent5", "accent6",
        "hlink", "folHlink",
    ];
    let values = [
        "000000", "FFFFFF", "1F3A4D", "E8EEF2", "2B6E8F", "8FA9B8", "C98B3A", "6B4B3A", "4F7F5B", "A05A5A",
        "2B6E8F", "6B4B3A",
    ];
    let colours: String = names
        .iter()
        .zip(values)
        .map(|(name, value)| format!("<a:{name}><a:srgbClr val=\"{value}\"/></a:{name}>"))
        .collect();
    let font = "<a:latin typeface=\"Sans\"/><a:ea typeface=\"\"/><a:cs typeface=\"\"/>";
    let fill = "<a:solidFill><a:schemeClr val=\"phClr\"/></a:solidFill>".repeat(3);
    let line = "<a:ln><a:solidFill><a:schemeClr val=\"phClr\"/></a:solidFill></a:ln>".repeat(3);
    let effect = "<a:effectStyle><a:effectLst/></a:effectStyle>".repeat(3);
    format!(
        "{XML}<a:theme xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" name=\"Quay\"><a:themeElements><a:clrScheme name=\"Quay\">{colours}</a:clrScheme><a:fontScheme name=\"Quay\"><a:majorFont>{font}</a:majorFont><a:minorFont>{font}</a:minorFont></a:fontScheme><a:fmtScheme name=\"Quay\"><a:fillStyleLst>{fill}</a:fillStyleLst><a:lnStyleLst>{line}</a:lnStyleLst><a:effectStyleLst>{effect}</a:effectStyleLst><a:bgFillStyleLst>{fill}</a:bgFillStyleLst></a:fmtScheme></a:themeElements></a:theme>"
    )
}

/// A text by OpenDocument 1.3.
fn odt(text: &str) -> io::Result<Vec<u8>> {
    let manifest = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\" manifest:version=\"1.3\"><manifest:file-entry manifest:full-path=\"/\" manifest:media-type=\"application/vnd.oasis.opendocument.text\"/><manifest:file-entry manifest:full-path=\"content.xml\" manifest:media-type=\"text/xml\"/></manifest:manifest>";
    let body = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<office:document-content xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" office:version=\"1.3\"><office:body><office:text><text:p>{}</text:p></office:text></office:body></office:document-content>",
        escaped(text)
    );
    zipped(&[
        ("mimetype", "application/vnd.oasis.opendocument.text".into()),
        ("content.xml", body),
        ("META-INF/manifest.xml", manifest.into()),
    ])
}

/// A book of one page by EPUB 3.
fn epub(title: &str) -> io::Result<Vec<u8>> {
    let container = "<?xml version=\"1.0\"?><container version=\"1.0\" xmlns=\"urn:oasis:names:tc:opendocument:xmlns:container\"><rootfiles><rootfile full-path=\"book.opf\" media-type=\"application/oebps-package+xml\"/></rootfiles></container>";
    let title = escaped(title);
    let book = format!(
        "<?xml version=\"1.0\"?><package xmlns=\"http://www.idpf.org/2007/opf\" version=\"3.0\" unique-identifier=\"id\"><metadata xmlns:dc=\"http://purl.org/dc/elements/1.1/\"><dc:identifier id=\"id\">ternquay-1</dc:identifier><dc:title>{title}</dc:title><dc:language>en</dc:language><meta property=\"dcterms:modified\">2029-07-01T00:00:00Z</meta></metadata><manifest><item id=\"page\" href=\"page.xhtml\" media-type=\"application/xhtml+xml\" properties=\"nav\"/></manifest><spine><itemref idref=\"page\"/></spine></package>"
    );
    let page = format!(
        "<?xml version=\"1.0\"?><html xmlns=\"http://www.w3.org/1999/xhtml\" xmlns:epub=\"http://www.idpf.org/2007/ops\"><head><title>{title}</title></head><body><nav epub:type=\"toc\"><ol><li><a href=\"page.xhtml\">{title}</a></li></ol></nav></body></html>"
    );
    zipped(&[
        ("mimetype", "application/epub+zip".into()),
        ("META-INF/container.xml", container.into()),
        ("book.opf", book),
        ("page.xhtml", page),
    ])
}

/// A second of a low tone.
const TONE: &[u8] = include_bytes!("../../../demo/tone.wav");

/// The headers of a program that does nothing and cannot be started.
fn windows_program() -> Vec<u8> {
    let mut bytes = vec![0; 512];
    bytes[..2].copy_from_slice(b"MZ");
    bytes[0x3c] = 0x80;
    bytes[0x80..0x84].copy_from_slice(b"PE\0\0");
    bytes
}

/// An `ar` archive with the first member of a package.
fn debian_package() -> Vec<u8> {
    let mut bytes = b"!<arch>\n".to_vec();
    bytes.extend_from_slice(b"debian-binary   1880000000  0     0     100644  4         `\n2.0\n");
    bytes
}
