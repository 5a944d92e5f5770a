//! Between a drive and this machine, and between two drives.

use std::collections::BTreeSet;

use nine_standin::{Fault, Settings, Wrong};

use super::drive::Drive;
use super::support::tags_of;

fn time_of(path: &std::path::Path) -> std::time::SystemTime {
    std::fs::metadata(path).unwrap().modified().unwrap()
}

#[test]
fn a_download_goes_to_the_drive_and_back_with_all_that_belongs_to_it() {
    let drive = Drive::new();
    drive.world.file("minutes/march.txt", "in March").file("minutes/deep/april.txt", "in April");
    let march = drive.world.at("Downloads/minutes/march.txt");
    drive.nine(&["tag", "add", "board,year/2031", march.to_str().unwrap(), "--yes"]).ends(0);
    rustix::fs::setxattr(&march, "user.note", b"by hand", rustix::fs::XattrFlags::empty()).unwrap();
    let before = drive.world.picture();
    let time = time_of(&march);

    drive.nine(&["put", "Downloads/minutes", "--on", "cloud/1", "--yes"]).ends(0).says("1 moved");
    assert_eq!(drive.files()["1 Minutes/minutes/march.txt"], "in March");
    assert!(!march.exists());
    let told = drive.nine(&["why", "cloud/1 Minutes/minutes/march.txt"]).ends(0).out;
    assert!(told.contains("2030-03-17") && told.contains("board"), "{told}");

    drive.nine(&["undo", "--yes"]).ends(0).says("1 moved");
    assert_eq!(drive.world.picture(), before);
    assert_eq!(tags_of(&march), "board,year/2031");
    assert_eq!(time_of(&march), time, "to the nanosecond");
    let mut note = [0; 16];
    let length = rustix::fs::getxattr(&march, "user.note", &mut note[..]).unwrap();
    assert_eq!(&note[..length], b"by hand");
}

#[test]
fn a_copy_is_put_on_the_drive_and_the_original_stays() {
    let drive = Drive::new();
    drive.world.file("plan.txt", "the plan");
    drive.nine(&["put", "Downloads/plan.txt", "--on", "cloud/1", "--copy", "--yes"]).ends(0).says("1 copied");
    assert_eq!(drive.files()["1 Minutes/plan.txt"], "the plan");
    assert!(drive.world.at("Downloads/plan.txt").exists());
    drive.nine(&["undo", "--yes"]).ends(0);
    assert!(!drive.names().contains(&"1 Minutes/plan.txt".to_owned()));
}

#[test]
fn what_lies_on_a_drive_is_filed_at_home() {
    let drive = Drive::new();
    drive.rules("[[rule]]\nname = \"home\"\nwhen = \"ext txt\"\nput = \"home/2\"\n");
    drive.file("a.txt", "a").file("b.txt", "b");
    let before = drive.files();
    drive.nine(&["tidy", "--yes"]).ends(0).says("2 moved");
    assert_eq!(std::fs::read_to_string(drive.world.shelves.join("2 Loans/a.txt")).unwrap(), "a");
    assert!(drive.names().is_empty(), "{:?}", drive.names());
    drive.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(drive.files(), before);
}

#[test]
fn two_drives_exchange_files() {
    let drive = Drive::new();
    let other = Drive::with(Settings::default());
    let text = std::fs::read_to_string(drive.world.at("nine/shelves.toml")).unwrap();
    drive
        .world
        .config(&format!("{text}\n[bookcase.second]\nat = \"{}\"\nshelves = [\"Papers\"]\n", other.url));
    drive.file("letters/a.txt", "a").file("letters/b.txt", "b");
    drive.nine(&["tag", "add", "post", "drive/letters/a.txt", "--yes"]).ends(0);
    drive.nine(&["put", "drive/letters", "--on", "second/1", "--yes"]).ends(0).says("1 moved");
    assert_eq!(other.files()["1 Papers/letters/a.txt"], "a");
    assert!(!drive.names().contains(&"letters/".to_owned()));
    assert_eq!(drive.tags(), ["second/1 Papers/letters/a.txt: post"]);
    drive.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(drive.files()["letters/b.txt"], "b");
}

#[test]
fn links_stay_at_home() {
    let drive = Drive::new();
    drive.world.file("folder/a.txt", "a");
    std::os::unix::fs::symlink("a.txt", drive.world.at("Downloads/folder/link")).unwrap();
    let before = drive.world.picture();
    drive
        .nine(&["put", "Downloads/folder", "--on", "cloud/1", "--yes"])
        .ends(1)
        .says("a drive keeps no links");
    assert_eq!(drive.world.picture(), before);
    assert!(
        !drive.names().iter().any(|name| name.contains("folder") || name.contains(".nine")),
        "{:?}",
        drive.names()
    );
}

#[test]
fn copies_are_found_across_once_reading_is_allowed() {
    let drive = Drive::new();
    drive.world.file("plan.txt", "the plan itself").file("alone.txt", "x");
    drive.file("plan on the drive.txt", "the plan itself").file("other.txt", "is as long, no?");
    let asked = drive.nine(&["copies"]).ends(0);
    assert!(!asked.out.contains("plan on the drive"), "{}", asked.out);
    asked.warns("drive 2 files of sizes that others have, 30 B, not read; --read-drive reads them");
    assert_eq!(drive.asked("GET"), 0, "nothing was brought down");
    let read = drive.nine(&["copies", "--read-drive"]).ends(0).says("plan on the drive.txt").says("plan.txt");
    assert!(!read.out.contains("other.txt"), "{}", read.out);
    if drive.standin.is_some() {
        assert!(drive.asked("GET") > 0);
    }
    // What was read is known from then on.
    drive.nine(&["copies"]).ends(0).says("plan on the drive.txt");
    assert_eq!(drive.asked("GET"), 0);
    drive.nine(&["compare", "Downloads", "drive"]).ends(0).says("alone.txt");
}

#[test]
fn words_on_a_drive_are_read_only_if_that_is_allowed() {
    let drive = Drive::new();
    drive.file("letter.txt", "the herring fleet");
    let known = drive.nine(&["search", "text", "has", "herring", "--text"]).ends(0);
    assert!(!known.out.contains("letter.txt"), "{}", known.out);
    known.warns("--read-drive reads them");
    drive.nine(&["search", "text", "has", "herring", "--text", "--read-drive"]).ends(0).says("letter.txt");
    let mail = "From: Ada Quay <ada@x.example>\r\nTo: b@x.example\r\nSubject: Tides\r\n\r\nx";
    drive.file("tides.eml", mail);
    let unread = drive.nine(&["search", "sender", "has", "ada"]).ends(0);
    assert!(!unread.out.contains("tides.eml"), "{}", unread.out);
    unread.warns("what 1 file").warns("--read-drive reads them");
    drive.nine(&["search", "sender", "has", "ada", "--read-drive"]).ends(0).says("tides.eml");
}

#[test]
fn a_broken_download_goes_on_where_it_broke_off() {
    let drive = Drive::with(Settings::default());
    let text: String = (0..200_000).map(|number| format!("line {number}\n")).collect();
    drive.file("log.txt", &text);
    let standin = drive.standin.as_ref().unwrap();
    standin.misbehave([Fault { times: 2, ..Fault::once(Wrong::Half, 1).of("GET") }]);
    drive.nine(&["put", "drive/log.txt", "--on", "home/1", "--yes"]).ends(0).says("1 moved");
    assert_eq!(std::fs::read_to_string(drive.world.shelves.join("1 Boats/log.txt")).unwrap(), text);
    assert!(!drive.names().contains(&"log.txt".to_owned()));
    // Once broken off twice, and read once more to compare.
    assert_eq!(drive.asked("GET"), 4);
}

#[test]
fn connections_serve_one_file_after_the_other() {
    let drive = Drive::with(Settings::default());
    for number in 0..30 {
        drive.file(format!("log {number}.txt"), &format!("line {number}"));
    }
    drive.nine(&["check"]).ends(0);
    let standin = drive.standin.as_ref().unwrap();
    standin.asked();
    drive.nine(&["put", "--on", "home/1", "--where", "name has log", "--yes"]).ends(0).says("30 moved");
    let asked = standin.asked();
    let used: BTreeSet<usize> = asked.iter().map(|asked| asked.connection).collect();
    assert!(asked.len() > 60 && used.len() <= 8, "{} requests by {used:?}", asked.len());
}

#[test]
fn what_the_drive_says_of_the_sum_spares_reading_it_back() {
    let drive = Drive::with(Settings { tells_sums: true, ..Settings::default() });
    drive.nine(&["check"]).ends(0);
    drive.world.file("plan.txt", "the plan");
    drive.asked("GET");
    drive.nine(&["put", "Downloads/plan.txt", "--on", "cloud/1", "--yes"]).ends(0).says("1 moved");
    assert_eq!(drive.asked("GET"), 0);
    assert_eq!(drive.files()["1 Minutes/plan.txt"], "the plan");
}

#[test]
fn copies_on_a_drive_are_discarded_once_they_are_compared() {
    let drive = Drive::new();
    drive
        .file("plan.txt", "the plan")
        .file("1 Minutes/plan.txt", "the plan")
        .file("a/b/plan.txt", "the plan");
    drive.nine(&["copies", "drive", "--discard", "--read-drive", "--yes"]).ends(0).says("2 discarded");
    let kept: Vec<String> = drive
        .names()
        .into_iter()
        .filter(|name| name.ends_with("plan.txt") && !name.starts_with('.'))
        .collect();
    assert_eq!(kept, ["1 Minutes/plan.txt"]);
    drive.nine(&["undo", "--yes"]).ends(0).says("2 restored");
    drive.world.file("import/plan.txt", "the plan").file("import/new.txt", "new");
    let found =
        drive.nine(&["compare", "Downloads/import", "drive", "--discard-found", "--read-drive", "--yes"]);
    found.ends(0).says("1 discarded");
    assert!(drive.world.at("Downloads/import/new.txt").exists());
    assert!(!drive.world.at("Downloads/import/plan.txt").exists());
}

#[test]
fn sums_that_the_drive_tells_find_copies_without_reading() {
    let drive = Drive::with(Settings { tells_sums: true, ..Settings::default() });
    drive.nine(&["check"]).ends(0);
    drive.world.file("plan.txt", "the plan").file("note.txt", "a note!!");
    drive.file("plan there.txt", "the plan").file("other.txt", "not that");
    drive.asked("GET");
    let found = drive.nine(&["copies"]).ends(0).says("plan there.txt");
    assert!(
        !found.out.contains("other.txt") && !found.err.contains("--read-drive"),
        "{}{}",
        found.out,
        found.err
    );
    assert_eq!(drive.asked("GET"), 0);
}
