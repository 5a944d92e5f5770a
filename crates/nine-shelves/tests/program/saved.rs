//! Saved searches, and the folders of links that display them.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::symlink;
use std::path::Path;

use super::support::World;

fn world() -> World {
    let world = World::new();
    world
        .rules("# the end\n")
        .file("a.zip", "PK\x03\x04 12345")
        .file("b/a.zip", "PK\x03\x04 1234567")
        .file("c.txt", "x");
    world
}

fn config(world: &World) -> String {
    fs::read_to_string(world.at("nine/shelves.toml")).unwrap()
}

#[test]
fn a_search_is_saved_run_again_changed_and_dropped() {
    let world = world();
    let before = config(&world);
    world
        .nine(&["search", "ext", "zip", "--save", "packs"])
        .ends(0)
        .says("2 files")
        .warns("saved as `packs`");
    world.nine(&["search", "--saved", "packs"]).ends(0).says("2 files");
    world
        .nine(&["search", "--saved", "packs", "size", "over", "10"])
        .ends(0)
        .says("1 file")
        .says("downloads/b");
    world.nine(&["search", "saved", "packs", "and", "loose"]).ends(0).says("1 file");
    let list = world.nine(&["search", "--list"]).ends(0).out;
    assert!(list.lines().any(|line| line.starts_with("packs") && line.contains(" 2 ")), "{list}");
    world.nine(&["search", "ext", "zip,txt", "--save", "packs"]).ends(0).warns("changed");
    world.nine(&["search", "--saved", "packs"]).ends(0).says("3 files");
    world.nine(&["search", "--drop", "packs"]).ends(0).says("is dropped");
    assert_eq!(config(&world), before);
    world.nine(&["search", "--saved", "packs"]).ends(2).warns("there is no saved search `packs`");
}

#[test]
fn the_starter_set_needs_no_configuration() {
    let world = world();
    let list = world.nine(&["search", "--list", "--format", "json"]).ends(0).out;
    let names: Vec<serde_json::Value> =
        list.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(names.len(), 9);
    assert!(names.iter().all(|search| search["starter"] == true));
    world.nine(&["search", "--saved", "installr"]).ends(2).warns("did you mean `installers`?");
    world.nine(&["search", "--drop", "big"]).ends(2).warns("ships with the program");
    // One of the person's own stands in for a starter, and dropping it brings the starter back.
    world.nine(&["search", "size", "over", "5", "--save", "big"]).ends(0);
    world.nine(&["search", "--saved", "big"]).ends(0).says("2 files");
    world.nine(&["search", "--drop", "big"]).ends(0);
    world.nine(&["search", "--saved", "big"]).ends(0).says("0 files");
}

#[test]
fn edits_keep_every_comment_and_wrong_ones_change_nothing() {
    let world = world();
    let text = "# first\n\n[search.x] # mine\n# about it\nwhere = \"empty\" # nothing in it\n\n[pile.downloads] # all\n";
    let text = format!("{text}at = \"{}\" # here\n# last\n", world.at("Downloads").display());
    world.config(&text);
    world.nine(&["search", "not", "empty", "--save", "x"]).ends(0);
    assert_eq!(config(&world), text.replace("\"empty\"", "\"not empty\""));
    world.nine(&["search", "ext", "zip", "--save", "bad/name"]).ends(2).warns("cannot be the name");
    world.nine(&["search", "ext", "zip", "--save", "..", "--display"]).ends(2);
    world.nine(&["search", "--save", "y"]).ends(2).warns("there is no condition to save");
    assert_eq!(config(&world), text.replace("\"empty\"", "\"not empty\""));
}

#[test]
fn a_rule_may_use_one_and_circles_are_shown() {
    let world = World::new();
    world.rules("[search.packs]\nwhere = \"ext zip\"\n\n[[rule]]\nwhen = \"saved packs and age over 30d\"\nput = \"3\"\n");
    world.file("a.zip", "PK\x03\x04");
    world.nine(&["tidy", "--yes"]).ends(0).says("1 moved");
    assert!(world.shelves.join("3 Grants/a.zip").exists());
    world.rules("[search.a]\nwhere = \"saved b\"\n[search.b]\nwhere = \"not saved a\"\n");
    world.nine(&["check"]).ends(2).warns("a saved search cannot use itself: `a` uses `b` uses `a`");
}

fn links(folder: &Path) -> BTreeMap<String, String> {
    let Ok(entries) = fs::read_dir(folder) else { return BTreeMap::new() };
    let of = |entry: fs::DirEntry| {
        let target = fs::read_link(entry.path()).map_or("no link".into(), |t| t.display().to_string());
        (entry.file_name().into_string().unwrap(), target)
    };
    entries.map(|entry| of(entry.unwrap())).collect()
}

#[test]
fn a_displayed_search_is_a_folder_of_links() {
    let world = world();
    let folder = world.at("Displays/packs");
    world.nine(&["search", "ext", "zip", "--save", "packs", "--display"]).ends(0);
    let (first, second) = (world.at("Downloads/a.zip"), world.at("Downloads/b/a.zip"));
    let shown = links(&folder);
    assert_eq!(shown["a.zip"], first.display().to_string());
    assert_eq!(shown["a (2).zip"], second.display().to_string());
    // A run that changes what is found brings it up to date.
    world.rules(
        "[search.packs]\nwhere = \"ext zip\"\ndisplay = true\n\n[[rule]]\nwhen = \"ext zip\"\nput = \"3\"\n",
    );
    world.nine(&["tidy", "--yes"]).ends(0);
    assert_eq!(links(&folder)["a.zip"], second.display().to_string());
    assert_eq!(links(&folder)["a (2).zip"], world.shelves.join("3 Grants/a.zip").display().to_string());
    // From what is known alone nothing is read, and so nothing is brought up to date.
    fs::remove_file(&second).unwrap();
    world.nine(&["search", "--saved", "packs", "--known"]).ends(0).says("2 files");
    assert_eq!(links(&folder).len(), 2);
    world.nine(&["search", "--saved", "packs"]).ends(0).says("1 file");
    assert_eq!(links(&folder).len(), 1);
    world.old_file(&second, "PK\u{3}\u{4} again");
    world.nine(&["search", "ext", "zip", "--save", "packs", "--display", "no"]).ends(0);
    assert!(!folder.exists() && second.exists());
}

#[test]
fn a_display_touches_nothing_but_its_own_links() {
    let world = world();
    let folder = world.at("Displays/packs");
    fs::create_dir_all(&folder).unwrap();
    fs::write(folder.join("a.zip"), "the person's own").unwrap();
    symlink("/nowhere", folder.join("mine")).unwrap();
    world.nine(&["search", "ext", "zip", "--save", "packs", "--display"]).ends(0);
    assert_eq!(links(&folder).keys().collect::<Vec<_>>(), ["a (2).zip", "a (3).zip", "a.zip", "mine"]);
    fs::remove_file(world.at("Downloads/a.zip")).unwrap();
    world.nine(&["search", "--saved", "packs"]).ends(0);
    assert_eq!(links(&folder).len(), 3);
    world.nine(&["search", "--drop", "packs"]).ends(0);
    assert_eq!(links(&folder).keys().collect::<Vec<_>>(), ["a.zip", "mine"]);
    assert_eq!(fs::read_to_string(folder.join("a.zip")).unwrap(), "the person's own");
    // Where the folder's name leads elsewhere, nothing is put there.
    fs::create_dir(world.at("outside")).unwrap();
    fs::rename(&folder, world.at("old")).unwrap();
    symlink(world.at("outside"), &folder).unwrap();
    let ran = world.nine(&["search", "ext", "zip", "--save", "packs", "--display"]).ends(0);
    ran.warns("is not up to date: something that is no folder has its name");
    assert_eq!(fs::read_dir(world.at("outside")).unwrap().count(), 0);
}
