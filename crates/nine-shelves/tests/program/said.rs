//! What items say of themselves, as conditions, rules, lists and `why` ask it.

use std::fs;

use nine_demo::exif::{CameraNote, with_note};
use nine_demo::photos::{jpeg, scene};

use crate::support::World;

const MAIL: &str = "From: Ada Quay <ada@tern-quay.example>\r\nTo: b@x.example\r\nSubject: Tides of March\r\n\
    Date: Mon, 17 Mar 2031 07:00:00 +0000\r\n\r\nThe tables are in.\r\n";

/// A photo that was taken in July 2029, whatever the date of its file.
fn photo(world: &World, name: &str, model: &str) {
    let taken = jiff::civil::date(2029, 7, 31).at(23, 30, 0, 0);
    let note = CameraNote { camera: ("Petrel", model), taken, zone: None };
    let bytes = with_note(&jpeg(&scene(7, 16, 12), 80).unwrap(), &note);
    world.file(name, "");
    let at = world.at("Downloads").join(name);
    fs::write(&at, bytes).unwrap();
    let then = std::time::UNIX_EPOCH + std::time::Duration::from_secs(1_900_000_000);
    fs::File::options().write(true).open(at).unwrap().set_modified(then).unwrap();
}

#[test]
fn photos_are_filed_by_the_date_that_the_camera_noted() {
    let world = World::new();
    world.rules(
        "[[rule]]\nname = \"photos\"\nwhen = \"taken before today\"\nput = \"1/{taken:year}/{taken:%m}\"\n\
         [[rule]]\nname = \"mail\"\nwhen = \"sender has tern-quay and sent since 2031\"\nrename = \"{sent} {subject}{ext}\"\nput = \"2\"\n",
    );
    photo(&world, "IMG_1.jpg", "Compact 3");
    world.file("a.eml", MAIL).file("plain.txt", "no words of itself");
    world.nine(&["tidy", "--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("1 Boats/2029/07/IMG_1.jpg").exists());
    assert!(world.shelves.join("2 Loans/2031-03-17 Tides of March.eml").exists());
}

#[test]
fn searches_ask_what_items_say_of_themselves() {
    let world = World::new();
    world.rules("");
    photo(&world, "in/IMG_1.jpg", "Compact 3");
    photo(&world, "in/IMG_2.jpg", "Compact 4");
    world.file("a.eml", MAIL).file("b.zip", "not one");
    rustix::fs::setxattr(
        world.at("Downloads").join("b.zip"),
        "user.xdg.origin.url",
        b"https://files.tern-quay.example/b.zip",
        rustix::fs::XattrFlags::empty(),
    )
    .unwrap();
    let found = |condition: &[&str]| -> String {
        let out = world.nine(&[&["search", "--format", "paths"], condition].concat()).ends(0).out;
        out.lines().map(|line| line.rsplit('/').next().unwrap()).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(found(&["camera", "has", "compact", "and", "width", "is", "16"]), "IMG_1.jpg IMG_2.jpg");
    assert_eq!(found(&["camera", "ends", "4"]), "IMG_2.jpg");
    // Read once, it is known.
    assert_eq!(found(&["--known", "camera", "ends", "4"]), "IMG_2.jpg");
    world
        .nine(&["search", "--known", "ext", "jpg", "--columns", "name,camera"])
        .ends(0)
        .says("Petrel Compact 4");
    assert_eq!(found(&["taken", "on", "2029-07-31"]), "IMG_1.jpg IMG_2.jpg");
    assert_eq!(
        found(&["subject", "has", "tides", "and", "sent", "between", "2031-03", "and", "2031-04"]),
        "a.eml"
    );
    assert_eq!(found(&["origin", "has", "tern-quay"]), "b.zip");
    assert_eq!(found(&["not", "camera", "has", "compact", "and", "ext", "eml"]), "a.eml");
    world.nine(&["search", "--by", "camera", "--totals"]).ends(0).says("Petrel Compact 3").says("not known");
    world.nine(&["search", "--by", "taken:year", "--totals"]).ends(0).says("2029");
    world
        .nine(&["search", "ext", "jpg", "--columns", "name,taken,camera"])
        .ends(0)
        .says("2029-07-31 23:30  Petrel Compact 3");
    let why = world.nine(&["why", "downloads/in/IMG_1.jpg"]).ends(0);
    why.says("2029-07-31 23:30").says("which noted no time zone").says("Petrel Compact 3");
    let json = world.nine(&["why", "downloads/b.zip", "--format", "json"]).ends(0).out;
    let record: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(record["says"]["origin"], "https://files.tern-quay.example/b.zip");
}

#[test]
fn facets_may_take_the_date_of_a_mail() {
    let world = World::new();
    world.rules(
        "[facet.year]\nfrom = \"year\"\nor_else = \"sent\"\n[facet.who]\nvalues = [\"Ada Quay\"]\ntext = true\n\
         [[rule]]\nname = \"mail\"\nwhen = \"type mail\"\nput = \"1/{who|nobody}/{year}\"\n",
    );
    world.file("a.eml", MAIL);
    world.nine(&["search", "year", "is", "2031"]).ends(0).says("a.eml");
    world.nine(&["tidy"]).ends(0).says("1 Boats/Ada Quay/2031").says("is only the date on which it was sent");
}
