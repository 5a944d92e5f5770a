//! Pictures made small: decoded by the process that reads foreign files, and kept in the catalogue.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use nine_core::condition::parse;
use nine_core::find::Rows;
use nine_core::kinds::ItemType;
use nine_core::moment::Moment;
use nine_core::report::Names;
use nine_core::survey::visible;
use nine_core::tree::NodeId;
use nine_stores::Watch;
use nine_stores::reading::Raster;
use serde::{Deserialize, Serialize};

use super::data::ReportPicture;
use crate::looking::learned::{keep, kept};
use crate::looking::{Looking, View};
use crate::reader::Ask;
use crate::reporter::Task;

/// How many pictures are shown.
const MOST: usize = 60;

/// How many are tried: some cannot be decoded.
const TRIED: usize = 80;

/// Pixels across and down that there is room for.
const ROOM: (u16, u16) = (160, 120);

/// Which files may be shown, if no others see them. Partial downloads may not.
const SHOWN: &str = "type image and file and size over 0B and not unfinished";

/// Under which name the catalogue keeps them.
const NAME: &str = "thumbnails";

/// A picture made small; without pixels if it cannot be decoded.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Small {
    width: usize,
    height: usize,
    jpeg: String,
}

/// By what a file was known when it was decoded.
type AllSmall = HashMap<String, Small>;

/// The pictures that came last, those in piles first; none if names are hidden, since a picture tells more.
pub(super) fn pictures(looking: &mut Looking, names: &Names) -> Vec<ReportPicture> {
    if names.is_hidden() {
        return Vec::new();
    }
    let wanted = wanted(looking);
    let mut small: AllSmall = kept(looking.catalogue(), NAME).unwrap_or_default();
    let keys: Vec<String> = wanted.iter().map(|(view, id)| key(looking, *view, *id)).collect();
    small.retain(|key, _| keys.contains(key));
    let new: Vec<(usize, NodeId)> =
        wanted.iter().zip(&keys).filter(|(_, key)| !small.contains_key(*key)).map(|(one, _)| *one).collect();
    if !new.is_empty() {
        small.extend(made(looking, &new));
        keep(looking.catalogue(), NAME, &small);
    }
    let told = |((view, id), key): (&(usize, NodeId), &String)| {
        let Small { width, height, jpeg } = small.get(key).filter(|small| small.width > 0)?.clone();
        let of = &looking.views[*view];
        let at = looking.workspace.now().minute(of.tree.age_from(*id));
        Some(ReportPicture { item: names.file(&of.spot(*id)), at, width, height, jpeg })
    };
    wanted.iter().zip(&keys).filter_map(told).take(MOST).collect()
}

/// The pictures that may be shown, in the order in which they are.
fn wanted(looking: &Looking) -> Vec<(usize, NodeId)> {
    let is_readable = |view: &View| view.store().is_some_and(|store| store.abilities().may_read);
    let readable = looking.views.iter().enumerate().filter(|(_, view)| is_readable(view));
    let mut wanted: Vec<(usize, NodeId)> = readable
        .flat_map(|(number, _)| newest(looking, number).into_iter().map(move |id| (number, id)))
        .collect();
    let age = |(view, id): &(usize, NodeId)| looking.views[*view].tree.age_from(*id);
    wanted.sort_by_key(|one| (!looking.views[one.0].area.is_pile, Reverse(age(one))));
    wanted.truncate(TRIED);
    wanted
}

/// The newest pictures of a place that may be shown.
fn newest(looking: &Looking, number: usize) -> Vec<NodeId> {
    let tree = &looking.views[number].tree;
    let shown = visible(tree);
    // What lies beside keys may be a picture of one.
    let keys = shown.filter(|row| tree.item_type(NodeId::new(row)) == ItemType::Key);
    let mut beside_keys = Rows::none(tree.rows());
    keys.ids().for_each(|id| beside_keys.add(tree.parent(id).row()));
    let condition = parse(SHOWN).expect("it can be read");
    looking.with_query(number, |query| {
        let mut found: Vec<NodeId> = query.find(&condition, &shown).yes.ids().collect();
        found.retain(|id| !beside_keys.has(tree.parent(*id).row()));
        // There may be very many, of which a few are wanted.
        let mut by_age: BinaryHeap<(Moment, Reverse<NodeId>)> =
            found.into_iter().map(|id| (tree.age_from(id), Reverse(id))).collect();
        let newest = std::iter::from_fn(|| by_age.pop().map(|(_, Reverse(id))| id));
        // Asked last, since the whole path counts.
        newest.filter(|id| !(query.is_shared)(*id)).take(TRIED).collect()
    })
}

fn key(looking: &Looking, view: usize, id: NodeId) -> String {
    let view = &looking.views[view];
    let entry = view.tree.entry(id);
    format!("{} {} {} {}", view.area.address, entry.identity, entry.size, entry.modified.0)
}

/// Decodes pictures and makes them small.
fn made(looking: &mut Looking, wanted: &[(usize, NodeId)]) -> AllSmall {
    let (workspace, watch) = (looking.workspace, Watch::default());
    let mut small = AllSmall::new();
    workspace.during(Task::MakingThumbnails(wanted.len() as u64), &watch, || {
        for view in 0..looking.views.len() {
            let ids: Vec<NodeId> = wanted.iter().filter(|(of, _)| *of == view).map(|(_, id)| *id).collect();
            let Some(store) = looking.views[view].store().cloned().filter(|_| !ids.is_empty()) else {
                continue;
            };
            looking.read_inside(
                view,
                &*store,
                &ids,
                Ask::Picture(ROOM.0, ROOM.1),
                &watch,
                |all, id, words| {
                    small.insert(key(all, view, id), of_raster(Raster::read(&words.body)));
                },
            );
        }
    });
    small
}

fn of_raster(raster: Option<Raster>) -> Small {
    let coded = raster.and_then(|raster| Some((raster.width, raster.height, raster.to_jpeg()?)));
    let (width, height, bytes) = coded.unwrap_or_default();
    Small { width, height, jpeg: STANDARD.encode(bytes) }
}
