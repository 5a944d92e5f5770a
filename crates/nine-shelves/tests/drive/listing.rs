//! How a drive is listed, and answers that make no sense.

use nine_standin::{Fault, Settings, Wrong};

use super::drive::Drive;

fn laid_out() -> Drive {
    let drive = Drive::with(Settings::default());
    for folder in 0..20 {
        for file in 0..5 {
            drive.file(format!("folder {folder}/deep/file {file}.txt"), "x");
        }
    }
    drive
}

fn misbehaves(drive: &Drive, wrong: Wrong, method: &str) {
    drive
        .standin
        .as_ref()
        .unwrap()
        .misbehave([Fault { times: u64::MAX, ..Fault::once(wrong, 1).of(method) }]);
}

#[test]
fn a_folder_is_listed_with_one_request() {
    let drive = laid_out();
    drive.nine(&["search"]).ends(0).says("100 files");
    assert_eq!(drive.asked("PROPFIND"), 41, "the top, twenty folders and what is in them");
    drive.nine(&["survey", "drive"]).ends(0);
    assert_eq!(drive.asked("PROPFIND"), 41);
}

#[test]
fn a_report_reads_no_picture_unless_it_may() {
    let drive = Drive::with(Settings::default());
    let photo = nine_demo::photos::jpeg(&nine_demo::photos::scene(1, 60, 40), 80).unwrap();
    std::fs::write(drive.root.join("quay.jpg"), photo).unwrap();
    drive.nine(&["check"]).ends(0);
    let pictures = |words: &[&str]| -> usize {
        let _ = drive.asked("GET");
        let told = drive.nine(&[&["report", "drive", "--format", "json"], words].concat()).ends(0).out;
        let told: serde_json::Value = serde_json::from_str(&told).unwrap();
        assert_eq!(told["places"][0]["loose"], 1);
        told["pictures"].as_array().unwrap().len()
    };
    // What lies loose is looked at by its first bytes, as a survey does.
    assert_eq!((pictures(&[]), drive.asked("GET")), (0, 1));
    assert_eq!((pictures(&[]), drive.asked("GET")), (0, 0));
    assert_eq!((pictures(&["--read-drive"]), drive.asked("GET")), (1, 1));
}

#[test]
fn suggestions_read_nothing_beyond_the_listing() {
    let drive = Drive::with(Settings::default());
    for n in 0..9 {
        drive.file(format!("1 Minutes/minutes 2030-0{n}.pdf"), "%PDF-1.7 minutes");
        drive.file(format!("2 Loans/letter of loan {n}.pdf"), "%PDF-1.7 a letter");
    }
    drive.file("minutes 2031-01.pdf", "%PDF-1.7 more");
    drive.nine(&["check"]).ends(0);
    let _ = drive.asked("GET");
    drive
        .nine(&["suggest", "drive"])
        .ends(0)
        .says("1 Minutes")
        .says("all 9 files with \"minutes\" in the name");
    let asked = drive.standin.as_ref().unwrap().asked();
    let others: Vec<_> = asked.iter().filter(|asked| asked.method != "PROPFIND").collect();
    assert!(others.is_empty(), "{others:?}");
    // Three folders, for the shelves and for what lies loose, and what is asked to see whether it is there.
    assert!(asked.len() <= 10, "{}: {asked:?}", asked.len());
    // What a reason counts is listed by its search, also where the pile is the bookcase.
    let told = drive.nine(&["why", "drive/minutes 2031-01.pdf", "--format", "json"]).ends(0).out;
    let told: serde_json::Value = serde_json::from_str(&told).unwrap();
    let search = told["suggested"]["reasons"][0]["search"].as_str().unwrap_or_default();
    let search = shlex::split(search).unwrap();
    let words: Vec<&str> = search.iter().skip(1).map(String::as_str).collect();
    drive.nine(&words).ends(0).says("9 files");
    drive.nine(&["suggest", "drive", "--yes"]).ends(0).says("1 moved");
}

#[test]
fn moves_are_a_request_each() {
    let drive = laid_out();
    drive.rules("[[rule]]\nname = \"all\"\nwhen = \"ext txt\"\nreach = \"deep\"\nput = \"cloud/1\"\nclash = \"number\"\n");
    drive.nine(&["check"]).ends(0);
    let _ = drive.asked("MOVE");
    drive.nine(&["tidy", "drive", "--yes"]).ends(0).says("100 moved");
    let asked = drive.standin.as_ref().unwrap().asked();
    let of = |method: &str| asked.iter().filter(|asked| asked.method == method).count();
    assert_eq!(of("MOVE"), 100);
    assert_eq!((of("GET"), of("PUT"), of("HEAD"), of("DELETE")), (0, 0, 0, 0));
    // The listing, what is asked before and behind each folder that is touched, and no more.
    let list: Vec<String> = asked.iter().map(|a| format!("{} {}", a.method, a.path)).collect();
    assert!(of("PROPFIND") <= 41 + 21 + 8, "{}: {list:#?}", of("PROPFIND"));
}

#[test]
fn answers_that_make_no_sense_do_no_harm() {
    for wrong in [Wrong::Astray, Wrong::Garbled, Wrong::Half, Wrong::Endless] {
        let drive = laid_out();
        drive.nine(&["search"]).ends(0);
        let before = drive.files();
        misbehaves(&drive, wrong, "PROPFIND");
        let ran = drive.nine(&["search"]).ends(1);
        assert!(
            ran.err.contains("cannot be understood") || ran.err.contains("broke"),
            "{wrong:?}: {}",
            ran.err
        );
        assert!(ran.err.contains("as known"), "{wrong:?}: {}", ran.err);
        drive.nine(&["sweep", "drive", "--yes"]);
        assert_eq!(drive.files(), before, "{wrong:?}");
    }
}

#[test]
fn one_folder_that_cannot_be_listed_is_named() {
    let drive = laid_out();
    let fault = Fault { times: 100, ..Fault::once(Wrong::Status(403), 5).of("PROPFIND") };
    drive.standin.as_ref().unwrap().misbehave([Fault { times: 1, ..fault }]);
    drive.nine(&["search"]).ends(1).warns("could not be read: no right");
}

#[test]
fn a_busy_drive_is_asked_again() {
    for wrong in
        [Wrong::Status(503), Wrong::Status(429), Wrong::Status(500), Wrong::DropAfter, Wrong::DropBefore]
    {
        let drive = laid_out();
        drive.standin.as_ref().unwrap().misbehave([Fault { times: 2, ..Fault::once(wrong, 7) }]);
        drive.nine(&["search"]).ends(0).says("100 files");
    }
    let drive = laid_out();
    misbehaves(&drive, Wrong::Status(500), "PROPFIND");
    drive.nine(&["search"]).ends(1).warns("answers with status 500");
    assert_eq!(drive.asked("PROPFIND") % 5, 0, "and no more often than five times");
}

/// The requests that a second look takes, when one file has come and one has gone meanwhile.
fn second_look(settings: Settings) -> usize {
    let drive = Drive::with(settings);
    for folder in 0..20 {
        for file in 0..5 {
            drive.file(format!("folder {folder}/deep/file {file}.txt"), "x");
        }
    }
    drive.nine(&["check"]).ends(0);
    drive.nine(&["search"]).ends(0).says("100 files");
    let (folder, gone) = ("drive/folder 3/deep", "drive/folder 7/deep/file 2.txt");
    drive.world.file("new.txt", "new");
    drive.nine(&["put", "Downloads/new.txt", "--on", "cloud/1", "--copy", "--yes"]).ends(0);
    drive.nine(&["discard", gone, "--yes"]).ends(0);
    drive.nine(&["tag", "add", "fresh", &format!("{folder}/file 1.txt"), "--yes"]).ends(0);
    drive.asked("PROPFIND");
    let found = drive.nine(&["search", "--in", "drive"]).ends(0);
    let asked = drive.standin.as_ref().unwrap().asked().len();
    found.says("100 files").says("new.txt");
    assert_eq!(drive.tags(), ["drive/folder 3/deep/file 1.txt: fresh"]);
    asked
}

#[test]
fn only_what_changed_is_listed_again_where_the_drive_tells() {
    let plain = second_look(Settings::default());
    let told = second_look(Settings { tells_changes: true, ..Settings::default() });
    let by_tags = second_look(Settings { deep_tags: true, ..Settings::default() });
    assert!(plain >= 42 && told <= 12 && by_tags <= 12, "{plain}, {told}, {by_tags}");
}

#[test]
fn watching_asks_a_drive_that_tells_only_what_changed() {
    let drive = Drive::with(Settings { tells_changes: true, ..Settings::default() });
    drive.rules("[[rule]]\npiles = [\"drive\"]\nwhen = \"ext pdf\"\nput = \"cloud/1\"\n\n[watch]\npiles = [\"drive\"]\n");
    for folder in 0..20 {
        drive.file(format!("folder {folder}/deep/file.txt"), "x");
    }
    drive.nine(&["check"]).ends(0);
    drive.nine(&["watch", "--once"]).ends(0);
    let first = drive.standin.as_ref().unwrap().asked().len();
    drive.file("minutes.pdf", "new");
    drive.nine(&["watch", "--once"]).ends(0).warns("1 moved");
    let second = drive.standin.as_ref().unwrap().asked().len();
    assert!(first >= 42 && second <= 20, "{first} requests, then {second}");
    assert!(drive.at("1 Minutes/minutes.pdf").exists());
}
