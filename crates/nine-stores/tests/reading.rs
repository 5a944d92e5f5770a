//! Words inside files of every form that is read, and hostile ones.

use std::io::{Cursor, Write};

use nine_stores::reading::{Words, bounds, glance, words};
use pdf_writer::{Content, Finish, Name, Pdf, Rect, Ref, Str};
use zip::write::SimpleFileOptions;

fn read(name: &str, bytes: &[u8]) -> Words {
    words(name.as_bytes(), bytes, bytes.len() as u64)
}

fn zipped(parts: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in parts {
        zip.start_file(*name, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn pdf(pages: &[&str]) -> Vec<u8> {
    let [catalog, tree, font] = [1, 2, 3].map(Ref::new);
    let page = |at: usize| Ref::new(10 + 2 * at as i32);
    let body = |at: usize| Ref::new(11 + 2 * at as i32);
    let mut pdf = Pdf::new();
    pdf.catalog(catalog).pages(tree);
    pdf.pages(tree).kids((0..pages.len()).map(page)).count(pages.len() as i32);
    for (at, text) in pages.iter().enumerate() {
        let mut sheet = pdf.page(page(at));
        sheet.media_box(Rect::new(0.0, 0.0, 595.0, 842.0)).parent(tree).contents(body(at));
        sheet.resources().fonts().pair(Name(b"F1"), font);
        sheet.finish();
        let mut content = Content::new();
        content.begin_text().set_font(Name(b"F1"), 12.0).next_line(72.0, 760.0);
        content.show(Str(text.as_bytes())).end_text();
        pdf.stream(body(at), &content.finish());
    }
    pdf.type1_font(font).base_font(Name(b"Helvetica"));
    pdf.finish()
}

/// The words, parted by single spaces.
fn plain(words: &Words) -> String {
    words.body.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn texts_in_any_usual_encoding() {
    assert_eq!(read("a.txt", "Müller’s boat".as_bytes()).body, "Müller’s boat");
    assert_eq!(read("a.txt", b"\xef\xbb\xbfquay").body, "quay");
    assert_eq!(read("a.txt", b"M\xfcller's boat, and more of it").body, "Müller's boat, and more of it");
    let wide: Vec<u8> = "\u{feff}Kai".encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert_eq!(read("a.csv", &wide).body, "Kai");
    assert_eq!(read("a.jpg", b"\xff\xd8\xff\xe0 JFIF not a text"), Words::default());
    assert_eq!(read("a.txt", b""), Words::default());
}

#[test]
fn pages_without_their_scripts() {
    let page = "<html><head><title>Tern &amp; Quay</title><style>b{}</style></head>\
        <body><script>if (a < b) hidden()</script><p>Half<b>way</b> there<p>Next</body>";
    let words = read("a.html", page.as_bytes());
    assert_eq!(plain(&words), "Tern & Quay Halfway there Next");
}

#[test]
fn mail_with_its_people_and_the_names_of_attachments() {
    let mail = "From: Maren Holt <maren@ternquay.example>\r\nTo: loans@harrow.example\r\n\
        Subject: =?utf-8?q?Gr=C3=BC=C3=9Fe?= from the quay\r\nMIME-Version: 1.0\r\n\
        Content-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\nContent-Type: text/html\r\n\r\n\
        <p>The <i>sextant</i> is back.</p>\r\n--x\r\nContent-Type: application/pdf\r\n\
        Content-Disposition: attachment; filename=\"receipt 12.pdf\"\r\n\r\nJVBERi0=\r\n--x--\r\n";
    let words = plain(&read("a.eml", mail.as_bytes()));
    for part in
        ["Maren Holt", "harrow.example", "Grüße from the quay", "The sextant is back.", "receipt 12.pdf"]
    {
        assert!(words.contains(part), "`{part}` is not in `{words}`");
    }
}

#[test]
fn office_files_of_both_families() {
    let document = br#"<?xml version="1.0"?><w:document xmlns:w="w"><w:body><w:p><w:r><w:t>Loan</w:t></w:r><w:r><w:t>ed &amp; back</w:t></w:r></w:p><w:p><w:r><w:t>twice</w:t></w:r></w:p></w:body></w:document>"#;
    let note = br#"<w:footnotes xmlns:w="w"><w:p><w:t>a footnote</w:t></w:p></w:footnotes>"#;
    let docx = zipped(&[
        ("[Content_Types].xml", b"<x/>"),
        ("word/document.xml", document),
        ("word/footnotes.xml", note),
    ]);
    assert_eq!(plain(&read("a.docx", &docx)), "Loaned & back twice a footnote");

    let shared = br#"<sst><si><t>Sextant</t></si><si><t>Lisbon</t></si></sst>"#;
    let sheet = br#"<worksheet><sheetData><row><c><v>1240</v></c></row></sheetData></worksheet>"#;
    let xlsx = zipped(&[
        ("xl/workbook.xml", b"<x/>"),
        ("xl/sharedStrings.xml", shared),
        ("xl/worksheets/sheet1.xml", sheet),
    ]);
    assert_eq!(plain(&read("a.xlsx", &xlsx)), "Sextant Lisbon 1240");

    let slide = |text: &str| format!("<p:sld><a:p><a:r><a:t>{text}</a:t></a:r></a:p></p:sld>").into_bytes();
    let slides = [slide("tenth"), slide("second")];
    let pptx = zipped(&[("ppt/slides/slide10.xml", &slides[0]), ("ppt/slides/slide2.xml", &slides[1])]);
    assert_eq!(plain(&read("a.pptx", &pptx)), "second tenth");

    let content = br#"<office:document-content><text:h>Rota</text:h><text:p>Maren<text:s/>Holt</text:p></office:document-content>"#;
    for (name, kind) in [("a.odt", "text"), ("a.ods", "spreadsheet"), ("a.odp", "presentation")] {
        let media = format!("application/vnd.oasis.opendocument.{kind}");
        let odf = zipped(&[("mimetype", media.as_bytes()), ("content.xml", content)]);
        assert_eq!(plain(&read(name, &odf)), "Rota Maren Holt", "{name}");
    }
}

#[test]
fn office_files_without_an_extension_whose_pictures_come_first() {
    let noise: Vec<u8> = (0..20_000u32).flat_map(|n| n.wrapping_mul(2_654_435_761).to_le_bytes()).collect();
    let docx = zipped(&[("word/media/a.png", noise.as_slice()), ("word/document.xml", b"<w:p>Loan</w:p>")]);
    assert_eq!(plain(&read("condition report", &docx)), "Loan");
    let other = zipped(&[("media/a.png", noise.as_slice()), ("document.xml", b"<w:p>Loan</w:p>")]);
    assert!(read("condition report", &other).body.is_empty());
}

#[test]
fn pdf_page_by_page() {
    let words = read("a.pdf", &pdf(&["Condition report: sextant.", "One screw missing."]));
    assert_eq!(plain(&words), "Condition report: sextant. One screw missing.");
    assert_eq!(words.note, "");
}

#[test]
fn damaged_files_are_given_up_with_a_reason() {
    let whole = pdf(&["Condition report"]);
    assert!(!read("a.pdf", &whole[..whole.len() / 2]).note.is_empty());
    assert!(!read("a.pdf", b"%PDF-1.7 and then nothing that makes sense").note.is_empty());
    let docx = zipped(&[("word/document.xml", b"<w:p>Loan</w:p>".repeat(900).as_slice())]);
    assert!(!read("a.docx", &docx[..docx.len() - 40]).note.is_empty());
    // Broken XML gives what stands before the break.
    let broken = zipped(&[("word/document.xml", b"<w:p>Loan</w:p><<<")]);
    assert_eq!(plain(&read("a.docx", &broken)), "Loan");
}

#[test]
fn a_zip_bomb_is_given_up_at_the_bound() {
    let zeros = vec![b' '; bounds::UNPACKED as usize + 4096];
    let bomb = zipped(&[("word/document.xml", &zeros)]);
    assert!(bomb.len() < 1 << 20);
    assert_eq!(read("a.docx", &bomb).note, "given up: it unpacks to more than 64 MiB");
}

#[test]
fn endless_words_are_kept_up_to_the_bound() {
    let text = "tide ".repeat(bounds::TEXT / 5 + 1000);
    let words = read("a.txt", text.as_bytes());
    assert_eq!(
        (words.body.len(), words.note.as_str()),
        (bounds::TEXT, "only the first 4 MiB of its words are kept")
    );
    let cut = words_of_cut("notes.txt", b"the start of it");
    assert_eq!(cut.note, "only the first 64 MiB were read");
    assert!(words_of_cut("a.pdf", b"%PDF-1.7").note.contains("larger than 64 MiB"));
}

fn words_of_cut(name: &str, bytes: &[u8]) -> Words {
    words(name.as_bytes(), bytes, bounds::FILE + 1)
}

#[test]
fn deep_nesting_needs_no_stack() {
    let deep = format!("{}x", "<div>".repeat(300_000));
    assert_eq!(plain(&read("a.html", deep.as_bytes())), "x");
    let parts = format!("<w:document>{}deep", "<w:p>".repeat(300_000));
    let docx = zipped(&[("word/document.xml", parts.as_bytes())]);
    assert_eq!(plain(&read("a.docx", &docx)), "deep");
}

#[test]
fn a_glance_tells_what_a_file_is() {
    let look = |name: &str, bytes: &[u8]| -> Vec<String> {
        let glance = glance(name.as_bytes(), bytes, bytes.len() as u64, 4);
        glance.body.lines().map(str::to_owned).collect()
    };
    let png = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\x04\xd2\0\0\0\x10\x08\x02\0\0\0";
    assert_eq!(look("a.png", png), ["PNG, 1,234 x 16 pixels"]);
    let said = glance(b"a.png", png, png.len() as u64, 4).said;
    assert!(said.contains("1234"), "what it says of itself comes along: {said}");
    assert_eq!(look("a.pdf", &pdf(&["Loan", "Back"])), ["2 pages", "Loan", "Back"]);
    let zip = zipped(&[("one.txt", b"1"), ("two\x1b[31m.txt", b"22"), ("three", b"3"), ("four", b"4")]);
    assert_eq!(look("a.zip", &zip), ["4 members", "one.txt  1 B", "two\\u{1b}[31m.txt  2 B", "three  1 B"]);
    assert_eq!(look("a.txt", b"first\n\n\x07second\nthird\nfourth\nfifth").len(), 4);
    let mut tar = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_ustar();
    header.set_size(3);
    tar.append_data(&mut header, "boat.txt", &b"abc"[..]).unwrap();
    assert_eq!(look("a.tar", &tar.into_inner().unwrap()), ["1 member", "boat.txt  3 B"]);
}

mod said {
    use std::io::{Cursor, Write};

    use nine_core::metadata::{FigureField, Metadata, SaidField, TextField};
    use nine_core::moment::Now;
    use nine_demo::exif::{CameraNote, with_note};
    use nine_stores::reading::inside;
    use proptest::prelude::*;

    fn metadata(bytes: &[u8]) -> Metadata {
        Metadata::from_json(&inside(b"x", bytes, bytes.len() as u64).said)
    }

    fn now() -> Now {
        Now::parse("2031-04-07T09:00", &jiff::tz::TimeZone::fixed(jiff::tz::offset(2))).unwrap()
    }

    fn photo(zone: Option<&str>) -> Vec<u8> {
        let mut jpeg = Cursor::new(Vec::new());
        image::RgbImage::new(8, 6).write_to(&mut jpeg, image::ImageFormat::Jpeg).unwrap();
        let taken = jiff::civil::date(2030, 7, 3).at(23, 30, 0, 0);
        with_note(&jpeg.into_inner(), &CameraNote { camera: ("Petrel", "Compact 3"), taken, zone })
    }

    fn written(said: &Metadata, word: &str) -> String {
        said.written(SaidField::of_word(word).unwrap(), &now()).unwrap_or_default()
    }

    /// A tag of ID3v2.3 before two frames of MPEG audio.
    fn recording() -> Vec<u8> {
        let mut frames = Vec::new();
        for (id, text) in [("TIT2", "Fog horn"), ("TPE1", "Quay Band"), ("TALB", "Harbour")] {
            frames.extend_from_slice(id.as_bytes());
            frames.extend_from_slice(&(text.len() as u32 + 1).to_be_bytes());
            frames.extend_from_slice(&[0, 0, 0]);
            frames.extend_from_slice(text.as_bytes());
        }
        let mut out = b"ID3\x03\0\0\0\0\0".to_vec();
        out.push(frames.len() as u8);
        out.extend_from_slice(&frames);
        let mut frame = vec![0u8; 417];
        frame[..4].copy_from_slice(&[0xff, 0xfb, 0x90, 0x00]);
        out.extend(frame.repeat(200));
        out
    }

    /// A box of ISO base media files (ISO/IEC 14496-12).
    fn boxed(name: &[u8; 4], parts: &[&[u8]]) -> Vec<u8> {
        let inner = parts.concat();
        [&(inner.len() as u32 + 8).to_be_bytes()[..], name, &inner].concat()
    }

    /// A film of 65 seconds and 640 x 480 pixels, made on 2031-04-07 at 07:00 UTC.
    fn film() -> Vec<u8> {
        let made = (1_933_311_600u32.wrapping_add(2_082_844_800)).to_be_bytes();
        let number = |number: u32| number.to_be_bytes();
        let movie = boxed(b"mvhd", &[&[0; 4], &made, &made, &number(1_000), &number(65_000), &[0; 80]]);
        let size = [number(640 << 16), number(480 << 16)].concat();
        let head = boxed(
            b"tkhd",
            &[&[0, 0, 0, 1], &made, &made, &number(1), &[0; 4], &number(65_000), &[0; 52], &size],
        );
        let media = boxed(b"mdhd", &[&[0; 4], &made, &made, &number(1_000), &number(65_000), &[0; 4]]);
        let kind = boxed(b"hdlr", &[&[0; 8], b"vide", &[0; 13]]);
        let track = boxed(b"trak", &[&head, &boxed(b"mdia", &[&media, &kind])]);
        let start = boxed(b"ftyp", &[b"isom", &[0, 0, 2, 0], b"isommp41"]);
        [start, boxed(b"moov", &[&movie, &track])].concat()
    }

    #[test]
    fn a_film_says_how_long_it_is_and_when_it_was_made() {
        let said = metadata(&film());
        assert_eq!(
            ["duration", "width", "height"].map(|word| written(&said, word)),
            ["0:01:05", "640", "480"]
        );
        assert_eq!(now().minute(said.taken.unwrap().moment(&now())), "2031-04-07 09:00");
    }

    fn message() -> Vec<u8> {
        let wide = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
        let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
        let mut properties = vec![0; 32];
        properties.extend_from_slice(&[0x40, 0, 0x39, 0, 6, 0, 0, 0]);
        let steps = (1_933_318_800u64 + 11_644_473_600) * 10_000_000;
        properties.extend_from_slice(&steps.to_le_bytes());
        for (name, bytes) in [
            ("/__properties_version1.0", properties),
            ("/__substg1.0_0037001F", wide("Loan of the sextant")),
            ("/__substg1.0_0C1A001F", wide("Ada Quay")),
            ("/__substg1.0_5D01001F", wide("ada@tern-quay.example")),
        ] {
            file.create_stream(name).unwrap().write_all(&bytes).unwrap();
        }
        file.flush().unwrap();
        file.into_inner().into_inner()
    }

    #[test]
    fn a_picture_says_its_camera_its_size_and_when_it_was_taken() {
        let said = metadata(&photo(Some("-08:00")));
        assert_eq!(said.text(TextField::Camera), Some("Petrel Compact 3"));
        assert_eq!((said.figure(FigureField::Width), said.figure(FigureField::Height)), (Some(8), Some(6)));
        assert_eq!(written(&said, "taken"), "2030-07-03 23:30");
        let taken = said.taken.unwrap();
        assert!(taken.has_zone());
        assert_eq!(now().minute(taken.moment(&now())), "2030-07-04 09:30");
        let silent = metadata(&photo(None)).taken.unwrap();
        assert!(!silent.has_zone());
        assert_eq!(now().minute(silent.moment(&now())), "2030-07-03 23:30");
    }

    #[test]
    fn recordings_documents_and_mail_say_what_they_are() {
        let sound = metadata(&recording());
        assert_eq!(
            ["title", "artist", "album"].map(|word| written(&sound, word)),
            ["Fog horn", "Quay Band", "Harbour"]
        );
        assert_eq!(written(&sound, "duration"), "0:00:05");
        let core = b"<cp:coreProperties><dc:title>Loan &amp; return</dc:title><dc:creator>Ada</dc:creator></cp:coreProperties>";
        let document = metadata(&super::zipped(&[
            ("word/document.xml", b"<w:document/>"),
            ("docProps/core.xml", core),
            ("docProps/app.xml", b"<Properties><Pages>4</Pages></Properties>"),
        ]));
        assert_eq!(["author", "pages"].map(|word| written(&document, word)), ["Ada", "4"]);
        assert_eq!(metadata(&super::pdf(&["one", "two"])).figure(FigureField::Pages), Some(2));
        let mail = metadata(
            b"From: Ada Quay <ada@tern-quay.example>\r\nTo: b@x.example\r\nSubject: =?utf-8?q?Tides_=C3=BC?=\r\nDate: Mon, 7 Apr 2031 07:00:00 +0000\r\n\r\nx",
        );
        assert_eq!(
            ["sender", "subject", "sent"].map(|word| written(&mail, word)),
            ["Ada Quay ada@tern-quay.example", "Tides ü", "2031-04-07 09:00"]
        );
        let old = metadata(&message());
        assert_eq!(
            ["sender", "subject", "sent"].map(|word| written(&old, word)),
            ["Ada Quay ada@tern-quay.example", "Loan of the sextant", "2031-04-07 11:00"]
        );
        assert!(metadata(b"plain words").is_empty() && metadata(b"").is_empty());
    }

    proptest! {
        /// Spoilt files say what can be read, and nothing that cannot be kept.
        #[test]
        fn spoilt_files_are_read_without_harm(
            which in 0usize..6, changes in proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6),
            cut in any::<prop::sample::Index>(),
        ) {
            let mut bytes = match which {
                0 => photo(Some("+02:00")),
                1 => recording(),
                2 => message(),
                3 => super::pdf(&["one"]),
                4 => film(),
                _ => super::zipped(&[("docProps/core.xml", b"<x><dc:title>t</dc:title></x>"), ("word/document.xml", b"<y/>")]),
            };
            for (at, byte) in changes {
                let at = at.index(bytes.len());
                bytes[at] = byte;
            }
            bytes.truncate(bytes.len().min(64) + cut.index(bytes.len()));
            let said = metadata(&bytes);
            prop_assert_eq!(Metadata::from_json(&said.to_json()), said);
        }
    }
}

mod notes {
    use nine_stores::reading::{is_note, tags_in_text};
    use proptest::prelude::*;

    #[test]
    fn tags_of_headers_in_every_common_form() {
        for (header, tags) in [
            ("tags: [loan/north-gallery, Tides]", vec!["loan/north-gallery", "Tides"]),
            ("title: x\ntags:\n  - loan\n  - \"two words\"\n  - 2031\n", vec!["loan", "two words", "2031"]),
            ("tags: loan, north gallery", vec!["loan", "north gallery"]),
            ("tags: loan tides", vec!["loan", "tides"]),
            ("Tags: '#loan'", vec!["loan"]),
            ("tags:", vec![]),
            ("tags: [a, b", vec![]),
            ("tags: {a: 1}", vec![]),
            ("x: y", vec![]),
        ] {
            assert_eq!(tags_in_text(&format!("---\n{header}\n---\ntext\n")), tags, "{header}");
            assert_eq!(
                tags_in_text(&format!("\u{feff}---\r\n{}\r\n...\r\n", header.replace('\n', "\r\n"))),
                tags
            );
        }
        assert!(tags_in_text("text\n---\ntags: [a]\n---\n").is_empty(), "a header is at the start");
    }

    #[test]
    fn tags_in_the_text_and_what_is_none() {
        let text = "# Heading #no\n\nCall the framer #tides (#loan/north-gallery), \"#quoted\".\n\
            Not C#, a#b, #12, # or ##, &#38; nor https://x.example/#part.\n\
            `#code` and [#link](https://x.example) and ![#picture](x.png)\n\n\
            ```\n#fenced\n```\n\n    #indented\n\nSub #heading\n---\n\n- #list-item\n> #möwe/ #tides #a//b\n";
        assert_eq!(
            tags_in_text(text),
            ["tides", "loan/north-gallery", "quoted", "list-item", "möwe"],
            "{text}"
        );
        assert!(is_note(b"a.MD") && is_note(b"b.txt") && !is_note(b"c.pdf") && !is_note(b"d"));
    }

    #[test]
    fn a_header_and_the_text_together_and_each_tag_once() {
        let text = "---\ntags: [loan]\n---\n#Loan and #other\n";
        assert_eq!(tags_in_text(text), ["loan", "other"]);
        let many: String = (0..500).map(|n| format!("#tag{n} ")).collect();
        assert_eq!(tags_in_text(&many).len(), 100);
    }

    proptest! {
        #[test]
        fn any_text_is_read_without_harm(text in "(---\n|tags: |\\[|#[a-z/-]{1,4}|`|\n|\\PC){0,60}") {
            for tag in tags_in_text(&text) {
                prop_assert!(!tag.is_empty() && tag.split('/').all(|part| !part.is_empty()), "{:?}", tag);
            }
        }
    }
}
