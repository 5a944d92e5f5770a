//! Facets on lists and slips that have nothing to do with the sample world: a joiner's suppliers and
//! papers, with the slips of keyboards, of hearsay and of haste.

use fastrand::Rng;
use nine_core::config::parse;
use nine_core::facet::{Facet, Finding};
use nine_core::moment::Now;

const LISTS: &str = r#"
[facet.supplier]
spelling = "close"
values = [
    "Abbott Timber Yard", "Bellamy & Sons", "Brightwater Glass", "Cobalt Paints Ltd", "Crane Hire North",
    "Dunmore Sawmill", "Eastgate Hardware", "Fenwick Tools", "Granite World", "Grantham Doors",
    "Holm Oak Veneers", "Ironside Fixings", "Juniper Garden Centre", "Kerb and Paving Company",
    "Larch Lane Nursery", "Millbrook Insulation", "Northern Roofing Supplies", "Orchard Electrical",
    "Pemberton Plastering", "Quarry Stone Merchants", "Riverside Scaffolding", "Saltmarsh Plumbing",
    "Thornbury Windows", "Ullswater Pumps", "Verity Locksmiths", "Westbourne Carpets", "Müller Holzbau",
    "Yarrow Heating", "Zephyr Ventilation", "Brightwell Lighting",
]

[facet.kind]
spelling = "close"

[facet.kind.values]
"invoice" = ["bill"]
"quotation" = ["quote", "offer"]
"delivery note" = ["delivery"]
"order confirmation" = ["order"]
"statement of account" = ["account"]
"credit note" = []
"guarantee" = ["warranty"]
"data sheet" = ["specification"]

[facet.year]
from = "year"
"#;

fn slip(rng: &mut Rng, word: &str) -> String {
    const NEIGHBOURS: &str = "qwertyuiopasdfghjklzxcvbnm";
    const HEARD: [(&str, &str); 10] = [
        ("ph", "f"),
        ("ie", "ei"),
        ("ll", "l"),
        ("tt", "t"),
        ("er", "or"),
        ("ck", "k"),
        ("ou", "oo"),
        ("th", "t"),
        ("en", "an"),
        ("y", "i"),
    ];
    let letters: Vec<char> = word.chars().collect();
    let at = rng.usize(1..letters.len());
    match rng.u8(..5) {
        0 => HEARD.iter().find(|(right, _)| word[1..].contains(right)).map_or_else(
            || word.to_owned(),
            |(right, wrong)| format!("{}{}", &word[..1], word[1..].replacen(right, wrong, 1)),
        ),
        1 => letters
            .iter()
            .enumerate()
            .map(|(nth, c)| if nth == at { near(NEIGHBOURS, *c) } else { *c })
            .collect(),
        2 => letters.iter().enumerate().filter(|(nth, _)| *nth != at).map(|(_, c)| *c).collect(),
        3 => letters.iter().enumerate().flat_map(|(nth, c)| vec![*c; 1 + usize::from(nth == at)]).collect(),
        _ => {
            let mut swapped = letters;
            swapped.swap(at - 1, at);
            swapped.into_iter().collect()
        }
    }
}

/// The key beside a key.
fn near(keys: &str, c: char) -> char {
    let at = keys.find(c).unwrap_or(0);
    keys.chars().nth((at + 1) % keys.len()).unwrap_or(c)
}

fn written(rng: &mut Rng, answer: &str) -> String {
    let words: Vec<&str> = answer.split(' ').collect();
    let careless = |rng: &mut Rng| -> Vec<String> {
        let of = |word: &&str| {
            if word.is_ascii() && word.len() > 4 && rng.u8(..10) < 4 {
                slip(rng, word)
            } else {
                (*word).to_owned()
            }
        };
        words.iter().map(of).collect()
    };
    match rng.u8(..8) {
        0 => answer.replace(' ', ""),
        1 => words.iter().rev().copied().collect::<Vec<_>>().join(" "),
        2 => answer.to_owned(),
        _ => careless(rng).join(" "),
    }
}

/// How well a list of names is read.
#[derive(Default)]
struct Score {
    right: usize,
    sure: usize,
    all: usize,
    /// Wrong or missing, and nobody told.
    silent: Vec<String>,
}

impl Score {
    fn count(&mut self, name: &str, finding: &Finding, truth: &str) {
        self.all += 1;
        self.sure += usize::from(finding.is_sure());
        match finding.value() == Some(truth) {
            true => self.right += 1,
            false if finding.is_sure() => self.silent.push(format!("{name}: {finding:?}, not {truth}")),
            false => assert!(finding.doubt("it").is_some(), "{name}"),
        }
    }
}

#[test]
fn other_lists_and_other_slips_are_read_as_well() {
    let facets = parse(LISTS).unwrap().facets;
    let now = Now::parse("2031-04-07T09:00", &jiff::tz::TimeZone::UTC).unwrap();
    let ask = |facet: &Facet, name: &str| facet.read(name, std::iter::empty(), None, &now);
    let all: Vec<_> = facets.iter().collect();
    let mut rng = Rng::with_seed(7);
    let mut scores = [(); 3].map(|()| Score::default());
    for _ in 0..2000 {
        let pick = |rng: &mut Rng, facet: &Facet| {
            let listed = facet.listed();
            listed[rng.usize(..listed.len())].to_owned()
        };
        let (supplier, kind) = (pick(&mut rng, all[0]), pick(&mut rng, all[1]));
        let year = rng.u32(2022..=2031);
        let date = match rng.u8(..5) {
            0 => format!("{year}"),
            1 => format!("{year}-{:02}-{:02}", rng.u8(1..13), rng.u8(1..29)),
            2 => format!("{}.{}.{}", rng.u8(13..29), rng.u8(1..13), year % 100),
            3 => format!("{} {year}", ["Jan", "june", "Sept", "November"][rng.usize(..4)]),
            _ => format!("{} March {year}", rng.u8(1..29)),
        };
        let mut parts = [written(&mut rng, &supplier), written(&mut rng, &kind), date];
        rng.shuffle(&mut parts);
        let name = parts.join([" ", "_", " - "][rng.usize(..3)]);
        let truths = [supplier, kind, year.to_string()];
        for ((score, facet), truth) in scores.iter_mut().zip(&all).zip(&truths) {
            score.count(&name, &ask(facet, &name), truth);
        }
    }
    for (score, facet) in scores.iter().zip(&all) {
        let share = score.right as f64 / score.all as f64;
        assert!(share >= 0.97, "{}: {share}", facet.name);
        assert!(
            score.silent.is_empty(),
            "{} silent: {:#?}",
            score.silent.len(),
            &score.silent[..score.silent.len().min(10)]
        );
        assert!(
            score.sure * 100 >= score.all * 80,
            "{}: only {} of {} are sure",
            facet.name,
            score.sure,
            score.all
        );
    }
}

#[test]
fn what_is_on_no_list_is_not_found() {
    let facets = parse(LISTS).unwrap().facets;
    let now = Now::parse("2031-04-07T09:00", &jiff::tz::TimeZone::UTC).unwrap();
    let supplier = facets.get("supplier").unwrap();
    for name in [
        "Shopping list",
        "minutes of the meeting in June",
        "holiday photos Norway",
        "recipe for bread",
        "CV of Ann",
        "tax return",
        "football fixtures",
        "guitar chords",
        "IMG 2041",
        "reading list for the winter",
        "birthday party plan",
        "old passport scan",
        "letter to the council",
        "boiler manual",
        "car insurance",
    ] {
        let finding = supplier.read(name, std::iter::empty(), None, &now);
        assert!(!finding.is_sure(), "{name}: {finding:?}");
    }
}
