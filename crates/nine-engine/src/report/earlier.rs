//! The weeks before: what earlier reports counted, and what runs took away or brought back.

use jiff::civil::Date;
use nine_carry::daybook::{Ended, Run};
use nine_core::item::Kind;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::report::{Earlier, LooseFile, Names, Passage, Week, weeks as count};
use nine_core::survey::visible;
use nine_core::tree::Tree;

use super::data::{ReportLoose, ReportWeek};
use super::kept::earlier;
use crate::looking::View;
use crate::survey::Surveyed;
use crate::workspace::Workspace;

/// How many weeks are told at most: half a year.
const WEEKS: usize = 26;

/// Week by week, how many files lay loose in the piles among places that were looked at.
pub(super) fn weeks(surveyed: &Surveyed, runs: &[Run], names: &Names) -> Vec<ReportWeek> {
    let workspace = surveyed.looking.workspace;
    let piles: Vec<&View> = surveyed.looking.views.iter().filter(|view| view.area.is_pile).collect();
    let number = |place: &str| piles.iter().position(|view| *view.area.base.place == *place);
    let loose: Vec<LooseFile> =
        piles.iter().enumerate().flat_map(|(place, view)| loose_in(place, view)).collect();
    let kept = earlier(workspace);
    let of_kept = |kept: &super::kept::KeptFigures| -> Vec<Earlier> {
        let of = |(name, loose): (&String, &u64)| {
            Some(Earlier { at: kept.at, place: number(name)?, loose: *loose })
        };
        kept.loose.iter().filter_map(of).collect()
    };
    let kept: Vec<Earlier> = kept.iter().flat_map(of_kept).collect();
    // A run is dated by the clock, also where ages are counted from another day.
    let ahead = workspace.now().moment().0.saturating_sub(workspace.moment().0);
    let begun: Vec<(&Run, Moment)> = runs.iter().filter_map(|run| Some((run, began(run, ahead)?))).collect();
    let passages: Vec<Passage> = begun.iter().flat_map(|(run, at)| passages_of(run, *at, &number)).collect();
    let found = count(workspace.now(), piles.len(), &loose, &passages, &kept, WEEKS);
    let places: Vec<String> = piles.iter().map(|view| names.place(&view.area.base.place)).collect();
    found.iter().map(|week| told(week, &places, &begun, workspace)).collect()
}

fn told(week: &Week, places: &[String], runs: &[(&Run, Moment)], workspace: &Workspace) -> ReportWeek {
    let of_place = |(place, (loose, counted)): (&String, &(u64, bool))| ReportLoose {
        place: place.clone(),
        loose: *loose,
        counted: *counted,
    };
    let in_it = runs.iter().filter(|(_, at)| week.from <= *at && *at <= week.to);
    ReportWeek {
        from: workspace.now().day_of(week.from).map(|day: Date| day.to_string()).unwrap_or_default(),
        loose: week.all(),
        counted: week.is_counted(),
        places: places.iter().zip(&week.loose).map(of_place).collect(),
        runs: in_it.map(|(run, _)| run.number).collect(),
    }
}

/// The files that lie loose, as a survey counts them.
fn loose_in(place: usize, view: &View) -> Vec<LooseFile<'_>> {
    let tree = &view.tree;
    let shown = visible(tree);
    let loose = tree.children(Tree::ROOT).filter(|id| shown.has(id.row()) && !tree.is_folder(*id));
    let since = |id| tree.born(id).unwrap_or(tree.entry(id).modified);
    loose.map(|id| LooseFile { place, name: tree.name(id), since: since(id) }).collect()
}

/// When a run began, counted as ages are: so much ahead of the clock.
fn began(run: &Run, ahead: i64) -> Option<Moment> {
    Some(Moment(Moment::from_rfc3339(&run.at)?.0.saturating_add(ahead)))
}

/// The files that a run took out of a pile's loose ones, or brought to them.
fn passages_of(run: &Run, at: Moment, number: &dyn Fn(&str) -> Option<usize>) -> Vec<Passage> {
    let is_done = |at: &usize| matches!(run.ended.get(at), Some(Ended::Done { .. }));
    let mut found = Vec::new();
    let files = run.steps.iter().enumerate().filter(|(_, step)| step.kind != Kind::Folder);
    for (_, step) in files.filter(|(nth, _)| is_done(nth)) {
        let mut add = |spot: &Spot, came| {
            if let Some(place) = number(&spot.place).filter(|_| spot.path.depth() == 1) {
                found.push(Passage {
                    at,
                    place,
                    name: spot.path.name().to_vec(),
                    came,
                    since: step.modified,
                });
            }
        };
        if step.vacates() {
            add(&step.item, false);
        }
        if let Some(target) = step.target() {
            add(target, true);
        }
    }
    found
}
