//! One file in place of a dated folder.

use std::collections::HashSet;

use nine_core::archive::{CONTENTS, Form, SUMS};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::{NameBuf, Spot};
use nine_core::plan::pack::plan;
use nine_core::plan::{Follower, Proposal};
use nine_core::tree::Tree;
use nine_stores::{Scope, StoreError};

use super::{dated_called, list};
use crate::plan::{Draft, Plan};
use crate::workspace::{Dated, Workspace};
use crate::{Error, Result};

/// What would be packed.
pub struct Packed {
    /// The plan.
    pub plan: Plan,
}

/// Plans to pack the dated folder of this name.
///
/// # Errors
/// If there is none, or it cannot be packed in this form.
pub fn pack(workspace: &Workspace, date: &str, form: Form) -> Result<Packed> {
    let folders: Vec<Dated> = list(workspace).into_iter().filter(|dated| dated.form.is_none()).collect();
    let dated = dated_called(&folders, date)?;
    let failure = Error::store(&dated.at);
    let store = workspace.store(&dated.at.place).ok_or_else(|| failure(StoreError::NotThere))?;
    let inside = store.inside(&dated.at.path).map_err(&failure)?;
    let scan = inside.scan(&Scope::default(), workspace.watch()).map_err(&failure)?;
    if let Some((path, source)) = scan.troubles.into_iter().next() {
        let item = Spot::new(dated.at.place.clone(), dated.at.path.join_path(&path));
        return Err(Error::Store { item, source });
    }
    expect_names(&scan.tree, form, dated)?;
    let list = store.entry(&dated.list.path).map_err(&failure)?;
    let list = list.ok_or_else(|| failure(StoreError::NotThere))?;
    let list = Follower {
        item: dated.list.clone(),
        kind: Kind::File,
        stamp: list.stamp(),
        size: list.size,
        modified: list.modified,
        ending: None,
    };
    let totals = scan.tree.totals(Tree::ROOT);
    let new = Proposal::new(dated.at.clone(), Kind::Folder, dated.entry.stamp(), Vec::new());
    let folder = Proposal { size: totals.size, modified: totals.newest, ..new };
    let beside = store.list(&dated.at.folder().path).map_err(&failure)?;
    let names: HashSet<NameBuf> = beside.into_iter().map(|(name, _)| name).collect();
    let strays = strays(&scan.tree, dated);
    let proposal = plan(folder, list, form, &|name| names.contains(name), &strays);
    let command = format!("nine archive pack {}", escape(&dated.name()));
    Ok(Packed { plan: Draft::new(command, vec![proposal], &workspace.opened().places).draw_up() })
}

/// A zip holds only names in UTF-8.
fn expect_names(tree: &Tree, form: Form, dated: &Dated) -> Result {
    let odd = tree.ids().find(|id| std::str::from_utf8(tree.name(*id)).is_err());
    match odd.filter(|_| form == Form::Zip) {
        Some(id) => {
            let path = dated.at.path.join_path(&tree.path(id));
            Err(Error::NotForZip(Spot::new(dated.at.place.clone(), path)))
        }
        None => Ok(()),
    }
}

/// What lies in the folder and not in its list.
fn strays(tree: &Tree, dated: &Dated) -> Vec<String> {
    let contents = dated.listed();
    let is_own = |name: &[u8]| [SUMS, CONTENTS].iter().any(|own| own.as_bytes() == name);
    let ids = tree.ids().filter(|id| !tree.is_folder(*id));
    let paths = ids.map(|id| tree.path(id)).filter(|path| !(path.depth() == 1 && is_own(path.name())));
    paths.filter(|path| !contents.0.contains_key(path)).map(|path| path.to_string()).collect()
}
