//! The program killed at every point at which it changes a file, and at random moments.

use std::os::unix::process::ExitStatusExt;
use std::time::{Duration, Instant};

use super::scenes::{SCENES, Scene, is_long, set};
use super::support::{World, picture_of};

/// Kills the scene's command at point after point, each time in a new world, until it is not killed any more.
/// Returns how many cases there were.
pub fn at_every_point(scene: &Scene) -> usize {
    for (cases, point) in (1..).step_by(scene.step()).enumerate() {
        let (world, before) = set(scene);
        let killed = world.command(scene.words).env("NINE_KILL_AT", point.to_string()).output().unwrap();
        if killed.status.signal() != Some(9) {
            let said = String::from_utf8_lossy(&killed.stderr);
            assert!(killed.status.success(), "{}, point {point}: {} {said}", scene.name, killed.status);
            return cases;
        }
        scene.holds(&world, &before, &format!("killed at point {point}"));
    }
    unreachable!("the program ends at some point")
}

/// The same at moments that no point was put at.
fn at_random_moments(scene: &Scene, times: u32) -> usize {
    let (world, _) = set(scene);
    let start = Instant::now();
    assert!(world.command(scene.words).output().unwrap().status.success());
    let whole = start.elapsed();
    drop(world);
    let mut cases = 0;
    for nth in 0..times {
        let (world, before) = set(scene);
        let mut child = world.command(scene.words).stdout(std::process::Stdio::null()).spawn().unwrap();
        // Golden steps: well spread, and the same each time.
        let share = (f64::from(nth) * 0.618_033_988_749_895).fract();
        std::thread::sleep(Duration::from_secs_f64(whole.as_secs_f64() * share));
        let _ = child.kill();
        let status = child.wait().unwrap();
        cases += usize::from(status.signal() == Some(9));
        scene.holds(&world, &before, &format!("killed after {share:.3} of its time"));
    }
    cases
}

fn run(name: &str) {
    let scene = SCENES.iter().find(|scene| scene.name == name).expect("there is such a scene");
    let points = at_every_point(scene);
    assert!(points >= 5, "{name}: {points} points");
    let moments = at_random_moments(scene, if is_long() { 50 } else { 3 });
    eprintln!("killed: {name}: {points} points, {moments} moments");
}

#[test]
fn tidy() {
    run("tidy");
    run("tidy across file systems");
}

#[test]
fn undo() {
    run("undo across file systems");
    run("undo of an archive");
    run("undo of a pack");
}

#[test]
fn archive() {
    run("archive across file systems");
    run("archive again on one day");
}

#[test]
fn discard() {
    run("discard on two file systems");
}

#[test]
fn packs() {
    run("pack as zip");
    run("pack as tar.zst");
    run("retrieve from a pack");
}

#[test]
fn merge() {
    run("merge of two folders");
}

#[test]
fn with_nobody_there() {
    run("watch");
    run("watch across file systems");
    run("routine with nobody there");
}

/// The program killed while it goes on watching, and begun again, as a service is.
#[test]
fn while_watching() {
    let scene = SCENES.iter().find(|scene| scene.name == "watch").unwrap();
    let step = if is_long() { 1 } else { 12 };
    for point in (1..).step_by(step) {
        let (world, before) = set(scene);
        let watching = |kill_at: Option<usize>| {
            let mut command = world.command(&["watch"]);
            let log = std::fs::File::create(world.at("watch.log")).unwrap();
            command.env("NINE_WATCH_PACE_MS", "100").stderr(log);
            kill_at.map(|point| command.env("NINE_KILL_AT", point.to_string()));
            command.spawn().unwrap()
        };
        let is_filed =
            || world.shelves.join("2 Loans/mail").exists() || !world.at("Downloads/anchor.txt").exists();
        let mut first = watching(Some(point));
        let end = Instant::now() + Duration::from_secs(30);
        let is_over = || daybook_is_over(&world);
        let killed = loop {
            if let Some(status) = first.try_wait().unwrap() {
                assert_eq!(status.signal(), Some(9), "point {point}");
                break true;
            }
            if is_filed() && is_over() {
                break false;
            }
            assert!(Instant::now() < end, "point {point}: neither killed nor done");
            std::thread::sleep(Duration::from_millis(5));
        };
        let _ = first.kill();
        first.wait().unwrap();
        let mut second = watching(None);
        let is_watching = || std::fs::read_to_string(world.at("watch.log")).unwrap().contains("watching, ");
        while !(is_watching() && is_filed() && is_over()) {
            assert!(Instant::now() < end, "point {point}: nothing is filed afterwards");
            std::thread::sleep(Duration::from_millis(5));
        }
        rustix::process::kill_process(
            rustix::process::Pid::from_child(&second),
            rustix::process::Signal::TERM,
        )
        .unwrap();
        assert!(second.wait().unwrap().success());
        scene.holds(&world, &before, &format!("killed at point {point} while it went on watching"));
        if !killed {
            assert!(point > 20, "{point} points");
            return;
        }
    }
}

/// Whether something was carried out, and nothing is under way.
fn daybook_is_over(world: &World) -> bool {
    let runs = nine_carry::daybook::runs(&world.data).unwrap_or_default();
    !runs.is_empty()
        && runs.iter().all(|run| nine_carry::daybook::is_over(&world.data, *run).unwrap_or(false))
}

fn lay_out(world: &World) {
    world.rules("");
    world.file("letters/a.txt", "first letter").file("letters/deep/b.txt", "second letter");
}

/// The contents of all files, the trash's among them, each as often as it is there.
fn contents(world: &World) -> Vec<String> {
    let mut all = world.picture();
    let trash = world.trash().join("files");
    if trash.exists() {
        all.extend(picture_of(&trash).into_iter().map(|(name, what)| (format!("Trash{name}"), what)));
    }
    let mut texts: Vec<String> =
        all.into_iter().filter(|(name, _)| !name.ends_with('/')).map(|(_, what)| what).collect();
    texts.sort();
    texts
}

/// A copy counts once it is whole under its name; the original is never touched.
#[test]
fn copies_of_folders() {
    let words = ["put", "Downloads/letters", "--on", "3", "--copy", "--yes"];
    for point in 1.. {
        let world = World::new();
        lay_out(&world);
        let downloads = picture_of(&world.at("Downloads"));
        let letters = picture_of(&world.at("Downloads/letters"));
        let mut command = world.command(&words);
        let killed = command.env("NINE_KILL_AT", point.to_string()).output().unwrap().status;
        if killed.signal() != Some(9) {
            assert!(killed.success() && point > 8, "{killed}, {point} points");
            return;
        }
        let recovered = world.nine(&["history"]).ends(0);
        assert!(!recovered.err.contains("neither"), "point {point}: {}", recovered.err);
        assert_eq!(picture_of(&world.at("Downloads")), downloads, "point {point}");
        let left = world.picture().into_keys().find(|name| name.contains(".nine-"));
        assert_eq!(left, None, "point {point}");
        let copy = world.shelves.join("3 Grants/letters");
        assert!(!copy.exists() || picture_of(&copy) == letters, "point {point}: half a copy");
        assert_eq!(world.nine(&["history"]).ends(0).err, "", "a second look finds nothing, point {point}");
        let undone = world.nine(&["undo", "--yes"]).status == 0;
        assert!(!copy.exists(), "point {point}, undone: {undone}");
    }
}

/// Of every content something is left in its place, whenever the program is killed.
#[test]
fn copies_that_are_discarded() {
    let made = || {
        let world = World::new();
        world.rules("");
        for (folder, text) in [("a", "one"), ("b", "one"), ("c", "one"), ("a/sub", "two"), ("b/sub", "two")] {
            world.file(&format!("{folder}/file"), text);
        }
        world.file("loose", "three").file("loose (1)", "three");
        world
    };
    let texts = |world: &World| -> Vec<String> {
        let all = picture_of(&world.at("Downloads"));
        let mut texts: Vec<String> = all
            .into_iter()
            .filter(|(name, _)| !name.ends_with('/'))
            .map(|(_, what)| what.split(' ').next().unwrap_or_default().to_owned())
            .collect();
        texts.sort();
        texts.dedup();
        texts
    };
    for point in 1.. {
        let world = made();
        let (before, whole) = (world.picture(), contents(&world));
        let mut command = world.command(&["copies", "--discard", "--yes"]);
        let killed = command.env("NINE_KILL_AT", point.to_string()).output().unwrap().status;
        assert_eq!(texts(&world), ["one", "three", "two"], "point {point}");
        if killed.signal() != Some(9) {
            assert!(killed.success() && point > 8, "{killed}, {point} points");
            return;
        }
        let recovered = world.nine(&["history"]).ends(0);
        assert!(!recovered.err.contains("neither"), "point {point}: {}", recovered.err);
        assert_eq!(contents(&world), whole, "point {point}");
        while world.nine(&["undo", "--yes"]).status == 0 {}
        assert_eq!(world.picture(), before, "point {point}");
    }
}
