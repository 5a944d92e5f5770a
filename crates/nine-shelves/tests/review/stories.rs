//! Whole stories: what a person does, and what became of the files.

use std::fs;

use super::screen::{DOWN, ENTER, ESC, Screen};
use super::support::{World, on_a_terminal_once, picture_of, tags_of};
use super::views::cluttered;

/// A pile of thirty items: ten that a rule is for, twenty that none is.
fn thirty() -> World {
    let world = World::new();
    world.rules("[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2/Contracts\"\n");
    for number in 10..20 {
        world.file(&format!("loan {number}.txt"), &format!("loan {number}"));
        world.file(&format!("oar {number}.txt"), &format!("oar {number}"));
        world.file(&format!("bill {number}.pdf"), &format!("bill {number}"));
    }
    world
}

fn names(folder: &std::path::Path) -> Vec<String> {
    let mut names: Vec<String> = fs::read_dir(folder)
        .into_iter()
        .flatten()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

#[test]
fn thirty_loose_items_are_cleared_by_keys_and_come_back() {
    let world = thirty();
    let before = world.picture();
    let mut screen = Screen::start(&world, &["review", "downloads"], 40, 120);
    screen.until("30 items").until("2 Loans");
    // The loans as the rule has them: one, then all that are like it.
    screen
        .keys(&[" "])
        .until("9 others with `loan` in the name")
        .keys(&["=", "1", ENTER])
        .until("10 to be done");
    // An oar onto the first shelf, into a folder that is new, and all that are like it.
    screen
        .keys(&["/", "oar", ENTER, "1"])
        .until("Onto 1 Boats")
        .keys(&["Oars", ENTER])
        .until("11 to be done");
    screen.until("9 others with the extension txt").keys(&["="]).until("The same for all").keys(&["1"]);
    screen.until("oar 19.txt").keys(&[ENTER]).until("20 to be done");
    // Of the bills one is discarded, one is left, one is repeated, and one decision is taken back.
    screen.keys(&["/", "bill 10", ENTER, "d"]).until("into the trash").keys(&["l"]).until("1 left");
    screen
        .keys(&["."])
        .until("2 left")
        .keys(&["d"])
        .until("22 to be done")
        .keys(&["u"])
        .until("21 to be done");
    screen.keys(&["q"]).until("carry out 21 items").keys(&["1"]);
    screen.until("Carry out 21 steps?").until("+10").keys(&["y", ENTER]).until("20 moved, 1 discarded");
    assert_eq!(screen.ends(), Some(0));
    screen.expect_given_back();
    assert_eq!(names(&world.shelves.join("1 Boats/Oars")).len(), 10);
    assert_eq!(names(&world.shelves.join("2 Loans/Contracts")).len(), 10);
    assert_eq!(names(&world.at("Downloads")).len(), 9);
    assert!(!world.data.join("review.jsonl").exists());
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn clashes_are_decided_one_by_one() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2/Contracts\"\n");
    for name in ["loan a.txt", "loan b.txt", "loan c.txt", "loan d.txt", "loan e.txt"] {
        world.file(name, &format!("new {name}"));
        let text = if name == "loan e.txt" { format!("new {name}") } else { format!("old {name}") };
        world.old_file(&world.shelves.join("2 Loans/Contracts").join(name), &text);
    }
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("c decides").keys(&["c"]).until("replace it").keys(&["1"]).until("1 to be done");
    screen.keys(&["c"]).until("leave it").keys(&["2"]).until("1 left");
    screen.keys(&["c"]).until("hold it").keys(&["3"]).until("2 to be done");
    screen.keys(&["c"]).until("replace it").keys(&["4"]).until("3 to be done");
    // The same bytes: what is new may go.
    screen.until("the same in both").keys(&["c"]).until("the same bytes in both").keys(&["1"]);
    screen.until("4 to be done").keys(&["q"]).until("carry out 4 items").keys(&["1"]);
    screen.until("[y/").keys(&["y", ENTER]).until("takes it back");
    assert_eq!(screen.ends(), Some(0));
    let there = picture_of(&world.shelves.join("2 Loans/Contracts"));
    let held = |name: &str| there.get(name).map(|what| what.contains("new")).unwrap_or_default();
    let listed: Vec<&String> = there.keys().collect();
    assert_eq!(names(&world.at("Downloads")), ["loan b.txt"], "{listed:?}");
    assert!(held("/loan a (2).txt") && held("/Held/loan c.txt") && held("/loan d.txt"), "{there:#?}");
    assert!(!held("/loan a.txt") && !held("/loan c.txt"), "{there:#?}");
}

#[test]
fn a_rule_is_made_of_a_decision_and_undone_with_the_run() {
    let world = cluttered();
    let rules = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("2 Loans").keys(&["/", "oar", ENTER, "1"]).until("Onto").keys(&["Oars", ENTER]);
    screen.until("make a rule of it").keys(&["m"]).until("A rule for").keys(&["1"]);
    screen.until("it would act on 2 items now").keys(&[ENTER]).until("is written with the run");
    screen.keys(&["q"]).until("carry out 1 item, and write 1 rule").keys(&["1"]);
    screen.until("Carry out 2 steps?").keys(&["y", ENTER]).until("1 moved, 1 written");
    assert_eq!(screen.ends(), Some(0));
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    assert!(
        text.contains("name = \"list to 1/Oars\"\nwhen = \"name has list\"\nput = \"1/Oars\"\n"),
        "{text}"
    );
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(world.shelves.join("1 Boats/Oars/sail list.txt").exists(), "the rule works from now on");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(fs::read_to_string(world.data.join("shelves.toml")).unwrap(), rules);
}

#[test]
fn a_closed_window_loses_no_decision() {
    let world = cluttered();
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&[" "]).until("1 to be done").keys(&["l"]).until("1 left");
    screen.keys(&["/", "oar", ENTER, "d"]).until("2 to be done");
    screen.send(rustix::process::Signal::KILL);
    assert_eq!(screen.ends(), None);
    drop(screen);
    // One is changed meanwhile, and one is new.
    world.file("loan anchor.txt", "The anchor, lent in June, and back in July.\n");
    world.file("late.txt", "came late");
    assert!(world.at("Downloads/oar list.txt").exists(), "nothing was done");

    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("A review was left: nine review, begun").until("3 decisions on 7 items").keys(&[ENTER]);
    screen.until("1 item is not gone through any more").until("loan anchor.txt").keys(&[ENTER]);
    screen.until("6 items · 1 to be done · 1 left").keys(&["q"]).until("drop it").keys(&["1"]);
    screen.until("Carry out 1 step?").keys(&["y", ENTER]).until("1 discarded");
    assert_eq!(screen.ends(), Some(0));
    assert!(!world.at("Downloads/oar list.txt").exists());

    // What is begun anew knows what came.
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("7 items · 0 to be done").until("late.txt").keys(&["q", ENTER]);
    assert_eq!(screen.ends(), Some(0));
}

#[test]
fn a_review_that_is_open_is_not_opened_twice() {
    let world = cluttered();
    let first = Screen::start(&world, &["review"], 24, 80);
    first.until("0   3").keys(&[" "]).until("1 to be done");
    let mut second = Screen::start(&world, &["review"], 24, 80);
    assert_ne!(second.ends(), Some(0));
    second.until_over("another review is open");
    first.keys(&["q"]).until("close").keys(&[DOWN, DOWN, DOWN, ENTER]).until("`nine review` goes on");
}

#[test]
fn a_no_at_the_end_keeps_what_was_decided_and_r_goes_back() {
    let world = cluttered();
    let before = world.picture();
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen
        .until("0   3")
        .keys(&[" "])
        .until("1 to be done")
        .keys(&["q", "1"])
        .until("[y/s/r/n]")
        .keys(&["r", ENTER]);
    screen.until("1 to be done").keys(&["q", "1"]).until("[y/s/r/n]").keys(&["n", ENTER]).until("is kept");
    assert_eq!(screen.ends(), Some(3), "declined");
    assert_eq!(world.picture(), before);
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("1 decision on 7 items").keys(&["n", ENTER]).until("0 to be done").keys(&["q", ENTER]);
    assert_eq!(screen.ends(), Some(0));
    assert!(!world.data.join("review.jsonl").exists());
}

#[test]
fn mails_of_one_sender_are_alike() {
    let world = World::new();
    world.rules("");
    let mail = |from: &str, what: &str| {
        format!("From: {from}\nSubject: {what}\nDate: Mon, 3 Mar 2031 09:00:00 +0000\n\n{what}\n")
    };
    for (name, from) in
        [("aa.eml", "ada@quay.example"), ("bb.eml", "ben@quay.example"), ("cc.eml", "ada@quay.example")]
    {
        world.file(name, &mail(from, name));
    }
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen
        .until("3 Grants")
        .until("sender     ada@quay.example")
        .keys(&["2"])
        .until("Onto")
        .keys(&["Mail", ENTER]);
    screen.until("1 other from ada@quay.example").keys(&["=", "1"]).until("cc.eml").keys(&[ENTER]);
    screen.until("2 to be done").keys(&["m"]).until("sender is ada@quay.example");
}

#[test]
fn what_is_repeated_is_the_decision_that_still_stands() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["/", "oar", ENTER, "l"]).until("1 left").keys(&["/", "tide", ENTER, "d"]);
    screen.until("into the trash").keys(&["u"]).until("taken back").keys(&["="]);
    // Not for what is like the item whose decision was taken back.
    screen.until("oar list.txt: left").until("1 other with `list` in the name");
}

#[test]
fn a_table_is_written_and_gone_through_again() {
    let world = cluttered();
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["j", " "]).until("1 to be done").keys(&["q"]).until("write a table");
    screen.keys(&["3"]).until("Write the table to").keys(&["\x15", "mine.csv", ENTER]);
    screen.until("1 line written to mine.csv");
    assert_eq!(screen.ends(), Some(0));
    let text = fs::read_to_string(world.at("mine.csv")).unwrap();
    assert!(text.contains("loan compass.txt"), "{text}");
    let mut screen = Screen::start(&world, &["review", "mine.csv"], 24, 80);
    screen.until("1 item").until("loan compass.txt").keys(&[" "]).until("1 to be done").keys(&["q", "1"]);
    screen.until("Carry out").keys(&["y", ENTER]).until("takes it back");
    assert_eq!(screen.ends(), Some(0));
    assert!(world.shelves.join("2 Loans/Contracts/loan compass.txt").exists());
    assert_eq!(tags_of(&world.shelves.join("2 Loans/Contracts/loan compass.txt")), "loan");
}

/// The question of a command, answered with r; then the first item is taken and all others are left.
#[track_caller]
fn reviewed(world: &World, words: &[&str]) -> String {
    let mut screen = Screen::start(world, words, 30, 100);
    screen.until("r review it").until("/r/n]").keys(&["r", ENTER]).until("reviewed").keys(&[" "]);
    screen.until("1 to be done").keys(&["q"]).until("carry out 1 item").keys(&["1"]);
    // The first question is on the screen again; what is typed before the second one does not count.
    screen.until("Carry out 1 step").until("/n]").keys(&["y", ENTER]);
    assert_eq!(screen.ends(), Some(0), "{}", screen.raw());
    screen.raw()
}

#[test]
fn r_at_any_question_opens_the_plan_in_hand() {
    let archive = "[archive]\nwhen = \"modified over 90d\"\nput = \"3/{today}/{pile}\"\n";
    let made = || {
        let world = World::new();
        world.rules(&format!(
            "[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2/Contracts\"\n\n{archive}"
        ));
        world
            .file("loan a.txt", "a")
            .file("loan b.txt", "b")
            .file("copy of a.txt", "a")
            .file("copy of b.txt", "b");
        world
    };
    let world = made();
    reviewed(&world, &["tidy"]);
    assert_eq!(names(&world.shelves.join("2 Loans/Contracts")), ["loan a.txt"]);
    reviewed(&made(), &["copies", "downloads", "--discard"]);

    let world = made();
    reviewed(&world, &["archive"]);
    let dated = world.shelves.join("3 Grants/2031-04-07/downloads");
    assert_eq!(names(&dated).len(), 1);
    // What came into the archive this way is in its list, and comes back.
    let away = dated.join(&names(&dated)[0]);
    world.nine(&["archive", "verify"]).ends(0);
    world.nine(&["retrieve", away.to_str().unwrap(), "--yes"]).ends(0);
    world.nine(&["archive", "--yes"]).ends(0);
    let all = names(&dated).len();
    reviewed(&world, &["retrieve", "--where", "name has loan"]);
    assert_eq!(names(&dated).len(), all - 1);

    let world = made();
    world.nine(&["tidy", "--yes"]).ends(0);
    reviewed(&world, &["undo"]);
    assert_eq!(names(&world.shelves.join("2 Loans/Contracts")), ["loan b.txt"]);

    let world = made();
    world.file("Box/loan c.txt", "c").file("Box/loan d.txt", "d");
    world.old_file(&world.shelves.join("1 Boats/Box/loan c.txt"), "c of old");
    let from = world.at("Downloads/Box");
    reviewed(&world, &["put", "--merge", from.to_str().unwrap(), "--on", "1"]);
}

#[test]
fn a_review_that_was_left_is_not_lost_to_another() {
    let world = cluttered();
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["l"]).until("1 left").keys(&["q"]).until("close").keys(&["2", ENTER]);
    screen.until("`nine review` goes on");
    assert_eq!(screen.ends(), Some(0));
    let mut screen = Screen::start(&world, &["tidy"], 24, 80);
    screen.until("/r/n]").keys(&["r", ENTER]).until("1 decision on 7 items").keys(&[ENTER]);
    assert_eq!(screen.ends(), Some(3), "declined");
    let mut screen = Screen::start(&world, &["tidy"], 24, 80);
    screen.until("/r/n]").keys(&["r", ENTER]).until("Begin with this one?").keys(&["y", ENTER]);
    screen.until("reviewed").until("0 to be done").keys(&["q", ENTER]);
    assert_eq!(screen.ends(), Some(0));
}

#[test]
fn what_is_piped_is_asked_as_before() {
    let world = cluttered();
    let shown = on_a_terminal_once(&world, &["tidy"], "[y/s/n]", || {}, "n\n");
    assert!(!shown.1.contains("r review it"), "TERM says nothing of a screen: {}", shown.1);
}

#[test]
fn tags_names_archive_and_later() {
    let world = cluttered();
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("2 Loans").keys(&["/", "oar", ENTER, "t"]).until("Tags, with").keys(&["boat, wood", ENTER]);
    screen.until("+boat +wood").keys(&["e"]).until("A new name").keys(&["\x15", "bad/name", ENTER]);
    screen
        .until("cannot be a name everywhere")
        .keys(&["\x15", "the oars", ENTER])
        .until("called the oars.txt");
    screen.keys(&["/", "sail", ENTER, "p"]).until("put off, into downloads/Sort later");
    screen
        .keys(&["/", "tide", ENTER, "a"])
        .until("x ")
        .keys(&["1"])
        .until("Onto")
        .keys(&["New/Tides", ENTER]);
    screen
        .until("into 1 Boats/New/Tides")
        .keys(&["/", "quay", ENTER, "f"])
        .until("season is")
        .keys(&["win", ENTER]);
    screen
        .until("season is Winter 2031")
        .keys(&["q", "1"])
        .until("Carry out")
        .keys(&["y", ENTER])
        .until("takes it back");
    assert_eq!(screen.ends(), Some(0), "{}", screen.raw());
    let oars = world.at("Downloads/the oars.txt");
    assert_eq!(tags_of(&oars), "boat,wood");
    assert!(world.at("Downloads/Sort later/sail list.txt").exists());
    assert!(world.shelves.join("1 Boats/New/Tides/tide notes.md").exists());
    assert!(world.shelves.join("1 Boats/Winter 2031/plan of the quay.txt").exists());
}

#[test]
fn steps_back_go_to_what_was_decided() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("> ? loan anchor.txt").keys(&[" "]).until(">   loan compass.txt").keys(&["l"]);
    screen.until(">   loan sextant.txt").keys(&["b"]).until("> = loan compass.txt").keys(&["b"]);
    screen.until("> + loan anchor.txt").keys(&["x"]).until("0 to be done").keys(&["g", "G"]);
    screen.until(">   tide notes.md").keys(&["["]).until(">   oar list.txt").keys(&["[", "["]);
    screen.until("> ? loan anchor.txt").keys(&["]"]).until("> ? plan of the quay").keys(&["n"]);
    screen.until(">   oar list.txt").keys(&["/", "nowhere", ENTER]).until("no name has `nowhere`");
    screen
        .keys(&["m"])
        .until("x ")
        .keys(&["?"])
        .until("Again, and back")
        .keys(&[ESC])
        .until_not("Again, and back");
}

#[test]
fn what_waits_since_nobody_was_there_is_gone_through() {
    let world = World::new();
    let rules = "[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2\"\nclash = \"hold\"\n";
    world.rules(&format!("{rules}[routine.weekly]\nrun = [\"tidy\"]\n"));
    for name in ["loan a.txt", "loan b.txt", "loan c.txt"] {
        world.file(name, &format!("new {name}"));
    }
    for name in ["loan a.txt", "loan b.txt"] {
        world.old_file(&world.shelves.join("2 Loans").join(name), &format!("old {name}"));
    }
    world.nine(&["routine", "weekly", "--unattended"]).ends(0).warns("2 in doubt");
    // Who only looks, or decides of one alone, leaves the rest waiting.
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("Go through which?").keys(&["y", ENTER]).until("2 items").keys(&["q"]);
    assert_eq!(screen.ends(), Some(0));
    world.nine(&[]).ends(0).says("2 items wait");
    world.file("loan d.txt", "new").old_file(&world.shelves.join("2 Loans/loan d.txt"), "old");
    world.nine(&["routine", "weekly", "--unattended"]).ends(0).warns("3 in doubt");
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("Go through which?").keys(&["y", ENTER]).until("3 items");
    screen.keys(&["/", "loan d", ENTER, "d"]).until("1 to be done").keys(&["q"]).until("carry out 1 item");
    screen.keys(&["1"]).until("Carry out 1 step?").keys(&["y", ENTER]).until("1 discarded");
    assert_eq!(screen.ends(), Some(0));
    world.nine(&[]).ends(0).says("2 items wait");
    // One of the two is gone by the time that somebody looks.
    fs::remove_file(world.at("Downloads/loan b.txt")).unwrap();
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until(": 2 items have not been looked at.").until("Go through which?").keys(&["y", ENTER]);
    screen.until("loan a.txt").until("1 item");
    screen.keys(&[" "]).until("1 to be done").keys(&["q"]).until("carry out 1 item").keys(&["1"]);
    screen.until("Carry out 1 step?").keys(&["y", ENTER]).until("1 moved");
    assert_eq!(screen.ends(), Some(0));
    assert_eq!(
        names(&world.shelves.join("2 Loans")),
        ["Held", "loan a.txt", "loan b.txt", "loan c.txt", "loan d.txt"]
    );
    assert!(names(&world.data.join("waiting")).is_empty(), "nothing waits any more");
    world.nine(&[]).ends(0).says("nine shelves");
}

#[test]
fn what_goes_by_example_is_shown_with_its_reasons_and_picked_by_key() {
    let world = World::new();
    world.rules("");
    for number in 10..19 {
        for (folder, word) in [("2 Loans/Harrow", "harrow"), ("2 Loans/Kittiwake", "kittiwake")] {
            let path = format!("{folder}/letter {word} {number}.txt");
            world.old_file(&world.shelves.join(&path), &path);
        }
    }
    world.file("letter harrow 77.txt", "1").file("letter kittiwake harrow.txt", "22").file("oar.xyz", "3");
    let mut screen = Screen::start(&world, &["review", "downloads"], 40, 120);
    screen.until("3 items").keys(&["/", "77", ENTER]).until("all 9 files with \"harrow\" in the name");
    // As it is suggested; another one into the second of its places.
    screen
        .keys(&[" "])
        .until("1 to be done")
        .keys(&["/", "kitti", ENTER, "s"])
        .until("Where things like it are");
    screen.until("1  2 Loans/").until("2  2 Loans/").keys(&["2"]).until("2 to be done");
    screen
        .keys(&["q"])
        .until("carry out 2 items")
        .keys(&["1"])
        .until("Carry out 2 steps?")
        .keys(&["y", ENTER]);
    screen.until("2 moved");
    assert_eq!(screen.ends(), Some(0));
    assert!(world.shelves.join("2 Loans/Harrow/letter harrow 77.txt").exists());
    assert!(
        world.at("Downloads/oar.xyz").exists() && !world.at("Downloads/letter kittiwake harrow.txt").exists()
    );
}
