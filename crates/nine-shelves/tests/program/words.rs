//! Words inside files, from the command line down to the index.

use std::fs;

use super::support::World;

fn world(text: bool) -> World {
    let world = World::new();
    world.rules("");
    let config = fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    world.config(&config.replace("births", &format!("text = {text}\nbirths")));
    world
        .file("letter.txt", "Dear Ms Pellow, the sextant is back.")
        .file("page.html", "<p>A <b>sext</b>ant, brass</p>")
        .file("old/list.csv", "no;object\n1;half model\n")
        .file("broken.pdf", "%PDF-1.7 nothing that makes sense");
    // What changed just before it is looked at is looked at once more.
    std::thread::sleep(std::time::Duration::from_millis(2_100));
    world
}

#[test]
fn a_place_that_asks_for_it_is_read_once() {
    let world = world(true);
    let ran = world.nine(&["search", "text", "has", "sextant"]).ends(0);
    ran.says("letter.txt").says("page.html").says("2 files").warns("broken.pdf").warns("the PDF is damaged");
    let again = world.nine(&["search", "text", "has", "sextant"]).ends(0).says("2 files");
    assert!(!again.err.contains("broken.pdf"), "it is not read again: {}", again.err);
    world.nine(&["search", "text", "has", "half model", "--known"]).ends(0).says("list.csv");
    world.nine(&["why", "Downloads/broken.pdf"]).ends(0).says("0 words").says("the PDF is damaged");
    world.nine(&["why", "Downloads/letter.txt", "--format", "json"]).ends(0).says("\"words\":7");
}

#[test]
fn elsewhere_words_are_read_when_asked_for() {
    let world = world(false);
    world.nine(&["search", "text", "has", "sextant"]).ends(2).warns("add --text");
    world.nine(&["search", "text", "has", "sextant", "--text"]).ends(0).says("2 files");
    fs::write(world.at("Downloads/new.txt"), "one more sextant").unwrap();
    let ran = world.nine(&["search", "text", "has", "sextant"]).ends(0).says("2 files");
    ran.says("the words of 1 file was never read");
    world.nine(&["search", "text", "has", "sextant", "--text"]).ends(0).says("3 files");
    fs::write(world.at("Downloads/letter.txt"), "Dear Ms Pellow, the compass is back").unwrap();
    world.nine(&["search", "text", "has", "sextant", "--text"]).ends(0).says("2 files");
    world.nine(&["search", "text", "has", "compass", "--text"]).ends(0).says("letter.txt");
}

#[test]
fn rules_may_ask_for_words() {
    let world = world(false);
    let config = fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    world
        .config(&format!("{config}\n[[rule]]\nname = \"loans\"\nwhen = \"text has sextant\"\nput = \"2\"\n"));
    world.nine(&["why", "Downloads/letter.txt"]).ends(0).says("applies");
    world.nine(&["tidy", "--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("2 Loans/letter.txt").exists());
    assert!(world.at("Downloads/broken.pdf").exists());
}

#[test]
fn a_hostile_file_ends_its_reader_and_nothing_else() {
    let world = world(true);
    world.file("endless.txt", "sextant").file("fatal.txt", "sextant");
    let output = world
        .command(&["search", "text", "has", "sextant"])
        .env("NINE_READER_MISBEHAVES", "1")
        .env("NINE_READER_PATIENCE_MS", "300")
        .output()
        .unwrap();
    let (out, err) = (String::from_utf8(output.stdout).unwrap(), String::from_utf8(output.stderr).unwrap());
    assert!(output.status.success() && out.contains("2 files"), "{out}{err}");
    assert!(err.contains("downloads/endless.txt given up after"), "{err}");
    assert!(err.contains("downloads/fatal.txt given up: reading it took too much memory or ended"), "{err}");
}

/// The reader keeps its pipes alone: whatever a file makes it do, it opens, makes, runs and reaches nothing.
#[test]
fn a_hostile_file_reaches_nothing() {
    let world = world(true);
    world.file("curious.txt", "sextant");
    for (word, found) in [("reached", 1), ("file", 0), ("folder", 0), ("stream", 0), ("program", 0)] {
        let mut command = world.command(&["search", "name", "is", "curious.txt", "and", "text", "has", word]);
        let output = command.env("NINE_READER_MISBEHAVES", "1").output().unwrap();
        let out = String::from_utf8(output.stdout).unwrap();
        assert!(out.contains(&format!("{found} file")), "{word}: {out}");
    }
}

#[test]
fn a_pdf_that_goes_in_circles_does_no_harm() {
    let world = world(true);
    // A tree of pages that holds itself, and a stream that claims to be enormous.
    let pdf = "%PDF-1.5\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n\
        2 0 obj<</Type/Pages/Kids[2 0 R]/Count 99999999>>endobj\n\
        3 0 obj<</Length 99999999999>>stream\nx\nendstream endobj\nxref\n0 4\n0000000000 65535 f \n\
        0000000009 00000 n \n0000000054 00000 n \n0000000118 00000 n \n\
        trailer<</Root 1 0 R/Size 4>>\nstartxref\n180\n%%EOF\n";
    world.file("circle.pdf", pdf);
    let ran = world.nine(&["search", "text", "has", "sextant"]).ends(0).says("2 files");
    assert!(!ran.err.contains("panicked"), "{}", ran.err);
}
