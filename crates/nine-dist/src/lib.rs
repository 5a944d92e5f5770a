//! What a package of Nine Shelves holds beside the program: pages of the manual, completions, the schema. All of it is
//! made of the same sources as the program and its guide.

mod page;

use std::fs;
use std::io;
use std::path::Path;

pub use page::{Page, page};

/// The pages that are made of the guide.
pub const PAGES: [Page; 3] = [
    Page {
        name: "nine-conditions",
        section: "7",
        about: "the language of rules and searches of nine",
        text: include_str!("../../../docs/guide/conditions.md"),
    },
    Page {
        name: "nine-patterns",
        section: "7",
        about: "where nine puts things and what it calls them",
        text: include_str!("../../../docs/guide/patterns.md"),
    },
    Page {
        name: "shelves.toml",
        section: "5",
        about: "the configuration of nine",
        text: include_str!("../../../docs/guide/configuration.md"),
    },
];

/// The day of the newest release: the first one that the log of changes has.
pub fn released() -> &'static str {
    let log = include_str!("../../../CHANGELOG.md");
    let heading = log.lines().find_map(|line| line.strip_prefix("## ")?.split_once(" - "));
    heading.map_or("", |(_, date)| date)
}

/// Writes the page of a command, and those of the commands below it.
fn pages_of(command: &clap::Command, above: &str, date: &str, folder: &Path) -> io::Result<()> {
    let name = format!("{above}{}", command.get_name());
    let mut text = Vec::new();
    // A page has room for all of it.
    let page = clap_mangen::Man::new(command.clone().mut_args(|arg| arg.hide_short_help(false)));
    let source = concat!("nine ", env!("CARGO_PKG_VERSION"));
    page.title(name.to_uppercase()).date(date).source(source).manual(page::MANUAL).render(&mut text)?;
    fs::write(folder.join(format!("{name}.1")), page::tidied(&String::from_utf8_lossy(&text)))?;
    let below = command.get_subcommands().filter(|sub| !sub.is_hide_set() && sub.get_name() != "help");
    below.into_iter().try_for_each(|sub| pages_of(sub, &format!("{name}-"), date, folder))
}

/// Writes all of it into a folder: `man/`, `completions/` and the schema.
///
/// # Errors
/// If it cannot be written.
pub fn write(folder: &Path) -> io::Result<()> {
    let man = folder.join("man");
    fs::create_dir_all(&man)?;
    let date = released();
    let mut command = nine_shelves::command();
    command.build();
    pages_of(&command, "", date, &man)?;
    for one in &PAGES {
        fs::write(man.join(format!("{}.{}", one.name, one.section)), page(one, date))?;
    }
    let completions = folder.join("completions");
    fs::create_dir_all(&completions)?;
    for (shell, file) in [("bash", "nine"), ("zsh", "_nine"), ("fish", "nine.fish")] {
        let text = nine_shelves::registration(shell)
            .ok_or_else(|| io::Error::other(format!("no words for {shell}")))?;
        fs::write(completions.join(file), text)?;
    }
    fs::write(folder.join(nine_core::config::SCHEMA_NAME), nine_core::config::SCHEMA)
}
