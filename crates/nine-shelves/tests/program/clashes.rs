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
        .says("same bytes as the `a.txt` there (4 B, 2030-03-17): numbered")
        .says("other bytes than the `b.txt` there (4 B, 2030-03-17): numbered");
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
        .says("same bytes as downloads/plan.txt, which takes the name: numbered")
        .says("other bytes than downloads/plan.txt, which takes the name: numbered");
    assert_eq!(names(&world, "1 Boats"), ["Plan (2).txt", "Plan (3).txt", "Plan.txt"]);
    let copies = names(&world, "1 Boats")
        .iter()
        .filter(|n| tags_of(&world.shelves.join("1 Boats").join(n)) == "copy")
        .count();
    assert_eq!(copies, 1);
    world.nine(&["undo", "--yes"]).ends(0);
    let sure = world.nine(&["tidy", "--sure"]).ends(0).says("which takes the name: left");
    assert!(sure.out.contains("1 to move"), "{}", sure.out);
}

#[test]
fn the_preview_comes_first_and_what_is_sure_can_be_agreed_to_alone() {
    let world = world();
    world.file("sure.txt", "no clash");
    let before = world.picture();
    let (status, shown) = on_a_terminal(&world, &["tidy"], "n\n");
    assert_eq!(status, 3, "{shown}");
    let (preview, question) = shown.split_once("Carry out 5 steps?").expect("one question is asked");
    assert!(
        preview.contains("other bytes than the `a.txt` there") && preview.contains("4 in doubt"),
        "{shown}"
    );
    assert!(question.contains("y all of it, s only what is sure, n nothing [y/s/n]"), "{shown}");
    assert_eq!(world.picture(), before);
    // No answer is a no.
    let (status, shown) = on_a_terminal(&world, &["tidy"], "\u{4}");
    assert_eq!(status, 3, "{shown}");
    assert_eq!(world.picture(), before);
    let (status, shown) = on_a_terminal(&world, &["tidy"], "s\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("Run 1:") && shown.contains("1 moved"), "{shown}");
    assert_eq!(names(&world, "1 Boats"), ["a.txt", "b.txt", "c.txt", "d.txt", "sure.txt"]);
    let (status, shown) = on_a_terminal(&world, &["tidy"], "s\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("None of it is sure. Nothing has been changed."), "{shown}");
    let (status, shown) = on_a_terminal(&world, &["tidy"], "y\n");
    assert_eq!(status, 0, "{shown}");
    assert_eq!(names(&world, "1 Boats").len(), 9);
}

#[test]
fn where_nothing_is_in_doubt_there_is_nothing_to_choose() {
    let world = World::new();
    world.rules(ON_SHELF).file("a.txt", "new");
    let (status, shown) = on_a_terminal(&world, &["tidy"], "s\n");
    assert_eq!(status, 3, "{shown}");
    assert!(shown.contains("Carry out 1 step? [y/n]"), "{shown}");
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
