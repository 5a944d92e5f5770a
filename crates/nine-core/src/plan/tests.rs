use std::collections::{HashMap, HashSet};

use jiff::tz::TimeZone;

use super::Left;
use super::tidy::{Pass, Proposed, propose};
use super::*;
use crate::config::{Config, parse};
use crate::item::{Entry, Identity};
use crate::kinds::recognise;
use crate::moment::Now;
use crate::shelving::Shelving;
use crate::tree::{Batch, FolderNo, Gathering, Tree};
use crate::worklist::{Act, ClashAnswer, FolderFacts, NameRules, NamesThere, Step, Worklist};

pub(super) const HEAD: &str = r#"
[pile.downloads]
at = "/d"
[bookcase.home]
at = "/s"
shelves = ["Exhibitions", "Loans", "Grants"]
"#;

pub(super) fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

pub(super) fn entry(kind: Kind, modified: &str, identity: u64) -> Entry {
    let modified = Now::parse(modified, &TimeZone::UTC).unwrap().moment();
    Entry {
        kind,
        size: 100,
        modified,
        opened: None,
        born: None,
        changed: Moment(0),
        identity: Identity([1, identity]),
    }
}

/// A tree of these paths, all of one age; a path that ends in `/` is a folder.
pub(super) fn tree(paths: &[&str], modified: &str) -> Tree {
    let mut gathering = Gathering::new(entry(Kind::Folder, modified, 0));
    fill(&mut gathering, FolderNo::ROOT, paths, modified);
    gathering.finish()
}

fn fill(gathering: &mut Gathering, folder: FolderNo, paths: &[&str], modified: &str) {
    let mut names: Vec<(&str, Kind)> = Vec::new();
    for path in paths {
        let (name, kind) = path.split_once('/').map_or((*path, Kind::File), |(name, _)| (name, Kind::Folder));
        if !names.contains(&(name, kind)) {
            names.push((name, kind));
        }
    }
    let mut batch = Batch::default();
    for (at, (name, kind)) in names.iter().enumerate() {
        batch.push(Name::new(name.as_bytes()).unwrap(), entry(*kind, modified, at as u64 + 1));
    }
    batch.sort();
    let folders: Vec<String> =
        batch.folders().map(|name| String::from_utf8(name.to_vec()).unwrap()).collect();
    let first = gathering.add(folder, &batch);
    for (number, name) in (0..).zip(folders) {
        let inner: Vec<&str> = paths
            .iter()
            .filter_map(|p| p.strip_prefix(name.as_str())?.strip_prefix('/'))
            .filter(|p| !p.is_empty())
            .collect();
        fill(gathering, first.plus(number), &inner, modified);
    }
}

#[derive(Default)]
pub(super) struct Known {
    tags: HashMap<&'static str, Vec<&'static str>>,
    contents: HashMap<&'static str, &'static [u8]>,
}

impl Details for Known {
    fn tags(&self, _: NodeId, path: &ItemPath) -> Vec<String> {
        let tags = self.tags.get(path.to_text().as_str());
        tags.into_iter().flatten().map(|tag| (*tag).to_owned()).collect()
    }

    fn note_tags(&self, _: NodeId, _: &ItemPath) -> Vec<String> {
        Vec::new()
    }

    fn content(&self, _: NodeId, path: &ItemPath) -> Option<Content> {
        self.contents.get(path.to_text().as_str()).map(|bytes| recognise(bytes))
    }

    fn text(&self, _: NodeId) -> Option<String> {
        Some("a loan of the Petrel".into())
    }

    fn is_broken(&self, _: &ItemPath) -> bool {
        false
    }

    fn is_relative_link(&self, _: &ItemPath) -> bool {
        false
    }
}

fn proposed(rules: &str, paths: &[&str], known: &Known) -> Proposed {
    proposed_of(rules, &tree(paths, "2030-12-24T10:00"), known)
}

pub(super) fn proposed_of(rules: &str, tree: &Tree, known: &Known) -> Proposed {
    let config: Config = parse(&format!("{HEAD}{rules}")).unwrap();
    let shelvings = vec![Shelving::new(&config.bookcases[0], [Name::constant("2 Borrowed")].into_iter())];
    let pass = Pass {
        config: &config,
        shelvings: &shelvings,
        places: &|_| false,
        now: &now(),
        details: known,
        in_use: &HashSet::new(),
        counts_rules: false,
    };
    propose(&pass, &config.piles[0], tree)
}

fn planned(rules: &str, paths: &[&str], standing: &NamesThere) -> Worklist {
    settle(&proposed(rules, paths, &Known::default()).proposals, standing).worklist
}

fn shown(worklist: &Worklist) -> Vec<String> {
    let line = |step: &Step| match &step.act {
        Act::Move { to } => format!("{} -> {to}", step.item.path),
        act => format!("{} {}", act.word(), step.item),
    };
    worklist.steps.iter().map(line).collect()
}

/// What stands in folders, given as whole spots.
fn standing(spots: &[&str]) -> NamesThere {
    let rules = NameRules { folds: false, longest: 255, strict: false, refused: b"" };
    let mut standing = NamesThere::default();
    for (at, text) in spots.iter().enumerate() {
        let spot = Spot::parse(text).unwrap();
        let facts = standing.entry(spot.folder()).or_insert_with(|| FolderFacts {
            rules,
            names: Default::default(),
            blocked: None,
            domain: 1,
            free: None,
        });
        let name = NameBuf::from(spot.path.last().unwrap());
        facts.names.insert(name.to_vec(), (name, entry(Kind::File, "2029-01-01T00:00", 900 + at as u64)));
    }
    standing
}

#[test]
fn what_comes_to_one_name_is_numbered_behind_what_stands_there() {
    let rules = r#"
[[rule]]
when = "ext jpg"
rename = "Slipway {modified:year} {counter:2}{ext}"
put = "2/{stem:initial}"
[[rule]]
when = "ext txt"
rename = "Note {counter}{ext}"
"#;
    let there = standing(&["home/2 Borrowed/S/Slipway 2030 02.jpg", "downloads/Note 7.txt"]);
    let paths = ["a.jpg", "b.jpg", "c.JPG", "Note 7.txt", "z.txt"];
    assert_eq!(
        shown(&planned(rules, &paths, &there)),
        [
            "a.jpg -> home/2 Borrowed/A/Slipway 2030 01.jpg",
            "b.jpg -> home/2 Borrowed/B/Slipway 2030 01.jpg",
            "c.JPG -> home/2 Borrowed/C/Slipway 2030 01.JPG",
            "z.txt -> downloads/Note 1.txt",
        ]
    );
    let one_folder = rules.replace("/{stem:initial}", "/S");
    assert_eq!(
        shown(&planned(&one_folder, &["a.jpg", "b.jpg", "c.jpg"], &there)),
        [
            "a.jpg -> home/2 Borrowed/S/Slipway 2030 01.jpg",
            "b.jpg -> home/2 Borrowed/S/Slipway 2030 03.jpg",
            "c.jpg -> home/2 Borrowed/S/Slipway 2030 04.jpg",
        ]
    );
}

#[test]
fn the_first_rule_that_files_ends_it_and_tags_and_names_add_up() {
    let rules = r#"
[[rule]]
name = "mark"
when = "name has loan"
tag = ["loans", "new"]
[[rule]]
name = "clean"
when = "type document"
rename = "{stem:tidy}"
[[rule]]
name = "file"
when = "type document"
rename = "{modified:year} {stem}"
put = "2/{type}"
[[rule]]
name = "never reached"
when = "file"
put = "3"
"#;
    let worklist = planned(rules, &["copy of loan_list.pdf", "photo.jpg"], &NamesThere::default());
    assert_eq!(
        shown(&worklist),
        [
            "tag downloads/copy of loan_list.pdf",
            "copy of loan_list.pdf -> home/2 Borrowed/document/2030 Loan list.pdf",
            "photo.jpg -> home/3 Grants/photo.jpg",
        ]
    );
    assert_eq!(&*worklist.steps[1].why, "mark, clean, file");
    assert_eq!(worklist.steps[0].act, Act::Tag { from: vec![], to: vec!["loans".into(), "new".into()] });
}

#[test]
fn loose_rules_take_folders_as_wholes_and_deep_ones_reach_inside() {
    let paths = ["a.pdf", "letters/b.pdf", "letters/c.txt", "repo/.git/x", "repo/d.pdf", "old letters/e.pdf"];
    let rules = "[[rule]]\nwhen = \"type folder and name has old\"\nput = \"3\"\n[[rule]]\nwhen = \"type document\"\nput = \"2\"\n";
    assert_eq!(
        shown(&planned(rules, &paths, &NamesThere::default())),
        ["a.pdf -> home/2 Borrowed/a.pdf", "old letters -> home/3 Grants/old letters"]
    );
    let deep = rules.replace("when = \"type document\"", "reach = \"deep\"\nwhen = \"type document\"");
    assert_eq!(
        shown(&planned(&deep, &paths, &NamesThere::default())),
        [
            "a.pdf -> home/2 Borrowed/a.pdf",
            "letters/b.pdf -> home/2 Borrowed/b.pdf",
            "old letters -> home/3 Grants/old letters",
        ]
    );
}

#[test]
fn hidden_settling_and_unfiled_items_are_left_and_counted() {
    let rule = "[[rule]]\nwhen = \"type document\"\nput = \"2\"\n";
    let out = proposed(rule, &[".secret.pdf", "a.pdf", "b.qqq", "c.qqq"], &Known::default());
    assert_eq!((out.left[&Left::Hidden], out.left[&Left::NoRule], out.looked_at), (1, 2, 4));
    let asks = proposed(
        &rule.replace("type document", "type document and hidden"),
        &[".secret.pdf"],
        &Known::default(),
    );
    assert_eq!(asks.proposals.len(), 1);

    let any = "[[rule]]\nwhen = \"file\"\nput = \"2\"\n";
    let partial = proposed(any, &["film.mp4.part"], &Known::default());
    assert_eq!((partial.left[&Left::Unfinished], partial.proposals.len()), (1, 0));
    let asked = proposed(&any.replace("file", "unfinished"), &["film.mp4.part"], &Known::default());
    assert_eq!(asked.proposals.len(), 1);

    let config = parse(&format!("{HEAD}{rule}")).unwrap();
    let shelvings = vec![Shelving::new(&config.bookcases[0], std::iter::empty())];
    let known = Known::default();
    let pass = Pass {
        config: &config,
        shelvings: &shelvings,
        places: &|_| false,
        now: &now(),
        details: &known,
        in_use: &HashSet::new(),
        counts_rules: false,
    };
    let fresh = propose(&pass, &config.piles[0], &tree(&["a.pdf", "f/b.pdf"], "2031-04-07T08:55"));
    assert_eq!((fresh.left[&Left::Settling], fresh.proposals.len()), (2, 0));
    let ahead = propose(&pass, &config.piles[0], &tree(&["a.pdf"], "2035-01-01T00:00"));
    assert_eq!(ahead.proposals.len(), 1);
}

#[test]
fn loose_items_are_judged_by_content() {
    let mut known = Known::default();
    known.contents.insert("statement.pdf", b"<html>expired");
    known.contents.insert("deep/statement.pdf", b"<html>expired");
    let rule = "[[rule]]\nreach = \"deep\"\nwhen = \"type document\"\nput = \"2\"\n";
    let out = proposed(rule, &["statement.pdf", "deep/statement.pdf"], &known);
    let items: Vec<String> = out.proposals.iter().map(|p| p.item.to_string()).collect();
    assert_eq!(items, ["downloads/deep/statement.pdf"]);
}

#[test]
fn an_unknown_value_is_a_doubt_and_no_later_rule_files_the_item() {
    let rules = "[[rule]]\nname = \"by arrival\"\nwhen = \"file\"\nput = \"2/{arrived:year}\"\n[[rule]]\nwhen = \"file\"\nput = \"3\"\n";
    let worklist = planned(rules, &["a.pdf"], &NamesThere::default());
    assert_eq!(shown(&worklist), ["leave downloads/a.pdf"]);
    let words = worklist.steps[0].doubts[0].words(&now());
    assert_eq!(words, "when it arrived is not known, and the rule `by arrival` needs it");
}

#[test]
fn clashes_are_numbered_left_held_or_replaced() {
    let there =
        standing(&["home/2 Borrowed/a.pdf", "home/2 Borrowed/a (2).pdf", "home/2 Borrowed/Held/a.pdf"]);
    let with = |clash: &str| {
        let rules = format!("[[rule]]\nwhen = \"type document\"\nput = \"2\"\nclash = \"{clash}\"\n");
        planned(&rules, &["a.pdf"], &there)
    };
    assert_eq!(shown(&with("number")), ["a.pdf -> home/2 Borrowed/a (3).pdf"]);
    assert_eq!(shown(&with("leave")), ["leave downloads/a.pdf"]);
    assert_eq!(shown(&with("hold")), ["a.pdf -> home/2 Borrowed/Held/a (2).pdf"]);
    assert_eq!(shown(&with("replace")), ["discard home/2 Borrowed/a.pdf", "a.pdf -> home/2 Borrowed/a.pdf"]);
    let doubt = &with("number").steps[0].doubts[0];
    assert!(matches!(doubt, Doubt::Clash { answer: ClashAnswer::Numbered, theirs: Some(_), .. }));
    assert_eq!(doubt.words(&now()), "`a.pdf` is there (100 B, 2029-01-01): numbered");
}

#[test]
fn two_items_that_come_to_one_name_are_told_apart() {
    let rules = "[[rule]]\nwhen = \"type document\"\nrename = \"plan\"\nput = \"2\"\nclash = \"replace\"\n";
    let worklist = planned(rules, &["a.pdf", "b.pdf"], &NamesThere::default());
    assert_eq!(shown(&worklist), ["a.pdf -> home/2 Borrowed/plan.pdf", "leave downloads/b.pdf"]);
}

#[test]
fn sets_stay_together() {
    let rules = "[[rule]]\nwhen = \"type image\"\nrename = \"{modified:year} {stem}\"\nput = \"1\"\n[[rule]]\nwhen = \"ext html\"\nrename = \"x\"\nput = \"2\"\n";
    let there = standing(&["home/1 Exhibitions/2030 gull.jpg.xmp", "home/2 Borrowed/tide_files"]);
    let worklist = planned(
        rules,
        &["gull.jpg", "gull.jpg.xmp", "tern.jpg", "tern.xmp", "tide.html", "tide_files/a.css"],
        &there,
    );
    assert_eq!(
        shown(&worklist),
        [
            "gull.jpg -> home/1 Exhibitions/2030 gull (2).jpg",
            "gull.jpg.xmp -> home/1 Exhibitions/2030 gull (2).jpg.xmp",
            "tern.jpg -> home/1 Exhibitions/2030 tern.jpg",
            "tern.xmp -> home/1 Exhibitions/2030 tern.xmp",
            "leave downloads/tide.html",
        ]
    );
    assert_eq!(worklist.steps[0].together, worklist.steps[1].together);
    assert_ne!(worklist.steps[0].together, worklist.steps[2].together);
    assert!(worklist.steps[4].doubts.contains(&Doubt::PageKeepsName));
}

#[test]
fn a_shelf_number_that_two_folders_carry_is_a_doubt() {
    let config = parse(&format!("{HEAD}[[rule]]\nwhen = \"file\"\nput = \"2\"\n")).unwrap();
    let folders = ["2 a", "2 b"].map(Name::constant);
    let shelvings = vec![Shelving::new(&config.bookcases[0], folders.into_iter())];
    let known = Known::default();
    let pass = Pass {
        config: &config,
        shelvings: &shelvings,
        places: &|_| false,
        now: &now(),
        details: &known,
        in_use: &HashSet::new(),
        counts_rules: false,
    };
    let out = propose(&pass, &config.piles[0], &tree(&["a.pdf"], "2030-01-01T00:00"));
    assert!(matches!(out.proposals[0].doubts[0], Doubt::ShelfTwice { number: 2, .. }));
    assert!(
        settle(&out.proposals, &NamesThere::default())
            .worklist
            .steps
            .iter()
            .all(|step| step.act == Act::Leave)
    );
}

#[test]
fn a_rename_alone_stays_in_its_folder_and_settles_down() {
    let rules = "[[rule]]\nreach = \"deep\"\nwhen = \"type document\"\nrename = \"{stem:tidy}\"\n";
    let worklist = planned(rules, &["Plan.pdf", "letters/copy of b.pdf"], &NamesThere::default());
    assert_eq!(shown(&worklist), ["letters/copy of b.pdf -> downloads/letters/B.pdf"]);
}

#[test]
fn folders_nested_deeper_than_the_stack_are_walked() {
    let mut gathering = Gathering::new(entry(Kind::Folder, "2030-01-01T00:00", 0));
    let mut here = FolderNo::ROOT;
    for _ in 0..3_000 {
        let mut batch = Batch::default();
        batch.push(Name::constant("d"), entry(Kind::Folder, "2030-01-01T00:00", 1));
        here = gathering.add(here, &batch);
    }
    let mut last = Batch::default();
    last.push(Name::constant("a.pdf"), entry(Kind::File, "2030-01-01T00:00", 2));
    gathering.add(here, &last);
    let tree = gathering.finish();
    let config = parse(&format!("{HEAD}[[rule]]\nreach = \"deep\"\nwhen = \"file\"\nput = \"2\"\n")).unwrap();
    let shelvings = vec![Shelving::new(&config.bookcases[0], std::iter::empty())];
    let known = Known::default();
    let now = now();
    let nowhere = |_: &ItemPath| false;
    let walked = std::thread::Builder::new().stack_size(256 * 1024);
    std::thread::scope(|scope| {
        let plan = || {
            let pass = Pass {
                config: &config,
                shelvings: &shelvings,
                places: &nowhere,
                now: &now,
                details: &known,
                in_use: &HashSet::new(),
                counts_rules: false,
            };
            propose(&pass, &config.piles[0], &tree).proposals.len()
        };
        let out = walked.spawn_scoped(scope, plan);
        assert_eq!(out.unwrap().join().unwrap(), 1);
    });
}

#[test]
fn names_that_differ_in_case_only_are_a_doubt() {
    let rules = "[[rule]]\nwhen = \"file\"\nput = \"2\"\nreach = \"deep\"\n";
    let steps = planned(rules, &["Straße.txt", "a/STRASSE.txt", "b.txt"], &NamesThere::default()).steps;
    let doubts: Vec<usize> = steps.iter().map(|step| step.doubts.len()).collect();
    assert_eq!(doubts.iter().sum::<usize>(), 1, "{steps:?}");
    let doubt = steps.iter().flat_map(|step| &step.doubts).next().unwrap();
    assert!(doubt.words(&now()).contains("only letter case tells it from"), "{doubt:?}");
}

#[test]
fn a_folder_that_cannot_be_filed_hides_nothing_from_deep_rules() {
    let rules = "[facet.lender]\nvalues = [\"Harrow\"]\n\
        [[rule]]\nname = \"boxes\"\nwhen = \"type folder\"\nput = \"2/{lender}\"\n\
        [[rule]]\nname = \"papers\"\nwhen = \"ext pdf\"\nreach = \"deep\"\nput = \"3\"\n";
    let worklist = planned(rules, &["box/a.pdf", "harrow/b.pdf"], &NamesThere::default());
    let shown = shown(&worklist);
    assert!(shown.contains(&"box/a.pdf -> home/3 Grants/a.pdf".to_owned()), "{shown:?}");
    assert!(shown.contains(&"harrow -> home/2 Borrowed/Harrow/harrow".to_owned()), "{shown:?}");
    assert!(!shown.iter().any(|step| step.contains("b.pdf")), "{shown:?}");
}
