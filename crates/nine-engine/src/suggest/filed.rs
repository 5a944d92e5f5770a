//! What lies on the shelves, read as examples.

use std::collections::{HashMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};

use nine_core::copies::Digest;
use nine_core::correct::tidy_stem;
use nine_core::find::Rows;
use nine_core::item::{Item, Kind};
use nine_core::keep_together;
use nine_core::kinds::{ItemType, TYPES};
use nine_core::metadata::Metadata;
use nine_core::moment::Moment;
use nine_core::names::{fold, fold_bytes, split_extension};
use nine_core::place::Spot;
use nine_core::shelving::{Shelf, Shelving};
use nine_core::suggest::{Examples, Filed, HAND_WEIGHT, SearchScope, Shelved, Traits, is_put_aside};
use nine_core::tree::{NodeId, TagsOf, Tree, Unlearned, mark};

use super::Effort;
use super::corrections::Corrections;
use crate::Result;
use crate::looking::{Area, LookMode, Looking, View, WantsInside, all_areas};
use crate::workspace::Workspace;

/// Files that are read for what they say of themselves in each bookcase, the newest first.
const READ_AT_ONCE: usize = 200;

/// Files of one name are compared up to this size, in bytes.
const COMPARED: u64 = 4 << 20;

/// Files that are compared in each bookcase at most.
const COMPARED_AT_ONCE: usize = 2000;

/// Files in a folder by which its type is told.
const TYPED_BY: usize = 100;

/// The bookcases as they were read.
pub(super) struct OnShelves<'w> {
    looking: Looking<'w>,
    /// The rows of what lies on shelves, view by view.
    rows: Vec<Vec<FiledRow>>,
    /// What a search must be told to list what is counted here.
    pub scope: SearchScope,
}

/// A row of what lies on a shelf.
struct FiledRow {
    id: NodeId,
    /// The folder that it lies in.
    folder: u32,
    /// Its own number, if it is a folder.
    own: Option<u32>,
    /// Whether it is moved with what is around it or not at all.
    together: bool,
}

impl<'w> OnShelves<'w> {
    /// Reads the bookcases, and what lies on their shelves into examples.
    ///
    /// # Errors
    /// If they cannot be looked at.
    pub fn read(workspace: &'w Workspace, effort: Effort) -> Result<(Self, Examples, Corrections)> {
        let areas = all_areas(workspace).into_iter();
        let areas = areas.filter(|area| area.is_bookcase && area.store.is_some());
        let is_near = |area: &Area| {
            effort != Effort::Little || area.store.as_ref().is_some_and(|store| store.abilities().may_read)
        };
        let (near, far): (Vec<Area>, Vec<Area>) = areas.partition(is_near);
        let mut looking = Looking::look(workspace, near, &LookMode::Now)?;
        far.into_iter().for_each(|area| looking.add_known(area));
        let mut all = Self { looking, rows: Vec::new(), scope: SearchScope::default() };
        let mut examples = Examples::default();
        let shelvings = workspace.shelvings();
        for view in 0..all.looking.views.len() {
            let rows = all.walk(view, &shelvings, &mut examples);
            all.rows.push(rows);
            all.learn(view, effort);
        }
        let repeated = all.repeated(effort);
        all.looking.keep();
        let corrections = Corrections::read(workspace, all.looking.catalogue());
        all.add(&mut examples, &corrections, &repeated);
        Ok((all, examples, corrections))
    }

    /// How many things stood in the way of looking.
    pub fn troubles(&self) -> usize {
        self.looking.troubles
    }

    /// The catalogue, where it can be used.
    pub fn catalogue(&self) -> Option<&nine_stores::Catalogue> {
        self.looking.catalogue()
    }

    /// Finds the rows on the shelves of a view, and adds their folders.
    fn walk(&mut self, view: usize, shelvings: &[Shelving], examples: &mut Examples) -> Vec<FiledRow> {
        let workspace = self.looking.workspace;
        let View { area, tree, .. } = &self.looking.views[view];
        let name = bookcase_of(workspace, &area.base.place);
        let number = examples.bookcase(&name);
        let shelving = shelvings.iter().find(|shelving| shelving.bookcase == name);
        let shelves = shelving.into_iter().flat_map(|shelving| {
            let at = |shelf: &'_ Shelf| shelving.spot(shelf.number);
            shelving.shelves.iter().filter_map(move |shelf| Some((at(shelf)?, shelf)))
        });
        let shelves: HashMap<Spot, &Shelf> = shelves.collect();
        let mut rows = Vec::new();
        for child in tree.children(Tree::ROOT).filter(|child| !tree.has_mark(*child, mark::HIDDEN)) {
            let spot = Spot::new(name.clone(), tree.path(child));
            match shelves.get(&spot) {
                Some(_) if workspace.opened().archive.contains(&spot) => {}
                Some(shelf) if tree.is_folder(child) && !shelf.is_for_later() => {
                    self.scope.shelves.push(String::from_utf8_lossy(tree.name(child)).into_owned());
                    let own = examples.add_shelf(number, shelf.number, tree.name_of(child).into());
                    self.scope.has_held |= walk_shelf(tree, child, own, examples, &mut rows);
                }
                _ => self.scope.has_others = true,
            }
        }
        self.scope.bookcases.push(name);
        rows
    }

    /// Learns what tells where things belong: tags, types, and what files say of themselves.
    fn learn(&mut self, view: usize, effort: Effort) {
        let of = &self.looking.views[view];
        if !of.store().is_some_and(|store| store.abilities().may_read) {
            return;
        }
        let mut rows = Rows::none(of.tree.rows());
        self.rows[view].iter().for_each(|row| rows.add(row.id.row()));
        self.looking.learn(view, &rows, Unlearned { tags: true, content: false });
        self.looking.learn_types(view, &rows);
        if effort == Effort::Little {
            return;
        }
        let tree = &self.looking.views[view].tree;
        let may_say = |id: &NodeId| tree.may_say(*id) && tree.text(*id) == 0;
        let says_soon = |id: &NodeId| {
            use ItemType::{Document, Mail, Sheet, Slides};
            matches!(tree.item_type(*id), Document | Mail | Sheet | Slides)
        };
        let mut unread: Vec<NodeId> = rows.ids().filter(may_say).collect();
        if effort == Effort::Usual {
            unread.retain(says_soon);
            unread = newest(tree, unread, READ_AT_ONCE);
        }
        let mut wanted = Rows::none(tree.rows());
        unread.iter().for_each(|id| wanted.add(id.row()));
        self.looking.read_words(view, &wanted, WantsInside { said: true, ..WantsInside::default() });
    }

    fn add(&self, examples: &mut Examples, corrections: &Corrections, repeated: &HashSet<(usize, NodeId)>) {
        for (view, rows) in self.rows.iter().enumerate() {
            let of = &self.looking.views[view];
            let corrected = corrections.in_view(of, examples);
            for row in rows {
                let tree = &of.tree;
                let is_folder = row.own.is_some();
                let is_empty = is_folder && tree.items(row.id) == Some(0);
                let teaches = match tree.kind(row.id) {
                    Kind::File | Kind::Folder => {
                        !row.together && !is_empty && !repeated.contains(&(view, row.id))
                    }
                    Kind::Link | Kind::Other => false,
                };
                let by_hand = if corrected.by_hand.contains(&row.id) { HAND_WEIGHT } else { 1 };
                let said = self.looking.said_by(of, row.id);
                let filed = Filed {
                    folder: row.folder,
                    own: row.own,
                    at: tree.age_from(row.id),
                    modified: tree.newest(row.id),
                    weight: if teaches { by_hand } else { 0 },
                    reference: reference(view, row.id),
                };
                examples.add(&traits(tree, row.id, said.as_ref(), known_tags(tree, row.id)), filed);
            }
            for (name, folder) in corrected.refused {
                let item_type = nine_core::kinds::type_of_name(&name).unwrap_or(ItemType::Unknown);
                let traits = Traits { name: &name, is_folder: false, item_type, tags: &[], said: None };
                examples.add_refused(folder, &traits);
            }
        }
    }

    /// Files that lie there more than once, under one name but for copy marks: which of them is where it belongs,
    /// nobody knows. Of several in one folder the first counts.
    fn repeated(&mut self, effort: Effort) -> HashSet<(usize, NodeId)> {
        let named = self.of_one_name();
        if effort != Effort::Little {
            self.compare(&named);
        }
        let mut found = HashSet::new();
        for twins in named.values() {
            let mut first: HashMap<Fingerprint, &Twin> = HashMap::new();
            for twin in twins {
                let bytes = self.bytes(twin);
                let Some(earlier) = first.get(&bytes) else {
                    first.insert(bytes, twin);
                    continue;
                };
                found.insert((twin.view, twin.id));
                if earlier.folder != twin.folder {
                    found.insert((earlier.view, earlier.id));
                }
            }
        }
        found
    }

    /// Files that have a size and a name together. Most have none of both, so that digests alone are held against one
    /// another first.
    fn of_one_name(&self) -> Twins {
        let digest = |key: &(u64, String)| {
            let mut hasher = DefaultHasher::new();
            key.hash(&mut hasher);
            hasher.finish()
        };
        let files = || {
            let views = self.rows.iter().enumerate();
            views
                .flat_map(|(view, rows)| rows.iter().map(move |row| (view, row)))
                .filter(|(view, row)| row.own.is_none() && self.looking.views[*view].tree.size(row.id) > 0)
        };
        let key = |view: usize, id: NodeId| {
            let tree = &self.looking.views[view].tree;
            let (stem, ext) = split_extension(tree.name(id));
            let stem = fold(&tidy_stem(&String::from_utf8_lossy(stem)));
            (tree.size(id), stem + &fold_bytes(ext))
        };
        let digests: Vec<u64> = files().map(|(view, row)| digest(&key(view, row.id))).collect();
        let mut sorted = digests.clone();
        sorted.sort_unstable();
        let mut twice: Vec<u64> =
            sorted.windows(2).filter(|pair| pair[0] == pair[1]).map(|pair| pair[0]).collect();
        twice.dedup();
        let mut named = Twins::new();
        for ((view, row), digest) in files().zip(digests) {
            if twice.binary_search(&digest).is_ok() {
                let twin = Twin { view, id: row.id, folder: row.folder };
                named.entry(key(view, row.id)).or_default().push(twin);
            }
        }
        named.retain(|_, twins| twins.len() > 1);
        named
    }

    /// Reads small files that may be the same, where they may be read and nobody did yet.
    fn compare(&mut self, named: &Twins) {
        for view in 0..self.looking.views.len() {
            if !self.looking.views[view].store().is_some_and(|store| store.abilities().may_read) {
                continue;
            }
            let mut rows = Rows::none(self.looking.views[view].tree.rows());
            let small = named.iter().filter(|((size, _), _)| *size <= COMPARED).flat_map(|(_, twins)| twins);
            let mut small: Vec<usize> =
                small.filter(|twin| twin.view == view).map(|twin| twin.id.row()).collect();
            small.sort_unstable();
            small.iter().take(COMPARED_AT_ONCE).for_each(|row| rows.add(*row));
            if !rows.is_empty() {
                self.looking.learn_digests(view, &rows);
            }
        }
    }

    /// What is known of a file's bytes: their digest, or when they were last changed, which a copy mostly keeps.
    fn bytes(&self, twin: &Twin) -> Fingerprint {
        let tree = &self.looking.views[twin.view].tree;
        tree.digest(twin.id).map_or(Fingerprint::Of(tree.newest(twin.id)), Fingerprint::Read)
    }
}

/// Files by size and name.
type Twins = HashMap<(u64, String), Vec<Twin>>;

/// A file of the name and size of others.
struct Twin {
    view: usize,
    id: NodeId,
    folder: u32,
}

/// What tells whether two files are the same.
#[derive(PartialEq, Eq, Hash)]
enum Fingerprint {
    Read(Digest),
    Of(Moment),
}

impl Shelved for OnShelves<'_> {
    fn item(&self, reference: u64) -> Option<Item> {
        let view = self.looking.views.get((reference >> 32) as usize)?;
        let id = NodeId::new((reference & u64::from(u32::MAX)) as usize);
        let tree = &view.tree;
        let said = self.looking.said_by(view, id);
        let item = Item::new(view.spot(id), tree.entry(id));
        Some(Item { newest: tree.newest(id), tags: known_tags(tree, id).to_vec(), said, ..item })
    }
}

fn reference(view: usize, id: NodeId) -> u64 {
    (view as u64) << 32 | id.row() as u64
}

/// The name of the bookcase that a place is, which may be a pile of another name too.
fn bookcase_of(workspace: &Workspace, place: &str) -> String {
    let config = workspace.config();
    if config.bookcases.iter().any(|case| case.name == place) {
        return place.to_owned();
    }
    let at = config.pile(place).map(|pile| workspace.at(&pile.at).real());
    let twin = config.bookcases.iter().find(|case| Some(workspace.at(&case.at).real()) == at);
    twin.map_or_else(|| place.to_owned(), |case| case.name.clone())
}

/// So many of these at most, the newest.
pub(super) fn newest(tree: &Tree, mut ids: Vec<NodeId>, most: usize) -> Vec<NodeId> {
    ids.sort_by_key(|id| std::cmp::Reverse(tree.age_from(*id)));
    ids.truncate(most);
    ids
}

/// Adds the folders and rows of one shelf; says whether there are folders in it that are not looked into, since what
/// lies there is held or put off.
fn walk_shelf(
    tree: &Tree,
    shelf: NodeId,
    number: u32,
    examples: &mut Examples,
    rows: &mut Vec<FiledRow>,
) -> bool {
    const NONE: u32 = u32::MAX;
    let first = shelf.row();
    let inside: Vec<NodeId> = tree.inside(shelf).collect();
    // For the shelf and each row in it: the number of the folder, and whether it is kept together.
    let mut numbers = vec![(NONE, false); inside.len() + 1];
    numbers[0] = (number, false);
    let mut has_held = false;
    for id in inside {
        let (folder, together) = numbers[tree.parent(id).row() - first];
        if folder == NONE || tree.has_mark(id, mark::HIDDEN) {
            continue;
        }
        if !tree.is_folder(id) {
            rows.push(FiledRow { id, folder, own: None, together });
            continue;
        }
        if is_put_aside(&String::from_utf8_lossy(tree.name(id))) {
            has_held = true;
            continue;
        }
        let own = examples.add_folder(folder, tree.name_of(id));
        let children = tree.children(id).map(|child| tree.name(child));
        let is_kept = keep_together::folder(tree.name(id), children).is_some();
        numbers[id.row() - first] = (own, together || is_kept);
        rows.push(FiledRow { id, folder, own: Some(own), together });
    }
    has_held
}

/// The tags of a row as far as they are known.
pub(super) fn known_tags(tree: &Tree, id: NodeId) -> &[String] {
    match tree.tags(id) {
        TagsOf::Known(tags) => tags,
        TagsOf::NotAsked => &[],
    }
}

/// What of a row may tell where it belongs.
pub(super) fn traits<'a>(
    tree: &'a Tree,
    id: NodeId,
    said: Option<&'a Metadata>,
    tags: &'a [String],
) -> Traits<'a> {
    let is_folder = tree.is_folder(id);
    let item_type = if is_folder { type_of_folder(tree, id) } else { tree.item_type(id) };
    Traits { name: tree.name(id), is_folder, item_type, tags, said }
}

/// The type of most files right in a folder.
fn type_of_folder(tree: &Tree, id: NodeId) -> ItemType {
    let files = tree.children(id).filter(|child| !tree.is_folder(*child));
    most_common(files.map(|file| tree.item_type(file))).unwrap_or(ItemType::Folder)
}

/// The commonest of the first types.
pub(crate) fn most_common(types: impl Iterator<Item = ItemType>) -> Option<ItemType> {
    let mut counts = [0_usize; TYPES.len()];
    types.take(TYPED_BY).for_each(|item_type| counts[item_type as usize] += 1);
    let most = (0..counts.len()).max_by_key(|at| (counts[*at], std::cmp::Reverse(*at)));
    most.filter(|at| counts[*at] > 0).map(|at| TYPES[at].1)
}
