//! Where things would go by the example of what is filed, through the program.

use std::fs;
use std::os::unix::ffi::OsStrExt;

use super::support::{Ran, World, in_a_session};

/// Shelves on which somebody has filed for years.
fn world() -> World {
    let world = World::new();
    world.rules("");
    for n in 1..=9 {
        for lender in ["harrow", "kittiwake"] {
            filed(&world, &format!("2 Loans/{lender}/loan agreement {lender} {n}.pdf"));
        }
        filed(&world, &format!("1 Boats/hull drawing {n}.dwg"));
        for year in [2028, 2029, 2030] {
            filed(&world, &format!("3 Grants/{year}/grant report {year} part {n}.odt"));
        }
    }
    world
}

fn filed(world: &World, path: &str) {
    // Each of another size, since what has one name and size is taken for a copy.
    world.old_file(&world.shelves.join(path), path);
}

fn suggest(world: &World, words: &[&str]) -> Ran {
    world.nine(&[&["suggest"], words].concat())
}

/// Item, place and why of each step.
fn suggested(world: &World, words: &[&str]) -> Vec<(String, String, String)> {
    let out = suggest(world, &[words, &["--format", "json"]].concat()).ends(0).out;
    let line = |line: &str| {
        let step: serde_json::Value = serde_json::from_str(line).unwrap();
        let text = |key: &str| step[key].as_str().unwrap_or_default().to_owned();
        (text("item"), text("to"), text("why"))
    };
    out.lines().map(line).collect()
}

fn place_of(world: &World, name: &str) -> Option<String> {
    let found = suggested(world, &[]).into_iter().find(|(item, ..)| *item == format!("downloads/{name}"));
    found.map(|(_, to, _)| to.strip_suffix(&format!("/{name}")).unwrap_or(&to).to_owned())
}

#[test]
fn loose_things_go_where_their_like_is_and_come_back() {
    let world = world();
    world
        .file("loan agreement harrow signed.pdf", "1")
        .file("grant report 2031 part 1.odt", "22")
        .file("zzz.bin", "3");
    world.file("notes/hull drawing.dwg", "4");
    let before = world.picture();
    suggest(&world, &[])
        .ends(0)
        .says("all 9 files with \"harrow\" in the name are in 2 Loans/harrow")
        .says("3 Grants/2031")
        .says("a new folder, named as those beside it are")
        .says("learned from 54 items in 4 folders; 4 loose items: 2 with a folder, 2 for which nothing speaks clearly")
        .warns("Nothing has been changed. Add --yes");
    assert_eq!(world.picture(), before);
    suggest(&world, &["--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("2 Loans/harrow/loan agreement harrow signed.pdf").exists());
    assert!(world.shelves.join("3 Grants/2031/grant report 2031 part 1.odt").exists());
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn each_reason_is_a_search_that_lists_what_it_counts() {
    let world = world();
    // What a search must be told to leave out: held things, what is put off, and folders that are no shelves.
    for path in [
        "2 Loans/Held/loan agreement harrow x.pdf",
        "elsewhere/loan harrow y.pdf",
        "2 Loans/harrow/.loan.pdf",
    ] {
        filed(&world, path);
    }
    filed(&world, "1 Boats/HARROW \u{1b}[2J \"q\" $(x).pdf");
    world
        .file("Loan agreement HARROW 2031-02.pdf", "1")
        .file("grant report 2031.odt", "2")
        .file("hull drawing 10.dwg", "3");
    let mut reasons = 0;
    for name in ["Loan agreement HARROW 2031-02.pdf", "grant report 2031.odt", "hull drawing 10.dwg"] {
        let told = world.nine(&["why", &format!("downloads/{name}"), "--format", "json"]).ends(0).out;
        let told: serde_json::Value = serde_json::from_str(&told).unwrap();
        assert_eq!(told["suggested"]["suggested"], true, "{told}");
        for reason in told["suggested"]["reasons"].as_array().unwrap() {
            let search = shlex::split(reason["search"].as_str().unwrap()).unwrap();
            let words: Vec<&str> =
                search.iter().skip(1).map(String::as_str).chain(["--format", "paths0"]).collect();
            let listed = world.nine_raw(&words);
            let listed = listed.iter().filter(|byte| **byte == 0).count() as u64;
            assert_eq!(Some(listed), reason["all"].as_u64(), "{reason}");
            reasons += 1;
        }
    }
    assert!(reasons >= 6, "{reasons}");
    world
        .nine(&["why", "downloads/hull drawing 10.dwg"])
        .ends(0)
        .says("by the example of what is filed")
        .says("nine search");
}

#[test]
fn what_is_put_off_held_archived_or_there_twice_teaches_nothing() {
    let world = World::new();
    world.rules("[archive]\nwhen = \"idle over 900d\"\nput = \"3/{today}\"\n");
    for n in 1..=9 {
        filed(&world, &format!("3 Grants/2030-01-02/sextant {n}.pdf"));
        filed(&world, &format!("1 Boats/Held/compass {n}.pdf"));
        filed(&world, &format!("1 Boats/Sort later/anchor {n}.pdf"));
        filed(&world, &format!("1 Boats/hull {n}.dwg"));
        for folder in ["1 Boats/a", "2 Loans/b"] {
            world.old_file(&world.shelves.join(format!("{folder}/lamp {n}.pdf")), "the same size");
        }
    }
    // Of one name and size, and yet two things.
    world.old_file(&world.shelves.join("1 Boats/a/rope.pdf"), "made of hemp");
    world.old_file(&world.shelves.join("2 Loans/b/rope.pdf"), "made of wire");
    world
        .file("sextant 10.pdf", "1")
        .file("compass 10.pdf", "2")
        .file("anchor 10.pdf", "3")
        .file("lamp 10.pdf", "4");
    assert_eq!(suggested(&world, &[]), []);
    suggest(&world, &[]).ends(0).says("learned from 11 items in 3 folders");
}

#[test]
fn where_nothing_is_filed_it_says_what_to_do() {
    let world = World::new();
    world.rules("");
    world.file("a.pdf", "1");
    for words in [&[][..], &["--rules"], &["--measure"]] {
        suggest(&world, words).ends(0).says("Nothing is filed yet").says("nine review");
    }
    world.config("");
    suggest(&world, &[]).ends(2).warns("no bookcase to learn from").warns("nine setup");
    world.rules("");
    filed(&world, "1 Boats/only one.pdf");
    suggest(&world, &[]).ends(0).says("learned from 1 item in 1 folder");
    suggest(&world, &["--over", "120"]).ends(2).warns("a share of a hundred");
    suggest(&world, &["downlods"]).ends(2).warns("downloads");
    suggest(&world, &["--measure", "--yes"]).ends(2).warns("--yes has nothing to do here");
    suggest(&world, &["--rules", "downloads"]).ends(2).warns("rules are learned from what is filed");
}

#[test]
fn what_is_taken_back_is_not_said_again() {
    let world = world();
    world.file("hull drawing 77.dwg", "1");
    assert_eq!(place_of(&world, "hull drawing 77.dwg").as_deref(), Some("home/1 Boats"));
    suggest(&world, &["--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_ne!(place_of(&world, "hull drawing 77.dwg").as_deref(), Some("home/1 Boats"));
    // What was learned is in the catalogue, and the daybook tells it again.
    fs::remove_file(world.data.join("catalogue.sqlite")).unwrap();
    assert_ne!(place_of(&world, "hull drawing 77.dwg").as_deref(), Some("home/1 Boats"));
    // Taking the undo back is a yes after all.
    world.nine(&["undo", "2", "--yes"]).ends(0);
    fs::rename(world.shelves.join("1 Boats/hull drawing 77.dwg"), world.at("Downloads/hull drawing 77.dwg"))
        .unwrap();
    assert_eq!(place_of(&world, "hull drawing 77.dwg").as_deref(), Some("home/1 Boats"));
}

#[test]
fn what_a_person_moves_after_a_run_counts_more_than_what_was_there() {
    let world = world();
    world.rules("[[rule]]\nname = \"ropes\"\nwhen = \"name has rope\"\nput = \"1\"\n");
    filed(&world, "1 Boats/rope old.txt");
    world.file("rope new.txt", "12");
    world.nine(&["tidy", "--yes"]).ends(0);
    let moved = world.shelves.join("1 Boats/rope new.txt");
    fs::create_dir_all(world.shelves.join("2 Loans/ropes")).unwrap();
    fs::rename(moved, world.shelves.join("2 Loans/ropes/rope new.txt")).unwrap();
    world.rules("");
    world.file("rope newest.txt", "1");
    let found = suggested(&world, &["--over", "10"]);
    assert_eq!(found[0].1, "home/2 Loans/ropes/rope newest.txt", "{found:?}");
}

#[test]
fn rules_are_found_picked_written_and_then_known() {
    let world = world();
    world.file("loan agreement harrow signed.pdf", "1");
    let found = suggest(&world, &["--rules", "--format", "json"]).ends(0).out;
    let rules: Vec<serde_json::Value> =
        found.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(rules[0]["when"], "name has grant");
    assert_eq!(rules[0]["put"], "3/{stem:year}");
    assert_eq!((&rules[0]["right"], &rules[0]["elsewhere"]), (&27.into(), &0.into()));
    assert!(rules.iter().any(|rule| rule["put"] == "2/harrow" && rule["loose_now"] == 1), "{found}");
    suggest(&world, &["--rules"]).ends(0).says("put on 3/{stem:year}").warns("Nothing has been written");
    suggest(&world, &["--rules", "--only", "1,99", "--yes"]).ends(2).warns("there is no rule 99");
    suggest(&world, &["--rules", "--only", "1", "--yes"]).ends(0).says("+ put = \"3/{stem:year}\"");
    let config = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    assert_eq!(config.matches("[[rule]]").count(), 1, "{config}");
    suggest(&world, &["--rules"]).ends(0).says("your own 27");
    let again = suggest(&world, &["--rules", "--format", "json"]).ends(0).out;
    assert!(!again.contains("3/{stem:year}"), "{again}");
    // On a terminal they are picked by number.
    let (status, said) = in_a_session(
        &world,
        &["suggest", "--rules"],
        &[("[none]", "7\n"), ("no rule 7", "1\n"), ("Carry out", "y\n")],
    );
    assert_eq!(status, Some(0), "{said}");
    assert!(said.contains("there is no rule 7"), "{said}");
    let config = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    assert_eq!(config.matches("[[rule]]").count(), 2, "{config}");
}

#[test]
fn a_rule_that_the_shelves_contradict_is_told() {
    let world = world();
    world.rules("[[rule]]\nname = \"hulls\"\nwhen = \"name has hull\"\nput = \"3\"\n\n[[rule]]\nname = \"old\"\nwhen = \"name has loan and age over 2d\"\nput = \"1\"\n");
    let told = suggest(&world, &["--rules"]).ends(0);
    assert!(
        told.out.contains("your rule `hulls` puts on 3 Grants what is filed on 1 Boats: 9 items"),
        "{}",
        told.out
    );
    assert!(!told.out.contains("`old`"), "it is for what has grown old: {}", told.out);
}

#[test]
fn what_is_measured_is_told_as_it_is() {
    let world = world();
    suggest(&world, &["--measure"]).ends(0).says("asked about").says("What was said and what was true");
    let lines = suggest(&world, &["--measure", "--format", "json"]).ends(0).out;
    assert!(lines.lines().all(|line| line.contains("\"said\":") && line.contains("\"right\":")), "{lines}");
}

#[test]
fn names_that_are_no_text_and_folders_as_wholes_are_suggested_too() {
    let world = world();
    for n in 1..=6 {
        filed(&world, &format!("1 Boats/Survey of the Petrel {n}/hull.dwg"));
    }
    fs::create_dir_all(world.at("Downloads/Survey of the Petrel 7")).unwrap();
    world.file("Survey of the Petrel 7/hull.dwg", "1");
    let odd = std::ffi::OsStr::from_bytes(b"loan agreement harrow \xff.pdf");
    world.old_file(&world.at("Downloads").join(odd), "1");
    let found = suggested(&world, &["--over", "30"]);
    let to: Vec<&str> = found.iter().map(|(_, to, _)| to.as_str()).collect();
    assert!(to.contains(&"home/1 Boats/Survey of the Petrel 7"), "{found:?}");
    assert!(to.contains(&"home/2 Loans/harrow/loan agreement harrow \\xff.pdf"), "{found:?}");
    suggest(&world, &["--over", "30", "--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("1 Boats/Survey of the Petrel 7/hull.dwg").exists());
}

#[test]
fn a_table_of_suggestions_is_edited_and_carried_out() {
    let world = world();
    world.file("hull drawing 77.dwg", "1").file("loan agreement kittiwake 77.pdf", "2");
    suggest(&world, &["--worklist", "w.csv"]).ends(0).warns("2 lines written");
    let table = fs::read_to_string(world.at("w.csv")).unwrap();
    assert!(table.contains("all 9 files with"), "{table}");
    fs::write(world.at("w.csv"), table.replace("home/1 Boats/", "home/2 Loans/")).unwrap();
    world.nine(&["carry", "w.csv", "--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("2 Loans/hull drawing 77.dwg").exists());
}

#[test]
fn with_nobody_there_a_suggestion_is_kept_for_the_review() {
    let world = world();
    world.rules("[routine.weekly]\nrun = [\"suggest\"]\nunattended = \"sure\"\n");
    world.file("hull drawing 77.dwg", "1");
    let before = world.picture();
    world.nine(&["routine", "weekly", "--unattended"]).ends(0).warns("in doubt");
    assert_eq!(world.picture(), before, "a guess is never sure enough");
    world.nine(&[]).ends(0).says("nine review");
    world.nine(&["routine", "weekly", "--yes"]).ends(0).says("1 moved");
    let add = ["routine", "bad", "--part", "suggest --rules", "--yes"];
    world.nine(&add).ends(2).warns("cannot be a part of a routine");
}
