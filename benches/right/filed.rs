//! Made-up trees of filed papers, each field with habits of its own: what the folders are named by, how much of that
//! stands in the names of files, how often a name says nothing, and folders that come and go with time.

use crate::chance::Chance;
use crate::facets::{SITES, SURNAMES};

/// A paper that was filed.
pub struct Paper {
    /// Its folder, the shelf first.
    pub folder: String,
    pub name: String,
    /// Days after the first of January 2026.
    pub day: i64,
}

/// A field, and its papers in the order in which they came.
pub struct Field {
    pub name: &'static str,
    /// Whether a few rules say most of it.
    pub is_rule_like: bool,
    pub papers: Vec<Paper>,
}

const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "June", "July", "Aug", "Sept", "Oct", "Nov", "Dec"];

struct Maker {
    chance: Chance,
    papers: Vec<Paper>,
    number: usize,
}

impl Maker {
    fn new(seed: u64) -> Self {
        Self { chance: Chance(seed), papers: Vec::new(), number: 100 }
    }

    fn of<'t, T: ?Sized>(&mut self, all: &[&'t T]) -> &'t T {
        all[self.chance.below(all.len())]
    }

    fn is(&mut self, percent: usize) -> bool {
        self.chance.below(100) < percent
    }

    /// A number of `0..most`, small ones far oftener.
    fn skewed(&mut self, most: usize) -> usize {
        let a = self.chance.below(most);
        a.min(self.chance.below(most)).min(self.chance.below(most))
    }

    fn next(&mut self) -> usize {
        self.number += 1 + self.chance.below(3);
        self.number
    }

    /// A name that says nothing.
    fn mute(&mut self, ext: &str) -> String {
        let number = self.next();
        match self.chance.below(4) {
            0 => format!("scan{number:04}.{ext}"),
            1 => format!("Document ({}).{ext}", self.chance.below(9) + 1),
            2 => format!("{number}.{ext}"),
            _ => format!("Untitled {}.{ext}", self.chance.below(40)),
        }
    }

    /// A word as somebody in a hurry types it.
    fn typed(&mut self, word: &str) -> String {
        let mut letters: Vec<char> = word.chars().collect();
        if self.is(6) && letters.len() > 4 {
            let at = 1 + self.chance.below(letters.len() - 2);
            letters.swap(at, at - 1);
        }
        let word: String = letters.into_iter().collect();
        match self.chance.below(4) {
            0 => word.to_lowercase(),
            1 => word.to_lowercase().replace(' ', "_"),
            _ => word,
        }
    }

    fn file(&mut self, day: i64, folder: String, name: String) {
        self.papers.push(Paper { folder, name, day });
    }

    fn end(self, name: &'static str, is_rule_like: bool) -> Field {
        Field { name, is_rule_like, papers: self.papers }
    }
}

fn surnames(from: usize, count: usize) -> Vec<String> {
    let capital = |name: &str| name[..1].to_uppercase() + &name[1..];
    SURNAMES.lines().skip(from).take(count).filter_map(|line| line.split('\t').next()).map(capital).collect()
}

fn year(day: i64) -> i64 {
    2026 + day / 365
}

fn month(day: i64) -> &'static str {
    MONTHS[(day % 365 / 31).min(11) as usize]
}

/// An accountant: a folder a client, in it a folder a year; own books by kind and year.
pub fn accountant(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    let clients = surnames(3, 45);
    let kinds = ["annual accounts", "bank statement", "VAT return", "payroll summary", "engagement letter"];
    for day in 0..1800 {
        for _ in 0..make.chance.below(5) {
            let client = clients[make.skewed(clients.len())].clone();
            let (year, month) = (year(day), month(day));
            match make.chance.below(10) {
                0 | 1 => {
                    let number = make.next();
                    let kind = make.of(&["Invoices", "Bank", "Rent"]);
                    let word = match kind {
                        "Invoices" => format!("Invoice {number} to {client}"),
                        "Bank" => format!("statement {month} {year} office account"),
                        _ => format!("rent {month} {year} Quay Street"),
                    };
                    make.file(day, format!("3 Own books/{kind}/{year}"), make_name(&word, "pdf"));
                }
                2 => {
                    let kind = make.of(&kinds);
                    make.file(
                        day,
                        "4 Templates".into(),
                        format!("template {kind} v{}.docx", make.chance.0 % 7),
                    );
                }
                _ if make.is(12) => {
                    let name = make.mute("pdf");
                    make.file(day, format!("1 Clients/{client}/{year}"), name);
                }
                _ => {
                    let kind = make.of(&kinds);
                    let (client_typed, kind) = (make.typed(&client), make.typed(kind));
                    let name = match make.chance.below(3) {
                        0 => format!("{client_typed} {kind} {month} {year}.pdf"),
                        1 => format!("{kind} - {client_typed} {year}.pdf"),
                        _ => format!("{year}-{:02} {client_typed} {kind}.xlsx", day % 365 / 31 + 1),
                    };
                    make.file(day, format!("1 Clients/{client}/{year}"), name);
                }
            }
        }
    }
    make.end("accountant", false)
}

fn make_name(words: &str, ext: &str) -> String {
    format!("{words}.{ext}")
}

/// A household: by kind, with the bank, the person or the thing below; pictures by year.
pub fn household(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    let people = ["Anna", "Jonas", "Mira", "Opa Karl"];
    for day in 0..1800 {
        for _ in 0..make.chance.below(4) {
            let (year, month) = (year(day), month(day));
            let number = make.next();
            let person = make.of(&people);
            let ext = make.of(&["pdf", "pdf", "jpg"]);
            match make.chance.below(12) {
                0..=2 => {
                    let bank = make.of(&["Hafenbank", "Sparkasse Nord", "Postkonto"]);
                    let name =
                        format!("Kontoauszug {} {year}-{:02}.pdf", make.typed(bank), day % 365 / 31 + 1);
                    make.file(day, format!("3 Money/{bank}/{year}"), name);
                }
                3..=5 => {
                    let name =
                        format!("IMG_{year}{:02}{:02}_{:06}.jpg", day % 365 / 31 + 1, day % 28 + 1, number);
                    make.file(day, format!("6 Pictures/{year}"), name);
                }
                6 => {
                    let what = make.of(&["Zahnarzt", "Impfung", "Brille", "Labor"]);
                    make.file(
                        day,
                        format!("4 Health/{person}"),
                        format!("{what} {person} {month} {year}.{ext}"),
                    );
                }
                7 => {
                    let what = make.of(&["Hausrat", "Haftpflicht", "Kfz"]);
                    make.file(
                        day,
                        "2 Home/Versicherung".into(),
                        format!("{what} Police {number} {year}.pdf"),
                    );
                }
                8 => {
                    let what = make.of(&["Stromrechnung", "Gasabrechnung", "Wasser Abschlag"]);
                    make.file(day, "2 Home/Energie".into(), format!("{what} {year} {number}.pdf"));
                }
                9 => {
                    let what = make.of(&["Zeugnis", "Elternbrief", "Stundenplan"]);
                    make.file(
                        day,
                        format!("1 People/{person}/Schule"),
                        format!("{what} {person} {year}.pdf"),
                    );
                }
                10 => {
                    let place = make.of(&["Lissabon", "Bornholm", "Tern Quay", "Kreta"]);
                    let what = make.of(&["Flug", "Hotel", "Fähre", "Mietwagen"]);
                    make.file(
                        day,
                        format!("5 Travel/{place}"),
                        format!("{what} {place} Buchung {number}.pdf"),
                    );
                }
                _ => {
                    let name = make.mute(ext);
                    let folder = make.of(&["2 Home/Versicherung", "4 Health/Anna", "3 Money/Hafenbank/Alt"]);
                    make.file(day, folder.to_owned(), name);
                }
            }
        }
    }
    make.end("household", false)
}

/// A school: this year by subject, earlier years below their year; names from the words of each subject.
pub fn school(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    let subjects: [(&str, &[&str]); 6] = [
        (
            "Biology",
            &["cell", "photosynthesis", "enzyme", "osmosis", "genetics", "ecosystem", "mitosis", "heart"],
        ),
        (
            "History",
            &["Tudor", "harbour trade", "steam age", "suffrage", "lifeboat", "treaty", "census", "castle"],
        ),
        ("Maths", &["fractions", "algebra", "angles", "probability", "vectors", "ratio", "graphs", "surds"]),
        ("English", &["sonnet", "essay", "Hamlet", "metaphor", "spelling", "novel", "debate", "poetry"]),
        ("Geography", &["rivers", "coast", "volcano", "climate", "maps", "erosion", "tides", "population"]),
        ("Music", &["choir", "rhythm", "scales", "concert", "score", "harmony", "trumpet", "shanty"]),
    ];
    for day in 0..1500 {
        for _ in 0..make.chance.below(4) {
            let (subject, words) = subjects[make.skewed(subjects.len())];
            let word = make.of(words);
            let word = make.typed(word);
            let kind = make.of(&["worksheet", "slides", "test", "homework", "answers", "plan"]);
            let ext = match kind {
                "slides" => "pptx",
                "plan" => "xlsx",
                _ => "docx",
            };
            let class = format!("{}{}", 7 + make.chance.below(4), make.of(&["a", "b", "c"]));
            let number = make.chance.below(12);
            let name = match make.chance.below(10) {
                0 => make.mute("docx"),
                1..=3 => format!("{word} {kind} {class}.{ext}"),
                4..=6 => format!("{class} {word} {kind} {number}.{ext}"),
                _ => format!("{subject} {word} {kind}.{ext}"),
            };
            let folder = match make.chance.below(9) {
                0 => "4 Forms".to_owned(),
                1 | 2 => format!("3 Material/{subject}"),
                _ => format!("1 This year/{subject}"),
            };
            let name = if folder == "4 Forms" {
                format!(
                    "{} form {class} {}.pdf",
                    make.of(&["trip consent", "absence", "report"]),
                    make.chance.below(90)
                )
            } else if folder.starts_with('3') {
                format!("{subject} {word} reading {number}.pdf")
            } else {
                name
            };
            make.file(day, folder, name);
        }
    }
    make.end("school", false)
}

/// A laboratory whose projects come and go: a folder a project, in use for some months; codes in the names of most.
pub fn laboratory(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    let names = surnames(120, 60);
    for day in 0..1600_i64 {
        for _ in 0..make.chance.below(5) {
            let begun = day / 45;
            let project = (begun - make.skewed(5) as i64).max(0) as usize % 36;
            let title = format!(
                "{} {}",
                ["Algae", "Hull", "Tide", "Rope", "Sonar", "Lamp"][project % 6],
                project / 6 + 1
            );
            let code = format!("{}{:02}", &title[..2].to_uppercase(), project);
            let author = names[make.skewed(names.len())].clone();
            let number = make.next();
            let (folder, name) = match make.chance.below(9) {
                0..=2 => (
                    format!("1 In hand/{title}/Data"),
                    format!("{code}_run{number}_{}.csv", make.of(&["raw", "clean"])),
                ),
                3 | 4 => (
                    format!("1 In hand/{title}/Drafts"),
                    format!("{} {} draft v{}.docx", make.typed(&title), author, make.chance.below(9)),
                ),
                5 => {
                    (format!("1 In hand/{title}/Figures"), format!("{code} fig{}.png", make.chance.below(30)))
                }
                6 => (
                    "3 Reference/Papers".to_owned(),
                    format!(
                        "{author} et al {} {}.pdf",
                        2000 + make.chance.below(30),
                        make.of(&["corrosion", "sensors", "plankton", "materials"])
                    ),
                ),
                7 => (
                    "2 Standing/Orders".to_owned(),
                    format!("order {number} {}.pdf", make.of(&["glassware", "reagents", "cables"])),
                ),
                _ => (format!("1 In hand/{title}/Data"), make.mute("csv")),
            };
            make.file(day, folder, name);
        }
    }
    make.end("laboratory", false)
}

/// A builder: sites with the same folders each, told apart by type as much as by name.
pub fn builder(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    let sites = &SITES[..8];
    for day in 0..1400_i64 {
        for _ in 0..make.chance.below(5) {
            let site = sites[((day / 120) as usize + make.skewed(3)) % sites.len()];
            let typed = make.typed(site);
            let number = make.next();
            let (folder, name) = match make.chance.below(10) {
                0..=2 => (format!("1 Sites/{site}/Photos"), format!("{typed} {number}.jpg")),
                3 | 4 => (
                    format!("1 Sites/{site}/Drawings"),
                    format!(
                        "{typed} {} rev{}.dwg",
                        make.of(&["plan", "section", "roof"]),
                        make.chance.below(9)
                    ),
                ),
                5 | 6 => (
                    format!("1 Sites/{site}/Invoices"),
                    format!("invoice {number} {} {typed}.pdf", make.of(&["timber", "slates", "skip hire"])),
                ),
                7 => (
                    "2 Offers".to_owned(),
                    format!("quote {number} {}.docx", make.of(&["loft", "kitchen", "porch", "wall"])),
                ),
                8 => ("3 Insurance".to_owned(), format!("liability certificate {}.pdf", year(day))),
                _ => (format!("1 Sites/{site}/Photos"), format!("DSC{number:05}.jpg")),
            };
            make.file(day, folder, name);
        }
    }
    make.end("builder", false)
}

/// An office whose order a few rules say, and a fifth that follows none.
pub fn office(seed: u64) -> Field {
    let mut make = Maker::new(seed);
    for day in 0..1500_i64 {
        for _ in 0..make.chance.below(4) {
            let (number, year, month) = (make.next(), year(day), month(day));
            let who = make.of(&["Harrow", "Kittiwake", "Selsey", "Brannock"]);
            let (folder, name) = match make.chance.below(10) {
                0..=2 => {
                    (format!("6 Office/Invoices/{year}"), format!("{} invoice {number}.pdf", make.typed(who)))
                }
                3..=5 => (format!("4 Pictures/{year}"), format!("{who} quay {number}.jpg")),
                6 | 7 => (
                    "2 Minutes".to_owned(),
                    format!("minutes {month} {year} {}.docx", make.of(&["board", "friends"])),
                ),
                8 => (
                    format!("1 Work/{who}"),
                    format!("{who} {} {number}.docx", make.of(&["letter", "report", "plan"])),
                ),
                _ => (
                    format!("1 Work/{}", make.of(&["Harrow", "Kittiwake", "Selsey", "Brannock"])),
                    make.mute("pdf"),
                ),
            };
            make.file(day, folder, name);
        }
    }
    make.end("office", true)
}
