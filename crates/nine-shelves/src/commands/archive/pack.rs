//! `nine archive pack`: one file in place of a dated folder.

use std::collections::HashSet;

use nine_core::archive::{CONTENTS, Form, SUMS};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::plan::pack::plan;
use nine_core::plan::{Follower, Proposal};
use nine_core::tree::Tree;
use nine_stores::{Scope, StoreError};

use super::{all_dated, dated_called};
use crate::archive::Dated;
use crate::cli::ShowArgs;
use crate::error::{Done, Failure};
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::session::{Opened, Session};

/// Runs it.
pub(super) fn run(date: &str, form: Form, show: &ShowArgs, session: &Session, opened: &Opened) -> Done {
    let all = all_dated(opened);
    let folders: Vec<Dated> = all.into_iter().filter(|dated| dated.form.is_none()).collect();
    let dated = dated_called(&folders, date, session)?;
    let failure = |error: StoreError| Failure::system(format!("{}: {error}", dated.at));
    let store = opened.store(&dated.at.place).ok_or_else(|| failure(StoreError::NotThere))?;
    let scan = store.inside(&dated.at.path).and_then(|inside| inside.scan(&Scope::default(), &session.watch));
    let scan = scan.map_err(failure)?;
    if let Some((path, error)) = scan.troubles.first() {
        return Err(Failure::system(format!("{}/{path}: {error}", dated.at)));
    }
    expect_names(&scan.tree, form, dated)?;
    let list_entry =
        store.entry(&dated.list.path).map_err(failure)?.ok_or_else(|| failure(StoreError::NotThere))?;
    let list = Follower {
        item: dated.list.clone(),
        kind: Kind::File,
        stamp: list_entry.stamp(),
        size: list_entry.size,
        modified: list_entry.modified,
        ending: None,
    };
    let totals = scan.tree.totals(Tree::ROOT);
    let new = Proposal::new(dated.at.clone(), Kind::Folder, dated.entry.stamp(), Vec::new());
    let folder = Proposal { size: totals.size, modified: totals.newest, ..new };
    let beside = store.list(&dated.at.folder().path).map_err(failure)?;
    let names: HashSet<Vec<u8>> = beside.into_iter().map(|(name, _)| name).collect();
    let strays = strays(&scan.tree, dated);
    let proposal = plan(folder, list, form, &|name| names.contains(name), &strays);
    let command = format!("nine archive pack {}", escape(&dated.name()));
    let planned = Planned { name_places: false, ..Planned::new(command, vec![proposal], &opened.places) };
    show_ask_carry(session, opened, planned, show, |_, out| {
        writeln!(
            out,
            "{FAINT}the folder goes into the trash once the pack was read back and compared{FAINT:#}"
        )
    })
}

/// A zip holds only names in UTF-8.
fn expect_names(tree: &Tree, form: Form, dated: &Dated) -> Done {
    let odd = tree.ids().find(|id| std::str::from_utf8(tree.name(*id)).is_err());
    match odd.filter(|_| form == Form::Zip) {
        Some(id) => {
            let spot = Spot::new(dated.at.place.clone(), dated.at.path.join_path(&tree.path(id)));
            Err(Failure::words(format!("{spot} has a name that is not UTF-8, which a zip cannot hold"))
                .hint("pack it with --as tar.zst"))
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
