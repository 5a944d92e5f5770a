//! Copies: found, flagged, discarded, and taken back.

use std::fs;

use super::support::{World, on_a_terminal, picture_of, tags_of};

/// Longer than both ends that are read first.
fn long(middle: &str) -> String {
    format!("{}{middle}{}", "a".repeat(40_000), "z".repeat(40_000))
}

fn world() -> World {
    let world = World::new();
    world.rules("");
    world.old_file(&world.shelves.join("2 Loans/letter.txt"), "the letter");
    world
        .file("letter (1).txt", "the letter")
        .file("sub/brief.txt", "the letter")
        .file("film.mp4", &long("1"))
        .file("more/film again.mp4", &long("1"))
        .file("more/other film.mp4", &long("2"))
        .file("alone.txt", "nothing else is like this")
        .file("empty 1", "")
        .file("empty 2", "");
    world
}

/// The items that are told, with what they are told as.
fn told(world: &World, words: &[&str]) -> Vec<(String, String)> {
    let out = world.nine(&[&["copies", "--format", "json"], words].concat()).ends(0).out;
    let line = |line: &str| -> (String, String) {
        let record: serde_json::Value = serde_json::from_str(line).unwrap();
        (record["as"].as_str().unwrap().into(), record["item"].as_str().unwrap().into())
    };
    out.lines().map(line).collect()
}

fn pair(r#as: &str, item: &str) -> (String, String) {
    (r#as.into(), item.into())
}

#[test]
fn bytes_decide_and_the_shelf_keeps_its_own() {
    let world = world();
    let ran = world.nine(&["copies"]).ends(0);
    let ran = ran.says("film.mp4  2 files with the same bytes, 80 KB each, 80 KB to be won");
    let ran = ran.says("letter.txt  3 files with the same bytes, 10 B each, 20 B to be won");
    ran.says("stays: on a shelf").says("2 groups: 3 items are not needed, 80 KB to be won");
    let wanted = [
        pair("stays", "downloads/film.mp4"),
        pair("copy", "downloads/more/film again.mp4"),
        pair("stays", "home/2 Loans/letter.txt"),
        pair("copy", "downloads/letter (1).txt"),
        pair("copy", "downloads/sub/brief.txt"),
    ];
    assert_eq!(told(&world, &[]), wanted);
    // The second run reads nothing, and says the same.
    assert_eq!(told(&world, &[]), wanted);
    assert_eq!(told(&world, &["--keep", "in:downloads/sub"])[2], pair("stays", "downloads/sub/brief.txt"));
    assert_eq!(told(&world, &["--where", "name", "has", "film"]).len(), 2);
    assert_eq!(told(&world, &["--empty"]).len(), 7);
    assert_eq!(told(&world, &["Downloads/sub", "home"]).len(), 2);
    let paths = world.nine(&["copies", "--format", "paths"]).ends(0).out;
    assert_eq!(paths.lines().count(), 3);
    world.nine(&["copies", "--yes"]).ends(2).warns("add --flag or --discard to have something done");
    world.nine(&["copies", "--keep", "oldest"]).ends(2).warns("did you mean `older`?");
    let config = fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    world.config(&format!("{config}\n[copies]\nkeep = [\"in:downloads\", \"shorter\"]\n"));
    assert_eq!(told(&world, &[])[2], pair("stays", "downloads/sub/brief.txt"));
    world.config(&format!("{config}\n[copies]\nkeep = [\"in:desk\"]\n"));
    world.nine(&["copies"]).ends(2).warns("there is no place `desk`");
}

#[test]
fn whole_folders_hard_links_and_what_is_kept_together() {
    let world = World::new();
    world.rules("");
    for folder in ["Open day", "import/Open day"] {
        world.file(&format!("{folder}/1.jpg"), "one").file(&format!("{folder}/more/2.jpg"), "two");
    }
    world.file("Clock.app/icon.png", "an icon").file("icon.png", "an icon");
    world.file("linked", "one file with two names");
    fs::hard_link(world.at("Downloads/linked"), world.at("Downloads/linked too")).unwrap();
    world.file("a/twin", "a file and its link").file("a/more", "so that the folders differ");
    world.file("b/twin", "a file and its link");
    fs::hard_link(world.at("Downloads/b/twin"), world.at("Downloads/c")).unwrap();
    let wanted = [
        pair("stays", "downloads/a/twin"),
        pair("copy", "downloads/b/twin"),
        pair("link", "downloads/c"),
        pair("stays", "downloads/icon.png"),
        pair("bound", "downloads/Clock.app/icon.png"),
        pair("stays", "downloads/Open day"),
        pair("copy", "downloads/import/Open day"),
    ];
    let all = told(&world, &["--keep", "shorter"]);
    // What stays of the icons is the loose one, and the other is part of its bundle: nothing can go.
    let without_icons: Vec<_> = wanted.iter().filter(|(_, item)| !item.contains("icon")).cloned().collect();
    assert_eq!(all, without_icons);
    let all = told(&world, &["--keep", "in:downloads/Clock.app,shorter"]);
    assert!(all.contains(&pair("copy", "downloads/icon.png")), "{all:?}");
    world.nine(&["copies"]).ends(0).says("Open day/  2 folders with the same 2 files");
    let before = world.picture();
    world.nine(&["copies", "--discard", "--keep", "shorter", "--yes"]).ends(0).says("3 discarded");
    for gone in ["import/Open day", "b/twin", "c"] {
        assert!(!world.at("Downloads").join(gone).exists(), "{gone}");
    }
    for left in ["Open day/more/2.jpg", "a/twin", "icon.png", "Clock.app/icon.png", "linked", "linked too"] {
        assert!(world.at("Downloads").join(left).exists(), "{left}");
    }
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn flags_can_be_searched_and_follow_what_stays() {
    let world = world();
    world.nine(&["copies", "--flag"]).ends(0).says("3 to tag").warns("Nothing has been changed");
    world.nine(&["copies", "--flag", "--yes"]).ends(0).says("3 tagged");
    let flagged = world.nine(&["search", "tag", "copy", "--format", "paths"]).ends(0).out;
    assert_eq!(flagged.lines().count(), 3);
    world.nine(&["copies", "--flag", "--yes"]).ends(0);
    // Another one stays now: it loses the flag, and what stood on the shelf gets it.
    world.nine(&["copies", "--flag", "--keep", "in:downloads/sub", "--yes"]).ends(0).says("2 tagged");
    assert_eq!(tags_of(&world.shelves.join("2 Loans/letter.txt")), "copy");
    assert_eq!(tags_of(&world.at("Downloads/sub/brief.txt")), "");
}

#[test]
fn tags_of_what_goes_are_handed_over_or_doubted() {
    let world = world();
    world.nine(&["tag", "add", "lender/Harrow,old", "Downloads/letter (1).txt", "--yes"]).ends(0);
    let ran = world.nine(&["copies", "--discard"]).ends(0);
    ran.says("what stays does not have its tags `lender/Harrow`, `old`; --give-tags hands them over");
    world.nine(&["copies", "--discard", "--sure", "--yes"]).ends(0).says("2 discarded");
    assert!(world.at("Downloads/letter (1).txt").exists(), "what is in doubt is left");
    world.nine(&["copies", "--discard", "--give-tags", "--yes"]).ends(0).says("1 tagged, 1 discarded");
    assert_eq!(tags_of(&world.shelves.join("2 Loans/letter.txt")), "lender/Harrow,old");
    assert!(!world.at("Downloads/letter (1).txt").exists());
}

#[test]
fn a_worklist_of_copies_is_edited_and_checked_again() {
    let world = world();
    let file = world.at("copies.csv");
    world.nine(&["copies", "--discard", "--worklist", file.to_str().unwrap()]).ends(0);
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains("copy of home/2 Loans/letter.txt, which stays: on a shelf"), "{text}");
    let edited: Vec<&str> = text.lines().filter(|line| !line.contains("sub/brief.txt")).collect();
    fs::write(&file, edited.join("\n") + "\n").unwrap();
    // What stays is otherwise by now: the copy is as good as the only one.
    fs::write(world.shelves.join("2 Loans/letter.txt"), "written over").unwrap();
    let ran = world.nine(&["carry", file.to_str().unwrap(), "--yes"]).ends(1);
    ran.says("what stays in its place, home/2 Loans/letter.txt, is gone or has changed").says("1 discarded");
    assert!(world.at("Downloads/letter (1).txt").exists() && world.at("Downloads/sub/brief.txt").exists());
    assert!(!world.at("Downloads/more/film again.mp4").exists());
}

#[test]
fn what_belongs_to_a_copy_is_pointed_at() {
    let world = World::new();
    world.rules("");
    world.file("IMG_1.jpg", "a photo").file("IMG_1.xmp", "its own edits");
    world.old_file(&world.shelves.join("1 Boats/boat.jpg"), "a photo");
    let ran = world.nine(&["copies", "--discard"]).ends(0);
    ran.says("`IMG_1.xmp` beside it belongs to it, and stays behind");
}

#[test]
fn rules_and_conditions_know_copies() {
    let world = world();
    let rule = "[[rule]]\nname = \"twice\"\nreach = \"deep\"\nwhen = \"copy\"\ndiscard = \"copies\"\n";
    world.rules(rule);
    let ran = world.nine(&["tidy"]).ends(0);
    ran.says("twice: copy of").says("3 to discard");
    let count = |words: &[&str]| {
        let ran = world.nine(&[&["search", "--format", "paths"], words].concat()).ends(0);
        ran.out.lines().count()
    };
    assert_eq!((count(&["copy"]), count(&["copies", "is", "3"]), count(&["not", "copy"])), (5, 3, 4));
    // Elsewhere counts, also where only one place is searched; and what is known needs no reading.
    assert_eq!(count(&["copy", "and", "loose", "--in", "downloads"]), 2);
    assert_eq!(count(&["copy", "--known"]), 5);
    let why = world.nine(&["why", "downloads/letter (1).txt"]).ends(0).says("twice  applies");
    why.says("3 items with its bytes").says("home/2 Loans/letter.txt stays: on a shelf");
    let why = world.nine(&["why", "downloads/film.mp4"]).ends(0).says("twice  no");
    why.says("others have its bytes, and this is the one that stays");
    world.nine(&["why", "downloads/alone.txt"]).ends(0).says("copy: nothing else has its bytes");
    let before = world.picture();
    world.nine(&["tidy", "--yes"]).ends(0).says("3 discarded");
    assert_eq!(count(&["copy"]), 0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn the_survey_tells_what_copies_take() {
    let world = world();
    world.nine(&["survey"]).ends(0).says("?  copies among").says("of equal sizes  nine copies");
    // What was written just now may be written to again unseen, so nothing is kept of it.
    std::thread::sleep(std::time::Duration::from_millis(2_100));
    world.nine(&["copies"]).ends(0);
    world.nine(&["survey"]).ends(0).says("3  copies of others, 80 KB");
    let json = world.nine(&["survey", "--format", "json"]).ends(0).out;
    let place: serde_json::Value = serde_json::from_str(json.trim()).unwrap();
    assert_eq!(place["copies"], serde_json::json!({"files": 3, "bytes": 80_021, "not_compared": 0}));
}

#[test]
fn what_cannot_be_read_is_named_and_the_rest_is_found() {
    use std::os::unix::fs::PermissionsExt;
    let world = world();
    let locked = world.at("Downloads/sub/brief.txt");
    fs::set_permissions(&locked, fs::Permissions::from_mode(0o000)).unwrap();
    if fs::read(&locked).is_ok() {
        return; // the superuser reads everything
    }
    let ran = world.nine(&["copies"]).ends(1).warns("downloads/sub/brief.txt is not compared");
    ran.says("letter.txt  2 files with the same bytes");
}

#[test]
fn on_a_terminal_one_is_asked_once() {
    let world = world();
    let (status, shown) = on_a_terminal(&world, &["copies", "--discard"], "n\n");
    assert!(status == 3 && shown.contains("Carry out 3 steps?"), "{status}: {shown}");
    let (status, shown) = on_a_terminal(&world, &["copies", "--discard"], "y\n");
    assert!(status == 0 && shown.contains("3 discarded"), "{status}: {shown}");
    assert_eq!(picture_of(&world.trash().join("files")).len(), 3);
}

#[test]
fn a_whole_shelf_stays_whatever_has_its_files() {
    let world = World::new();
    world.rules("");
    // A pile that is a bookcase too.
    let text = std::fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    let (pile, case) = (world.at("Downloads"), world.shelves.clone());
    world.config(&text.replace(case.to_str().unwrap(), pile.to_str().unwrap()));
    world.file("1 Boats/plan.txt", "the plan").file("a/plan.txt", "the plan");
    world.nine(&["copies", "--discard", "--yes"]).ends(0).says("1 discarded").says("on a shelf");
    assert!(world.at("Downloads/1 Boats/plan.txt").exists());
    assert!(!world.at("Downloads/a").exists());
}
