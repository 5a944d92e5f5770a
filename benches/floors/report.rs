//! A report on the tree, against a search that only brings the catalogue up to date.

use crate::figures::{Figures, Pair};
use crate::{Ground, program};

pub fn section(figures: &mut Figures, ground: &Ground) {
    let (nine, home) = (ground.program(), ground.folder("reports"));
    std::fs::create_dir_all(&home).expect("a folder is made");
    let config = format!("[pile.pile]\nat = '{}'\n", ground.tree().display());
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
    figures.begin(&format!("A report on {} files", ground.files));
    let report = ["report"];
    let pair = Pair::measure(
        || program::run(nine, &home, &["search", "name is nothing"]),
        || program::run(nine, &home, &report),
    );
    figures.ratio("report", "a refresh, by a search", Some(1.3), &pair);
    let pages = std::fs::read_dir(home.join("reports")).expect("there are reports").flatten();
    let largest = pages.filter_map(|page| Some(page.metadata().ok()?.len())).max().unwrap_or(0);
    figures.at_most("report: the page", (largest / 1000) as f64, 1500.0, "KB");
    let memory = program::peak_memory(nine, &home, &report) / 1_000_000;
    figures.at_most("report: memory", memory as f64, 300.0, "MB");
}
