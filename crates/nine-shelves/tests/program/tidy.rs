//! Tidy, its preview, its carrying out, and the way back.

use std::fs;
use std::io::Write;
use std::process::Stdio;

use super::support::{World, on_a_terminal, tags_of};

const NOTES: &str =
    "[[rule]]\nname = \"notes\"\nwhen = \"type note\"\ntag = [\"paper\"]\nput = \"2/{stem:initial}\"\n";

#[test]
fn nothing_changes_without_a_yes() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron").file("picture.qqq", "\u{1}\u{2}");
    let before = world.picture();
    world
        .nine(&["tidy"])
        .ends(0)
        .says("2 Loans/A  1 item, 4 B")
        .says("+  anchor.txt  downloads  4 B  12 months  +paper  notes")
        .says("2 items looked at; left alone: 1 without a rule")
        .says("2 steps: 1 to move (4 B), 1 to tag")
        .warns("Nothing has been changed. Add --yes to carry this out.");
    assert_eq!(world.picture(), before);
    assert!(!world.at("nine/daybook").exists());
}

#[test]
fn a_run_is_carried_out_recorded_and_taken_back() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron").file("rope.md", "hemp");
    let before = world.picture();
    world.nine(&["tidy", "--yes"]).ends(0).says("Run 1: 2 moved, 2 tagged").says("nine undo 1 takes it back");
    let filed = world.shelves.join("2 Loans/A/anchor.txt");
    assert_eq!((fs::read_to_string(&filed).unwrap().as_str(), tags_of(&filed).as_str()), ("iron", "paper"));
    world.nine(&["tidy", "--yes"]).ends(0).says("0 items looked at");
    world.nine(&["history"]).ends(0).says("nine tidy  2 moved, 2 tagged");
    world
        .nine(&["history", "1"])
        .ends(0)
        .says("downloads/anchor.txt")
        .says("home/2 Loans/A/anchor.txt")
        .says("4 steps done");
    world
        .nine(&["undo", "--yes"])
        .ends(0)
        .says("Takes back run 1: nine tidy")
        .says("Run 2: 2 moved, 2 tagged");
    assert_eq!(world.picture(), before);
    world.nine(&["history"]).says("taken back by run 2").says("takes back run 1");
    world.nine(&["undo", "--yes"]).ends(2).warns("there is no run to take back");
    world.nine(&["undo", "2", "--yes"]).ends(0);
    assert!(filed.exists());
}

#[test]
fn undo_names_what_has_changed_since() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron").file("rope.md", "hemp");
    world.nine(&["tidy", "--yes"]).ends(0);
    fs::write(world.shelves.join("2 Loans/A/anchor.txt"), "steel").unwrap();
    world
        .nine(&["undo", "--yes"])
        .ends(1)
        .warns("home/2 Loans/A/anchor.txt cannot be taken back: it has been changed since")
        .says("Run 2: 1 moved, 1 tagged");
    assert!(world.at("Downloads/rope.md").exists());
    assert_eq!(fs::read_to_string(world.shelves.join("2 Loans/A/anchor.txt")).unwrap(), "steel");
}

#[test]
fn clashes_show_both_sides_and_nothing_is_overwritten() {
    let world = World::new();
    let there = world.shelves.join("1 Boats/plan.txt");
    for (clash, told, left) in [
        ("number", ": numbered", vec!["plan (2).txt", "plan.txt"]),
        ("leave", ": left", vec!["plan.txt"]),
        ("hold", ": held in Held", vec!["Held", "plan.txt"]),
    ] {
        let _ = fs::remove_dir_all(world.shelves.join("1 Boats"));
        world.old_file(&there, "old plan");
        world
            .rules(&format!("[[rule]]\nwhen = \"file\"\nput = \"1\"\nclash = \"{clash}\"\n"))
            .file("plan.txt", "new");
        world
            .nine(&["tidy", "--yes"])
            .ends(0)
            .says("other bytes than the `plan.txt` there (8 B, 2030-03-17)")
            .says(told);
        let mut names: Vec<String> = fs::read_dir(world.shelves.join("1 Boats"))
            .unwrap()
            .map(|e| e.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        assert_eq!(names, left, "{clash}");
        assert_eq!(fs::read_to_string(&there).unwrap(), "old plan");
    }
}

#[test]
fn replace_puts_the_old_one_into_the_trash() {
    let world = World::new();
    world.old_file(&world.shelves.join("1 Boats/plan.txt"), "old plan");
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"1\"\nclash = \"replace\"\n").file("plan.txt", "new");
    world.nine(&["tidy", "--yes"]).ends(0).says("1 discarded");
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/plan.txt")).unwrap(), "new");
    assert_eq!(fs::read_to_string(world.at("Trash/files/plan.txt")).unwrap(), "old plan");
    let note = fs::read_to_string(world.at("Trash/info/plan.txt.trashinfo")).unwrap();
    assert!(
        note.starts_with("[Trash Info]\nPath=/") && note.contains("1%20Boats/plan.txt\nDeletionDate=2"),
        "{note}"
    );
    world.nine(&["undo", "--yes"]).ends(0).says("1 restored");
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/plan.txt")).unwrap(), "old plan");
}

#[test]
fn piles_are_chosen_by_name() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron");
    world.nine(&["tidy", "downloads", "--yes"]).ends(0).says("1 moved");
    world
        .nine(&["tidy", "downlods"])
        .ends(2)
        .warns("there is no pile `downlods`")
        .warns("did you mean `downloads`?");
}

#[test]
fn a_second_run_says_who_is_at_work_and_ends() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron");
    let lock = fs::File::create(world.at("nine/lock")).unwrap();
    (&lock).write_all(b"nine tidy (process 4711)").unwrap();
    rustix::fs::flock(&lock, rustix::fs::FlockOperation::NonBlockingLockExclusive).unwrap();
    world
        .nine(&["tidy", "--yes"])
        .ends(1)
        .warns("another run is at work: nine tidy (process 4711)")
        .warns("try again when it is over");
    assert!(world.at("Downloads/anchor.txt").exists());
    drop(lock);
    world.nine(&["tidy", "--yes"]).ends(0);
}

/// Runs a command on a terminal of its own and types an answer; gives what the terminal showed.
#[test]
fn on_a_terminal_the_person_is_asked_once() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron");
    let (status, shown) = on_a_terminal(&world, &["tidy"], "n\n");
    assert_eq!((status, shown.matches("Carry out 2 steps? [y/n]").count()), (3, 1), "{shown}");
    assert!(shown.contains("nothing has been changed") && world.at("Downloads/anchor.txt").exists());
    let (status, shown) = on_a_terminal(&world, &["tidy"], "y\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("Run 1:") && world.shelves.join("2 Loans/A/anchor.txt").exists());
}

#[test]
fn why_says_rule_by_rule_what_decided() {
    let world = World::new();
    world.rules(&format!("{NOTES}[[rule]]\nname = \"later\"\nwhen = \"file\"\nput = \"3\"\n[[rule]]\nname = \"old pages\"\nwhen = \"type document and age over 1y\"\nput = \"3/{{arrived:year}}\"\n"));
    world
        .file("statement.pdf", "<!doctype html><html>expired")
        .file("anchor.txt", "iron")
        .file("in/deep.txt", "x");
    let ran = world
        .nine(&["why", "Downloads/statement.pdf"])
        .ends(0)
        .says("by its content: web page")
        .says("mislabelled");
    let ran = ran.says("notes  no\n      type note: it is page").says("later  applies").says("old pages  no");
    assert!(ran.out.contains("type document: it is page"));
    world
        .nine(&["why", "downloads/anchor.txt"])
        .ends(0)
        .says("notes  applies")
        .says("`notes` comes first and files it");
    world.nine(&["why", "downloads/in/deep.txt"]).ends(0).says("it reaches only what lies loose");
    let json = world.nine(&["why", "downloads/in", "--format", "json"]).ends(0).out;
    let answer: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!((&answer["type"], &answer["items"]), (&"folder".into(), &1.into()));
    world.nine(&["why", "nine/shelves.toml"]).ends(0).says("It lies in no pile");
    world.nine(&["why", "Downloads/nothing"]).ends(2).warns("there is nothing at Downloads/nothing");
}

#[test]
fn an_interruption_ends_the_run_after_the_step_in_hand() {
    let world = World::across_file_systems();
    world.rules("[[rule]]\nwhen = \"file\"\nput = \"2\"\n");
    for number in 0..1_500 {
        world.file(&format!("{number}.txt"), &format!("letter {number}"));
    }
    let before = world.picture();
    // A pipe would fill up with the preview while nobody reads it.
    let printed = world.at("printed");
    let mut command = world.command(&["tidy", "--yes"]);
    let mut child =
        command.stdout(fs::File::create(&printed).unwrap()).stderr(Stdio::null()).spawn().unwrap();
    // A shelf that nothing came to would be taken away again.
    for _ in 0..20_000 {
        if fs::read_dir(world.shelves.join("2 Loans")).is_ok_and(|shelf| shelf.count() > 2) {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(1));
    }
    let process = rustix::process::Pid::from_child(&child);
    rustix::process::kill_process(process, rustix::process::Signal::INT).unwrap();
    let status = child.wait().unwrap();
    let told = fs::read_to_string(&printed).unwrap();
    assert_eq!(status.code(), Some(1), "{told}");
    assert!(told.contains("not begun, since you stopped it"), "{told}");
    assert_eq!(world.picture().len(), before.len() + 1, "the shelf is new and nothing is lost");
    assert_eq!(world.nine(&["history"]).ends(0).err, "", "there is nothing to recover");
    world.nine(&["undo", "--yes"]).ends(0);
    assert_eq!(world.picture(), before);
}

#[test]
fn a_place_without_the_right_to_write_is_left_as_it_is() {
    let world = World::new();
    world.rules(NOTES).file("anchor.txt", "iron");
    let mode = |bits| {
        fs::set_permissions(&world.shelves, std::os::unix::fs::PermissionsExt::from_mode(bits)).unwrap()
    };
    mode(0o555);
    // The superuser may write everywhere, so the program runs as somebody else there.
    let mut command = world.command(&["tidy", "--yes"]);
    if rustix::process::geteuid().is_root() {
        for path in [world.dir.path(), &world.at("Downloads"), &world.at("nine")] {
            fs::set_permissions(path, std::os::unix::fs::PermissionsExt::from_mode(0o777)).unwrap();
        }
        let program = world.at("nine-program");
        // By another program: what this one has open to write, a program that another test starts has open for a moment,
        // and then it cannot be run.
        let copies =
            std::process::Command::new("/bin/cp").arg(env!("CARGO_BIN_EXE_nine")).arg(&program).status();
        assert!(copies.unwrap().success());
        let mut other = std::process::Command::new(&program);
        other
            .env_clear()
            .envs(command.get_envs().filter_map(|(name, value)| Some((name, value?))))
            .args(["tidy", "--yes"]);
        std::os::unix::process::CommandExt::uid(&mut other, 65_534);
        command = other;
    }
    let output = command.stdin(Stdio::null()).output().unwrap();
    let told = String::from_utf8_lossy(&output.stdout).into_owned();
    mode(0o755);
    assert_eq!(output.status.code(), Some(1), "{told}\n{}", String::from_utf8_lossy(&output.stderr));
    assert!(told.contains("no right to change home"), "{told}");
    assert!(world.at("Downloads/anchor.txt").exists());
}

#[test]
fn a_link_that_would_lead_nowhere_is_left_and_others_are_moved_as_links() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"links\"\nwhen = \"link\"\nput = \"2\"\n").file("anchor.txt", "iron");
    std::os::unix::fs::symlink("anchor.txt", world.at("Downloads/beside")).unwrap();
    std::os::unix::fs::symlink(world.at("Downloads/anchor.txt"), world.at("Downloads/whole")).unwrap();
    let told = world.nine(&["tidy", "--yes"]).ends(0).says("1 moved").says("moved, it would lead nowhere");
    assert!(told.out.contains("Left for you to decide"), "{}", told.out);
    assert!(world.at("Downloads/beside").is_symlink() && world.shelves.join("2 Loans/whole").is_symlink());
    assert_eq!(fs::read_to_string(world.shelves.join("2 Loans/whole")).unwrap(), "iron");
}

#[test]
fn what_lies_in_a_folder_that_goes_as_a_whole_goes_with_it() {
    let world = World::new();
    world.rules(
        "[[rule]]\nname = \"boxes\"\nwhen = \"type folder and name has box\"\nput = \"2\"\n\
         [[rule]]\nname = \"pictures\"\nreach = \"deep\"\nwhen = \"ext txt\"\nput = \"1\"\n",
    );
    world
        .file("box/in/a.txt", "x")
        .file("loose/b.txt", "y")
        .file("checkout/.git/HEAD", "z")
        .file("checkout/c.txt", "z");
    let why = world.nine(&["why", "downloads/box/in/a.txt"]).ends(0);
    let why = why.says("goes with  downloads/box").says("`boxes` puts it into home/2 Loans");
    let why = why.says("it would, but the item goes with its folder");
    assert!(!why.out.contains("pictures  applies"), "{}", why.out);
    world.nine(&["why", "downloads/loose/b.txt"]).ends(0).says("pictures  applies");
    world
        .nine(&["why", "downloads/checkout/c.txt"])
        .ends(0)
        .says("it is kept together, and no rule moves it");
    world.nine(&["tidy", "--yes"]).ends(0).says("2 moved");
    assert!(world.shelves.join("2 Loans/box/in/a.txt").exists());
}

#[test]
fn inside_folders_the_content_counts_only_where_a_rule_asks_for_it() {
    let world = World::new();
    let rule = "[[rule]]\nname = \"pictures\"\nreach = \"deep\"\nwhen = \"type image\"\nput = \"1\"\n";
    world.rules(rule).file("box/page.png", "<!doctype html><title>no picture</title>");
    world.nine(&["why", "downloads/box/page.png"]).ends(0).says("(mislabelled)").says("pictures  applies");
    world.nine(&["tidy"]).ends(0).says("1 to move");
    let asks = "[[rule]]\nname = \"wrong\"\nreach = \"deep\"\nwhen = \"mislabelled\"\nput = \"2\"\n";
    world.rules(&format!("{asks}{rule}"));
    world
        .nine(&["why", "downloads/box/page.png"])
        .ends(0)
        .says("wrong  applies")
        .says("type image: it is page");
    world.nine(&["tidy", "--yes"]).ends(0).says("1 moved");
    assert!(world.shelves.join("2 Loans/page.png").exists());
}
