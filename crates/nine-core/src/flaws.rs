//! What is wrong with a bookcase as it stands: folders of one name, files and folders mixed, too deep, too
//! full, empty, shelves missing or renamed.

use std::collections::HashMap;

use crate::keep_together;
use crate::names::{fold_bytes, is_hidden};
use crate::place::{ItemPath, NameBuf};
use crate::shelving::{ShelfFolder, Shelving};
use crate::survey::CROWD;
use crate::tree::{NodeId, Tree};

/// How many folders below the bookcase are too deep: the shelf, and four more.
pub const DEEPEST: usize = 5;

/// The folder for what is not sorted yet. There may be one in every other folder.
pub const UNSORTED: &str = "Unsorted";

/// What is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum FlawKind {
    /// A shelf has no folder yet.
    Missing,
    /// A shelf's folder was renamed by hand.
    Renamed,
    /// Several folders have a shelf's number.
    Twice,
    /// Two folders side by side have names that differ in letter case or Unicode form only.
    CaseOnly,
    /// Two folders of one name lie in different places.
    SameName,
    /// Files and folders lie side by side.
    Mixed,
    /// A folder lies deeper than [`DEEPEST`].
    Deep,
    /// More than [`CROWD`] things lie side by side.
    Full,
    /// No file lies in it at any depth.
    Empty,
}

impl FlawKind {
    /// All of it, in the order in which it is told.
    pub const ALL: [FlawKind; 9] = [
        FlawKind::Missing,
        FlawKind::Renamed,
        FlawKind::Twice,
        FlawKind::CaseOnly,
        FlawKind::SameName,
        FlawKind::Mixed,
        FlawKind::Deep,
        FlawKind::Full,
        FlawKind::Empty,
    ];

    /// Its word for programs.
    pub fn word(self) -> &'static str {
        match self {
            FlawKind::Missing => "missing",
            FlawKind::Renamed => "renamed",
            FlawKind::Twice => "number-twice",
            FlawKind::CaseOnly => "case-only",
            FlawKind::SameName => "same-name",
            FlawKind::Mixed => "mixed",
            FlawKind::Deep => "deep",
            FlawKind::Full => "full",
            FlawKind::Empty => "empty",
        }
    }

    /// What it is, for people.
    pub fn words(self) -> &'static str {
        match self {
            FlawKind::Missing => "shelves that are not there yet",
            FlawKind::Renamed => "shelves that were renamed",
            FlawKind::Twice => "shelves whose number several folders have",
            FlawKind::CaseOnly => "folders whose names differ in letter case only",
            FlawKind::SameName => "folders of one name",
            FlawKind::Mixed => "files and folders side by side",
            FlawKind::Deep => "folders that lie too deep",
            FlawKind::Full => "folders with over 500 things in them",
            FlawKind::Empty => "empty folders",
        }
    }
}

/// One thing that is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Flaw {
    /// What.
    pub wrong: FlawKind,
    /// The folder; of two, the smaller one.
    pub at: ItemPath,
    /// The other folder: the one that is kept, or the name that the shelf should have.
    pub other: Option<ItemPath>,
    /// How many files it holds; of [`FlawKind::Mixed`], how many lie loose in it; of [`FlawKind::Full`], how many
    /// things do; of [`FlawKind::Deep`], how deep the deepest folder in it lies.
    pub count: u64,
}

/// Looks through a bookcase. Hidden folders, what is kept together, and `apart` (the archive, which mirrors
/// other places) are their own affair.
pub fn flaws(tree: &Tree, shelving: &Shelving, apart: Option<&ItemPath>) -> Vec<Flaw> {
    let mut found = shelves(tree, shelving);
    let folders = folders(tree, apart);
    found.extend(case_only(tree, &folders));
    found.extend(same_name(tree, &folders));
    for id in &folders {
        found.extend(alone(tree, *id));
    }
    found.sort_by(|a, b| a.wrong.cmp(&b.wrong).then_with(|| a.at.cmp(&b.at)));
    found
}

fn shelves(tree: &Tree, shelving: &Shelving) -> Vec<Flaw> {
    let path = |name: &NameBuf| ItemPath::root().join(name);
    let files = |at: &ItemPath| tree.find(at).map_or(0, |id| tree.totals(id).items);
    let mut found = Vec::new();
    for shelf in &shelving.shelves {
        let wanted = path(&shelf.wanted);
        let mut tell = |wrong, at: ItemPath, other| {
            let count = files(&at);
            found.push(Flaw { wrong, at, other, count });
        };
        match shelf.folder() {
            ShelfFolder::There(there) => {
                for other in shelf.found.iter().filter(|name| **name != there) {
                    tell(FlawKind::Twice, path(other), Some(path(&there)));
                }
            }
            ShelfFolder::Renamed(now) => tell(FlawKind::Renamed, path(&now), Some(wanted)),
            ShelfFolder::Missing(_) => tell(FlawKind::Missing, wanted, None),
            ShelfFolder::Ambiguous => {
                let (first, rest) = (path(&shelf.found[0]), &shelf.found[1..]);
                rest.iter().for_each(|name| tell(FlawKind::Twice, path(name), Some(first.clone())));
            }
        }
    }
    found
}

/// The folders that are looked at, parents first.
fn folders(tree: &Tree, apart: Option<&ItemPath>) -> Vec<NodeId> {
    let apart = apart.and_then(|path| tree.find(path));
    let mut found = Vec::new();
    let mut open = vec![Tree::ROOT];
    while let Some(folder) = open.pop() {
        for child in tree.children(folder).filter(|child| tree.is_folder(*child)) {
            let inside = || tree.children(child).map(|entry| tree.name(entry));
            let is_own = is_hidden(tree.name(child)) || Some(child) == apart;
            if !is_own && keep_together::folder(tree.name(child), inside()).is_none() {
                found.push(child);
                open.push(child);
            }
        }
    }
    found.sort_by_key(|id| id.row());
    found
}

/// Of two folders, the one with fewer files and the one that is kept.
fn by_size(tree: &Tree, a: NodeId, b: NodeId) -> (NodeId, NodeId) {
    let weight = |id: NodeId| (tree.totals(id).items, std::cmp::Reverse(id.row()));
    if weight(a) < weight(b) { (a, b) } else { (b, a) }
}

fn pair(tree: &Tree, wrong: FlawKind, a: NodeId, b: NodeId) -> Flaw {
    let (less, more) = by_size(tree, a, b);
    let count = tree.totals(less).items;
    Flaw { wrong, at: tree.path(less), other: Some(tree.path(more)), count }
}

fn case_only(tree: &Tree, folders: &[NodeId]) -> Vec<Flaw> {
    let mut first: HashMap<(NodeId, String), NodeId> = HashMap::new();
    let mut found = Vec::new();
    for id in folders {
        let key = (tree.parent(*id), fold_bytes(tree.name(*id)));
        match first.get(&key) {
            Some(other) => found.push(pair(tree, FlawKind::CaseOnly, *id, *other)),
            None => drop(first.insert(key, *id)),
        }
    }
    found
}

/// Folders of one name in different places. Years, months and single letters say nothing by themselves, and
/// each shelf may have its own.
fn same_name(tree: &Tree, folders: &[NodeId]) -> Vec<Flaw> {
    let mut largest: HashMap<String, NodeId> = HashMap::new();
    let tells = |name: &[u8]| {
        let letters = String::from_utf8_lossy(name).chars().filter(|c| c.is_alphabetic()).count();
        letters > 1 && name != UNSORTED.as_bytes()
    };
    let telling = || folders.iter().copied().filter(|id| tells(tree.name(*id)));
    for id in telling() {
        let kept = largest.entry(fold_bytes(tree.name(id))).or_insert(id);
        *kept = by_size(tree, *kept, id).1;
    }
    let mut found = Vec::new();
    for id in telling() {
        let kept = largest[&fold_bytes(tree.name(id))];
        // Names that differ in case only, side by side, are told as that.
        if kept != id && tree.parent(kept) != tree.parent(id) {
            found.push(Flaw {
                wrong: FlawKind::SameName,
                at: tree.path(id),
                other: Some(tree.path(kept)),
                count: tree.totals(id).items,
            });
        }
    }
    found
}

/// The folder of the first level that something lies in.
fn shelf_above(tree: &Tree, id: NodeId) -> NodeId {
    let mut here = id;
    while tree.parent(here) != Tree::ROOT {
        here = tree.parent(here);
    }
    here
}

/// What is wrong with a folder by itself.
fn alone(tree: &Tree, id: NodeId) -> Vec<Flaw> {
    let mut found = Vec::new();
    let mut tell = |wrong, count: u64| found.push(Flaw { wrong, at: tree.path(id), other: None, count });
    let depth = tree.depth(id);
    let is_empty = |id: NodeId| tree.items(id) == Some(0);
    let above = tree.parent(id);
    // Where nothing was filed yet, its folders are there to begin with.
    let is_begun = || !is_empty(shelf_above(tree, id));
    if is_empty(id)
        && depth > 1
        && is_begun()
        && !(above != Tree::ROOT && is_empty(above) && tree.depth(above) > 1)
    {
        tell(FlawKind::Empty, 0);
    }
    let shown = || tree.children(id).filter(|child| !is_hidden(tree.name(*child)));
    let files = shown().filter(|child| !tree.is_folder(*child)).count() as u64;
    let has_folders = shown().any(|child| tree.is_folder(child));
    if files > 0 && has_folders {
        tell(FlawKind::Mixed, files);
    }
    let things = shown().count();
    if things > CROWD {
        tell(FlawKind::Full, things as u64);
    }
    if depth == DEEPEST + 1 {
        let deepest = tree.inside(id).filter(|inner| tree.is_folder(*inner)).map(|inner| tree.depth(inner));
        tell(FlawKind::Deep, deepest.max().unwrap_or(depth) as u64);
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::archive::{Contents, ContentsLine};
    use crate::item::Kind;
    use crate::moment::Moment;
    use crate::place::Name;
    use crate::place::Spot;

    fn tree(paths: &[&str]) -> Tree {
        let line = |kind| ContentsLine {
            kind,
            size: 1,
            modified: Moment(0),
            tags: Vec::new(),
            from: Spot::new("a", ItemPath::root()),
            archived: String::new(),
            why: String::new(),
            run: 1,
        };
        let all = paths.iter().map(|path| {
            let kind = if path.ends_with('/') { Kind::Folder } else { Kind::File };
            (ItemPath::new(path).unwrap(), line(kind))
        });
        Contents(all.collect()).tree()
    }

    fn found(paths: &[&str]) -> Vec<String> {
        let tree = tree(paths);
        let text = "[bookcase.home]\nat = \"/h\"\nshelves = [\"Boats\", \"Loans\"]\n";
        let case = crate::config::parse(text).unwrap().bookcases.remove(0);
        let names: Vec<Name> = tree.children(Tree::ROOT).map(|id| tree.name_of(id)).collect();
        let shelving = Shelving::new(&case, names.iter().copied());
        let apart = ItemPath::new("9 Archive");
        let told = flaws(&tree, &shelving, apart.as_ref()).into_iter().map(|flaw| {
            let other = flaw.other.map(|other| format!(" > {other}")).unwrap_or_default();
            format!("{} {}{other} {}", flaw.wrong.word(), flaw.at, flaw.count)
        });
        told.collect()
    }

    #[test]
    fn shelves_that_are_missing_renamed_or_there_twice() {
        assert_eq!(found(&["1 Ships/a"]), ["missing 2 Loans 0", "renamed 1 Ships > 1 Boats 1"]);
        let twice = found(&["1 Boats/a", "1 Old/b", "2 Loans/c"]);
        assert_eq!(twice, ["number-twice 1 Old > 1 Boats 1"]);
    }

    #[test]
    fn of_two_folders_the_fuller_one_is_kept() {
        let all = [
            "1 Boats/Claims/a",
            "2 Loans/Claims/b",
            "2 Loans/Claims/c",
            "2 Loans/claims/d",
            "1 Boats/2031/e",
            "2 Loans/2031/f",
            "9 Archive/2031-04-07/home/2 Loans/Claims/g",
        ];
        let wanted =
            ["case-only 2 Loans/claims > 2 Loans/Claims 1", "same-name 1 Boats/Claims > 2 Loans/Claims 1"];
        assert_eq!(found(&all), wanted);
    }

    #[test]
    fn mixed_deep_and_empty_folders_are_told_once() {
        let all =
            ["1 Boats/a", "1 Boats/x/b", "2 Loans/1/2/3/4/5/6/c", "2 Loans/none/inner/", "2 Loans/.git/x/"];
        let told = found(&all);
        // A folder that holds what a checkout holds is kept together, so its inside is not judged.
        assert_eq!(told, ["mixed 1 Boats 1"]);
        let all = ["1 Boats/a", "1 Boats/x/b", "2 Loans/1/2/3/4/5/6/c", "2 Loans/none/inner/"];
        let wanted = ["mixed 1 Boats 1", "deep 2 Loans/1/2/3/4/5 7", "empty 2 Loans/none 0"];
        assert_eq!(found(&all), wanted);
        let many: Vec<String> = (0..501).map(|n| format!("2 Loans/{n}")).collect();
        let many: Vec<&str> = many.iter().map(String::as_str).chain(["1 Boats/a"]).collect();
        assert_eq!(found(&many), ["full 2 Loans 501"]);
    }
}
