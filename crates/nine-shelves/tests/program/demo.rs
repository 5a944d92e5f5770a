//! The sample world and the walk through it.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use super::support::{Ran, World, picture_of};

fn made(folder: &str) -> (World, std::path::PathBuf) {
    let world = World::new();
    let root = world.at(folder);
    world.nine(&["demo", root.to_str().unwrap(), "--only-make"]).ends(0).says("NINE_HOME=");
    (world, root)
}

fn in_sample(world: &World, root: &Path, words: &[&str]) -> Ran {
    world.nine(&[&["--home", root.join("nine").to_str().unwrap()], words].concat())
}

#[test]
fn the_world_is_the_same_each_time() {
    let (_a, first) = made("one");
    let (_b, second) = made("one");
    let (mut a, mut b) = (picture_of(&first), picture_of(&second));
    // These are dated by the clock.
    for file in ["papers-answers.csv", "nine/reports/figures.jsonl"] {
        assert_eq!(fs::read(first.join(file)).unwrap(), fs::read(second.join(file)).unwrap());
    }
    for picture in [&mut a, &mut b] {
        picture.remove("/nine/shelves.toml");
        picture.remove("/papers-answers.csv");
        picture.remove("/nine/reports/figures.jsonl");
    }
    assert!(a.len() > 150, "{}", a.len());
    assert_eq!(a, b);
}

#[test]
fn the_walk_ends_where_it_began() {
    let (_world, fresh) = made("fresh");
    let world = World::new();
    let root = world.at("walked");
    world
        .nine(&["demo", root.to_str().unwrap(), "--all"])
        .ends(0)
        .says("$ nine tidy")
        .says("2 Loans/2031")
        .says("its content: web page, whatever .pdf promises")
        .says("What is odd")
        .says("4 files")
        .says("taken back by run 4")
        .says("taken back by run 5")
        .warns("160 lines written to papers.csv")
        .says("taken back by run 7")
        .says("New folder: 6 Office/Mail/2031")
        .says("$ nine copies 'Phone import' documents")
        .says("Open day/  2 folders with the same 9 files")
        .says("7 files (")
        .says("25 discarded")
        .says("taken back by run 9")
        .says("6 Office/Tides 2031  2 files, and 1 Exhibitions/Tides 2031")
        .says("1 moved, 1 discarded")
        .says("every byte is as its checksum says")
        .says("9 Archive/2031-04-07/downloads")
        .says("loose items into desktop/2031-04-07")
        .says("Go on by hand");
    for folder in ["Desktop", "Downloads", "Papers", "Documents", "Phone import"] {
        assert_eq!(picture_of(&root.join(folder)), picture_of(&fresh.join(folder)), "{folder}");
    }
    assert!(
        !world.at(".local").exists() && !world.at("nine/daybook").exists(),
        "nothing of the person's own is touched"
    );
}

#[test]
fn the_short_walk_goes_from_nothing_to_shelves_and_back() {
    let (_world, fresh) = made("fresh");
    let world = World::new();
    let root = world.at("walked");
    let walked = world.nine(&["demo", root.to_str().unwrap()]).ends(0);
    let short = walked.out.split("There is more").next().unwrap();
    assert!(short.lines().count() <= 130, "two screens: {}", short.lines().count());
    for told in ["Next: nine setup", "takes it back", "$ nine rule try", "+ put = ", "Takes back run 2"] {
        assert!(walked.out.contains(told), "{told}: {}", walked.out);
    }
    assert!(root.join("Shelves/1 🔨 In hand").is_dir());
    for folder in ["Desktop", "Downloads"] {
        assert_eq!(picture_of(&root.join(folder)), picture_of(&fresh.join(folder)), "{folder}");
    }
    assert!(!world.at(".local").exists(), "nothing of the person's own is touched");
}

#[test]
fn each_chapter_stands_by_itself() {
    for chapter in ["look", "rules", "names", "copies", "shelves", "archive", "routine", "examples", "drive"]
    {
        let world = World::new();
        let root = world.at("walked");
        world.nine(&["demo", root.to_str().unwrap(), "--chapter", chapter]).ends(0).says("Go on by hand");
    }
    World::new().nine(&["demo", "--chapter", "nothing"]).ends(2).warns("possible values");
}

#[test]
fn what_belongs_together_stays_together() {
    let (world, root) = made("tq");
    in_sample(&world, &root, &["tidy", "--yes"]).ends(0).says("discarded");
    for path in [
        "Desktop/boxes to return/box 1.jpg",
        "Desktop/website copy/quay.jpg",
        "Downloads/Tide Clock.app/Contents/clock.png",
        "Downloads/.hidden settings",
        "Downloads/film of the launch.mp4.part",
        "Downloads/arriving now.pdf",
        "Downloads/statement.pdf",
        "Downloads/Tide tables 2031_files/page.css",
        "Documents/5 Pictures/2031/03/IMG_2041.JPG",
        "Documents/5 Pictures/2031/03/IMG_2041.xmp",
        "Documents/3 Funding/2031/Grant application draft 4.docx",
    ] {
        assert!(root.join(path).exists(), "{path}");
    }
}

#[test]
fn a_folder_with_something_in_it_is_left_alone() {
    let world = World::new();
    world.nine(&["demo", world.dir.path().to_str().unwrap()]).ends(2).warns("is not empty");
}

/// Whether a program accepts a file, where that program is installed.
fn accepted(program: &str, words: &[&str], file: &Path) -> Option<bool> {
    let run =
        Command::new(program).args(words).arg(file).stdout(Stdio::null()).stderr(Stdio::null()).status();
    run.ok().map(|status| status.success())
}

#[test]
fn the_files_are_what_they_say() {
    let (world, root) = made("tq");
    let signature = |path: &str, start: &[u8]| {
        let bytes = fs::read(root.join(path)).unwrap();
        assert!(bytes.starts_with(start), "{path}");
    };
    signature("Desktop/Tides floor plan.png", b"\x89PNG\r\n\x1a\n");
    signature("Downloads/IMG_2041.JPG", b"\xff\xd8\xff");
    signature("Downloads/invoice 2031-0117.pdf", b"%PDF-");
    signature("Downloads/harbour sounds.wav", b"RIFF");
    for (path, kind) in [
        ("Downloads/Grant application draft 4.docx", "the content is"),
        ("Desktop/labels room 2.xlsx", "the content is"),
        ("Desktop/talk for the sailing club.pptx", "the content is"),
        ("Desktop/volunteer rota.odt", "the content is OpenDocument text"),
        ("Downloads/boat models handbook.epub", "the content is EPUB"),
        ("Downloads/label-printer-setup.exe", "the content is Windows program"),
        ("Downloads/photo", "by its content: JPEG"),
    ] {
        world.nine(&["why", root.join(path).to_str().unwrap()]).ends(0).says(kind);
    }
    for path in ["Desktop/labels room 2.xlsx", "Desktop/volunteer rota.odt", "Downloads/texts tides.zip"] {
        assert_ne!(accepted("unzip", &["-t"], &root.join(path)), Some(false), "{path}");
    }
}
