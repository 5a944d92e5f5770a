//! What the starter rules would do with what lies there now.

use std::collections::BTreeMap;

use nine_core::place::NameBuf;
use nine_core::plan::{Left, Proposal};

use crate::Result;
use crate::rules_at_work::RulesAtWork;
use crate::workspace::Workspace;

/// Examples that are told of each shelf.
const EXAMPLES: usize = 3;

/// What would come onto one shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ShelfShare {
    /// The shelf's folder.
    pub shelf: NameBuf,
    /// How many items.
    pub items: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Some of them, with the path of their folder below the shelf.
    pub examples: Vec<(NameBuf, String)>,
}

/// What a first tidy would do.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FirstTidy {
    /// By shelf.
    pub shares: Vec<ShelfShare>,
    /// How many items were looked at.
    pub looked_at: u64,
    /// How many would be filed.
    pub filed: u64,
    /// How many are left alone, and why.
    pub left: BTreeMap<Left, u64>,
}

/// Applies the rules of a configuration that is written nowhere yet.
pub(super) fn first_tidy(workspace: &Workspace) -> Result<FirstTidy> {
    let config = workspace.config();
    if config.rules.is_empty() {
        return Ok(FirstTidy::default());
    }
    let piles: Vec<_> = config.piles.iter().collect();
    let gathered = RulesAtWork::look(workspace, &piles)?.propose();
    let mut shares: BTreeMap<NameBuf, ShelfShare> = BTreeMap::new();
    let mut filed = 0;
    for proposal in &gathered.proposals {
        let Some((shelf, below)) = target(proposal) else { continue };
        filed += 1;
        let share = shares.entry(shelf.clone()).or_insert_with(|| ShelfShare {
            shelf,
            items: 0,
            bytes: 0,
            examples: Vec::new(),
        });
        share.items += 1;
        share.bytes += proposal.size;
        if let Some(name) = proposal.item.path.last().filter(|_| share.examples.len() < EXAMPLES) {
            share.examples.push((name.into(), below));
        }
    }
    Ok(FirstTidy {
        shares: shares.into_values().collect(),
        looked_at: gathered.looked_at,
        filed,
        left: gathered.left,
    })
}

/// The shelf on which an item would come, and the folders below it.
fn target(proposal: &Proposal) -> Option<(NameBuf, String)> {
    let folder = &proposal.placing()?.folder;
    if folder.place == proposal.item.place {
        return None;
    }
    let mut names = folder.path.parts();
    let shelf = names.next()?.into();
    let below = nine_core::place::ItemPath::of_names(names);
    Some((shelf, below.to_text()))
}
