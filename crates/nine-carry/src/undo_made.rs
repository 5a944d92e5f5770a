//! The same of folders that a run made and texts that it wrote.

use nine_core::item::{Entry, Kind, Stamp};
use nine_core::merging::without_change;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};
use nine_stores::Places;

use crate::daybook::Run;
use crate::texts;
use crate::undo::reversed;

/// The step that takes back what was made or written, as which it was found then; `None` if nothing is left to take
/// back.
///
/// # Errors
/// Why it cannot be taken back, in words.
pub(crate) fn undo_made(
    run: &Run,
    step: &Step,
    stamp: Stamp,
    places: &Places,
) -> Result<Option<Step>, String> {
    let back = |act| Some(reversed(step, &step.item, stamp, act));
    match &step.act {
        // A folder that was there already is not this run's.
        Act::Make if !run.made.contains(&step.item) => Ok(None),
        Act::Make if folder_stands(places, &step.item)? => match holds_others(places, &step.item, run)? {
            true => Err("it holds other things by now".into()),
            false => Ok(back(Act::Unmake)),
        },
        Act::Unmake if !stands(places, &step.item)? => Ok(back(Act::Make)),
        Act::Write { from: None, to } => unwritten(places, step, to),
        Act::Write { from: Some(from), to } => Ok(rewritten(places, step, from, to)?.and_then(back)),
        _ => Ok(None),
    }
}

fn entry(places: &Places, spot: &Spot) -> Result<Option<Entry>, String> {
    let entry = places.of(spot).and_then(|store| store.entry(&spot.path));
    entry.map_err(|error| error.to_string())
}

fn stands(places: &Places, spot: &Spot) -> Result<bool, String> {
    Ok(entry(places, spot)?.is_some())
}

fn folder_stands(places: &Places, spot: &Spot) -> Result<bool, String> {
    Ok(entry(places, spot)?.is_some_and(|entry| entry.kind == Kind::Folder))
}

/// A text as it is now; `None` if there is no such file.
fn text(places: &Places, spot: &Spot) -> Result<Option<(String, Stamp)>, String> {
    let now = places.of(spot).and_then(|store| texts::read(store, &spot.path));
    let Some((bytes, stamp)) = now.map_err(|error| error.to_string())? else { return Ok(None) };
    let text = String::from_utf8(bytes).map_err(|_| "it is no text any more")?;
    Ok(Some((text, stamp)))
}

/// Puts a text into the trash that was written where there was none, if it says the same still: it may have been
/// written anew since, and back.
fn unwritten(places: &Places, step: &Step, to: &str) -> Result<Option<Step>, String> {
    match text(places, &step.item)? {
        None => Ok(None),
        Some((now, stamp)) if now == to => Ok(Some(reversed(step, &step.item, stamp, Act::discard()))),
        Some(_) => Err("it has been changed since".into()),
    }
}

/// What gives a text back that a run wrote anew; `None` if it is back. What others wrote since stays.
fn rewritten(places: &Places, step: &Step, from: &str, to: &str) -> Result<Option<Act>, String> {
    let (now, _) = text(places, &step.item)?.ok_or("it is not there any more")?;
    if now == from {
        return Ok(None);
    }
    let merged = without_change(from, to, &now).ok_or("the same lines of it have been changed since")?;
    Ok((merged != now).then_some(Act::Write { from: Some(now), to: merged }))
}

/// Whether there is something in a folder that the run did not bring there.
fn holds_others(places: &Places, folder: &Spot, run: &Run) -> Result<bool, String> {
    let listed = places.of(folder).and_then(|store| store.list(&folder.path));
    for (name, entry) in listed.map_err(|error| error.to_string())? {
        let spot = Spot::new(folder.place.clone(), folder.path.join(&name));
        let is_made = run.made.contains(&spot);
        let is_ours = is_made || run.steps.iter().any(|step| step.target() == Some(&spot));
        if !is_ours || (entry.kind == Kind::Folder && is_made && holds_others(places, &spot, run)?) {
            return Ok(true);
        }
    }
    Ok(false)
}
