use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;
use crate::item::{Entry, Identity, Item, Kind};
use crate::moment::Now;
use crate::place::{ItemPath, Spot};

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
    Item {
        spot: Spot::new("downloads", ItemPath::new(name).unwrap()),
        size: 1,
        items: None,
        newest: modified,
        tags: vec![],
        content: None,
        text: None,
        broken: false,
        together: None,
        entry,
    }
}

fn name(pattern: &str, of: &str) -> Result<String, &'static str> {
    let filled = Pattern::parse(pattern).unwrap().fill_name(&item(of.as_bytes()), &now());
    filled.map(|bytes| String::from_utf8(bytes).unwrap()).map_err(|unknown| unknown.0)
}

fn folder(pattern: &str, of: &str) -> Result<String, &'static str> {
    let pattern = PutPattern::parse(&format!("2/{pattern}")).unwrap();
    let filled = pattern.folders[0].fill_folder(&item(of.as_bytes()), &now());
    filled.map(|bytes| String::from_utf8(bytes).unwrap()).map_err(|unknown| unknown.0)
}

#[test]
fn values_and_forms() {
    assert_eq!(
        name("{modified:%Y-%m} {stem:tidy}{ext}", "copy of loan_list.PDF").unwrap(),
        "2030-11 Loan list.PDF"
    );
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
    assert_eq!(folder("{ext}", "a.PDF").unwrap(), "PDF");
    assert_eq!(folder("{ext}", "README"), Err("ext"));
    assert_eq!(folder("{ext|none}", "README").unwrap(), "none");
}

#[test]
fn unknown_values_need_a_fallback() {
    assert_eq!(folder("{type}", "a.qqq"), Err("type"));
    assert_eq!(folder("{type|Unsorted}", "a.qqq").unwrap(), "Unsorted");
    assert_eq!(folder("{arrived:year}", "a.txt"), Err("arrived"));
}

#[test]
fn values_never_make_separators_or_refused_names() {
    assert_eq!(name("{modified:%Y/%m}{ext}", "a.txt").unwrap(), "2030-11.txt");
    assert_eq!(folder("{stem}", "what?.txt").unwrap(), "what-");
    assert_eq!(folder("{stem}", "con.txt").unwrap(), "con_");
    assert_eq!(folder("{stem}", "...").unwrap_err(), "name");
}

#[test]
fn bytes_outside_utf8_are_kept() {
    let filled = Pattern::parse("x {stem:tidy}{ext}").unwrap().fill_name(&item(b"caf\xe9.txt"), &now());
    assert_eq!(filled.unwrap(), b"x caf\xe9.txt");
}

#[test]
fn errors_point_at_the_word() {
    for (text, word, help) in [
        ("{lender}", "lender", "patterns know type"),
        ("{modifed}", "modifed", "did you mean `modified`?"),
        ("{stem:upside}", "upside", "its forms are initial or tidy"),
        ("{modified:nope}", "nope", "its forms are year"),
        ("{type:tidy}", "tidy", "write {type}"),
        ("{stem", "{stem", "close it with"),
        ("a}b", "}", "write `}}`"),
        ("{type|}", "|", "for example {type|Unsorted}"),
        ("a/b", "/", "`rename` gives a name only"),
    ] {
        let found = Pattern::parse(text).expect_err(text);
        assert_eq!(&text[found.span.clone()], word, "{text}");
        assert!(found.help.unwrap_or_default().starts_with(help), "{text}");
    }
    for text in ["{type}/x", "Loans", "0/x", "10/x", "home/{type}", "", "2/../x"] {
        assert!(PutPattern::parse(text).is_err(), "{text}");
    }
    let put = PutPattern::parse("home/3/{type}/{modified:%Y/%m}").unwrap();
    assert_eq!((put.bookcase.as_deref(), put.shelf, put.folders.len()), (Some("home"), 3, 2));
}

proptest! {
    #[test]
    fn a_filled_name_is_one_acceptable_part(bytes in proptest::collection::vec(1u8.., 1..60), tidy: bool) {
        let bytes: Vec<u8> = bytes.into_iter().map(|b| if b == b'/' { b'x' } else { b }).collect();
        prop_assume!(bytes != b"." && bytes != b"..");
        let pattern = if tidy { "{stem:tidy} {modified}" } else { "{stem}{ext}" };
        if let Ok(name) = Pattern::parse(pattern).unwrap().fill_name(&item(&bytes), &now()) {
            prop_assert!(!name.is_empty() && !name.contains(&b'/') && name != b"." && name != b"..");
            prop_assert!(name.len() <= crate::names::NAME_MAX);
        }
    }
}
