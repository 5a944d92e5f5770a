//! The facets: their answers with counts, and answers added, renamed and dropped without an editor.

use std::collections::BTreeMap;

use nine_core::condition::{Condition, FacetTest, Test};
use nine_core::config::{AnswerChange, change_answers};
use nine_core::facet::Facet;

use crate::configuration::ConfigChange;
use crate::error::Named;
use crate::plan::{Draft, Plan};
use crate::search::{self, GroupBy, group};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// An answer and how many items have it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AnswerCount {
    /// The answer.
    pub answer: String,
    /// How many items have it, by their tags or by their names.
    pub items: u64,
}

/// A facet with its answers.
#[derive(Debug, Clone)]
pub struct FacetLine<'w> {
    /// The facet.
    pub facet: &'w Facet,
    /// Its answers: of a list all of them, else those that items have.
    pub answers: Vec<AnswerCount>,
}

/// The facets, or those of these names, with how many items have which answer.
///
/// # Errors
/// If there is none of a name, or the places cannot be looked at.
pub fn list<'w>(workspace: &'w Workspace, names: &[String]) -> Result<Vec<FacetLine<'w>>> {
    let all = workspace.config().facets.iter();
    let facets: Vec<&Facet> = match names {
        [] => all.map(|facet| &**facet).collect(),
        names => names.iter().map(|name| find(workspace, name)).collect::<Result<_>>()?,
    };
    facets.into_iter().map(|facet| counted(workspace, facet)).collect()
}

fn counted<'w>(workspace: &'w Workspace, facet: &'w Facet) -> Result<FacetLine<'w>> {
    let shared = workspace.config().facets.get(&facet.name).cloned();
    let condition = shared.map(|facet| Condition::Test(Test::Facet(facet, FacetTest::Known)));
    let by = GroupBy::Facet(facet.name.clone());
    let request = search::Request { condition, by: Some(by.clone()), ..search::Request::default() };
    let found = search::find(workspace, &request)?;
    let groups = group(&found.hits, &found.looking, &by);
    let mut counts: BTreeMap<String, u64> =
        groups.into_iter().map(|group| (group.name, group.part.count)).collect();
    let mut answers: Vec<AnswerCount> = facet
        .listed()
        .into_iter()
        .map(|answer| AnswerCount { answer: answer.to_owned(), items: counts.remove(answer).unwrap_or(0) })
        .collect();
    answers.extend(counts.into_iter().map(|(answer, items)| AnswerCount { answer, items }));
    Ok(FacetLine { facet, answers })
}

fn find<'w>(workspace: &'w Workspace, name: &str) -> Result<&'w Facet> {
    let facets = &workspace.config().facets;
    let found = facets.get(name).map(|facet| &**facet);
    found.ok_or_else(|| Error::unknown(Named::Facet, name, facets.names()))
}

/// Plans to change the answers of a facet.
///
/// # Errors
/// If there is no such facet, or it would not be sound.
pub fn change(workspace: &Workspace, facet: &str, change: &AnswerChange, command: String) -> Result<Plan> {
    find(workspace, facet)?;
    let edit = ConfigChange::of(workspace, |text| change_answers(text, facet, change))?;
    if edit.is_none() {
        return Ok(Draft::new(command, Vec::new(), &workspace.opened().places).draw_up());
    }
    Ok(edit.plan(workspace, command))
}

/// The answers in a column of a table that are not known yet: its values in their order, each once.
///
/// # Errors
/// If the text is no such table, in words.
pub fn from_column(table: &[u8], column: Option<&str>) -> std::result::Result<Vec<String>, String> {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(table);
    let headings = reader.headers().map_err(|error| error.to_string())?.clone();
    let names = || headings.iter().map(|name| format!("`{}`", name.trim())).collect::<Vec<_>>().join(", ");
    let at = match column {
        None if headings.len() == 1 => 0,
        None => return Err(format!("it is not said which column; there are {}", names())),
        Some(column) => {
            let is_it = |name: &str| name.trim().eq_ignore_ascii_case(column);
            headings
                .iter()
                .position(is_it)
                .ok_or_else(|| format!("there is no column `{column}`; there are {}", names()))?
        }
    };
    let mut answers: Vec<String> = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|error| error.to_string())?;
        let value = record.get(at).unwrap_or_default().trim().to_owned();
        if !value.is_empty() && !answers.contains(&value) {
            answers.push(value);
        }
    }
    Ok(answers)
}
