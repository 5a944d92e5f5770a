//! The flat list: what it finds, how it is shown, and what the catalogue has to do with it.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::process::{Command, Stdio};

use super::support::World;

/// A pile with nested folders, and something on a shelf.
fn world() -> World {
    let world = World::new();
    world.rules("");
    world
        .file("img10.svg", "<svg/>")
        .file("img2.svg", "<svg>")
        .file("letters/plan 2031.txt", "the plan")
        .file("letters/old/budget.csv", "a;b")
        .file("letters/.draft.txt", "hidden")
        .file("new/page.pdf", "%PDF-1.7");
    fs::create_dir_all(world.at("Downloads/nothing/in/it")).unwrap();
    world.old_file(&world.shelves.join("2 Loans/2031/loan.pdf"), "%PDF-1.7 a loan");
    world
}

/// The names in a list, in its order.
fn names(out: &str) -> Vec<&str> {
    let lines = out.lines().skip(1).take_while(|line| !line.is_empty());
    lines.map(|line| line.split("  ").next().unwrap()).collect()
}

#[test]
fn everything_below_all_places_is_one_list_with_locations() {
    let world = world();
    let ran = world.nine(&["search"]).ends(0);
    assert_eq!(
        names(&ran.out),
        ["img2.svg", "img10.svg", "budget.csv", "plan 2031.txt", "page.pdf", "loan.pdf"]
    );
    ran.says("downloads/letters/old")
        .says("home/2 Loans/2031")
        .says("6 files, 45 B")
        .says("1 hidden left out");
    let heading = world.nine(&["search"]).out.lines().next().unwrap().to_owned();
    assert_eq!(heading.split_whitespace().collect::<Vec<_>>(), ["name", "location", "size", "age"]);
    world.nine(&["search", "--hidden", "name", "starts", ".dra"]).ends(0).says("1 file, 6 B");
}

#[test]
fn conditions_need_no_quotes_and_values_keep_theirs() {
    let world = world();
    let found = |words: &[&str]| {
        let ran = world.nine(&[&["search"], words].concat()).ends(0);
        names(&ran.out).iter().map(|name| (*name).to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(found(&["type", "drawing", "and", "size", "under", "6"]), ["img2.svg"]);
    assert_eq!(found(&["name", "is", "plan 2031.txt"]), ["plan 2031.txt"]);
    assert_eq!(found(&["ext pdf and folder has loans"]), ["loan.pdf"]);
    assert_eq!(found(&["depth", "over", "2"]), ["budget.csv", "loan.pdf"]);
    world.nine(&["search", "size", "ovr", "2"]).ends(2).warns("did you mean `over`?").warns("         ^^^");
}

#[test]
fn folders_and_empty_folders_are_listed_when_asked_for() {
    let world = world();
    let ran = world.nine(&["search", "--folders", "name", "has", "letters"]).ends(0);
    assert_eq!(names(&ran.out), ["letters/"]);
    let ran = world.nine(&["search", "--empty-folders"]).ends(0).says("3 folders");
    assert_eq!(names(&ran.out), ["nothing/", "in/", "it/"]);
    world.nine(&["search", "type", "folder", "and", "items", "over", "1"]).ends(0).says("letters/");
}

#[test]
fn order_groups_columns_and_limits() {
    let world = world();
    let by_size = world.nine(&["search", "--sort", "size", "--limit", "2"]).ends(0);
    assert_eq!(names(&by_size.out), ["loan.pdf", "plan 2031.txt"]);
    by_size.says("the first 2 shown").says("6 files, 45 B");
    let by_name = world.nine(&["search", "--sort", "name", "--reverse", "ext", "svg"]).ends(0);
    assert_eq!(names(&by_name.out), ["img10.svg", "img2.svg"]);
    let grouped =
        world.nine(&["search", "--by", "folder"]).ends(0).says("downloads/letters/old  1 item, 3 B");
    assert_eq!(grouped.out.matches(" item").count(), 5);
    let totals = world.nine(&["search", "--by", "type", "--totals"]).ends(0).out;
    assert!(totals.lines().any(|line| line.starts_with("document  2  23 B")), "{totals}");
    let totals = world.nine(&["search", "--by", "type", "--totals", "--format", "json"]).ends(0).out;
    assert!(totals.contains(r#"{"group":"document","items":2,"bytes":23}"#), "{totals}");
    let columns = world.nine(&["search", "--columns", "type,path", "ext", "csv"]).ends(0).out;
    assert!(
        columns.contains("sheet  /") && columns.contains("/Downloads/letters/old/budget.csv"),
        "{columns}"
    );
}

#[test]
fn one_folder_or_more_folders_can_be_named() {
    let world = world();
    fs::create_dir(world.at("elsewhere")).unwrap();
    world.old_file(&world.at("elsewhere/deep/x.txt"), "12345");
    world.nine(&["search", "--in", "elsewhere"]).ends(0).says("x.txt").says("1 file, 5 B");
    world.nine(&["search", "--also", "elsewhere"]).ends(0).says("7 files, 50 B");
    let inside = world.nine(&["search", "--in", "Downloads/letters", "--in", "home"]).ends(0);
    assert_eq!(names(&inside.out), ["budget.csv", "plan 2031.txt", "loan.pdf"]);
    inside.says("downloads/letters/old");
    fs::rename(world.at("elsewhere"), world.at("gone")).unwrap();
    world.nine(&["search", "--in", "elsewhere", "--known"]).ends(0).says("1 file, 5 B");
    world.nine(&["search", "--in", "elsewhere"]).ends(2).warns("there is no such folder");
    world.nine(&["search", "--in", "nowhere"]).ends(2).warns("give a folder, or one of");
}

#[test]
fn what_is_known_is_told_without_a_look() {
    let world = world();
    world.nine(&["search", "--known"]).ends(1).warns("was never looked at");
    world.nine(&["search", "type", "drawing"]).ends(0);
    fs::remove_file(world.at("Downloads/img2.svg")).unwrap();
    let known = world.nine(&["search", "type", "drawing", "--known"]).ends(0).says("as known just now");
    assert_eq!(names(&known.out), ["img2.svg", "img10.svg"]);
    assert_eq!(names(&world.nine(&["search", "type", "drawing"]).ends(0).out), ["img10.svg"]);
    let json = world.nine(&["search", "--known", "--format", "json", "--by", "age"]).ends(0).out;
    assert_eq!(json.lines().count(), 5);
}

/// The pile of these tests does not believe birth times, as after restoring a backup.
#[test]
fn what_arrived_since_the_last_look_is_dated_by_the_catalogue() {
    let world = world();
    world.nine(&["search"]).ends(0);
    world.nine(&["why", "downloads/letters/plan 2031.txt"]).ends(0).says("arrived   not known");
    world.file("old but new here.txt", "1");
    world
        .nine(&["search", "arrived", "since", "2000", "--in", "downloads"])
        .ends(0)
        .says("old but new here.txt")
        .says("1 file");
    let why = world.nine(&["why", "downloads/old but new here.txt"]).ends(0).out;
    assert!(!why.contains("arrived   not known") && why.contains("  arrived   20"), "{why}");
}

#[test]
fn a_place_that_cannot_be_reached_is_told_as_known() {
    let world = world();
    world.nine(&["search"]).ends(0);
    fs::rename(&world.shelves, world.at("gone")).unwrap();
    let ran = world.nine(&["search", "ext", "pdf"]).ends(1).warns("x home").warns("as known just now");
    assert_eq!(names(&ran.out), ["page.pdf", "loan.pdf"]);
}

#[test]
fn the_catalogue_is_only_a_cache() {
    let world = world();
    let before = world.nine(&["search"]).ends(0).out;
    for text in [&b"not a database"[..], &[0; 70_000]] {
        fs::write(world.at("nine/catalogue.sqlite"), text).unwrap();
        let ran = world.nine(&["search"]).ends(0).warns("The catalogue was damaged").warns("set aside");
        assert_eq!(ran.out, before);
        assert_eq!(world.nine(&["search"]).ends(0).out, before);
    }
    fs::remove_file(world.at("nine/catalogue.sqlite")).unwrap();
    assert_eq!(world.nine(&["search"]).ends(0).out, before);
}

#[test]
fn an_unreadable_folder_is_named_and_passed_over() {
    let world = world();
    let closed = world.at("Downloads/letters");
    fs::set_permissions(&closed, fs::Permissions::from_mode(0o000)).unwrap();
    // Whoever may read everything sees no difference.
    let may_read_all = fs::read_dir(&closed).is_ok();
    let ran = world.nine(&["search", "ext", "csv"]);
    fs::set_permissions(&closed, fs::Permissions::from_mode(0o755)).unwrap();
    if may_read_all {
        ran.ends(0).says("budget.csv");
    } else {
        ran.ends(1).warns("downloads/letters").warns("could not be read");
    }
}

#[test]
fn a_look_into_the_one_item_that_is_found() {
    let world = world();
    world.nine(&["search", "name", "has", "plan", "--show"]).ends(0).says("note  8 B").says("  the plan");
    world.nine(&["search", "ext", "svg", "--show"]).ends(2).warns("2 items were found");
}

/// The sample world has names with line ends, dashes and bytes outside UTF-8.
#[test]
fn paths0_go_through_other_programs_unharmed() {
    let world = World::new();
    let root = world.at("tq");
    world.nine(&["demo", root.to_str().unwrap(), "--only-make"]).ends(0);
    let home = root.join("nine");
    let words = ["--home", home.to_str().unwrap(), "search", "file", "--hidden", "--format", "paths0"];
    let mut search = world.command(&words).stdout(Stdio::piped()).spawn().unwrap();
    let listed = Command::new("xargs")
        .args(["-0", "stat", "--printf", "%n\\0"])
        .stdin(search.stdout.take().unwrap())
        .output()
        .unwrap();
    assert!(search.wait().unwrap().success() && listed.status.success(), "{listed:?}");
    let mut listed: Vec<&[u8]> = listed.stdout.split(|b| *b == 0).filter(|path| !path.is_empty()).collect();
    let find = Command::new("find")
        .args(["Desktop", "Downloads", "Papers", "Documents"].map(|place| root.join(place)))
        .args(["-type", "f", "-print0"])
        .output()
        .unwrap();
    let mut there: Vec<&[u8]> = find.stdout.split(|b| *b == 0).filter(|path| !path.is_empty()).collect();
    listed.sort_unstable();
    there.sort_unstable();
    assert!(there.len() > 100 && there.iter().any(|path| path.contains(&b'\n')));
    assert!(there.iter().any(|path| std::str::from_utf8(path).is_err()));
    assert_eq!(listed, there);
}

#[test]
fn csv_and_json_carry_every_name() {
    let world = World::new();
    world.rules("").file("=1+1.csv", "x").file("two\nlines.txt", "x").file("red\u{1b}[31m.txt", "x");
    let csv = world.nine(&["search", "--format", "csv"]).ends(0).out;
    assert_eq!(csv.lines().count(), 4, "{csv}");
    assert!(csv.lines().all(|line| line.split(',').all(|cell| !cell.starts_with(['=', '+', '-', '@']))));
    let json = world.nine(&["search", "--format", "json"]).ends(0).out;
    let names: Vec<String> = json
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap()["name"].as_str().unwrap().into())
        .collect();
    assert_eq!(names, ["=1+1.csv", "red\\u{1b}[31m.txt", "two\\nlines.txt"]);
}

#[test]
fn without_a_configuration_the_usual_piles_are_searched() {
    let world = World::new();
    world.file("a.txt", "abc");
    world.nine(&["search"]).ends(0).says("downloads").says("1 file, 3 B");
    world.nine(&["survey"]).ends(0).says("downloads  1 file, 3 B");
    // Saving a search makes a configuration that takes no pile away.
    world.nine(&["search", "size", "under", "1KB", "--save", "small"]).ends(0).warns("saved as `small`");
    world.nine(&["search", "--saved", "small"]).ends(0).says("1 file, 3 B");
}

#[test]
fn several_commands_at_once_answer_alike() {
    let world = world();
    let wanted = world.nine(&["search"]).ends(0).out;
    std::thread::scope(|scope| {
        for _ in 0..4 {
            scope.spawn(|| (0..3).for_each(|_| assert_eq!(world.nine(&["search"]).ends(0).out, wanted)));
        }
    });
}

#[test]
fn without_room_for_the_catalogue_a_search_answers_all_the_same() {
    let world = world();
    let wanted = world.nine(&["search", "type", "sheet"]).ends(0).out;
    // A folder stands where the catalogue would be.
    fs::remove_file(world.at("nine/catalogue.sqlite")).unwrap();
    fs::create_dir(world.at("nine/catalogue.sqlite")).unwrap();
    let ran = world.nine(&["search", "type", "sheet"]).ends(0).warns("going on without it");
    assert_eq!(ran.out, wanted);
    let ran = world.nine(&["search", "text", "has", "plan", "--text"]).ends(1);
    assert_eq!(ran.err.matches("the words in it cannot be read").count(), 2, "{}", ran.err);
    world.nine(&["search", "--known"]).ends(1).warns("nothing is known");
}

#[test]
fn where_there_is_nowhere_to_look_it_is_said_what_to_do() {
    let world = World::new();
    fs::remove_dir(world.at("Downloads")).unwrap();
    world
        .nine(&["search"])
        .ends(2)
        .warns("there is no place to look in")
        .warns("give a folder with --in, or write");
    world
        .nine(&["survey"])
        .ends(2)
        .warns("there is no pile to look at")
        .warns("nine survey ~/Downloads, or write");
}

/// What is only known is asked in parts; there are more rows here than one has.
#[test]
fn what_is_known_is_found_as_what_is_there() {
    let world = world();
    for folder in ["Downloads/wide", "Shelves/1 Boats", "Shelves/Archive/2029"] {
        fs::create_dir_all(world.at(folder)).unwrap();
    }
    for n in 0..67_000 {
        let ending = ["txt", "pdf", "svg", "csv"][n % 4];
        let dot = if n % 1_000 == 3 { "." } else { "" };
        let file = fs::File::create(world.at(&format!("Downloads/wide/{dot}sheet {n}.{ending}"))).unwrap();
        file.set_len(n as u64 % 11).unwrap();
    }
    world.file("wide/zz last.svg", "<svg/>");
    world
        .nine(&["tag", "add", "loans", &world.at("Downloads/wide/zz last.svg").to_string_lossy(), "--yes"])
        .ends(0);
    let same = |words: &[&str], least: usize| {
        let found = |more: &[&str]| {
            let ran = world.nine(&[&["search"], more, words].concat()).ends(0);
            let (list, total) = ran.out.trim_end().rsplit_once("\n\n").unwrap();
            (list.to_owned(), total.split(';').next().unwrap().to_owned())
        };
        let there = found(&["--limit", "30"]);
        assert!(there.0.lines().count() > least, "{words:?}: {there:?}");
        assert_eq!(found(&["--known", "--limit", "30"]), there, "{words:?}");
        assert_eq!(
            found(&["--known", "--no-archive", "--limit", "30"]),
            found(&["--no-archive", "--limit", "30"])
        );
    };
    same(&[], 30);
    same(&["type", "drawing"], 30);
    same(&["size", "is", "10"], 30);
    same(&["tag", "loans"], 1);
    same(&["name", "has", "last"], 1);
    same(&["hidden"], 30);
    same(&["name", "matches", "[0-9]*5[0-9]*7"], 30);
    same(&["name", "matches", "sheet.*99[.]"], 30);
    same(&["name", "has", "EET 6699", "or", "ext", "csv", "and", "size", "over", "9"], 30);
}
