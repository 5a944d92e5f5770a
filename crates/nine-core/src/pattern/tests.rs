use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;
use crate::facet::Facets;
use crate::item::{Entry, Identity, Item, Kind};
use crate::moment::Now;
use crate::place::{ItemPath, NameBuf, Spot};

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

fn item(name: &[u8]) -> Item {
    let modified = Now::parse("2030-11-02T12:00", &TimeZone::UTC).unwrap().moment();
    let entry = Entry {
        kind: Kind::File,
        size: 1,
        modified,
        opened: None,
        born: None,
        changed: modified,
        identity: Identity([0, 0]),
    };
    Item::new(Spot::new("downloads", ItemPath::new(name).unwrap()), entry)
}

/// A lender and a season.
fn facets() -> Facets {
    let text = r#"
[facet.lender]
values = { "Harrow Dock Trust" = ["HDT"], "Kittiwake Society" = [] }
spelling = "close"
[facet.season]
from = "year"
starts = "October"
"#;
    crate::config::parse(text).unwrap().facets
}

fn filling<'a>(item: &'a Item, now: &'a Now) -> Filling<'a> {
    Filling { item, name: item.name(), now, precedence: &[], corrects_extension: false }
}

fn text(bytes: impl AsRef<[u8]>) -> String {
    String::from_utf8(bytes.as_ref().to_vec()).unwrap()
}

fn name(pattern: &str, of: &str) -> Result<String, Unknown> {
    let pattern = Pattern::parse(pattern, &facets()).unwrap();
    pattern.fill_name(&filling(&item(of.as_bytes()), &now())).map(|(name, _)| text(name))
}

fn folder(pattern: &str, of: &str) -> Result<String, Unknown> {
    folder_of(pattern, &item(of.as_bytes()), &[])
}

fn folder_of(pattern: &str, item: &Item, precedence: &[String]) -> Result<String, Unknown> {
    let pattern = PutPattern::parse(&format!("2/{pattern}"), &facets()).unwrap();
    let filled = pattern.folders[0].fill_folders(&Filling { precedence, ..filling(item, &now()) });
    filled.map(|names| names.into_iter().map(text).collect::<Vec<_>>().join(" > "))
}

#[test]
fn values_and_forms() {
    assert_eq!(
        name("{modified:%Y-%m} {stem:tidy}{ext}", "copy of loan_list.PDF").unwrap(),
        "2030-11 Loan list.PDF"
    );
    assert_eq!(name("{stem:upper} {modified:quarter}{ext:lower}", "plan.PDF").unwrap(), "PLAN 2030-Q4.pdf");
    assert_eq!(folder("{modified:week}", "a").unwrap(), "2030-W44");
    assert_eq!(folder("{folder|loose}", "a.txt").unwrap(), "loose");
    assert_eq!(name("{today} {name}", "a.txt").unwrap(), "2031-04-07 a.txt");
    assert_eq!(name("{{{pile}}} {stem}", "a.txt").unwrap(), "{downloads} a.txt");
    assert_eq!(folder("{stem:initial}", "émile.txt").unwrap(), "E");
    assert_eq!(folder("{modified:year}", "a").unwrap(), "2030");
    assert_eq!(folder("{type}", "a.jpg").unwrap(), "image");
}

#[test]
fn extensions_are_kept_and_go_without_a_dot_where_they_start_a_name() {
    assert_eq!(name("{stem:tidy}", "a b.pdf").unwrap(), "A b.pdf");
    assert_eq!(name("{stem}{ext}", "README").unwrap(), "README");
    assert_eq!(name("{stem:tidy}{ext}", "- (1).pdf").unwrap(), "- (1).pdf");
    assert_eq!(folder("{ext}", "a.PDF").unwrap(), "PDF");
    assert_eq!(folder("{ext}", "README"), Err(Unknown::Value("ext")));
    assert_eq!(folder("{ext|none}", "README").unwrap(), "none");
}

#[test]
fn unknown_values_need_a_fallback() {
    assert_eq!(folder("{type}", "a.qqq"), Err(Unknown::Value("type")));
    assert_eq!(folder("{type|Unsorted}", "a.qqq").unwrap(), "Unsorted");
    assert_eq!(folder("{arrived:year}", "a.txt"), Err(Unknown::Value("arrived")));
}

#[test]
fn values_never_make_separators_or_refused_names() {
    assert_eq!(name("{modified:%Y/%m}{ext}", "a.txt").unwrap(), "2030-11.txt");
    assert_eq!(folder("{stem}", "what?.txt").unwrap(), "what-");
    assert_eq!(folder("{stem}", "con.txt").unwrap(), "con_");
    assert_eq!(folder("{stem}", "...").unwrap_err(), Unknown::Value("name"));
}

#[test]
fn bytes_outside_utf8_are_kept() {
    let filled = Pattern::parse("x {stem:tidy}{ext}", &facets())
        .unwrap()
        .fill_name(&filling(&item(b"caf\xe9.txt"), &now()));
    assert_eq!(&*filled.unwrap().0, b"x caf\xe9.txt");
}

#[test]
fn errors_point_at_the_word() {
    for (text, word, help) in [
        ("{harbour}", "harbour", "patterns know type"),
        ("{modifed}", "modifed", "did you mean `modified`?"),
        ("{stem:upside}", "upside", "its forms are initial, tidy, upper, lower or rest"),
        ("{modified:nope}", "nope", "its forms are year"),
        ("{type:tidy}", "tidy", "write {type}"),
        ("{stem", "{stem", "close it with"),
        ("a}b", "}", "write `}}`"),
        ("{type|}", "|", "for example {type|Unsorted}"),
        ("a/b", "/", "`rename` gives a name only"),
        ("{counter:wide}", "wide", "its form is the number of digits"),
        ("{counter:0}", "0", "its form is the number of digits"),
        ("{counter|x}", "counter|", "write {counter}"),
        ("{counter}{counter}", "{counter}{counter}", "one is enough"),
    ] {
        let found = Pattern::parse(text, &Facets::default()).expect_err(text);
        assert_eq!(&text[found.span.clone()], word, "{text}");
        assert!(found.help.unwrap_or_default().starts_with(help), "{text}");
    }
    for text in ["{type}/x", "Loans", "0/x", "10/x", "home/{type}", "", "2/../x", "2/{counter}"] {
        assert!(PutPattern::parse(text, &Facets::default()).is_err(), "{text}");
    }
    let put = PutPattern::parse("home/3/{type}/{modified:%Y/%m}", &Facets::default()).unwrap();
    assert_eq!((put.bookcase.as_deref(), put.shelf, put.folders.len()), (Some("home"), 3, 2));
}

#[test]
fn names_are_put_together_from_answers() {
    let pattern = "{lender} {season} {stem:rest}{ext}";
    assert_eq!(
        name(pattern, "condition report - harow dock trst 30-31 (1).pdf").unwrap(),
        "Harrow Dock Trust 2030-31 condition report.pdf"
    );
    // A date or month says more than the season does, so it stays.
    assert_eq!(name(pattern, "HDT_31-03-2031.pdf").unwrap(), "Harrow Dock Trust 2030-31 31-03-2031.pdf");
    assert_eq!(
        name("{stem:rest} {season}{ext}", "bank statement Apr 2030 2029-30.pdf").unwrap(),
        "bank statement Apr 2030 2029-30.pdf"
    );
    assert_eq!(name("{season} {stem:rest}{ext}", "Harlow v2 2028.pdf").unwrap(), "2027-28 Harlow v2.pdf");
    assert_eq!(
        name("{stem:tidy} {season}", "receipt kittiwake 2030-31.PDF").unwrap(),
        "Receipt kittiwake 2030-31.PDF"
    );
    assert_eq!(folder("{lender|Unsorted}", "receipt.pdf").unwrap(), "Unsorted");
    let Err(Unknown::Answer(facet, why)) = name(pattern, "receipt 30-31.pdf") else { panic!() };
    assert_eq!((facet.as_str(), why.as_str()), ("lender", "the lender is not known"));
}

#[test]
fn a_tag_makes_folders_and_several_are_a_choice() {
    let tagged = |tags: &[&str], inside: &[&str]| {
        let strings = |list: &[&str]| list.iter().map(|tag| (*tag).to_owned()).collect::<Vec<_>>();
        Item { tags: strings(tags), note_tags: strings(inside), ..item(b"a.md") }
    };
    let one = tagged(&["lender/Harrow Dock Trust"], &["loan", "loan/north-gallery"]);
    assert_eq!(folder_of("{tag}", &one, &[]).unwrap(), "loan > north-gallery");
    assert_eq!(folder_of("by {tag}", &one, &[]).unwrap(), "by loan-north-gallery");
    let two = tagged(&["keep"], &["loan/north-gallery"]);
    assert_eq!(
        folder_of("{tag}", &two, &[]),
        Err(Unknown::Tag(vec!["keep".into(), "loan/north-gallery".into()]))
    );
    assert_eq!(folder_of("{tag}", &two, &["x".into(), "loan".into()]).unwrap(), "loan > north-gallery");
    assert_eq!(folder_of("{tag|other}", &tagged(&[], &[]), &[]).unwrap(), "other");
    assert_eq!(folder_of("{tag}", &tagged(&[], &["a/../b"]), &[]), Err(Unknown::Value("name")));
}

#[test]
fn the_extension_is_corrected_where_the_rule_says_so() {
    let page = crate::kinds::recognise(b"<!DOCTYPE html>\n<html>");
    let item = Item { content: Some(page), ..item(b"statement.pdf") };
    let pattern = Pattern::parse("{stem:tidy}{ext}", &facets()).unwrap();
    let now = now();
    assert_eq!(&*pattern.fill_name(&filling(&item, &now)).unwrap().0, b"Statement.pdf");
    let corrects = Filling { corrects_extension: true, ..filling(&item, &now) };
    assert_eq!(&*pattern.fill_name(&corrects).unwrap().0, b"Statement.html");
}

proptest! {
    #[test]
    fn a_filled_name_is_one_acceptable_part(
        bytes in proptest::collection::vec(1u8.., 1..60),
        pattern in prop_oneof![
            Just("{stem:tidy} {modified}"), Just("{stem}{ext}"), Just("{stem:rest}{ext}"),
            Just("{lender|none} {season|none} {stem:rest}"), Just("{tag|con}"),
            Just("{stem} {counter:3}"), Just("{counter}{stem}{ext}"),
        ],
        tag in "[a-z/.: ]{1,8}",
    ) {
        let bytes: Vec<u8> = bytes.into_iter().map(|b| if b == b'/' { b'x' } else { b }).collect();
        prop_assume!(bytes != b"." && bytes != b"..");
        let pattern = Pattern::parse(pattern, &facets()).unwrap();
        let item = Item { tags: vec![tag], ..item(&bytes) };
        let now = now();
        let name = pattern.fill_name(&filling(&item, &now));
        let folders = pattern.fill_folders(&filling(&item, &now));
        if let Ok((name, Some(number))) = &name {
            prop_assert!(number.is_like(name, name.as_name()));
            let large = number.with(name, 999_999_999);
            prop_assert!(large.len() <= crate::names::NAME_MAX && number.is_like(name, large.as_name()));
        }
        let name = name.map(|(name, _)| name);
        for name in name.into_iter().chain(folders.into_iter().flatten()) {
            prop_assert!(NameBuf::new(name.to_vec()).is_some());
            prop_assert!(name.len() <= crate::names::NAME_MAX);
            prop_assert!(!crate::names::is_refused_elsewhere(&name), "{:?}", name);
        }
    }
}
