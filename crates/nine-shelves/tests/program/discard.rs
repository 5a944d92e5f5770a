//! A selection into the trash.

use std::fs;

use super::support::{World, on_a_terminal, picture_of};

fn world() -> World {
    let world = World::new();
    world.rules("");
    world
        .file("old/setup.exe", "MZ an installer")
        .file("old/deep/tool.deb", "!<arch>\ndebian-binary")
        .file("letter é%.txt", "a letter")
        .file("IMG_1.jpg", "a photo")
        .file("IMG_1.xmp", "its edits")
        .file("Clock.app/setup.deb", "!<arch>\ndebian-binary");
    world
}

#[test]
fn paths_go_into_the_trash_and_come_back() {
    let world = world();
    let before = world.picture();
    let words = ["discard", "Downloads/old", "Downloads/old/setup.exe", "downloads/IMG_1.jpg"];
    world.nine(&words).ends(0).says("nothing is deleted").warns("Nothing has been changed");
    assert_eq!(world.picture(), before);
    world.nine(&[&words[..], &["--yes"]].concat()).ends(0).says("3 discarded");
    for gone in ["old", "IMG_1.jpg", "IMG_1.xmp"] {
        assert!(!world.at("Downloads").join(gone).exists(), "{gone}");
    }
    assert!(picture_of(&world.trash().join("files")).contains_key("/old/deep/tool.deb"));
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

/// Read as the freedesktop.org specification has it, by nothing of ours.
#[test]
fn the_trash_tells_where_it_came_from_and_when() {
    let world = world();
    world.nine(&["discard", "Downloads/letter é%.txt", "--yes"]).ends(0).says("1 discarded");
    let info = fs::read_to_string(world.trash().join("info/letter é%.txt.trashinfo")).unwrap();
    let mut lines = info.lines();
    assert_eq!(lines.next(), Some("[Trash Info]"));
    let path = lines.next().unwrap().strip_prefix("Path=").unwrap();
    assert!(path.ends_with("letter%20%C3%A9%25.txt"), "{path}");
    let date = lines.next().unwrap().strip_prefix("DeletionDate=").unwrap();
    assert!(date.len() == 19 && date.as_bytes()[10] == b'T', "{date}");
    assert_eq!(fs::read_to_string(world.trash().join("files/letter é%.txt")).unwrap(), "a letter");
}

#[test]
fn one_type_through_all_folders_is_listed_first() {
    let world = world();
    let words = ["discard", "--where", "type", "installer"];
    let ran = world.nine(&words).ends(0).says("setup.exe").says("tool.deb").says("3 to discard, 1 in doubt");
    ran.says("it is a part of `Clock.app`, which is a bundle").warns("Nothing has been changed");
    world.nine(&[&words[..], &["--sure", "--yes"]].concat()).ends(0).says("2 discarded");
    assert!(world.at("Downloads/Clock.app/setup.deb").exists());
    let (status, shown) = on_a_terminal(&world, &words, "n\n");
    assert!(status == 3 && shown.contains("Carry out 1 step?"), "{shown}");
}

#[test]
fn places_and_nothing_are_refused() {
    let world = world();
    world.file("x.txt", "x");
    fs::create_dir(world.shelves.join("2 Loans")).unwrap();
    world.nine(&["discard", "home/2 Loans"]).ends(2).warns("is a place of its own, or a shelf");
    world.nine(&["discard"]).ends(2).warns("nothing is selected");
    world.nine(&["discard", "Downloads/none.txt"]).ends(2).warns("there is nothing at");
}
