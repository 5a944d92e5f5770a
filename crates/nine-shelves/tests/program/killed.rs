//! The program killed at every point at which it changes a file, and what the next command makes of
//! what it left.

use std::collections::BTreeMap;
use std::os::unix::process::ExitStatusExt;

use super::support::{World, picture_of};

const RULES: &str = r#"
[[rule]]
name = "replace"
when = "name starts plan"
put = "1"
clash = "replace"

[[rule]]
name = "all"
when = "file or type folder"
tag = ["seen"]
put = "2/{type}"
"#;

fn fill(world: &World) {
    world.rules(RULES);
    world.file("plan.txt", "the new plan").file("anchor.txt", "iron").file("empty.csv", "");
    world.file("letters/a.txt", "first letter").file("letters/deep/b.txt", "second letter");
    world.file("tern.jpg", "no real picture").file("tern.xmp", "its sidecar");
    world.old_file(&world.shelves.join("1 Boats/plan.txt"), "the old plan");
}

/// The contents of all files, the trash's among them, each as often as it is there.
fn contents(world: &World) -> Vec<String> {
    let mut all = world.picture();
    if world.trash().join("files").exists() {
        all.extend(
            picture_of(&world.trash().join("files"))
                .into_iter()
                .map(|(name, what)| (format!("Trash{name}"), what)),
        );
    }
    let files = all.into_iter().filter(|(name, _)| !name.ends_with('/'));
    let mut texts: Vec<String> =
        files.map(|(_, what)| what.split(" 1900000000").next().unwrap_or_default().to_owned()).collect();
    texts.sort();
    texts
}

/// Kills `nine WORDS` at point after point, each time in a new world that `ready` prepares, until it
/// is not killed any more. After each, the next command recovers, and `undo` gives back what was.
fn kill_everywhere(make: fn() -> World, ready: fn(&World), words: &[&str]) -> usize {
    for point in 1.. {
        let world = make();
        fill(&world);
        let original = world.picture();
        ready(&world);
        let (before, whole) = (world.picture(), contents(&world));
        let mut command = world.command(words);
        let killed = command.env("NINE_KILL_AT", point.to_string()).output().unwrap().status;
        if killed.signal() != Some(9) {
            assert!(killed.success(), "{killed}");
            return point - 1;
        }
        let recovered = world.nine(&["history"]).ends(0);
        assert!(!recovered.err.contains("neither"), "point {point}: {}", recovered.err);
        assert_eq!(contents(&world), whole, "point {point}: {}", recovered.err);
        no_leftovers(&world.picture(), point);
        assert_eq!(world.nine(&["history"]).ends(0).err, "", "a second look finds nothing, point {point}");
        // Either nothing was done, or the run can be taken back; the one before it too.
        while world.nine(&["undo", "--yes"]).status == 0 {}
        let after = world.picture();
        assert!(
            after == before || after == original,
            "point {point}: {}\n{after:#?}\n{original:#?}",
            recovered.err
        );
    }
    unreachable!("the program ends at some point")
}

fn no_leftovers(picture: &BTreeMap<String, String>, point: usize) {
    let left: Vec<&String> = picture.keys().filter(|name| name.contains(".nine-")).collect();
    assert!(left.is_empty(), "point {point}: {left:?}");
}

#[test]
fn tidy_in_one_file_system() {
    let points = kill_everywhere(World::new, |_| {}, &["tidy", "--yes"]);
    assert!(points > 20, "{points} points");
}

#[test]
fn tidy_across_file_systems() {
    let points = kill_everywhere(World::across_file_systems, |_| {}, &["tidy", "--yes"]);
    assert!(points > 50, "{points} points");
}

#[test]
fn undo_across_file_systems() {
    let tidied = |world: &World| drop(world.nine(&["tidy", "--yes"]).ends(0));
    let points = kill_everywhere(World::across_file_systems, tidied, &["undo", "--yes"]);
    assert!(points > 50, "{points} points");
}

/// A copy counts once it is whole under its name; the original is never touched.
#[test]
fn copies_of_folders() {
    let words = ["put", "Downloads/letters", "--on", "3", "--copy", "--yes"];
    for point in 1.. {
        let world = World::new();
        fill(&world);
        let downloads = picture_of(&world.at("Downloads"));
        let letters = picture_of(&world.at("Downloads/letters"));
        let mut command = world.command(&words);
        let killed = command.env("NINE_KILL_AT", point.to_string()).output().unwrap().status;
        if killed.signal() != Some(9) {
            assert!(killed.success() && point > 8, "{killed}, {point} points");
            return;
        }
        let recovered = world.nine(&["history"]).ends(0);
        assert!(!recovered.err.contains("neither"), "point {point}: {}", recovered.err);
        assert_eq!(picture_of(&world.at("Downloads")), downloads, "point {point}");
        no_leftovers(&world.picture(), point);
        let copy = world.shelves.join("3 Grants/letters");
        assert!(!copy.exists() || picture_of(&copy) == letters, "point {point}: half a copy");
        assert_eq!(world.nine(&["history"]).ends(0).err, "", "a second look finds nothing, point {point}");
        let undone = world.nine(&["undo", "--yes"]).status == 0;
        assert!(!copy.exists(), "point {point}, undone: {undone}");
    }
}

/// Of every content something is left in its place, whenever the program is killed.
#[test]
fn copies_that_are_discarded() {
    let lay_out = || {
        let world = World::new();
        world.rules("");
        for (folder, text) in [("a", "one"), ("b", "one"), ("c", "one"), ("a/sub", "two"), ("b/sub", "two")] {
            world.file(&format!("{folder}/file"), text);
        }
        world.file("loose", "three").file("loose (1)", "three");
        world
    };
    let texts = |world: &World| -> Vec<String> {
        let all = picture_of(&world.at("Downloads"));
        let mut texts: Vec<String> = all
            .into_iter()
            .filter(|(name, _)| !name.ends_with('/'))
            .map(|(_, what)| what.split(' ').next().unwrap_or_default().to_owned())
            .collect();
        texts.sort();
        texts.dedup();
        texts
    };
    for point in 1.. {
        let world = lay_out();
        let (before, whole) = (world.picture(), contents(&world));
        let mut command = world.command(&["copies", "--discard", "--yes"]);
        let killed = command.env("NINE_KILL_AT", point.to_string()).output().unwrap().status;
        assert_eq!(texts(&world), ["one", "three", "two"], "point {point}");
        if killed.signal() != Some(9) {
            assert!(killed.success() && point > 8, "{killed}, {point} points");
            return;
        }
        let recovered = world.nine(&["history"]).ends(0);
        assert!(!recovered.err.contains("neither"), "point {point}: {}", recovered.err);
        assert_eq!(contents(&world), whole, "point {point}");
        while world.nine(&["undo", "--yes"]).status == 0 {}
        assert_eq!(world.picture(), before, "point {point}");
    }
}
