//! File systems without the rename that replaces nothing: a file is moved by a second name, and has both for a moment.

use super::hands::{self, HANDS};
use super::scenes::{Scene, is_long, token};
use super::support::World;
use super::{killed, refused};

const RULES: &str = r#"
[[rule]]
name = "replace"
reach = "deep"
when = "name starts plan"
put = "1"
clash = "replace"

[[rule]]
name = "all"
reach = "deep"
when = "file"
tag = ["seen"]
put = "2/{type}"
"#;

/// Files only: there folders are not moved at all.
fn fill(world: &World) {
    world.rules(RULES);
    let token = token(world);
    for (path, text) in [
        ("plan.txt", "the new plan"),
        ("anchor.txt", "iron"),
        ("letters/a.txt", "first letter"),
        ("tern.jpg", "no real picture"),
        ("tern.xmp", "its sidecar"),
    ] {
        world.file(path, &format!("{text} {token}"));
    }
    world.old_file(&world.shelves.join("1 Boats/plan.txt"), &format!("the old plan {token}"));
}

fn here() -> World {
    World { lacks_rename_flags: true, ..World::new() }
}

fn across() -> World {
    World { lacks_rename_flags: true, ..World::across_file_systems() }
}

fn tidied(world: &World) {
    world.nine(&["tidy", "--yes"]).ends(0);
}

const TIDY: &[&str] = &["tidy", "--yes"];
const DISCARD: &[&str] =
    &["discard", "Downloads/letters/a.txt", "Downloads/tern.jpg", "home/1 Boats/plan.txt", "--yes"];

const SCENES: [Scene; 4] = [
    Scene { name: "tidy", make: here, fill, ready: |_| {}, words: TIDY, tags: true, stride: 3 },
    Scene { name: "tidy across", make: across, fill, ready: |_| {}, words: TIDY, tags: true, stride: 5 },
    Scene { name: "undo", make: here, fill, ready: tidied, words: &["undo", "--yes"], tags: true, stride: 3 },
    Scene { name: "discard", make: here, fill, ready: |_| {}, words: DISCARD, tags: false, stride: 2 },
];

#[test]
fn killed() {
    for scene in &SCENES {
        let points = killed::at_every_point(scene);
        assert!(points >= 5, "{}: {points} points", scene.name);
        eprintln!("plain renames, killed: {}: {points} points", scene.name);
    }
}

#[test]
fn refused() {
    for scene in SCENES.iter().filter(|scene| is_long() || scene.name == "tidy") {
        let cases = refused::refuse(scene);
        assert!(cases >= 5, "{}: {cases} cases", scene.name);
        eprintln!("plain renames, refused: {}: {cases} cases", scene.name);
    }
}

#[test]
fn beside_another_hand() {
    for scene in &SCENES[..2] {
        let cases = hands::run(scene, &HANDS[0]);
        assert!(cases >= 2, "{}: {cases} cases", scene.name);
        eprintln!("plain renames, {}: {}: {cases} points", HANDS[0].name, scene.name);
    }
}
