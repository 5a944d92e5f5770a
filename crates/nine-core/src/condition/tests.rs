use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;
use crate::facet::Facets;
use crate::item::{Entry, Identity, Item, Kind};
use crate::kinds::{TYPES, recognise};
use crate::moment::{Moment, Now};
use crate::place::{ItemPath, Spot};

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

fn at(day: &str) -> Moment {
    Now::parse(&format!("{day}T12:00"), &TimeZone::UTC).unwrap().moment()
}

fn file(path: &str) -> Item {
    let entry = Entry {
        kind: Kind::File,
        size: 1_500_000,
        modified: at("2030-12-01"),
        opened: Some(at("2031-04-01")),
        born: Some(at("2031-03-01")),
        changed: Moment(0),
        identity: Identity([1, 2]),
    };
    Item {
        tags: vec!["client/Harrow".into(), "keep".into()],
        ..Item::new(Spot::new("downloads", ItemPath::new(path).unwrap()), entry)
    }
}

fn holds(condition: &str, item: &Item) -> bool {
    parse(condition).unwrap_or_else(|e| panic!("{condition}: {e:?}")).holds(item, &now())
}

#[test]
fn every_subject_answers() {
    let item = file("Old letters/Budget Große Möwe.PDF");
    for yes in [
        "type document",
        "type is image,document",
        "ext pdf",
        "ext is txt,.PDF",
        "name has budget",
        "name is \"budget große möwe.pdf\"",
        "stem ends MÖWE",
        "folder has old",
        "folder is \"old letters\"",
        "path starts old",
        "name like b*m?we.pdf",
        "name matches ^Budget",
        "tag client",
        "tag client/*",
        "tag any",
        "tag x,keep",
        "size over 1MB",
        "size is 1.5MB",
        "depth is 2",
        "modified before 2031",
        "modified on 2030-12",
        "created since 2031-03-01",
        "opened within 1w",
        "arrived over 30d",
        "age over 1mo",
        "age under 2mo",
        "idle under 1w",
        "file",
    ] {
        assert!(holds(yes, &item), "{yes}");
        assert!(!holds(&format!("not ({yes})"), &item), "not {yes}");
    }
    for no in [
        "type sheet",
        "ext odt",
        "name is budget",
        "name matches ^budget",
        "tag client/Harrow/*",
        "tag none",
        "tag clie",
        "items under 9",
        "loose",
        "empty",
        "untitled",
        "unfinished",
        "mislabelled",
        "hidden",
        "link",
        "broken",
        "folder is old",
    ] {
        assert!(!holds(no, &item), "{no}");
    }
}

#[test]
fn unicode_form_does_not_matter() {
    let item = file("Cafe\u{301} list.txt");
    assert!(holds("name has café", &item) && holds("name matches afé", &item));
}

#[test]
fn flags_and_folders() {
    let mut folder = file("New folder (2)");
    folder.entry.kind = Kind::Folder;
    folder.items = Some(0);
    folder.size = 0;
    assert!(holds("type folder and untitled and empty and loose and items is 0", &folder));
    let mut page = file("statement.pdf");
    page.content = Some(recognise(b"<html><body>expired"));
    assert!(holds("mislabelled and type page and not type document", &page));
    assert!(holds("hidden", &file(".cache/x")) && holds("unfinished", &file("film.mp4.part")));
}

#[test]
fn and_binds_before_or_and_not_before_both() {
    let item = file("a.pdf");
    assert!(holds("type document or type image and name has zzz", &item));
    assert!(!holds("(type document or type image) and name has zzz", &item));
    assert!(holds("not type image and not name has zzz", &item));
}

#[test]
fn explanations_name_the_tests_that_decided() {
    let condition = parse("type image and age over 2y and tag keep").unwrap();
    let told = condition.explain(&file("a.pdf"), &now());
    assert!(!told.holds);
    let failures: Vec<_> = told.failures.iter().map(|f| (f.test.as_str(), f.found.as_str())).collect();
    assert_eq!(failures, [("type image", "it is document"), ("age over 2y", "it is 36 days")]);
    let not = parse("not tag keep").unwrap().explain(&file("a.pdf"), &now());
    assert_eq!(not.failures[0].test, "not tag keep");
    assert_eq!(not.failures[0].found, "its tags are client/Harrow, keep");
}

#[test]
fn errors_point_at_the_word_and_offer_the_nearest() {
    for (text, word, help) in [
        ("type documnet", "documnet", "did you mean `document`?"),
        ("tpye image", "tpye", "did you mean `type`?"),
        ("type image adn age over 90d", "adn", "did you mean `and`?"),
        ("age over 90daze", "90daze", "expected a span such as 10min, 3h, 90d, 6w, 18mo or 2y"),
        ("modified since 7.4.2031", "7.4.2031", "write it as 2031-04-07 or 2031-07-04"),
        ("modified since soon", "soon", "expected a date such as 2031-04-07, 2031-04, 2031-Q2"),
        ("modified between 2031", "", "write it such as between 2031-01 and 2031-03"),
        ("modified between 2031 and 2030", "2031 and 2030", "write between 2030 and 2031"),
        ("size over big", "big", "expected a size such as 500KB, 1.5GB or 200MiB"),
        ("modified befor 2030", "befor", "did you mean `before`?"),
        ("type image age over 9d", "age", "join tests with `and` or `or`: … and age …"),
        ("name is", "", "expected a word, or a text in quotes"),
        ("name has or", "or", "to mean the word itself, write \"or\" in quotes"),
        ("empty yes", "empty yes", "write `empty` or `not empty`"),
        ("(type image", "(", "add a `)`"),
        ("name is \"loan", "\"loan", "close it with the same mark"),
        ("type image, video", ", ", "a comma joins values without a space: type image,video"),
        ("copies many", "many", "after `copies` comes over, under or is"),
        ("shard", "shard", "did you mean `shared`?"),
        ("saved bgi", "bgi", "did you mean `big`?"),
        ("saved", "", "expected the name of a saved search"),
        ("harbour known", "harbour", "tests start with type,"),
    ] {
        let found = parse(text).expect_err(text);
        assert_eq!(&text[found.span.clone()], word, "{text}: {found:?}");
        let told = found.help.unwrap_or_default();
        assert!(told.starts_with(help), "{text}: {told}");
    }
    assert!(parse("").is_err() && parse("type image)").is_err() && parse("and type image").is_err());
    assert!(parse(&"(".repeat(5000)).is_err() && parse(&"not ".repeat(5000)).is_err());
    assert!(parse("name matches (").is_err());
}

fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z]{1,6}",
        Just("and".to_owned()),
        Just("any".to_owned()),
        Just("is".to_owned()),
        "[a-z ,()\"'\\\\\n\té🐦*?]{1,8}"
    ]
}

fn texts() -> impl Strategy<Value = Vec<String>> {
    proptest::collection::vec(text(), 1..4)
}

fn compare() -> impl Strategy<Value = Compare> {
    prop_oneof![Just(Compare::Over), Just(Compare::Under), Just(Compare::Is)]
}

fn day() -> impl Strategy<Value = Day> {
    prop_oneof![
        (1000i32..9999).prop_map(|y| Day::parse(&format!("{y}")).unwrap()),
        (1000i32..9999, 1..13).prop_map(|(y, m)| Day::parse(&format!("{y}-{m:02}")).unwrap()),
        (1000i32..9999, 1..13, 1..29)
            .prop_map(|(y, m, d)| Day::parse(&format!("{y}-{m:02}-{d:02}")).unwrap()),
        (1000i32..9999, 1..5).prop_map(|(y, q)| Day::parse(&format!("{y}-Q{q}")).unwrap()),
        prop_oneof!["today", "yesterday", "(this|last) (week|month|quarter|year)"]
            .prop_map(|text| Day::parse(&text).unwrap()),
    ]
}

fn span() -> impl Strategy<Value = Span> {
    (0u32..99_999, prop_oneof!["min", "h", "d", "w", "mo", "y"])
        .prop_map(|(number, unit)| Span::parse(&format!("{number}{unit}")).unwrap())
}

fn test() -> impl Strategy<Value = Test> {
    use WordSubject::*;
    let word_subject = prop_oneof![
        Just(Name),
        Just(Stem),
        Just(Folder),
        Just(Path),
        Just(Text),
        Just(Said(TextField::Title)),
        Just(Said(TextField::Origin)),
    ];
    let word_test = prop_oneof![
        texts().prop_map(|t| WordTest::Plain(PlainTest::Is, t)),
        texts().prop_map(|t| WordTest::Plain(PlainTest::Ends, t)),
        texts().prop_map(WordTest::Like),
        "[a-z\\\\ ]{0,3}\\\\d[+*]?"
            .prop_filter_map("a readable expression", |t| Pattern::new(&t).ok().map(WordTest::Matches)),
    ];
    let date_test = prop_oneof![
        day().prop_map(DateTest::Before),
        day().prop_map(DateTest::On),
        (day(), day()).prop_map(|(a, b)| match a.is_after(b) {
            true => DateTest::Between(b, a),
            false => DateTest::Between(a, b),
        }),
        span().prop_map(DateTest::Over),
        span().prop_map(DateTest::Within),
    ];
    prop_oneof![
        proptest::collection::vec(0..TYPES.len(), 1..4)
            .prop_map(|i| Test::Type(i.into_iter().map(|i| TYPES[i].1).collect())),
        proptest::collection::vec("[a-z0-9]{1,4}|is|or", 1..3).prop_map(Test::Ext),
        (word_subject, word_test).prop_map(|(s, t)| Test::Words(s, t)),
        texts().prop_map(|t| Test::Tag(TagTest::Named(t))),
        Just(Test::Tag(TagTest::Any)),
        (compare(), any::<u64>()).prop_map(|(c, n)| Test::Size(c, Bytes(n))),
        (compare(), any::<u64>()).prop_map(|(c, n)| Test::Count(CountSubject::Items, c, n)),
        (compare(), any::<u64>()).prop_map(|(c, n)| Test::Count(CountSubject::Copies, c, n)),
        Just(Test::Flag(Flag::Copy)),
        (compare(), 0u64..9_999_999).prop_map(|(c, n)| Test::Count(
            CountSubject::Said(FigureField::Duration),
            c,
            n
        )),
        (compare(), any::<u64>()).prop_map(|(c, n)| Test::Count(
            CountSubject::Said(FigureField::Pages),
            c,
            n
        )),
        (any::<bool>(), date_test).prop_map(|(taken, t)| match taken {
            true => Test::Date(DateSubject::Taken, t),
            false => Test::Date(DateSubject::Opened, t),
        }),
        span().prop_map(|s| Test::Age(AgeSubject::Idle, Compare::Under, s)),
        Just(Test::Flag(Flag::Mislabelled)),
    ]
}

/// The words of a text as a shell hands them on: parted at spaces, double quotes around a value taken away.
fn words_of(text: &str) -> Vec<String> {
    let (mut words, mut is_quoted, mut last) = (vec![String::new()], false, ' ');
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match c {
            '"' if is_quoted || matches!(last, ' ' | ',') => is_quoted = !is_quoted,
            '\\' if is_quoted => words.last_mut().unwrap().extend(chars.next()),
            ' ' if !is_quoted => words.push(String::new()),
            c => words.last_mut().unwrap().push(c),
        }
        last = if is_quoted { 'x' } else { c };
    }
    words
}

fn condition() -> impl Strategy<Value = Condition> {
    test().prop_map(Condition::Test).prop_recursive(4, 24, 4, |inner| {
        prop_oneof![
            proptest::collection::vec(inner.clone(), 1..4).prop_map(Condition::all),
            proptest::collection::vec(inner.clone(), 1..4).prop_map(Condition::any),
            inner.prop_map(|c| Condition::Not(Box::new(c))),
        ]
    })
}

proptest! {
    #[test]
    fn what_is_printed_is_read_back(condition in condition()) {
        let printed = condition.to_string();
        let read = parse(&printed);
        prop_assert_eq!(read.as_ref(), Ok(&condition), "{}", printed);
        prop_assert_eq!(read.unwrap().to_string(), printed);
    }

    #[test]
    fn each_word_of_a_condition_was_to_be_expected(condition in condition()) {
        let printed = condition.to_string();
        // Without its quotes this extension is the word before a value.
        prop_assume!(!printed.contains("\"is\""));
        let words = words_of(&printed);
        let none = Facets::default();
        for (at, word) in words.iter().enumerate() {
            let found = expected(&words[..at], &none);
            let plain = word.trim_matches(['(', ')']).to_ascii_lowercase();
            let is_offered = found.words.contains(&plain.as_str());
            let is_value = found.value.is_some();
            prop_assert!(is_offered || is_value || plain.is_empty(), "`{}` after {:?}", word, &words[..at]);
        }
        let joints = expected(&words, &none).words;
        prop_assert!(joints.contains(&"and"), "{:?} after {:?}", joints, words);
    }

    #[test]
    fn any_text_is_read_or_refused_within_its_bounds(text in "\\PC{0,60}") {
        if let Err(found) = parse(&text) {
            prop_assert!(found.span.end <= text.len() && found.span.start <= found.span.end);
        }
    }

    #[test]
    fn an_explanation_agrees_with_the_answer(condition in condition()) {
        let item = file("a/b.pdf");
        let told = condition.explain(&item, &now());
        prop_assert_eq!(told.holds, condition.holds(&item, &now()));
        prop_assert_eq!(told.holds, told.failures.is_empty());
    }
}

#[test]
fn what_hangs_on_tags_is_told_before_anything_is_looked_at() {
    let hangs = |text: &str| parse(text).unwrap().hangs_on_tags();
    for text in ["tag loans", "not tag loans", "tag loans and tag boats", "tag loans or type image"] {
        assert!(hangs(text), "{text}");
    }
    for text in ["type image", "tag loans and type image", "type image or size over 5"] {
        assert!(!hangs(text), "{text}");
    }
}
