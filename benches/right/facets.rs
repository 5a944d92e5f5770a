//! Answers read from bad names in two fields: an accountant's clients and papers, and a builder's sites.

use nine_core::facet::{
    Answer, Answers, DateForms, Facet, Finding, List, MonthNames, Order, Period, PeriodUnit, Spelling,
};
use nine_core::moment::Now;

use crate::{Figure, chance::Chance};

/// An answer and surnames that are near it and not in the list.
pub const SURNAMES: &str = include_str!("../data/surnames.tsv");
const BODIES: [&str; 12] = [
    "Joinery",
    "Ltd",
    "& Sons",
    "Partners",
    "Bakery",
    "Dental Practice",
    "Consulting",
    "Farm Shop",
    "Motors",
    "Architects",
    "Holdings",
    "Family Trust",
];
const KINDS: [&str; 10] = [
    "annual accounts",
    "bank statement",
    "VAT return",
    "invoice",
    "payroll summary",
    "tax computation",
    "engagement letter",
    "mileage log",
    "dividend voucher",
    "management report",
];
/// Sites of a builder.
pub const SITES: [&str; 12] = [
    "Cross Mill",
    "Old Chapel",
    "Station Yard",
    "Lower Wharf",
    "Beacon Hill",
    "Priory Barn",
    "Tern Quay",
    "Harbour Terrace",
    "Salt House",
    "Glebe Cottages",
    "Limekiln Works",
    "Orchard Rise",
];

/// What is asked in one field.
struct Field {
    name: &'static str,
    clients: Vec<String>,
    facet: Facet,
    kinds: Facet,
    year: Facet,
    starts: u8,
}

/// A name, with what is true of it.
struct Truth {
    name: String,
    client: String,
    kind: String,
    year: String,
    /// Whether nothing in it is misspelt.
    is_plain: bool,
}

fn listed(name: &str, values: &[String]) -> Facet {
    let answers = values.iter().map(|value| Answer { value: value.clone(), spellings: Vec::new() }).collect();
    let answers = Answers::Listed(Box::new(List::new(answers, Spelling::Close)));
    Facet { name: name.into(), answers, reads_text: false, or_else: None, to_fill_in: Vec::new() }
}

fn years(starts: u8) -> Facet {
    let months = std::sync::Arc::new(MonthNames::of(&["en", "de", "fr"]));
    let dates = DateForms { order: Some(Order::DayFirst), months };
    let period = Period { dates, ..Period::new(PeriodUnit::Year, starts) };
    Facet {
        name: "year".into(),
        answers: Answers::Period(Box::new(period)),
        reads_text: false,
        or_else: None,
        to_fill_in: Vec::new(),
    }
}

fn titled(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}

fn near() -> Vec<(String, Vec<String>)> {
    let line = |line: &str| {
        let mut cells = line.split('\t').map(titled);
        (cells.next().unwrap_or_default(), cells.collect())
    };
    SURNAMES.lines().map(line).collect()
}

fn fields(held_back: bool) -> Vec<Field> {
    let half = |nth: usize| (nth % 2 == 1) == held_back;
    let surnames: Vec<String> = near().into_iter().map(|(name, _)| name).collect();
    let mut chance = Chance(if held_back { 11 } else { 5 });
    let clients: Vec<String> = surnames
        .iter()
        .enumerate()
        .filter(|(nth, _)| half(*nth))
        .map(|(_, name)| format!("{name} {}", BODIES[chance.below(BODIES.len())]))
        .collect();
    let sites: Vec<String> = SITES
        .iter()
        .flat_map(|site| [(*site).to_owned(), format!("{site} Phase Two")])
        .enumerate()
        .filter(|(nth, _)| half(*nth / 2))
        .map(|(_, site)| site)
        .collect();
    let kinds: Vec<String> = KINDS.iter().map(|kind| (*kind).to_owned()).collect();
    let field = |name, clients: Vec<String>, starts| Field {
        name,
        facet: listed("client", &clients),
        clients,
        kinds: listed("kind", &kinds),
        year: years(starts),
        starts,
    };
    vec![field("accountant", clients, 4), field("builder", sites, 1)]
}

/// The text for the answer that starts in this year, where years start in this month.
type Form = fn(i16, u8) -> String;

/// The forms in which a year is written, with their names.
const FORMS: [(&str, Form); 14] = [
    (
        "2030-31",
        |year, starts| {
            if starts == 1 { format!("{year}") } else { format!("{year}-{:02}", (year + 1) % 100) }
        },
    ),
    ("30-31", |year, starts| {
        if starts == 1 {
            format!("'{:02}", year % 100)
        } else {
            format!("{:02}-{:02}", year % 100, (year + 1) % 100)
        }
    }),
    ("FY31", |year, starts| format!("FY{:02}", (year + i16::from(starts > 1)) % 100)),
    ("FYE 2031", |year, starts| format!("FYE {}", year + i16::from(starts > 1))),
    ("June 2030", |year, _| format!("June {year}")),
    ("Jun 30", |year, _| format!("Jun {:02}", year % 100)),
    ("7 June 2030", |year, _| format!("7 June {year}")),
    ("2030-06-07", |year, _| format!("{year}-06-07")),
    ("7.6.30", |year, _| format!("7.6.{:02}", year % 100)),
    ("07062030", |year, _| format!("0706{year}")),
    ("Q3 2030", |year, _| format!("Q3 {year}")),
    ("2030-W25", |year, _| format!("{year}-W25")),
    ("Juni 2030", |year, _| format!("Juni {year}")),
    ("août 2030", |year, _| format!("août {year}")),
];

fn slip(word: &str, chance: &mut Chance) -> String {
    const KEYS: [&str; 3] = ["qwertyuiop", "asdfghjkl", "zxcvbnm"];
    let mut letters: Vec<char> = word.chars().collect();
    if letters.len() < 5 {
        return word.to_owned();
    }
    let at = 1 + chance.below(letters.len() - 2);
    match chance.below(4) {
        0 => letters.swap(at, at - usize::from(at > 1)),
        1 => drop(letters.remove(at)),
        2 => letters.insert(at, letters[at]),
        _ => {
            let small = letters[at].to_ascii_lowercase();
            let row = KEYS.iter().find(|row| row.contains(small)).unwrap_or(&KEYS[0]).as_bytes();
            let place = row.iter().position(|key| *key as char == small).unwrap_or(0);
            letters[at] = row[if place == 0 { 1 } else { place - 1 }] as char;
        }
    }
    letters.into_iter().collect()
}

fn written(text: &str, chance: &mut Chance, plain: bool) -> String {
    let text = if plain {
        text.to_owned()
    } else {
        let words: Vec<&str> = text.split(' ').collect();
        let which = chance.below(words.len());
        let slipped = words
            .iter()
            .enumerate()
            .map(|(nth, word)| if nth == which { slip(word, chance) } else { (*word).to_owned() });
        slipped.collect::<Vec<_>>().join(" ")
    };
    match chance.below(6) {
        0 => text.replace(' ', "_"),
        1 => text.to_lowercase(),
        2 => text.split(' ').map(titled).collect::<Vec<_>>().concat(),
        _ => text,
    }
}

fn truths(field: &Field, many: usize) -> Vec<(usize, Truth)> {
    let mut chance = Chance(field.clients.len() as u64);
    let truth = |nth: usize| {
        let client = field.clients[chance.below(field.clients.len())].clone();
        let kind = KINDS[chance.below(KINDS.len())].to_owned();
        let form = nth % FORMS.len();
        let year = 2024 + chance.below(8) as i16;
        let is_plain = chance.below(2) == 0;
        let parts = [
            written(&client, &mut chance, is_plain),
            written(&kind, &mut chance, is_plain),
            FORMS[form].1(year, field.starts),
        ];
        let order = [[0, 1, 2], [1, 0, 2], [0, 2, 1], [1, 2, 0]][chance.below(4)];
        let mark = ["", " (1)", " final", " v2", " copy"][chance.below(5)];
        let sign = [" ", " - ", "_"][chance.below(3)];
        let name = order.map(|part| parts[part].clone()).join(sign) + mark;
        let year =
            if field.starts == 1 { format!("{year}") } else { format!("{year}-{:02}", (year + 1) % 100) };
        (form, Truth { name, client, kind, year, is_plain })
    };
    (0..many).map(truth).collect()
}

/// Counts of one kind of answers.
#[derive(Default)]
struct Count {
    all: usize,
    sure: usize,
    wrong: usize,
}

impl Count {
    fn add(&mut self, finding: &Finding, truth: Option<&str>) {
        self.all += 1;
        self.sure += usize::from(finding.is_sure() && finding.value() == truth);
        self.wrong += usize::from(finding.is_sure() && finding.value() != truth);
    }
}

/// Prints every figure of the two fields.
pub fn measure(now: &Now, shows: bool) {
    for held_back in [false, true] {
        for field in fields(held_back) {
            of_field(&field, held_back, now, shows);
        }
    }
}

fn of_field(field: &Field, held_back: bool, now: &Now, shows: bool) {
    let read = |facet: &Facet, name: &str| facet.read(name, std::iter::empty(), None, now);
    println!("{}{}", field.name, if held_back { ", held back" } else { "" });
    let (mut answers, mut doubts, mut plain) = (Count::default(), 0, 0);
    let mut forms: Vec<Count> = FORMS.iter().map(|_| Count::default()).collect();
    for (form, truth) in truths(field, 4_200) {
        let found = [
            read(&field.facet, &truth.name),
            read(&field.kinds, &truth.name),
            read(&field.year, &truth.name),
        ];
        answers.add(&found[0], Some(&truth.client));
        answers.add(&found[1], Some(&truth.kind));
        forms[form].add(&found[2], Some(&truth.year));
        if shows {
            for (finding, wanted) in found.iter().zip([&truth.client, &truth.kind, &truth.year]) {
                if !finding.is_sure() || finding.value() != Some(wanted) {
                    println!(
                        "  {:?} {:?} {:?} {:?}",
                        truth.is_plain,
                        truth.name,
                        finding.value(),
                        finding.doubt("it")
                    );
                }
            }
        }
        plain += usize::from(truth.is_plain);
        doubts += usize::from(truth.is_plain && !found.iter().all(Finding::is_sure));
    }
    let years = forms.iter().fold(Count::default(), |a, b| Count {
        all: a.all + b.all,
        sure: a.sure + b.sure,
        wrong: a.wrong + b.wrong,
    });
    Figure::share("listed answers, right without a doubt", answers.sure, answers.all).at_least(97.0);
    Figure::share("wrong without a doubt, of all", answers.wrong + years.wrong, answers.all + years.all)
        .at_most(0.02);
    Figure::share("plainly named items with a doubt", doubts, plain).at_most(12.0);
    Figure::share("years, right without a doubt", years.sure, years.all).at_least(98.0);
    for ((name, _), count) in FORMS.iter().zip(&forms).filter(|(_, count)| count.sure * 100 < count.all * 98)
    {
        Figure::share(&format!("  of these written as {name}"), count.sure, count.all).at_least(98.0);
    }
    let mut strangers = (0, 0);
    for (name, near) in near() {
        let Some(client) = field.clients.iter().find(|client| client.split(' ').next() == Some(&name)) else {
            continue;
        };
        for stranger in near {
            strangers.1 += 1;
            let text = format!("{} invoice 2030", client.replacen(&name, &stranger, 1));
            let finding = read(&field.facet, &text);
            let is_taken = finding.is_sure();
            strangers.0 += usize::from(is_taken);
            if shows && is_taken {
                println!("  stranger {text:?} {:?}", finding.value());
            }
        }
    }
    if strangers.1 > 0 {
        Figure::share("strangers near an answer, taken without a doubt", strangers.0, strangers.1)
            .at_most(1.0);
    }
}
