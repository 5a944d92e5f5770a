//! Drives that misbehave, refuse, forget, or want to know who is there.

use std::os::unix::fs::PermissionsExt;

use nine_standin::{Fault, Forgets, Settings, Standin, Wrong};

use super::drive::Drive;

const RULES: &str = "[[rule]]\nname = \"all\"\nwhen = \"ext txt\"\ntag = [\"seen\"]\nput = \"cloud/1\"\n";

fn with(settings: Settings) -> Drive {
    let drive = Drive::with(settings);
    drive.rules(RULES);
    drive.file("a.txt", "a").file("b.txt", "b");
    drive
}

fn login() -> Settings {
    Settings { login: Some(("ada".into(), "se cret".into())), ..Settings::default() }
}

#[test]
fn nothing_is_changed_on_a_drive_that_takes_no_notice_of_conditions() {
    let drive = with(Settings { careless: true, ..Settings::default() });
    let before = drive.files();
    drive.nine(&["search"]).ends(0).says("a.txt");
    drive.nine(&["tidy", "drive", "--yes"]).ends(1).says("so nothing is changed on it");
    assert_eq!(drive.files(), before);
    drive.nine(&["check"]).ends(1).says("x").says("writes over a file");
}

/// Also a server that really is like that, where one is given.
#[test]
fn a_careless_drive_is_refused_before_anything_is_planned_on_it() {
    let drive = match std::env::var("NINE_SERVER_IS_CARELESS") {
        Ok(_) => Drive::new(),
        Err(_) => Drive::with(Settings { careless: true, ..Settings::default() }),
    };
    drive.rules(RULES);
    drive.file("a.txt", "a").file("b.txt", "b");
    drive.world.file("c.txt", "c");
    let before = drive.files();
    drive.nine(&["tidy", "drive"]).ends(1).says("so nothing is changed on it").says("0 steps");
    drive.nine(&["put", "Downloads/c.txt", "--on", "cloud/1", "--yes"]).ends(1).says("0 steps");
    assert_eq!(drive.files(), before, "what it was tried with is gone");
    assert!(drive.world.at("Downloads/c.txt").exists());
}

#[test]
fn a_drive_may_ask_for_whatever_pause_it_likes() {
    let drive = with(Settings::default());
    drive.nine(&["check"]).ends(0);
    for wish in ["18446744073709551615", "99999999999999999999999", "-5", "soon"] {
        let first = Fault::once(Wrong::AskFor("1"), 1).of("MOVE");
        let then = Fault::once(Wrong::AskFor(wish), 2).of("MOVE");
        drive.standin.as_ref().unwrap().misbehave([first, then]);
        let ran = drive.nine(&["tidy", "drive", "--yes"]);
        assert!(
            matches!(ran.status, 0 | 1) && !ran.err.contains("panicked"),
            "{wish}: {}{}",
            ran.out,
            ran.err
        );
        drive.nine(&["undo", "--yes"]);
    }
}

#[test]
fn a_drive_that_makes_up_folders_without_end_is_given_up() {
    let drive = with(Settings::default());
    for wrong in [Wrong::Nested, Wrong::Twice] {
        let fault = Fault { times: u64::MAX, ..Fault::once(wrong, 1).of("PROPFIND") };
        drive.standin.as_ref().unwrap().misbehave([fault]);
        let ran = drive.nine(&["search", "name", "has", "x"]);
        let said = format!("{}{}", ran.out, ran.err);
        assert_eq!(ran.status, 1, "{wrong:?}: {said}");
        assert!(said.contains("nested too deep") || said.contains("twice"), "{wrong:?}: {said}");
    }
}

#[test]
fn a_drive_that_may_only_be_read_is_read() {
    let drive = with(Settings { read_only: true, ..Settings::default() });
    drive.nine(&["search"]).ends(0).says("a.txt");
    drive.nine(&["tidy", "drive", "--yes"]).ends(1).says("no right to change it");
    assert_eq!(drive.names(), ["a.txt", "b.txt"]);
}

#[test]
fn tags_survive_where_the_drive_drops_them_on_a_move() {
    let drive = with(Settings { forgets: Forgets::OnMove, ..Settings::default() });
    drive.file("letters/c.md", "c");
    drive.nine(&["tag", "add", "post", "drive/letters/c.md", "--yes"]).ends(0);
    drive.nine(&["tidy", "drive", "--yes"]).ends(0);
    drive.nine(&["put", "drive/letters", "--on", "cloud/2", "--yes"]).ends(0);
    assert_eq!(
        drive.tags(),
        ["drive/1 Minutes/a.txt: seen", "drive/1 Minutes/b.txt: seen", "drive/2 Loans/letters/c.md: post"]
    );
}

#[test]
fn what_has_tags_stays_where_they_can_be_kept() {
    let drive = with(Settings { forgets: Forgets::Always, ..Settings::default() });
    drive.world.file("tagged.txt", "t").file("plain.md", "p");
    drive.nine(&["tag", "add", "post", "Downloads/tagged.txt", "--yes"]).ends(0);
    drive.nine(&["put", "Downloads/plain.md", "--on", "cloud/1", "--yes"]).ends(0).says("1 moved");
    drive.nine(&["put", "Downloads/tagged.txt", "--on", "cloud/1", "--yes"]).ends(1).says("keeps no tags");
    assert!(drive.world.at("Downloads/tagged.txt").exists());
    drive.nine(&["check"]).ends(0).says("keeps no tags");
}

#[test]
fn a_full_drive_keeps_what_it_has() {
    let drive = with(Settings { quota: Some(1000), ..Settings::default() });
    drive.world.file("large.bin", &"x".repeat(5000)).file("small.bin", "s");
    let moved = drive
        .nine(&["put", "Downloads/large.bin", "Downloads/small.bin", "--on", "cloud/1", "--yes"])
        .ends(1);
    moved.says("large.bin");
    assert!(drive.world.at("Downloads/large.bin").exists());
}

#[test]
fn the_password_comes_from_a_variable_a_file_or_a_command() {
    let drive = with(login());
    let file = drive.world.at("secret");
    std::fs::write(&file, "se cret\nmore").unwrap();
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
    let from = |from: &str| drive.config(&format!("user = \"ada\"\npassword = {from}"), RULES);
    from("{ variable = \"QUAY\" }");
    let found = |drive: &Drive| {
        let ran = drive.command(&["search"]).env("QUAY", "se cret").output().unwrap();
        String::from_utf8_lossy(&ran.stdout).contains("a.txt")
    };
    assert!(found(&drive));
    from("{ file = \"~/secret\" }");
    assert!(found(&drive));
    from("{ command = \"echo 'se cret'\" }");
    assert!(found(&drive));
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o644)).unwrap();
    from("{ file = \"~/secret\" }");
    let refused = drive.nine(&["search"]);
    assert!(
        refused.err.contains("others can read it") && !refused.err.contains("se cret"),
        "{}",
        refused.err
    );
    from("{ variable = \"NOT_THERE\" }");
    drive.nine(&["search"]).warns("is not in $NOT_THERE");
    from("{ command = \"exit 3\" }");
    drive.nine(&["search"]).warns("was not told by its command");
}

#[test]
fn a_wrong_password_is_said_and_shown_nowhere() {
    let drive = with(login());
    drive.config("user = \"ada\"\npassword = { command = \"echo wrong-word\" }", RULES);
    let ran = drive.nine(&["check", "-vv"]);
    assert_eq!(ran.status, 1);
    assert!(
        format!("{}{}", ran.out, ran.err).contains("does not accept the name and password"),
        "{}",
        ran.out
    );
    drive.config("user = \"ada\"\npassword = { command = \"echo 'se cret'\" }", RULES);
    let ran = drive.nine(&["tidy", "drive", "--yes", "-vv"]).ends(0);
    let mut told = format!("{}{}", ran.out, ran.err);
    let mut open = vec![drive.world.at("nine")];
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            match path.is_dir() {
                true => open.push(path),
                false if path.ends_with("shelves.toml") => {}
                false => told.push_str(&String::from_utf8_lossy(&std::fs::read(path).unwrap())),
            }
        }
    }
    for secret in ["se cret", "wrong-word", "YWRhOnNlIGNyZXQ"] {
        assert!(!told.contains(secret), "{secret} is told");
    }
}

#[test]
fn a_password_in_the_configuration_is_refused() {
    let drive = with(Settings::default());
    drive.config("user = \"ada\"\npassword = \"hunter2\"", "");
    let ran = drive.nine(&["check"]).ends(2);
    ran.warns("a password does not belong into the configuration");
    drive.world.config("[pile.a]\nat = \"https://ada:pw@host/x\"\n");
    drive.nine(&["check"]).ends(2).warns("names and passwords do not belong into an address");
    drive.world.config("[pile.a]\nat = \"http://drive.example/x\"\n");
    drive.nine(&["check"]).ends(2).warns("can be read by others on the way");
}

#[test]
fn credentials_go_to_no_other_host() {
    let drive = with(login());
    let other = Standin::start(Settings { root: drive.root.clone(), ..Settings::default() }).unwrap();
    drive.config("user = \"ada\"\npassword = { command = \"echo 'se cret'\" }", RULES);
    drive
        .standin
        .as_ref()
        .unwrap()
        .misbehave([Fault { times: 99, ..Fault::once(Wrong::Elsewhere, 1).of("PROPFIND") }]);
    let ran = drive.nine(&["search"]);
    assert!(ran.err.contains("that is not followed"), "{}", ran.err);
    // A second drive that is configured without a login gets none.
    let text = std::fs::read_to_string(drive.world.at("nine/shelves.toml")).unwrap();
    drive.world.config(&format!("{text}\n[pile.open]\nat = \"{}\"\n", other.url()));
    drive.standin.as_ref().unwrap().misbehave([]);
    drive.nine(&["search"]).ends(0).says("open");
    let asked = other.asked();
    assert!(!asked.is_empty() && asked.iter().all(|asked| !asked.with_credentials));
}

#[test]
fn a_drive_that_is_away_is_told_as_it_is_known() {
    let drive = with(Settings::default());
    drive.nine(&["search"]).ends(0).says("a.txt");
    let Drive { world, standin, .. } = drive;
    drop(standin);
    let ran = world.nine(&["search", "name", "is", "a.txt"]).ends(1);
    ran.says("a.txt").warns("cannot be reached").warns("as known");
    world.nine(&["search", "--known", "name", "is", "a.txt"]).ends(0).says("a.txt");
    world.nine(&["tidy", "drive", "--yes"]).ends(1);
    world.nine(&["check"]).ends(1).says("cannot be reached");
}

#[test]
fn a_check_says_what_a_drive_can_do() {
    let drive = with(Settings { quota: Some(1 << 20), tells_sums: true, ..Settings::default() });
    let told = drive.nine(&["check"]).ends(0);
    told.says("tags").says("checksums").says("1.0 MB free");
    let names = drive.names();
    assert_eq!(names, ["a.txt", "b.txt"], "what it was tried with is gone");
    drive.nine(&["check", "--format", "json"]).ends(0).says("\"conduct\"");
}

#[test]
fn each_refusal_is_told_in_its_own_words_and_the_rest_goes_on() {
    for (status, words) in [
        (423, "it is locked on the drive by somebody who works on it"),
        (403, "no right to change it"),
        (507, "no space is left on the drive"),
        (418, "the drive answers with status 418"),
    ] {
        let drive = with(Settings::default());
        drive.nine(&["check"]).ends(0);
        drive.standin.as_ref().unwrap().misbehave([Fault::once(Wrong::Status(status), 1).of("MOVE")]);
        drive.nine(&["tidy", "drive", "--yes"]).ends(1).says(words).says("1 moved");
        assert_eq!(drive.names().iter().filter(|name| name.starts_with("1 Minutes/")).count(), 2, "{status}");
    }
}

#[test]
fn a_target_that_came_meanwhile_and_a_source_that_changed_are_left() {
    let drive = with(Settings::default());
    let file = drive.world.at("plan.csv");
    drive.nine(&["check"]).ends(0);
    drive.nine(&["tidy", "drive", "--worklist", file.to_str().unwrap()]).ends(0);
    // Between the look and the act: the stand-in is slow, and somebody is quicker.
    drive.standin.as_ref().unwrap().misbehave([Fault::once(Wrong::Status(412), 1).of("MOVE")]);
    drive.nine(&["carry", file.to_str().unwrap(), "--yes"]).ends(0).says("2 moved");
    drive.nine(&["undo", "--yes"]).ends(0);
    drive.file("1 Minutes/a.txt", "somebody else's");
    drive.nine(&["carry", file.to_str().unwrap(), "--yes"]);
    let texts: Vec<String> = drive.files().into_values().filter(|text| !text.is_empty()).collect();
    assert_eq!(texts.len(), 3, "{:?}", drive.files());
}

#[test]
fn a_server_that_nobody_vouches_for_is_told_nothing() {
    let drive = Drive::new();
    if drive.standin.is_some() || std::env::var("NINE_SERVER_CERTIFICATE").is_err() {
        return; // it is of this machine, and has no certificate
    }
    drive.file("a.txt", "a");
    drive.nine(&["search"]).ends(0).says("a.txt");
    drive.config("user = \"ada\"\npassword = { variable = \"QUAY\" }", "");
    let ran = drive.nine(&["search"]).ends(1);
    assert!(ran.err.contains("certificate"), "{}", ran.err);
}
