//! Types told from content, against files whose formats are known: with their own extension, with none, and with a
//! wrong one.

mod looks;
mod samples;

use std::collections::BTreeSet;
use std::sync::LazyLock;

use looks::{is_wrong, look, may_be, named};
use nine_core::kinds::{Content, Evidence, FIRST_BYTES, ItemType, decide, recognise};
use proptest::prelude::*;
use samples::{Sample, samples};

fn all() -> &'static [Sample] {
    static ALL: LazyLock<Vec<Sample>> = LazyLock::new(samples);
    &ALL
}

#[test]
fn each_format_is_told_with_its_own_extension_and_without() {
    let samples = all();
    assert!(samples.iter().map(|sample| sample.ext).collect::<BTreeSet<_>>().len() >= 100);
    for sample in samples {
        let content = look(&sample.bytes);
        let own = decide(named(sample).as_bytes(), Some(&content));
        assert_eq!(own.item_type.word(), sample.item_type, "{} {content:?}", sample.ext);
        assert!(!is_wrong(&own), "{}: {own:?}", sample.ext);
        let bare = decide(b"x", Some(&content));
        assert!(
            !sample.tells || bare.item_type.word() == sample.item_type,
            "{}: {bare:?} {content:?}",
            sample.ext
        );
    }
}

#[test]
fn a_wrong_extension_is_told() {
    let samples = all();
    let (mut told, mut all) = (0, 0);
    for sample in samples {
        let content = look(&sample.bytes);
        for wrong in
            samples.iter().filter(|wrong| wrong.ext != sample.ext && wrong.item_type != sample.item_type)
        {
            if may_be(sample, wrong) {
                continue;
            }
            all += 1;
            told += usize::from(is_wrong(&decide(named(wrong).as_bytes(), Some(&content))));
        }
    }
    assert!(all > 5_000 && told * 100 >= all * 97, "{told} of {all}");
}

#[test]
fn what_people_have_under_other_extensions_is_no_contradiction() {
    let bytes = |ext: &str| &all().iter().find(|sample| sample.ext == ext).unwrap().bytes;
    for (of, ext, item_type) in [
        ("tsv", "xls", "sheet"),
        ("mhtml", "doc", "document"),
        ("pem", "key", "key"),
        ("pem", "pub", "key"),
        ("pem", "crt", "key"),
        ("rtf", "doc", "document"),
        ("zip", "docx", "document"),
        ("tar", "ova", "disk"),
        ("pdf", "ai", "drawing"),
        ("tif", "nef", "image"),
        ("mp4", "m4a", "audio"),
        ("py", "ts", "code"),
    ] {
        let verdict = decide(format!("x.{ext}").as_bytes(), Some(&look(bytes(of))));
        assert_eq!(
            (verdict.item_type.word(), is_wrong(&verdict)),
            (item_type, false),
            "{of} as {ext}: {verdict:?}"
        );
    }
    let latin = b"Caf\xe9 am Kai, sch\xf6n\n";
    assert_eq!(look(latin), Content::Text);
    assert_eq!(decide(b"~$letter.docx", None).item_type, ItemType::Document);
}

#[test]
fn an_encrypted_office_file_is_what_its_extension_says() {
    let mut file = cfb::CompoundFile::create(std::io::Cursor::new(Vec::new())).unwrap();
    for name in ["/EncryptedPackage", "/EncryptionInfo"] {
        std::io::Write::write_all(&mut file.create_stream(name).unwrap(), &[7; 5_000]).unwrap();
    }
    let content = look(&file.into_inner().into_inner());
    for (ext, item_type) in
        [("docx", ItemType::Document), ("xlsx", ItemType::Sheet), ("pptx", ItemType::Slides)]
    {
        let verdict = decide(format!("x.{ext}").as_bytes(), Some(&content));
        assert_eq!((verdict.item_type, is_wrong(&verdict)), (item_type, false));
    }
    assert_eq!(decide(b"x", Some(&content)).evidence, Evidence::Content("encrypted office file"));
}

proptest! {
    /// Spoilt files end in some answer, which is kept and read back.
    #[test]
    fn spoilt_files_are_looked_at_without_harm(
        which in 0usize..100, at in any::<prop::sample::Index>(), byte: u8, cut in any::<prop::sample::Index>(),
    ) {
        let samples = all();
        let mut bytes = samples[which % samples.len()].bytes.clone();
        let at = at.index(bytes.len());
        bytes[at] = byte;
        bytes.truncate(1 + cut.index(bytes.len()));
        let content = look(&bytes);
        prop_assert_eq!(Content::from_text(&content.to_text()), Some(content));
        let first = recognise(&bytes[..bytes.len().min(FIRST_BYTES)]);
        prop_assert!(content == first || content.media().is_some());
        let _ = decide(b"x.docx", Some(&content));
    }
}

/// An item whose content was not looked at answers by its name.
#[test]
fn a_name_alone_answers_for_known_extensions() {
    for sample in all() {
        let verdict = decide(named(sample).as_bytes(), None);
        assert_eq!(verdict.item_type.word(), sample.item_type, "{}", sample.ext);
    }
}
