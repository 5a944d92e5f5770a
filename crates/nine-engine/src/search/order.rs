//! The order and the groups of a list.

use std::cmp::Reverse;
use std::collections::BTreeMap;

use nine_core::facet::Facet;
use nine_core::find::Asked;
use nine_core::kinds::TYPES;
use nine_core::metadata::SaidField;
use nine_core::moment::{Day, Unit};
use nine_core::names::{fold, natural_key};
use nine_core::survey::{AGES, AgeBands, Part, SIZES, size_band};
use nine_core::tree::{NodeId, Tree};

use super::Hit;
use crate::looking::{Looking, View};

/// What a list is grouped by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum GroupBy {
    /// The type.
    Type,
    /// The folder.
    Folder,
    /// The age, in bands.
    Age,
    /// The tags; what has several is in several groups.
    Tag,
    /// The size, in bands.
    Size,
    /// What they say of themselves; of dates, the unit in which they lie.
    Said(SaidField, Unit),
    /// The answers of a facet of the configuration.
    Facet(String),
}

impl GroupBy {
    /// The words that group a list, besides the names of facets.
    pub const WORDS: [&str; 5] = ["type", "folder", "age", "tag", "size"];

    /// What a word groups by.
    pub fn of_word(word: &str) -> Self {
        match word {
            "type" => GroupBy::Type,
            "folder" => GroupBy::Folder,
            "age" => GroupBy::Age,
            "tag" => GroupBy::Tag,
            "size" => GroupBy::Size,
            other => Self::said(other).unwrap_or_else(|| GroupBy::Facet(other.to_owned())),
        }
    }

    /// `camera`, `taken`, `taken:year`; a date without a form groups by month.
    fn said(word: &str) -> Option<Self> {
        let (word, form) = word.split_once(':').map_or((word, None), |(word, form)| (word, Some(form)));
        let field = SaidField::of_word(word)?;
        let is_date = matches!(field, SaidField::Taken | SaidField::Sent);
        let unit = match form {
            None => Unit::Month,
            Some(form) => Unit::of_word(form).filter(|_| is_date)?,
        };
        Some(GroupBy::Said(field, unit))
    }
}

/// What a list is put in order by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SortBy {
    /// By name, the way people count.
    Name,
    /// By place and path.
    Location,
    /// The largest first.
    Size,
    /// The newest first.
    Age,
    /// By type.
    Type,
    /// Opened last first.
    Opened,
    /// Arrived last first.
    Arrived,
}

/// The place and the folders above an item, written.
pub fn location(view: &View, id: NodeId) -> String {
    view.spot(id).folder().to_string()
}

/// How long a list may be that is put in order by each part of its paths. One that is longer nobody reads as it is.
const READ: usize = 5_000;

/// Brings hits of each place into the order of their paths, where names have other letters than those by which trees
/// stand.
fn sort_by_path(hits: &mut [Hit], looking: &Looking) {
    let path = |hit: &Hit| looking.views[hit.view as usize].tree.path(hit.id);
    if hits.len() > READ || hits.iter().all(|hit| path(hit).as_bytes().is_ascii()) {
        return;
    }
    let collation = looking.workspace.collation();
    hits.sort_by_cached_key(|hit| {
        let parts: Vec<Vec<u8>> = path(hit).parts().map(|name| collation.key(&name)).collect();
        (hit.view, parts)
    });
}

/// Brings hits into order. They come by place and path, which is the order among equals.
pub(super) fn sort(hits: &mut [Hit], looking: &Looking, by: Option<SortBy>, reverse: bool) {
    sort_by_path(hits, looking);
    let tree = |hit: &Hit| &looking.views[hit.view as usize].tree;
    match by {
        None | Some(SortBy::Location) => {}
        Some(SortBy::Name) => {
            looking.workspace.collation().sort(hits, |hit, key| key(tree(hit).name(hit.id)));
        }
        Some(SortBy::Size) => hits.sort_by_key(|hit| Reverse(tree(hit).size(hit.id))),
        Some(SortBy::Age) => hits.sort_by_key(|hit| Reverse(tree(hit).newest(hit.id))),
        Some(SortBy::Type) => hits.sort_by_key(|hit| tree(hit).item_type(hit.id)),
        Some(SortBy::Opened) => hits.sort_by_key(|hit| Reverse(tree(hit).opened(hit.id))),
        Some(SortBy::Arrived) => hits.sort_by_key(|hit| Reverse(tree(hit).born(hit.id))),
    }
    if reverse {
        hits.reverse();
    }
}

/// Some hits that go together.
pub struct HitGroup {
    /// What they have in common.
    pub name: String,
    /// The hits, in the order of the list.
    pub hits: Vec<Hit>,
    /// Their number and bytes.
    pub part: Part,
}

/// Parts a list into groups, in the order in which people read them.
pub fn group(hits: &[Hit], looking: &Looking, by: &GroupBy) -> Vec<HitGroup> {
    let (now, config) = (looking.workspace.now(), looking.workspace.config());
    let bands = AgeBands::new(now);
    let answers = match by {
        GroupBy::Facet(name) => config.facets.get(name).map(|facet| answers(hits, looking, facet)),
        _ => None,
    };
    let mut groups: BTreeMap<(usize, Vec<u8>), HitGroup> = BTreeMap::new();
    for (nth, hit) in hits.iter().enumerate() {
        let view = &looking.views[hit.view as usize];
        let answered = answers.as_ref().map(|answers| match &answers[nth] {
            Some(answer) => vec![(0, answer.clone())],
            None => vec![(1, "not known".to_owned())],
        });
        let names = answered
            .or_else(|| said(looking, view, hit.id, by))
            .unwrap_or_else(|| names(&view.tree, hit.id, by, &bands, || location(view, hit.id)));
        for (rank, name) in names {
            let key = (rank, natural_key(name.as_bytes()));
            let new = || HitGroup { name, hits: Vec::new(), part: Part::default() };
            let group = groups.entry(key).or_insert_with(new);
            group.hits.push(*hit);
            group.part.count += 1;
            group.part.bytes += view.tree.size(hit.id);
        }
    }
    let mut groups: Vec<(usize, HitGroup)> =
        groups.into_iter().map(|((rank, _), group)| (rank, group)).collect();
    looking.workspace.collation().sort(&mut groups, |(_, group), key| key(group.name.as_bytes()));
    groups.sort_by_key(|(rank, _)| *rank);
    groups.into_iter().map(|(_, group)| group).collect()
}

/// What each hit answers to a facet.
fn answers(hits: &[Hit], looking: &Looking, facet: &Facet) -> Vec<Option<String>> {
    let mut found = vec![None; hits.len()];
    for view in 0..looking.views.len() {
        looking.with_query(view, |query| {
            let mut asked = Asked::new(query, facet);
            for (answer, hit) in found.iter_mut().zip(hits).filter(|(_, hit)| hit.view as usize == view) {
                *answer = asked.answer(hit.id).and_then(|finding| finding.value().map(str::to_owned));
            }
        });
    }
    found
}

/// The groups of an entry, each with its rank among the groups.
fn names(
    tree: &Tree,
    id: NodeId,
    by: &GroupBy,
    bands: &AgeBands,
    location: impl FnOnce() -> String,
) -> Vec<(usize, String)> {
    match by {
        GroupBy::Type => {
            let item_type = tree.item_type(id);
            vec![(item_type as usize, TYPES[item_type as usize].0.to_owned())]
        }
        GroupBy::Folder => vec![(0, location())],
        GroupBy::Age => {
            let band = bands.of(tree, id);
            vec![(band, AGES[band].0.to_owned())]
        }
        GroupBy::Size => {
            let band = size_band(tree.size(id));
            vec![(band, SIZES[band].0.to_owned())]
        }
        GroupBy::Tag => match tree.all_tags(id) {
            // One item may have several; letter case does not part them.
            Some(tags) if !tags.is_empty() => tags.iter().map(|tag| (0, fold(tag))).collect(),
            _ => vec![(1, "no tag".to_owned())],
        },
        GroupBy::Facet(_) | GroupBy::Said(..) => Vec::new(),
    }
}

/// The group of an entry by what it says of itself, where that is asked for.
fn said(looking: &Looking, view: &View, id: NodeId, by: &GroupBy) -> Option<Vec<(usize, String)>> {
    let GroupBy::Said(field, unit) = by else { return None };
    let now = looking.workspace.now();
    let value = looking.said_by(view, id).and_then(|said| match field {
        SaidField::Taken | SaidField::Sent => {
            said.day(*field, now).map(|day| Day::around(day, *unit).to_string())
        }
        field => said.written(*field, now),
    });
    Some(vec![value.map_or((1, "not known".to_owned()), |value| (0, value))])
}
