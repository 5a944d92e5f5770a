//! What scripts and eyes get.

use std::fs;
use std::os::unix::ffi::OsStrExt;

use super::support::{Ran, World};

fn hostile() -> World {
    let world = World::new();
    world.rules("[[rule]]\nname = \"all\"\nwhen = \"file\"\nput = \"2\"\n");
    for name in [
        "plain.txt",
        "two\nlines.txt",
        "red\u{1b}[31m.txt",
        "-rf",
        "=1+1.csv",
        "écran 🛶.txt",
        "turned\u{202e}txt.exe",
        "back\\slash",
    ] {
        world.file(name, "x");
    }
    let invalid = world.at("Downloads").join(std::ffi::OsStr::from_bytes(b"caf\xe9.txt"));
    world.old_file(&invalid, "y");
    world
}

#[test]
fn csv_has_the_columns_of_a_worklist_and_no_cell_that_starts_like_a_formula() {
    let world = hostile();
    let out = world.nine(&["tidy", "--format", "csv"]).ends(0).out;
    let mut lines = out.lines();
    assert_eq!(lines.next(), Some("step,do,item,to,why,doubt,size,modified"));
    assert_eq!(lines.clone().count(), 9);
    assert!(lines.all(|line| { line.split(',').all(|cell| !cell.starts_with(['=', '+', '-', '@'])) }));
    assert!(out.contains("downloads/caf\\xe9.txt") && out.contains("downloads/two\\nlines.txt"));
}

#[test]
fn json_is_one_object_a_line() {
    let world = hostile();
    let out = world.nine(&["tidy", "--format", "json"]).ends(0).out;
    let steps: Vec<serde_json::Value> = out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(steps.len(), 9);
    assert!(steps.iter().all(|step| step["do"] == "move" && step["size"] == 1));
    for words in
        [&["check", "--format", "json"][..], &["history", "--format", "json"], &["check", "--format", "csv"]]
    {
        let out = world.nine(words).ends(0).out;
        assert!(
            words[2] == "csv"
                || out.lines().all(|line| serde_json::from_str::<serde_json::Value>(line).is_ok())
        );
    }
}

#[test]
fn paths0_names_exactly_the_files_that_are_there() {
    let world = hostile();
    let out = world.command(&["tidy", "--format", "paths0"]).output().unwrap().stdout;
    let mut told: Vec<Vec<u8>> =
        out.split(|b| *b == 0).filter(|p| !p.is_empty()).map(<[u8]>::to_vec).collect();
    let there = fs::read_dir(world.at("Downloads")).unwrap();
    let mut there: Vec<Vec<u8>> = there.map(|e| e.unwrap().path().as_os_str().as_bytes().to_vec()).collect();
    told.sort();
    there.sort();
    assert_eq!(told, there);
}

#[test]
fn names_never_command_the_terminal() {
    let world = hostile();
    let unsafe_char = |c: char| (c.is_control() && c != '\n') || c == '\u{202e}';
    let check = |ran: Ran| {
        assert!(!ran.out.contains(unsafe_char), "{:?}", ran.out);
        assert!(!ran.err.contains(unsafe_char), "{:?}", ran.err);
    };
    check(
        world
            .nine(&["tidy"])
            .says("red\\u{1b}[31m.txt")
            .says("turned\\u{202e}txt.exe")
            .says("two\\nlines.txt"),
    );
    check(world.nine(&["why", "Downloads/red\u{1b}[31m.txt"]).ends(0));
    check(world.nine(&["why", "Downloads/\u{1b}[2J"]).ends(2));
    check(world.nine(&["tidy", "\u{1b}[2J"]).ends(2));
    check(world.nine(&["tidy", "--yes"]).ends(0));
    check(world.nine(&["history", "1"]).ends(0));
    check(world.nine(&["undo", "--yes"]).ends(0));
    assert_eq!(fs::read_dir(world.at("Downloads")).unwrap().count(), 9);
}

#[test]
fn colour_is_for_terminals_unless_asked_for() {
    let world = hostile();
    assert!(!world.nine(&["tidy"]).out.contains('\u{1b}'));
    assert!(world.nine(&["tidy", "--color", "always"]).out.contains("\u{1b}["));
    let quiet = world.command(&["tidy"]).env("NO_COLOR", "1").output().unwrap().stdout;
    assert!(!quiet.contains(&0x1b));
}

#[test]
fn without_utf8_everything_has_a_plain_form() {
    let world = hostile();
    let out = world.command(&["tidy"]).env("LC_ALL", "C").output().unwrap().stdout;
    let text = String::from_utf8(out).unwrap();
    assert!(text.is_ascii(), "{text}");
    assert!(text.contains("\\u{e9}cran") && text.contains("+++]"), "{text}");
}

#[test]
fn lines_are_as_wide_as_the_terminal_and_names_keep_their_end() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"a rule with quite a long name\"\nwhen = \"file\"\nput = \"2\"\n");
    world.file(&format!("minutes {} of the meeting.txt", "very ".repeat(30)), "x");
    let out = world.nine(&["tidy"]).ends(0).out;
    assert!(out.lines().all(|line| line.chars().count() <= 100), "{out}");
    assert!(out.contains("of the meeting.txt"));
}

#[test]
fn every_command_explains_itself_with_examples() {
    let world = World::new();
    for command in ["check", "why", "tidy", "history", "undo", "demo"] {
        world.nine(&[command, "--help"]).ends(0).says("Examples:").says(&format!("nine {command}"));
        world.nine(&["--help"]).says(command);
    }
}

#[test]
fn log_lines_only_when_asked_for() {
    let world = hostile();
    assert!(!world.nine(&["tidy"]).err.contains("INFO"));
    world.nine(&["tidy", "-v"]).ends(0).warns("INFO");
}
