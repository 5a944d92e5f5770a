//! A plan carried out, under the lock and with the daybook.

use std::io;

use nine_carry::daybook::{Heading, Writer};
use nine_carry::{Carrier, Outcome, lock};
use nine_core::place::Spot;
use nine_core::worklist::Step;
use nine_stores::Watch;

use super::{Plan, lists};
use crate::reporter::{Notice, Task};
use crate::workspace::Workspace;
use crate::workspace::known_places::{self, Remember};
use crate::workspace::recovery::recover_under;
use crate::{Error, Result};

/// What came of a plan.
#[derive(Debug)]
pub struct Carried {
    /// The run.
    pub run: u64,
    /// What came of its steps.
    pub outcome: Outcome,
    /// The steps, by the numbers that the outcome has.
    pub steps: Vec<Step>,
}

impl Carried {
    /// How much of it was not done.
    pub fn troubles(&self) -> usize {
        let Outcome { failed, stayed, unlisted, unsure, not_begun, .. } = &self.outcome;
        failed.len() + stayed.len() + unlisted.len() + unsure.len() + not_begun
    }
}

impl Plan {
    /// Carries out the steps that can be done.
    ///
    /// # Errors
    /// If another run is at work, or the daybook cannot be written.
    pub fn carry(&self, workspace: &Workspace) -> Result<Carried> {
        let steps = self.steps();
        let (run, outcome) = self.carry_steps(workspace, &steps)?;
        Ok(Carried { run, outcome, steps })
    }

    fn carry_steps(&self, workspace: &Workspace, steps: &[Step]) -> Result<(u64, Outcome)> {
        let draft = &self.draft;
        let lock = lock(workspace.data(), &workspace.who(&draft.command))?
            .map_err(|at_work| Error::AtWork(at_work.who))?;
        recover_under(workspace, &lock)?;
        known_places::remember(workspace, Remember::Before)?;
        let unwritable = |source| Error::DaybookUnwritable { folder: workspace.data().to_owned(), source };
        let lists = lists::touched(workspace.opened(), draft, steps);
        let occasion = draft.occasion.clone();
        let heading =
            Heading { lists, occasion, ..Heading::new(&draft.command, draft.undoes, &draft.places) };
        let clock = || workspace.clock();
        let mut daybook =
            Writer::begin(workspace.data(), &heading, steps.iter(), &clock).map_err(unwritable)?;
        let run = daybook.run();
        tracing::info!(run, steps = steps.len(), "the plan is in the daybook");
        let broken_off = |source| Error::BrokenOff { run, source };
        workspace.reporter.carrying(true);
        let outcome = self.act(workspace, steps, &heading.lists, &mut daybook).map_err(broken_off)?;
        let syncs = daybook.syncs() + workspace.syncs();
        match outcome.is_open {
            true => daybook.flush().map_err(broken_off)?,
            false => daybook.end(&clock).map_err(broken_off)?,
        }
        workspace.reporter.carrying(false);
        let remembered = workspace
            .again()
            .and_then(|now| known_places::remember(&now, Remember::After(&workspace.opened().closed)));
        if let Err(error) = remembered {
            workspace.notice(&Notice::NotRemembered("on which disks the places are", &error));
        }
        tracing::info!(run, syncs, "the run is over");
        Ok((run, outcome))
    }

    fn act(
        &self,
        workspace: &Workspace,
        steps: &[Step],
        lists: &[Spot],
        daybook: &mut Writer,
    ) -> io::Result<Outcome> {
        let watch = Watch::default();
        let task = Task::Carrying { steps: steps.len() as u64, reading: workspace.watch() };
        workspace.during(task, &watch, || {
            let mut over = 0;
            let mut count_steps = |now: usize| {
                watch.saw((now - over) as u64);
                over = now;
            };
            let clock = || workspace.clock();
            let places = &self.draft.places;
            let mut carrier = Carrier::new(places, daybook, workspace.watch(), &clock, &mut count_steps);
            let mut outcome = carrier.carry(steps, lists)?;
            let (cleared, is_away) = nine_carry::clear_away(places, &self.draft.clear_away);
            outcome.is_open |= is_away;
            tracing::info!(cleared, "empty folders taken away");
            Ok(outcome)
        })
    }
}
