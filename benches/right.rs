//! How often the program is right, against truth that it did not make: answers of facets and dates read from bad
//! names, and types told from content.
//!
//! `cargo bench -p nine-benches --bench right` prints every figure with its goal; `-- show` also what was missed.
#![allow(clippy::print_stdout, missing_docs)]

#[path = "chance.rs"]
mod chance;
#[path = "right/facets.rs"]
mod facets;
#[path = "right/filed.rs"]
mod filed;
#[path = "../crates/nine-stores/tests/formats/looks.rs"]
mod looks;
#[path = "../crates/nine-stores/tests/formats/samples.rs"]
mod samples;
#[path = "right/suggestions.rs"]
mod suggestions;
#[path = "right/types.rs"]
mod types;

use jiff::tz::TimeZone;
use nine_core::moment::Now;

fn main() {
    let shows = std::env::args().any(|word| word == "show");
    let now = Now::parse("2031-04-07T09:00", &TimeZone::UTC).expect("a time");
    if std::env::args().any(|word| word == "times") {
        return suggestions::times(&now);
    }
    // `-- suggestions` prints these alone.
    suggestions::figures(&now, shows);
    if std::env::args().any(|word| word == "suggestions") {
        return;
    }
    facets::measure(&now, shows);
    types::measure(shows);
}

/// A share, printed with its goal.
pub struct Figure {
    what: String,
    part: usize,
    whole: usize,
}

impl Figure {
    pub fn share(what: &str, part: usize, whole: usize) -> Self {
        Self { what: what.to_owned(), part, whole }
    }

    fn percent(&self) -> f64 {
        self.part as f64 * 100.0 / self.whole.max(1) as f64
    }

    pub fn at_least(&self, goal: f64) {
        self.print(&format!("goal {goal} or more"), self.percent() >= goal);
    }

    pub fn at_most(&self, goal: f64) {
        self.print(&format!("goal {goal} or less"), self.percent() <= goal);
    }

    fn print(&self, goal: &str, is_met: bool) {
        let met = if is_met { "" } else { "  missed" };
        println!(
            "  {:<52} {:>7.2} %  {} of {}  {goal}{met}",
            self.what,
            self.percent(),
            self.part,
            self.whole
        );
    }
}
