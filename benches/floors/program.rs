//! The built program as a whole: how long it takes from its start to its end, and its memory.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Builds the program as a package has it; returns where it is.
pub fn build() -> PathBuf {
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let built =
        Command::new(cargo).args(["build", "--profile", "dist", "--quiet", "-p", "nine-shelves"]).status();
    assert!(built.expect("cargo starts").success(), "the program is built");
    let here = std::env::current_exe().expect("this program has a path");
    let target = here.ancestors().nth(3).expect("it lies in target/release/deps");
    target.join("dist").join("nine")
}

/// A home for the program: a pile, a bookcase with two shelves beside `home`, and these rules.
pub fn configure(home: &Path, pile: &Path, rules: &str) {
    let case = home.with_file_name("case");
    for folder in [home, &case.join("1 Papers"), &case.join("2 Pictures")] {
        std::fs::create_dir_all(folder).expect("a folder is made");
    }
    let config = format!(
        "[pile.pile]\nat = '{}'\nbirths = \"ignore\"\nsettle = \"0min\"\n\n[bookcase.case]\nat = '{}'\n\
         shelves = [\"Papers\", \"Pictures\"]\n\n{rules}",
        pile.display(),
        case.display()
    );
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
}

/// Runs a command to its end; its output goes nowhere.
pub fn run(program: &Path, home: &Path, words: &[&str]) -> Duration {
    run_into(program, home, words, Path::new("/dev/null"))
}

/// The same with its output in a file.
pub fn run_into(program: &Path, home: &Path, words: &[&str], file: &Path) -> Duration {
    let start = Instant::now();
    let output = std::fs::File::create(file).expect("a file is made");
    let status = command(program, home, words).stdout(output).status().expect("it starts");
    let time = start.elapsed();
    assert!(status.success(), "{words:?}");
    time
}

fn command(program: &Path, home: &Path, words: &[&str]) -> Command {
    let mut command = Command::new(program);
    command.args(words).env("NINE_HOME", home).env("LC_ALL", "C.UTF-8").stdin(Stdio::null());
    command.stdout(Stdio::null()).stderr(Stdio::null());
    command
}

/// Runs a command to its end, its output in a file: how long it took, and the most memory that it had, in bytes.
pub fn measured(program: &Path, home: &Path, words: &[&str], file: &Path) -> (Duration, u64) {
    let start = Instant::now();
    let output = std::fs::File::create(file).expect("a file is made");
    let mut child = command(program, home, words).stdout(output).spawn().expect("it starts");
    let most = watched(&mut child);
    let time = start.elapsed();
    assert!(child.wait().expect("it can be waited for").success(), "{words:?}");
    (time, most)
}

/// The most memory that a command had, in bytes, as far as looks at it every so often can tell.
pub fn peak_memory(program: &Path, home: &Path, words: &[&str]) -> u64 {
    let mut child = command(program, home, words).spawn().expect("it starts");
    let most = watched(&mut child);
    assert!(child.wait().expect("it can be waited for").success(), "{words:?}");
    most
}

fn watched(child: &mut std::process::Child) -> u64 {
    let status = format!("/proc/{}/status", child.id());
    let mut most = 0;
    while child.try_wait().expect("it can be waited for").is_none() {
        let text = std::fs::read_to_string(&status).unwrap_or_default();
        let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = line.and_then(|line| line.split_whitespace().next()?.parse::<u64>().ok());
        most = most.max(kib.unwrap_or(0) * 1024);
        std::thread::sleep(Duration::from_micros(200));
    }
    most
}
