//! Changes of `shelves.toml`: steps of a run like all others, so that the daybook has them and an undo takes them back.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use nine_core::config;
use nine_core::place::{ItemPath, Name, Spot};
use nine_core::plan::Proposal;
use nine_core::worklist::Step;
use nine_stores::{Places, Store, StoreError};

use crate::plan::{Carried, Draft, Plan};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// The place in which the configuration lies, as runs know it. No pile and no bookcase can have such a name.
pub const PLACE: &str = "~configuration";

/// A new text of the configuration, which was checked.
pub struct ConfigChange {
    /// The text that it is made from; `None` if there is no file.
    pub old: Option<String>,
    /// The new text.
    pub new: String,
    step: Step,
    store: Arc<dyn Store>,
}

impl ConfigChange {
    /// Changes the text that the workspace was made with.
    ///
    /// # Errors
    /// If the change makes no sense, or there is no way to the file.
    pub fn of(workspace: &Workspace, edit: impl FnOnce(&str) -> Result<String, String>) -> Result<Self> {
        let file = &workspace.environment.config_file;
        let old = workspace.loaded.exists.then(|| workspace.loaded.text.clone());
        let new = edit(old.as_deref().unwrap_or_default())
            .map_err(|why| Error::ConfigEdit { file: file.clone(), why })?;
        if let Err(findings) = config::parse(&new) {
            return Err(Error::Config { file: file.clone(), text: new, findings });
        }
        // A link stays a link; the file it leads to is changed.
        let target = std::fs::canonicalize(file).unwrap_or_else(|_| file.clone());
        let (store, path) = nearest(workspace, &target).map_err(|error| Error::ConfigUnwritable {
            file: file.clone(),
            source: std::io::Error::other(error),
        })?;
        let item = Spot::new(PLACE, path);
        let stamp = store.entry(&item.path).ok().flatten().map(|entry| entry.stamp());
        let step = Step::write(item, stamp, old.clone(), new.clone());
        Ok(Self { old, new, step, store })
    }

    /// Whether nothing would change.
    pub fn is_none(&self) -> bool {
        self.old.as_ref() == Some(&self.new)
    }

    /// The step that writes the schema beside a configuration that is new, where none is there.
    pub fn schema(&self) -> Option<Step> {
        let name = Name::new(config::SCHEMA_NAME.as_bytes()).filter(|_| self.old.is_none())?;
        let at = self.step.item.path.parent()?.join(name);
        let is_free = matches!(self.store.entry(&at), Ok(None) | Err(StoreError::NotThere));
        let step = || Step::write(Spot::new(PLACE, at), None, None, config::SCHEMA.to_owned());
        is_free.then(step)
    }

    /// The step, for a run in these places.
    pub fn into_step(self, places: &mut Places) -> Step {
        places.add(PLACE, self.store);
        self.step
    }

    /// A plan of this change alone.
    pub fn plan(self, workspace: &Workspace, command: impl Into<String>) -> Plan {
        let mut places = workspace.opened().places.clone();
        let proposals = vec![Proposal::fixed(self.into_step(&mut places))];
        Draft::new(command, proposals, &places).draw_up()
    }

    /// Carries this change out alone.
    ///
    /// # Errors
    /// If the file was changed by another program meanwhile, or cannot be written.
    pub fn carry(self, workspace: &Workspace, command: impl Into<String>) -> Result<Carried> {
        let file = || workspace.environment.config_file.clone();
        let plan = self.plan(workspace, command);
        if let Some(problem) = plan.checked.refused.values().next() {
            let source = std::io::Error::other(problem.words());
            return Err(Error::ConfigUnwritable { file: file(), source });
        }
        let carried = plan.carry(workspace)?;
        match carried.outcome.failed.first() {
            None => Ok(carried),
            Some(failed) if failed.because == StoreError::Changed.to_string() => {
                Err(Error::ConfigChanged(file()))
            }
            Some(failed) => {
                let source = std::io::Error::other(failed.because.clone());
                Err(Error::ConfigUnwritable { file: file(), source })
            }
        }
    }
}

/// The nearest folder above a path that is there, open, and the path below it.
pub(crate) fn nearest(workspace: &Workspace, path: &Path) -> Result<(Arc<dyn Store>, ItemPath), StoreError> {
    let mut above: PathBuf = path.to_owned();
    let mut below = Vec::new();
    loop {
        let name = above.file_name().map(ToOwned::to_owned);
        let name = name.ok_or(StoreError::NotThere)?;
        above.pop();
        below.push(name);
        if above.is_dir() || above.parent().is_none() {
            break;
        }
    }
    let names = below.iter().rev().map(|name| Name::new(name.as_encoded_bytes()).ok_or(StoreError::NotThere));
    let names = names.collect::<Result<Vec<_>, _>>()?;
    Ok((workspace.open_outside(&above)?, ItemPath::of_names(names.into_iter())))
}
