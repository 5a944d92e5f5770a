//! Routines: several commands in one go, seen before on one look at the places, agreed to once, each carried out as
//! a run of its own, and told in one account.

mod foresight;
mod record;
mod run;
mod units;

use std::collections::BTreeMap;

use jiff::ZonedDateTime;
use nine_core::config::{self, RoutineEdit};
use nine_core::routine::Routine;

pub use foresight::Foresight;
pub use record::{OccasionRecord, PartRecord, RoutineLock, last_times};
pub use run::{Account, Course, PartDone, PartEnd, Parts, Permitted, run};
pub use units::{Calendar, Scheduled, UNITS, UnitsPlan, calendar, schedule, serve_watch, unschedule};

use crate::configuration::ConfigChange;
use crate::error::Named;
use crate::plan::Plan;
use crate::workspace::Workspace;
use crate::{Error, Result, status};

/// A routine with what is known of it.
#[derive(Debug, Clone)]
pub struct KnownRoutine<'w> {
    /// As the configuration has it.
    pub routine: &'w Routine,
    /// When it is to be run next, where that is said.
    pub next: Option<ZonedDateTime>,
    /// Whether something will run it then.
    pub is_scheduled: bool,
    /// The last time that it was run.
    pub last: Option<OccasionRecord>,
}

/// All routines, in the order of the configuration.
pub fn all(workspace: &Workspace) -> Vec<KnownRoutine<'_>> {
    let last = last_times(workspace);
    let known = |routine| KnownRoutine {
        next: next(workspace, routine),
        is_scheduled: units::is_scheduled(workspace, routine),
        last: last.get(&routine.name).cloned(),
        routine,
    };
    workspace.config().routines.iter().map(known).collect()
}

/// The routine of this name.
///
/// # Errors
/// If there is none.
pub fn named<'w>(workspace: &'w Workspace, name: &str) -> Result<&'w Routine> {
    let config = workspace.config();
    let known = config.routines.iter().map(|routine| routine.name.as_str());
    config.routine(name).ok_or_else(|| Error::unknown(Named::Routine, name, known))
}

/// Plans to add a routine to the configuration, or to change it.
///
/// # Errors
/// If it would make no sense.
pub fn save(workspace: &Workspace, name: &str, edit: &RoutineEdit) -> Result<Plan> {
    let change = ConfigChange::of(workspace, |text| config::save_routine(text, name, edit))?;
    workspace.with_text(change.new.clone())?;
    Ok(change.plan(workspace, format!("nine routine {name}, changed")))
}

/// Plans to drop a routine from the configuration.
///
/// # Errors
/// If there is none of this name.
pub fn drop_named(workspace: &Workspace, name: &str) -> Result<Plan> {
    named(workspace, name)?;
    let change = ConfigChange::of(workspace, |text| config::drop_routine(text, name).map(|(text, _)| text))?;
    Ok(change.plan(workspace, format!("nine routine {name} --drop")))
}

/// When a routine is to be run next.
pub fn next(workspace: &Workspace, routine: &Routine) -> Option<ZonedDateTime> {
    routine.when.as_ref()?.next_after(workspace.now().zoned())
}

/// How many things lie loose in each pile that can be looked at.
pub(crate) fn loose(workspace: &Workspace) -> BTreeMap<String, u64> {
    let piles = status::piles(workspace).into_iter();
    piles.filter_map(|pile| Some((pile.name, pile.loose.ok()?.0))).collect()
}
