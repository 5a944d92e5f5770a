//! A pile on a mount that a program serves (FUSE): what reading costs is not spent unasked, and nothing is trusted that
//! does not last.

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use super::support::World;

/// A folder seen through a program, for as long as it lives.
struct Mounted(PathBuf);

impl Mounted {
    /// Mounts one folder at another; `None`, which is said, where nothing may be mounted.
    #[allow(clippy::print_stderr)] // a test that is left out says so
    fn new(from: PathBuf, at: PathBuf) -> Option<Self> {
        fs::create_dir_all(&from).unwrap();
        fs::create_dir_all(&at).unwrap();
        let mounted = Command::new("bindfs").arg(&from).arg(&at).output();
        let is_mounted = mounted.as_ref().is_ok_and(|output| output.status.success());
        assert!(mounted.is_ok() || std::env::var_os("CI").is_none(), "bindfs is to be installed");
        if !is_mounted {
            eprintln!("mounts: left out, since nothing can be mounted here: {mounted:?}");
        }
        is_mounted.then(|| Self(at))
    }
}

impl Drop for Mounted {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("--lazy").arg(&self.0).status();
    }
}

/// A world whose pile is mounted, with four notes in it, two of which are the same.
fn world() -> Option<(World, Mounted)> {
    let world = World::new();
    let mounted = Mounted::new(world.at("real"), world.at("Downloads"))?;
    world.rules("[[rule]]\nname = \"notes\"\nwhen = \"ext txt\"\nput = \"1\"\ntag = [\"kept\"]\n");
    for (name, text) in
        [("a", "of the harbour"), ("b", "of the tides"), ("c", "of the boats"), ("d", "of the boats")]
    {
        world.file(&format!("{name}.txt"), text);
    }
    Some((world, mounted))
}

#[test]
fn whole_files_are_not_read_unasked() {
    let Some((world, _mounted)) = world() else { return };
    world.nine(&["check"]).ends(0).says("mounted by a program: whole files are read with --read-drive alone");
    world.nine(&["copies"]).ends(0).warns("--read-drive reads them");
    world.nine(&["copies", "--read-drive"]).ends(0).says("1 item is not needed");
    world.nine(&["search", "text", "has", "harbour", "--text"]).ends(0).warns("--read-drive reads them");
    world.nine(&["search", "text", "has", "harbour", "--text", "--read-drive"]).ends(0).says("a.txt");
}

/// Numbers of files may be others after each time that it is mounted.
#[test]
fn what_is_filed_from_it_goes_back_although_it_was_mounted_anew() {
    let Some((world, mounted)) = world() else { return };
    let before = world.picture();
    world.nine(&["tidy", "--yes"]).ends(0).says("4 moved");
    assert!(world.shelves.join("1 Boats/a.txt").exists() && !world.at("real/a.txt").exists());
    drop(mounted);
    // Another one with the same name in the meantime, so that numbers are given anew.
    fs::write(world.at("real/other.txt"), "came meanwhile").unwrap();
    let Some(_mounted) = Mounted::new(world.at("real"), world.at("Downloads")) else { return };
    world.nine(&["undo", "--yes"]).ends(0).says("4 moved");
    fs::remove_file(world.at("Downloads/other.txt")).unwrap();
    fs::remove_dir(world.shelves.join("1 Boats")).unwrap_or_default();
    assert_eq!(world.picture(), before, "with their times and without the tag");
}

#[test]
fn a_plan_stands_although_the_kernel_forgot_its_files() {
    let Some((world, mounted)) = world() else { return };
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(0);
    drop(mounted);
    let Some(_mounted) = Mounted::new(world.at("real"), world.at("Downloads")) else { return };
    fs::write(world.at("real/a.txt"), "changed since").unwrap();
    world.nine(&["carry", "list.csv", "--yes"]).ends(1).says("x downloads/a.txt");
    assert_eq!(fs::read_to_string(world.at("real/a.txt")).unwrap(), "changed since");
    assert!(world.shelves.join("1 Boats/b.txt").exists());
}
