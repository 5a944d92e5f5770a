//! The state in one sentence.

use maud::{Markup, html};
use nine_core::amount::{count, counted, readable};
use nine_engine::report::{Report, ReportPlace};

/// `387 files lie loose in desktop and downloads, 25 fewer than a week ago; …`
pub fn state(report: &Report) -> Markup {
    let told = [Some(loose(report)), odd(report), copies(report), shelves(report), archive(report)];
    let told: Vec<String> = told.into_iter().flatten().collect();
    html! { (told.join("; ")) "." }
}

fn loose(report: &Report) -> String {
    let piles: Vec<&ReportPlace> = report.places.iter().filter(|place| place.pile).collect();
    if piles.is_empty() {
        let files = report.places.iter().map(|place| place.files).sum();
        return counted(files, "file lies here", "files lie here");
    }
    let loose: u64 = piles.iter().map(|place| place.loose).sum();
    let names: Vec<&str> = piles.iter().map(|place| place.place.as_str()).collect();
    let lie = match loose {
        0 => "Nothing lies loose".to_owned(),
        1 => "1 file lies loose".to_owned(),
        many => format!("{} files lie loose", count(many)),
    };
    format!("{lie} in {}{}", listed(&names), since_last_week(report))
}

/// `desktop, downloads and papers`, or how many there are.
fn listed(names: &[&str]) -> String {
    match names {
        [] => String::new(),
        [one] => (*one).to_owned(),
        [first @ .., last] if names.len() <= 4 => format!("{} and {last}", first.join(", ")),
        many => format!("{} piles", many.len()),
    }
}

/// Only where both weeks were counted: else it may not be so.
fn since_last_week(report: &Report) -> String {
    let [.., before, now] = report.weeks.as_slice() else { return String::new() };
    if !before.counted {
        return String::new();
    }
    match (before.loose, now.loose) {
        (before, now) if now < before => format!(", {} fewer than a week ago", count(before - now)),
        (before, now) if now > before => format!(", {} more than a week ago", count(now - before)),
        _ => ", as many as a week ago".to_owned(),
    }
}

fn odd(report: &Report) -> Option<String> {
    let odd: usize = report.places.iter().flat_map(|place| &place.odd).map(|odd| odd.items).sum();
    (odd > 0).then(|| format!("{} odd", counted(odd as u64, "thing is", "things are")))
}

fn copies(report: &Report) -> Option<String> {
    let won = report.copies.to_be_won;
    (won > 0).then(|| format!("copies take {}", readable(won)))
}

fn shelves(report: &Report) -> Option<String> {
    let bookcases: Vec<&ReportPlace> = report.places.iter().filter(|place| place.bookcase).collect();
    let wrong: usize = bookcases.iter().map(|place| place.wrong.len()).sum();
    match (bookcases.is_empty(), wrong) {
        (true, _) => None,
        (false, 0) => Some("nothing is wrong with the shelves".to_owned()),
        (false, many) => Some(format!("on the shelves there {} to look at", counted_is(many))),
    }
}

fn counted_is(many: usize) -> String {
    format!("{} {}", if many == 1 { "is" } else { "are" }, counted(many as u64, "thing", "things"))
}

fn archive(report: &Report) -> Option<String> {
    let bytes: u64 = report.archive.iter().map(|dated| dated.bytes).sum();
    (!report.archive.is_empty()).then(|| format!("{} are archived", readable(bytes)))
}
