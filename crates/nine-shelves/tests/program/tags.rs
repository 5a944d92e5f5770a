//! Tags: given, taken, renamed and found, always through the daybook.

use std::fs;
use std::io::Write;
use std::process::Stdio;

use rustix::fs::XattrFlags;

use super::support::{World, tags_of};

fn world() -> World {
    let world = World::new();
    world.rules("").file("a.txt", "1").file("b.txt", "2").file("box/c.txt", "3").file("box/d.pdf", "4");
    world
}

fn set(world: &World, path: &str, tags: &str) {
    let at = world.at("Downloads").join(path);
    rustix::fs::setxattr(at, "user.xdg.tags", tags.as_bytes(), XattrFlags::empty()).unwrap();
}

fn tags(world: &World, path: &str) -> String {
    tags_of(&world.at("Downloads").join(path))
}

#[test]
fn tags_are_given_and_taken_and_the_run_is_taken_back() {
    let world = world();
    set(&world, "b.txt", "keep");
    let before = world.picture();
    world
        .nine(&["tag", "add", "todo,loans/2031", "Downloads/a.txt", "downloads/b.txt"])
        .ends(0)
        .warns("--yes");
    assert_eq!(world.picture(), before, "nothing changes without a yes");
    world
        .nine(&["tag", "add", "todo,loans/2031", "Downloads/a.txt", "downloads/b.txt", "--yes"])
        .ends(0)
        .says("2 tagged");
    assert_eq!(tags(&world, "a.txt"), "todo,loans/2031");
    assert_eq!(tags(&world, "b.txt"), "keep,todo,loans/2031");
    world.nine(&["tag", "drop", "loans/*", "--where", "tag", "any", "--yes"]).ends(0).says("2 tagged");
    assert_eq!(tags(&world, "b.txt"), "keep,todo");
    world
        .nine(&["tag", "add", "Todo", "Downloads/a.txt", "--yes"])
        .ends(0)
        .says("1 has the right tags already");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn other_programs_attributes_are_seen_and_stay() {
    let world = world();
    let at = world.at("Downloads/a.txt");
    rustix::fs::setxattr(&at, "user.other", b"theirs", XattrFlags::empty()).unwrap();
    set(&world, "a.txt", "work, important");
    world.nine(&["search", "tag", "important"]).ends(0).says("a.txt").says("1 file");
    world.nine(&["tag", "drop", "work", "Downloads/a.txt", "--yes"]).ends(0);
    assert_eq!(tags(&world, "a.txt"), "important");
    let mut value = [0; 16];
    let length = rustix::fs::getxattr(&at, "user.other", &mut value[..]).unwrap();
    assert_eq!(&value[..length], b"theirs");
    // The catalogue knows of a tag that another program gave since.
    set(&world, "b.txt", "important");
    world.nine(&["search", "tag", "important"]).ends(0).says("2 files");
}

#[test]
fn a_tag_is_renamed_everywhere_and_two_are_merged() {
    let world = world();
    set(&world, "a.txt", "client/Harrow,keep");
    set(&world, "box/c.txt", "Client");
    set(&world, "b.txt", "customer");
    world
        .nine(&["tag", "rename", "client", "customer", "--yes"])
        .ends(2)
        .warns("nine tag merge client customer");
    world.nine(&["tag", "rename", "client", "lender", "--yes"]).ends(0).says("2 tagged");
    assert_eq!(
        (tags(&world, "a.txt"), tags(&world, "box/c.txt")),
        ("lender/Harrow,keep".into(), "lender".into())
    );
    world.nine(&["tag", "merge", "customer", "lender", "--yes"]).ends(0).says("1 tagged");
    world.nine(&["tag", "rename", "nosuch", "x", "--yes"]).ends(2).warns("no item has the tag");
    let list = world.nine(&["tag"]).ends(0).says("3 tags on 3 items").out;
    let first: Vec<&str> =
        list.lines().map(|line| line.split("  ").find(|w| !w.is_empty()).unwrap_or("")).collect();
    assert_eq!(first[..3], ["keep", "lender", "lender/Harrow"]);
    let csv = world.nine(&["tag", "list", "--format", "csv"]).ends(0).out;
    assert_eq!(csv, "tag,items,bytes\nkeep,1,1\nlender,2,2\nlender/Harrow,1,1\n");
}

#[test]
fn a_folders_tag_is_its_own_unless_asked_to_reach_inside() {
    let world = world();
    world.nine(&["tag", "add", "later", "Downloads/box", "--yes"]).ends(0);
    world.nine(&["search", "tag", "later"]).ends(0).says("0 files");
    world.nine(&["search", "tag", "later", "--folders"]).ends(0).says("box/");
    world.nine(&["search", "tag", "later", "--inside"]).ends(0).says("2 files, 2 B");
    world.nine(&["search", "tag", "none", "--inside"]).ends(0).says("2 files, 2 B").says("a.txt");
}

#[test]
fn a_selection_comes_by_paths_conditions_or_standard_input() {
    let world = world();
    world.nine(&["tag", "add", "x", "--saved", "untouched", "--yes"]).ends(0).says("4 tagged");
    world.nine(&["tag", "add", "x"]).ends(2).warns("nothing is selected");
    world.nine(&["tag", "add", "x", "nowhere.txt"]).ends(2).warns("there is nothing at nowhere.txt");
    world.nine(&["tag", "add", " , ", "Downloads/a.txt"]).ends(2).warns("a tag cannot be empty");
    let mut tag = world
        .command(&["tag", "add", "y", "-0", "-", "--yes"])
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    tag.stdin.take().unwrap().write_all(b"Downloads/a.txt\0downloads/box/c.txt\0").unwrap();
    assert!(tag.wait().unwrap().success());
    assert_eq!((tags(&world, "a.txt"), tags(&world, "box/c.txt")), ("x,y".into(), "x,y".into()));
    // Also what lies in no place of the configuration, and undone there.
    world.old_file(&world.at("elsewhere/e.txt"), "5");
    world.nine(&["tag", "add", "z", "elsewhere/e.txt", "--yes"]).ends(0).says("1 tagged");
    assert_eq!(tags_of(&world.at("elsewhere/e.txt")), "z");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(tags_of(&world.at("elsewhere/e.txt")), "");
}

#[test]
fn marks_and_nested_tags_are_shown_and_a_mistake_is_pointed_at() {
    let world = world();
    world.rules("[tag.lender]\nmark = \"⚓\"\ncolor = \"blue\"\n");
    set(&world, "a.txt", "lender/Harrow");
    world.nine(&["tag"]).ends(0).says("⚓ lender/Harrow");
    world.nine(&["search", "tag", "any", "--columns", "name,tags"]).ends(0).says("a.txt  ⚓ lender/Harrow");
    world.nine(&["why", "Downloads/a.txt"]).ends(0).says("⚓ lender/Harrow");
    world.rules("[tag.lender]\ncolor = \"blu\"\n");
    world.nine(&["tag"]).ends(2).warns("did you mean `blue`?");
    fs::remove_file(world.at("nine/shelves.toml")).unwrap();
    world.nine(&["tag"]).ends(0).says("1 tag on 1 item");
}

/// Tags stand in the order of the person's language.
#[test]
fn tags_stand_as_people_expect_them() {
    let world = World::new();
    world.rules("").file("a.txt", "a");
    let add = ["tag", "add", "zoo,\u{e4}rger,apfel,img10,img2,\u{f6}l", "Downloads/a.txt", "--yes"];
    world.nine(&add).ends(0);
    let listed = |locale: &str| {
        let output =
            world.command(&["tag", "list", "--format", "csv"]).env("LC_ALL", locale).output().unwrap();
        let lines = String::from_utf8(output.stdout).unwrap();
        lines
            .lines()
            .skip(1)
            .map(|line| line.split(',').next().unwrap().to_owned())
            .collect::<Vec<_>>()
            .join(" ")
    };
    assert_eq!(listed("C.UTF-8"), "apfel \u{e4}rger img2 img10 \u{f6}l zoo");
    assert_eq!(listed("de_DE.UTF-8"), "apfel \u{e4}rger img2 img10 \u{f6}l zoo");
    assert_eq!(listed("sv_SE.UTF-8"), "apfel img2 img10 zoo \u{e4}rger \u{f6}l");
}

/// So do folders and files, folder by folder.
#[test]
fn folders_stand_as_people_expect_them() {
    let world = World::new();
    world.rules("");
    for path in
        ["zoo/a.txt", "\u{c4}rger/b.txt", "\u{c4}rger/a.txt", "apfel/z.txt", "apfel/\u{e4}.txt", "bahn.txt"]
    {
        world.file(path, "x");
    }
    let found = |words: &[&str]| {
        let listed =
            world.nine(&[&["search", "--in", "downloads", "--format", "paths"], words].concat()).ends(0).out;
        let names = listed.lines().map(|line| line.split_once("Downloads/").unwrap().1.to_owned());
        names.collect::<Vec<_>>().join(" ")
    };
    let wanted = "apfel/\u{e4}.txt apfel/z.txt \u{c4}rger/a.txt \u{c4}rger/b.txt bahn.txt zoo/a.txt";
    assert_eq!(found(&[]), wanted);
    assert_eq!(found(&["--known"]), wanted);
    assert_eq!(found(&["--sort", "size"]), wanted, "among equals");
}
