//! Shelves made, renamed, moved to another number and marked: their folders and the configuration, as one run.

use std::collections::BTreeMap;

use nine_core::config::{Bookcase, Color, Marks, ShelfConfig, renumber_rules, set_shelves};
use nine_core::names::fold;
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::plan::Proposal;
use nine_core::shelving::{ShelfFolder, Shelving};
use nine_core::worklist::{Act, Step};
use nine_stores::Places;

use super::chosen;
use crate::configuration::ConfigChange;
use crate::plan::{Draft, Plan};
use crate::setup::{can_be_made, place_above};
use crate::workspace::Workspace;
use crate::{Error, Result, icons};

/// A new look of a shelf.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NewMark {
    /// Its sign; `None` leaves it as it is.
    pub mark: Option<String>,
    /// Its colour; `None` leaves it as it is.
    pub color: Option<Color>,
    /// Whether both are taken away.
    pub drop: bool,
}

/// Plans to make the folders that are not there: bookcases and shelves.
///
/// # Errors
/// If there is no bookcase, or the folder above one is not there.
pub fn make(workspace: &Workspace, names: &[String]) -> Result<Plan> {
    let mut places = workspace.opened().places.clone();
    let mut steps = Vec::new();
    for case in chosen(workspace, names)? {
        let spot = Spot::new(case.name.as_str(), ItemPath::root());
        let is_closed = workspace.store(&case.name).is_none();
        let base = match workspace.at(&case.at).local().filter(|_| is_closed) {
            Some(at) if !can_be_made(at) => {
                return Err(Error::NoDisk { at: at.to_owned() });
            }
            Some(at) => {
                let base = place_above(workspace, at, &mut places)?;
                steps.push(Step::make(base.clone()));
                base
            }
            None => spot.clone(),
        };
        places.of(&base).map_err(Error::store(&spot))?;
        let shelving = shelving(workspace, case);
        for shelf in &shelving.shelves {
            if let ShelfFolder::Missing(name) = shelf.folder() {
                let folder = Spot::new(base.place.clone(), base.path.join(&name));
                let is_marked = case.marks == Marks::Icon;
                steps.push(Step::make(folder.clone()));
                if is_marked {
                    steps.extend(icons::steps(&places, std::iter::once((&shelf.config, folder)))?);
                }
            }
        }
    }
    Ok(draw_up("nine shelves make", steps, &places))
}

/// Plans to give a shelf another title.
///
/// # Errors
/// If there is no such shelf, or the title cannot be one.
pub fn rename(workspace: &Workspace, shelf: &str, title: &str) -> Result<Plan> {
    let (case, number) = find(workspace, shelf)?;
    let change = |shelf: &mut ShelfConfig| title.clone_into(&mut shelf.title);
    changed(workspace, case, &format!("nine shelves rename {number} {title}"), number, change)
}

/// Plans to give a shelf another mark or colour.
///
/// # Errors
/// If there is no such shelf, or the mark cannot be one.
pub fn mark(workspace: &Workspace, shelf: &str, new: &NewMark) -> Result<Plan> {
    let (case, number) = find(workspace, shelf)?;
    let change = |shelf: &mut ShelfConfig| {
        if new.drop {
            (shelf.mark, shelf.color) = (None, None);
        }
        shelf.mark = new.mark.clone().or(shelf.mark.take());
        shelf.color = new.color.or(shelf.color);
    };
    changed(workspace, case, &format!("nine shelves mark {number}"), number, change)
}

/// Plans to give a shelf another number; those between step aside, and rules follow.
///
/// # Errors
/// If there is no such shelf, or the number is none.
pub fn renumber(workspace: &Workspace, shelf: &str, to: u8) -> Result<Plan> {
    let (case, from) = find(workspace, shelf)?;
    let numbers = numbers(case, from, to);
    let mut shelves = case.shelves.clone();
    shelves
        .iter_mut()
        .for_each(|shelf| shelf.number = numbers.get(&shelf.number).copied().unwrap_or(shelf.number));
    shelves.sort_by_key(|shelf| shelf.number);
    let is_first = workspace.config().bookcases.first().is_some_and(|first| first.name == case.name);
    let edit = |text: &str| {
        let text = set_shelves(text, &case.name, &shelves)?;
        renumber_rules(&text, &case.name, is_first, &numbers)
    };
    let shelving = shelving(workspace, case);
    let wanted = shelving.shelves.iter().filter_map(|shelf| {
        let (ShelfFolder::There(now) | ShelfFolder::Renamed(now)) = shelf.folder() else { return None };
        let new = numbers.get(&shelf.number)?;
        // Whatever else stands in its name stays.
        let name = NameBuf::new([new.to_string().as_bytes(), &now[1..]].concat())?;
        Some((now, name))
    });
    let renames = wanted.collect();
    let edit = ConfigChange::of(workspace, edit)?;
    with_config(workspace, case, &format!("nine shelves move {from} {to}"), renames, edit, None)
}

/// Which number each shelf gets that does not keep its own.
fn numbers(case: &Bookcase, from: u8, to: u8) -> BTreeMap<u8, u8> {
    let mut numbers = BTreeMap::from([(from, to)]);
    let is_taken = |number: u8| number != from && case.shelves.iter().any(|shelf| shelf.number == number);
    let mut here = to;
    // Each makes room for the one that comes, towards where the moved one stood.
    while here != from && is_taken(here) {
        let next = if from > to { here + 1 } else { here - 1 };
        numbers.insert(here, next);
        here = next;
    }
    numbers.retain(|old, new| old != new);
    numbers
}

/// One shelf changed by itself.
fn changed(
    workspace: &Workspace,
    case: &Bookcase,
    command: &str,
    number: u8,
    change: impl FnOnce(&mut ShelfConfig),
) -> Result<Plan> {
    let mut shelves = case.shelves.clone();
    let at = shelves.iter().position(|shelf| shelf.number == number).expect("the shelf was found");
    change(&mut shelves[at]);
    let edit = ConfigChange::of(workspace, |text| set_shelves(text, &case.name, &shelves))?;
    let shelving = shelving(workspace, case);
    let folder = shelving.shelf(number).map(|shelf| shelf.folder());
    let wanted = shelves[at].folder_name(case.marks);
    let renames = match &folder {
        Some(ShelfFolder::There(now) | ShelfFolder::Renamed(now)) if *now != wanted => {
            vec![(now.clone(), wanted)]
        }
        _ => Vec::new(),
    };
    let stands = match folder {
        Some(ShelfFolder::There(now) | ShelfFolder::Renamed(now)) => Some(now),
        _ => None,
    };
    let icon =
        stands.filter(|_| case.marks == Marks::Icon && renames.is_empty()).map(|now| (&shelves[at], now));
    with_config(workspace, case, command, renames, edit, icon)
}

/// Folders renamed in a bookcase together with a change of the configuration.
fn with_config(
    workspace: &Workspace,
    case: &Bookcase,
    command: &str,
    renames: Vec<(NameBuf, NameBuf)>,
    change: ConfigChange,
    icon: Option<(&ShelfConfig, NameBuf)>,
) -> Result<Plan> {
    let mut places = workspace.opened().places.clone();
    let base = Spot::new(case.name.as_str(), ItemPath::root());
    let mut steps = Vec::new();
    if !renames.is_empty() {
        let store = places.of(&base).map_err(Error::store(&base))?;
        for (now, wanted) in renames {
            let item = Spot::new(case.name.as_str(), base.path.join(&now));
            let entry = store.entry(&item.path).map_err(Error::store(&item))?;
            let Some(entry) = entry else { continue };
            let to = Spot::new(case.name.as_str(), base.path.join(&wanted));
            steps.push(Step {
                act: Act::Move { to },
                stamp: entry.stamp(),
                modified: entry.modified,
                ..Step::make(item)
            });
        }
    }
    if let Some((shelf, folder)) = icon {
        let folder = Spot::new(case.name.as_str(), base.path.join(&folder));
        steps.extend(icons::steps(&places, std::iter::once((shelf, folder)))?);
    }
    if !change.is_none() {
        steps.push(change.into_step(&mut places));
    }
    Ok(draw_up(command, steps, &places))
}

fn draw_up(command: &str, steps: Vec<Step>, places: &Places) -> Plan {
    let proposals = steps.into_iter().map(Proposal::fixed).collect();
    Draft { as_one: true, ..Draft::new(command, proposals, places) }.draw_up()
}

fn shelving(workspace: &Workspace, case: &Bookcase) -> Shelving {
    let all = workspace.shelvings().into_iter();
    let found = all.into_iter().find(|shelving| shelving.bookcase == case.name);
    found.unwrap_or_else(|| Shelving::new(case, std::iter::empty()))
}

/// The bookcase and number that are meant by `3`, `Grants`, `home/3`.
fn find<'w>(workspace: &'w Workspace, typed: &str) -> Result<(&'w Bookcase, u8)> {
    let config = workspace.config();
    let (case, word) = match typed.split_once('/') {
        Some((name, word)) => (config.bookcase(Some(name)), word),
        None => (config.bookcase(None), typed),
    };
    let none = || {
        let all = config.bookcases.iter().flat_map(|case| &case.shelves);
        let shelves = all.map(|shelf| format!("{} {}", shelf.number, shelf.title)).collect();
        Error::NoShelf { typed: typed.to_owned(), shelves }
    };
    let case = case.ok_or_else(none)?;
    let is_it = |shelf: &&ShelfConfig| {
        word == shelf.number.to_string()
            || fold(word) == fold(&shelf.title)
            || fold(word) == fold(&format!("{} {}", shelf.number, shelf.title))
    };
    let shelf = case.shelves.iter().find(is_it).ok_or_else(none)?;
    Ok((case, shelf.number))
}
