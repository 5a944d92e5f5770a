//! The archive on a drive.

use nine_standin::{Fault, Settings, Wrong};

use super::drive::Drive;

const ARCHIVE: &str = "[archive]\nwhen = \"idle over 180d\"\nput = \"cloud/3/{today}/{pile}\"\n";

#[test]
fn stale_things_are_archived_verified_packed_and_brought_back() {
    let drive = Drive::new();
    drive.rules(ARCHIVE);
    drive.file("old letter.txt", "dear quay").file("papers/a.txt", "a").file("papers/deep/b.txt", "b");
    drive.world.file("from home.txt", "home");
    drive.nine(&["archive", "--yes"]).ends(0).says("3 moved");
    let names = drive.names();
    for name in ["drive/old letter.txt", "drive/papers/deep/b.txt", "downloads/from home.txt", "SHA256SUMS"] {
        assert!(names.contains(&format!("3 Archive/2031-04-07/{name}")), "{name}: {names:?}");
    }
    let ran = std::process::Command::new("sha256sum")
        .args(["-c", "--strict", "--quiet", "SHA256SUMS"])
        .current_dir(drive.at("3 Archive/2031-04-07"))
        .status();
    assert!(ran.unwrap().success());
    drive.nine(&["archive", "verify"]).ends(0);
    drive.nine(&["search", "name", "has", "letter"]).ends(0).says("archived");

    // More on the same day: the lists are replaced, and know all of it.
    drive.file("another.txt", "later");
    drive.nine(&["archive", "--yes"]).ends(0).says("1 moved");
    let sums = &drive.files()["3 Archive/2031-04-07/SHA256SUMS"];
    assert!(sums.contains("another.txt") && sums.contains("old letter.txt"), "{sums}");
    // As long as before: a server may know for a moment how long a file was.
    std::fs::write(drive.at("3 Archive/2031-04-07/drive/another.txt"), "spoil").unwrap();
    drive.nine(&["archive", "verify"]).ends(1).says("another.txt");
    std::fs::write(drive.at("3 Archive/2031-04-07/drive/another.txt"), "later").unwrap();

    drive.nine(&["archive", "pack", "2031-04-07", "--as", "zip", "--yes"]).ends(0);
    assert!(drive.names().contains(&"3 Archive/2031-04-07.zip".to_owned()), "{:?}", drive.names());
    drive.nine(&["retrieve", "--where", "name is another.txt", "--yes"]).ends(0);
    assert_eq!(drive.files()["another.txt"], "later");
}

#[test]
fn what_is_archived_is_retrieved_and_all_of_it_taken_back() {
    let drive = Drive::new();
    drive.rules(ARCHIVE);
    drive.file("a.txt", "a").file("b.txt", "b");
    let before = drive.files();
    drive.nine(&["archive", "--yes"]).ends(0);
    drive.nine(&["retrieve", "--where", "name is a.txt", "--yes"]).ends(0).says("1 moved");
    assert_eq!(drive.files()["a.txt"], "a");
    drive.nine(&["archive", "verify"]).ends(0);
    while drive.nine(&["undo", "--yes"]).status == 0 {}
    let mut after = drive.files();
    after.retain(|name, _| !name.starts_with("3 Archive") && !name.starts_with(".discarded"));
    assert_eq!(after, before);
}

#[test]
fn lists_that_did_not_come_over_are_sent_again() {
    for wrong in [Wrong::DropBefore, Wrong::DropAfter, Wrong::Half, Wrong::Status(500)] {
        for nth in 1..=2 {
            let drive = Drive::with(Settings::default());
            drive.rules(ARCHIVE);
            drive.file("a.txt", "a").file("b.txt", "b");
            drive.nine(&["check"]).ends(0);
            drive.standin.as_ref().unwrap().misbehave([Fault::once(wrong, nth).of("PUT")]);
            drive.nine(&["archive", "--yes"]).ends(0).says("2 moved");
            drive.nine(&["archive", "verify"]).ends(0);
            let left: Vec<String> = drive.names().into_iter().filter(|name| name.contains(".nine")).collect();
            assert!(left.is_empty(), "{wrong:?} at {nth}: {left:?}");
        }
    }
}

#[test]
fn packs_and_what_is_taken_out_of_them_are_sent_again() {
    let faults = [Wrong::DropBefore, Wrong::DropAfter, Wrong::Half, Wrong::Status(500)];
    for (wrong, form) in faults.into_iter().zip(["zip", "tar.zst", "zip", "tar.zst"]) {
        let drive = Drive::with(Settings::default());
        drive.rules(ARCHIVE);
        drive.file("papers/a.txt", "a").file("papers/b.txt", "b");
        drive.nine(&["archive", "--yes"]).ends(0);
        let standin = drive.standin.as_ref().unwrap();
        standin.misbehave([Fault::once(wrong, 1).of("PUT")]);
        drive.nine(&["archive", "pack", "2031-04-07", "--as", form, "--yes"]).ends(0);
        standin.misbehave([Fault::once(wrong, 2).of("PUT")]);
        drive.nine(&["retrieve", "--where", "name ends .txt", "--yes"]).ends(0).says("2 ");
        assert_eq!([&drive.files()["papers/a.txt"], &drive.files()["papers/b.txt"]], ["a", "b"]);
        let left: Vec<String> = drive.names().into_iter().filter(|name| name.contains(".nine")).collect();
        assert!(left.is_empty(), "{wrong:?}, {form}: {left:?}");
    }
}
