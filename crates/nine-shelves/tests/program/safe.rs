//! What others see, what is kept on the way, and what is told where something cannot be done.

use std::fs::{self, Permissions};
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::process::Stdio;
use std::time::{Duration, Instant};

use super::support::{Ran, World};

const RULE: &str = "[[rule]]\nname = \"all\"\nwhen = \"file or type folder\"\nput = \"1\"\n";

fn mode(at: &std::path::Path) -> u32 {
    fs::symlink_metadata(at).unwrap().mode() & 0o777
}

fn close(at: &std::path::Path, mode: u32) {
    fs::set_permissions(at, Permissions::from_mode(mode)).unwrap();
}

#[test]
fn what_nine_keeps_is_the_persons_alone() {
    let world = World::new();
    world.rules(RULE).file("a.txt", "words");
    let data = world.data.clone();
    world.nine(&["search", "text", "has", "words", "--text"]).ends(0);
    world.nine(&["tidy", "--worklist", world.at("list.csv").to_str().unwrap()]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    // What a routine keeps: its account, what waits, and what was taken back.
    let text = fs::read_to_string(data.join("shelves.toml")).unwrap();
    world.config(&format!("{text}\n[routine.lists]\nrun = [\"tidy\"]\nunattended = \"nothing\"\n"));
    world.file("b.txt", "waits");
    world.nine(&["routine", "lists", "--unattended"]).ends(0);
    for kept in ["routines.jsonl", "routines.lock", "waiting/lists.jsonl", "left-alone.json"] {
        assert!(data.join(kept).exists(), "{kept}");
    }
    assert_eq!(mode(&world.at("list.csv")), 0o600);
    assert_eq!(mode(&data), 0o700);
    let open = |data: &std::path::Path| -> Vec<String> {
        let mut found = Vec::new();
        let mut left = vec![data.to_owned()];
        while let Some(at) = left.pop() {
            if mode(&at) & 0o077 != 0 && !at.ends_with("shelves.toml") {
                found.push(at.display().to_string());
            }
            if at.is_dir() {
                left.extend(fs::read_dir(&at).unwrap().map(|entry| entry.unwrap().path()));
            }
        }
        found
    };
    assert_eq!(open(&data), [""; 0]);
    // As an earlier version left it.
    close(&data, 0o755);
    close(&data.join("catalogue.sqlite"), 0o644);
    close(&data.join("daybook/000001.jsonl"), 0o644);
    world.nine(&["history"]).ends(0).warns("Others on this machine could read");
    assert_eq!(open(&data), [""; 0]);
    assert_eq!(world.nine(&["history"]).ends(0).err, "");
}

#[test]
fn packs_and_lists_are_as_closed_as_what_they_hold() {
    let world = World::new();
    world.rules("[archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}/{pile}\"\n");
    world.file("open.txt", "all may read it");
    world.nine(&["archive", "--yes"]).ends(0);
    let dated = world.shelves.join("3 Grants/2031-04-07");
    assert_eq!((mode(&dated.join("SHA256SUMS")), mode(&dated.join("contents.csv"))), (0o644, 0o644));
    world.file("mine.txt", "nobody else may");
    close(&world.at("Downloads/mine.txt"), 0o600);
    world.nine(&["archive", "--yes"]).ends(0);
    assert_eq!((mode(&dated.join("SHA256SUMS")), mode(&dated.join("contents.csv"))), (0o600, 0o600));
    world.nine(&["archive", "pack", "2031-04-07", "--as", "zip", "--yes"]).ends(0);
    assert_eq!(mode(&world.shelves.join("3 Grants/2031-04-07.zip")), 0o600);
}

#[test]
fn a_step_out_of_a_closed_folder_into_an_open_one_is_in_doubt() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"all\"\nreach = \"deep\"\nwhen = \"file\"\nput = \"1\"\n");
    world.file("closed/a.txt", "a").file("closed/b.txt", "b").file("open/c.txt", "c");
    close(&world.at("Downloads/closed"), 0o700);
    let shown =
        world.nine(&["tidy"]).ends(0).says("only you may enter downloads/closed").says("2 in doubt").out;
    assert_eq!(shown.matches("only you may enter").count(), 1, "it is told once: {shown}");
    world.nine(&["tidy", "--sure", "--yes"]).ends(0).says("1 moved");
    assert!(world.at("Downloads/closed/a.txt").exists());
}

#[test]
fn owners_holes_and_names_travel_across_file_systems() {
    let world = World::across_file_systems();
    world.rules(RULE).file("box/one.txt", "one").file("box/tool", "run me").file("box/image.img", "");
    let at = |name: &str| world.at("Downloads/box").join(name);
    fs::hard_link(at("one.txt"), at("two.txt")).unwrap();
    let image = fs::File::options().write(true).open(at("image.img")).unwrap();
    image.set_len(64 << 20).unwrap();
    std::os::unix::fs::FileExt::write_at(&image, b"in the middle", 32 << 20).unwrap();
    drop(image);
    let is_root = rustix::process::geteuid().is_root();
    if is_root {
        std::os::unix::fs::chown(at("tool"), Some(1234), Some(2345)).unwrap();
    }
    close(&at("tool"), 0o755);
    fs::set_permissions(at("tool"), Permissions::from_mode(0o4755)).unwrap();
    world.nine(&["tidy", "--yes"]).ends(0).says("1 moved");
    let there = |name: &str| fs::metadata(world.shelves.join("1 Boats/box").join(name)).unwrap();
    assert_eq!(there("one.txt").ino(), there("two.txt").ino(), "they are one file still");
    assert_eq!(there("image.img").len(), 64 << 20);
    assert!(
        there("image.img").blocks() * 512 < 1 << 20,
        "its holes take {} blocks",
        there("image.img").blocks()
    );
    let tool = there("tool");
    assert_eq!(tool.mode() & 0o7777, 0o4755);
    if is_root {
        assert_eq!((tool.uid(), tool.gid()), (1234, 2345));
    }
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(fs::metadata(at("one.txt")).unwrap().ino(), fs::metadata(at("two.txt")).unwrap().ino());
}

#[test]
fn another_name_that_stays_is_told_before() {
    let world = World::across_file_systems();
    world.rules(RULE).file("one.txt", "one");
    fs::hard_link(world.at("Downloads/one.txt"), world.at("another name")).unwrap();
    world.nine(&["tidy"]).ends(0).says("other names (hard links) that stay").says("1 in doubt");
}

/// Whether anybody reads what is printed decides nothing.
#[test]
fn a_closed_pipe_keeps_nothing_from_being_done() {
    let world = World::new();
    world.rules(RULE);
    for number in 0..4 {
        world.file(&format!("{number}.txt"), "x");
    }
    let run = |words: &[&str]| {
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let mut command = world.command(words);
        Ran::new(command.stdout(writer).stderr(Stdio::piped()).output().unwrap())
    };
    run(&["tidy", "--yes"]).ends(0).warns("4 moved");
    assert_eq!(fs::read_dir(world.at("Downloads")).unwrap().count(), 0);
    run(&["undo", "--yes"]).ends(0);
    assert_eq!(fs::read_dir(world.at("Downloads")).unwrap().count(), 4);
    fs::remove_dir(world.shelves.join("1 Boats")).ok();
    fs::write(world.shelves.join("1 Boats"), "a file").unwrap();
    let failed = run(&["tidy", "--yes"]).ends(1);
    assert_eq!(failed.err.matches("is not a folder").count(), 4, "{}", failed.err);
    let full = fs::File::options().write(true).open("/dev/full").unwrap();
    fs::remove_file(world.shelves.join("1 Boats")).unwrap();
    let ran = world.command(&["tidy", "--yes"]).stdout(full).output().unwrap();
    assert_eq!(ran.status.code(), Some(0));
    assert_eq!(fs::read_dir(world.at("Downloads")).unwrap().count(), 0);
}

#[test]
fn commands_that_read_go_on_where_recovery_cannot() {
    let world = World::new();
    world.rules(RULE).file("a.txt", "a").file("b.txt", "b");
    world.old_file(&world.shelves.join("2 Loans/there.txt"), "there");
    world.nine(&["search"]).ends(0);
    let killed = world.command(&["tidy", "--yes"]).env("NINE_KILL_AT", "12").output().unwrap();
    assert_eq!(killed.status.code(), None);
    // A run of a newer form.
    let file = world.data.join("daybook/000001.jsonl");
    let text = fs::read_to_string(&file).unwrap();
    fs::write(&file, text.replacen("\"format\":5", "\"format\":99", 1)).unwrap();
    for words in
        [&["search", "name", "has", "a"][..], &["survey"], &["why", "home/2 Loans/there.txt"], &["shelves"]]
    {
        let ran = world.nine(words);
        assert_eq!(ran.status, 0, "{words:?}: {}{}", ran.out, ran.err);
        ran.warns("newer nine");
    }
    world.nine(&["history"]).ends(0).warns("cannot be read");
    world.file("new.txt", "new").nine(&["tidy", "--yes"]).ends(1).warns("newer nine");
    // One that cannot be read keeps none of the others from being taken back.
    fs::write(&file, text).unwrap();
    world.nine(&["history"]).ends(0);
    fs::write(
        world.data.join("daybook/000009.jsonl"),
        "{\"line\":\"run\",\"format\":99,\"run\":9,\"at\":\"\",\"command\":\"\",\"places\":{}}\n{\"line\":\"end\",\"at\":\"\",\"done\":0,\"failed\":0}\n",
    )
    .unwrap();
    world.nine(&["tidy", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0).warns("run 9 cannot be read");
}

/// The data folder can only be read: what is only asked is answered.
#[test]
#[allow(clippy::print_stderr)] // that it was left out is told to a person
fn what_is_known_is_told_where_nothing_can_be_written() {
    let mut world = World::across_file_systems();
    world.data = world.disks[0].path().join("data");
    fs::create_dir(&world.data).unwrap();
    world.rules(RULE).file("a.txt", "a").file("b.txt", "b");
    world.nine(&["search"]).ends(0);
    let killed = world.command(&["tidy", "--yes"]).env("NINE_KILL_AT", "12").output().unwrap();
    assert_eq!(killed.status.code(), None);
    if let Err(error) = world.disks[0].set_read_only(true) {
        eprintln!("left out, since nothing can be mounted here: {error}");
        return;
    }
    world.nine(&["search", "--known", "ext", "txt"]).ends(0).says("2 files");
    for words in [&["search", "ext", "txt"][..], &["survey"], &["history"]] {
        world.nine(words).ends(0).warns("A run was cut off and cannot be looked after now");
    }
    world.nine(&["tidy", "--yes"]).ends(1);
    world.disks[0].set_read_only(false).unwrap();
    world.nine(&["history"]).ends(0).warns("was cut off");
    assert_eq!(world.nine(&["history"]).ends(0).err, "");
}

#[test]
fn one_name_that_cannot_be_looked_at_hides_no_other() {
    let world = World::new();
    world.rules("");
    for name in ["a", "b", "c", "d"] {
        world.file(&format!("{name}.txt"), name);
    }
    // So that nothing in it is too new to be taken over.
    std::thread::sleep(std::time::Duration::from_millis(2_100));
    for errno in ["5", "13", "75", "116"] {
        fs::remove_file(world.data.join("catalogue.sqlite")).ok();
        let mut command = world.command(&["search", "ext", "txt"]);
        let ran = Ran::new(command.env("NINE_REFUSE", format!("look:2:{errno}")).output().unwrap()).ends(1);
        assert!(ran.out.contains("3 files"), "{errno}: {}{}", ran.out, ran.err);
        assert_eq!(ran.err.matches(".txt").count(), 1, "it is named: {}", ran.err);
        // Nor is it missing from then on, although its folder tells of no change.
        world.nine(&["search", "ext", "txt"]).ends(0).says("4 files");
        // Where all is known already, the folder is listed again.
        let mut command = world.command(&["search", "ext", "txt"]);
        let ran = Ran::new(command.env("NINE_REFUSE", format!("look:2:{errno}")).output().unwrap()).ends(0);
        assert!(ran.out.contains("4 files"), "{errno}: {}{}", ran.out, ran.err);
    }
}

#[test]
fn the_trash_of_a_place_behind_a_link_is_where_a_desktop_sees_it() {
    let world = World::across_file_systems();
    let disk = world.disks[0].path().to_owned();
    let pile = disk.join("far/down/pile");
    fs::create_dir_all(&pile).unwrap();
    symlink(&pile, world.at("pile")).unwrap();
    world.config(&format!("[pile.far]\nat = \"{}\"\n", world.at("pile").display()));
    world.old_file(&pile.join("a.txt"), "a");
    world.nine(&["discard", "far/a.txt", "--yes"]).ends(0);
    assert_eq!(world.disks[0].discarded().len(), 1, "it is in the trash at the top of the disk");
    assert_eq!(fs::read_dir(&pile).unwrap().count(), 0, "no trash is made in the place");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(fs::read_to_string(pile.join("a.txt")).unwrap(), "a");
}

#[test]
fn commands_to_paste_are_quoted_whatever_the_names() {
    let world = World::new();
    let evil = "2 Loans'; touch pwned; echo '";
    world.rules("").file("x", "");
    fs::create_dir_all(world.shelves.join(evil).join("sub")).unwrap();
    fs::write(world.shelves.join(evil).join("loose.txt"), "x").unwrap();
    fs::write(world.shelves.join(evil).join("sub/x.txt"), "x").unwrap();
    let shown = world.nine(&["shelves", "--format", "json"]).ends(0).out;
    let mends: Vec<String> = shown
        .lines()
        .filter_map(|line| {
            serde_json::from_str::<serde_json::Value>(line).ok()?["mend"].as_str().map(str::to_owned)
        })
        .filter(|mend| !mend.is_empty())
        .collect();
    assert!(mends.iter().any(|mend| mend.contains("pwned")), "{mends:?}");
    for mend in mends.iter().filter(|mend| mend.starts_with("nine ") || mend.starts_with("mv ")) {
        // With `nine` and `mv` doing nothing, only what is quoted badly does anything.
        let script = format!("nine() {{ :; }}\nmv() {{ :; }}\n{mend}\n");
        std::process::Command::new("sh")
            .args(["-c", &script])
            .current_dir(world.dir.path())
            .output()
            .unwrap();
        assert!(!world.at("pwned").exists(), "{mend}");
    }
    // What was typed is data, too.
    let mistyped = world.nine(&["tidy", "--\u{1b}[31mred"]).ends(2);
    assert!(!mistyped.err.contains('\u{1b}'), "{:?}", mistyped.err);
}

#[test]
fn what_a_pack_lacks_of_its_lists_is_told() {
    let world = World::new();
    world.rules("[archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}/{pile}\"\n");
    world.file("a.txt", "a").file("b.txt", "b");
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "pack", "2031-04-07", "--as", "zip", "--yes"]).ends(0);
    let pack = world.shelves.join("3 Grants/2031-04-07.zip");
    let mut old = zip::ZipArchive::new(fs::File::open(&pack).unwrap()).unwrap();
    let mut new = zip::ZipWriter::new(fs::File::create(world.at("new.zip")).unwrap());
    for number in 0..old.len() {
        let member = old.by_index_raw(number).unwrap();
        if !member.name().ends_with("b.txt") {
            new.raw_copy_file(member).unwrap();
        }
    }
    new.finish().unwrap();
    fs::rename(world.at("new.zip"), &pack).unwrap();
    world.nine(&["retrieve", "home/3 Grants/2031-04-07.zip", "--yes"]).ends(1).says("lacks downloads/b.txt");
    // What is there is taken out of it.
    assert!(world.at("Downloads/a.txt").exists() && !world.at("Downloads/b.txt").exists());
    world.nine(&["archive", "verify"]).ends(1).says("missing");
}

/// A list of which a few bytes of the pack stand for very many.
#[test]
fn a_list_in_a_pack_has_bounds() {
    let world = World::new();
    world.rules("[archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}/{pile}\"\n");
    world.file("a.txt", "a");
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "pack", "2031-04-07", "--as", "zip", "--yes"]).ends(0);
    let mut zip =
        zip::ZipWriter::new(fs::File::create(world.shelves.join("3 Grants/2031-04-07.zip")).unwrap());
    let options = zip::write::SimpleFileOptions::default();
    for name in ["SHA256SUMS", "contents.csv"] {
        zip.start_file(format!("2031-04-07/{name}"), options).unwrap();
        let line = format!("{}  downloads/x\n", "0".repeat(64));
        std::io::Write::write_all(&mut zip, line.repeat(400_000).as_bytes()).unwrap();
    }
    zip.finish().unwrap();
    let ran = world.nine(&["archive", "verify"]).ends(1);
    assert!(ran.out.contains("longer than a list in a pack may be"), "{}{}", ran.out, ran.err);
}

#[test]
fn an_interruption_ends_a_large_copy() {
    let world = World::across_file_systems();
    world.rules(RULE);
    let large = world.at("Downloads/large.bin");
    fs::write(&large, vec![7_u8; 300 << 20]).unwrap();
    world.file("small.txt", "small");
    let child = world.command(&["put", "Downloads/large.bin", "--on", "1", "--yes"]);
    let mut child = { child }.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let is_copying = || {
        let shelf = fs::read_dir(world.shelves.join("1 Boats")).into_iter().flatten().flatten();
        shelf.into_iter().any(|entry| entry.metadata().is_ok_and(|found| found.len() > 1 << 20))
    };
    let start = Instant::now();
    while !is_copying() && start.elapsed() < Duration::from_secs(60) && child.try_wait().unwrap().is_none() {
        std::thread::sleep(Duration::from_millis(2));
    }
    let asked = Instant::now();
    let _ =
        rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::INT);
    let ran = Ran::new(child.wait_with_output().unwrap());
    // Far more than it takes, on a machine with much else to do.
    assert!(asked.elapsed() < Duration::from_secs(20), "{:?}", asked.elapsed());
    assert!(
        ran.status == 1 && ran.out.contains("1 not begun") || ran.status == 130,
        "{}{}",
        ran.out,
        ran.err
    );
    world.nine(&["history"]).ends(0);
    assert_eq!(fs::metadata(&large).unwrap().len(), 300 << 20);
    let left = fs::read_dir(world.shelves.join("1 Boats")).map_or(0, Iterator::count);
    assert_eq!(left, 0, "nothing of the copy is left");
}

/// A run of which a place is gone for good is closed only after it was said what will not be known.
#[test]
fn a_run_is_given_up() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"all\"\nwhen = \"type document\"\nput = \"1\"\n");
    for name in ["a", "b", "c"] {
        world.file(&format!("{name}.pdf"), "%PDF-1.4 a plan");
    }
    let mut killed = None;
    for point in 1..60 {
        let ended =
            world.command(&["tidy", "--yes"]).env("NINE_KILL_AT", point.to_string()).output().unwrap();
        // Cut off after it had begun to move.
        if ended.status.code().is_none() && !world.at("Downloads/a.pdf").exists() {
            killed = Some(point);
            break;
        }
        world.nine(&["check"]);
    }
    assert!(killed.is_some(), "it is cut off between two moves");
    let away = world.at("away");
    fs::rename(&world.shelves, &away).unwrap();
    let run = open_run(&world);
    world.nine(&["tidy"]).ends(1).warns(&format!("nine history give-up {run}"));

    let told = world.nine(&["history", "give-up", &run]).ends(0);
    for words in
        ["Shelves is not there", "it will not be known", "downloads/a.pdf", "Nothing has been changed"]
    {
        assert!(told.err.contains(words), "{words} is not in\n{}", told.err);
    }
    assert_eq!(open_run(&world), run, "it waits still");
    world.nine(&["history", "give-up", &run, "--yes"]).ends(0).warns("was cut off");
    world.nine(&["history", "give-up", &run, "--yes"]).ends(2).warns("is over");
    world.nine(&["history", "--format", "json"]).ends(0).says("\"cut_off\":true");
    let stats = world.nine(&["history", "--stats"]).ends(0).says("tidy").out;
    assert!(stats.contains("cut off"), "{stats}");
    // What is there is as it was.
    assert!(away.join("1 Boats/a.pdf").exists() || world.at("Downloads/a.pdf").exists());
}

#[test]
fn its_name_is_the_same_however_it_is_called() {
    let world = World::new();
    let other = world.at("shelves-of-mine");
    std::os::unix::fs::symlink(env!("CARGO_BIN_EXE_nine"), &other).unwrap();
    for words in [vec!["--help"], vec!["tidy", "--help"], vec!["tidy", "--no-such-option"]] {
        let ran = std::process::Command::new(&other).args(&words).output().unwrap();
        let told = String::from_utf8([ran.stdout, ran.stderr].concat()).unwrap();
        assert!(told.contains("nine") && !told.contains("shelves-of-mine"), "{told}");
    }
}

/// The number of the run that has a mark and no end.
fn open_run(world: &World) -> String {
    let folder = world.data.join("daybook");
    let mut runs: Vec<_> = fs::read_dir(&folder).unwrap().flatten().map(|entry| entry.path()).collect();
    runs.retain(|path| path.is_file() && !fs::read_to_string(path).unwrap().contains("\"line\":\"end\""));
    assert_eq!(runs.len(), 1, "{runs:?}");
    runs[0].file_stem().unwrap().to_str().unwrap().trim_start_matches('0').to_owned()
}
