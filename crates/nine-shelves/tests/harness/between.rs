//! The world changes between the look and the act: while the person is asked.

use std::fs;
use std::os::unix::fs::symlink;

use super::support::{World, on_a_terminal_once};

const RULES: &str = "[[rule]]\nname = \"all\"\nreach = \"deep\"\nwhen = \"file and name has note\"\nput = \"2/Notes\"\nclash = \"replace\"\n";

/// What somebody does meanwhile, what the program says then, and what must hold.
struct Case {
    name: &'static str,
    meanwhile: fn(&World),
    said: &'static str,
    holds: fn(&World),
}

fn read(world: &World, path: &str) -> String {
    fs::read_to_string(world.dir.path().join(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
}

const CASES: [Case; 8] = [
    Case {
        name: "the target is made",
        meanwhile: |world| {
            fs::create_dir_all(world.at("Shelves/2 Loans/Notes")).unwrap();
            fs::write(world.at("Shelves/2 Loans/Notes/note.txt"), "somebody else's").unwrap();
        },
        said: "the name is taken",
        holds: |world| {
            assert_eq!(read(world, "Shelves/2 Loans/Notes/note.txt"), "somebody else's");
            assert_eq!(read(world, "Downloads/deep/note.txt"), "a note");
        },
    },
    Case {
        name: "the target's folder is made a file",
        meanwhile: |world| fs::write(world.at("Shelves/2 Loans"), "a file").unwrap(),
        said: "a file stands where a folder must be",
        holds: |world| assert_eq!(read(world, "Downloads/deep/note.txt"), "a note"),
    },
    Case {
        name: "the target's folder is made a link out of the bookcase",
        meanwhile: |world| symlink(world.at("outside"), world.at("Shelves/2 Loans")).unwrap(),
        said: "a link stands",
        holds: |world| {
            assert_eq!(read(world, "Downloads/deep/note.txt"), "a note");
            assert_eq!(fs::read_dir(world.at("outside")).unwrap().count(), 1, "nothing came there");
        },
    },
    Case {
        name: "the source is changed",
        meanwhile: |world| fs::write(world.at("Downloads/deep/note.txt"), "a longer note").unwrap(),
        said: "it has changed",
        holds: |world| assert_eq!(read(world, "Downloads/deep/note.txt"), "a longer note"),
    },
    Case {
        name: "the source is replaced by another of the same size and time",
        meanwhile: |world| {
            world.old_file(&world.at("Downloads/other"), "b note");
            fs::rename(world.at("Downloads/other"), world.at("Downloads/deep/note.txt")).unwrap();
        },
        said: "it has changed",
        holds: |world| assert_eq!(read(world, "Downloads/deep/note.txt"), "b note"),
    },
    Case {
        name: "the source is taken away",
        meanwhile: |world| {
            fs::rename(world.at("Downloads/deep/note.txt"), world.at("outside/moved")).unwrap()
        },
        said: "it is not there any more",
        holds: |world| assert_eq!(read(world, "outside/moved"), "a note"),
    },
    Case {
        name: "the source's folder is made a link out of the pile",
        meanwhile: |world| {
            fs::rename(world.at("Downloads/deep"), world.at("Downloads/was deep")).unwrap();
            symlink(world.at("outside"), world.at("Downloads/deep")).unwrap();
        },
        said: "links are not followed",
        holds: |world| {
            assert_eq!(read(world, "outside/note.txt"), "not the person's");
            assert_eq!(read(world, "Downloads/was deep/note.txt"), "a note");
        },
    },
    Case {
        name: "the source is made a folder",
        meanwhile: |world| {
            fs::rename(world.at("Downloads/deep/note.txt"), world.at("outside/moved")).unwrap();
            fs::create_dir(world.at("Downloads/deep/note.txt")).unwrap();
        },
        said: "it has changed",
        holds: |world| assert_eq!(read(world, "outside/moved"), "a note"),
    },
];

#[test]
fn what_changed_while_the_person_was_asked_is_left() {
    for case in CASES {
        let world = World::new();
        world.rules(RULES).file("deep/note.txt", "a note");
        world.old_file(&world.at("outside/note.txt"), "not the person's");
        let (status, shown) =
            on_a_terminal_once(&world, &["tidy"], "Carry out", || (case.meanwhile)(&world), "y\n");
        assert_eq!(status, 1, "{}: {shown}", case.name);
        assert!(shown.contains(case.said), "{}: {shown}", case.name);
        (case.holds)(&world);
        assert_eq!(world.nine(&["history"]).ends(0).err, "", "{}", case.name);
    }
    eprintln!("between look and act: {} cases", CASES.len());
}
