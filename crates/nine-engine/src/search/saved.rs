//! Saved searches: kept, listed with what each finds now, and forgotten.

use nine_core::condition::Condition;
use nine_core::config;
use nine_core::saved::SavedSearch;
use nine_core::survey::Part;
use nine_core::tree::{Column, NodeId};

use super::{Request, areas};
use crate::configuration::ConfigChange;
use crate::error::Named;
use crate::looking::{LookMode, Looking, RowQuestion};
use crate::selection::selectable;
use crate::workspace::Workspace;
use crate::{Error, Result, displays};

/// Keeps a search in the configuration. Returns the workspace as it is then, and whether a search of that name was
/// there before.
///
/// # Errors
/// If the configuration cannot be changed.
pub fn save(
    workspace: &Workspace,
    name: &str,
    condition: &Condition,
    display: Option<bool>,
) -> Result<(Workspace, bool)> {
    let edit = |text: &str| config::save_search(text, name, &condition.to_string(), display);
    let change = ConfigChange::of(workspace, edit)?;
    if !change.is_none() {
        change.carry(workspace, format!("nine search --save {name}"))?;
    }
    let was_there = workspace.config().search(name).is_some_and(|search| !search.starter);
    Ok((workspace.again()?, was_there))
}

/// Forgets a saved search, and the folder of links that displayed it.
///
/// # Errors
/// If there is none of this name, or it ships with the program.
pub fn forget(workspace: &Workspace, name: &str) -> Result {
    let config = workspace.config();
    match config.search(name) {
        None => {
            let known = config.searches.iter().map(|search| search.name.as_str());
            return Err(Error::unknown(Named::Search, name, known));
        }
        Some(search) if search.starter => return Err(Error::Starter(name.to_owned())),
        Some(_) => {}
    }
    let change = ConfigChange::of(workspace, |text| config::drop_search(text, name).map(|(text, _)| text))?;
    change.carry(workspace, format!("nine search --drop {name}"))?;
    displays::remove(workspace, name);
    Ok(())
}

/// The saved searches with what each finds now.
///
/// # Errors
/// If nothing can be looked at.
pub fn list<'w>(workspace: &'w Workspace, request: &Request) -> Result<Vec<(&'w SavedSearch, Part)>> {
    let how = if request.known { LookMode::AsKnown(Column::ALL.to_vec()) } else { LookMode::Now };
    let mut looking = Looking::look(workspace, areas(workspace, request)?, &how)?;
    let mut found = Vec::new();
    for search in &workspace.config().searches {
        let mut part = Part::default();
        for view in 0..looking.views.len() {
            let among = selectable(&looking, view, &search.condition);
            let question = RowQuestion { condition: &search.condition, inside: false, reads_text: false };
            let rows = looking.find(view, question, &among)?;
            let tree = &looking.views[view].tree;
            rows.ids().for_each(|id: NodeId| part.add(tree.size(id)));
        }
        found.push((search, part));
    }
    looking.keep();
    Ok(found)
}
