//! A place's folders by what they hold: the heaviest, and in them the heaviest again, as many as a page has room for.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use crate::find::Rows;
use crate::survey::Part;
use crate::tree::{NodeId, Tree};

/// A folder with the heaviest of those in it. The folders in it, the rest and what lies loose add up to all of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MapFolder {
    /// Its row.
    pub id: NodeId,
    /// All that lies in it, at all depths.
    pub all: Part,
    /// The files directly in it.
    pub loose: Part,
    /// The heaviest folders directly in it, these first; none where there was no room for them.
    pub folders: Vec<MapFolder>,
    /// How many other folders lie directly in it, and the files in those, at all depths.
    pub rest: (u64, Part),
}

/// How many folders of one are told.
const OF_ONE: usize = 18;

/// The smallest share of a folder's bytes that one in it must hold to be told: one in so many.
const SMALLEST: u64 = 200;

/// Folders of a place, at most `most`, with the files of `among` that lie in them.
pub fn map(tree: &Tree, among: &Rows, most: usize) -> MapFolder {
    let sums = Sums::of(tree, among);
    let mut chosen: Vec<Chosen> = vec![Chosen { id: Tree::ROOT, folders: Vec::new() }];
    // The heaviest folder that was told is looked into first, wherever it lies.
    let mut open = BinaryHeap::from([(sums.all(tree, Tree::ROOT).bytes, Reverse(0))]);
    while let Some((_, Reverse(at))) = open.pop() {
        let room = most.saturating_sub(chosen.len()).min(OF_ONE);
        for id in sums.heaviest_in(tree, chosen[at].id, room) {
            let number = chosen.len();
            chosen[at].folders.push(number);
            chosen.push(Chosen { id, folders: Vec::new() });
            open.push((sums.all(tree, id).bytes, Reverse(number)));
        }
    }
    sums.told(tree, &chosen, 0)
}

/// A folder that is told, and the numbers of those in it that are.
struct Chosen {
    id: NodeId,
    folders: Vec<usize>,
}

/// What lies in each folder, by its number among folders: of a million rows few are folders.
struct Sums {
    all: Vec<Part>,
    loose: Vec<Part>,
}

impl Sums {
    fn of(tree: &Tree, among: &Rows) -> Self {
        let none = vec![Part::default(); tree.folders()];
        let mut sums = Self { all: none.clone(), loose: none };
        // A folder stands before what lies in it.
        for id in tree.ids().rev() {
            let Some(parent) = tree.folder_number(tree.parent(id)) else { continue };
            if let Some(folder) = tree.folder_number(id) {
                let inside = sums.all[folder];
                sums.all[parent] += inside;
            } else if among.has(id.row()) {
                sums.all[parent].add(tree.size(id));
                sums.loose[parent].add(tree.size(id));
            }
        }
        sums
    }

    fn all(&self, tree: &Tree, id: NodeId) -> Part {
        tree.folder_number(id).map(|folder| self.all[folder]).unwrap_or_default()
    }

    fn loose(&self, tree: &Tree, id: NodeId) -> Part {
        tree.folder_number(id).map(|folder| self.loose[folder]).unwrap_or_default()
    }

    fn folders_in<'a>(&'a self, tree: &'a Tree, id: NodeId) -> impl Iterator<Item = NodeId> + 'a {
        tree.children(id).filter(|child| tree.is_folder(*child) && self.all(tree, *child).count > 0)
    }

    fn heaviest_in(&self, tree: &Tree, id: NodeId, room: usize) -> Vec<NodeId> {
        let least = self.all(tree, id).bytes / SMALLEST;
        let mut folders: Vec<NodeId> =
            self.folders_in(tree, id).filter(|folder| self.all(tree, *folder).bytes > least).collect();
        folders.sort_by_key(|folder| (Reverse(self.all(tree, *folder).bytes), *folder));
        folders.truncate(room);
        folders
    }

    fn told(&self, tree: &Tree, chosen: &[Chosen], at: usize) -> MapFolder {
        let Chosen { id, folders } = &chosen[at];
        let told: Vec<MapFolder> = folders.iter().map(|at| self.told(tree, chosen, *at)).collect();
        let mut rest = (0, Part::default());
        for folder in self.folders_in(tree, *id).filter(|one| told.iter().all(|told| told.id != *one)) {
            rest.0 += 1;
            rest.1 += self.all(tree, folder);
        }
        MapFolder { id: *id, all: self.all(tree, *id), loose: self.loose(tree, *id), folders: told, rest }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::survey::visible;
    use crate::tree::sample::tree_of;

    fn adds_up(folder: &MapFolder) -> bool {
        let mut all = folder.loose;
        all += folder.rest.1;
        folder.folders.iter().for_each(|one| all += one.all);
        all == folder.all && folder.folders.iter().all(adds_up)
    }

    fn many(folder: &MapFolder) -> usize {
        1 + folder.folders.iter().map(many).sum::<usize>()
    }

    #[test]
    fn the_heaviest_folders_are_told_and_the_rest_together() {
        let tree = tree_of(&[
            ("big/deep/film.mp4", 9_000),
            ("big/a.txt", 100),
            ("small/b.txt", 400),
            ("tiny/c.txt", 1),
            (".hidden/d.txt", 50_000),
            ("loose.txt", 10),
        ]);
        let found = map(&tree, &visible(&tree), 20);
        let names: Vec<&[u8]> = found.folders.iter().map(|folder| tree.name(folder.id)).collect();
        assert_eq!(names, [b"big".as_slice(), b"small"]);
        assert_eq!((found.all, found.loose), (Part { count: 5, bytes: 9_511 }, Part { count: 1, bytes: 10 }));
        assert_eq!(found.rest, (1, Part { count: 1, bytes: 1 }));
        assert_eq!(found.folders[0].folders[0].all.bytes, 9_000);
        assert!(adds_up(&found));
        // Where there is little room the heaviest have it.
        let short = map(&tree, &visible(&tree), 2);
        assert_eq!((short.folders.len(), short.folders[0].folders.len(), short.rest.0), (1, 0, 2));
    }

    proptest! {
        #[test]
        fn every_part_adds_up(
            files in proptest::collection::vec(("[abc](/[abcd]){0,4}/[xyz]", 0u64..10_000), 0..60),
            most in 1usize..30,
        ) {
            let items: Vec<(&str, u64)> = files.iter().map(|(path, size)| (path.as_str(), *size)).collect();
            let tree = tree_of(&items);
            let found = map(&tree, &visible(&tree), most);
            prop_assert!(adds_up(&found));
            prop_assert!(many(&found) <= most);
        }
    }
}
