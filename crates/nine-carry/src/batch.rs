//! Steps that only move a name or set tags, one after the other: before they count it is looked, for all of them at
//! once, whether the folders in which they were done still stand where their paths say.

use std::collections::{BTreeMap, BTreeSet};
use std::io;

use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};
use nine_stores::StoreError;

use crate::carrier::Carrier;
use crate::folders::expect_in_place;
use crate::outcome::{Failed, Outcome, Trace};

/// Steps of a batch at most: others may have moved a folder during so many.
const MOST_STEPS: usize = 64;

/// Folders of a batch at most, so that all of them are held open by a store.
const MOST_FOLDERS: usize = 16;

/// Steps that were done and are not written down yet.
#[derive(Debug, Default)]
pub(crate) struct StepBatch {
    done: Vec<(usize, Trace)>,
    folders: BTreeSet<Spot>,
}

impl StepBatch {
    /// Whether a step is one for a batch.
    pub fn takes(&self, step: &Step) -> bool {
        let is_small = matches!(step.act, Act::Tag { .. } | Act::Leave)
            || matches!(step.act, Act::Move { .. }) && step.kind != Kind::Folder;
        step.together.is_none() && is_small
    }

    fn is_full(&self) -> bool {
        self.done.len() >= MOST_STEPS || self.folders.len() >= MOST_FOLDERS
    }
}

fn folders(step: &Step) -> impl Iterator<Item = Spot> {
    std::iter::once(&step.item).chain(step.target()).map(Spot::folder)
}

impl Carrier<'_> {
    /// Does a step of a batch. Says whether the person did not ask to stop meanwhile.
    pub(crate) fn carry_in_batch(
        &mut self,
        steps: &[Step],
        at: usize,
        batch: &mut StepBatch,
        outcome: &mut Outcome,
    ) -> io::Result<bool> {
        let step = &steps[at];
        match self.step(at, step)? {
            // An item that was copied has been looked after before its original went.
            Ok(trace) if trace.stamp.is_some() => self.note(at, steps, Ok(trace), outcome)?,
            Ok(trace) => {
                batch.folders.extend(folders(step));
                batch.done.push((at, trace));
            }
            Err(StoreError::Stopped) => return Ok(false),
            Err(error) => self.note(at, steps, Err(error), outcome)?,
        }
        if batch.is_full() {
            self.settle(steps, batch, outcome)?;
        }
        Ok(true)
    }

    /// Checks the folders of a batch. What was done in one that another program moved is undone. If a folder cannot
    /// be checked, its steps are left to the next command, which looks at both ends; all else counts.
    pub(crate) fn settle(
        &mut self,
        steps: &[Step],
        batch: &mut StepBatch,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let StepBatch { done, folders: all } = std::mem::take(batch);
        let trouble = |folder: &Spot| Some((folder.clone(), expect_in_place(self.places, folder).err()?));
        let troubles: BTreeMap<Spot, StoreError> = all.iter().filter_map(trouble).collect();
        let trouble_of = |at: usize| folders(&steps[at]).find_map(|folder| troubles.get(&folder));
        // The last first, since an item may have been tagged and then moved.
        let (lost, kept): (Vec<_>, Vec<_>) = done.into_iter().partition(|(at, _)| trouble_of(*at).is_some());
        for (at, trace) in lost.into_iter().rev() {
            if let Some(unknown) = trouble_of(at).filter(|why| !matches!(why, StoreError::FolderMoved)) {
                self.note(at, steps, Err(StoreError::Unsure(unknown.to_string())), outcome)?;
                continue;
            }
            match self.take_back(at, &steps[at], &trace)? {
                Ok(_) => self.note(at, steps, Err(StoreError::FolderMoved), outcome)?,
                Err(why) => {
                    let because = format!("{}, and it went there with it: {why}", StoreError::FolderMoved);
                    self.daybook.failed(at, &because, None)?;
                    outcome.failed.push(Failed { step: at, because });
                }
            }
        }
        if !troubles.is_empty() {
            self.folders.look_anew(self.places);
        }
        for (at, trace) in kept {
            self.note(at, steps, Ok(trace), outcome)?;
        }
        Ok(())
    }
}
