//! Other terminals, other ends, and other names.

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::time::{Duration, Instant};

use rustix::process::Signal;

use super::screen::{BACK, DOWN, ENTER, PLAIN, Screen, TAB};
use super::support::World;
use super::views::cluttered;

#[test]
fn where_no_screen_can_be_it_says_what_to_use_instead() {
    let world = cluttered();
    world.nine(&["review"]).ends(2).warns("needs a terminal").warns("--worklist");
    for (variables, why) in
        [(&[("TERM", "dumb")][..], "can show no review"), (&[][..], "it is not said which terminal this is")]
    {
        let mut screen = Screen::start_with(&world, &["review"], 24, 80, variables, PLAIN);
        assert_eq!(screen.ends(), Some(2));
        screen.until_over(why);
        screen.until_over("nine tidy --worklist list.csv");
        assert!(!screen.raw().contains('\x1b'), "nothing is switched on: {:?}", screen.raw());
    }
    // A terminal that nobody has heard of is taken at its word.
    let unknown = [("TERM", "lantern-3000")];
    let screen = Screen::start_with(&world, &["review"], 24, 80, &unknown, PLAIN);
    screen.until("7 items").keys(&["q", ENTER]).until("Nothing has been changed");
}

#[test]
fn where_only_ascii_is_understood_only_ascii_is_shown() {
    let world = cluttered();
    world.file("Möwen.txt", "Möwen → Küste\n");
    let ascii = [("TERM", "xterm"), ("LC_ALL", "C")];
    let mut screen = Screen::start_with(&world, &["review"], 40, 120, &ascii, PLAIN);
    screen
        .until("-> 2 Loans/Contracts")
        .until("2 Loans")
        .keys(&["/", "wen", ENTER])
        .until("ste")
        .keys(&["1"])
        .until("Onto");
    screen.keys(&[BACK, "?"]).until("Again").keys(&[BACK, "q", ENTER]);
    assert_eq!(screen.ends(), Some(0));
    assert!(screen.raw().is_ascii(), "{}", screen.raw());
}

#[test]
fn the_terminal_is_given_back_whole_whatever_ends_it() {
    for (signal, status) in [(Signal::TERM, 130), (Signal::HUP, 130), (Signal::INT, 130)] {
        let world = cluttered();
        let mut screen = Screen::start(&world, &["review"], 24, 80);
        screen.until("0   3").keys(&[" "]).until("1 to be done").send(signal);
        assert_eq!(screen.ends(), Some(status), "{signal:?}");
        screen.expect_given_back();
        let screen = Screen::start(&world, &["review"], 24, 80);
        screen.until("1 decision on 7 items");
    }
    let world = cluttered();
    let variables = [("TERM", "xterm"), ("NINE_SCREEN_MISBEHAVES", "1")];
    let mut screen = Screen::start_with(&world, &["review"], 24, 80, &variables, PLAIN);
    screen.until("0   3").keys(&[" "]).until("1 to be done").keys(&["\x1b[200~x\x1b[201~"]);
    assert_eq!(screen.ends(), Some(1));
    screen.until_over("asked for by a test");
    screen.expect_given_back();
}

#[test]
fn it_can_be_resized_at_any_moment() {
    let world = cluttered();
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3");
    let sizes =
        [(1, 1), (10, 40), (3, 200), (60, 12), (12, 60), (40, 120), (9, 39), (24, 80), (100, 300), (2, 80)];
    let keys =
        [" ", "1", "ab", BACK, TAB, "v", "?", BACK, "=", BACK, "t", BACK, TAB, "G", "e", TAB, BACK, "q"];
    for (round, key) in keys.iter().enumerate() {
        let (rows, columns) = sizes[round % sizes.len()];
        screen.resize(rows, columns).keys(&[key]);
    }
    screen.resize(1, 1).resize(20, 60).until("End the review").keys(&["1"]);
    screen.until("Carry out").keys(&["n", ENTER]);
    assert_eq!(screen.ends(), Some(3), "{}", screen.text());
}

#[test]
fn hostile_names_are_shown_and_filed() {
    let world = World::new();
    world.rules("");
    let names: [&[u8]; 6] = [
        b"\x07\x1b[31m.txt",
        b"not \xff UTF-8.txt",
        b"two\nlines.txt",
        "\u{202e}txt.exe".as_bytes(),
        "שלום 4.txt".as_bytes(),
        "長い名前のファイル.txt".as_bytes(),
    ];
    for name in names {
        world.old_file(&world.at("Downloads").join(OsStr::from_bytes(name)), "inside\x1b]0;title\x07 it\n");
    }
    let mut screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("6 items").until("3 Grants");
    for done in 1..=6 {
        screen.keys(&["2"]).until("Onto 2 Loans").keys(&["Odd", ENTER]).until(&format!("{done} to be done"));
    }
    for shown in ["\\u{1b}[31m", "\\xff", "two\\nlines", "\\u{202e}", "長い名前"] {
        assert!(screen.text().contains(shown), "{shown}: {}", screen.text());
    }
    screen.keys(&["q"]).until("carry out 6 items").keys(&["1"]).until("Carry out 6").keys(&["y", ENTER]);
    assert_eq!(screen.ends(), Some(0));
    let raw = screen.raw();
    assert!(!raw.contains("\x1b[31m.txt") && !raw.contains("\x1b]0;") && !raw.contains('\x07'), "{raw:?}");
    assert_eq!(fs::read_dir(world.shelves.join("2 Loans/Odd")).unwrap().count(), 6);
}

#[test]
fn what_is_pasted_is_no_command() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["\x1b[200~d l ddd\x1b[201~", "/"]).until("A part of a name");
    screen.keys(&["\x1b[200~quay\nd\x1b[201~"]).until("> quayd").keys(&[BACK]).until("0 to be done");
}

#[test]
fn a_mouse_selects_and_scrolls() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen
        .until("> ? loan anchor.txt")
        .keys(&["\x1b[<0;10;5M", "\x1b[<0;10;5m"])
        .until(">   loan compass.txt");
    screen.keys(&["\x1b[<65;10;5M"]).until("> ? plan of the quay").keys(&["\x1b[<64;10;5M"]);
    screen.until(">   loan sextant.txt").keys(&["\x1b[<0;10;3M"]).until(">   loan sextant.txt");
}

#[test]
fn an_item_is_opened_in_its_own_program() {
    let world = cluttered();
    let bin = world.at("bin");
    fs::create_dir(&bin).unwrap();
    let script = format!("#!/bin/sh\nprintf '%s\\n' \"$@\" >> '{}'\n", world.at("opened").display());
    fs::write(bin.join("xdg-open"), script).unwrap();
    fs::set_permissions(bin.join("xdg-open"), fs::Permissions::from_mode(0o755)).unwrap();
    let path = format!("{}:/usr/bin:/bin", bin.display());
    let variables = [("TERM", "xterm"), ("PATH", path.as_str())];
    let screen = Screen::start_with(&world, &["review"], 24, 80, &variables, PLAIN);
    screen.until("0   3").keys(&["o"]).until("loan anchor.txt").keys(&["w"]);
    let wanted = format!("{0}/loan anchor.txt\n{0}\n", world.at("Downloads").display());
    let opened = || fs::read_to_string(world.at("opened")).unwrap_or_default();
    screen.until_so("both were opened", || opened() == wanted);
    drop(screen);
    let none = [("TERM", "xterm"), ("PATH", "/nonexistent")];
    let screen = Screen::start_with(&world, &["review"], 24, 80, &none, PLAIN);
    screen.until("0   3").keys(&["o"]).until("xdg-open");
}

#[test]
fn a_reader_that_hangs_holds_no_key_up() {
    let world = World::new();
    world.rules("");
    world.file("endless.txt", "x").file("other.txt", "The other one.\n");
    let variables = [("TERM", "xterm"), ("NINE_READER_MISBEHAVES", "1"), ("NINE_READER_PATIENCE_MS", "1500")];
    let screen = Screen::start_with(&world, &["review"], 40, 120, &variables, PLAIN);
    screen.until("looking inside");
    let begun = Instant::now();
    screen.keys(&["j", "k", "l"]).until("1 left").keys(&["1"]).until("Onto 1 Boats").keys(&[BACK]);
    assert!(begun.elapsed() < Duration::from_millis(1400), "{:?}", begun.elapsed());
    screen.until("The other one.");
}

#[test]
fn folders_and_packed_files_are_looked_into() {
    let world = World::new();
    world.rules("");
    world.file("box/big.txt", &"big ".repeat(500)).file("box/in/small.txt", "small");
    let packed = fs::File::create(world.at("Downloads/packed.zip")).unwrap();
    let mut zip = zip::ZipWriter::new(packed);
    for name in ["oars.txt", "sails.txt"] {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
    }
    zip.finish().unwrap();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("2 files in it").until("biggest").until("newest").until("in/small.txt");
    screen.keys(&[DOWN]).until("oars.txt").until("sails.txt");
}

#[test]
fn where_nothing_lies_or_no_bookcase_is_it_says_so() {
    let world = World::new();
    world.rules("");
    let mut screen = Screen::start(&world, &["review"], 24, 80);
    assert_eq!(screen.ends(), Some(0));
    screen.until_over("nothing to go through");
    let mut screen = Screen::start(&world, &["review", "nowhere"], 24, 80);
    assert_eq!(screen.ends(), Some(2));
    world.config(&format!("[pile.downloads]\nat = \"{}\"\n", world.at("Downloads").display()));
    world.file("a.txt", "a");
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("1 item").keys(&["1"]).until("there is no bookcase");
    screen.keys(&["a"]).until("x ").keys(&["q", ENTER]);
}
