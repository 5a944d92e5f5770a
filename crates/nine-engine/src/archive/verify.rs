//! The archive held against its checksums.

use std::collections::BTreeMap;
use std::io::Read;

use nine_core::archive::{CONTENTS, Form, SUMS, SUMS_NAME, Sum, Sums};
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::ItemPath;
use nine_stores::packs::{self, Pack, read_list};
use nine_stores::{ReadStore, Scope, Store, StoreError, StoreResult, Watch, sum_of, sum_of_stream};

use super::account::remember;
use super::{complete_lists, dated_called, list};
use crate::Result;
use crate::reporter::{Notice, Task};
use crate::workspace::{Dated, Workspace};

/// What was found of a dated folder. Paths are below it, written.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Verified {
    /// Its name.
    pub name: String,
    /// In which form it is packed, if it is.
    pub form: Option<Form>,
    /// How many files were read.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// What its lists name and is not there.
    pub missing: Vec<String>,
    /// What is not as its checksum says.
    pub changed: Vec<String>,
    /// What is in no list.
    pub extra: Vec<String>,
    /// Why it cannot be verified, if it cannot.
    pub trouble: String,
}

impl Verified {
    /// Whether everything is as the lists say.
    pub fn is_whole(&self) -> bool {
        let lists = [&self.missing, &self.changed, &self.extra];
        self.trouble.is_empty() && lists.iter().all(|list| list.is_empty())
    }
}

/// Reads every byte of the dated folders of these names, or of all.
///
/// # Errors
/// If there is none of a name.
pub fn verify(workspace: &Workspace, names: &[String]) -> Result<Vec<Verified>> {
    complete_lists(workspace);
    let all = list(workspace);
    let chosen: Vec<&Dated> = match names.is_empty() {
        true => all.iter().collect(),
        false => names.iter().map(|name| dated_called(&all, name)).collect::<Result<_>>()?,
    };
    let watch = Watch::default();
    for dated in &chosen {
        watch.expect(dated.listed().0.values().map(|line| line.size).sum());
    }
    let found: Vec<(&Dated, Verified)> = workspace.during(Task::Verifying, &watch, || {
        chosen.iter().map(|dated| (*dated, verify_one(workspace, dated, &watch))).collect()
    });
    if let Err(error) = remember(workspace, &all, &found) {
        workspace.notice(&Notice::NotRemembered("when it was verified", &error));
    }
    Ok(found.into_iter().map(|(_, found)| found).collect())
}

fn verify_one(workspace: &Workspace, dated: &Dated, watch: &Watch) -> Verified {
    let mut found = Verified { name: escape(&dated.name()), form: dated.form, ..Verified::default() };
    let store = workspace.store(&dated.at.place).ok_or(StoreError::NotThere);
    let read = store.and_then(|store| match dated.form {
        None => verify_folder(&**store, dated, watch, &mut found),
        Some(_) => verify_pack(&**store, dated, watch, &mut found),
    });
    if let Err(error) = read {
        found.trouble = error.to_string();
    } else if let Err(why) = dated.contents() {
        found.trouble = format!("{CONTENTS}: {why}");
    }
    found
}

fn verify_folder(store: &dyn Store, dated: &Dated, watch: &Watch, found: &mut Verified) -> StoreResult<()> {
    let mut bytes = Vec::new();
    store.read(&dated.at.path.join(SUMS_NAME))?.read_to_end(&mut bytes)?;
    let mut check = Check::new(dated, Sums::parse(&bytes));
    let scan = store.inside(&dated.at.path)?.scan(&Scope::default(), &Watch::default())?;
    for (path, error) in scan.troubles {
        found.changed.push(format!("{path} ({error})"));
    }
    for id in scan.tree.ids() {
        let path = scan.tree.path(id);
        let kind = scan.tree.kind(id);
        let sum = || sum_of(store, &dated.at.path.join_path(&path), watch);
        check.see(&path, kind, scan.tree.size(id), sum, found);
    }
    check.end(found);
    Ok(())
}

fn verify_pack(store: &dyn ReadStore, dated: &Dated, watch: &Watch, found: &mut Verified) -> StoreResult<()> {
    let pack = Pack::named(store, &dated.at.path)?;
    let sums = Sums::parse(&read_list(&pack, SUMS_NAME)?);
    let mut check = Check::new(dated, sums);
    packs::visit(&pack, &ItemPath::root(), &mut |member, content| {
        let sum = || sum_of_stream(content, watch);
        check.see(&member.path, member.kind, member.size, sum, found);
        Ok(true)
    })?;
    check.end(found);
    Ok(())
}

/// What is still to be found.
struct Check {
    sums: Sums,
    /// Links, which have no sums, and whatever else the list of contents has.
    listed: BTreeMap<ItemPath, Kind>,
}

impl Check {
    fn new(dated: &Dated, sums: Sums) -> Self {
        let contents = dated.listed();
        let listed = contents.0.iter().filter(|(path, _)| !sums.of.contains_key(*path));
        let listed = listed.map(|(path, line)| (path.clone(), line.kind)).collect();
        Self { sums, listed }
    }

    /// Takes note of something that is there.
    fn see(
        &mut self,
        path: &ItemPath,
        kind: Kind,
        size: u64,
        sum: impl FnOnce() -> StoreResult<Sum>,
        found: &mut Verified,
    ) {
        let is_own = path.depth() == 1 && [SUMS, CONTENTS].iter().any(|own| own.as_bytes() == path.name());
        if is_own {
            return;
        }
        let listed = self.listed.remove(path);
        match (kind, self.sums.of.remove(path)) {
            (Kind::File, Some(wanted)) => {
                (found.files, found.bytes) = (found.files + 1, found.bytes + size);
                match sum() {
                    Ok(sum) if sum == wanted => {}
                    Ok(_) => found.changed.push(path.to_string()),
                    Err(error) => found.changed.push(format!("{path} ({error})")),
                }
            }
            (_, Some(_)) => found.changed.push(path.to_string()),
            // Folders between have no lines of their own.
            (Kind::Folder, None) => {}
            (kind, None) if listed == Some(kind) && kind != Kind::File => {}
            (_, None) => found.extra.push(path.to_string()),
        }
    }

    fn end(self, found: &mut Verified) {
        let left = self.sums.of.into_keys().chain(self.listed.into_keys());
        found.missing.extend(left.map(|path| path.to_string()));
    }
}
