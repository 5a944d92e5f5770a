//! What came of a run, and of each of its steps.

use nine_core::item::Stamp;
use nine_core::place::Spot;

use crate::removal::Stayed;

/// A step that could not be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failed {
    /// The step's number among those carried out, counted from 0.
    pub step: usize,
    /// Why.
    pub because: String,
}

/// What came of a run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Outcome {
    /// The steps that were done, by number.
    pub carried: Vec<usize>,
    /// Bytes of the items that were moved or restored.
    pub bytes: u64,
    /// The steps that were not.
    pub failed: Vec<Failed>,
    /// Steps that were done, but left something at the old place or need the user's attention, and why.
    pub stayed: Vec<Failed>,
    /// Dated folders of the archive whose lists could not be brought up to date, and why.
    pub unlisted: Vec<(Spot, String)>,
    /// Folders that could not be flushed to the disk, and why: what was done in them may not survive a loss
    /// of power.
    pub unsure: Vec<(Spot, String)>,
    /// Whether lists of the archive could not be brought up to date, half of a copy could not be taken away, or it is
    /// not known what became of a step. The run is then left open, and the next command tries again.
    pub is_open: bool,
    /// How many were not begun, since the person asked to stop.
    pub not_begun: usize,
}

impl Outcome {
    /// How many steps were done.
    pub fn done(&self) -> usize {
        self.carried.len()
    }
}

/// What a step that was done leaves to be recorded.
#[derive(Debug, Default)]
pub struct Trace {
    /// As what its item is found now, where that is another stamp than it was planned with.
    pub stamp: Option<Stamp>,
    /// What the trash knows the item by.
    pub kept_as: Option<Vec<u8>>,
    /// Things of a copied item that stayed where they were.
    pub stayed: Stayed,
    /// Why the user should look at the item although the step was done.
    pub remark: Option<String>,
}

impl Trace {
    /// Of an item that is found as this now, where that is another stamp than it was planned with.
    pub(crate) fn at(stamp: Option<Stamp>) -> Self {
        Self { stamp, ..Self::default() }
    }
}
