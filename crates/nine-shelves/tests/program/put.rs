//! Filing by hand.

use std::fs;

use crate::support::{World, on_a_terminal, tags_of};

fn world() -> World {
    let world = World::new();
    world.rules("").file("in/deep/a.txt", "a").file("in/b.txt", "b").file("c.txt", "c");
    world
}

#[test]
fn a_selection_is_moved_flat_or_with_its_folders() {
    let world = world();
    let before = world.picture();
    world
        .nine(&["put", "--where", "ext", "txt", "--on", "3/Claims/2031", "--yes"])
        .ends(0)
        .says("New folder: 3 Grants/Claims\nNew folder: 3 Grants/Claims/2031\n")
        .says("3 selected; 0 there already")
        .says("3 moved");
    for name in ["a.txt", "b.txt", "c.txt"] {
        assert!(world.shelves.join("3 Grants/Claims/2031").join(name).exists(), "{name}");
    }
    world.nine(&["put", "--where", "ext", "txt", "--on", "3/Claims/2031"]).ends(0).says("3 there already");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
    world.nine(&["put", "Downloads/in/deep/a.txt", "--on", "Loans", "--keep-folders", "--yes"]).ends(0);
    assert!(world.shelves.join("2 Loans/in/deep/a.txt").exists());
}

#[test]
fn a_copy_has_all_that_belongs_to_it_and_is_taken_back() {
    let world = world();
    world.nine(&["tag", "add", "todo", "Downloads/in", "Downloads/in/b.txt", "--yes"]).ends(0);
    let before = world.picture();
    world.nine(&["put", "Downloads/in", "--on", "home/1", "--copy", "--yes"]).ends(0).says("1 copied");
    let copy = world.shelves.join("1 Boats/in");
    assert_eq!(fs::read_to_string(copy.join("deep/a.txt")).unwrap(), "a");
    assert_eq!((tags_of(&copy).as_str(), tags_of(&copy.join("b.txt")).as_str()), ("todo", "todo"));
    let time = |path: &std::path::Path| fs::metadata(path).unwrap().modified().unwrap();
    assert_eq!(time(&copy.join("b.txt")), time(&world.at("Downloads/in/b.txt")));
    world.nine(&["put", "Downloads/in", "--on", "1", "--copy", "--yes"]).ends(0).says(": numbered");
    assert!(world.shelves.join("1 Boats/in (2)/b.txt").exists());
    world.nine(&["undo", "--yes"]).ends(0).says("1 discarded");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before, "the copies are in the trash, the originals where they were");
    assert!(world.trash().join("files/in/b.txt").exists());
}

#[test]
fn a_copy_that_changed_is_not_taken_back() {
    let world = world();
    world.nine(&["put", "Downloads/c.txt", "--on", "1", "--copy", "--yes"]).ends(0);
    fs::write(world.shelves.join("1 Boats/c.txt"), "edited").unwrap();
    world.nine(&["undo", "--yes"]).ends(1).warns("it has been changed since");
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/c.txt")).unwrap(), "edited");
}

#[test]
fn a_folder_called_nearly_the_same_is_asked_about() {
    let world = world();
    fs::create_dir_all(world.shelves.join("3 Grants/Reports")).unwrap();
    world
        .nine(&["put", "Downloads/c.txt", "--on", "3/Report", "--yes"])
        .ends(2)
        .warns("3 Grants/Reports exists, and 3 Grants/Report is nearly the same")
        .warns("--new-folder");
    let (status, shown) = on_a_terminal(&world, &["put", "Downloads/c.txt", "--on", "3/reports"], "u\ny\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("3 Grants/Reports exists; 3 Grants/reports would be new"), "{shown}");
    assert!(world.shelves.join("3 Grants/Reports/c.txt").exists());
    world.nine(&["put", "Downloads/in/b.txt", "--on", "3/Report", "--new-folder", "--yes"]).ends(0);
    assert!(world.shelves.join("3 Grants/Report/b.txt").exists());
}

#[test]
fn targets_that_cannot_be_are_refused() {
    let world = world();
    for (words, told) in [
        (&["--on", "7/x"][..], "give its number or title: 1 Boats, 2 Loans or 3 Grants"),
        (&["--on", "Boots"], "`Boots` names no shelf"),
        (&["--on", "1/../x"], "cannot be the name of a folder"),
        (&["--on", "1/a:b"], "cannot be the name of a folder"),
        (&["--on", "1", "--on", "2"], "cannot be used multiple times"),
    ] {
        world.nine(&[&["put", "Downloads/c.txt"], words].concat()).ends(2).warns(told);
    }
    world.nine(&["put", "--on", "1"]).ends(2).warns("nothing is selected");
    world.nine(&["put", "Downloads/nothing", "--on", "1"]).ends(2).warns("there is nothing at");
    fs::create_dir_all(world.shelves.join("2 Loans")).unwrap();
    let shelf = world.shelves.join("2 Loans");
    world
        .nine(&["put", shelf.to_str().unwrap(), "--on", "1"])
        .ends(2)
        .warns("is a place of its own, or a shelf");
    world.nine(&["put", "Downloads/in", "--on", "1", "--yes"]).ends(0);
    let inside = world.shelves.join("1 Boats/in");
    world
        .nine(&["put", inside.to_str().unwrap(), "--on", "1/in/deep", "--yes"])
        .ends(1)
        .says("the target is inside the item itself");
}

#[test]
fn paths_on_standard_input_are_filed() {
    use std::io::Write;
    use std::process::Stdio;
    let world = world();
    let mut command = world.command(&["put", "-", "-0", "--on", "2", "--yes"]);
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(b"Downloads/c.txt\0Downloads/in/b.txt\0").unwrap();
    assert!(child.wait().unwrap().success());
    assert!(world.shelves.join("2 Loans/c.txt").exists() && world.shelves.join("2 Loans/b.txt").exists());
}
