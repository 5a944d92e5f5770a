//! Names that are taken: both sides shown, the same bytes told, and each answer on the terminal.

use std::fs;

use crate::support::{World, on_a_terminal, picture_of, tags_of};

const ON_SHELF: &str = "[[rule]]\nwhen = \"file\"\nput = \"1\"\n";

fn world() -> World {
    let world = World::new();
    world.rules(ON_SHELF);
    for name in ["a.txt", "b.txt", "c.txt", "d.txt"] {
        world.file(name, &format!("new {name}"));
        world.old_file(&world.shelves.join("1 Boats").join(name), "old one");
    }
    world
}

fn names(world: &World, at: &str) -> Vec<String> {
    let folder = world.shelves.join(at);
    let mut names: Vec<String> = picture_of(&folder)
        .into_keys()
        .filter(|name| !name.ends_with('/'))
        .map(|name| name[1..].to_owned())
        .collect();
    names.sort();
    names
}

#[test]
fn a_clash_with_the_same_bytes_is_a_copy_and_flagged() {
    let world = World::new();
    world.rules(ON_SHELF).file("a.txt", "same").file("b.txt", "new!");
    world.old_file(&world.shelves.join("1 Boats/a.txt"), "same");
    world.old_file(&world.shelves.join("1 Boats/b.txt"), "old!");
    world
        .nine(&["tidy", "--yes"])
        .ends(0)
        .says("`a.txt` is there already and has the same bytes")
        .says("this is a copy of it")
        .says("`b.txt` is there already, type note with other bytes (4 B, 2030-03-17 17:46; this one 4 B");
    assert_eq!(tags_of(&world.shelves.join("1 Boats/a (2).txt")), "copy");
    assert_eq!(tags_of(&world.shelves.join("1 Boats/b (2).txt")), "");
}

#[test]
fn two_items_that_come_to_one_name_are_both_shown() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nrename = \"{stem:tidy}\"\nput = \"1\"\n");
    world.file("plan.txt", "same").file("plan (1).txt", "same").file("copy of plan.txt", "other");
    world
        .nine(&["tidy", "--yes"])
        .ends(0)
        .says("another step takes the name `Plan.txt` for downloads/")
        .says("both have the same bytes: this is a copy of it")
        .says("this one has other bytes");
    assert_eq!(names(&world, "1 Boats"), ["Plan (2).txt", "Plan (3).txt", "Plan.txt"]);
    let copies = names(&world, "1 Boats")
        .iter()
        .filter(|n| tags_of(&world.shelves.join("1 Boats").join(n)) == "copy")
        .count();
    assert_eq!(copies, 1);
    world.nine(&["undo", "--yes"]).ends(0);
    let sure = world.nine(&["tidy", "--sure"]).ends(0).says("the new one is left where it is");
    assert!(sure.out.contains("1 to move"), "{}", sure.out);
    let (status, shown) = on_a_terminal(&world, &["tidy"], "L\nn\n");
    assert_eq!(status, 3, "{shown}");
    assert!(shown.contains("first  ") && shown.contains(", by another step"), "{shown}");
}

#[test]
fn each_clash_is_answered_on_the_terminal() {
    let world = world();
    let (status, shown) = on_a_terminal(&world, &["tidy"], "n\nl\nh\nr\ny\n");
    assert_eq!(status, 0, "{shown}");
    for told in [
        "clash 1 of 4",
        "number it: a (2).txt",
        "hold it in Held",
        "new    9 B, 2030-03-17 17:46, type note",
        "there  7 B",
        "other bytes",
    ] {
        assert!(shown.contains(told), "{told} is not in {shown}");
    }
    assert_eq!(names(&world, "1 Boats"), ["Held/c.txt", "a (2).txt", "a.txt", "b.txt", "c.txt", "d.txt"]);
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/d.txt")).unwrap(), "new d.txt");
    assert!(world.trash().join("files/d.txt").exists() && world.at("Downloads/b.txt").exists());
}

#[test]
fn a_capital_letter_decides_for_all_the_rest_and_no_answer_changes_nothing() {
    let world = world();
    let before = world.picture();
    let (status, shown) = on_a_terminal(&world, &["tidy"], "l\nH\nn\n");
    assert_eq!(status, 3, "{shown}");
    assert!(shown.contains("Held  3 items") && !shown.contains("clash 3 of 4"), "{shown}");
    assert_eq!(world.picture(), before);
    let (status, shown) = on_a_terminal(&world, &["tidy"], "\u{4}");
    assert_eq!(status, 3, "{shown}");
    assert_eq!(world.picture(), before);
}

#[test]
fn a_replacement_that_fails_leaves_the_old_one_in_its_place() {
    let world = World::new();
    world.rules(&format!("{ON_SHELF}clash = \"replace\"\n")).file("a.txt", "new");
    world.old_file(&world.shelves.join("1 Boats/a.txt"), "old");
    // What is left alone is left with what it would have replaced.
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(0);
    let list = fs::read_to_string(world.at("list.csv")).unwrap();
    fs::write(world.at("list.csv"), list.replace(",move,", ",leave,")).unwrap();
    world.nine(&["carry", "list.csv", "--yes"]).ends(0).says("1 line left by your word");
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/a.txt")).unwrap(), "old");
    assert!(!world.trash().join("files/a.txt").exists());
}
