//! The rules: what each does now, tried before they are written, and changed without an editor.

use nine_core::config::{RuleChange, RuleEdit, change_rules};
use nine_core::names::fold;
use nine_core::plan::Proposal;
use nine_core::plan::tidy::RuleCount;
use nine_core::rules::Rule;

use crate::configuration::ConfigChange;
use crate::error::Named;
use crate::plan::{Draft, Plan};
use crate::rules_at_work::{Gathered, RulesAtWork};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// A rule and what it does now.
#[derive(Debug, Clone)]
pub struct RuleLine<'w> {
    /// Its number, counted from 1.
    pub number: usize,
    /// The rule.
    pub rule: &'w Rule,
    /// Items that it acts on.
    pub items: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Items that it files and that later rules are for, too.
    pub shadows: u64,
}

/// A rule that was tried.
pub struct Tried {
    /// What it would do; not to be carried out, since the rule is written nowhere.
    pub plan: Plan,
    /// Rules before it that file items which it is for, too, with how many.
    pub first: Vec<(String, u64)>,
    /// How many items it would act on.
    pub items: u64,
}

/// The rules in order, each with what it does now.
///
/// # Errors
/// If the piles cannot be looked at.
pub fn list(workspace: &Workspace) -> Result<Vec<RuleLine<'_>>> {
    let gathered = gather(workspace)?;
    let rules = &workspace.config().rules;
    let shadows = |number: usize| {
        let taken = gathered.counts.iter().filter_map(|count| count.taken_by.get(&number));
        taken.sum::<u64>()
    };
    let line = |(at, rule)| {
        let RuleCount { items, bytes, .. } = gathered.counts.get(at).cloned().unwrap_or_default();
        RuleLine { number: at + 1, rule, items, bytes, shadows: shadows(at) }
    };
    Ok(rules.iter().enumerate().map(line).collect())
}

/// What each of the rules acts on now.
pub(crate) fn counted(workspace: &Workspace) -> Result<Vec<RuleCount>> {
    let counts = gather(workspace)?.counts;
    let rules = workspace.config().rules.len();
    Ok((0..rules).map(|at| counts.get(at).cloned().unwrap_or_default()).collect())
}

fn gather(workspace: &Workspace) -> Result<Gathered> {
    let piles: Vec<_> = workspace.config().piles.iter().collect();
    let mut at_work = RulesAtWork::look(workspace, &piles)?;
    at_work.counts_rules = true;
    Ok(at_work.propose())
}

/// Tries a rule as it would be, last or before another one.
///
/// # Errors
/// What is wrong with it, or if the piles cannot be looked at.
pub fn try_out(workspace: &Workspace, rule: &RuleEdit, before: Option<&str>) -> Result<Tried> {
    let before = before.map(|before| find(workspace, before)).transpose()?;
    let names = workspace.config().rules.iter().map(|rule| rule.name.as_str());
    let name = nine_core::config::free_name("tried", names);
    let change = RuleChange::Add { name: name.clone(), rule: rule.clone(), before };
    let edit = ConfigChange::of(workspace, |text| change_rules(text, &change))?;
    let tried = workspace.with_text(edit.new.clone())?;
    let at = before.unwrap_or(workspace.config().rules.len());
    let gathered = gather(&tried)?;
    let count = gathered.counts.get(at).cloned().unwrap_or_default();
    let is_its = |proposal: &Proposal| proposal.why.split(", ").any(|why| why == name);
    let proposals: Vec<Proposal> = gathered.proposals.into_iter().filter(is_its).collect();
    let first = count.taken_by.iter().map(|(rule, items)| (tried.config().rules[*rule].name.clone(), *items));
    let first = first.collect();
    let plan = Draft { by_rules: true, ..Draft::new("nine rule try", proposals, &tried.opened().places) };
    Ok(Tried { plan: plan.draw_up(), first, items: count.items })
}

/// Plans to add a rule.
///
/// # Errors
/// If there is one of this name, or something is wrong with it.
pub fn add(workspace: &Workspace, name: &str, rule: &RuleEdit, before: Option<&str>) -> Result<Plan> {
    if workspace.config().rules.iter().any(|other| fold(&other.name) == fold(name)) {
        return Err(Error::RuleThere(name.to_owned()));
    }
    let before = before.map(|before| find(workspace, before)).transpose()?;
    let change = RuleChange::Add { name: name.to_owned(), rule: rule.clone(), before };
    planned(workspace, &change, format!("nine rule add {name}"))
}

/// Plans to change what a rule says.
///
/// # Errors
/// If there is none of this name, or something would be wrong with it.
pub fn change(workspace: &Workspace, name: &str, edit: &RuleEdit) -> Result<Plan> {
    let at = find(workspace, name)?;
    planned(workspace, &RuleChange::Change(at, edit.clone()), format!("nine rule change {name}"))
}

/// Plans to try a rule before another one, or last.
///
/// # Errors
/// If there is none of these names.
pub fn reorder(workspace: &Workspace, name: &str, before: Option<&str>) -> Result<Plan> {
    let at = find(workspace, name)?;
    let before = before.map(|before| find(workspace, before)).transpose()?;
    planned(workspace, &RuleChange::Move(at, before), format!("nine rule move {name}"))
}

/// Plans to drop a rule.
///
/// # Errors
/// If there is none of this name.
pub fn forget(workspace: &Workspace, name: &str) -> Result<Plan> {
    let at = find(workspace, name)?;
    planned(workspace, &RuleChange::Drop(at), format!("nine rule drop {name}"))
}

fn planned(workspace: &Workspace, change: &RuleChange, command: String) -> Result<Plan> {
    let change = ConfigChange::of(workspace, |text| change_rules(text, change))?;
    if change.is_none() {
        return Ok(Draft::new(command, Vec::new(), &workspace.opened().places).draw_up());
    }
    Ok(change.plan(workspace, command))
}

/// The number from 0 of the rule of a name, or of a number from 1.
fn find(workspace: &Workspace, typed: &str) -> Result<usize> {
    let rules = &workspace.config().rules;
    let by_name = rules.iter().position(|rule| fold(&rule.name) == fold(typed));
    let by_number = || typed.parse::<usize>().ok()?.checked_sub(1).filter(|at| *at < rules.len());
    let names = || rules.iter().map(|rule| rule.name.as_str());
    by_name.or_else(by_number).ok_or_else(|| Error::unknown(Named::Rule, typed, names()))
}
