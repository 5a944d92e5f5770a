//! The survey.

use std::fs;
use std::os::unix::fs::symlink;

use super::support::World;

fn world() -> World {
    let world = World::new();
    world.rules("");
    world
        .file("statement.pdf", "<!DOCTYPE html><title>Session expired</title>")
        .file("Untitled.txt", "x")
        .file("empty.txt", "")
        .file("film.mp4.part", "12345")
        .file("what?.txt", "x")
        .file("a/notes/one.txt", "x")
        .file("b/Notes/two.txt", "x")
        .file("page.url", "[InternetShortcut]\n");
    fs::create_dir(world.at("Downloads/nothing")).unwrap();
    symlink("gone", world.at("Downloads/lost")).unwrap();
    world
}

#[test]
fn figures_and_oddities_with_their_commands() {
    let world = world();
    let ran = world.nine(&["survey"]).ends(0);
    let ran = ran.says("downloads  9 files").says("The largest").says("What is odd");
    for line in [
        "1  without a real name",
        "1  empty files",
        "1  empty folders",
        "1  partial downloads",
        "1  not what their extension says",
        "2  folders that share a name",
        "1  links that lead nowhere",
        "1  names that other systems refuse",
    ] {
        assert!(ran.out.contains(line), "`{line}` is not in\n{}", ran.out);
    }
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100), "{}", ran.out);
    // Each command that is named shows as many as were counted.
    let commands: Vec<(String, String)> = ran
        .out
        .lines()
        .filter_map(|line| line.split_once("nine survey --odd "))
        .map(|(count, word)| (count.split_whitespace().next().unwrap().to_owned(), word.to_owned()))
        .collect();
    assert_eq!(commands.len(), 9);
    for (count, word) in commands {
        let listed = world.nine(&["survey", "--odd", &word, "--format", "paths"]).ends(0).out;
        assert_eq!(listed.lines().count().to_string(), count, "{word}: {listed}");
    }
    world.nine(&["survey", "--odd", "same-names"]).ends(2).warns("did you mean `same-name`?");
}

#[test]
fn programs_get_every_figure() {
    let world = world();
    let json = world.nine(&["survey", "--format", "json"]).ends(0).out;
    let place: serde_json::Value = serde_json::from_str(json.trim()).unwrap();
    assert_eq!((&place["place"], &place["files"]), (&"downloads".into(), &9.into()));
    assert_eq!(place["odd"]["mislabelled"], 1);
    let count = |figure: &str| -> u64 {
        place[figure].as_array().unwrap().iter().map(|part| part["files"].as_u64().unwrap()).sum()
    };
    assert_eq!([count("types"), count("ages"), count("sizes")], [9, 9, 9]);
    let csv = world.nine(&["survey", "downloads", "--format", "csv"]).ends(0).out;
    assert!(csv.starts_with("place,figure,name,count,bytes\ndownloads,all,files,9,"), "{csv}");
    world.nine(&["survey", "Downloads/a"]).ends(0).says("downloads/a  1 file, 1 B");
    world.nine(&["survey", "--format", "paths"]).ends(2).warns("--odd");
}

#[test]
fn a_place_inside_another_is_told_once_and_is_not_empty() {
    let world = World::new();
    let pile = |name: &str, at: &str| format!("[pile.{name}]\nat = \"{}\"\n", world.at(at).display());
    world.config(&(pile("all", "Downloads") + &pile("inner", "Downloads/inner")));
    world.file("a.txt", "1").file("inner/b.txt", "22");
    let ran = world.nine(&["survey"]).ends(0).says("all  1 file, 1 B, 1 folder").says("inner  1 file, 2 B");
    assert!(!ran.out.contains("empty folders"), "{}", ran.out);
    world.nine(&["search"]).ends(0).says("2 files, 3 B");
    world.nine(&["search", "--empty-folders"]).ends(0).says("0 files");
    world.nine(&["search", "--empty-folders", "--known"]).ends(0).says("0 files");
}
