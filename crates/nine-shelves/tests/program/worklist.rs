//! The full circle of a worklist in a file: proposed, written, edited, carried out, taken back.

use std::fs;

use crate::facets::FACETS;
use crate::support::{World, tags_of};

fn world() -> World {
    let world = World::new();
    world.rules(FACETS);
    for name in ["HDT 30-31 receipt.pdf", "kittiwake 2029-30.pdf", "harrow dock letter.pdf", "menu 30-31.pdf"]
    {
        world.file(name, &format!("%PDF-1.4 {name}"));
    }
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(0).warns("4 lines written to list.csv, 2 in doubt");
    world
}

fn edit(world: &World, change: impl Fn(String) -> String) {
    let list = fs::read_to_string(world.at("list.csv")).unwrap();
    fs::write(world.at("list.csv"), change(list)).unwrap();
}

#[test]
fn what_the_person_changed_is_carried_out_and_taken_back() {
    let world = world();
    let before = world.picture();
    edit(&world, |list| {
        let list = list
            // A lender corrected, a season added, a line left, another target.
            .replace("Kittiwake Society,2029-30", "Harrow Dock Trust,2029-30")
            .replace("Harrow Dock Trust,\n", "harrow dock trust,2030-31\n");
        let lines = list.lines().map(|line| match line.contains("HDT 30-31") {
            true => line.replace(
                "home/2 Loans/Harrow Dock Trust/2030-31/Harrow Dock Trust 2030-31 receipt.pdf",
                "home/1 Boats/r.pdf",
            ),
            false => line.to_owned(),
        });
        lines.filter(|line| !line.contains("menu")).collect::<Vec<_>>().join("\r\n")
    });
    world
        .nine(&["carry", "list.csv"])
        .ends(0)
        .says("Otherwise than proposed")
        .says("lender Harrow Dock Trust, not Kittiwake Society")
        .says("season 2030-31")
        .says("to home/1 Boats/r.pdf, not home/2 Loans/Harrow Dock Trust")
        .says("1 line deleted");
    assert_eq!(world.picture(), before);
    world.nine(&["carry", "list.csv", "--yes"]).ends(0).says("3 moved, 3 tagged");
    let at = |path: &str| world.shelves.join(path);
    let filed = at("2 Loans/Harrow Dock Trust/2029-30/Harrow Dock Trust 2029-30 kittiwake.pdf");
    assert_eq!(tags_of(&filed), "loans,lender/Harrow Dock Trust,season/2029-30");
    assert!(at("2 Loans/Harrow Dock Trust/2030-31/Harrow Dock Trust 2030-31 letter.pdf").exists());
    assert_eq!(tags_of(&at("1 Boats/r.pdf")), "loans,lender/Harrow Dock Trust,season/2030-31");
    assert!(world.at("Downloads/menu 30-31.pdf").exists());
    world.nine(&["history"]).ends(0).says("nine tidy, from list.csv");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn what_changed_since_is_refused_and_the_rest_goes_on() {
    let world = world();
    fs::write(world.at("Downloads/HDT 30-31 receipt.pdf"), "%PDF-1.4 edited").unwrap();
    world.nine(&["tag", "add", "mine", "Downloads/kittiwake 2029-30.pdf", "--yes"]).ends(0);
    world
        .nine(&["carry", "list.csv", "--yes"])
        .ends(1)
        .says("HDT 30-31 receipt.pdf  it has been changed since the worklist was written")
        .says("kittiwake 2029-30.pdf  its tags have been changed since");
    assert!(world.at("Downloads/HDT 30-31 receipt.pdf").exists());
    assert_eq!(tags_of(&world.at("Downloads/kittiwake 2029-30.pdf")), "mine");
}

#[test]
fn nothing_is_carried_out_half_understood() {
    let world = world();
    let before = world.picture();
    edit(&world, |list| list.replace("Kittiwake Society,2029-30", "Kitiwake Society,next year"));
    world
        .nine(&["carry", "list.csv", "--yes"])
        .ends(2)
        .warns("1 thing in the worklist cannot be understood")
        .warns("list.csv:")
        .warns("`Kitiwake Society` is no answer of lender")
        .warns("did you mean `Kittiwake Society`?");
    assert_eq!(world.picture(), before);
    fs::write(world.at("other.csv"), "step,do,item,to\n1,move,downloads/x.pdf,home/1 Boats/x.pdf\n").unwrap();
    world.nine(&["carry", "other.csv", "--yes"]).ends(2).warns("other.csv is no worklist that is known here");
    world.nine(&["carry", "none.csv"]).ends(2).warns("there is no file none.csv");
    assert_eq!(world.picture(), before);
}

#[test]
fn a_file_is_never_overwritten_and_its_name_says_its_form() {
    let world = world();
    let list = fs::read(world.at("list.csv")).unwrap();
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(2).warns("list.csv is there already");
    assert_eq!(fs::read(world.at("list.csv")).unwrap(), list);
    world.nine(&["tidy", "--worklist", "list.txt"]).ends(2).warns("neither .csv nor .json");
    world.nine(&["tidy", "--worklist", "list.json"]).ends(0);
    let json = fs::read_to_string(world.at("list.json")).unwrap();
    let first: serde_json::Value = serde_json::from_str(json.lines().next().unwrap()).unwrap();
    assert_eq!((&first["do"], &first["lender"]), (&"leave".into(), &"Harrow Dock Trust".into()));
    world.nine(&["carry", "list.json", "--yes"]).ends(0).says("2 moved");
}

#[test]
fn every_planner_writes_one() {
    let world = world();
    let before = world.picture();
    for (words, done) in [
        (&["put", "Downloads/menu 30-31.pdf", "--on", "3"][..], "1 moved"),
        (&["tag", "add", "todo", "Downloads/menu 30-31.pdf"], "1 tagged"),
        (&["tag", "--from-folder", "Downloads/menu 30-31.pdf"], ""),
    ] {
        world.nine(&[words, &["--worklist", "w.csv"]].concat()).ends(0);
        let carried = world.nine(&["carry", "w.csv", "--yes"]).ends(0);
        assert!(carried.out.contains(done), "{words:?}: {}", carried.out);
        fs::remove_file(world.at("w.csv")).unwrap();
        if done.is_empty() {
            continue;
        }
        world.nine(&["undo", "--worklist", "u.json"]).ends(0);
        world.nine(&["carry", "u.json", "--yes"]).ends(0);
        fs::remove_file(world.at("u.json")).unwrap();
        assert_eq!(world.picture(), before, "{words:?}");
    }
}

#[test]
fn what_is_in_doubt_can_be_left() {
    let world = world();
    world.nine(&["tidy", "--sure", "--yes"]).ends(0).says("2 moved").says("the season is not known");
    assert!(
        world.at("Downloads/menu 30-31.pdf").exists()
            && world.at("Downloads/harrow dock letter.pdf").exists()
    );
}
