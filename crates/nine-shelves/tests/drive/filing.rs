//! What is done by rules and by hand on a drive, and taken back.

use std::fs;

use super::drive::Drive;

const RULES: &str = r#"
[[rule]]
name = "loans"
when = "name starts loan"
tag = ["loans"]
rename = "{stem} filed{ext}"
put = "cloud/2/{modified:year}"
"#;

fn laid_out() -> Drive {
    let drive = Drive::new();
    drive.rules(RULES);
    drive.file("loan 1.txt", "one").file("loan 2.txt", "two").file("other.txt", "three");
    drive.file("letters/a.txt", "a").file("letters/deep/b.txt", "b");
    drive
}

#[test]
fn rules_file_what_lies_on_a_drive_and_undo_takes_it_back() {
    let drive = laid_out();
    let before = drive.files();
    drive.nine(&["tidy", "drive"]).ends(0).says("loan 1.txt").warns("Nothing has been changed");
    assert_eq!(drive.files(), before, "a preview changes nothing");
    drive.nine(&["tidy", "drive", "--yes"]).ends(0).says("2 moved, 2 tagged");
    let names = drive.names();
    assert!(names.contains(&"2 Loans/2030/loan 1 filed.txt".to_owned()), "{names:?}");
    assert!(!names.iter().any(|name| name.contains(".nine")), "{names:?}");
    assert_eq!(
        drive.tags(),
        ["cloud/2 Loans/2030/loan 1 filed.txt: loans", "cloud/2 Loans/2030/loan 2 filed.txt: loans"]
            .map(|line| line.replace("cloud", "drive"))
    );
    drive.nine(&["undo", "--yes"]).ends(0).says("2 moved, 2 tagged");
    assert_eq!(drive.files(), before);
    assert_eq!(drive.tags(), [""; 0]);
    assert_eq!(drive.nine(&["history"]).ends(0).err, "");
}

#[test]
fn items_are_put_and_discarded_by_hand() {
    let drive = laid_out();
    let before = drive.files();
    drive
        .nine(&["put", "drive/letters", "drive/other.txt", "--on", "cloud/1", "--yes"])
        .ends(0)
        .says("2 moved");
    assert!(drive.names().contains(&"1 Minutes/letters/deep/b.txt".to_owned()), "{:?}", drive.names());
    drive
        .nine(&["discard", "cloud/1 Minutes/other.txt", "drive/loan 1.txt", "--yes"])
        .ends(0)
        .says("2 discarded");
    let names = drive.names();
    assert!(
        names.contains(&".discarded/2031-04-07/loan 1.txt".to_owned())
            || names
                .iter()
                .any(|name| { name.starts_with(".discarded/20") && name.ends_with("/loan 1.txt") }),
        "{names:?}"
    );
    // What was discarded is out of sight.
    assert!(!drive.nine(&["search", "name", "starts", "loan"]).ends(0).out.contains("loan 1"));
    while drive.nine(&["undo", "--yes"]).status == 0 {}
    let mut after = drive.files();
    after.retain(|name, _| !name.starts_with(".discarded") && !name.starts_with("1 Minutes"));
    assert_eq!(after, before);
}

#[test]
fn of_one_name_all_are_kept_when_they_are_discarded() {
    let drive = Drive::new();
    for folder in ["a", "b", "c"] {
        drive.file(format!("{folder}/plan.txt"), folder);
    }
    drive.nine(&["discard", "--where", "name is plan.txt", "--yes"]).ends(0).says("3 discarded");
    let kept: Vec<String> = drive.names().into_iter().filter(|name| name.ends_with(".txt")).collect();
    assert_eq!(kept.len(), 3, "{kept:?}");
    drive.nine(&["undo", "--yes"]).ends(0).says("3 restored");
    for folder in ["a", "b", "c"] {
        assert_eq!(drive.files()[&format!("{folder}/plan.txt")], folder);
    }
}

#[test]
fn a_pile_is_swept_and_its_pieces_pulled_back() {
    let drive = laid_out();
    drive.nine(&["sweep", "drive", "--yes"]).ends(0).says("moved");
    let names = drive.names();
    assert!(names.contains(&"2031-04-07/loan 1.txt".to_owned()), "{names:?}");
    drive.nine(&["retrieve", "drive/2031-04-07/loan 1.txt", "--yes"]).ends(0).says("1 moved");
    assert!(drive.names().contains(&"loan 1.txt".to_owned()));
}

#[test]
fn tags_travel_with_moves() {
    let drive = laid_out();
    drive.nine(&["tag", "add", "keep,loan/Harrow", "drive/letters/deep/b.txt", "--yes"]).ends(0);
    drive.nine(&["tag", "add", "post", "drive/letters", "--yes"]).ends(0);
    drive.nine(&["put", "drive/letters", "--on", "cloud/1", "--yes"]).ends(0);
    assert_eq!(
        drive.tags(),
        ["drive/1 Minutes/letters/deep/b.txt: keep,loan/Harrow", "drive/1 Minutes/letters: post"]
    );
}

#[test]
fn clashes_are_numbered_left_and_replaced() {
    for (clash, kept) in [("number", vec!["one", "old"]), ("leave", vec!["old"]), ("replace", vec!["one"])] {
        let drive = Drive::new();
        drive.rules(&format!(
            "[[rule]]\nname = \"all\"\nwhen = \"name is plan.txt\"\nput = \"cloud/1\"\nclash = \"{clash}\"\n"
        ));
        drive.file("plan.txt", "one").file("1 Minutes/plan.txt", "old");
        drive.nine(&["tidy", "drive", "--yes"]).ends(0);
        let on_shelf: Vec<String> = drive
            .files()
            .into_iter()
            .filter(|(name, _)| name.starts_with("1 Minutes/p"))
            .map(|(_, text)| text)
            .collect();
        assert_eq!(on_shelf, kept, "{clash}");
        let all: Vec<String> = drive.files().into_values().filter(|text| !text.is_empty()).collect();
        assert_eq!(all.len(), 2, "{clash}: {:?}", drive.files());
    }
}

#[test]
fn names_of_all_kinds_are_moved() {
    let drive = Drive::new();
    drive.rules("[[rule]]\nname = \"all\"\nwhen = \"file\"\nput = \"cloud/1\"\n");
    let names: [&[u8]; 8] = [
        b"100% sure?.txt",
        b"a+b & c#d.txt",
        "nfc \u{e4}.txt".as_bytes(),
        "nfd a\u{308}.txt".as_bytes(),
        b"semi;colon=x,y.txt",
        b"quote\"s 'and' <angles>.txt",
        "ключ 🐚.txt".as_bytes(),
        b"back\\slash [x].txt",
    ];
    // A server that cuts names is given none that it would cut.
    let cuts = std::env::var("NINE_SERVER_CUTS_NAMES").is_ok();
    let is_cut = |name: &[u8]| cuts && drive.standin.is_none() && name.iter().any(|b| b"#?;".contains(b));
    let cut = names.into_iter().filter(|name| is_cut(name)).count();
    for name in names {
        drive.file(name, "x");
    }
    let before = drive.files();
    let ran = drive.nine(&["tidy", "drive", "--yes"]).ends(i32::from(cut > 0));
    ran.says(&format!("{} moved", names.len() - cut));
    assert_eq!(
        drive.names().iter().filter(|name| name.starts_with("1 Minutes/")).count(),
        names.len() - cut + 1,
        "{:?}",
        drive.names()
    );
    drive.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(drive.files(), before);
}

#[test]
fn a_worklist_goes_through_a_file() {
    let drive = laid_out();
    let file = drive.world.at("plan.csv");
    drive.nine(&["tidy", "drive", "--worklist", file.to_str().unwrap()]).ends(0);
    let text = std::fs::read_to_string(&file).unwrap();
    assert!(text.contains("drive/loan 1.txt"), "{text}");
    std::fs::write(drive.at("loan 2.txt"), "changed meanwhile").unwrap();
    drive.nine(&["carry", file.to_str().unwrap(), "--yes"]).ends(1).says("1 moved");
    assert!(drive.names().contains(&"loan 2.txt".to_owned()), "what has changed since is left");
}

#[test]
fn two_folders_are_merged() {
    let drive = laid_out();
    drive.file("1 Minutes/letters/a.txt", "another").file("1 Minutes/letters/c.txt", "c");
    let merged = drive.nine(&["put", "drive/letters", "--on", "cloud/1/letters", "--merge", "--yes"]).ends(0);
    merged.says("moved");
    let names = drive.names();
    for name in ["1 Minutes/letters/a (2).txt", "1 Minutes/letters/deep/b.txt", "1 Minutes/letters/c.txt"] {
        assert!(names.contains(&name.to_owned()), "{name}: {names:?}");
    }
    assert!(!names.contains(&"letters/".to_owned()), "{names:?}");
}

#[test]
fn an_item_is_explained() {
    let drive = laid_out();
    drive
        .nine(&["why", "drive/loan 1.txt"])
        .ends(0)
        .says(&format!("{}loan%201.txt", drive.url))
        .says("loans");
    let url = format!("{}letters/a.txt", drive.url);
    drive.nine(&["why", &url]).ends(0).says("a.txt");
    drive.nine(&["why", &format!("{}nothing", drive.url)]).ends(2).warns("there is nothing at");
    drive.nine(&["why", "https://elsewhere.example/x"]).ends(2).warns("lies in no pile or bookcase");
}

#[test]
fn a_bookcase_is_set_up_on_a_drive() {
    let drive = laid_out();
    let file = drive.world.data.join("shelves.toml");
    let before = (fs::read_to_string(&file).unwrap(), drive.names());
    let at = format!("{}fresh/", drive.url);
    // Nothing is made where there is no such folder.
    drive.nine(&["setup", "--layout", "kinds", "--at", &at, "--yes"]).ends(2);
    assert_eq!((fs::read_to_string(&file).unwrap(), drive.names()), before);
    let text = before
        .0
        .replace(&format!("[bookcase.cloud]\nat = \"{}\"", drive.url), "[bookcase.cloud]\nat = \"/nowhere\"");
    assert_ne!(text, before.0, "{text}");
    fs::write(&file, &text).unwrap();
    drive.nine(&["setup", "--layout", "kinds", "--at", &drive.url, "--marks", "none", "--yes"]).ends(0);
    assert!(drive.names().iter().any(|name| name.contains("5 Sound and film")), "{:?}", drive.names());
    drive.nine(&["undo", "--yes"]).ends(0);
    assert_eq!((fs::read_to_string(&file).unwrap(), drive.names()), (text, before.1));
}

#[test]
fn shelves_of_a_drive_are_made_renamed_and_moved() {
    let drive = laid_out();
    let names = || drive.names().into_iter().filter(|name| !name.contains("letters")).collect::<Vec<_>>();
    let before = names();
    drive.nine(&["shelves", "make", "cloud", "--yes"]).ends(0);
    drive.nine(&["shelves", "rename", "cloud/1", "Protocols", "--yes"]).ends(0);
    drive.nine(&["shelves", "move", "cloud/1", "2", "--yes"]).ends(0);
    assert!(drive.names().iter().any(|name| name.contains("2 Protocols")), "{:?}", drive.names());
    for _ in 0..3 {
        drive.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(names(), before);
}

#[test]
fn a_drive_is_surveyed_and_its_shelves_are_shown() {
    let drive = laid_out();
    drive.nine(&["survey", "drive"]).ends(0).says("5 files");
    drive.nine(&["shelves"]).ends(0).says("nine shelves make cloud");
    drive
        .nine(&["search", "size", "over", "0", "--format", "paths"])
        .ends(0)
        .says(&format!("{}loan%201.txt", drive.url));
}

#[test]
fn what_others_see_is_told_before_it_comes_or_goes() {
    let drive = Drive::new();
    drive.config("shared = { \"Together\" = \"the board\" }", "");
    if drive.standin.is_none() {
        return; // its login stands where the folders do
    }
    drive.file("Together/plan.txt", "plan").file("1 Minutes/own.txt", "own");
    let out = drive.nine(&["put", "drive/Together/plan.txt", "--on", "cloud/1"]).ends(0);
    out.says("it leaves drive/Together, and the board will not see it there any more").says("1 in doubt");
    drive.nine(&["discard", "drive/Together/plan.txt"]).ends(0).says("the board will not see it");
    drive.nine(&["search", "shared"]).ends(0).says("plan.txt").says("1 file");
    drive.config("shared = { \"1 Minutes\" = \"the trustees\" }", "");
    drive.world.file("new.txt", "new");
    let out = drive.nine(&["put", "Downloads/new.txt", "--on", "cloud/1"]).ends(0);
    out.says("the trustees will see it in cloud/1 Minutes");
    drive.nine(&["put", "Downloads/new.txt", "--on", "cloud/1", "--sure", "--yes"]).ends(0);
    assert!(drive.world.at("Downloads/new.txt").exists(), "what is in doubt is left");
}
