//! Carries out the steps of a checked worklist.

use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};
use std::io;

use nine_core::item::{Identity, Stamp};
use nine_core::place::Spot;
use nine_core::worklist::Step;
use nine_stores::{Places, StoreError, StoreResult, Watch};

use crate::Clock;
use crate::across::Domains;
use crate::daybook::Writer;
use crate::folders::Folders;
use crate::outcome::{Failed, Outcome, Trace};
use crate::pieces::Piece;

/// Carries out steps, in the order in which they are given, and writes the daybook.
pub struct Carrier<'a> {
    /// Where items live.
    pub places: &'a Places,
    /// Where it is written down.
    pub daybook: &'a mut Writer,
    /// Asks it to stop after the step in hand.
    pub watch: &'a Watch,
    /// Tells the time.
    pub clock: Clock<'a>,
    /// Told after each step how many are over.
    pub progress: &'a mut dyn FnMut(usize),
    pub(crate) folders: Folders,
    /// The file systems of the folders that steps lead to, as far as anybody asked.
    pub(crate) domains: Domains,
    /// The files that other programs had open when the first item was to be copied to another file system.
    pub(crate) in_use: OnceCell<HashSet<Identity>>,
    /// Whether half of a copy could not be taken away.
    pub(crate) half_left: bool,
    /// Folders that were packed, with all that lay in them as it was compared.
    pub(crate) packed: HashMap<Spot, Vec<Piece>>,
}

impl<'a> Carrier<'a> {
    /// A carrier that has done nothing yet.
    pub fn new(
        places: &'a Places,
        daybook: &'a mut Writer,
        watch: &'a Watch,
        clock: Clock<'a>,
        progress: &'a mut dyn FnMut(usize),
    ) -> Self {
        let (folders, domains, packed) = (Folders::default(), Domains::new(), HashMap::new());
        let in_use = OnceCell::new();
        Self { places, daybook, watch, clock, progress, folders, domains, in_use, half_left: false, packed }
    }

    /// Writes down what came of a step.
    pub(crate) fn note(
        &mut self,
        at: usize,
        steps: &[Step],
        came: StoreResult<Trace>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let trace = match came {
            Ok(trace) => trace,
            Err(error) => return self.note_failure(at, &error, None, outcome),
        };
        if trace.stayed.for_now {
            // What is not written down is looked at by the next command, which takes the rest away.
            outcome.is_open = true;
        } else {
            self.daybook.done(at, &trace)?;
        }
        outcome.carried.push(at);
        outcome.bytes += if steps[at].target().is_some() { steps[at].size } else { 0 };
        if trace.stayed.count > 0 {
            let because = format!(
                "moved, but {} of it stayed at the old place: new or changed meanwhile, or no right to it",
                trace.stayed.count
            );
            outcome.stayed.push(Failed { step: at, because });
        }
        outcome.stayed.extend(trace.remark.map(|because| Failed { step: at, because }));
        Ok(())
    }

    /// Writes down that a step could not be done; `stamp` is as what its item is found now, if that is another.
    pub(crate) fn note_failure(
        &mut self,
        at: usize,
        error: &StoreError,
        stamp: Option<Stamp>,
        outcome: &mut Outcome,
    ) -> io::Result<()> {
        let because = error.to_string();
        // What is not written down is looked at by the next command.
        let is_open = std::mem::take(&mut self.half_left) || matches!(error, StoreError::Unsure(_));
        outcome.is_open |= is_open;
        if !is_open {
            self.daybook.failed(at, &because, stamp)?;
        }
        outcome.failed.push(Failed { step: at, because });
        Ok(())
    }
}
