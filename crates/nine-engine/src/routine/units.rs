//! What starts a routine, or watching, by itself: units of the person's own systemd, a line for cron, or an event in a
//! calendar. All are texts, written and taken away by runs as any other.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::place::{ItemPath, Name, Spot};
use nine_core::plan::Proposal;
use nine_core::routine::Routine;
use nine_core::schedule::{Reminder, Schedule, Started};
use nine_core::worklist::{Act, Step};
use nine_stores::{Places, Store, StoreError};

use crate::configuration::nearest;
use crate::error::ScheduleError;
use crate::plan::{Draft, Plan};
use crate::workspace::Workspace;
use crate::{Error, Result, text_file};

/// The place in which units lie, as runs know it.
pub const UNITS: &str = "~units";

/// The place in which a calendar file lies, as runs know it.
const CALENDAR: &str = "~calendar";

/// What will start something.
pub enum Scheduled {
    /// Units of systemd, in this order.
    Units(Box<UnitsPlan>),
    /// There is no systemd: a line for cron.
    Cron(String),
}

/// Units that are written or taken away.
pub struct UnitsPlan {
    /// The plan.
    pub plan: Plan,
    /// Each file with its text.
    pub texts: Vec<(PathBuf, String)>,
    /// The unit that is started or stopped: a timer, or a service that lasts.
    pub unit: String,
}

/// Texts of units below their folder, and the unit that is started.
struct Units {
    texts: Vec<(String, String)>,
    unit: String,
}

impl Units {
    /// A unit that is wanted by a target of systemd whenever that is reached, as its own drop-in says: no link need be
    /// made, and no other program called.
    fn wanted(mut self, target: &str, name: &str) -> Self {
        let text = format!("[Unit]\nWants={}\n", self.unit);
        self.texts.push((format!("{target}.d/{name}.conf"), text));
        self
    }

    fn of_routine(started: &Started, schedule: &Schedule, routine: &str) -> Self {
        let name = unit_name(routine);
        let timer = (format!("{name}.timer"), schedule.timer(&started.what));
        let texts = vec![(format!("{name}.service"), started.once()), timer];
        Self { texts, unit: format!("{name}.timer") }.wanted("timers.target", &name)
    }

    fn of_watch(started: &Started) -> Self {
        let unit = format!("{WATCH}.service");
        Self { texts: vec![(unit.clone(), started.lasting())], unit }.wanted("default.target", WATCH)
    }
}

const WATCH: &str = "nine-watch";

fn unit_name(routine: &str) -> String {
    format!("nine-routine-{routine}")
}

/// Whether the units of a routine stand.
pub(super) fn is_scheduled(workspace: &Workspace, routine: &Routine) -> bool {
    workspace.environment.units.join(format!("{}.timer", unit_name(&routine.name))).is_file()
}

fn started(workspace: &Workspace, words: &[&str], what: String) -> Started {
    let program = workspace.environment.program.iter().cloned();
    Started { words: program.chain(words.iter().map(|word| (*word).to_owned())).collect(), what }
}

fn of_routine(workspace: &Workspace, routine: &Routine) -> Started {
    let words = ["routine", &routine.name, "--unattended"];
    started(workspace, &words, format!("routine {}", routine.name))
}

fn schedule_of(routine: &Routine) -> Result<&Schedule> {
    Ok(routine.when.as_ref().ok_or_else(|| ScheduleError::NoTimes(routine.name.clone()))?)
}

/// Plans the units that run a routine at its times; where there is no systemd, tells the line for cron.
///
/// # Errors
/// If its times are not given, or the units cannot be read.
pub fn schedule(workspace: &Workspace, routine: &Routine) -> Result<Scheduled> {
    let (times, started) = (schedule_of(routine)?, of_routine(workspace, routine));
    let units = Units::of_routine(&started, times, &routine.name);
    let command = format!("nine routine {} --schedule", routine.name);
    match workspace.environment.has_systemd {
        true => Ok(Scheduled::Units(Box::new(write(workspace, units, command)?))),
        false => Ok(Scheduled::Cron(times.cron_line(&started.shell_line()))),
    }
}

/// Plans to take the units of a routine away; `None` if there are none. The routine need not be there any more.
///
/// # Errors
/// If they cannot be read.
pub fn unschedule(workspace: &Workspace, routine: &str) -> Result<Option<UnitsPlan>> {
    let name = unit_name(routine);
    let texts = [format!("timers.target.d/{name}.conf"), format!("{name}.timer"), format!("{name}.service")];
    take_away(workspace, &texts, format!("{name}.timer"), format!("nine routine {routine} --unschedule"))
}

/// Plans the unit that keeps watching, or to take it away; `None` if there is none to take away, and an error where
/// there is no systemd.
///
/// # Errors
/// If it cannot be read, or there is no systemd.
pub fn serve_watch(workspace: &Workspace, piles: &[String], drop: bool) -> Result<Option<UnitsPlan>> {
    let service = format!("{WATCH}.service");
    if drop {
        let texts = [format!("default.target.d/{WATCH}.conf"), service.clone()];
        return take_away(workspace, &texts, service, "nine watch --no-service".to_owned());
    }
    let words: Vec<&str> = std::iter::once("watch").chain(piles.iter().map(String::as_str)).collect();
    let started = started(workspace, &words, "watching what arrives".to_owned());
    if !workspace.environment.has_systemd {
        return Err(ScheduleError::NoSystemd { instead: started.shell_line() }.into());
    }
    write(workspace, Units::of_watch(&started), "nine watch --service".to_owned()).map(Some)
}

/// The folder of the units as a place, and its path there.
fn folder(workspace: &Workspace) -> Result<(Arc<dyn Store>, ItemPath)> {
    let folder = &workspace.environment.units;
    let wrong = |source| Error::Path { path: folder.clone(), source };
    // What is nearest to something in it, so that the folder itself may stand or not.
    let (store, path) = nearest(workspace, &folder.join("any")).map_err(wrong)?;
    Ok((store, path.parent().unwrap_or_else(ItemPath::root)))
}

fn below(folder: &ItemPath, text: &str) -> ItemPath {
    text.split('/')
        .filter_map(|name| Name::new(name.as_bytes()))
        .fold(folder.clone(), |path, name| path.join(name))
}

fn write(workspace: &Workspace, units: Units, command: String) -> Result<UnitsPlan> {
    let (store, folder) = folder(workspace)?;
    let mut proposals = Vec::new();
    let mut texts = Vec::new();
    for (name, text) in units.texts {
        let path = workspace.environment.units.join(&name);
        let spot = Spot::new(UNITS, below(&folder, &name));
        let step = text_file::change(&*store, spot, |_| Some(text.clone()));
        let wrong = |source| Error::Path { path: path.clone(), source };
        proposals.extend(step.map_err(wrong)?.map(Proposal::fixed));
        texts.push((path, text));
    }
    let plan = planned(store, proposals, command);
    Ok(UnitsPlan { plan, texts, unit: units.unit })
}

fn planned(store: Arc<dyn Store>, proposals: Vec<Proposal>, command: String) -> Plan {
    let mut places = Places::default();
    places.add(UNITS, store);
    Draft::new(command, proposals, &places).draw_up()
}

fn take_away(
    workspace: &Workspace,
    texts: &[String],
    unit: String,
    command: String,
) -> Result<Option<UnitsPlan>> {
    let (store, folder) = folder(workspace)?;
    let mut proposals = Vec::new();
    let mut gone = Vec::new();
    for name in texts {
        let path = below(&folder, name);
        let spot = Spot::new(UNITS, path.clone());
        if let Some(entry) = store.entry(&path).map_err(Error::store(&spot))? {
            let step = Step {
                act: Act::discard(),
                kind: entry.kind,
                stamp: entry.stamp(),
                size: entry.size,
                modified: entry.modified,
                ..Step::make(spot)
            };
            proposals.push(Proposal::fixed(step));
            gone.push((workspace.environment.units.join(name), String::new()));
        }
    }
    if proposals.is_empty() {
        return Ok(None);
    }
    Ok(Some(UnitsPlan { plan: planned(store, proposals, command), texts: gone, unit }))
}

/// An event of a calendar that is to be written.
pub struct Calendar {
    /// The plan.
    pub plan: Plan,
    /// The text.
    pub text: String,
}

/// Plans a calendar file that reminds of a routine at its times. One of this program's is written anew; what
/// somebody else wrote is left.
///
/// # Errors
/// If its times are not given, or something else stands there.
pub fn calendar(workspace: &Workspace, routine: &Routine, file: &Path) -> Result<Calendar> {
    let times = schedule_of(routine)?;
    let now = workspace.now().zoned();
    let next = times.next_after(now).unwrap_or_else(|| now.clone());
    let place = workspace.environment.config_file.as_os_str().as_encoded_bytes();
    let mark = format!("{:016x}-{}@nine-shelves", nine_stores::mark(place), routine.name);
    let commands: Vec<&str> = routine.parts.iter().map(|part| part.text.as_str()).collect();
    let told = Reminder {
        title: format!("Nine Shelves: {}", routine.name),
        text: format!("nine routine {}\n\n{}", routine.name, commands.join("\n")),
    };
    let text = times.calendar(&next, now, &mark, &told);
    let path = std::path::absolute(file)?;
    let wrong = |source| Error::Path { path: path.clone(), source };
    let (store, at) = nearest(workspace, &path).map_err(wrong)?;
    let spot = Spot::new(CALENDAR, at.clone());
    let step = text_file::change(&*store, spot, |old| match old {
        Some(old) if !old.contains(&mark) => None,
        _ => Some(text.clone()),
    });
    let step = step.map_err(wrong)?;
    if step.is_none() && store.entry(&at).map_err(wrong)?.is_some() && std::fs::read_to_string(&path)? != text
    {
        return Err(wrong(StoreError::Taken));
    }
    let mut places = Places::default();
    places.add(CALENDAR, store);
    let command = format!("nine routine {} --calendar", routine.name);
    let plan = Draft::new(command, step.map(Proposal::fixed).into_iter().collect(), &places).draw_up();
    Ok(Calendar { plan, text })
}
