//! All that lies loose, into one folder.

use std::fs;
use std::os::unix::fs::symlink;

use super::support::World;

fn world() -> World {
    let world = World::new();
    world.rules("[[rule]]\nname = \"letters\"\nwhen = \"name has letter\"\nput = \"2\"\n");
    world
        .file("a.txt", "a")
        .file("letter.txt", "a letter")
        .file("notes/deep/b.txt", "b")
        .file("IMG_1.jpg", "a photo")
        .file("IMG_1.xmp", "its edits")
        .file(".hidden", "h")
        .file("film.mp4.part", "half of it")
        .file("2031-04-01/old.txt", "swept before");
    symlink("notes/deep/b.txt", world.at("Downloads/turns")).unwrap();
    world
}

#[test]
fn a_pile_is_cleared_in_one_step_and_comes_back() {
    let world = world();
    let before = world.picture();
    let ran = world.nine(&["sweep", "downloads"]).ends(0);
    let ran = ran.says("5 loose items into downloads/2031-04-07").warns("Nothing has been changed");
    ran.says("it is a link that is counted from where it lies").says("1 swept before");
    world.nine(&["sweep", "downloads", "--yes"]).ends(0).says("5 moved");
    for name in ["a.txt", "notes/deep/b.txt", "IMG_1.jpg", "IMG_1.xmp", "letter.txt"] {
        assert!(world.at("Downloads/2031-04-07").join(name).exists(), "{name}");
    }
    for name in [".hidden", "film.mp4.part", "2031-04-01/old.txt", "turns"] {
        assert!(world.at("Downloads").join(name).symlink_metadata().is_ok(), "{name}");
    }
    // A second time on one day, with what has come since.
    world.file("c.txt", "c");
    world.nine(&["sweep", "--yes"]).ends(0).says("1 loose item into downloads/2031-04-07 (2)");
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!world.at("Downloads/2031-04-07 (2)").exists());
    fs::remove_file(world.at("Downloads/c.txt")).unwrap();
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn what_no_rule_is_for_waits_in_a_standing_folder() {
    let world = world();
    world.nine(&["sweep", "--sort-later", "--yes"]).ends(0).says("4 loose items into downloads/Sort later");
    assert!(world.at("Downloads/letter.txt").exists(), "a rule is for it");
    assert!(world.at("Downloads/Sort later/a.txt").exists());
    // What comes later goes to the same folder, and a taken name gets a number.
    world.file("a.txt", "another");
    world.nine(&["sweep", "--sort-later", "--yes"]).ends(0).says("1 moved");
    assert!(world.at("Downloads/Sort later/a (2).txt").exists());
    world.nine(&["sweep", "--sort-later"]).ends(0);
    world.nine(&["sweep", "dwnloads"]).ends(2).warns("did you mean `downloads`?");
}
