use jiff::tz::TimeZone;

use super::*;

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

fn answers(list: &[(&str, &[&str])]) -> Vec<Answer> {
    list.iter()
        .map(|(value, spellings)| Answer {
            value: (*value).to_owned(),
            spellings: spellings.iter().map(|s| (*s).to_owned()).collect(),
        })
        .collect()
}

fn lender() -> Facet {
    let list = List::new(
        answers(&[
            ("Harrow Dock Trust", &[]),
            ("Kittiwake Society", &[]),
            ("Lantern Row Archive", &["LRA"]),
            ("Guild of Sailmakers", &[]),
            ("Marram Coast Museum", &[]),
            ("St Brannock's Boatyard", &[]),
            ("Pellow Family Collection", &["pellows"]),
        ]),
        Spelling::Close,
    );
    Facet {
        name: "lender".into(),
        answers: Answers::Listed(Box::new(list)),
        reads_text: true,
        or_else: None,
        to_fill_in: Vec::new(),
    }
}

fn paper() -> Facet {
    let list = List::new(
        answers(&[
            ("condition report", &["condition", "damage"]),
            ("loan agreement", &["agreement", "contract"]),
            ("loan request", &["request"]),
            ("receipt", &["received"]),
            ("insurance certificate", &["insurance", "cover note"]),
            ("letter", &["mail from", "re"]),
        ]),
        Spelling::Exact,
    );
    Facet {
        name: "paper".into(),
        answers: Answers::Listed(Box::new(list)),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    }
}

fn read(facet: &Facet, name: &str, folders: &[&str], text: Option<&str>) -> Finding {
    let above = folders.iter().map(|folder| facet.look_at_folder(folder, &now()));
    facet.read(name, above, text, &now())
}

fn named(facet: &Facet, name: &str) -> Finding {
    read(facet, name, &[], None)
}

#[test]
fn careless_spellings_are_forgiven() {
    for (name, value) in [
        ("Harow Dok Trust loan", "Harrow Dock Trust"),
        ("trust harrow dock", "Harrow Dock Trust"),
        ("harrowdocktrust_loan", "Harrow Dock Trust"),
        ("loanagreementharowdock31", "Harrow Dock Trust"),
        ("HarrowDock agreement", "Harrow Dock Trust"),
        ("HDT receipt 31", "Harrow Dock Trust"),
        ("letter h.d.t. x", "Harrow Dock Trust"),
        ("harrow dck trst", "Harrow Dock Trust"),
        ("kitti wake soc letter", "Kittiwake Society"),
        ("kittiwake", "Kittiwake Society"),
        ("KITTIWAK SOCIETY", "Kittiwake Society"),
        ("lantern rw archve", "Lantern Row Archive"),
        ("LRA 2031", "Lantern Row Archive"),
        ("sailmakers guild", "Guild of Sailmakers"),
        ("Guild Sailmakrs", "Guild of Sailmakers"),
        ("st brannocks boatyd", "St Brannock's Boatyard"),
        ("marram cst museum", "Marram Coast Museum"),
        ("Pelow famly colection", "Pellow Family Collection"),
    ] {
        let found = named(&lender(), name);
        assert_eq!(found.value(), Some(value), "{name}: {found:?}");
    }
}

#[test]
fn what_is_little_is_a_doubt_and_what_is_nothing_is_none() {
    for (name, value) in [
        ("harrow loan", "Harrow Dock Trust"),
        ("brannocks", "St Brannock's Boatyard"),
        ("letter KS 31", "Kittiwake Society"),
    ] {
        let found = named(&lender(), name);
        assert_eq!(found.value(), Some(value), "{name}");
        assert!(!found.is_sure(), "{name}");
        assert!(found.doubt("lender").unwrap().contains("not sure"), "{name}");
    }
    for name in ["Puffin Society letter", "museum archive", "a row of boats", "untitled", "", "(1)"] {
        let found = named(&lender(), name);
        assert_eq!(found.value(), None, "{name}: {found:?}");
    }
}

#[test]
fn two_answers_in_one_name_are_both_told() {
    let found = named(&lender(), "kittiwake letter re harrow dock trust");
    assert_eq!(found.rivals.len(), 1);
    let doubt = found.doubt("lender").unwrap();
    assert!(doubt.contains("`Harrow Dock Trust`") && doubt.contains(" or `Kittiwake Society`"), "{doubt}");
}

#[test]
fn words_that_several_answers_share_decide_nothing() {
    let list = answers(&[
        ("Harrow Dock Trust", &[]),
        ("Harrow Bay Museum", &[]),
        ("Harris & Sons", &[]),
        ("Harries Ltd", &[]),
    ]);
    let facet = Facet {
        name: "lender".into(),
        answers: Answers::Listed(Box::new(List::new(list, Spelling::Close))),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    };
    let shared = named(&facet, "harrow letter");
    assert_eq!(shared.value(), None);
    assert!(shared.doubt("lender").unwrap().contains("`harrow` may mean `Harrow"), "{shared:?}");
    assert_eq!(named(&facet, "harrow bay letter").value(), Some("Harrow Bay Museum"));
    assert!(named(&facet, "harries letter").is_sure());
    assert!(!named(&facet, "harris' letter and harries").is_sure());
    assert!(!named(&facet, "haris").is_sure());
}

#[test]
fn a_near_word_is_no_answer_without_a_doubt() {
    let list = answers(&[
        ("Brannock Joinery", &[]),
        ("Pellow Joinery", &[]),
        ("Lether Partners", &[]),
        ("Harlow", &[]),
    ]);
    let facet = Facet {
        name: "client".into(),
        answers: Answers::Listed(Box::new(List::new(list, Spelling::Close))),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    };
    // What others have, too, vouches for none of them.
    for (name, value) in [("Brennick Joinery invoice", "Brannock Joinery"), ("Harrow invoice", "Harlow")] {
        let found = named(&facet, name);
        assert_eq!((found.value(), found.is_sure()), (Some(value), false), "{name}");
    }
    // An answer that stands there is not questioned by a word that is rather another.
    assert!(named(&facet, "engagement letter Pellow Joinery").is_sure());
    assert!(named(&facet, "Brannokc Joinery").is_sure());
    let receipt = Facet {
        answers: Answers::Listed(Box::new(List::new(answers(&[("certificate", &[])]), Spelling::Close))),
        ..facet
    };
    assert!(named(&receipt, "certificat Harlow").is_sure() && !named(&receipt, "certif Harlow").is_sure());
}

#[test]
fn exact_facets_take_whole_words_and_the_longest() {
    assert!(named(&paper(), "Condition Report half model").is_sure());
    assert_eq!(named(&paper(), "damage to bow").value(), Some("condition report"));
    assert_eq!(named(&paper(), "reception plan").value(), None);
    assert_eq!(named(&paper(), "loan-agreement").value(), Some("loan agreement"));
    let two = named(&paper(), "receipt for the loan agreement");
    assert!(!two.is_sure() && two.value().is_some());
}

#[test]
fn folders_and_words_inside_help_where_the_name_is_silent() {
    let facet = lender();
    let found = read(&facet, "receipt", &["2031", "Kittiwake Society"], None);
    assert_eq!(found.value(), Some("Kittiwake Society"));
    assert!(found.found.unwrap().evidence().contains("in the folder's name"));
    let confirmed = read(&facet, "harrow receipt", &["Harrow Dock"], None);
    assert!(confirmed.is_sure());
    let questioned = read(&facet, "harrow receipt", &["Kittiwake"], None);
    assert_eq!((questioned.value(), questioned.rivals.len()), (Some("Harrow Dock Trust"), 1));
    let inside = read(&facet, "scan0001", &[], Some("Lent by the Marram Coast Museum, with thanks."));
    assert_eq!(inside.value(), Some("Marram Coast Museum"));
    assert!(inside.doubt("lender").unwrap().contains("words inside"));
    let silent = Facet { reads_text: false, ..facet };
    assert_eq!(read(&silent, "scan0001", &[], Some("Marram Coast Museum")).value(), None);
}

#[test]
fn a_month_in_the_name_and_a_year_on_the_folder_make_a_season() {
    let period = Period::new(PeriodUnit::Year, 10);
    let season = Facet {
        name: "season".into(),
        answers: Answers::Period(Box::new(period)),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    };
    assert_eq!(read(&season, "letter november", &["2030"], None).value(), Some("2030-31"));
    assert!(read(&season, "letter march", &["2031"], None).is_sure());
    assert_eq!(read(&season, "letter march", &["2029-30"], None).value(), Some("2029-30"));
}
