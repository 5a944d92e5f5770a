//! `nine demo`: the sample world, and a walk through the job in it.

use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::process::Command;

use clap::Args;
use nine_core::escape::escape;
use nine_demo::walk::{CHAPTERS, Chapter, ON_THE_DRIVE, SHORT, STATIONS, Station};
use nine_demo::{Error, Made, drive, make};

use crate::ask;
use crate::failure::{Done, Failure};
use crate::output::style::{CHANGE, FAINT, STRONG};

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine demo                     a short walk, in a new folder under the system's temporary folder\n  nine demo --all               through the whole job\n  nine demo --chapter copies    look, rules, names, copies, shelves, archive, routine,\n                                examples or drive\n  nine demo ~/tern-quay         in a folder of your own; it must be new or empty\n  nine demo ~/tern-quay --serve its cloud drive, to go on with by yourself"
)]
pub struct DemoArgs {
    /// Where to make the sample world
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// Walk through the whole job
    #[arg(long, conflicts_with_all = ["chapter", "only_make", "serve"])]
    pub all: bool,
    /// Walk through one chapter of it
    #[arg(long, value_name = "NAME", value_parser = chapter_names(), conflicts_with_all = ["only_make", "serve"])]
    pub chapter: Option<String>,
    /// Only make the world and say where it is
    #[arg(long)]
    pub only_make: bool,
    /// Serve the cloud drive of a world that was made before, until it is interrupted
    #[arg(long, conflicts_with = "only_make")]
    pub serve: bool,
}

/// Makes the sample world and walks through the job.
///
/// # Errors
/// If the world cannot be made or a command cannot be started.
pub fn run(args: DemoArgs) -> Done {
    if args.serve {
        let folder = args.folder.as_ref().ok_or_else(|| {
            Failure::words("which sample world's drive?").hint("name its folder: nine demo --serve FOLDER")
        })?;
        return serve(folder);
    }
    let made = make(&folder(&args)?)?;
    if args.only_make {
        return tell_how_to_go_on(&made);
    }
    let mut walk = Walk { made: &made, home: made.home.clone(), most: None };
    match (&args.chapter, args.all) {
        (Some(name), _) => walk.chapters(|chapter| chapter.name == name)?,
        (None, true) => walk.chapters(|_| true)?,
        (None, false) => walk.short()?,
    }
    tell_how_to_go_on(&made)
}

fn chapter_names() -> impl clap::builder::TypedValueParser {
    clap::builder::PossibleValuesParser::new(CHAPTERS.map(|chapter| chapter.name))
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        match error {
            Error::NotEmpty(_) => Failure::words(error.to_string()).hint(
                "name a folder that is new or empty, so that nothing of yours is mixed with the sample",
            ),
            Error::NoWorld { .. } => {
                Failure::words(error.to_string()).hint("make one with nine demo --only-make FOLDER")
            }
            Error::Io(error) => error.into(),
            other => Failure::system(other.to_string()),
        }
    }
}

/// The folder that was named, or a new one under the system's temporary folder.
fn folder(args: &DemoArgs) -> Done<PathBuf> {
    match &args.folder {
        Some(folder) => Ok(folder.clone()),
        None => Ok(tempfile::Builder::new().prefix("tern-quay-").tempdir()?.keep()),
    }
}

/// Serves the drive of a sample world until the program is interrupted.
fn serve(root: &Path) -> Done {
    let root = root.canonicalize().unwrap_or_else(|_| root.to_owned());
    let drive = drive::open(&root)?;
    let mut out = anstream::stdout();
    let home = escape(root.join("nine").as_os_str().as_encoded_bytes());
    writeln!(
        out,
        "{STRONG}The drive is served at {}{STRONG:#}  {FAINT}until you press Ctrl-C{FAINT:#}",
        drive.url()
    )?;
    writeln!(out, "In another terminal: nine --home {home} survey drive")?;
    out.flush()?;
    loop {
        std::thread::park();
    }
}

/// How many lines are shown of the end of a long output.
const LINES: usize = 5;

/// How many are shown of any output on the short walk, which fits on two screens.
const SHORT_LINES: usize = 7;

/// A walk by running this very program.
struct Walk<'m> {
    made: &'m Made,
    /// Where the configuration is.
    home: PathBuf,
    /// How many lines of each output are shown, if not all.
    most: Option<usize>,
}

impl Walk<'_> {
    /// From nothing to shelves and back.
    fn short(&mut self) -> Done {
        self.begin()?;
        self.home = self.made.root.join("begin");
        self.most = Some(SHORT_LINES);
        for (at, station) in SHORT.iter().enumerate() {
            self.stop_at(at + 1, station)?;
        }
        let mut out = anstream::stdout();
        let chapters: Vec<&str> = CHAPTERS.iter().map(|chapter| chapter.name).collect();
        writeln!(
            out,
            "{STRONG}There is more:{STRONG:#} nine demo --all, or --chapter {}\n",
            chapters.join(", ")
        )?;
        Ok(())
    }

    /// The chapters that are wanted of the whole job.
    fn chapters(&self, is_wanted: impl Fn(&Chapter) -> bool) -> Done {
        self.begin()?;
        let stations: Vec<&Station> = STATIONS.iter().chain(&ON_THE_DRIVE).collect();
        let mut drive = None;
        let mut number = 0;
        for chapter in CHAPTERS.iter().filter(|chapter| is_wanted(chapter)) {
            if chapter.name == "drive" {
                drive = Some(drive::open(&self.made.root)?);
            }
            for station in &stations[chapter.stations.clone()] {
                number += 1;
                self.stop_at(number, station)?;
            }
        }
        if let Some(drive) = drive {
            drive::close(&self.made.root, drive)?;
        }
        Ok(())
    }

    fn begin(&self) -> Done {
        let mut out = anstream::stdout();
        let root = escape(self.made.root.as_os_str().as_encoded_bytes());
        writeln!(
            out,
            "{STRONG}Tern Quay, a small boat museum.{STRONG:#} The sample world of its exhibitions coordinator:"
        )?;
        Ok(writeln!(out, "{} items in {root}\n", self.made.items)?)
    }

    fn stop_at(&self, number: usize, station: &Station) -> Done {
        let mut out = anstream::stdout();
        writeln!(out, "{STRONG}{number}.{STRONG:#} {}", station.tells)?;
        writeln!(out, "   {CHANGE}$ nine {}{CHANGE:#}\n", typed(station.words))?;
        out.flush()?;
        self.run(station)?;
        writeln!(out)?;
        self.wait()
    }

    /// Waits for Enter, where a person looks on.
    fn wait(&self) -> Done {
        if self.most.is_none() || !ask::has_person() || !std::io::stdout().is_terminal() {
            return Ok(());
        }
        ask::wait_for_enter("Enter goes on")
    }

    /// Runs a command in the sample world.
    fn run(&self, station: &Station) -> Done {
        let program = std::env::current_exe()?;
        let mut command = Command::new(program);
        command.current_dir(&self.made.root);
        command.arg("--home").arg(&self.home).arg("--today").arg(&self.made.now).args(station.words);
        if self.most.is_some() {
            // The world is the home of somebody who begins.
            command.env("HOME", &self.made.root);
        }
        // The preview is shown, not asked about: the walk goes on by itself.
        command.stdin(std::process::Stdio::null());
        // What is carried out was shown before; its end tells what came of it.
        let ends = station.words.contains(&"--yes");
        let status = if ends || self.most.is_some() {
            if std::io::stdout().is_terminal() {
                command.arg("--color").arg("always");
            }
            if self.most.is_none() {
                command.stderr(std::process::Stdio::inherit());
            }
            let output = command.output()?;
            match (self.most, ends) {
                (Some(most), false) => print_start(&output.stdout, most)?,
                (Some(_), true) => print_end(&output.stdout, LINES)?,
                (None, _) => print_end(&output.stdout, LINES)?,
            }
            output.status
        } else {
            command.status()?
        };
        if status.code().is_none_or(|code| code > 1) {
            return Err(Failure::system(format!("`nine {}` ended with {status}", station.words.join(" "))));
        }
        Ok(())
    }
}

/// Words as one would type them.
fn typed(words: &[&str]) -> String {
    let quoted = |word: &&str| if word.contains(' ') { format!("'{word}'") } else { (*word).to_owned() };
    words.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

/// Prints the last lines of an output, and how many stand before them.
fn print_end(printed: &[u8], most: usize) -> Done {
    let mut out = anstream::stdout();
    let text = String::from_utf8_lossy(printed);
    let lines: Vec<&str> = text.lines().collect();
    let before = lines.len().saturating_sub(most);
    if before > 0 {
        writeln!(out, "{FAINT}({before} lines of the list left out here){FAINT:#}")?;
    }
    for line in &lines[before..] {
        writeln!(out, "{line}")?;
    }
    Ok(())
}

/// Prints the first lines of an output, and the last one, which sums it up.
fn print_start(printed: &[u8], most: usize) -> Done {
    let mut out = anstream::stdout();
    let text = String::from_utf8_lossy(printed);
    let lines: Vec<&str> = text.lines().collect();
    if lines.len() <= most + 2 {
        return Ok(lines.iter().try_for_each(|line| writeln!(out, "{line}"))?);
    }
    lines[..most].iter().try_for_each(|line| writeln!(out, "{line}"))?;
    writeln!(out, "{FAINT}({} lines left out here){FAINT:#}", lines.len() - most - 1)?;
    Ok(writeln!(out, "{}", lines[lines.len() - 1])?)
}

/// Says how to go on by hand.
///
/// # Errors
/// If nobody reads it.
fn tell_how_to_go_on(made: &Made) -> Done {
    let mut out = anstream::stdout();
    let home = escape(made.home.as_os_str().as_encoded_bytes());
    writeln!(out, "{STRONG}Go on by hand{STRONG:#} in the same world:\n")?;
    writeln!(out, "   export NINE_HOME='{home}' NINE_TODAY={}", made.now)?;
    writeln!(out, "   nine search --by folder            everything, folder by folder")?;
    writeln!(out, "   nine survey --odd untitled         what has no real name")?;
    writeln!(out, "   nine tidy                          shows, asks, carries out")?;
    writeln!(out, "   nine why 'desktop/todo monday.md'  why it stays where it is")?;
    writeln!(
        out,
        "   nine review downloads              goes through it item by item\n   nine put --where type mail --on 6  files by hand\n   nine copies --similar              pictures that look alike\n   nine archive pack 2031-04-07       after nine archive: one file in its place\n   nine undo                          takes the last run back\n"
    )?;
    let root = escape(made.root.as_os_str().as_encoded_bytes());
    writeln!(out, "The cloud drive is served again, in another terminal, by: nine demo --serve '{root}'\n")?;
    writeln!(
        out,
        "{FAINT}The rules are in {home}/shelves.toml. Remove the folder when you are done with it.{FAINT:#}"
    )?;
    Ok(())
}
