//! Faults of the program itself, and files that make a reader of theirs misbehave: a command ends, in time and with words.

use std::fs;
use std::os::unix::fs::MetadataExt;
use std::process::Command;
use std::time::{Duration, Instant};

use super::support::{Ran, World, start_on, terminal};

/// Far more than anything here takes, on a machine with much else to do.
const PATIENCE: Duration = Duration::from_secs(60);

/// Runs a command that must end by itself.
fn ends_in_time(mut command: Command) -> Ran {
    let child =
        command.stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped()).spawn().unwrap();
    let process = rustix::process::Pid::from_child(&child);
    let (ended, waits) = std::sync::mpsc::channel();
    std::thread::spawn(move || drop(ended.send(child.wait_with_output().unwrap())));
    waits.recv_timeout(PATIENCE).map(Ran::new).unwrap_or_else(|_| {
        let _ = rustix::process::kill_process(process, rustix::process::Signal::KILL);
        panic!("the command hangs");
    })
}

fn world_of_folders() -> World {
    let world = World::new();
    world.rules("[[rule]]\nname = \"all\"\nwhen = \"type document\"\nput = \"1\"\n");
    for folder in 0..20 {
        for file in 0..5 {
            // Some have the same bytes, and are larger than what is read of their ends.
            world.file(&format!("{folder}/{file}.txt"), &format!("{:060000}", file % 3));
        }
    }
    world
}

#[test]
fn a_panic_in_a_worker_ends_the_command_with_an_error_that_names_the_item() {
    for (words, fault) in [
        (&["search", "ext", "txt"][..], "look:30:panic"),
        (&["survey"], "look:30:panic"),
        (&["copies"], "read:3:panic"),
        (&["copies"], "read:40:panic"),
        (&["search", "mislabelled"], "open:3:panic"),
    ] {
        let world = world_of_folders();
        let mut command = world.command(words);
        command.env("NINE_REFUSE", fault);
        let ran = ends_in_time(command)
            .ends(1)
            .warns("internal error while reading ")
            .warns("a panic that a test asked for");
        assert!(ran.err.contains(world.at("Downloads").to_str().unwrap()), "{words:?} {fault}: {}", ran.err);
        assert!(!ran.err.contains("panicked at"), "{}", ran.err);
    }
}

/// There a further thread shows progress, which must end too.
#[test]
fn a_panic_ends_the_command_on_a_terminal() {
    let world = world_of_folders();
    let mut command = world.command(&["survey"]);
    command.env("NINE_REFUSE", "look:30:panic");
    let (main, name) = terminal(50, 100);
    let mut child = start_on(&name, command);
    let begun = Instant::now();
    let status = loop {
        if let Some(status) = child.try_wait().unwrap() {
            break status;
        }
        if begun.elapsed() > PATIENCE {
            child.kill().unwrap();
            panic!("the command hangs");
        }
        std::thread::sleep(Duration::from_millis(10));
    };
    assert_eq!(status.code(), Some(1));
    drop(main);
}

/// The processes that a program has started; see proc_pid_stat(5).
fn children_of(process: u32) -> Vec<u32> {
    let all = fs::read_dir("/proc").unwrap().flatten();
    let all = all.filter_map(|entry| entry.file_name().to_str()?.parse::<u32>().ok());
    let parent = |of: &u32| -> Option<u32> {
        let line = fs::read_to_string(format!("/proc/{of}/stat")).ok()?;
        line.rsplit_once(") ")?.1.split(' ').nth(1)?.parse().ok()
    };
    all.filter(|of| parent(of) == Some(process)).collect()
}

/// What a process has open, sorted.
fn open_files(process: u32) -> Vec<String> {
    let open = fs::read_dir(format!("/proc/{process}/fd")).into_iter().flatten().flatten();
    let kind = |path: std::path::PathBuf| {
        let to = fs::read_link(path).ok()?;
        Some(to.to_str()?.split(':').next()?.to_owned())
    };
    let mut kinds: Vec<String> = open.filter_map(|entry| kind(entry.path())).collect();
    kinds.sort();
    kinds
}

/// The process that reads files has the pipes that it needs, and nothing of the user's environment.
#[test]
fn a_reader_sees_its_pipes_and_no_variable() {
    let world = World::new();
    world.rules("").config(
        &fs::read_to_string(world.data.join("shelves.toml"))
            .unwrap()
            .replace("births", "text = true\nbirths"),
    );
    world.file("endless.txt", "sextant");
    let mut command = world.command(&["why", "downloads/endless.txt"]);
    command
        .env("NINE_READER_MISBEHAVES", "1")
        .env("NINE_READER_PATIENCE_MS", "5000")
        .env("DRIVE_PASSWORD", "secret");
    let mut child =
        command.stdout(std::process::Stdio::null()).stderr(std::process::Stdio::null()).spawn().unwrap();
    let begun = Instant::now();
    let reader = loop {
        // Its questions and answers, and nothing for what libraries print. Whatever started the tests may have left it
        // further ones of these kinds.
        let is_set = |process: &u32| {
            let open = open_files(*process);
            open.len() >= 4 && open.iter().all(|kind| ["/dev/null", "pipe"].contains(&kind.as_str()))
        };
        let found = children_of(child.id()).into_iter().find(is_set);
        if let Some(reader) = found {
            break reader;
        }
        assert!(begun.elapsed() < PATIENCE, "no reader has pipes open and no more");
        std::thread::sleep(Duration::from_millis(5));
    };
    let environment = fs::read(format!("/proc/{reader}/environ")).unwrap();
    let told = "NINE_READER_MISBEHAVES=1\0";
    assert_eq!(String::from_utf8(environment).unwrap(), told, "what a test tells it, and no more");
    assert_eq!(fs::read_link(format!("/proc/{reader}/cwd")).unwrap().to_str(), Some("/"));
    child.wait().unwrap();
}

/// What an office or mail program of old wrote is parsed by the reader, too, which may hang on it.
#[test]
fn a_compound_document_is_parsed_in_the_reader() {
    let world = World::new();
    world.rules("[[rule]]\nname = \"all\"\nwhen = \"type installer\"\nput = \"1\"\n");
    let mut document = cfb::create(world.at("Downloads/endless.txt")).unwrap();
    document.create_stream("/__properties_version1.0").unwrap();
    document.flush().unwrap();
    drop(document);
    let at = world.at("Downloads/endless.txt");
    assert!(fs::metadata(&at).unwrap().size() > 512);
    world.nine(&["why", "downloads/endless.txt"]).ends(0).says("mail");
    let mut command = world.command(&["why", "downloads/endless.txt"]);
    command.env("NINE_READER_MISBEHAVES", "1").env("NINE_READER_PATIENCE_MS", "300");
    let ran = ends_in_time(command).ends(0);
    assert!(!ran.out.contains("Outlook"), "the process that would have told hangs: {}", ran.out);
}
