//! Each place: its figures, its types by age, its map, and where it is a bookcase, its shelves.

use maud::{Markup, html};
use nine_core::amount::{count, counted, readable};
use nine_core::survey::{Part, in_words};
use nine_engine::report::{Report, ReportPart, ReportPlace, ReportShelf, ReportSpine};

use super::map::map;
use super::rules::Rules;

/// How many types have a line of their own.
const TYPES: usize = 8;

/// The side of the largest area of the grid, in pixels.
const SIDE: f64 = 40.0;

/// Draws every place.
pub fn section(report: &Report, rules: &Rules) -> Option<Markup> {
    Some(html! {
        @for (at, place) in report.places.iter().enumerate() {
            article.place {
                h3 { bdi { (place.place) } " " span.faint { (kind(place)) } }
                p { (in_words(Part { count: place.files, bytes: place.bytes }, place.folders, place.loose)) }
                @if let Some(since) = &place.known_since {
                    p.doubt { "? It cannot be reached; this is as it was known on " (since) "." }
                }
                @if !place.shelves.is_empty() { (bookcase(place, rules)) }
                div.beside {
                    figure {
                        figcaption { "Folders by size; step into those that are links" }
                        (map(at, &place.map, rules))
                    }
                    (grid(at, place))
                }
            }
        }
    })
}

fn kind(place: &ReportPlace) -> &'static str {
    match (place.pile, place.bookcase) {
        (true, true) => "pile and bookcase",
        (true, false) => "pile",
        (false, true) => "bookcase",
        (false, false) => "folder",
    }
}

/// Types down, ages across, an area each.
fn grid(at: usize, place: &ReportPlace) -> Markup {
    let (told, rest) = place.types.split_at(place.types.len().min(TYPES));
    let mut rows: Vec<(&str, Vec<ReportPart>)> =
        told.iter().map(|of| (of.name.as_str(), of.ages.clone())).collect();
    if let Some(first) = rest.first() {
        let add = |band: usize| {
            let parts = || rest.iter().map(|of| &of.ages[band]);
            ReportPart {
                name: first.ages[band].name.clone(),
                files: parts().map(|part| part.files).sum(),
                bytes: parts().map(|part| part.bytes).sum(),
            }
        };
        rows.push(("others", (0..first.ages.len()).map(add).collect()));
    }
    let most = rows.iter().flat_map(|(_, ages)| ages).map(|part| part.bytes).max().unwrap_or(0).max(1);
    let caption = format!("grid-{at}-caption");
    html! {
        div.scroll tabindex="0" role="region" aria-labelledby=(caption) {
            table.grid {
                caption id=(caption) { "Types in " bdi { (place.place) } " by age: under a week, a month, 3 months, a year, and older; areas are bytes" }
                thead { tr {
                    th scope="col" { "Type" }
                    @for band in &place.ages { th scope="col" { (band.name.trim_start_matches("under ")) } }
                } }
                tbody { @for (name, ages) in &rows { tr {
                    th scope="row" { (name) }
                    @for part in ages { td { (area(part, most)) } }
                } } }
            }
        }
    }
}

fn area(part: &ReportPart, most: u64) -> Markup {
    if part.files == 0 {
        return html! { span.faint { "–" } };
    }
    let side = (SIDE * (part.bytes as f64 / most as f64).sqrt()).max(2.0);
    let side = format!("{side:.1}");
    html! {
        svg.area width=(side) height=(side) aria-hidden="true" {
            rect width=(side) height=(side) rx="1" {}
        }
        span.figures { (count(part.files)) " " span.faint { (readable(part.bytes)) } }
    }
}

fn bookcase(place: &ReportPlace, rules: &Rules) -> Markup {
    let fullest = place.shelves.iter().map(|shelf| shelf.files).max().unwrap_or(0).max(1);
    html! {
        figure {
            figcaption { "The bookcase: a row a shelf, a spine a folder, as wide as its share of the files" }
            ol.bookcase { @for shelf in &place.shelves { (row(shelf, fullest, rules)) } }
        }
    }
}

fn row(shelf: &ReportShelf, fullest: u64, rules: &Rules) -> Markup {
    let figures = match shelf.folders {
        0 => format!("{}, {}", counted(shelf.files, "file", "files"), readable(shelf.bytes)),
        folders => format!(
            "{}, {}; {}, {} deep",
            counted(shelf.files, "file", "files"),
            readable(shelf.bytes),
            counted(folders, "folder", "folders"),
            shelf.deepest
        ),
    };
    let width = rules.percent("width", shelf.files as f64 / fullest as f64);
    html! {
        li.shelf.(shelf.color.as_deref().unwrap_or("plain")) {
            p.title {
                @if let Some(mark) = &shelf.mark { (mark) " " }
                strong { bdi { (shelf.name) } } " " span.faint { (figures) }
            }
            @if shelf.files > 0 {
                ul.spines.(width) { @for spine in &shelf.spines { (self::spine(spine, rules)) } }
            }
        }
    }
}

fn spine(spine: &ReportSpine, rules: &Rules) -> Markup {
    let files = counted(spine.files, "file", "files");
    let called = match (&spine.name, spine.folders) {
        (Some(name), _) => name.clone(),
        (None, 0) => "loose".to_owned(),
        (None, 1) => "a folder".to_owned(),
        (None, many) => counted(many, "small folder", "small folders"),
    };
    html! {
        li.(rules.class_and(format!("flex-grow:{}", spine.files), "loose", spine.folders == 0))
            title={ (called) ", " (files) } {
            bdi.name { (called) } span.unseen { ", " (files) }
        }
    }
}
