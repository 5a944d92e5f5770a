//! A folder of museum papers with careless names, made by chance from a fixed seed: partners
//! misspelled, words swapped and doubled, months for years, copy marks. What each paper truly is, the
//! maker knows; it is written beside the folder, and nothing but tests reads it.

use fastrand::Rng;
use nine_core::facet::MONTHS;

/// A paper of the sample world.
pub struct Paper {
    /// Where it lies below the folder of papers.
    pub at: String,
    /// What kind of file it is.
    pub is: &'static str,
    /// How many days old it is.
    pub days: u32,
    /// What it says.
    pub text: String,
    /// What it truly is: lender, paper, season.
    pub truth: [&'static str; 3],
}

const SEED: u64 = 1884;
/// How many papers there are.
const MANY: usize = 160;

const LENDERS: [&str; 7] = [
    "Harrow Dock Trust",
    "Kittiwake Society",
    "Lantern Row Archive",
    "Guild of Sailmakers",
    "Marram Coast Museum",
    "St Brannock's Boatyard",
    "Pellow Family Collection",
];

/// Kinds of paper, with what people call them.
const PAPERS: [(&str, &[&str]); 6] = [
    ("condition report", &["condition report", "report on condition", "condition", "damage report"]),
    ("loan agreement", &["loan agreement", "agreement", "loan contract", "agreement for loan"]),
    ("loan request", &["loan request", "request for loan", "request"]),
    ("receipt", &["receipt", "receipt of return", "receipt for loan"]),
    ("insurance certificate", &["insurance certificate", "insurance", "cover note"]),
    ("letter", &["letter", "letter re"]),
];

const SEASONS: [(&str, i32); 4] =
    [("2027-28", 2027), ("2028-29", 2028), ("2029-30", 2029), ("2030-31", 2030)];

const OBJECTS: [&str; 14] = [
    "half model",
    "sextant",
    "log book",
    "stern lamp",
    "sailmakers bench",
    "ship's bell",
    "oar",
    "figurehead",
    "tide clock",
    "chart 12",
    "signal flags",
    "rigging knife",
    "box 3",
    "crate 7",
];

/// Makes the papers.
pub fn papers() -> Vec<Paper> {
    let mut rng = Rng::with_seed(SEED);
    let mut papers: Vec<Paper> = Vec::new();
    while papers.len() < MANY {
        let paper = paper(&mut rng, papers.len());
        // Names that differ in nothing but letter case would be one elsewhere.
        if papers.iter().all(|other| other.at.to_lowercase() != paper.at.to_lowercase()) {
            papers.push(paper);
        }
        if let Some(copy) = papers.last().filter(|_| rng.u8(..) < 6).map(copied) {
            papers.push(copy);
        }
    }
    papers
}

fn paper(rng: &mut Rng, number: usize) -> Paper {
    let lender = LENDERS[rng.usize(..LENDERS.len())];
    let (paper, called) = PAPERS[rng.usize(..PAPERS.len())];
    let (season, year) = SEASONS[rng.usize(..SEASONS.len())];
    let (folder, in_folder) = folder(rng, lender, season);
    let mut parts = Vec::new();
    if in_folder != Some(lender) {
        parts.push(careless_lender(rng, lender));
    }
    let called = called[rng.usize(..called.len())];
    parts.push(careless(rng, called));
    if in_folder != Some(season) {
        parts.extend(date(rng, year));
    } else if rng.bool() {
        parts.push(month(rng));
    }
    if rng.u8(..10) < 4 {
        parts.push(OBJECTS[rng.usize(..OBJECTS.len())].to_owned());
    }
    if rng.u8(..10) < 7 {
        rng.shuffle(&mut parts);
    }
    if rng.u8(..100) < 8 {
        let doubled = parts[rng.usize(..parts.len())].clone();
        parts.push(doubled);
    }
    let joined = parts.join(SIGNS[rng.usize(..SIGNS.len())]);
    let cased = in_case(rng, &joined);
    let stem = marked(rng, &cased);
    let (is, ext) = KINDS[rng.usize(..KINDS.len())];
    Paper {
        at: format!("{folder}{stem}.{ext}"),
        is,
        days: rng.u32(20..1300),
        text: if is == "jpeg" { "210x297".into() } else { format!("Paper {number} of the loans office.") },
        truth: [lender, paper, season],
    }
}

/// The same paper come twice, as downloads do.
fn copied(paper: &Paper) -> Paper {
    let (stem, ext) = paper.at.rsplit_once('.').unwrap_or((&paper.at, ""));
    Paper { at: format!("{stem} (1).{ext}"), text: paper.text.clone(), ..*paper }
}

const SIGNS: [&str; 6] = [" ", " ", " ", "_", " - ", "-"];

const KINDS: [(&str, &str); 6] =
    [("pdf", "pdf"), ("pdf", "pdf"), ("pdf", "PDF"), ("docx", "docx"), ("odt", "odt"), ("jpeg", "jpg")];

/// Some papers lie in folders that say a part of it.
fn folder(rng: &mut Rng, lender: &'static str, season: &'static str) -> (String, Option<&'static str>) {
    match rng.u8(..20) {
        0 => (format!("{lender}/"), Some(lender)),
        1 => (format!("season {season}/"), Some(season)),
        2 => ("scans/".into(), None),
        _ => (String::new(), None),
    }
}

fn careless_lender(rng: &mut Rng, lender: &str) -> String {
    let words: Vec<&str> = lender.split(' ').collect();
    match rng.u8(..12) {
        0 | 1 => lender.to_owned(),
        2 => words.iter().filter_map(|word| word.chars().next()).collect::<String>().to_uppercase(),
        3 => words[..words.len() - 1].join(" "),
        4 => words.concat(),
        5 => [&words[1..], &words[..1]].concat().join(" "),
        6 => cut(&words),
        _ => careless(rng, lender),
    }
}

/// The last word cut off in the middle.
fn cut(words: &[&str]) -> String {
    let (last, before) = words.split_last().unwrap_or((&"", &[]));
    let left: String = last.chars().take(4).collect();
    before.iter().copied().chain([left.as_str()]).collect::<Vec<_>>().join(" ")
}

/// A slip or two in the longer words.
fn careless(rng: &mut Rng, text: &str) -> String {
    let slip = |rng: &mut Rng, word: &str| {
        let mut letters: Vec<char> = word.chars().collect();
        let at = rng.usize(1..letters.len() - 1);
        match rng.u8(..4) {
            0 => drop(letters.remove(at)),
            1 => letters.insert(at, letters[at]),
            2 => letters.swap(at, at + 1),
            _ => letters[at] = char::from(b'a' + rng.u8(..26)),
        }
        letters.into_iter().collect::<String>()
    };
    let words = text.split(' ').map(|word| match word.chars().count() >= 5 && rng.u8(..10) < 5 {
        true => slip(rng, word),
        false => word.to_owned(),
    });
    words.collect::<Vec<_>>().join(" ")
}

fn month(rng: &mut Rng) -> String {
    let month = MONTHS[rng.usize(..12)];
    if rng.bool() { month.to_owned() } else { month[..3].to_owned() }
}

/// A date of the season that starts in October of `year`, in one of the forms that people use.
fn date(rng: &mut Rng, year: i32) -> Option<String> {
    let month = rng.i32(0..12);
    let at = if month >= 9 { year } else { year + 1 };
    let (day, name) = (rng.i32(1..29), MONTHS[month as usize]);
    let (short, number) = (at % 100, month + 1);
    Some(match rng.u8(..48) / 2 {
        0..=3 => format!("{year}-{}", (year + 1) % 100),
        4..=6 => format!("{}-{}", year % 100, (year + 1) % 100),
        7 => format!("{year} {}", year + 1),
        8..=10 => format!("{} {short}", &name[..3]),
        11..=12 => format!("{name} {at}"),
        13 => format!("{day} {name} {at}"),
        14..=15 => format!("{at}-{number:02}-{day:02}"),
        16 => format!("{day}.{number}.{short}"),
        17 => format!("{at}{number:02}{day:02}"),
        18 => format!("{number:02}-{at}"),
        19..=20 => format!("{}", year + 1),
        21 => format!("{}", (year + 1) % 100),
        22 => format!("{name} {short}"),
        _ if rng.bool() => name.to_owned(),
        _ => return None,
    })
}

fn in_case(rng: &mut Rng, text: &str) -> String {
    match rng.u8(..8) {
        0 => text.to_uppercase(),
        1..=3 => text.to_lowercase(),
        _ => text.to_owned(),
    }
}

fn marked(rng: &mut Rng, stem: &str) -> String {
    match rng.u8(..12) {
        0 => format!("{stem} (1)"),
        1 => format!("copy of {stem}"),
        2 => format!("{stem} - Copy"),
        3 => format!("{stem} "),
        _ => stem.to_owned(),
    }
}
