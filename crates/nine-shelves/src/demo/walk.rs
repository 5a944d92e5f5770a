//! The walk: a line of explanation, the command as one would type it, and what it prints.

use std::io::{IsTerminal, Write};
use std::process::Command;

use nine_core::escape::escape;

use super::drive;
use super::world::Made;
use crate::failure::{Done, Failure};
use crate::output::style::{CHANGE, FAINT, STRONG};

/// A station of the walk: what it shows, and the command's words.
struct Station {
    tells: &'static str,
    words: &'static [&'static str],
}

const STATIONS: [Station; 34] = [
    Station {
        tells: "It is Monday morning. Is the configuration sound, are the places there? One shelf was renamed by hand; it is found by its number.",
        words: &["check"],
    },
    Station {
        tells: "First a look. What lies on desktop and downloads, how old is it, what is odd about it?",
        words: &["survey"],
    },
    Station {
        tells: "Everything below all places is one list, wherever it lies: pictures that nobody touched for three months.",
        words: &["search", "type", "image", "and", "idle", "over", "90d"],
    },
    Station {
        tells: "The words inside count too. The downloads have them kept; which papers speak of the sextant?",
        words: &["search", "text", "has", "sextant", "--in", "downloads"],
    },
    Station {
        tells: "A search worth repeating gets a name. With --display it is a folder of links for any program as well.",
        words: &[
            "search",
            "name",
            "has",
            "loan",
            "and",
            "type",
            "document",
            "--save",
            "loans",
            "--display",
            "--limit",
            "3",
        ],
    },
    Station { tells: "What is saved, and what each finds now.", words: &["search", "--list"] },
    Station {
        tells: "Tags are kept with the files, where other programs see them.",
        words: &["tag", "add", "insured", "--where", "name", "has", "insurance", "--yes"],
    },
    Station {
        tells: "What would the rules do with desktop and downloads? Nothing changes without a yes.",
        words: &["tidy", "desktop", "downloads"],
    },
    Station {
        tells: "One paper stays behind although it is called .pdf. Why?",
        words: &["why", "downloads/statement.pdf"],
    },
    Station {
        tells: "The list looks right: carry it out.",
        words: &["tidy", "desktop", "downloads", "--yes"],
    },
    Station { tells: "What was carried out is in the daybook.", words: &["history"] },
    Station {
        tells: "Second thoughts: take the whole run back. Every item returns to its old place, and folders made for it go.",
        words: &["undo", "--yes"],
    },
    Station { tells: "The tags can go the same way.", words: &["undo", "--yes"] },
    Station {
        tells: "The hardest heap: 160 papers with careless names. Who lent it, what is it, which season? The answers are known, so each name can be read.",
        words: &["search", "--in", "papers", "--by", "lender", "--totals"],
    },
    Station {
        tells: "How sure is that? Every answer says which words it was read from.",
        words: &["why", "papers/apr 30 lteter lantern row archive.PDF"],
    },
    Station {
        tells: "An automatic answer may be wrong. The proposal goes into a table, what is in doubt first, to be looked through and edited.",
        words: &["tidy", "papers", "--worklist", "papers.csv"],
    },
    Station { tells: "As the table stands, it is carried out.", words: &["carry", "papers.csv", "--yes"] },
    Station { tells: "That can be taken back like any other run.", words: &["undo", "--yes"] },
    Station {
        tells: "By hand it goes too: every mail onto a shelf, into a folder that is made for it.",
        words: &["put", "--where", "type", "mail", "--on", "6/Mail/2031"],
    },
    Station {
        tells: "A telephone was emptied into a folder. Most of its photos are sorted already, under other names. Which is there twice, and which one stays?",
        words: &["copies", "Phone import", "documents", "--limit", "3"],
    },
    Station {
        tells: "Before the import goes, the other question: what of it is nowhere on the shelves?",
        words: &["compare", "Phone import", "documents"],
    },
    Station {
        tells: "What the shelves surely hold can go into the trash; each is compared byte by byte once more.",
        words: &["compare", "Phone import", "documents", "--discard-found", "--yes"],
    },
    Station { tells: "And back again.", words: &["undo", "--yes"] },
    Station {
        tells: "The shelves themselves: what is on them, what is tangled, and which command mends it?",
        words: &["shelves"],
    },
    Station {
        tells: "Two folders are called Tides 2031. They become one; what both hold is recognised as a copy.",
        words: &["put", "documents/6 Office/Tides 2031", "--on", "1/Tides 2031", "--merge", "--yes"],
    },
    Station { tells: "That goes back too.", words: &["undo", "--yes"] },
    Station {
        tells: "What has been of no use for two years goes out of sight, with the folders that it lay in and a checksum for every file.",
        words: &["archive", "--yes"],
    },
    Station { tells: "Is it whole?", words: &["archive", "verify"] },
    Station {
        tells: "It is out of sight and not lost: a search finds it, marked.",
        words: &["search", "name", "has", "label"],
    },
    Station {
        tells: "And it comes back to where it was.",
        words: &["retrieve", "--where", "name", "has", "label-printer", "--yes"],
    },
    Station { tells: "Back into the archive;", words: &["undo", "--yes"] },
    Station { tells: "and all out of it again.", words: &["undo", "--yes"] },
    Station {
        tells: "In a hurry: all that lies loose on the desktop into one folder with the day's date.",
        words: &["sweep", "desktop"],
    },
    Station { tells: "All runs stay in the daybook.", words: &["history"] },
];

/// What is shown of the drive.
const ON_THE_DRIVE: [Station; 11] = [
    Station {
        tells: "The museum has a cloud drive, too. A few lines make it a pile and a bookcase like the others. What can it do, and what differs therefore?",
        words: &["check"],
    },
    Station { tells: "What lies on it?", words: &["survey", "drive"] },
    Station {
        tells: "The same rules file it: on its own shelves without anything being brought down, one loan paper on the shelf at home, and what the board would see is in doubt.",
        words: &["tidy", "drive"],
    },
    Station { tells: "Carry it out.", words: &["tidy", "drive", "--yes"] },
    Station {
        tells: "A folder of the desktop goes up, with its times, and is read back before the original goes.",
        words: &["put", "desktop/Tides", "--on", "cloud/3", "--yes"],
    },
    Station {
        tells: "Which files on the drive are at home as well? Names and sizes cost nothing; whole files are not read unasked.",
        words: &["copies", "drive", "documents"],
    },
    Station {
        tells: "That is little. Let them be read.",
        words: &["copies", "drive", "documents", "--read-drive", "--limit", "2"],
    },
    Station {
        tells: "A discarded file stays on the drive, in a folder with the day's date.",
        words: &["discard", "drive/volunteer rota.xlsx", "--yes"],
    },
    Station { tells: "Everything can be taken back: the discard,", words: &["undo", "--yes"] },
    Station { tells: "the folder that went up,", words: &["undo", "--yes"] },
    Station { tells: "and what the rules filed.", words: &["undo", "--yes"] },
];

/// How many lines are shown of the end of a long output.
const LINES: usize = 5;

/// Walks through the job by running this very program.
///
/// # Errors
/// If it cannot be started, or a command fails.
pub fn walk(made: &Made) -> Done {
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
    run(made, station)?;
    Ok(writeln!(out)?)
}

/// Words as one would type them.
fn typed(words: &[&str]) -> String {
    let quoted = |word: &&str| if word.contains(' ') { format!("'{word}'") } else { (*word).to_owned() };
    words.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

/// Runs a command in the sample world.
fn run(made: &Made, station: &Station) -> Done {
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
pub fn tell_how_to_go_on(made: &Made) -> Done {
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
