//! The map of a place: its folders as areas by size, each of which can be stepped into. Every level is drawn, and the one
//! that is the target of a link is shown, so that no script is needed.

use maud::{Markup, html};
use nine_core::amount::{counted, readable};
use nine_engine::report::ReportFolder;

use super::rules::Rules;
use super::treemap::{Area, areas};

/// How many times as wide as high a map is.
const ACROSS: f64 = 2.2;

/// Draws the map of the place of this number.
pub fn map(place: usize, root: &ReportFolder, rules: &Rules) -> Markup {
    let mut levels = Vec::new();
    gather(root, Vec::new(), &mut levels);
    let drawn =
        levels.iter().enumerate().map(|(at, level)| Drawn { place, at, level, levels: &levels, rules });
    let drawn: Vec<Markup> = drawn.map(|drawn| drawn.level()).collect();
    html! { div.levels { @for level in drawn { (level) } } }
}

/// A folder that can be stepped into, with the numbers of the levels above it.
struct Level<'r> {
    folder: &'r ReportFolder,
    above: Vec<usize>,
}

fn gather<'r>(folder: &'r ReportFolder, above: Vec<usize>, levels: &mut Vec<Level<'r>>) {
    let own = levels.len();
    let below: Vec<usize> = above.iter().copied().chain([own]).collect();
    levels.push(Level { folder, above });
    for inside in folder.folders.iter().filter(|inside| !inside.folders.is_empty()) {
        gather(inside, below.clone(), levels);
    }
}

/// What an area of a map stands for.
struct Tile<'r> {
    /// A folder; what lies loose or in other folders else.
    folder: Option<&'r ReportFolder>,
    words: String,
    files: u64,
    bytes: u64,
}

struct Drawn<'r> {
    place: usize,
    at: usize,
    level: &'r Level<'r>,
    levels: &'r [Level<'r>],
    rules: &'r Rules,
}

impl<'r> Drawn<'r> {
    fn id(&self, level: usize) -> String {
        format!("map-{}-{level}", self.place)
    }

    fn level(&self) -> Markup {
        let folder = self.level.folder;
        let tiles = tiles(folder);
        let sizes: Vec<u64> = tiles.iter().map(|tile| tile.bytes).collect();
        let areas = areas(&sizes, ACROSS);
        let small = tiles.iter().zip(&areas).filter(|(_, area)| !can_be_hit(**area));
        let small: Vec<(usize, &str)> =
            small.filter_map(|(tile, _)| Some((self.leads_to(tile)?, tile.words.as_str()))).collect();
        html! {
            div.level.top[self.at == 0] id=(self.id(self.at)) role="group" aria-label={ "Map of " (called(folder)) } {
                p.way {
                    @for above in &self.level.above {
                        a href={ "#" (self.id(*above)) } { bdi { (called(self.levels[*above].folder)) } } " / "
                    }
                    strong { bdi { (called(folder)) } } " "
                    span.faint { (figures(folder.files, folder.bytes)) }
                }
                ul.map { @for (tile, area) in tiles.iter().zip(&areas) { (self.tile(tile, *area)) } }
                @if !small.is_empty() {
                    p.small {
                        "Into small ones: "
                        @for (level, name) in small { a href={ "#" (self.id(level)) } { bdi { (name) } } " " }
                    }
                }
            }
        }
    }

    /// The level of the folder that an area stands for, if there is one.
    fn leads_to(&self, tile: &Tile) -> Option<usize> {
        let folder = tile.folder?;
        self.levels.iter().position(|level| std::ptr::eq(folder, level.folder))
    }

    fn tile(&self, tile: &Tile, area: Area) -> Markup {
        let Area { left, top, width, height } = area;
        let place = [("left", left), ("top", top), ("width", width), ("height", height)];
        let place = place.map(|(property, part)| format!("{property}:{:.2}%", part * 100.0)).join(";");
        let figures = figures(tile.files, tile.bytes);
        let inside = html! { bdi.name { (tile.words) } " " span.figures { (figures) } };
        let leads_to = self.leads_to(tile).filter(|_| can_be_hit(area));
        html! {
            li.(self.rules.class_and(place, "loose", tile.folder.is_none())) title={ (tile.words) ", " (figures) } {
                @match leads_to {
                    Some(level) => a href={ "#" (self.id(level)) } { (inside) },
                    None => span { (inside) },
                }
            }
        }
    }
}

/// Whether an area is large enough to be hit on the smallest screen, where a map is 336 pixels wide and 224 high: 24 each
/// way (Web Content Accessibility Guidelines 2.2, 2.5.8), and some to spare.
fn can_be_hit(area: Area) -> bool {
    area.width > 0.09 && area.height > 0.13
}

/// The areas of a folder, the largest first.
fn tiles(folder: &ReportFolder) -> Vec<Tile<'_>> {
    let of = |inside: &'_ ReportFolder| (called(inside), inside.files, inside.bytes);
    let mut tiles: Vec<Tile> = folder
        .folders
        .iter()
        .map(|inside| (inside, of(inside)))
        .map(|(inside, (words, files, bytes))| Tile { folder: Some(inside), words, files, bytes })
        .collect();
    let more = [
        ("loose".to_owned(), folder.loose_files, folder.loose_bytes),
        (
            counted(folder.other_folders, "other folder", "other folders"),
            folder.other_files,
            folder.other_bytes,
        ),
    ];
    let more = more.into_iter().filter(|(_, files, _)| *files > 0);
    tiles.extend(more.map(|(words, files, bytes)| Tile { folder: None, words, files, bytes }));
    tiles.sort_by_key(|tile| std::cmp::Reverse(tile.bytes));
    tiles
}

fn called(folder: &ReportFolder) -> String {
    folder.name.clone().unwrap_or_else(|| "a folder".to_owned())
}

fn figures(files: u64, bytes: u64) -> String {
    format!("{}, {}", counted(files, "file", "files"), readable(bytes))
}
