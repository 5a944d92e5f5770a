//! What is told of each place.

use std::path::PathBuf;

use nine_core::flaws::Flaw;
use nine_core::place::{ItemPath, Spot};
use nine_core::report::{MapFolder, Names, map};
use nine_core::survey::{AGES, Oddity, Part, SIZES, Survey, visible};
use nine_core::tree::NodeId;

use super::data::{
    ReportFile, ReportFlaw, ReportFolder, ReportOddity, ReportPart, ReportPlace, ReportShelf, ReportSpine,
    ReportTake, ReportType,
};
use crate::looking::View;
use crate::shelves::{BookcaseState, Mending, ShelfRow, Spine, depths};
use crate::survey::{Surveyed, odd_command};

/// How many folders all maps together tell.
const ON_MAPS: usize = 900;

/// How many spines of a shelf are told; the smallest of more stand together.
const SPINES: usize = 60;

/// Each place, in the order in which they were looked at.
pub(super) fn places(surveyed: &Surveyed, standing: &[BookcaseState], names: &Names) -> Vec<ReportPlace> {
    let of = |at: usize| {
        let bookcase = standing.iter().find(|state| state.view == at);
        OnePlace { surveyed, at, view: &surveyed.looking.views[at], bookcase, names }.told()
    };
    (0..surveyed.looking.views.len()).map(of).collect()
}

struct OnePlace<'a> {
    surveyed: &'a Surveyed<'a>,
    at: usize,
    view: &'a View,
    bookcase: Option<&'a BookcaseState>,
    names: &'a Names,
}

impl OnePlace<'_> {
    fn told(&self) -> ReportPlace {
        let Survey { files, folders, loose, types, types_by_age, ages, sizes, largest, oldest } =
            &self.surveyed.surveys[self.at];
        let now = self.surveyed.looking.workspace.now();
        let take = self.surveyed.copies[self.at];
        let odd = self.surveyed.odd.iter();
        let age_names = || AGES.iter().map(|(name, _)| *name);
        let types = types.iter().zip(types_by_age).map(|((item_type, all), by_age)| ReportType {
            name: item_type.word().to_owned(),
            files: all.count,
            bytes: all.bytes,
            ages: parts(age_names(), by_age),
        });
        ReportPlace {
            place: self.names.folder(&self.view.area.base),
            pile: self.view.area.is_pile,
            bookcase: self.bookcase.is_some(),
            known_since: self.view.is_known.then(|| now.minute(self.view.at)),
            files: files.count,
            bytes: files.bytes,
            folders: *folders,
            loose: loose.count,
            types: types.collect(),
            ages: parts(age_names(), ages),
            sizes: parts(SIZES.iter().map(|(name, _)| *name), sizes),
            largest: largest.iter().map(|id| self.file(*id)).collect(),
            oldest: oldest.iter().map(|id| self.file(*id)).collect(),
            odd: odd.filter_map(|(oddity, rows)| self.oddity(*oddity, rows[self.at].len())).collect(),
            copies: ReportTake { files: take.files, bytes: take.bytes, not_compared: take.unread },
            map: self.folder(&map(&self.view.tree, &visible(&self.view.tree), self.room())),
            shelves: self.shelves(),
            wrong: self.wrong(),
        }
    }

    /// How many folders its map may tell: its share of all, but some in any case.
    fn room(&self) -> usize {
        (ON_MAPS / self.surveyed.surveys.len()).max(24)
    }

    fn file(&self, id: NodeId) -> ReportFile {
        let (now, touched) = (self.surveyed.looking.workspace.now(), self.view.tree.touched(id));
        ReportFile {
            item: self.names.file(&self.view.spot(id)),
            size: self.view.tree.size(id),
            touched: now.minute(touched),
            idle: now.age(touched),
        }
    }

    fn oddity(&self, oddity: Oddity, items: usize) -> Option<ReportOddity> {
        let place = self.view.area.base.to_string();
        let places = if self.names.is_hidden() { Vec::new() } else { vec![PathBuf::from(place)] };
        (items > 0).then(|| ReportOddity {
            what: oddity.word().to_owned(),
            words: oddity.words().to_owned(),
            items,
            command: odd_command(&places, oddity),
        })
    }

    fn folder(&self, folder: &MapFolder) -> ReportFolder {
        let MapFolder { id, all, loose, folders, rest: (other_folders, rest) } = folder;
        ReportFolder {
            name: self.names.own(&self.view.spot(*id)),
            files: all.count,
            bytes: all.bytes,
            loose_files: loose.count,
            loose_bytes: loose.bytes,
            folders: folders.iter().map(|folder| self.folder(folder)).collect(),
            other_folders: *other_folders,
            other_files: rest.count,
            other_bytes: rest.bytes,
        }
    }

    fn shelves(&self) -> Vec<ReportShelf> {
        let rows = self.bookcase.map(|state| state.rows(&self.surveyed.looking)).unwrap_or_default();
        rows.into_iter().map(|(row, id)| self.shelf(row, id)).collect()
    }

    fn shelf(&self, row: ShelfRow, id: Option<NodeId>) -> ReportShelf {
        let (folders, deepest) = id.map_or((0, 0), |id| depths(&self.view.tree, id));
        ReportShelf {
            color: row.color.map(|color| color.word().to_owned()),
            files: id.map_or(0, |id| self.view.tree.totals(id).items),
            bytes: row.bytes,
            folders,
            deepest,
            spines: spines(&row.spines, self.names),
            name: row.name,
            mark: row.mark,
        }
    }

    fn wrong(&self) -> Vec<ReportFlaw> {
        let Some(state) = self.bookcase else { return Vec::new() };
        let Some(mending) = Mending::of(self.surveyed.looking.workspace, state) else { return Vec::new() };
        let told = |flaw: &Flaw| ReportFlaw {
            what: flaw.wrong.word().to_owned(),
            words: flaw.wrong.words().to_owned(),
            at: self.names.folder(&self.below(state, &flaw.at)),
            command: if self.names.is_hidden() { "nine shelves".to_owned() } else { mending.command(flaw) },
        };
        state.flaws.iter().map(told).collect()
    }

    fn below(&self, state: &BookcaseState, path: &ItemPath) -> Spot {
        Spot::new(state.name.clone(), path.clone())
    }
}

fn parts<'n>(names: impl Iterator<Item = &'n str>, parts: &[Part]) -> Vec<ReportPart> {
    let part = |(name, part): (&str, &Part)| ReportPart {
        name: name.to_owned(),
        files: part.count,
        bytes: part.bytes,
    };
    names.zip(parts).map(part).collect()
}

/// The spines of a shelf; the smallest of many stand together as the last one.
fn spines(all: &[Spine], names: &Names) -> Vec<ReportSpine> {
    let mut by_size: Vec<u64> = all.iter().map(|spine| spine.items).collect();
    by_size.sort_unstable_by(|a, b| b.cmp(a));
    // Those with more files than the first for which there is no room.
    let least = by_size.get(SPINES).copied().unwrap_or(0);
    let (mut told, mut rest) = (Vec::new(), ReportSpine { name: None, files: 0, folders: 0 });
    for spine in all.iter().filter(|spine| spine.items > 0) {
        let folders = u64::from(!spine.name.is_empty());
        if spine.items > least || all.len() <= SPINES {
            let name = Some(spine.name.clone()).filter(|name| !name.is_empty() && !names.is_hidden());
            told.push(ReportSpine { name, files: spine.items, folders });
        } else {
            rest.files += spine.items;
            rest.folders += folders;
        }
    }
    told.extend(Some(rest).filter(|rest| rest.files > 0));
    told
}
