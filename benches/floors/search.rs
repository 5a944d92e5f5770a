//! Searches of a catalogue of many rows, each by the program started anew; and its bare start.

use std::path::Path;

use crate::figures::{Figures, Pair, ROUNDS, times};
use crate::{Ground, look, program};

/// What is asked, with what it is to take at most, in milliseconds.
const SEARCHES: [(&str, u32, &str); 12] = [
    ("by type", 25, "type slides,video"),
    ("by size", 25, "size over 2990MB"),
    ("by age", 25, "age over 90mo"),
    ("by tag", 25, "tag loans"),
    ("by a word inside", 25, "text has ledger and text has sextant"),
    ("by a camera", 100, "camera has ombra"),
    ("by when it was taken", 100, "taken on 2029"),
    ("by its width", 100, "width over 5900"),
    ("by a part of the title", 100, "title has 99999"),
    ("by a part of the name", 40, "name has 99999"),
    ("by a part of the path", 100, "path has \"folder 77\""),
    ("by an expression", 100, "name matches ledger.*7$"),
];

pub fn section(figures: &mut Figures, ground: &Ground) {
    let (nine, home, place) = (ground.program(), ground.folder("nine"), ground.folder("place"));
    configure(&home, &place);
    look::catalogue_of(&home.join("catalogue.sqlite"), &place, ground.rows);
    figures.begin(&format!("A catalogue of {} rows, from the start of the program to its end", ground.rows));
    let mut most = 0;
    for (what, goal, condition) in SEARCHES {
        let words = ["search", "--known", "--limit", "20", condition];
        let runs = times(ROUNDS * 3, || program::run(nine, &home, &words));
        figures.seconds(&format!("search {what}"), &runs, f64::from(goal) / 1e3);
        most = most.max(program::peak_memory(nine, &home, &words));
    }
    figures.at_most("search: memory", (most / 1_000_000) as f64, 100.0, "MB");
    start(figures, ground, &place);
}

fn configure(home: &Path, place: &Path) {
    std::fs::create_dir_all(home).expect("a folder is made");
    std::fs::create_dir_all(place).expect("a folder is made");
    let config = format!("[pile.place]\nat = '{}'\n", place.display());
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
}

/// The program's start, against that of one that does nothing.
fn start(figures: &mut Figures, ground: &Ground, place: &Path) {
    let (nine, home, nothing) = (ground.program(), ground.folder("empty"), Path::new("/bin/true"));
    configure(&home, place);
    look::catalogue_of(&home.join("catalogue.sqlite"), place, 10);
    let bare = || program::run(nothing, &home, &[]);
    let rounds = ROUNDS * 9;
    let help = Pair::measure_times(rounds, bare, || program::run(nine, &home, &["--help"]));
    figures.ratio("start: --help", "/bin/true", Some(2.0), &help);
    let open = || program::run(nine, &home, &["search", "--known", "empty"]);
    let open = Pair::measure_times(rounds, bare, open);
    figures.ratio("start: with the catalogue open", "/bin/true", Some(3.0), &open);
}
