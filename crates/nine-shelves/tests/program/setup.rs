//! From nothing to a working bookcase, and back.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::process::ExitStatusExt;

use super::support::{Ran, World, in_a_session, on_a_terminal, picture_of};

const LAYOUTS: [&str; 6] = ["in-hand", "clients", "letters", "terms", "household", "kinds"];

/// A home folder with clutter and nothing of ours.
fn home() -> World {
    let world = World::new();
    fs::remove_dir(&world.shelves).unwrap();
    fs::create_dir(world.at("Desktop")).unwrap();
    world.old_file(&world.at("Desktop/site plan.pdf"), "%PDF-1.4");
    world.old_file(&world.at("Desktop/talk.pptx"), "");
    world.file("IMG_2044.jpg", "").file("invoice ropes.pdf", "%PDF-1.4").file("photos.zip", "");
    world
}

fn config(world: &World) -> String {
    fs::read_to_string(world.data.join("shelves.toml")).unwrap_or_default()
}

/// Everything of the person's, without what the program and the trash keep.
fn everything(world: &World) -> BTreeMap<String, String> {
    let mut all = picture_of(world.dir.path());
    all.retain(|name, _| !name.starts_with("/nine/") && !name.starts_with("/.local"));
    all
}

fn setup(world: &World, words: &[&str]) -> Ran {
    world.nine(&[&["setup"], words].concat())
}

#[test]
fn every_layout_is_sound_and_taken_back_whole() {
    for layout in LAYOUTS {
        let world = home();
        let before = everything(&world);
        setup(&world, &["--layout", layout, "--yes"]).ends(0).says("nine undo 1 takes it back");
        assert!(world.at("Shelves").read_dir().unwrap().count() >= 5, "{layout}");
        let checked = world.nine(&["check"]).ends(0);
        assert!(!checked.out.contains("not there"), "{layout}: {}", checked.out);
        let shelves = world.nine(&["shelves", "--format", "json"]).ends(0);
        let is_sound = |line: &str| line.contains("\"wrong\":\"\"");
        assert!(shelves.out.lines().all(is_sound), "{layout}: {}", shelves.out);
        let undone = world.nine(&["undo", "--yes"]).ends(0);
        assert_eq!(everything(&world), before, "{layout}: {}", undone.out);
        assert_eq!(config(&world), "");
    }
}

#[test]
fn without_an_answer_nothing_is_made() {
    let world = home();
    let before = everything(&world);
    setup(&world, &[]).ends(2).warns("--layout in-hand, clients");
    setup(&world, &["--layout", "clients"]).ends(0).says("+ 1 👥 Clients").warns("Add --yes");
    assert_eq!((everything(&world), config(&world)), (before, String::new()));
    setup(&world, &["--layout", "clent", "--yes"]).ends(2).warns("did you mean `clients`?");
    setup(&world, &["--list"]).ends(0).says("household").says("└─ Packed");
    setup(&world, &["--list", "--format", "json"]).ends(0).says("\"title\":\"In hand\"");
}

#[test]
fn the_first_tidy_is_told_before_and_done_as_told() {
    let world = home();
    let ran = setup(&world, &["--layout", "kinds", "--yes"]).ends(0);
    assert!(ran.out.contains("What its rules would do now  5 of 5 things"), "{}", ran.out);
    assert!(
        ran.out.contains("1 📄 Papers  2 items") && ran.out.contains("invoice ropes.pdf  2030"),
        "{}",
        ran.out
    );
    world.nine(&["tidy", "--yes"]).ends(0);
    assert!(world.at("Shelves/1 📄 Papers/2030/invoice ropes.pdf").exists());
    assert!(world.at("Shelves/6 🎁 Packed/packed/photos.zip").exists());
    // Undone in order, all is as it was.
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!world.at("Shelves").exists() && world.at("Downloads/photos.zip").exists());
}

#[test]
fn an_ordered_folder_is_taken_over_as_it_stands() {
    let world = home();
    for folder in ["1 Boats", "2 ⚓ Loans", "9 Archive"] {
        fs::create_dir_all(world.at("Papers").join(folder)).unwrap();
    }
    let before = picture_of(&world.at("Papers"));
    setup(&world, &["--at", "Papers", "--pile", "Downloads", "--yes"]).ends(0);
    assert_eq!(picture_of(&world.at("Papers")), before);
    let text = config(&world);
    assert!(text.contains("{ title = \"Loans\", mark = \"⚓\" },"), "{text}");
    assert!(text.contains("{ title = \"Archive\", number = 9 },") && !text.contains("desktop"), "{text}");
    setup(&world, &["--at", "Papers", "--yes"]).ends(2).warns("stands at");
    // With a layout, what stands there keeps its title, and no rule puts anything else onto it.
    world.nine(&["undo", "--yes"]).ends(0);
    let ran = setup(&world, &["--at", "Papers", "--layout", "kinds", "--yes"]).ends(0);
    assert!(ran.out.contains("left out: rules for shelf 1"), "{}", ran.out);
    assert!(world.at("Papers/3 📑 Slides").is_dir() && !world.at("Papers/2 📊 Sheets").exists());
    assert!(!config(&world).contains("put = \"1/") && config(&world).contains("put = \"3/"));
}

#[test]
fn a_configuration_is_only_added_to_and_undo_keeps_what_came_since() {
    let world = home();
    let old = "# mine\n[search.plans]\nwhere = \"name has plan\"   # all of them\n";
    world.config(old);
    setup(&world, &["--layout", "in-hand", "--yes"]).ends(0).says("lines are added");
    assert!(config(&world).starts_with(old), "{}", config(&world));
    let mine = format!("# later\n{}", config(&world));
    world.config(&mine);
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(config(&world), format!("# later\n{old}"));
    assert!(!world.at("Shelves").exists());
}

#[test]
fn what_others_put_on_the_shelves_stays_and_is_told() {
    let world = home();
    setup(&world, &["--layout", "clients", "--yes"]).ends(0);
    world.old_file(&world.at("Shelves/4 📐 Templates/mine.docx"), "mine");
    let undone = world.nine(&["undo", "--yes"]).ends(1);
    assert!(
        undone.err.contains("4 📐 Templates cannot be taken back: it holds other things by now"),
        "{}",
        undone.err
    );
    assert!(
        world.at("Shelves/4 📐 Templates/mine.docx").exists() && !world.at("Shelves/2 📨 Offers").exists()
    );
}

#[test]
fn what_is_in_the_way_is_named_and_nothing_is_half_made() {
    let world = home();
    fs::create_dir(world.at("Shelves")).unwrap();
    fs::write(world.at("Shelves/1 📄 Papers"), "a file").unwrap();
    let before = everything(&world);
    setup(&world, &["--layout", "kinds", "--yes"]).ends(2).says("1 📄 Papers").warns("nothing was set up");
    assert_eq!((everything(&world), config(&world)), (before, String::new()));
    setup(&world, &["--layout", "kinds", "--at", "/mnt/no-such-disk", "--yes"])
        .ends(2)
        .warns("a disk may be missing");
    setup(&world, &["--layout", "kinds", "--at", "Desktop/talk.pptx", "--yes"]).ends(2);
    setup(&world, &["--layout", "kinds", "--at", "Desktop/in", "--yes"])
        .ends(2)
        .warns("lies inside the pile");
    assert!(!world.at("Desktop/in").exists());
}

#[test]
fn a_layout_of_ones_own_is_read_written_and_pointed_at_where_it_is_wrong() {
    let world = home();
    setup(&world, &["--layout", "household", "--yes"]).ends(0);
    fs::create_dir_all(world.at("Shelves/4 🩺 Health/Teeth/2030")).unwrap();
    setup(&world, &["--save-layout", "mine.toml"]).ends(0).warns("8 rules");
    let saved = fs::read_to_string(world.at("mine.toml")).unwrap();
    assert!(saved.contains("\"Teeth\", \"Teeth/2030\"") && !saved.contains("Downloads"), "{saved}");
    setup(&world, &["--save-layout", "mine.toml"]).ends(2).warns("is there already");
    world.nine(&["undo", "--yes"]).ends(1);
    fs::remove_dir_all(world.at("Shelves")).unwrap();
    setup(&world, &["--layout", "mine.toml", "--marks", "none", "--yes"]).ends(0);
    assert!(world.at("Shelves/4 Health/Teeth/2030").is_dir());
    let broken = saved.replace("type image,video", "tipe image");
    fs::write(world.at("broken.toml"), &broken).unwrap();
    let line = 1 + broken[..broken.find("tipe").unwrap()].lines().count() - 1;
    setup(&world, &["--layout", "broken.toml"]).ends(2).warns(&format!("broken.toml:{line}:"));
}

#[test]
fn marks_become_icons_that_file_managers_read() {
    let world = home();
    fs::create_dir_all(world.at("Shelves/3 Slides")).unwrap();
    let theirs = "# by hand\n[Desktop Entry]\nName=Talks\nIcon=folder-red\n";
    fs::write(world.at("Shelves/3 Slides/.directory"), theirs).unwrap();
    let names = |world: &World| everything(world).into_keys().collect::<Vec<_>>();
    let before = names(&world);
    setup(&world, &["--layout", "kinds", "--marks", "icon", "--yes"]).ends(0);
    let entry = |shelf: &str| fs::read_to_string(world.at("Shelves").join(shelf).join(".directory")).unwrap();
    assert_eq!(entry("1 Papers"), "[Desktop Entry]\nType=Directory\nIcon=./.shelf-mark.svg\n");
    assert_eq!(entry("3 Slides"), theirs.replace("folder-red", "./.shelf-mark.svg"));
    let picture = fs::read_to_string(world.at("Shelves/1 Papers/.shelf-mark.svg")).unwrap();
    assert!(picture.contains(">📄</text>"), "{picture}");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!((names(&world), entry("3 Slides")), (before, theirs.to_owned()));
}

#[test]
fn starter_displays_come_with_it_and_go_with_it() {
    let world = home();
    world.file("film.mkv", "");
    let before = everything(&world);
    setup(&world, &["--layout", "kinds", "--displays", "--yes"]).ends(0);
    assert!(world.at("Displays/films/film.mkv").is_symlink() && world.at("Displays/untouched").is_dir());
    world.nine(&["undo", "--yes"]).ends(0);
    let mut after = everything(&world);
    after.retain(|name, _| name != "/Displays/");
    assert_eq!(after, before);
}

#[test]
fn a_second_setup_waits_for_nothing_and_harms_nothing() {
    let world = home();
    // The second comes when the first has made some folders.
    let second = format!("'{}' setup --layout clients --yes; echo $? >status", env!("CARGO_BIN_EXE_nine"));
    let mut first = world.command(&["setup", "--layout", "kinds", "--yes"]);
    let first = Ran::new(first.env("NINE_HAND_AT", "12").env("NINE_HAND", second).output().unwrap());
    assert_eq!(first.status, 0, "{}", first.err);
    assert_eq!(fs::read_to_string(world.at("status")).unwrap().trim(), "1");
    fs::remove_file(world.at("status")).unwrap();
    assert!(world.at("Shelves/6 🎁 Packed").is_dir() && !world.at("Shelves/2 📨 Offers").exists());
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!world.at("Shelves").exists());
}

#[test]
fn a_linked_configuration_stays_a_link() {
    let world = home();
    fs::create_dir(world.at("dots")).unwrap();
    fs::write(world.at("dots/nine.toml"), "# in a checkout\n").unwrap();
    std::os::unix::fs::symlink(world.at("dots/nine.toml"), world.data.join("shelves.toml")).unwrap();
    setup(&world, &["--layout", "kinds", "--yes"]).ends(0);
    assert!(world.data.join("shelves.toml").is_symlink());
    assert!(fs::read_to_string(world.at("dots/nine.toml")).unwrap().starts_with("# in a checkout\n"));
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(fs::read_to_string(world.at("dots/nine.toml")).unwrap(), "# in a checkout\n");
}

#[test]
fn killed_at_any_point_it_is_whole_or_taken_back() {
    let mut points = 0;
    for point in (1..).step_by(3) {
        let world = home();
        let before = everything(&world);
        let words = ["setup", "--layout", "kinds", "--marks", "icon", "--yes"];
        let killed = world.command(&words).env("NINE_KILL_AT", point.to_string()).output().unwrap();
        let was_killed = killed.status.signal() == Some(9);
        // The next command finds out how far it got; then all of it is taken back.
        if world.nine(&["history", "--format", "json"]).ends(0).out.lines().next().is_some() {
            world.nine(&["undo", "1", "--yes"]).ends(0);
        }
        assert_eq!(everything(&world), before, "point {point}");
        assert_eq!(config(&world), "", "point {point}");
        if !was_killed {
            break;
        }
        points += 1;
    }
    assert!(points > 15, "{points}");
}

#[test]
fn refused_anywhere_nothing_is_half_made() {
    // No space: for a folder, a text, its name, and what makes sure of it.
    for refused in
        ["make-folder:4:28", "make-folder:9:28", "create:2:28", "write:2:28", "rename:1:28", "daybook:1:28"]
    {
        let world = home();
        let before = everything(&world);
        let words = ["setup", "--layout", "kinds", "--yes"];
        let ran = Ran::new(world.command(&words).env("NINE_REFUSE", refused).output().unwrap());
        if ran.err.contains("nothing was refused") {
            continue;
        }
        assert_eq!(ran.status, 1, "{refused}: {}{}", ran.out, ran.err);
        world.nine(&["history"]).ends(0);
        assert_eq!((everything(&world), config(&world)), (before, String::new()), "{refused}: {}", ran.out);
    }
}

#[test]
fn five_questions_with_good_answers_ready() {
    let world = home();
    let (status, shown) = on_a_terminal(&world, &["setup"], "\n\n\n\n\ny\n");
    assert_eq!(status, 0, "{shown}");
    for asked in
        ["Where do things land?", "Where does the bookcase stand?", "Which shelves?", "Marks", "its rules?"]
    {
        assert!(shown.contains(asked), "{asked}: {shown}");
    }
    assert!(world.at("Shelves/1 📄 Papers").is_dir() && config(&world).contains("[pile.desktop]"));
    // Nonsense is asked about again.
    let world = home();
    let answers = "7\n1\nDesktop/talk.pptx\nPapers\nnowhere\nletters\npink\nnone\nperhaps\nn\ny\n";
    let (status, shown) = on_a_terminal(&world, &["setup"], answers);
    assert_eq!(status, 0, "{shown}");
    for told in
        ["there is no 7", "is a file", "`nowhere` is none of them", "say name, icon or none", "say y or n"]
    {
        assert!(shown.contains(told), "{told}: {shown}");
    }
    assert!(world.at("Papers/1 A-C").is_dir() && !config(&world).contains("[[rule]]"));
    assert!(!config(&world).contains("downloads"));
}

/// The questions, each with what is shown when it is asked.
const QUESTIONS: [&str; 6] = ["[all]", "[~/Shelves]", "[kinds]", "[name]", "[y]", "[y/n]"];

#[test]
fn given_up_at_any_question_nothing_is_made() {
    for answered in 0..=5 {
        // Ctrl-C, and the end of the input.
        for given_up in ["\u{3}", "\u{4}"] {
            let world = home();
            let before = everything(&world);
            let mut answers: Vec<(&str, &str)> =
                QUESTIONS[..answered].iter().map(|asked| (*asked, "\n")).collect();
            answers.push((QUESTIONS[answered], given_up));
            let (status, shown) = in_a_session(&world, &["setup"], &answers);
            let wanted = (given_up == "\u{4}").then_some(3);
            assert_eq!(status, wanted, "{answered}: {shown}");
            assert_eq!((everything(&world), config(&world)), (before, String::new()), "{answered}");
        }
    }
}

/// Editors find the schema by the first line of a configuration that is new; one that is there is left as it is.
#[test]
fn a_new_configuration_has_its_schema_beside_it() {
    let world = World::new();
    let words = ["setup", "--layout", "kinds", "--at", "Cabinet", "--pile", "Downloads", "--yes"];
    world.nine(&words).ends(0);
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    assert!(text.starts_with("#:schema ./shelves.schema.json\n"), "{text}");
    let schema = fs::read(world.data.join("shelves.schema.json")).unwrap();
    let schema: serde_json::Value = serde_json::from_slice(&schema).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let config: toml::Value = toml::from_str(&text).unwrap();
    assert!(validator.is_valid(&serde_json::to_value(config).unwrap()));
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(!world.data.join("shelves.schema.json").exists(), "it goes with the configuration");
    world.config("# mine\n");
    world.nine(&words).ends(0);
    assert!(!world.data.join("shelves.schema.json").exists());
    assert!(fs::read_to_string(world.data.join("shelves.toml")).unwrap().starts_with("# mine"));
}
