//! What does not hang on how busy a machine is: system calls for each entry, files that are opened, bytes that are
//! written. Counted by `strace`, on which these tests insist where `CI` is set.

use std::collections::BTreeMap;
use std::fs;
use std::process::Command;

use super::support::World;

const FOLDERS: usize = 40;
const FILES_EACH: usize = 25;
/// What lies in the pile and the pile itself.
const ENTRIES: usize = FOLDERS + FOLDERS * FILES_EACH + 1;

/// What a run takes besides what it does for each entry: its libraries, the configuration, the catalogue.
const FEW: usize = 60;

fn world(folders: usize, each: usize) -> World {
    let world = World::new();
    let pile = world.at("Downloads");
    for folder in 0..folders {
        let folder = pile.join(format!("folder {folder}"));
        fs::create_dir(&folder).unwrap();
        for number in 0..each {
            fs::write(folder.join(format!("paper {number}.pdf")), "x").unwrap();
        }
    }
    world.config(&format!("[pile.downloads]\nat = '{}'\n", pile.display()));
    // What changed just now is looked at again by the next command.
    std::thread::sleep(std::time::Duration::from_millis(2_100));
    world
}

/// The calls that a command makes, a line each; `None` where nothing counts them.
fn calls(world: &World, words: &[&str]) -> Option<Vec<String>> {
    let log = world.at("calls.txt");
    let plain = world.command(words);
    let mut traced = Command::new("strace");
    traced
        .args(["-f", "-y", "-qq", "-s", "256", "-o"])
        .arg(&log)
        .arg("--")
        .arg(plain.get_program())
        .args(words);
    traced.env_clear().envs(plain.get_envs().filter_map(|(name, value)| Some((name, value?))));
    if let Some(path) = std::env::var_os("PATH") {
        traced.env("PATH", path);
    }
    match traced.current_dir(world.dir.path()).output() {
        Ok(ran) => {
            assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
            let text = fs::read_to_string(&log).unwrap();
            let calls = text.lines().filter(|line| !line.contains("resumed>"));
            Some(
                calls
                    .map(|line| line.split_once(' ').map_or("", |(_, call)| call.trim_start()).to_owned())
                    .collect(),
            )
        }
        Err(error) => {
            assert!(std::env::var_os("CI").is_none(), "strace: {error}");
            None
        }
    }
}

/// How often each call was made.
fn counted(calls: &[String]) -> BTreeMap<&str, usize> {
    let mut counts = BTreeMap::new();
    let names = calls.iter().filter_map(|call| call.split_once('(')).map(|(name, _)| name);
    names.for_each(|name| *counts.entry(name).or_default() += 1);
    counts
}

#[test]
fn a_refresh_looks_at_each_entry_once_lists_no_folder_and_opens_no_file() {
    let world = world(FOLDERS, FILES_EACH);
    let listed = |calls: &[String]| {
        calls.iter().filter(|call| call.starts_with("getdents64") && call.contains("/Downloads")).count()
    };
    let Some(first) = calls(&world, &["search", "name is nothing"]) else { return };
    let Some(calls) = calls(&world, &["search", "name has nothing", "--limit", "1"]) else { return };
    let counts = counted(&calls);
    let many = |name: &str| counts.get(name).copied().unwrap_or(0);
    assert!((ENTRIES..ENTRIES + FEW).contains(&many("statx")), "{counts:#?}");
    assert!((FOLDERS + 1..FOLDERS + FEW).contains(&many("openat2")), "{counts:#?}");
    // The first look takes two for each folder, the last of which tells that there is no more.
    assert_eq!((listed(&first), listed(&calls)), (2 * (FOLDERS + 1), 0));
    let opened: Vec<_> =
        calls.iter().filter(|call| call.starts_with("open") && call.contains("paper")).collect();
    assert!(opened.is_empty(), "{opened:#?}");
    // Threads that wait for one another, and checks of a debug build.
    let is_by_chance = |name: &str| matches!(name, "futex" | "fcntl");
    let all: usize = counts.iter().filter(|(name, _)| !is_by_chance(name)).map(|(_, many)| many).sum();
    assert!(all < ENTRIES + 3 * FOLDERS + 500, "{all} calls: {counts:#?}");
}

#[test]
fn tags_are_asked_for_once_an_entry_and_nothing_is_opened_for_them_but_folders() {
    // So many that each is not opened twice within what is few.
    let folders = 2 * FEW;
    let world = world(folders, 5);
    let Some(calls) = calls(&world, &["search", "tag nothing", "--limit", "1"]) else { return };
    let counts = counted(&calls);
    let asked: usize =
        ["lgetxattr", "getxattrat", "syscall_0x1d0"].iter().filter_map(|name| counts.get(name)).sum();
    // Of each file, of each folder where that matters, and once whether the kernel has the call.
    assert!((folders * 5..=folders * 6 + 1).contains(&asked), "{counts:#?}");
    let opened: Vec<_> =
        calls.iter().filter(|call| call.starts_with("open") && call.contains("paper")).collect();
    assert!(opened.is_empty(), "{opened:#?}");
    // Each of them once: they are asked for while it is listed.
    assert!(counts["openat2"] <= folders + FEW, "{counts:#?}");
}

#[test]
fn a_preview_into_a_file_goes_out_in_blocks() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"2\"\n");
    for number in 0..ENTRIES {
        world.file(&format!("paper {number}.pdf"), "x");
    }
    let Some(calls) = calls(&world, &["tidy"]) else { return };
    let lines = calls.iter().filter(|call| call.starts_with("write(1<")).count();
    assert!((1..20).contains(&lines), "{lines} calls for {ENTRIES} lines");
}

#[test]
fn nobody_waits_for_a_new_catalogue_but_the_next_command_makes_sure_of_it() {
    let world = world(200, 100);
    // How often each call that writes or waits was made for the catalogue itself, in their order.
    let kept = |calls: Vec<String>| {
        let is_of_it = |call: &String| call.contains("/catalogue.sqlite>");
        let name = |call: String| call.split_once('(').map(|(name, _)| name.to_owned());
        let names = calls.into_iter().filter(is_of_it).filter_map(name);
        let mut runs: Vec<(String, usize)> = Vec::new();
        for name in names.filter(|name| ["pwrite64", "fsync", "fdatasync"].contains(&name.as_str())) {
            match runs.last_mut().filter(|(last, _)| *last == name) {
                Some((_, many)) => *many += 1,
                None => runs.push((name, 1)),
            }
        }
        runs
    };
    let Some(first) = calls(&world, &["search", "name is nothing"]).map(kept) else { return };
    assert!(first.len() == 1 && first[0].0 == "pwrite64" && first[0].1 > 40, "{first:?}");
    let again = calls(&world, &["search", "name is nothing"]).map(kept).unwrap();
    assert_eq!(again[0].0, "fsync", "{again:?}");
}

#[test]
fn a_report_is_written_once_however_many_there_are_of_the_day() {
    let world = world(2, 2);
    (0..3).for_each(|_| drop(world.nine(&["report"]).ends(0)));
    let Some(calls) = calls(&world, &["report"]) else { return };
    let named = |call: &&String| call.starts_with("linkat(") && call.contains(".html");
    let names: Vec<&String> = calls.iter().filter(named).collect();
    assert!(names.len() == 1 && names[0].contains("-4.html"), "{names:?}");
}

#[test]
fn what_did_not_change_is_not_written_again() {
    let world = world(200, 100);
    world.nine(&["search", "name is nothing"]).ends(0);
    world.nine(&["search", "name is nothing"]).ends(0);
    fs::write(world.at("Downloads/folder 7/paper 7.pdf"), "longer now").unwrap();
    let Some(calls) = calls(&world, &["search", "name is nothing", "--limit", "1"]) else { return };
    let is_write = |call: &&String| call.starts_with("pwrite64(") || call.starts_with("write(");
    let bytes: u64 = calls
        .iter()
        .filter(is_write)
        .filter_map(|call| call.rsplit_once("= ")?.1.trim().parse::<u64>().ok())
        .sum();
    let kept = fs::metadata(world.data.join("catalogue.sqlite")).unwrap().len();
    // A block of each column that knows of the file, whatever else the place holds.
    assert!(kept > 1_500_000 && bytes < 700_000, "{bytes} bytes written into {kept}");
    let syncs =
        counted(&calls).iter().filter(|(name, _)| name.contains("sync")).map(|(_, many)| many).sum::<usize>();
    assert!(syncs <= 4, "{syncs} syncs");
}

#[test]
fn of_small_files_that_cross_each_is_flushed_once_and_their_folder_for_many() {
    const FILES: usize = 300;
    let world = World::across_file_systems();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"2\"\n");
    for number in 0..FILES {
        world.file(&format!("letter {number}.txt"), "dear quay");
    }
    let Some(calls) = calls(&world, &["tidy", "--yes"]) else { return };
    assert_eq!(fs::read_dir(world.shelves.join("2 Loans")).unwrap().count(), FILES);
    let counts = counted(&calls);
    let syncs: usize = counts.iter().filter(|(name, _)| name.ends_with("sync")).map(|(_, many)| many).sum();
    assert!((FILES..FILES + 40).contains(&syncs), "{syncs} syncs");
}
