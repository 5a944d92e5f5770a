//! The guide is true: every command in it is one, and what stands below a command is what it prints.

#[path = "program/support.rs"]
mod support;

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use snapbox::filter::NormalizeToExpected;
use snapbox::{Data, assert_data_eq};

use support::DAY;

/// How many pages are gone through at once.
const THREADS: usize = 4;

fn top() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// All pages that tell a person what to type.
fn pages() -> Vec<PathBuf> {
    let guide = fs::read_dir(top().join("docs/guide")).unwrap().flatten().map(|entry| entry.path());
    let mut pages: Vec<PathBuf> =
        guide.filter(|path| path.extension().is_some_and(|ext| ext == "md")).collect();
    pages.extend(["README.md", "docs/formats.md", "docs/safety.md"].map(|page| top().join(page)));
    pages.sort();
    pages
}

/// The sample world of one page, with its own home folder.
struct Walk {
    dir: tempfile::TempDir,
    /// The day by the clock.
    today: String,
}

impl Walk {
    fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let today = Command::new("date").args(["-u", "+%F"]).output().unwrap();
        let walk = Self { dir, today: String::from_utf8(today.stdout).unwrap().trim().to_owned() };
        let made = walk.command("nine demo world --only-make", ".").output().unwrap();
        assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
        walk
    }

    fn home(&self) -> PathBuf {
        self.dir.path().join("world")
    }

    fn command(&self, line: &str, folder: &str) -> Command {
        let bin = Path::new(env!("CARGO_BIN_EXE_nine")).parent().unwrap();
        let mut command = Command::new("bash");
        command
            .args(["-c", &format!("exec 2>&1; {line}")])
            .env_clear()
            .current_dir(self.dir.path().join(folder));
        command.env("PATH", format!("{}:/usr/bin:/bin", bin.display())).env("HOME", self.home());
        // What is printed for a terminal of some width is the same everywhere where none is there.
        command.env("TZ", "UTC").env("LC_ALL", "C.UTF-8").env("NINE_TODAY", DAY);
        command.env("NINE_HOME", self.home().join("nine")).stdin(std::process::Stdio::null());
        command
    }

    /// What a line prints, and its exit status where that is not 0.
    fn print(&self, line: &str) -> String {
        let output = self.command(line, "world").output().unwrap();
        let text =
            String::from_utf8_lossy(&output.stdout).replace(self.home().to_str().unwrap(), "/home/ada");
        let text: String =
            text.lines().map(|line| format!("{}\n", self.on_the_day(line.trim_end()))).collect();
        match output.status.code() {
            Some(0) => text,
            status => format!("{text}? {}\n", status.unwrap_or(-1)),
        }
    }
}

impl Walk {
    /// A line in which runs were carried out on the day of the sample world, and not when the test was run.
    fn on_the_day(&self, line: &str) -> String {
        let today = self.today.as_str();
        match line.find(today) {
            Some(at) if line[at + today.len()..].starts_with(' ') => {
                format!("{}{}{}", &line[..at], DAY.replace('T', " "), &line[at + today.len() + 6..])
            }
            _ => line.to_owned(),
        }
    }
}

/// The page with what its commands print by now. What stands there stays where it says the same in another way: `...` is
/// any number of lines, `[..]` any text in a line.
fn as_it_is(page: &str) -> String {
    let walk = Walk::new();
    let mut parts = page.split("```console\n");
    let mut whole = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        let (block, rest) = part.split_once("```").expect("a block ends");
        whole.push_str("```console\n");
        for entry in block.split("$ ").skip(1) {
            let (line, expected) = entry.split_once('\n').unwrap_or((entry, ""));
            let expected = expected.trim_end();
            let expected = if expected.is_empty() { String::new() } else { format!("{expected}\n") };
            let printed = format!("{}\n", walk.print(line).trim_end());
            let printed = Data::text(if printed == "\n" { String::new() } else { printed });
            let as_expected = NormalizeToExpected::new().redact().normalize(printed, &Data::text(&expected));
            whole.push_str(&format!("$ {line}\n{as_expected}\n"));
        }
        whole.truncate(whole.trim_end().len());
        whole.push_str("\n```");
        whole.push_str(rest);
    }
    whole
}

#[test]
fn what_stands_below_a_command_is_what_it_prints() {
    let read = |page: PathBuf| (fs::read_to_string(&page).unwrap(), page);
    let told: Vec<(String, PathBuf)> = pages().into_iter().map(read).collect();
    let told: Vec<_> = told.iter().filter(|(text, _)| text.contains("```console\n")).collect();
    let commands: usize = told.iter().map(|(text, _)| text.matches("\n$ ").count()).sum();
    assert!(commands > 40, "{commands} commands");
    // Each page has a world of its own.
    let shares: Vec<_> = told.chunks(told.len().div_ceil(THREADS)).collect();
    let made: Vec<String> = std::thread::scope(|scope| {
        let of_share =
            |share: &&[&(String, PathBuf)]| share.iter().map(|(text, _)| as_it_is(text)).collect::<Vec<_>>();
        let threads: Vec<_> = shares.iter().map(|share| scope.spawn(move || of_share(share))).collect();
        threads.into_iter().flat_map(|thread| thread.join().unwrap()).collect()
    });
    for ((_, page), made) in told.iter().zip(made) {
        assert_data_eq!(made, Data::read_from(page, None).raw());
    }
}

/// The commands that stand in a text: in its blocks, and between single marks of code.
fn commands_in(text: &str) -> Vec<String> {
    let in_blocks = text.lines().filter(|line| line.starts_with("    nine ") || line.starts_with("$ nine "));
    let lines = in_blocks.map(|line| {
        let line = line.trim_start_matches("$ ").trim_start();
        // What it is for stands behind two spaces or a sign of comment.
        line.split("  ").next().unwrap_or_default().split(" #").next().unwrap_or_default().to_owned()
    });
    let inline =
        text.split('`').skip(1).step_by(2).filter(|code| code.starts_with("nine ")).map(str::to_owned);
    lines.chain(inline).collect()
}

/// The words of a command, if they are whole: not with `…`, and only up to what the shell does with them.
fn words_of(line: &str) -> Option<Vec<String>> {
    if line.contains('…') || line.contains('[') {
        return None;
    }
    let line = line.split([';', '|', '>']).next().unwrap_or_default();
    // A number is asked for where the page says which.
    let words = shlex::split(line).unwrap_or_else(|| panic!("a shell does not understand {line}"));
    Some(words.into_iter().map(|word| if word == "RUN" { "12".to_owned() } else { word }).collect())
}

#[test]
fn every_command_that_is_named_is_one() {
    let (mut tried, mut wrong) = (0, Vec::new());
    for page in pages() {
        let text = fs::read_to_string(&page).unwrap();
        for line in commands_in(&text.replace("```console", "").replace("```toml", "").replace("```", "")) {
            let Some(words) = words_of(&line) else { continue };
            tried += 1;
            let Err(error) = nine_shelves::command().try_get_matches_from(&words) else { continue };
            // A command may be spoken of by its name alone, and help is no error.
            let is_name = error.kind() == clap::error::ErrorKind::MissingRequiredArgument && words.len() < 4;
            if error.use_stderr() && !is_name {
                wrong.push(format!("{}: `{line}`: {error}", page.display()));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(tried > 200, "{tried} commands");
}

/// The first block of a kind on the page of formats.
fn example(kind: &str) -> String {
    let page = fs::read_to_string(top().join("docs/formats.md")).unwrap();
    let (_, rest) = page.split_once(&format!("```{kind}\n")).expect(kind);
    rest.split_once("```").unwrap().0.to_owned()
}

#[test]
fn the_examples_of_formats_are_read() {
    let world = support::World::new();
    world.rules(
        "[[rule]]\nname = \"notes\"\nwhen = \"ext txt\"\nput = \"1\"\n\n[archive]\nput = \"3/{today}\"\n",
    );
    // A run of the daybook.
    let daybook = world.data.join("daybook");
    fs::create_dir_all(&daybook).unwrap();
    fs::write(daybook.join("000001.jsonl"), example("jsonl")).unwrap();
    // What a test made is closed to others first.
    world.nine(&["tag"]).ends(0);
    let told = world.nine(&["history", "1"]).ends(0).says("downloads/statement.pdf").says("1 step done");
    assert_eq!(told.err, "", "every line is read");
    world.nine(&["history"]).ends(0).says("2031-04-07 09:15").says("1 moved");
    // A table has the columns that are told.
    world.file("plan.txt", "a plan\n");
    world.nine(&["tidy", "--worklist", "list.csv"]).ends(0);
    assert_eq!(fs::read_to_string(world.at("list.csv")).unwrap(), example("csv"));
    // A dated folder with these lists is whole.
    let dated = world.shelves.join("3 Grants/2031-04-07");
    world.old_file(&dated.join("downloads/plan.txt"), "a plan\n");
    fs::write(dated.join("SHA256SUMS"), example("sums")).unwrap();
    fs::write(dated.join("contents.csv"), example("contents")).unwrap();
    world.nine(&["archive", "list"]).ends(0).says("2031-04-07");
    world.nine(&["archive", "verify"]).ends(0);
    fs::write(dated.join("downloads/plan.txt"), "another").unwrap();
    world.nine(&["archive", "verify"]).ends(1);
}
