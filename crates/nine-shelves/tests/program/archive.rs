//! Stale items out of sight, findable and provably whole.

use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use super::support::{World, tags_of};

const CONFIG: &str = "\n[archive]\nwhen = \"idle over 180d and not tag keep\"\nput = \"3/{today}/{pile}\"\n";

/// A pile of old things in `2031-04-07` of the third shelf.
fn world() -> World {
    let world = World::new();
    world.rules(CONFIG);
    fs::create_dir(world.shelves.join("3 Grants")).unwrap();
    world.file("old plan.txt", "the plan").file("project/a/b.txt", "deep").file("project/c.txt", "c");
    world.file("kept.txt", "in use").file("fresh.txt", "new");
    let now = fs::File::options().write(true).open(world.at("Downloads/fresh.txt")).unwrap();
    now.set_modified(std::time::UNIX_EPOCH + std::time::Duration::from_secs(1_932_000_000)).unwrap();
    for (path, tags) in [("kept.txt", "keep"), ("old plan.txt", "plans,loan/Harrow")] {
        let at = world.at("Downloads").join(path);
        rustix::fs::setxattr(at, "user.xdg.tags", tags.as_bytes(), rustix::fs::XattrFlags::empty()).unwrap();
    }
    world
}

fn dated(world: &World) -> PathBuf {
    world.shelves.join("3 Grants/2031-04-07")
}

/// Runs a program of the system's own; none of them is a part of every system but `sha256sum`.
fn tool(folder: &Path, program: &str, words: &[&str]) {
    let ran = Command::new(program).args(words).current_dir(folder).output();
    match ran {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound && std::env::var_os("CI").is_none() => {
            // Elsewhere than in the checks it may be missing.
        }
        ran => {
            let ran = ran.unwrap();
            let said = [ran.stdout, ran.stderr].concat();
            assert!(ran.status.success(), "{program} {words:?}: {}", String::from_utf8_lossy(&said));
        }
    }
}

#[test]
fn what_is_stale_goes_with_its_lists_and_comes_back() {
    let world = world();
    let before = world.picture();
    let ran = world.nine(&["archive"]).ends(0);
    ran.says("3 Grants/2031-04-07/downloads").says("modified 2030-03-17").says("newest inside 2030-03-17");
    world.nine(&["archive", "--yes"]).ends(0).says("2 moved");
    assert!(world.at("Downloads/kept.txt").exists() && world.at("Downloads/fresh.txt").exists());
    tool(&dated(&world), "sha256sum", &["-c", "--strict", "SHA256SUMS"]);
    let list = fs::read_to_string(dated(&world).join("contents.csv")).unwrap();
    assert!(list.starts_with("path,kind,size,modified,tags,from,archived,why,run\n"), "{list}");
    assert!(list.contains("\ndownloads/old plan.txt,file,8,2030-03-17T17:46:40.987654321Z,\"plans,loan/Harrow\",downloads/old plan.txt,"), "{list}");
    assert!(list.contains("\ndownloads/project/a/b.txt,file,4,"), "{list}");
    world.nine(&["archive", "list"]).ends(0).says("not verified yet");
    world.nine(&["archive", "verify"]).ends(0).says("3 files, 13 B").says("whole");
    world
        .nine(&["archive", "list", "--format", "csv"])
        .ends(0)
        .says("2031-04-07,folder,2,3,13,")
        .says(",true\n");
    world.nine(&["archive", "list"]).ends(0).says("  whole on 20");
    let found = world.nine(&["search", "name", "has", "plan"]).ends(0);
    found.says("archived").says("home/3 Grants/2031-04-07/downloads");
    world.nine(&["search", "name", "has", "plan", "--no-archive"]).ends(0).says("0 files");
    // Undone, nothing is left of it.
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
    // And the undo undone: the lists are there again.
    world.nine(&["undo", "2", "--yes"]).ends(0);
    world.nine(&["archive", "verify"]).ends(0).says("whole");
    world.nine(&["retrieve", "--where", "name", "has", "plan", "--yes"]).ends(0).says("1 moved");
    assert_eq!(tags_of(&world.at("Downloads/old plan.txt")), "plans,loan/Harrow");
    tool(&dated(&world), "sha256sum", &["-c", "--strict", "SHA256SUMS"]);
    world.nine(&["retrieve", "home/3 Grants/2031-04-07", "--yes"]).ends(0).says("1 moved");
    assert_eq!(world.picture(), before);
}

#[test]
fn a_second_time_on_one_day_both_lists_are_brought_up_to_date() {
    let world = world();
    world.nine(&["archive", "--yes"]).ends(0);
    let list = dated(&world).join("contents.csv");
    let first = fs::read_to_string(&list).unwrap();
    world.file("old plan.txt", "another plan").file("more.txt", "more");
    world.nine(&["archive", "--yes"]).ends(0).says("2 moved");
    let second = fs::read_to_string(&list).unwrap();
    assert!(first.lines().all(|line| second.contains(line)), "{first}\n{second}");
    assert!(second.contains("\ndownloads/old plan (2).txt,file,12,"), "{second}");
    assert_eq!(second.lines().count(), first.lines().count() + 2);
    tool(&dated(&world), "sha256sum", &["-c", "--strict", "SHA256SUMS"]);
    // Under its own name it comes back, and takes a number where that is taken.
    world.file("old plan.txt", "a third plan");
    world.nine(&["retrieve", "home/3 Grants/2031-04-07/downloads", "--yes"]).ends(0).says("4 moved");
    let texts: Vec<String> = ["old plan.txt", "old plan (2).txt", "old plan (3).txt"]
        .map(|name| fs::read_to_string(world.at("Downloads").join(name)).unwrap())
        .to_vec();
    assert_eq!(texts, ["a third plan", "the plan", "another plan"]);
    assert!(!dated(&world).exists(), "nothing is in it any more");
}

#[test]
fn a_selection_keeps_the_place_that_it_came_from() {
    let world = world();
    world.old_file(&world.shelves.join("1 Boats/2029/Tern/log.txt"), "log");
    world.nine(&["archive", "Shelves/1 Boats/2029/Tern", "--yes"]).ends(0).says("1 moved");
    let archived = dated(&world).join("home/1 Boats/2029/Tern/log.txt");
    assert_eq!(fs::read_to_string(&archived).unwrap(), "log");
    world.nine(&["retrieve", archived.to_str().unwrap(), "--on", "2/Back", "--new-folder", "--yes"]).ends(0);
    assert_eq!(fs::read_to_string(world.shelves.join("2 Loans/Back/log.txt")).unwrap(), "log");
    // What is archived, a shelf, and what lies in no place are refused.
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "home/3 Grants/2031-04-07"]).ends(0).says("in the archive already");
    world.nine(&["archive", "Shelves/1 Boats"]).ends(2).warns("is a place of its own");
    world.old_file(&world.at("elsewhere.txt"), "x");
    world.nine(&["archive", "elsewhere.txt"]).ends(2).warns("lies in no pile");
    world
        .nine(&["retrieve", "Downloads/no such.txt"])
        .ends(2)
        .warns("there is nothing at Downloads/no such.txt");
    world.nine(&["retrieve", "Downloads/fresh.txt"]).ends(2).warns("neither archived nor swept");
}

#[test]
fn verify_tells_what_is_missing_changed_or_extra() {
    let world = world();
    world.file("odd\nname\\.txt", "odd").nine(&["archive", "--yes"]).ends(0);
    tool(&dated(&world), "sha256sum", &["-c", "--strict", "SHA256SUMS"]);
    let at = dated(&world).join("downloads");
    fs::remove_file(at.join("project/c.txt")).unwrap();
    world.old_file(&at.join("old plan.txt"), "the plam");
    world.old_file(&at.join("stray.txt"), "s");
    let ran = world.nine(&["archive", "verify", "2031-04-07"]).ends(1);
    world.nine(&["archive", "list"]).ends(0).says("not whole on 20");
    ran.says("changed  downloads/old plan.txt")
        .says("extra  downloads/stray.txt")
        .says("missing  downloads/project/c.txt");
    world
        .nine(&["archive", "verify", "--format", "csv"])
        .ends(1)
        .says("2031-04-07,extra,downloads/stray.txt");
    world.nine(&["archive", "verify", "2031-04-08"]).ends(2).warns("did you mean `2031-04-07`?");
    // A pack is not made of what is not as its checksums say, and the folder stays.
    world.nine(&["archive", "pack", "2031-04-07", "--yes"]).ends(1).says("does not match its checksum");
    assert!(at.join("project/a/b.txt").exists());
    assert!(!world.shelves.join("3 Grants/2031-04-07.zip").exists());
    // A list that is spoilt is told, and nothing is lost over it.
    fs::write(dated(&world).join("contents.csv"), "spoilt").unwrap();
    world.nine(&["archive", "verify"]).ends(1).says("cannot be verified: contents.csv");
    world.file("late.txt", "late").nine(&["archive", "--yes"]).ends(1).says("cannot be brought up to date");
    assert!(at.join("late.txt").exists());
}

#[test]
fn a_pack_takes_the_place_of_the_folder_and_gives_back_what_is_asked_for() {
    for (form, program, words) in
        [("zip", "unzip", &["-t", "-q"][..]), ("tar.zst", "tar", &["--zstd", "-tf"][..])]
    {
        let world = world();
        let before = world.picture();
        world.nine(&["archive", "--yes"]).ends(0);
        let archived = world.picture();
        world.nine(&["archive", "pack", "2031-04-07", "--as", form]).ends(0).says("1 to pack");
        world.nine(&["archive", "pack", "2031-04-07", "--as", form, "--yes"]).ends(0).says("1 packed");
        let shelf = world.shelves.join("3 Grants");
        let pack = format!("2031-04-07.{form}");
        assert!(shelf.join("2031-04-07.contents.csv").exists() && !dated(&world).exists());
        tool(&shelf, program, &[words, &[pack.as_str()]].concat());
        world.nine(&["archive", "verify"]).ends(0).says(form).says("3 files, 13 B").says("whole");
        let found = world.nine(&["search", "tag", "loan", "and", "size", "under", "9"]).ends(0);
        found.says(&format!("home/3 Grants/{pack}/downloads")).says("archived");
        world.nine(&["retrieve", "--where", "tag", "loan", "--yes"]).ends(0).says("1 unpacked");
        let inside = format!("Shelves/3 Grants/{pack}/downloads/project");
        world.nine(&["retrieve", &inside, "--yes"]).ends(0).says("1 unpacked");
        let mut after = world.picture();
        after.retain(|name, _| !name.starts_with("Shelves"));
        let mut wanted = before.clone();
        wanted.retain(|name, _| !name.starts_with("Shelves"));
        assert_eq!(after, wanted, "{form}");
        // All of it is taken back: what was unpacked, the pack, the archive.
        for _ in 0..2 {
            world.nine(&["undo", "--yes"]).ends(0);
        }
        world.nine(&["undo", "--yes"]).ends(0).says("1 restored");
        assert_eq!(world.picture(), archived, "{form}");
        world.nine(&["undo", "--yes"]).ends(0);
        assert_eq!(world.picture(), before, "{form}");
    }
}

#[test]
fn only_a_tar_holds_every_name() {
    let world = World::new();
    world.rules(CONFIG);
    let odd = std::ffi::OsStr::from_bytes(b"caf\xe9.txt");
    world.old_file(&world.at("Downloads").join(odd), "menu");
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "pack", "2031-04-07", "--yes"]).ends(2).warns("--as tar.zst");
    world.nine(&["archive", "pack", "2031-04-07", "--as", "tar.zst", "--yes"]).ends(0);
    world.nine(&["retrieve", "--run", "1", "--yes"]).ends(0).says("1 unpacked");
    assert_eq!(fs::read_to_string(world.at("Downloads").join(odd)).unwrap(), "menu");
}

/// A pack from anywhere cannot lead a write outside, and does no harm.
#[test]
fn a_pack_that_is_not_what_its_list_says_gives_nothing() {
    let world = world();
    world.nine(&["archive", "--yes"]).ends(0);
    world.nine(&["archive", "pack", "2031-04-07", "--yes"]).ends(0);
    let shelf = world.shelves.join("3 Grants");
    let pack = shelf.join("2031-04-07.zip");
    let mut bytes = fs::read(&pack).unwrap();
    let middle = bytes.len() / 2;
    bytes.truncate(middle);
    fs::write(&pack, &bytes).unwrap();
    let before = world.picture();
    world.nine(&["archive", "verify"]).ends(1).says("cannot be verified");
    world.nine(&["retrieve", "--where", "tag", "loan", "--yes"]).ends(1).says("the pack cannot be read");
    assert_eq!(world.picture(), before);
}

#[test]
fn what_is_open_or_just_changed_is_left_and_named() {
    let world = world();
    let open = fs::File::open(world.at("Downloads/old plan.txt")).unwrap();
    let ran = world.nine(&["archive"]).ends(0);
    ran.says("left: downloads/old plan.txt  open in a program").says("project/");
    drop(open);
    let ran = world.nine(&["archive", "--today", "2030-03-17T17:50", "Downloads/old plan.txt"]).ends(0);
    ran.says("left: downloads/old plan.txt  changed just now");
}

#[test]
fn what_was_swept_is_pulled_back() {
    let world = world();
    let before = world.picture();
    world.nine(&["sweep", "--yes"]).ends(0).says("4 moved");
    world.nine(&["retrieve", "Downloads/2031-04-07/old plan.txt", "--yes"]).ends(0).says("1 moved");
    assert!(world.at("Downloads/old plan.txt").exists());
    world.nine(&["retrieve", "--where", "name", "has", "kept", "--yes"]).ends(0).says("1 moved");
    world.nine(&["retrieve", "--run", "1", "--yes"]).ends(0).says("2 moved");
    assert_eq!(world.picture(), before);
    world.nine(&["retrieve", "--run", "1"]).ends(2).warns("nothing that run 1 moved");
}
