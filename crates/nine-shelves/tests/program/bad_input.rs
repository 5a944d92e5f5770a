//! Wrong words, wrong configurations, and places that are not what they should be.

use std::fs;
use std::os::unix::fs::symlink;

use super::support::World;

#[test]
fn configuration_errors_show_file_line_word_and_what_to_write() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"x\"\nwhen = \"type documnet\"\nputt = \"2\"\n");
    world
        .nine(&["check"])
        .ends(2)
        .warns("nine/shelves.toml:15:1: `putt` is not a key")
        .warns("putt = \"2\"\n     | ^^^^")
        .warns("did you mean `put`?");
    world.rules("[[rule]]\nname = \"x\"\nwhen = \"type documnet\"\nput = \"5\"\npiles = [\"desk\"]\n");
    world
        .nine(&["tidy", "--yes"])
        .ends(2)
        .warns("3 things to mend in the configuration")
        .warns("shelves.toml:14:14: `documnet` is not a type")
        .warns("when = \"type documnet\"\n     |              ^^^^^^^^")
        .warns("did you mean `document`?")
        .warns("the bookcase `home` has no shelf 5")
        .warns("there is no pile `desk`");
}

#[test]
fn a_configuration_that_is_not_text() {
    let world = World::new();
    fs::write(world.at("nine/shelves.toml"), b"# fine\n[pile.caf\xe9]\n").unwrap();
    world.nine(&["check"]).ends(2).warns("shelves.toml:2: this line is not UTF-8 text");
}

#[test]
fn without_a_configuration_the_usual_piles_stand_in() {
    let world = World::new();
    world.nine(&["check"]).ends(0).says("the usual piles stand in").says("downloads  pile");
    world.nine(&["tidy"]).ends(2).warns("so there are no rules");
    fs::create_dir_all(world.at(".config")).unwrap();
    fs::create_dir(world.at("Ablage")).unwrap();
    fs::write(world.at(".config/user-dirs.dirs"), "XDG_DESKTOP_DIR=\"$HOME/Ablage\"\n").unwrap();
    world.nine(&["check"]).ends(0).says("desktop").says("Ablage");
}

#[test]
fn places_that_are_missing_are_named_and_the_rest_goes_on() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"1\"\n").file("a.txt", "x");
    let text = fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    world.config(&format!("[pile.desktop]\nat = \"{}\"\n{text}", world.at("Desktop").display()));
    world.nine(&["check"]).ends(1).says("there is no such folder").warns("1 place cannot be used");
    world
        .nine(&["tidy", "--yes"])
        .ends(1)
        .warns("x the pile `desktop` at ~/Desktop: there is no such folder")
        .says("1 moved");
    fs::write(world.at("Desktop"), "a file").unwrap();
    world.nine(&["check"]).ends(1).says("this is a file, not a folder");
    fs::remove_dir_all(&world.shelves).unwrap();
    world
        .file("b.txt", "y")
        .nine(&["tidy", "--yes"])
        .ends(1)
        .says("Cannot be done")
        .says("cannot be reached");
    assert!(world.at("Downloads/b.txt").exists());
}

#[test]
fn places_inside_one_another_are_refused() {
    let world = World::new();
    fs::create_dir(world.at("Downloads/Shelves")).unwrap();
    let inside = |pile: &str, case: &str| {
        format!(
            "[pile.d]\nat = \"{}\"\n[bookcase.b]\nat = \"{}\"\nshelves = [\"A\"]\n",
            world.at(pile).display(),
            world.at(case).display()
        )
    };
    world
        .config(&inside("Downloads", "Downloads/Shelves"))
        .nine(&["check"])
        .ends(2)
        .warns("shelves.toml:4:6: the bookcase `b` lies inside the pile `d`");
    world
        .config(&inside("Downloads/Shelves", "Downloads"))
        .nine(&["check"])
        .ends(2)
        .warns("shelves.toml:2:6: the pile `d` lies inside the bookcase `b`");
    symlink(world.at("Downloads"), world.at("alias")).unwrap();
    world.config(&inside("alias", "Downloads/Shelves")).nine(&["check"]).ends(2).warns("lies inside");
}

#[test]
fn a_pile_that_is_its_own_bookcase_keeps_its_shelves() {
    let world = World::new();
    let drive = world.at("Downloads").display().to_string();
    world.config(&format!("[pile.d]\nat = \"{drive}\"\nbirths = \"ignore\"\n[bookcase.b]\nat = \"{drive}\"\nshelves = [\"A\", \"B\"]\n[[rule]]\nwhen = \"type note,folder\"\nreach = \"deep\"\nput = \"1\"\n"));
    world.file("a.txt", "x").file("2 B/kept.txt", "y").file("box/c.txt", "z");
    world.nine(&["tidy", "--yes"]).ends(0).says("2 moved");
    for path in ["1 A/a.txt", "1 A/box/c.txt", "2 B/kept.txt"] {
        assert!(world.at("Downloads").join(path).exists(), "{path}");
    }
}

#[test]
fn a_shelf_renamed_by_hand_is_found_by_its_number_and_two_of_one_number_are_a_doubt() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"2\"\n").file("a.txt", "x");
    fs::create_dir(world.shelves.join("2 Borrowed")).unwrap();
    world.nine(&["check"]).ends(0).says("found by its number: the folder is called `2 Borrowed`");
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(world.shelves.join("2 Borrowed/a.txt").exists());
    fs::create_dir(world.shelves.join("2 Lent")).unwrap();
    world.file("b.txt", "y");
    world.nine(&["check"]).ends(0).says("several folders have this number");
    world
        .nine(&["tidy", "--yes"])
        .ends(0)
        .says("Left for you to decide")
        .says("several folders have the number 2");
    assert!(world.at("Downloads/b.txt").exists());
}

#[test]
fn targets_that_cannot_be_are_refused_before_anything_is_done() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"name has long\"\nrename = \"{stem} {stem} {stem}\"\nput = \"1\"\n[[rule]]\nwhen = \"file\"\nput = \"2/{type}\"\n");
    world.old_file(&world.shelves.join("2 Loans"), "a file where the shelf should be");
    let long = format!("long {}.txt", "x".repeat(200));
    world.file(&long, "x").file("a.txt", "y");
    world
        .nine(&["tidy", "--yes"])
        .ends(1)
        .says("Cannot be done")
        .says("home/2 Loans is not a folder")
        .says("1 moved");
    let name = fs::read_dir(world.shelves.join("1 Boats"))
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
        .file_name()
        .into_string()
        .unwrap();
    assert!(name.len() <= 255 && name.ends_with(".txt"), "{name}");
    assert!(world.at("Downloads/a.txt").exists());
}

#[test]
fn broken_daybook_lines_are_named_and_passed_over() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"1\"\n").file("a.txt", "x");
    world.nine(&["tidy", "--yes"]).ends(0);
    let file = world.at("nine/daybook/000001.jsonl");
    let text = fs::read_to_string(&file).unwrap();
    let end = text.trim_end().rfind('\n').unwrap() + 1;
    fs::write(&file, format!("{}{{\"line\":\"done\",\"st\n\u{0}\u{1}\n{}", &text[..end], &text[end..]))
        .unwrap();
    world.nine(&["history"]).ends(0).says("1 moved").warns("lines 6, 7 of its daybook cannot be read");
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(world.at("Downloads/a.txt").exists());
}

#[test]
fn wrong_words() {
    let world = World::new();
    world.nine(&["tody"]).ends(2).warns("tidy");
    world.nine(&["check", "--today", "soon"]).ends(2).warns("`soon` is not a day that can be read");
    world.nine(&["history", "7"]).ends(2).warns("there is no run 7");
    world.nine(&["undo"]).ends(2).warns("there is no run to take back");
}

#[test]
fn a_daybook_that_cannot_be_written_stops_everything() {
    let world = World::new();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"1\"\n").file("a.txt", "x");
    fs::write(world.at("nine/daybook"), "a file where the folder should be").unwrap();
    let ran = world.nine(&["tidy", "--yes"]).ends(1);
    assert!(ran.err.contains("daybook"), "{}", ran.err);
    assert!(world.at("Downloads/a.txt").exists());
}
