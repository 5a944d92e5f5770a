//! Two programs and a person at work in one pile at the same time.

use std::fs;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use super::scenes::is_long;
use super::support::{World, picture_of};

const RULES: &str = "[archive]\nwhen = \"name has old\"\nput = \"3/{today}/{pile}\"\n\n[[rule]]\nname = \"all\"\nwhen = \"file and not name has old\"\ntag = [\"seen\"]\nput = \"2/{stem:initial}\"\n";

fn world() -> World {
    let world = World::new();
    world.rules(RULES);
    for number in 0..30 {
        let kind = if number % 3 == 0 { "old" } else { "new" };
        world.file(&format!("{kind} {number}.txt"), &format!("content {number};"));
    }
    world
}

/// Which contents there are, in the pile, on the shelves and in the trash, each as often as it is there.
fn contents(world: &World) -> Vec<String> {
    let mut files: Vec<String> = world.picture().into_values().collect();
    let trash = world.trash().join("files");
    if trash.exists() {
        files.extend(picture_of(&trash).into_values());
    }
    let of = |what: String| what.starts_with("content ").then(|| what.split(';').next().unwrap().to_owned());
    let mut found: Vec<String> = files.into_iter().filter_map(of).collect();
    found.sort();
    found
}

#[test]
fn several_programs_do_not_harm_each_other() {
    let rounds = if is_long() { 60 } else { 4 };
    let mut refused = 0;
    for round in 0..rounds {
        let world = world();
        let (before, whole) = (world.picture(), contents(&world));
        let commands: [&[&str]; 4] =
            [&["tidy", "--yes"], &["archive", "--yes"], &["tidy", "--yes"], &["sweep", "--yes"]];
        let children: Vec<_> = commands
            .map(|words| {
                let mut command = world.command(words);
                command.stdout(std::process::Stdio::null()).stderr(std::process::Stdio::piped());
                command.spawn().unwrap()
            })
            .into();
        for child in children {
            let ran = child.wait_with_output().unwrap();
            let err = String::from_utf8_lossy(&ran.stderr);
            // Who comes second finds another at work, or what it wanted already moved.
            assert!(matches!(ran.status.code(), Some(0 | 1)), "round {round}: {} {err}", ran.status);
            refused += usize::from(err.contains("another run is at work"));
        }
        assert_eq!(contents(&world), whole, "round {round}");
        world.nine(&["archive", "verify"]).ends(0);
        let mut undone = Vec::new();
        loop {
            let ran = world.nine(&["undo", "--yes"]);
            undone.push(format!("{}{}", ran.out, ran.err));
            if ran.status != 0 {
                break;
            }
        }
        assert_eq!(world.picture(), before, "round {round}: {undone:#?}");
    }
    eprintln!("at once: {rounds} rounds of four programs, {refused} of them told to wait");
}

/// Two machines, each with a data folder of its own, at work in one share between two file systems.
#[test]
fn two_data_folders_do_not_harm_each_other() {
    let rounds = if is_long() { 60 } else { 5 };
    for round in 0..rounds {
        let world = World::across_file_systems();
        world.rules("[[rule]]\nname = \"all\"\nwhen = \"file or type folder\"\nput = \"2/All\"\n");
        for number in 0..16 {
            world.file(&format!("{number}.txt"), &format!("content {number};"));
            world.file(&format!("box {number}/deep/{number}.txt"), &format!("content 1{number};"));
        }
        let whole = contents(&world);
        let other = world.at("other");
        fs::create_dir(&other).unwrap();
        fs::copy(world.data.join("shelves.toml"), other.join("shelves.toml")).unwrap();
        let machines = [world.data.clone(), other];
        let on = |data: &std::path::Path, words: &[&str]| {
            let mut command = world.command(words);
            command.env("NINE_HOME", data);
            command.stdout(std::process::Stdio::null()).stderr(std::process::Stdio::piped());
            command.spawn().unwrap()
        };
        for words in [&["tidy", "--yes"][..], &["undo", "--yes"]] {
            let children = machines.each_ref().map(|data| on(data, words));
            for child in children {
                let ran = child.wait_with_output().unwrap();
                let err = String::from_utf8_lossy(&ran.stderr);
                // One of them may find nothing left to do.
                assert!(matches!(ran.status.code(), Some(0..=2)), "round {round}: {} {err}", ran.status);
            }
            assert_eq!(contents(&world), whole, "round {round}, {words:?}");
            let left = world.picture().into_keys().find(|name| name.contains(".nine-"));
            assert_eq!(left, None, "round {round}, {words:?}");
        }
    }
    eprintln!("at once: {rounds} rounds of two data folders in one place");
}

/// Moves a file of the pile to another name there and back, never onto anything.
fn move_about(world: &World, moves: &AtomicU64, seed: u64) {
    let pile = world.at("Downloads");
    let names: Vec<_> = fs::read_dir(&pile).into_iter().flatten().flatten().map(|e| e.file_name()).collect();
    let Some(name) = names.get(seed as usize % names.len().max(1)) else { return };
    let (from, to) = (pile.join(name), pile.join(format!("by hand {seed}")));
    let rename = |a: &std::path::Path, b: &std::path::Path| {
        let flags = rustix::fs::RenameFlags::NOREPLACE;
        rustix::fs::renameat_with(rustix::fs::CWD, a, rustix::fs::CWD, b, flags).is_ok()
    };
    if from.is_file() && rename(&from, &to) {
        moves.fetch_add(1, Ordering::Relaxed);
        std::thread::yield_now();
        rename(&to, &from);
    }
}

#[test]
fn a_person_moves_files_about_meanwhile() {
    let rounds = if is_long() { 40 } else { 3 };
    let moves = AtomicU64::new(0);
    for round in 0..rounds {
        let world = world();
        let whole = contents(&world);
        let over = AtomicBool::new(false);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                let mut seed: u64 = round;
                while !over.load(Ordering::Relaxed) {
                    seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                    move_about(&world, &moves, seed >> 33);
                }
            });
            for words in
                [&["tidy", "--yes"][..], &["archive", "--yes"], &["undo", "--yes"], &["sweep", "--yes"]]
            {
                let ran = world.nine(words);
                // There may be nothing to take back, if all of it was in the person's hand.
                let nothing = ran.err.contains("no run to take back");
                assert!(
                    matches!(ran.status, 0 | 1) || nothing,
                    "round {round}, {words:?}: {}{}",
                    ran.out,
                    ran.err
                );
            }
            over.store(true, Ordering::Relaxed);
        });
        assert_eq!(contents(&world), whole, "round {round}");
        world.nine(&["archive", "verify"]).ends(0);
        assert_eq!(world.nine(&["history"]).ends(0).err, "", "round {round}");
    }
    eprintln!("at once: {rounds} rounds with a person who moved {} files meanwhile", moves.into_inner());
}
