//! The layout as it stands, what is wrong with it, and folders brought together.

use std::fs;

use super::support::{World, tags_of};

fn world() -> World {
    let world = World::new();
    world.rules("");
    for (path, text) in [
        ("1 Boats/Claims/a.txt", "a claim"),
        ("1 Boats/Claims/same name.txt", "one thing"),
        ("1 Boats/Claims/2030/deep.txt", "deep"),
        ("1 Boats/Claims/p.jpg", "a photo"),
        ("1 Boats/Claims/p.xmp", "its edits"),
        ("2 Loans/Claims/copy of a.txt", "a claim"),
        ("2 Loans/Claims/same name.txt", "another thing"),
        ("2 Loans/Claims/p.jpg", "another photo"),
        ("2 Loans/Claims/2030/other.txt", "other"),
        ("2 Loans/Claims/more/1.txt", "1"),
        ("2 Loans/Claims/more/2.txt", "2"),
        ("2 Loans/loose.txt", "loose"),
    ] {
        world.old_file(&world.shelves.join(path), text);
    }
    fs::create_dir_all(world.shelves.join("2 Loans/none/inner")).unwrap();
    world
}

/// Runs a line as it was told to be typed.
fn as_told(world: &World, line: &str) -> i32 {
    let program = env!("CARGO_BIN_EXE_nine");
    let line = line.replacen("nine ", &format!("'{program}' "), 1);
    let mut shell = std::process::Command::new("sh");
    shell.arg("-c").arg(format!("{line} --yes")).env_clear().env("HOME", world.dir.path());
    shell.env("NINE_HOME", world.at("nine")).env("NINE_TODAY", super::support::DAY);
    shell.env("LC_ALL", "C.UTF-8").stdin(std::process::Stdio::null());
    shell.output().unwrap().status.code().unwrap()
}

#[test]
fn what_is_wrong_is_told_with_the_command_that_mends_it() {
    let world = world();
    let ran = world.nine(&["shelves"]).ends(0).says("1 Boats").says("2 folders, 2 deep");
    let ran = ran.says("1 Boats/Claims  5 files, and 2 Loans/Claims").says("3 Grants");
    ran.says("2 Loans  1 file beside its folders").says("2 Loans/none").says("things to look at");
    // Every command that is told does what it says; the rest of the list is about other things then.
    for round in 0.. {
        let json = world.nine(&["shelves", "--format", "json"]).ends(0).out;
        let wrong = json.lines().map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
        let mends =
            wrong.filter(|line| line["line"] == "wrong").map(|l| l["mend"].as_str().unwrap().to_owned());
        let Some(mend) = mends.into_iter().find(|mend| mend.starts_with("nine ")) else { break };
        assert!(round < 10, "{mend} mends nothing");
        assert_eq!(as_told(&world, &mend), 0, "{mend}");
    }
    world.nine(&["shelves"]).ends(0).says("nothing is wrong");
    assert_eq!(fs::read_to_string(world.shelves.join("2 Loans/Unsorted/loose.txt")).unwrap(), "loose");
}

#[test]
fn two_folders_become_one_and_copies_are_recognised() {
    let world = world();
    let before = world.picture();
    let words = ["put", "Shelves/2 Loans/Claims", "--on", "1/Claims", "--merge"];
    let ran = world.nine(&words).ends(0).says("ims/a.txt, which stays");
    ran.says("1 copy is there already").warns("Nothing has been changed");
    world.nine(&[&words[..], &["--yes"]].concat()).ends(0).says("4 moved, 1 discarded");
    let claims = world.shelves.join("1 Boats/Claims");
    let text = |name: &str| fs::read_to_string(claims.join(name)).unwrap();
    assert_eq!(text("same name.txt"), "one thing");
    assert_eq!(text("same name (2).txt"), "another thing");
    assert_eq!(
        (text("2030/deep.txt"), text("2030/other.txt"), text("more/2.txt")),
        ("deep".into(), "other".into(), "2".into())
    );
    // The photo that came has no sidecar, and must not get the other one's.
    assert_eq!((text("p.jpg"), text("p (2).jpg")), ("a photo".into(), "another photo".into()));
    assert!(!world.shelves.join("2 Loans/Claims").exists());
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn what_would_be_lost_is_a_doubt_and_what_cannot_be_is_refused() {
    let world = world();
    let tagged = world.shelves.join("2 Loans/Claims/copy of a.txt");
    rustix::fs::setxattr(&tagged, "user.xdg.tags", b"urgent", rustix::fs::XattrFlags::empty()).unwrap();
    let words = ["put", "Shelves/2 Loans/Claims", "--on", "1/Claims", "--merge"];
    world
        .nine(&[&words[..], &["--sure", "--yes"]].concat())
        .ends(0)
        .says("what stays does not have its tags `urgent`");
    assert_eq!(tags_of(&tagged), "urgent");
    world
        .nine(&["put", "Shelves/2 Loans/loose.txt", "--on", "1", "--merge"])
        .ends(2)
        .warns("is not a folder");
    world.nine(&["put", "Shelves/1 Boats", "--on", "2", "--merge"]).ends(2).warns("a shelf");
    world
        .nine(&["put", "Shelves/1 Boats/Claims", "--on", "1/Claims/2030", "--merge"])
        .ends(2)
        .warns("lies in it");
    world.nine(&["shelves", "hom"]).ends(2).warns("did you mean `home`?");
    // A second folder with a shelf's number goes into the shelf.
    world.old_file(&world.shelves.join("2 Old/x.txt"), "x");
    let mend = "nine put 'home/2 Old' --on 2 --merge";
    world.nine(&["shelves"]).ends(0).says(mend);
    assert_eq!(as_told(&world, mend), 0);
    assert_eq!(fs::read_to_string(world.shelves.join("2 Loans/x.txt")).unwrap(), "x");
}
