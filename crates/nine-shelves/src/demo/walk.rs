//! The walk: a line of explanation, the command as one would type it, and what it prints.

use std::io::Write;
use std::process::Command;

use nine_core::escape::escape;

use super::world::Made;
use crate::error::{Done, Failure};
use crate::output::style::{CHANGE, FAINT, STRONG};
use crate::session::Session;

/// A station of the walk: what it shows, and the command's words.
struct Station {
    tells: &'static str,
    words: &'static [&'static str],
}

const STATIONS: [Station; 7] = [
    Station {
        tells: "It is Monday morning. Is the configuration sound, are the places there? One shelf was renamed by hand; it is found by its number.",
        words: &["check"],
    },
    Station {
        tells: "What would the rules do with desktop and downloads? Nothing changes without a yes.",
        words: &["tidy"],
    },
    Station {
        tells: "One paper stays behind although it is called .pdf. Why?",
        words: &["why", "downloads/statement.pdf"],
    },
    Station {
        tells: "The list looks right: carry it out.",
        words: &["tidy", "--yes", "--format", "paths"],
    },
    Station {
        tells: "What was carried out is in the daybook.",
        words: &["history"],
    },
    Station {
        tells: "Second thoughts: take the whole run back. Every item returns to its old place, and folders made for it go.",
        words: &["undo", "--yes", "--format", "paths"],
    },
    Station {
        tells: "Both runs stay in the daybook.",
        words: &["history"],
    },
];

/// How many lines of a long list of paths are shown.
const LINES: usize = 6;

/// Walks through the job by running this very program.
///
/// # Errors
/// If it cannot be started, or a command fails.
pub fn walk(made: &Made, session: &Session) -> Done {
    let mut out = anstream::stdout();
    let root = escape(made.root.as_os_str().as_encoded_bytes());
    writeln!(
        out,
        "{STRONG}Tern Quay, a small boat museum.{STRONG:#} The sample world of its exhibitions coordinator:"
    )?;
    writeln!(out, "{} items in {root}\n", made.items)?;
    for (at, station) in STATIONS.iter().enumerate() {
        writeln!(out, "{STRONG}{}.{STRONG:#} {}", at + 1, station.tells)?;
        writeln!(
            out,
            "   {CHANGE}$ nine {}{CHANGE:#}\n",
            station.words.join(" ")
        )?;
        out.flush()?;
        run(made, station)?;
        writeln!(out)?;
    }
    tell_how_to_go_on(made, session)
}

/// Runs a command in the sample world.
fn run(made: &Made, station: &Station) -> Done {
    let program = std::env::current_exe()?;
    let mut command = Command::new(program);
    command
        .arg("--home")
        .arg(&made.home)
        .arg("--today")
        .arg(&made.now)
        .args(station.words);
    // The preview is shown, not asked about: the walk goes on by itself.
    command.stdin(std::process::Stdio::null());
    let lists_paths = station.words.contains(&"paths");
    let status = if lists_paths {
        let output = command.stderr(std::process::Stdio::inherit()).output()?;
        print_some(&output.stdout)?;
        output.status
    } else {
        command.status()?
    };
    if status.code().is_none_or(|code| code > 1) {
        return Err(Failure::system(format!(
            "`nine {}` ended with {status}",
            station.words.join(" ")
        )));
    }
    Ok(())
}

/// Prints the first lines of a list, and how many more there are.
fn print_some(listed: &[u8]) -> Done {
    let mut out = anstream::stdout();
    let lines: Vec<&[u8]> = listed
        .split(|b| *b == b'\n')
        .filter(|line| !line.is_empty())
        .collect();
    for line in lines.iter().take(LINES) {
        writeln!(out, "{}", escape(line))?;
    }
    if lines.len() > LINES {
        writeln!(out, "{FAINT}… and {} more{FAINT:#}", lines.len() - LINES)?;
    }
    Ok(())
}

/// Says how to go on by hand.
///
/// # Errors
/// If nobody reads it.
pub fn tell_how_to_go_on(made: &Made, _session: &Session) -> Done {
    let mut out = anstream::stdout();
    let home = escape(made.home.as_os_str().as_encoded_bytes());
    writeln!(out, "{STRONG}Go on by hand{STRONG:#} in the same world:\n")?;
    writeln!(out, "   export NINE_HOME='{home}' NINE_TODAY={}", made.now)?;
    writeln!(
        out,
        "   nine tidy                          shows, asks, carries out"
    )?;
    writeln!(
        out,
        "   nine why 'desktop/todo monday.md'  why it stays where it is"
    )?;
    writeln!(
        out,
        "   nine undo                          takes the last run back\n"
    )?;
    writeln!(
        out,
        "{FAINT}The rules are in {home}/shelves.toml. Remove the folder when you are done with it.{FAINT:#}"
    )?;
    Ok(())
}
