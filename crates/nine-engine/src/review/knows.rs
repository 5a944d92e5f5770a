//! What decisions ask for beyond the proposals.

use std::collections::HashSet;

use nine_core::item::Identity;
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::review::{Knows, Refusal, ReviewItem};
use nine_core::shelving::Shelving;
use nine_stores::Places;

use crate::plan::Rules;
use crate::workspace::Workspace;
use crate::{Error, archive};

/// What the workspace knows.
pub(super) struct Knowledge<'w> {
    workspace: &'w Workspace,
    places: Places,
    rules: Rules<'w>,
    archive: Option<ForArchive>,
}

/// What is looked up for the archive, once for all items that are decided together.
struct ForArchive {
    shelvings: Vec<Shelving>,
    /// Files that programs have open.
    open: HashSet<Identity>,
}

impl<'w> Knowledge<'w> {
    pub fn new(workspace: &'w Workspace, places: &Places, items: &[ReviewItem]) -> Self {
        let rules = Rules::of(workspace, items.iter().map(|item| &item.proposal.item));
        Self { workspace, places: places.clone(), rules, archive: None }
    }

    /// What may be otherwise by now is looked up again.
    pub fn refresh(&mut self) {
        self.archive = None;
    }
}

impl Knows for Knowledge<'_> {
    fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Result<Option<Proposal>, Refusal> {
        self.rules.again(item, told).map_err(refusal)
    }

    fn archive_folder(&mut self, item: &Proposal) -> Result<Spot, Refusal> {
        let ForArchive { shelvings, open } = self.archive.get_or_insert_with(|| ForArchive {
            shelvings: self.workspace.shelvings(),
            open: nine_stores::in_use(),
        });
        archive::folder_for(self.workspace, &self.places, shelvings, open, item)
            .map_err(refusal)?
            .map_err(|left| Refusal::Not(format!("it is left: {}", left.words())))
    }
}

fn refusal(error: Error) -> Refusal {
    match error {
        Error::FixedTarget(fixed) => Refusal::Fixed(fixed),
        other => Refusal::Not(other.to_string()),
    }
}
