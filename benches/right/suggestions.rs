//! Suggestions on made-up trees: learned from what came earlier, asked about what came later.

use jiff::civil::date;
use nine_core::facet::Facets;
use nine_core::item::{Entry, Identity, Item, Kind};
use nine_core::kinds::{ItemType, type_of_name};
use nine_core::moment::{Moment, Now};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::suggest::{Classifier, Examples, Filed, LearningContext, Shelved, Traits, measure, rules};

use crate::Figure;
use crate::filed::{Field, Paper, accountant, builder, household, laboratory, office, school};

struct Papers<'p>(&'p [Paper]);

fn at(day: i64) -> Moment {
    let first = date(2026, 1, 1).at(9, 0, 0, 0).in_tz("UTC").expect("a day").timestamp().as_second();
    Moment::from_unix(first + day * 86_400, 0)
}

impl Shelved for Papers<'_> {
    fn item(&self, reference: u64) -> Option<Item> {
        let paper = self.0.get(reference as usize)?;
        let entry = Entry {
            kind: Kind::File,
            size: 1,
            modified: at(paper.day),
            opened: None,
            born: None,
            changed: at(paper.day),
            identity: Identity([1, reference]),
        };
        let path = ItemPath::new(format!("{}/{}", paper.folder, paper.name))?;
        Some(Item::new(Spot::new("home", path), entry))
    }
}

/// The same as examples.
fn examples(field: &Field) -> Examples {
    let mut examples = Examples::default();
    let home = examples.bookcase("home");
    let mut folders: Vec<&str> = field.papers.iter().map(|paper| paper.folder.as_str()).collect();
    folders.sort_unstable();
    folders.dedup();
    for folder in folders {
        let mut parts = folder.split('/');
        let shelf = parts.next().expect("a shelf");
        let name = NameBuf::new(shelf).expect("a name");
        let number = shelf.as_bytes()[0] - b'0';
        let mut here = examples
            .shelf("home", shelf.as_bytes())
            .unwrap_or_else(|| examples.add_shelf(home, number, name));
        for part in parts {
            let name = NameBuf::new(part).expect("a name");
            here = examples
                .folder_in(here, part.as_bytes())
                .unwrap_or_else(|| examples.add_folder(here, name.as_name()));
        }
    }
    for (reference, paper) in field.papers.iter().enumerate() {
        let folder = Spot::new("home", ItemPath::new(&paper.folder).expect("a path"));
        let folder = examples.folder_at(&folder).expect("a folder that was added");
        let traits = Traits {
            name: paper.name.as_bytes(),
            is_folder: false,
            item_type: type_of_name(paper.name.as_bytes()).unwrap_or(ItemType::Unknown),
            tags: &[],
            said: None,
        };
        let reference = reference as u64;
        examples.add(
            &traits,
            Filed { folder, own: None, at: at(paper.day), modified: at(paper.day), weight: 1, reference },
        );
    }
    examples
}

/// Learning from 100,000 papers, and 1,000 questions.
pub fn times(now: &Now) {
    let facets = Facets::default();
    let mut papers = Vec::new();
    for seed in 0..28 {
        let own = accountant(seed).papers.into_iter();
        papers.extend(
            own.map(|paper| Paper { folder: format!("1 Clients/Office {seed}/{}", paper.folder), ..paper }),
        );
    }
    papers.truncate(100_000);
    let field = Field { name: "large", is_rule_like: false, papers };
    let papers = Papers(&field.papers);
    let known = LearningContext { facets: &facets, now, shelved: &papers };
    let begun = std::time::Instant::now();
    let examples = examples(&field);
    println!("{} examples read in {:?}", examples.count(), begun.elapsed());
    let begun = std::time::Instant::now();
    let learned = Classifier::of(examples, &known, None);
    println!("{} destinations learned in {:?}", learned.destinations(), begun.elapsed());
    let begun = std::time::Instant::now();
    let reasons = learned.reasons();
    let mut said = 0;
    for paper in field.papers.iter().step_by(100) {
        let traits = Traits {
            name: paper.name.as_bytes(),
            is_folder: false,
            item_type: ItemType::Document,
            tags: &[],
            said: None,
        };
        let item = papers.item(0).expect("an item");
        let found = learned.suggest(&traits, &item, &known);
        said += found.first().map_or(0, |first| reasons.of(&traits, first).len());
    }
    println!("1,000 asked with {said} reasons in {:?}", begun.elapsed());
    let begun = std::time::Instant::now();
    println!("{} rules in {:?}", rules(&learned, &known, &Default::default()).len(), begun.elapsed());
}

pub fn figures(now: &Now, shows: bool) {
    println!("Suggestions, asked about what came later than what was learned");
    let facets = Facets::default();
    for field in [accountant(7), household(11), school(13), laboratory(17), builder(19), office(23)] {
        let papers = Papers(&field.papers);
        let known = LearningContext { facets: &facets, now, shelved: &papers };
        let examples = examples(&field);
        let found = measure(&examples, &known);
        println!("{}, {} papers", field.name, field.papers.len());
        Figure::share("first destination right where it speaks", found.right, found.spoke).at_least(85.0);
        Figure::share("one of three right where it speaks", found.in_three, found.spoke).at_least(85.0);
        Figure::share("it speaks", found.spoke, found.asked).at_least(70.0);
        let sure = found.table.last().copied().unwrap_or_default();
        Figure::share("right of what is called 90 % or more", sure.right, sure.number).at_least(85.0);
        for line in found.table.iter().filter(|line| line.number > 0 && shows) {
            let (said, right) = line.shares();
            println!("    from {:>2} %: {:>5} said {said:>3} % right {right:>3} %", line.from, line.number);
        }
        println!("  {:<52} {:>7}", "asked for folders that held nothing yet", found.new_folder);
        let learned = Classifier::of(examples, &known, None);
        let rules = rules(&learned, &known, &Default::default());
        let three: usize = rules.iter().take(3).map(|rule| rule.tally.right).sum();
        if field.is_rule_like {
            Figure::share("put right by three rules", three, field.papers.len()).at_least(50.0);
        }
        if shows {
            learned.patterns().iter().for_each(|pattern| println!("    {pattern}"));
            for rule in rules {
                println!("    {} -> {}  {:?}", rule.when, rule.put, rule.tally);
            }
        }
    }
}
