//! Papers filed by facts: facets in rules, searches and `why`, and the tags of notes.

use std::collections::BTreeMap;

use crate::support::{World, tags_of};

pub const FACETS: &str = r#"
[facet.lender]
values = { "Harrow Dock Trust" = ["HDT"], "Kittiwake Society" = [] }
spelling = "close"

[facet.season]
from = "year"
starts = "October"

[[rule]]
name = "papers"
when = "type document"
tag = ["loans"]
rename = "{lender} {season} {stem:rest}{ext}"
put = "2/{lender}/{season}"
"#;

fn paper(world: &World, name: &str) {
    world.file(name, &format!("%PDF-1.4 {name}"));
}

#[test]
fn careless_names_are_put_right_and_the_answers_kept_as_tags() {
    let world = World::new();
    world.rules(FACETS);
    paper(&world, "copy of condition report_harow dock trst_30-31 (1).pdf");
    paper(&world, "kittiwake letter.pdf");
    let before = world.picture();
    world
        .nine(&["tidy"])
        .ends(0)
        .says("31 condition report.pdf")
        .says("+season")
        .says("the season is not known; the rule `papers` needs it");
    world.nine(&["tidy", "--yes"]).ends(0);
    let filed = world
        .shelves
        .join("2 Loans/Harrow Dock Trust/2030-31/Harrow Dock Trust 2030-31 condition report.pdf");
    assert_eq!(tags_of(&filed), "loans,lender/Harrow Dock Trust,season/2030-31");
    assert!(world.at("Downloads/kittiwake letter.pdf").exists());
    // A tag of the person's own wins, whatever the name says.
    world
        .nine(&[
            "tag",
            "add",
            "season/2029-30,lender/Harrow Dock Trust",
            "Downloads/kittiwake letter.pdf",
            "--yes",
        ])
        .ends(0);
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(
        world
            .shelves
            .join("2 Loans/Harrow Dock Trust/2029-30/Harrow Dock Trust 2029-30 kittiwake letter.pdf")
            .exists()
    );
    for _ in 0..3 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(world.picture(), before);
}

#[test]
fn searches_and_why_speak_of_facets() {
    let world = World::new();
    world.rules(FACETS);
    for name in ["HDT 30-31.pdf", "harow dock Mar 29.pdf", "kittiwake 31.pdf", "menu.pdf"] {
        paper(&world, name);
    }
    let found = |condition: &[&str]| -> Vec<String> {
        let words = [&["search", "--format", "paths"], condition].concat();
        let out = world.nine(&words).ends(0).out;
        out.lines().map(|line| line.rsplit('/').next().unwrap().to_owned()).collect()
    };
    assert_eq!(found(&["lender", "is", "Harrow Dock Trust"]), ["harow dock Mar 29.pdf", "HDT 30-31.pdf"]);
    assert_eq!(
        found(&["lender", "known", "and", "season", "is", "2030-31"]),
        ["HDT 30-31.pdf", "kittiwake 31.pdf"]
    );
    assert_eq!(found(&["lender", "unknown"]), ["menu.pdf"]);
    world.nine(&["search", "--by", "season", "--totals"]).ends(0).says("2028-29").says("not known");
    world.nine(&["search", "--by", "lendr"]).ends(2).warns("did you mean `lender`?");
    world
        .nine(&["search", "lender", "is", "Kitiwake Society"])
        .ends(2)
        .warns("did you mean `Kittiwake Society`?");
    world.nine(&["search", "season", "is", "2031"]).ends(2).warns("written such as 2030-31");
    world.nine(&["search", "lender", "knwon"]).ends(2).warns("did you mean `known`?");
    let why = world.nine(&["why", "Downloads/harow dock Mar 29.pdf"]).ends(0);
    why.says("`harow dock` in the name, a part of `Harrow Dock Trust` (84 %)").says("`Mar 29` in the name");
    let json = world.nine(&["why", "Downloads/kittiwake 31.pdf", "--format", "json"]).ends(0).out;
    let answers: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(answers["answers"][1]["answer"], "2030-31");
    assert!(answers["answers"][1]["doubt"].as_str().unwrap().contains("may be another number"));
}

#[test]
fn what_is_wrong_with_a_facet_is_shown_in_its_line() {
    let world = World::new();
    for (facet, told) in [
        ("[facet.name]\nvalues = [\"x\"]\n", "`name` has a meaning of its own"),
        ("[facet.lender]\n", "the facet `lender` needs `values` or `from`"),
        ("[facet.lender]\nvalues = [\"a/b\"]\n", "`a/b` cannot be an answer"),
        ("[facet.lender]\nvalues = { \"A\" = [\"b\"], \"B\" = [] }\n", "stands here twice"),
        ("[facet.lender]\nvalues = [\"A\"]\nspelling = \"clos\"\n", "did you mean `close`?"),
        ("[facet.season]\nfrom = \"year\"\nstarts = \"Octobr\"\n", "did you mean `October`?"),
        ("[facet.season]\nfrom = \"year\"\nwrite = \"{form}\"\n", "`{form}` is not known here"),
        ("[facet.season]\nfrom = \"yaer\"\n", "did you mean `year`?"),
        ("[facet.season]\nfrom = \"decade\"\n", "here can stand year, quarter, month, week or number"),
        ("[facet.season]\nfrom = \"week\"\nwrite = \"{year}\"\n", "it names no week"),
        ("[facet.season]\nfrom = \"year\"\nor_else = \"opened\"\n", "modified, created, taken, sent or text"),
        (
            "[facet.lender]\nvalues = [\"A\"]\nor_else = \"modified\"\n",
            "a date stands in for spans of time only",
        ),
        ("[facet.invoice]\nfrom = \"number\"\n", "behind which words the number stands"),
        ("[dates]\norder = \"year first\"\n", "here can stand"),
        ("[dates]\nmonths = [\"ed\"]\n", "the months of `ed` are not known"),
        ("[facet.lender]\nvalues = 3\n", "a list of answers, or a table"),
    ] {
        world.rules(facet);
        world.nine(&["check"]).ends(2).warns(told).warns("shelves.toml:1");
    }
}

#[test]
fn dates_are_read_as_the_person_writes_them() {
    let world = World::new();
    world.rules(
        "[dates]\norder = \"day first\"\nmonths = [\"en\", \"de\"]\n\
         [facet.month]\nfrom = \"month\"\nor_else = \"modified\"\n\
         [facet.invoice]\nfrom = \"number\"\nafter = [\"invoice\", \"rechnung\"]\n\
         [[rule]]\nname = \"bills\"\nwhen = \"invoice known\"\nrename = \"{month} {invoice} {stem:rest}{ext}\"\nput = \"1/{month}\"\n",
    );
    for name in ["invoice 117 3.4.31.pdf", "Rechnung Nr. 118 März 2031.pdf", "invoice 119.pdf"] {
        paper(&world, name);
    }
    let out = world.nine(&["tidy"]).ends(0);
    out.says("2031-04 117 invoice 3.4.31.pdf")
        .says("2031-03 118 Rechnung Nr.pdf")
        .says("is only the date on which it was modified");
}

/// On the sample world's papers, with their true answers beside them.
#[test]
fn the_sample_papers_are_read_right_or_are_in_doubt() {
    let world = World::new();
    world.nine(&["demo", "world", "--only-make"]).ends(0);
    let list = world.at("papers.csv");
    let list = list.to_str().unwrap();
    world.nine(&["tidy", "papers", "--worklist", list, "--home", "world/nine"]).ends(0);
    let rows = |path: &std::path::Path| -> Vec<BTreeMap<String, String>> {
        csv::Reader::from_path(path).unwrap().deserialize().map(Result::unwrap).collect()
    };
    let truth: BTreeMap<String, BTreeMap<String, String>> = rows(&world.at("world/papers-answers.csv"))
        .into_iter()
        .map(|row| (row["item"].clone(), row))
        .collect();
    let found = rows(&world.at("papers.csv"));
    assert_eq!((found.len(), truth.len()), (160, 160));
    let (mut right, mut doubts) = (0, 0);
    for row in &found {
        let truth = &truth[row["item"].strip_prefix("papers/").unwrap()];
        doubts += usize::from(!row["doubt"].is_empty());
        for facet in ["lender", "paper", "season"] {
            let is_right = row[facet] == truth[facet];
            right += usize::from(is_right);
            assert!(
                is_right || !row["doubt"].is_empty(),
                "{facet} of {} is wrong, and nobody is told",
                row["item"]
            );
        }
    }
    assert!(right * 100 >= 97 * 3 * 160, "{right} of {} right", 3 * 160);
    assert!(doubts * 100 <= 40 * 160, "{doubts} doubts");
    let first: Vec<bool> = found.iter().map(|row| row["doubt"].is_empty()).collect();
    assert!(first.is_sorted(), "what is in doubt stands first");
}

const BY_TAG: &str = "[[rule]]\nname = \"notes\"\nwhen = \"type note and tag any\"\nput = \"3/{tag}\"\n";

#[test]
fn notes_are_filed_by_the_tag_in_their_text() {
    let world = World::new();
    world.rules(BY_TAG);
    world.file("one.md", "# Plan\n\nAbout #loan/north-gallery.\n").file("none.md", "# No #tag here\n");
    world.file("two.md", "---\ntags: [keep, tides]\n---\n");
    world.nine(&["search", "tag", "loan", "--format", "paths"]).ends(0).says("one.md");
    world.nine(&["tag"]).ends(0).says("loan/north-gallery").says("3 tags on 2 items");
    world.nine(&["why", "Downloads/one.md"]).ends(0).says("in its own text");
    world.nine(&["tag", "drop", "loan/*", "Downloads/one.md"]).ends(0).says("1 note has it in the text");
    world.nine(&["tidy", "--yes"]).ends(0).says("it has several tags: `keep`, `tides`; which one files it");
    let filed = world.shelves.join("3 Grants/loan/north-gallery/one.md");
    assert!(filed.exists() && tags_of(&filed).is_empty() && world.at("Downloads/two.md").exists());
    // The rule may say which goes first.
    world.rules(&format!("{BY_TAG}precedence = [\"other\", \"keep\"]\n"));
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(world.shelves.join("3 Grants/keep/two.md").exists());
}

#[test]
fn places_say_tags() {
    let world = World::new();
    world.rules(&format!("{FACETS}{BY_TAG}"));
    world.old_file(&world.shelves.join("2 Loans/Harrow Dock Trust/2030-31/x.pdf"), "x");
    world.old_file(&world.shelves.join("3 Grants/loan/north-gallery/y.md"), "y");
    world.nine(&["tag", "--from-folder", "--where", "ext", "pdf,md", "--yes"]).ends(0).says("2 tagged");
    assert_eq!(
        tags_of(&world.shelves.join("2 Loans/Harrow Dock Trust/2030-31/x.pdf")),
        "lender/Harrow Dock Trust,season/2030-31"
    );
    assert_eq!(tags_of(&world.shelves.join("3 Grants/loan/north-gallery/y.md")), "loan/north-gallery");
    world.nine(&["tag", "Downloads"]).ends(2).warns("nine tag add TAG");
}
