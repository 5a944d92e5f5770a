//! The connection to a drive cut, the drive out of order, or the program killed, at every request.

use std::collections::BTreeMap;
use std::os::unix::process::ExitStatusExt;

use nine_standin::{Fault, Settings, Wrong};

use super::drive::Drive;
use super::scenes::is_long;
use super::support::{Ran, picture_of};

const RULES: &str = r#"
[archive]
when = "idle over 180d"
put = "cloud/3/{today}/{pile}"

[[rule]]
name = "replace"
piles = ["drive"]
when = "name starts plan"
put = "cloud/1"
clash = "replace"

[[rule]]
name = "loans"
piles = ["drive"]
when = "name starts loan"
tag = ["loans"]
put = "cloud/2/{ext}"
"#;

struct Scene {
    name: &'static str,
    /// What is done before.
    ready: &'static [&'static str],
    words: &'static [&'static str],
    /// Of how many cases the short form tries one.
    stride: usize,
}

const SCENES: [Scene; 8] = [
    Scene { name: "tidy", ready: &[], words: &["tidy", "drive", "--yes"], stride: 10 },
    Scene { name: "undo", ready: &["tidy", "drive", "--yes"], words: &["undo", "--yes"], stride: 10 },
    Scene {
        name: "up",
        ready: &[],
        words: &["put", "Downloads/minutes", "Downloads/single.txt", "--on", "cloud/1", "--yes"],
        stride: 21,
    },
    Scene {
        name: "down",
        ready: &[],
        words: &["put", "drive/letters", "--on", "home/2", "--yes"],
        stride: 21,
    },
    Scene {
        name: "back down",
        ready: &["put", "Downloads/minutes", "--on", "cloud/1", "--yes"],
        words: &["undo", "--yes"],
        stride: 21,
    },
    Scene { name: "archive", ready: &[], words: &["archive", "--yes"], stride: 33 },
    Scene {
        name: "discard",
        ready: &[],
        words: &["discard", "drive/letters/a.txt", "drive/plan.txt", "--yes"],
        stride: 6,
    },
    Scene {
        name: "merge",
        ready: &[],
        words: &["put", "drive/letters", "--on", "cloud/1/papers", "--merge", "--yes"],
        stride: 6,
    },
];

/// A world as it was.
struct Before {
    contents: Vec<String>,
    home: BTreeMap<String, String>,
    drive: BTreeMap<String, String>,
    tags: Vec<String>,
    /// What was on the drive before all.
    made: BTreeMap<String, String>,
    tags_made: Vec<String>,
}

fn set(scene: &Scene) -> (Drive, Before) {
    let drive = Drive::with(Settings::default());
    drive.rules(RULES);
    drive.file("plan.txt", "the new plan").file("1 Minutes/plan.txt", "the old plan");
    drive.file("loan 1.txt", "first loan").file("loan 2.pdf", "second loan");
    drive.file("letters/a.txt", "first letter").file("letters/deep/b.txt", "second letter");
    drive.file("1 Minutes/papers/a.txt", "another paper").file("1 Minutes/papers/c.txt", "third paper");
    drive.world.file("minutes/march.txt", "in March").file("minutes/deep/april.txt", "in April");
    drive.world.file("single.txt", "a single one");
    drive.nine(&["check"]).ends(0);
    drive.tag("letters/deep/b.txt", "post");
    let march = drive.world.at("Downloads/minutes/march.txt");
    rustix::fs::setxattr(march, "user.xdg.tags", b"board", rustix::fs::XattrFlags::empty()).unwrap();
    let (made, tags_made) = (sorted_out(drive.files()), drive.tags());
    if !scene.ready.is_empty() {
        drive.nine(scene.ready).ends(0);
    }
    let before = Before {
        contents: contents(&drive),
        home: drive.world.picture(),
        drive: sorted_out(drive.files()),
        tags: drive.tags(),
        made,
        tags_made,
    };
    (drive, before)
}

/// The contents of all files of the person, each as often as it is there.
fn contents(drive: &Drive) -> Vec<String> {
    let is_list = |name: &str| name.ends_with("SHA256SUMS") || name.ends_with("contents.csv");
    let here = drive.world.picture().into_iter().filter(|(name, _)| !name.ends_with('/'));
    let trash = drive.world.trash().join("files");
    let trash = if trash.exists() { picture_of(&trash) } else { BTreeMap::new() };
    let word =
        |text: &str| text.split(|c: char| c.is_ascii_digit()).next().unwrap_or_default().trim().to_owned();
    let on_drive = drive.files().into_iter().filter(|(name, _)| !name.ends_with('/'));
    let all = here.chain(trash).chain(on_drive).filter(|(name, _)| !is_list(name));
    let mut all: Vec<String> = all.map(|(_, text)| word(&text)).collect();
    all.sort();
    all
}

/// Without what nobody misses: folders for discarded things, and lists.
fn sorted_out(mut files: BTreeMap<String, String>) -> BTreeMap<String, String> {
    files.retain(|name, _| !name.starts_with(".discarded"));
    files
}

/// What must hold after a disturbed run: all is there once, a second look finds nothing, and it can be taken back.
fn holds(scene: &Scene, drive: &Drive, before: &Before, case: &str) {
    holds_but(scene, drive, before, case, false);
}

/// The same; `may_be_empty`: empty folders could not be taken away, and may stay.
fn holds_but(scene: &Scene, drive: &Drive, before: &Before, case: &str, may_be_empty: bool) {
    let case = format!("{}, {case}", scene.name);
    drive.standin.as_ref().unwrap().misbehave([]);
    let recovered = drive.nine(&["history"]);
    assert_eq!(recovered.status, 0, "{case}: {}", recovered.err);
    assert!(!recovered.err.contains("neither"), "{case}: {}", recovered.err);
    assert_eq!(contents(drive), before.contents, "{case}: {}\n{:#?}", recovered.err, drive.files());
    let is_left = |name: &String| name.contains(".nine-");
    let left: Vec<String> = drive.names().into_iter().filter(is_left).collect();
    assert!(left.is_empty(), "{case}: {left:?}");
    assert_eq!(drive.nine(&["history"]).err, "", "{case}: a second look finds something");
    if scene.words.first() == Some(&"archive") {
        let verified = drive.nine(&["archive", "verify"]);
        assert_eq!(verified.status, 0, "{case}: {}{}", verified.out, verified.err);
    }
    let seen = |mut files: BTreeMap<String, String>| {
        files.retain(|name, _| !(may_be_empty && name.ends_with('/')));
        sorted_out(files)
    };
    let is_as_before = || {
        seen(drive.files()) == seen(before.drive.clone())
            && drive.world.picture() == before.home
            && drive.tags() == before.tags
    };
    for turn in 0.. {
        if is_as_before() {
            return;
        }
        let ran: Ran = drive.nine(&["undo", "--yes"]);
        if ran.status != 0 {
            assert!(ran.err.contains("no run to take back"), "{case}: {}{}", ran.out, ran.err);
            break;
        }
        assert!(turn < 10, "{case}: undo comes to no end");
    }
    // What was done before the command is taken back too; then it is as it was made.
    assert_eq!(
        seen(drive.files()),
        seen(before.made.clone()),
        "{case}: {}\nbefore: {:#?}",
        recovered.err,
        before.drive
    );
    assert_eq!(drive.tags(), before.tags_made, "{case}");
}

/// The requests or points at which a scene is disturbed. The short form takes others for each `turn` of four, so that
/// together they come to most of them.
fn cases(scene: &Scene, turn: usize) -> impl Iterator<Item = usize> {
    let step = if is_long() { 1 } else { scene.stride };
    (1 + step * turn / 4..).step_by(step)
}

/// Disturbs request after request, until none is left to disturb. Returns how many cases there were.
fn at_every_request(scene: &Scene, wrong: Wrong, turn: usize) -> usize {
    for (cases, nth) in cases(scene, turn).enumerate() {
        let (drive, before) = set(scene);
        let standin = drive.standin.as_ref().unwrap();
        standin.asked();
        standin.misbehave([Fault::once(wrong, nth as u64)]);
        let ran = drive.nine(scene.words);
        let asked = standin.asked().len();
        // One fault is got over.
        assert_eq!(ran.status, 0, "{}, {wrong:?} at {nth}: {}{}", scene.name, ran.out, ran.err);
        holds(scene, &drive, &before, &format!("{wrong:?} at request {nth}"));
        if asked < nth {
            return cases;
        }
    }
    unreachable!("the program ends at some request")
}

/// From one request on the drive is gone for good.
fn gone_from_every_request(scene: &Scene) -> usize {
    for (cases, nth) in cases(scene, 1).enumerate() {
        let (drive, before) = set(scene);
        let standin = drive.standin.as_ref().unwrap();
        standin.asked();
        standin.misbehave([Fault { times: u64::MAX, ..Fault::once(Wrong::DropBefore, nth as u64) }]);
        let ran = drive.nine(scene.words);
        let asked = standin.asked().len();
        holds_but(scene, &drive, &before, &format!("gone from request {nth}"), true);
        if asked < nth {
            assert_eq!(ran.status, 0, "{}: {}{}", scene.name, ran.out, ran.err);
            return cases;
        }
    }
    unreachable!("the program ends at some request")
}

fn killed_at_every_point(scene: &Scene) -> usize {
    for (cases, point) in cases(scene, 0).enumerate() {
        let (drive, before) = set(scene);
        let killed = drive.command(scene.words).env("NINE_KILL_AT", point.to_string()).output().unwrap();
        if killed.status.signal() != Some(9) {
            let said = String::from_utf8_lossy(&killed.stderr);
            assert!(killed.status.success(), "{}, point {point}: {said}", scene.name);
            return cases;
        }
        holds(scene, &drive, &before, &format!("killed at point {point}"));
    }
    unreachable!("the program ends at some point")
}

fn all_scenes(what: &str, disturb: impl Fn(&Scene) -> usize) {
    for scene in &SCENES {
        let cases = disturb(scene);
        assert!(cases >= 2, "{}: {cases} cases", scene.name);
        eprintln!("{what}: {}: {cases} requests", scene.name);
    }
}

#[test]
fn cut_before_the_drive_acted() {
    all_scenes("cut before", |scene| at_every_request(scene, Wrong::DropBefore, 0));
}

#[test]
fn cut_after_the_drive_acted() {
    all_scenes("cut after", |scene| at_every_request(scene, Wrong::DropAfter, 1));
}

#[test]
fn cut_in_the_answer() {
    all_scenes("cut in between", |scene| at_every_request(scene, Wrong::Half, 2));
}

#[test]
fn out_of_order() {
    all_scenes("status 500", |scene| at_every_request(scene, Wrong::Status(500), 3));
}

#[test]
fn gone_for_good() {
    all_scenes("gone", gone_from_every_request);
}

#[test]
fn killed_beside_a_drive() {
    all_scenes("killed", killed_at_every_point);
}
