//! Completion, in the shells themselves and as they ask for it.
#![allow(dead_code)] // the screen is used by other tests, too

#[path = "program/support.rs"]
mod support;

#[path = "review/screen.rs"]
mod screen;

use std::fs;
use std::process::Command;

use screen::{PLAIN, Screen};
use support::World;

/// A world in which there is something to complete.
fn world() -> World {
    let world = World::new();
    world.rules(
        "[[rule]]\nname = \"loan papers\"\nwhen = \"type document\"\nput = \"2\"\n\n\
         [facet.lender]\nvalues = [\"Harrow Dock Trust\", \"Kittiwake Society\"]\n\n\
         [search.packs]\nwhere = \"type packed\"\n\n\
         [archive]\nwhen = \"idle over 180d\"\nput = \"3/{today}\"\n\n\
         [routine.friday]\nrun = [\"tidy\", \"survey\"]\n",
    );
    world.file("Old letters/plan.txt", "a plan").file("evil\u{1b}[2Jname/x.txt", "x").file("old.zip", "PK");
    world.old_file(&world.shelves.join("2 Loans/Kittiwake/2030/list.txt"), "a list");
    world.old_file(&world.shelves.join("2 Loans/Oars/list.txt"), "another");
    world.nine(&["tag", "add", "client/Harrow,todo", "Downloads/Old letters/plan.txt", "--yes"]).ends(0);
    world.nine(&["archive", "Downloads/old.zip", "--yes"]).ends(0);
    world.nine(&["tag"]).ends(0);
    world
}

/// What is offered for the last of these words.
fn offered(world: &World, words: &[&str]) -> Vec<String> {
    let index = words.len().to_string();
    let mut command = world.command(&["--", "nine"]);
    command.args(words).env("NINE_COMPLETE", "bash").env("_CLAP_COMPLETE_INDEX", index);
    let output = command.output().unwrap();
    assert!(output.status.success() && output.stderr.is_empty(), "{output:?}");
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn what_is_known_is_offered() {
    let world = world();
    for (words, wanted) in [
        (&["ti"][..], &["tidy"][..]),
        (&["tidy", "down"], &["downloads"]),
        (&["put", "x", "--on", ""], &["Boats", "Grants/", "Loans/"]),
        (&["put", "x", "--on", "2"], &["2/"]),
        (&["put", "x", "--on", "Loans/"], &["Loans/Kittiwake/", "Loans/Oars"]),
        (&["put", "x", "--on", "home/2/Kit"], &["home/2/Kittiwake/"]),
        (&["put", "x", "--on", "2/Kittiwake/"], &["2/Kittiwake/2030"]),
        (&["rule", "drop", ""], &["loan papers"]),
        (&["search", "--saved", "pa"], &["packs"]),
        (&["tag", "drop", ""], &["client/Harrow", "todo"]),
        (&["tag", "drop", "todo,"], &["todo,client/Harrow"]),
        (&["facet", "drop", ""], &["lender"]),
        (&["facet", "drop", "lender", "harrow"], &["Harrow Dock Trust"]),
        (&["routine", ""], &["friday"]),
        (&["undo", ""], &["2", "1"]),
        (&["archive", "verify", ""], &["2031-04-07"]),
        (&["search", "--by", "le"], &["lender"]),
        (&["search", "typ"], &["type"]),
        (&["search", "type", "image,vi"], &["image,video"]),
        (&["search", "lender", "is", "K"], &["Kittiwake Society"]),
        (&["search", "type", "image", ""], &["and", "or"]),
        (&["search", "(ty"], &["(type"]),
        (&["search", "modified", "since", "20"], &["2031", "2030", "2031-04", "2031-04-07"]),
        (&["search", "folder", "has", "O"], &["Oars", "Old letters"]),
        (&["put", "--where", "tag", "to"], &["todo"]),
        (&["rule", "add", "new", "--when", "size", "ov"], &["over"]),
        (&["search", "--emp"], &["--empty-folders"]),
        (&["put", "Downloads/O"], &["Downloads/Old letters/"]),
    ] {
        assert_eq!(offered(&world, words), wanted, "{words:?}");
    }
}

#[test]
fn nothing_is_read_written_or_said_for_it() {
    let world = world();
    let before = (world.picture(), support::picture_of(&world.data));
    assert!(offered(&world, &["put", "Downloads/e"]).is_empty(), "codes of the terminal stay off the line");
    assert!(offered(&world, &["search", "folder", "is", "evil"]).is_empty());
    // What the catalogue knows is offered although the place is away, and nothing of the place is.
    fs::rename(&world.shelves, world.at("away")).unwrap();
    assert_eq!(offered(&world, &["put", "x", "--on", "2/O"]), ["2/Oars"]);
    fs::rename(world.at("away"), &world.shelves).unwrap();
    world.old_file(&world.shelves.join("2 Loans/Sails/new.txt"), "new");
    assert!(offered(&world, &["put", "x", "--on", "2/S"]).is_empty(), "no place is read");
    fs::remove_dir_all(world.shelves.join("2 Loans/Sails")).unwrap();
    assert_eq!((world.picture(), support::picture_of(&world.data)), before);
    // Without a catalogue, and without a configuration that can be read, the words of the language are left.
    fs::remove_file(world.data.join("catalogue.sqlite")).unwrap();
    assert_eq!(offered(&world, &["put", "x", "--on", "Lo"]), ["Loans"]);
    assert!(offered(&world, &["tag", "drop", "t"]).is_empty());
    assert!(!world.data.join("catalogue.sqlite").exists());
    world.config("[nonsense");
    assert!(offered(&world, &["tidy", "d"]).is_empty());
    assert_eq!(offered(&world, &["tid"]), ["tidy"]);
}

/// A shell that has been told what `nine completions` says, on a terminal of its own.
fn shell(world: &World, shell: &str) -> Option<Screen> {
    let told = world.nine(&["completions", shell]).ends(0).warns("Add this line to").out;
    let bin = world.at("bin");
    fs::create_dir_all(&bin).unwrap();
    let _ = std::os::unix::fs::symlink(env!("CARGO_BIN_EXE_nine"), bin.join("nine"));
    let (file, text, words): (_, _, &[&str]) = match shell {
        "bash" => (".bashrc", format!("PS1='$ '\n{told}"), &["-i"]),
        "zsh" => (".zshrc", format!("PS1='$ '\nautoload -U compinit; compinit -u\n{told}"), &["-i"]),
        _ => {
            fs::create_dir_all(world.at(".config/fish")).unwrap();
            (".config/fish/config.fish", format!("function fish_prompt; echo '$ '; end\n{told}"), &["-i"])
        }
    };
    fs::write(world.at(file), text).unwrap();
    let program = ["/usr/bin", "/bin"].map(|folder| format!("{folder}/{shell}"));
    let Some(program) = program.iter().find(|program| fs::exists(program).unwrap_or(false)) else {
        assert!(std::env::var_os("CI").is_none(), "{shell} is to be installed");
        return None;
    };
    let from = world.command(&[]);
    let mut command = Command::new(program);
    command.args(words).envs(from.get_envs().filter_map(|(name, value)| Some((name, value?))));
    command
        .env("PATH", format!("{}:/usr/bin:/bin", bin.display()))
        .env("TERM", "xterm")
        .env("SHELL", program);
    let screen = Screen::of(&command, world, (30, 100), PLAIN);
    screen.until("$");
    Some(screen)
}

/// The same words in each shell: what is typed, and the line that comes of it after the key that completes.
fn completes(name: &str) {
    let world = world();
    let Some(screen) = shell(&world, name) else { return };
    for (typed, wanted) in [
        ("nine tid", "nine tidy"),
        ("nine put x --on 2/Kit", "nine put x --on 2/Kittiwake/"),
        ("nine search lender is Kit", "nine search lender is Kittiwake\\ Society"),
        ("nine search lender is \"Harr", "nine search lender is \"Harrow Dock Trust\""),
        ("nine search type ima", "nine search type image"),
        ("nine rule drop loa", "nine rule drop loan\\ papers"),
        ("nine search --empty", "nine search --empty-folders"),
    ] {
        // The line before it is thrown away.
        screen.keys(&["\x15"]).until_so("an empty line", || line(&screen) == "$");
        screen.keys(&[typed]).until(typed).keys(&["\t"]);
        screen.until_so(&format!("{wanted} in {name}"), || line(&screen) == format!("$ {wanted}"));
    }
}

/// The line that is being typed: the last one with the sign of the shell.
fn line(screen: &Screen) -> String {
    let text = screen.text();
    let last = text.lines().rev().find(|line| line.starts_with('$'));
    last.unwrap_or_default().trim_end().to_owned()
}

#[test]
fn bash_completes() {
    completes("bash");
}

#[test]
fn zsh_completes() {
    completes("zsh");
}

#[test]
fn fish_completes() {
    completes("fish");
}
