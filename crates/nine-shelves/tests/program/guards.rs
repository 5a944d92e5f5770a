//! An unknown state never counts as safe: calls that fail in the middle of a run, in its recovery and in what it reads.

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

use super::support::{Ran, World};

const RULE: &str = "[[rule]]\nname = \"all\"\nwhen = \"file\"\nput = \"1/New/{ext}\"\n";
const ARCHIVE: &str = "[archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}/{pile}\"\n";

/// I/O error, no right, no space, read-only, over quota.
const PASSING: [&str; 5] = ["5", "13", "28", "30", "122"];

fn refused(world: &World, words: &[&str], how: &str) -> Ran {
    let mut command = world.command(words);
    Ran::new(command.env("NINE_REFUSE", how).output().unwrap())
}

/// Whether the call that was to be refused was ever made.
fn was_refused(ran: &Ran) -> bool {
    !ran.err.contains("nothing was refused")
}

/// Wherever the three files are, each is whole and there once.
#[track_caller]
fn expect_once(world: &World, ran: &Ran) {
    for name in ["a", "b", "c"] {
        let places = [
            world.at(&format!("Downloads/{name}.txt")),
            world.shelves.join(format!("1 Boats/New/txt/{name}.txt")),
        ];
        let found: Vec<String> = places.iter().filter_map(|at| fs::read_to_string(at).ok()).collect();
        assert_eq!(found, [name], "{}{}", ran.out, ran.err);
    }
}

#[test]
fn no_flush_that_fails_is_passed_over() {
    for across in [false, true] {
        let mut refusals = 0;
        for nth in 1.. {
            let world = if across { World::across_file_systems() } else { World::new() };
            world.rules(RULE).file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
            let ran = refused(&world, &["tidy", "--yes"], &format!("flush:{nth}:5"));
            if !was_refused(&ran) {
                break;
            }
            refusals += 1;
            assert_eq!(ran.status, 1, "flush {nth} failed in silence: {}{}", ran.out, ran.err);
            assert!(
                ran.out.contains("Input/output error") || ran.err.contains("Input/output error"),
                "{}{}",
                ran.out,
                ran.err
            );
            let after = world.nine(&["check"]);
            expect_once(&world, &after);
            // What waited for the disk is over once the disk works.
            let history = world.nine(&["history", "--format", "json"]).ends(0);
            assert!(!history.out.contains("not known"), "{}", history.out);
            assert!(!world.nine(&["check"]).err.contains("cut off"), "the run is over");
        }
        assert!(refusals >= 3, "{refusals}");
    }
}

#[test]
fn a_folder_that_cannot_be_checked_does_not_count_as_in_place() {
    for across in [false, true] {
        let mut refusals = 0;
        for nth in 1.. {
            let world = if across { World::across_file_systems() } else { World::new() };
            world.rules(RULE).file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
            let ran = refused(&world, &["tidy", "--yes"], &format!("check:{nth}:5"));
            if !was_refused(&ran) {
                break;
            }
            refusals += 1;
            assert_eq!(ran.status, 1, "check {nth} failed in silence: {}{}", ran.out, ran.err);
            let after = world.nine(&["check"]);
            expect_once(&world, &after);
        }
        assert!(refusals >= 1, "across: {across}");
    }
}

/// The copy is in the trash, what was to stay is gone, and the copy cannot be brought back.
#[test]
fn a_copy_that_stays_in_the_trash_is_known_to_undo() {
    let mut stayed = 0;
    for point in 1..60 {
        let world = World::new();
        world.rules("").file("one.bin", "the same bytes").file("two.bin", "the same bytes");
        let before = world.picture();
        let mut command = world.command(&["copies", "--discard", "--yes"]);
        let kept = world.at("Downloads/one.bin");
        command
            .env("NINE_HAND_AT", point.to_string())
            .env("NINE_HAND", format!("mv '{}' '{}'", kept.display(), world.at("away").display()));
        command.env("NINE_REFUSE", "rename:2:5");
        let ran = Ran::new(command.output().unwrap());
        if !world.at("away").exists() || world.at("Downloads/two.bin").exists() || !was_refused(&ran) {
            continue;
        }
        stayed += 1;
        ran.ends(1).says("could not be restored");
        fs::rename(world.at("away"), &kept).unwrap();
        world.nine(&["undo", "--yes"]).ends(0);
        assert_eq!(world.picture(), before);
    }
    assert!(stayed >= 1, "no point lies between the trash and the check");
}

/// A run was cut off, and the next command cannot look at what became of it.
#[test]
fn a_run_that_cannot_be_looked_at_stays_open() {
    for errno in PASSING {
        let mut waited = 0;
        for nth in 1..12 {
            let world = World::across_file_systems();
            world.rules(RULE).file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
            let killed = world.command(&["tidy", "--yes"]).env("NINE_KILL_AT", "20").output().unwrap();
            assert_eq!(killed.status.code(), None);
            for kind in ["entry", "flush"] {
                let ran = refused(&world, &["check"], &format!("{kind}:{nth}:{errno}"));
                if was_refused(&ran) && ran.err.contains("is not seen yet") {
                    waited += 1;
                }
                assert!(!ran.err.contains("panicked"), "{}", ran.err);
            }
            world.nine(&["check"]);
            let history = world.nine(&["history", "1", "--format", "json"]).ends(0);
            assert!(!history.out.contains("not known"), "{errno}, {nth}: {}", history.out);
            expect_once(&world, &history);
            assert!(!world.nine(&["check"]).err.contains("cut off"), "it is over");
        }
        assert!(waited >= 2, "{errno}: {waited}");
    }
}

/// The disk is full when the lists of the archive are to be written, and for some commands after that.
#[test]
fn lists_of_the_archive_that_could_not_be_written_are_made_later() {
    for errno in ["28", "122", "30", "5"] {
        let mut unlisted = 0;
        for nth in 1..8 {
            let world = World::new();
            world.rules(ARCHIVE).file("a.txt", "a").file("in/b.txt", "b");
            let before = world.picture();
            let how = format!("write:{nth}:{errno}");
            let ran = refused(&world, &["archive", "--yes"], &how);
            let dated = world.shelves.join("3 Grants/2031-04-07");
            if !was_refused(&ran)
                || !dated.join("downloads/a.txt").exists()
                || dated.join("SHA256SUMS").exists()
            {
                continue;
            }
            unlisted += 1;
            assert_eq!(ran.status, 1);
            // Still full.
            for words in [&["archive", "list"][..], &["search", "ext", "txt"], &["tidy"]] {
                refused(&world, words, "write:1:28");
            }
            expect_lists(&world, &before);
        }
        assert!(unlisted >= 1, "{errno}: no call lies between the move and the lists");
    }
}

/// Nothing is known of how the lists were lost: another program removed them, with the daybook or without.
#[test]
fn lists_of_the_archive_that_are_lost_are_made_again() {
    for (lost, forgets) in [
        (&["SHA256SUMS"][..], false),
        (&["contents.csv"], false),
        (&["SHA256SUMS", "contents.csv"], false),
        (&["SHA256SUMS", "contents.csv"], true),
    ] {
        let world = World::new();
        world.rules(ARCHIVE).file("a.txt", "a").file("in/b.txt", "b");
        let before = world.picture();
        world.nine(&["archive", "--yes"]).ends(0);
        for list in lost {
            fs::remove_file(world.shelves.join("3 Grants/2031-04-07").join(list)).unwrap();
        }
        // A folder of the user's own in the shelf gets no lists.
        fs::create_dir_all(world.shelves.join("3 Grants/Own things")).unwrap();
        fs::write(world.shelves.join("3 Grants/Own things/x.txt"), "x").unwrap();
        if forgets {
            fs::remove_dir_all(world.data.join("daybook")).unwrap();
        }
        expect_lists(&world, &before);
        assert_eq!(fs::read_dir(world.shelves.join("3 Grants/Own things")).unwrap().count(), 1);
    }
}

#[track_caller]
fn expect_lists(world: &World, before: &std::collections::BTreeMap<String, String>) {
    world.nine(&["archive", "list"]).ends(0).says("2031-04-07");
    world.nine(&["archive", "verify"]).ends(0).says("2");
    let dated = world.shelves.join("3 Grants/2031-04-07");
    let listed: Vec<_> = fs::read_dir(&dated).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    assert_eq!(listed.len(), 3, "nothing of ours is left: {listed:?}");
    let contents = fs::read_to_string(dated.join("contents.csv")).unwrap();
    assert!(contents.contains("downloads/a.txt") && contents.contains("downloads/in/b.txt"), "{contents}");
    let sums = std::process::Command::new("sha256sum")
        .args(["-c", "--quiet", "SHA256SUMS"])
        .current_dir(&dated)
        .status();
    assert!(sums.unwrap().success());
    world.nine(&["retrieve", "home/3 Grants/2031-04-07", "--yes"]).ends(0);
    let now = world.picture();
    for (name, what) in before.iter().filter(|(name, _)| name.ends_with(".txt")) {
        assert_eq!(now.get(name), Some(what), "{name}");
    }
}

#[test]
fn one_run_that_cannot_be_read_holds_up_nothing_else() {
    for damage in ["folder", "bytes"] {
        let world = World::new();
        world.rules(RULE).file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
        world.nine(&["tidy", "--yes"]).ends(0);
        let damaged = world.data.join("daybook/000002.jsonl");
        match damage {
            "folder" => fs::create_dir(&damaged).unwrap(),
            _ => fs::write(&damaged, "\u{1b}[31m\n\0\0\n{}\n").unwrap(),
        }
        world.nine(&["tidy"]).ends(0).warns("The record of run 2 cannot be read").warns("000002.unreadable");
        assert_eq!(world.nine(&["tidy"]).ends(0).err, "", "it is reported once");
        world.file("d.txt", "d");
        world.nine(&["tidy", "--yes"]).ends(0);
        world.nine(&["undo", "3", "--yes"]).ends(0);
        world.nine(&["undo", "1", "--yes"]).ends(0);
        expect_once(&world, &world.nine(&["history"]).ends(0));
        assert!(world.at("Downloads/a.txt").exists());
        world.nine(&["undo", "2", "--yes"]).ends(2);
    }
}

#[test]
fn a_run_of_a_newer_version_is_left_to_it_until_the_user_gives_it_up() {
    let world = World::new();
    world.rules(RULE).file("a.txt", "a");
    world.nine(&["tidy", "--yes"]).ends(0);
    let newer = "{\"line\":\"run\",\"format\":99,\"run\":2,\"at\":\"\",\"command\":\"\",\"places\":{}}\n";
    fs::write(world.data.join("daybook/000002.jsonl"), newer).unwrap();
    world.file("b.txt", "b");
    // A preview is only read.
    world.nine(&["tidy"]).ends(0).says("b.txt");
    world.nine(&["undo"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(1).warns("newer nine").warns("nine history give-up 2");
    world.nine(&["history", "give-up", "2"]).ends(0).warns("its file is set aside");
    world.nine(&["history", "give-up", "2", "--yes"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(0);
}

/// The program has closed its descriptor, and what it writes through the mapping after the move would be lost.
#[test]
fn a_file_that_a_program_has_mapped_stays() {
    for words in
        [&["tidy", "--yes"][..], &["put", "Downloads/a.txt", "Downloads/b.txt", "--on", "1/New/txt", "--yes"]]
    {
        let world = World::across_file_systems();
        world.rules(RULE).file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
        let script = "import mmap, sys\nf = open(sys.argv[1], 'r+b')\nm = mmap.mmap(f.fileno(), 0)\nf.close()\nimport os\nfor fd in range(3, 64):\n  try: os.close(fd)\n  except OSError: pass\nprint('mapped', flush=True)\nsys.stdin.readline()\n";
        let mut program = Command::new("python3");
        program.args(["-c", script]).arg(world.at("Downloads/a.txt"));
        let mut program = program.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(program.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
        assert_eq!(line, "mapped\n");
        let ran = world.nine(words);
        assert!(world.at("Downloads/a.txt").exists(), "{}{}", ran.out, ran.err);
        assert!(world.shelves.join("1 Boats/New/txt/b.txt").exists(), "{}{}", ran.out, ran.err);
        drop(program.stdin.take());
        program.wait().unwrap();
        world.nine(&["tidy", "--yes"]).ends(0);
        assert!(!world.at("Downloads/a.txt").exists(), "now it goes");
    }
}

/// A folder with something in it that may not go would end half at one place and half at the other.
#[test]
#[allow(clippy::print_stderr)] // the user should see that it was left out
fn a_folder_with_a_protected_entry_is_not_begun() {
    let world = World::across_file_systems();
    world.rules("").file("box/in/a.txt", "a").file("box/b.txt", "b");
    let fixed = world.at("Downloads/box/in/a.txt");
    for flag in ["i", "a"] {
        let set = Command::new("chattr").arg(format!("+{flag}")).arg(&fixed).output();
        if !set.is_ok_and(|set| set.status.success()) {
            eprintln!("left out: no file can be protected here");
            return;
        }
        let before = world.picture();
        let ran = world.nine(&["put", "Downloads/box", "--on", "1", "--yes"]);
        let now = world.picture();
        Command::new("chattr").arg(format!("-{flag}")).arg(&fixed).status().unwrap();
        ran.ends(1).says("protected against changes");
        assert_eq!(now, before, "nothing has been copied or removed");
    }
    world.nine(&["put", "Downloads/box", "--on", "1", "--yes"]).ends(0);
}

#[test]
#[allow(clippy::print_stderr)]
fn what_the_kernel_makes_up_is_not_read() {
    let world = World::new();
    world.rules("").file("a.txt", "a");
    let mounted = world.at("Downloads/far/proc");
    fs::create_dir_all(&mounted).unwrap();
    let mount = Command::new("mount").args(["-t", "proc", "proc"]).arg(&mounted).output();
    if !mount.is_ok_and(|mount| mount.status.success()) {
        eprintln!("left out: nothing can be mounted here");
        return;
    }
    let found = world.nine(&["search", "file"]);
    let survey = world.nine(&["survey", "downloads"]);
    // Whoever asks for such a file system itself is answered.
    let itself = world.nine(&["search", "name", "is", "version", "--in", mounted.to_str().unwrap()]);
    Command::new("umount").arg("-l").arg(&mounted).status().unwrap();
    found.ends(0).says("1 file").warns("1 virtual file system of the kernel skipped: far/proc");
    survey.ends(0).warns("skipped");
    assert!(itself.out.contains("version"), "{}{}", itself.out, itself.err);
}

#[test]
fn the_trash_takes_any_number_of_equal_names() {
    let world = World::new();
    world.rules("");
    for folder in 0..200 {
        world.file(&format!("{folder}/same.txt"), &format!("{folder}"));
    }
    let before = world.picture();
    world.nine(&["discard", "--where", "name is same.txt", "--yes"]).ends(0).says("200");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

/// A bookcase whose disk is mounted at its path; the disk, and a second one, can be taken out and put in.
struct Mounted {
    world: World,
}

impl Mounted {
    /// `None` where nothing can be mounted.
    fn new() -> Option<Self> {
        let world = World::new();
        world.rules(&format!("{RULE}\n{ARCHIVE}"));
        let mounted = Self { world };
        if !mounted.put_in() {
            return None;
        }
        for shelf in ["1 Boats", "2 Loans", "3 Grants"] {
            fs::create_dir(mounted.world.shelves.join(shelf)).unwrap();
        }
        Some(mounted)
    }

    fn put_in(&self) -> bool {
        let mount = Command::new("mount")
            .args(["-t", "tmpfs", "-o", "size=8m", "disk"])
            .arg(&self.world.shelves)
            .output();
        mount.is_ok_and(|mount| mount.status.success())
    }

    fn take_out(&self) {
        assert!(Command::new("umount").arg("-l").arg(&self.world.shelves).status().unwrap().success());
    }
}

impl Drop for Mounted {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.world.shelves).output();
    }
}

/// The disk is out, and its folder is still there, on the system's disk.
#[test]
#[allow(clippy::print_stderr)]
fn a_bookcase_whose_disk_is_out_is_unavailable() {
    let Some(mounted) = Mounted::new() else {
        eprintln!("left out: nothing can be mounted here");
        return;
    };
    let world = &mounted.world;
    world.file("a.txt", "a").file("b.txt", "b").file("c.txt", "c");
    world.nine(&["put", "Downloads/a.txt", "--on", "1", "--yes"]).ends(0);
    world.nine(&["tidy", "--worklist", world.at("list.csv").to_str().unwrap()]);
    mounted.take_out();
    let before = world.picture();
    for words in [
        &["tidy", "--yes"][..],
        &["archive", "--yes"],
        &["put", "Downloads/b.txt", "--on", "2", "--yes"],
        &["carry", "list.csv", "--yes"],
        &["undo", "--yes"],
        &["shelves", "make", "2/New", "--yes"],
        &["watch", "--once"],
    ] {
        let ran = world.nine(words);
        assert_eq!(world.picture(), before, "{words:?}: {}{}", ran.out, ran.err);
        assert_eq!(fs::read_dir(&world.shelves).unwrap().count(), 0, "{words:?}: {}{}", ran.out, ran.err);
        if words[0] != "watch" {
            assert_ne!(ran.status, 0, "{words:?}: {}{}", ran.out, ran.err);
        }
    }
    world.nine(&["tidy", "--yes"]).ends(1).warns("its disk is not mounted");
    let state = world.nine(&[]);
    assert!(
        !state.out.contains("shelves make") && !state.err.contains("shelves make"),
        "{}{}",
        state.out,
        state.err
    );
    assert!(
        state.out.contains("not mounted") || state.err.contains("not mounted"),
        "{}{}",
        state.out,
        state.err
    );
    let check = world.nine(&["check"]).ends(1).warns("connect the disk");
    assert!(!check.err.contains("shelves make"), "{}", check.err);
    // Another disk, with shelves of its own, is not taken for it either.
    assert!(mounted.put_in());
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    world.nine(&["tidy", "--yes"]).ends(1).warns("nine place moved home");
    world.nine(&["place", "moved", "home"]).ends(0).warns("Nothing has been changed");
    world.nine(&["tidy", "--yes"]).ends(1);
    world.nine(&["place", "moved", "home", "--yes"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(0);
    expect_once_of(world, &["b", "c"]);
    world.nine(&["place", "moved", "nowhere"]).ends(2).warns("the places are");
}

#[track_caller]
fn expect_once_of(world: &World, names: &[&str]) {
    for name in names {
        assert_eq!(
            fs::read_to_string(world.shelves.join(format!("1 Boats/New/txt/{name}.txt"))).unwrap(),
            *name
        );
        assert!(!world.at(&format!("Downloads/{name}.txt")).exists());
    }
}

#[test]
fn a_bookcase_that_has_lost_its_shelves_is_unavailable_until_that_is_accepted() {
    let world = World::new();
    world.rules(RULE).file("a.txt", "a");
    world.nine(&["tidy", "--yes"]).ends(0);
    world.file("b.txt", "b");
    world.nine(&["tidy"]).ends(0);
    // Others may make the folder again; that alone is no other place.
    world.nine(&["put", "Downloads/b.txt", "--on", "2", "--yes"]).ends(0);
    fs::rename(&world.shelves, world.at("elsewhere")).unwrap();
    fs::create_dir(&world.shelves).unwrap();
    world.file("c.txt", "c");
    world.nine(&["tidy", "--yes"]).ends(1).warns("it had shelves");
    // A run somewhere else does not accept it.
    world.nine(&["tag", "add", "seen", "Downloads/c.txt", "--yes"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(1).warns("it had shelves");
    assert_eq!(fs::read_dir(&world.shelves).unwrap().count(), 0);
    world.nine(&["place", "moved", "home", "--yes"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(world.shelves.join("1 Boats/New/txt/c.txt").exists());
}

/// Input that was typed before the question is not an answer to it.
#[test]
fn an_answer_that_was_typed_before_the_question_does_not_count() {
    use std::io::Write;
    let world = World::new();
    world.rules(RULE).file("a.txt", "a");
    let (mut main, name) = super::support::terminal(50, 100);
    main.write_all(b"y\n").unwrap();
    let mut child = super::support::start_on(&name, world.command(&["tidy"]));
    let (mut shown, mut block) = (Vec::new(), [0; 4096]);
    while !String::from_utf8_lossy(&shown).contains("] ") {
        let length = super::support::read_terminal(&mut main, &mut block).expect("a question is asked");
        shown.extend_from_slice(&block[..length]);
    }
    // It waits for an answer, although there was one; any other is none.
    std::thread::sleep(std::time::Duration::from_millis(500));
    assert!(child.try_wait().unwrap().is_none(), "{}", String::from_utf8_lossy(&shown));
    main.write_all(b"n\n").unwrap();
    while super::support::read_terminal(&mut main, &mut block).is_some() {}
    assert_eq!(child.wait().unwrap().code(), Some(3));
    assert!(world.at("Downloads/a.txt").exists());
}
