//! Pictures that look alike: how well the measure does, on scenes whose truth is known.

use std::collections::BTreeMap;
use std::fs;

use image::imageops::{FilterType, resize};
use image::{DynamicImage, RgbImage};
use nine_demo::photos::{jpeg, scene};

use super::support::World;

/// How many scenes there are.
const SCENES: u32 = 40;

fn png(picture: &RgbImage) -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    DynamicImage::from(picture.clone()).write_to(&mut out, image::ImageFormat::Png).unwrap();
    out.into_inner()
}

/// A scene as it is and as programs leave it: the name of what was done, with the file.
fn versions(number: u32) -> Vec<(&'static str, Vec<u8>)> {
    let picture = scene(number, 240, 180);
    let small = |width, height, filter| resize(&picture, width, height, filter);
    let brighter = image::imageops::brighten(&picture, 12);
    vec![
        ("original.jpg", jpeg(&picture, 90).unwrap()),
        ("half.jpg", jpeg(&small(120, 90, FilterType::Lanczos3), 80).unwrap()),
        ("tiny.jpg", jpeg(&small(64, 48, FilterType::Triangle), 70).unwrap()),
        ("pressed.jpg", jpeg(&picture, 25).unwrap()),
        ("again.png", png(&picture)),
        ("brighter.jpg", jpeg(&brighter, 85).unwrap()),
    ]
}

/// The groups that the program finds: the names of their files.
fn groups(world: &World) -> Vec<Vec<String>> {
    let out = world.nine(&["copies", "--similar", "--format", "json"]).ends(0).out;
    let mut groups: BTreeMap<u64, Vec<String>> = BTreeMap::new();
    for line in out.lines() {
        let record: serde_json::Value = serde_json::from_str(line).unwrap();
        let item = record["item"].as_str().unwrap().strip_prefix("downloads/").unwrap().to_owned();
        groups.entry(record["group"].as_u64().unwrap()).or_default().push(item);
    }
    groups.into_values().collect()
}

#[test]
fn versions_of_a_picture_are_found_and_others_kept_apart() {
    let world = World::new();
    world.rules("");
    let mut many = 0;
    for number in 0..SCENES {
        for (name, bytes) in versions(number) {
            fs::write(world.at(&format!("Downloads/{number} {name}")), bytes).unwrap();
            many += 1;
        }
    }
    let (mut together, mut strangers) = (0, 0);
    for group in groups(&world) {
        let mut scenes: BTreeMap<&str, usize> = BTreeMap::new();
        for name in &group {
            *scenes.entry(name.split(' ').next().unwrap()).or_default() += 1;
        }
        let most = scenes.values().max().unwrap();
        together += most;
        strangers += group.len() - most;
    }
    let recall = together as f64 / f64::from(many);
    let precision = together as f64 / (together + strangers) as f64;
    assert!(recall >= 0.98, "{recall}");
    assert!(precision >= 0.99, "{precision}");
}
