//! What of one place is nowhere in another by content.

use std::fs;

use super::support::World;

/// An import beside the pile, part of which is on the shelves under other names.
fn world() -> World {
    let world = World::new();
    world.rules("");
    for (name, text) in [("Regatta 1.jpg", "one"), ("Regatta 2.jpg", "two"), ("IMG_3.jpg", "another three")] {
        world.old_file(&world.shelves.join("1 Boats/2030").join(name), text);
    }
    for (name, text) in [
        ("IMG_1.jpg", "one"),
        ("more/IMG_2.jpg", "two"),
        ("more/IMG_3.jpg", "three"),
        ("more/IMG_4.jpg", "four"),
    ] {
        world.old_file(&world.at("Import").join(name), text);
    }
    world.old_file(&world.at("Import/empty"), "");
    world
}

fn items(world: &World, words: &[&str]) -> Vec<String> {
    let out = world.nine(&[&["compare"], words, &["--format", "json"]].concat()).ends(0).out;
    let item = |line: &str| -> String {
        let record: serde_json::Value = serde_json::from_str(line).unwrap();
        record["item"].as_str().unwrap().into()
    };
    out.lines().map(item).collect()
}

#[test]
fn only_what_is_missing_is_told_unless_more_is_asked_for() {
    let world = world();
    let ran = world.nine(&["compare", "Import", "home"]).ends(0);
    let ran = ran.says("2 files (9 B) of Import are nowhere in home; 2 files (6 B) found there");
    ran.says("Not compared: 1 empty file");
    assert_eq!(items(&world, &["Import", "home"]), ["Import/more/IMG_3.jpg", "Import/more/IMG_4.jpg"]);
    assert_eq!(items(&world, &["Import", "home", "--reverse"]), ["home/1 Boats/2030/IMG_3.jpg"]);
    assert_eq!(items(&world, &["Import", "home", "--where", "name", "has", "4"]), ["Import/more/IMG_4.jpg"]);
    let found = world.nine(&["compare", "Import", "home", "--found"]).ends(0);
    found.says("home/1 Boats/2030/Regatta 1.jpg");
    let names = world.nine(&["compare", "Import", "home", "--names"]).ends(0);
    names.says("The same name, other bytes").says("missing  IMG_3.jpg").says("there    IMG_3.jpg");
    world.nine(&["compare", "Import"]).ends(2);
    world.nine(&["compare", "Import", "Import"]).ends(2).warns("both are the same folder");
    world.nine(&["compare", "Import", "nowhere"]).ends(2).warns("there is no such folder");
    // A part of a place against all of it: its own files do not count as found.
    assert_eq!(items(&world, &["Import/more", "Import"]).len(), 3);
    assert_eq!(items(&world, &["Import", "Import/more"]), ["Import/IMG_1.jpg"]);
}

#[test]
fn hard_links_on_both_sides_are_found_and_never_discarded() {
    let world = world();
    let (here, there) = (world.at("Import/same.bin"), world.shelves.join("1 Boats/same.bin"));
    world.old_file(&here, "one inode, two names, and a size of its own");
    fs::hard_link(&here, &there).unwrap();
    assert!(!items(&world, &["Import", "home"]).contains(&"Import/same.bin".to_owned()));
    world.nine(&["compare", "Import", "home", "--discard-found", "--yes"]).ends(0).says("2 discarded");
    assert!(here.exists() && there.exists());
}

#[test]
fn what_is_found_is_discarded_and_what_is_missing_is_filed() {
    let world = world();
    let ran = world.nine(&["compare", "Import", "home", "--discard-found"]).ends(0);
    ran.says("copy of home/1 Boats/2030/Regatta 1.jpg, which stays").warns("Nothing has been changed");
    world.nine(&["compare", "Import", "home", "--discard-found", "--yes"]).ends(0).says("2 discarded");
    assert!(!world.at("Import/IMG_1.jpg").exists() && world.at("Import/more/IMG_3.jpg").exists());
    let words = ["compare", "Import", "home", "--put-missing", "1/New", "--keep-folders", "--yes"];
    world.nine(&words).ends(0).says("New folder: 1 Boats/New").says("2 moved");
    assert!(world.shelves.join("1 Boats/New/more/IMG_4.jpg").exists());
    world.nine(&["compare", "Import", "home"]).ends(0).says("There is no file with bytes in Import");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(items(&world, &["Import", "home"]).len(), 2);
    assert!(world.at("Import/IMG_1.jpg").exists());
}

#[test]
fn what_changes_on_either_side_before_it_goes_is_refused() {
    let world = world();
    let file = world.at("go.csv");
    let words = ["compare", "Import", "home", "--discard-found", "--worklist", file.to_str().unwrap()];
    world.nine(&words).ends(0);
    fs::remove_file(world.shelves.join("1 Boats/2030/Regatta 1.jpg")).unwrap();
    let ran = world.nine(&["carry", file.to_str().unwrap(), "--yes"]).ends(1);
    ran.says("is gone or has changed").says("1 discarded, 1 not done");
    assert!(world.at("Import/IMG_1.jpg").exists());
}

#[test]
fn a_list_from_elsewhere_stands_for_a_place_that_is_not_there() {
    let world = world();
    let words = ["search", "--in", "home", "--format", "csv", "--with-hash"];
    let listing = world.nine(&words).ends(0).out;
    let header = listing.lines().next().unwrap();
    assert!(header.starts_with("item,") && header.ends_with(",blake3"), "{header}");
    let digest = blake3::hash(b"one").to_string();
    assert!(listing.contains(&digest), "{listing}");
    fs::write(world.at("disk.csv"), &listing).unwrap();
    fs::remove_dir_all(&world.shelves).unwrap();
    fs::create_dir(&world.shelves).unwrap();
    let ran = world.nine(&["compare", "Import", "--listing", "disk.csv"]).ends(0);
    ran.says("2 files (9 B) of Import are nowhere in the list; 2 files (6 B) found there");
    assert_eq!(items(&world, &["Import", "--listing", "disk.csv", "--found"]).len(), 2);
    let back = items(&world, &["Import", "--listing", "disk.csv", "--reverse"]);
    assert_eq!(back, ["home/1 Boats/2030/IMG_3.jpg"]);
    let words = ["compare", "Import", "--listing", "disk.csv", "--reverse", "--format", "paths"];
    assert_eq!(world.nine(&words).ends(0).out, "home/1 Boats/2030/IMG_3.jpg\n");
    world.nine(&["compare", "Import", "--listing", "disk.csv", "--discard-found"]).ends(2);
    fs::write(world.at("broken.csv"), format!("item,size,blake3\nx,ten,{digest}\n")).unwrap();
    let ran = world.nine(&["compare", "Import", "--listing", "broken.csv"]).ends(2);
    ran.warns("line 2: `ten` is no size in bytes");
    world.nine(&["compare", "Import", "--listing", "none.csv"]).ends(2).warns("cannot be read");
}
