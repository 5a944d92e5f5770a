//! The scenes in which the program is disturbed, and what must hold after each.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use nine_standin::Disk;

use super::support::{Ran, World, picture_at, picture_of};

/// A world, what is done in it before, and the command that is disturbed.
pub struct Scene {
    pub name: &'static str,
    /// The world without anything in it, and what is put into that.
    pub make: fn() -> World,
    pub fill: fn(&World),
    pub ready: fn(&World),
    pub words: &'static [&'static str],
    /// Whether the command changes tags, which then are not compared.
    pub tags: bool,
    /// Of how many cases the short form tries one.
    pub stride: usize,
}

const RULES: &str = r#"
[archive]
when = "idle over 180d and not tag keep"
put = "3/{today}/{pile}"

[[rule]]
name = "replace"
when = "name starts plan"
put = "1"
clash = "replace"

[[rule]]
name = "all"
when = "file or type folder"
tag = ["seen"]
put = "2/{type}"
"#;

fn fill(world: &World) {
    world.rules(RULES);
    let token = token(world);
    for (path, text) in [
        ("plan.txt", "the new plan"),
        ("anchor.txt", "iron"),
        ("letters/a.txt", "first letter"),
        ("letters/deep/b.txt", "second letter"),
        ("tern.jpg", "no real picture"),
        ("tern.xmp", "its sidecar"),
    ] {
        world.file(path, &format!("{text} {token}"));
    }
    world.old_file(&world.shelves.join("1 Boats/plan.txt"), &format!("the old plan {token}"));
    tag(&world.at("Downloads/anchor.txt"), "metal");
    tag(&world.at("Downloads/letters/a.txt"), "loan/Harrow,post");
    std::fs::create_dir_all(world.shelves.join("3 Grants")).unwrap();
}

fn tag(at: &Path, tags: &str) {
    rustix::fs::setxattr(at, "user.xdg.tags", tags.as_bytes(), rustix::fs::XattrFlags::empty()).unwrap();
}

/// What every content of a world ends with, so that it is known again in a trash that others share.
pub fn token(world: &World) -> String {
    world.dir.path().file_name().unwrap().to_string_lossy().into_owned()
}

fn does(world: &World, words: &[&str]) {
    world.nine(words).ends(0);
}

fn here() -> World {
    World::new()
}

fn across() -> World {
    World::across_file_systems()
}

/// Without a trash of the configuration: what lies on the other file system goes to the trash there.
fn two_trashes(world: &World) {
    fill(world);
    let text = std::fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    let trash = format!("[trash]\nat = \"{}\"\n", world.trash().display());
    assert!(text.contains(&trash));
    world.config(&text.replace(&trash, ""));
}

/// What is left by the first part is archived by the second.
fn with_a_routine(world: &World) {
    fill(world);
    let text = std::fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    let text = text.replace("file or type folder", "file and not ext txt or type folder");
    world.config(&format!("{text}\n[routine.weekly]\nrun = [\"tidy\", \"archive\"]\n"));
}

const PACK: &[&str] = &["archive", "pack", "2031-04-07", "--as", "zip", "--yes"];
const PACK_TAR: &[&str] = &["archive", "pack", "2031-04-07", "--as", "tar.zst", "--yes"];

fn archived(world: &World) {
    does(world, &["archive", "--yes"]);
}

fn packed(world: &World) {
    archived(world);
    does(world, PACK_TAR);
}

/// Two folders of one name, some of whose files are the same.
fn twins(world: &World) {
    fill(world);
    let token = token(world);
    for (path, text) in [("copy.txt", "iron"), ("a.txt", "another"), ("deep/c.txt", "third")] {
        world.old_file(&world.shelves.join("2 Loans/letters").join(path), &format!("{text} {token}"));
    }
}

fn filed(world: &World) {
    does(world, &["put", "Downloads/letters", "--on", "1", "--yes"]);
    does(world, &["put", "Downloads/anchor.txt", "--on", "1/letters", "--yes"]);
}

/// Every scene.
pub const SCENES: [Scene; 15] = [
    Scene { name: "tidy", make: here, fill, ready: |_| {}, words: &["tidy", "--yes"], tags: true, stride: 3 },
    Scene {
        name: "tidy across file systems",
        make: across,
        fill,
        ready: |_| {},
        words: &["tidy", "--yes"],
        tags: true,
        stride: 7,
    },
    Scene {
        name: "undo across file systems",
        make: across,
        fill,
        ready: |world| does(world, &["tidy", "--yes"]),
        words: &["undo", "--yes"],
        tags: true,
        stride: 7,
    },
    Scene {
        name: "archive across file systems",
        make: across,
        fill,
        ready: |_| {},
        words: &["archive", "--yes"],
        tags: false,
        stride: 7,
    },
    Scene {
        name: "archive again on one day",
        make: here,
        fill,
        ready: |world| does(world, &["archive", "Downloads/letters", "--yes"]),
        words: &["archive", "--yes"],
        tags: false,
        stride: 3,
    },
    Scene {
        name: "undo of an archive",
        make: here,
        fill,
        ready: archived,
        words: &["undo", "--yes"],
        tags: false,
        stride: 3,
    },
    Scene {
        name: "discard on two file systems",
        make: across,
        fill: two_trashes,
        ready: |_| {},
        words: &["discard", "Downloads/letters", "Downloads/tern.jpg", "home/1 Boats/plan.txt", "--yes"],
        tags: false,
        stride: 3,
    },
    Scene { name: "pack as zip", make: here, fill, ready: archived, words: PACK, tags: false, stride: 3 },
    Scene {
        name: "pack as tar.zst",
        make: across,
        fill,
        ready: archived,
        words: PACK_TAR,
        tags: false,
        stride: 5,
    },
    Scene {
        name: "retrieve from a pack",
        make: across,
        fill: two_trashes,
        ready: packed,
        words: &["retrieve", "home/3 Grants/2031-04-07.tar.zst", "--yes"],
        tags: false,
        stride: 5,
    },
    Scene {
        name: "undo of a pack",
        make: here,
        fill,
        ready: packed,
        words: &["undo", "--yes"],
        tags: false,
        stride: 2,
    },
    Scene {
        name: "merge of two folders",
        make: here,
        fill: twins,
        ready: filed,
        words: &["put", "home/2 Loans/letters", "--on", "1/letters", "--merge", "--yes"],
        tags: false,
        stride: 3,
    },
    Scene {
        name: "watch",
        make: here,
        fill,
        ready: |_| {},
        words: &["watch", "--once"],
        tags: true,
        stride: 4,
    },
    Scene {
        name: "watch across file systems",
        make: across,
        fill,
        ready: |_| {},
        words: &["watch", "--once"],
        tags: true,
        stride: 7,
    },
    Scene {
        name: "routine with nobody there",
        make: here,
        fill: with_a_routine,
        ready: |_| {},
        words: &["routine", "weekly", "--unattended"],
        tags: true,
        stride: 5,
    },
];

/// Whether every case is tried.
pub fn is_long() -> bool {
    std::env::var("NINE_HARNESS").is_ok_and(|how| how == "long")
}

impl Scene {
    /// From one case to the next.
    pub fn step(&self) -> usize {
        if is_long() { 1 } else { self.stride }
    }

    /// The contents of all files, also of those in a trash, each as often as it is there, with times, mode and
    /// tags. The archive's own lists are no one's content, and a pack holds copies.
    pub fn contents(&self, world: &World) -> Vec<String> {
        let mut files: Vec<(String, String)> = world.picture().into_iter().collect();
        for trash in trashes(world) {
            if trash.exists() {
                files.extend(picture_of(&trash));
            }
        }
        files.extend(discarded_on_the_disk(world));
        let token = token(world);
        let is_content = |name: &str, what: &str| {
            !name.ends_with('/') && !is_of_the_archive(name) && what.contains(&token)
        };
        let what = |text: String| match self.tags {
            true => text.rsplit_once(' ').map(|(rest, _)| rest.to_owned()).unwrap_or(text),
            false => text,
        };
        let mut all: Vec<String> = files
            .into_iter()
            .filter(|(name, text)| is_content(name, text))
            .map(|(_, text)| what(text))
            .collect();
        all.sort();
        if self.words.first() == Some(&"retrieve") {
            // What is taken out of a pack is there once more; the packed folder is in the trash.
            all.dedup();
        }
        all
    }

    /// The least that must hold: of each content there is as much as before, or more.
    pub fn keeps_all(&self, world: &World, before: &Before, case: &str) {
        world.nine(&["history"]).ends(0);
        let mut left = self.contents(world);
        for content in &before.contents {
            let at = left.iter().position(|other| other == content);
            let at = at.unwrap_or_else(|| panic!("{}, {case}: {content} is gone", self.name));
            left.remove(at);
        }
    }

    /// What must hold after a disturbed run: the next command recovers, nothing is lost or there twice, no half
    /// of anything is left, a second look finds nothing, what is archived is as its lists say, and all of it can be
    /// taken back.
    pub fn holds(&self, world: &World, before: &Before, case: &str) {
        self.holds_but(world, before, case, false);
    }

    /// The same; `may_be_empty`: an empty folder on a shelf could not be taken away, and may stay.
    pub fn holds_but(&self, world: &World, before: &Before, case: &str, may_be_empty: bool) {
        let case = format!("{}, {case}", self.name);
        let recovered = world.nine(&["history"]);
        assert_eq!(recovered.status, 0, "{case}: {}", recovered.err);
        assert!(!recovered.err.contains("neither"), "{case}: {}", recovered.err);
        assert_eq!(self.contents(world), before.contents, "{case}: {}", recovered.err);
        no_leftovers(world, &case);
        let again = world.nine(&["history"]);
        assert_eq!(again.err, "", "{case}: a second look finds something");
        let verified = world.nine(&["archive", "verify"]);
        assert_eq!(verified.status, 0, "{case}: {}{}\n{}", verified.out, verified.err, recovered.err);
        let mut undone = Vec::new();
        loop {
            let ran: Ran = world.nine(&["undo", "--yes"]);
            if ran.status != 0 {
                assert!(ran.err.contains("no run to take back"), "{case}: {}{}", ran.out, ran.err);
                break;
            }
            undone.push(ran.out);
            assert!(undone.len() < 10, "{case}: undo comes to no end: {undone:#?}");
        }
        let after = world.picture();
        let folds_up = |picture: &BTreeMap<String, String>| {
            let mut picture = picture.clone();
            picture.retain(|name, _| !(may_be_empty && name.starts_with("Shelves") && name.ends_with('/')));
            picture
        };
        let is_as = |wanted| folds_up(&after) == folds_up(wanted);
        assert!(
            is_as(&before.picture) || is_as(&before.original),
            "{case}: {}\n{undone:#?}\n{after:#?}\n{:#?}",
            recovered.err,
            before.original
        );
    }
}

/// A world before the command that is disturbed.
pub struct Before {
    pub original: BTreeMap<String, String>,
    pub picture: BTreeMap<String, String>,
    pub contents: Vec<String>,
}

/// Makes the scene's world.
pub fn set(scene: &Scene) -> (World, Before) {
    set_in((scene.make)(), scene)
}

/// The same in a world that is there.
pub fn set_in(world: World, scene: &Scene) -> (World, Before) {
    (scene.fill)(&world);
    let original = world.picture();
    (scene.ready)(&world);
    let (picture, contents) = (world.picture(), scene.contents(&world));
    (world, Before { original, picture, contents })
}

fn trashes(world: &World) -> [PathBuf; 2] {
    [world.trash().join("files"), world.at(".local/share/Trash/files")]
}

/// What lies in the trash of the disk that the bookcase is on.
fn discarded_on_the_disk(world: &World) -> BTreeMap<String, String> {
    let kept = world.disks.iter().flat_map(Disk::discarded);
    kept.flat_map(|(kept, _)| picture_at(&kept)).collect()
}

fn is_of_the_archive(name: &str) -> bool {
    ["SHA256SUMS", "contents.csv", ".zip", ".tar.zst"].iter().any(|end| name.ends_with(end))
}

fn no_leftovers(world: &World, case: &str) {
    let left: Vec<String> = world.picture().into_keys().filter(|name| name.contains(".nine-")).collect();
    assert!(left.is_empty(), "{case}: {left:?}");
}
