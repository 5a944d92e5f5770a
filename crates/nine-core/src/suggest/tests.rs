//! Suggestions on small shelves, and what must hold on any.

use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;
use crate::facet::Facets;
use crate::item::{Entry, Identity, Kind};
use crate::kinds::{ItemType, type_of_name};
use crate::moment::{Moment, Now};
use crate::place::{ItemPath, NameBuf, Spot};

pub(super) fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

/// So many days before now.
fn day(days: i64) -> Moment {
    Moment(now().moment().0 - days * 86_400_000_000_000)
}

/// Files by folder, name and age in days.
#[derive(Debug, Clone, Default)]
struct SampleShelves {
    files: Vec<(String, String, i64)>,
    facets: Facets,
}

impl Shelved for SampleShelves {
    fn item(&self, reference: u64) -> Option<Item> {
        let (folder, name, days) = self.files.get(reference as usize)?;
        Some(item(&format!("{folder}/{name}"), *days))
    }
}

pub(super) fn item(path: &str, days: i64) -> Item {
    let entry = Entry {
        kind: Kind::File,
        size: 1,
        modified: day(days),
        opened: None,
        born: None,
        changed: day(days),
        identity: Identity([1, 1]),
    };
    Item::new(Spot::new("home", ItemPath::new(path).unwrap()), entry)
}

fn traits(name: &str) -> Traits<'_> {
    let item_type = type_of_name(name.as_bytes()).unwrap_or(ItemType::Unknown);
    Traits { name: name.as_bytes(), is_folder: false, item_type, tags: &[], said: None }
}

impl SampleShelves {
    fn with(mut self, folder: &str, names: impl IntoIterator<Item = String>, days: i64) -> Self {
        self.files.extend(names.into_iter().map(|name| (folder.to_owned(), name, days)));
        self
    }

    /// The same, filed over two years.
    fn over_time(mut self, folder: &str, names: Vec<String>) -> Self {
        let days = (0_i64..).map(|n| n * 37 % 730);
        self.files.extend(names.into_iter().zip(days).map(|(name, day)| (folder.to_owned(), name, day)));
        self
    }

    /// The examples, the files taken in this order.
    fn examples(&self, order: impl Iterator<Item = usize>) -> Examples {
        let mut examples = Examples::default();
        let home = examples.bookcase("home");
        let mut folders: Vec<&str> = self.files.iter().map(|(folder, ..)| folder.as_str()).collect();
        folders.sort_unstable();
        for folder in folders {
            let mut parts = folder.split('/');
            let shelf = parts.next().unwrap();
            let at = examples.shelf("home", shelf.as_bytes());
            let mut at = at.unwrap_or_else(|| {
                examples.add_shelf(home, shelf.as_bytes()[0] - b'0', NameBuf::new(shelf).unwrap())
            });
            for part in parts {
                let name = NameBuf::new(part).unwrap();
                let known = examples.folder_in(at, part.as_bytes());
                at = known.unwrap_or_else(|| examples.add_folder(at, name.as_name()));
            }
        }
        for reference in order {
            let (folder, name, days) = &self.files[reference];
            let folder = Spot::new("home", ItemPath::new(folder).unwrap());
            let folder = examples.folder_at(&folder).unwrap();
            let (at, reference) = (day(*days), reference as u64);
            examples.add(&traits(name), Filed { folder, own: None, at, modified: at, weight: 1, reference });
        }
        examples
    }

    fn learned(&self) -> Classifier {
        Classifier::of(self.examples(0..self.files.len()), &self.known(&now()), None)
    }

    fn known<'a>(&'a self, now: &'a Now) -> LearningContext<'a> {
        LearningContext { facets: &self.facets, now, shelved: self }
    }

    /// The destinations for a name: folder and share.
    fn destinations(&self, name: &str) -> Vec<(String, u8)> {
        let now = now();
        let found = self.learned().suggest(&traits(name), &item(name, 0), &self.known(&now));
        found.into_iter().map(|one| (one.folder.folder.path.to_text(), one.share)).collect()
    }

    fn first(&self, name: &str) -> Option<String> {
        let speaks_from = self.learned().speaks_from(false);
        self.destinations(name)
            .into_iter()
            .next()
            .filter(|(_, share)| *share >= speaks_from)
            .map(|(folder, _)| folder)
    }

    fn rules(&self) -> Vec<FoundRule> {
        let now = now();
        rules(&self.learned(), &self.known(&now), &Default::default())
    }
}

fn numbered(form: &str, count: usize) -> Vec<String> {
    (0..count).map(|n| form.replace('#', &format!("{:03}", n * 7 + 3))).collect()
}

fn office() -> SampleShelves {
    SampleShelves::default()
        .over_time("6 Office/Invoices", numbered("invoice # chandler.pdf", 30))
        .over_time("4 Pictures", numbered("IMG_#.jpg", 300))
        .over_time("2 Loans/Harrow Dock Trust", numbered("loan agreement harrow #.pdf", 12))
        .over_time("2 Loans/Kittiwake", numbered("loan agreement kittiwake #.pdf", 12))
        .over_time("7 Minutes", numbered("minutes 2031-#.docx", 12))
}

#[test]
fn what_is_like_what_is_filed_goes_there() {
    let shelves = office();
    assert_eq!(shelves.first("Invoice 4711 Chandler.pdf").as_deref(), Some("6 Office/Invoices"));
    assert_eq!(shelves.first("IMG_9999.jpg").as_deref(), Some("4 Pictures"));
    assert_eq!(shelves.first("kittiwake loan agreement signed.pdf").as_deref(), Some("2 Loans/Kittiwake"));
    assert_eq!(shelves.first("minutes 2031-900.docx").as_deref(), Some("7 Minutes"));
}

#[test]
fn where_nothing_speaks_nothing_is_said() {
    let shelves = office();
    for name in ["zzz.xyz", "Untitled", "qwertz plugh.pdf", "....", "12", "会議.bin"] {
        assert_eq!(shelves.first(name), None, "{name}");
    }
    assert!(SampleShelves::default().destinations("invoice.pdf").is_empty());
}

#[test]
fn two_examples_teach_little_and_thousands_do_not_swallow_all() {
    let shelves = office().over_time("4 Pictures/Old", numbered("IMG_old_#.jpg", 3000)).with(
        "9 Odds",
        vec!["sextant scan.pdf".to_owned(), "sextant notes.pdf".to_owned()],
        5,
    );
    assert_eq!(shelves.first("invoice 12 chandler.pdf").as_deref(), Some("6 Office/Invoices"));
    let few = shelves.destinations("sextant drawing.pdf");
    assert_eq!(few[0].0, "9 Odds");
    assert!(few[0].1 < SURE, "two examples make nothing sure: {few:?}");
}

#[test]
fn next_year_is_known_before_its_folder_is_there() {
    let mut shelves = SampleShelves::default();
    for year in 2027..=2030 {
        let names = (0..8).map(|n| format!("harbour rent {year} no {n}.pdf"));
        shelves = shelves.with(&format!("6 Office/Rent/{year}"), names, 60);
        let names = (0..8).map(|n| format!("tax papers {n} {year}.pdf"));
        shelves = shelves.with(&format!("6 Office/Tax {year} Done"), names, 60);
    }
    assert_eq!(shelves.first("harbour rent 2031 no 3.pdf").as_deref(), Some("6 Office/Rent/2031"));
    assert_eq!(shelves.first("tax papers 2 2031.pdf").as_deref(), Some("6 Office/Tax 2031 Done"));
    let learned = shelves.learned();
    let patterns = learned.patterns();
    assert_eq!(patterns, ["6 Office/Rent/{stem:year}", "6 Office/Tax {stem:year} Done"]);
}

#[test]
fn folders_are_understood_by_dates_initials_and_answers() {
    let text = "[facet.lender]\nvalues = { \"Harrow\" = [\"HDT\"], \"Kittiwake\" = [] }\n";
    let mut shelves =
        SampleShelves { facets: crate::config::parse(text).unwrap().facets, ..SampleShelves::default() };
    for (back, year) in [(100_i64, 2030), (465, 2029), (830, 2028)] {
        shelves = shelves.with(&format!("4 Pictures/{year}"), numbered("IMG_#.jpg", 6), back + 60);
        for (who, typed) in [("Harrow", "HDT"), ("Kittiwake", "kittiwake")] {
            let names = (0..4).map(|n| format!("{typed} letter {n} {year}.pdf"));
            shelves = shelves.with(&format!("2 Loans/{who}/{year}"), names, back);
        }
    }
    shelves = shelves.with("7 Notes/S", numbered("shanty #.md", 4), 9).with(
        "7 Notes/T",
        numbered("tide #.md", 4),
        9,
    );
    let learned = shelves.learned();
    let patterns = learned.patterns();
    assert_eq!(
        patterns,
        [
            "2 Loans/{lender}",
            "2 Loans/{lender}/{stem:year}",
            "4 Pictures/{modified:year}",
            "7 Notes/{stem:initial}"
        ]
    );
    assert_eq!(shelves.first("HDT letter 9 2031.pdf").as_deref(), Some("2 Loans/Harrow/2031"));
    assert_eq!(shelves.first("IMG_770.jpg").as_deref(), Some("4 Pictures/2031"));
}

#[test]
fn what_was_brought_back_counts_against_its_place() {
    let shelves = office();
    let now = now();
    let before = shelves.destinations("invoice 1 chandler.pdf")[0].1;
    let mut examples = shelves.examples(0..shelves.files.len());
    let folder = examples.folder_at(&Spot::new("home", ItemPath::new("6 Office/Invoices").unwrap())).unwrap();
    assert!(before >= SURE);
    (0..30 / i32::from(HAND_WEIGHT))
        .for_each(|_| examples.add_refused(folder, &traits("invoice 1 chandler.pdf")));
    let learned = Classifier::of(examples, &shelves.known(&now), None);
    let after = learned.suggest(
        &traits("invoice 1 chandler.pdf"),
        &item("invoice 1 chandler.pdf", 0),
        &shelves.known(&now),
    );
    assert!(after.first().is_none_or(|first| first.share < learned.speaks_from(false)), "{after:?}");
}

#[test]
fn a_hostile_name_is_text_in_every_reason() {
    let hostile = "pay\u{1b}[31m\u{202e}\"' $(x) 2031.pdf";
    let shelves = office().with("5 \u{1b}[2J", vec![hostile.to_owned(); 6], 10);
    let learned = shelves.learned();
    let now = now();
    let found = learned.suggest(&traits(hostile), &item(hostile, 0), &shelves.known(&now));
    let reasons = learned.reasons().of(&traits(hostile), &found[0]);
    assert!(!reasons.is_empty());
    for reason in reasons {
        let text = reason.to_string();
        assert!(text.chars().all(|c| !c.is_control() && c != '\u{202e}'), "{text:?}");
        let condition = reason.feature.condition().unwrap();
        assert_eq!(crate::condition::parse(&condition.to_string()).unwrap(), condition);
    }
}

#[test]
fn a_few_rules_say_most_and_none_is_often_wrong() {
    let mut shelves = SampleShelves::default();
    for (days, year) in [(60, 2031), (400, 2030), (800, 2029)] {
        shelves =
            shelves.with(&format!("6 Office/Invoices/{year}"), numbered("invoice # ropes.pdf", 20), days);
    }
    let shelves = shelves
        .with("4 Pictures", numbered("quay #.jpg", 40), 20)
        .with("7 Minutes", numbered("board minutes #.docx", 20), 20)
        .with("1 Work/Petrel", vec!["invoice for the petrel.pdf".to_owned(), "plan.pdf".to_owned()], 20);
    let found = shelves.rules();
    let told: Vec<(&str, &str)> = found.iter().map(|rule| (rule.when.as_str(), rule.put.as_str())).collect();
    assert_eq!(told[0], ("name has invoice", "6/Invoices/{modified:year}"));
    assert_eq!(found[0].tally, RuleTally { right: 60, wrong: 1, not: 0 });
    assert!(told.contains(&("name has minutes", "7")), "{told:?}");
    assert!(found.iter().all(|rule| rule.tally.wrong * 50 <= rule.tally.right + rule.tally.wrong));
    let right: usize = found.iter().take(3).map(|rule| rule.tally.right).sum();
    assert!(right * 10 >= shelves.files.len() * 9, "{found:?}");
    for rule in &found {
        crate::condition::parse(&rule.when).unwrap();
    }
}

#[test]
fn shelves_that_contradict_one_another_make_no_rule() {
    let names = || numbered("offer #.pdf", 12);
    let shelves = SampleShelves::default().with("1 Work", names(), 20).with("2 Home", names(), 20);
    assert_eq!(shelves.rules(), []);
    assert_eq!(shelves.first("offer 900.pdf"), None);
}

#[test]
fn what_is_measured_is_what_came_later() {
    let mut shelves = SampleShelves::default();
    for n in 0..200_i64 {
        let (folder, word) = [("1 Boats", "hull"), ("2 Nets", "mesh"), ("3 Lamps", "wick")][(n % 3) as usize];
        shelves = shelves.with(folder, vec![format!("{word} report {n}.pdf")], 400 - n);
    }
    let now = now();
    let measured = measure(&shelves.examples(0..200), &shelves.known(&now));
    assert_eq!(measured.asked, 100);
    assert!(measured.right >= 95 && measured.spoke >= 95, "{measured:?}");
    assert_eq!(measured.table.iter().map(|line| line.number).sum::<usize>(), measured.spoke);
    // A folder that began later was not to be known.
    let late = (0..40).map(|n| format!("rope {n}.txt"));
    let shelves = shelves.with("4 Ropes", late, 10);
    let measured = measure(&shelves.examples(0..240), &shelves.known(&now));
    assert!(measured.new_folder > 0 && measured.new_folder < 40, "{measured:?}");
}

const WORDS: [&str; 8] = ["invoice", "harbour", "rope", "sail", "Möwe", "Счёт", "plan", "7"];
const FOLDERS: [&str; 6] = ["1 Work", "1 Work/Petrel", "2 Loans/2030", "2 Loans/2031", "3 Plans", "4 Rope"];
const ENDINGS: [&str; 4] = [".pdf", ".jpg", "", ".docx"];

fn any_name() -> impl Strategy<Value = String> {
    (prop::collection::vec(0..WORDS.len(), 1..4), 0..ENDINGS.len(), 0..40_u32).prop_map(
        |(words, ending, number)| {
            let words: Vec<&str> = words.into_iter().map(|at| WORDS[at]).collect();
            format!("{} {number}{}", words.join("_"), ENDINGS[ending])
        },
    )
}

fn any_shelves() -> impl Strategy<Value = SampleShelves> {
    let file = (0..FOLDERS.len(), any_name(), 0..900_i64);
    prop::collection::vec(file, 1..60).prop_map(|files| {
        let files = files.into_iter().map(|(folder, name, days)| (FOLDERS[folder].to_owned(), name, days));
        SampleShelves { files: files.collect(), ..SampleShelves::default() }
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128, ..ProptestConfig::default() })]

    #[test]
    fn the_order_of_items_does_not_change_the_answer(shelves in any_shelves(), name in any_name(), turn in 0..60_usize) {
        let count = shelves.files.len();
        let now = now();
        let answer = |order: Vec<usize>| {
            let learned = Classifier::of(shelves.examples(order.into_iter()), &shelves.known(&now), None);
            learned.suggest(&traits(&name), &item(&name, 0), &shelves.known(&now))
        };
        let turned = (0..count).map(|at| (at * 7 + turn) % count);
        let mut seen: Vec<usize> = turned.collect();
        seen.sort_unstable();
        seen.dedup();
        prop_assume!(seen.len() == count);
        let order = (0..count).map(|at| (at * 7 + turn) % count).collect();
        prop_assert_eq!(answer((0..count).collect()), answer(order));
    }

    #[test]
    fn an_item_filed_where_it_was_suggested_makes_that_no_less_likely(shelves in any_shelves(), name in any_name()) {
        let now = now();
        let mut examples = shelves.examples(0..shelves.files.len());
        let newest = shelves.files.iter().map(|(.., days)| *days).min().unwrap_or(0);
        let destinations = Arc::new(Destinations::of(&examples, &examples.by_time(false), &shelves.known(&now)));
        let ranked = |examples: &Examples| {
            let (features, unknown) = examples.table.find(&traits(&name));
            NaiveBayes::of(examples, &examples.by_time(false), &[], &destinations).rank(examples, &features, unknown)
        };
        let Some(first) = ranked(&examples).first().copied() else { return Ok(()) };
        let folder = destinations.of.iter().position(|destination| *destination == first.destination).unwrap() as u32;
        let at = day(newest);
        examples.add(&traits(&name), Filed { folder, own: None, at, modified: at, weight: 1, reference: 0 });
        let after = ranked(&examples).into_iter().find(|ranked| ranked.destination == first.destination).unwrap();
        prop_assert!(after.odds >= first.odds - 1e-3, "{} before, {} after", first.odds, after.odds);
    }

    #[test]
    fn what_a_reason_counts_is_what_a_search_lists(shelves in any_shelves(), name in any_name()) {
        let learned = shelves.learned();
        let now = now();
        let reasons = learned.reasons();
        for suggestion in learned.suggest(&traits(&name), &item(&name, 0), &shelves.known(&now)) {
            for reason in reasons.of(&traits(&name), &suggestion) {
                let condition = reason.feature.condition().unwrap();
                let listed: Vec<Item> = (0..shelves.files.len() as u64)
                    .filter_map(|at| shelves.item(at))
                    .filter(|item| condition.holds(item, &now))
                    .collect();
                prop_assert_eq!(listed.len(), reason.all, "{}", condition);
                let is_there = |item: &&Item| match suggestion.pattern.contains('{') {
                    true => item.spot.path.to_text().starts_with("2 Loans/20"),
                    false => item.spot.folder() == suggestion.folder.folder,
                };
                prop_assert_eq!(listed.iter().filter(is_there).count(), reason.there, "{}", suggestion.pattern);
            }
        }
    }
}
