//! `nine demo`: the sample world, and a walk through the job in it.

use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::process::Command;

use clap::Args;
use nine_core::escape::escape;
use nine_demo::walk::{ON_THE_DRIVE, STATIONS, Station};
use nine_demo::{Error, Made, drive, make};

use crate::failure::{Done, Failure};
use crate::output::style::{CHANGE, FAINT, STRONG};

/// Make the sample world and walk through the whole job
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine demo                     in a new folder under the system's temporary folder\n  nine demo ~/tern-quay         in a folder of your own; it must be new or empty\n  nine demo ~/tern-quay --serve its cloud drive, to go on with by yourself"
)]
pub struct DemoArgs {
    /// Where to make the sample world
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
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
    walk(&made)
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

/// Walks through the job by running this very program.
///
/// # Errors
/// If it cannot be started, or a command fails.
fn walk(made: &Made) -> Done {
    let mut out = anstream::stdout();
    let root = escape(made.root.as_os_str().as_encoded_bytes());
    writeln!(
        out,
        "{STRONG}Tern Quay, a small boat museum.{STRONG:#} The sample world of its exhibitions coordinator:"
    )?;
    writeln!(out, "{} items in {root}\n", made.items)?;
    for (at, station) in STATIONS.iter().enumerate() {
        stop_at(made, at + 1, station)?;
    }
    let drive = drive::open(&made.root)?;
    for (at, station) in ON_THE_DRIVE.iter().enumerate() {
        stop_at(made, STATIONS.len() + at + 1, station)?;
    }
    drive::close(&made.root, drive)?;
    tell_how_to_go_on(made)
}

fn stop_at(made: &Made, number: usize, station: &Station) -> Done {
    let mut out = anstream::stdout();
    writeln!(out, "{STRONG}{number}.{STRONG:#} {}", station.tells)?;
    writeln!(out, "   {CHANGE}$ nine {}{CHANGE:#}\n", typed(station.words))?;
    out.flush()?;
    run_station(made, station)?;
    Ok(writeln!(out)?)
}

/// Words as one would type them.
fn typed(words: &[&str]) -> String {
    let quoted = |word: &&str| if word.contains(' ') { format!("'{word}'") } else { (*word).to_owned() };
    words.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

/// Runs a command in the sample world.
fn run_station(made: &Made, station: &Station) -> Done {
    let program = std::env::current_exe()?;
    let mut command = Command::new(program);
    command.current_dir(&made.root);
    command.arg("--home").arg(&made.home).arg("--today").arg(&made.now).args(station.words);
    // The preview is shown, not asked about: the walk goes on by itself.
    command.stdin(std::process::Stdio::null());
    // What is carried out was shown before; its end tells what came of it.
    let status = if station.words.contains(&"--yes") {
        if std::io::stdout().is_terminal() {
            command.arg("--color").arg("always");
        }
        let output = command.stderr(std::process::Stdio::inherit()).output()?;
        print_end(&output.stdout)?;
        output.status
    } else {
        command.status()?
    };
    if status.code().is_none_or(|code| code > 1) {
        return Err(Failure::system(format!("`nine {}` ended with {status}", station.words.join(" "))));
    }
    Ok(())
}

/// Prints the last lines of an output, and how many stand before them.
fn print_end(printed: &[u8]) -> Done {
    let mut out = anstream::stdout();
    let text = String::from_utf8_lossy(printed);
    let lines: Vec<&str> = text.lines().collect();
    let before = lines.len().saturating_sub(LINES);
    if before > 0 {
        writeln!(out, "{FAINT}({before} lines of the list left out here){FAINT:#}")?;
    }
    for line in &lines[before..] {
        writeln!(out, "{line}")?;
    }
    Ok(())
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
        "   nine put --where type mail --on 6  files by hand\n   nine copies --similar              pictures that look alike\n   nine archive pack 2031-04-07       after nine archive: one file in its place\n   nine undo                          takes the last run back\n"
    )?;
    let root = escape(made.root.as_os_str().as_encoded_bytes());
    writeln!(out, "The cloud drive is served again, in another terminal, by: nine demo --serve '{root}'\n")?;
    writeln!(
        out,
        "{FAINT}The rules are in {home}/shelves.toml. Remove the folder when you are done with it.{FAINT:#}"
    )?;
    Ok(())
}
