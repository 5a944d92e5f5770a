//! Names and trees that nobody would make on purpose.

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::symlink;
use std::path::Path;

use rustix::fs::{CWD, Mode};

use super::scenes::is_long;
use super::support::{Ran, World, picture_of};

const RULES: &str = "[archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}/{pile}\"\n\n[[rule]]\nname = \"all\"\nwhen = \"file or type folder\"\ntag = [\"seen\"]\nput = \"2/{type}\"\n";

fn world() -> World {
    let world = World::new();
    world.rules(RULES);
    world
}

/// Everything that must be safe on a screen: no control character but the end of a line.
#[track_caller]
fn is_safe(ran: &Ran) {
    let bad = ran.out.chars().chain(ran.err.chars()).find(|c| {
        (c.is_control() && *c != '\n') || matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
    });
    assert_eq!(bad, None, "{}{}", ran.out, ran.err);
}

/// Runs commands that change things, takes all of it back, and expects the world as it was.
#[track_caller]
fn there_and_back(world: &World, commands: &[&[&str]], status: i32) {
    let before = world.picture();
    for words in commands {
        let ran = world.nine(words).ends(status);
        is_safe(&ran);
        is_safe(&world.nine(&["archive", "verify"]).ends(0));
        while world.nine(&["undo", "--yes"]).status == 0 {}
        assert_eq!(world.picture(), before, "{words:?}");
    }
}

const CHANGES: [&[&str]; 3] = [&["tidy", "--yes"], &["sweep", "--yes"], &["archive", "--yes"]];

#[test]
fn names() {
    let world = world();
    let long = [b"x".repeat(251), b".txt".to_vec()].concat();
    let names: [&[u8]; 14] = [
        b"new\nline.txt",
        b"\x1b[31mred\x1b[0m.txt",
        b"bell\x07 back\x08.txt",
        b"caf\xe9 \xff\xfe.txt",
        &long,
        "right\u{202e}txt.exe".as_bytes(),
        "marks \u{2067}inside\u{2069}.txt".as_bytes(),
        b"-rf",
        b"--yes",
        b" spaces at the ends ",
        b"CON",
        b"a:b|c?.txt",
        b"back\\slash 'quote' \"double\" $HOME `x`.txt",
        b"{lender}.txt",
    ];
    for (number, name) in names.iter().enumerate() {
        world.old_file(&world.at("Downloads").join(OsStr::from_bytes(name)), &format!("content {number}"));
    }
    let folder = world.at("Downloads").join(OsStr::from_bytes(b"folder\n\xff"));
    world.old_file(&folder.join(OsStr::from_bytes(names[0])), "inside");
    for words in [
        &["survey"][..],
        &["search"],
        &["search", "--format", "csv"],
        &["search", "--format", "json"],
        &["copies"],
        &["tidy"],
        &["tidy", "--format", "csv"],
        &["sweep"],
        &["archive"],
        &["shelves"],
    ] {
        is_safe(&world.nine(words).ends(0));
    }
    there_and_back(&world, &CHANGES, 0);
    // Through a worklist, and through paths on standard input.
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(0);
    there_and_back(&world, &[&["carry", "list.csv", "--yes"]], 0);
    let paths = world.nine_raw(&["search", "--in", "Downloads", "--format", "paths0"]);
    assert_eq!(paths.split(|b| *b == 0).filter(|path| !path.is_empty()).count(), names.len() + 1);
    // Into a pack and out of it again.
    let before = picture_of(&world.at("Downloads"));
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "pack", "2031-04-07", "--as", "tar.zst", "--yes"]).ends(0);
    is_safe(&world.nine(&["search"]).ends(0));
    is_safe(&world.nine(&["retrieve", "home/3 Grants/2031-04-07.tar.zst", "--yes"]).ends(0));
    assert_eq!(picture_of(&world.at("Downloads")), before);
    eprintln!("hostile: {} names through {} commands", names.len() + 1, 10 + CHANGES.len() + 4);
}

#[test]
fn links() {
    let world = world();
    let pile = world.at("Downloads");
    world.file("a/inside.txt", "inside").old_file(&world.at("outside/secret.txt"), "not the person's");
    for (at, to) in [
        ("a/circle", "../a"),
        ("self", "self"),
        ("one", "two"),
        ("two", "one"),
        ("up", "../.."),
        ("nowhere", "/no/such/place"),
    ] {
        symlink(to, pile.join(at)).unwrap();
    }
    symlink(world.at("outside"), pile.join("a/out")).unwrap();
    symlink(world.at("outside/secret.txt"), pile.join("secret.txt")).unwrap();
    let outside = picture_of(&world.at("outside"));
    for words in [
        &["survey"][..],
        &["search", "link"],
        &["search", "broken"],
        &["copies"],
        &["search", "text", "has", "x", "--text"],
    ] {
        is_safe(&world.nine(words).ends(0));
    }
    there_and_back(&world, &CHANGES, 0);
    assert_eq!(picture_of(&world.at("outside")), outside);
}

#[test]
fn folders_in_folders() {
    let world = world();
    let levels = if is_long() { 5_000 } else { 400 };
    let mut here = rustix::fs::open(world.at("Downloads"), rustix::fs::OFlags::PATH, Mode::empty()).unwrap();
    for _ in 0..levels {
        rustix::fs::mkdirat(&here, "d", Mode::RWXU).unwrap();
        here = rustix::fs::openat(&here, "d", rustix::fs::OFlags::PATH, Mode::empty()).unwrap();
    }
    let flags = rustix::fs::OFlags::CREATE | rustix::fs::OFlags::WRONLY;
    let file = rustix::fs::openat(&here, "bottom.txt", flags, Mode::RWXU).unwrap();
    rustix::io::write(&file, b"deep down").unwrap();
    drop((file, here));
    for words in [&["survey"][..], &["search", "name", "has", "bottom"], &["copies"], &["shelves"]] {
        is_safe(&world.nine(words).ends(0));
    }
    world.nine(&["tidy", "--yes"]).ends(0).says("1 moved");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["sweep", "--yes"]).ends(0).says("1 moved");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["archive", "Downloads/d", "--today", "2032-01-01", "--yes"]).ends(0).says("1 moved");
    world.nine(&["archive", "verify"]).ends(0).says("1 file, 9 B");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["search", "name", "has", "bottom", "--in", "downloads"]).ends(0).says("1 file, 9 B");
    eprintln!("hostile: {levels} folders in one another");
}

#[test]
fn many_in_one_folder() {
    let world = world();
    let many = if is_long() { 200_000 } else { 2_000 };
    for number in 0..many {
        fs::write(world.at("Downloads").join(format!("{number}.dat")), "").unwrap();
    }
    let day = ["--today", "2032-01-01"];
    let ran = world.nine(&[&["sweep", "--yes"][..], &day].concat()).ends(0);
    ran.says(&format!("{} moved", grouped(many)));
    world.nine(&[&["archive", "--where", "ext", "dat", "--yes"][..], &day].concat()).ends(0);
    world.nine(&["archive", "verify"]).ends(0).says("whole");
    for _ in 0..2 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(fs::read_dir(world.at("Downloads")).unwrap().count(), many);
    eprintln!("hostile: {many} files in one folder");
}

fn grouped(number: usize) -> String {
    let text = number.to_string();
    let (head, tail) = text.split_at(text.len() - 3);
    format!("{head},{tail}")
}

#[test]
fn pipes_sockets_and_devices() {
    let world = World::across_file_systems();
    world.rules(RULES).file("a.txt", "a").file("folder/b.txt", "b");
    let pile = world.at("Downloads");
    rustix::fs::mkfifoat(CWD, pile.join("pipe"), Mode::RWXU).unwrap();
    rustix::fs::mkfifoat(CWD, pile.join("folder/pipe"), Mode::RWXU).unwrap();
    let _socket = std::os::unix::net::UnixListener::bind(pile.join("socket")).unwrap();
    let device = rustix::fs::makedev(1, 3);
    let kind = rustix::fs::FileType::CharacterDevice;
    // Only the system's own user may make one.
    let made = rustix::fs::mknodat(CWD, pile.join("device"), kind, Mode::RWXU, device);
    for words in [
        &["survey"][..],
        &["search"],
        &["copies"],
        &["search", "text", "has", "x", "--text"],
        &["search", "mislabelled"],
    ] {
        is_safe(&world.nine(words).ends(0));
    }
    world.nine(&["sweep"]).ends(0).says("devices or pipes");
    let special = |path: &Path| fs::symlink_metadata(path).unwrap();
    // A folder with a pipe in it cannot be copied to another file system, and stays whole.
    world.nine(&["archive", "--yes"]).ends(1).says("never moved").says("1 moved");
    assert!(pile.join("folder/b.txt").exists());
    world.nine(&["archive", "verify"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    for name in ["pipe", "folder/pipe", "socket"] {
        assert!(!special(&pile.join(name)).is_file(), "{name}");
    }
    assert_eq!(made.is_ok(), pile.join("device").exists());
    assert_eq!(fs::read_to_string(pile.join("a.txt")).unwrap(), "a");
}

#[test]
fn a_file_with_holes() {
    let world = world();
    let size: u64 = if is_long() { 5_000_000_000 } else { 50_000_000 };
    let at = world.at("Downloads/disk image.raw");
    world.old_file(&at, "start");
    let file = fs::File::options().write(true).open(&at).unwrap();
    file.set_len(size).unwrap();
    file.set_modified(std::time::UNIX_EPOCH + std::time::Duration::from_secs(1_900_000_000)).unwrap();
    drop(file);
    world.nine(&["search", "size", "over", "40MB"]).ends(0).says("disk image.raw");
    world.nine(&["copies"]).ends(0);
    world.nine(&["tidy", "--yes"]).ends(0).says("1 moved");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "verify"]).ends(0).says("whole");
    world.nine(&["archive", "pack", "2031-04-07", "--as", "tar.zst", "--yes"]).ends(0);
    world.nine(&["archive", "verify"]).ends(0).says("whole");
    for _ in 0..2 {
        world.nine(&["undo", "--yes"]).ends(0);
    }
    assert_eq!(fs::metadata(&at).unwrap().len(), size);
    eprintln!("hostile: a file of {size} bytes, nearly all of them holes");
}

/// The daybook of a run, cut anywhere, as by a disk that lost its end.
#[test]
fn a_daybook_cut_anywhere() {
    let make = || {
        let world = world();
        world.file("a.txt", "a").file("b/c.txt", "c").file("p.jpg", "photo").file("p.xmp", "edits");
        world
    };
    let text = |world: &World| fs::read(world.at("nine/daybook/000001.jsonl")).unwrap();
    let length = {
        let world = make();
        world.nine(&["tidy", "--yes"]).ends(0);
        text(&world).len()
    };
    let step = if is_long() { 7 } else { 157 };
    let mut cases = 0;
    for cut in (0..length).step_by(step) {
        let world = make();
        let before = world.picture();
        world.nine(&["tidy", "--yes"]).ends(0);
        let after = world.picture();
        let whole = text(&world);
        fs::write(world.at("nine/daybook/000001.jsonl"), &whole[..cut.min(whole.len())]).unwrap();
        let ran = world.nine(&["history"]).ends(0);
        is_safe(&ran);
        assert!(!ran.err.contains("neither"), "cut at {cut}: {}", ran.err);
        assert_eq!(world.picture(), after, "cut at {cut}: recovery moves nothing that is in place");
        while world.nine(&["undo", "--yes"]).status == 0 {}
        // The plan counts once its last line is whole.
        let left = &whole[..cut.min(whole.len())];
        let last = left.windows(9).position(|part| part == b"\"planned\"");
        let planned = last.is_some_and(|at| left[at..].contains(&b'}'));
        let wanted = if planned { &before } else { &after };
        // Which folders the run made may stand in what was cut off; then they stay, empty.
        let files = |picture: &std::collections::BTreeMap<String, String>| {
            let files =
                picture.iter().filter(|(name, _)| !(name.starts_with("Shelves") && name.ends_with('/')));
            files.map(|(name, what)| (name.clone(), what.clone())).collect::<Vec<_>>()
        };
        assert_eq!(files(&world.picture()), files(wanted), "cut at {cut}, planned: {planned}");
        // The next run has a number and a file of its own.
        world.file("later.txt", "later").nine(&["tidy", "--yes"]).ends(0).says("moved");
        cases += 1;
    }
    eprintln!("hostile: a daybook cut at {cases} places");
}
