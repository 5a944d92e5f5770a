//! Rules and shelves changed by commands, and all of it taken back.

use std::fs;

use proptest::prelude::*;

use super::support::{Ran, World, picture_of};

const RULES: &str = "# what goes first\n[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2\" # lent\n\n\
    [[rule]]\nname = \"rest\"\nwhen = \"ext txt\"\nput = \"3/{stem:initial}\"\n";

fn world() -> World {
    let world = World::new();
    world.rules(RULES);
    world.file("loan list.txt", "1").file("notes.txt", "22").file("photo.jpg", "333");
    world
}

fn config(world: &World) -> String {
    fs::read_to_string(world.data.join("shelves.toml")).unwrap()
}

fn rule(world: &World, words: &[&str]) -> Ran {
    world.nine(&[&["rule"], words].concat())
}

#[test]
fn the_list_says_what_each_rule_does_and_takes() {
    let world = world();
    let listed = rule(&world, &["--format", "json"]).ends(0).out;
    let lines: Vec<&str> = listed.lines().collect();
    assert!(lines[0].contains("\"items\":1,\"bytes\":1,\"shadows\":1"), "{listed}");
    assert!(
        lines[1].contains("\"rule\":\"rest\"") && lines[1].contains("\"items\":1,\"bytes\":2,\"shadows\":0")
    );
    rule(&world, &[]).ends(0).says("takes 1 from later rules").says("ext txt → put on 3/{stem:initial}");
    World::new().config("").nine(&["rule"]).ends(0).says("There are no rules yet");
}

#[test]
fn a_rule_is_tried_before_it_is_written() {
    let world = world();
    let before = (config(&world), world.picture());
    let tried = rule(&world, &["try", "type", "image,note", "or", "ext", "txt", "--put", "1/new"]).ends(0);
    assert!(tried.out.contains("photo.jpg") && !tried.out.contains("notes.txt"), "{}", tried.out);
    assert!(tried.out.contains("1 item goes by the rule `loans`"), "{}", tried.out);
    let first = rule(&world, &["try", "ext txt", "--put", "1", "--before", "loans"]).ends(0);
    assert!(first.out.contains("notes.txt") && first.out.contains("loan list.txt"), "{}", first.out);
    assert_eq!((config(&world), world.picture()), before);
    rule(&world, &["try", "ext txt", "--put", "7"]).ends(2).warns("has no shelf 7");
    rule(&world, &["try", "ext txt"]).ends(2).warns("this rule does nothing");
}

#[test]
fn rules_are_added_changed_moved_and_dropped_without_an_editor() {
    let world = world();
    let first = config(&world);
    rule(&world, &["add", "pictures", "--when", "type", "image", "--put", "1"]).ends(0).warns("Add --yes");
    assert_eq!(config(&world), first);
    rule(&world, &["add", "pictures", "--when", "type", "image", "--put", "1", "--yes"])
        .ends(0)
        .says("+ put = \"1\"");
    assert!(config(&world).ends_with("[[rule]]\nname = \"pictures\"\nwhen = \"type image\"\nput = \"1\"\n"));
    rule(&world, &["add", "Pictures", "--when", "file", "--put", "1"])
        .ends(2)
        .warns("a rule `Pictures` already");
    rule(&world, &["change", "loans", "--put", "1/lent", "--yes"]).ends(0);
    assert!(config(&world).contains("put = \"1/lent\" # lent"), "{}", config(&world));
    rule(&world, &["move", "pictures", "--before", "1", "--yes"]).ends(0);
    rule(&world, &["drop", "rest", "--yes"]).ends(0);
    let listed = rule(&world, &["--format", "csv"]).ends(0).out;
    let names: Vec<&str> = listed.lines().skip(1).map(|line| line.split(',').nth(1).unwrap()).collect();
    assert_eq!(names, ["pictures", "loans"]);
    rule(&world, &["drop", "rests"]).ends(2).warns("there is no rule `rests`");
    rule(&world, &["change", "loans"]).ends(2).warns("nothing is said that should change");
    for _ in 0..4 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(config(&world), first);
}

#[test]
fn a_saved_search_is_a_run_too() {
    let world = world();
    let first = config(&world);
    world.nine(&["search", "size", "over", "1GB", "--save", "huge"]).ends(0);
    assert!(config(&world).contains("[search.huge]"));
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(config(&world), first);
}

#[test]
fn shelves_are_made_renamed_moved_and_marked_with_their_folders() {
    let world = world();
    world.nine(&["tidy", "--yes"]).ends(0);
    let first = (config(&world), picture_of(&world.shelves));
    let shelves = |words: &[&str]| world.nine(&[&["shelves"], words, &["--yes"]].concat());
    shelves(&["make"]).ends(0).says("1 Boats");
    shelves(&["rename", "3", "Funding"]).ends(0);
    assert!(world.shelves.join("3 Funding/N/notes.txt").exists());
    shelves(&["move", "Funding", "1"]).ends(0);
    assert!(
        world.shelves.join("1 Funding/N/notes.txt").exists()
            && world.shelves.join("3 Loans/loan list.txt").exists()
    );
    assert!(
        config(&world).contains("put = \"3\" # lent")
            && config(&world).contains("put = \"1/{stem:initial}\"")
    );
    shelves(&["mark", "loans", "⚓", "--color", "blue"]).ends(0);
    assert!(world.shelves.join("3 ⚓ Loans").is_dir());
    world.nine(&["check"]).ends(0);
    // A shelf is found by its number, whatever mark is typed.
    world.nine(&["put", "Downloads/photo.jpg", "--on", "3/pictures", "--yes"]).ends(0);
    assert!(world.shelves.join("3 ⚓ Loans/pictures/photo.jpg").exists());
    for (words, told) in [
        (&["rename", "3", "a/b"][..], "cannot be the name of a folder"),
        (&["mark", "3", "x"], "`x` cannot be a mark"),
        (&["move", "7", "1"], "shelf"),
        (&["mark", "3", "--color", "pink"], "the colours are red"),
    ] {
        let refused = shelves(words).ends(2);
        assert!(refused.err.contains(told), "{words:?}: {}", refused.err);
    }
    for _ in 0..5 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!((config(&world), picture_of(&world.shelves)), first);
}

#[test]
fn a_missing_bookcase_is_made_and_a_missing_disk_is_not() {
    let world = world();
    fs::remove_dir(&world.shelves).unwrap();
    world.nine(&["shelves", "make", "--yes"]).ends(0);
    assert!(world.shelves.join("2 Loans").is_dir());
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!world.shelves.exists());
    let text = config(&world).replace(&world.shelves.display().to_string(), "/mnt/no-disk/Shelves");
    world.config(&text);
    world.nine(&["shelves", "make", "--yes"]).ends(2).warns("a disk may be missing");
}

#[test]
fn alone_it_says_what_is_where_and_what_to_do() {
    let world = world();
    let told = world.nine(&[]).ends(0).out;
    assert!(told.lines().count() <= 8, "{told}");
    assert!(told.contains("3 things lie loose") && told.contains("Next: nine shelves make"), "{told}");
    world.nine(&["shelves", "make", "--yes"]).ends(0);
    world
        .nine(&[])
        .ends(0)
        .says("3 shelves, 2 rules")
        .says("Next: nine tidy")
        .says("last run 1: nine shelves make");
    fs::remove_file(world.data.join("shelves.toml")).unwrap();
    world.nine(&[]).ends(0).says("Next: nine setup");
    world.nine(&["tidy"]).ends(2).warns("nine setup");
    world.nine(&["shelves"]).ends(2).warns("nine setup");
}

#[test]
fn answers_are_counted_added_renamed_and_dropped() {
    let world = World::new();
    world.rules(
        "[facet.lender]\nvalues = [\"<a lender>\", \"Harrow Dock\"] # mine\n\n\
        [[rule]]\nwhen = \"lender known\"\nput = \"2/{lender}\"\n",
    );
    world.file("harrow dock loan.txt", "1").file("NQS letter.txt", "2");
    let first = config(&world);
    let facet = |words: &[&str]| world.nine(&[&["facet"], words].concat());
    facet(&[]).ends(0).says("still to be filled in: <a lender>").says("1 item");
    world.nine(&["check"]).ends(0).says("still to be filled in: <a lender>");
    facet(&["add", "lender", "New Quay Society", "--also", "NQS", "--yes"]).ends(0);
    assert!(
        config(&world).contains("\"New Quay Society\" = [\"NQS\"]") && !config(&world).contains("<a lender>")
    );
    let counted = facet(&["lender", "--format", "csv"]).ends(0).out;
    assert_eq!(counted, "facet,answer,items\nlender,Harrow Dock,1\nlender,New Quay Society,1\n");
    let from = ["add", "lender", "--from", "clients.csv", "--column", "Name", "--yes"];
    fs::write(world.at("clients.csv"), "id,name\n1,Ada Pellow\n2,\"Bo, Inc\"\n3,Cy\n3,Cy\n").unwrap();
    facet(&from[..4]).ends(2).warns("there are `id`, `name`");
    facet(&from).ends(2).warns("`Bo, Inc` cannot be an answer");
    fs::write(world.at("clients.csv"), "id,name\n1,Ada Pellow\n3,Cy\n3,Cy\n").unwrap();
    facet(&from).ends(0);
    facet(&["rename", "lender", "cy", "Cyril", "--yes"]).ends(0);
    facet(&["drop", "lender", "Ada Pellow", "--yes"]).ends(0);
    assert!(
        config(&world).contains("Cyril = [\"Cy\"]") && !config(&world).contains("Ada"),
        "{}",
        config(&world)
    );
    facet(&["drop", "lender", "Nobody"]).ends(2).warns("there is no answer `Nobody`");
    facet(&["add", "lendr", "X"]).ends(2).warns("did you mean `lender`?");
    for _ in 0..4 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(config(&world), first);
}

#[derive(Debug, Clone)]
enum Edit {
    Add(String),
    Change(usize, bool),
    Move(usize, Option<usize>),
    Drop(usize),
    Rename(u8, String),
    Renumber(u8, u8),
    Mark(u8),
}

fn edit() -> impl Strategy<Value = Edit> {
    prop_oneof![
        "[a-z]{3,6}".prop_map(Edit::Add),
        (1..4_usize, any::<bool>()).prop_map(|(rule, deep)| Edit::Change(rule, deep)),
        (1..4_usize, proptest::option::of(1..4_usize)).prop_map(|(rule, before)| Edit::Move(rule, before)),
        (1..4_usize).prop_map(Edit::Drop),
        (1..4_u8, "[A-Z][a-z]{2,5}").prop_map(|(shelf, title)| Edit::Rename(shelf, title)),
        (1..4_u8, 1..10_u8).prop_map(|(shelf, to)| Edit::Renumber(shelf, to)),
        (1..4_u8).prop_map(Edit::Mark),
    ]
}

impl Edit {
    fn words(&self) -> Vec<String> {
        let text = match self {
            Edit::Add(name) => format!("rule add {name} --when link --tag x"),
            Edit::Change(rule, true) => format!("rule change {rule} --deep --tag new"),
            Edit::Change(rule, false) => format!("rule change {rule} --loose --when empty"),
            Edit::Move(rule, Some(before)) => format!("rule move {rule} --before {before}"),
            Edit::Move(rule, None) => format!("rule move {rule} --last"),
            Edit::Drop(rule) => format!("rule drop {rule}"),
            Edit::Rename(shelf, title) => format!("shelves rename {shelf} {title}"),
            Edit::Renumber(shelf, to) => format!("shelves move {shelf} {to}"),
            Edit::Mark(shelf) => format!("shelves mark {shelf} ★ --color red"),
        };
        text.split(' ').chain(["--yes"]).map(str::to_owned).collect()
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn any_edits_undone_backwards_give_the_first_text(edits in proptest::collection::vec(edit(), 1..6)) {
        let world = world();
        world.nine(&["tidy", "--yes"]).ends(0);
        let first = (config(&world), picture_of(&world.shelves));
        let mut done = 0;
        for edit in &edits {
            let words = edit.words();
            let ran = world.nine(&words.iter().map(String::as_str).collect::<Vec<_>>());
            // What makes no sense is refused, and changes nothing.
            prop_assert!(ran.status == 0 || ran.status == 2, "{:?}: {}", words, ran.err);
            done += usize::from(ran.out.contains("takes it back"));
        }
        world.nine(&["check"]).ends(0);
        for _ in 0..done {
            world.nine(&["undo", "--yes"]).ends(0);
        }
        prop_assert_eq!((config(&world), picture_of(&world.shelves)), first, "{:?}", edits);
    }
}

#[test]
fn a_shelf_that_others_see_is_told_before_anything_comes_there() {
    let world = World::new();
    world.rules("").file("plan.txt", "1");
    let text = config(&world).replace("\"Loans\"", "{ title = \"Loans\", shared = \"the board\" }");
    world.config(&text);
    let put = world.nine(&["put", "Downloads/plan.txt", "--on", "2"]).ends(0);
    assert!(put.out.contains("the board"), "{}", put.out);
    world.nine(&["put", "Downloads/plan.txt", "--on", "2", "--yes"]).ends(0);
    world.nine(&["search", "shared"]).ends(0).says("plan.txt");
    // The shelf itself stays what it is under another name.
    let renamed = world.nine(&["shelves", "rename", "2", "Lent"]).ends(0);
    assert!(!renamed.out.contains("the board will not"), "{}", renamed.out);
    world.nine(&["put", "home/2 Loans/plan.txt", "--on", "1", "--yes"]).ends(0);
    world.nine(&["search", "shared"]).ends(0).says("0 files");
}

#[test]
fn shelves_come_into_the_side_bars_of_file_dialogs_and_go_again() {
    let world = world();
    world.nine(&["shelves", "make", "--yes"]).ends(0);
    let (gtk, qt) = (world.at(".config/gtk-3.0/bookmarks"), world.at(".local/share/user-places.xbel"));
    let mine = "<?xml version=\"1.0\"?>\n<xbel>\n <bookmark href=\"trash:/\">\n </bookmark>\n</xbel>\n";
    world.nine(&["shelves", "favourites", "--yes"]).ends(0).says("+ file://");
    let lines = fs::read_to_string(&gtk).unwrap();
    assert!(lines.lines().any(|line| line.ends_with("/Shelves/2%20Loans 2 Loans")), "{lines}");
    // One that is not there is left to its desktop.
    assert!(!qt.exists());
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!gtk.exists());
    fs::create_dir_all(qt.parent().unwrap()).unwrap();
    fs::write(&qt, mine).unwrap();
    fs::create_dir_all(gtk.parent().unwrap()).unwrap();
    fs::write(&gtk, "file:///mine Mine\n").unwrap();
    world.nine(&["shelves", "favourites", "--yes"]).ends(0);
    // Read by a parser that is not ours.
    let text = fs::read_to_string(&qt).unwrap();
    let mut reader = quick_xml::Reader::from_str(&text);
    let mut titles = Vec::new();
    loop {
        match reader.read_event().unwrap() {
            quick_xml::events::Event::Start(tag) if tag.name().as_ref() == "title" => {
                titles.push(reader.read_text(tag.name()).unwrap().xml10_content().into_owned());
            }
            quick_xml::events::Event::Eof => break,
            _ => {}
        }
    }
    assert_eq!(titles, ["1 Boats", "2 Loans", "3 Grants"]);
    world.nine(&["shelves", "favourites", "--yes"]).ends(0).warns("It is so already");
    world.nine(&["shelves", "favourites", "--drop", "--yes"]).ends(0);
    assert_eq!(fs::read_to_string(&qt).unwrap(), mine);
    assert_eq!(fs::read_to_string(&gtk).unwrap(), "file:///mine Mine\n");
}
