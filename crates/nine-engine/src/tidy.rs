//! The rules applied to piles.

use std::collections::BTreeMap;

use nine_core::config::Pile;
use nine_core::plan::Left;
use nine_core::rules::Rule;

use crate::plan::{Draft, Plan};
use crate::rules_at_work::{Gathered, RulesAtWork};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What is to be tidied.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// The names of piles; all, if there are none.
    pub piles: Vec<String>,
}

/// What the rules want.
pub struct Tidied {
    /// The plan.
    pub plan: Plan,
    /// How many items are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// How many were looked at.
    pub looked_at: u64,
}

/// Plans what the rules want.
///
/// # Errors
/// If there are no rules or no such pile.
pub fn plan(workspace: &Workspace, request: &Request) -> Result<Tidied> {
    if workspace.config().rules.is_empty() {
        let (file, exists) = (workspace.environment.config_file.clone(), workspace.loaded.exists);
        return Err(Error::NoRules { file, exists });
    }
    let piles = workspace.piles(&request.piles)?;
    let away = workspace.tell_closed(&piles);
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    let Gathered { proposals, left, looked_at, .. } = at_work.propose();
    let words = std::iter::once("nine tidy").chain(request.piles.iter().map(String::as_str));
    let command = words.collect::<Vec<_>>().join(" ");
    let draft = Draft {
        troubles: away + at_work.looking.troubles,
        by_rules: true,
        facets: facets(workspace, &piles),
        ..Draft::new(command, proposals, &workspace.opened().places)
    };
    // What was read of the piles is not needed any more, and may be much.
    drop(at_work);
    Ok(Tidied { plan: draft.draw_up(), left, looked_at })
}

/// The facets that the rules for these piles speak of.
fn facets(workspace: &Workspace, piles: &[&Pile]) -> Vec<String> {
    let config = workspace.config();
    let rules = config.rules.iter().filter(|rule| piles.iter().any(|pile| rule.is_for_pile(&pile.name)));
    let used: Vec<&str> = rules.flat_map(Rule::facets).map(|facet| facet.name.as_str()).collect();
    config.facets.names().filter(|name| used.contains(name)).map(str::to_owned).collect()
}
