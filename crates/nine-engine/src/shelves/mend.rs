//! What mends a flaw of a bookcase: the command, ready to be pasted.

use nine_core::amount::{count, counted};
use nine_core::condition::in_condition;
use nine_core::escape::{escape, plain};
use nine_core::flaws::{Flaw, FlawKind, UNSORTED};
use nine_core::marks::without_mark;
use nine_core::paste;
use nine_core::place::{ItemPath, Spot};
use nine_core::shelving::{Shelving, shelf_number};
use nine_core::tree::{NodeId, Tree};
use nine_stores::ReadStore;

use super::BookcaseState;
use crate::workspace::Workspace;

/// What is told of a flaw behind the folder's name.
pub fn flaw_words(flaw: &Flaw) -> String {
    let files = counted(flaw.count, "file", "files");
    let other = flaw.other.as_ref().map(ToString::to_string).unwrap_or_default();
    match flaw.wrong {
        FlawKind::Missing | FlawKind::Empty => String::new(),
        FlawKind::Renamed => format!("is {other} in shelves.toml"),
        FlawKind::Twice | FlawKind::CaseOnly | FlawKind::SameName => format!("{files}, and {other}"),
        FlawKind::Mixed => format!("{files} beside its folders"),
        FlawKind::Deep => format!("{} folders deep", flaw.count),
        FlawKind::Full => format!("{} things", count(flaw.count)),
    }
}

/// How many folders a shelf holds, and how deep the deepest lies, counted from the shelf.
pub fn depths(tree: &Tree, shelf: NodeId) -> (u64, u64) {
    let above = tree.depth(shelf);
    let folders = tree.inside(shelf).filter(|id| tree.is_folder(*id));
    folders.fold((0, 0), |(many, deepest), id| (many + 1, deepest.max((tree.depth(id) - above) as u64)))
}

/// Says by which command a flaw is mended.
pub struct Mending<'a> {
    bookcase: &'a str,
    shelving: &'a Shelving,
    store: &'a dyn ReadStore,
    /// Whether there are several bookcases, so that shelves need their names.
    names_bookcase: bool,
    year: i16,
}

impl<'a> Mending<'a> {
    /// For a bookcase; `None` if it cannot be reached.
    pub fn of(workspace: &'a Workspace, standing: &'a BookcaseState) -> Option<Self> {
        let BookcaseState { name, shelving, .. } = standing;
        let (store, names_bookcase) = (&**workspace.store(name)?, workspace.names_places());
        Some(Self { bookcase: name, shelving, store, names_bookcase, year: workspace.now().today().year() })
    }

    /// The command that mends a flaw.
    pub fn command(&self, flaw: &Flaw) -> String {
        let spot = |path: &ItemPath| paste::word(&Spot::new(self.bookcase, path.clone()).to_string());
        let on_disk = |path: &ItemPath| {
            paste::path_or_escaped(std::path::Path::new(&self.store.location(path).as_typed()))
        };
        let on = |path: &ItemPath, below: &str| self.on(path, below);
        let at = &flaw.at;
        match (flaw.wrong, &flaw.other) {
            (FlawKind::Missing, _) if self.names_bookcase => {
                format!("nine shelves make {}", paste::word(self.bookcase))
            }
            (FlawKind::Missing, _) => "nine shelves make".to_owned(),
            (FlawKind::Renamed, _) => self.rename(at),
            (FlawKind::Twice | FlawKind::CaseOnly | FlawKind::SameName, Some(other)) => {
                match (on(other, ""), on(at, "")) {
                    (Some(on), _) if self.is_told(other) => {
                        format!("nine put {} --on {on} --merge", spot(at))
                    }
                    (_, Some(on)) if self.is_told(at) => {
                        format!("nine put {} --on {on} --merge", spot(other))
                    }
                    _ => format!("nine compare {} {}", on_disk(at), on_disk(other)),
                }
            }
            (FlawKind::Mixed, None) => match (on(at, &format!("/{UNSORTED}")), folder_is(at)) {
                (Some(on), Some(folder)) => {
                    format!("nine put --where {} --on {on}", paste::word(&format!("file and {folder}")))
                }
                _ => format!("nine search --in {}", on_disk(at)),
            },
            (FlawKind::Full, None) => match (on(at, &format!("/Before {}", self.year)), folder_is(at)) {
                (Some(on), Some(folder)) => {
                    let before = format!("{folder} and modified before {}", self.year);
                    format!("nine put --where {} --on {on}", paste::word(&before))
                }
                _ => format!("nine search --in {} --by age --totals", on_disk(at)),
            },
            (FlawKind::Deep, None) => {
                let shelf = ItemPath::of_names(at.parts().take(1));
                match on(&shelf, "") {
                    Some(on) => format!("nine put {} --on {on}", spot(at)),
                    None => format!("nine put {} --on SHELF", spot(at)),
                }
            }
            (FlawKind::Empty, _) | (_, None) => format!("nine discard {}", spot(at)),
            (_, Some(other)) => format!("nine compare {} {}", on_disk(at), on_disk(other)),
        }
    }

    /// Takes the name that a person gave the folder over into the configuration.
    fn rename(&self, at: &ItemPath) -> String {
        let name = String::from_utf8_lossy(at.name()).into_owned();
        let (number, title) = name.split_at(1);
        let title = without_mark(title.trim_start_matches([' ', '.', '_', '-']));
        let shelf =
            if self.names_bookcase { format!("{}/{number}", self.bookcase) } else { number.to_owned() };
        match title {
            "" => format!("nine shelves rename {} TITLE", paste::word(&shelf)),
            title => format!(
                "nine shelves rename {} {}",
                paste::word(&shelf),
                paste::word(&escape(title.as_bytes()))
            ),
        }
    }

    /// Whether a folder's shelf can be told by its number.
    fn is_told(&self, path: &ItemPath) -> bool {
        let first = ItemPath::of_names(path.parts().take(1));
        let mut shelves = self.shelving.shelves.iter().filter_map(|shelf| self.shelving.spot(shelf.number));
        shelves.any(|spot| spot.path == first)
    }

    /// A folder as it is typed behind --on; `None` if it is on no shelf.
    fn on(&self, path: &ItemPath, below: &str) -> Option<String> {
        let number = shelf_number(&path.parts().next()?)?;
        let mut on =
            if self.names_bookcase { format!("{}/{number}", self.bookcase) } else { number.to_string() };
        for part in path.parts().skip(1) {
            on.push('/');
            on.push_str(&escape(&part));
        }
        on.push_str(below);
        Some(paste::word(&on))
    }
}

/// The test of what lies in a folder; `None` if its name cannot be shown as it is.
fn folder_is(folder: &ItemPath) -> Option<String> {
    let name = std::str::from_utf8(folder.as_bytes()).ok()?;
    (plain(name) == name).then(|| format!("folder is {}", in_condition(name)))
}
